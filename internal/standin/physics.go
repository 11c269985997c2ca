package standin

import (
	"maps"
	"slices"
	"strings"
	"time"
)

// settle makes everything true that follows from cables, power and configuration: which devices have power, which ports
// have a link, what power is delivered, which devices can be reached. It is called with the lock held after any change.
func (w *World) settle() {
	now := w.clock.now()
	w.settlePower(now)
	up := w.links()
	for _, name := range slices.Sorted(maps.Keys(w.devices)) {
		d := w.devices[name]
		for _, spec := range d.spec.Ports {
			p := d.ports[spec.Name]
			if is := up[endpoint{name, spec.Name}]; is != p.up {
				p.up, p.changed = is, now
				d.portChanged(now, p)
			}
		}
	}
	w.settlePoE()
	w.settleTunnels(now)
	w.tree = w.spanTree()
	w.ways = map[int]map[room]*cable{}
	for _, h := range w.hosts {
		h.routed = false
	}
	w.reached = w.managed()
	for name, d := range w.devices {
		// The workshop in which devices are unpacked lets them reach out before they are anything.
		bare := d.spec.Crated && d.cfg.callHome == ""
		d.gate.set((w.reached[name] || bare) && d.powered && !d.hung)
		if off := d.cfg.off[serviceNetconf]; d.listener != nil && off != d.mute {
			d.mute = off
			d.listener.setDown(off || !d.powered || d.booting)
		}
	}
}

// settlePower switches devices that are fed over a cable on and off with what feeds them. One that gets power again
// boots for a while.
func (w *World) settlePower(now time.Time) {
	for range w.devices { // one round for each device that may hang on another
		for _, d := range w.devices {
			has := !d.powerCut && !d.crated && w.fed(d)
			if has == d.powered {
				continue
			}
			d.powered = has
			if !has {
				d.loseMemory()
				continue
			}
			d.boot(now, time.Duration(d.spec.BootSeconds)*time.Second)
		}
	}
}

func (w *World) fed(d *device) bool {
	if d.spec.FedBy == "" {
		return true
	}
	at, err := w.endpoint(d.spec.FedBy)
	if err != nil {
		return false
	}
	feeder := w.devices[at.device]
	if w.cutAt(at) {
		return false
	}
	return feeder.powered && feeder.cfg.ports[at.port].poe
}

// links tells which ports have a link.
func (w *World) links() map[endpoint]bool {
	up := map[endpoint]bool{}
	ready := func(e endpoint) bool {
		d := w.devices[e.device]
		return d.powered && !d.booting && d.cfg.ports[e.port].enabled
	}
	for _, c := range w.cables {
		if !c.cut && ready(c.a) && ready(c.b) {
			up[c.a], up[c.b] = true, true
		}
	}
	for name, d := range w.devices {
		for _, p := range d.spec.Ports { // the radio of an access point is up whether or not anybody listens
			if at := (endpoint{name, p.Name}); d.spec.Role == "access-point" && strings.HasPrefix(p.Name, "radio") && ready(at) {
				up[at] = true
			}
		}
	}
	for _, h := range w.hosts {
		if h.SSID == "" && !h.cut && ready(h.at) && (h.DrawMilliW == 0 || w.devices[h.at.device].cfg.ports[h.at.port].poe) {
			up[h.at] = true
		}
	}
	return up
}

// settlePoE gives each port what hangs on it asks for.
func (w *World) settlePoE() {
	for _, d := range w.devices {
		for _, p := range d.ports {
			p.feeding, p.class = 0, 0
		}
	}
	feed := func(at endpoint, milliW, class int, cut bool) {
		d := w.devices[at.device]
		if p := d.ports[at.port]; p.spec.PoE && d.powered && !cut && milliW > 0 && d.cfg.ports[at.port].poe {
			p.feeding, p.class = milliW, class
		}
	}
	for _, h := range w.hosts {
		feed(h.at, h.DrawMilliW, h.Class, h.cut)
	}
	for _, d := range w.devices {
		if at, err := w.endpoint(d.spec.FedBy); d.spec.FedBy != "" && err == nil {
			feed(at, d.spec.DrawMilliW, 4, w.cutAt(at))
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
	d.booted, d.booting = now, true
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
	for _, p := range d.ports {
		p.counters = tally{}
	}
	d.setDown(true)
}
