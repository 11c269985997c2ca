package axe_test

import (
	"fmt"
	"maps"
	"os"
	"slices"
	"testing"

	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
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
	pages := map[string][]chromedp.Action{
		"watch":         {chromedp.Navigate(r.Base + "/watch"), browser.Shows("Tern Haven")},
		"devices":       {chromedp.Navigate(r.Base + "/devices"), browser.Shows("th-sw-02")},
		"enrol":         {chromedp.Navigate(r.Base + "/devices?enrol=1"), browser.Shows("Show its host key")},
		"device":        {chromedp.Navigate(r.Base + "/devices/th-sw-02?sel=1%2F1%2F7"), browser.Shows("H24P")},
		"particulars":   {chromedp.Navigate(r.Base + "/devices/th-sw-02?tab=particulars"), browser.Shows("Serial number")},
		"configuration": {chromedp.Navigate(r.Base + "/devices/th-sw-02?tab=configuration"), browser.Shows("<hostname>")},
		"changes":       {chromedp.Navigate(r.Base + "/changes"), browser.Shows("checked")},
		"ports":         {chromedp.Navigate(r.Base + "/ports?sel=th-sw-02:1%2F1%2F7,th-sw-02:1%2F1%2F10"), browser.Shows("th-sw-01:1/1/1")},
		"tray":          {chromedp.Navigate(fmt.Sprintf("%s/watch?tray=%d", r.Base, c.Number)), browser.Shows("Mend it in the draft")},
		"clients":       {chromedp.Navigate(r.Base + "/clients?group=vlan"), browser.Shows("th-sw-01:1/1/10")},
		"sites":         {chromedp.Navigate(r.Base + "/sites"), browser.Press("Tern Haven terminal"), browser.Shows("Details of tern-haven")},
		"discover":      {chromedp.Navigate(r.Base + "/discover"), browser.Shows("Nothing was searched yet")},
		"hardware":      {chromedp.Navigate(r.Base + "/devices/th-sw-01?tab=hardware"), browser.Shows("power supply")},
		"wireless":      {chromedp.Navigate(r.Base + "/devices/th-ap-01?tab=wireless"), browser.Shows("Radio 1, 5 GHz")},
		"scope, wrong":  {chromedp.Navigate(r.Base + "/devices"), browser.Shows("th-fw-01"), browser.Type(rig.ScopeLine, "knd = switch"), browser.Shows("did you mean `kind`?")},
		"grouped":       {chromedp.Navigate(r.Base + "/devices?group=kind"), browser.Shows("access-point")},
		"palette":       {chromedp.Navigate(r.Base + "/watch"), browser.Press("Find and do"), browser.Until("document.querySelector(`[cmdk-input]`)"), browser.Type(`[cmdk-input]`, "sw-02"), browser.Shows("Halyard H24P")},
		"people":        {chromedp.Navigate(r.Base + "/people"), browser.Press("Ada Quill"), browser.Shows("Tokens")},
		"roles":         {chromedp.Navigate(r.Base + "/people?tab=roles&role=technician"), browser.Shows("What the rules come to")},
		"a new role":    {chromedp.Navigate(r.Base + "/people?tab=roles&role=technician"), browser.Press("Make one like it"), browser.Shows("Another rule")},
		"audit":         {chromedp.Navigate(r.Base + "/people?tab=audit"), browser.Shows("sign-in")},
		"own":           {chromedp.Navigate(r.Base + "/own"), browser.Shows("Your password")},
		"expected":      {chromedp.Navigate(r.Base + "/expected"), browser.Shows("No device is expected")},
		"vlans":         {chromedp.Navigate(r.Base + "/vlans?vlan=40"), browser.Shows("Its ports"), browser.Press("Carry it from here to there…"), browser.Shows("Show what it takes")},
		"settings":      {chromedp.Navigate(r.Base + "/devices/th-sw-02?tab=settings"), browser.Shows("Spanning tree")},
		"templates":     {chromedp.Navigate(r.Base + "/templates"), browser.Shows("About"), browser.Press("Make a template"), browser.Shows("what people call it")},
		"a template":    {chromedp.Navigate(r.Base + "/templates?view=picks"), browser.Shows("follows in all")},
		"drift":         {chromedp.Navigate(r.Base + "/drift"), browser.Shows("night-shift")},
		"layers":        {chromedp.Navigate(r.Base + "/devices/th-sw-02?sel=1%2F1%2F17&settings=Layers"), browser.Shows("critical")},
		"site settings": {chromedp.Navigate(r.Base + "/sites"), browser.Press("Settings"), browser.Shows("NTP servers")},
		"a class":       {chromedp.Navigate(r.Base + "/devices/th-sw-02?tab=settings&object=vlan%2F50"), browser.Shows("IGMP snooping")},
		"rules":         {chromedp.Navigate(r.Base + "/changes?view=rules"), browser.Press("New rule"), browser.Shows("A second person has to approve")},
		"set up":        {chromedp.Navigate(r.Base + "/setup?site=tern-haven&step=5"), browser.Press("Some ports"), browser.Until("document.querySelector(`input[aria-label=Ports]`)")},
		"set up, sum":   {chromedp.Navigate(r.Base + "/setup?site=tern-haven&step=6"), browser.Shows("Everything is already as it says")},
		"groups":        {chromedp.Navigate(r.Base + "/groups"), browser.Press("Make a group"), browser.Shows("Picked by")},
		"map":           {chromedp.Navigate(r.Base + "/map?site=tern-haven&vlan=50"), browser.Until("document.querySelectorAll(`.react-flow__node`).length === 5")},
		"places":        {chromedp.Navigate(r.Base + "/map?view=places"), browser.Shows("No site has coordinates")},
		"racks":         {chromedp.Navigate(r.Base + "/map?view=racks"), browser.Shows("No device is in a rack")},
		"links":         {chromedp.Navigate(r.Base + "/map?view=links"), browser.Shows("4 links")},
		"history":       {chromedp.Navigate(r.Base + "/devices/th-sw-02?tab=history&period=1h"), browser.Until("document.querySelector(`figure canvas`)")},
		"services":      {chromedp.Navigate(r.Base + "/devices/th-fw-01?tab=services"), browser.Shows("days left")},
		"routing":       {chromedp.Navigate(r.Base + "/devices/th-edge-01?tab=routing"), browser.Shows("BGP with")},
		"terminal":      {chromedp.Navigate(r.Base + "/devices/th-sw-02?tab=terminal"), browser.Press("Open a terminal"), browser.Until("document.querySelector(`.xterm`)?.innerText.includes(`Type help`)")},
		"terminals":     {chromedp.Navigate(r.Base + "/people?tab=terminals"), browser.Shows("terminal")},
		"a client":      {chromedp.Navigate(r.Base + "/clients"), browser.Shows("th-sw-01:1/1/10"), browser.Press("no name"), browser.Shows("first seen")},
		"nowhere":       {chromedp.Navigate(r.Base + "/no/such/page"), browser.Shows("There is nothing at this address")},
		"no device":     {chromedp.Navigate(r.Base + "/devices/nobody"), browser.Shows("not found")},
	}
	// The second look, in the dark, is for what differs there: the contrast.
	look := func(t *testing.T, b *browser.Browser, name string, actions ...chromedp.Action) {
		t.Helper()
		var light, dark []string
		run := func(what string, found *[]string) chromedp.Action {
			return chromedp.Evaluate(`axe.run(`+what+`).then(r => r.violations.filter(v => v.impact === "serious" || v.impact === "critical")
				.map(v => v.id + ": " + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160) + " " + (n.any[0]?.message ?? "")).join(" | ")))`, found, awaitPromise)
		}
		require.NoError(t, b.Run(append(actions, browser.Theme("light"), chromedp.Evaluate(string(axe)+"; true", nil), run(`{resultTypes: ["violations"]}`, &light), browser.Theme("dark"), run(`{runOnly: ["color-contrast"], resultTypes: ["violations"]}`, &dark),
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
