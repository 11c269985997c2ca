package console_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"sync"
	"testing"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

func TestStoryByConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
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
		rig.InDialog("Push"),
		browser.Shows("Every device was read back and runs the change"),
	))
	vlan, poe := r.Runs(rig.Printer)
	assert.Equal(t, []string{"40", "false"}, []string{vlan, poe})
	require.NoError(t, b.Run(
		chromedp.Reload(), // the trial outlives a reload of the page
		browser.Press("Keep it"),
		browser.Shows("It runs for good on th-sw-02."),
	))
	assert.False(t, r.World.TrialOpen("th-sw-02"))

	require.NoError(t, r.World.Throw(standin.Cut, "th-sw-02:1/1/14"))
	require.NoError(t, b.Run(
		browser.Until(`document.querySelector('button[aria-label^="Port 1/1/14, down"]')`),
		chromedp.Navigate(r.Base+"/watch"),
		browser.Shows("lost its link — Ticket counter 1"),
	))
}

func TestRefusedInputStaysInTheForm(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
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
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(browser.Shows("Live")))
	r.Server.CloseClientConnections()
	r.Server.Close()
	require.NoError(t, b.Run(browser.Shows("No word from the service")))
	b.Complaints = nil // the browser rightly complains that it cannot connect
}

func TestNewHostKeyByConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
	require.NoError(t, r.World.Throw(standin.NewHostKey, "th-sw-02"))
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/th-sw-02"),
		browser.Press("Look at its host key"),
		browser.Shows("Shown now"),
		browser.Press("I know why the key is another one"),
		rig.InDialog("Pin this key"),
		browser.Shows("The key of th-sw-02 is pinned."),
		browser.Shows("connected"),
	))
}

func TestConsoleSurvivesARestartOfTheService(t *testing.T) {
	t.Parallel()
	p := rig.StartProcess(t, rig.World(t))
	b := rig.NewBrowser(t)
	require.NoError(t, b.Run(browser.SignIn(p.Base, "ada", rig.Password), browser.Shows("All 5 devices are in hand"), browser.Shows("Live")))
	p.Kill()
	// A page that was not loaded yet, asked for while nobody can give it, comes with the service.
	require.NoError(t, b.Run(browser.Shows("No word from the service"), browser.Press("Clients"), browser.Until(`location.pathname === "/clients"`), browser.Shows("No word from the service")))
	p.Start()
	require.NoError(t, b.Run(
		browser.Until(`!document.body.innerText.includes("No word from the service")`),
		browser.Shows("Live"),
		browser.Shows("th-sw-01:1/1/10"),
	))
}

func TestWrongPasswordIsSaid(t *testing.T) {
	t.Parallel()
	r := rig.Shared(t)
	b := rig.NewBrowser(t)
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
	r := rig.Start(t, rig.World(t))
	r.As(t, "isla", "viewer")
	b := rig.NewBrowser(t)
	require.NoError(t, b.Run(
		browser.SignIn(r.Base, "isla", rig.Password),
		chromedp.Navigate(r.Base+"/devices"), browser.Shows("th-sw-02"),
	))
	assert.NotContains(t, b.Text(), "Enrol a device")
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/th-sw-02?sel=1%2F1%2F7"),
		browser.Shows("You may look at this port, not change it"),
	))
}

func TestEndedSessionAsksForSigningInAtTheSamePlace(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/th-sw-02"), browser.Shows("H24P"),
		network.ClearBrowserCookies(),
		browser.Until("document.querySelector(`input[type=password]`)"),
		browser.Type(`input[autocomplete=username]`, "ada"),
		browser.Type(`input[type=password]`, rig.Password),
		chromedp.Click(`button[type=submit]`),
		browser.Shows("H24P"),
	))
	b.Complaints = nil // the browser tells of the refused request
}

// What happens while a page is read for the first time is shown all the same, though the answer is from before.
func TestWhatHappensDuringTheFirstReadingIsShown(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	target, err := url.Parse(r.Base)
	require.NoError(t, err)
	asked, release := make(chan struct{}), make(chan struct{})
	var first sync.Once
	proxy := &httputil.ReverseProxy{FlushInterval: -1, Rewrite: func(p *httputil.ProxyRequest) {
		p.SetURL(target)
		p.Out.Host = p.In.Host
	}, ModifyResponse: func(resp *http.Response) error {
		if resp.Request.URL.Path == "/api/v1/devices/th-sw-02" {
			first.Do(func() { // the answer is there, and is slow to come
				close(asked)
				<-release
			})
		}
		return nil
	}}
	slow := httptest.NewServer(proxy)
	t.Cleanup(slow.Close)
	t.Cleanup(slow.CloseClientConnections)
	b := rig.NewBrowser(t)
	require.NoError(t, b.Run(browser.SignIn(slow.URL, "ada", rig.Password), browser.Shows("Tern Haven terminal"), chromedp.Navigate(slow.URL+"/devices/th-sw-02")))
	<-asked
	require.NoError(t, b.Run(browser.Shows("Live")))
	require.NoError(t, r.World.Throw(standin.NewHostKey, "th-sw-02"))
	require.Eventually(t, func() bool {
		d, err := r.Device(t.Context(), "th-sw-02")
		return err == nil && d.Reach == "refused"
	}, rig.WaitLong, rig.WaitStep)
	// The page heard of it when it hears of what happens after it: it reads the devices anew.
	var since float64
	require.NoError(t, b.Run(chromedp.Evaluate(`performance.now()`, &since)))
	require.NoError(t, r.World.Throw(standin.Cut, "th-sw-01:1/1/10"))
	require.NoError(t, b.Run(browser.Until(fmt.Sprintf(`performance.getEntriesByType("resource").some(e => e.startTime > %f && e.name.includes("/api/v1/devices?"))`, since))))
	close(release)
	require.NoError(t, b.Run(browser.Shows("Look at its host key")))
}
