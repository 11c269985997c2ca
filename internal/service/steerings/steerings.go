// Package steerings tells which tunnels the traffic of edges goes over and by which way, and what ways would have come to over a time that was measured.
package steerings

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/series"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/steering"
	"example.net/everypost/internal/service/history"
)

// History is where it is told how tunnels were measured.
type History interface {
	Ask(ctx context.Context, q history.Question, span series.Span) ([]history.Series, error)
	Fit(from, to time.Time, step time.Duration, points int) (series.Span, error)
}

// Service is the capability.
type Service struct {
	History History
	Now     func() time.Time
}

// Flow is traffic of a way to another edge as it goes now.
type Flow struct {
	network.Flow
	Fit string // which traffic it is: of the way, as it is set; "" for all else
}

// Flows are those of an edge, by the other end and in the order of its ways; what no way fits comes last.
func Flows(c network.Config, in network.Inside) (out []Flow) {
	if in.Steered == nil {
		return nil
	}
	fits := map[int]string{}
	for _, w := range setting.Ways(c) {
		fits[w.Number] = w.Fit()
	}
	for _, f := range in.Steered.Flows {
		out = append(out, Flow{f, fits[f.Way]})
	}
	last := func(f Flow) int { return (f.Way + 65535) % 65536 }
	slices.SortStableFunc(out, func(a, b Flow) int { return cmp.Or(strings.Compare(a.Remote, b.Remote), cmp.Compare(last(a), last(b))) })
	return out
}

// Replayed is what a way would have come to for the traffic to another edge.
type Replayed struct {
	Way    setting.Way
	Remote string
	steering.Outcome
}

// A time is gone through minute by minute, a longer one in so many steps.
const (
	step  = time.Minute
	steps = 1440
)

// Replay tells what the ways of a configuration would have come to over the time before now, by how the edge measured its tunnels then.
func (s *Service) Replay(ctx context.Context, device string, c network.Config, in network.Inside, period time.Duration) ([]Replayed, error) {
	now := s.Now()
	span, err := s.History.Fit(now.Add(-period), now, 0, min(int(period/step), steps))
	if err != nil {
		return nil, err
	}
	measured, err := s.samples(ctx, device, in.Tunnels, span)
	if err != nil {
		return nil, err
	}
	var out []Replayed
	every := time.Duration(span.Step) * time.Millisecond
	for _, w := range setting.Ways(c) {
		for _, remote := range remotes(in.Tunnels) {
			out = append(out, Replayed{Way: w, Remote: remote, Outcome: w.Rule.Replay(measured[remote], every)})
		}
	}
	return out, nil
}

func remotes(tunnels []network.Tunnel) (out []string) {
	for _, t := range tunnels {
		if !slices.Contains(out, t.RemoteSystem) {
			out = append(out, t.RemoteSystem)
		}
	}
	slices.Sort(out)
	return out
}

// samples are how the tunnels to each other edge were measured. A step in which nothing is known of any of them is none; a tunnel of which nothing is known
// is one that was down.
func (s *Service) samples(ctx context.Context, device string, tunnels []network.Tunnel, span series.Span) (map[string][]steering.Sample, error) {
	known, err := s.known(ctx, device, span)
	if err != nil {
		return nil, err
	}
	out := map[string][]steering.Sample{}
	for i := range span.Count {
		at := time.UnixMilli(span.From + int64(i)*span.Step).UTC()
		for remote, paths := range steering.To(tunnels) {
			any := false
			for k := range paths {
				any = measure(&paths[k], known[paths[k].Tunnel], i) || any
			}
			if any {
				out[remote] = append(out[remote], steering.Sample{At: at, Paths: paths})
			}
		}
	}
	return out, nil
}

// Day is how the tunnels of an edge fared in the steps of a span, in the severities of alarms, by name; "" where nothing was bad, or nothing is known.
func (s *Service) Day(ctx context.Context, device string, tunnels []network.Tunnel, span series.Span) (map[string][]string, error) {
	known, err := s.known(ctx, device, span)
	if err != nil {
		return nil, err
	}
	out := map[string][]string{}
	for _, paths := range steering.To(tunnels) {
		for _, p := range paths {
			steps := make([]string, span.Count)
			for i := range steps {
				if measure(&p, known[p.Tunnel], i) {
					steps[i] = steering.Fared(p, known[p.Tunnel]["up"][i].Mean)
				}
			}
			out[p.Tunnel] = steps
		}
	}
	return out, nil
}

// known is what was read of the tunnels of an edge, by name and metric.
func (s *Service) known(ctx context.Context, device string, span series.Span) (map[string]map[string][]series.Point, error) {
	list, err := s.History.Ask(ctx, history.Question{Device: device, Part: series.Tunnel, Metrics: []string{"delay", "jitter", "loss", "up"}}, span)
	if err != nil {
		return nil, err
	}
	out := map[string]map[string][]series.Point{}
	for _, x := range list {
		if out[x.Name] == nil {
			out[x.Name] = map[string][]series.Point{}
		}
		out[x.Name][x.Metric.Name] = x.Points
	}
	return out, nil
}

// measure fills a path in with what was read of it in a step, and tells whether anything was.
func measure(p *steering.Path, of map[string][]series.Point, i int) bool {
	at := func(metric string) (float64, bool) {
		if points := of[metric]; i < len(points) {
			return points[i].Mean, points[i].Known
		}
		return 0, false
	}
	up, known := at("up")
	p.Up = known && up >= 0.5
	p.DelayMs, _ = at("delay")
	p.JitterMs, _ = at("jitter")
	p.LossPercent, _ = at("loss")
	return known
}
