package topology

import (
	"cmp"
	"maps"
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// Tags is where a frame is within a device: in a VLAN, or in the service VLAN by which it is carried for somebody else, with the VLAN of his that it
// brought, 0 where it brought none (IEEE 802.1ad).
type Tags struct{ Service, VLAN network.VLANID }

// Pass tells where a frame is after it left by one port and came in by another, and whether it gets there.
func Pass(configs map[string]network.Config, near, far network.PortRef, t Tags) (Tags, bool) {
	out, in := configs[near.Device].Ports[near.Port], configs[far.Device].Ports[far.Port]
	if !out.Enabled || !in.Enabled {
		return Tags{}, false
	}
	ours, theirs := setting.ServiceAt(configs[near.Device], near.Port), setting.ServiceAt(configs[far.Device], far.Port)
	wire, ok := sent(out, ours, t)
	if !ok {
		return Tags{}, false
	}
	switch {
	case wire.Service != 0 && theirs.Trunk.Has(wire.Service):
		return wire, true
	case wire.Service != 0:
		return Tags{}, false
	case wire.VLAN == 0 && in.Untagged() != 0:
		return Tags{VLAN: in.Untagged()}, true
	case wire.VLAN != 0 && in.Carries(wire.VLAN) && in.Untagged() != wire.VLAN:
		return wire, true
	case wire.VLAN != 0 && in.Carries(wire.VLAN): // tagged for what is untagged there
		return Tags{}, false
	}
	if theirs.Own == 0 {
		return Tags{}, false
	}
	return Tags{theirs.Own, wire.VLAN}, true
}

// sent is with which tags a frame goes out of a port: what is left of those by which it is inside.
func sent(out network.PortConfig, s setting.ForOthers, t Tags) (wire Tags, ok bool) {
	switch {
	case t.Service != 0 && s.Own == t.Service: // it goes as it came; what the port has for itself does not come from there
		return Tags{VLAN: t.VLAN}, t.VLAN == 0 && out.Untagged() == 0 || t.VLAN != 0 && !out.Carries(t.VLAN)
	case t.Service != 0:
		return t, s.Trunk.Has(t.Service)
	case t.VLAN == 0:
		return Tags{}, false
	case out.Untagged() == t.VLAN:
		return Tags{}, true
	}
	return t, out.Carries(t.VLAN)
}

// ServiceLine is how the ports of a service VLAN are joined.
type ServiceLine struct {
	VLAN  network.VLANID
	Ports []network.PortRef   // at which frames of others come in and go out
	Parts [][]network.PortRef // of them those that reach each other
	Ends  []ServiceEnd        // where a way breaks off
}

// ServiceEnd is a link on which a service VLAN comes as far as one end, and is not taken by the other.
type ServiceEnd struct {
	Near, Far network.PortRef
	Down      bool // the link is down, or blocked
}

// Joined tells whether all of the ports reach each other, and whether there is anybody to reach.
func (l ServiceLine) Joined() bool { return len(l.Parts) == 1 && len(l.Ports) > 1 }

// ServiceLines finds the service VLANs of a network and which of their ports reach each other, over links that are open. A port towards a known device, as of a radio
// to the switch before it, is one of its ports as well.
func ServiceLines(configs map[string]network.Config, links []Link, open func(Link) bool) []ServiceLine {
	devices := map[network.VLANID][]string{}
	for _, d := range slices.Sorted(maps.Keys(configs)) {
		for _, v := range setting.ServiceVLANs(configs[d]) {
			devices[v] = append(devices[v], d)
		}
	}
	at := map[string][]Link{}
	for _, l := range links {
		at[l.A.Device], at[l.B.Device] = append(at[l.A.Device], l), append(at[l.B.Device], l)
	}
	out := make([]ServiceLine, 0, len(devices))
	for _, v := range slices.Sorted(maps.Keys(devices)) {
		line := ServiceLine{VLAN: v}
		seen := map[string]bool{}
		for _, d := range devices[v] {
			if seen[d] {
				continue
			}
			var part []network.PortRef
			queue := []string{d}
			seen[d] = true
			for len(queue) > 0 {
				here := queue[0]
				queue = queue[1:]
				part = append(part, portsOf(configs[here], here, v)...)
				for _, l := range at[here] {
					near, far := l.Other(here)
					if !setting.ServiceAt(configs[near.Device], near.Port).Trunk.Has(v) {
						continue
					}
					takes := setting.ServiceAt(configs[far.Device], far.Port).Trunk.Has(v) && configs[far.Device].Ports[far.Port].Enabled && configs[here].Ports[near.Port].Enabled
					switch {
					case !takes || !open(l):
						line.Ends = append(line.Ends, ServiceEnd{near, far, takes})
					case !seen[far.Device]:
						seen[far.Device] = true
						queue = append(queue, far.Device)
					}
				}
			}
			if len(part) > 0 {
				slices.SortFunc(part, compareRefs)
				line.Parts, line.Ports = append(line.Parts, part), append(line.Ports, part...)
			}
		}
		slices.SortFunc(line.Ports, compareRefs)
		slices.SortFunc(line.Ends, func(a, b ServiceEnd) int { return cmp.Or(compareRefs(a.Near, b.Near), compareRefs(a.Far, b.Far)) })
		out = append(out, line)
	}
	return out
}

// portsOf are the ports and bundles of a device that are in a service VLAN.
func portsOf(c network.Config, device string, v network.VLANID) (out []network.PortRef) {
	for _, ports := range []map[string]network.PortConfig{c.Ports, c.Bundles} {
		for name, p := range ports {
			if p.LAG == "" && setting.ServiceAt(c, name).Own == v {
				out = append(out, network.PortRef{Device: device, Port: name})
			}
		}
	}
	return out
}

// Apart is a port to a customer with the others of its service VLAN that it does not reach any more.
type Apart struct {
	VLAN network.VLANID
	Port network.PortRef
	From []network.PortRef
}

// apart works out which ports to customers something that fails parts: those of a device that fails are lost to the others.
func (f Failing) apart(t Thing) (out []Apart) {
	open := func(l Link) bool {
		return !f.Gone[l.A.Device] && !f.Gone[l.B.Device] && Passes(f.Configs, l)
	}
	after := map[network.PortRef]int{} // in which part each port is, from 1
	n := 0
	for _, line := range ServiceLines(f.Configs, f.Links, func(l Link) bool { return open(l) && !t.fails(l) }) {
		for _, part := range line.Parts {
			n++
			for _, p := range part {
				if p.Device != t.Device && p != t.Port {
					after[p] = n
				}
			}
		}
	}
	for _, line := range ServiceLines(f.Configs, f.Links, open) {
		for _, part := range line.Parts {
			for _, p := range part {
				from := slices.DeleteFunc(slices.Clone(part), func(o network.PortRef) bool { return o == p || after[o] != 0 && after[o] == after[p] })
				if len(from) > 0 && p.Device != t.Device && p != t.Port {
					out = append(out, Apart{line.VLAN, p, from})
				}
			}
		}
	}
	return out
}
