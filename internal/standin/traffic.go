package standin

import (
	"fmt"
	"hash/fnv"
	"maps"
	"math"
	"net/netip"
	"slices"
	"time"
)

// habit is how busy stations of a kind are at an hour of the day, 1 being usual.
func habit(name string, at time.Time) float64 {
	hour := float64(at.Hour()) + float64(at.Minute())/60
	day := 0.08 + 1.1*math.Exp(-math.Pow((hour-13)/4.6, 2)) // people work by day
	switch {
	case hasWord(name, "camera"), hasWord(name, "sensor"):
		return 1
	case hasWord(name, "phone"), hasWord(name, "desk"), hasWord(name, "counter"):
		if wd := at.Weekday(); wd == time.Saturday || wd == time.Sunday {
			return day * 0.35
		}
		return day
	}
	return 0.25 + day*0.8
}

func hasWord(name, word string) bool { return len(name) >= len(word) && name[:len(word)] == word }

// sends tells whether stations of a kind send more than they receive.
func sends(name string) bool { return hasWord(name, "camera") || hasWord(name, "sensor") }

// noise is a slow wave around 0 between -1 and 1 that belongs to a name: the same seed gives the same day.
func (w *World) noise(name string, at time.Time, period time.Duration) float64 {
	h := fnv.New32a()
	_, _ = h.Write([]byte(name))
	phase := float64(h.Sum32()^uint32(w.opts.Seed)) / math.MaxUint32 * 2 * math.Pi
	t := float64(at.UnixMilli()) / 1000 / period.Seconds() * 2 * math.Pi
	return 0.4*math.Sin(t+phase) + 0.2*math.Sin(2.7*t+3*phase) + 0.1*math.Sin(7.3*t+5*phase) + // from moment to moment,
		0.2*math.Sin(t/23.7+7*phase) + 0.1*math.Sin(t/157.3+11*phase) // and over hours
}

// hop is the ports at both ends of a cable, the nearer to the host first.
type hop struct{ near, far *portSim }

// flow lets traffic of the given time pass: what each host sends counts on its port, and on every link up to the gateway
// if its VLAN is carried that far. Power drawn wobbles a little. A damaged cable makes errors of a part of the frames.
func (w *World) flow(now time.Time, span time.Duration) {
	if w.opts.Roam {
		w.roam(now)
	}
	if w.began.IsZero() {
		w.began = now
	}
	w.guard()
	for _, t := range w.tunnels {
		t.measure(w, now)
	}
	w.next = map[steeredTo]*device{}
	was := w.edgesOf
	w.edgesOf = map[int][]*device{}
	for _, name := range w.gateways {
		if d := w.devices[name]; d.powered && !d.booting && !d.hung && !d.crated {
			w.edgesOf[d.spec.SiteNet] = append(w.edgesOf[d.spec.SiteNet], d)
		}
	}
	if !maps.EqualFunc(was, w.edgesOf, slices.Equal[[]*device]) {
		w.apart = nil // who is together with whom goes by the edges that work
	}
	w.steer(now, span)
	flows := make([]passing, 0, len(w.hosts))
	for _, h := range w.hosts {
		p := w.devices[h.at.device].ports[h.at.port]
		if p.feeding > 0 && h.DrawMilliW > 0 {
			p.feeding = h.DrawMilliW + int(float64(h.DrawMilliW)*0.03*w.noise(h.MAC, now, 40*time.Second))
		}
		if !p.up || h.away || h.asleep || w.misled(h) {
			continue
		}
		octets := float64(h.RateBps) / 8 * span.Seconds() * habit(h.Name, now) * (1 + 0.5*w.noise(h.MAC, now, 150*time.Second))
		up, down := octets/4, octets
		if sends(h.Name) {
			up, down = down, up
		}
		at := w.devices[h.at.device]
		if at.holds(h, now) {
			continue
		}
		up, down = at.atItsRate(h, now, up, down, span)
		if w.routeOf(h); h.peer != nil && !h.listens {
			continue
		}
		passes := w.converse(h, span, now, up, down)
		up, down = up*passes, down*passes
		passes = w.crosses(h, up, down)
		up, down = up*passes, down*passes
		up, down = w.police(at, p, h, up, down, span)
		p.count(up, down)
		h.in, h.out = h.in+up, h.out+down
		flows = append(flows, passing{h, p, up, down})
	}
	w.queue(flows, span)
	for _, f := range flows {
		if f.h.peer != nil {
			f.h.peer.port.count(f.down, f.up)
		}
		for _, hop := range w.routeOf(f.h) {
			hop.near.count(w.fitting(hop.near, f.down), f.up)
			hop.far.count(w.fitting(hop.far, f.up), f.down)
		}
	}
	w.multicast(now, span)
	w.visit(span, now)
	w.floods(span, now)
	w.storm(span)
}

// police takes off what a port's access list and its limits do not let pass: of what comes in and goes out, in octets.
func (w *World) police(d *device, p *portSim, h *host, up, down float64, span time.Duration) (in, out float64) {
	c := d.cfg.ports[p.spec.Name]
	for _, list := range []string{c.list, d.cfg.vlanLists[h.joined(d.cfg)]} {
		from, err := netip.ParseAddr(h.IP)
		if list == "" || err != nil {
			continue
		}
		to := netip.AddrFrom4([4]byte{10, byte(d.spec.SiteNet), byte(h.joined(d.cfg)), 1})
		entry, permit := passes(d.cfg.lists[list], from, to)
		d.hit(list, entry, up/frameSize)
		if !permit {
			p.counters.inDiscards += up / frameSize
			up, down = 0, 0
		}
	}
	limit := func(octets, bps float64) (let, dropped float64) {
		if most := bps / 8 * span.Seconds(); bps > 0 && octets > most {
			return most, octets - most
		}
		return octets, 0
	}
	up, droppedIn := limit(up, c.rateIn)
	down, droppedOut := limit(down, c.rateOut)
	p.counters.inDiscards += droppedIn / frameSize
	p.counters.outDiscards += droppedOut / frameSize
	return up, down
}

// largePart is the part of traffic that is in frames of the largest size which the other end of a link may send.
const largePart = 0.2

// fitting takes off what is too large for a port, and counts it as what is wrong.
func (w *World) fitting(p *portSim, octets float64) float64 {
	if !w.clashes[p] {
		return octets
	}
	p.counters.inErrors += octets * largePart / usualMTU
	return octets * (1 - largePart)
}

// Boarding displays listen to a stream, which goes to all ports of their VLAN where nobody looks who listens (RFC 4541).
const (
	streamFrames = 40.0 // a second
	streamSize   = 1316.0
)

// multicast sends the stream of the boarding displays out of the ports of their switch.
func (w *World) multicast(_ time.Time, span time.Duration) {
	for name, d := range w.devices {
		listens := map[int]bool{} // VLANs in which somebody does
		hosts := w.hostsAt[name]
		for _, h := range hosts {
			if hasWord(h.Name, "display") && w.at(h.at).up {
				listens[h.joined(d.cfg)] = true
			}
		}
		if len(listens) == 0 {
			continue
		}
		for _, h := range hosts {
			p, vlan := w.at(h.at), h.joined(d.cfg)
			if h.SSID == "" && p.up && listens[vlan] && (hasWord(h.Name, "display") || !d.cfg.igmp[vlan]) {
				p.counters.outMulticast += streamFrames * span.Seconds()
				p.counters.outOctets += streamFrames * streamSize * span.Seconds()
			}
		}
	}
}

// misled tells whether a host got its address from somebody on its switch who gives out wrong ones: a port that is not
// trusted is not heard where the VLAN is snooped, nor by who is isolated from it.
func (w *World) misled(h *host) bool {
	d := w.devices[h.at.device]
	if !w.rogues[d.spec.Name] {
		return false
	}
	vlan := h.joined(d.cfg)
	for name, p := range d.ports {
		c := d.cfg.ports[name]
		apart := c.isolation != "" && c.isolation == d.cfg.ports[h.at.port].isolation
		if p.guard.rogue && p.up && name != h.at.port && c.untagged == vlan && !apart && (!d.cfg.snoops[vlan] || c.dhcpTrust) {
			return true
		}
	}
	return false
}

// hit counts frames on which an entry of an access list decided.
func (d *device) hit(list string, entry int, frames float64) {
	if d.hits == nil {
		d.hits = map[listEntry]float64{}
	}
	d.hits[listEntry{list, entry}] += frames
}

type listEntry struct {
	list  string
	entry int
}

// stormFrames is how many frames a second come where frames run in a circle, or somebody sends without end.
const stormFrames = 40_000

// storm counts the broadcasts of loops that nobody cut, and of stations gone wild.
func (w *World) storm(span time.Duration) {
	for name, d := range w.devices {
		for port, p := range d.ports {
			if !p.up || !p.guard.storming && (!p.guard.looped || w.tree.blocked[endpoint{name, port}]) {
				continue
			}
			frames := stormFrames * span.Seconds()
			if most := d.cfg.ports[port].stormLimit * span.Seconds(); most > 0 && frames > most {
				p.counters.inDiscards += frames - most
				frames = most
			}
			p.counters.inBroadcast += frames
			p.counters.inOctets += 64 * frames
		}
	}
}

// routeOf is the way of a host's frames up to the gateway.
func (w *World) routeOf(h *host) []hop {
	if h.routed {
		return h.route
	}
	h.route, h.routed = nil, true
	if h.For != "" {
		h.route, _ = w.handedOver(endpointIn(h.For))
		return h.route
	}
	if h.peer != nil {
		h.route, h.listens = w.toPeer(h)
		return h.route
	}
	vlan := h.joined(w.devices[h.at.device].cfg)
	if vlan == 0 {
		return nil
	}
	way := w.ways[vlan]
	if way == nil {
		way = w.spread(vlan)
		w.ways[vlan] = way
	}
	for at := (room{h.at.device, vlan}); way[at].by != nil; at = way[at].from {
		c := way[at].by
		near, far := c.a, c.b
		if far.device == at.device {
			near, far = far, near
		}
		h.route = append(h.route, hop{w.at(near), w.at(far)})
	}
	return h.route
}

// staysFor is how long a wireless station stays at an access point before it may go to another.
const staysFor = 13 * time.Minute

// roam lets wireless stations wander: each comes back to its own access point more often than to the others of its site.
func (w *World) roam(now time.Time) {
	for i, h := range w.hosts {
		slot := now.Add(time.Duration(i)*37*time.Second).UnixNano() / int64(staysFor)
		if h.SSID == "" || h.Stays || slot == h.slot {
			continue
		}
		h.slot = slot
		home, _ := w.endpoint(h.At)
		draw := w.draw(h, slot)
		to, away := w.wanders(home, draw), float64(draw>>32%1000) > 1000*presence(h.SSID, now)
		if to == h.at && away == h.away {
			continue
		}
		w.hostsAt[h.at.device] = slices.DeleteFunc(w.hostsAt[h.at.device], func(o *host) bool { return o == h })
		if !away {
			w.hostsAt[to.device] = append(w.hostsAt[to.device], h)
		}
		h.at, h.away, h.routed, h.in, h.out = to, away, false, 0, 0
	}
}

// draw is a number of chance that belongs to a station and a slot of time: the same seed gives the same.
func (w *World) draw(h *host, slot int64) uint64 {
	f := fnv.New64a()
	_, _ = fmt.Fprint(f, h.MAC, " ", slot, " ", w.opts.Seed)
	n := f.Sum64()
	n ^= n >> 29 // its high digits are poor for inputs that are alike
	n *= 0xbf58476d1ce4e5b9
	return n ^ n>>32
}

// presence is how likely somebody who uses a wireless network is there at an hour of the day.
func presence(ssid string, at time.Time) float64 {
	day := habit("gate", at) // about 0.3 at night and 1.2 by day
	if ssid == "Lantern Passengers" {
		return min(1, day*day*0.85)
	}
	return min(1, 0.3+0.65*day)
}

// wanders is the radio at which a station is.
func (w *World) wanders(home endpoint, draw uint64) endpoint {
	if draw%10 < 7 {
		return home
	}
	var others []endpoint
	for _, name := range w.pointsAt[w.devices[home.device].spec.Site] {
		at := endpoint{name, home.port}
		if d := w.devices[name]; name != home.device && d.ports[home.port] != nil && d.ports[home.port].up {
			others = append(others, at)
		}
	}
	if len(others) == 0 {
		return home
	}
	return others[draw/10%uint64(len(others))]
}

// frameSize is that of an average frame in octets.
const frameSize = 640

// count adds what came in and went out, in octets.
func (p *portSim) count(in, out float64) {
	c := &p.counters
	c.inOctets += in
	c.outOctets += out
	c.inUnicast += in / frameSize
	c.outUnicast += out / frameSize
	c.inBroadcast += in / frameSize / 90
	c.inMulticast += in / frameSize / 40
	c.outMulticast += out / frameSize / 60
	for _, t := range p.guard.mirrors {
		if t.in {
			t.to.copied(in)
		}
		if t.out {
			t.to.copied(out)
		}
	}
	if p.damage > 0 {
		c.inFCS += in / frameSize * p.damage
		c.inErrors += in / frameSize * p.damage
		c.inFragments += in / frameSize * p.damage / 8
	}
	if p.half { // both ends speak when they like
		c.collisions += (in + out) / frameSize / 200
	}
}

// copied counts copies of frames that go out of the port to which a mirror sends them.
func (p *portSim) copied(octets float64) {
	p.counters.outOctets += octets
	p.counters.outUnicast += octets / frameSize
}
