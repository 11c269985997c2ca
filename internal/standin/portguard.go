package standin

import (
	"maps"
	"slices"
	"strconv"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/wire/xmlnode"
)

// The reasons for which a device keeps a port shut by itself.
const (
	shutByFlaps    = "flap-guard"
	shutByLoop     = "loop-protection"
	shutByBridge   = "bpdu-guard"
	shutBySchedule = "schedule"
	shutByFollow   = "follow"
)

// guarded is what a device does with a port by itself.
type guarded struct {
	shut     string    // the guard that shut it, "" for none
	until    time.Time // when it is tried again, zero for never
	changes  []time.Time
	followed *timer // runs while all that it follows are down
	looped   bool   // somebody made a loop behind it: what it sends comes back
	storming bool   // what is plugged in sends broadcasts without end
	rogue    bool   // what is plugged in gives out addresses that lead nowhere
	flooding bool   // what is plugged in begins sessions without end
	mirrors  []tap  // where copies of its frames go
}

type tap struct {
	to      *portSim
	in, out bool
}

// keptShut tells what keeps a port shut that is enabled, or "".
func (w *World) keptShut(d *device, p *portSim) string {
	c := d.cfg.ports[p.spec.Name]
	switch {
	case p.guard.shut != "":
		return p.guard.shut
	case c.schedule != "" && !open(d.cfg.schedules[c.schedule], w.clock.now().In(d.cfg.zone)):
		return shutBySchedule
	}
	return ""
}

// shut has a port shut by a guard, for a time or (0) until somebody disables and enables it.
func (w *World) shut(p *portSim, by string, hold time.Duration) {
	p.guard.shut, p.guard.until, p.guard.changes = by, time.Time{}, nil
	if hold > 0 {
		until := w.clock.now().Add(hold)
		p.guard.until = until
		w.after(hold, func() {
			if p.guard.until.Equal(until) {
				p.guard.shut, p.guard.until = "", time.Time{}
				w.settle()
			}
		})
	}
}

// guardPorts lets the guards of all ports look at how things are: which links are up, in up. It reports whether one of them
// did something, so that the links must be worked out again.
func (w *World) guardPorts(up map[endpoint]bool) (acted bool) {
	for name, d := range w.devices {
		for port, p := range d.ports {
			c, at := d.cfg.ports[port], endpoint{name, port}
			if !c.enabled && p.guard.shut != "" {
				p.guard.shut, p.guard.until = "", time.Time{}
			}
			acted = w.follows(d, p, c, up) || acted
			if !up[at] {
				continue
			}
			switch {
			case p.guard.looped && c.loopGuard:
				w.shut(p, shutByLoop, d.cfg.loopRecovery)
				acted = true
			case c.bpduGuard && d.cfg.stp && (p.guard.looped || w.hearsBridge(at)):
				w.shut(p, shutByBridge, 0)
				acted = true
			}
		}
	}
	return acted
}

// hearsBridge tells whether a bridge with spanning tree is at the other end of a port's cable.
func (w *World) hearsBridge(at endpoint) bool {
	return slices.ContainsFunc(w.cablesAt[at.device], func(c *cable) bool {
		far := c.a
		if far == at {
			far = c.b
		} else if c.b != at {
			return false
		}
		return w.devices[far.device].cfg.stp
	})
}

// intruderState tells who gives out addresses behind ports where nobody should.
func (d *device) intruderState(sw *xmlnode.Node) {
	if !d.world.rogues[d.spec.Name] {
		return
	}
	x := in("ep-sw")
	for _, name := range slices.SortedFunc(maps.Keys(d.ports), network.ComparePorts) {
		p, c := d.ports[name], d.cfg.ports[name]
		if !p.guard.rogue || !p.up || c.dhcpTrust || c.untagged == 0 {
			continue
		}
		i := slices.IndexFunc(d.world.hostsAt[d.spec.Name], func(h *host) bool { return h.at.port == name })
		if i < 0 {
			continue
		}
		h, blocked := d.world.hostsAt[d.spec.Name][i], strconv.FormatBool(d.cfg.snoops[c.untagged])
		sw.Add(x.node("dhcp-intruder", x.int("vlan", c.untagged), x.leaf("port", name), x.leaf("mac", h.MAC), x.leaf("address", h.IP), x.leaf("blocked", blocked)))
	}
}

// follows lets a port follow others.
func (w *World) follows(d *device, p *portSim, c portConfig, up map[endpoint]bool) (acted bool) {
	allDown := len(c.follow) > 0 && !slices.ContainsFunc(c.follow, func(f string) bool { return up[endpoint{d.spec.Name, f}] })
	switch {
	case allDown && p.guard.shut == "" && p.guard.followed == nil:
		p.guard.followed = w.after(c.followAfter, func() {
			p.guard.followed = nil
			if p.guard.shut == "" {
				p.guard.shut = shutByFollow
				w.settle()
			}
		})
	case !allDown && p.guard.followed != nil:
		w.cancel(p.guard.followed)
		p.guard.followed = nil
	case !allDown && p.guard.shut == shutByFollow:
		p.guard.shut = ""
		return true
	}
	return false
}

// flapped counts a change of a port's link and shuts it where its guard says so.
func (w *World) flapped(d *device, p *portSim, now time.Time) bool {
	c := d.cfg.ports[p.spec.Name]
	if c.flaps == 0 {
		return false
	}
	p.guard.changes = slices.DeleteFunc(append(p.guard.changes, now), func(t time.Time) bool { return now.Sub(t) > c.flapWindow })
	if len(p.guard.changes) < c.flaps {
		return false
	}
	w.shut(p, shutByFlaps, c.flapHold)
	return true
}

// tapPorts works out where copies of frames go.
func (w *World) tapPorts() {
	for _, d := range w.devices {
		for _, p := range d.ports {
			p.guard.mirrors = nil
		}
		for _, m := range d.cfg.mirrors {
			to := d.ports[m.to]
			if to == nil || !d.cfg.ports[m.to].enabled {
				continue
			}
			for _, name := range m.sources {
				if p := d.ports[name]; p != nil {
					p.guard.mirrors = append(p.guard.mirrors, tap{to, m.in, m.out})
				}
			}
		}
	}
}

// onTime settles the world when a minute began and some port has hours.
func (w *World) onTime(now time.Time) {
	minute := now.Unix() / 60
	if minute == w.minute {
		return
	}
	w.minute = minute
	for _, d := range w.devices {
		if len(d.cfg.schedules) > 0 || d.cfg.wireless.timed {
			w.settle()
			return
		}
	}
}
