package discover_test

import (
	"net"
	"strings"
	"testing"

	"example.net/everypost/internal/api/client"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The work of a technician who adds a terminal's devices, by command line.
func TestDiscoveryByCommandLine(t *testing.T) {
	t.Parallel()
	r := rig.StartCompany(t)
	c := rig.SignedIn(t, r)
	c.Good("site", "set", "annex", "--title", "Quay annex", "--code", "QA", "--position", "56.4,-5.6", "--time-zone", "Etc/UTC")
	assert.Contains(t, c.Good("sites", "site.code = qa").Out, "Quay annex")
	bad := c.Run("", "site", "set", "annex", "--position", "north")
	assert.Equal(t, 2, bad.Code)
	assert.Contains(t, bad.Err, "write latitude,longitude")
	c.Good("site", "set", "annex", "--contact", "Bram Oar")
	assert.Contains(t, c.Good("sites", "annex", "-o", "json").Out, `"code": "QA"`, "what no flag names stays")

	search := c.Run(rig.DevicePassword+"\n", "discover", r.World.Address("mp-sw-01"), "--user", rig.DeviceUser, "--hops", "1")
	require.Zero(t, search.Code, search.Err)
	assert.Contains(t, search.Err, "3 devices found")
	assert.NotContains(t, search.Err, rig.DevicePassword)
	found := c.Good("found").Out
	assert.Contains(t, found, r.World.Serials()["mp-ap-01"])
	assert.Contains(t, found, "mp-sw-01, 1/1/1", "who told of it")

	no := c.Run("no\n", "accept", "mp-ap-01")
	assert.Equal(t, 3, no.Code)
	assert.Contains(t, no.Err, "SHA256:", "the key is shown before it is accepted")
	assert.Contains(t, no.Err, "nothing was accepted")
	accepted := c.Run("yes\n", "accept", "mp-ap-01", "mp-sw-01")
	require.Zero(t, accepted.Code, accepted.Err)
	assert.Equal(t, 3, c.Run("", "accept", "nobody", "--yes").Code)
	c.Good("accept", "mp-edge-01", "--dismiss")
	assert.Contains(t, c.Good("found").Err, "Nothing waits")
	r.AwaitAll(t)
	assert.Equal(t, 2, c.Run("", "accept").Code, "nothing is taken for all")

	c.Good("device", "describe", "mp-sw-01", "--building", "Pier hut", "--rack", "R1", "--unit", "3", "--tag", "critical,outdoor")
	c.Good("device", "describe", "mp-sw-01", "--no-tag", "outdoor", "--floor", "0")
	assert.Contains(t, c.Good("devices", "tag = critical and not tag = outdoor and building ~ pier*").Out, "mp-sw-01")
	show := c.Good("device", "show", "mp-sw-01").Out
	for _, text := range []string{"Hardware", "psu1", "rpm", "Links"} {
		assert.Contains(t, show, text)
	}
	c.Good("device", "retire", "mp-ap-01")
	assert.Contains(t, c.Good("devices", "reach = retired").Out, "mp-ap-01")
	c.Good("device", "reinstate", "mp-ap-01")
	r.AwaitAll(t)
	refused := c.Run("", "device", "forget", "mp-ap-01")
	assert.Equal(t, 3, refused.Code)
	assert.Contains(t, refused.Err, "retire it first")
	c.Good("device", "retire", "mp-ap-01")
	assert.Equal(t, 2, c.Run("", "device", "forget", "mp-ap-01").Code, "nobody said yes")
	assert.NotZero(t, c.Run("mp-ap-02\n", "device", "forget", "mp-ap-01").Code)
	assert.Contains(t, c.Good("devices", "reach = retired").Out, "mp-ap-01")
	forgotten := c.Run("mp-ap-01\n", "device", "forget", "mp-ap-01")
	assert.Zero(t, forgotten.Code, forgotten.Err)
	merged := c.Good("site", "merge", "marram-point", "annex")
	assert.Contains(t, merged.Err, "now part of annex")
	assert.Contains(t, c.Good("devices", "site = annex", "--count", "kind").Out, "switch")
	assert.Equal(t, 3, c.Run("", "site", "remove", "annex").Code)
}

func TestDiscoveryByConsole(t *testing.T) {
	t.Parallel()
	r := rig.StartCompany(t)
	b := rig.NewBrowser(t)
	host, port, err := net.SplitHostPort(r.World.Address("mp-sw-01"))
	require.NoError(t, err)
	require.NoError(t, b.Run(
		browser.SignIn(r.Base, "ada", rig.Password), browser.Shows("All 0 devices"),
		chromedp.Navigate(r.Base+"/discover"), browser.Shows("Nothing was searched yet"),
		browser.TypeInto("Addresses", host), browser.TypeInto("User on the devices", rig.DeviceUser), browser.TypeInto("Password", rig.DevicePassword),
		browser.Choose("Port", port), browser.Choose("Follow neighbours", "1"),
		browser.Press("Search"),
		browser.Shows("done"),
		browser.Shows(r.World.Serials()["mp-edge-01"]),
		browser.Shows("3 devices found, waiting to be accepted"),
		chromedp.Evaluate(`[...document.querySelectorAll("label")].find(l => l.innerText.trim() === "All").querySelector("input").click()`, nil),
		browser.Press("Accept keys and enrol 3"),
		browser.Shows("3 devices accepted."),
	))
	devices, err := r.Devices(t.Context(), client.Query{Where: "site = marram-point"})
	require.NoError(t, err)
	assert.Equal(t, 3, devices.Total)
}

// What is inside a device is shown for every kind that tells of it.
func TestInsideByConsole(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "hh-edge-01", "hh-edge-01", "hh-edge-02", "hh-core-01", "hh-core-02", "hh-fw-01", "hh-fw-02", "th-edge-01", "th-sw-01", "th-sw-02", "th-sw-03", "th-ap-01", "th-rl-01", "gs-rl-01", "gs-sw-01", "fu-edge-01")
	require.NoError(t, r.World.Throw("dead-supply", "th-sw-03"))
	require.NoError(t, r.World.Throw("rain", "th-rl-01"))
	b := rig.NewBrowser(t)
	t.Cleanup(func() { assert.Empty(t, b.Complaints, "the page complained") })
	page := func(path string, texts ...string) chromedp.Action {
		tasks := chromedp.Tasks{chromedp.Navigate(r.Base + path)}
		for _, text := range texts {
			tasks = append(tasks, browser.Shows(text))
		}
		return tasks
	}
	require.NoError(t, b.Run(
		browser.SignIn(r.Base, "ada", rig.Password), browser.Shows("Tern Haven"),
		page("/devices/th-sw-01?tab=layer2", "leader", "deputy", "Bundle lag3", "this is the root bridge"),
		page("/devices/hh-core-01?tab=layer2", "Pair of switches (MLAG)", "hh-core-02"),
		page("/devices/hh-fw-01?tab=layer2", "High-availability pair", "standby"),
		page("/devices/hh-core-01?tab=hardware", "QSFP28", "6 modules"),
		page("/devices/th-ap-01?tab=wireless", "Radio 1, 5 GHz", "Lantern Passengers"),
		page("/devices/fu-edge-01?tab=tunnels", "satellite", "hh-edge-02"),
		page("/devices/th-rl-01?tab=radio-link", "64-QAM", "The radio link receives", "In clear air", "-41.4"),
		page("/devices/th-sw-03?tab=hardware", "gives no power"),
		page("/devices/th-sw-02?tab=macs", "Learned on"),
		page("/watch", "Power supply psu2 gives no power", "degraded"),
	))
	events, err := r.Log(t.Context(), "name = th-sw-03 and event.kind = device and event.text ~ *psu2*", 10)
	require.NoError(t, err)
	require.Len(t, events.Items, 1, "it is told once, not at every reading")
	assert.True(t, strings.HasPrefix(events.Items[0].Text, "th-sw-03: Power supply"))
}
