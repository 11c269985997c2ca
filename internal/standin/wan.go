package standin

import (
	"math"
	"time"
)

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
