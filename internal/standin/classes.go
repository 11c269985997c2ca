package standin

import (
	"cmp"
	"slices"
	"strconv"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

// classes is what a configuration says of the eight classes of traffic.
type classes struct {
	of   map[int]int // class by DSCP, where it is not by precedence
	each [8]classConfig
}

type classConfig struct {
	strict bool
	share  float64
	most   float64 // of a port, as a fraction
}

// classCount is what was sent of a class, and what was dropped for want of room, in frames.
type classCount struct{ sent, dropped float64 }

func (c *compiled) compileClasses(tree *xmlnode.Node) {
	c.classes.of = map[int]int{}
	for i := range c.classes.each {
		c.classes.each[i] = classConfig{share: 1, most: 1}
	}
	for _, n := range tree.Child("switching").All("class") {
		i, err := strconv.Atoi(n.TextAt("number"))
		if err != nil || i < 0 || i > 7 {
			continue
		}
		one := &c.classes.each[i]
		one.strict = n.TextAt("scheduling") == "strict"
		if f, err := strconv.ParseFloat(n.TextAt("share"), 64); err == nil {
			one.share = f
		}
		if f, err := strconv.ParseFloat(n.TextAt("bandwidth"), 64); err == nil {
			one.most = f / 100
		}
		for _, d := range n.Child("code-points").All("dscp") {
			if dscp, err := strconv.Atoi(d.Text); err == nil {
				c.classes.of[dscp] = i
			}
		}
	}
}

// class is that of frames of a DSCP.
func (c classes) class(dscp int) int {
	if i, ok := c.of[dscp]; ok {
		return i
	}
	return dscp / 8
}

// marks is the DSCP that stations of a kind write into their frames.
func marks(name string) int {
	switch {
	case hasWord(name, "phone"):
		return 46 // expedited forwarding (RFC 3246)
	case hasWord(name, "camera"):
		return 34 // assured forwarding 41 (RFC 2597)
	case hasWord(name, "crane"):
		return 48
	}
	return 0
}

// dscpOf is the DSCP of a host's frames behind its port, which trusts what it says, ignores it or writes its own.
func (w *World) dscpOf(h *host) int {
	switch p := w.devices[h.at.device].cfg.ports[h.at.port]; p.dscp {
	case "", "trust":
		return marks(h.Name)
	case "ignore":
		return 0
	default:
		n, _ := strconv.Atoi(p.dscp)
		return n
	}
}

// limit is what a port sends at most.
type limit struct {
	d   *device
	bps float64
}

// usualMTU is that of a port that nobody has set, in octets.
const usualMTU = 1500

func (w *World) mtuAt(e endpoint) int {
	return cmp.Or(w.devices[e.device].cfg.ports[e.port].mtu, usualMTU)
}

// settleLimits finds the ports that send less than they could (where frames of many stations come together, those wait, and
// some are dropped), and who misleads others.
func (w *World) settleLimits() {
	w.limited, w.rogues, w.clashes = map[*portSim]limit{}, map[string]bool{}, map[*portSim]bool{}
	for _, c := range w.cables {
		for _, ends := range [][2]endpoint{{c.a, c.b}, {c.b, c.a}} {
			if w.mtuAt(ends[0]) > w.mtuAt(ends[1]) {
				w.clashes[w.at(ends[1])] = true
			}
		}
	}
	for _, d := range w.devices {
		for name, p := range d.ports {
			if p.guard.rogue {
				w.rogues[d.spec.Name] = true
			}
			if bps := d.cfg.ports[name].rateOut; bps > 0 {
				w.limited[p] = limit{d, bps}
			}
		}
	}
}

// passing is what a host sends and receives in a span of time, in octets.
type passing struct {
	h        *host
	p        *portSim
	up, down float64
}

// queue takes off what is dropped on the way up where a port sends less than comes: each class gets what its scheduling
// says.
func (w *World) queue(flows []passing, span time.Duration) {
	if len(w.limited) == 0 {
		return
	}
	asked := map[*portSim]*[8]float64{}
	through := func(f passing, do func(p *portSim, l limit, class int)) {
		dscp := w.dscpOf(f.h)
		for _, hop := range w.routeOf(f.h) {
			if l, ok := w.limited[hop.near]; ok {
				do(hop.near, l, l.d.cfg.classes.class(dscp))
			}
		}
	}
	for _, f := range flows {
		through(f, func(p *portSim, _ limit, class int) {
			if asked[p] == nil {
				asked[p] = &[8]float64{}
			}
			asked[p][class] += f.up
		})
	}
	passes := map[*portSim][8]float64{} // the fraction
	for p, want := range asked {
		l := w.limited[p]
		given := schedule(*want, l.bps/8*span.Seconds(), l.d.cfg.classes.each)
		var part [8]float64
		for i := range want {
			if part[i] = 1; want[i] > 0 {
				part[i] = given[i] / want[i]
			}
			dropped := (want[i] - given[i]) / frameSize
			p.counters.outDiscards += dropped
			l.d.classes[i].sent += given[i] / frameSize
			l.d.classes[i].dropped += dropped
		}
		passes[p] = part
	}
	for i := range flows {
		through(flows[i], func(p *portSim, _ limit, class int) { flows[i].up *= passes[p][class] })
	}
}

// schedule parts what a port sends among what the classes ask for: strict ones first, the highest before the others; what
// they leave goes by shares, and what one does not need goes to the others.
func schedule(want [8]float64, room float64, each [8]classConfig) (given [8]float64) {
	whole := room
	for i := 7; i >= 0; i-- {
		if each[i].strict {
			given[i] = min(want[i], room, whole*each[i].most)
			room -= given[i]
		}
	}
	open := []int{}
	for i := range want {
		if !each[i].strict && want[i] > 0 {
			open = append(open, i)
		}
	}
	for len(open) > 0 && room > 1e-9 {
		shares := 0.0
		for _, i := range open {
			shares += each[i].share
		}
		left := room
		for _, i := range open {
			most := min(want[i], whole*each[i].most) - given[i]
			get := min(most, room*each[i].share/shares)
			given[i] += get
			left -= get
		}
		before := len(open)
		open = slices.DeleteFunc(open, func(i int) bool { return given[i] >= min(want[i], whole*each[i].most)-1e-9 })
		if room = left; len(open) == before {
			break
		}
	}
	return given
}

func (d *device) classState(sw *xmlnode.Node) {
	x := in("ep-sw")
	for _, n := range sw.All("class") {
		if i, err := strconv.Atoi(n.TextAt("number")); err == nil && i >= 0 && i < 8 {
			n.Add(x.count("sent", d.classes[i].sent), x.count("dropped", d.classes[i].dropped))
		}
	}
}
