package guard

import (
	"fmt"
	"maps"
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/peering"
	"example.net/everypost/internal/core/setting"
)

// peerings finds sessions with routers of a site that could not stand, or would carry nothing, and routes that would be lost.
func peerings(p Proposal) (out []Finding) {
	for _, device := range slices.Sorted(maps.Keys(p.After)) {
		before, after := p.Before[device], p.After[device]
		add := func(level Level, object, part, what, why, do string) {
			at := network.PortRef{Device: device, Port: object}
			out = append(out, Finding{ID: "peerings:" + at.String() + ":" + part, Guard: "peerings", Level: level, Ports: []network.PortRef{at}, What: what, Why: why, Do: do})
		}
		was, is := setting.BGPPeers(before), setting.BGPPeers(after)
		for _, peer := range is {
			if i := slices.IndexFunc(was, func(o setting.BGPPeer) bool { return o.Name == peer.Name }); i < 0 || !same(was[i], peer) {
				peerFaults(device, peer, is, after, add)
			}
		}
		areaFaults(device, before, after, add)
		lostRouters(device, peering.Of(device, before, p.Insides[device]), before, after, add)
	}
	return out
}

func same(a, b setting.BGPPeer) bool {
	return a.Address == b.Address && a.AS == b.AS && a.Secret == b.Secret && slices.Equal(a.Announces, b.Announces) && slices.Equal(a.Accepts, b.Accepts)
}

type adder func(level Level, object, part, what, why, do string)

func peerFaults(device string, peer setting.BGPPeer, all []setting.BGPPeer, c network.Config, add adder) {
	object := setting.Object(setting.OnBGPPeer, peer.Name)
	if !peer.Address.IsValid() || peer.AS == 0 {
		add(Stop, object, "ends", fmt.Sprintf("BGP peer %s of %s has no address, or no AS.", peer.Name, device), "No session would stand.", "Give both: peer-address and peer-as.")
		return
	}
	at := slices.IndexFunc(setting.Gateways(c), func(g setting.Gateway) bool { return g.Address.IsValid() && g.Address.Contains(peer.Address) })
	switch {
	case at < 0:
		add(Stop, object, "network", fmt.Sprintf("BGP peer %s is %s, which is in no network of %s.", peer.Name, peer.Address, device), "The device would not reach it, and no session would stand.",
			"Name a router in a VLAN where the device has an address: peer-address.")
	case setting.Gateways(c)[at].Address.Addr() == peer.Address:
		add(Stop, object, "own", fmt.Sprintf("BGP peer %s is %s, the address of %s itself.", peer.Name, peer.Address, device), "A device exchanges no routes with itself.", "Give the address of the router: peer-address.")
	}
	for _, other := range all {
		if other.Name != peer.Name && other.Address == peer.Address {
			add(Stop, object, "twice", fmt.Sprintf("BGP peers %s and %s of %s are one router, %s.", other.Name, peer.Name, device, peer.Address), "The device would refuse the second.", "Take one of them out.")
		}
	}
	if peer.Secret == "" {
		add(Warn, object, "secret", fmt.Sprintf("BGP peer %s of %s has no secret.", peer.Name, device), "Whoever takes its address on that VLAN can tell the company's edges where to send.", "Set peer-secret, alike at the router.")
	}
	if len(peer.Accepts) == 0 && len(peer.Announces) == 0 {
		add(Warn, object, "nothing", fmt.Sprintf("BGP peer %s of %s would exchange no routes.", peer.Name, device), "Without announces and accepts nothing is told and nothing taken (RFC 8212).",
			"Say which prefixes: announces=10.0.0.0/8 accepts=172.20.0.0/16, or any.")
	}
	for _, w := range peer.Accepts {
		if w.Bits() == 0 {
			add(Warn, object, "all", fmt.Sprintf("%s would take any route from BGP peer %s.", device, peer.Name), "A default route, or one to a site of yours, that is told there by mistake draws traffic away.", "Name the prefixes that are behind it: accepts.")
		}
	}
}

func areaFaults(device string, before, after network.Config, add adder) {
	for _, g := range setting.Gateways(after) {
		area, _ := setting.OSPFOf(after, g.VLAN)
		if was, _ := setting.OSPFOf(before, g.VLAN); area == "" || was == area {
			continue
		}
		if !g.Address.IsValid() {
			add(Stop, setting.GatewayObject(g.VLAN), "ospf", fmt.Sprintf("%s would speak OSPF in VLAN %s, where it has no address.", device, g.VLAN), "No router would hear it.", "Give it an address there: gateway-address.")
		}
		if o := after.Objects[setting.GatewayObject(g.VLAN)]; o["ospf-secret"] == "" && o["ospf-passive"] != "on" {
			add(Warn, setting.GatewayObject(g.VLAN), "ospf-secret", fmt.Sprintf("OSPF of %s in VLAN %s has no secret.", device, g.VLAN), "Whoever is plugged in there can tell the company's edges where to send.",
				"Set ospf-secret, alike at the routers, or ospf-passive=on where there is none.")
		}
	}
}

// lostRouters finds routers by which routes in use go, and with which none would be exchanged any more, or only once they are set alike.
func lostRouters(device string, was []peering.Neighbour, before, after network.Config, add adder) {
	is := peering.Of(device, after, network.Inside{})
	for _, n := range was {
		i := slices.IndexFunc(is, func(o peering.Neighbour) bool { return o.Object == n.Object })
		part, why := "lost:"+n.Address, fmt.Sprintf("What is behind it would not be reached, from any site: networks by %d routes.", n.Routes)
		switch {
		case n.Routes == 0:
		case i < 0 || is[i].Why == peering.Incomplete || is[i].Why == peering.NoNetwork || n.Protocol == peering.BGP && is[i].Address != n.Address:
			add(Warn, n.Object, part, fmt.Sprintf("%s would exchange routes with %s no more.", device, n.Address), why, "Look whether something else leads there: a static route, another router.")
		case is[i].AS != n.AS || is[i].Area != n.Area || !alike(before, after, n.Object, "peer-secret", "ospf-secret"):
			add(Warn, n.Object, part, fmt.Sprintf("%s would be set otherwise than router %s is now.", device, n.Address), "They exchange nothing until both are alike. "+why, "Agree with its people on the hour, and set both.")
		}
	}
}

func alike(before, after network.Config, object string, settings ...string) bool {
	return !slices.ContainsFunc(settings, func(name string) bool { return before.Objects[object][name] != after.Objects[object][name] })
}
