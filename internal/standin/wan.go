package standin

import (
	"math"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

// tunnel is an overlay tunnel between two edges.
type tunnel struct {
	TunnelSpec
	a, b    endpoint
	up      bool
	changed time.Time
	cut     bool // the underlay does not carry it

	delayMs, jitterMs, lossPct float64 // as measured last
}

func (t *tunnel) far(device string) endpoint {
	if t.a.device == device {
		return t.b
	}
	return t.a
}

func (t *tunnel) near(device string) endpoint {
	if t.a.device == device {
		return t.a
	}
	return t.b
}

// settleTunnels brings tunnels up whose ports have a link.
func (w *World) settleTunnels(now time.Time) {
	for _, t := range w.tunnels {
		if up := w.at(t.a).up && w.at(t.b).up && !t.cut; up != t.up {
			t.up, t.changed = up, now
			t.measure(w, now)
		}
	}
}

// measure makes the readings of a moment: they wander about what the underlay is like.
func (t *tunnel) measure(w *World, now time.Time) {
	n := w.noise(t.Name, now, 3*time.Minute)
	t.delayMs = t.DelayMs * (1 + 0.12*n)
	t.jitterMs = t.JitterMs * (1 + 0.4*w.noise(t.Name+"j", now, time.Minute))
	t.lossPct = math.Max(0, t.LossPct*(1+w.noise(t.Name+"l", now, 2*time.Minute)))
}

// levels of a radio link: what is received in clear air, and what rain takes (ITU-R P.838: it grows with its rate).
const clearAirDbm = -41.0

// receivedDbm is what the far end of a radio link receives now.
func (w *World) receivedDbm(device string, now time.Time) float64 {
	return clearAirDbm + 0.8*w.noise(device, now, 10*time.Minute) - w.rainDb
}

// modulation is what a level is good for: its name, and the rate in Mbit/s.
func modulation(dbm float64) (name string, mbps int) {
	switch {
	case dbm > -50:
		return "1024-QAM", 800
	case dbm > -57:
		return "256-QAM", 600
	case dbm > -63:
		return "64-QAM", 400
	case dbm > -70:
		return "QPSK", 120
	}
	return "none", 0
}

// tunnelsState tells of the overlay of an edge.
func (d *device) tunnelsState(tunnels *xmlnode.Node, _ time.Time) {
	x, w := in("ep-wan"), d.world
	for _, t := range w.tunnelsAt[d.spec.Name] {
		if !w.installed(t.far(d.spec.Name).device) {
			continue
		}
		far := w.devices[t.far(d.spec.Name).device]
		status := "DOWN"
		if t.up {
			status = "UP"
		}
		n := x.node("tunnel", x.leaf("name", t.Name), x.leaf("underlay", t.Underlay), x.leaf("interface", t.near(d.spec.Name).port),
			x.leaf("remote-system-name", far.cfg.hostname), x.leaf("remote-address", far.spec.Loopback), x.leaf("oper-status", status), x.when("last-change", t.changed))
		if t.up {
			n.Add(x.float("delay", t.delayMs, 1), x.float("jitter", t.jitterMs, 1), x.float("loss", t.lossPct, 2))
		}
		tunnels.Add(n)
	}
}

// radioLinkState tells how well the two ends of a radio link hear each other.
func (d *device) radioLinkState(link *xmlnode.Node, now time.Time) {
	if d.spec.Role != "radio-link" {
		return
	}
	x := in("ep-radio")
	dbm := d.world.receivedDbm(d.spec.Name, now)
	name, mbps := modulation(dbm)
	link.Add(x.float("received-level", dbm, 1), x.leaf("modulation", name), x.int("capacity", mbps), x.leaf("frequency", "18.305"), x.leaf("distance", "6.4"))
}
