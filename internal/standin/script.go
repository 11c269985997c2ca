package standin

import (
	"context"
	"time"
)

// Happening is a fault of a script, and what of it passes.
type Happening struct {
	After  time.Duration // since the world began to play
	Fault  Fault
	Target string
}

// LanternDay is what happens by itself in the company within the first minutes: a camera's cable gathers errors, a vessel
// loses its shore Wi-Fi and goes on over the satellite, rain comes over the radio link and passes, a power supply fails.
func LanternDay() []Happening {
	return []Happening{
		{3 * time.Minute, Damage, "th-sw-04:1/1/13"},
		{5 * time.Minute, Cut, "fu-edge-01:wan2"},
		{7 * time.Minute, Rain, "th-rl-01"},
		{10 * time.Minute, DeadSupply, "hh-core-02"},
		{12 * time.Minute, Recover, "th-rl-01"},
		{16 * time.Minute, Mend, "fu-edge-01:wan2"},
	}
}

// Play lets a script happen, until ctx ends. What cannot happen, because somebody was quicker, does not.
func (w *World) Play(ctx context.Context, script []Happening) {
	begun := time.Now()
	w.wg.Go(func() {
		for _, h := range script {
			select {
			case <-time.After(time.Until(begun.Add(h.After))):
				_ = w.Throw(h.Fault, h.Target)
			case <-ctx.Done():
				return
			case <-w.done:
				return
			}
		}
	})
}
