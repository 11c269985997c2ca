package standin

import (
	"math"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

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

// radioLinkState tells how well the two ends of a radio link hear each other.
func (d *device) radioLinkState(link *xmlnode.Node, now time.Time) {
	if d.spec.Role != "radio-link" {
		return
	}
	x := in("ep-radio")
	dbm := d.world.receivedDbm(d.spec.Name, now)
	name, mbps := modulation(dbm)
	link.Add(x.float("received-level", dbm, 1), x.leaf("modulation", name), x.int("capacity", mbps), x.leaf("frequency", "18.305"), x.leaf("distance", "6.4"),
		x.leaf("far-transmit-power", "18.0"), x.leaf("antenna-gain", "37.4"), x.leaf("far-antenna-gain", "37.4"))
}

// measure makes the readings of a moment: they wander about what the underlay is like.
func (t *tunnel) measure(w *World, now time.Time) {
	n := w.noise(t.Name, now, 3*time.Minute)
	t.delayMs = t.DelayMs * (1 + 0.12*n)
	t.jitterMs = t.JitterMs * (1 + 0.4*w.noise(t.Name+"j", now, time.Minute))
	t.lossPct = math.Max(0, t.LossPct*(1+w.noise(t.Name+"l", now, 2*time.Minute)))
	if w.at(t.a).brown || w.at(t.b).brown { // the provider is overloaded: queues are full
		t.delayMs, t.jitterMs, t.lossPct = t.delayMs+180+20*n, t.jitterMs+25, t.lossPct+8
	}
}
