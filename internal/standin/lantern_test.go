package standin

import (
	"testing"
	"time"

	"example.net/everypost/internal/testing/race"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func lantern(t *testing.T) *World {
	t.Helper()
	w, err := New(LanternSound(), Options{User: "fleet", Password: "tidewater"})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	return w
}

// locked calls f with the world held still.
func (w *World) locked(f func()) {
	w.mu.Lock()
	defer w.mu.Unlock()
	f()
}

func TestLanternSoundIsWhole(t *testing.T) {
	w := lantern(t)
	ports, seen := 0, map[string]bool{}
	for name, d := range w.devices {
		assert.False(t, seen[d.spec.Serial], "two devices have the serial number %s", d.spec.Serial)
		assert.False(t, seen[d.spec.Loopback], "two devices have the address %s", d.spec.Loopback)
		seen[d.spec.Serial], seen[d.spec.Loopback] = true, true
		ports += len(d.ports)
		require.NoError(t, validate(d.running), name)
	}
	macs := map[string]bool{}
	for _, h := range w.hosts {
		assert.False(t, macs[h.MAC], "two hosts have the address %s", h.MAC)
		macs[h.MAC] = true
	}
	t.Logf("%d devices, %d ports, %d cables, %d hosts, %d tunnels", len(w.devices), ports, len(w.cables), len(w.hosts), len(w.tunnels))
	assert.InDelta(t, 75, len(w.Devices()), 5)
	assert.Len(t, w.Crated(), 4, "those of the vessel under construction")
	assert.InDelta(t, 1500, ports, 400)
	assert.InDelta(t, 700, len(w.Stations()), 75)
	w.locked(func() {
		reached := w.managed()
		for name := range w.devices {
			assert.Equal(t, w.installed(name), reached[name], "%s cannot be managed, or is in its crate", name)
		}
		for _, c := range w.cables {
			assert.Equal(t, w.installed(c.a.device), w.at(c.a).up, "%v", c.a)
		}
	})
}

// What the script asks for can happen.
func TestScriptCanBePlayed(t *testing.T) {
	w := lantern(t)
	for _, h := range LanternDay() {
		require.NoError(t, w.Throw(h.Fault, h.Target), "%s %s", h.Fault, h.Target)
	}
	w.Play(t.Context(), []Happening{{0, Hang, "th-sw-02"}, {time.Millisecond, Cut, "nowhere:1"}, {2 * time.Millisecond, Hang, "th-sw-03"}})
	require.Eventually(t, func() (hung bool) {
		w.locked(func() { hung = w.devices["th-sw-02"].hung && w.devices["th-sw-03"].hung })
		return hung
	}, 5*time.Second, time.Millisecond)
}

// Of every loop one cable is blocked, and when another of it is cut it takes over.
func TestSpanningTreeCutsLoopsAndHeals(t *testing.T) {
	w := lantern(t)
	blocked := func() (out []endpoint) {
		w.locked(func() {
			for e := range w.tree.blocked {
				out = append(out, e)
			}
		})
		return out
	}
	assert.ElementsMatch(t, []endpoint{{"th-sw-05", "1/1/26"}, {"kb-sw-04", "1/1/10"}}, blocked(), "the ends farthest from the root")
	require.NoError(t, w.Throw(Cut, "kb-sw-01:1/1/9"))
	assert.ElementsMatch(t, []endpoint{{"th-sw-05", "1/1/26"}}, blocked())
	w.locked(func() { assert.True(t, w.managed()["kb-sw-02"], "it is reached the other way round the ring") })
	require.NoError(t, w.Throw(Cut, "th-sw-01:1/1/51"))
	assert.Empty(t, blocked())
	require.NoError(t, w.Throw(Mend, "th-sw-01:1/1/51"))
	require.NoError(t, w.Throw(Mend, "kb-sw-01:1/1/9"))
	assert.Len(t, blocked(), 2)
}

// In every VLAN there is one way between two places: the walk from a room meets no room twice.
func TestNoLoopIsLeft(t *testing.T) {
	w := lantern(t)
	w.locked(func() {
		for name, d := range w.devices {
			for vlan := range d.cfg.vlans {
				seen := map[string]bool{}
				for _, e := range d.macTable() {
					if e.vlan != vlan {
						continue
					}
					assert.False(t, seen[e.mac], "%s has learned %s twice in VLAN %d", name, e.mac, vlan)
					seen[e.mac] = true
				}
			}
		}
	})
}

// A bundle carries on with the member that is left; one whose far end does not bundle does not forward.
func TestBundle(t *testing.T) {
	w := lantern(t)
	reach := func() (ok bool) {
		w.locked(func() { ok = w.managed()["th-sw-03"] })
		return ok
	}
	require.NoError(t, w.Throw(Cut, "th-sw-03:1/1/25"))
	assert.True(t, reach())
	require.NoError(t, w.Throw(Cut, "th-sw-03:1/1/26"))
	assert.False(t, reach())
}

// MAC tables say where stations are: on the port itself, or behind the way that leads there.
func TestMACTable(t *testing.T) {
	w := lantern(t)
	where := func(device, mac string) (port string) {
		w.locked(func() {
			for _, e := range w.devices[device].macTable() {
				if e.mac == mac {
					port = e.port
				}
			}
		})
		return port
	}
	var camera, passenger *host
	for _, h := range w.hosts {
		if h.at.device == "th-sw-03" && hasWord(h.Name, "camera") {
			camera = h
		}
		if h.at.device == "th-ap-01" && h.SSID == "Lantern Passengers" {
			passenger = h
		}
	}
	assert.Equal(t, camera.at.port, where("th-sw-03", camera.MAC))
	assert.Equal(t, "lag3", where("th-sw-01", camera.MAC))
	assert.Equal(t, "1/1/25", where("th-sw-02", camera.MAC))
	assert.Equal(t, "1/1/1", where("th-sw-02", passenger.MAC), "behind the access point")
	require.NoError(t, w.Throw(Cut, camera.At))
	assert.Empty(t, where("th-sw-01", camera.MAC), "it is forgotten")
}

// The island is reached over the radio link, and over the cellular tunnel when that is gone.
func TestGreySkerryHasTwoWays(t *testing.T) {
	w := lantern(t)
	reach := func() (ok bool) {
		w.locked(func() { ok = w.managed()["gs-sw-02"] })
		return ok
	}
	require.NoError(t, w.Throw(Cut, "th-rl-01:radio0"))
	assert.True(t, reach())
	require.NoError(t, w.Throw(Cut, "gs-edge-01:cell0"))
	assert.False(t, reach())
	require.NoError(t, w.Throw(Mend, "th-rl-01:radio0"))
	assert.True(t, reach())
}

// What flows into a port of an access switch flows out of its uplink, and the same seed gives the same day.
func TestTrafficAddsUp(t *testing.T) {
	octets := func() (in, out float64) {
		w, err := New(LanternSound(), Options{User: "fleet", Password: "tidewater", Seed: 7})
		require.NoError(t, err)
		w.settle()
		day := time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)
		for i := range race.Fewer(600, 60) {
			w.flow(day.Add(time.Duration(i)*time.Second), time.Second)
		}
		d := w.devices["th-sw-05"]
		for name, p := range d.ports {
			if name != "1/1/25" && name != "1/1/26" {
				in += p.counters.inOctets
			}
		}
		return in, d.ports["1/1/25"].counters.outOctets
	}
	in, out := octets()
	again, _ := octets()
	assert.NotZero(t, in)
	assert.InDelta(t, in, out, in*0.01)
	assert.InDelta(t, in, again, 1)
}

// What devices are first told is the same document each time that they are made: else each would be a new one for whoever keeps them.
func TestDevicesAreToldTheSameEachTime(t *testing.T) {
	t.Parallel()
	documents := func() map[string]string {
		w, err := New(LanternSound(), Options{})
		require.NoError(t, err)
		out := map[string]string{}
		for name, d := range w.devices {
			out[name] = string(d.running.Bytes())
		}
		return out
	}
	first := documents()
	require.NotEmpty(t, first)
	for range 3 {
		for name, is := range documents() {
			assert.Equal(t, first[name], is, name)
		}
	}
}
