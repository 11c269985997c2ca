package reach

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/peering"
	"example.net/everypost/internal/core/policy"
	"example.net/everypost/internal/core/setting"
)

// routerOf is a device of the site of another that is connected to the network of an address, "" for none.
func (a *asking) routerOf(device string, address netip.Addr) string {
	var found []string
	for d, site := range a.n.SiteOf {
		if site != a.n.SiteOf[device] {
			continue
		}
		if _, here := a.vlanAt(d, address); here {
			found = append(found, d)
		}
	}
	slices.Sort(found)
	for _, d := range found {
		if !a.n.Gone[d] {
			return d
		}
	}
	if len(found) > 0 {
		return found[0]
	}
	return ""
}

// vlanAt is the VLAN of the network of an address to which a device is connected.
func (a *asking) vlanAt(device string, address netip.Addr) (network.VLANID, bool) {
	r, ok := a.longest(device, address)
	if !ok || r.Origin != "connected" {
		return 0, false
	}
	return peering.Network(r.Interface)
}

// beyond is the VLAN of a device in which the router is by which it reaches an address, and the address of that router; ok is false where none of its own networks
// leads there.
func (a *asking) beyond(device string, r network.Route) (v network.VLANID, via netip.Addr, ok bool) {
	via, err := netip.ParseAddr(r.Via)
	if err != nil || a.n.Owns[via] != "" {
		return 0, via, false
	}
	v, ok = peering.Network(r.Interface)
	return v, via, ok
}

// zoneAt is the VLAN of a device in which an address is, or the router by which it is reached; 0 for what is elsewhere.
func (a *asking) zoneAt(device string, address netip.Addr) network.VLANID {
	if v, here := a.vlanAt(device, address); here {
		return v
	}
	if r, ok := a.longest(device, address); ok {
		if v, _, here := a.beyond(device, r); here {
			return v
		}
	}
	return 0
}

// tableOf is the segment of a device in which the network of an address is connected to it; "" where it is in none.
func (a *asking) tableOf(device string, address netip.Addr) string {
	for _, vrf := range a.n.Insides[device].VRFs {
		for _, r := range vrf.Routes {
			if p, err := netip.ParsePrefix(r.Prefix); err == nil && r.Origin == "connected" && r.From == "" && p.Contains(address) {
				return a.segment(device, vrf.Name)
			}
		}
	}
	return ""
}

// segment is the name of a table where that is one of a segment; "" of those that are there without being made.
func (a *asking) segment(device, vrf string) string {
	if setting.IsSegment(a.n.Configs[device], vrf) {
		return vrf
	}
	return ""
}

// longest is the route of a device to an address: the most exact one, of all of its tables.
func (a *asking) longest(device string, address netip.Addr) (best network.Route, ok bool) {
	return a.within(device, address, func(string) bool { return true })
}

// ofTable is the route of a device to an address by the table of a segment; "" for those that are in none.
func (a *asking) ofTable(device, table string, address netip.Addr) (best network.Route, ok bool) {
	return a.within(device, address, func(vrf string) bool { return a.segment(device, vrf) == table })
}

func (a *asking) within(device string, address netip.Addr, of func(vrf string) bool) (best network.Route, ok bool) {
	bits := -1
	for _, vrf := range a.n.Insides[device].VRFs {
		if !of(vrf.Name) {
			continue
		}
		for _, r := range vrf.Routes {
			if p, err := netip.ParsePrefix(r.Prefix); err == nil && p.Contains(address) && p.Bits() > bits {
				best, bits, ok = r, p.Bits(), true
			}
		}
	}
	return best, ok
}

const mostRouters = 16

// route follows routes from a router to the one that is connected to the network that is asked for.
func (a *asking) route(router string) (last string, vlan network.VLANID, ok bool) {
	to := a.q.To.Address
	seen := map[string]bool{}
	table := a.tableOf(router, a.q.From.Address)
	for len(seen) < mostRouters && !seen[router] {
		seen[router] = true
		if a.n.Gone[router] {
			a.answer.Outage = true
			a.end(Hop{Device: router, Verdict: Stops, What: "it routes, and is not in hand"})
			return "", 0, false
		}
		r, has := a.ofTable(router, table, to)
		if !has {
			h := Hop{Device: router, Verdict: Stops, What: fmt.Sprintf("it has no route to %s", to)}
			if table != "" {
				h.What += " in segment " + table
				h.Object = setting.Object(setting.OnSegment, table)
			} else if other, elsewhere := a.longest(router, to); elsewhere && other.Origin == "connected" {
				h.What += ": that is in segment " + a.tableOf(router, to)
			}
			a.end(h)
			return "", 0, false
		}
		h := Hop{Device: router, Out: r.Interface, Verdict: Passes, What: fmt.Sprintf("route %s, %s", r.Prefix, r.Origin), Line: r.Prefix}
		if table != "" {
			h.What += ", of segment " + table
		}
		if r.From != "" {
			h.What += ", leaked from " + r.From
			table = a.segment(router, r.From)
		}
		if v, connected := a.vlanAt(router, to); connected {
			h.VLAN = v
			a.hop(h)
			if !a.answered(router) {
				return "", 0, false
			}
			return router, v, true
		}
		if t, isTunnel := a.tunnel(router, r.Interface); isTunnel {
			if !t.Up {
				a.answer.Outage = true
				h.Verdict, h.What = Stops, fmt.Sprintf("tunnel %s is down", t.Name)
				a.end(h)
				return "", 0, false
			}
			h.What += ", by tunnel " + t.Name
		}
		if v, via, here := a.beyond(router, r); here && r.Prefix != setting.AnyRoute {
			h.VLAN = v
			h.What += fmt.Sprintf(", by router %s", via)
			a.hop(h)
			if !a.answeredFrom(router, via) {
				return "", 0, false
			}
			a.by = via
			return router, v, true
		}
		via, err := netip.ParseAddr(r.Via)
		next := a.n.Owns[via]
		if err != nil || next == "" {
			h.Verdict, h.What = Passes, fmt.Sprintf("it leaves what is known: %s by %s", h.What, cmp.Or(r.Interface, r.Via))
			if why, stops := a.lost(); why != "" {
				h.Verdict, h.What = stops, why
				a.end(h)
				return "", 0, false
			}
			a.hop(h)
			a.answer.Verdict, a.answer.Why = Passes, ""
			return "", 0, false
		}
		h.What += " to " + next
		a.hop(h)
		router = next
	}
	a.end(Hop{Device: router, Verdict: Stops, What: "its routes lead in a circle"})
	return "", 0, false
}

// lost tells why nothing comes of a session that leaves what is known, and whether that is certain; "" where it is answered from outside.
func (a *asking) lost() (why string, certain Verdict) {
	from, to := a.q.From.Address, a.q.To
	switch private := !policy.Known(to.Address); {
	case private && to.Device != "":
		return fmt.Sprintf("it would leave what is known, and %s is at %s: no route leads there", to.Address, to.Device), Stops
	case private:
		return fmt.Sprintf("it leaves what is known, and nobody saw whether %s is there", to.Address), Unknown
	case a.hides != "" && !policy.Known(from):
		return fmt.Sprintf("no translation of %s fits it, and from outside nobody can answer to %s", a.hides, from), Stops
	}
	return "", Passes
}

// answered tells whether the router to which the other end is connected has a route back, by the table in which that end is.
func (a *asking) answered(router string) bool {
	table := a.tableOf(router, a.q.To.Address)
	if _, back := a.ofTable(router, table, a.q.From.Address); back || table == "" {
		return true
	}
	a.end(Hop{Device: router, Verdict: Stops, What: fmt.Sprintf("what is answered has no route back to %s in segment %s", a.q.From.Address, table), Object: setting.Object(setting.OnSegment, table)})
	return false
}

// answeredFrom tells whether a router that is no device in hand has a route back, as far as that can be known: where routes are exchanged with it, by what it is told.
func (a *asking) answeredFrom(device string, via netip.Addr) bool {
	c, in := a.n.Configs[device], a.n.Insides[device]
	n, told, is := peering.At(peering.Of(device, c, in), c, via.String(), a.source)
	if !is || told {
		return true
	}
	a.end(Hop{Device: device, Out: n.Interface, Verdict: Stops, What: fmt.Sprintf("router %s is told of no route back to %s: announces of BGP peer %s", via, a.source, n.Name), Object: n.Object})
	return false
}

func (a *asking) tunnel(device, name string) (network.Tunnel, bool) {
	for _, t := range a.n.Insides[device].Tunnels {
		if t.Name == name {
			return t, true
		}
	}
	return network.Tunnel{}, false
}
