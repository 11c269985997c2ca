package policy

// box is sessions between two zones: from some addresses to some, by some services.
type box struct{ source, destination, service interval }

func (i interval) meets(o interval) bool { return i.low <= o.high && o.low <= i.high }

func (b box) meets(o box) bool {
	return b.source.meets(o.source) && b.destination.meets(o.destination) && b.service.meets(o.service)
}

// most is how many boxes a set of sessions may fall into: beyond that it is not looked at.
const most = 20_000

// boxes are the sessions that fit a rule between two zones for which it is; ok is false where they are too many.
func (r *Rule) boxes() (out []box, ok bool) {
	if len(r.source)*len(r.destination)*len(r.service) > most {
		return nil, false
	}
	for _, s := range r.source {
		for _, d := range r.destination {
			for _, v := range r.service {
				out = append(out, box{s, d, v})
			}
		}
	}
	return out, true
}

// less takes one box off others.
func less(from []box, off box) []box {
	i := 0
	for i < len(from) && !from[i].meets(off) {
		i++
	}
	if i == len(from) {
		return from
	}
	out := append(make([]box, 0, len(from)+4), from[:i]...)
	for _, b := range from[i:] {
		if !b.meets(off) {
			out = append(out, b)
			continue
		}
		if b.source.low < off.source.low {
			out = append(out, box{interval{b.source.low, off.source.low - 1}, b.destination, b.service})
			b.source.low = off.source.low
		}
		if b.source.high > off.source.high {
			out = append(out, box{interval{off.source.high + 1, b.source.high}, b.destination, b.service})
			b.source.high = off.source.high
		}
		if b.destination.low < off.destination.low {
			out = append(out, box{b.source, interval{b.destination.low, off.destination.low - 1}, b.service})
			b.destination.low = off.destination.low
		}
		if b.destination.high > off.destination.high {
			out = append(out, box{b.source, interval{off.destination.high + 1, b.destination.high}, b.service})
			b.destination.high = off.destination.high
		}
		if b.service.low < off.service.low {
			out = append(out, box{b.source, b.destination, interval{b.service.low, off.service.low - 1}})
			b.service.low = off.service.low
		}
		if b.service.high > off.service.high {
			out = append(out, box{b.source, b.destination, interval{off.service.high + 1, b.service.high}})
		}
	}
	return out
}

// lessAll takes boxes off others; ok is false where what is left falls into too many pieces.
func lessAll(from, off []box) (out []box, ok bool) {
	for _, o := range off {
		if from = less(from, o); len(from) == 0 {
			return nil, true
		}
		if len(from) > most {
			return nil, false
		}
	}
	return from, true
}

// anyMeets tells whether some box meets another of a list.
func anyMeets(a, b []box) bool {
	for _, x := range a {
		for _, y := range b {
			if x.meets(y) {
				return true
			}
		}
	}
	return false
}
