// Package reach answers whether one address reaches another by a service, step by step: through VLANs, access lists, firewalls, routes and tunnels, with
// the line that decides. It computes from what devices were read to run and to observe, or from what a draft would make of that.
package reach

import (
	"cmp"
	"fmt"
	"net/netip"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/policy"
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
	// Behind is the address with which the access point at which it is hides it from all beyond; not valid: it does not.
	Behind netip.Addr
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
	q      Question   // with the addresses that it has there
	source netip.Addr // before anything was translated
	by     netip.Addr // the router of others behind which it is; not valid where it is not
	hides  string     // the firewall by which it would have got another source, "" for none
	answer Answer
}

// Ask answers a question.
func Ask(n Network, q Question) Answer {
	a := &asking{n: n.indexed(), q: q, source: q.From.Address}
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
	case to.Behind.IsValid() && (from.Device != to.Device || from.Behind != to.Behind):
		a.end(Hop{Device: to.Device, Verdict: Stops, What: fmt.Sprintf("%s is in a network of the access point's own, and is seen beyond as %s: nobody there begins anything with it", to.Address, to.Behind)})
		return
	case a.n.Gone[from.Device]:
		a.answer.Outage = true
		a.end(Hop{Device: from.Device, Verdict: Stops, What: "it is not in hand, and what is at it cannot be told to pass"})
		return
	}
	if !a.leaves() {
		return
	}
	if from.Behind.IsValid() && from.Device != to.Device {
		a.hop(Hop{Device: from.Device, VLAN: from.VLAN, Verdict: Passes, What: fmt.Sprintf("the access point sends it on with an address of its own, %s (NAT)", from.Behind)})
		from.Address = from.Behind
		a.q.From.Address, a.source = from.Behind, from.Behind
	}
	if to.Device != "" && to.VLAN == from.VLAN && a.n.SiteOf[to.Device] == a.n.SiteOf[from.Device] {
		if a.walk(from.Device, from.VLAN, to.Device) {
			a.arrives(to)
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
	zone := a.zoneAt(router, to.Address)
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
	if a.by.IsValid() {
		a.comesToRouter(last, vlan)
		return
	}
	if to.Device == "" {
		a.answer.Near = true
		a.end(Hop{Device: last, VLAN: vlan, Verdict: Unknown, What: fmt.Sprintf("it passes up to the network of %s; nobody saw whether that is there", to.Name)})
		return
	}
	if a.walk(last, cmp.Or(to.VLAN, vlan), to.Device) {
		a.arrives(to)
	}
}

// comesToRouter ends the way at a router of others, behind which nothing is known.
func (a *asking) comesToRouter(last string, vlan network.VLANID) {
	var at End
	if a.q.Find != nil {
		at, _ = a.q.Find(a.by)
	}
	if at.Device == "" {
		a.answer.Near = true
		a.end(Hop{Device: last, VLAN: vlan, Verdict: Unknown, What: fmt.Sprintf("it passes up to the network of router %s; nobody saw whether that is there", a.by)})
		return
	}
	if a.walk(last, cmp.Or(at.VLAN, vlan), at.Device) {
		a.arrives(at)
	}
}

// arrives tells whether who is to take it is there.
func (a *asking) arrives(to End) {
	at := Hop{Device: to.Device, Out: to.Port, VLAN: to.VLAN, Verdict: Passes, What: "it gets to " + to.Name}
	if st, known := a.n.States[to.Device].Ports[to.Port]; to.Port != "" && known && st.Oper != network.Up {
		a.answer.Outage = true
		at.Verdict, at.What = Stops, "the port of "+to.Name+" has no link"
		a.end(at)
		return
	}
	a.hop(at)
}
