package microwave

import "slices"

// Performance is how a link fared, counted in seconds (ITU-T G.828).
type Performance struct {
	Seconds           float64 // that were counted, those in which the link was unavailable among them
	Errored, Severely float64 // errored seconds, and the severely errored ones among them, while it was available
	Unavailable       float64
}

// Available is the part of the time in which the link was available, 0 to 1.
func (p Performance) Available() float64 {
	if p.Seconds <= 0 {
		return 0
	}
	return max(0, 1-p.Unavailable/p.Seconds)
}

// ESR and SESR are the errored second ratio and the severely errored second ratio: of the available seconds (G.828, clause 3).
func (p Performance) ESR() float64  { return p.ratio(p.Errored) }
func (p Performance) SESR() float64 { return p.ratio(p.Severely) }

func (p Performance) ratio(of float64) float64 {
	if available := p.Seconds - p.Unavailable; available > 0 {
		return min(1, of/available)
	}
	return 0
}

// Most is the highest of values, and the one that 95 of 100 do not exceed; 0 of none. The list is put in order.
func Most(list []float64) (highest, of95 float64) {
	if len(list) == 0 {
		return 0, 0
	}
	slices.Sort(list)
	return list[len(list)-1], list[(95*len(list)+99)/100-1]
}
