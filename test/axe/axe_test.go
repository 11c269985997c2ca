package axe_test

import (
	"bytes"
	"context"
	"fmt"
	"maps"
	"os"
	"slices"
	"testing"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
	wire "example.net/everypost/internal/wire/image"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestNothingSeriousForAxe looks at every page with axe, in both themes.
func TestNothingSeriousForAxe(t *testing.T) {
	t.Parallel()
	axe, err := os.ReadFile("../../web/node_modules/axe-core/axe.min.js")
	if err != nil && os.Getenv("CI") == "" {
		t.Skip("axe-core is not installed: make build")
	}
	require.NoError(t, err)
	r := rig.Start(t, rig.World(t))
	require.NoError(t, r.World.Throw(standin.Cut, "th-sw-02:1/1/14"))
	r.Cameras(t, map[string]string{"poe-priority": "critical"})
	require.NoError(t, r.World.Throw(standin.Tinker, "th-sw-02:1/1/7"))
	c := r.Draft(t, [3]string{"th-sw-02:1/1/25", "trunk-vlans", "20,30"})
	j, err := r.MakeJob(t.Context(), v1.JobRequest{Kind: "backup"})
	require.NoError(t, err)
	var image bytes.Buffer
	require.NoError(t, standin.MakeImage(&image, wire.Header{Maker: "Halyard", Models: []string{"H24P"}, Version: "4.2.0", Notes: "Mends the fans."}, 1000, false))
	_, err = r.AddImage(t.Context(), &image)
	require.NoError(t, err)
	// visit goes to a page without loading the console anew, as people do, where it is loaded and no window is open over it.
	visit := func(path string) chromedp.Action {
		return chromedp.ActionFunc(func(ctx context.Context) error {
			there := false
			err := chromedp.Evaluate(fmt.Sprintf(`Boolean(window.axe) && !document.querySelector("[role=dialog]") && (history.pushState({}, "", %q), dispatchEvent(new PopStateEvent("popstate")), true)`, path), &there).Do(ctx)
			if err != nil || there {
				return err
			}
			return chromedp.Navigate(r.Base + path).Do(ctx)
		})
	}
	pages := map[string][]chromedp.Action{
		"watch":         {visit("/watch"), browser.Shows("Tern Haven")},
		"devices":       {visit("/devices"), browser.Shows("th-sw-02")},
		"enrol":         {visit("/devices?enrol=1"), browser.Shows("Show its host key")},
		"device":        {visit("/devices/th-sw-02?sel=1%2F1%2F7"), browser.Shows("H24P")},
		"particulars":   {visit("/devices/th-sw-02?tab=particulars"), browser.Shows("Serial number")},
		"configuration": {visit("/devices/th-sw-02?tab=configuration"), browser.Shows("<hostname>")},
		"changes":       {visit("/changes"), browser.Shows("checked")},
		"ports":         {visit("/ports?sel=th-sw-02:1%2F1%2F7,th-sw-02:1%2F1%2F10"), browser.Shows("th-sw-01:1/1/1")},
		"tray":          {visit(fmt.Sprintf("/watch?tray=%d", c.Number)), browser.Shows("Mend it in the draft")},
		"clients":       {visit("/clients?group=vlan"), browser.Shows("th-sw-01:1/1/10")},
		"sites":         {visit("/sites"), browser.Press("Tern Haven terminal"), browser.Shows("Details of tern-haven")},
		"discover":      {visit("/discover"), browser.Shows("Nothing was searched yet")},
		"hardware":      {visit("/devices/th-sw-01?tab=hardware"), browser.Shows("power supply")},
		"paths":         {visit("/between"), browser.Shows("Between sites")},
		"tunnels":       {visit("/between?view=tunnels"), browser.Shows("No edge here has a tunnel"), browser.Press("Join edges…"), browser.Press("Hubs and spokes"), browser.Shows("a selector, such as site = harbour-house")},
		"steering":      {visit("/between?view=steering"), browser.Shows("No edge here steers its traffic")},
		"radio links":   {visit("/between?view=radio"), browser.Shows("No device here is an end of a radio link")},
		"segments":      {visit("/between?view=segments"), browser.Shows("No edge here keeps networks apart"), browser.Press("Keep networks apart…"), browser.Shows("of the segment, the same at all edges")},
		"routers":       {visit("/between?view=routers"), browser.Shows("No edge here exchanges routes"), browser.Press("Exchange routes…"), browser.Shows("prefixes that are behind it")},
		"customers":     {visit("/between?view=customers"), browser.Shows("Nothing is carried for customers here"), browser.Press("Carry a line…"), browser.Shows("does not meet a VLAN of yours")},
		"routes":        {visit("/between?view=routes"), browser.Shows("10.20.80.0/24")},
		"circuits":      {visit("/between?view=circuits"), browser.Shows("No circuit is known yet"), browser.Press("Say what a circuit is…"), browser.Shows("A line of a provider")},
		"what if":       {visit("/map?view=failures&what=th-sw-01"), browser.Shows("Not reached any more"), browser.Shows("of failure")},
		"guests":        {visit("/guests"), browser.Shows("No guest came")},
		"vouchers":      {visit("/guests?view=vouchers"), browser.Shows("No portal asks for vouchers")},
		"a portal":      {visit("/guests?view=portals"), browser.Press("Make a portal"), browser.Shows("A new portal")},
		"wireless":      {visit("/devices/th-ap-01?tab=wireless"), browser.Shows("Radio 1, 5 GHz")},
		"scope, wrong":  {visit("/devices"), browser.Shows("th-fw-01"), browser.Type(rig.ScopeLine, "knd = switch"), browser.Shows("did you mean `kind`?")},
		"grouped":       {visit("/devices?group=kind"), browser.Shows("access-point")},
		"palette":       {visit("/watch"), browser.Press("Find and do"), browser.Until("document.querySelector(`[cmdk-input]`)"), browser.Type(`[cmdk-input]`, "sw-02"), browser.Shows("Halyard H24P")},
		"people":        {visit("/people"), browser.Press("Ada Quill"), browser.Shows("Tokens")},
		"roles":         {visit("/people?tab=roles&role=technician"), browser.Shows("What the rules come to")},
		"a new role":    {visit("/people?tab=roles&role=technician"), browser.Press("Make one like it"), browser.Shows("Another rule")},
		"audit":         {visit("/people?tab=audit"), browser.Shows("sign-in")},
		"the service":   {visit("/people?tab=service"), browser.Shows("Running since")},
		"own":           {visit("/own"), browser.Shows("Your password")},
		"expected":      {visit("/expected"), browser.Shows("No device is expected")},
		"vlans":         {visit("/vlans?vlan=40"), browser.Shows("Its ports"), browser.Press("Carry it from here to there…"), browser.Shows("Show what it takes")},
		"settings":      {visit("/devices/th-sw-02?tab=settings"), browser.Shows("Spanning tree")},
		"templates":     {visit("/templates"), browser.Shows("About"), browser.Press("Make a template"), browser.Shows("what people call it")},
		"a template":    {visit("/templates?view=picks"), browser.Shows("follows in all")},
		"drift":         {visit("/drift"), browser.Shows("night-shift")},
		"layers":        {visit("/devices/th-sw-02?sel=1%2F1%2F17&settings=Layers"), browser.Shows("critical")},
		"site settings": {visit("/sites"), browser.Press("Settings"), browser.Shows("NTP servers")},
		"a class":       {visit("/devices/th-sw-02?tab=settings&object=vlan%2F50"), browser.Shows("IGMP snooping")},
		"rules":         {visit("/changes?view=rules"), browser.Press("New rule"), browser.Shows("A second person has to approve")},
		"set up":        {visit("/setup?site=tern-haven&step=5"), browser.Press("Some ports"), browser.Until("document.querySelector(`input[aria-label=Ports]`)")},
		"set up, sum":   {visit("/setup?site=tern-haven&step=6"), browser.Shows("Everything is already as it says")},
		"groups":        {visit("/groups"), browser.Press("Make a group"), browser.Shows("Picked by")},
		"map":           {visit("/map?site=tern-haven&vlan=50"), browser.Until("document.querySelectorAll(`.react-flow__node`).length === 5")},
		"places":        {visit("/map?view=places"), browser.Shows("No site has coordinates")},
		"racks":         {visit("/map?view=racks"), browser.Shows("No device is in a rack")},
		"links":         {visit("/map?view=links"), browser.Shows("4 links")},
		"history":       {visit("/devices/th-sw-02?tab=history&period=1h"), browser.Until("document.querySelector(`figure canvas`)")},
		"alarms":        {visit("/alarms"), browser.Shows("runs"), browser.Press("Alarm "), browser.Shows("To do:")},
		"alarm rules":   {visit("/alarms?view=rules"), browser.Press("New rule"), browser.Shows("Over at")},
		"notices":       {visit("/alarms?view=told"), browser.Press("New notice"), browser.Shows("From severity")},
		"tests":         {visit("/devices/th-sw-02?tab=tests&ask=bounce&sel=1%2F1%2F7"), browser.Shows("Bounce ports…"), browser.On(`[...document.querySelectorAll("form button")].find(b => b.innerText.startsWith("Bounce"))`, `e.click()`), browser.Shows("Leave it")},
		"services":      {visit("/devices/th-fw-01?tab=services"), browser.Shows("days left")},
		"routing":       {visit("/devices/th-edge-01?tab=routing"), browser.Shows("BGP with")},
		"terminal":      {visit("/devices/th-sw-02?tab=terminal"), browser.Press("Open a terminal"), browser.Until("document.querySelector(`.xterm`)?.innerText.includes(`Type help`)")},
		"terminals":     {visit("/people?tab=terminals"), browser.Shows("terminal")},
		"a client":      {visit("/clients"), browser.Shows("th-sw-01:1/1/10"), browser.Press("no name"), browser.Shows("first seen")},
		"nowhere":       {visit("/no/such/page"), browser.Shows("There is nothing at this address")},
		"jobs":          {visit(fmt.Sprintf("/jobs?job=%d", j.Number)), browser.Shows("unchanged")},
		"new job":       {visit("/jobs"), browser.Press("New job"), browser.Choose("When", "weekly"), browser.Shows("Sun")},
		"backups":       {visit("/backups?backup=1"), browser.Shows("never drop it")},
		"firmware":      {visit("/firmware"), browser.Shows("no baseline")},
		"upgrade":       {visit("/firmware"), browser.Press("Upgrade…"), browser.Shows("runs its baseline")},
		"library":       {visit("/firmware?view=library"), browser.Shows("Mends the fans")},
		"found in them": {visit("/backups?find=hostname"), browser.Shows("lines in")},
		"policies":      {visit("/policies"), browser.Shows("What it knows by name")},
		"sessions":      {visit("/policies?view=sessions"), browser.Shows("There is no such session")},
		"applications":  {visit("/policies?view=applications&by=client"), browser.Shows("24 hours")},
		"reach":         {visit("/policies?view=reach"), browser.Shows("Can one reach the other?")},
		"certificates":  {visit("/certificates"), browser.Shows("The authority of the house"), browser.Press("Renew…"), browser.Shows("Ending within")},
		"given out":     {visit("/devices/th-edge-01?tab=addresses"), browser.Shows("Addresses given out")},
		"a search":      {visit("/jobs"), browser.Press("New job"), browser.Choose("It does", "search"), browser.Shows("Addresses")},
		"air":           {visit("/wireless"), browser.Shows("Lantern Crew"), browser.Press("Offer a network"), browser.Shows("it picks")},
		"air radios":    {visit("/wireless?view=radios"), browser.Shows("th-ap-01:radio1"), browser.Press("Plan channels"), browser.Shows("In the mean")},
		"blocked":       {visit("/wireless?view=blocked"), browser.Shows("No station is blocked")},
		"no device":     {visit("/devices/nobody"), browser.Shows("not found")},
	}
	// The second look, in the dark, is for what differs there: the contrast.
	look := func(t *testing.T, b *browser.Browser, name string, actions ...chromedp.Action) {
		t.Helper()
		var light, dark []string
		run := func(what string, found *[]string) chromedp.Action {
			return chromedp.Evaluate(`axe.run(`+what+`).then(r => r.violations.filter(v => v.impact === "serious" || v.impact === "critical")
				.map(v => v.id + ": " + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160) + " " + (n.any[0]?.message ?? "")).join(" | ")))`, found, awaitPromise)
		}
		require.NoError(t, b.Run(append(actions, browser.Theme("light"), chromedp.ActionFunc(func(ctx context.Context) error {
			there := false
			if err := chromedp.Evaluate(`Boolean(window.axe)`, &there).Do(ctx); err != nil || there {
				return err
			}
			return chromedp.Evaluate(string(axe)+"; true", nil).Do(ctx)
		}), run(`{resultTypes: ["violations"]}`, &light), browser.Theme("dark"), run(`{runOnly: ["color-contrast"], resultTypes: ["violations"]}`, &dark),
			browser.Theme("light"))...), name)
		assert.Empty(t, light, name)
		assert.Empty(t, dark, name+", dark")
	}
	names := slices.Sorted(maps.Keys(pages))
	for part := range 2 {
		t.Run(fmt.Sprint("part ", part+1), func(t *testing.T) {
			t.Parallel()
			b := rig.OpenConsole(t, r)
			for i, name := range names {
				if i%2 == part {
					look(t, b, name, pages[name]...)
				}
			}
		})
	}
	t.Run("signed out", func(t *testing.T) {
		t.Parallel()
		look(t, rig.NewBrowser(t), "sign-in", chromedp.Navigate(r.Base), browser.Until("document.querySelector(`input[type=password]`)"))
	})
}

func awaitPromise(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }
