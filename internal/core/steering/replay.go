package steering

import (
	"time"

	"example.net/everypost/internal/core/voice"
)

// Sample is the paths to a site as they were measured at a moment.
type Sample struct {
	At    time.Time
	Paths []Path
}

// Outcome is what a rule comes to over a time.
type Outcome struct {
	Moves  []Move
	Over   map[string]float64 // for what part of the time traffic went over each tunnel; "" for none
	With   Calls
	Unled  Calls // without the rule: over the first tunnel that is up, as the device lists them
	Known  time.Duration
	Begins time.Time
}

// Calls are how people would have understood each other (ITU-T G.107, G.711 with concealment), in the mean and in the worst moment.
type Calls struct {
	Rating, Worst float64
	// Bad is how long it was below 70, where many users are dissatisfied (ITU-T G.109).
	Bad time.Duration
}

const dissatisfied = 70

// Replay tells what a rule would have done over a time that was measured. A sample holds until the next one, and no longer than the longest.
func (r Rule) Replay(samples []Sample, longest time.Duration) Outcome {
	out := Outcome{Over: map[string]float64{}, With: Calls{Worst: 100}, Unled: Calls{Worst: 100}}
	var led, unled State
	first := Rule{}
	for i, s := range samples {
		span := longest
		if i+1 < len(samples) {
			span = min(samples[i+1].At.Sub(s.At), longest)
		}
		if span <= 0 {
			continue
		}
		if out.Begins.IsZero() {
			out.Begins = s.At
		}
		var m *Move
		if led, m = r.Step(led, s.At, s.Paths); m != nil {
			out.Moves = append(out.Moves, *m)
		}
		unled, _ = first.Step(unled, s.At, s.Paths)
		unled.Tunnel = firstUp(s.Paths)
		out.Over[led.Tunnel] += span.Seconds()
		out.With.add(led, s.Paths, span)
		out.Unled.add(unled, s.Paths, span)
		out.Known += span
	}
	if seconds := out.Known.Seconds(); seconds > 0 {
		for t := range out.Over {
			out.Over[t] /= seconds
		}
		out.With.Rating /= seconds
		out.Unled.Rating /= seconds
	}
	return out
}

func firstUp(paths []Path) string {
	for _, p := range paths {
		if p.Up {
			return p.Tunnel
		}
	}
	return ""
}

func (c *Calls) add(s State, paths []Path, span time.Duration) {
	rating := 0.0
	if felt, up := s.Felt(paths); up {
		rating = max(0, voice.Rating(voice.Over(felt.DelayMs, felt.JitterMs, felt.LossPercent, voice.G711)))
	}
	c.Rating += rating * span.Seconds()
	c.Worst = min(c.Worst, rating)
	if rating < dissatisfied {
		c.Bad += span
	}
}
