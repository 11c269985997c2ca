package guard

import (
	"fmt"
	"net/netip"
	"testing"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/overlay"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

// BenchmarkCheck plans and checks port edits over switches of 50 ports, ten in each chain: 10,000 edits over 200 of them, and
// five edits on each of 2,000.
func BenchmarkCheck(b *testing.B) {
	b.Run("200-devices", func(b *testing.B) { benchmarkCheck(b, 20, 50) })
	b.Run("2000-devices", func(b *testing.B) { benchmarkCheck(b, 200, 5) })
}

func benchmarkCheck(b *testing.B, chains, edited int) {
	p := Proposal{Before: map[string]network.Config{}, Entries: []string{"e"}, Site: map[string]string{}, EntryOf: map[string]string{"s": "e"}}
	vlans := map[network.VLANID]network.VLAN{}
	var all network.VLANSet
	for v := network.VLANID(10); v <= 100; v += 10 {
		vlans[v] = network.VLAN{ID: v}
		all = append(all, v)
	}
	trunk := network.PortConfig{Enabled: true, Mode: network.Trunk, TrunkVLANs: all}
	entry := network.Config{ManagementVLAN: 10, VLANs: vlans, Ports: map[string]network.PortConfig{}}
	var edits []intent.Edit
	for chain := range chains {
		above, abovePort := "e", fmt.Sprintf("down%d", chain)
		entry.Ports[abovePort] = trunk
		for depth := range 10 {
			name := fmt.Sprintf("sw-%02d-%02d", chain, depth)
			c := network.Config{ManagementVLAN: 10, VLANs: vlans, Ports: map[string]network.PortConfig{"up": trunk, "down": trunk}}
			for i := range 50 {
				port := fmt.Sprintf("1/1/%d", i+1)
				c.Ports[port] = network.PortConfig{Enabled: true, Mode: network.Access, AccessVLAN: 20}
				if i < edited {
					edits = append(edits, intent.Edit{Port: network.PortRef{Device: name, Port: port}, Field: "vlan", Value: "30"})
				}
			}
			p.Before[name] = c
			p.Site[name] = "s"
			p.Links = append(p.Links, topology.Link{A: network.PortRef{Device: above, Port: abovePort}, B: network.PortRef{Device: name, Port: "up"}})
			above, abovePort = name, "down"
		}
	}
	p.Before["e"] = entry
	byDevice := map[string][]intent.Edit{}
	for _, e := range edits {
		byDevice[e.Port.Device] = append(byDevice[e.Port.Device], e)
	}
	b.ReportMetric(float64(len(edits)), "edits")
	for b.Loop() {
		p.After = map[string]network.Config{}
		for device, c := range p.Before {
			after, err := intent.Apply(device, c, byDevice[device])
			if err != nil {
				b.Fatal(err)
			}
			p.After[device] = after
		}
		if f := Check(p); len(f) > 0 {
			b.Fatal(f[0].What)
		}
	}
}

// BenchmarkTunnels plans and checks the tunnels of 200 edges with two circuits each to two hubs: 800 tunnels, both their ends.
func BenchmarkTunnels(b *testing.B) {
	p := Proposal{Before: map[string]network.Config{}, States: map[string]network.State{}, Insides: map[string]network.Inside{}}
	var hubs, spokes []overlay.End
	edge := func(name string, number int, circuits ...string) (out []overlay.End) {
		c := network.Config{Hostname: name, Features: []network.Feature{setting.Routing, setting.Tunnels}, Ports: map[string]network.PortConfig{}, Objects: map[string]network.Settings{}}
		st := network.State{Ports: map[string]network.PortState{}}
		for i, port := range circuits {
			a := netip.AddrFrom4([4]byte{198, 18 + byte(i), byte(number >> 8), byte(number)})
			c.Ports[port] = network.PortConfig{Enabled: true}
			st.Ports[port] = network.PortState{Oper: network.Up, Addresses: []string{a.String() + "/30"}}
			out = append(out, overlay.End{Port: network.PortRef{Device: name, Port: port}, Host: name, Address: a})
		}
		p.Before[name], p.States[name] = c, st
		return out
	}
	for i := range 2 {
		hubs = append(hubs, edge(fmt.Sprintf("hub-%d", i+1), 1000+i, "wan1")...)
	}
	for i := range 200 {
		spokes = append(spokes, edge(fmt.Sprintf("edge-%03d", i+1), i+1, "wan1", "cell0")...)
	}
	found := 0
	for b.Loop() {
		pairs, err := overlay.Spokes(hubs, spokes)
		if err != nil {
			b.Fatal(err)
		}
		edits := map[string][]intent.Edit{}
		for _, pair := range pairs {
			near, far := pair.Sets(overlay.Terms{Encryption: "aes-gcm-256"}, "secret:00112233445566778899aabb")
			for _, end := range []struct {
				at  network.PortRef
				set map[string]string
			}{{pair.A.Port, near}, {pair.B.Port, far}} {
				for name, value := range end.set {
					edits[end.at.Device] = append(edits[end.at.Device], intent.Edit{Port: network.PortRef{Device: end.at.Device, Port: setting.TunnelObject(pair.Name)}, Field: name, Value: value})
				}
			}
		}
		p.After = map[string]network.Config{}
		for device, c := range p.Before {
			after, err := intent.Apply(device, c, edits[device])
			if err != nil {
				b.Fatal(err)
			}
			p.After[device] = after
		}
		found = len(Check(p))
	}
	b.ReportMetric(800, "tunnels")
	b.ReportMetric(float64(found), "findings")
}
