// Package microwave works out what a point-to-point radio link receives in clear air.
package microwave

import "math"

// Loss is the basic transmission loss in free space, in dB: 32.4 + 20 log f + 20 log d with f in MHz and d in km (ITU-R P.525-4, equation 4).
func Loss(gigahertz, kilometres float64) float64 {
	return 32.4 + 20*math.Log10(1000*gigahertz) + 20*math.Log10(kilometres)
}

// End is what an end of a link is like.
type End struct {
	PowerDbm float64 // that it sends
	GainDbi  float64 // of its antenna
}

// Expected is the level that an end receives in clear air, in dBm: what the far one sends, with the gain of both antennas, less what free space takes. Air
// and rain take more (ITU-R P.676, P.838). known is false where something is not told.
func Expected(far, near End, gigahertz, kilometres float64) (dBm float64, known bool) {
	if !(gigahertz > 0 && kilometres > 0 && far.GainDbi > 0 && near.GainDbi > 0) {
		return 0, false
	}
	return far.PowerDbm + far.GainDbi + near.GainDbi - Loss(gigahertz, kilometres), true
}

// Tenth rounds a level to a tenth.
func Tenth(f float64) float64 { return math.Round(10*f) / 10 }
