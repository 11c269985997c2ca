package setup_test

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// portUntil waits until a port is as it should be.
func portUntil(t *testing.T, r *rig.Rig, device, port string, is func(v1.Port) bool) (out v1.Port) {
	t.Helper()
	require.Eventually(t, func() bool {
		list, err := r.Ports(t.Context(), client.Query{Where: "name = " + device + " and port = " + port})
		require.NoError(t, err)
		require.Len(t, list.Items, 1)
		out = list.Items[0]
		return is(out)
	}, rig.WaitLong, rig.WaitStep)
	return out
}

// What a port feeds is told in watts, volts and amperes; frames that are spoiled come as fragments too; a port at half duplex collides.
func TestWhatPortsTell(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	p := portUntil(t, r, "th-sw-02", "1/1/17", func(p v1.Port) bool { return p.PoEMilliW > 0 && p.PoEMilliV > 0 })
	assert.InDelta(t, 53_000, p.PoEMilliV, 1500)
	assert.InDelta(t, p.PoEMilliW, p.PoEMilliV*p.PoEMilliA/1000, 60, "W = V × A")
	assert.Zero(t, p.Counters.Collisions)
	require.NoError(t, r.World.Throw(standin.Damage, "th-sw-02:1/1/17"))
	portUntil(t, r, "th-sw-02", "1/1/17", func(p v1.Port) bool {
		return p.Counters.RxFragments > 0 && p.Counters.RxFragments < p.Counters.RxFCSErrors
	})
	r.PushAndKeep(t, r.Draft(t, [3]string{"th-sw-01:1/1/17", "speed", "100M"}, [3]string{"th-sw-01:1/1/17", "duplex", "half"}))
	portUntil(t, r, "th-sw-01", "1/1/17", func(p v1.Port) bool { return p.Counters.Collisions > 0 })
	require.Eventually(t, func() bool {
		d, err := r.Device(t.Context(), "th-sw-02")
		require.NoError(t, err)
		return d.Inside != nil && d.Inside.Hardware.FlashTotal == 1<<30 && d.Inside.Hardware.FlashUsed > 100<<20
	}, rig.WaitLong, rig.WaitStep)
	assert.Regexp(t, `flash +\d+ of 1024 MiB used`, rig.SignedIn(t, r).Good("device", "show", "th-sw-02").Out)
}

// Ports that are kept apart are a group of isolation of their own on each device; one that leads on is not put into it.
func TestPortsAreKeptApart(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := rig.SignedIn(t, r)
	up := c.Run("", "port", "apart", "th-sw-02:1/1/3", "th-sw-02:1/1/25")
	assert.Equal(t, 3, up.Code)
	assert.Contains(t, up.Err, "th-sw-02:1/1/25 leads to th-sw-01")
	c.Good("port", "apart", "th-sw-02:1/1/3", "th-sw-02:1/1/4", "th-sw-01:1/1/3")
	changes, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	ch, err := r.Check(t.Context(), changes.Items[0].Number)
	require.NoError(t, err)
	var got []string
	for _, d := range ch.Differences {
		got = append(got, d.Port+" "+d.Field+" "+d.After)
	}
	assert.Equal(t, []string{"th-sw-01:1/1/3 isolation 1", "th-sw-02:1/1/3 isolation 1", "th-sw-02:1/1/4 isolation 1"}, got)
	r.PushAndKeep(t, ch)
	portUntil(t, r, "th-sw-02", "1/1/4", func(p v1.Port) bool { return p.Isolation == "1" })
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/th-sw-02?sel=1%2F1%2F8,1%2F1%2F9"), browser.Press("Keep apart"), browser.Shows("isolation"),
		browser.Until(`document.querySelector("aside[aria-label='Draft tray']").innerText.includes("2")`),
		browser.Until(`document.querySelector("button[aria-label*='kept apart in group 1']")`),
	))
	drafts, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	d, err := r.Check(t.Context(), drafts.Items[0].Number)
	require.NoError(t, err)
	require.Len(t, d.Differences, 2)
	assert.Equal(t, "2", d.Differences[0].After, "1 is that of others")
}
