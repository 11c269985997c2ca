package reach

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

// sites are two, each with a switch, an edge that routes and a firewall that decides, joined by a tunnel.
func sites() Network {
	n := Network{Configs: map[string]network.Config{}, States: map[string]network.State{}, Insides: map[string]network.Inside{}, SiteOf: map[string]string{}, Gone: map[string]bool{}, Owns: map[netip.Addr]string{}}
	vlans := network.NewVLANSet(10, 20, 50)
	trunk := network.PortConfig{Enabled: true, Mode: network.Trunk, TrunkVLANs: vlans}
	access := func(v network.VLANID) network.PortConfig {
		return network.PortConfig{Enabled: true, Mode: network.Access, AccessVLAN: v}
	}
	add := func(device, site string, ports map[string]network.PortConfig) {
		c := network.Config{Ports: ports, VLANs: map[network.VLANID]network.VLAN{10: {ID: 10}, 20: {ID: 20}, 50: {ID: 50}}, Features: []network.Feature{setting.AccessLists, setting.Firewall}}
		st := network.State{Ports: map[string]network.PortState{}}
		for p := range ports {
			st.Ports[p] = network.PortState{Oper: network.Up}
		}
		n.Configs[device], n.States[device], n.SiteOf[device] = c, st, site
	}
	for site, net := range map[string]string{"th": "10.2.", "hh": "10.1."} {
		add(site+"-sw", site, map[string]network.PortConfig{"1": access(20), "2": access(50), "23": trunk, "24": trunk})
		add(site+"-edge", site, map[string]network.PortConfig{"lan1": trunk, "wan1": {Enabled: true}})
		add(site+"-fw", site, map[string]network.PortConfig{"lan1": trunk})
		n.Links = append(n.Links, topology.Link{A: network.PortRef{Device: site + "-sw", Port: "24"}, B: network.PortRef{Device: site + "-edge", Port: "lan1"}},
			topology.Link{A: network.PortRef{Device: site + "-sw", Port: "23"}, B: network.PortRef{Device: site + "-fw", Port: "lan1"}})
		c := n.Configs[site+"-fw"]
		c.Objects = map[string]network.Settings{
			"security-zone/office": {"zone-vlans": "20"}, "security-zone/cameras": {"zone-vlans": "50"}, "security-zone/outside": {"interfaces": "wan1"},
			"policy/main": {"rules/10": "allow from office,cameras to outside service tcp/554", "rules/20": "allow from outside to cameras service tcp/554", "rules/30": "deny from office to cameras"},
		}
		n.Configs[site+"-fw"] = c
		other := map[string]string{"th": "hh", "hh": "th"}[site]
		via := map[string]string{"th": "10.1.10.1", "hh": "10.2.10.1"}[site]
		n.Owns[netip.MustParseAddr(net+"10.1")] = site + "-edge"
		n.Insides[site+"-edge"] = network.Inside{
			Tunnels: []network.Tunnel{{Name: "to-" + other, Up: true}},
			VRFs: []network.VRF{{Name: "default", Routes: []network.Route{
				{Prefix: net + "20.0/24", Interface: "vlan20", Origin: "connected"}, {Prefix: net + "50.0/24", Interface: "vlan50", Origin: "connected"},
				{Prefix: map[string]string{"th": "10.1.0.0/16", "hh": "10.2.0.0/16"}[site], Via: via, Interface: "to-" + other, Origin: "bgp"}}},
				{Name: "underlay", Routes: []network.Route{{Prefix: "0.0.0.0/0", Via: "192.0.2.1", Interface: "wan1", Origin: "static"}}}},
		}
	}
	return n
}

// behindRouter has a router of others at one site, which tells the edge there what is behind it.
func behindRouter(n *Network) {
	sw := n.Configs["th-sw"]
	sw.Ports["3"] = network.PortConfig{Enabled: true, Mode: network.Access, AccessVLAN: 50}
	n.States["th-sw"].Ports["3"] = network.PortState{Oper: network.Up}
	edge := n.Configs["th-edge"]
	edge.Features = append(edge.Features, setting.Routing, setting.RoutingProtocols)
	edge.Objects = map[string]network.Settings{"bgp-peer/yard": {"peer-address": "10.2.50.5", "peer-as": "64900", "announces": "0.0.0.0/0", "accepts": "0.0.0.0/0"}, "gateway/50": {"gateway-address": "10.2.50.1/24"}}
	n.Configs["th-edge"] = edge
	in := n.Insides["th-edge"]
	in.VRFs[0].Routes = append(in.VRFs[0].Routes, network.Route{Prefix: "172.20.8.0/22", Via: "10.2.50.5", Interface: "vlan50", Origin: "bgp"})
	n.Insides["th-edge"] = in
}

func at(device, port, address string, v network.VLANID) End {
	return End{Name: address, Address: netip.MustParseAddr(address), Device: device, Port: port, VLAN: v}
}

var (
	desk       = at("th-sw", "1", "10.2.20.7", 20)
	camera     = at("th-sw", "2", "10.2.50.7", 50)
	recorder   = at("hh-sw", "2", "10.1.50.10", 50)
	neighbour  = at("th-sw", "24x", "10.2.20.8", 20)
	yardRouter = at("th-sw", "3", "10.2.50.5", 50)
	inYard     = End{Name: "172.20.8.10", Address: netip.MustParseAddr("172.20.8.10")}
	elsewhere  = End{Name: "tides", Address: netip.MustParseAddr("203.0.113.80")}
	nobodySaw  = End{Name: "10.1.50.99", Address: netip.MustParseAddr("10.1.50.99")}
	public     = End{Name: "198.51.100.10", Address: netip.MustParseAddr("198.51.100.10")}
	unreadable = End{Name: "10.9.9.9", Address: netip.MustParseAddr("10.9.9.9")}
)

func find(a netip.Addr) (End, bool) {
	for _, e := range []End{desk, camera, recorder, yardRouter} {
		if e.Address == a {
			return e, true
		}
	}
	return End{}, false
}

func TestWhetherOneReachesAnother(t *testing.T) {
	for name, tc := range map[string]struct {
		from, to End
		port     uint16
		change   func(n *Network)
		want     Verdict
		says     string // of the reason, or of some step
	}{
		"to another site":  {camera, recorder, 554, nil, Passes, "by tunnel to-hh to hh-edge"},
		"by the firewall":  {camera, recorder, 80, nil, Stops, "th-fw: no rule fits it from cameras to outside"},
		"by the other one": {desk, at("hh-sw", "1", "10.1.20.5", 20), 554, nil, Stops, "hh-fw: no rule fits it from outside to office"},
		"within the site":  {desk, camera, 554, nil, Stops, "rule 30 stops it from office to cameras"},
		"in its own VLAN":  {desk, neighbour, 9, nil, Passes, "it gets to 10.2.20.8"},
		"to the outside":   {desk, elsewhere, 554, nil, Passes, "it leaves what is known"},
		"nobody saw it":    {camera, nobodySaw, 554, nil, Unknown, "nobody saw whether that is there"},
		"from nowhere":     {unreadable, recorder, 554, nil, Unknown, "nobody saw where 10.9.9.9 is"},
		"the tunnel":       {camera, recorder, 554, func(n *Network) { n.Insides["th-edge"].Tunnels[0].Up = false }, Stops, "th-edge: tunnel to-hh is down"},
		"a port without":   {camera, recorder, 554, func(n *Network) { n.States["th-sw"].Ports["2"] = network.PortState{Oper: network.Down} }, Stops, "the port has no link"},
		"the far port":     {camera, recorder, 554, func(n *Network) { n.States["hh-sw"].Ports["2"] = network.PortState{Oper: network.Down} }, Stops, "the port of 10.1.50.10 has no link"},
		"an uplink":        {camera, recorder, 554, func(n *Network) { n.States["th-sw"].Ports["24"] = network.PortState{Oper: network.Down} }, Stops, "th-sw:24 has no link"},
		"a VLAN":           {camera, recorder, 554, func(n *Network) { carryOnly(n, "th-sw", "24", 10, 20) }, Stops, "VLAN 50 does not get to th-edge: th-sw:24 does not carry it"},
		"a firewall gone":  {camera, recorder, 554, func(n *Network) { n.Gone["th-fw"] = true }, Stops, "th-fw: it decides what passes between zones, and is not in hand"},
		"a router gone":    {camera, recorder, 554, func(n *Network) { n.Gone["hh-edge"] = true }, Stops, "hh-edge: it routes, and is not in hand"},
		"no route": {camera, recorder, 554, func(n *Network) {
			n.Insides["th-edge"].VRFs[0].Routes[2].Prefix = "10.8.0.0/16"
			n.Insides["th-edge"].VRFs[1].Routes = nil
		}, Stops, "no route to 10.1.50.10"},
		"a route that is lost": {camera, recorder, 554, func(n *Network) { n.Insides["th-edge"].VRFs[0].Routes[2].Prefix = "10.8.0.0/16" }, Stops,
			"th-edge: it would leave what is known, and 10.1.50.10 is at hh-sw: no route leads there"},
		"a private one outside": {camera, nobodySaw, 554, func(n *Network) { n.Insides["th-edge"].VRFs[0].Routes[2].Prefix = "10.8.0.0/16" }, Unknown,
			"nobody saw whether 10.1.50.99 is there"},
		"behind a router": {camera, inYard, 554, behindRouter, Passes, "th-edge, route 172.20.8.0/22, bgp, by router 10.2.50.5"},
		"behind one far away": {recorder, inYard, 554, func(n *Network) {
			behindRouter(n)
			hh := n.Insides["hh-edge"]
			hh.VRFs[0].Routes = append(hh.VRFs[0].Routes, network.Route{Prefix: "172.20.8.0/22", Via: "10.2.10.1", Interface: "to-th", Origin: "bgp"})
			n.Insides["hh-edge"] = hh
		}, Passes, "it gets to 10.2.50.5"},
		"by the zone of the router": {desk, inYard, 554, behindRouter, Stops, "rule 30 stops it from office to cameras"},
		"a router that is told nothing": {camera, inYard, 554, func(n *Network) {
			behindRouter(n)
			n.Configs["th-edge"].Objects["bgp-peer/yard"]["announces"] = "10.1.0.0/16"
		}, Stops, "router 10.2.50.5 is told of no route back to 10.2.50.7: announces of BGP peer yard"},
		"a router that nobody saw": {camera, inYard, 554, func(n *Network) {
			behindRouter(n)
			n.Insides["th-edge"].VRFs[0].Routes[3].Via = "10.2.50.99"
		}, Unknown, "nobody saw whether that is there"},
		"a router that was unplugged": {camera, inYard, 554, func(n *Network) {
			behindRouter(n)
			n.States["th-sw"].Ports["3"] = network.PortState{Oper: network.Down}
		}, Stops, "the port of 10.2.50.5 has no link"},
		"a circle": {camera, recorder, 554, func(n *Network) {
			n.Insides["hh-edge"].VRFs[0].Routes[1] = network.Route{Prefix: "10.1.50.0/24", Via: "10.2.10.1", Origin: "static"}
		}, Stops, "in a circle"},
		"an access list":   {camera, recorder, 554, func(n *Network) { list(n, "2", "permit tcp from any to any port 80\ndeny ip from 10.2.50.0/24 to any") }, Stops, "access list doors drops it: deny ip from 10.2.50.0/24 to any"},
		"an open list":     {camera, recorder, 554, func(n *Network) { list(n, "2", "permit tcp from any to any port 554") }, Passes, "access list doors lets it pass"},
		"a list that ends": {camera, recorder, 554, func(n *Network) { list(n, "2", "permit udp from any to any") }, Stops, "no rule of it fits"},
		"a shut port": {camera, recorder, 554, func(n *Network) {
			p := n.Configs["th-sw"].Ports["2"]
			p.Enabled = false
			n.Configs["th-sw"].Ports["2"] = p
		}, Stops, "switched off"},
		"no firewall there": {desk, camera, 554, func(n *Network) { delete(n.Configs["th-fw"].Objects, "policy/main") }, Passes, "it gets to 10.2.50.7"},
		"it hides itself":   {desk, elsewhere, 554, func(n *Network) { translate(n, "source from office to outside into 198.51.100.2") }, Passes, "th-fw, translation 10: from here on it is from 198.51.100.2"},
		"it is not hidden":  {camera, elsewhere, 554, func(n *Network) { translate(n, "source from office into 198.51.100.2") }, Stops, "no translation of th-fw fits it, and from outside nobody can answer to 10.2.50.7"},
		"it keeps its own":  {desk, elsewhere, 554, func(n *Network) { translate(n, "source from office into nothing\nsource from any into 198.51.100.2") }, Stops, "nobody can answer to 10.2.20.7"},
		"hidden elsewhere":  {camera, recorder, 554, func(n *Network) { translate(n, "source from any into 198.51.100.2") }, Passes, "it gets to 10.1.50.10"},
		"from the internet": {elsewhere, public, 443, func(n *Network) {
			translate(n, "destination from outside destination 198.51.100.10 service tcp/443 into 10.2.50.7 port 554")
		}, Passes, "for 10.2.50.7, port 554"},
		"by another port": {elsewhere, public, 80, func(n *Network) {
			translate(n, "destination from outside destination 198.51.100.10 service tcp/443 into 10.2.50.7 port 554")
		}, Unknown, "no firewall translates"},
		"not let in": {elsewhere, public, 443, func(n *Network) { translate(n, "destination destination 198.51.100.10 into 10.2.20.7") }, Stops, "th-fw: no rule fits it from outside to office"},
		"to nowhere": {elsewhere, public, 443, func(n *Network) { translate(n, "destination destination 198.51.100.10 into 10.2.77.7") }, Stops, "no device of its site tells of a network that holds 10.2.77.7"},
		"from within": {desk, public, 443, func(n *Network) {
			translate(n, "destination from office destination 198.51.100.10 into 10.1.50.10 port 554")
		}, Passes, "th-fw, translation 10: from here on it is for 10.1.50.10, port 554"},
		"a switch gone": {camera, recorder, 554, func(n *Network) { n.Gone["th-sw"] = true }, Stops, "th-sw: it is not in hand"},
	} {
		t.Run(name, func(t *testing.T) {
			n := sites()
			if tc.change != nil {
				tc.change(&n)
			}
			a := Ask(n, Question{From: tc.from, To: tc.to, Protocol: "tcp", Port: tc.port, At: time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC), Find: find})
			assert.Equal(t, tc.want, a.Verdict, "%v", a)
			text := a.Why
			for _, h := range a.Hops {
				text += "\n" + h.Device + ", " + h.What
			}
			assert.Contains(t, text, tc.says)
			assert.Equal(t, tc.want == Passes, a.Why == "", "who passes needs no reason")
		})
	}
}

// translate has the first site's firewall translate addresses.
func translate(n *Network, rows string) {
	for i, row := range strings.Split(rows, "\n") {
		n.Configs["th-fw"].Objects["policy/main"][fmt.Sprintf("translations/%d", 10*(i+1))] = row
	}
}

func carryOnly(n *Network, device, port string, vlans ...network.VLANID) {
	p := n.Configs[device].Ports[port]
	p.TrunkVLANs = network.NewVLANSet(vlans...)
	n.Configs[device].Ports[port] = p
}

func list(n *Network, port, rules string) {
	c := n.Configs["th-sw"]
	c.Objects = map[string]network.Settings{"acl/doors": {}}
	for i, r := range strings.Split(rules, "\n") {
		c.Objects["acl/doors"][setting.RowName("rules", 10*(i+1))] = r
	}
	p := c.Ports[port]
	p.Settings = network.Settings{"acl-in": "doors"}
	c.Ports[port] = p
	n.Configs["th-sw"] = c
}

// BenchmarkOneQuestion asks between the ends of a site of 2,000 switches in a tree of ten at each, with an edge at its root.
func BenchmarkOneQuestion(b *testing.B) {
	n := sites()
	trunk := network.PortConfig{Enabled: true, Mode: network.Trunk, TrunkVLANs: network.NewVLANSet(10, 20, 50)}
	name := func(i int) string { return fmt.Sprintf("sw-%04d", i) }
	for i := range 2000 {
		ports := map[string]network.PortConfig{"1": {Enabled: true, Mode: network.Access, AccessVLAN: 50}, "up": trunk}
		for k := range 10 {
			ports[fmt.Sprint("d", k)] = trunk
		}
		n.Configs[name(i)], n.SiteOf[name(i)] = network.Config{Ports: ports}, "th"
		up := network.PortRef{Device: "th-sw", Port: "23"}
		if i > 0 {
			up = network.PortRef{Device: name((i - 1) / 10), Port: fmt.Sprint("d", (i-1)%10)}
		}
		n.Links = append(n.Links, topology.Link{A: up, B: network.PortRef{Device: name(i), Port: "up"}})
	}
	q := Question{From: at(name(1999), "1", "10.2.50.77", 50), To: recorder, Protocol: "tcp", Port: 554}
	if a := Ask(n, q); a.Verdict != Passes {
		b.Fatal(a)
	}
	for b.Loop() {
		Ask(n, q)
	}
}
