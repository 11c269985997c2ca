// Package reach answers whether one address reaches another by a service, step by step: through VLANs, access lists, firewalls, routes and tunnels, with
// the line that decides. It computes from what devices were read to run and to observe, or from what a draft would make of that.
package reach

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/policy"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

// Network is what is known.
type Network struct {
	Configs map[string]network.Config
	States  map[string]network.State
	Insides map[string]network.Inside
	SiteOf  map[string]string
	Links   []topology.Link
	Gone    map[string]bool       // devices that are not in hand
	Owns    map[netip.Addr]string // devices by their addresses
	linksAt map[string][]topology.Link
	known   map[string]*policy.Policy // of firewalls that were asked
}

// indexed is the network ready for many questions.
func (n Network) indexed() Network {
	if n.linksAt != nil {
		return n
	}
	n.linksAt, n.known = map[string][]topology.Link{}, map[string]*policy.Policy{}
	for _, l := range n.Links {
		n.linksAt[l.A.Device], n.linksAt[l.B.Device] = append(n.linksAt[l.A.Device], l), append(n.linksAt[l.B.Device], l)
	}
	return n
}

// End is one of two ends.
type End struct {
	Name    string // for people
	Address netip.Addr
	Device  string // at which it is; "" where nobody saw it
	Port    string // "" for a wireless one, or where it is the device itself
	VLAN    network.VLANID
}

// Question is what is asked.
type Question struct {
	From, To End
	Protocol string // tcp, udp or icmp
	Port     uint16
	At       time.Time // by the clock of the devices
	// Find tells who is at an address, for where one is translated on the way; nil: nobody knows.
	Find func(netip.Addr) (End, bool)
}

// Verdict is what becomes of a session.
type Verdict string

// The verdicts.
const (
	Passes  Verdict = "passes"
	Stops   Verdict = "stops"
	Unknown Verdict = "unknown" // what comes next is not known
)

// Hop is a step of the way.
type Hop struct {
	Device  string
	In, Out string // ports; "" where there are none
	VLAN    network.VLANID
	Verdict Verdict
	What    string // what happens there
	Object  string // whose line decides: acl/desks, policy/main; "" for none
	Table   string // of it, in which that line stands; "" where there is but one
	Row     int    // the number of that line
	Line    string // the line itself
}

// Answer is whether it reaches, and the way.
type Answer struct {
	Verdict Verdict
	Why     string // of a verdict that is not good
	Near    bool   // all passes up to the network of the other end, where nobody saw that
	Outage  bool   // it stops at what is gone or has no link: nobody said that it should
	Hops    []Hop
}

// asking is a question on its way.
type asking struct {
	n      Network
	q      Question // with the addresses that it has there
	hides  string   // the firewall by which it would have got another source, "" for none
	answer Answer
}

// Ask answers a question.
func Ask(n Network, q Question) Answer {
	a := &asking{n: n.indexed(), q: q}
	a.follow()
	if a.answer.Verdict == "" {
		a.answer.Verdict = Passes
	}
	return a.answer
}

func (a *asking) hop(h Hop) { a.answer.Hops = append(a.answer.Hops, h) }

// end ends the way with a last step.
func (a *asking) end(h Hop) {
	a.hop(h)
	a.answer.Verdict, a.answer.Why = h.Verdict, h.What
	if h.Device != "" {
		a.answer.Why = h.Device + ": " + h.What
	}
}

// follow goes the way until it ends.
func (a *asking) follow() {
	from, to := a.q.From, a.q.To
	switch {
	case from.Device == "":
		a.comesIn()
		return
	case a.n.Gone[from.Device]:
		a.answer.Outage = true
		a.end(Hop{Device: from.Device, Verdict: Stops, What: "it is not in hand, and what is at it cannot be told to pass"})
		return
	}
	if !a.leaves() {
		return
	}
	if to.Device != "" && to.VLAN == from.VLAN && a.n.SiteOf[to.Device] == a.n.SiteOf[from.Device] {
		if a.walk(from.Device, from.VLAN, to.Device) {
			a.arrives()
		}
		return
	}
	router := a.routerOf(from.Device, from.Address)
	if router == "" {
		a.end(Hop{Device: from.Device, VLAN: from.VLAN, Verdict: Unknown, What: fmt.Sprintf("no device of its site tells of a network that holds %s", from.Address)})
		return
	}
	if !a.walk(from.Device, from.VLAN, router) {
		return
	}
	site := a.n.SiteOf[from.Device]
	fw, ok := a.firewallOf(site)
	if !ok {
		return
	}
	a.translateDestination(fw, from.VLAN)
	to = a.q.To
	zone, _ := a.vlanAt(router, to.Address)
	if !a.decide(fw, from.VLAN, zone) {
		return
	}
	a.translateSource(fw, from.VLAN, zone)
	last, vlan, ok := a.route(router)
	if !ok {
		return
	}
	if other := a.n.SiteOf[last]; other != site {
		if fw, ok = a.firewallOf(other); !ok || !a.decide(fw, 0, vlan) {
			return
		}
	}
	a.comesTo(last, vlan)
}

// comesTo ends the way at the device to which the network of the other end is connected.
func (a *asking) comesTo(last string, vlan network.VLANID) {
	to := a.q.To
	if to.Device == "" {
		a.answer.Near = true
		a.end(Hop{Device: last, VLAN: vlan, Verdict: Unknown, What: fmt.Sprintf("it passes up to the network of %s; nobody saw whether that is there", to.Name)})
		return
	}
	if a.walk(last, cmp.Or(to.VLAN, vlan), to.Device) {
		a.arrives()
	}
}

// leaves tells whether a session comes in at all: its port, and the access lists that it must pass there.
func (a *asking) leaves() bool {
	from := a.q.From
	c := a.n.Configs[from.Device]
	at := Hop{Device: from.Device, In: from.Port, VLAN: from.VLAN, Verdict: Passes}
	if from.Port == "" {
		at.What = fmt.Sprintf("%s is in VLAN %d", from.Name, from.VLAN)
		a.hop(at)
		return true
	}
	port := c.Ports[from.Port]
	if !port.Enabled {
		at.Verdict, at.What = Stops, "the port is switched off"
		a.end(at)
		return false
	}
	if st, known := a.n.States[from.Device].Ports[from.Port]; known && st.Oper != network.Up {
		a.answer.Outage = true
		at.Verdict, at.What = Stops, "the port has no link"
		a.end(at)
		return false
	}
	lists := []string{port.Settings["acl-in"], c.Bundles[port.LAG].Settings["acl-in"], c.VLANs[from.VLAN].Settings["acl-in"]}
	for _, list := range lists {
		if list == "" || list == "none" {
			continue
		}
		object := setting.Object(setting.OnACL, list)
		row, rule, permit := a.decided(setting.RowsOf(c.Objects[object], "rules"))
		h := at
		h.Object, h.Row, h.Line = object, row, rule
		if !permit {
			h.Verdict, h.What = Stops, fmt.Sprintf("access list %s drops it: %s", list, orNothing(rule))
			a.end(h)
			return false
		}
		h.What = fmt.Sprintf("access list %s lets it pass", list)
		a.hop(h)
	}
	at.What = fmt.Sprintf("%s comes in, in VLAN %d", from.Name, from.VLAN)
	a.hop(at)
	return true
}

func orNothing(rule string) string { return cmp.Or(rule, "no rule of it fits") }

// decided finds the rule of an access list that decides.
func (a *asking) decided(rows []setting.Row) (row int, text string, permit bool) {
	ports := func(r setting.PortRange, p uint16) bool {
		return r == (setting.PortRange{}) || p >= r.Low && p <= r.High
	}
	for _, one := range rows {
		r, err := setting.ParseRule(one.Text)
		if err != nil || r.Protocol != "ip" && r.Protocol != a.q.Protocol || r.FromPort != (setting.PortRange{}) {
			continue // whence it is sent is any port
		}
		if (!r.From.IsValid() || r.From.Contains(a.q.From.Address)) && (!r.To.IsValid() || r.To.Contains(a.q.To.Address)) && ports(r.ToPort, a.q.Port) {
			return one.Number, one.Text, r.Permit
		}
	}
	return 0, "", false
}

// arrives tells whether what is asked for is there to take it.
func (a *asking) arrives() {
	to := a.q.To
	at := Hop{Device: to.Device, Out: to.Port, VLAN: to.VLAN, Verdict: Passes, What: "it gets to " + to.Name}
	if st, known := a.n.States[to.Device].Ports[to.Port]; to.Port != "" && known && st.Oper != network.Up {
		a.answer.Outage = true
		at.Verdict, at.What = Stops, "the port of "+to.Name+" has no link"
		a.end(at)
		return
	}
	a.hop(at)
}

type place struct {
	device string
	vlan   network.VLANID
}

// walk follows a VLAN from one device to another over links that are up and not blocked.
func (a *asking) walk(from string, vlan network.VLANID, to string) bool {
	if from == to {
		return true
	}
	came := map[place]topology.Link{}
	start := place{from, vlan}
	queue, seen := []place{start}, map[place]bool{start: true}
	before := map[place]place{}
	refused := ""
	for len(queue) > 0 {
		here := queue[0]
		queue = queue[1:]
		if here.device == to {
			a.answer.Outage = false
			a.told(start, here, came, before)
			return true
		}
		for _, l := range a.n.linksAt[here.device] {
			near, far := l.Other(here.device)
			next := place{far.Device, topology.Cross(a.n.Configs[near.Device].Ports[near.Port], a.n.Configs[far.Device].Ports[far.Port], here.vlan)}
			switch why := a.closed(near, far); {
			case why != "":
				if refused == "" {
					refused, a.answer.Outage = why, true
				}
				continue
			case next.vlan == 0:
				if far.Device == to || refused == "" {
					refused, a.answer.Outage = a.notCarried(near, far, here.vlan), false
				}
				continue
			}
			if !seen[next] {
				seen[next], came[next], before[next] = true, l, here
				queue = append(queue, next)
			}
		}
	}
	what := fmt.Sprintf("VLAN %d does not get to %s", vlan, to)
	if refused != "" {
		what += ": " + refused
	}
	a.end(Hop{Device: from, VLAN: vlan, Verdict: Stops, What: what})
	return false
}

// told tells the devices of a way that was found.
func (a *asking) told(start, last place, came map[place]topology.Link, before map[place]place) {
	var way []Hop
	for at := last; at != start; at = before[at] {
		near, far := came[at].Other(before[at].device)
		way = append(way, Hop{Device: at.device, In: far.Port, VLAN: at.vlan, Verdict: Passes, What: fmt.Sprintf("VLAN %d is carried from %s", at.vlan, near)})
	}
	slices.Reverse(way)
	for _, h := range way {
		a.hop(h)
	}
}

// closed tells why nothing passes a link, "" where it does.
func (a *asking) closed(near, far network.PortRef) string {
	for _, end := range []network.PortRef{near, far} {
		if a.n.Gone[end.Device] {
			return end.Device + " is not in hand"
		}
		if c, known := a.n.Configs[end.Device].Ports[end.Port]; known && !c.Enabled {
			return end.String() + " is switched off"
		}
		if st, known := a.n.States[end.Device].Ports[end.Port]; known && st.Oper != network.Up {
			return end.String() + " has no link"
		}
		if st := a.n.Insides[end.Device].Spanning; st != nil {
			name := cmp.Or(a.n.Configs[end.Device].Ports[end.Port].LAG, end.Port)
			for _, p := range []network.SpanningPort{st.Ports[name], st.Ports[end.Port]} {
				if p.State == "blocking" || p.Role == "alternate" || p.Role == "backup" {
					return "spanning tree blocks " + end.String()
				}
			}
		}
	}
	return ""
}

func (a *asking) notCarried(near, far network.PortRef, v network.VLANID) string {
	for _, end := range []network.PortRef{near, far} {
		if c, known := a.n.Configs[end.Device].Ports[end.Port]; known && !c.Carries(v) {
			return fmt.Sprintf("%s does not carry it", end)
		}
	}
	return fmt.Sprintf("%s and %s do not agree on it", near, far)
}

// routerOf is a device of the site of another that is connected to the network of an address, "" for none.
func (a *asking) routerOf(device string, address netip.Addr) string {
	var found []string
	for d, site := range a.n.SiteOf {
		if site != a.n.SiteOf[device] {
			continue
		}
		if _, here := a.vlanAt(d, address); here {
			found = append(found, d)
		}
	}
	slices.Sort(found)
	for _, d := range found {
		if !a.n.Gone[d] {
			return d
		}
	}
	if len(found) > 0 {
		return found[0]
	}
	return ""
}

// vlanAt is the VLAN of the network of an address to which a device is connected.
func (a *asking) vlanAt(device string, address netip.Addr) (network.VLANID, bool) {
	r, ok := a.longest(device, address)
	if !ok || r.Origin != "connected" {
		return 0, false
	}
	v, err := network.ParseVLAN(strings.TrimPrefix(r.Interface, "vlan"))
	return v, err == nil && strings.HasPrefix(r.Interface, "vlan")
}

// tableOf is the segment of a device in which the network of an address is connected to it; "" where it is in none.
func (a *asking) tableOf(device string, address netip.Addr) string {
	for _, vrf := range a.n.Insides[device].VRFs {
		for _, r := range vrf.Routes {
			if p, err := netip.ParsePrefix(r.Prefix); err == nil && r.Origin == "connected" && r.From == "" && p.Contains(address) {
				return a.segment(device, vrf.Name)
			}
		}
	}
	return ""
}

// segment is the name of a table where that is one of a segment; "" of those that are there without being made.
func (a *asking) segment(device, vrf string) string {
	if setting.IsSegment(a.n.Configs[device], vrf) {
		return vrf
	}
	return ""
}

// longest is the route of a device to an address: the most exact one, of all of its tables.
func (a *asking) longest(device string, address netip.Addr) (best network.Route, ok bool) {
	return a.within(device, address, func(string) bool { return true })
}

// ofTable is the route of a device to an address by the table of a segment; "" for those that are in none.
func (a *asking) ofTable(device, table string, address netip.Addr) (best network.Route, ok bool) {
	return a.within(device, address, func(vrf string) bool { return a.segment(device, vrf) == table })
}

func (a *asking) within(device string, address netip.Addr, of func(vrf string) bool) (best network.Route, ok bool) {
	bits := -1
	for _, vrf := range a.n.Insides[device].VRFs {
		if !of(vrf.Name) {
			continue
		}
		for _, r := range vrf.Routes {
			if p, err := netip.ParsePrefix(r.Prefix); err == nil && p.Contains(address) && p.Bits() > bits {
				best, bits, ok = r, p.Bits(), true
			}
		}
	}
	return best, ok
}

const mostRouters = 16

// route follows routes from a router to the one that is connected to the network that is asked for.
func (a *asking) route(router string) (last string, vlan network.VLANID, ok bool) {
	to := a.q.To.Address
	seen := map[string]bool{}
	table := a.tableOf(router, a.q.From.Address)
	for len(seen) < mostRouters && !seen[router] {
		seen[router] = true
		if a.n.Gone[router] {
			a.answer.Outage = true
			a.end(Hop{Device: router, Verdict: Stops, What: "it routes, and is not in hand"})
			return "", 0, false
		}
		r, has := a.ofTable(router, table, to)
		if !has {
			h := Hop{Device: router, Verdict: Stops, What: fmt.Sprintf("it has no route to %s", to)}
			if table != "" {
				h.What += " in segment " + table
				h.Object = setting.Object(setting.OnSegment, table)
			} else if other, elsewhere := a.longest(router, to); elsewhere && other.Origin == "connected" {
				h.What += ": that is in segment " + a.tableOf(router, to)
			}
			a.end(h)
			return "", 0, false
		}
		h := Hop{Device: router, Out: r.Interface, Verdict: Passes, What: fmt.Sprintf("route %s, %s", r.Prefix, r.Origin), Line: r.Prefix}
		if table != "" {
			h.What += ", of segment " + table
		}
		if r.From != "" {
			h.What += ", leaked from " + r.From
			table = a.segment(router, r.From)
		}
		if v, connected := a.vlanAt(router, to); connected {
			h.VLAN = v
			a.hop(h)
			if !a.answered(router) {
				return "", 0, false
			}
			return router, v, true
		}
		if t, isTunnel := a.tunnel(router, r.Interface); isTunnel {
			if !t.Up {
				a.answer.Outage = true
				h.Verdict, h.What = Stops, fmt.Sprintf("tunnel %s is down", t.Name)
				a.end(h)
				return "", 0, false
			}
			h.What += ", by tunnel " + t.Name
		}
		via, err := netip.ParseAddr(r.Via)
		next := a.n.Owns[via]
		if err != nil || next == "" {
			h.Verdict, h.What = Passes, fmt.Sprintf("it leaves what is known: %s by %s", h.What, cmp.Or(r.Interface, r.Via))
			if a.hides != "" && policy.Known(to) && !policy.Known(a.q.From.Address) {
				h.Verdict, h.What = Stops, fmt.Sprintf("no translation of %s fits it, and from outside nobody can answer to %s", a.hides, a.q.From.Address)
				a.end(h)
				return "", 0, false
			}
			a.hop(h)
			a.answer.Verdict, a.answer.Why = Passes, ""
			return "", 0, false
		}
		h.What += " to " + next
		a.hop(h)
		router = next
	}
	a.end(Hop{Device: router, Verdict: Stops, What: "its routes lead in a circle"})
	return "", 0, false
}

// answered tells whether the router to which the other end is connected has a route back, by the table in which that end is.
func (a *asking) answered(router string) bool {
	table := a.tableOf(router, a.q.To.Address)
	if _, back := a.ofTable(router, table, a.q.From.Address); back || table == "" {
		return true
	}
	a.end(Hop{Device: router, Verdict: Stops, What: fmt.Sprintf("what is answered has no route back to %s in segment %s", a.q.From.Address, table), Object: setting.Object(setting.OnSegment, table)})
	return false
}

func (a *asking) tunnel(device, name string) (network.Tunnel, bool) {
	for _, t := range a.n.Insides[device].Tunnels {
		if t.Name == name {
			return t, true
		}
	}
	return network.Tunnel{}, false
}

// firewallOf is the firewall that decides for a site, "" for none; ok is false where the way ends at it.
func (a *asking) firewallOf(site string) (fw string, ok bool) {
	firewalls := a.firewalls(site)
	if len(firewalls) == 0 {
		return "", true
	}
	at := slices.IndexFunc(firewalls, func(d string) bool { return !a.n.Gone[d] })
	if at < 0 {
		a.answer.Outage = true
		a.end(Hop{Device: firewalls[0], Verdict: Stops, What: "it decides what passes between zones, and is not in hand"})
		return "", false
	}
	return firewalls[at], true
}

// firewalls are those of a site that have a policy.
func (a *asking) firewalls(site string) (out []string) {
	for d, s := range a.n.SiteOf {
		if _, decides := a.n.Configs[d].Objects[setting.PolicyObject]; s == site && decides {
			out = append(out, d)
		}
	}
	slices.Sort(out)
	return out
}

// session is what is asked, as a firewall sees it. A VLAN of 0 is what is outside of its site.
func (a *asking) session(p *policy.Policy, from, to network.VLANID) policy.Session {
	return policy.Session{From: p.Zone(from), To: p.Zone(to), Source: a.q.From.Address, Destination: a.q.To.Address, Protocol: a.q.Protocol, Port: a.q.Port}
}

// decide asks a firewall, where there is one.
func (a *asking) decide(fw string, from, to network.VLANID) bool {
	if fw == "" {
		return true
	}
	p := a.policy(fw)
	s := a.session(p, from, to)
	rule, allowed := p.Decide(s, a.q.At)
	h := Hop{Device: fw, Verdict: Passes, Object: setting.PolicyObject}
	between := fmt.Sprintf("from %s to %s", orNoZone(s.From), orNoZone(s.To))
	switch {
	case rule == nil && allowed:
		h.Object, h.What = "", fmt.Sprintf("within zone %s nothing is decided", s.From)
	case rule == nil:
		h.Verdict, h.What = Stops, "no rule fits it "+between+": it is denied"
	default:
		h.Table, h.Row, h.Line = "rules", rule.Number, a.line(fw, "rules", rule.Number)
		h.What = fmt.Sprintf("rule %d lets it pass %s", rule.Number, between)
		if rule.Inspect != "" {
			h.What += fmt.Sprintf("; inspection %s may stop it once it is known what it is", rule.Inspect)
		}
		if !allowed {
			h.Verdict, h.What = Stops, fmt.Sprintf("rule %d stops it %s (%s)", rule.Number, between, rule.Action)
		}
	}
	if h.Verdict == Stops {
		a.end(h)
		return false
	}
	a.hop(h)
	return true
}

func orNoZone(zone string) string { return cmp.Or(zone, "no zone") }

// line is a row of a table of a firewall's policy.
func (a *asking) line(fw, table string, number int) string {
	return a.n.Configs[fw].Objects[setting.PolicyObject][setting.RowName(table, number)]
}

// policy is that of a firewall, nil where it has none.
func (a *asking) policy(fw string) *policy.Policy {
	p, known := a.n.known[fw]
	if !known {
		p = policy.Of(a.n.Configs[fw])
		a.n.known[fw] = p
	}
	return p
}
