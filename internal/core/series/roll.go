package series

import (
	"math"
	"time"
)

// maxGap is the longest time between two readings over which anything is said: beyond it there is a gap.
const maxGap = 3 * time.Minute

// Span is a stretch of time cut into steps.
type Span struct {
	From  int64 // milliseconds since 1970
	Step  int64 // milliseconds
	Count int
}

// To is the end of the span.
func (s Span) To() int64 { return s.From + s.Step*int64(s.Count) }

// index is the step in which a moment lies; it may lie outside.
func (s Span) index(at int64) int { return int(math.Floor(float64(at-s.From) / float64(s.Step))) }

// each calls f for the part of a stretch of time that lies in each step.
func (s Span) each(from, to int64, f func(step int, ms int64)) {
	from, to = max(from, s.From), min(to, s.To())
	for from < to {
		i := s.index(from)
		end := min(to, s.From+s.Step*int64(i+1))
		f(i, end-from)
		from = end
	}
}

// Rolled is points of one series, one for each step of a span. Where Covered is 0 nothing is known of a step.
type Rolled struct {
	// Of a gauge. What is not known is Absent.
	Min, Mean, Max []int64
	// Of a counter: how much it grew, and the highest rate between two readings, in hundredths per second. What is not known
	// is Absent.
	Grown, Peak []int64
}

// Covered tells how many milliseconds of each step lie between readings that are close enough to each other.
func Covered(times []int64, s Span) []int64 {
	out := make([]int64, s.Count)
	for i := 1; i < len(times); i++ {
		if times[i]-times[i-1] <= maxGap.Milliseconds() {
			s.each(times[i-1], times[i], func(step int, ms int64) { out[step] += ms })
		}
	}
	return out
}

// Roll makes points of values that were read at times. What a counter grew between two readings is spread over the steps
// between them; where it ran backwards the device counted anew, and nothing is known of that time.
func Roll(m *Metric, times, values []int64, s Span) Rolled {
	if m.Counter {
		return rollCounter(times, values, s)
	}
	return rollGauge(times, values, s)
}

func rollCounter(times, values []int64, s Span) Rolled {
	r := Rolled{Grown: make([]int64, s.Count), Peak: make([]int64, s.Count)}
	grown := make([]float64, s.Count)
	for i := 1; i < len(times); i++ {
		span, by := times[i]-times[i-1], values[i]-values[i-1]
		if values[i] == Absent || values[i-1] == Absent || span <= 0 || span > maxGap.Milliseconds() || by < 0 {
			continue
		}
		rate := float64(by) / float64(span) // per millisecond
		s.each(times[i-1], times[i], func(step int, ms int64) {
			grown[step] += rate * float64(ms)
			r.Peak[step] = max(r.Peak[step], int64(math.Round(rate*1e5)))
		})
	}
	for i, g := range grown {
		r.Grown[i] = int64(math.Round(g))
	}
	return r
}

func rollGauge(times, values []int64, s Span) Rolled {
	r := Rolled{Min: make([]int64, s.Count), Mean: make([]int64, s.Count), Max: make([]int64, s.Count)}
	sums, counts := make([]float64, s.Count), make([]int, s.Count)
	for i, v := range values {
		step := s.index(times[i])
		if v == Absent || step < 0 || step >= s.Count {
			continue
		}
		if counts[step] == 0 {
			r.Min[step], r.Max[step] = v, v
		}
		r.Min[step], r.Max[step] = min(r.Min[step], v), max(r.Max[step], v)
		sums[step] += float64(v)
		counts[step]++
	}
	for i, n := range counts {
		if n == 0 {
			r.Min[i], r.Mean[i], r.Max[i] = Absent, Absent, Absent
			continue
		}
		r.Mean[i] = int64(math.Round(sums[i] / float64(n)))
	}
	return r
}

// Columns are what is packed of the points: Grown and Peak of a counter, Min, Mean and Max of a gauge.
func (r Rolled) Columns(m *Metric) [][]int64 {
	if m.Counter {
		return [][]int64{r.Grown, r.Peak}
	}
	return [][]int64{r.Min, r.Mean, r.Max}
}

// FromColumns is the other direction.
func FromColumns(m *Metric, c [][]int64) Rolled {
	if m.Counter {
		return Rolled{Grown: c[0], Peak: c[1]}
	}
	return Rolled{Min: c[0], Mean: c[1], Max: c[2]}
}

// Width is how many columns the points of a metric have.
func Width(m *Metric) int {
	if m.Counter {
		return 2
	}
	return 3
}

// Point is what is known of a step, in the metric's unit. Of a counter, Min is not known.
type Point struct {
	Known          bool
	Min, Mean, Max float64
}

// Sum collects points of fine steps into those of coarser ones.
type Sum struct {
	metric  *Metric
	span    Span
	weights []float64
	sums    []float64
	points  []Point
}

// NewSum returns an empty one.
func NewSum(m *Metric, s Span) *Sum {
	return &Sum{metric: m, span: s, weights: make([]float64, s.Count), sums: make([]float64, s.Count), points: make([]Point, s.Count)}
}

// Add takes points of steps that are not longer than those of the sum, with how much of each is covered.
func (t *Sum) Add(r Rolled, covered []int64, s Span) {
	for i := range s.Count {
		at := s.From + s.Step*int64(i)
		step := t.span.index(at)
		if step < 0 || step >= t.span.Count || covered[i] == 0 {
			continue
		}
		p := &t.points[step]
		if t.metric.Counter {
			if r.Grown[i] == Absent {
				continue
			}
			t.sums[step] += float64(r.Grown[i])
			t.weights[step] += float64(covered[i]) / 1000
			p.Max = max(p.Max, float64(r.Peak[i])/100*t.metric.Factor)
			p.Known = true
			continue
		}
		if r.Mean[i] == Absent {
			continue
		}
		low, high := float64(r.Min[i])*t.metric.Factor, float64(r.Max[i])*t.metric.Factor
		if !p.Known {
			p.Min, p.Max = low, high
		}
		p.Min, p.Max, p.Known = min(p.Min, low), max(p.Max, high), true
		t.sums[step] += float64(r.Mean[i]) * float64(covered[i])
		t.weights[step] += float64(covered[i])
	}
}

// Fill takes points of steps that are longer than those of the sum where nothing else is known: each of its steps is then
// told as the longer one in which it lies.
func (t *Sum) Fill(r Rolled, covered []int64, s Span) {
	coarse := NewSum(t.metric, s)
	coarse.Add(r, covered, s)
	points := coarse.Points()
	for step := range t.span.Count {
		i := s.index(t.span.From + t.span.Step*int64(step))
		if t.points[step].Known || i < 0 || i >= s.Count || !points[i].Known {
			continue
		}
		t.points[step] = points[i]
		t.sums[step], t.weights[step] = points[i].Mean/t.metric.Factor, 1
	}
}

// Points returns what was collected.
func (t *Sum) Points() []Point {
	for i := range t.points {
		p := &t.points[i]
		if !p.Known {
			continue
		}
		p.Mean = t.sums[i] / t.weights[i] * t.metric.Factor
		if t.metric.Counter {
			p.Max = max(p.Max, p.Mean)
		}
	}
	return t.points
}
