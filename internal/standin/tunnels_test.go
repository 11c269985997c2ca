package standin

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/wire/xmlnode"
)

// told has an edge told something of a tunnel.
func (w *World) told(t *testing.T, device, tunnel string, leaves ...string) {
	t.Helper()
	x := in("ep-wan")
	entry := x.node("conn-entry", x.leaf("name", tunnel))
	for i := 0; i < len(leaves); i += 2 {
		entry.Add(x.leaf(leaves[i], leaves[i+1]))
	}
	require.NoError(t, w.Edit(device, "somebody", []*xmlnode.Node{x.node("ikev2", entry)}))
}

// tells is what an edge tells of a tunnel: its state, and its fault.
func (w *World) tells(device, tunnel string) (state, fault string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	d := w.devices[device]
	out := in("ep-wan").node("tunnels")
	d.tunnelsState(out, w.clock.now())
	for _, n := range out.All("tunnel") {
		if n.TextAt("name") == tunnel {
			return n.TextAt("oper-status"), n.TextAt("fault")
		}
	}
	return "none", ""
}

// A tunnel is up while both ends are told alike, and says why when they are not: each end as it sees it.
func TestATunnelIsUpWhileBothEndsAgree(t *testing.T) {
	t.Parallel()
	w := lantern(t)
	const near, far, name = "ng-edge-01", "hh-edge-01", "ng-fibre-hub1"
	require.Contains(t, tunnelNames(w, near), name)
	state, fault := w.tells(near, name)
	require.Equal(t, [2]string{"UP", ""}, [2]string{state, fault})
	for _, tc := range []struct{ leaf, other, back, fault string }{
		{"pre-shared-key", "a key that nobody else knows", firstKey(name), faultStranger},
		{"remote-identity", "somebody-else", far, faultStranger},
		{"encryption", "aes-cbc-256", "aes-gcm-256", faultUnlike},
		{"dh-group", "31", "19", faultUnlike},
	} {
		w.told(t, near, name, tc.leaf, tc.other)
		for _, end := range []string{near, far} {
			state, fault := w.tells(end, name)
			assert.Equal(t, [2]string{"DOWN", tc.fault}, [2]string{state, fault}, "%s at %s", tc.leaf, end)
		}
		w.told(t, near, name, tc.leaf, tc.back)
		state, _ := w.tells(far, name)
		assert.Equal(t, "UP", state, tc.leaf)
	}
	w.told(t, near, name, "autostartup", "add")
	state, _ = w.tells(near, name)
	assert.Equal(t, "UP", state, "one end begins")
	w.told(t, far, name, "autostartup", "add")
	state, fault = w.tells(near, name)
	assert.Equal(t, [2]string{"DOWN", faultNoAnswer}, [2]string{state, fault}, "each waits for the other")
}

func tunnelNames(w *World, device string) (out []string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, t := range w.devices[device].cfg.tunnels {
		out = append(out, t.name)
	}
	return out
}

// What two edges are told that had no tunnel joins them: packets take it, and it is as slow as both lines together. Told at one end only, it joins nothing.
func TestEdgesAreJoinedByWhatTheyAreTold(t *testing.T) {
	t.Parallel()
	w := lantern(t)
	a, b := endpoint{"ng-edge-01", "wan1"}, endpoint{"ol-edge-01", "wan1"}
	hops := func() int {
		w.mu.Lock()
		defer w.mu.Unlock()
		_, by := w.overlay(w.devices[a.device], w.devices[b.device].spec.SiteNet)
		return len(by)
	}
	require.Equal(t, 2, hops(), "over a hub")
	key := "known to the two of them only"
	w.told(t, a.device, "straight", "interface", a.port, "remote-address", w.wide.at[b], "pre-shared-key", key)
	state, fault := w.tells(a.device, "straight")
	assert.Equal(t, [2]string{"DOWN", faultNoAnswer}, [2]string{state, fault})
	assert.Equal(t, 2, hops())
	w.told(t, b.device, "straight", "interface", b.port, "remote-address", w.wide.at[a], "pre-shared-key", key)
	state, _ = w.tells(b.device, "straight")
	assert.Equal(t, "UP", state)
	assert.Equal(t, 1, hops())
	w.mu.Lock()
	i := len(w.tunnels) - 1
	assert.Equal(t, "straight", w.tunnels[i].Name)
	assert.InDelta(t, 2+w.wide.access["ng-edge-01:wan1"].DelayMs+w.wide.access["ol-edge-01:wan1"].DelayMs, w.tunnels[i].DelayMs, 0.001)
	w.mu.Unlock()

	require.NoError(t, w.Throw(PowerLoss, b.device))
	state, fault = w.tells(a.device, "straight")
	assert.Equal(t, [2]string{"DOWN", faultNoAnswer}, [2]string{state, fault})
}

// A gateway of another house has its own idea of the tunnel.
func TestAnotherHouse(t *testing.T) {
	t.Parallel()
	w := lantern(t)
	state, _ := w.tells("hh-edge-01", "customs")
	require.Equal(t, "UP", state)
	w.told(t, "hh-edge-01", "customs", "dh-group", "19")
	state, fault := w.tells("hh-edge-01", "customs")
	assert.Equal(t, [2]string{"DOWN", faultUnlike}, [2]string{state, fault})
	w.told(t, "hh-edge-01", "customs", "dh-group", "20", "remote-address", "203.0.113.41")
	state, fault = w.tells("hh-edge-01", "customs")
	assert.Equal(t, [2]string{"DOWN", faultNoAnswer}, [2]string{state, fault}, "nobody is there")
}

func TestTunnelsThatAnEdgeRefuses(t *testing.T) {
	t.Parallel()
	w := lantern(t)
	x := in("ep-wan")
	for says, leaves := range map[string][]*xmlnode.Node{
		"there is no interface wan9":              {x.leaf("interface", "wan9")},
		"unable to parse IP":                      {x.leaf("remote-address", "harbour house")},
		"20 to 120 characters":                    {x.leaf("pre-shared-key", "short")},
		"is none of":                              {x.leaf("encryption", "rot13")},
		"ng-fibre-hub1 goes from wan1 to 198.18.": {x.leaf("interface", "wan1"), x.leaf("remote-address", w.wide.at[endpoint{"hh-edge-01", "wan1"}])},
	} {
		entry := x.node("conn-entry", append([]*xmlnode.Node{x.leaf("name", "zz")}, leaves...)...)
		assert.ErrorContains(t, w.Edit("ng-edge-01", "somebody", []*xmlnode.Node{x.node("ikev2", entry)}), says)
	}
}
