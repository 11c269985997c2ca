package standin

import (
	"cmp"
	"fmt"
	"strconv"
	"time"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// atPorts does what takes no more than a word to ports: clears their counters, opens them, has them blink, sends frames round in them.
func (d *device) atPorts(t *task, ports []*portSim, span time.Duration, said bool) {
	switch t.kind {
	case "clear-counters":
		d.once(t, func() {
			for _, p := range ports {
				p.counters = tally{}
				d.say(t, "port", p.spec.Name, "step", "counts from nought")
			}
		})
	case "reopen":
		d.once(t, func() {
			for _, p := range ports {
				was := p.guard.shut
				p.guard.shut, p.guard.until = "", time.Time{}
				d.world.settle()
				switch {
				case was == "" || was == shutByFollow:
					d.say(t, "port", p.spec.Name, "step", "no guard had shut it")
				case p.guard.shut != "":
					d.say(t, "port", p.spec.Name, "step", "its "+p.guard.shut+" shut it again at once")
				default:
					d.say(t, "port", p.spec.Name, "step", "is open again, after its "+was)
				}
			}
		})
	case "locate":
		if !said {
			span = time.Minute
		}
		d.blink(t, ports, span)
	case "loopback":
		if !said {
			span = 10 * time.Second
		}
		d.loopBack(t, ports[0], span)
	}
}

// once does something soon, and that was it.
func (d *device) once(t *task, act func()) {
	t.timer = d.world.after(20*time.Millisecond, func() {
		act()
		d.end(t, "done", "")
	})
}

// blink has lights blink for a time.
func (d *device) blink(t *task, ports []*portSim, span time.Duration) {
	say := func(step string) {
		if len(ports) == 0 {
			d.say(t, "step", step)
		}
		for _, p := range ports {
			d.say(t, "port", p.spec.Name, "step", step)
		}
	}
	d.blinking++
	t.undo = func() { d.blinking-- }
	t.timer = d.world.after(20*time.Millisecond, func() {
		say("blinks for " + span.String())
		t.timer = d.world.after(span, func() {
			say("blinks no more")
			d.end(t, "done", "")
		})
	})
}

// Blinks tells whether a light of a device blinks.
func (w *World) Blinks(device string) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.devices[device].blinking > 0
}

// loopBack takes a port from its cable and sends frames round inside it, a line each second.
func (d *device) loopBack(t *task, p *portSim, span time.Duration) {
	p.bounced = true
	d.world.settle()
	t.undo = func() {
		p.bounced = false
		d.world.settle()
	}
	d.each(t, max(int(span/time.Second), 1), time.Second, func(int) bool {
		frames := strconv.Itoa(p.spec.SpeedMbps * 1_000_000 / 8 / (frameSize + 20)) // 20 octets stand between frames
		d.say(t, "port", p.spec.Name, "sent", frames, "back", frames)
		return true
	})
}

// carries is what tunnels over an underlay carry, in Mbit/s.
var carries = map[string]float64{"fibre": 940, "cellular": 48, "satellite": 22, "wifi": 180}

// throughput sends to another device for some seconds, a line each second.
func (d *device) throughput(t *task, how *xmlnode.Node) error {
	to, err := d.target(how)
	if err != nil {
		return err
	}
	if to.device == nil || to.host != nil || to.room.device == "" || to.device == d {
		return netconf.NewRPCError(netconf.TagInvalidValue, "", "%s is no other device that answers such a test", how.TextAt("to"))
	}
	over, err := d.tunnelNamed(how.TextAt("over"), to.device)
	if err != nil {
		return err
	}
	n, _ := strconv.Atoi(cmp.Or(how.TextAt("for"), "5"))
	most, _ := strconv.ParseFloat(how.TextAt("most"), 64)
	d.each(t, n, time.Second, func(i int) bool {
		second := strconv.Itoa(i + 1)
		points, fault := d.wayTo(to)
		now := d.world.clock.now()
		room := d.roomTo(to.device, now)
		if over != nil {
			points, fault, room = []wayPoint{{to.name, to.ip, over.delayMs, over.jitterMs, over.lossPct}}, "", 0.949*cmp.Or(carries[over.Underlay], 100)
			if !over.up {
				fault = "the tunnel is down"
			}
		}
		if fault != "" {
			d.say(t, "second", second, "fault", fault)
			return true
		}
		loss := 0.0
		for _, p := range points {
			loss += p.lossPct
		}
		rate := room
		if most > 0 {
			rate = min(rate, most)
		} else {
			loss += 0.4 * (1 + d.world.noise(t.kind+second, now, time.Second)) // what fills a link overflows its queue now and then
		}
		ms, _ := d.world.roundTrip(points, now)
		d.say(t, "second", second, "rate", fmt.Sprintf("%.1f", rate*(1-loss/100)), "delay", fmt.Sprintf("%.3f", ms+2*rate/room), "loss", fmt.Sprintf("%.2f", min(loss, 100)))
		return true
	})
	return nil
}

// roomTo is what goes through to another device, in Mbit/s: of the slowest thing on the way, less what goes there already.
func (d *device) roomTo(to *device, now time.Time) float64 {
	room := min(d.fastest(), to.fastest())
	if d.spec.SiteNet != to.spec.SiteNet {
		if gateway := d.world.gatewayAmong(d, d.world.around(roomOf(d))); gateway != nil {
			_, tunnels := d.world.overlay(gateway, to.spec.SiteNet)
			for _, one := range tunnels {
				room = min(room, cmp.Or(carries[one.Underlay], 100))
			}
		}
	}
	busy := 0.06 * (1 + d.world.noise(d.spec.Name+to.spec.Name, now, 40*time.Second))
	return 0.949 * room * (1 - busy) // 0.949: what frames of 1,518 octets leave to what they carry (RFC 2544)
}

// fastest is the speed of the fastest port with a link to another device.
func (d *device) fastest() (mbps float64) {
	for _, c := range d.world.cablesAt[d.spec.Name] {
		if own := d.world.at(c.a); c.a.device == d.spec.Name && own.up {
			mbps = max(mbps, float64(d.world.negotiated(c)))
		}
		if own := d.world.at(c.b); c.b.device == d.spec.Name && own.up {
			mbps = max(mbps, float64(d.world.negotiated(c)))
		}
	}
	return mbps
}

func roomOf(d *device) room { return room{d.spec.Name, d.cfg.management} }

// wake sends a wake-up frame into a VLAN.
func (d *device) wake(t *task, how *xmlnode.Node) error {
	mac := how.TextAt("mac")
	vlan, _ := strconv.Atoi(how.TextAt("vlan"))
	if vlan == 0 {
		for _, h := range d.world.hostsAt[d.spec.Name] {
			if h.MAC == mac {
				vlan = h.joined(d.cfg)
			}
		}
	}
	switch {
	case vlan == 0:
		return netconf.NewRPCError(netconf.TagInvalidValue, "", "it does not know where %s is: name the VLAN", mac)
	case !d.cfg.vlans[vlan]:
		return netconf.NewRPCError(netconf.TagInvalidValue, "", "VLAN %d is not here", vlan)
	}
	d.once(t, func() {
		d.say(t, "step", fmt.Sprintf("sent to all stations of VLAN %d", vlan))
		reached := d.world.around(room{d.spec.Name, vlan})
		for _, h := range d.world.hosts {
			at := room{h.at.device, h.joined(d.world.devices[h.at.device].cfg)}
			if _, there := reached[at]; h.MAC == mac && h.asleep && h.port.up && (there || at == (room{d.spec.Name, vlan})) {
				h.asleep = false
			}
		}
	})
	return nil
}
