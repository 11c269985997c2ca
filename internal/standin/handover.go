package standin

import "slices"

// A line of a provider may be handed over at another site than that of the edge that it is for: from there on it is frames of a VLAN as others are, over
// whatever lies between.

// alongLine counts what leaves an edge by a line, or comes to it, on all that the line comes over.
func (w *World) alongLine(e endpoint, octets float64, leaves bool) {
	h := w.handovers[e]
	if h == nil {
		return
	}
	h.port.passes(octets, leaves)
	for _, x := range w.routeOf(h) {
		x.near.passes(octets, !leaves)
		if x.far != w.at(e) { // that was counted already
			x.far.passes(octets, leaves)
		}
	}
}

// passes counts octets that go out of a port, or come in.
func (p *portSim) passes(octets float64, out bool) {
	if out {
		p.counters.outOctets += octets
	} else {
		p.counters.inOctets += octets
	}
}

// handedOver is the way of a line from where its provider hands it over to the port of the edge; ok is false where nothing gets there. A line that ends at its edge
// needs none.
func (w *World) handedOver(e endpoint) (way []hop, ok bool) {
	h := w.handovers[e]
	if h == nil {
		return nil, true
	}
	i := slices.IndexFunc(w.cablesAt[e.device], func(c *cable) bool { return c.a == e || c.b == e })
	if i < 0 || !h.port.up || h.cut {
		return nil, false
	}
	last := w.cablesAt[e.device][i].a
	if last == e {
		last = w.cablesAt[e.device][i].b
	}
	vlan := h.joined(w.devices[h.at.device].cfg)
	end := room{last.device, w.devices[last.device].cfg.ports[last.port].untagged}
	by := w.around(room{h.at.device, vlan})
	if _, there := by[end]; !there || end.vlan != vlan {
		return nil, false
	}
	way = []hop{{w.at(last), w.at(e)}}
	for at := end; by[at].by != nil; at = by[at].from {
		c := by[at].by
		near, far := c.a, c.b
		if near.device == at.device {
			near, far = far, near
		}
		way = append(way, hop{w.at(near), w.at(far)})
	}
	slices.Reverse(way)
	return way, true
}
