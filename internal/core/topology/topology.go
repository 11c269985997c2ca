// Package topology finds out how devices hang together: links from what neighbours report, paths, what a VLAN reaches,
// and the order far-to-near in which a change may be made without cutting its own way.
package topology

import (
	"cmp"
	"maps"
	"slices"

	"example.net/everypost/internal/core/network"
)

// Link joins two ports. A is the smaller in order.
type Link struct {
	A network.PortRef `json:"a"`
	B network.PortRef `json:"b"`
	// OneSided is set when only one end reports the other.
	OneSided bool `json:"one_sided,omitempty"`
}

// Other returns the far end of a link seen from a device, and the near one.
func (l Link) Other(device string) (near, far network.PortRef) {
	if l.A.Device == device {
		return l.A, l.B
	}
	return l.B, l.A
}

func compareRefs(a, b network.PortRef) int {
	return cmp.Or(cmp.Compare(a.Device, b.Device), network.ComparePorts(a.Port, b.Port))
}

// Links builds the links between known devices from their neighbour reports. nameOf gives the device whose host name a
// report tells, or "".
func Links(states map[string]network.State, nameOf func(systemName string) string) []Link {
	seen := map[[2]network.PortRef]int{}
	for device, st := range states {
		for port, ps := range st.Ports {
			if ps.Neighbour == nil {
				continue
			}
			peer := nameOf(ps.Neighbour.SystemName)
			if peer == "" || peer == device {
				continue
			}
			a, b := network.PortRef{Device: device, Port: port}, network.PortRef{Device: peer, Port: ps.Neighbour.PortID}
			if compareRefs(a, b) > 0 {
				a, b = b, a
			}
			seen[[2]network.PortRef{a, b}]++
		}
	}
	out := make([]Link, 0, len(seen))
	for ends, n := range seen {
		out = append(out, Link{A: ends[0], B: ends[1], OneSided: n < 2})
	}
	slices.SortFunc(out, func(x, y Link) int { return cmp.Or(compareRefs(x.A, y.A), compareRefs(x.B, y.B)) })
	return out
}

// Graph is links made ready for asking: it is built once and then asked many times.
type Graph struct {
	entries  []string
	at       map[string][]Link        // by device
	ports    map[network.PortRef]bool // that are ends of links
	distance map[string]int           // links to the nearest entry
}

// NewGraph makes a graph of links, looked at from the entries.
func NewGraph(links []Link, entries []string) *Graph {
	g := &Graph{entries: entries, at: map[string][]Link{}, ports: map[network.PortRef]bool{}, distance: map[string]int{}}
	for _, l := range links {
		g.at[l.A.Device] = append(g.at[l.A.Device], l)
		g.at[l.B.Device] = append(g.at[l.B.Device], l)
		g.ports[l.A], g.ports[l.B] = true, true
	}
	queue := slices.Clone(entries)
	for _, e := range entries {
		g.distance[e] = 0
	}
	for len(queue) > 0 {
		d := queue[0]
		queue = queue[1:]
		for _, l := range g.at[d] {
			_, far := l.Other(d)
			if _, ok := g.distance[far.Device]; !ok {
				g.distance[far.Device] = g.distance[d] + 1
				queue = append(queue, far.Device)
			}
		}
	}
	return g
}

// OnLink tells whether a port is the end of a link.
func (g *Graph) OnLink(ref network.PortRef) bool { return g.ports[ref] }

// FarToNear orders devices so that one comes before everything that its way may lead through. Devices whose place is
// not known come first: cutting the way to them must not be left to chance.
func (g *Graph) FarToNear(devices []string) []string {
	out := slices.Clone(devices)
	slices.SortFunc(out, func(a, b string) int {
		da, okA := g.distance[a]
		db, okB := g.distance[b]
		switch {
		case okA != okB:
			if okA {
				return 1
			}
			return -1
		case da != db:
			return db - da
		}
		return cmp.Compare(a, b)
	})
	return out
}

// Distance is how many links a device is from the nearest entry; known tells whether that can be told.
func (g *Graph) Distance(device string) (links int, known bool) {
	links, known = g.distance[device]
	return links, known
}

// Behind lists the devices whose every way to an entry leads through a device: what is cut off while it restarts.
func (g *Graph) Behind(device string) []string {
	seen := map[string]bool{device: true}
	var queue []string
	visit := func(d string) {
		if !seen[d] {
			seen[d] = true
			queue = append(queue, d)
		}
	}
	for _, e := range g.entries {
		visit(e)
	}
	for len(queue) > 0 {
		d := queue[0]
		queue = queue[1:]
		for _, l := range g.at[d] {
			_, far := l.Other(d)
			visit(far.Device)
		}
	}
	var behind []string
	for d := range g.distance {
		if !seen[d] {
			behind = append(behind, d)
		}
	}
	slices.Sort(behind)
	return behind
}

// WayUp returns the links from a device to the nearest entry, nearest link first, or nil when there is no way.
func (g *Graph) WayUp(device string) []Link {
	var way []Link
	for d, ok := g.distance[device]; ok && d > 0; d = g.distance[device] {
		for _, l := range g.at[device] {
			_, far := l.Other(device)
			if fd, ok := g.distance[far.Device]; ok && fd == d-1 {
				way = append(way, l)
				device = far.Device
				break
			}
		}
	}
	return way
}

// place is where a frame is inside a device.
type place struct {
	device string
	tags   Tags
}

// ManagementReach returns the devices whose management address can be reached from the entries, following VLANs over
// links: a tagged frame keeps its VLAN, an untagged one takes the untagged VLAN of the port it arrives on. An entry is
// reached by definition. A device whose management is on no VLAN is reached when any of its neighbours is.
func (g *Graph) ManagementReach(configs map[string]network.Config) map[string]bool {
	return g.ReachOver(configs, func(l Link, _ network.VLANID) bool { return Passes(configs, l) })
}

// ReachOver is ManagementReach over the links that open tells of, for the VLAN of the outermost tag.
func (g *Graph) ReachOver(configs map[string]network.Config, open func(Link, network.VLANID) bool) map[string]bool {
	reached := map[string]bool{}
	visited := map[place]bool{}
	var queue []place
	visit := func(p place) {
		if c, known := configs[p.device]; known && !visited[p] {
			visited[p] = true
			queue = append(queue, p)
			if v, _ := c.ManagedBy(); p.tags == (Tags{VLAN: v}) {
				reached[p.device] = true
			}
		}
	}
	for _, e := range g.entries {
		reached[e] = true
		v, _ := configs[e].ManagedBy()
		visit(place{e, Tags{VLAN: v}})
	}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		for _, l := range g.at[at.device] {
			if !open(l, cmp.Or(at.tags.Service, at.tags.VLAN)) {
				continue
			}
			near, far := l.Other(at.device)
			out, in := configs[at.device].Ports[near.Port], configs[far.Device].Ports[far.Port]
			own, port := configs[far.Device].ManagedBy()
			if next, ok := Pass(configs, near, far, at.tags); ok {
				visit(place{far.Device, next})
			} else if in.Enabled && out.Enabled && own == 0 && at.tags == (Tags{VLAN: out.Untagged()}) && (port == far.Port || port == "" && in.Mode == "") {
				reached[far.Device] = true // a routed port takes what comes untagged
			}
		}
	}
	return reached
}

// HostNames returns a function for Links that finds devices by the host name in their configuration or their own name.
func HostNames(configs map[string]network.Config) func(string) string {
	byHost := map[string]string{}
	for _, device := range slices.Sorted(maps.Keys(configs)) {
		byHost[configs[device].Hostname] = device
	}
	return func(host string) string {
		if d, ok := byHost[host]; ok {
			return d
		}
		if _, ok := configs[host]; ok {
			return host
		}
		return ""
	}
}
