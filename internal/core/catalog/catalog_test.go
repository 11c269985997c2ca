package catalog

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
)

// small makes a network of chance: devices with ports and clients.
func small(t *rapid.T) *Net {
	n := &Net{}
	n.SetSites([]network.Site{{Name: "a", Title: "A"}, {Name: "b", Title: "B"}})
	for i := range rapid.IntRange(0, 6).Draw(t, "devices") {
		name := fmt.Sprint("d", i)
		s := Sight{Reach: network.ReachConnected, Identity: network.Identity{Kind: network.Switch, Firmware: rapid.SampledFrom([]string{"4.1", "4.10", "4.2"}).Draw(t, "firmware")},
			Config: network.Config{Ports: map[string]network.PortConfig{}}, State: network.State{Ports: map[string]network.PortState{}}}
		for p := range rapid.IntRange(0, 5).Draw(t, "ports") {
			port := fmt.Sprint("1/1/", p+8)
			s.Config.Ports[port] = network.PortConfig{Enabled: true, HasPoE: true, Description: rapid.SampledFrom([]string{"Gate 2", "Gate 10", "gate 2", ""}).Draw(t, "description")}
			s.State.Ports[port] = network.PortState{Oper: network.Up, PoEMilliW: rapid.IntRange(0, 3).Draw(t, "mw") * 1000}
		}
		d, ports := NewDevice(Record{Name: name, Address: "10.0.0.1:830"}, s, n.Site(rapid.SampledFrom([]string{"a", "b"}).Draw(t, "site")), func(string) string { return "" })
		n.Put(d, ports)
	}
	return n
}

// A page, wherever it lies, is what it would be if everything were sorted first.
func TestPageIsAPartOfTheSortedWhole(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := small(t)
		order, err := ParseOrder(rapid.SampledFrom([]string{"", "-port.poe.watts", "port.description,-port", "firmware,port.poe.watts", "-site", "-port.up,name"}).Draw(t, "order"), selector.Port)
		require.NoError(t, err)
		all := n.Ports(Query{Limit: 1000})
		require.Equal(t, all.All, len(all.Rows))
		want := slices.Clone(all.Rows)
		slices.SortStableFunc(want, func(a, b *Port) int {
			x, y := BindPort(a), BindPort(b)
			for _, o := range order {
				fold := func(d selector.Datum) selector.Datum { d.Text = selector.Fold(d.Text); return d }
				if c := direct(o, compare(o.Field, fold(value(o.Field, &x)), fold(value(o.Field, &y)))); c != 0 {
					return c
				}
			}
			return 0
		})
		offset, limit := rapid.IntRange(0, 40).Draw(t, "offset"), rapid.SampledFrom([]int{0, 1, 3, 7, shallow + 1}).Draw(t, "limit")
		got := n.Ports(Query{Order: order, Offset: offset, Limit: limit})
		assert.Equal(t, want[min(offset, len(want)):min(offset+limit, len(want))], got.Rows)
	})
}

func TestPickMovesTheSmallestToTheFront(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		list := rapid.SliceOf(rapid.IntRange(0, 9)).Draw(t, "list")
		n := rapid.IntRange(0, len(list)).Draw(t, "n")
		want := slices.Sorted(slices.Values(list))
		pick(list, n, func(a, b int) int { return a - b })
		slices.Sort(list[:n])
		assert.True(t, slices.Equal(want[:n], list[:n]), "%v %v", want[:n], list[:n])
	})
}

// Text sorts as people sort: numbers in it by their size, without case.
func TestOrderOfText(t *testing.T) {
	n := &Net{}
	n.SetSites([]network.Site{{Name: "a"}})
	ports := map[string]network.PortConfig{"1": {Description: "Gate 10"}, "2": {Description: "gate 9"}, "3": {}}
	d, list := NewDevice(Record{Name: "d"}, Sight{Config: network.Config{Ports: ports}}, n.Site("a"), func(string) string { return "" })
	n.Put(d, list)
	order, err := ParseOrder("port.description", selector.Port)
	require.NoError(t, err)
	var got []string
	for _, p := range n.Ports(Query{Order: order, Limit: 9}).Rows {
		got = append(got, p.Config.Description)
	}
	assert.Equal(t, []string{"", "gate 9", "Gate 10"}, got)
}

func TestSightings(t *testing.T) {
	s := Sight{
		Config: network.Config{Ports: map[string]network.PortConfig{"1": {}, "2": {}, "3": {LAG: "lag1"}, "4": {}}},
		State:  network.State{Ports: map[string]network.PortState{"1": {Counters: network.Counters{RxOctets: 700, TxOctets: 300}}, "4": {}, "2": {Neighbour: &network.Neighbour{SystemName: "x"}}, "3": {}}},
		Inside: network.Inside{MACs: []network.Learned{{MAC: "a", Port: "1", VLAN: 20}, {MAC: "b", Port: "2"}, {MAC: "c", Port: "3"}, {MAC: "d", Port: "lag1"}, {MAC: "e", Port: "gone"}, {MAC: "g", Port: "4"}, {MAC: "h", Port: "4"}, {MAC: "a", Port: "1", VLAN: 30}},
			Stations: []network.Station{{MAC: "f", SSID: "Lantern Crew", SignalDbm: -60, RxOctets: 9, TxOctets: 8, RxBps: 70, TxBps: 60, RatesKnown: true}}},
	}
	alone := ClientUse{Known: true, UpOctets: 700, DownOctets: 300}
	assert.Equal(t, []Sighting{
		{MAC: "f", DeviceID: "ap", SSID: "Lantern Crew", SignalDbm: -60, Use: ClientUse{Known: true, UpOctets: 9, DownOctets: 8, RatesKnown: true, UpBps: 70, DownBps: 60}},
		{MAC: "a", DeviceID: "ap", Port: "1", VLAN: 20, Use: alone},
		{MAC: "g", DeviceID: "ap", Port: "4"}, {MAC: "h", DeviceID: "ap", Port: "4"}, // nobody knows which of the two used what
		{MAC: "a", DeviceID: "ap", Port: "1", VLAN: 30, Use: alone},
	}, Sightings("ap", s), "what was learned on the way to another device is not at home here")
}

func TestMakers(t *testing.T) {
	m, bad := ParseMakers("Registry,Assignment,Organization Name\nMA-L,02A110,Curlew Telephones\nMA-M,02A1101,\"Curlew, the small\"\nnonsense\nMA-L,xyz,Nobody\n")
	assert.Equal(t, 2, bad)
	assert.Equal(t, "Curlew Telephones", m.Of("02:A1:10:ff:00:01"))
	assert.Equal(t, "Curlew, the small", m.Of("02-a1-10-12-00-01"))
	assert.Empty(t, m.Of("02:a1:11:00:00:01"))
	assert.Empty(t, m.Of("x"))
}

func TestTroubles(t *testing.T) {
	keys := func(i network.Inside) (out []string) {
		for _, x := range i.Troubles() {
			out = append(out, x.Key)
		}
		return out
	}
	assert.Empty(t, keys(network.Inside{}), "nothing is said of what was not read")
	assert.Equal(t, []string{"supply psu2", "fan fan1", "hot", "module 1/1/49", "bundle lag1", "tunnel t1", "loss t2", "radio link"}, keys(network.Inside{
		Hardware: network.Hardware{Temperature: 80, Supplies: []network.Supply{{Name: "psu1", OK: true}, {Name: "psu2"}}, Fans: []network.Fan{{Name: "fan1"}},
			Transceivers: []network.Module{{Port: "1/1/49", RxDbm: -13, Limits: network.Limits{RxLow: -12}}, {Port: "1/1/50", RxDbm: -40, Limits: network.Limits{RxLow: -12}}}},
		Bundles:   []network.Bundle{{Name: "lag1", Members: []network.BundleMember{{InSync: true}, {}}}},
		Tunnels:   []network.Tunnel{{Name: "t1"}, {Name: "t2", Up: true, LossPercent: 9}, {Name: "t3", Up: true}},
		RadioLink: &network.RadioLinkRead{ReceivedDbm: -60},
	}), "a cage without light is told by its link")
	d, _ := NewDevice(Record{Name: "d"}, Sight{Reach: network.ReachConnected, Since: time.Now(), Inside: network.Inside{Hardware: network.Hardware{Temperature: 80}}}, &Site{}, func(string) string { return "" })
	assert.Equal(t, network.Degraded, d.Health)
	d, _ = NewDevice(Record{Name: "d"}, Sight{Reach: network.ReachGone, Inside: network.Inside{Hardware: network.Hardware{Temperature: 80}}}, &Site{}, func(string) string { return "" })
	assert.Equal(t, network.HealthDown, d.Health, "an old reading does not make a device that is gone look better")
	assert.Equal(t, "10.0.0.1 fd00::1 host", hostOf("10.0.0.1:830")+" "+hostOf("[fd00::1]:830")+" "+hostOf("host"))
}

// What a device says of itself is compared as it is, and never read as an expression.
func TestOfSerialTakesAnything(t *testing.T) {
	n := &Net{}
	n.SetSites([]network.Site{{Name: "a"}})
	for i, serial := range []string{`AB\`, `a" or "" = "`, strings.Repeat("x", 9000), "plain", "\xff"} {
		d, ports := NewDevice(Record{Name: fmt.Sprint("d", i)}, Sight{Identity: network.Identity{Serial: serial}}, n.Site("a"), func(string) string { return "" })
		n.Put(d, ports)
		got := n.Devices(Query{Where: OfSerial(serial), Limit: 9}).Rows
		require.Len(t, got, 1, serial)
		assert.Equal(t, d, got[0])
		assert.Empty(t, n.Devices(Query{Where: OfSerial(serial + "?"), Limit: 9}).Rows)
	}
}

// What is observed inside a device can be asked for, of the device and of its ports, while the device is in hand.
func TestInsideCanBeAskedFor(t *testing.T) {
	sight := Sight{Reach: network.ReachConnected,
		Config: network.Config{Ports: map[string]network.PortConfig{"1": {LAG: "lag1"}, "2": {}, "3": {}}},
		Inside: network.Inside{
			Hardware: network.Hardware{HasSensors: true, CPUPercent: 12, Temperature: 41, MemoryUsed: 1, MemoryTotal: 4, Transceivers: []network.Module{{Port: "2", Model: "SX-10", RxDbm: -9.5}}},
			Radios:   []network.RadioState{{Band: "5 GHz", Channel: 36, BusyPercent: 55}, {Band: "2.4 GHz", Channel: 6, BusyPercent: 9}},
			Tunnels:  []network.Tunnel{{Underlay: "satellite", Up: true, DelayMs: 590}, {Underlay: "cellular"}},
			Stations: []network.Station{{SSID: "Lantern Crew"}},
			Spanning: &network.SpanningTree{Tree: network.Tree{Ports: map[string]network.SpanningPort{"lag1": {State: "blocking"}, "2": {State: "forwarding"}}}},
		}}
	var n Net
	n.SetSites([]network.Site{{Name: "fulmar"}})
	put := func() {
		n.Put(NewDevice(Record{Name: "fu-x-01", Address: "10.0.0.1:830"}, sight, n.Site("fulmar"), func(string) string { return "" }))
	}
	put()
	asks := func(where string) (devices, ports int) {
		e, err := Network.Parse(where)
		require.NoError(t, err, where)
		q := Query{Where: e, Limit: 10, Now: time.Now()}
		return n.Devices(q).Total, n.Ports(q).Total
	}
	for where, want := range map[string][2]int{
		"cpu > 10 and temperature < 50 and memory = 25": {1, 3},
		"radio.busy > 50": {1, 3},
		"radio.busy > 60": {0, 0},
		`radio.band = "2.4 GHz" and radio.channel = 36`: {1, 3},
		`ssid ~ "*crew"`: {1, 3},
		"tunnel.underlay = satellite and tunnel.delay > 500": {1, 3},
		"tunnel.up = false":   {1, 3},
		"port.stp = blocking": {1, 1},
		"port.bundle = lag1":  {1, 1},
		"port.module.rx < -9": {1, 1},
		"port.module = sx-10 and port.module.temperature < 1": {1, 1},
		"port.module.rx > 0": {0, 0},
	} {
		devices, ports := asks(where)
		assert.Equal(t, want, [2]int{devices, ports}, where)
	}
	sight.Reach = network.ReachGone
	put()
	for _, where := range []string{"cpu > 0", "radio.busy > 0", "port.module.rx < 0", "port.stp = blocking"} {
		devices, ports := asks(where)
		assert.Equal(t, [2]int{}, [2]int{devices, ports}, "%s: what was is not what is", where)
	}
}
