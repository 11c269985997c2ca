package topology

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// Bridges is what must be known of devices besides their configurations to tell how spanning tree will fare.
type Bridges struct {
	Address   map[string]string // of a bridge, by device
	Pair      map[string]string // of a device that is one bridge with another: a name that both have
	SpeedMbps func(Link) int    // of a link; 0 where it is not known
}

// Trees are the spanning trees of a network: the common one, and in each region one for each instance (IEEE 802.1Q clause 13).
type Trees struct {
	rings   map[Link]bool    // that the managers of rings close, for all VLANs
	common  map[Link]bool    // that the common tree closes
	regions map[Link]*region // in which both ends of a link are
}

// Blocks tells whether nothing of a VLAN passes a link.
func (t Trees) Blocks(l Link, v network.VLANID) bool {
	if t.rings[l] {
		return true
	}
	if r := t.regions[l]; r != nil {
		if i := r.instance[v]; i != 0 {
			return r.closed[i][l]
		}
	}
	return t.common[l]
}

// region is bridges that put the same VLANs into the same instances, and say so by the same name and revision.
type region struct {
	instance map[network.VLANID]int
	closed   map[int]map[Link]bool // by instance
}

// hopsInRegion is how many bridges of a region what its root says is believed away (IEEE 802.1Q 13.26.4, MaxHops).
const hopsInRegion = 20

// SpanningTrees works out what spanning tree closes (what it comes to, not its messages), of the links that open tells of, and what the managers of
// rings do (IEC 62439-2). Bridges that run no spanning tree pass its messages on, and close nothing.
func SpanningTrees(configs map[string]network.Config, links []Link, open func(Link) bool, b Bridges) Trees {
	n := bridged{configs: configs, bridges: b, parts: map[string][]string{}}
	for device := range configs {
		n.parts[n.node(device)] = append(n.parts[n.node(device)], device)
	}
	rings := Rings(configs, links, open)
	out := Trees{rings: map[Link]bool{}, common: map[Link]bool{}, regions: map[Link]*region{}}
	for _, l := range links {
		if rings.block(l) {
			out.rings[l] = true
		}
	}
	segments := n.segments(links, func(l Link) bool { return open(l) && !out.rings[l] })
	of := map[string]string{}
	for node := range n.parts {
		of[node] = cmp.Or(n.regionOf(node), "bridge "+node)
	}
	out.common = n.closed(tree{ids: func(node string) bridgeID { return n.id(node, 0) }, region: of, maxAge: n.maxAge}, segments)
	within := map[string][]*segment{}
	for _, s := range segments {
		if of[s.a] == of[s.b] {
			within[of[s.a]] = append(within[of[s.a]], s)
		}
	}
	for _, inside := range within {
		r := &region{instance: Instances(configs[n.leader(inside[0].a)]), closed: map[int]map[Link]bool{}}
		for _, i := range r.instance {
			if r.closed[i] == nil {
				r.closed[i] = n.closed(tree{ids: func(node string) bridgeID { return n.id(node, i) }, region: of, maxAge: func(string) int { return hopsInRegion }}, inside)
			}
		}
		for _, s := range inside {
			for _, l := range s.links {
				out.regions[l] = r
			}
		}
	}
	return out
}

// Instances are the instances into which a device puts VLANs; those of the common tree are left out.
func Instances(c network.Config) map[network.VLANID]int {
	if c.Settings["stp"] != "multiple" {
		return nil
	}
	out := map[network.VLANID]int{}
	for _, object := range setting.ObjectsOf(c, setting.OnInstance) {
		number, err := strconv.Atoi(strings.TrimPrefix(object, string(setting.OnInstance)+"/"))
		set, wrong := network.ParseVLANSet(c.Objects[object]["instance-vlans"])
		if err != nil || wrong != nil {
			continue
		}
		for _, v := range set {
			out[v] = number
		}
	}
	return out
}

// Region names the region in which a device is, "" where it is in none: what IEEE 802.1Q 13.8 has bridges compare.
func Region(c network.Config) string {
	name := c.Settings["mst-region"]
	if c.Settings["stp"] != "multiple" || name == "" {
		return ""
	}
	in := Instances(c)
	text := strings.Builder{}
	fmt.Fprintf(&text, "region %s, revision %s:", name, cmp.Or(c.Settings["mst-revision"], "0"))
	for _, v := range slices.Sorted(maps.Keys(in)) {
		fmt.Fprintf(&text, " %s=%d", v, in[v])
	}
	return text.String()
}

// bridged is a network of bridges: a node is a device, or two that are one bridge.
type bridged struct {
	configs map[string]network.Config
	bridges Bridges
	parts   map[string][]string // the devices of a node
}

func (n bridged) node(device string) string { return cmp.Or(n.bridges.Pair[device], device) }

func (n bridged) runs(node string) bool {
	return slices.ContainsFunc(n.parts[node], func(d string) bool { return setting.Spans(n.configs[d]) })
}

// segment is links that forward as one.
type segment struct {
	a, b  string
	links []Link
	mbps  int
}

// cost is that of IEEE 802.1Q table 13-4: 20 Tbit/s divided by the speed.
func (s *segment) cost() int { return 20_000_000 / max(s.mbps, 1) }

func (s *segment) other(node string) string {
	if s.a == node {
		return s.b
	}
	return s.a
}

// segments puts the links together that forward as one, of those that open tells of.
func (n bridged) segments(links []Link, open func(Link) bool) (out []*segment) {
	byEnds := map[[4]string]*segment{}
	for _, l := range links {
		pa, pb := n.configs[l.A.Device].Ports[l.A.Port], n.configs[l.B.Device].Ports[l.B.Port]
		if pa.Mode == "" || pb.Mode == "" || !open(l) {
			continue
		}
		k := [4]string{n.node(l.A.Device), cmp.Or(pa.LAG, l.A.String()), n.node(l.B.Device), cmp.Or(pb.LAG, l.B.String())}
		if k[0] == k[2] {
			continue // within a pair
		}
		one := byEnds[k]
		if one == nil {
			one = &segment{a: k[0], b: k[2]}
			byEnds[k] = one
			out = append(out, one)
		}
		one.links = append(one.links, l)
		speed := 1000
		if n.bridges.SpeedMbps != nil {
			speed = cmp.Or(n.bridges.SpeedMbps(l), speed)
		}
		one.mbps += speed
	}
	return out
}

type bridgeID struct {
	priority int
	address  string
}

func (x bridgeID) compare(y bridgeID) int {
	return cmp.Or(x.priority-y.priority, cmp.Compare(x.address, y.address))
}

// id is that of a node in the tree of an instance, 0 for the common one: that of the best of its devices. One that runs no spanning tree comes after
// all others.
func (n bridged) id(node string, instance int) bridgeID {
	id, _ := n.best(node, instance)
	return id
}

// leader is the device of a node by which it goes in the common tree.
func (n bridged) leader(node string) string {
	_, device := n.best(node, 0)
	return device
}

func (n bridged) best(node string, instance int) (best bridgeID, by string) {
	best = bridgeID{1 << 20, "~"}
	for _, device := range n.parts[node] {
		id := bridgeID{1 << 17, n.bridges.Address[device]}
		if c := n.configs[device]; setting.Spans(c) {
			id.priority = 32768
			text := c.Settings["stp-priority"]
			if instance != 0 {
				text = c.Objects[setting.Object(setting.OnInstance, strconv.Itoa(instance))]["priority"]
			}
			if p, err := strconv.Atoi(text); err == nil {
				id.priority = p
			}
		}
		if by == "" || id.compare(best) < 0 {
			best, by = id, device
		}
	}
	return best, by
}

// regionOf is the region in which a node is, "" for none.
func (n bridged) regionOf(node string) string { return Region(n.configs[n.leader(node)]) }

// maxAge is how many bridges away what a root says is believed (IEEE 802.1Q 13.26.7, Max Age). A region counts for one.
func (n bridged) maxAge(root string) int {
	if age, err := strconv.Atoi(n.configs[n.leader(root)].Settings["stp-max-age"]); err == nil {
		return age
	}
	return 20
}

// guardsRoot tells whether a bridge does not take a segment as its way to a root.
func (n bridged) guardsRoot(one *segment, node string) bool {
	return slices.ContainsFunc(one.links, func(l Link) bool {
		for _, end := range []network.PortRef{l.A, l.B} {
			c := n.configs[end.Device]
			if p := c.Ports[end.Port]; n.node(end.Device) == node && setting.Spans(c) && (p.Settings["root-guard"] == "on" || c.Bundles[p.LAG].Settings["root-guard"] == "on") {
				return true
			}
		}
		return false
	})
}

// tree is one spanning tree, and how its bridges are told apart.
type tree struct {
	ids    func(node string) bridgeID
	region map[string]string
	maxAge func(root string) int

	at   map[string][]*segment
	root map[string]string
	far  map[string]distance
	up   map[string]*segment // on the way to the root
}

// distance is how far a bridge is from its root: over how much of what is outside of regions, from which bridge of its own region on, and over how much
// inside of it (IEEE 802.1Q 13.10).
type distance struct {
	external int
	regional bridgeID
	internal int
	age      int // bridges and regions that what the root says came through
	hops     int // of the own region
}

func (x distance) compare(y distance) int {
	return cmp.Or(x.external-y.external, x.regional.compare(y.regional), x.internal-y.internal)
}

// closed grows a tree over segments, and tells which links it closes.
func (n bridged) closed(t tree, segments []*segment) map[Link]bool {
	t.at, t.root, t.far, t.up = map[string][]*segment{}, map[string]string{}, map[string]distance{}, map[string]*segment{}
	ids := map[string]bridgeID{}
	for _, s := range segments {
		t.at[s.a], t.at[s.b] = append(t.at[s.a], s), append(t.at[s.b], s)
		ids[s.a], ids[s.b] = t.ids(s.a), t.ids(s.b)
	}
	t.ids = func(node string) bridgeID { return ids[node] }
	order := slices.SortedFunc(maps.Keys(t.at), func(a, b string) int { return cmp.Or(ids[a].compare(ids[b]), cmp.Compare(a, b)) })
	for _, root := range order { // the best bridge that no better one has reached is the root of its part
		if _, reached := t.root[root]; !reached {
			t.root[root], t.far[root] = root, distance{regional: ids[root]}
			t.from(root, n.guardsRoot)
		}
	}
	out := map[Link]bool{}
	for _, s := range segments {
		if t.up[s.a] == s || t.up[s.b] == s {
			continue
		}
		worse := s.b
		if cmp.Or(t.far[s.a].compare(t.far[s.b]), ids[s.a].compare(ids[s.b])) > 0 {
			worse = s.a
		}
		shut := n.runs(worse)
		if t.root[s.a] != t.root[s.b] { // each end forwards what its own root says, where neither guards against the other's
			shut = n.guardsRoot(s, s.a) || n.guardsRoot(s, s.b)
		}
		for _, l := range s.links {
			if shut {
				out[l] = true
			}
		}
	}
	return out
}

// from finds the cheapest way to a root from everywhere. A root that was heard before is better.
func (t tree) from(root string, guards func(*segment, string) bool) {
	done := map[string]bool{}
	queue := []string{root}
	oldest := t.maxAge(root)
	for len(queue) > 0 {
		next := 0
		for i, n := range queue[1:] {
			if best := queue[next]; cmp.Or(t.far[n].compare(t.far[best]), t.ids(n).compare(t.ids(best))) < 0 {
				next = i + 1
			}
		}
		node := queue[next]
		queue = slices.Delete(queue, next, next+1)
		if done[node] {
			continue
		}
		done[node] = true
		for _, s := range t.at[node] {
			far := s.other(node)
			way, believed := t.over(s, node, far, oldest)
			if done[far] || !believed || guards(s, far) {
				continue
			}
			if _, known := t.root[far]; known && (t.root[far] != root || !t.better(far, node, way)) {
				continue
			}
			t.root[far], t.far[far], t.up[far] = root, way, s
			queue = append(queue, far)
		}
	}
}

// better tells whether a bridge takes another way to its root than the one it knows: of two that are as far it is that of the better neighbour.
func (t tree) better(node, by string, way distance) bool {
	known := t.up[node]
	return cmp.Or(way.compare(t.far[node]), t.ids(by).compare(t.ids(known.other(node)))) < 0
}

// over is how far the bridge at the other end of a segment is from the root, by way of this one; and whether it still believes what comes from there.
func (t tree) over(s *segment, node, far string, oldest int) (way distance, believed bool) {
	way = t.far[node]
	if t.region[node] == t.region[far] {
		way.internal += s.cost()
		way.hops++
		return way, way.hops <= hopsInRegion
	}
	believed = way.age < oldest
	return distance{external: way.external + s.cost(), regional: t.ids(far), age: way.age + 1}, believed
}
