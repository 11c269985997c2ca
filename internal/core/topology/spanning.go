package topology

import (
	"cmp"
	"maps"
	"slices"
	"strconv"

	"example.net/everypost/internal/core/network"
)

// Bridges is what must be known of devices besides their configurations to tell how spanning tree will fare.
type Bridges struct {
	Address   map[string]string // of a bridge, by device
	Pair      map[string]string // of a device that is one bridge with another: a name that both have
	SpeedMbps func(Link) int    // of a link; 0 where it is not known
}

// Blocked tells which links the spanning tree closes (IEEE 802.1D-2004 clause 17: what it comes to, not its messages), of
// those that open tells of, and which the managers of rings close (IEC 62439-2). Bridges that run no spanning tree pass its messages on, and close nothing.
func Blocked(configs map[string]network.Config, links []Link, open func(Link) bool, b Bridges) map[Link]bool {
	rings := Rings(configs, links, open)
	t := tree{configs: configs, bridges: b, at: map[string][]*segment{}, root: map[string]string{}, cost: map[string]int{}, up: map[string]*segment{}, ids: map[string]bridgeID{}, parts: map[string][]string{}}
	for device := range configs {
		t.parts[t.node(device)] = append(t.parts[t.node(device)], device)
	}
	byEnds := map[[4]string]*segment{}
	var segments []*segment
	for _, l := range links {
		pa, pb := configs[l.A.Device].Ports[l.A.Port], configs[l.B.Device].Ports[l.B.Port]
		if !open(l) || pa.Mode == "" || pb.Mode == "" || rings.block(l) {
			continue
		}
		k := [4]string{t.node(l.A.Device), cmp.Or(pa.LAG, l.A.String()), t.node(l.B.Device), cmp.Or(pb.LAG, l.B.String())}
		if k[0] == k[2] {
			continue // within a pair
		}
		one := byEnds[k]
		if one == nil {
			one = &segment{a: k[0], b: k[2]}
			byEnds[k] = one
			segments = append(segments, one)
			t.at[k[0]], t.at[k[2]] = append(t.at[k[0]], one), append(t.at[k[2]], one)
		}
		one.links = append(one.links, l)
		speed := 1000
		if b.SpeedMbps != nil {
			speed = cmp.Or(b.SpeedMbps(l), speed)
		}
		one.mbps += speed
	}
	t.grow()
	out := map[Link]bool{}
	for _, l := range links {
		if rings.block(l) {
			out[l] = true
		}
	}
	for _, one := range segments {
		if t.up[one.a] == one || t.up[one.b] == one {
			continue
		}
		if t.root[one.a] != t.root[one.b] { // each end forwards what its own root says, where neither guards against the other's
			if t.guardsRoot(one, one.a) || t.guardsRoot(one, one.b) {
				for _, l := range one.links {
					out[l] = true
				}
			}
			continue
		}
		worse := one.b
		if cmp.Or(t.cost[one.a]-t.cost[one.b], t.ids[one.a].compare(t.ids[one.b])) > 0 {
			worse = one.a
		}
		for _, l := range one.links {
			if t.runs(worse) {
				out[l] = true
			}
		}
	}
	return out
}

// segment is links that forward as one.
type segment struct {
	a, b  string
	links []Link
	mbps  int
}

type bridgeID struct {
	priority int
	address  string
}

func (x bridgeID) compare(y bridgeID) int {
	return cmp.Or(x.priority-y.priority, cmp.Compare(x.address, y.address))
}

type tree struct {
	configs map[string]network.Config
	bridges Bridges
	at      map[string][]*segment
	root    map[string]string
	cost    map[string]int
	up      map[string]*segment // on the way to the root
	ids     map[string]bridgeID
	parts   map[string][]string // the devices of a bridge
}

func (t *tree) node(device string) string { return cmp.Or(t.bridges.Pair[device], device) }

func (t *tree) runs(node string) bool {
	return slices.ContainsFunc(t.parts[node], func(d string) bool { return t.configs[d].Settings["stp"] == "rapid" })
}

// id is that of a bridge: the best of its devices. One that runs no spanning tree comes after all others.
func (t *tree) id(node string) bridgeID {
	id, _ := t.best(node)
	return id
}

// best is the device of a bridge by which it goes.
func (t *tree) best(node string) (best bridgeID, by string) {
	best = bridgeID{1 << 20, "~"}
	for _, device := range t.parts[node] {
		id := bridgeID{1 << 17, t.bridges.Address[device]}
		if s := t.configs[device].Settings; s["stp"] == "rapid" {
			id.priority = 32768
			if n, err := strconv.Atoi(s["stp-priority"]); err == nil {
				id.priority = n
			}
		}
		if id.compare(best) < 0 {
			best, by = id, device
		}
	}
	return best, by
}

// maxAge is how many bridges away what a root says is believed (IEEE 802.1Q 13.26.7, Max Age).
func (t *tree) maxAge(root string) int {
	_, by := t.best(root)
	if n, err := strconv.Atoi(t.configs[by].Settings["stp-max-age"]); err == nil {
		return n
	}
	return 20
}

// grow finds the root of each part, and the cheapest way to it from everywhere.
func (t *tree) grow() {
	for node := range t.at {
		t.ids[node] = t.id(node)
	}
	order := slices.SortedFunc(maps.Keys(t.at), func(a, b string) int { return cmp.Or(t.ids[a].compare(t.ids[b]), cmp.Compare(a, b)) })
	for _, root := range order {
		if _, reached := t.root[root]; !reached {
			t.root[root] = root
			t.from(root)
		}
	}
}

func (t *tree) from(root string) {
	done := map[string]bool{}
	queue := []string{root}
	age, oldest := map[string]int{}, t.maxAge(root) // of what the root says, when it comes to a bridge
	for len(queue) > 0 {
		next := 0
		for i, n := range queue[1:] {
			if best := queue[next]; cmp.Or(t.cost[n]-t.cost[best], t.ids[n].compare(t.ids[best])) < 0 {
				next = i + 1
			}
		}
		node := queue[next]
		queue = slices.Delete(queue, next, next+1)
		if done[node] {
			continue
		}
		done[node] = true
		for _, one := range t.at[node] {
			far := one.a
			if far == node {
				far = one.b
			}
			if t.guardsRoot(one, far) || age[node] >= oldest {
				continue
			}
			cost := t.cost[node] + 20_000_000/max(one.mbps, 1)                                               // IEEE 802.1D-2004 table 17-3
			if _, known := t.root[far]; done[far] || known && (t.root[far] != root || t.cost[far] <= cost) { // a root that was heard before is better
				continue
			}
			t.root[far], t.cost[far], t.up[far], age[far] = root, cost, one, age[node]+1
			queue = append(queue, far)
		}
	}
}

// guardsRoot tells whether a bridge does not take a segment as its way to a root.
func (t *tree) guardsRoot(one *segment, node string) bool {
	return slices.ContainsFunc(one.links, func(l Link) bool {
		for _, end := range []network.PortRef{l.A, l.B} {
			c := t.configs[end.Device]
			if p := c.Ports[end.Port]; t.node(end.Device) == node && c.Settings["stp"] == "rapid" && (p.Settings["root-guard"] == "on" || c.Bundles[p.LAG].Settings["root-guard"] == "on") {
				return true
			}
		}
		return false
	})
}
