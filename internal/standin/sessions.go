package standin

import (
	"cmp"
	"fmt"
	"hash/fnv"
	"maps"
	"math"
	"net/netip"
	"slices"
	"strconv"
	"time"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// liveSession is a session of the table of a firewall.
type liveSession struct {
	key, id  string
	source   uint16 // port
	in, out  asked  // as it comes in, and as it is seen beyond
	rule     int
	says     conversation
	began    time.Time
	up, down float64 // octets
}

// blockedSource is who may reach nothing through a firewall for a time.
type blockedSource struct {
	until   time.Time
	refused float64
}

const (
	againAfter   = 5 * time.Second // who was cut off begins anew
	mostSessions = 1000            // that are told where it is not said how many
)

// lasts is how long a session of a conversation goes on before another one takes its place.
func (c conversation) lasts() time.Duration {
	switch c.application {
	case "video-stream", "process-control":
		return time.Hour
	case "telephony":
		return 10 * time.Minute
	}
	return 90 * time.Second
}

// parallel is how many sessions a station has at once in a conversation.
func (c conversation) parallel(h *host) int {
	if c.port == 443 {
		return 1 + int(hashOf(h.MAC, c.to)%3)
	}
	return 1
}

func hashOf(parts ...any) uint32 {
	f := fnv.New32a()
	_, _ = fmt.Fprint(f, parts...)
	return f.Sum32()
}

// sessionTable lists the sessions that a firewall let begin and that go on.
func (w *World) sessionTable(g *device, now time.Time) (out []liveSession) {
	w.guard()
	if w.guardians[g.spec.SiteNet] != g {
		return nil
	}
	for _, h := range w.hosts {
		if h.cut || h.away || h.asleep || !h.port.up {
			continue
		}
		d := w.devices[h.at.device]
		if d.holds(h, now) {
			continue
		}
		own := d.spec.SiteNet == g.spec.SiteNet
		for i := range w.saysOf(h) {
			c := &h.says[i]
			first := asked{h.joined(d.cfg), 0, c.source, c.target, c.protocol, c.port}
			there, _, inside := w.placed(c.target)
			if !own && (!inside || there != g.spec.SiteNet) {
				continue
			}
			last, share := w.lets(d.spec.SiteNet, first, c.content(0, time.Second), 0, now)
			if share == 0 {
				continue
			}
			in, beyond := last, last
			if own {
				in, beyond = first, last
				beyond.from = in.from
				in.to = w.zoneVLAN(g, last)
				beyond.to = in.to
			}
			v := g.cfg.verdictOn(asked{in.from, in.to, in.source, beyond.target, in.protocol, beyond.port}, now)
			if v.within {
				continue
			}
			for k := range c.parallel(h) {
				s, ok := g.sessionOf(h, i, k, c.conversation, now)
				if !ok {
					continue
				}
				s.in, s.out, s.rule = in, beyond, v.rule
				out = append(out, s)
			}
		}
	}
	w.visiting(g, now, func(h *host, i int, in, led asked, let bool) {
		if s, ok := g.sessionOf(h, i, 0, brought(in.port), now); ok && let {
			s.in, s.out = in, led
			s.rule = g.cfg.verdictOn(led, now).rule
			s.in.to = led.to
			out = append(out, s)
		}
	})
	slices.SortFunc(out, func(a, b liveSession) int { return cmp.Or(b.began.Compare(a.began), cmp.Compare(a.id, b.id)) })
	return out
}

// sessionsOnce is how many sessions a firewall may have had in the past, which is not lived through session by session.
func (d *device) sessionsOnce(now time.Time) float64 {
	n := 0.0
	for _, h := range d.world.hosts {
		if d.world.devices[h.at.device].spec.SiteNet == d.spec.SiteNet {
			n += habit(h.Name, now)
		}
	}
	return math.Round(1.4 * n * (1 + 0.1*d.wave("s", now, time.Minute)))
}

// visitors are people elsewhere in the world who use what is offered to them.
var visitors = func() (out []*host) {
	for i := range 12 {
		out = append(out, &host{HostSpec: HostSpec{Name: fmt.Sprintf("visitor-%d", i), MAC: fmt.Sprintf("visitor-%d", i), IP: fmt.Sprintf("203.0.113.%d", 100+i), RateBps: 60_000 + 7_000*i}})
	}
	return out
}()

func visitorNumber(h *host) int { return slices.Index(visitors, h) }

// brought is what a visitor comes with.
func brought(port int) conversation {
	if port == 25 {
		return conversation{part: 1, application: "mail", category: "mail"}
	}
	return conversation{part: 1, application: "booking", category: "business"}
}

// visiting tells of each visitor what he asks of a firewall, to whom that leads him, and whether it lets him.
func (w *World) visiting(g *device, now time.Time, f func(h *host, i int, in, led asked, let bool)) {
	here := int(math.Round(float64(len(visitors)) * min(1, 0.3+habit("desk", now))))
	for i, t := range g.cfg.firewall.translations {
		if !t.destination || !t.into.IsValid() || len(t.target) == 0 || len(t.services) == 0 {
			continue
		}
		for k, h := range visitors[:here] {
			in := asked{0, 0, netip.MustParseAddr(h.IP), t.target[0].low, t.services[0].protocol, t.services[0].low}
			led := w.translated(g.spec.SiteNet, true, in, 0, now)
			led.to = w.zoneVLAN(g, led)
			f(h, 100+i, in, led, w.judged(g.spec.SiteNet, led, delivered(k, in.port, in.source), 0, now) > 0)
		}
	}
}

// visit has firewalls decide on what visitors ask.
func (w *World) visit(span time.Duration, now time.Time) {
	sessions := span.Seconds() / w.opts.SessionEvery.Seconds()
	for _, name := range w.firewalls {
		g := w.devices[name]
		if w.guardians[g.spec.SiteNet] != g {
			continue
		}
		w.visiting(g, now, func(h *host, _ int, in, led asked, _ bool) {
			w.translated(g.spec.SiteNet, true, in, sessions, now)
			w.judged(g.spec.SiteNet, led, delivered(visitorNumber(h), in.port, in.source), sessions, now)
		})
	}
}

// zoneVLAN is the VLAN of the site of a firewall to which a session goes; 0: it leaves the site.
func (w *World) zoneVLAN(g *device, q asked) int {
	if there, far, inside := w.placed(q.target); inside && there == g.spec.SiteNet {
		return far
	}
	return 0
}

// sessionOf is one of the sessions of a station in a conversation; ok is false while it has none.
func (d *device) sessionOf(h *host, i, k int, c conversation, now time.Time) (s liveSession, ok bool) {
	s = liveSession{key: fmt.Sprintf("%s/%d/%d", h.MAC, i, k), says: c}
	lasts := c.lasts()
	phase := time.Duration(hashOf(s.key)%1000) * lasts / 1000
	s.began = now.Add(-phase).Truncate(lasts).Add(phase)
	if again, was := d.restarted[s.key]; was && again.After(s.began) {
		s.began = again
	}
	if s.began.After(now) {
		return s, false
	}
	h32 := hashOf(s.key, s.began.Unix())
	s.id, s.source = fmt.Sprintf("%08x", h32), uint16(32_768+h32%28_000)
	octets := float64(h.RateBps) / 8 * c.part / float64(c.parallel(h)) * now.Sub(s.began).Seconds()
	if s.up, s.down = octets/4, octets; sends(h.Name) {
		s.up, s.down = s.down, s.up
	}
	return s, true
}

// silenced tells whether a session of a station was ended, and it has not begun anew yet.
func (d *device) silenced(h *host, i int, now time.Time) bool {
	if d == nil || len(d.restarted) == 0 {
		return false
	}
	return now.Before(d.restarted[fmt.Sprintf("%s/%d/0", h.MAC, i)])
}

// readSessions answers read-sessions. It is called with the lock held.
func (d *device) readSessions(op *xmlnode.Node) ([]*xmlnode.Node, error) {
	most := mostSessions
	if n, err := strconv.Atoi(op.TextAt("most")); err == nil && n > 0 {
		most = min(n, 5000)
	}
	source, err1 := netip.ParsePrefix(cmp.Or(op.TextAt("source"), "0.0.0.0/0"))
	target, err2 := netip.ParsePrefix(cmp.Or(op.TextAt("destination"), "0.0.0.0/0"))
	if err1 != nil || err2 != nil {
		return nil, netconf.NewRPCError(netconf.TagInvalidValue, "", "that is no prefix")
	}
	port, _ := strconv.Atoi(op.TextAt("port"))
	rule, _ := strconv.Atoi(op.TextAt("rule"))
	protocol := op.TextAt("protocol")
	x := in("ep-fw")
	var rows []*xmlnode.Node
	total := 0
	for _, s := range d.world.sessionTable(d, d.world.clock.now()) {
		if !source.Contains(s.in.source) && !source.Contains(s.out.source) || !target.Contains(s.in.target) && !target.Contains(s.out.target) ||
			protocol != "" && protocol != s.in.protocol || port != 0 && port != s.in.port && port != s.out.port || rule != 0 && rule != s.rule {
			continue
		}
		if total++; total <= most {
			rows = append(rows, d.sessionNode(x, s))
		}
	}
	return append([]*xmlnode.Node{x.int("total", total)}, rows...), nil
}

func (d *device) sessionNode(x in, s liveSession) *xmlnode.Node {
	n := x.node("session", x.leaf("id", s.id), x.leaf("protocol", s.in.protocol))
	end := func(name string, a netip.Addr, port int) {
		n.Add(x.leaf(name, a.String()))
		if port > 0 {
			n.Add(x.int(name+"-port", port))
		}
	}
	end("source", s.in.source, int(s.source))
	end("destination", s.in.target, s.in.port)
	for _, z := range []struct {
		name string
		vlan int
	}{{"from", s.in.from}, {"to", s.in.to}} {
		if zone := d.cfg.firewall.zoneOf(z.vlan); zone != "" {
			n.Add(x.leaf(z.name, zone))
		}
	}
	n.Add(x.int("rule", s.rule))
	if s.out.source != s.in.source {
		end("seen-source", s.out.source, int(1024+hashOf(s.id)%60_000))
	}
	if s.out.target != s.in.target || s.out.port != s.in.port {
		end("seen-destination", s.out.target, s.out.port)
	}
	if s.says.application != "" {
		n.Add(x.leaf("application", s.says.application), x.leaf("category", s.says.category))
	}
	return n.Add(x.leaf("began", s.began.UTC().Format(time.RFC3339)), x.count("up-octets", s.up), x.count("down-octets", s.down))
}

// endSessions ends sessions by their ids.
func (d *device) endSessions(t *task, ids []string) error {
	if len(ids) == 0 {
		return netconf.NewRPCError(netconf.TagDataMissing, "", "it is not said which")
	}
	d.once(t, func() {
		now := d.world.clock.now()
		table := map[string]liveSession{}
		for _, s := range d.world.sessionTable(d, now) {
			table[s.id] = s
		}
		for _, id := range ids {
			s, goesOn := table[id]
			if !goesOn {
				d.say(t, "session", id, "step", "is over already")
				continue
			}
			d.cutOff(s, now)
			d.say(t, "session", id, "step", fmt.Sprintf("is ended: %s to %s", s.in.source, s.in.target))
		}
	})
	return nil
}

func (d *device) cutOff(s liveSession, now time.Time) {
	if d.restarted == nil {
		d.restarted = map[string]time.Time{}
	}
	for key, at := range d.restarted { // what is long over
		if now.Sub(at) > time.Hour {
			delete(d.restarted, key)
		}
	}
	d.restarted[s.key] = now.Add(againAfter)
}

// blockSource lets a source reach nothing for a time, or (0) reach what it may again.
func (d *device) blockSource(t *task, text string, span time.Duration) error {
	source, err := netip.ParseAddr(text)
	if err != nil {
		return netconf.NewRPCError(netconf.TagInvalidValue, "", "%q is no address", text)
	}
	d.once(t, func() {
		now := d.world.clock.now()
		if span == 0 {
			if d.blocks(source, now) == nil {
				d.say(t, "step", source.String()+" was not blocked")
				return
			}
			delete(d.blocked, source)
			d.say(t, "step", source.String()+" may reach what the policy lets it reach")
			return
		}
		ended := 0
		for _, s := range d.world.sessionTable(d, now) {
			if s.in.source == source {
				d.cutOff(s, now)
				ended++
			}
		}
		if d.blocked == nil {
			d.blocked = map[netip.Addr]*blockedSource{}
		}
		d.blocked[source] = &blockedSource{until: now.Add(span)}
		d.say(t, "step", fmt.Sprintf("%s is blocked until %s; %d sessions are ended", source, now.Add(span).UTC().Format("2 Jan 15:04 UTC"), ended))
	})
	return nil
}

// blocks is the block under which a source is at a moment, nil for none.
func (d *device) blocks(source netip.Addr, now time.Time) *blockedSource {
	b := d.blocked[source]
	if b == nil || !now.Before(b.until) {
		return nil
	}
	return b
}

func (d *device) blockedState(fw *xmlnode.Node, now time.Time) {
	x := in("ep-fw")
	for _, a := range slices.SortedFunc(maps.Keys(d.blocked), netip.Addr.Compare) {
		b := d.blocked[a]
		if !now.Before(b.until) {
			delete(d.blocked, a)
			continue
		}
		fw.Add(x.node("blocked", x.leaf("address", a.String()), x.leaf("until", b.until.UTC().Format(time.RFC3339)), x.count("refused", b.refused)))
	}
}
