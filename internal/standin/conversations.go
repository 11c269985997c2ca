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

	application, category string // what firewalls take it for
}

// saying is a conversation with its addresses.
type saying struct {
	conversation
	source, target netip.Addr
	hours          [hoursKept]appUse // what it used lately
}

// Who stations talk to: servers in the house, and the world outside.
const (
	bookingServer = "10.1.20.30"
	callServer    = "10.1.30.10"
	recorder      = "10.1.50.10"
	dockServer    = "10.1.90.10"
	tides         = "203.0.113.80"
	yardOffice    = "172.20.8.10" // of the yard at Kelp Bay, behind its router
)

func conversationsOf(h *host, siteNet int) []conversation {
	switch {
	case hasWord(h.Name, "phone"):
		return []conversation{{callServer, "udp", 5060, 1, "telephony", "voice"}}
	case hasWord(h.Name, "camera"):
		return []conversation{{recorder, "tcp", 554, 1, "video-stream", "video"}}
	case hasWord(h.Name, "counter"), hasWord(h.Name, "gate"), hasWord(h.Name, "display"):
		return []conversation{{bookingServer, "tcp", 443, 1, "booking", "business"}}
	case hasWord(h.Name, "crane"), hasWord(h.Name, "sensor"):
		return []conversation{{dockServer, "tcp", 502, 1, "process-control", "industrial"}}
	case hasWord(h.Name, "guest"): // some try what is inside
		return []conversation{{tides, "tcp", 443, 0.95, "tide-tables", "news"}, {fmt.Sprintf("10.%d.20.20", siteNet), "tcp", 445, 0.05, "file-sharing", "files"}}
	case hasWord(h.Name, "dock-desk"):
		return []conversation{{yardOffice, "tcp", 443, 1, "yard-orders", "business"}}
	case hasWord(h.Name, "desk"), hasWord(h.Name, "laptop"), hasWord(h.Name, "handheld"):
		return []conversation{{bookingServer, "tcp", 443, 0.3, "booking", "business"}, {tides, "tcp", 443, 0.7, "tide-tables", "news"}}
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
func (w *World) converse(h *host, span time.Duration, now time.Time, up, down float64) float64 {
	site := w.devices[h.at.device].spec.SiteNet
	if len(w.saysOf(h)) == 0 || len(w.guardians) == 0 {
		return 1
	}
	passes, sessions := 1.0, span.Seconds()/w.opts.SessionEvery.Seconds()
	vlan := h.joined(w.devices[h.at.device].cfg)
	for i := range h.says {
		c := &h.says[i]
		_, share := w.lets(site, asked{vlan, 0, c.source, c.target, c.protocol, c.port}, c.content((up+down)*c.part, span), sessions, now)
		if w.guardians[site].silenced(h, i, now) {
			share = 0
		}
		c.used(now, sessions, share > 0, up*c.part*share, down*c.part*share)
		passes -= c.part * (1 - share)
	}
	return max(passes, 0)
}

// saysOf is to whom a station keeps talking.
func (w *World) saysOf(h *host) []saying {
	if h.says == nil {
		h.says = []saying{}
		if from, err := netip.ParseAddr(h.IP); err == nil {
			if h.seen.IsValid() {
				from = h.seen
			}
			for _, c := range conversationsOf(h, w.devices[h.at.device].spec.SiteNet) {
				h.says = append(h.says, saying{conversation: c, source: from, target: netip.MustParseAddr(c.to)})
			}
		}
	}
	return h.says
}

// judged asks the firewall of a site what part of sessions between two VLANs of it gets through; 0 is what is outside.
func (w *World) judged(site int, q asked, what content, sessions float64, now time.Time) (share float64) {
	g, guarded := w.guardians[site]
	switch {
	case !guarded:
		return 1
	case g == nil:
		return 0
	}
	v := g.cfg.verdictOn(q, now)
	if b := g.blocks(q.source, now); b != nil && !v.within {
		b.refused += sessions
		return 0
	}
	if !v.within && sessions > 0 {
		g.judge(v.rule, sessions, now)
	}
	if !v.allowed {
		return 0
	}
	return g.inspect(v.inspect, what, q.source, q.target, sessions, now) * g.roomFor()
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
		v.rule, v.allowed, v.inspect = c.decide(near, far, q.source, q.target, q.protocol, q.port, now)
	}
	f.known.of[q] = v
	return v
}

// Reaches tells whether a session of one station to another, both named by address, gets there: what a frame does, for tests to hold answers
// against. An address that is nobody's in the company is one outside.
func (w *World) Reaches(from, to, protocol string, port int) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	source, err1 := netip.ParseAddr(from)
	target, err2 := netip.ParseAddr(to)
	if err1 != nil || err2 != nil {
		return false
	}
	w.guard()
	now := w.clock.now()
	q := asked{0, 0, source, target, protocol, port}
	a, inside := w.find(from)
	if !inside {
		return w.comesIn(q, now)
	}
	if a.host == nil || !w.answers(a) {
		return false
	}
	near := w.around(a.room)
	b, here := w.find(to)
	if here && b.host != nil && b.host.seen.IsValid() {
		return b.device == a.device && a.host.seen == b.host.seen && w.answers(b) // nobody beyond its access point reaches it
	}
	if a.host.seen.IsValid() {
		q.source = a.host.seen
	}
	if here {
		if _, there := near[b.room]; there && (a.room.vlan >= stacked(1, 0) || a.room.vlan == b.room.vlan && a.device.spec.SiteNet == b.device.spec.SiteNet) {
			return w.answers(b)
		}
	}
	gateway := w.gatewayIn(near, a.device.spec.SiteNet, a.room.vlan)
	if gateway == nil {
		return false
	}
	q.from = a.room.vlan
	q, share := w.lets(a.device.spec.SiteNet, q, content{}, 0, now)
	if _, _, company := w.placed(q.target); share == 0 || !company {
		return share > 0
	}
	b, here = w.find(q.target.String())
	if r := w.routerFor(q.target); r != nil && slices.Contains(r.Behind, q.target.String()) {
		b, here = station{host: r.host, device: w.devices[r.host.at.device], room: room{r.host.at.device, r.vlan(w)}}, true
	}
	if !here || b.host == nil || !w.answers(b) {
		return false
	}
	theirs := b.device.spec.SiteNet
	edges, _ := w.overlay(gateway, theirs)
	if edges == nil && a.device.spec.SiteNet != theirs {
		return false
	}
	last := gateway
	if len(edges) > 0 {
		last = edges[len(edges)-1]
	}
	_, there := w.around(room{last.spec.Name, b.room.vlan})[b.room]
	return there
}

// gatewayIn is the edge of a site among the rooms that a VLAN reaches.
func (w *World) gatewayIn(near rooms, site, vlan int) *device {
	for _, name := range w.gateways {
		g := w.devices[name]
		if _, there := near[room{name, vlan}]; there && g.spec.SiteNet == site && g.routes(vlan) && g.powered && !g.booting && !g.hung {
			return g
		}
	}
	return nil
}

// comesIn tells whether a session from outside gets to somebody: by a firewall that leads it to one inside.
func (w *World) comesIn(q asked, now time.Time) bool {
	for _, name := range w.firewalls {
		g := w.devices[name]
		site := g.spec.SiteNet
		if w.guardians[site] != g {
			continue
		}
		led := w.translated(site, true, q, 0, now)
		if led.target == q.target && led.port == q.port {
			continue
		}
		b, here := w.find(led.target.String())
		_, led.to, _ = w.placed(led.target)
		if !here || b.host == nil || b.device.spec.SiteNet != site || !w.answers(b) || w.judged(site, led, content{}, 0, now) == 0 {
			return false
		}
		return w.gatewayIn(w.around(b.room), site, b.room.vlan) != nil
	}
	return false
}
