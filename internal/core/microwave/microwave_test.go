package microwave_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/microwave"
)

// The short form of the recommendation is its exact one, 20 log (4 π d / λ), with the speed of light rounded.
func TestLossInFreeSpace(t *testing.T) {
	t.Parallel()
	assert.InDelta(t, 92.4, microwave.Loss(1, 1), 1e-9)
	assert.InDelta(t, 92.4+20*math.Log10(18.305)+20*math.Log10(6.4), microwave.Loss(18.305, 6.4), 1e-9)
	rapid.Check(t, func(t *rapid.T) {
		ghz, km := rapid.Float64Range(0.1, 90).Draw(t, "GHz"), rapid.Float64Range(0.01, 200).Draw(t, "km")
		exact := 20 * math.Log10(4*math.Pi*km*1e3/(299_792_458/(ghz*1e9)))
		assert.InDelta(t, exact, microwave.Loss(ghz, km), 0.06)
		assert.InDelta(t, 6.02, microwave.Loss(ghz, 2*km)-microwave.Loss(ghz, km), 0.01, "twice as far is a quarter")
	})
}

func TestExpectedLevel(t *testing.T) {
	t.Parallel()
	far, near := microwave.End{PowerDbm: 18, GainDbi: 37.4}, microwave.End{PowerDbm: 2, GainDbi: 37.4}
	dBm, known := microwave.Expected(far, near, 18.305, 6.4)
	assert.True(t, known)
	assert.InDelta(t, -41.0, dBm, 0.1, "what the near end sends is of no account")
	for _, unknown := range [][2]float64{{0, 6.4}, {18.3, 0}, {-1, 6}, {math.NaN(), 6}} {
		_, known := microwave.Expected(far, near, unknown[0], unknown[1])
		assert.False(t, known)
	}
	_, known = microwave.Expected(microwave.End{PowerDbm: 18}, near, 18.305, 6.4)
	assert.False(t, known, "its antenna is not told")
}
