package topology

import "example.net/everypost/internal/core/network"

// carried tells whether frames of a line get from the port at which its provider hands it over to that of the edge for which it is, over links that open tells of.
func (f Failing) carried(from, to network.PortRef, open func(Link) bool) bool {
	v := f.Configs[from.Device].Ports[from.Port].Untagged()
	start := place{from.Device, Tags{VLAN: v}}
	seen, queue := map[place]bool{start: true}, []place{start}
	for len(queue) > 0 && v != 0 {
		at := queue[0]
		queue = queue[1:]
		for _, l := range f.Links {
			if l.A.Device != at.device && l.B.Device != at.device || f.Gone[l.A.Device] || f.Gone[l.B.Device] || !Passes(f.Configs, l) || !open(l) {
				continue
			}
			near, far := l.Other(at.device)
			out := f.Configs[near.Device].Ports[near.Port]
			if far == to && out.Enabled && at.tags == (Tags{VLAN: out.Untagged()}) {
				return true
			}
			tags, passes := Pass(f.Configs, near, far, at.tags)
			if next := (place{far.Device, tags}); passes && !seen[next] {
				seen[next] = true
				queue = append(queue, next)
			}
		}
	}
	return false
}

// takesLine tells whether a thing that fails takes a tunnel with it because the line of one of its ends is handed over elsewhere, and gets to the edge no more.
func (f Failing) takesLine(t Thing, l Line) bool {
	for _, e := range []End{l.A, l.B} {
		for _, port := range e.Ports {
			to := network.PortRef{Device: e.Device, Port: port}
			from, elsewhere := f.Handed[to]
			if !elsewhere {
				continue
			}
			if t.Device == from.Device || t.Port == from {
				return true
			}
			if f.carried(from, to, func(Link) bool { return true }) && !f.carried(from, to, func(l Link) bool { return !t.fails(l) }) {
				return true
			}
		}
	}
	return false
}
