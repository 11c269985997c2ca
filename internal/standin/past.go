package standin

import (
	"cmp"
	"context"
	"math"
	"slices"
	"strings"
	"time"
)

// Past is what was counted and measured of a thing while the world lived through a time before it started. Parts and
// metrics have the names of the service's HTTP interface: that is where somebody who moves to it hands over such points.
type Past struct {
	Device, Part, Name, Metric string
	From                       time.Time
	Step                       time.Duration
	Mean, Max                  []float32 // NaN: not known
}

// PastEvent is something that happened to a port in that time.
type PastEvent struct {
	At           time.Time
	Device, Port string
	Up           bool
}

// PastOutage is a time in which a device did not answer, to somebody who asked at every step.
type PastOutage struct {
	Device     string
	Begin, End time.Time
	// NoPower tells that it was dead itself, and not for want of power from another. Else Link is the port, as device:port, from which a cable to it
	// was lost, and To the other end of that; "" where the way to it was lost farther off.
	NoPower  bool
	Link, To string
}

// Chronicle is what a network management would have written down.
type Chronicle struct {
	Points  []Past
	Events  []PastEvent
	Outages []PastOutage // that are over, in the order in which they began
}

const (
	fineStep, coarseStep = 5 * time.Minute, time.Hour
	// fineFor is how much of the past is lived and told in fine steps; before that steps are so many times as long.
	fineFor = 2 * 24 * time.Hour
	thin    = 3
)

// chronicle writes down what a world counts and measures, step by step.
type chronicle struct {
	world  *World
	begin  time.Time
	step   int // the number of the fine step that is written down, from 0
	fine   int // from which on it is told in fine steps
	things map[any]*thing
	links  map[*portSim]bool
	events []PastEvent
	lost   map[string]PastOutage // by device: those that do not answer
	over   []PastOutage
}

// thing is what is written down of one thing.
type thing struct {
	chronicle          *chronicle
	device, part, name string
	lines              []*line
}

// line is one series of it.
type line struct {
	metric      string
	hours, fine []float32
	peaks       []float32 // of the hours
	known       int       // values of the hour so far
	before      float64   // of what is counted
	next        int       // the step that is written down next
}

// LiveThrough lets the world live through days up to a time, and returns what a network management of that time would have
// written down.
func (w *World) LiveThrough(ctx context.Context, days int, to time.Time, script []Happening) (Chronicle, error) {
	to = to.Truncate(coarseStep)
	begin := to.Truncate(24 * time.Hour).Add(-time.Duration(days) * 24 * time.Hour) // at midnight, so that a script can tell the time of day
	all := to.Sub(begin)
	c := &chronicle{world: w, begin: begin, fine: int((all - min(fineFor, all)) / fineStep), things: map[any]*thing{}, links: map[*portSim]bool{}, lost: map[string]PastOutage{}}
	if err := w.Live(ctx, c.begin, to, c.stride, script, c.note); err != nil {
		return Chronicle{}, err
	}
	var out []Past
	for _, t := range c.things {
		for _, l := range t.lines {
			l.skipTo(c.step+1, c.fine)
			p := Past{Device: t.device, Part: t.part, Name: t.name, Metric: l.metric}
			hours, fine := p, p
			hours.From, hours.Step, hours.Mean, hours.Max = c.begin, coarseStep, l.hours, l.peaks
			fine.From, fine.Step, fine.Mean, fine.Max = c.begin.Add(time.Duration(c.fine)*fineStep), fineStep, l.fine, l.fine
			for _, p := range []Past{hours, fine} {
				if len(p.Mean) > 0 {
					out = append(out, p)
				}
			}
		}
	}
	slices.SortFunc(c.over, func(a, b PastOutage) int { return cmp.Or(a.Begin.Compare(b.Begin), cmp.Compare(a.Device, b.Device)) })
	return Chronicle{out, c.events, c.over}, nil
}

// stride is how long the next step is.
func (c *chronicle) stride(at time.Time) time.Duration {
	if left := c.begin.Add(time.Duration(c.fine) * fineStep).Sub(at); left > 0 {
		return min(thin*fineStep, left)
	}
	return fineStep
}

// of finds what is written down of a thing by a key of its own.
func (c *chronicle) of(key any, device, part, name string) *thing {
	t := c.things[key]
	if t == nil {
		t = &thing{chronicle: c, device: device, part: part, name: name}
		c.things[key] = t
	}
	return t
}

type partKey struct {
	of   any
	part string
}

// note writes down the step that ends now.
func (c *chronicle) note(now time.Time) {
	w := c.world
	w.mu.Lock()
	defer w.mu.Unlock()
	c.step = int(now.Sub(c.begin)/fineStep) - 1
	c.noteOutages(now)
	for name, d := range w.devices {
		if !d.crated && d.powered && !d.booting && w.reached[name] {
			c.noteDevice(d, now)
		}
	}
}

// noteOutages writes down which devices do not answer any more, or again.
func (c *chronicle) noteOutages(now time.Time) {
	w := c.world
	for name, d := range w.devices {
		lost, was := c.lost[name]
		switch answers := d.crated || w.reached[name] && d.powered && !d.booting; {
		case answers && was:
			lost.End = now
			c.over = append(c.over, lost)
			delete(c.lost, name)
		case !answers && !was:
			lost = PastOutage{Device: name, Begin: now, NoPower: d.powerCut || d.booting}
			if !lost.NoPower && d.powered {
				lost.Link, lost.To = w.lostWay(name)
			}
			c.lost[name] = lost
		}
	}
}

// lostWay finds a cable to a device from one that is reached, which carries nothing now.
func (w *World) lostWay(device string) (from, to string) {
	for _, c := range w.cables {
		for _, ends := range [][2]endpoint{{c.a, c.b}, {c.b, c.a}} {
			if ends[1].device == device && w.reached[ends[0].device] && !w.devices[ends[0].device].ports[ends[0].port].up {
				return ends[0].device + ":" + ends[0].port, device + ":" + ends[1].port
			}
		}
	}
	return "", ""
}

func (c *chronicle) noteDevice(d *device, now time.Time) {
	w, name := c.world, d.spec.Name
	for port, p := range d.ports {
		c.notePort(d, port, p, now)
	}
	own := c.of(d, name, "device", "")
	own.put("cpu", d.load(now))
	used, total := d.memory(now)
	own.put("memory", 100*used/total)
	own.put("temperature", d.heat(now))
	if d.spec.Role != "access-point" {
		own.put("power_draw", d.watts())
	}
	if d.spec.BudgetMilliW > 0 {
		own.put("poe_draw", d.watts()-38)
	}
	switch d.spec.Role {
	case "firewall":
		own.put("sessions", d.sessionsOnce(now))
	case "radio-link":
		c.noteAir(d, now)
	case "switch", "access-point":
		own.put("clients", float64(w.clientsAt(d)))
	}
	for _, t := range w.tunnelsAt[name] {
		if !w.installed(t.far(name).device) {
			continue
		}
		end := c.of(partKey{t, name}, name, "tunnel", t.names[t.end(name)])
		if !t.up {
			end.put("up", 0)
			continue
		}
		end.put("up", 1)
		end.put("delay", t.delayMs)
		end.put("jitter", t.jitterMs)
		end.put("loss", t.lossPct)
	}
}

// noteAir takes down how the ends of radio links heard each other, and how many seconds were bad.
func (c *chronicle) noteAir(d *device, now time.Time) {
	d.countAir(now)
	for port := range d.cfg.carriers {
		dBm, h := c.world.receivedDbm(endpoint{d.spec.Name, port}, now)
		link := c.of(partKey{d, "radio-link"}, d.spec.Name, "radio-link", "")
		if h.found {
			link.put("received", dBm)
		}
		link.put("capacity", float64(mbps(h.mode, d.cfg.carriers[port].width)))
		if a := d.ports[port].air; a != nil {
			link.count("es", 100*float64(a.es))
			link.count("ses", 100*float64(a.ses))
			link.count("uas", 100*float64(a.uas))
		}
	}
}

// clientsAt is how many end stations are plugged into a device or joined it.
func (w *World) clientsAt(d *device) int {
	n := 0
	for _, h := range w.hostsAt[d.spec.Name] {
		if d.ports[h.at.port].up {
			n++
		}
	}
	return n
}

func (c *chronicle) notePort(d *device, name string, p *portSim, now time.Time) {
	if was, known := c.links[p]; known && was != p.up {
		c.events = append(c.events, PastEvent{p.changed, d.spec.Name, name, p.up})
	}
	c.links[p] = p.up
	t := p.counters
	if t.inOctets+t.outOctets == 0 && p.feeding == 0 {
		return
	}
	port := c.of(p, d.spec.Name, "port", name)
	port.put("up", map[bool]float64{true: 1}[p.up])
	if p.spec.PoE {
		port.put("poe", float64(p.feeding)/1000)
	}
	port.count("rx", t.inOctets*8)
	port.count("tx", t.outOctets*8)
	port.count("rx_unicast", t.inUnicast)
	port.count("tx_unicast", t.outUnicast)
	if t.inErrors > 0 {
		port.count("rx_errors", t.inErrors)
		port.count("rx_fcs_errors", t.inFCS)
	}
	if id, ok := strings.CutPrefix(name, "radio"); ok {
		busy, noise := d.air(name, now)
		radio := c.of(partKey{p, "radio"}, d.spec.Name, "radio", id)
		radio.put("busy", float64(busy))
		radio.put("noise", float64(noise))
		radio.put("clients", float64(d.joined(name)))
	}
	if p.spec.Cage && p.spec.Description != "" {
		rx, tx := d.light(p, now)
		module := c.of(partKey{p, "module"}, d.spec.Name, "module", name)
		module.put("received", rx)
		module.put("sent", tx)
	}
}

func (t *thing) line(metric string) *line {
	for _, l := range t.lines {
		if l.metric == metric {
			return l
		}
	}
	l := &line{metric: metric}
	t.lines = append(t.lines, l)
	return l
}

// count writes down the rate of something that is counted.
func (t *thing) count(metric string, total float64) {
	l := t.line(metric)
	rate := math.NaN()
	if total >= l.before { // else it was counted anew
		steps := 1
		if t.chronicle.step < t.chronicle.fine {
			steps = thin
		}
		rate = (total - l.before) / float64(steps) / fineStep.Seconds()
	}
	l.before = total
	t.put(metric, rate)
}

// put writes down a value of this step.
func (t *thing) put(metric string, v float64) {
	l := t.line(metric)
	l.skipTo(t.chronicle.step, t.chronicle.fine)
	l.add(float32(v), t.chronicle.fine)
}

// skipTo leaves out the steps before one: then nothing was known.
func (l *line) skipTo(step, fine int) {
	for l.next < step {
		l.add(float32(math.NaN()), fine)
	}
}

// add puts the value of the next step to the series: of the hours it makes means and peaks.
func (l *line) add(v float32, fine int) {
	n := l.next
	l.next++
	if n >= fine {
		l.fine = append(l.fine, v)
		return
	}
	if n%int(coarseStep/fineStep) == 0 {
		l.hours, l.peaks, l.known = append(l.hours, float32(math.NaN())), append(l.peaks, float32(math.NaN())), 0
	}
	if v != v { // not known
		return
	}
	i := len(l.hours) - 1
	if l.known++; l.known == 1 {
		l.hours[i], l.peaks[i] = v, v
		return
	}
	l.hours[i] += (v - l.hours[i]) / float32(l.known)
	l.peaks[i] = max(l.peaks[i], v)
}
