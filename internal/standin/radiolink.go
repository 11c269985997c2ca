package standin

import (
	"fmt"
	"hash/fnv"
	"math"
	"strconv"
	"time"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// CarrierSpec is how an end of a radio link was first told to send and hear.
type CarrierSpec struct {
	TxKHz, RxKHz int
	PowerDbm     float64
}

// carrier is how an end of a radio link is told to send and hear.
type carrier struct {
	sends           bool
	tx, rx, width   int // kHz
	horizontal      bool
	automatic       bool
	power           float64 // dBm
	upper           float64 // of automatic power: what the other end needs at most
	lowest, highest int     // among the modulations
}

// heard is what an end of a radio link receives.
type heard struct {
	sent  float64 // dBm, by the other end
	level float64 // dBm
	found bool    // whether there is anything to be heard
	mode  int     // among the modulations; -1: nothing can be read
}

// What the path between the ends is like, and the hardware.
const (
	pathKm       = 6.4
	antennaGain  = 37.4 // dBi, of each end
	leastKHz     = 17_700_000
	mostKHz      = 19_700_000 // ITU-R F.595
	comfortable  = -40.0      // dBm that automatic power aims at when it is not told
	crossedDb    = 30         // what a wave of the other plane loses
	leastPower   = -6.0       // dBm that automatic power goes down to
	noiseFigure  = 6.0
	codingGap    = 6.0 // dB from what the channel could carry
	bitsPerHertz = 0.73
	longestCount = 40 * 24 * time.Hour
)

// modes are the modulations, the lowest first, with the bits of a symbol.
var modes = []struct {
	name string
	bits float64
}{{"qpsk", 2}, {"qam-16", 4}, {"qam-64", 6}, {"qam-256", 8}, {"qam-1024", 10}}

// needs is the level that a modulation takes in a channel of so many kHz.
func needs(mode, width int) float64 {
	return -174 + 10*math.Log10(float64(width)*1000) + noiseFigure + 10*math.Log10(math.Pow(2, modes[mode].bits)-1) + codingGap
}

func modeNamed(name string, otherwise int) int {
	for i, m := range modes {
		if m.name == name {
			return i
		}
	}
	return otherwise
}

func (c *compiled) compileCarriers(tree *xmlnode.Node) {
	for _, n := range tree.Child("radio-link").All("carrier-termination") {
		at := func(name string, otherwise float64) float64 {
			if f, err := strconv.ParseFloat(n.TextAt(name), 64); err == nil {
				return f
			}
			return otherwise
		}
		if c.carriers == nil {
			c.carriers = map[string]carrier{}
		}
		c.carriers[n.TextAt("name")] = carrier{sends: n.TextAt("tx-enabled") != "false", tx: int(at("tx-frequency", 0)), rx: int(at("rx-frequency", 0)), width: int(at("channel-separation", 0)),
			horizontal: n.TextAt("polarization") == "horizontal", automatic: n.TextAt("power-mode") == "atpc", power: at("maximum-nominal-power", 0), upper: at("atpc-upper-threshold", comfortable),
			lowest: modeNamed(n.TextAt("selected-min-acm"), 0), highest: modeNamed(n.TextAt("selected-max-acm"), len(modes)-1)}
	}
}

func carrierNodes(ports []PortSpec) *xmlnode.Node {
	x := in("ep-radio")
	out := x.node("radio-link")
	for _, p := range ports {
		if c := p.Carrier; c != nil {
			out.Add(x.node("carrier-termination", x.leaf("name", p.Name), x.int("tx-frequency", c.TxKHz), x.int("rx-frequency", c.RxKHz), x.leaf("channel-separation", "110000"), x.float("maximum-nominal-power", c.PowerDbm, 1)))
		}
	}
	return out
}

// withCarriers puts how an end sends and hears into a saved configuration that is older than that.
func withCarriers(tree *xmlnode.Node, spec DeviceSpec) *xmlnode.Node {
	if fresh := carrierNodes(spec.Ports); len(fresh.Children) > 0 && tree.Child("radio-link") == nil {
		tree.Add(fresh)
	}
	return tree
}

// validateCarriers checks what the hardware can do.
func validateCarriers(tree *xmlnode.Node, fault func(tag, path, format string, args ...any)) {
	for _, n := range tree.Child("radio-link").All("carrier-termination") {
		path := "/radio-link/carrier-termination[name='" + n.TextAt("name") + "']"
		at := func(name string) int { v, _ := strconv.Atoi(n.TextAt(name)); return v }
		level := func(s string) float64 { f, _ := strconv.ParseFloat(s, 64); return f }
		for _, name := range []string{"tx-frequency", "rx-frequency"} {
			if f := at(name); f < leastKHz || f > mostKHz {
				fault(netconf.TagInvalidValue, path+"/"+name, "%s: %d kHz is not between %d and %d kHz, where this radio sends", name, f, leastKHz, mostKHz)
			}
		}
		if w := at("channel-separation"); w != 13_750 && w != 27_500 && w != 55_000 && w != 110_000 {
			fault(netconf.TagInvalidValue, path+"/channel-separation", "channel-separation: this radio has channels of 13750, 27500, 55000 and 110000 kHz, not of %d", w)
		}
		if gap := at("tx-frequency") - at("rx-frequency"); max(gap, -gap) < 2*at("channel-separation") {
			fault(netconf.TagInvalidValue, path+"/rx-frequency", "rx-frequency: the radio would hear itself: it takes two channels between what it sends and what it hears")
		}
		if low, high := n.TextAt("atpc-lower-threshold"), n.TextAt("atpc-upper-threshold"); low != "" && high != "" && level(low) > level(high) {
			fault(netconf.TagInvalidValue, path+"/atpc-lower-threshold", "atpc-lower-threshold: it is above atpc-upper-threshold")
		}
		if modeNamed(n.TextAt("selected-min-acm"), 0) > modeNamed(n.TextAt("selected-max-acm"), len(modes)-1) {
			fault(netconf.TagInvalidValue, path+"/selected-min-acm", "selected-min-acm: the lowest modulation is above the highest")
		}
	}
}

// farAir is the other end of the radio link at a port, "" where there is none.
func (w *World) farAir(e endpoint) (endpoint, bool) {
	if _, is := w.devices[e.device].cfg.carriers[e.port]; !is {
		return endpoint{}, false
	}
	for _, c := range w.cablesAt[e.device] {
		far := c.a
		if c.a == e {
			far = c.b
		} else if c.b != e {
			continue
		}
		_, is := w.devices[far.device].cfg.carriers[far.port]
		return far, is && !c.cut
	}
	return endpoint{}, false
}

// air is what is lost on the path in clear air (ITU-R P.525), with the gain of both antennas.
func air(kHz int) float64 {
	return 2*antennaGain - (32.4 + 20*math.Log10(float64(kHz)/1000) + 20*math.Log10(pathKm))
}

// transmits is with how much an end sends, in dBm, and whether it does.
func (w *World) transmits(e endpoint) (dBm float64, on bool) {
	d, c := w.devices[e.device], w.devices[e.device].cfg.carriers[e.port]
	p := d.ports[e.port]
	if !d.powered || d.booting || !d.cfg.ports[e.port].enabled || !c.sends || p.bounced || w.keptShut(d, p) != "" {
		return 0, false
	}
	dBm = c.power
	if c.automatic {
		dBm = min(c.power, max(leastPower, c.upper-air(c.tx)+w.rainDb))
	}
	return dBm, true
}

// hears is what an end receives now.
func (w *World) hears(e endpoint) (h heard) {
	h.mode = -1
	far, is := w.farAir(e)
	if !is {
		return h
	}
	own, other := w.devices[e.device].cfg.carriers[e.port], w.devices[far.device].cfg.carriers[far.port]
	sent, on := w.transmits(far)
	if !on || other.tx != own.rx {
		return h
	}
	h.sent, h.found = sent, true
	h.level = sent + air(other.tx) - w.rainDb
	if own.horizontal != other.horizontal {
		h.level -= crossedDb
	}
	if own.width != other.width {
		return h
	}
	lowest, highest := max(own.lowest, other.lowest), min(own.highest, other.highest)
	for m := lowest; m <= highest; m++ {
		if h.level >= needs(m, own.width) {
			h.mode = m
		}
	}
	return h
}

// airUp tells whether the ends of a radio link hear each other. Of other cables it is always so.
func (w *World) airUp(c *cable) bool {
	if _, is := w.devices[c.a.device].cfg.carriers[c.a.port]; !is {
		return true
	}
	return w.hears(c.a).mode >= 0 && w.hears(c.b).mode >= 0
}

// mbps is what a modulation carries.
func mbps(mode, width int) int {
	if mode < 0 {
		return 0
	}
	return int(modes[mode].bits * float64(width) / 1000 * bitsPerHertz)
}

// badSeconds counts seconds (ITU-T G.828): one in which the link was lost is severely errored; ten of these in a row are unavailable, with all that follow, until
// there are ten in a row that are not.
type badSeconds struct {
	total, es, ses, uas, bbe uint64
	unavailable              bool
	run, runES               uint64 // in a row that may yet be told otherwise
}

func (b *badSeconds) feed(errored, severely bool) {
	b.total++
	if b.unavailable {
		if severely {
			b.uas += b.run + 1
			b.run, b.runES = 0, 0
			return
		}
		b.run++
		if errored {
			b.runES++
		}
		if b.run == 10 {
			b.es, b.bbe = b.es+b.runES, b.bbe+b.runES
			b.unavailable, b.run, b.runES = false, 0, 0
		}
		return
	}
	if severely {
		if b.run++; b.run == 10 {
			b.uas += b.run
			b.unavailable, b.run = true, 0
		}
		return
	}
	b.es, b.ses, b.run = b.es+b.run, b.ses+b.run, 0
	if errored {
		b.es++
		b.bbe++
	}
}

// airCount is what an end of a radio link counts.
type airCount struct {
	badSeconds
	until    time.Time
	since    heard // what was heard from then on
	low, top float64
	known    bool
}

// countAir counts the seconds up to now by what was heard since the last time, and takes note of what is heard from now on.
func (w *World) countAir(now time.Time) {
	for _, d := range w.devices {
		if len(d.cfg.carriers) > 0 {
			d.countAir(now)
		}
	}
}

func (d *device) countAir(now time.Time) {
	for port, c := range d.cfg.carriers {
		p := d.ports[port]
		if p == nil {
			continue
		}
		if p.air == nil {
			p.air = &airCount{until: now}
		}
		a := p.air
		if now.Sub(a.until) > longestCount {
			a.until = now.Add(-longestCount)
		}
		lost := a.since.mode < 0 || !a.known
		margin := a.since.level - needs(max(a.since.mode, 0), max(c.width, 1))
		for ; !a.until.Add(time.Second).After(now); a.until = a.until.Add(time.Second) {
			a.feed(lost || hit(d.spec.Name, a.until, margin), lost)
		}
		is := d.world.hears(endpoint{d.spec.Name, port})
		if a.known && is.mode != a.since.mode && is.mode >= 0 && a.since.mode >= 0 && a.until.Before(now) { // a change of modulation costs a second
			a.feed(true, false)
			a.until = a.until.Add(time.Second)
		}
		if is.found {
			if !a.known || is.level < a.low {
				a.low = is.level
			}
			if !a.known || is.level > a.top {
				a.top = is.level
			}
		}
		a.since, a.known = is, true
	}
}

// hit tells whether a second has errors, with so many dB left to what the modulation needs: the fewer, the more often.
func hit(name string, at time.Time, margin float64) bool {
	if margin > 9 {
		return false // once in weeks
	}
	f := fnv.New32a()
	_, _ = f.Write([]byte(name + strconv.FormatInt(at.Unix(), 10)))
	return float64(f.Sum32())/math.MaxUint32 < 0.02*math.Pow(10, -margin/2)
}

// receivedDbm is what an end of a radio link receives now, with what wanders; 0 where it hears nothing.
func (w *World) receivedDbm(e endpoint, now time.Time) (dBm float64, h heard) {
	if h = w.hears(e); !h.found {
		return 0, h
	}
	return h.level + 0.8*w.noise(e.device, now, 10*time.Minute), h
}

// radioLinkState tells how well the two ends of a radio link hear each other.
func (d *device) radioLinkState(link *xmlnode.Node, now time.Time) {
	x := in("ep-radio")
	d.countAir(now)
	for _, n := range link.All("carrier-termination") {
		at := endpoint{d.spec.Name, n.TextAt("name")}
		c, p := d.cfg.carriers[at.port], d.ports[at.port]
		if p == nil || p.air == nil {
			continue
		}
		sent, on := d.world.transmits(at)
		s := x.node("state", x.leaf("tx-oper-status", map[bool]string{true: "on", false: "off"}[on]))
		if on {
			s.Add(x.float("actual-transmitted-level", sent, 1))
		}
		dBm, h := d.world.receivedDbm(at, now)
		if h.found {
			s.Add(x.float("actual-received-level", dBm, 1))
		}
		if h.mode >= 0 {
			s.Add(x.leaf("actual-rx-cm", modes[h.mode].name), x.float("far-transmit-power", h.sent, 1))
		}
		b := p.air.badSeconds
		s.Add(x.int("capacity", mbps(h.mode, c.width)), x.float("distance", pathKm, 1), x.float("antenna-gain", antennaGain, 1), x.float("far-antenna-gain", antennaGain, 1),
			x.int("lowest-frequency", leastKHz), x.int("highest-frequency", mostKHz),
			x.node("error-performance-statistics", x.leaf("seconds", fmt.Sprint(b.total)), x.leaf("bbe", fmt.Sprint(b.bbe)), x.leaf("es", fmt.Sprint(b.es)), x.leaf("ses", fmt.Sprint(b.ses)), x.leaf("uas", fmt.Sprint(b.uas))),
			x.node("power-performance-statistics", x.float("min-rltm", p.air.low, 1), x.float("max-rltm", p.air.top, 1)))
		n.Add(s)
	}
}
