package netconf

import (
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/race"
)

// Which links spanning tree closes for which VLAN is in the world as it is worked out beforehand, on random networks of bridges with one tree, with
// several, and with none: what the bridges tell of their trees says so.
func TestTreesAreThoseThatBridgesGrow(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(3, 44))
	closed, apart := 0, 0
	for n := range race.Fewer(1500, 60) {
		plant, links := randomPlant(r)
		w, err := standin.New(plant, standin.Options{User: "u", Password: "p", Stepped: time.Date(2026, 11, 2, 12, 0, 0, 0, time.UTC)})
		require.NoError(t, err)
		require.NoError(t, w.Start(t.Context()))
		configs := map[string]network.Config{}
		for _, d := range plant.Devices {
			before := readConfig(w.Running(d.Name), []network.Feature{"spanning tree"})
			after, err := intent.Apply(d.Name, before, randomTrees(r, d.Name, links))
			require.NoError(t, err)
			require.NoError(t, w.Edit(d.Name, "u", writeConfig(before, after)))
			configs[d.Name] = readConfig(w.Running(d.Name), []network.Feature{"spanning tree"})
			require.Empty(t, intent.Compare(d.Name, after, configs[d.Name]))
		}
		w.Step(time.Minute)
		states, insides := seen(plant, links)
		b := topology.Bridges{Address: map[string]string{}, SpeedMbps: func(l topology.Link) int {
			return min(states[l.A.Device].Ports[l.A.Port].SpeedMbps, states[l.B.Device].Ports[l.B.Port].SpeedMbps)
		}}
		told := map[string]network.Inside{}
		for name := range configs {
			b.Address[name] = insides[name].Spanning.Address
			told[name] = network.Inside{Spanning: readSpanning(w.Shown(name).Child("stp"))}
		}
		trees := topology.SpanningTrees(configs, links, func(topology.Link) bool { return true }, b)
		for _, l := range links {
			by := map[bool]bool{}
			for _, v := range []network.VLANID{10, 20, 30} {
				in := false
				for _, end := range []network.PortRef{l.A, l.B} {
					if s := told[end.Device].Spanning; s != nil {
						in = in || s.In(topology.Instances(configs[end.Device])[v]).Ports[end.Port].Blocks()
					}
				}
				by[in] = true
				if in {
					closed++
				}
				require.Equal(t, in, trees.Blocks(l, v), "network %d, VLAN %s over %s to %s: %v", n, v, l.A, l.B, configs)
			}
			if len(by) == 2 {
				apart++
			}
		}
		w.Close()
	}
	assert.Greater(t, closed, 20, "some links are closed")
	assert.Greater(t, apart, 2, "and some for some VLANs only")
}

// randomTrees are settings of the spanning trees of a bridge, mostly such that neighbours are of one region.
func randomTrees(r *rand.Rand, device string, links []topology.Link) (edits []intent.Edit) {
	set := func(object, name, value string) {
		edits = append(edits, intent.Edit{Port: network.PortRef{Device: device, Port: object}, Field: name, Value: value})
	}
	set("", "stp", []string{"multiple", "multiple", "multiple", "multiple", "multiple", "multiple", "rapid", "off"}[r.IntN(8)])
	set("", "mst-region", []string{"isles", "isles", "isles", "isles", "isles", "shore"}[r.IntN(6)])
	set("", "stp-priority", []string{"0", "4096", "8192", "32768"}[r.IntN(4)])
	vlans := map[string]string{"mst-instance/1": "20", "mst-instance/2": "30"}
	if r.IntN(8) == 0 {
		vlans["mst-instance/2"] = "10,30"
	}
	for object, of := range vlans {
		set(object, "present", "on")
		set(object, "instance-vlans", of)
		set(object, "priority", []string{"0", "4096", "8192", "32768"}[r.IntN(4)])
	}
	if l := links[r.IntN(len(links))]; r.IntN(6) == 0 {
		for _, end := range []network.PortRef{l.A, l.B} {
			if end.Device == device {
				set(end.Port, "root-guard", "on")
			}
		}
	}
	slices.SortStableFunc(edits, func(a, b intent.Edit) int { // what is made comes first
		return len(a.Port.Port) - len(b.Port.Port)
	})
	return edits
}
