package standin

import (
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

// settle makes everything true that follows from cables, power and configuration: which devices have power, which ports
// have a link, what power is delivered, which devices can be reached. It is called with the lock held after any change.
func (w *World) settle() {
	now := time.Now()
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
	reached, _ := w.spread(0)
	for name, d := range w.devices {
		d.gate.set(reached[name] && d.powered && !d.hung)
	}
}

// settlePower switches devices that are fed over a cable on and off with what feeds them. One that gets power again
// boots for a while.
func (w *World) settlePower(now time.Time) {
	for range w.devices { // one round for each device that may hang on another
		for _, d := range w.devices {
			has := !d.powerCut && w.fed(d)
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
	for _, c := range w.cables {
		if (c.a == at || c.b == at) && c.cut {
			return false
		}
	}
	return feeder.powered && port(feeder.running, at.port).poe()
}

// links tells which ports have a link.
func (w *World) links() map[endpoint]bool {
	up := map[endpoint]bool{}
	ready := func(e endpoint) bool {
		d := w.devices[e.device]
		return d.powered && !d.booting && port(d.running, e.port).enabled()
	}
	for _, c := range w.cables {
		if !c.cut && ready(c.a) && ready(c.b) {
			up[c.a], up[c.b] = true, true
		}
	}
	for name, d := range w.devices {
		for _, p := range d.spec.Ports { // a radio is up whether or not anybody listens
			if at := (endpoint{name, p.Name}); strings.HasPrefix(p.Name, "radio") && ready(at) {
				up[at] = true
			}
		}
	}
	for _, h := range w.hosts {
		if !h.cut && ready(h.at) && (h.DrawMilliW == 0 || port(w.devices[h.at.device].running, h.at.port).poe()) {
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
		if p := d.ports[at.port]; p.spec.PoE && d.powered && !cut && milliW > 0 && port(d.running, at.port).poe() {
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
	for _, c := range w.cables {
		if (c.a == at || c.b == at) && c.cut {
			return true
		}
	}
	return false
}

// room is a VLAN inside a device.
type room struct {
	device string
	vlan   int
}

// spread follows a VLAN from the entries through the cables: a tagged frame keeps its VLAN, an untagged one takes the one
// of the port where it comes in. It returns the devices whose own address is met, and for every room the cable by which
// it was entered. VLAN 0 stands for the management VLAN of the entry.
func (w *World) spread(vlan int) (reached map[string]bool, by map[room]*cable) {
	reached, by = map[string]bool{}, map[room]*cable{}
	var queue []room
	enter := func(r room, c *cable) {
		if _, seen := by[r]; seen || !w.knows(r) {
			return
		}
		by[r] = c
		queue = append(queue, r)
		if managementVLAN(w.devices[r.device].running) == r.vlan {
			reached[r.device] = true
		}
	}
	for _, e := range w.entries {
		v := vlan
		if v == 0 {
			reached[e] = true
			v = managementVLAN(w.devices[e].running)
		}
		enter(room{e, v}, nil)
	}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		for _, c := range w.cables {
			near, far := c.a, c.b
			if far.device == at.device {
				near, far = far, near
			}
			if near.device != at.device || !w.devices[near.device].ports[near.port].up {
				continue
			}
			out, in := port(w.devices[near.device].running, near.port), port(w.devices[far.device].running, far.port)
			switch {
			case out.untagged() == strconv.Itoa(at.vlan):
				if v, err := strconv.Atoi(in.untagged()); err == nil {
					enter(room{far.device, v}, c)
				}
			case out.tagged(at.vlan) && in.tagged(at.vlan):
				enter(room{far.device, at.vlan}, c)
			}
		}
	}
	return reached, by
}

func (w *World) knows(r room) bool {
	id := strconv.Itoa(r.vlan)
	for _, v := range w.devices[r.device].running.Find("network-instances/network-instance").Child("vlans").All("vlan") {
		if v.TextAt("vlan-id") == id {
			return v.TextAt("config/status") != "SUSPENDED"
		}
	}
	return false
}

// managementVLAN is the VLAN in which the device has its own address, 0 for none.
func managementVLAN(tree *xmlnode.Node) int {
	for _, i := range tree.Child("interfaces").All("interface") {
		if i.TextAt("config/description") == "management" || i.TextAt("routed-vlan/config/vlan") != "" {
			if i.TextAt("config/enabled") == "false" {
				return 0
			}
			v, _ := strconv.Atoi(i.TextAt("routed-vlan/config/vlan"))
			return v
		}
	}
	return 0
}

// flow lets traffic of the given time pass: what each host sends counts on its port, and on every link up to the entry
// if its VLAN is carried that far. Power drawn wobbles a little.
func (w *World) flow(now time.Time, span time.Duration) {
	ways := map[int]map[room]*cable{}
	second := float64(now.UnixNano()) / 1e9
	for i, h := range w.hosts {
		d := w.devices[h.at.device]
		p := d.ports[h.at.port]
		if p.feeding > 0 && h.DrawMilliW > 0 {
			p.feeding = h.DrawMilliW + int(float64(h.DrawMilliW)*0.03*math.Sin(second/7+float64(i)))
		}
		if !p.up {
			continue
		}
		octets := uint64(float64(h.RateBps) / 8 * span.Seconds() * (1 + 0.4*math.Sin(second/23+float64(i*i))))
		p.count(octets, octets/4)
		vlan, err := strconv.Atoi(port(d.running, h.at.port).untagged())
		if err != nil {
			continue
		}
		if ways[vlan] == nil {
			_, ways[vlan] = w.spread(vlan)
		}
		for at := (room{d.spec.Name, vlan}); ; {
			c := ways[vlan][at]
			if c == nil {
				break
			}
			near, far := c.a, c.b
			if far.device == at.device {
				near, far = far, near
			}
			w.devices[near.device].ports[near.port].count(octets/4, octets)
			w.devices[far.device].ports[far.port].count(octets, octets/4)
			at = room{far.device, vlan}
		}
	}
}

func (p *portSim) count(in, out uint64) {
	p.counters["in-octets"] += in
	p.counters["out-octets"] += out
}

func (d *device) boot(now time.Time, takes time.Duration) {
	d.booted, d.booting = now, true
	if d.listener != nil {
		d.listener.setDown(true)
	}
	d.world.after(takes, func() {
		d.booting = false
		d.booted = time.Now()
		d.listener.setDown(!d.powered)
		d.world.settle()
	})
}

// loseMemory is what a loss of power does: what was not saved is gone.
func (d *device) loseMemory() {
	if d.pending != nil {
		d.world.cancel(d.pending.timer)
		d.running, d.pending = d.pending.previous, nil
	}
	d.candidate = d.running.Clone()
	d.log = nil
	for _, p := range d.ports {
		p.counters = map[string]uint64{}
	}
	if d.listener != nil {
		d.listener.setDown(true)
	}
}
