package microwave

import "math"

// Modulation is how bits are put on a carrier (the identities of RFC 8561 below coding-modulation), as people write it.
type Modulation string

// The modulations, the lowest first.
const (
	QPSK    Modulation = "qpsk"
	QAM16   Modulation = "16-qam"
	QAM64   Modulation = "64-qam"
	QAM256  Modulation = "256-qam"
	QAM1024 Modulation = "1024-qam"
)

var bits = []struct {
	Modulation
	bits float64 // of a symbol
}{{QPSK, 2}, {QAM16, 4}, {QAM64, 6}, {QAM256, 8}, {QAM1024, 10}}

// Modulations lists them, the lowest first.
func Modulations() (out []Modulation) {
	for _, m := range bits {
		out = append(out, m.Modulation)
	}
	return out
}

// Order compares two modulations by what they carry: negative where the first carries less. One that is not known is below all.
func Order(a, b Modulation) int { return int(bitsOf(a) - bitsOf(b)) }

func bitsOf(m Modulation) float64 {
	for _, known := range bits {
		if known.Modulation == m {
			return known.bits
		}
	}
	return 0
}

// What receivers of today are like: their noise figure, and how far a code stays from what the channel could carry.
const (
	thermalDbmHz = -174.0 // k T at 290 K
	noiseFigure  = 6.0    // dB
	gap          = 6.0    // dB
)

// Threshold is the level in dBm that a modulation needs in a channel of so many MHz: thermal noise (kTB) and the noise figure of the receiver, with the ratio
// of signal to noise that so many bits a symbol take (Shannon: 2^bits - 1) and a gap to what is possible. It is an estimate: the sheet of a radio says it to the dB.
func Threshold(m Modulation, separationMHz float64) (dBm float64, known bool) {
	n := bitsOf(m)
	if n == 0 || !(separationMHz > 0) {
		return 0, false
	}
	return thermalDbmHz + 10*math.Log10(separationMHz*1e6) + noiseFigure + 10*math.Log10(math.Pow(2, n)-1) + gap, true
}

// Best is the highest modulation that a level is good for, between two; "" where it is too low for the lowest.
func Best(dBm, separationMHz float64, lowest, highest Modulation) (best Modulation) {
	for _, m := range bits {
		need, known := Threshold(m.Modulation, separationMHz)
		if known && dBm >= need && Order(m.Modulation, lowest) >= 0 && Order(m.Modulation, highest) <= 0 {
			best = m.Modulation
		}
	}
	return best
}
