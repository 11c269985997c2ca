package history

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"example.net/everypost/internal/core/series"
	"example.net/everypost/internal/store"
)

// ErrInvalid tells that what was asked for cannot be.
var ErrInvalid = errors.New("not valid")

// MaxPoints bounds the points of one series in an answer.
const MaxPoints = 2000

// niceSteps are the steps in which people think.
var niceSteps = []time.Duration{time.Minute, 2 * time.Minute, 5 * time.Minute, 10 * time.Minute, 15 * time.Minute, 30 * time.Minute, time.Hour, 2 * time.Hour, 3 * time.Hour,
	6 * time.Hour, 12 * time.Hour, 24 * time.Hour, 7 * 24 * time.Hour}

// Fit cuts the time from one moment to another into steps, about as many as points says, but never finer than what is kept
// of that time. With a step of more than 0 that one is taken.
func (h *Service) Fit(from, to time.Time, step time.Duration, points int) (series.Span, error) {
	if !from.Before(to) {
		return series.Span{}, fmt.Errorf("the time ends before it begins: that is %w", ErrInvalid)
	}
	least := time.Minute
	switch age := h.now().Sub(from); {
	case age > series.Fine.Keep():
		least = time.Hour
	case age > series.Raw.Keep():
		least = 5 * time.Minute
	}
	if step == 0 {
		wanted := max(least, to.Sub(from)/time.Duration(max(points, 1)))
		i := slices.IndexFunc(niceSteps, func(d time.Duration) bool { return d >= wanted })
		if i < 0 {
			i = len(niceSteps) - 1
		}
		step = niceSteps[i]
	}
	step = max(step, least).Truncate(time.Second)
	ms := step.Milliseconds()
	s := series.Span{From: from.UnixMilli() / ms * ms, Step: ms}
	s.Count = int((to.UnixMilli() - s.From + ms - 1) / ms)
	if s.Count > MaxPoints {
		return s, fmt.Errorf("%d points are more than the %d that are told at once, so the step is %w: make it longer", s.Count, MaxPoints, ErrInvalid)
	}
	return s, nil
}

// Whole is one step over a time: for means and peaks of all of it.
func Whole(from, to time.Time) series.Span {
	return series.Span{From: from.UnixMilli(), Step: max(1, to.UnixMilli()-from.UnixMilli()), Count: 1}
}

// Series is what is known of one metric of one thing.
type Series struct {
	Device string
	series.Thing
	Metric *series.Metric
	Points []series.Point
}

// Question is what is wanted of a device.
type Question struct {
	Device  string
	Part    series.Part
	Names   []string // of things; nil: all
	Metrics []string // nil: all
}

// metricsOf finds the metrics that are asked for by name; none stands for all.
func metricsOf(p series.Part, names []string) ([]*series.Metric, error) {
	all := series.Metrics(p)
	if len(all) == 0 || p == series.Clock {
		return nil, fmt.Errorf("nothing is kept of a %q: that is %w", p, ErrInvalid)
	}
	if names == nil {
		return all, nil
	}
	out := make([]*series.Metric, len(names))
	for i, n := range names {
		if out[i] = series.Find(p, n); out[i] == nil {
			return nil, fmt.Errorf("a %s has no metric %q: that is %w", p, n, ErrInvalid)
		}
	}
	return out, nil
}

// Ask tells the metrics of things of a device, in the order of their names.
func (h *Service) Ask(ctx context.Context, q Question, span series.Span) ([]Series, error) {
	metrics, err := metricsOf(q.Part, q.Metrics)
	if err != nil {
		return nil, err
	}
	out := []Series{}
	sums := map[seriesKey]*series.Sum{}
	for _, kind := range []series.Source{q.Part.Source(), series.FromBefore} {
		source, err := h.sourceID(ctx, q.Device, kind)
		if err != nil {
			return nil, err
		}
		if source == 0 {
			continue
		}
		known, err := h.store.Things(ctx, source)
		if err != nil {
			return nil, err
		}
		var wants []want
		for _, t := range known {
			if t.Part != q.Part || q.Names != nil && !slices.Contains(q.Names, t.Name) {
				continue
			}
			for _, m := range metrics {
				k := seriesKey{t.Name, m}
				if sums[k] == nil {
					sums[k] = series.NewSum(m, span)
					out = append(out, Series{Device: q.Device, Thing: t.Thing, Metric: m})
				}
				wants = append(wants, want{t, m, sums[k]})
			}
		}
		if err := h.collect(ctx, source, kind, known, wants, span); err != nil {
			return nil, err
		}
	}
	for i, x := range out {
		out[i].Points = sums[seriesKey{x.Name, x.Metric}].Points()
	}
	return out, nil
}

// seriesKey is a series of one part of a device.
type seriesKey struct {
	name   string
	metric *series.Metric
}

// AskClient tells the metrics of a client, wherever it was.
func (h *Service) AskClient(ctx context.Context, mac string, span series.Span) ([]Series, error) {
	things, err := h.store.ThingsNamed(ctx, series.Thing{Part: series.Client, Name: mac})
	if err != nil || len(things) == 0 {
		return []Series{}, err
	}
	out := []Series{}
	for _, m := range series.Metrics(series.Client) {
		sum := series.NewSum(m, span)
		for _, t := range things {
			known, err := h.store.Things(ctx, t.Source)
			if err != nil {
				return nil, err
			}
			if err := h.collect(ctx, t.Source, series.FromInside, known, []want{{t, m, sum}}, span); err != nil {
				return nil, err
			}
		}
		out = append(out, Series{Thing: things[0].Thing, Metric: m, Points: sum.Points()})
	}
	return out, nil
}

// Total adds up a metric over devices. A step is known where it is of any of them.
func (h *Service) Total(ctx context.Context, devices []string, metric string, span series.Span) (Series, error) {
	if _, err := metricsOf(series.Device, []string{metric}); err != nil {
		return Series{}, err
	}
	out := Series{Thing: series.Thing{Part: series.Device}, Metric: series.Find(series.Device, metric), Points: make([]series.Point, span.Count)}
	for _, d := range devices {
		list, err := h.Ask(ctx, Question{Device: d, Part: series.Device, Metrics: []string{metric}}, span)
		if err != nil {
			return out, err
		}
		for _, x := range list {
			for i, p := range x.Points {
				if p.Known {
					t := &out.Points[i]
					t.Known, t.Min, t.Mean, t.Max = true, t.Min+p.Min, t.Mean+p.Mean, t.Max+p.Max
				}
			}
		}
	}
	return out, nil
}

// sourceID is the number of a source; 0 where there is none.
func (h *Service) sourceID(ctx context.Context, device string, kind series.Source) (int64, error) {
	h.mu.Lock()
	s := h.sources[sourceKey{device, kind}]
	h.mu.Unlock()
	if s != nil {
		s.mu.Lock()
		defer s.mu.Unlock()
		if s.id != 0 {
			return s.id, nil
		}
	}
	id, err := h.store.FindSource(ctx, device, kind)
	if errors.Is(err, store.ErrNotFound) {
		return 0, nil
	}
	return id, err
}

// want is one series that is collected.
type want struct {
	store.KnownThing
	metric *series.Metric
	sum    *series.Sum
}

// collect adds up what is kept of series of one source: what is packed, and what is still in the log.
func (h *Service) collect(ctx context.Context, source int64, kind series.Source, known []store.KnownThing, wants []want, span series.Span) error {
	byID, clock := map[int64]series.Thing{}, int64(0)
	for _, t := range known {
		byID[t.ID] = t.Thing
		if t.Part == series.Clock {
			clock = t.ID
		}
	}
	level := series.Coarse
	switch {
	case span.Step < series.Fine.Step() && kind != series.FromBefore: // of the past no readings were handed over, but points
		level = series.Raw
	case span.Step < series.Coarse.Step() || span.Step%series.Coarse.Step() != 0 && span.Count > 1:
		level = series.Fine
	}
	if err := h.collectPacked(ctx, level, kind, clock, wants, span); err != nil {
		return err
	}
	if kind == series.FromBefore { // it may have been handed over in hours only
		if level < series.Coarse {
			return h.collectPacked(ctx, series.Coarse, kind, clock, wants, span)
		}
		return nil
	}
	if span.To() < h.now().UnixMilli()-2*series.Raw.BucketLength() {
		return nil // what is asked for is packed by now
	}
	open, err := h.tables(ctx, source, byID)
	if err != nil {
		return err
	}
	for _, t := range open {
		covered := series.Covered(t.times, span)
		for _, w := range wants {
			if values := t.column(w.ID, w.metric.Slot()); values != nil {
				w.sum.Add(series.Roll(w.metric, t.times, values, span), covered, span)
			}
		}
	}
	return nil
}

func (h *Service) collectPacked(ctx context.Context, level series.Level, kind series.Source, clock int64, wants []want, span series.Span) error {
	for bucket := level.Bucket(span.From); bucket <= level.Bucket(span.To()-1); bucket++ {
		clockKey := series.Key(level, bucket, clock, 0)
		keys := []int64{clockKey}
		for _, w := range wants {
			keys = append(keys, series.Key(level, bucket, w.ID, w.metric.Slot()))
		}
		chunks, err := h.store.Chunks(ctx, keys)
		if err != nil {
			return err
		}
		if chunks[clockKey] == nil {
			continue
		}
		var add func(w want, b []byte) error
		if level == series.Raw {
			add, err = rawAdder(chunks[clockKey], span)
		} else {
			add, err = pointAdder(chunks[clockKey], kind, level.Span(bucket), span)
		}
		if err != nil {
			return err
		}
		for i, w := range wants {
			b := chunks[keys[i+1]]
			if b == nil && !elides(kind) {
				continue
			}
			if err := add(w, b); err != nil {
				return fmt.Errorf("%s %s %s: %w", w.Part, w.Name, w.metric.Name, err)
			}
		}
	}
	return nil
}

// rawAdder returns what adds a packed column of readings to a sum; none stands for zeros.
func rawAdder(clock []byte, span series.Span) (func(want, []byte) error, error) {
	times, err := series.Decode(clock)
	if err != nil {
		return nil, err
	}
	covered := series.Covered(times, span)
	return func(w want, b []byte) error {
		values := make([]int64, len(times))
		if b != nil {
			if values, err = series.Decode(b); err != nil {
				return err
			}
		}
		if len(values) != len(times) {
			return errLayout
		}
		w.sum.Add(series.Roll(w.metric, times, values, span), covered, span)
		return nil
	}, nil
}

// pointAdder is rawAdder for points.
func pointAdder(clock []byte, kind series.Source, bucket, span series.Span) (func(want, []byte) error, error) {
	covered, err := series.Split(clock, 1)
	if err != nil {
		return nil, err
	}
	bucket.Count = len(covered[0])
	return func(w want, b []byte) error {
		columns, err := unpackPoints(b, series.Width(w.metric), bucket.Count, b != nil && fillAbsent(kind, w.metric))
		if err != nil {
			return err
		}
		if bucket.Step > span.Step {
			w.sum.Fill(series.FromColumns(w.metric, columns), covered[0], bucket)
		} else {
			w.sum.Add(series.FromColumns(w.metric, columns), covered[0], bucket)
		}
		return nil
	}, nil
}
