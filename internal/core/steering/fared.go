package steering

import "example.net/everypost/internal/core/voice"

// Fared is how a path was in a step of a day, in the severities of alarms; "" where calls over it were good. upPart is for what part of the step it was up.
// Below a rating of 70 many users are dissatisfied, below 50 nearly all (ITU-T G.109).
func Fared(p Path, upPart float64) string {
	const poor = 50
	if upPart < 0.5 {
		return "critical"
	}
	switch r := voice.Rating(voice.Over(p.DelayMs, p.JitterMs, p.LossPercent, voice.G711)); {
	case r < poor:
		return "major"
	case r < dissatisfied:
		return "minor"
	case upPart < 1:
		return "warning"
	}
	return ""
}
