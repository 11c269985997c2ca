package setup_test

import (
	"context"
	"net/http"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/driver/netconf"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// startPages starts Tern Haven with the devices' own pages.
func startPages(t *testing.T) *rig.Rig {
	t.Helper()
	w, err := standin.New(standin.TernHaven(), standin.Options{User: rig.DeviceUser, Password: rig.DevicePassword, PagePort: -1})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	return rig.Start(t, w)
}

// answers tells whether a page is there.
func answers(t testing.TB, address string) bool {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 2*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	require.NoError(t, err)
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return false
	}
	_ = resp.Body.Close()
	return resp.StatusCode == http.StatusOK
}

func TestAServiceIsSwitchedOffOnTrialAndKept(t *testing.T) {
	t.Parallel()
	r := startPages(t)
	d, err := r.Device(t.Context(), "th-sw-02")
	require.NoError(t, err)
	require.NotEmpty(t, d.OwnPage)
	require.True(t, answers(t, d.OwnPage), "the device's own page is where the device says")

	c := rig.SignedIn(t, r)
	assert.Contains(t, c.Good("device", "set", "th-sw-02", "service.web=off").Out, "service.web  on      off")
	c.Good("change", "check", "1")
	c.Good("change", "push", "1", "--trial", "30s")
	assert.False(t, answers(t, d.OwnPage), "it runs on trial")
	c.Good("change", "undo", "1")
	assert.True(t, answers(t, d.OwnPage))

	ch := r.Draft(t, [3]string{"th-sw-02", "service.web", "off"}, [3]string{"th-sw-02:1/1/7", "description", "printer"})
	_, err = r.Push(t.Context(), ch.Number, ch.Revision, v1.PushRequest{TrialSeconds: 30})
	require.NoError(t, err)
	r.Until(t, ch.Number, "on-trial")
	_, err = r.Keep(t.Context(), ch.Number)
	require.NoError(t, err)
	r.Until(t, ch.Number, "kept")
	assert.False(t, answers(t, d.OwnPage))
	require.Eventually(t, func() bool {
		d, err := r.Device(t.Context(), "th-sw-02")
		require.NoError(t, err)
		for _, s := range d.Inside.Services {
			if s.Name == "web" {
				return !s.Enabled && !s.Running && d.OwnPage == ""
			}
		}
		return false
	}, rig.WaitLong, rig.WaitStep, "and is shown so")
	assert.Contains(t, c.Good("device", "show", "th-sw-02").Out, "switched off")
}

func TestServicesThatCannotBeSwitched(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	ch := r.Draft(t, [3]string{"th-sw-02", "service.netconf", "off"})
	require.Len(t, ch.Findings, 1)
	assert.Equal(t, "stop", ch.Findings[0].Level)
	assert.Equal(t, []v1.Edit{{Port: "th-sw-02", Field: "service.netconf", Value: "on"}}, ch.Findings[0].Fix)
	_, err := r.Push(t.Context(), ch.Number, ch.Revision, v1.PushRequest{})
	assert.Error(t, err)
	for what, e := range map[string]v1.Edit{
		"has no service fax: there are netconf, terminal, web": {Port: "th-sw-02", Field: "service.fax", Value: "off"},
		"neither on nor off":            {Port: "th-sw-02", Field: "service.web", Value: "perhaps"},
		"it is set on a port or bundle": {Port: "th-sw-02", Field: "vlan", Value: "40"},
		"it is set on a device":         {Port: "th-sw-02:1/1/7", Field: "service.web", Value: "off"},
		"device th-sw-99: not found":    {Port: "th-sw-99", Field: "service.web", Value: "off"},
	} {
		_, err := r.MakeChange(t.Context(), v1.ChangeRequest{Edits: []v1.Edit{e}})
		assert.ErrorContains(t, err, what)
	}
	coral := r.As(t, "coral", "technician")
	_, err = coral.MakeChange(t.Context(), v1.ChangeRequest{Edits: []v1.Edit{{Port: "th-sw-02", Field: "service.web", Value: "off"}}})
	assert.ErrorContains(t, err, "right to change devices")
}

// switchWeb is the button by which the service web is switched off. Its name is in it, and not to be seen.
const switchWeb = `[...document.querySelectorAll("button")].find(b => b.textContent === "Switch web off" && !b.disabled)`

func TestAServiceIsSwitchedInTheConsole(t *testing.T) {
	t.Parallel()
	r := startPages(t)
	b := rig.OpenConsole(t, r)
	assert.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/th-sw-02?tab=services"),
		browser.Until(switchWeb), chromedp.Evaluate("("+switchWeb+").click()", nil),
		browser.Shows("off in draft 1"),
		browser.Shows("service.web"),
		chromedp.Navigate(r.Base+"/devices/th-fw-01?tab=services"),
		browser.Shows("threat signatures"), browser.Shows("days left"),
		browser.Until(`document.querySelector('a[target=_blank]')?.href.startsWith("http://127.")`),
	))
}

// routed reads what is inside a device of a world, by the driver alone.
func routed(t *testing.T, w *standin.World, device string) network.Inside {
	t.Helper()
	c := netconf.Connector{}
	key, err := c.HostKey(t.Context(), w.Address(device))
	require.NoError(t, err)
	s, err := c.Connect(t.Context(), driver.Target{Address: w.Address(device), User: rig.DeviceUser, Password: rig.DevicePassword, HostKey: key})
	require.NoError(t, err)
	defer func() { _ = s.Close() }()
	in, err := s.(driver.Inspector).Inspect(t.Context())
	require.NoError(t, err)
	return in
}

func TestRoutesFollowTheTunnels(t *testing.T) {
	t.Parallel()
	w, err := standin.New(standin.LanternSound(), standin.Options{User: rig.DeviceUser, Password: rig.DevicePassword})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	routes := func(in network.Inside, vrf, origin string) map[string]network.Route {
		out := map[string]network.Route{}
		for _, v := range in.VRFs {
			for _, r := range v.Routes {
				if v.Name == vrf && r.Origin == origin {
					out[r.Prefix] = r
				}
			}
		}
		return out
	}
	in := routed(t, w, "th-edge-01")
	assert.Len(t, routes(in, "default", "bgp"), 12, "one to each of the other sites, and to what is behind the routers of two of them")
	assert.Len(t, routes(in, "default", "connected"), 9, "one for each VLAN that is in no segment")
	assert.Len(t, routes(in, "cranes", "connected"), 1)
	assert.Len(t, routes(in, "cranes", "bgp"), 10, "what is in it at each of the other sites")
	assert.Equal(t, "wan1", routes(in, "underlay", "static")["0.0.0.0/0"].Interface)
	bgp := in.VRFs[0].BGP
	require.NotNil(t, bgp)
	require.Len(t, bgp.Neighbours, 2)
	for _, n := range bgp.Neighbours {
		assert.Equal(t, "established", n.State)
		assert.Equal(t, uint32(64513), n.AS)
		assert.Equal(t, 10, n.Received)
		assert.NotZero(t, n.Since)
	}
	var oyster string
	for prefix, r := range routes(in, "default", "bgp") {
		if r.Prefix == "10.3.0.0/16" {
			oyster = prefix
		}
	}
	require.NotEmpty(t, oyster)
	assert.Empty(t, in.Troubles())

	require.NoError(t, w.Throw(standin.Cut, "th-edge-01:wan1")) // the standby takes over
	in = routed(t, w, "th-edge-01")
	assert.Equal(t, "established", in.VRFs[0].BGP.Neighbours[0].State)
	assert.Equal(t, "cell0", routes(in, "underlay", "static")["0.0.0.0/0"].Interface)
	assert.Contains(t, routes(in, "default", "bgp")[oyster].Interface, "cellular")

	require.NoError(t, w.Throw(standin.PowerLoss, "ol-edge-01")) // its site is gone from all tables
	assert.NotContains(t, routes(routed(t, w, "th-edge-01"), "default", "bgp"), oyster)
	hub := routed(t, w, "hh-edge-01")
	down := 0
	for _, n := range hub.VRFs[0].BGP.Neighbours {
		if n.State != "established" {
			down++
			assert.Equal(t, "ol-edge-01", n.Description)
		}
	}
	assert.Equal(t, 1, down)
}
