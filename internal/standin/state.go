package standin

import (
	"cmp"
	"net"
	"slices"
	"strconv"
	"time"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// keptEvents is how many events a device keeps for replay.
const keptEvents = 100

type logEntry struct {
	at    time.Time
	event *xmlnode.Node
}

func (d *device) notify(at time.Time, event *xmlnode.Node) {
	d.log = append(d.log, logEntry{at, event})
	if len(d.log) > keptEvents {
		d.log = d.log[len(d.log)-keptEvents:]
	}
	for s := range d.subscribers {
		s.Notify(at, event)
	}
}

func changedBy(s *netconf.ServerSession) *xmlnode.Node {
	by := xmlnode.New(netconf.EventsNS, "changed-by")
	if s == nil {
		return by.Add(xmlnode.New(netconf.EventsNS, "server"))
	}
	return by.Add(xmlnode.Leaf(netconf.EventsNS, "username", s.User), xmlnode.Leaf(netconf.EventsNS, "session-id", strconv.Itoa(int(s.ID))))
}

// confirmEvent tells of a confirmed commit: start, cancel, timeout, extend or complete (RFC 6470 section 2.2).
func (d *device) confirmEvent(event string, s *netconf.ServerSession) {
	n := xmlnode.New(netconf.EventsNS, "netconf-confirmed-commit")
	if s != nil {
		n.Add(xmlnode.Leaf(netconf.EventsNS, "username", s.User), xmlnode.Leaf(netconf.EventsNS, "session-id", strconv.Itoa(int(s.ID))))
	}
	d.notify(d.world.clock.now(), n.Add(xmlnode.Leaf(netconf.EventsNS, "confirm-event", event)))
}

func (d *device) portChanged(at time.Time, p *portSim) {
	d.linkChanged(p)
	ns := namespaces["ep-dev"]
	n := xmlnode.New(ns, "port-state-changed",
		xmlnode.Leaf(ns, "name", p.spec.Name),
		xmlnode.Leaf(ns, "oper-status", operStatus(p)),
		xmlnode.Leaf(ns, "last-change", strconv.FormatInt(p.changed.UnixNano(), 10)))
	if by := d.world.keptShut(d, p); by != "" && !p.up && d.cfg.ports[p.spec.Name].enabled {
		n.Add(xmlnode.Leaf(ns, "shut-by", by))
	}
	d.notify(at, n)
}

func operStatus(p *portSim) string {
	if p.up {
		return "UP"
	}
	return "DOWN"
}

// sections build the state that stands in each top-level container of a device's tree.
var sections = map[string]func(*device, *xmlnode.Node, time.Time){
	"system": (*device).systemState, "interfaces": (*device).interfacesState, "lldp": (*device).lldpState, "lacp": (*device).lacpState,
	"stp": (*device).stpState, "components": (*device).componentsState, "network-instances": (*device).instancesState,
	"access-points": (*device).accessPointState, "switching": (*device).switchingState, "acl": (*device).listState, "device": (*device).ownState, "services": (*device).servicesState, "tunnels": (*device).tunnelsState, "steered": (*device).steeredState,
	"storage": (*device).storageState, "firewall": (*device).firewallState, "routing": (*device).leaseState, "wireless": (*device).wirelessState, "management-plane": (*device).managementState, "radio-link": (*device).radioLinkState,
}

// homes are the namespaces of the top-level containers that hold no configuration.
var homes = []struct{ name, prefix string }{
	{"system", "oc-sys"}, {"lldp", "oc-lldp"}, {"components", "oc-pf"}, {"network-instances", "oc-netin"}, {"access-points", "oc-ap"},
	{"device", "ep-dev"}, {"switching", "ep-sw"}, {"storage", "ep-st"}, {"tunnels", "ep-wan"}, {"steered", "ep-wan"}, {"radio-link", "ep-radio"},
}

// stateTree is configuration and state together, as <get> shows them: of the containers that are wanted, or of all.
func (d *device) stateTree(now time.Time, wanted []*xmlnode.Node) *xmlnode.Node {
	want := func(name string) bool {
		for _, f := range wanted {
			if f.Name == name {
				return true
			}
		}
		return wanted == nil
	}
	tree := xmlnode.New(d.running.Space, d.running.Name)
	for _, c := range d.running.Children {
		if want(c.Name) {
			tree.Add(c.Clone())
		}
	}
	for _, h := range homes {
		if want(h.name) {
			tree.Ensure(namespaces[h.prefix], h.name)
		}
	}
	for _, c := range slices.Clone(tree.Children) {
		if build := sections[c.Name]; build != nil {
			build(d, c, now)
		}
		if len(c.Children) == 0 {
			tree.Remove(c)
		}
	}
	return tree
}

// in makes elements in one namespace.
type in string

func (ns in) leaf(name, text string) *xmlnode.Node {
	return xmlnode.Leaf(namespaces[string(ns)], name, text)
}

// told puts what is said of something under it, in this order.
func (ns in) told(n *xmlnode.Node, leaves [][2]string) {
	for _, l := range leaves {
		if l[1] != "" {
			n.Add(ns.leaf(l[0], l[1]))
		}
	}
}

func (ns in) int(name string, n int) *xmlnode.Node { return ns.leaf(name, strconv.Itoa(n)) }

func (ns in) count(name string, f float64) *xmlnode.Node {
	return ns.leaf(name, strconv.FormatUint(uint64(f), 10))
}

func (ns in) float(name string, f float64, digits int) *xmlnode.Node {
	return ns.leaf(name, strconv.FormatFloat(f, 'f', digits, 64))
}

func (ns in) when(name string, t time.Time) *xmlnode.Node {
	return ns.leaf(name, strconv.FormatInt(t.UnixNano(), 10))
}

func (ns in) node(name string, children ...*xmlnode.Node) *xmlnode.Node {
	return xmlnode.New(namespaces[string(ns)], name, children...)
}

func (d *device) systemState(sys *xmlnode.Node, now time.Time) {
	x := in("oc-sys")
	sys.Add(x.node("state", x.leaf("hostname", d.cfg.hostname), x.leaf("current-datetime", now.Add(d.ahead(now)).UTC().Format(time.RFC3339)), x.when("boot-time", d.booted)))
	if d.cfg.timed {
		for _, s := range sys.Find("ntp/servers").All("server") {
			s.Add(x.node("state", x.leaf("address", s.TextAt("address")), x.int("stratum", 3)))
		}
	}
}

// ahead is how far the device's clock is ahead of the right time: one that no server sets is off by some seconds for every ten
// days that it runs, more or less, each device's by its own crystal.
func (d *device) ahead(now time.Time) time.Duration {
	if d.cfg.timed {
		return 0
	}
	perMillion := (d.index*37)%41 - 20
	return now.Sub(d.booted) / 1_000_000 * time.Duration(perMillion)
}

func (d *device) interfacesState(interfaces *xmlnode.Node, _ time.Time) {
	defer d.resolvedState(interfaces)
	for _, i := range interfaces.All("interface") {
		name := i.TextAt("name")
		p := d.ports[name]
		if p == nil {
			if i.Child("aggregation") != nil {
				d.bundleState(i, name)
			}
			continue
		}
		i.Add(p.stateNode(d.cfg.ports[name].enabled))
		if a := d.world.wide.at[endpoint{d.spec.Name, name}]; a != "" && p.up {
			x, ip := in("oc-if"), in("oc-ip")
			i.Ensure(namespaces["oc-if"], "subinterfaces").Add(x.node("subinterface", x.leaf("index", "0"), ip.node("ipv4", ip.node("addresses", ip.node("address", ip.leaf("ip", a),
				ip.node("state", ip.leaf("ip", a), ip.leaf("prefix-length", "30"), ip.leaf("origin", "DHCP")))))))
		}
		eth := i.Ensure(namespaces["oc-eth"], "ethernet")
		eth.Add(p.ethernetState(d.speedOf(name)))
		if p.spec.PoE {
			x := in("oc-poe")
			eth.Ensure(namespaces["oc-poe"], "poe").Add(x.node("state", x.leaf("enabled", strconv.FormatBool(d.cfg.ports[name].poe)),
				x.float("power-used", float64(p.feeding)/1000, 2), x.int("power-class", p.class)))
		}
	}
}

// bundleState tells of a link aggregation: it is up while a member is.
func (d *device) bundleState(i *xmlnode.Node, name string) {
	x, l := in("oc-if"), in("oc-lag")
	oper, speed := "DOWN", 0
	state := l.node("state", l.leaf("lag-type", "LACP"))
	for _, spec := range d.spec.Ports {
		if d.cfg.ports[spec.Name].lag != name {
			continue
		}
		state.Add(l.leaf("member", spec.Name))
		if d.ports[spec.Name].up {
			oper = "UP"
			speed += spec.SpeedMbps
		}
	}
	state.Add(l.int("lag-speed", speed))
	i.Add(x.node("state", x.leaf("name", name), x.leaf("admin-status", "UP"), x.leaf("oper-status", oper)))
	i.Child("aggregation").Add(state)
}

// tally is what a port counts.
type tally struct {
	inOctets, inUnicast, inBroadcast, inMulticast, inDiscards, inErrors, inFCS, inFragments, collisions float64
	outOctets, outUnicast, outBroadcast, outMulticast, outDiscards, outErrors                           float64
}

func (c tally) node() *xmlnode.Node {
	x := in("oc-if")
	n := x.node("counters")
	for _, f := range []struct {
		name  string
		value float64
	}{
		{"in-octets", c.inOctets}, {"in-unicast-pkts", c.inUnicast}, {"in-broadcast-pkts", c.inBroadcast}, {"in-multicast-pkts", c.inMulticast},
		{"in-discards", c.inDiscards}, {"in-errors", c.inErrors}, {"in-fcs-errors", c.inFCS}, {"out-octets", c.outOctets}, {"out-unicast-pkts", c.outUnicast},
		{"out-broadcast-pkts", c.outBroadcast}, {"out-multicast-pkts", c.outMulticast}, {"out-discards", c.outDiscards}, {"out-errors", c.outErrors},
	} {
		n.Add(x.leaf(f.name, strconv.FormatUint(uint64(f.value), 10)))
	}
	return n
}

func (p *portSim) stateNode(enabled bool) *xmlnode.Node {
	x := in("oc-if")
	admin := "UP"
	if !enabled {
		admin = "DOWN"
	}
	return x.node("state", x.leaf("name", p.spec.Name), x.leaf("admin-status", admin), x.leaf("oper-status", operStatus(p)), x.when("last-change", p.changed), p.counters.node())
}

var speedNames = map[int]string{10: "SPEED_10MB", 5000: "SPEED_5GB", 100: "SPEED_100MB", 1000: "SPEED_1GB", 2500: "SPEED_2500MB", 10000: "SPEED_10GB", 25000: "SPEED_25GB", 40000: "SPEED_40GB", 100000: "SPEED_100GB"}

// speedOf is the speed of a port's link.
func (d *device) speedOf(port string) int {
	at := endpoint{d.spec.Name, port}
	for _, c := range d.world.cablesAt[d.spec.Name] {
		if c.a == at || c.b == at {
			return d.world.negotiated(c)
		}
	}
	return cmp.Or(d.cfg.ports[port].fixedMbps, d.ports[port].spec.SpeedMbps)
}

func (p *portSim) ethernetState(mbps int) *xmlnode.Node {
	x := in("oc-eth")
	n := x.node("state", x.leaf("mac-address", p.mac), x.node("counters", x.count("in-fragment-frames", p.counters.inFragments)))
	if s := speedNames[mbps]; p.up && s != "" {
		n.Add(x.leaf("negotiated-port-speed", "oc-eth:"+s).SetAttr("xmlns", "oc-eth", namespaces["oc-eth"]))
	}
	return n
}

func (d *device) lldpState(lldp *xmlnode.Node, _ time.Time) {
	x := in("oc-lldp")
	out := x.node("interfaces")
	for _, c := range d.world.cablesAt[d.spec.Name] {
		near, far := c.a, c.b
		if far.device == d.spec.Name {
			near, far = far, near
		}
		if !d.ports[near.port].up {
			continue
		}
		peer := d.world.devices[far.device]
		state := x.node("state", x.leaf("id", "1"), x.leaf("system-name", peer.cfg.hostname),
			x.leaf("system-description", peer.spec.Maker+" "+peer.spec.Model+" "+peer.spec.Firmware),
			x.leaf("chassis-id", peer.chassisMAC()), x.leaf("chassis-id-type", "MAC_ADDRESS"),
			x.leaf("port-id", far.port), x.leaf("port-id-type", "INTERFACE_NAME"))
		if peer.listener != nil && peer.listener.Listener != nil { // the address by which it is managed (IEEE 802.1AB clause 8.5.9)
			host, _, _ := net.SplitHostPort(peer.listener.Addr().String())
			state.Add(x.leaf("management-address", host), x.leaf("management-address-type", "1"))
		}
		out.Add(x.node("interface", x.leaf("name", near.port), x.node("neighbors", x.node("neighbor", x.leaf("id", "1"), state))))
	}
	lldp.Add(out)
}

func (d *device) lacpState(lacp *xmlnode.Node, _ time.Time) {
	x := in("oc-lacp")
	for _, i := range lacp.Find("interfaces").All("interface") {
		members := x.node("members")
		for _, spec := range d.spec.Ports {
			if d.cfg.ports[spec.Name].lag != i.TextAt("name") {
				continue
			}
			sync, partner := "OUT_SYNC", ""
			for _, c := range d.world.cablesAt[d.spec.Name] {
				near, far := c.a, c.b
				if far.device == d.spec.Name {
					near, far = far, near
				}
				if near.port == spec.Name && d.world.forwards(c) {
					sync, partner = "IN_SYNC", d.world.devices[far.device].chassisMAC()
				}
			}
			state := x.node("state", x.leaf("interface", spec.Name), x.leaf("activity", "ACTIVE"), x.leaf("timeout", "SHORT"), x.leaf("synchronization", sync),
				x.leaf("aggregatable", "true"), x.leaf("collecting", strconv.FormatBool(sync == "IN_SYNC")), x.leaf("distributing", strconv.FormatBool(sync == "IN_SYNC")))
			if partner != "" {
				state.Add(x.leaf("partner-id", partner))
			}
			members.Add(x.node("member", x.leaf("interface", spec.Name), state))
		}
		i.Add(members)
	}
}

func (d *device) stpState(stp *xmlnode.Node, now time.Time) {
	x, w := in("oc-stp"), d.world
	node := w.nodeOf(d.spec.Name)
	if w.tree == nil || !d.cfg.stp {
		return
	}
	root := w.nodes[w.tree.root[node]][0]
	rstp := stp.Ensure(namespaces["oc-stp"], "rstp")
	times := w.timesOf(node)
	rstp.Add(x.node("state", x.int("hello-time", times.hello), x.int("max-age", times.maxAge), x.int("forwarding-delay", int(times.forward/time.Second)), x.int("bridge-priority", d.cfg.priority), x.leaf("bridge-address", d.chassisMAC()),
		x.int("designated-root-priority", w.devices[root].cfg.priority), x.leaf("designated-root-address", w.devices[root].chassisMAC()), x.int("root-cost", w.tree.cost[node])))
	interfaces := x.node("interfaces")
	for _, spec := range d.spec.Ports {
		at := endpoint{d.spec.Name, spec.Name}
		if !d.ports[spec.Name].up {
			continue
		}
		interfaces.Add(d.portInTree(at, w.tree.blocked[at], w.tree.toRoot[node], now))
	}
	rstp.Add(interfaces)
	d.instancesOf(stp, now)
}

// instancesState adds routes and the MAC table.
func (d *device) instancesState(instances *xmlnode.Node, _ time.Time) {
	x := in("oc-netin")
	d.routingState(instances)
	i := instances.Child("network-instance")
	if i == nil || d.spec.Role != "switch" {
		return
	}
	entries := x.node("entries")
	for _, e := range d.macTable() {
		entries.Add(x.node("entry", x.leaf("mac-address", e.mac), x.int("vlan", e.vlan),
			x.node("state", x.leaf("mac-address", e.mac), x.int("vlan", e.vlan), x.leaf("entry-type", "DYNAMIC")),
			x.node("interface", x.node("interface-ref", x.node("state", x.leaf("interface", e.port))))))
	}
	i.Add(x.node("fdb", x.node("mac-table", entries)))
}

func (d *device) ownState(own *xmlnode.Node, now time.Time) {
	x := in("ep-dev")
	own.Add(x.leaf("role", d.spec.Role))
	if page := d.pageAddress(); page != "" {
		own.Add(x.leaf("page", page))
	}
	d.licencesState(own)
	d.certificateState(own)
	d.slotsState(own)
	used, size := d.flash()
	own.Add(x.node("flash", x.leaf("size", strconv.FormatInt(size, 10)), x.leaf("used", strconv.FormatInt(used, 10))))
	if d.spec.BudgetMilliW > 0 {
		used := 0
		for _, p := range d.ports {
			used += p.feeding
		}
		own.Add(x.node("power-sourcing", x.int("budget", d.budget()), x.int("used", used)))
	}
	d.clusterState(own)
	if d.spec.Role == "firewall" {
		own.Add(x.int("sessions", len(d.world.sessionTable(d, now))+int(min(d.halfOpen, tableSize))))
	}
}

// switchingState tells which ports the device keeps shut by itself, and why.
func (d *device) switchingState(sw *xmlnode.Node, _ time.Time) {
	x := in("ep-sw")
	entries := map[string]*xmlnode.Node{}
	for _, n := range sw.All("port") {
		entries[n.TextAt("name")] = n
	}
	for _, spec := range d.spec.Ports {
		p := d.ports[spec.Name]
		by := d.world.keptShut(d, p)
		if !d.cfg.ports[spec.Name].enabled {
			by = ""
		}
		if by == "" && p.feeding == 0 && p.counters.collisions < 1 {
			continue
		}
		n := entries[spec.Name]
		if n == nil {
			n = x.node("port", x.leaf("name", spec.Name))
			sw.Add(n)
		}
		if by != "" {
			n.Add(x.leaf("shut-by", by))
		}
		if p.counters.collisions >= 1 {
			n.Add(x.count("collisions", p.counters.collisions))
		}
		if p.feeding > 0 {
			mv := p.voltage()
			n.Ensure(namespaces["ep-sw"], "power").Add(x.int("voltage", mv), x.int("current", p.feeding*1000/mv))
		}
	}
	d.classState(sw)
	d.pairState(sw)
	d.ringState(sw)
	d.controllerState(sw)
	d.intruderState(sw)
}

// voltage is that of what a port feeds, in mV: its supply gives 54 V, of which a cable of 10 ohms takes the more the more is drawn.
func (p *portSim) voltage() int {
	const supplyV, ohms = 54, 10
	return supplyV*1000 - ohms*p.feeding/supplyV
}

// listState tells how many frames each entry of an access list decided on.
func (d *device) listState(acl *xmlnode.Node, _ time.Time) {
	x := in("oc-acl")
	for _, set := range acl.Find("acl-sets").All("acl-set") {
		for _, e := range set.Child("acl-entries").All("acl-entry") {
			sequence, _ := strconv.Atoi(e.TextAt("sequence-id"))
			e.Add(x.node("state", x.leaf("sequence-id", e.TextAt("sequence-id")), x.count("matched-packets", d.hits[listEntry{set.TextAt("name"), sequence}])))
		}
	}
}
