package peering

import (
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

var since = time.Date(2026, 11, 3, 4, 5, 0, 0, time.UTC)

func edge(peer network.Settings, gateway network.Settings) network.Config {
	c := network.Config{Features: []network.Feature{setting.Routing, setting.RoutingProtocols, setting.Segments}, Objects: map[string]network.Settings{}}
	if peer != nil {
		c.Objects["bgp-peer/yard"] = peer
	}
	gateway["gateway-address"] = "10.6.20.1/24"
	c.Objects["gateway/20"] = gateway
	return c
}

func bgp(state, fault string, received int) network.Inside {
	return network.Inside{VRFs: []network.VRF{{Name: "default", BGP: &network.BGP{Neighbours: []network.BGPNeighbour{
		{Address: "127.20.1.5", State: "established"}, // another site
		{Address: "10.6.20.5", State: state, Fault: fault, Since: since, Received: received, Sent: 9}}},
		Routes: []network.Route{{Prefix: "172.20.8.0/22", Via: "10.6.20.5"}, {Prefix: "10.1.0.0/16", Via: "127.20.1.5"}}}}}
}

func ospf(i network.OSPFInterface) network.Inside {
	return network.Inside{VRFs: []network.VRF{{Name: "default", OSPF: &network.OSPF{Interfaces: []network.OSPFInterface{{Name: "vlan30"}, i}}, Routes: []network.Route{{Prefix: "172.20.16.0/22", Via: "10.6.20.5"}}}}}
}

func TestHowRoutersAre(t *testing.T) {
	t.Parallel()
	peer := func(more ...string) network.Settings {
		p := network.Settings{"peer-address": "10.6.20.5", "peer-as": "64900", "announces": "10.0.0.0/8", "accepts": "172.20.0.0/16"}
		for i := 0; i < len(more); i += 2 {
			p[more[i]] = more[i+1]
		}
		return p
	}
	area := func(more ...string) network.Settings {
		g := network.Settings{"ospf-area": "0.0.0.0"}
		for i := 0; i < len(more); i += 2 {
			g[more[i]] = more[i+1]
		}
		return g
	}
	heard := func(state string) network.OSPFInterface {
		return network.OSPFInterface{Name: "vlan20", Area: "0.0.0.0", Neighbours: []network.OSPFNeighbour{{RouterID: "172.20.16.1", Address: "10.6.20.5", State: state, Since: since}}}
	}
	for name, tc := range map[string]struct {
		c      network.Config
		in     network.Inside
		up     bool
		why    string
		routes int
	}{
		"up":                 {edge(peer(), network.Settings{}), bgp("established", "", 3), true, "", 1},
		"nothing accepted":   {edge(peer("accepts", "none"), network.Settings{}), bgp("established", "", 3), true, NothingTaken, 1},
		"nothing announced":  {edge(peer("announces", "none"), network.Settings{}), bgp("established", "", 0), true, NothingTold, 1},
		"another secret":     {edge(peer(), network.Settings{}), bgp("active", Authentication, 0), false, Authentication, 1},
		"a fault unheard of": {edge(peer(), network.Settings{}), bgp("active", "moonlight", 0), false, Waiting, 1},
		"not told why":       {edge(peer(), network.Settings{}), bgp("connect", "", 0), false, Waiting, 1},
		"not told of":        {edge(peer(), network.Settings{}), network.Inside{}, false, Waiting, 0},
		"no AS":              {edge(peer("peer-as", "none"), network.Settings{}), network.Inside{}, false, Incomplete, 0},
		"no address":         {edge(peer("peer-address", "none"), network.Settings{}), network.Inside{}, false, Incomplete, 0},
		"no network":         {edge(peer("peer-address", "10.66.20.5"), network.Settings{}), network.Inside{}, false, NoNetwork, 0},
		"full":               {edge(nil, area()), ospf(heard("full")), true, "", 1},
		"two-way":            {edge(nil, area()), ospf(heard("two_way")), true, "", 1},
		"on the way":         {edge(nil, area()), ospf(heard("exstart")), false, Waiting, 1},
		"silent":             {edge(nil, area()), ospf(network.OSPFInterface{Name: "vlan20"}), false, Silent, 0},
		"another area":       {edge(nil, area()), ospf(network.OSPFInterface{Name: "vlan20", Fault: AreaMismatch}), false, AreaMismatch, 0},
		"never read":         {edge(nil, area()), network.Inside{}, false, Silent, 0},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			got := Of("kb-edge-01", tc.c, tc.in)
			require.Len(t, got, 1)
			assert.Equal(t, [3]any{tc.up, tc.why, tc.routes}, [3]any{got[0].Up, got[0].Why, got[0].Routes})
			away := got[0].AwayNow()
			assert.Equal(t, [2]any{false, Away}, [2]any{away.Up, away.Why})
			assert.Zero(t, away.Since)
		})
	}
	assert.Empty(t, Of("kb-edge-01", edge(nil, area("ospf-passive", "on")), network.Inside{}), "where it looks for nobody nobody is missed")
	assert.Empty(t, Of("kb-edge-01", edge(nil, network.Settings{}), bgp("established", "", 1)), "other sites are no routers of the site")
}

func TestWhatARouterIsTold(t *testing.T) {
	t.Parallel()
	c := edge(network.Settings{"peer-address": "10.6.20.5", "peer-as": "64900", "announces": "10.1.0.0/16,10.6.20.0/24"}, network.Settings{"ospf-area": "0.0.0.0"})
	list := Of("kb-edge-01", c, bgp("established", "", 1))
	for address, want := range map[string]bool{"10.1.20.7": true, "10.6.20.255": true, "10.6.30.7": false, "10.7.20.7": false} {
		n, told, is := At(list, c, "10.6.20.5", netip.MustParseAddr(address))
		assert.True(t, is)
		assert.Equal(t, "yard", n.Name)
		assert.Equal(t, want, told, address)
	}
	_, _, is := At(list, c, "10.6.20.99", netip.MustParseAddr("10.1.20.7"))
	assert.False(t, is)
	_, _, is = At(list, c, "", netip.MustParseAddr("10.1.20.7"))
	assert.False(t, is, "one that nobody hears has no address")
	_, told, _ := At([]Neighbour{{Protocol: OSPF, Address: "10.6.20.6"}}, c, "10.6.20.6", netip.MustParseAddr("10.9.9.9"))
	assert.True(t, told, "OSPF tells all")
}

func TestTheVLANOfAnInterface(t *testing.T) {
	t.Parallel()
	for name, want := range map[string]network.VLANID{"vlan20": 20, "vlan": 0, "wan1": 0, "vlan4095": 0, "20": 0} {
		v, is := Network(name)
		assert.Equal(t, want, v, name)
		assert.Equal(t, want > 0, is, name)
	}
}
