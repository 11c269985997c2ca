package history

import (
	"context"
	"fmt"
	"math"
	"time"

	"example.net/everypost/internal/core/series"
)

// Past is points of a metric from before a device was enrolled, as another system kept them.
type Past struct {
	series.Thing
	Metric string
	From   time.Time     // on a border of its steps
	Step   time.Duration // 5 min or 1 h
	// Mean and Max in the metric's unit; NaN for what is not known. Max may be nil.
	Mean, Max []float64
}

// Import keeps points of the time before a device was enrolled. What was imported of the same time before is replaced.
func (h *Service) Import(ctx context.Context, device string, enrolled time.Time, list []Past) error {
	for _, p := range list {
		if err := p.check(enrolled); err != nil {
			return err
		}
	}
	return h.importAll(ctx, device, list)
}

func (p Past) check(enrolled time.Time) error {
	what := fmt.Sprintf("%s %s %s", p.Part, p.Name, p.Metric)
	level := levelOf(p.Step)
	end := p.From.Add(time.Duration(len(p.Mean)) * p.Step)
	switch {
	case series.Find(p.Part, p.Metric) == nil || p.Part == series.Clock:
		return fmt.Errorf("%s: there is no such metric: that is %w", what, ErrInvalid)
	case level == series.Raw:
		return fmt.Errorf("%s: a step of %s is %w: there are 5m and 1h", what, p.Step, ErrInvalid)
	case p.From.UnixMilli()%level.Step() != 0:
		return fmt.Errorf("%s: %s is no border of steps of %s: that is %w", what, p.From.Format(time.RFC3339), p.Step, ErrInvalid)
	case len(p.Mean) == 0 || p.Max != nil && len(p.Max) != len(p.Mean):
		return fmt.Errorf("%s: there must be as many of max as of mean, and one at least: that is %w", what, ErrInvalid)
	case end.After(enrolled):
		return fmt.Errorf("%s: %s is after the device was enrolled, and of that the service has readings of its own: that is %w", what, end.Format(time.RFC3339), ErrInvalid)
	case enrolled.Sub(p.From) > series.Coarse.Keep():
		return fmt.Errorf("%s: %s is longer ago than anything is kept: that is %w", what, p.From.Format(time.RFC3339), ErrInvalid)
	}
	return nil
}

func levelOf(step time.Duration) series.Level {
	for _, l := range series.Levels() {
		if l.Step() == step.Milliseconds() {
			return l
		}
	}
	return series.Raw
}

func (h *Service) importAll(ctx context.Context, device string, list []Past) error {
	s := h.source(sourceKey{device, series.FromBefore})
	s.mu.Lock()
	var unknown []series.Thing
	for _, p := range list {
		unknown = append(unknown, p.Thing)
	}
	err := h.meet(s, device, series.FromBefore, unknown)
	things := make([]int64, len(list))
	for i, p := range list {
		things[i] = s.things[p.Thing]
	}
	clock := s.things[series.Thing{Part: series.Clock}]
	s.mu.Unlock()
	if err != nil {
		return err
	}
	all := map[stretch]*points{}
	for i, p := range list {
		m := series.Find(p.Part, p.Metric)
		from := levelOf(p.Step)
		rolled := p.roll(m)
		span := series.Span{From: p.From.UnixMilli(), Step: from.Step(), Count: len(p.Mean)}
		for l := from; l <= series.Coarse; l++ {
			if l != from {
				rolled, span = coarser(m, rolled, span, l)
			}
			place(all, l, clock, things[i], m, rolled, span)
		}
	}
	chunks := map[int64][]byte{}
	for _, p := range all {
		if err := p.mergeInto(ctx, h.store, chunks); err != nil {
			return err
		}
	}
	return h.store.PutChunks(ctx, chunks, 0, 0)
}

// roll makes points of what was given.
func (p Past) roll(m *series.Metric) series.Rolled {
	n := len(p.Mean)
	values := func(f func(i int) float64) []int64 {
		out := make([]int64, n)
		for i := range out {
			out[i] = series.Absent
			if v := f(i); !math.IsNaN(v) {
				out[i] = int64(math.Round(v))
			}
		}
		return out
	}
	high := p.Max
	if high == nil {
		high = p.Mean
	}
	if m.Counter {
		return series.Rolled{
			Grown: values(func(i int) float64 { return p.Mean[i] / m.Factor * p.Step.Seconds() }),
			Peak:  values(func(i int) float64 { return high[i] / m.Factor * 100 }),
		}
	}
	mean := values(func(i int) float64 { return p.Mean[i] / m.Factor })
	return series.Rolled{Min: mean, Mean: mean, Max: values(func(i int) float64 { return high[i] / m.Factor })}
}

// coarser makes points of longer steps out of points.
func coarser(m *series.Metric, r series.Rolled, from series.Span, to series.Level) (series.Rolled, series.Span) {
	step := to.Step()
	span := series.Span{From: from.From / step * step, Step: step}
	span.Count = int((from.To() - span.From + step - 1) / step)
	if m.Counter {
		out, known := series.Rolled{Grown: absent(span.Count), Peak: absent(span.Count)}, make([]int64, span.Count)
		for i := range from.Count {
			if r.Grown[i] == series.Absent {
				continue
			}
			k := int((from.From + from.Step*int64(i) - span.From) / step)
			out.Grown[k], out.Peak[k] = max(out.Grown[k], 0)+r.Grown[i], max(out.Peak[k], r.Peak[i])
			known[k]++
		}
		for k, n := range known { // where less than all of a step is known, the rest is taken to have been like it
			if n > 0 {
				out.Grown[k] = out.Grown[k] * (step / from.Step) / n
			}
		}
		return out, span
	}
	out := series.Rolled{Min: absent(span.Count), Mean: absent(span.Count), Max: absent(span.Count)}
	sums, counts := make([]float64, span.Count), make([]int, span.Count)
	for i := range from.Count {
		if r.Mean[i] == series.Absent {
			continue
		}
		k := int((from.From + from.Step*int64(i) - span.From) / step)
		if counts[k] == 0 {
			out.Min[k], out.Max[k] = r.Min[i], r.Max[i]
		}
		out.Min[k], out.Max[k] = min(out.Min[k], r.Min[i]), max(out.Max[k], r.Max[i])
		sums[k] += float64(r.Mean[i])
		counts[k]++
		out.Mean[k] = int64(math.Round(sums[k] / float64(counts[k])))
	}
	return out, span
}

func absent(n int) []int64 {
	out := make([]int64, n)
	for i := range out {
		out[i] = series.Absent
	}
	return out
}

// stretch is some steps of a bucket.
type stretch struct {
	level series.Level
	from  int64
	count int
}

// place cuts points at the borders of buckets.
func place(all map[stretch]*points, l series.Level, clock, thing int64, m *series.Metric, r series.Rolled, span series.Span) {
	columns := r.Columns(m)
	for at := 0; at < span.Count; {
		from := span.From + span.Step*int64(at)
		bucket := l.Span(l.Bucket(from))
		n := min(span.Count-at, int((bucket.To()-from)/span.Step))
		part := make([][]int64, len(columns))
		for i, c := range columns {
			part[i] = c[at : at+n]
		}
		key := stretch{l, from, n}
		p := all[key]
		if p == nil {
			p = &points{level: l, span: series.Span{From: from, Step: span.Step, Count: n}, kind: series.FromBefore, clock: clock, new: map[int64]newPoints{}}
			p.covers = make([]int64, n)
			for i := range p.covers {
				p.covers[i] = span.Step
			}
			all[key] = p
		}
		p.set(thing, m, series.FromColumns(m, part))
		at += n
	}
}
