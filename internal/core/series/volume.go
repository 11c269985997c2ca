package series

import "time"

// Bin is what went through in an hour, a day or a month.
type Bin struct {
	From   time.Time
	Known  bool
	Octets float64
}

// Volumes adds up what a rate in bit/s comes to, in octets, by hours, days or months of a zone. The points are those of steps of an hour or less; a step
// that is not known adds nothing, and one that is known in part counts as if all of it were.
func Volumes(s Span, points []Point, by string, zone *time.Location) []Bin {
	var out []Bin
	for i, p := range points {
		at := time.UnixMilli(s.From + int64(i)*s.Step).In(zone)
		from := at.Truncate(time.Hour) // not by the clock, which has an hour twice when it goes back
		switch by {
		case "day":
			from = time.Date(at.Year(), at.Month(), at.Day(), 0, 0, 0, 0, zone)
		case "month":
			from = time.Date(at.Year(), at.Month(), 1, 0, 0, 0, 0, zone)
		}
		if n := len(out); n == 0 || !out[n-1].From.Equal(from) {
			out = append(out, Bin{From: from})
		}
		if b := &out[len(out)-1]; p.Known {
			b.Known = true
			b.Octets += p.Mean / 8 * float64(s.Step) / 1000
		}
	}
	return out
}
