package catalog

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
)

// large is a network of 2,000 switches with 48 ports each.
func large() *Net {
	n := &Net{}
	sites := make([]network.Site, 100)
	for i := range sites {
		sites[i] = network.Site{Name: fmt.Sprintf("site-%03d", i)}
	}
	n.SetSites(sites)
	for i := range 2000 {
		s := Sight{Identity: network.Identity{Kind: network.Switch, Model: "H48P"}, Reach: network.ReachConnected,
			Config: network.Config{Ports: map[string]network.PortConfig{}}, State: network.State{Ports: map[string]network.PortState{}}}
		for p := range 48 {
			name := fmt.Sprintf("1/1/%d", p+1)
			c := network.PortConfig{Enabled: true, Mode: network.Access, AccessVLAN: network.VLANID(10 * (1 + p%6)), HasPoE: true, PoE: true}
			st := network.PortState{Oper: network.Down}
			if p%2 == 0 {
				c.Description = fmt.Sprintf("%s %d", []string{"Camera", "Phone", "Desk"}[p%3], p)
				st = network.PortState{Oper: network.Up, SpeedMbps: 1000, PoEMilliW: 1000 * (p % 13), Counters: network.Counters{RxOctets: uint64(i*p) * 7919 % 1_000_003}}
			}
			s.Config.Ports[name], s.State.Ports[name] = c, st
		}
		d, ports := NewDevice(Record{Name: fmt.Sprintf("s%03d-sw-%02d", i/20, i%20)}, s, n.Site(sites[i/20].Name), func(string) string { return "" })
		n.Put(d, ports)
	}
	return n
}

func BenchmarkPorts(b *testing.B) {
	n := large()
	for _, c := range []struct {
		name, where, sort, count string
		offset                   int
	}{
		{"first-page", "", "", "", 0},
		{"filter", "port.up = true and port.vlan = 50 and port.poe.watts > 8", "", "", 0},
		{"free-text", "camera", "", "", 0},
		{"by-number", "", "-port.poe.watts,name", "", 0},
		{"by-text", "", "port.description,name", "", 0},
		{"middle", "", "-port.rx.octets", "", 48_000},
		{"counts", "", "", "port.health,site", 0},
	} {
		b.Run(c.name, func(b *testing.B) {
			q := Query{Offset: c.offset, Limit: 200, Now: time.Now()}
			var err error
			q.Where, err = Network.Parse(c.where)
			require.NoError(b, err)
			q.Order, err = ParseOrder(c.sort, selector.Port)
			require.NoError(b, err)
			q.Counts, err = ParseFields(c.count, selector.Port)
			require.NoError(b, err)
			for b.Loop() {
				n.Ports(q)
			}
		})
	}
}
