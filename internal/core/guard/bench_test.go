package guard

import (
	"fmt"
	"testing"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
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
