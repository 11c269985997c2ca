package guard

import (
	"testing"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

func TestPeerings(t *testing.T) {
	t.Parallel()
	const secret, other = "secret:0123456789abcdef01234567", "secret:89abcdef0123456701234567"
	house := func() Proposal {
		c := network.Config{Hostname: "kb-edge-01", Features: []network.Feature{setting.Routing, setting.RoutingProtocols}, VLANs: map[network.VLANID]network.VLAN{20: {ID: 20}, 30: {ID: 30}, 40: {ID: 40}},
			Objects: map[string]network.Settings{
				"gateway/20":    {"gateway-address": "10.6.20.1/24"},
				"gateway/30":    {"gateway-address": "10.6.30.1/24", "ospf-area": "0.0.0.0", "ospf-secret": secret},
				"gateway/40":    {},
				"bgp-peer/yard": {"peer-address": "10.6.20.5", "peer-as": "64900", "peer-secret": secret, "announces": "10.0.0.0/8", "accepts": "172.20.8.0/22"},
			}}
		in := network.Inside{VRFs: []network.VRF{{Name: "default", BGP: &network.BGP{Neighbours: []network.BGPNeighbour{{Address: "10.6.20.5", State: "established"}}},
			OSPF:   &network.OSPF{Interfaces: []network.OSPFInterface{{Name: "vlan30", Neighbours: []network.OSPFNeighbour{{Address: "10.6.30.5", State: "full"}}}}},
			Routes: []network.Route{{Prefix: "172.20.8.0/22", Via: "10.6.20.5"}, {Prefix: "172.20.16.0/22", Via: "10.6.30.5"}, {Prefix: "172.20.20.0/22", Via: "10.6.30.5"}}}}}
		return Proposal{Before: map[string]network.Config{"e": c}, Insides: map[string]network.Inside{"e": in}}
	}
	id := func(list ...string) (out []string) {
		for _, s := range list {
			out = append(out, "peerings:e:"+s)
		}
		return out
	}
	quay := func(more ...string) [][3]string {
		out := [][3]string{{"e:bgp-peer/quay", "present", "on"}}
		for i := 0; i < len(more); i += 2 {
			out = append(out, [3]string{"e:bgp-peer/quay", more[i], more[i+1]})
		}
		return out
	}
	good := func(more ...string) [][3]string {
		return append(quay("peer-address", "10.6.30.7", "peer-as", "64901", "peer-secret", secret, "announces", "any", "accepts", "172.20.40.0/22"), quay(more...)[1:]...)
	}
	for name, tc := range map[string]guardCase{
		"a good one":             {edits: good()},
		"without an address":     {edits: quay("peer-as", "64901"), want: id("bgp-peer/quay:ends"), says: "has no address, or no AS."},
		"in no network":          {edits: good("peer-address", "10.66.20.5"), want: id("bgp-peer/quay:network"), says: "10.66.20.5, which is in no network of e."},
		"the device itself":      {edits: good("peer-address", "10.6.20.1"), want: id("bgp-peer/quay:own"), says: "the address of e itself"},
		"the same router twice":  {edits: good("peer-address", "10.6.20.5"), want: id("bgp-peer/quay:twice"), says: "are one router, 10.6.20.5"},
		"without a secret":       {edits: good("peer-secret", ""), want: id("bgp-peer/quay:secret"), says: "BGP peer quay of e has no secret."},
		"nothing is exchanged":   {edits: good("announces", "none", "accepts", "none"), want: id("bgp-peer/quay:nothing"), says: "would exchange no routes"},
		"all is taken":           {edits: good("accepts", "any"), want: id("bgp-peer/quay:all"), says: "would take any route from BGP peer quay"},
		"OSPF without address":   {edits: [][3]string{{"e:gateway/40", "ospf-area", "0"}, {"e:gateway/40", "ospf-secret", secret}}, want: id("gateway/40:ospf"), says: "where it has no address"},
		"OSPF without a secret":  {edits: [][3]string{{"e:gateway/20", "ospf-area", "1"}}, want: id("gateway/20:ospf-secret"), says: "OSPF of e in VLAN 20 has no secret."},
		"OSPF without a router":  {edits: [][3]string{{"e:gateway/20", "ospf-area", "1"}, {"e:gateway/20", "ospf-passive", "on"}}},
		"a peer is taken away":   {edits: [][3]string{{"e:bgp-peer/yard", "present", "off"}}, want: id("bgp-peer/yard:lost:10.6.20.5"), says: "e would exchange routes with 10.6.20.5 no more."},
		"a peer gets another AS": {edits: [][3]string{{"e:bgp-peer/yard", "peer-as", "64902"}}, want: id("bgp-peer/yard:lost:10.6.20.5"), says: "would be set otherwise than router 10.6.20.5 is now"},
		"another secret":         {edits: [][3]string{{"e:bgp-peer/yard", "peer-secret", other}}, want: id("bgp-peer/yard:lost:10.6.20.5"), says: "set otherwise"},
		"another area":           {edits: [][3]string{{"e:gateway/30", "ospf-area", "7"}}, want: id("gateway/30:lost:10.6.30.5"), says: "set otherwise"},
		"OSPF no more":           {edits: [][3]string{{"e:gateway/30", "ospf-area", "none"}}, want: id("gateway/30:lost:10.6.30.5"), says: "with 10.6.30.5 no more"},
		"more is announced":      {edits: [][3]string{{"e:bgp-peer/yard", "announces", "any"}}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			tc.holds(t, house(), "peerings")
		})
	}
}
