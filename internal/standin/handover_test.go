package standin

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A line that comes over a radio link goes with it: its tunnels are down, and what stations say goes over what is left.
func TestALineIsHandedOverElsewhere(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	up := func(name string) (is bool) {
		w.locked(func() {
			for _, t := range w.tunnels {
				is = is || t.Name == name && t.up
			}
		})
		return is
	}
	octets := func() (n float64) {
		w.locked(func() { n = w.devices["gs-rl-01"].ports["radio0"].counters.inOctets })
		return n
	}
	w.Step(time.Minute)
	assert.True(t, up("gs-fibre-hub1"))
	assert.True(t, up("gs-cellular-hub1"))
	assert.Greater(t, octets(), 1e6, "the radio link carries it")

	w.locked(func() {
		edge, radio := w.devices["gs-edge-01"].ports["wan1"].counters, w.devices["gs-rl-01"].ports["radio0"].counters
		customer := w.devices["gs-sw-01"].ports["1/1/19"].counters.inOctets // goes the same way
		assert.InDelta(t, edge.outOctets, radio.outOctets-customer, 0.01*edge.outOctets, "all that leaves the edge goes through the air")
	})
	require.NoError(t, w.Throw(Downpour, "th-rl-01"))
	assert.False(t, up("gs-fibre-hub1"))
	assert.True(t, up("gs-cellular-hub1"), "the standby goes on")
	was := octets()
	w.Step(time.Minute)
	assert.InDelta(t, was, octets(), 1)
	require.NoError(t, w.Throw(Recover, "th-rl-01"))
	assert.True(t, up("gs-fibre-hub1"))

	for _, at := range []string{"gs-sw-01:1/1/20", "th-sw-01:2/1/48"} {
		require.NoError(t, w.Throw(Cut, at))
		assert.False(t, up("gs-fibre-hub1"), at)
		require.NoError(t, w.Throw(Mend, at))
		w.Step(10 * time.Second) // the radio is fed over that cable, and boots
		assert.True(t, up("gs-fibre-hub1"), at)
	}
	configure(t, w, "gs-sw-01", "oc-if:interfaces/interface[1/1/20]/oc-eth:ethernet/oc-vlan:switched-vlan/config/access-vlan 20")
	assert.False(t, up("gs-fibre-hub1"), "in another VLAN it is another network")
}
