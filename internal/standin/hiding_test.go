package standin

import (
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Stations in a network of their access point's own have addresses of it, each another and as long as they are there the same; beyond, switches and the
// gateway know the access point and not them. Who comes too late has none.
func TestStationsInANetworkOfTheirAccessPoint(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	passengers := func() (out []*host) {
		for _, h := range w.hostsAt["th-ap-02"] {
			if h.SSID == "Lantern Passengers" && h.joined(w.devices["th-ap-02"].cfg) != 0 {
				out = append(out, h)
			}
		}
		return out
	}
	before := passengers()
	require.Greater(t, len(before), 3)
	first := before[0].IP
	upstream := func(vlan int) (macs []string) {
		for _, l := range w.devices["th-sw-01"].macTable() {
			if l.vlan == vlan {
				macs = append(macs, l.mac)
			}
		}
		return macs
	}
	require.Contains(t, upstream(80), before[0].MAC)
	configure(t, w, "th-ap-02", "ep-wl:wireless/network[passengers]/station-network/address 192.168.80.1/24")
	own, seen := netip.MustParsePrefix("192.168.80.0/24"), map[string]bool{}
	for _, h := range before {
		a, err := netip.ParseAddr(h.IP)
		require.NoError(t, err)
		assert.True(t, own.Contains(a) && h.IP != "192.168.80.1", h.IP)
		assert.False(t, seen[h.IP], "each has another")
		seen[h.IP] = true
	}
	kept := before[0].IP
	macs := upstream(80)
	assert.Contains(t, macs, w.devices["th-ap-02"].chassisMAC())
	for _, h := range before {
		assert.False(t, slices.Contains(macs, h.MAC), "%s is seen beyond", h.Name)
	}
	w.Step(1)
	w.locked(w.settle)
	assert.Equal(t, kept, before[0].IP)

	configure(t, w, "th-ap-02", "ep-wl:wireless/network[passengers]/station-network/address 192.168.80.1/30")
	with := slices.DeleteFunc(passengers(), func(h *host) bool { return h.IP == "" })
	assert.Len(t, with, 1, "there is room for one")
	tree := w.devices["th-ap-02"].running.Clone()
	for _, n := range tree.Child("wireless").All("network") {
		if o := n.Child("station-network"); o != nil {
			n.Remove(o)
		}
	}
	w.locked(func() { w.devices["th-ap-02"].run(tree, nil) })
	assert.Equal(t, first, before[0].IP, "and back")
}
