package history

import (
	"context"
	"slices"
	"time"

	"example.net/everypost/internal/core/series"
)

// Volume is what went through a port in an hour, a day or a month, in octets.
type Volume struct {
	From   time.Time
	Rx, Tx float64
	Known  bool // whether anything was read in it
}

// Volumes adds up what went through a port, by whole hours, days or months of a zone, over stretches that are read one after another.
func (s *Service) Volumes(ctx context.Context, device, port, by string, from, to time.Time, zone *time.Location) ([]Volume, error) {
	from = from.In(zone)
	switch by {
	case "hour":
		from = time.Date(from.Year(), from.Month(), from.Day(), from.Hour(), 0, 0, 0, zone)
	case "day":
		from = time.Date(from.Year(), from.Month(), from.Day(), 0, 0, 0, 0, zone)
	case "month":
		from = time.Date(from.Year(), from.Month(), 1, 0, 0, 0, 0, zone)
	}
	var out []Volume
	for begin := from.UTC().Truncate(time.Hour); begin.Before(to); begin = begin.Add(MaxPoints * time.Hour / 2) {
		end := begin.Add(MaxPoints * time.Hour / 2)
		if end.After(to) {
			end = to
		}
		span, err := s.Fit(begin, end, time.Hour, 0)
		if err != nil {
			return nil, err
		}
		list, err := s.Ask(ctx, Question{Device: device, Part: series.Port, Names: []string{port}, Metrics: []string{"rx", "tx"}}, span)
		if err != nil {
			return nil, err
		}
		for _, x := range list {
			for _, b := range series.Volumes(span, x.Points, by, zone) {
				i := slices.IndexFunc(out, func(v Volume) bool { return v.From.Equal(b.From) })
				if i < 0 {
					i = len(out)
					out = append(out, Volume{From: b.From})
				}
				v := &out[i]
				v.Known = v.Known || b.Known
				if x.Metric.Name == "rx" {
					v.Rx += b.Octets
				} else {
					v.Tx += b.Octets
				}
			}
		}
	}
	slices.SortFunc(out, func(a, b Volume) int { return a.From.Compare(b.From) })
	return out, nil
}
