package guests_test

import (
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// The page as a phone shows it: nothing serious for axe, in each way; what is typed goes through, and the page goes on by itself once somebody lets him in.
func TestThePageOnAPhone(t *testing.T) {
	t.Parallel()
	axe, err := os.ReadFile("../../web/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	look := v1.PortalLook{Terms: terms, Accent: "#ffd54a", Ground: "#12202e"}
	r := start(t, v1.GuestPortalRequest{Title: "Landing", Way: "voucher", Look: look})
	b := rig.NewBrowser(t)
	clean := func(state string) {
		t.Helper()
		var found string
		require.NoError(t, b.Run(chromedp.Evaluate(string(axe), nil), chromedp.Evaluate(`axe.run().then(r => JSON.stringify(r.violations.map(v => v.id + ": " + v.nodes.map(n => n.target.join(" ")).join(", "))))`, &found,
			func(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) })), state)
		assert.Equal(t, "[]", found, state)
	}
	there := r.Guests.URL + "/landing?" + passOf(t, phone(r, first)).Encode()
	fits := browser.Until(`document.documentElement.scrollWidth <= innerWidth`)
	require.NoError(t, b.Run(emulation.SetDeviceMetricsOverride(360, 640, 1, true), chromedp.Navigate(there), browser.Shows("Code of your voucher"), fits))
	clean("voucher")
	require.NoError(t, b.Run(browser.Type("#code", "aaaa-aaaa"), browser.On(`document.querySelector("[name=agreed]")`, "e.click()"), browser.Press("Go on"), browser.Shows("There is no voucher with that code."),
		browser.Until(`document.querySelector("#code").value === "aaaa-aaaa" && document.querySelector("[name=agreed]").checked`)))
	clean("a mistake")
	_, err = r.PutGuestPortal(t.Context(), "landing", v1.GuestPortalRequest{Title: "Landing", Way: "host", Look: look})
	require.NoError(t, err)
	require.NoError(t, b.Run(chromedp.Navigate(there), browser.Shows("Whom you visit"), fits))
	clean("host")
	require.NoError(t, b.Run(browser.Type("#name", "Alma Teal"), browser.Type("#host", "Coral Finch"), browser.On(`document.querySelector("[name=agreed]")`, "e.click()"), browser.Press("Ask to be let in"), browser.Shows("We asked for you.")))
	clean("waiting")
	list, err := r.Client.Guests(t.Context(), client.GuestQuery{State: "waiting"})
	require.NoError(t, err)
	_, err = r.DecideGuest(t.Context(), list.Items[0].Number, v1.GuestVerdict{Act: "let-in"})
	require.NoError(t, err)
	require.NoError(t, b.Run(browser.Shows("You are let in until ")))
	clean("in")
	assert.False(t, phone(r, first).Held())
	assert.Empty(t, b.Complaints)
}

// A portal is made beside its preview, put before a network, and guests are let in, turned away and dismissed in the console; vouchers are shown once.
func TestGuestsByConsole(t *testing.T) {
	t.Parallel()
	r := start(t, v1.GuestPortalRequest{Title: "Landing", Way: "host"})
	p := phone(r, first)
	_, err := p.Submit(t.Context(), opens(t, p), map[string]string{"name": "Alma Teal", "host": "Coral Finch"})
	require.NoError(t, err)
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(chromedp.Navigate(r.Base+"/guests"), browser.Shows("Who came (1 waiting)"), browser.Shows("Alma Teal"), browser.Press("Let in"), browser.Shows("is in")))
	require.Eventually(t, func() bool { return !p.Held() }, rig.WaitLong, rig.WaitStep)
	require.NoError(t, b.Run(browser.Press("End"), browser.Shows("ended by ada")))
	require.Eventually(t, p.Held, rig.WaitLong, rig.WaitStep)
	_, err = p.Submit(t.Context(), opens(t, p), map[string]string{"name": "Alma Teal", "host": "Nobody"})
	require.NoError(t, err)
	require.NoError(t, b.Run(browser.Shows("Who came (1 waiting)"), browser.Press("Turn away…"), browser.Shows("Turn Alma Teal away?"), browser.TypeInto("Why", "Nobody of that name works here."), rig.InDialog("Turn away"), rig.NoDialog, browser.Shows("turned away")))
	assert.Contains(t, opens(t, p).Text, "You were not let in: Nobody of that name works here.")

	frame := func(text string) chromedp.Action {
		return browser.Until(`[...document.querySelectorAll("iframe")].filter(f => f.contentDocument?.body.innerText.includes(` + quoted(text) + `)).length === 2`)
	}
	require.NoError(t, b.Run(browser.Press("Portals"), browser.Press("Make a portal"), browser.Shows("A new portal"), browser.TypeInto("Name", "press"), browser.TypeInto("Heading", "Press <i>desk</i>"), frame("Press <i>desk</i>"),
		browser.On(`document.querySelector("form select")`, `(Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(e, "voucher"), e.dispatchEvent(new Event("change", { bubbles: true })))`), frame("Code of your voucher"),
		browser.Press("Keep it"), browser.Shows("Portal press"),
		browser.Until(`[...document.querySelectorAll("iframe")].every(f => getComputedStyle(f.contentDocument.querySelector("button")).backgroundColor === "rgb(138, 28, 107)")`)))
	require.NoError(t, b.Run(browser.Press("Vouchers"), browser.Press("Make vouchers…"), browser.TypeInto("For", "the evening paper"), browser.Press("Make them"), browser.Shows("These codes are shown this once")))
	var codes string
	require.NoError(t, b.Run(chromedp.Evaluate(`document.querySelector("textarea").value`, &codes), rig.InDialog("Done"), rig.NoDialog, browser.Shows("10 vouchers of press"), browser.Shows("the evening paper")))
	assert.Len(t, strings.Fields(codes), 10)
	require.NoError(t, b.Run(browser.Press("Take back"), browser.Shows("taken back"), browser.Press("Portals"), browser.Press("landing"), browser.Shows("Portal landing"), browser.Press("Networks…"), browser.Shows("it receives passengers now"), browser.Press("Take it off, in a draft"), rig.NoDialog, browser.Shows("landing")))
	changes, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	c, err := r.Check(t.Context(), changes.Items[0].Number)
	require.NoError(t, err)
	r.PushAndKeep(t, c)
	assert.False(t, p.Held(), "nobody is sent anywhere any more")
	assert.Empty(t, b.Complaints)
}

func quoted(s string) string {
	b, _ := json.Marshal(s)
	return string(b)
}

func TestGuestsByCommand(t *testing.T) {
	t.Parallel()
	r := start(t, v1.GuestPortalRequest{Title: "Landing", Way: "host", Minutes: 120})
	p := phone(r, first)
	_, err := p.Submit(t.Context(), opens(t, p), map[string]string{"name": "Alma Teal", "host": "Coral Finch"})
	require.NoError(t, err)
	c := rig.SignedIn(t, r)
	assert.Regexp(t, `1 +waiting +Alma Teal +Coral Finch +02:a1:60:00:00:03 +landing +th-ap-01 `, c.Good("guests", "--state", "waiting").Out)
	assert.Regexp(t, `Alma Teal \(?02:a1:60:00:00:03\)? is let in until|02:a1:60:00:00:03.*is let in until`, c.Good("guest", "let-in", "1", "--minutes", "30").Err)
	assert.False(t, p.Held())
	assert.Regexp(t, `landing +Landing +are let in +2 h +passengers +1 +1 +0 `, c.Good("portals").Out)
	c.Good("guest", "end", "1")
	require.Eventually(t, p.Held, rig.WaitLong, rig.WaitStep)

	made := c.Run(terms, "portal", "set", "press", "--way", "voucher", "--minutes", "1440", "--terms-file", "-", "--accent", "#0b5d7a")
	require.Zero(t, made.Code, made.Err)
	assert.Contains(t, made.Err, "guests have a voucher, for 1 d.")
	c.Good("portal", "set", "press", "--rate", "4000")
	var portals v1.List[v1.GuestPortal]
	require.NoError(t, json.Unmarshal([]byte(c.Good("portals", "-o", "json").Out), &portals))
	assert.Equal(t, v1.GuestPortalRequest{Way: "voucher", Minutes: 1440, RateKbps: 4000, Look: v1.PortalLook{Terms: terms, Accent: "#0b5d7a"}}, portals.Items[1].GuestPortalRequest, "what is not said stays")
	assert.Len(t, strings.Fields(c.Good("voucher", "make", "press", "--count", "3", "--label", "press").Out), 3)
	assert.Regexp(t, `1 +…\w\w +unused +press +1 d +ada `, c.Good("vouchers", "press").Out)
	c.Good("voucher", "take", "press", "1")
	c.Good("portal", "carry", "landing", "--network", "passengers", "--off")
	assert.Contains(t, c.Good("changes").Out, "Receive stations of passengers no more")
	c.Good("portal", "remove", "press")

	// A station is taken off the air, and joins again.
	gone := c.Run("", "disconnect", first, "--yes")
	require.Zero(t, gone.Code, gone.Err)
	assert.Contains(t, gone.Out, first+" is off the air")
	_, err = p.Get(t.Context(), surf)
	require.Error(t, err)
	require.Eventually(t, p.Held, rig.WaitLong, rig.WaitStep)

	for says, args := range map[string][]string{
		"accent: write a colour":           {"portal", "set", "landing", "--accent", "red"},
		"asks for no vouchers":             {"voucher", "make", "landing"},
		`no access point offers "nowhere"`: {"portal", "carry", "landing", "--network", "nowhere"},
		"portal nobody: not found":         {"portal", "carry", "nobody", "--network", "passengers"},
		"1 access points send stations":    {"portal", "remove", "landing"},
		"is no number":                     {"guest", "end", "first"},
		"that is over already":             {"guest", "end", "1"},
		"guest 99: not found":              {"guest", "let-in", "99"},
		"the picture is neither PNG nor":   {"portal", "picture", "landing", "console_test.go"},
		"nobody of that address":           {"disconnect", "02:00:00:00:00:99", "--yes"},
		"station 02:4c:53:20:00:99 is not": {"disconnect", "02:4c:53:20:00:99", "--at", ap, "--yes"},
		"terms: say to what guests agree":  {"portal", "set", "bare"},
		`way: expected value`:              {"portal", "set", "landing", "--way", "bribe"},
	} {
		bad := c.Run("", args...)
		assert.NotZero(t, bad.Code, "%v", args)
		assert.Contains(t, bad.Err, says, "%v", args)
	}
}
