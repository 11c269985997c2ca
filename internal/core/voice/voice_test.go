package voice

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// What the recommendations say themselves: the default values of G.107 come to R = 93.2 and to a score of 4.41; a codec's factors are those of G.113.
func TestWorkedExamples(t *testing.T) {
	perfect := Rating(Path{Codec: Codec{Bpl: 4.3}})
	assert.InDelta(t, 93.2, perfect, 0.05)
	assert.InDelta(t, 4.41, Opinion(perfect), 0.005)
	for r, mos := range map[float64]float64{0: 1, 50: 2.575, 60: 3.1, 70: 3.597, 80: 4.024, 90: 4.339, 100: 4.5} { // G.107 annex B, as its formula gives
		assert.InDelta(t, mos, Opinion(r), 0.002, "R = %v", r)
	}
	loss := func(c Codec, percent float64) float64 {
		return Rating(Path{Codec: c}) - Rating(Path{Codec: c, LossPercent: percent})
	}
	assert.InDelta(t, 95*2/27.1, loss(G711, 2), 0.001)
	assert.InDelta(t, 84*3/22.0, loss(G729A, 3), 0.001)
	assert.InDelta(t, 11, Rating(Path{Codec: G711})-Rating(Path{Codec: G729A}), 0.001)
	burst := G711
	burst.Burst = 2
	assert.Greater(t, loss(burst, 5), loss(G711, 5), "losses that come together are worse")
}

// G.114: up to 150 ms most users notice nothing; beyond 400 ms nobody plans for.
func TestDelayIsFelt(t *testing.T) {
	at := func(ms float64) float64 { return Rating(Path{DelayMs: ms, Codec: G711}) }
	assert.Greater(t, at(150), 85.0)
	assert.Less(t, at(400), 70.0)
	assert.Equal(t, High, Category(at(150)))
	assert.Equal(t, Best, Category(at(30)))
	assert.Equal(t, None, Category(at(900)))
}

// More delay, jitter or loss is never better.
func TestWorseIsNeverBetter(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		of := func(name string, most float64) float64 { return rapid.Float64Range(0, most).Draw(t, name) }
		delay, jitter, loss := of("delay", 1000), of("jitter", 100), of("loss", 50)
		c := rapid.SampledFrom([]Codec{G711, G729A}).Draw(t, "codec")
		was := Rating(Over(delay, jitter, loss, c))
		for _, worse := range []Path{Over(delay+of("more delay", 500), jitter, loss, c), Over(delay, jitter+of("more jitter", 50), loss, c), Over(delay, jitter, loss+of("more loss", 50), c)} {
			if r := Rating(worse); r > was+1e-9 {
				t.Fatalf("%+v is rated %v, better than %v", worse, r, was)
			}
			if m := Opinion(was); m < 1 || m > 4.5 {
				t.Fatalf("a score of %v", m)
			}
		}
	})
}
