package standin

import (
	"cmp"
	"maps"
	"net/netip"
	"slices"
	"strconv"
	"time"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// way is how an edge is to carry some traffic to other sites.
type way struct {
	number                 int
	categories             []string // empty: any
	services               []flow
	dscp                   []int
	to                     []netip.Prefix
	over                   []string // underlays or ports, the best first; empty: all as they come
	delay, jitter, loss    float64  // at most; 0: no limit
	within, back           time.Duration
	twice, drop            bool
	anyService, anyNetwork bool
}

func (c *compiled) compileSteering(tree *xmlnode.Node) {
	for _, choice := range tree.Child("steering").All("choice") {
		for _, n := range choice.All("way") {
			f := &way{over: texts(n.All("over")), categories: texts(n.All("application")), anyService: n.Child("service") == nil, anyNetwork: n.Child("to") == nil,
				twice: n.TextAt("send") == "twice", drop: n.TextAt("else") == "drop"}
			decimal := func(name, usual string) float64 {
				v, _ := strconv.ParseFloat(cmp.Or(n.TextAt(name), usual), 64)
				return v
			}
			f.number = int(decimal("number", "0"))
			f.delay, f.jitter, f.loss = decimal("delay", "0"), decimal("jitter", "0"), decimal("loss", "0")
			f.within, f.back = time.Duration(decimal("within", "5"))*time.Second, time.Duration(decimal("back", "60"))*time.Second
			for _, s := range n.All("service") {
				if one, err := readFlow(s.Text); err == nil {
					f.services = append(f.services, one)
				}
			}
			for _, s := range n.All("dscp") {
				v, _ := strconv.Atoi(s.Text)
				f.dscp = append(f.dscp, v)
			}
			for _, s := range n.All("to") {
				if p, err := netip.ParsePrefix(s.Text); err == nil {
					f.to = append(f.to, p)
				}
			}
			c.ways = append(c.ways, f)
		}
	}
	slices.SortFunc(c.ways, func(a, b *way) int { return a.number - b.number })
}

func validateSteering(tree *xmlnode.Node, fault func(tag, path, format string, args ...any)) {
	for _, choice := range tree.Child("steering").All("choice") {
		for _, n := range choice.All("way") {
			path := "/steering/choice/way[number='" + n.TextAt("number") + "']"
			if len(n.All("over")) == 0 && n.TextAt("else") == "drop" {
				fault(netconf.TagInvalidValue, path+"/else", "there is nothing else than all tunnels")
			}
			for _, s := range n.All("service") {
				if _, err := readFlow(s.Text); err != nil {
					fault(netconf.TagInvalidValue, path+"/service", "%v", err)
				}
			}
		}
	}
}

// markOf is the code point that traffic of a category bears (RFC 4594).
func markOf(category string) int {
	switch category {
	case "voice":
		return 46
	case "video":
		return 34
	}
	return 0
}

func (f *way) fits(s *saying) bool {
	return (len(f.categories) == 0 || slices.Contains(f.categories, s.category)) &&
		(f.anyService || slices.ContainsFunc(f.services, func(o flow) bool { return o.protocol == s.protocol && o.low <= s.port && s.port <= o.high })) &&
		(len(f.dscp) == 0 || slices.Contains(f.dscp, markOf(s.category))) &&
		(f.anyNetwork || slices.ContainsFunc(f.to, func(p netip.Prefix) bool { return p.Contains(s.target) }))
}

// steered is where the traffic of a way to another edge goes.
type steered struct {
	way            *way // nil: of no way
	peer           string
	tunnel, second *tunnel
	since          time.Time
	cause          string
	octets         float64
	bad            time.Time             // since when a limit is broken
	well           map[*tunnel]time.Time // since when tunnels before it keep the limits

	calls, delay, jitter, loss float64 // seconds that were carried, and what they met
}

type steeredTo struct {
	way  int
	peer string
}

// steerMove is traffic that took another tunnel.
type steerMove struct {
	number                     uint64
	at                         time.Time
	way                        int
	peer, from, to, cause      string
	delayMs, jitterMs, lossPct float64
}

const movesKept = 200

// keeps tells whether a tunnel is within the limits of a way.
func (f *way) keeps(t *tunnel) bool {
	return f == nil || t.up && (f.delay == 0 || t.delayMs <= f.delay) && (f.jitter == 0 || t.jitterMs <= f.jitter) && (f.loss == 0 || t.lossPct <= f.loss)
}

// inOrder are the tunnels of a device to another that are up, in the order of a way; spare are those that it does not name.
func (f *way) inOrder(d *device, list []*tunnel) (named, spare []*tunnel) {
	for _, t := range list {
		if t.up && (f == nil || len(f.over) == 0) {
			named = append(named, t)
		}
	}
	if f == nil || len(f.over) == 0 {
		return named, nil
	}
	for _, what := range f.over {
		for _, t := range list {
			near := t.a
			if t.a.device != d.spec.Name {
				near = t.b
			}
			if t.up && (t.Underlay == what || near.port == what) && !slices.Contains(named, t) {
				named = append(named, t)
			}
		}
	}
	for _, t := range list {
		if t.up && !f.drop && !slices.Contains(named, t) {
			spare = append(spare, t)
		}
	}
	return named, spare
}

// steer has each edge choose its tunnels anew.
func (w *World) steer(now time.Time, span time.Duration) {
	for _, name := range w.gateways {
		d := w.devices[name]
		if !d.powered || d.booting {
			continue
		}
		peers := map[string][]*tunnel{}
		for _, t := range w.tunnelsAt[name] {
			far := t.far(name).device
			peers[far] = append(peers[far], t)
		}
		known := map[steeredTo]bool{}
		for peer, list := range peers {
			for _, f := range append([]*way{nil}, d.cfg.ways...) {
				key := steeredTo{0, peer}
				if f != nil {
					key.way = f.number
				}
				s := d.steered[key]
				if s == nil {
					s = &steered{peer: peer}
					if d.steered == nil {
						d.steered = map[steeredTo]*steered{}
					}
					d.steered[key] = s
				}
				s.way, known[key] = f, true
				d.choose(s, key, list, now)
				s.meet(span)
			}
		}
		maps.DeleteFunc(d.steered, func(k steeredTo, _ *steered) bool { return !known[k] })
	}
}

// choose picks the tunnel of a flow.
func (d *device) choose(s *steered, key steeredTo, list []*tunnel, now time.Time) {
	named, spare := s.way.inOrder(d, list)
	ways := named
	if len(named) == 0 {
		ways = spare
	} else if slices.Contains(spare, s.tunnel) {
		ways = append(slices.Clone(named), s.tunnel)
	}
	good := func(not *tunnel) *tunnel {
		for _, t := range ways {
			if t != not && s.way.keeps(t) {
				return t
			}
		}
		return nil
	}
	to, cause := s.tunnel, ""
	switch i := slices.Index(ways, s.tunnel); {
	case len(ways) == 0:
		to, cause = nil, "lost"
	case s.tunnel == nil || i < 0:
		if to = good(nil); to == nil {
			to = ways[0]
		}
		if cause = "down"; s.cause == "lost" {
			cause = "return"
		}
	case !s.way.keeps(s.tunnel):
		if s.bad.IsZero() {
			s.bad = now
		}
		if other := good(s.tunnel); other != nil && now.Sub(s.bad) >= s.way.within {
			to, cause = other, "limit"
		}
	default:
		s.bad = time.Time{}
		well := map[*tunnel]time.Time{}
		for _, t := range ways[:i] {
			if !s.way.keeps(t) {
				continue
			}
			since, is := s.well[t]
			if !is {
				since = now
			}
			well[t] = since
			if s.way != nil && cause == "" && now.Sub(since) >= s.way.back {
				to, cause = t, "return"
			}
			if s.way == nil && cause == "" { // what no way steers goes back at once
				to, cause = t, "return"
			}
		}
		s.well = well
	}
	if cause != "" && (to != s.tunnel || s.cause == "") {
		if s.cause == "" && to != nil {
			cause = "first"
		} else if key.way != 0 {
			d.noteMove(s, key, to, cause, now)
		}
		s.tunnel, s.cause, s.since, s.bad, s.well = to, cause, now, time.Time{}, nil
	}
	s.second = nil
	if s.way != nil && s.way.twice && s.tunnel != nil {
		if s.second = good(s.tunnel); s.second == nil {
			for _, t := range ways {
				if t != s.tunnel {
					s.second = t
					break
				}
			}
		}
	}
}

func (d *device) noteMove(s *steered, key steeredTo, to *tunnel, cause string, now time.Time) {
	d.moved++
	m := steerMove{number: d.moved, at: now, way: key.way, peer: d.world.devices[s.peer].cfg.hostname, cause: cause}
	if s.tunnel != nil {
		m.from, m.delayMs, m.jitterMs, m.lossPct = s.tunnel.names[s.tunnel.end(d.spec.Name)], s.tunnel.delayMs, s.tunnel.jitterMs, s.tunnel.lossPct
	}
	if to != nil {
		m.to = to.names[to.end(d.spec.Name)]
	}
	if d.moves = append(d.moves, m); len(d.moves) > movesKept {
		d.moves = d.moves[1:]
	}
}

// felt is what packets of a flow meet now: of two that are the same the sooner counts.
func (s *steered) felt() (delayMs, jitterMs, lossPct float64) {
	switch {
	case s.tunnel == nil:
		return 0, 0, 100
	case s.second == nil:
		return s.tunnel.delayMs, s.tunnel.jitterMs, s.tunnel.lossPct
	}
	sooner := s.tunnel
	if s.second.delayMs < sooner.delayMs {
		sooner = s.second
	}
	return sooner.delayMs, sooner.jitterMs, s.tunnel.lossPct * s.second.lossPct / 100
}

// meet adds up what calls over a flow meet.
func (s *steered) meet(span time.Duration) {
	delay, jitter, loss := s.felt()
	seconds := span.Seconds()
	s.calls, s.delay, s.jitter, s.loss = s.calls+seconds, s.delay+seconds*delay, s.jitter+seconds*jitter, s.loss+seconds*loss
}

// Call is what calls over a way to another edge met in the mean, for tests to hold answers against.
func (w *World) Call(edge, peer string, way int) (delayMs, jitterMs, lossPct float64, over string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	s := w.devices[edge].steered[steeredTo{way, peer}]
	if s == nil || s.calls == 0 {
		return 0, 0, 100, ""
	}
	if s.tunnel != nil {
		over = s.tunnel.names[s.tunnel.end(edge)]
	}
	return s.delay / s.calls, s.jitter / s.calls, s.loss / s.calls, over
}

// crosses tells what part of what a station says gets to other sites, for what of it goes there.
func (w *World) crosses(h *host, up, down float64) float64 {
	says, site, passes := w.saysOf(h), w.devices[h.at.device].spec.SiteNet, 1.0
	for i := range says {
		c := &says[i]
		passes -= c.part * (1 - w.carry(site, c, up*c.part, down*c.part))
	}
	return max(passes, 0)
}

// carry tells what part of what is said to another site gets there, and counts it where it goes.
func (w *World) carry(site int, s *saying, up, down float64) float64 {
	there, _, inside := w.placed(s.target)
	if !inside || there == site || len(w.edgesOf[there]) == 0 || len(w.edgesOf[site]) == 0 {
		return 1
	}
	near := w.edgesOf[site][0]
	peer := w.nextTo(near, there)
	if peer == nil {
		return 0
	}
	share := near.carries(s, peer, up)
	peer.carries(s, near, down)
	return share
}

// carries puts octets of a conversation on the tunnel that it goes over, and tells what part gets to its end.
func (d *device) carries(s *saying, peer *device, octets float64) float64 {
	number := 0
	for _, f := range d.cfg.ways {
		if f.fits(s) {
			number = f.number
			break
		}
	}
	flow := d.steered[steeredTo{number, peer.spec.Name}]
	if flow == nil {
		return 1 // it was not chosen yet
	}
	_, _, loss := flow.felt()
	if flow.tunnel != nil {
		flow.octets += octets
	}
	for _, t := range []*tunnel{flow.tunnel, flow.second} {
		if t == nil {
			continue
		}
		for _, e := range []endpoint{t.a, t.b} {
			d.world.at(e).passes(octets, e.device == d.spec.Name)
			d.world.alongLine(e, octets, e.device == d.spec.Name)
		}
	}
	return 1 - loss/100
}

// nextTo is the edge to which an edge sends what is for another site; nil for none.
func (w *World) nextTo(from *device, site int) *device {
	key := steeredTo{site, from.spec.Name}
	if next, known := w.next[key]; known {
		return next
	}
	edges, _ := w.overlay(from, site)
	var next *device
	if len(edges) > 0 {
		next = edges[0]
	}
	w.next[key] = next
	return next
}

// steeredState tells which tunnels traffic goes over.
func (d *device) steeredState(out *xmlnode.Node, _ time.Time) {
	if len(d.cfg.ways) == 0 {
		return
	}
	x := in("ep-wan")
	for _, key := range slices.SortedFunc(maps.Keys(d.steered), func(a, b steeredTo) int { return cmp.Or(cmp.Compare(a.peer, b.peer), a.way-b.way) }) {
		s := d.steered[key]
		peer := d.world.devices[key.peer]
		if peer.crated {
			continue
		}
		n := x.node("flow", x.int("way", key.way), x.leaf("remote-system-name", peer.cfg.hostname))
		for name, t := range map[string]*tunnel{"tunnel": s.tunnel, "second-tunnel": s.second} {
			if t != nil {
				n.Add(x.leaf(name, t.names[t.end(d.spec.Name)]))
			}
		}
		out.Add(n.Add(x.when("since", s.since), x.leaf("cause", s.cause), x.count("octets", s.octets)))
	}
	for _, m := range d.moves {
		n := x.node("move", x.leaf("number", strconv.FormatUint(m.number, 10)), x.when("time", m.at), x.int("way", m.way), x.leaf("remote-system-name", m.peer))
		if m.from != "" {
			n.Add(x.leaf("from", m.from), x.float("delay", m.delayMs, 1), x.float("jitter", m.jitterMs, 1), x.float("loss", m.lossPct, 2))
		}
		if m.to != "" {
			n.Add(x.leaf("to", m.to))
		}
		out.Add(n.Add(x.leaf("cause", m.cause)))
	}
}

// steeringNodes are the ways that an edge is first told of.
func steeringNodes(rows []WaySpec) *xmlnode.Node {
	x := in("ep-wan")
	choice := x.node("choice", x.leaf("name", "main"))
	for _, r := range rows {
		n := x.node("way", x.int("number", r.Number))
		for _, a := range r.Application {
			n.Add(x.leaf("application", a))
		}
		for _, o := range r.Over {
			n.Add(x.leaf("over", o))
		}
		x.told(n, [][2]string{{"delay", r.Delay}, {"jitter", r.Jitter}, {"loss", r.Loss}, {"back", r.Back}, {"else", r.Else}, {"send", r.Send}, {"note", r.Note}})
		choice.Add(n)
	}
	return x.node("steering", choice)
}
