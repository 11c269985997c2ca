package standin

import (
	"math"
	"time"
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
