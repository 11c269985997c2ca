package people_test

import (
	"encoding/json"
	"net/http"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// An administrator makes a role out of a ready one and a person who has it, tries the role, and that person sees and may
// do what it says.
func TestRoleByConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/people?tab=roles&role=manager"), browser.Shows("What the rules come to"),
		browser.Press("Make one like it"), browser.Shows("Another rule"),
		browser.TypeInto("Name", "harbour-watch"),
		browser.Press("Make the role"), browser.Shows("harbour-watch: like manager"),
		chromedp.Navigate(r.Base+"/people"), browser.Press("Make a user"), browser.Shows("Somebody who may sign in"),
		browser.TypeInto("Full name", "Wren Shoal"), browser.TypeInto("Signs in as", "wren"), browser.TypeInto("Only where", "name = th-sw-02"), browser.TypeInto("Password", rig.Password),
		browser.Choose("Role", "harbour-watch"),
		browser.Press("Make the user"), rig.NoDialog, browser.Shows("Wren Shoal"),
		chromedp.Navigate(r.Base+"/people?tab=roles&role=harbour-watch"), browser.Shows("Try this role"),
		browser.Press("Try this role"), browser.Shows("Nothing is done until you stop"),
	))
	assert.NotContains(t, b.Text(), "People", "what the role may not see is not offered")
	require.NoError(t, b.Run(browser.Press("Stop trying"), browser.Shows("People")))

	wren := rig.NewBrowser(t)
	require.NoError(t, wren.Run(browser.SignIn(r.Base, "wren", rig.Password), chromedp.Navigate(r.Base+"/devices"), browser.Shows("H24P")))
	assert.NotContains(t, wren.Text(), "th-sw-01")
	assert.Contains(t, wren.Text(), "1 device")
	require.NoError(t, wren.Run(chromedp.Navigate(r.Base+"/devices/th-sw-02"), browser.Shows("H24P")))
	assert.NotContains(t, wren.Text(), "Configuration")
	require.NoError(t, wren.Run(chromedp.Navigate(r.Base+"/people"), browser.Shows("This is not for your role")))
}

func TestClaimByConsole(t *testing.T) {
	t.Parallel()
	r := rig.StartWharf(t)
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/expected"), browser.Shows("No device is expected"),
		browser.TypeInto("Comma-separated lines, or a table pasted from a sheet", "serial,name,site,like\nHY24-70001,th-sw-09,tern-haven,th-sw-02\nbad serial,x,tern-haven,"),
		browser.Press("Claim 2 devices"), browser.Shows("1 of 2 are claimed"), browser.Shows("is no serial number"), browser.Shows("not heard of yet"),
	))
	var left string
	require.NoError(t, b.Run(chromedp.Value("textarea", &left)))
	assert.Equal(t, "serial,name,site,like\nbad serial,x,tern-haven,", left, "what was refused stays to be mended")
	require.NoError(t, r.World.Throw(standin.Unpack, rig.NewSwitch))
	require.NoError(t, b.Run(
		browser.Shows("No device is expected"),
		chromedp.Navigate(r.Base+"/devices"), browser.Shows("th-sw-09"),
	))
}

func TestMapAndGroupsByConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/map"), browser.Shows("5 devices"),
		chromedp.Navigate(r.Base+"/map?site=tern-haven"),
		browser.Until("document.querySelectorAll(`.react-flow__node`).length === 5 && document.querySelectorAll(`.react-flow__edge`).length === 4"),
		chromedp.Click(`.react-flow__node[data-id="th-sw-02"]`), browser.Shows("Open the device"),
		chromedp.Navigate(r.Base+"/devices?scope=kind+%3D+switch"), browser.Shows("2 of 5 devices"),
		chromedp.Click(`[aria-label="Saved scopes"]`), browser.Shows("Give this scope a name"),
		chromedp.Click(`//div[@role="menuitem"][contains(., "Give this scope a name")]`, chromedp.BySearch), browser.Shows("A group is a word of selectors"),
		browser.TypeInto("Name", "switches"), browser.Shows("It picks 2 devices now"), browser.Press("Make it"), rig.NoDialog,
		chromedp.Navigate(r.Base+"/groups"), browser.Shows("kind = switch"), browser.Shows("2 devices"),
	))
	groups, err := r.Groups(t.Context())
	require.NoError(t, err)
	require.Len(t, groups.Items, 1)
	assert.Equal(t, v1.GroupRequest{Pick: "kind = switch"}, groups.Items[0].GroupRequest)
}

// Everybody sees what he may do, also who may not see people.
func TestOwnRightsByConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	r.As(t, "isla", "manager")
	b := rig.NewBrowser(t)
	require.NoError(t, b.Run(browser.SignIn(r.Base, "isla", rig.Password), browser.Press("isla · manager"),
		browser.Shows("What you may do as manager"), browser.Shows("configuration"),
		browser.TypeInto("Old", rig.Password), browser.TypeInto("New", "gulls at the ferry rail"), browser.Press("Change it"), browser.Shows("Your password is changed"),
	))
	assert.NotContains(t, b.Text(), "People")
}

// Who is signed in with two browsers ends one from the other; and by the command line both.
func TestSessionsAreEndedFromElsewhere(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	one, two := rig.NewBrowser(t), rig.NewBrowser(t)
	for _, b := range []*browser.Browser{one, two} {
		require.NoError(t, b.Run(browser.SignIn(r.Base, "ada", rig.Password), browser.Shows("Tern Haven terminal")))
	}
	require.NoError(t, one.Run(chromedp.Navigate(r.Base+"/own"), browser.Shows("This browser"), browser.Press("End it"),
		browser.Until(`![...document.querySelectorAll("button")].some(b => b.innerText === "End it")`)))
	require.NoError(t, two.Run(chromedp.Navigate(r.Base+"/devices"), browser.Until(`document.querySelector("input[autocomplete=username]")`)))
	require.NoError(t, one.Run(chromedp.Navigate(r.Base+"/devices"), browser.Shows("th-fw-01")))

	c := rig.SignedIn(t, r)
	var list v1.List[v1.Session]
	require.NoError(t, json.Unmarshal([]byte(c.Good("sessions", "-o", "json").Out), &list))
	require.Len(t, list.Items, 1)
	assert.Equal(t, 2, c.Run("", "session", "end", "the last").Code)
	assert.Equal(t, 3, c.Run("", "session", "end", "0123456789abcdef").Code)
	wren := r.As(t, "wren", "viewer")
	rig.Problem(t, wren.EndSession(t.Context(), list.Items[0].ID), http.StatusNotFound, v1.ProblemNotFound, "session")
	c.Good("session", "end", list.Items[0].ID)
	assert.Contains(t, c.Good("sessions").Err, "not signed in with any browser")
	require.NoError(t, one.Run(chromedp.Navigate(r.Base+"/devices"), browser.Until(`document.querySelector("input[autocomplete=username]")`)))
	assert.Len(t, r.Audited(t, "end-session"), 4)
}
