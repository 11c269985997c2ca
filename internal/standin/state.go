package standin

import (
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
	d.notify(time.Now(), n.Add(xmlnode.Leaf(netconf.EventsNS, "confirm-event", event)))
}

func (d *device) portChanged(at time.Time, p *portSim) {
	ns := namespaces["ep-dev"]
	d.notify(at, xmlnode.New(ns, "port-state-changed",
		xmlnode.Leaf(ns, "name", p.spec.Name),
		xmlnode.Leaf(ns, "oper-status", operStatus(p)),
		xmlnode.Leaf(ns, "last-change", strconv.FormatInt(p.changed.UnixNano(), 10))))
}

func operStatus(p *portSim) string {
	if p.up {
		return "UP"
	}
	return "DOWN"
}

// stateTree is configuration and state together, as <get> shows them.
func (d *device) stateTree(now time.Time) *xmlnode.Node {
	tree := d.running.Clone()
	sys := tree.Ensure(namespaces["oc-sys"], "system")
	sys.Add(xmlnode.New(sys.Space, "state",
		xmlnode.Leaf(sys.Space, "hostname", sys.TextAt("config/hostname")),
		xmlnode.Leaf(sys.Space, "current-datetime", now.UTC().Format(time.RFC3339)),
		xmlnode.Leaf(sys.Space, "boot-time", strconv.FormatInt(d.booted.UnixNano(), 10))))
	used := 0
	for _, i := range tree.Child("interfaces").All("interface") {
		p := d.ports[i.TextAt("name")]
		if p == nil {
			continue
		}
		i.Add(p.stateNode(i))
		eth := i.Ensure(namespaces["oc-eth"], "ethernet")
		eth.Add(p.ethernetState())
		if p.spec.PoE {
			poe := eth.Ensure(namespaces["oc-poe"], "poe")
			poe.Add(xmlnode.New(poe.Space, "state",
				xmlnode.Leaf(poe.Space, "enabled", strconv.FormatBool(portTree{i}.poe())),
				xmlnode.Leaf(poe.Space, "power-used", strconv.FormatFloat(float64(p.feeding)/1000, 'f', 2, 64)),
				xmlnode.Leaf(poe.Space, "power-class", strconv.Itoa(p.class))))
			used += p.feeding
		}
	}
	tree.Ensure(namespaces["oc-lldp"], "lldp").Add(d.neighbours())
	pf := namespaces["oc-pf"]
	tree.Add(xmlnode.New(pf, "components", xmlnode.New(pf, "component", xmlnode.Leaf(pf, "name", "chassis"),
		xmlnode.New(pf, "state", xmlnode.Leaf(pf, "name", "chassis"),
			xmlnode.Leaf(pf, "type", "oc-platform-types:CHASSIS").SetAttr("xmlns", "oc-platform-types", "http://openconfig.net/yang/platform-types"),
			xmlnode.Leaf(pf, "mfg-name", d.spec.Maker), xmlnode.Leaf(pf, "model-name", d.spec.Model),
			xmlnode.Leaf(pf, "serial-no", d.spec.Serial), xmlnode.Leaf(pf, "software-version", d.spec.Firmware)))))
	ep := namespaces["ep-dev"]
	own := xmlnode.New(ep, "device", xmlnode.Leaf(ep, "role", d.spec.Role))
	if d.spec.BudgetMilliW > 0 {
		own.Add(xmlnode.New(ep, "power-sourcing",
			xmlnode.Leaf(ep, "budget", strconv.Itoa(d.spec.BudgetMilliW)), xmlnode.Leaf(ep, "used", strconv.Itoa(used))))
	}
	return tree.Add(own)
}

func (p *portSim) stateNode(i *xmlnode.Node) *xmlnode.Node {
	ns := namespaces["oc-if"]
	counters := xmlnode.New(ns, "counters")
	for _, name := range []string{"in-octets", "in-errors", "in-discards", "out-octets", "out-errors", "out-discards"} {
		counters.Add(xmlnode.Leaf(ns, name, strconv.FormatUint(p.counters[name], 10)))
	}
	admin := "UP"
	if !(portTree{i}).enabled() {
		admin = "DOWN"
	}
	return xmlnode.New(ns, "state", xmlnode.Leaf(ns, "name", p.spec.Name), xmlnode.Leaf(ns, "admin-status", admin),
		xmlnode.Leaf(ns, "oper-status", operStatus(p)), xmlnode.Leaf(ns, "last-change", strconv.FormatInt(p.changed.UnixNano(), 10)), counters)
}

func (p *portSim) ethernetState() *xmlnode.Node {
	ns := namespaces["oc-eth"]
	n := xmlnode.New(ns, "state", xmlnode.Leaf(ns, "mac-address", p.mac))
	speeds := map[int]string{100: "SPEED_100MB", 1000: "SPEED_1GB", 2500: "SPEED_2500MB", 10000: "SPEED_10GB", 25000: "SPEED_25GB", 100000: "SPEED_100GB"}
	if s := speeds[p.spec.SpeedMbps]; p.up && s != "" {
		n.Add(xmlnode.Leaf(ns, "negotiated-port-speed", "oc-eth:"+s).SetAttr("xmlns", "oc-eth", ns))
	}
	return n
}

func (d *device) neighbours() *xmlnode.Node {
	ns := namespaces["oc-lldp"]
	out := xmlnode.New(ns, "interfaces")
	for _, c := range d.world.cables {
		near, far := c.a, c.b
		if far.device == d.spec.Name {
			near, far = far, near
		}
		if near.device != d.spec.Name || !d.ports[near.port].up {
			continue
		}
		peer := d.world.devices[far.device]
		out.Add(xmlnode.New(ns, "interface", xmlnode.Leaf(ns, "name", near.port),
			xmlnode.New(ns, "neighbors", xmlnode.New(ns, "neighbor", xmlnode.Leaf(ns, "id", "1"),
				xmlnode.New(ns, "state", xmlnode.Leaf(ns, "id", "1"),
					xmlnode.Leaf(ns, "system-name", peer.running.TextAt("system/config/hostname")),
					xmlnode.Leaf(ns, "system-description", peer.spec.Maker+" "+peer.spec.Model+" "+peer.spec.Firmware),
					xmlnode.Leaf(ns, "chassis-id", peer.ports[peer.spec.Ports[0].Name].mac),
					xmlnode.Leaf(ns, "chassis-id-type", "MAC_ADDRESS"),
					xmlnode.Leaf(ns, "port-id", far.port),
					xmlnode.Leaf(ns, "port-id-type", "INTERFACE_NAME"))))))
	}
	return out
}
