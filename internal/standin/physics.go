package standin

import (
	"cmp"
	"slices"
	"time"
)

// settle makes everything true that follows from cables, power and configuration: which devices have power, which ports
// have a link, what power is delivered, which devices can be reached. It is called with the lock held after any change.
func (w *World) settle() {
	now := w.clock.now()
	w.tellTime(now)
	w.settlePower(now)
	w.settleLinks(now)
	w.countAir(now)
	w.gatherBridges()
	w.settlePoE()
	w.tree = w.spanTree()
	w.ways = map[int]rooms{}
	w.apart = nil
	for _, h := range w.hosts {
		h.routed = false
	}
	w.settleRings()
	w.settleTunnels(now)
	w.settleRouters(now)
	w.giveOut()
	w.settleLimits()
	w.reached = w.managed()
	w.tapPorts()
	for name, d := range w.devices {
		// The workshop in which devices are unpacked lets them reach out before they are anything.
		bare := d.spec.Crated && d.cfg.callHome == ""
		d.settleAddress()
		d.settleAsking()
		d.gate.set((w.reached[name] || bare) && d.powered && !d.hung && !d.lost)
		if off := d.cfg.off[serviceNetconf] || !d.letsManage(); d.listener != nil && off != d.mute {
			d.mute = off
			d.listener.setDown(off || !d.powered || d.booting)
		}
	}
}

// settleLinks works out which ports have a link, and lets the ports' guards act on it until all is quiet.
func (w *World) settleLinks(now time.Time) {
	up := w.links()
	for range 8 { // a guard may bring another to act: a port that follows one that was shut
		if !w.guardPorts(up) {
			break
		}
		up = w.links()
	}
	again := false
	for _, name := range w.names {
		d := w.devices[name]
		for _, spec := range d.spec.Ports {
			p := d.ports[spec.Name]
			p.half = d.cfg.ports[spec.Name].duplex == "HALF"
			if is := up[endpoint{name, spec.Name}]; is != p.up {
				p.up, p.changed = is, now
				d.portChanged(now, p)
				d.listens(p, now)
				again = w.flapped(d, p, now) || again
			}
		}
	}
	if again {
		w.settleLinks(now)
	}
}

// settlePower switches devices that are fed over a cable on and off with what feeds them. One that gets power again
// boots for a while.
func (w *World) settlePower(now time.Time) {
	for range w.devices { // one round for each device that may hang on another
		acted := false
		grants := map[string]map[string]bool{}
		for _, d := range w.devices {
			has := !d.powerCut && !d.crated && w.fed(d, grants)
			if has == d.powered {
				continue
			}
			acted = true
			if d.powered = has; !has {
				d.loseMemory()
				continue
			}
			d.boot(now, time.Duration(d.spec.BootSeconds)*time.Second)
		}
		if !acted {
			return
		}
	}
}

// fed tells whether a device has power; grants are what feeders give, as far as it was worked out.
func (w *World) fed(d *device, grants map[string]map[string]bool) bool {
	if d.spec.FedBy == "" {
		return true
	}
	at, err := w.endpoint(d.spec.FedBy)
	if err != nil {
		return false
	}
	if grants[at.device] == nil {
		grants[at.device] = w.granted(w.devices[at.device])
	}
	return grants[at.device][at.port]
}

// demand is what asks for power at a port.
type demand struct {
	port          string
	milliW, class int
	priority      int
}

// demands lists what asks a device for power.
func (w *World) demands(d *device) []demand {
	var out []demand
	ask := func(port string, milliW, class int, cut bool) {
		p, c := d.ports[port], d.cfg.ports[port]
		if !p.spec.PoE || p.starved || cut || milliW == 0 || !c.poe || c.classLimit != 0 && class > c.classLimit || d.booting && !c.throughReboot {
			return
		}
		out = append(out, demand{port, milliW, class, c.priority})
	}
	for _, h := range w.hostsAt[d.spec.Name] {
		if h.SSID == "" {
			ask(h.at.port, h.DrawMilliW, h.Class, h.cut)
		}
	}
	for _, name := range w.fedFrom[d.spec.Name] {
		other := w.devices[name]
		at, _ := w.endpoint(other.spec.FedBy)
		ask(at.port, other.spec.DrawMilliW, 4, w.cutAt(at) || other.crated)
	}
	return out
}

// granted tells at which ports a device feeds what asks for it: those of the highest priority first, then in the order of
// its ports, as far as the budget goes.
func (w *World) granted(d *device) map[string]bool {
	out := map[string]bool{}
	if !d.powered {
		return out
	}
	all := w.demands(d)
	order := map[string]int{}
	for i, p := range d.spec.Ports {
		order[p.Name] = i
	}
	slices.SortFunc(all, func(a, b demand) int { return cmp.Or(a.priority-b.priority, order[a.port]-order[b.port]) })
	left := d.budget()
	for _, ask := range all {
		if ask.milliW <= left {
			left -= ask.milliW
			out[ask.port] = true
		}
	}
	return out
}

// budget is what a device can feed with the power supplies that work.
func (d *device) budget() int {
	supplies := max(d.spec.Supplies, 1)
	return d.spec.BudgetMilliW * (supplies - len(d.deadSupplies)) / supplies
}

// links tells which ports have a link.
func (w *World) links() map[endpoint]bool {
	up := map[endpoint]bool{}
	ready := func(e endpoint) bool {
		d := w.devices[e.device]
		c := d.cfg.ports[e.port]
		return d.powered && !d.booting && c.enabled && !d.ports[e.port].bounced && w.keptShut(d, d.ports[e.port]) == "" && c.plugged(d.ports[e.port].spec)
	}
	for _, c := range w.cables {
		if !c.cut && ready(c.a) && ready(c.b) && w.negotiated(c) > 0 && w.airUp(c) {
			up[c.a], up[c.b] = true, true
		}
	}
	for name, d := range w.devices {
		for _, p := range d.spec.Ports { // the radio of an access point is up whether or not anybody listens
			if at := (endpoint{name, p.Name}); d.spec.Role == "access-point" && isRadio(p.Name) && ready(at) {
				up[at] = true
			}
		}
	}
	grants := map[string]map[string]bool{}
	for _, h := range w.hosts {
		if h.SSID != "" || h.cut || !ready(h.at) {
			continue
		}
		if h.DrawMilliW > 0 {
			if grants[h.at.device] == nil {
				grants[h.at.device] = w.granted(w.devices[h.at.device])
			}
			if !grants[h.at.device][h.at.port] {
				continue
			}
		}
		d := w.devices[h.at.device]
		if c := d.cfg.ports[h.at.port]; c.fixedMbps <= d.ports[h.at.port].spec.SpeedMbps {
			up[h.at] = true
		}
	}
	for name, d := range w.devices {
		for port, p := range d.ports {
			if at := (endpoint{name, port}); p.guard.looped && ready(at) {
				up[at] = true
			}
		}
	}
	return up
}

// plugged tells whether a port listens on the connector in which its cable is.
func (p portConfig) plugged(spec PortSpec) bool { return !spec.Combo || p.connector != "fibre" }

// negotiated is the speed at which the ends of a cable come together in Mbit/s, 0 when they do not.
func (w *World) negotiated(c *cable) int {
	speed := func(e endpoint) (fixed, most int) {
		d := w.devices[e.device]
		return d.cfg.ports[e.port].fixedMbps, d.ports[e.port].spec.SpeedMbps
	}
	fixedA, mostA := speed(c.a)
	fixedB, mostB := speed(c.b)
	switch most := min(mostA, mostB); {
	case fixedA > 0 && fixedB > 0 && fixedA != fixedB, max(fixedA, fixedB) > most:
		return 0
	case max(fixedA, fixedB) > 0:
		return max(fixedA, fixedB)
	default:
		return most
	}
}

// settlePoE gives each port what hangs on it asks for.
func (w *World) settlePoE() {
	for _, d := range w.devices {
		for _, p := range d.ports {
			p.feeding, p.class = 0, 0
		}
		granted := w.granted(d)
		for _, ask := range w.demands(d) {
			if granted[ask.port] {
				d.ports[ask.port].feeding, d.ports[ask.port].class = ask.milliW, ask.class
			}
		}
	}
}

func (w *World) cutAt(at endpoint) bool {
	for _, c := range w.cablesAt[at.device] {
		if (c.a == at || c.b == at) && c.cut {
			return true
		}
	}
	return false
}

func (d *device) boot(now time.Time, takes time.Duration) {
	d.booted, d.booting, d.judged, d.translates, d.blocked, d.found, d.admitted = now, true, nil, nil, nil, nil, nil
	d.flooded, d.overridden, d.halfOpen = nil, nil, 0
	d.steered, d.moves, d.moved = nil, nil, 0
	d.setDown(true)
	d.world.after(takes, func() {
		d.booting = false
		d.booted = d.world.clock.now()
		d.setDown(!d.powered)
		d.world.settle()
	})
}

// setDown has everything that listens on the device drop its connections and refuse new ones, or take them again.
func (d *device) setDown(down bool) {
	for _, l := range []*gatedListener{d.listener, d.page} {
		if l != nil {
			l.setDown(down)
		}
	}
}

// loseMemory is what a loss of power does: what was not saved is gone.
func (d *device) loseMemory() {
	if d.pending != nil {
		d.world.cancel(d.pending.timer)
		previous := d.pending.previous
		d.pending = nil
		d.setRunning(previous)
	}
	d.candidate = d.running.Clone()
	d.log = nil
	for _, t := range d.tasks {
		d.world.cancel(t.timer)
	}
	d.tasks = nil
	d.inbox.empty()
	for _, p := range d.ports {
		p.counters, p.bounced, p.starved, p.air = tally{}, false, false, nil
	}
	d.setDown(true)
}
