package standin

import (
	"math"
	"time"
)

// oneWay is what a tunnel is like in one direction.
type oneWay struct{ delayMs, jitterMs, lossPct float64 }

// measure makes the readings of a moment: they wander about what the underlay is like.
func (t *tunnel) measure(w *World, now time.Time) {
	n := w.noise(t.Name, now, 3*time.Minute)
	t.delayMs = t.DelayMs * (1 + 0.12*n)
	t.jitterMs = t.JitterMs * (1 + 0.4*w.noise(t.Name+"j", now, time.Minute))
	t.lossPct = math.Max(0, t.LossPct*(1+w.noise(t.Name+"l", now, 2*time.Minute)))
	to := 0.3 + 0.4*float64(hashOf(t.Name)%100)/100 // of the way there and back, as far as it goes from the first end to the second
	t.ways = [2]oneWay{{t.delayMs * to, t.jitterMs * (0.5 + to/2), t.lossPct * to}, {t.delayMs * (1 - to), t.jitterMs * (1 - to/2), t.lossPct * (1 - to)}}
	for i, end := range []endpoint{t.b, t.a} { // a provider is short of room towards who is behind it
		if w.at(end).brown {
			t.ways[i].delayMs, t.ways[i].jitterMs, t.ways[i].lossPct = t.ways[i].delayMs+180+20*n, t.ways[i].jitterMs+25, t.ways[i].lossPct+8
		}
	}
	if w.at(t.a).brown || w.at(t.b).brown { // the provider is overloaded: queues are full
		t.delayMs, t.jitterMs, t.lossPct = t.delayMs+180+20*n, t.jitterMs+25, t.lossPct+8
	}
}
