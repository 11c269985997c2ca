// Package voice tells how well people understand each other over a path: by the E-model (ITU-T G.107, 06/2015), with its default values for all that is not said.
package voice

import "math"

// Path is what a path does to a call.
type Path struct {
	DelayMs     float64 // from mouth to ear, one way
	LossPercent float64 // of packets, those that come too late among them
	Codec       Codec
}

// Codec is how voice is coded (ITU-T G.113 appendix I).
type Codec struct {
	Name     string
	FrameMs  float64 // packet and look-ahead
	Ie       float64 // equipment impairment factor
	Bpl      float64 // packet-loss robustness factor, for random losses
	Burst    float64 // burst ratio; 0 is 1
	JitterMs float64 // of the buffer for each millisecond of jitter; 0 is 2
}

// The codecs.
var (
	// G711 is ITU-T G.711 with packet loss concealment, in packets of 20 ms.
	G711 = Codec{Name: "G.711", FrameMs: 20.125, Ie: 0, Bpl: 25.1}
	// G729A is ITU-T G.729 annex A with voice activity detection, in packets of 20 ms.
	G729A = Codec{Name: "G.729A", FrameMs: 25, Ie: 11, Bpl: 19}
)

// The default values of G.107 (table 3), as far as they are used below.
const (
	slr, rlr, telr, wepl = 8.0, 2.0, 65.0, 110.0
	noise                = -61.1797 // No, dBm0p: all circuit noise and room noise, at their default values
	simultaneous         = 1.4136   // Is, at its default values
)

// Rating is the transmission rating factor R, from 0 to 93.2, the most that narrow-band voice comes to.
func Rating(p Path) float64 {
	ro := 15 - 1.5*(slr+noise)
	return ro - simultaneous - delay(p.DelayMs, ro) - equipment(p)
}

// delay is the delay impairment factor Id: echo to who talks (Idte), echo to who listens (Idle), and too long a delay (Idd). The delay of echo is that from mouth
// to ear, and there is no listener's path besides.
func delay(t, ro float64) float64 {
	terv := telr - 40*math.Log10((1+t/10)/(1+t/150)) + 6*math.Exp(-0.3*t*t)
	re := 80 + 2.5*(terv-14)
	roe := -1.5 * (noise - rlr)
	idte := ((roe-re)/2 + math.Sqrt((roe-re)*(roe-re)/4+100) - 1) * (1 - math.Exp(-t))
	rle := 10.5 * (wepl + 7) * math.Pow(2*t+1, -0.25)
	idle := (ro-rle)/2 + math.Sqrt((ro-rle)*(ro-rle)/4+169)
	idd := 0.0
	if t > 100 {
		x := math.Log10(t/100) / math.Log10(2)
		idd = 25 * (math.Pow(1+math.Pow(x, 6), 1.0/6) - 3*math.Pow(1+math.Pow(x/3, 6), 1.0/6) + 2)
	}
	return idte + idle + idd
}

// equipment is the effective equipment impairment factor Ie-eff.
func equipment(p Path) float64 {
	burst := p.Codec.Burst
	if burst == 0 {
		burst = 1
	}
	if p.LossPercent <= 0 {
		return p.Codec.Ie
	}
	return p.Codec.Ie + (95-p.Codec.Ie)*p.LossPercent/(p.LossPercent/burst+p.Codec.Bpl)
}

// Opinion is the mean opinion score that a rating comes to (G.107 annex B), from 1 to 4.5.
func Opinion(r float64) float64 {
	switch {
	case r <= 0:
		return 1
	case r >= 100:
		return 4.5
	}
	return max(1, 1+0.035*r+r*(r-60)*(100-r)*7e-6) // its formula falls below its own least score where R is small
}

// The categories of speech quality (ITU-T G.109).
const (
	Best   = "best"
	High   = "high"
	Medium = "medium"
	Low    = "low"
	Poor   = "poor"
	None   = "not advised" // below what G.109 speaks of
)

// Category is how users find calls of a rating.
func Category(r float64) string {
	switch {
	case r >= 90:
		return Best
	case r >= 80:
		return High
	case r >= 70:
		return Medium
	case r >= 60:
		return Low
	case r >= 50:
		return Poor
	}
	return None
}

// Over is the path of a call over a measured one: half of the time there and back is taken for each direction.
func Over(roundTripMs, jitterMs, lossPercent float64, c Codec) Path {
	return OneWay(roundTripMs/2, jitterMs, lossPercent, c)
}

// OneWay is the path of what is said in one direction: the time that it takes there, a buffer that takes up the jitter, and what the codec itself takes.
func OneWay(ms, jitterMs, lossPercent float64, c Codec) Path {
	buffer := c.JitterMs
	if buffer == 0 {
		buffer = 2
	}
	return Path{DelayMs: ms + buffer*jitterMs + c.FrameMs, LossPercent: lossPercent, Codec: c}
}
