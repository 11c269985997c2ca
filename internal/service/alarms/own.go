package alarms

import (
	"context"
	"fmt"
	"math"
	"slices"
	"time"

	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/series"
	"example.net/everypost/internal/service/history"
)

// The rules of the house: the readings of what they pick are held against them at each look.

const (
	maxRules = 100
	// What a rule is tried on, at most: what is kept of more would take too long to read.
	tryDevices  = 200
	tryThings   = 2_000
	tryEpisodes = 200
	tryFor      = 7 * 24 * time.Hour
	tryStep     = 10 * time.Minute
)

// History is what is kept of readings.
type History interface {
	Ask(ctx context.Context, q history.Question, span series.Span) ([]history.Series, error)
	Fit(from, to time.Time, step time.Duration, points int) (series.Span, error)
}

// own is what is remembered of the rules of the house.
type own struct {
	rules  []compiledRule
	meters map[meterKey]*series.Meter
	fits   map[fitKey]alarm.Fit
}

type compiledRule struct {
	alarm.Rule
	metric *series.Metric
	pick   selector.Expr
}

type meterKey struct {
	device string
	source series.Source
}

type fitKey struct{ rule, device, thing string }

// Rules lists the rules of the house by name.
func (s *Service) Rules(ctx context.Context) ([]alarm.Rule, error) { return s.store.AlarmRules(ctx) }

// PutRule makes a rule, or replaces it.
func (s *Service) PutRule(ctx context.Context, r alarm.Rule) (alarm.Rule, error) {
	if err := s.check(ctx, &r); err != nil {
		return r, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	all, err := s.store.AlarmRules(ctx)
	if err != nil {
		return r, err
	}
	if len(all) >= maxRules && !slices.ContainsFunc(all, func(o alarm.Rule) bool { return o.Name == r.Name }) {
		return r, fmt.Errorf("%w: there are %d already, which is as many as there may be", alarm.ErrRule, maxRules)
	}
	if err := s.store.PutAlarmRule(ctx, r); err != nil {
		return r, err
	}
	for k := range s.own.fits {
		if k.rule == r.Name {
			delete(s.own.fits, k) // it begins anew
		}
	}
	return r, s.readRules(ctx)
}

// RemoveRule removes one. Its alarms are over with it.
func (s *Service) RemoveRule(ctx context.Context, name string) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if err := s.store.DropAlarmRule(ctx, name); err != nil {
		return err
	}
	return s.readRules(ctx)
}

func (s *Service) check(ctx context.Context, r *alarm.Rule) error {
	if err := network.CheckName(r.Name); err != nil {
		return fmt.Errorf("%w: %w", alarm.ErrRule, err)
	}
	if err := r.Check(); err != nil {
		return err
	}
	_, err := s.picked(ctx, *r)
	return err
}

func (s *Service) picked(ctx context.Context, r alarm.Rule) (selector.Expr, error) {
	e, err := catalog.Network.Parse(r.Pick)
	if err != nil {
		return nil, err
	}
	return s.expand(ctx, e)
}

// readRules reads the rules that hold. It is called with the lock held.
func (s *Service) readRules(ctx context.Context) error {
	all, err := s.store.AlarmRules(ctx)
	if err != nil {
		return err
	}
	s.own.rules = nil
	for _, r := range all {
		if metric := series.Find(r.Part, r.Metric); metric != nil && !r.Off {
			s.own.rules = append(s.own.rules, compiledRule{Rule: r, metric: metric})
		}
	}
	return nil
}

// beginOwn has the rules hold from what is known: an alarm that is open stands until a reading says otherwise.
func (s *Service) beginOwn(ctx context.Context) error {
	s.own = own{meters: map[meterKey]*series.Meter{}, fits: map[fitKey]alarm.Fit{}}
	return s.readRules(ctx)
}

// thingsOf lists what a rule picks, by device, in the order of devices: of ports their names, else "" for whatever the device has of the part.
func (s *Service) thingsOf(r compiledRule) (devices []*catalog.Device, ports map[string][]string) {
	q := catalog.Query{Where: r.pick, Limit: math.MaxInt, Now: s.now()}
	if r.Part != series.Port {
		return s.inventory.Devices(q).Rows, nil
	}
	ports = map[string][]string{}
	for _, p := range s.inventory.Ports(q).Rows {
		if ports[p.Ref.Device] == nil {
			devices = append(devices, p.Device)
		}
		ports[p.Ref.Device] = append(ports[p.Ref.Device], p.Ref.Port)
	}
	return devices, ports
}

// standingByRules lists what is out of order by the rules of the house. It is called with the lock held.
func (s *Service) standingByRules(ctx context.Context) (out []alarm.Condition) {
	if len(s.own.rules)+len(s.own.fits)+len(s.own.meters) == 0 {
		return nil
	}
	open := map[fitKey]bool{}
	seen, used := map[fitKey]bool{}, map[meterKey]bool{}
	for _, a := range s.known {
		if a.Type == alarm.OwnRule && a.ClearedAt.IsZero() {
			rule, _ := a.Args["rule"].(string)
			open[fitKey{rule, a.Subject.OnDevice(), thingOf(a, rule)}] = true
		}
	}
	at := s.now()
	for _, r := range s.own.rules {
		var err error
		if r.pick, err = s.picked(ctx, r.Rule); err != nil {
			s.log.Error("a rule for alarms picks nothing any more", "rule", r.Name, "err", err)
			continue
		}
		devices, ports := s.thingsOf(r)
		for _, d := range devices {
			m := s.meter(d, r.Part)
			used[meterKey{d.Name, r.Part.Source()}] = true
			things := ports[d.Name]
			if ports == nil {
				things = m.Things(r.Part)
				for k := range s.own.fits { // what was there and is no more
					if k.rule == r.Name && k.device == d.Name && !slices.Contains(things, k.thing) {
						things = append(things, k.thing)
					}
				}
			}
			for _, thing := range things {
				k := fitKey{r.Name, d.Name, thing}
				seen[k] = true
				fit, known := s.own.fits[k]
				if !known && open[k] {
					fit = alarm.Stands()
				}
				value, read := m.Value(thing, r.metric)
				if d.Reach != network.ReachConnected {
					s.own.fits[k] = fit // nobody can say
				} else {
					s.own.fits[k] = r.Next(fit, at, value, read)
				}
				if s.own.fits[k].On {
					out = append(out, r.Condition(d.Name, thing, value))
				}
			}
		}
	}
	for k := range s.own.fits {
		if !seen[k] {
			delete(s.own.fits, k)
		}
	}
	for k := range s.own.meters {
		if !used[k] {
			delete(s.own.meters, k)
		}
	}
	return out
}

// thingOf is of which thing of its device an alarm of a rule is.
func thingOf(a alarm.Alarm, rule string) string {
	if port := a.Subject.PortName(); port != "" {
		return port
	}
	if len(a.Name) > len(rule)+1 {
		return a.Name[len(rule)+1:]
	}
	return ""
}

// meter is that of a device, with the newest reading taken.
func (s *Service) meter(d *catalog.Device, p series.Part) *series.Meter {
	k := meterKey{d.Name, p.Source()}
	m := s.own.meters[k]
	if m == nil {
		m = &series.Meter{}
		s.own.meters[k] = m
	}
	switch at := d.State.ObservedAt; {
	case k.source == series.FromState && at.After(m.At()):
		m.Read(at, series.Ports(d.State))
	case k.source == series.FromInside && d.Inside.ObservedAt.After(m.At()):
		m.Read(d.Inside.ObservedAt, series.Inside(d.Inside, d.State.Power, int64(s.clientsAt(d.Name))))
	}
	return m
}

// Trial is when a rule would have had alarms in the time that is kept.
type Trial struct {
	From, To time.Time
	Step     time.Duration
	Things   int  // whose readings were looked at
	More     bool // it picks more things than were looked at
	Total    int  // alarms
	Times    []TrialTime
}

// TrialTime is one of the alarms.
type TrialTime struct {
	Device, Thing string
	alarm.Episode
}

// TryRule tells when a rule would have had alarms in the last seven days, the newest first.
func (s *Service) TryRule(ctx context.Context, r alarm.Rule) (Trial, error) {
	if err := s.check(ctx, &r); err != nil {
		return Trial{}, err
	}
	pick, err := s.picked(ctx, r)
	if err != nil {
		return Trial{}, err
	}
	to := s.now()
	span, err := s.history.Fit(to.Add(-tryFor), to, tryStep, 0)
	if err != nil {
		return Trial{}, err
	}
	devices, ports := s.thingsOf(compiledRule{Rule: r, pick: pick})
	out := Trial{From: time.UnixMilli(span.From).UTC(), To: to.UTC(), Step: time.Duration(span.Step) * time.Millisecond, Times: []TrialTime{}}
	for i, d := range devices {
		if i >= tryDevices || out.Things >= tryThings {
			out.More = true
			break
		}
		all, err := s.history.Ask(ctx, history.Question{Device: d.Name, Part: r.Part, Names: ports[d.Name], Metrics: []string{r.Metric}}, span)
		if err != nil {
			return Trial{}, err
		}
		for _, one := range all {
			out.Things++
			for _, e := range r.Episodes(span, one.Points) {
				out.Total++
				out.Times = append(out.Times, TrialTime{d.Name, one.Name, e})
			}
		}
	}
	slices.SortFunc(out.Times, func(a, b TrialTime) int { return b.From.Compare(a.From) })
	out.Times = out.Times[:min(len(out.Times), tryEpisodes)]
	return out, nil
}
