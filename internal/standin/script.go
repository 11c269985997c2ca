package standin

import (
	"cmp"
	"context"
	"slices"
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

// LanternMonth is what happened in the company in so many days before: rain over the radio link every few days, a vessel
// that sails beyond its shore Wi-Fi, a fibre that a digger cut, a camera's cable that was replaced, a switch that lost its
// power one night, a cable that was loose last night.
func LanternMonth(days int) []Happening {
	at := func(day, hour float64) time.Duration { return time.Duration((day*24 + hour) * float64(time.Hour)) }
	var out []Happening
	add := func(day, hour, hours float64, begin, end Fault, target string) {
		if day+(hour+hours)/24 < float64(days)-0.2 {
			out = append(out, Happening{at(day, hour), begin, target}, Happening{at(day, hour+hours), end, target})
		}
	}
	for day := 1.0; day < float64(days); day += 4 {
		add(day, 14.2, 1.5, Rain, Recover, "th-rl-01")
	}
	for day := 3.0; day < float64(days); day += 9 {
		add(day, 17.6, 0.2, Downpour, Recover, "th-rl-01")
	}
	for day := 0.0; day < float64(days); day++ {
		vessel := []string{"fu", "gu", "rz", "tu"}[int(day)%4]
		add(day, 8.1, 5.3, Cut, Mend, vessel+"-edge-01:wan2")
	}
	if days > 1 { // late last night; the cable has its link again by itself
		night := float64(days) - 1
		out = append(out, Happening{at(night, 22.9), BrownOut, "th-edge-01:wan1"}, Happening{at(night, 23.7), Mend, "th-edge-01:wan1"},
			Happening{at(night, 22.2), Cut, "gs-sw-01:1/1/25"}, Happening{at(night, 23.6), Mend, "gs-sw-01:1/1/25"})
	}
	add(6, 10.4, 1.2, Cut, Mend, "ol-edge-01:wan1")
	add(11, 9, 30, Damage, Mend, "th-sw-04:1/1/13")
	add(17, 2.3, 0.6, PowerLoss, Recover, "ng-sw-02")
	add(22, 15, 2, Overheat, Recover, "kb-sw-02")
	slices.SortStableFunc(out, func(a, b Happening) int { return cmp.Compare(a.After, b.After) })
	return out
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
