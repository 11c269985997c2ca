package standin

import (
	"hash/fnv"
	"math"
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

// noise is a slow wave around 0 between -1 and 1 that belongs to a name: the same seed gives the same day.
func (w *World) noise(name string, at time.Time, period time.Duration) float64 {
	h := fnv.New32a()
	_, _ = h.Write([]byte(name))
	phase := float64(h.Sum32()^uint32(w.opts.Seed)) / math.MaxUint32 * 2 * math.Pi
	t := float64(at.UnixMilli()) / 1000 / period.Seconds() * 2 * math.Pi
	return 0.6*math.Sin(t+phase) + 0.3*math.Sin(2.7*t+3*phase) + 0.1*math.Sin(7.3*t+5*phase)
}

// flow lets traffic of the given time pass: what each host sends counts on its port, and on every link up to the gateway
// if its VLAN is carried that far. Power drawn wobbles a little. A damaged cable makes errors of a part of the frames.
func (w *World) flow(now time.Time, span time.Duration) {
	for _, h := range w.hosts {
		d := w.devices[h.at.device]
		p := d.ports[h.at.port]
		if p.feeding > 0 && h.DrawMilliW > 0 {
			p.feeding = h.DrawMilliW + int(float64(h.DrawMilliW)*0.03*w.noise(h.MAC, now, 40*time.Second))
		}
		if !p.up {
			continue
		}
		octets := float64(h.RateBps) / 8 * span.Seconds() * habit(h.Name, now) * (1 + 0.5*w.noise(h.MAC, now, 150*time.Second))
		p.count(octets, octets/4)
		vlan := h.joined(d.cfg)
		if vlan == 0 {
			continue
		}
		way := w.ways[vlan]
		if way == nil {
			way = w.spread(vlan)
			w.ways[vlan] = way
		}
		for at := (room{d.spec.Name, vlan}); ; {
			c := way[at]
			if c == nil {
				break
			}
			near, far := c.a, c.b
			if far.device == at.device {
				near, far = far, near
			}
			w.at(near).count(octets/4, octets)
			w.at(far).count(octets, octets/4)
			at = room{far.device, vlan}
		}
	}
	for _, t := range w.tunnels {
		t.measure(w, now)
	}
}

// frameSize is that of an average frame in octets.
const frameSize = 640

// count adds what came in and went out, in octets.
func (p *portSim) count(in, out float64) {
	p.counters["in-octets"] += in
	p.counters["out-octets"] += out
	p.counters["in-unicast-pkts"] += in / frameSize
	p.counters["out-unicast-pkts"] += out / frameSize
	p.counters["in-broadcast-pkts"] += in / frameSize / 90
	p.counters["in-multicast-pkts"] += in / frameSize / 40
	p.counters["out-multicast-pkts"] += out / frameSize / 60
	if p.damage > 0 {
		p.counters["in-fcs-errors"] += in / frameSize * p.damage
		p.counters["in-errors"] += in / frameSize * p.damage
	}
}
