package standin

import (
	"maps"
	"slices"
)

// spanning is the spanning trees: the common one, and those of instances by region and number.
type spanning struct {
	branch
	always    map[endpoint]bool  // blocked for all VLANs: by the manager of a ring, or for a loop on the port itself
	rings     map[string]ringNow // by name
	regions   map[string]string  // by node, "" for none
	instances map[string]map[int]*branch
}

// bundle is the cables that forward as one: one cable, or the members of a link aggregation.
type bundle struct {
	a, b   string // nodes, see nodeOf
	cables []*cable
	speed  int // Mbit/s of all
}

// forwards reports whether the ends of a cable agree to forward over it: both have a link, and bundle it or not, by ways that
// come together.
func (w *World) forwards(c *cable) bool {
	a, b := w.at(c.a), w.at(c.b)
	if !a.up || !b.up {
		return false
	}
	x, inA := w.bundleAt(c.a)
	y, inB := w.bundleAt(c.b)
	switch {
	case !inA && !inB:
		return true
	case inA != inB: // one end alone bundles: it may if it does not wait to be answered
		return inA && x.static || inB && y.static
	case x.static != y.static:
		return false
	}
	return x.static || !x.passive || !y.passive
}

// bundleAt is the bundle of which a port is a member.
func (w *World) bundleAt(e endpoint) (bundleConfig, bool) {
	cfg := w.devices[e.device].cfg
	lag := cfg.ports[e.port].lag
	return cfg.bundles[lag], lag != ""
}

func (w *World) at(e endpoint) *portSim { return w.devices[e.device].ports[e.port] }

// bundles puts the cables that forward together.
func (w *World) bundles() []*bundle {
	type key struct{ a, b, lagA, lagB string }
	found := map[key]*bundle{}
	var out []*bundle
	for _, c := range w.cables {
		if !w.forwards(c) {
			continue
		}
		lag := func(e endpoint) string {
			if l := w.devices[e.device].cfg.ports[e.port].lag; l != "" {
				return l
			}
			return e.device + ":" + e.port
		}
		k := key{w.nodeOf(c.a.device), w.nodeOf(c.b.device), lag(c.a), lag(c.b)}
		if k.a == k.b {
			continue // within a pair
		}
		b := found[k]
		if b == nil {
			b = &bundle{a: k.a, b: k.b}
			found[k] = b
			out = append(out, b)
		}
		b.cables = append(b.cables, c)
		b.speed += w.negotiated(c)
	}
	return out
}

// pathCost is that of IEEE 802.1D-2004 table 17-3: 20 Tbit/s divided by the speed.
func pathCost(mbps int) int { return 20_000_000 / max(mbps, 1) }

// bridgeID orders bridges: priority, then hardware address.
func (w *World) bridgeID(node string) [2]string {
	id, _ := w.bestOf(node)
	return id
}

// bestOf is the device of a bridge by which it goes.
func (w *World) bestOf(node string) (best [2]string, by string) {
	best, by = [2]string{"~"}, w.nodes[node][0]
	for _, name := range w.nodes[node] {
		d := w.devices[name]
		id := [2]string{string(rune('0' + d.cfg.priority/4096)), d.chassisMAC()}
		if !d.cfg.stp {
			id[0] = "~"
		}
		if slices.Compare(id[:], best[:]) < 0 {
			best, by = id, name
		}
	}
	return best, by
}

// spanTree finds the spanning trees (IEEE 802.1Q clause 13, their result rather than their messages): the common one, and those of instances.
func (w *World) spanTree() *spanning {
	s := &spanning{always: map[endpoint]bool{}, rings: w.ringsNow()}
	bundles := slices.DeleteFunc(w.bundles(), func(b *bundle) bool { return s.cutByRing(b) })
	for name, d := range w.devices {
		for port, p := range d.ports {
			if p.guard.looped && d.cfg.stp {
				s.always[endpoint{name, port}] = true
			}
		}
	}
	ranks, regions := map[string][2]string{}, map[string]string{}
	for node := range w.nodes {
		ranks[node], regions[node] = w.bridgeID(node), w.regionAt(node)
	}
	s.regions = regions
	s.branch = *w.grow(bundles, ranks, regions, func(root string) int { return w.timesAt(root).maxAge })
	maps.Copy(s.blocked, s.always)
	w.growInstances(s, bundles)
	return s
}

// guardsRoot tells whether a bridge does not take a bundle as its way to a root.
func (w *World) guardsRoot(b *bundle, node string) bool {
	return slices.ContainsFunc(b.cables, func(c *cable) bool {
		for _, e := range []endpoint{c.a, c.b} {
			if d := w.devices[e.device]; w.nodeOf(e.device) == node && d.cfg.stp && d.cfg.ports[e.port].rootGuard {
				return true
			}
		}
		return false
	})
}

// room is a VLAN inside a device, or what is carried there for somebody else (see stacked).
type room struct {
	device string
	vlan   int
}

// rooms are rooms that frames got into, and how each was entered first.
type rooms map[room]entry

// entry is the cable by which a room was entered, and the room at its other end; nil where frames begin.
type entry struct {
	by   *cable
	from room
}

// spread follows a VLAN from the gateways through the cables: a tagged frame keeps its VLAN, an untagged one takes the one
// of the port where it comes in.
func (w *World) spread(vlan int) rooms {
	by := rooms{}
	var queue []room
	for _, g := range w.gateways {
		if !w.devices[g].routes(vlan) {
			continue
		}
		queue = w.enter(queue, by, room{g, vlan}, entry{})
	}
	w.flood(queue, by, func(room) []room { return nil })
	return by
}

// managed returns the devices whose own address can be reached from the entries: over cables in the management VLAN, and
// from edge to edge through tunnels.
func (w *World) managed() map[string]bool {
	reached, by := map[string]bool{}, rooms{}
	beyond := func(device string) (out []room) {
		reached[device] = true
		for _, t := range w.tunnelsAt[device] {
			if far := t.far(device).device; t.up && !reached[far] {
				out = append(out, room{far, w.devices[far].cfg.management})
			}
		}
		return out
	}
	var queue []room
	for _, e := range w.entries {
		queue = w.enter(queue, by, room{e, w.devices[e].cfg.management}, entry{})
		for _, r := range beyond(e) {
			queue = w.enter(queue, by, r, entry{})
		}
	}
	w.flood(queue, by, func(r room) (out []room) {
		for _, name := range w.atOwnPorts(r) {
			if !reached[name] {
				out = append(out, beyond(name)...)
			}
		}
		if w.devices[r.device].cfg.management == r.vlan {
			out = append(out, beyond(r.device)...)
		}
		return out
	})
	return reached
}

// enter adds a room to the queue unless it was entered before, or its VLAN does not exist there.
func (w *World) enter(queue []room, by rooms, r room, e entry) []room {
	if _, seen := by[r]; seen || r.vlan < stacked(1, 0) && !w.devices[r.device].cfg.vlans[r.vlan] {
		return queue
	}
	by[r] = e
	return append(queue, r)
}

// flood goes on from the rooms of a queue; also tells what can be entered from a room besides.
func (w *World) flood(queue []room, by rooms, also func(room) []room) {
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		for _, r := range also(at) {
			queue = w.enter(queue, by, r, entry{})
		}
		w.cross(at, func(to room, c *cable) { queue = w.enter(queue, by, to, entry{c, at}) })
	}
}

// cross calls f for every room that frames of a room come into over one cable.
func (w *World) cross(at room, f func(room, *cable)) {
	for _, c := range w.cablesAt[at.device] {
		near, far := c.a, c.b
		if far.device == at.device {
			near, far = far, near
		}
		if !w.forwards(c) || w.blocks(c, outermost(at.vlan)) {
			continue
		}
		out, in := w.devices[near.device].cfg.ports[near.port], w.devices[far.device].cfg.ports[far.port]
		if service, vlan, sent := out.sends(at.vlan); sent {
			if vlan = in.takes(service, vlan); vlan != 0 {
				f(room{far.device, vlan}, c)
			}
		}
	}
}

// learned is an entry of a MAC table (IEEE 802.1Q filtering database).
type learned struct {
	mac  string
	vlan int
	port string
	host *host // nil for a device's own address
}

// macTable is what a device has learned: for each of its VLANs, behind which port each station is. Spanning tree leaves one
// way, so a walk from each port finds it.
func (d *device) macTable() []learned {
	w := d.world
	var out []learned
	for _, vlan := range slices.Sorted(maps.Keys(d.cfg.vlans)) {
		seen := map[room]bool{{d.spec.Name, vlan}: true}
		local := func(r room, behind string) {
			hides := false
			for _, h := range w.hostsAt[r.device] {
				if h.seen.IsValid() && behind != "" { // who is beyond sees the access point
					hides = hides || w.at(h.at).up && h.joined(w.devices[r.device].cfg) == r.vlan
					continue
				}
				if w.at(h.at).up && !h.asleep && h.joined(w.devices[r.device].cfg) == r.vlan {
					port := behind
					if port == "" {
						port = h.at.port
					}
					out = append(out, learned{h.MAC, vlan, port, h})
				}
			}
			if behind != "" && (hides || w.devices[r.device].cfg.management == r.vlan) {
				out = append(out, learned{w.devices[r.device].chassisMAC(), vlan, behind, nil})
			}
		}
		local(room{d.spec.Name, vlan}, "")
		w.cross(room{d.spec.Name, vlan}, func(to room, c *cable) {
			port := c.a.port
			if c.b.device == d.spec.Name {
				port = c.b.port
			}
			if lag := d.cfg.ports[port].lag; lag != "" {
				port = lag
			}
			queue := []room{to}
			for len(queue) > 0 {
				at := queue[0]
				queue = queue[1:]
				if seen[at] {
					continue
				}
				seen[at] = true
				local(at, port)
				w.cross(at, func(next room, _ *cable) { queue = append(queue, next) })
			}
		})
	}
	return out
}

// joined is the VLAN in which a host's frames are, 0 when it is let into none.
func (h *host) joined(c *compiled) int {
	if h.SSID != "" {
		return c.inAir(h).vlan
	}
	p := c.ports[h.at.port]
	if h.held() || c.blocks(h) {
		return 0
	}
	if !h.letIn(p, c.radius) {
		return p.guest
	}
	if p.voice != 0 && hasWord(h.Name, "phone") { // it was told so by LLDP-MED
		return p.voice
	}
	if p.untagged == 0 && p.service != 0 {
		return stacked(p.service, 0)
	}
	return p.untagged
}

// held tells whether the port of a host does not forward yet.
func (h *host) held() bool { return h.port != nil && !h.port.forwards.IsZero() }

// letIn tells whether a host may use a port with access control: those that people sit at can say who they are (IEEE 802.1X),
// the address of every host is known to who is asked.
func (h *host) letIn(p portConfig, radius bool) bool {
	knows := slices.ContainsFunc([]string{"desk", "counter", "laptop", "printer"}, func(kind string) bool { return hasWord(h.Name, kind) })
	switch p.access {
	case "802.1x":
		return radius && knows
	case "mac", "802.1x-or-mac":
		return radius
	}
	return true
}
