package standin

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// Fault is something that can be thrown at a world, by name.
type Fault string

// The faults. A target is a device, or a port as device:port for cut, mend, damage, loop, storm, rogue-dhcp, flap,
// sleep and tinker.
const (
	Cut            Fault = "cut"             // cut the cable at a port
	Mend           Fault = "mend"            // mend it
	Reboot         Fault = "reboot"          // restart a device from its saved configuration
	Hang           Fault = "hang"            // a device stops answering and keeps its connections
	PowerLoss      Fault = "power-loss"      // a device loses power
	RefuseValidate Fault = "refuse-validate" // a device finds fault with every change
	RefuseCommit   Fault = "refuse-commit"   // a device finds a change good and then does not run it
	DieInCommit    Fault = "die-in-commit"   // a device restarts in the middle of the next commit
	NewHostKey     Fault = "new-host-key"    // a device shows another key from now on
	Slow           Fault = "slow"            // a device takes its time for every answer
	Damage         Fault = "damage"          // the cable at a port spoils a part of the frames
	Loop           Fault = "loop"            // what is plugged into a port sends back all that it hears
	Storm          Fault = "storm"           // what is plugged into a port sends broadcasts without end
	Flap           Fault = "flap"            // the cable at a port comes and goes, six times in six seconds
	Rain           Fault = "rain"            // heavy rain on a radio link
	Downpour       Fault = "downpour"        // so much rain that a radio link is lost
	Overheat       Fault = "overheat"        // a device gets hot
	DeadSupply     Fault = "dead-supply"     // the last power supply of a device fails
	Tinker         Fault = "tinker"          // somebody at the device puts a port into another VLAN, and says so in its description
	Contact        Fault = "contact"         // the contact at an input of a device (device:1) opens, or closes again
	RogueDHCP      Fault = "rogue-dhcp"      // what is plugged into a port gives out addresses that lead nowhere
	Flood          Fault = "flood"           // what is plugged into a port begins thousands of sessions a second
	Break          Fault = "break"           // a device breaks for good; a new one of its model waits, in its crate, to take its place
	Sleep          Fault = "sleep"           // what is plugged into a port falls asleep, until a wake-up frame comes
	Unpack         Fault = "unpack"          // take a device out of its crate: it asks what it is to be, and calls home
	BrownOut       Fault = "brown-out"       // the provider behind a port of an edge (device:port) is overloaded: it is slow, and loses packets
	Recover        Fault = "recover"         // ends every other fault of a device
)

// slowness is how long a slow device takes for every answer.
const slowness = 150 * time.Millisecond

// Faults lists what Throw knows.
func Faults() []Fault {
	return []Fault{Cut, Mend, Reboot, Hang, PowerLoss, RefuseValidate, RefuseCommit, DieInCommit, NewHostKey, Slow, Damage, Loop, Storm, Flap, Rain, Downpour, Overheat, DeadSupply, Contact, RogueDHCP, Flood, Tinker, Sleep, Break, Unpack, BrownOut, Recover}
}

// Throw throws a fault at a target.
func (w *World) Throw(f Fault, target string) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	if f == Cut || f == Mend {
		return w.setCut(target, f == Cut)
	}
	if f == Contact {
		return w.flipContact(target)
	}
	if at, err := w.endpoint(target); slices.Contains(onPort, f) {
		if err != nil {
			return err
		}
		return w.throwAt(f, target, at)
	}
	d := w.devices[target]
	if d == nil {
		return fmt.Errorf("there is no device %q in this world", target)
	}
	switch f {
	case Reboot:
		d.loseMemory()
		d.boot(w.clock.now(), 2*time.Second)
	case Hang:
		d.hung = true
	case PowerLoss:
		d.powerCut = true
	case RefuseValidate, RefuseCommit, DieInCommit:
		d.refuse[f] = true
	case NewHostKey:
		if err := d.newHostKey(w.clock.now().String()); err != nil {
			return err
		}
		d.listener.setDown(true)
		d.listener.setDown(false)
	case Rain:
		if d.spec.Role != "radio-link" {
			return fmt.Errorf("%s is no radio link", target)
		}
		w.rainDb = 19
	case Downpour:
		if d.spec.Role != "radio-link" {
			return fmt.Errorf("%s is no radio link", target)
		}
		w.rainDb = 42
	case Overheat:
		d.hot = true
	case DeadSupply:
		if d.spec.Supplies < 2 {
			return fmt.Errorf("%s has one power supply: use power-loss", target)
		}
		d.deadSupplies[fmt.Sprintf("psu%d", d.spec.Supplies)] = true
	case Break:
		if err := d.breakForGood(); err != nil {
			return err
		}
	case Unpack:
		if err := d.unpack(w.clock.now()); err != nil {
			return err
		}
	case Slow:
		d.slow = slowness
	case Recover:
		d.hung, d.powerCut, d.hot, d.slow = false, false, false, 0
		clear(d.deadSupplies)
		for _, p := range d.ports {
			p.brown = false
		}
		clear(d.refuse)
		if d.spec.Role == "radio-link" {
			w.rainDb = 0
		}
	default:
		return fmt.Errorf("there is no fault %q", f)
	}
	w.settle()
	return nil
}

// onPort are the faults of what hangs on a port.
var onPort = []Fault{Damage, Loop, Storm, Flap, RogueDHCP, Flood, Sleep, Tinker, BrownOut}

func (w *World) throwAt(f Fault, target string, at endpoint) error {
	switch p := w.at(at); f {
	case Damage:
		p.damage = 0.02
	case Loop:
		p.guard.looped = true
	case Sleep:
		for _, h := range w.hostsAt[at.device] {
			h.asleep = h.asleep || h.at == at
		}
	case BrownOut:
		if !isWide(at.port) {
			return fmt.Errorf("no provider is behind %s", target)
		}
		p.brown = true
	case RogueDHCP:
		p.guard.rogue = true
	case Flood:
		p.guard.flooding = true
	case Storm:
		p.guard.storming = true
	case Flap:
		if err := w.setCut(target, true); err != nil {
			return err
		}
		for i := range 11 {
			w.after(time.Duration(i+1)*500*time.Millisecond, func() { _ = w.setCut(target, i%2 == 1) })
		}
	case Tinker:
		return w.tinker(at)
	}
	w.settle()
	return nil
}

// tinkerer is who changes devices on the spot.
const tinkerer = "night-shift"

// tinker moves an access port to VLAN 20, or away from it to the next that the device knows, and describes any port anew.
func (w *World) tinker(at endpoint) error {
	d, ns := w.devices[at.device], namespaces
	port := xmlnode.New(ns["oc-if"], "interface", xmlnode.Leaf(ns["oc-if"], "name", at.port),
		xmlnode.New(ns["oc-if"], "config", xmlnode.Leaf(ns["oc-if"], "description", "tried at night")))
	if p := d.cfg.ports[at.port]; p.untagged != 0 && len(p.tagged) == 0 {
		to := 20
		if p.untagged == to {
			to = slices.Min(append(slices.DeleteFunc(slices.Collect(maps.Keys(d.cfg.vlans)), func(v int) bool { return v <= to }), 4094))
		}
		port.Add(xmlnode.New(ns["oc-eth"], "ethernet", xmlnode.New(ns["oc-vlan"], "switched-vlan",
			xmlnode.New(ns["oc-vlan"], "config", xmlnode.Leaf(ns["oc-vlan"], "access-vlan", strconv.Itoa(to))))))
	}
	if err := w.edit(d, tinkerer, []*xmlnode.Node{xmlnode.New(ns["oc-if"], "interfaces", port)}); err != nil {
		return err
	}
	d.save()
	return nil
}

func (w *World) setCut(target string, cut bool) error {
	at, err := w.endpoint(target)
	if err != nil {
		return err
	}
	if !cut {
		w.at(at).brown = false
		g := &w.at(at).guard
		g.looped, g.storming, g.rogue, g.flooding = false, false, false, false
	}
	for _, c := range w.cables {
		if c.a == at || c.b == at {
			c.cut = cut
			if !cut {
				w.at(c.a).damage, w.at(c.b).damage = 0, 0
			}
			w.settle()
			return nil
		}
	}
	for _, h := range w.hosts {
		if h.at == at {
			h.cut = cut
			if !cut {
				w.at(h.at).damage = 0
			}
			w.settle()
			return nil
		}
	}
	if !cut {
		w.settle()
		return nil
	}
	return fmt.Errorf("no cable is plugged into %s", target)
}

// Order is a fault as it comes over the control interface.
type Order struct {
	Fault  Fault  `json:"fault"`
	Target string `json:"target"`
}

// Edit has somebody at a device change what it runs, without anybody asking the service: the content of an edit-config, which
// is merged. What does not follow from the model is refused.
func (w *World) Edit(device, who string, content []*xmlnode.Node) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	d := w.devices[device]
	if d == nil {
		return fmt.Errorf("there is no device %q in this world", device)
	}
	return w.edit(d, who, content)
}

func (w *World) edit(d *device, who string, content []*xmlnode.Node) error {
	tree, err := edit(d.running, xmlnode.New(netconf.BaseNS, "config", content...), netconf.EditMerge)
	if err != nil {
		return err
	}
	if err := validate(tree); err != nil {
		return err
	}
	d.run(tree, &netconf.ServerSession{User: who})
	return nil
}

// Reached lists the devices that the management reaches.
func (w *World) Reached() []string {
	w.mu.Lock()
	defer w.mu.Unlock()
	var out []string
	for name := range w.devices {
		if w.reached[name] && w.installed(name) {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

// Control returns the control interface: POST / with an Order as JSON. It is for the people and tests that run the world,
// on loopback; the service does not know of it. A request must come with the content type of JSON, so that no page in a
// browser can send one.
func (w *World) Control() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("POST /{$}", func(rw http.ResponseWriter, r *http.Request) {
		var o Order
		err := errors.New("send an order as application/json")
		if strings.HasPrefix(r.Header.Get("Content-Type"), "application/json") {
			err = json.NewDecoder(http.MaxBytesReader(rw, r.Body, 4096)).Decode(&o)
		}
		if err == nil && !slices.Contains(Faults(), o.Fault) {
			err = fmt.Errorf("there is no fault %q: there are %v", o.Fault, Faults())
		}
		if err == nil {
			err = w.Throw(o.Fault, o.Target)
		}
		if err != nil {
			http.Error(rw, err.Error(), http.StatusBadRequest)
			return
		}
		if serial := w.Crated()[o.Target]; o.Fault == Break {
			_, _ = fmt.Fprintf(rw, "%s is broken. The new one, serial number %s, is in its crate: claim it, then unpack %s.\n", o.Target, serial, o.Target)
			return
		}
		rw.WriteHeader(http.StatusNoContent)
	})
	return mux
}
