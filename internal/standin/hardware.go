package standin

import (
	"fmt"
	"strconv"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

const platformTypes = "http://openconfig.net/yang/platform-types"

// component makes one component of the platform with its state.
func component(name, kind string, state ...*xmlnode.Node) *xmlnode.Node {
	x := in("oc-pf")
	return x.node("component", x.leaf("name", name), x.node("state", append([]*xmlnode.Node{x.leaf("name", name),
		x.leaf("type", "oc-platform-types:"+kind).SetAttr("xmlns", "oc-platform-types", platformTypes)}, state...)...))
}

// instant is a reading as OpenConfig writes them.
func instant(ns in, name string, value float64, digits int) *xmlnode.Node {
	return ns.node(name, ns.float("instant", value, digits))
}

func (d *device) wave(what string, now time.Time, period time.Duration) float64 {
	return d.world.noise(d.spec.Name+what, now, period)
}

// load is how busy the processor is, in percent.
func (d *device) load(now time.Time) float64 {
	return 14 + 9*d.wave("cpu", now, 50*time.Second) + 6*habit("gate", now)
}

// heat is the temperature of the chassis in degrees Celsius.
func (d *device) heat(now time.Time) float64 {
	heat := 38 + 4*d.wave("heat", now, 20*time.Minute) + d.load(now)/8
	if d.hot {
		heat += 41
	}
	return heat
}

// memory is what is used and there, in MiB.
func (d *device) memory(now time.Time) (used, total float64) {
	total = 1024
	if d.spec.Role == "firewall" || d.spec.Role == "edge" {
		total = 4096
	}
	return total * (0.41 + 0.04*d.wave("memory", now, 30*time.Minute)), total
}

// savedWatts is what a port takes less that sleeps between frames.
const savedWatts = 0.4

// watts is what the device takes with all that it feeds.
func (d *device) watts() float64 {
	watts := 38.0
	for name, p := range d.ports {
		watts += float64(p.feeding) / 1000
		if p.up && d.cfg.ports[name].energySaving { // low power idle between frames
			watts -= savedWatts
		}
	}
	return watts
}

// light is what a module receives and sends, in dBm.
func (d *device) light(p *portSim, now time.Time) (rx, tx float64) {
	rx = -5.2 + 0.4*d.wave(p.spec.Name, now, 10*time.Minute) - 60*p.damage
	if !p.up {
		rx = -40
	}
	return rx, -2.1 + 0.2*d.world.noise(p.spec.Name+d.spec.Name, now, 8*time.Minute)
}

// componentsState tells of the chassis and what is in it: processor, memory, temperatures, fans, supplies, modules.
func (d *device) componentsState(components *xmlnode.Node, now time.Time) {
	x := in("oc-pf")
	load, heat := d.load(now), d.heat(now)
	components.Add(component("chassis", "CHASSIS", x.leaf("mfg-name", d.spec.Maker), x.leaf("model-name", d.spec.Model), x.leaf("serial-no", d.spec.Serial),
		x.leaf("software-version", d.spec.Firmware), instant(x, "temperature", heat, 1)))
	cpu := component("cpu", "CPU")
	c := in("oc-cpu")
	components.Add(cpu.Add(x.node("cpu", c.node("utilization", c.node("state", c.float("instant", load, 0))))))
	const mib = 1 << 20
	used, total := d.memory(now)
	components.Add(component("memory", "STORAGE", x.node("memory", x.leaf("available", strconv.FormatInt(int64(total-used)*mib, 10)),
		x.leaf("utilized", strconv.FormatInt(int64(used)*mib, 10)))))
	if d.spec.Role == "access-point" {
		return
	}
	for i := range 2 {
		f := in("oc-fan")
		name := fmt.Sprintf("fan%d", i+1)
		components.Add(component(name, "FAN", x.leaf("oper-status", "oc-platform-types:ACTIVE").SetAttr("xmlns", "oc-platform-types", platformTypes)).
			Add(x.node("fan", f.node("state", f.int("speed", int(3200+60*heat+80*d.wave(name, now, time.Minute)))))))
	}
	for i := range max(1, d.spec.Supplies) {
		name := fmt.Sprintf("psu%d", i+1)
		status := "ACTIVE"
		watts := d.watts()
		if d.deadSupplies[name] {
			status, watts = "INACTIVE", 0
		} else if alive := max(1, d.spec.Supplies) - len(d.deadSupplies); alive > 0 {
			watts /= float64(alive)
		}
		u := in("oc-psu")
		components.Add(component(name, "POWER_SUPPLY", x.leaf("oper-status", "oc-platform-types:"+status).SetAttr("xmlns", "oc-platform-types", platformTypes)).
			Add(x.node("power-supply", u.node("state", u.leaf("enabled", strconv.FormatBool(status == "ACTIVE")), u.float("output-power", watts, 1)))))
	}
	d.modules(components, now)
}

// modules tells of the transceivers in cages that are in use, with what they send and receive in dBm.
func (d *device) modules(components *xmlnode.Node, now time.Time) {
	x, t := in("oc-pf"), in("oc-xcvr")
	for n, p := range d.spec.Ports {
		sim := d.ports[p.Name]
		if !p.Cage || p.Description == "" {
			continue
		}
		rx, tx := d.light(sim, now)
		channel := t.node("channel", t.leaf("index", "0"), t.node("state", t.leaf("index", "0"), instant(t, "output-power", tx, 2),
			instant(t, "input-power", rx, 2), instant(t, "laser-bias-current", 34.5+d.world.noise(p.Name, now, 9*time.Minute), 2)))
		thresholds := t.node("thresholds", t.node("threshold", t.leaf("severity", "WARNING"), t.node("state", t.leaf("severity", "WARNING"),
			t.float("input-power-lower", -12, 1), t.float("input-power-upper", 1, 1), t.float("output-power-lower", -8, 1), t.float("output-power-upper", 1, 1), t.float("module-temperature-upper", 70, 1))))
		form := "SFP_PLUS"
		if p.SpeedMbps >= 100_000 {
			form = "QSFP28"
		}
		components.Add(component("module "+p.Name, "TRANSCEIVER", x.leaf("serial-no", fmt.Sprintf("LM%06d", (n*7919+d.index*104_729)%1_000_000)), x.leaf("mfg-name", "Lampholm"),
			x.leaf("model-name", map[bool]string{true: "LM-100-LR", false: "LM-10-SR"}[p.SpeedMbps >= 100_000]), instant(x, "temperature", 36+2*d.world.noise(p.Name+"t", now, 7*time.Minute), 1)).
			Add(t.node("transceiver", t.node("state", t.leaf("form-factor", "oc-opt-types:"+form).SetAttr("xmlns", "oc-opt-types", "http://openconfig.net/yang/transport-types")),
				thresholds, t.node("physical-channels", channel))))
	}
}
