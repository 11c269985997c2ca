package standin

import (
	"cmp"
	"strconv"

	"example.net/everypost/internal/wire/xmlnode"
)

// stacked is what is carried within a service VLAN (IEEE 802.1ad): in a VLAN of whom it is carried for, 0 where it has no tag of his.
func stacked(service, vlan int) int { return service<<12 | vlan }

// outermost is the VLAN by which switches forward what is in a room.
func outermost(inside int) int { return cmp.Or(inside>>12, inside&0xfff) }

// sends tells with which tags a frame leaves by a port, 0 for none.
func (p portConfig) sends(inside int) (service, vlan int, ok bool) {
	service, vlan = inside>>12, inside&0xfff
	switch {
	case service == 0 && vlan == p.untagged:
		return 0, 0, vlan != 0
	case service == 0:
		return 0, vlan, inSpans(p.tagged, vlan)
	case service == p.service: // what the port has for itself is not the customer's
		return 0, vlan, vlan == 0 && p.untagged == 0 || vlan != 0 && vlan != p.untagged && !inSpans(p.tagged, vlan)
	}
	return service, vlan, inSpans(p.services, service)
}

// takes tells in which VLAN a frame is that comes in by a port, stacked where it is carried for somebody else, 0 for none.
func (p portConfig) takes(service, vlan int) int {
	switch {
	case service != 0 && inSpans(p.services, service):
		return stacked(service, vlan)
	case service != 0:
		return 0
	case vlan == 0 && p.untagged != 0:
		return p.untagged
	case vlan != 0 && inSpans(p.tagged, vlan):
		return vlan
	case vlan != 0 && vlan == p.untagged: // tagged for what is untagged there
		return 0
	case p.service != 0:
		return stacked(p.service, vlan)
	}
	return 0
}

// serviceNodes are what ports were first told to carry for others.
func serviceNodes(ports []PortSpec) (out []*xmlnode.Node) {
	x := in("ep-sw")
	for _, p := range ports {
		if p.Service == 0 && len(p.Services) == 0 {
			continue
		}
		n := x.node("port", x.leaf("name", p.Name))
		if p.Service != 0 {
			n.Add(x.int("service-vlan", p.Service))
		}
		if len(p.Services) > 0 {
			trunk := x.node("service-trunk")
			for _, v := range p.Services {
				trunk.Add(x.leaf("vlan", strconv.Itoa(v)))
			}
			n.Add(trunk)
		}
		out = append(out, n)
	}
	return out
}

// toPeer is the way of a station's frames to the one with which alone it talks; ok is false where they do not get there.
func (w *World) toPeer(h *host) (way []hop, ok bool) {
	to := h.peer
	start := room{h.at.device, h.joined(w.devices[h.at.device].cfg)}
	end := room{to.at.device, to.joined(w.devices[to.at.device].cfg)}
	by := w.around(start)
	if _, there := by[end]; !there || start.vlan == 0 || !to.port.up || to.cut {
		return nil, false
	}
	for at := end; by[at].by != nil; at = by[at].from {
		near, far := by[at].by.a, by[at].by.b
		if near.device == at.device {
			near, far = far, near
		}
		way = append([]hop{{w.at(near), w.at(far)}}, way...)
	}
	return way, true
}
