package netconf

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/guard"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/race"
)

// randomPlant is an edge with some switches behind it: a tree of trunks, and some more cables besides. Management is tagged
// on most links and untagged on some.
func randomPlant(r *rand.Rand) (standin.Plant, []topology.Link) {
	all := []string{"10", "20", "30"}
	port := func(n int) string { return fmt.Sprintf("1/1/%d", n) }
	device := func(name, role string, address int) standin.DeviceSpec {
		d := standin.DeviceSpec{Name: name, Site: "s", Role: role, Maker: "Halyard", Model: "H24P", Serial: "HY24-" + name, Firmware: "4.1.6",
			Loopback: "127.90.0.1", ManagementIP: fmt.Sprintf("10.90.10.%d", address), SiteNet: 90, ManagementVLAN: 10, VLANs: []int{10, 20, 30}, BudgetMilliW: 100_000,
			BridgePriority: 4096 * (1 + r.IntN(8))}
		for i := range 8 {
			d.Ports = append(d.Ports, standin.PortSpec{Name: port(i + 1), Mode: "ACCESS", Untagged: 20, PoE: true, SpeedMbps: []int{1000, 10_000}[r.IntN(2)]})
		}
		return d
	}
	n := 2 + r.IntN(4)
	devices := []standin.DeviceSpec{device("e", "edge", 1)}
	for i := range n {
		devices = append(devices, device(fmt.Sprintf("s%d", i+1), "switch", i+2))
	}
	used := map[string]int{}
	var p standin.Plant
	var links []topology.Link
	join := func(a, b int) {
		x, y := &devices[a], &devices[b]
		if used[x.Name] == 7 || used[y.Name] == 7 {
			return
		}
		used[x.Name]++
		used[y.Name]++
		native, tagged := 0, all
		if r.IntN(4) == 0 {
			native, tagged = 10, []string{"20", "30"}
		}
		ends := []network.PortRef{{Device: x.Name, Port: port(used[x.Name])}, {Device: y.Name, Port: port(used[y.Name])}}
		for i, d := range []*standin.DeviceSpec{x, y} {
			at := slices.IndexFunc(d.Ports, func(p standin.PortSpec) bool { return p.Name == ends[i].Port })
			d.Ports[at].Mode, d.Ports[at].Untagged, d.Ports[at].Tagged = "TRUNK", native, tagged
		}
		p.Cables = append(p.Cables, standin.CableSpec{A: ends[0].String(), B: ends[1].String()})
		links = append(links, topology.Link{A: ends[0], B: ends[1]})
	}
	for i := 1; i <= n; i++ {
		join(r.IntN(i), i)
	}
	for range r.IntN(4) {
		if a, b := r.IntN(n+1), r.IntN(n+1); a != b {
			join(min(a, b), max(a, b))
		}
	}
	p.Devices, p.Entries = devices, []string{"e"}
	return p, links
}

// seen is what the service would see of the plant: the speeds of links, and the addresses of bridges.
func seen(p standin.Plant, links []topology.Link) (map[string]network.State, map[string]network.Inside) {
	speed := map[network.PortRef]int{}
	states, insides := map[string]network.State{}, map[string]network.Inside{}
	for i, d := range p.Devices {
		states[d.Name] = network.State{Ports: map[string]network.PortState{}}
		insides[d.Name] = network.Inside{Spanning: &network.SpanningTree{Tree: network.Tree{Address: fmt.Sprintf("02:45:%02x:%02x:00:00", i>>8, i&0xff)}}}
		for _, port := range d.Ports {
			speed[network.PortRef{Device: d.Name, Port: port.Name}] = port.SpeedMbps
		}
	}
	for _, l := range links {
		both := min(speed[l.A], speed[l.B])
		for _, end := range []network.PortRef{l.A, l.B} {
			states[end.Device].Ports[end.Port] = network.PortState{Oper: network.Up, SpeedMbps: both}
		}
	}
	return states, insides
}

// randomEdit is something that may be set on a device, mostly where it hurts.
func randomEdit(r *rand.Rand, configs map[string]network.Config, links []topology.Link) (intent.Edit, bool) {
	link := links[r.IntN(len(links))]
	on := []network.PortRef{link.A, link.B}[r.IntN(2)]
	c := configs[on.Device]
	switch r.IntN(14) {
	case 8:
		on.Port = "mst-instance/1"
	case 5:
		on.Port = "ring/r"
	case 6:
		on.Port = "pair/p"
	case 7:
		return oneOf(r, network.PortRef{Device: on.Device}, "management-vlan=10", "management-vlan=20", "management-in=10,20", "management-in=20", "management-port=1/1/8", "management-port=1/1/1")
	case 0:
		on.Port = ""
	case 1:
		names := c.PortNames()
		on.Port = names[r.IntN(len(names))]
	case 2:
		objects := setting.Objects(c)
		on.Port = objects[r.IntN(len(objects))]
	case 3:
		on.Port = "lag1"
	case 4:
		on.Port = "vlan/10"
	}
	settings := setting.Of(setting.KindOf(on.Port))
	s := settings[r.IntN(len(settings))]
	if r.IntN(2) == 0 && setting.KindOf(on.Port) == setting.OnPort {
		names := []string{"mode", "vlan", "native-vlan", "trunk-vlans", "enabled", "bundle", "speed", "root-guard", "bpdu-guard", "loop-protection", "schedule", "follow"}
		one, err := setting.Lookup(setting.OnPort, names[r.IntN(len(names))])
		if err != nil {
			return intent.Edit{}, false
		}
		s = *one
	}
	values := map[string][]string{"vlan": {"10", "20", "30"}, "native-vlan": {"10", "20", "none"}, "trunk-vlans": {"10,20", "20,30", "10", "10,20,30", "none"}, "bundle": {"lag1", "none"},
		"follow": {"1/1/1", "1/1/2"}, "management-from": {"10.90.0.0/16", "127.0.0.0/8"}, "speed": {"auto", "1G", "10G"}, "stp-priority": {"0", "4096", "61440"},
		"mst-region": {"isles", "none"}, "mst-revision": {"0", "1"}, "instance-vlans": {"10", "20", "20,30", "none"}, "priority": {"0", "4096", "61440"}}[s.Name]
	if s.Name == "ring-ports" {
		values = []string{"1/1/1,1/1/2", "1/1/2,1/1/1", "1/1/2,1/1/3"}
	}
	if values == nil {
		values = slices.Clone(s.Value.Choices)
	}
	if len(values) == 0 {
		return intent.Edit{}, false
	}
	e, err := intent.New(on, s.Name, values[r.IntN(len(values))])
	return e, err == nil
}

// oneOf is one of some edits of a thing.
func oneOf(r *rand.Rand, on network.PortRef, edits ...string) (intent.Edit, bool) {
	name, value, _ := strings.Cut(edits[r.IntN(len(edits))], "=")
	e, err := intent.New(on, name, value)
	return e, err == nil
}

// What is foretold as lost when a cable is cut or a device dies is lost in the world, and nothing else: on random networks.
func TestWhatIsForetoldToBeLostIsLost(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(17, 3))
	lost, kept := 0, 0
	for range race.Fewer(300, 20) {
		plant, links := randomPlant(r)
		w, err := standin.New(plant, standin.Options{User: "u", Password: "p", Stepped: time.Date(2026, 11, 2, 12, 0, 0, 0, time.UTC)})
		require.NoError(t, err)
		require.NoError(t, w.Start(t.Context()))
		f := topology.Failing{Configs: map[string]network.Config{}, Links: links, Entries: plant.Entries, Gone: map[string]bool{}}
		for _, d := range plant.Devices {
			f.Configs[d.Name] = readConfig(w.Running(d.Name), nil)
		}
		for _, fails := range []topology.Thing{{Device: plant.Devices[r.IntN(len(plant.Devices))].Name}, {Port: links[r.IntN(len(links))].A}} {
			before := w.Reached()
			foretold := f.Without(fails).Devices
			if fails.Device != "" {
				require.NoError(t, w.Throw(standin.PowerLoss, fails.Device))
			} else {
				require.NoError(t, w.Throw(standin.Cut, fails.Port.String()))
			}
			w.Step(90 * time.Second) // until the spanning tree has found another way
			after := w.Reached()
			gone := []string{}
			for _, d := range before {
				if d != fails.Device && !slices.Contains(after, d) {
					gone = append(gone, d)
				}
			}
			slices.Sort(gone)
			assert.Equal(t, gone, foretold, "%v of %v", fails, links)
			if len(gone) > 0 {
				lost++
			} else {
				kept++
			}
			if fails.Device != "" {
				require.NoError(t, w.Throw(standin.Recover, fails.Device))
			} else {
				require.NoError(t, w.Throw(standin.Mend, fails.Port.String()))
			}
			w.Step(90 * time.Second)
		}
		w.Close()
	}
	assert.Greater(t, lost, 5, "some take others with them")
	assert.Greater(t, kept, 5, "some do not")
}

// A change in which the guards find no way of the management that is cut makes no device unreachable in the world: on random
// networks, for random changes. What slips through is counted and told with its cause.
func TestWhatTheGuardsPassCutsNobodyOff(t *testing.T) {
	t.Parallel()
	networks, changes := race.Fewer(400, 30), 25
	r := rand.New(rand.NewPCG(7, 11))
	tried, passed, cut := 0, 0, 0
	var misses []string
	for range networks {
		plant, links := randomPlant(r)
		w, err := standin.New(plant, standin.Options{User: "u", Password: "p", Stepped: time.Date(2026, 11, 2, 12, 0, 0, 0, time.UTC)})
		require.NoError(t, err)
		require.NoError(t, w.Start(t.Context()))
		features := map[string][]network.Feature{}
		read := func() map[string]network.Config {
			out := map[string]network.Config{}
			for _, d := range plant.Devices {
				out[d.Name] = readConfig(w.Running(d.Name), features[d.Name])
			}
			return out
		}
		for _, d := range plant.Devices {
			features[d.Name] = []network.Feature{setting.Management}
			if d.Role == "switch" {
				features[d.Name] = setting.Features()
			}
		}
		for range changes {
			before, reached := read(), w.Reached()
			var edits []intent.Edit
			for range 1 + r.IntN(4) {
				if e, ok := randomEdit(r, before, links); ok {
					edits = intent.Add(edits, e)
					if o := setting.KindOf(e.Port.Port); o == setting.OnRing || o == setting.OnPair || o == setting.OnInstance {
						edits = intent.Add(edits, intent.Edit{Port: e.Port, Field: setting.Present, Value: "on"})
					}
				}
			}
			after := map[string]network.Config{}
			good := len(edits) > 0
			for name, c := range before {
				a, err := intent.Apply(name, c, edits)
				good = good && err == nil
				after[name] = a
			}
			if !good {
				continue
			}
			tried++
			states, insides := seen(plant, links)
			p := guard.Proposal{States: states, Insides: insides, Before: before, After: after, Links: links, Entries: plant.Entries, Site: map[string]string{}, EntryOf: map[string]string{"": "e"}}
			stopped := slices.ContainsFunc(guard.Check(p), func(f guard.Finding) bool {
				return f.Level == guard.Stop || strings.HasPrefix(f.Guard, "management")
			})
			if stopped {
				continue
			}
			var refused error
			for name := range before {
				if refused == nil {
					refused = w.Edit(name, "u", writeConfig(before[name], after[name]))
				}
			}
			if refused == nil {
				passed++
				w.Step(10 * time.Second)
				lost := slices.DeleteFunc(slices.Clone(reached), func(d string) bool { return slices.Contains(w.Reached(), d) })
				if len(lost) > 0 {
					cut++
					misses = append(misses, fmt.Sprintf("%v cut off %v", edits, lost))
				}
			}
			for name := range before {
				require.NoError(t, w.Edit(name, "u", writeConfig(readConfig(w.Running(name), features[name]), before[name])))
			}
			if slices.ContainsFunc(edits, func(e intent.Edit) bool { return e.Field == "bpdu-guard" }) { // what it shut stays so until somebody comes
				for _, enabled := range []string{"off", "on"} {
					for name, c := range before {
						var all []intent.Edit
						for port, was := range c.Ports {
							if was.Enabled {
								all = append(all, intent.Edit{Port: network.PortRef{Device: name, Port: port}, Field: "enabled", Value: enabled})
							}
						}
						to, err := intent.Apply(name, c, all)
						require.NoError(t, err)
						require.NoError(t, w.Edit(name, "u", writeConfig(readConfig(w.Running(name), features[name]), to)))
					}
				}
			}
			w.Step(10 * time.Minute) // until guards of ports have let go
			require.Equal(t, reached, w.Reached())
		}
		w.Close()
	}
	t.Logf("%d changes tried, %d passed the guards and were run, %d cut somebody off", tried, passed, cut)
	assert.Greater(t, passed, networks*5, "enough changes were run")
	assert.Empty(t, misses)
}
