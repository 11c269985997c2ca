package between_test

import (
	"slices"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// The line of an island is handed over on the mainland and comes by radio: what is lost with the radio link is foretold, and is so; the standby is used meanwhile, and
// left again.
func TestALineByRadioAndItsStandby(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "hh-edge-01", "hh-edge-01", "th-edge-01", "th-sw-01", "th-rl-01", "gs-rl-01", "gs-sw-01", "gs-edge-01")
	c := rig.SignedIn(t, r)
	state := func(tunnel string, is bool) {
		t.Helper()
		require.Eventually(t, func() bool {
			list, err := r.Paths(t.Context(), "name = gs-edge-01")
			require.NoError(t, err)
			return slices.ContainsFunc(list.Items, func(p v1.Path) bool { return p.Tunnel == tunnel && p.Up == is })
		}, rig.WaitLong, rig.WaitStep, "%s %v", tunnel, is)
	}
	state("gs-fibre-hub1", true)
	state("gs-cellular-hub1", true)
	r.AwaitAll(t)

	var before v1.Failure
	require.Eventually(t, func() bool {
		var err error
		before, err = r.WhatIf(t.Context(), "gs-rl-01:radio0")
		return err == nil
	}, rig.WaitLong, rig.WaitStep)
	assert.Empty(t, before.Over, "where nobody said how the line comes nothing is known of it")
	c.Good("circuit", "set", "gs-edge-01:wan1", "--provider", "Saltmarsh Fibre", "--kind", "fibre", "--handed-at", "th-sw-01:2/1/47")
	for _, thing := range []string{"gs-rl-01:radio0", "th-rl-01", "th-sw-01:2/1/47", "gs-sw-01:1/1/20"} {
		require.Eventually(t, func() bool { // links are drawn at most once a second
			f, err := r.WhatIf(t.Context(), thing)
			return err == nil && slices.Equal(f.Over, []string{"gs-cellular-hub1"}) && len(f.CutOff) == 0
		}, rig.WaitLong, rig.WaitStep, thing)
	}

	over := func(tunnel string) {
		t.Helper()
		require.Eventually(t, func() bool {
			list, err := r.SteeredFlows(t.Context(), "name = gs-edge-01")
			require.NoError(t, err)
			return slices.ContainsFunc(list.Items, func(f v1.SteeredFlow) bool { return f.Tunnel == tunnel })
		}, rig.WaitLong, rig.WaitStep, tunnel)
	}
	over("gs-fibre-hub1")
	require.NoError(t, r.World.Throw(standin.Downpour, "th-rl-01"))
	state("gs-fibre-hub1", false)
	state("gs-cellular-hub1", true)
	over("gs-cellular-hub1")
	require.NoError(t, r.World.Throw(standin.Recover, "th-rl-01"))
	state("gs-fibre-hub1", true)
	over("gs-fibre-hub1")

	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(chromedp.Navigate(r.Base+"/between?view=circuits"), browser.Shows("Saltmarsh Fibre"), browser.Press("gs-edge-01:wan1"),
		browser.On(`[...document.querySelectorAll("[role=dialog] input")].find(i => i.value === "th-sw-01:2/1/47")`, "true")))
	assert.Empty(t, b.Complaints)
}
