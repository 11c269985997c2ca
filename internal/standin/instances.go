package standin

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// mstConfig is how a bridge takes part in MSTP (IEEE 802.1Q clause 13).
type mstConfig struct {
	on         bool
	region     string
	revision   string
	instanceOf map[int]int // by VLAN; the common tree is left out
	priority   map[int]int // of the bridge, by instance
}

func compileInstances(stp *xmlnode.Node) mstConfig {
	m := mstConfig{region: stp.TextAt("mstp/config/name"), revision: stp.TextAt("mstp/config/revision"), instanceOf: map[int]int{}, priority: map[int]int{}}
	m.on = protocol(stp, "MSTP")
	for _, i := range stp.Find("mstp/mst-instances").All("mst-instance") {
		number, _ := strconv.Atoi(i.TextAt("mst-id"))
		m.priority[number] = 32768
		if p, err := strconv.Atoi(i.TextAt("config/bridge-priority")); err == nil {
			m.priority[number] = p
		}
		for _, v := range i.Child("config").All("vlan") {
			if low, high, err := vlanRange(v.Text); err == nil {
				for vlan := low; vlan <= high; vlan++ {
					m.instanceOf[vlan] = number
				}
			}
		}
	}
	return m
}

func protocol(stp *xmlnode.Node, of string) bool {
	return slices.ContainsFunc(stp.Find("global/config").All("enabled-protocol"), func(n *xmlnode.Node) bool { return strings.HasSuffix(n.Text, of) })
}

// digest is what bridges compare to tell whether they are of one region; "" for one that is not told apart by a name.
func (m mstConfig) digest() string {
	if !m.on || m.region == "" {
		return ""
	}
	out := strings.Builder{}
	fmt.Fprintf(&out, "%s/%s", m.region, cmp.Or(m.revision, "0"))
	for _, v := range slices.Sorted(maps.Keys(m.instanceOf)) {
		fmt.Fprintf(&out, "/%d:%d", v, m.instanceOf[v])
	}
	return out.String()
}

// validateInstances refuses what no bridge can do.
func validateInstances(tree *xmlnode.Node, fault func(tag, path, format string, args ...any)) {
	in := map[int]string{}
	for _, i := range tree.Find("stp/mstp/mst-instances").All("mst-instance") {
		id := i.TextAt("mst-id")
		path := "/stp/mstp/mst-instances/mst-instance[mst-id='" + id + "']"
		if i.TextAt("config/mst-id") != id {
			fault(netconf.TagInvalidValue, path+"/config/mst-id", "the number in config is not the key")
		}
		for _, v := range i.Child("config").All("vlan") {
			low, high, err := vlanRange(v.Text)
			for vlan := low; err == nil && vlan <= high; vlan++ {
				if other, twice := in[vlan]; twice && other != id {
					fault(netconf.TagInvalidValue, path+"/config/vlan", "VLAN %d is in instance %s already", vlan, other)
				}
				in[vlan] = id
			}
		}
	}
}

// branch is one spanning tree: that of an instance in a region, or the common one. It says which ends of cables are blocked, and what each bridge knows
// of the root.
type branch struct {
	blocked map[endpoint]bool
	root    map[string]string // by node: the node of the root bridge
	cost    map[string]int    // by node: to the root
	toRoot  map[string]*bundle
}

// regionAt is the region of a node, "" for none.
func (w *World) regionAt(node string) string {
	_, by := w.bestOf(node)
	return w.devices[by].cfg.mst.digest()
}

// growInstances grows the trees of instances, each inside of its region.
func (w *World) growInstances(s *spanning, bundles []*bundle) {
	s.instances = map[string]map[int]*branch{}
	inside := map[string][]*bundle{}
	for _, b := range bundles {
		if r := s.regions[b.a]; r != "" && r == s.regions[b.b] {
			inside[r] = append(inside[r], b)
		}
	}
	for node, region := range s.regions {
		if region == "" {
			continue
		}
		_, by := w.bestOf(node)
		for instance := range w.devices[by].cfg.mst.priority {
			if s.instances[region] == nil {
				s.instances[region] = map[int]*branch{}
			}
			if s.instances[region][instance] == nil {
				s.instances[region][instance] = w.growBranch(region, instance, inside[region], s.regions)
			}
		}
	}
}

// rankIn orders the bridges of a region in the tree of an instance.
func (w *World) rankIn(node string, instance int) [2]string {
	best := [2]string{"~"}
	for _, name := range w.nodes[node] {
		d := w.devices[name]
		priority, known := d.cfg.mst.priority[instance]
		if !known {
			priority = 32768
		}
		if id := [2]string{string(rune('0' + priority/4096)), d.chassisMAC()}; d.cfg.stp && slices.Compare(id[:], best[:]) < 0 {
			best = id
		}
	}
	return best
}

// growBranch grows the tree of an instance of a region.
func (w *World) growBranch(region string, instance int, inside []*bundle, regions map[string]string) *branch {
	rank := map[string][2]string{}
	for node := range regions {
		if regions[node] == region {
			rank[node] = w.rankIn(node, instance)
		}
	}
	return w.grow(inside, rank, regions, func(string) int { return maxHops })
}

// maxHops is how many bridges of a region what its root says is believed away (IEEE 802.1Q 13.26.4).
const maxHops = 20

// vector is the best that a bridge was told of a root: a priority vector (IEEE 802.1Q 13.10).
type vector struct {
	root               [2]string
	external           int // the cost of what is outside of regions
	regional           [2]string
	internal           int // and inside of the own one
	from               [2]string
	rootAt             string
	ages, hops, oldest int
	by                 *bundle
}

func (h vector) better(than vector) bool {
	return cmp.Or(slices.Compare(h.root[:], than.root[:]), h.external-than.external, slices.Compare(h.regional[:], than.regional[:]), h.internal-than.internal, slices.Compare(h.from[:], than.from[:])) < 0
}

// maxRounds bounds how long what nobody says any more is still told on: it grows too old (Max Age is 40 at most, and each region has its hops).
const maxRounds = 40 * maxHops

// grow finds a tree by what bridges would tell each other, round by round, until nobody learns anything better. Of a bundle that is on nobody's way, the
// end that is farther from the root is blocked.
func (w *World) grow(bundles []*bundle, rank map[string][2]string, regions map[string]string, oldest func(root string) int) *branch {
	alone, knows := map[string]vector{}, map[string]vector{}
	for node := range rank {
		alone[node] = vector{root: rank[node], regional: rank[node], rootAt: node, oldest: oldest(node)}
	}
	maps.Copy(knows, alone)
	for range len(rank) + maxRounds {
		next := maps.Clone(alone)
		for _, b := range bundles {
			for _, way := range [][2]string{{b.a, b.b}, {b.b, b.a}} {
				told := knows[way[0]]
				told.from, told.by = rank[way[0]], b
				believed := true
				if r := regions[way[0]]; r != "" && r == regions[way[1]] {
					told.internal, told.hops = told.internal+pathCost(b.speed), told.hops+1
					believed = told.hops <= maxHops
				} else {
					believed = told.ages < told.oldest
					told.external, told.regional, told.internal, told.ages, told.hops = told.external+pathCost(b.speed), rank[way[1]], 0, told.ages+1, 0
				}
				if believed && told.better(next[way[1]]) && !w.guardsRoot(b, way[1]) {
					next[way[1]] = told
				}
			}
		}
		if maps.Equal(knows, next) {
			break
		}
		knows = next
	}
	out := &branch{blocked: map[endpoint]bool{}, root: map[string]string{}, cost: map[string]int{}, toRoot: map[string]*bundle{}}
	for node, h := range knows {
		out.root[node], out.cost[node] = h.rootAt, h.external+h.internal
		if h.by != nil {
			out.toRoot[node] = h.by
		}
	}
	for _, b := range bundles {
		if out.toRoot[b.a] == b || out.toRoot[b.b] == b {
			continue
		}
		if out.root[b.a] != out.root[b.b] { // each end forwards what its own root says, where neither guards against the other's
			if w.guardsRoot(b, b.a) || w.guardsRoot(b, b.b) {
				out.block(b)
			}
			continue
		}
		x, y := knows[b.a], knows[b.b]
		x.from, y.from = rank[b.a], rank[b.b]
		worse := b.b
		if y.better(x) {
			worse = b.a
		}
		for _, c := range b.cables {
			for _, e := range []endpoint{c.a, c.b} {
				if w.nodeOf(e.device) == worse && w.devices[e.device].cfg.stp {
					out.blocked[e] = true
				}
			}
		}
	}
	return out
}

// block closes a bundle at both ends.
func (t *branch) block(b *bundle) {
	for _, c := range b.cables {
		t.blocked[c.a], t.blocked[c.b] = true, true
	}
}

// blocks tells whether nothing of a VLAN passes an end of a cable.
func (w *World) blocks(c *cable, vlan int) bool {
	s := w.tree
	near, far := w.nodeOf(c.a.device), w.nodeOf(c.b.device)
	if s.always[c.a] || s.always[c.b] {
		return true
	}
	if len(s.instances) > 0 {
		if r := s.regions[near]; r != "" && r == s.regions[far] {
			_, by := w.bestOf(near)
			if b := s.instances[r][w.devices[by].cfg.mst.instanceOf[vlan]]; b != nil {
				return b.blocked[c.a] || b.blocked[c.b]
			}
		}
	}
	return s.blocked[c.a] || s.blocked[c.b]
}

// instancesOf tells of the trees of instances in which a device is, in the form of openconfig-spanning-tree.
func (d *device) instancesOf(stp *xmlnode.Node, now time.Time) {
	x, w := in("oc-stp"), d.world
	node := w.nodeOf(d.spec.Name)
	region := w.tree.regions[node]
	if region == "" {
		return
	}
	list := stp.Ensure(namespaces["oc-stp"], "mstp").Ensure(namespaces["oc-stp"], "mst-instances")
	for _, number := range slices.Sorted(maps.Keys(d.cfg.mst.priority)) {
		b := w.tree.instances[region][number]
		if b == nil {
			continue
		}
		var i *xmlnode.Node
		for _, known := range list.All("mst-instance") {
			if known.TextAt("mst-id") == strconv.Itoa(number) {
				i = known
			}
		}
		if i == nil {
			i = x.node("mst-instance", x.int("mst-id", number))
			list.Add(i)
		}
		root := w.nodes[b.root[node]][0]
		rootPriority, known := w.devices[root].cfg.mst.priority[number]
		if !known {
			rootPriority = 32768
		}
		state := x.node("state", x.int("mst-id", number), x.int("bridge-priority", d.cfg.mst.priority[number]), x.leaf("bridge-address", d.chassisMAC()), x.int("designated-root-priority", rootPriority),
			x.leaf("designated-root-address", w.devices[root].chassisMAC()), x.int("root-cost", b.cost[node]))
		interfaces := x.node("interfaces")
		for _, spec := range d.spec.Ports {
			at := endpoint{d.spec.Name, spec.Name}
			if d.ports[spec.Name].up {
				blocked := b.blocked[at] || w.tree.always[at] || w.atBoundary(at) && w.tree.blocked[at]
				interfaces.Add(d.portInTree(at, blocked, b.toRoot[node], now))
			}
		}
		i.Add(state, interfaces)
	}
}

// atBoundary tells whether another region is at the other end of a port's cable: there all instances do as the common tree does (IEEE 802.1Q 13.9).
func (w *World) atBoundary(at endpoint) bool {
	for _, c := range w.cablesAt[at.device] {
		far := c.b
		if c.b == at {
			far = c.a
		}
		if c.a == at || c.b == at {
			return w.tree.regions[w.nodeOf(far.device)] != w.tree.regions[w.nodeOf(at.device)]
		}
	}
	return true
}

// portInTree tells how a port takes part in a tree.
func (d *device) portInTree(at endpoint, blocked bool, toRoot *bundle, now time.Time) *xmlnode.Node {
	x := in("oc-stp")
	state, role := "oc-stp-types:"+d.stpWord(d.ports[at.port], now), "oc-stp-types:DESIGNATED"
	if toRoot != nil && slices.ContainsFunc(toRoot.cables, func(c *cable) bool { return c.a == at || c.b == at }) {
		role = "oc-stp-types:ROOT"
	}
	if blocked {
		state, role = "oc-stp-types:BLOCKING", "oc-stp-types:ALTERNATE"
	}
	types := "http://openconfig.net/yang/spanning-tree/types"
	return x.node("interface", x.leaf("name", at.port), x.node("state", x.leaf("name", at.port),
		x.leaf("port-state", state).SetAttr("xmlns", "oc-stp-types", types), x.leaf("role", role).SetAttr("xmlns", "oc-stp-types", types)))
}
