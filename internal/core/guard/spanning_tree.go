package guard

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

// spanningTree finds roots that would move, and loops that nobody would cut.
func spanningTree(p Proposal) []Finding {
	var out []Finding
	touched := func(d string) bool {
		a, b := p.After[d].Settings, p.Before[d].Settings
		return a["stp"] != b["stp"] || a["stp-priority"] != b["stp-priority"] || a["stp-max-age"] != b["stp-max-age"] || p.instancesTouched(d)
	}
	some := false
	for d := range p.After {
		some = some || touched(d)
	}
	if !some {
		return nil
	}
	for _, group := range p.bridged() {
		if !slices.ContainsFunc(group, touched) {
			continue
		}
		out = append(out, p.rootMoves(group, common)...)
		out = append(out, p.instances(group)...)
		out = append(out, p.loopOpens(group)...)
		out = append(out, p.tooFar(group)...)
	}
	slices.SortFunc(out, func(a, b Finding) int { return strings.Compare(a.ID, b.ID) })
	return out
}

// bridged groups the devices that are joined by links between switched ports.
func (p Proposal) bridged() [][]string {
	group := map[string][]string{}
	for _, l := range p.Links {
		a, b := p.After[l.A.Device].Ports[l.A.Port], p.After[l.B.Device].Ports[l.B.Port]
		if a.Mode == "" || b.Mode == "" || !topology.Passes(p.After, l) {
			continue
		}
		x, y := group[l.A.Device], group[l.B.Device]
		if x == nil {
			x = []string{l.A.Device}
		}
		if y == nil {
			y = []string{l.B.Device}
		}
		if slices.Contains(x, l.B.Device) {
			continue
		}
		all := slices.Concat(x, y)
		for _, d := range all {
			group[d] = all
		}
	}
	var out [][]string
	for _, g := range group {
		slices.Sort(g)
		if !slices.ContainsFunc(out, func(o []string) bool { return slices.Equal(o, g) }) {
			out = append(out, g)
		}
	}
	slices.SortFunc(out, func(a, b []string) int { return slices.Compare(a, b) })
	return out
}

// spanned is a spanning tree: the common one, or that of an instance.
type spanned struct {
	called   string
	object   string // that holds the priority of a device in it, "" for the device itself
	priority string // the setting
}

var common = spanned{"the spanning tree", "", "stp-priority"}

func (t spanned) priorityOf(c network.Config) string {
	if t.object == "" {
		return c.Settings[t.priority]
	}
	return c.Objects[t.object][t.priority]
}

// rootOf is the device that becomes the root of a tree: the lowest priority, then the lowest address.
func (p Proposal) rootOf(group []string, configs map[string]network.Config, t spanned) string {
	best := ""
	rank := func(d string) (int, string) {
		priority := 32768
		if v := t.priorityOf(configs[d]); v != "" {
			priority = atoi(v)
		}
		address := ""
		if s := p.Insides[d].Spanning; s != nil {
			address = s.Address
		}
		return priority, address
	}
	for _, d := range group {
		if !setting.Spans(configs[d]) {
			continue
		}
		if best == "" {
			best = d
			continue
		}
		pa, aa := rank(d)
		pb, ab := rank(best)
		if cmp.Or(pa-pb, strings.Compare(aa, ab)) < 0 {
			best = d
		}
	}
	return best
}

func (p Proposal) rootMoves(group []string, t spanned) []Finding {
	from, to := p.rootOf(group, p.Before, t), p.rootOf(group, p.After, t)
	if from == to || from == "" || to == "" {
		return nil
	}
	f := Finding{
		ID: "spanning-tree-root:" + strings.TrimSuffix(from+":"+t.object, ":"), Guard: "spanning-tree", Level: Warn, Ports: []network.PortRef{{Device: from}, {Device: to}},
		What: fmt.Sprintf("The root of %s would move from %s to %s.", t.called, from, to),
		Why:  "Every bridge finds its way anew, and nothing is forwarded until it has; traffic then goes over other links than those laid out for it.",
		Do:   fmt.Sprintf("Leave the priority of %s the lowest, or accept this at a quiet time.", from),
	}
	for _, d := range []string{from, to} {
		if a, b := t.priorityOf(p.After[d]), t.priorityOf(p.Before[d]); a != b {
			f.Fix = append(f.Fix, intent.Edit{Port: network.PortRef{Device: d, Port: t.object}, Field: t.priority, Value: cmp.Or(b, "32768")})
		}
	}
	return []Finding{f}
}

// tooFar finds a root that is not believed everywhere: what it says is too old (IEEE 802.1Q 13.26.7, Max Age) before it gets to
// the farthest bridge. A region counts for one.
func (p Proposal) tooFar(group []string) []Finding {
	root := p.rootOf(group, p.After, common)
	if root == "" {
		return nil
	}
	age := atoi(cmp.Or(p.After[root].Settings["stp-max-age"], "20"))
	hops := map[string]int{root: 0}
	farthest := root
	region := map[string]string{}
	for _, d := range group {
		region[d] = topology.Region(p.After[d])
	}
	for queue := []string{root}; len(queue) > 0; queue = queue[1:] {
		at := queue[0]
		if hops[at] > hops[farthest] {
			farthest = at
		}
		for _, l := range p.Links {
			for _, e := range [][2]network.PortRef{{l.A, l.B}, {l.B, l.A}} {
				if _, known := hops[e[1].Device]; e[0].Device == at && !known && slices.Contains(group, e[1].Device) && topology.Passes(p.After, l) {
					if r := region[at]; r != "" && r == region[e[1].Device] {
						hops[e[1].Device] = hops[at]
						queue = slices.Insert(queue, 1, e[1].Device)
						continue
					}
					hops[e[1].Device] = hops[at] + 1
					queue = append(queue, e[1].Device)
				}
			}
		}
	}
	if hops[farthest] <= age {
		return nil
	}
	at := network.PortRef{Device: root}
	return []Finding{{
		ID: "spanning-tree-age:" + root, Guard: "spanning-tree", Level: Stop, Ports: []network.PortRef{at, {Device: farthest}},
		What: fmt.Sprintf("What %s, the root of the spanning tree, says would be believed %d bridges away, and %s is %d away.", root, age, farthest, hops[farthest]),
		Why:  "Bridges beyond would take another one for the root, and nobody would cut a loop between the two parts.",
		Do:   fmt.Sprintf("Let it be believed longer, or make a bridge in the middle the root: stp-max-age of %s at least %d.", root, hops[farthest]),
		Fix:  []intent.Edit{{Port: at, Field: "stp-max-age", Value: strconv.Itoa(min(hops[farthest], 40))}},
	}}
}

// loopOpens finds devices on a loop that would no longer take part in the spanning tree.
func (p Proposal) loopOpens(group []string) []Finding {
	var out []Finding
	for _, d := range group {
		if !setting.Spans(p.Before[d]) || setting.Spans(p.After[d]) || !p.onLoop(d, group) {
			continue
		}
		at := network.PortRef{Device: d}
		out = append(out, Finding{
			ID: "spanning-tree-loop:" + d, Guard: "spanning-tree", Level: Stop, Ports: []network.PortRef{at},
			What: fmt.Sprintf("%s is on a loop of links, and would take no part in the spanning tree that cuts it.", d),
			Why:  "Frames would run in a circle without end and bring down everything on it.",
			Do:   fmt.Sprintf("Leave the spanning tree on, or take the second way of %s away first.", d),
			Fix:  []intent.Edit{{Port: at, Field: "stp", Value: p.Before[d].Settings["stp"]}},
		})
	}
	return out
}

// onLoop tells whether a device can be left and reached again without passing a link twice. Links of one bundle are one.
func (p Proposal) onLoop(device string, group []string) bool {
	next := map[string]map[string]bool{}
	double := false
	bundle := func(ref network.PortRef) string { return p.settable(ref).String() }
	seen := map[[2]string]string{}
	for _, l := range p.Links {
		if !slices.Contains(group, l.A.Device) || !topology.Passes(p.After, l) || p.After[l.A.Device].Ports[l.A.Port].Mode == "" || p.After[l.B.Device].Ports[l.B.Port].Mode == "" {
			continue
		}
		pair, via := [2]string{l.A.Device, l.B.Device}, bundle(l.A)+bundle(l.B)
		if other, twice := seen[pair]; twice && other != via && slices.Contains(pair[:], device) {
			double = true
		}
		seen[pair] = via
		for _, e := range [][2]string{pair, {pair[1], pair[0]}} {
			if next[e[0]] == nil {
				next[e[0]] = map[string]bool{}
			}
			next[e[0]][e[1]] = true
		}
	}
	for first := range next[device] { // another way back from a neighbour than straight
		reached := map[string]bool{first: true}
		queue := []string{first}
		for len(queue) > 0 && !double {
			at := queue[0]
			queue = queue[1:]
			for n := range next[at] {
				if n == device && at != first {
					double = true
				}
				if n != device && !reached[n] {
					reached[n] = true
					queue = append(queue, n)
				}
			}
		}
	}
	return double
}
