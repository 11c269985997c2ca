package browse_test

import (
	"strings"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

func TestScopeLine(t *testing.T) {
	t.Parallel()
	r := rig.Shared(t)
	b := rig.OpenConsole(t, r)
	var address, offered string
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices"), browser.Shows("th-fw-01"),
		browser.Type(rig.ScopeLine, "ki"),
		browser.Until(`document.querySelector("[role=option]")?.innerText.includes("kind")`),
		chromedp.Evaluate(`document.querySelector("[role=listbox]").innerText`, &offered),
		browser.Type(rig.ScopeLine, "\t= sw"), // Tab takes what is offered
		browser.Until(`document.querySelector('`+rig.ScopeLine+`').value === "kind = sw"`),
		browser.Shows("did you mean `switch`?"),
		browser.Until(`!location.search.includes("sw")`), // what cannot be read does not come into force
		browser.Type(rig.ScopeLine, "itch"),
		rig.Rows("2"),
		browser.Shows("2 of 5 devices"),
		chromedp.Location(&address),
	))
	assert.Contains(t, offered, "what the device is for")
	assert.Contains(t, address, "scope=kind+%3D+switch", "a link shows the same again")
	require.NoError(t, b.Run(
		browser.Press("Ports"), // it stays from area to area
		browser.Shows("80 of 99 ports"),
		chromedp.Reload(),
		browser.Shows("80 of 99 ports"),
		browser.Press("clear"),
		browser.Shows("99 ports"),
	))
}

func TestTableIsGroupedAndItsColumnsAreKept(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices?group=kind"),
		browser.Shows("access-point"),
		rig.Rows("9"), // four kinds and five devices
		browser.Press("Close all"),
		rig.Rows("4"),
		browser.Press("Columns"),
		browser.Until(`document.querySelector("[role=dialog] label")`),
		chromedp.Evaluate(`[...document.querySelectorAll("[role=dialog] label")].find(l => l.innerText.trim() === "Serial").querySelector("input").click()`, nil),
		rig.InDialog("Done"), rig.NoDialog,
		browser.Until(`![...document.querySelectorAll("th")].some(h => h.innerText === "Serial")`),
	))
	require.Eventually(t, func() bool { // it shows before it is kept
		prefs, err := r.Service.Store.Preferences(t.Context(), "ada")
		return err == nil && strings.Contains(prefs["table.devices"], "model") && !strings.Contains(prefs["table.devices"], "serial")
	}, rig.WaitLong, rig.WaitStep)
	require.NoError(t, b.Run(
		chromedp.Reload(),
		rig.Rows("4"),
		browser.Until(`document.querySelector("th") && ![...document.querySelectorAll("th")].some(h => h.innerText === "Serial")`),
	))
}

func TestRangeOfPortsIsSelected(t *testing.T) {
	t.Parallel()
	r := rig.Shared(t)
	b := rig.OpenConsole(t, r)
	pick := func(row, keys string) chromedp.Action {
		return browser.On(`document.querySelector('tr[aria-rowindex="`+row+`"]')`, `e.dispatchEvent(new MouseEvent("click", {bubbles: true, `+keys+`}))`)
	}
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/ports?scope="+`name+%3D+th-sw-02`), browser.Shows("28 of 99 ports"),
		browser.Until(`document.querySelectorAll("tbody a").length > 10`),
		pick("2", ""),
		browser.Until(`document.querySelectorAll('tr[aria-selected=true]').length === 1`),
		pick("8", "shiftKey: true"),
		browser.Until(`document.querySelectorAll('tr[aria-selected=true]').length === 7`),
		browser.Shows("7 ports"),
	))
}

// Without a mouse: rows are reached by Tab and the arrow keys, and picked by Enter and Space, a range with Shift.
func TestRowsArePickedByKeyboard(t *testing.T) {
	t.Parallel()
	r := rig.Shared(t)
	b := rig.OpenConsole(t, r)
	on := func(row string) chromedp.Action {
		return browser.Until(`document.activeElement?.getAttribute("aria-rowindex") === "` + row + `"`)
	}
	picked := func(n string) chromedp.Action {
		return browser.Until(`document.querySelectorAll('tr[aria-selected=true]').length === ` + n)
	}
	var row string
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/ports?scope="+`name+%3D+th-sw-02`), browser.Shows("28 of 99 ports"),
		browser.Until(`document.querySelectorAll("tbody a").length > 10`),
		chromedp.Evaluate(`document.querySelector('tr[aria-rowindex="2"]').focus(); true`, nil), on("2"),
		chromedp.KeyEvent(kb.Enter), picked("1"),
		chromedp.KeyEvent(kb.ArrowDown), on("3"), chromedp.KeyEvent(kb.ArrowDown), on("4"),
		chromedp.KeyEvent(" ", chromedp.KeyModifiers(input.ModifierShift)), picked("3"),
		browser.Shows("3 ports"),
		chromedp.KeyEvent(kb.ArrowUp), on("3"),
		chromedp.KeyEvent(kb.Enter, chromedp.KeyModifiers(input.ModifierCtrl)), picked("2"), // one is taken out of them
		chromedp.KeyEvent(kb.Enter), picked("1"),
		chromedp.Evaluate(`document.activeElement.innerText`, &row),
		browser.Shows("Put into a new draft"),
	))
	assert.Contains(t, row, "1/1/2")
}

// The form of a single port shows what it is set to, to be edited; that of several says what they have in common. The window
// says what is on show.
func TestAFormForOneThingShowsItsValues(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
	value := func(label string) string {
		return `document.getElementById([...document.querySelectorAll("label")].find(l => l.innerText.trim().startsWith("` + label + `"))?.htmlFor)?.value`
	}
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/ports?sel=th-sw-02:1%2F1%2F7"),
		browser.Until(value("Description")+` === "Ticket office printer"`), browser.Until(value("VLAN (access)")+` === "20"`),
		browser.Until(`document.title === "th-sw-02:1/1/7 · Ports · Every Post"`),
		browser.Until(`[...document.querySelectorAll("button")].find(b => b.innerText.includes("Put into a new draft")).disabled`), // nothing differs yet
		browser.Choose("VLAN (access)", "40"),
		browser.Press("Put into a new draft"), browser.Shows("Change 1"),
		chromedp.Navigate(r.Base+"/devices/th-sw-02"), browser.Until(`document.title === "th-sw-02 · Every Post"`),
		chromedp.Navigate(r.Base+"/ports?sel=th-sw-02:1%2F1%2F7,th-sw-02:1%2F1%2F14"), browser.Shows("mixed: Ticket counter 1 (1), Ticket office printer (1)"),
	))
	c, err := r.Change(t.Context(), 1)
	require.NoError(t, err)
	require.Len(t, c.Edits, 1, "what was not touched is no edit")
	assert.Equal(t, v1.Edit{Port: "th-sw-02:1/1/7", Field: "vlan", Value: "40"}, c.Edits[0])
}

func TestSitesAndParticularsByConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		browser.Press("Sites"),
		browser.Press("Make a site"),
		browser.TypeInto("Title", "Quay annex"), browser.TypeInto("Code", "QA"), browser.TypeInto("Position", "here"),
		rig.InDialog("Make it"),
		browser.Shows("The position is latitude and longitude"), // and nothing typed is lost
		browser.Choose("Position", "56.4, -5.6"),
		rig.InDialog("Make it"),
		browser.Shows("How do its first devices come?"), rig.InDialog("Later"),
		rig.NoDialog, browser.Shows("quay-annex"),
		browser.Press("Quay annex"),
		rig.InDialog("Remove or merge…"),
		rig.InDialog("Remove Quay annex"),
		rig.NoDialog, browser.Until(`!document.body.innerText.includes("quay-annex")`),

		chromedp.Navigate(r.Base+"/devices/th-sw-02?tab=particulars"),
		browser.Press("Edit"),
		browser.TypeInto("Rack", "R2"), browser.TypeInto("Tags", "critical spare"),
		rig.InDialog("Keep"),
		rig.NoDialog, browser.Shows("rack R2"),
		browser.Shows("critical, spare"),
		browser.Press("Retire…"),
		rig.InDialog("Retire th-sw-02"), rig.NoDialog,
		browser.Shows("This device is retired"),
		browser.Press("Take into service again"),
		browser.Shows("connected"),
	))
	sites, err := r.Sites(t.Context(), client.Query{})
	require.NoError(t, err)
	assert.Len(t, sites.Items, 1)
}

func TestClientsByConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
	var mac string
	for m, at := range r.World.Stations() {
		if at == rig.Printer {
			mac = m
		}
	}
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/clients?scope=port+%3D+1%2F1%2F7+and+name+%3D+th-sw-02"),
		browser.Shows(mac),
		chromedp.Evaluate(`document.querySelector('[aria-label="Name `+mac+`"]').click()`, nil),
		browser.Type(`[role=dialog] input`, "Ticket printer"),
		rig.InDialog("Keep"),
		browser.Until(`!document.querySelector("[role=dialog]") && document.body.innerText.includes("Ticket printer")`),
	))
}
