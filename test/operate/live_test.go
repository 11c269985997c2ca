package operate_test

import (
	"context"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// While somebody looks on a device is read each second, and tells of a cut cable at once; afterwards no more often than before.
func TestLookingOn(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	var at []time.Time
	cut := false
	require.NoError(t, r.Live(t.Context(), "th-sw-02", []string{"1/1/17", "1/1/25"}, func(l v1.LiveReading) bool {
		at = append(at, l.At)
		require.Len(t, l.Ports, 2)
		if !cut && l.Ports[0].RxBps > 0 && l.Device.CPUPercent != nil {
			assert.True(t, l.Ports[0].Up)
			require.NoError(t, r.World.Throw(standin.Cut, "th-sw-02:1/1/17"))
			cut = true
		}
		return !cut || l.Ports[0].Up
	}))
	for i := 1; i < len(at); i++ {
		assert.True(t, at[i].After(at[i-1]), "each reading once")
	}

	all := 0
	require.NoError(t, r.Live(t.Context(), "th-sw-02", nil, func(l v1.LiveReading) bool { all = len(l.Ports); return false }))
	assert.Equal(t, 28, all)
	assert.Error(t, r.Live(t.Context(), "nobody", nil, func(v1.LiveReading) bool { return false }))
	ctx, cancel := context.WithCancel(t.Context())
	assert.ErrorIs(t, r.Live(ctx, "th-sw-02", nil, func(v1.LiveReading) bool { cancel(); return true }), context.Canceled)
}

// Nobody looks on at what he may not see.
func TestWhoMayLookOn(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	near := r.Confine(t, "bram", "viewer", "name = th-sw-02")
	assert.ErrorContains(t, near.Live(t.Context(), "th-sw-01", nil, func(v1.LiveReading) bool { return false }), "th-sw-01")
	require.NoError(t, near.Live(t.Context(), "th-sw-02", nil, func(l v1.LiveReading) bool { assert.NotEmpty(t, l.Ports); return false }))
}

func TestLookingOnByCommandAndConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := rig.SignedIn(t, r)
	assert.Regexp(t, `(?m)^\d\d:\d\d:\d\d  1/1/17 +up +[\d.]+M`, c.Good("live", "th-sw-02:1/1/17,1/1/18", "--times", "2").Out)
	assert.Regexp(t, `18/28`, c.Good("live", "th-sw-02", "--times", "1").Out)
	assert.Contains(t, c.Good("live", "th-sw-02:1/1/17", "--times", "1", "-o", "json").Out, `"rx_bps"`)
	assert.Contains(t, c.Run("", "live", "nobody").Err, "nobody")
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/th-sw-02?tab=history&part=port&sel=1%2F1%2F17"), browser.Press("Live"),
		browser.Shows("live, read at"), browser.Shows("Received"), browser.Until(`document.querySelectorAll(".u-wrap, .uplot").length >= 2`),
		chromedp.Reload(), browser.Shows("live, read at"), // what is on show stands in the address
	))
}
