package between_test

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// What goes to a site whose provider is overloaded suffers, and what comes from there does not: each end tells both ways, and the two agree.
func TestPathsAreMeasuredEachWay(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "hh-edge-01", "hh-edge-01", "ng-edge-01")
	path := func(device, tunnel string, is func(v1.Path) bool) (out v1.Path) {
		require.Eventually(t, func() bool {
			list, err := r.Paths(t.Context(), "name = "+device)
			require.NoError(t, err)
			for _, p := range list.Items {
				if p.Tunnel == tunnel && p.Sent != nil && p.Received != nil && is(p) {
					out = p
					return true
				}
			}
			return false
		}, rig.WaitLong, rig.WaitStep, "%s of %s", tunnel, device)
		return out
	}
	quiet := path("ng-edge-01", "ng-fibre-hub1", func(p v1.Path) bool { return p.Up })
	assert.InDelta(t, quiet.DelayMs, quiet.Sent.DelayMs+quiet.Received.DelayMs, 0.3, "both ways come to the way there and back")
	require.NoError(t, r.World.Throw(standin.BrownOut, "ng-edge-01:wan1"))
	near := path("ng-edge-01", "ng-fibre-hub1", func(p v1.Path) bool { return p.Received.LossPercent > 5 })
	assert.Less(t, near.Sent.LossPercent, 1.0)
	assert.Less(t, near.Received.Rating, 70.0, "they do not hear the others well there")
	assert.Greater(t, near.Sent.Rating, 80.0, "and are heard well themselves")
	far := path("hh-edge-01", "ng-fibre-hub1", func(p v1.Path) bool { return p.Sent.LossPercent > 5 })
	assert.Less(t, far.Received.LossPercent, 1.0)

	cli := rig.SignedIn(t, r)
	shown := cli.Good("paths", "--each-way", "name", "=", "ng-edge-01").Out
	assert.Regexp(t, `ng-fibre-hub1 +to +hh-edge-01 +wan1 +\d+\.\d +\d+\.\d +0\.\d\d +`, shown)
	assert.Regexp(t, `ng-fibre-hub1 +from +hh-edge-01 +wan1 +\d{3}\.\d +`, shown)
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(chromedp.Navigate(r.Base+"/between"), browser.Press("Each way"), browser.Shows("Delay, ms: to | from")))
	assert.Empty(t, b.Complaints)
	require.NoError(t, r.World.Throw(standin.Mend, "ng-edge-01:wan1"))
	path("ng-edge-01", "ng-fibre-hub1", func(p v1.Path) bool { return p.Received.LossPercent < 1 })
}
