package standin

import (
	"cmp"
	"slices"
	"strconv"

	"example.net/everypost/internal/wire/xmlnode"
)

// pairConfig is another switch with which a device is one towards others.
type pairConfig struct {
	name, peerBundle string
	priority         int
	keepalive        string
}

// ringConfig is the part that a device has in a ring (IEC 62439-2).
type ringConfig struct {
	role  string
	ports []string
}

func (c *compiled) compileRedundancy(tree *xmlnode.Node) {
	sw := tree.Child("switching")
	number := func(text string, otherwise int) int {
		n, err := strconv.Atoi(text)
		if err != nil {
			return otherwise
		}
		return n
	}
	if p := sw.Child("pair"); p != nil {
		c.pair = pairConfig{p.TextAt("name"), p.TextAt("peer-bundle"), number(p.TextAt("priority"), 32768), p.TextAt("keepalive/address")}
	}
	c.rings, c.members = map[string]ringConfig{}, map[string]int{}
	for _, r := range sw.All("ring") {
		one := ringConfig{role: cmp.Or(r.TextAt("role"), "client")}
		for _, p := range r.Child("ports").All("port") {
			one.ports = append(one.ports, p.Text)
		}
		c.rings[r.TextAt("name")] = one
	}
	for _, m := range sw.Child("stack").All("member") {
		c.members[m.TextAt("number")] = number(m.TextAt("priority"), 128)
	}
}

// gatherBridges works out which devices are one bridge: two of a pair while the bundle between them works.
func (w *World) gatherBridges() {
	w.pairs, w.nodes = map[string]string{}, map[string][]string{}
	byName := map[string][]string{}
	for _, name := range w.names {
		if p := w.devices[name].cfg.pair.name; p != "" {
			byName[p] = append(byName[p], name)
		}
	}
	for pair, names := range byName {
		if len(names) == 2 && w.joined(names[0], names[1]) {
			w.pairs[names[0]], w.pairs[names[1]] = pair, pair
		}
	}
	for _, name := range w.names {
		w.nodes[w.nodeOf(name)] = append(w.nodes[w.nodeOf(name)], name)
	}
}

// joined tells whether the bundle between two of a pair works.
func (w *World) joined(a, b string) bool {
	return slices.ContainsFunc(w.cablesAt[a], func(c *cable) bool {
		near, far := c.a, c.b
		if far.device == a {
			near, far = far, near
		}
		x, y := w.devices[a].cfg, w.devices[b].cfg
		return far.device == b && x.ports[near.port].lag == x.pair.peerBundle && y.ports[far.port].lag == y.pair.peerBundle && w.at(near).up && w.at(far).up
	})
}

// nodeOf is the bridge that a device is a part of: the pair where two switches act as one.
func (w *World) nodeOf(device string) string { return cmp.Or(w.pairs[device], device) }

func (d *device) pairState(sw *xmlnode.Node) {
	x, w := in("ep-sw"), d.world
	if p := sw.Child("pair"); p != nil {
		state := "alone"
		if w.pairs[d.spec.Name] != "" {
			state = "joined"
		}
		p.Add(x.leaf("state", state))
		if d.cfg.pair.keepalive != "" {
			heard := false
			for name, other := range w.devices {
				heard = heard || other.spec.ManagementIP == d.cfg.pair.keepalive && w.reached[name] && w.reached[d.spec.Name] && other.powered
			}
			p.Add(x.leaf("keepalive-heard", strconv.FormatBool(heard)))
		}
	}
}

// clusterState tells of the boxes that act as one with the device, or that it is made of.
func (d *device) clusterState(own *xmlnode.Node) {
	c := d.spec.Cluster
	if c == nil && d.cfg.pair.name != "" {
		c = &Cluster{Kind: "mlag", Name: d.cfg.pair.name, PeerLAG: d.cfg.pair.peerBundle}
	}
	if c == nil || c.Kind == "mlag" && d.world.pairs[d.spec.Name] == "" {
		return
	}
	x := in("ep-dev")
	n := x.node("cluster", x.leaf("kind", c.Kind), x.leaf("name", c.Name))
	if c.PeerLAG != "" {
		n.Add(x.leaf("peer-bundle", c.PeerLAG))
	}
	for _, m := range d.members(*c) {
		n.Add(x.node("member", x.leaf("name", m.Name), x.leaf("role", m.Role), x.leaf("model", m.Model), x.leaf("serial", m.Serial)))
	}
	own.Add(n)
}

// members are the boxes with their roles: in a stack the highest priority leads and the next stands by, in a pair the lower
// number leads.
func (d *device) members(c Cluster) []ClusterMember {
	w := d.world
	switch c.Kind {
	case "stack":
		order := slices.Clone(c.Members)
		priority := func(m ClusterMember) int {
			if p, ok := d.cfg.members[m.Name]; ok {
				return p
			}
			return 128
		}
		slices.SortStableFunc(order, func(a, b ClusterMember) int { return priority(b) - priority(a) })
		roles := map[string]string{}
		for i, m := range order {
			roles[m.Name] = []string{"leader", "deputy", "member"}[min(i, 2)]
		}
		out := slices.Clone(c.Members)
		for i := range out {
			out[i].Role = roles[out[i].Name]
		}
		for number := range d.cfg.members {
			if !slices.ContainsFunc(out, func(m ClusterMember) bool { return m.Name == number }) {
				out = append(out, ClusterMember{Name: number, Role: "missing"})
			}
		}
		slices.SortFunc(out, func(a, b ClusterMember) int { return cmp.Or(len(a.Name)-len(b.Name), cmp.Compare(a.Name, b.Name)) })
		return out
	case "mlag":
		var out []ClusterMember
		for _, name := range w.nodes[w.nodeOf(d.spec.Name)] {
			s := w.devices[name].spec
			out = append(out, ClusterMember{Name: name, Model: s.Model, Serial: s.Serial})
		}
		slices.SortStableFunc(out, func(a, b ClusterMember) int {
			return w.devices[a.Name].cfg.pair.priority - w.devices[b.Name].cfg.pair.priority
		})
		for i := range out {
			out[i].Role = []string{"primary", "secondary"}[min(i, 1)]
		}
		return out
	}
	return c.Members
}

// ringNow is how a ring is.
type ringNow struct {
	state   string // closed, open or undefined
	manager string
	blocked endpoint // by the manager, while it is closed
}

// ringsNow works out how all rings are: the manager, or of candidates the one with the lowest address, closes a ring that is
// whole by blocking its second port.
func (w *World) ringsNow() map[string]ringNow {
	parts := map[string][]string{}
	for _, name := range w.names {
		for ring := range w.devices[name].cfg.rings {
			parts[ring] = append(parts[ring], name)
		}
	}
	out := map[string]ringNow{}
	for ring, names := range parts {
		out[ring] = w.ringNow(ring, names)
	}
	return out
}

func (w *World) ringNow(ring string, names []string) ringNow {
	inRing := func(e endpoint) bool {
		return slices.Contains(w.devices[e.device].cfg.rings[ring].ports, e.port)
	}
	var managers, candidates []string
	ends := 0
	for _, name := range names {
		switch w.devices[name].cfg.rings[ring].role {
		case "manager":
			managers = append(managers, name)
		case "candidate":
			candidates = append(candidates, name)
		}
		for _, c := range w.cablesAt[name] {
			if inRing(c.a) && inRing(c.b) && w.forwards(c) {
				ends++ // each cable is met at both its ends
			}
		}
	}
	if len(managers) == 0 && len(candidates) > 0 {
		managers = []string{slices.MinFunc(candidates, func(a, b string) int {
			return cmp.Compare(w.devices[a].chassisMAC(), w.devices[b].chassisMAC())
		})}
	}
	if len(managers) != 1 {
		return ringNow{state: "undefined"}
	}
	r := ringNow{state: "open", manager: managers[0]}
	if ports := w.devices[r.manager].cfg.rings[ring].ports; ends == 2*len(names) && len(names) > 1 && len(ports) == 2 {
		r.state, r.blocked = "closed", endpoint{r.manager, ports[1]}
	}
	return r
}

// cutByRing tells whether the manager of a ring blocks a bundle, and takes note of it.
func (s *spanning) cutByRing(b *bundle) bool {
	for _, r := range s.rings {
		for _, c := range b.cables {
			if r.state == "closed" && (c.a == r.blocked || c.b == r.blocked) {
				s.always[r.blocked] = true
				return true
			}
		}
	}
	return false
}

// settleRings counts how often rings open and close.
func (w *World) settleRings() {
	is := map[string]string{}
	for ring, r := range w.tree.rings {
		is[ring] = r.state
		if was := w.ringWas[ring]; was != "" && was != r.state {
			for _, d := range w.devices {
				if _, in := d.cfg.rings[ring]; in {
					d.ringChanges[ring]++
				}
			}
		}
	}
	w.ringWas = is
}

func (d *device) ringState(sw *xmlnode.Node) {
	x := in("ep-sw")
	for _, n := range sw.All("ring") {
		ring := n.TextAt("name")
		r, ok := d.world.tree.rings[ring]
		if !ok {
			continue
		}
		acts := "client"
		if r.manager == d.spec.Name {
			acts = "manager"
		}
		n.Add(x.leaf("acts-as", acts), x.leaf("state", r.state))
		if r.blocked.device == d.spec.Name {
			n.Add(x.leaf("blocked", r.blocked.port))
		}
		n.Add(x.int("changes", d.ringChanges[ring]))
	}
}

// controllerState tells whether the process controller is heard: while it is plugged in somewhere in a VLAN of the device.
func (d *device) controllerState(sw *xmlnode.Node) {
	n := sw.Child("controller")
	address := n.TextAt("address")
	if address == "" {
		return
	}
	x := in("ep-sw")
	up := slices.ContainsFunc(d.macTable(), func(l learned) bool { return l.host != nil && l.host.IP == address })
	if up != d.controllerUp || d.controllerChanged.IsZero() {
		d.controllerUp, d.controllerChanged = up, d.world.clock.now()
	}
	state := "lost"
	if up {
		state = "connected"
	}
	n.Add(x.leaf("state", state), x.when("last-change", d.controllerChanged))
}
