package standin

import (
	"cmp"
	"fmt"
	"hash/fnv"
	"net/netip"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// tunnelConfig is a tunnel as an edge is told of it.
type tunnelConfig struct {
	name, purpose, port       string
	remote, peer, key         string
	encryption, group, starts string
	own, beyond               []string // none: any
}

// tunnel is an overlay tunnel between two edges: each of them is told of it.
type tunnel struct {
	TunnelSpec
	a, b    endpoint
	names   [2]string // what the ends call it
	fault   [2]string // why the ends do not agree, as each of them sees it
	up      bool
	changed time.Time
	cut     bool // the underlay does not carry it

	delayMs, jitterMs, lossPct float64   // as measured last, there and back
	ways                       [2]oneWay // from the first end to the second, and back
}

// Faults of tunnels: those that the other end notifies (RFC 7296 section 3.10.1), and those that an edge sees by itself.
const (
	faultNoAnswer   = "no-answer"
	faultPort       = "port-down"
	faultUnlike     = "no-proposal-chosen"
	faultStranger   = "authentication-failed"
	faultNetworks   = "ts-unacceptable"
	faultIncomplete = "incomplete"
)

func (t *tunnel) far(device string) endpoint {
	if t.a.device == device {
		return t.b
	}
	return t.a
}

// end is 0 for the first end of a tunnel, 1 for the other.
func (t *tunnel) end(device string) int {
	if t.a.device == device {
		return 0
	}
	return 1
}

// wideArea is what lies between sites: where the ports of edges are, and what it is like between them.
type wideArea struct {
	at      map[endpoint]string // addresses, as providers carry them
	who     map[string]endpoint
	lines   map[[2]endpoint]TunnelSpec // what it is like between two ports
	order   map[[2]endpoint]int
	access  map[string]TunnelSpec // what it is like from one port on: by device:port
	foreign map[string]ForeignSpec
	seen    map[string]*compiled // of which configurations tunnels were gathered
}

func pairOf(a, b endpoint) [2]endpoint {
	if b.device < a.device || b.device == a.device && b.port < a.port {
		a, b = b, a
	}
	return [2]endpoint{a, b}
}

// isWide tells the ports of an edge that lead to a provider.
func isWide(port string) bool {
	return strings.HasPrefix(port, "wan") || strings.HasPrefix(port, "cell")
}

// address gives every port that leads to a provider an address, of those that RFC 2544 sets apart for benchmarks.
func (w *World) address(p Plant) {
	w.wide = wideArea{at: map[endpoint]string{}, who: map[string]endpoint{}, lines: map[[2]endpoint]TunnelSpec{}, order: map[[2]endpoint]int{}, access: map[string]TunnelSpec{}, foreign: map[string]ForeignSpec{}, seen: map[string]*compiled{}}
	n := 0
	for _, d := range p.Devices {
		if d.Role != "edge" {
			continue
		}
		for _, port := range d.Ports {
			if isWide(port.Name) {
				n++
				e := endpoint{d.Name, port.Name}
				w.wide.at[e] = netip.AddrFrom4([4]byte{198, byte(18 + n>>14&1), byte(n >> 6), byte(n<<2 | 2)}).String()
				w.wide.who[w.wide.at[e]] = e
			}
		}
	}
	for i, t := range p.Tunnels {
		a, b := endpointIn(t.A), endpointIn(t.B)
		w.wide.lines[pairOf(a, b)], w.wide.order[pairOf(a, b)], w.wide.access[t.A] = t, i, t
	}
	for _, f := range p.Foreign {
		w.wide.foreign[f.Address] = f
	}
}

func endpointIn(s string) endpoint {
	device, port, _ := strings.Cut(s, ":")
	return endpoint{device, port}
}

// firstTunnels are those that an edge is told of before anybody changes anything.
func (w *World) firstTunnels(p Plant, d DeviceSpec) (out []tunnelConfig) {
	for _, t := range p.Tunnels {
		near, far := endpointIn(t.A), endpointIn(t.B)
		if far.device == d.Name {
			near, far = far, near
		}
		if near.device == d.Name {
			purpose := ""
			if slices.ContainsFunc(p.Devices, func(o DeviceSpec) bool { return o.Name == far.device && o.Crated }) {
				purpose = "for " + far.device + ", which is to come"
			}
			out = append(out, tunnelConfig{name: t.Name, purpose: purpose, port: near.port, remote: w.wide.at[far], peer: far.device, key: firstKey(t.Name)})
		}
	}
	for _, f := range p.Foreign {
		if at := endpointIn(f.At); at.device == d.Name {
			out = append(out, tunnelConfig{name: f.Tunnel, purpose: "another house", port: at.port, remote: f.Address, peer: f.Name, key: f.Key, encryption: f.Encryption, group: f.Group, own: f.Beyond, beyond: f.Own})
		}
	}
	return out
}

// firstKey is the key of a tunnel before anybody changes it.
func firstKey(name string) string {
	f := fnv.New64a()
	_, _ = f.Write([]byte(name))
	return fmt.Sprintf("lantern-tunnel-%016x", f.Sum64())
}

func tunnelNodes(list []tunnelConfig) *xmlnode.Node {
	x := in("ep-wan")
	out := x.node("ikev2")
	for _, t := range list {
		n := x.node("conn-entry", x.leaf("name", t.name), x.leaf("interface", t.port), x.leaf("remote-address", t.remote), x.leaf("remote-identity", t.peer), x.leaf("pre-shared-key", t.key))
		x.told(n, [][2]string{{"purpose", t.purpose}, {"encryption", t.encryption}, {"dh-group", t.group}})
		for _, some := range []struct {
			name string
			list []string
		}{{"local-subnets", t.own}, {"remote-subnets", t.beyond}} {
			if len(some.list) > 0 {
				inner := x.node(some.name)
				for _, p := range some.list {
					inner.Add(x.leaf("subnet", p))
				}
				n.Add(inner)
			}
		}
		out.Add(n)
	}
	return out
}

func (c *compiled) compileTunnels(tree *xmlnode.Node) {
	for _, n := range tree.Child("ikev2").All("conn-entry") {
		c.tunnels = append(c.tunnels, tunnelConfig{name: n.TextAt("name"), purpose: n.TextAt("purpose"), port: n.TextAt("interface"), remote: n.TextAt("remote-address"), peer: n.TextAt("remote-identity"), key: n.TextAt("pre-shared-key"),
			encryption: cmp.Or(n.TextAt("encryption"), "aes-gcm-256"), group: cmp.Or(n.TextAt("dh-group"), "19"), starts: cmp.Or(n.TextAt("autostartup"), "start"),
			own: texts(n.Child("local-subnets").All("subnet")), beyond: texts(n.Child("remote-subnets").All("subnet"))})
	}
	slices.SortFunc(c.tunnels, func(a, b tunnelConfig) int { return strings.Compare(a.name, b.name) })
}

func validateTunnels(tree *xmlnode.Node, fault func(tag, path, format string, args ...any)) {
	ports, to := map[string]bool{}, map[string]string{}
	for _, i := range tree.Child("interfaces").All("interface") {
		ports[i.TextAt("name")] = true
	}
	for _, n := range tree.Child("ikev2").All("conn-entry") {
		name := n.TextAt("name")
		path := "/ikev2/conn-entry[name='" + name + "']"
		port, remote := n.TextAt("interface"), n.TextAt("remote-address")
		switch {
		case port != "" && !ports[port]:
			fault(netconf.TagDataMissing, path+"/interface", "there is no interface %s", port)
		case port != "" && remote != "" && to[port+" "+remote] != "":
			fault(netconf.TagInvalidValue, path+"/remote-address", "%s goes from %s to %s already", to[port+" "+remote], port, remote)
		}
		to[port+" "+remote] = name
	}
}

// unlike tells why an end refuses what the other asks for, "" if it does not.
func (t tunnelConfig) unlike(own string, o tunnelConfig, other string) string {
	same := func(a, b []string) bool {
		a, b = slices.Sorted(slices.Values(a)), slices.Sorted(slices.Values(b))
		return slices.Equal(a, b)
	}
	switch {
	case t.encryption != o.encryption || t.group != o.group:
		return faultUnlike
	case t.key == "" || t.key != o.key, t.peer != "" && t.peer != other, o.peer != "" && o.peer != own:
		return faultStranger
	case !same(t.own, o.beyond) || !same(t.beyond, o.own):
		return faultNetworks
	case t.starts == "add" && o.starts == "add":
		return faultNoAnswer // each waits for the other
	}
	return ""
}

// gatherTunnels finds out which tunnels edges are told of at both ends. What is known of one that is still there stays known.
func (w *World) gatherTunnels() {
	stale := false
	for _, name := range w.gateways {
		d := w.devices[name]
		stale = stale || w.wide.seen[name] != d.cfg
		w.wide.seen[name] = d.cfg
	}
	if !stale {
		return
	}
	known := map[[2]endpoint]*tunnel{}
	for _, t := range w.tunnels {
		known[pairOf(t.a, t.b)] = t
	}
	found := map[[2]endpoint]*tunnel{}
	for _, name := range w.gateways {
		d := w.devices[name]
		for _, near := range d.cfg.tunnels {
			a := endpoint{name, near.port}
			b, is := w.wide.who[near.remote]
			if !is || w.wide.at[a] == "" || b.device == name || found[pairOf(a, b)] != nil {
				continue
			}
			far := w.devices[b.device]
			i := slices.IndexFunc(far.cfg.tunnels, func(t tunnelConfig) bool { return t.port == b.port && t.remote == w.wide.at[a] })
			if i < 0 {
				continue
			}
			t := known[pairOf(a, b)]
			if t == nil {
				t = w.line(a, b, near.name)
			}
			ends := map[endpoint]tunnelConfig{a: near, b: far.cfg.tunnels[i]}
			host := map[endpoint]string{a: d.cfg.hostname, b: far.cfg.hostname}
			t.names = [2]string{ends[t.a].name, ends[t.b].name}
			t.fault = [2]string{ends[t.a].unlike(host[t.a], ends[t.b], host[t.b]), ends[t.b].unlike(host[t.b], ends[t.a], host[t.a])}
			found[pairOf(a, b)] = t
		}
	}
	w.tunnels, w.tunnelsAt = nil, map[string][]*tunnel{}
	for _, t := range found {
		w.tunnels = append(w.tunnels, t)
	}
	slices.SortFunc(w.tunnels, func(s, t *tunnel) int {
		return cmp.Or(cmp.Compare(w.orderOf(s), w.orderOf(t)), strings.Compare(s.Name, t.Name), strings.Compare(s.a.device, t.a.device))
	})
	for _, t := range w.tunnels {
		w.tunnelsAt[t.a.device] = append(w.tunnelsAt[t.a.device], t)
		w.tunnelsAt[t.b.device] = append(w.tunnelsAt[t.b.device], t)
	}
}

// orderOf has tunnels that were there from the begin stand before later ones.
func (w *World) orderOf(t *tunnel) int {
	if i, first := w.wide.order[pairOf(t.a, t.b)]; first {
		return i
	}
	return len(w.wide.order)
}

// line is a tunnel between two ports: as slow as both of what carries it together.
func (w *World) line(a, b endpoint, name string) *tunnel {
	if spec, known := w.wide.lines[pairOf(a, b)]; known {
		return &tunnel{TunnelSpec: spec, a: endpointIn(spec.A), b: endpointIn(spec.B)}
	}
	t := &tunnel{TunnelSpec: TunnelSpec{Name: name, A: a.device + ":" + a.port, B: b.device + ":" + b.port, Underlay: "fibre", DelayMs: 2}, a: a, b: b}
	for _, end := range []string{t.A, t.B} {
		s, known := w.wide.access[end]
		if !known {
			continue
		}
		t.DelayMs, t.JitterMs, t.LossPct = t.DelayMs+s.DelayMs, t.JitterMs+s.JitterMs, t.LossPct+s.LossPct
		if s.Underlay != "fibre" {
			t.Underlay = s.Underlay
		}
	}
	return t
}

// settleTunnels brings tunnels up of which both ends agree, and whose ports have a link.
func (w *World) settleTunnels(now time.Time) {
	w.gatherTunnels()
	for _, t := range w.tunnels {
		_, near := w.handedOver(t.a)
		_, far := w.handedOver(t.b)
		t.cut = !near || !far
		if up := w.at(t.a).up && w.at(t.b).up && !t.cut && t.fault == [2]string{}; up != t.up {
			t.up, t.changed = up, now
			t.measure(w, now)
		}
	}
}

// tunnelsState tells of the overlay of an edge.
func (d *device) tunnelsState(tunnels *xmlnode.Node, now time.Time) {
	if d.spec.Role != "edge" {
		return
	}
	x, w := in("ep-wan"), d.world
	place := map[string]int{} // in the order in which it takes them
	for i, t := range w.tunnelsAt[d.spec.Name] {
		place[t.names[t.end(d.spec.Name)]] = i - len(w.tunnels)
	}
	list := slices.Clone(d.cfg.tunnels)
	slices.SortStableFunc(list, func(a, b tunnelConfig) int { return place[a.name] - place[b.name] })
	for _, c := range list {
		near := endpoint{d.spec.Name, c.port}
		far, ours := w.wide.who[c.remote]
		if ours && !w.installed(far.device) {
			continue
		}
		n := x.node("tunnel", x.leaf("name", c.name), x.leaf("interface", c.port), x.leaf("remote-system-name", c.peer))
		i := slices.IndexFunc(w.tunnelsAt[d.spec.Name], func(t *tunnel) bool { return ours && pairOf(t.a, t.b) == pairOf(near, far) })
		switch f, foreign := w.wide.foreign[c.remote]; {
		case i >= 0:
			t := w.tunnelsAt[d.spec.Name][i]
			n.Add(x.leaf("underlay", t.Underlay), x.leaf("remote-address", w.devices[far.device].spec.Loopback))
			if fault := cmp.Or(t.fault[t.end(d.spec.Name)], d.fault(c, far)); t.up {
				n.Add(x.leaf("oper-status", "UP"), x.float("delay", t.delayMs, 1), x.float("jitter", t.jitterMs, 1), x.float("loss", t.lossPct, 2))
				for k, name := range []string{"sent", "received"} {
					o := t.ways[(t.end(d.spec.Name)+k)%2]
					n.Add(x.node(name, x.float("delay", o.delayMs, 1), x.float("jitter", o.jitterMs, 1), x.float("loss", o.lossPct, 2)))
				}
			} else {
				n.Add(x.leaf("oper-status", "DOWN"), x.leaf("fault", cmp.Or(fault, faultNoAnswer)))
			}
			n.Add(x.when("last-change", t.changed))
		case foreign:
			n.Add(x.leaf("underlay", "fibre"))
			theirs := tunnelConfig{remote: w.wide.at[near], peer: d.cfg.hostname, key: f.Key, encryption: f.Encryption, group: f.Group, own: f.Own, beyond: f.Beyond, starts: "start"}
			if fault := cmp.Or(d.fault(c, endpoint{}), c.unlike(d.cfg.hostname, theirs, f.Name)); fault != "" {
				n.Add(x.leaf("oper-status", "DOWN"), x.leaf("fault", fault))
			} else {
				n.Add(x.leaf("oper-status", "UP"), x.float("delay", f.DelayMs*(1+0.1*w.noise(f.Name, now, 3*time.Minute)), 1), x.float("jitter", 0.4, 1), x.float("loss", 0, 2))
			}
			n.Add(x.when("last-change", d.ports[c.port].changed))
		default:
			n.Add(x.leaf("oper-status", "DOWN"), x.leaf("fault", cmp.Or(d.fault(c, far), faultNoAnswer)))
			if ours {
				n.Add(x.leaf("remote-address", w.devices[far.device].spec.Loopback))
			}
		}
		tunnels.Add(n)
	}
}

// tunnelNamed is a tunnel to a device by the name that it has here; nil for no name.
func (d *device) tunnelNamed(name string, to *device) (*tunnel, error) {
	if name == "" {
		return nil, nil
	}
	for _, t := range d.world.tunnelsAt[d.spec.Name] {
		if t.names[t.end(d.spec.Name)] == name && t.far(d.spec.Name).device == to.spec.Name {
			return t, nil
		}
	}
	return nil, netconf.NewRPCError(netconf.TagInvalidValue, "", "there is no tunnel %q to %s, or it was never up", name, to.cfg.hostname)
}

// fault is what keeps a tunnel down at this end, whatever the other one says.
func (d *device) fault(c tunnelConfig, far endpoint) string {
	p := d.ports[c.port]
	switch {
	case p == nil || c.remote == "" || c.key == "":
		return faultIncomplete
	case !p.up:
		return faultPort
	case far.device != "" && !d.world.at(far).up:
		return faultNoAnswer
	}
	return ""
}
