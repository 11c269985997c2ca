package network

import "time"

// Rates is what went over a port in a span of time.
type Rates struct {
	Span     time.Duration `json:"span_ns"` // between the two readings; 0: not known
	RxBps    float64       `json:"rx_bps"`  // bit/s
	TxBps    float64       `json:"tx_bps"`
	RxPps    float64       `json:"rx_pps"` // frames/s
	TxPps    float64       `json:"tx_pps"`
	Errors   float64       `json:"errors_ps"` // frames in error each second, received and sent
	Discards float64       `json:"discards_ps"`
}

// maxRateSpan bounds the time over which counters are taken together: a mean over hours says nothing of now.
const maxRateSpan = 10 * time.Minute

// RatesBetween works rates out of two readings of the counters. Where one of them ran backwards the device counted anew,
// and nothing is known.
func RatesBetween(before, after Counters, span time.Duration) Rates {
	if span < 100*time.Millisecond || span > maxRateSpan {
		return Rates{}
	}
	seconds := span.Seconds()
	backwards := false
	each := func(b, a uint64) float64 {
		backwards = backwards || a < b
		return float64(a-b) / seconds
	}
	r := Rates{
		Span:  span,
		RxBps: 8 * each(before.RxOctets, after.RxOctets), TxBps: 8 * each(before.TxOctets, after.TxOctets),
		RxPps:    each(before.RxUnicast, after.RxUnicast) + each(before.RxMulticast, after.RxMulticast) + each(before.RxBroadcast, after.RxBroadcast),
		TxPps:    each(before.TxUnicast, after.TxUnicast) + each(before.TxMulticast, after.TxMulticast) + each(before.TxBroadcast, after.TxBroadcast),
		Errors:   each(before.RxErrors, after.RxErrors) + each(before.TxErrors, after.TxErrors),
		Discards: each(before.RxDiscards, after.RxDiscards) + each(before.TxDiscards, after.TxDiscards),
	}
	if backwards {
		return Rates{}
	}
	return r
}

// UsePercent is how much of a link's speed the busier direction takes.
func (r Rates) UsePercent(mbps int) float64 {
	if mbps <= 0 {
		return 0
	}
	return max(r.RxBps, r.TxBps) / float64(mbps) / 1e4
}
