package test

import (
	"fmt"
	"os"
	"testing"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/browser"
	"example.net/everypost/internal/standin"
)

// newBrowser starts a browser for a test.
func newBrowser(t *testing.T) *browser.Browser {
	t.Helper()
	b, err := browser.New(t.Context(), 1280, 800)
	if err != nil && os.Getenv("CI") == "" {
		t.Skip(err)
	}
	require.NoError(t, err)
	t.Cleanup(b.Close)
	return b
}

// openConsole starts a browser at the console of a rig, signed in as Ada.
func openConsole(t *testing.T, r *rig) *browser.Browser {
	t.Helper()
	b := newBrowser(t)
	t.Cleanup(func() { assert.Empty(t, b.Complaints, "the page complained") })
	require.NoError(t, b.Run(browser.SignIn(r.Base, "ada", password), browser.Shows("Tern Haven terminal")))
	return b
}

// in presses a button inside the dialog that is open.
func inDialog(label string) chromedp.Action {
	find := fmt.Sprintf(`[...document.querySelectorAll("[role=dialog] button")].find(b => b.innerText.trim() === %q && !b.disabled)`, label)
	return chromedp.Tasks{
		browser.Until(find),
		chromedp.Evaluate(find+`.click()`, nil),
	}
}

func TestStoryByConsole(t *testing.T) {
	t.Parallel()
	r := startRig(t, startWorld(t))
	b := openConsole(t, r)
	require.NoError(t, b.Run(
		browser.Shows("All 5 devices are in hand"),
		browser.Press("Devices"), browser.Press("th-sw-02"),
		browser.Press("Port 1/1/7, well"),
		browser.Shows("Put into a new draft"),
		browser.Choose("VLAN (access)", "40"),
		browser.Choose("PoE", "off"),
		browser.Press("Put into a new draft"),
		browser.Shows("Change 1"),
		browser.Press("Check"),
		browser.Shows("The guards found nothing."),
		browser.Press("Push to 1 device"),
		browser.Shows("unless it is kept in that time, every device goes back"),
		inDialog("Push"),
		browser.Shows("Every device was read back and runs the change"),
	))
	vlan, poe := r.runs(printer)
	assert.Equal(t, []string{"40", "false"}, []string{vlan, poe})
	require.NoError(t, b.Run(
		chromedp.Reload(), // the trial outlives a reload of the page
		browser.Press("Keep it"),
		browser.Shows("It runs for good on th-sw-02."),
	))
	assert.False(t, r.world.TrialOpen("th-sw-02"))

	require.NoError(t, r.world.Throw(standin.Cut, "th-sw-02:1/1/14"))
	require.NoError(t, b.Run(
		browser.Until(`document.querySelector('button[aria-label^="Port 1/1/14, down"]')`),
		chromedp.Navigate(r.Base+"/watch"),
		browser.Shows("lost its link — Ticket counter 1"),
	))
}

func TestRefusedInputStaysInTheForm(t *testing.T) {
	t.Parallel()
	r := startRig(t, startWorld(t))
	b := openConsole(t, r)
	var value string
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/th-sw-02?sel=1%2F1%2F25"),
		browser.Replace(`input[title^="a list such as"]`, "10,5000"),
		browser.Press("Put into a new draft"),
		browser.Shows("is not a VLAN"),
		chromedp.Value(`input[title^="a list such as"]`, &value),
	))
	assert.Equal(t, "10,5000", value)
	list, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, list.Items)
}

func TestConsoleWithoutTheService(t *testing.T) {
	t.Parallel()
	r := startRig(t, startWorld(t))
	b := openConsole(t, r)
	require.NoError(t, b.Run(browser.Shows("Live")))
	r.server.CloseClientConnections()
	r.server.Close()
	require.NoError(t, b.Run(browser.Shows("No word from the service")))
	b.Complaints = nil // the browser rightly complains that it cannot connect
}

func TestNewHostKeyByConsole(t *testing.T) {
	t.Parallel()
	r := startRig(t, startWorld(t))
	b := openConsole(t, r)
	require.NoError(t, r.world.Throw(standin.NewHostKey, "th-sw-02"))
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/th-sw-02"),
		browser.Press("Look at its host key"),
		browser.Shows("Shown now"),
		browser.Press("I know why the key is another one"),
		inDialog("Pin this key"),
		browser.Shows("The key of th-sw-02 is pinned."),
		browser.Shows("connected"),
	))
}

func TestConsoleSurvivesARestartOfTheService(t *testing.T) {
	t.Parallel()
	p := startProcess(t, startWorld(t))
	b := newBrowser(t)
	require.NoError(t, b.Run(browser.SignIn(p.Base, "ada", password), browser.Shows("All 5 devices are in hand"), browser.Shows("Live")))
	p.kill()
	// A page that was not loaded yet, asked for while nobody can give it, comes with the service.
	require.NoError(t, b.Run(browser.Shows("No word from the service"), browser.Press("Clients"), browser.Until(`location.pathname === "/clients"`), browser.Shows("No word from the service")))
	p.start()
	require.NoError(t, b.Run(
		browser.Until(`!document.body.innerText.includes("No word from the service")`),
		browser.Shows("Live"),
		browser.Shows("th-sw-01:1/1/10"),
	))
}

func TestWrongPasswordIsSaid(t *testing.T) {
	t.Parallel()
	r := startRig(t, startWorld(t))
	b := newBrowser(t)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base),
		browser.Type(`input[autocomplete=username]`, "ada"),
		browser.Type(`input[type=password]`, "not the one at all"),
		chromedp.Click(`button[type=submit]`),
		browser.Shows("The user name or the password is wrong"),
	))
}

func TestViewerIsOfferedNothingThatHeMayNotDo(t *testing.T) {
	t.Parallel()
	r := startRig(t, startWorld(t))
	r.as(t, "isla", "viewer")
	b := newBrowser(t)
	require.NoError(t, b.Run(
		browser.SignIn(r.Base, "isla", password),
		chromedp.Navigate(r.Base+"/devices"), browser.Shows("th-sw-02"),
	))
	assert.NotContains(t, b.Text(), "Enrol a device")
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/th-sw-02?sel=1%2F1%2F7"),
		browser.Shows("You may look at this port, not change it"),
	))
}

// TestNothingSeriousForAxe looks at every page with axe, in both themes.
func TestNothingSeriousForAxe(t *testing.T) {
	t.Parallel()
	axe, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	if err != nil && os.Getenv("CI") == "" {
		t.Skip("axe-core is not installed: make build")
	}
	require.NoError(t, err)
	r := startRig(t, startWorld(t))
	require.NoError(t, r.world.Throw(standin.Cut, "th-sw-02:1/1/14"))
	r.cameras(t, map[string]string{"poe-priority": "critical"})
	require.NoError(t, r.world.Throw(standin.Tinker, "th-sw-02:1/1/7"))
	c := r.draft(t, [3]string{"th-sw-02:1/1/25", "trunk-vlans", "20,30"})
	b := openConsole(t, r)
	stranger := newBrowser(t)
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
		"scope, wrong":  {chromedp.Navigate(r.Base + "/devices"), browser.Shows("th-fw-01"), browser.Type(scopeLine, "knd = switch"), browser.Shows("did you mean `kind`?")},
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
	look := func(b *browser.Browser, name string, actions ...chromedp.Action) {
		var found []string
		require.NoError(t, b.Run(append(actions, chromedp.Evaluate(string(axe)+"; true", nil),
			chromedp.Evaluate(`axe.run().then(r => r.violations.filter(v => v.impact === "serious" || v.impact === "critical")
				.map(v => v.id + ": " + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160) + " " + (n.any[0]?.message ?? "")).join(" | ")))`, &found, awaitPromise))...))
		assert.Empty(t, found, name)
	}
	for _, theme := range []string{"light", "dark"} {
		look(stranger, "sign-in, "+theme, chromedp.Navigate(r.Base), browser.Until("document.querySelector(`input[type=password]`)"), browser.Theme(theme))
		require.NoError(t, b.Run(browser.Theme(theme)))
		for name, actions := range pages {
			look(b, name+", "+theme, actions...)
		}
	}
}

func awaitPromise(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }

func TestEndedSessionAsksForSigningInAtTheSamePlace(t *testing.T) {
	t.Parallel()
	r := startRig(t, startWorld(t))
	b := openConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/th-sw-02"), browser.Shows("H24P"),
		network.ClearBrowserCookies(),
		browser.Until("document.querySelector(`input[type=password]`)"),
		browser.Type(`input[autocomplete=username]`, "ada"),
		browser.Type(`input[type=password]`, password),
		chromedp.Click(`button[type=submit]`),
		browser.Shows("H24P"),
	))
	b.Complaints = nil // the browser tells of the refused request
}
