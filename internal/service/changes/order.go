package changes

import (
	"fmt"
	"maps"
	"slices"

	"example.net/everypost/internal/core/guard"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/store"
)

// order puts the devices of a change in the order in which they run it: far to near. Those that are as far run it at once,
// since no way to one leads through another; those of which the place is not known run it first, one by one.
func order(c *store.Change, n Network) {
	names := make([]string, len(c.Devices))
	for i, d := range c.Devices {
		names[i] = d.Device
	}
	graph := topology.NewGraph(n.Links, n.Entries())
	at, level, levels := map[string]int{}, map[string]int{}, -1
	last, lastKnown := 0, false
	for i, name := range graph.FarToNear(names) {
		distance, known := graph.Distance(name)
		if !known || !lastKnown || distance != last {
			levels++
		}
		at[name], level[name], last, lastKnown = i, levels, distance, known
	}
	for i, d := range c.Devices {
		c.Devices[i].Order, c.Devices[i].Level = at[d.Device], level[d.Device]
	}
	slices.SortFunc(c.Devices, func(a, b store.ChangeDevice) int { return a.Order - b.Order })
}

// darken finds the devices that will be out of sight for a moment: reached before and after the change, but not while some of
// its devices run it and others do not yet.
func darken(c *store.Change, n Network) []guard.Finding {
	graph := topology.NewGraph(n.Links, n.Entries())
	if !slices.ContainsFunc(c.Devices, func(d store.ChangeDevice) bool { return touchesWays(graph, d) }) {
		return nil
	}
	configs := maps.Clone(n.Configs)
	all := maps.Clone(n.Configs)
	for _, d := range c.Devices {
		all[d.Device] = d.After
	}
	end := graph.ManagementReach(all)
	dark := map[string]bool{}
	for i, d := range c.Devices {
		configs[d.Device] = d.After
		if i+1 < len(c.Devices) && c.Devices[i+1].Level == d.Level {
			continue // they run it at once
		}
		reached := graph.ManagementReach(configs)
		for _, other := range c.Devices[:i+1] {
			if end[other.Device] && !reached[other.Device] {
				dark[other.Device] = true
			}
		}
	}
	for _, l := range n.Links { // both ends of a link, of which nobody knows which is the far one
		if broken(l, n.Configs, all) {
			for _, at := range []network.PortRef{l.A, l.B} {
				if _, known := graph.Distance(at.Device); !known {
					dark[at.Device] = true
				}
			}
		}
	}
	var findings []guard.Finding
	for i, d := range c.Devices {
		if c.Devices[i].Dark = dark[d.Device]; dark[d.Device] {
			findings = append(findings, guard.Finding{
				ID: "out-of-sight:" + d.Device, Guard: "out-of-sight", Level: guard.Note, Ports: []network.PortRef{{Device: d.Device}},
				What: fmt.Sprintf("%s will be out of sight for a moment, while its way is changed at one end and not yet at the other.", d.Device),
				Why:  "It runs the change on trial meanwhile, and goes back by itself if it is not found again.",
				Do:   "Nothing; the push goes on, and reads it back in the end.",
			})
		}
	}
	return findings
}

// broken tells whether a link passes before and after a change of both its ends, and not while one of them runs it and the other does not yet.
func broken(l topology.Link, before, after map[string]network.Config) bool {
	if before[l.A.Device].Ports[l.A.Port].Equal(after[l.A.Device].Ports[l.A.Port]) || before[l.B.Device].Ports[l.B.Port].Equal(after[l.B.Device].Ports[l.B.Port]) {
		return false
	}
	half := func(first, other map[string]network.Config) map[string]network.Config {
		return map[string]network.Config{l.A.Device: first[l.A.Device], l.B.Device: other[l.B.Device]}
	}
	return topology.Passes(before, l) && topology.Passes(after, l) && !(topology.Passes(half(before, after), l) && topology.Passes(half(after, before), l))
}

// touchesWays tells whether a change sets something on a device's ports that lead to other devices.
func touchesWays(g *topology.Graph, d store.ChangeDevice) bool {
	vlan, port := d.Before.ManagedBy()
	if v, p := d.After.ManagedBy(); v != vlan || p != port {
		return true
	}
	if !maps.EqualFunc(d.Before.Bundles, d.After.Bundles, network.PortConfig.Equal) {
		return true
	}
	for name, p := range d.After.Ports {
		if g.OnLink(network.PortRef{Device: d.Device, Port: name}) && !p.Equal(d.Before.Ports[name]) {
			return true
		}
	}
	return false
}
