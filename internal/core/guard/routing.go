package guard

import (
	"fmt"
	"maps"
	"net/netip"
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// routing finds networks of a device that overlap, addresses that are given out outside of their network or twice, routes that lead nowhere, and
// stations that would lose their gateway.
func routing(p Proposal) []Finding {
	var out []Finding
	for _, device := range slices.Sorted(maps.Keys(p.After)) {
		before, after := p.Before[device], p.After[device]
		was, is := setting.Gateways(before), setting.Gateways(after)
		stop := func(object, part, what, why, do string) {
			at := network.PortRef{Device: device, Port: object}
			out = append(out, Finding{ID: "routing:" + at.String() + ":" + part, Guard: "routing", Level: Stop, Ports: []network.PortRef{at}, What: what, Why: why, Do: do})
		}
		if !maps.EqualFunc(before.Objects, after.Objects, maps.Equal[network.Settings, network.Settings]) {
			gatewayFaults(device, is, stop)
			routeFaults(device, is, setting.StaticRoutes(before), setting.StaticRoutes(after), stop)
		}
		out = append(out, p.lostGateways(device, was, is)...)
	}
	return out
}

type stopper func(object, part, what, why, do string)

func gatewayFaults(device string, list []setting.Gateway, stop stopper) {
	for i, g := range list {
		object := setting.GatewayObject(g.VLAN)
		for _, o := range list[:i] {
			if g.Address.IsValid() && o.Address.IsValid() && g.Address.Overlaps(o.Address) {
				stop(object, "overlap", fmt.Sprintf("%s would be in %s in VLAN %s, which overlaps %s in VLAN %s.", device, g.Address, g.VLAN, o.Address, o.VLAN),
					"It would not be known to which VLAN an address belongs.", "Give one of them another network.")
			}
		}
		if g.DHCP && !g.Address.IsValid() {
			stop(object, "no-address", fmt.Sprintf("%s would give out addresses in VLAN %s, where it has none itself.", device, g.VLAN), "Stations would get no gateway.", "Give it an address there: gateway-address.")
			continue
		}
		if g.DHCP && len(g.Ranges) == 0 && len(g.Reservations) == 0 {
			stop(object, "no-range", fmt.Sprintf("%s would give out addresses in VLAN %s, and has none to give.", device, g.VLAN), "Stations would get none.", "Say which: dhcp-ranges.")
		}
		for k, r := range g.Ranges {
			switch {
			case g.Address.IsValid() && (!g.Address.Contains(r.Low) || !g.Address.Contains(r.High)):
				stop(object, "range", fmt.Sprintf("%s-%s is not in the network of VLAN %s on %s, %s.", r.Low, r.High, g.VLAN, device, g.Address.Masked()), "Who gets such an address reaches nobody.", "Keep the range within the network.")
			case g.Address.IsValid() && r.Has(g.Address.Addr()):
				stop(object, "own", fmt.Sprintf("%s-%s holds %s itself, at %s.", r.Low, r.High, device, g.Address.Addr()), "A station would get the address of its gateway.", "Leave that address out of the range.")
			}
			for _, o := range g.Ranges[:k] {
				if r.Has(o.Low) || o.Has(r.Low) {
					stop(object, "ranges", fmt.Sprintf("Two ranges of VLAN %s on %s overlap.", g.VLAN, device), "An address could be given to two stations.", "Join them to one.")
				}
			}
		}
		reservationFaults(device, object, g, stop)
	}
}

func reservationFaults(device, object string, g setting.Gateway, stop stopper) {
	stations, taken := map[string]int{}, map[netip.Addr]int{}
	for _, r := range g.Reservations {
		part := fmt.Sprintf("reservation-%d", r.Row)
		other := max(stations[r.MAC], taken[r.Address])
		switch {
		case g.Address.IsValid() && !g.Address.Contains(r.Address):
			stop(object, part, fmt.Sprintf("Reservation %d gives %s, which is not in the network of VLAN %s on %s, %s.", r.Row, r.Address, g.VLAN, device, g.Address.Masked()),
				"The station would reach nobody.", "Give it one of the network.")
		case r.Address == g.Address.Addr():
			stop(object, part, fmt.Sprintf("Reservation %d gives away the address of %s itself, %s.", r.Row, device, r.Address), "The station would stand in for the gateway of all others.", "Give it another one.")
		case other > 0:
			stop(object, part, fmt.Sprintf("Reservations %d and %d of VLAN %s are of the same station or the same address.", other, r.Row, g.VLAN), "Only one of them could hold.", "Take one of them out.")
		}
		stations[r.MAC], taken[r.Address] = r.Row, r.Row
	}
}

func routeFaults(device string, gateways []setting.Gateway, before, after []setting.StaticRoute, stop stopper) {
	for _, r := range after {
		if slices.Contains(before, r) {
			continue
		}
		object := setting.Object(setting.OnRoute, r.Name)
		switch {
		case !r.Prefix.IsValid() || !r.Via.IsValid():
			stop(object, "ends", fmt.Sprintf("Route %s of %s does not say to where, or by whom.", r.Name, device), "The device would refuse it.", "Give both: route-prefix and route-via.")
		case len(gateways) > 0 && !slices.ContainsFunc(gateways, func(g setting.Gateway) bool { return g.Address.Contains(r.Via) }):
			stop(object, "via", fmt.Sprintf("Route %s goes by %s, which is in no network of %s.", r.Name, r.Via, device), "The device could not reach it, and would not use the route.",
				"Name a router in a VLAN where the device has an address.")
		}
	}
}

// lostGateways finds VLANs in which a device would be the gateway no more.
func (p Proposal) lostGateways(device string, was, is []setting.Gateway) []Finding {
	var out []Finding
	for _, g := range was {
		i := slices.IndexFunc(is, func(o setting.Gateway) bool { return o.VLAN == g.VLAN })
		if !g.Address.IsValid() || i >= 0 && is[i].Address == g.Address {
			continue
		}
		at := network.PortRef{Device: device, Port: setting.GatewayObject(g.VLAN)}
		n := 0
		for _, l := range p.Insides[device].Leases {
			if l.VLAN == g.VLAN {
				n++
			}
		}
		f := Finding{ID: "routing:" + at.String() + ":lost", Guard: "routing", Level: Warn, Ports: []network.PortRef{at},
			What: fmt.Sprintf("%s would be the gateway of VLAN %s at %s no more.", device, g.VLAN, g.Address.Addr()),
			Why:  "Stations that have it as their gateway reach nothing beyond their VLAN.", Do: "Look whether another device takes the address over."}
		if n > 0 {
			f.Why = fmt.Sprintf("%d stations that got their address from it reach nothing beyond their VLAN until they ask again.", n)
		}
		out = append(out, f)
	}
	return out
}
