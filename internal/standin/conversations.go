package standin

import (
	"fmt"
	"net/netip"
	"slices"
	"time"
)

// conversation is what a station keeps saying to somebody.
type conversation struct {
	to       string
	protocol string
	port     int
	part     float64 // of what it sends and receives
}

// saying is a conversation with its addresses.
type saying struct {
	conversation
	source, target netip.Addr
}

// Who stations talk to: servers in the house, and the world outside.
const (
	bookingServer = "10.1.20.30"
	callServer    = "10.1.30.10"
	recorder      = "10.1.50.10"
	dockServer    = "10.1.90.10"
	tides         = "203.0.113.80"
)

// sessionEvery is how often a conversation begins anew.
const sessionEvery = 20 * time.Second

func conversationsOf(h *host, siteNet int) []conversation {
	switch {
	case hasWord(h.Name, "phone"):
		return []conversation{{callServer, "udp", 5060, 1}}
	case hasWord(h.Name, "camera"):
		return []conversation{{recorder, "tcp", 554, 1}}
	case hasWord(h.Name, "counter"), hasWord(h.Name, "gate"), hasWord(h.Name, "display"):
		return []conversation{{bookingServer, "tcp", 443, 1}}
	case hasWord(h.Name, "crane"), hasWord(h.Name, "sensor"):
		return []conversation{{dockServer, "tcp", 502, 1}}
	case hasWord(h.Name, "guest"): // some try what is inside
		return []conversation{{tides, "tcp", 443, 0.95}, {fmt.Sprintf("10.%d.20.20", siteNet), "tcp", 445, 0.05}}
	case hasWord(h.Name, "desk"), hasWord(h.Name, "laptop"), hasWord(h.Name, "handheld"):
		return []conversation{{bookingServer, "tcp", 443, 0.3}, {tides, "tcp", 443, 0.7}}
	}
	return nil
}

// guard finds the firewall of each site that decides what passes there: nil where one stands there and none works.
func (w *World) guard() {
	w.guardians = map[int]*device{}
	for _, name := range w.firewalls {
		f := w.devices[name]
		site := f.spec.SiteNet
		if !f.cfg.firewall.decides || w.guardians[site] != nil {
			continue
		}
		w.guardians[site] = nil
		if f.powered && !f.booting && !f.hung && slices.ContainsFunc(f.spec.Ports, func(p PortSpec) bool { return f.ports[p.Name].up }) {
			w.guardians[site] = f
		}
	}
}

// converse tells what part of what a station says gets through the firewalls of its site, and of that of whom it speaks to.
func (w *World) converse(h *host, span time.Duration, now time.Time) float64 {
	site := w.devices[h.at.device].spec.SiteNet
	if h.says == nil {
		h.says = []saying{}
		if from, err := netip.ParseAddr(h.IP); err == nil {
			for _, c := range conversationsOf(h, site) {
				h.says = append(h.says, saying{c, from, netip.MustParseAddr(c.to)})
			}
		}
	}
	if len(h.says) == 0 || len(w.guardians) == 0 {
		return 1
	}
	passes, sessions := 1.0, span.Seconds()/sessionEvery.Seconds()
	vlan := h.joined(w.devices[h.at.device].cfg)
	for _, c := range h.says {
		from, to := c.source, c.target
		b := to.As4()
		there, far := int(b[1]), int(b[2])
		let := true
		switch inside := b[0] == 10; {
		case inside && there == site:
			let = w.judged(site, vlan, far, from, to, c.conversation, sessions, now)
		case inside:
			let = w.judged(site, vlan, 0, from, to, c.conversation, sessions, now) && w.judged(there, 0, far, from, to, c.conversation, sessions, now)
		default:
			let = w.judged(site, vlan, 0, from, to, c.conversation, sessions, now)
		}
		if !let {
			passes -= c.part
		}
	}
	return max(passes, 0)
}

// judged asks the firewall of a site about sessions between two VLANs of it; 0 is what is outside.
func (w *World) judged(site, from, to int, source, target netip.Addr, c conversation, sessions float64, now time.Time) bool {
	g, guarded := w.guardians[site]
	if !guarded || g == nil {
		return !guarded
	}
	v := g.cfg.verdictOn(asked{from, to, source, target, c.protocol, c.port}, now)
	if !v.within {
		g.judge(v.rule, sessions, now)
	}
	return v.allowed
}

// verdictOn is how the policy decides on a session between two VLANs.
func (c *compiled) verdictOn(q asked, now time.Time) verdict {
	f := &c.firewall
	if !now.Before(f.known.until) || f.known.of == nil {
		at := now.In(c.zone)
		until := time.Date(at.Year(), at.Month(), at.Day()+1, 0, 0, 0, 0, c.zone)
		if f.byHours {
			until = at.Truncate(time.Minute).Add(time.Minute)
		}
		f.known = verdicts{until, map[asked]verdict{}}
	}
	if v, known := f.known.of[q]; known {
		return v
	}
	v := verdict{allowed: true, within: true}
	if near, far := f.zoneOf(q.from), f.zoneOf(q.to); near != far || near == "" {
		v.within = false
		v.rule, v.allowed = c.decide(near, far, q.source, q.target, q.protocol, q.port, now)
	}
	f.known.of[q] = v
	return v
}

// Reaches tells whether a session of one station to another, both named by address, gets there: what a frame does, for tests to hold answers against.
func (w *World) Reaches(from, to, protocol string, port int) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	a, hasA := w.find(from)
	b, hasB := w.find(to)
	if !hasA || !hasB || a.host == nil || !w.answers(a) || !w.answers(b) {
		return false
	}
	near := w.around(a.room)
	if _, there := near[b.room]; there && a.room.vlan == b.room.vlan && a.device.spec.SiteNet == b.device.spec.SiteNet {
		return true
	}
	var gateway *device
	for _, name := range w.gateways {
		g := w.devices[name]
		if _, there := near[room{name, a.room.vlan}]; there && g.spec.SiteNet == a.device.spec.SiteNet && g.powered && !g.booting && !g.hung {
			gateway = g
			break
		}
	}
	if gateway == nil {
		return false
	}
	source, err1 := netip.ParseAddr(a.ip)
	target, err2 := netip.ParseAddr(b.ip)
	if err1 != nil || err2 != nil {
		return false
	}
	w.guard()
	c := conversation{protocol: protocol, port: port}
	mine, theirs, now := a.device.spec.SiteNet, b.device.spec.SiteNet, w.clock.now()
	if mine == theirs {
		if !w.judged(mine, a.room.vlan, b.room.vlan, source, target, c, 0, now) {
			return false
		}
	} else if !w.judged(mine, a.room.vlan, 0, source, target, c, 0, now) || !w.judged(theirs, 0, b.room.vlan, source, target, c, 0, now) {
		return false
	}
	edges, _ := w.overlay(gateway, theirs)
	if edges == nil && mine != theirs {
		return false
	}
	last := gateway
	if len(edges) > 0 {
		last = edges[len(edges)-1]
	}
	_, there := w.around(room{last.spec.Name, b.room.vlan})[b.room]
	return there
}
