// Package radiolinks tells of the radio links between sites with both their ends: how they are set, what they hear, how they fared and how much of what they
// carry is used.
package radiolinks

import (
	"context"
	"time"

	"example.net/everypost/internal/core/microwave"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/radiolink"
	"example.net/everypost/internal/core/series"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/changes"
	"example.net/everypost/internal/service/history"
)

// Network is where the package learns what there is.
type Network interface {
	Network(ctx context.Context) (changes.Network, error)
}

// History is where it is told how links fared.
type History interface {
	Ask(ctx context.Context, q history.Question, span series.Span) ([]history.Series, error)
	Fit(from, to time.Time, step time.Duration, points int) (series.Span, error)
}

// Licences is where rights to send are kept.
type Licences interface {
	RadioLicences(ctx context.Context) ([]radiolink.Licence, error)
	PutRadioLicence(ctx context.Context, l radiolink.Licence) error
	DropRadioLicence(ctx context.Context, device, port string) error
}

// Service is the capability.
type Service struct {
	Licences Licences
	Network  Network
	History  History
	Now      func() time.Time
}

// Licence keeps by what right an end of a radio link sends.
func (s *Service) Licence(ctx context.Context, l radiolink.Licence) (radiolink.Licence, error) {
	if err := l.Check(); err != nil {
		return l, err
	}
	return l, s.Licences.PutRadioLicence(ctx, l)
}

// Unlicence forgets that.
func (s *Service) Unlicence(ctx context.Context, at network.PortRef) error {
	return s.Licences.DropRadioLicence(ctx, at.Device, at.Port)
}

// Link is a radio link. Far is nil where nothing is known of the other end.
type Link struct {
	Near radiolink.End
	Far  *radiolink.End
}

// Turned is the link as seen from its far end, which must be known.
func (l Link) Turned() Link {
	near := l.Near
	return Link{Near: *l.Far, Far: &near}
}

// Why tells why it is down, the gravest first; nothing where it is up.
func (l Link) Why() []radiolink.Why { return radiolink.WhyDown(l.Near, l.Far) }

// Left is what is left of what the link carries now, beside the busiest that it was, in Mbit/s: this end receives by its own modulation, and sends by that of the
// other end.
func (l Link) Left(rxPeak, txPeak float64) (mbps float64, known bool) {
	if !l.Near.Up || l.Near.Read == nil {
		return 0, false
	}
	mbps = float64(l.Near.Read.CapacityMbps) - rxPeak
	if l.Far != nil && l.Far.Read != nil {
		mbps = min(mbps, float64(l.Far.Read.CapacityMbps)-txPeak)
	}
	return max(mbps, 0), true
}

// Links lists the radio links, each once.
func (s *Service) Links(ctx context.Context) ([]Link, error) {
	n, err := s.Network.Network(ctx)
	if err != nil {
		return nil, err
	}
	var out []Link
	cables := make([][2]network.PortRef, len(n.Links))
	for i, l := range n.Links {
		cables[i] = [2]network.PortRef{l.A, l.B}
	}
	for _, p := range radiolink.Pairs(n.Configs, cables) {
		l := Link{Near: endOf(n, p.Near)}
		if p.Far.Device != "" {
			far := endOf(n, p.Far)
			l.Far = &far
		}
		out = append(out, l)
	}
	return out, nil
}

func endOf(n changes.Network, at network.PortRef) radiolink.End {
	told, _ := setting.CarrierAt(n.Configs[at.Device], at.Port)
	e := radiolink.End{At: at, Told: told, Read: n.Insides[at.Device].RadioLink, Away: n.Gone[at.Device]}
	e.Up = n.States[at.Device].Ports[at.Port].Oper == network.Up && !e.Away
	for _, l := range n.Licences {
		if l.Device == at.Device && l.Port == at.Port {
			e.Licence = &l
		}
	}
	return e
}

// Of is the radio link of a device, which is its near end. ok is false where it has none.
func (s *Service) Of(ctx context.Context, device string) (l Link, ok bool, err error) {
	list, err := s.Links(ctx)
	for _, l := range list {
		if l.Near.At.Device == device {
			return l, true, err
		}
		if l.Far != nil && l.Far.At.Device == device {
			return l.Turned(), true, err
		}
	}
	return Link{}, false, err
}

// Fared is how an end of a link fared over a time.
type Fared struct {
	microwave.Performance
	Lowest, Highest float64 // dBm received; 0 where it is not known
	CapacityMbps    float64 // the least that it carried in a step
	// How much of it was used, of the mean of steps: the highest, and what 95 of 100 steps stayed below. Rx is what this end received.
	RxPeak, RxMost95, TxPeak, TxMost95 float64 // Mbit/s
	Known                              time.Duration
	Step                               time.Duration
}

// A time is looked at in steps of five minutes, or so many.
const steps = 2016

// Fared tells how an end fared over the time before now.
func (s *Service) Fared(ctx context.Context, at network.PortRef, period time.Duration) (Fared, error) {
	now := s.Now()
	span, err := s.History.Fit(now.Add(-period), now, 0, min(int(period/time.Minute), steps))
	if err != nil {
		return Fared{}, err
	}
	air, err := s.History.Ask(ctx, history.Question{Device: at.Device, Part: series.RadioLink}, span)
	if err != nil {
		return Fared{}, err
	}
	port, err := s.History.Ask(ctx, history.Question{Device: at.Device, Part: series.Port, Names: []string{at.Port}, Metrics: []string{"rx", "tx"}}, span)
	if err != nil {
		return Fared{}, err
	}
	return fared(air, port, time.Duration(span.Step)*time.Millisecond), nil
}

func fared(air, port []history.Series, step time.Duration) Fared {
	f := Fared{Step: step}
	for _, s := range air {
		seconds := 0.0 // of which the counters tell a part in percent
		for _, p := range s.Points {
			if !p.Known {
				continue
			}
			part := p.Mean / 100 * step.Seconds()
			switch s.Metric.Name {
			case "received":
				if f.Lowest == 0 || p.Min < f.Lowest {
					f.Lowest = p.Min
				}
				if f.Highest == 0 || p.Max > f.Highest {
					f.Highest = p.Max
				}
			case "capacity":
				if f.Known == 0 || p.Min < f.CapacityMbps {
					f.CapacityMbps = p.Min
				}
				f.Known += step
			case "es":
				f.Errored += part
				seconds += step.Seconds()
			case "ses":
				f.Severely += part
			case "uas":
				f.Unavailable += part
			}
		}
		f.Seconds += seconds
	}
	if f.Unavailable > 0 {
		f.CapacityMbps = 0
	}
	for _, s := range port {
		var list []float64
		for _, p := range s.Points {
			if p.Known {
				list = append(list, p.Mean/1e6)
			}
		}
		peak, most := microwave.Most(list)
		if s.Metric.Name == "rx" {
			f.RxPeak, f.RxMost95 = peak, most
		} else {
			f.TxPeak, f.TxMost95 = peak, most
		}
	}
	return f
}
