package topology

import (
	"maps"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
)

// Ring is a ring of industrial switches (IEC 62439-2) as configurations say it and links make it.
type Ring struct {
	Name     string
	Members  []string // in order of name
	Managers []string // of them: those that are told to manage; of candidates, one is chosen by themselves
	Links    []Link   // between two of its ports, that are open
	Whole    bool     // every member has two links in it
	// Blocked is the port that the one manager blocks while the ring is whole.
	Blocked network.PortRef
}

// RingSet is rings by name.
type RingSet map[string]Ring

// Rings finds the rings.
func Rings(configs map[string]network.Config, links []Link, open func(Link) bool) RingSet {
	out := RingSet{}
	const prefix = "ring/"
	inRing := map[network.PortRef]string{}
	second, candidates := map[string]string{}, map[string][]string{}
	for _, device := range slices.Sorted(maps.Keys(configs)) {
		for object, s := range configs[device].Objects {
			name, ok := strings.CutPrefix(object, prefix)
			if !ok {
				continue
			}
			r := out[name]
			r.Name, r.Members = name, append(r.Members, device)
			switch s["ring-role"] {
			case "manager":
				r.Managers = append(r.Managers, device)
			case "candidate":
				candidates[name] = append(candidates[name], device)
			}
			out[name] = r
			ports := ringPorts(s)
			for _, p := range ports {
				inRing[network.PortRef{Device: device, Port: p}] = name
			}
			if len(ports) == 2 {
				second[device+" "+name] = ports[1]
			}
		}
	}
	if len(out) == 0 {
		return out
	}
	for _, l := range links {
		if name := inRing[l.A]; name != "" && inRing[l.B] == name && open(l) {
			r := out[name]
			r.Links = append(r.Links, l)
			out[name] = r
		}
	}
	for name, r := range out {
		if len(r.Managers) == 0 && len(candidates[name]) > 0 {
			r.Managers = candidates[name][:1] // which of them is for themselves to say: any will do to tell what it comes to
		}
		r.Whole = len(r.Members) > 1 && len(r.Links) == len(r.Members)
		if r.Whole && len(r.Managers) == 1 {
			if p := second[r.Managers[0]+" "+name]; p != "" {
				r.Blocked = network.PortRef{Device: r.Managers[0], Port: p}
			}
		}
		out[name] = r
	}
	return out
}

func ringPorts(s network.Settings) []string {
	if s["ring-ports"] == "" {
		return nil
	}
	return strings.Split(s["ring-ports"], ",")
}

// block tells whether a link is the one that the manager of a ring closes.
func (s RingSet) block(l Link) bool {
	for _, r := range s {
		if r.Blocked.Port != "" && (l.A == r.Blocked || l.B == r.Blocked) {
			return true
		}
	}
	return false
}

// Pairs finds the switches that are one towards others (MLAG): two of one name, joined by the bundles that they name for it.
// The result has the name of the pair by device.
func Pairs(configs map[string]network.Config, links []Link) map[string]string {
	const prefix = "pair/"
	out := map[string]string{}
	peer, named := map[string]string{}, map[string][]string{}
	for _, device := range slices.Sorted(maps.Keys(configs)) {
		for object, s := range configs[device].Objects {
			if name, ok := strings.CutPrefix(object, prefix); ok {
				peer[device], named[name] = s["peer-bundle"], append(named[name], device)
			}
		}
	}
	for name, two := range named {
		if len(two) != 2 {
			continue
		}
		joined := slices.ContainsFunc(links, func(l Link) bool {
			a, b := l.A, l.B
			return (a.Device == two[0] && b.Device == two[1] || a.Device == two[1] && b.Device == two[0]) && Passes(configs, l) &&
				peer[a.Device] != "" && configs[a.Device].Ports[a.Port].LAG == peer[a.Device] && configs[b.Device].Ports[b.Port].LAG == peer[b.Device]
		})
		if joined {
			out[two[0]], out[two[1]] = name, name
		}
	}
	return out
}
