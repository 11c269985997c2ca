package server

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/fact/words"
	"example.net/everypost/internal/core/microwave"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/radiolink"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/radiolinks"
	"example.net/everypost/internal/store"
)

// radioLinkRoutes are about the radio links between sites.
func (s *server) radioLinkRoutes(api huma.API) {
	see := may(rights.See, rights.Devices)
	register(s, api, see, http.MethodGet, "/radio-links", "list-radio-links", "The radio links between sites, each once with both its ends: how they are set, what they hear, and why those are down that are",
		func(ctx context.Context, in *struct {
			Where string `query:"where" maxLength:"4000" doc:"A selector: at which devices"`
		}) (*body[v1.List[v1.RadioLink]], error) {
			q, err := s.asked(ctx, selector.Device, in.Where)
			if err != nil {
				return nil, err
			}
			sites := map[string]string{}
			for _, d := range s.Inventory.Devices(q).Rows {
				sites[d.Name] = d.Site.Name
			}
			list, err := s.RadioLinks.Links(ctx)
			if err != nil {
				return nil, err
			}
			out := []v1.RadioLink{}
			for _, l := range list {
				if _, picked := sites[l.Near.At.Device]; !picked && l.Far != nil { // seen from the end that was asked for
					l = l.Turned()
				}
				if _, picked := sites[l.Near.At.Device]; picked {
					out = append(out, s.radioLinkOut(ctx, l))
				}
			}
			slices.SortFunc(out, func(a, b v1.RadioLink) int { return strings.Compare(a.Near.Device, b.Near.Device) })
			return listOf(out, func(l v1.RadioLink) v1.RadioLink { return l }), nil
		})
	register(s, api, see, http.MethodGet, "/devices/{name}/radio-link", "get-radio-link", "The radio link of a device with both its ends, and how they fared: levels, errored and unavailable seconds (ITU-T G.828), how much of it was used",
		func(ctx context.Context, in *struct {
			NamePath
			Period string `query:"period" maxLength:"10" default:"24h" doc:"Over how long a time: 90m, 24h, 30d"`
		}) (*body[v1.RadioLinkPage], error) {
			period, ok := selector.ParseAge(in.Period)
			if !ok || period < 10*time.Minute || period > longestFared {
				return nil, fmt.Errorf("the period %q is %w: write one from 10m to 90d, such as 24h", in.Period, errInvalid)
			}
			l, err := s.radioLinkAt(ctx, in.Name)
			if err != nil {
				return nil, err
			}
			out := v1.RadioLinkPage{Link: s.radioLinkOut(ctx, l), Period: in.Period, Fared: []v1.RadioLinkFared{}}
			ends := []radiolink.End{l.Near}
			if out.Link.Far != nil {
				ends = append(ends, *l.Far)
			} else {
				l.Far = nil // not to be seen, by what is left of it either
			}
			for _, e := range ends {
				f, err := s.RadioLinks.Fared(ctx, e.At, period)
				if err != nil {
					return nil, err
				}
				out.Fared = append(out.Fared, faredOut(e.At.Device, f))
			}
			if left, known := l.Left(out.Fared[0].RxPeakMbps, out.Fared[0].TxPeakMbps); known {
				out.Left = digits(left)
			}
			return &body[v1.RadioLinkPage]{out}, nil
		})
	operate := may(rights.Operate, rights.Devices)
	register(s, api, operate, http.MethodPut, "/devices/{name}/radio-link/licence", "put-radio-licence", "Say by what right a device sends over its radio link; it is kept here, and nothing is sent to the device",
		func(ctx context.Context, in *struct {
			NamePath
			Body v1.RadioLicence
		}) (*body[v1.RadioLink], error) {
			at, err := s.radioEndOf(ctx, operate, in.Name)
			b := in.Body
			l := radiolink.Licence{Device: at.Device, Port: at.Port, Number: b.Number, Authority: b.Authority, TxMHz: b.TxMHz, WidthMHz: b.WidthMHz, Polarization: b.Polarization, MostDbm: b.MostDbm, Ends: b.Ends, Notes: b.Notes}
			err = s.act(ctx, "put-radio-licence", in.Name, err, func(string) error {
				_, err := s.RadioLinks.Licence(ctx, l)
				return err
			})
			if err != nil {
				return nil, err
			}
			now, err := s.radioLinkAt(ctx, in.Name)
			return &body[v1.RadioLink]{s.radioLinkOut(ctx, now)}, err
		})
	register(s, api, operate, http.MethodDelete, "/devices/{name}/radio-link/licence", "remove-radio-licence", "Forget by what right a device sends over its radio link",
		func(ctx context.Context, in *NamePath) (*struct{}, error) {
			at, err := s.radioEndOf(ctx, operate, in.Name)
			return nil, s.act(ctx, "remove-radio-licence", in.Name, err, func(string) error {
				return missing(s.RadioLinks.Unlicence(ctx, at), "radio licence of "+in.Name)
			})
		})
	register(s, api, may(rights.Change, rights.Ports), http.MethodPost, "/devices/{name}/radio-link", "set-radio-link", "Put into a draft how both ends of a radio link are to send and hear: what one is to send on the other is to hear on",
		func(ctx context.Context, in *struct {
			NamePath
			Body v1.RadioLinkRequest
		}) (*body[v1.BulkAnswer], error) {
			l, err := s.radioLinkAt(ctx, in.Name)
			if err != nil {
				return nil, err
			}
			if l.Far == nil || !s.seesEnd(ctx, *l.Far) {
				return nil, fmt.Errorf("%w: the other end of the radio link of %s is not known here, or not yours to see: set this end by itself, as a port", errInvalid, in.Name)
			}
			for name := range in.Body.Set {
				if _, both := setting.AtFarEnd(name); !both {
					return nil, fmt.Errorf("%w: %q is not set at both ends of a radio link: there are %s", errInvalid, name, strings.Join(setting.OfBothEnds(), ", "))
				}
			}
			near, far := radiolink.BothEnds(in.Body.Set)
			rows, err := s.rows(ctx, []v1.BulkRow{{On: []string{l.Near.At.String()}, Set: near}, {On: []string{l.Far.At.String()}, Set: far}})
			if err != nil {
				return nil, err
			}
			why := in.Body.Why
			if why == "" {
				why = fmt.Sprintf("Set both ends of the radio link between %s and %s", l.Near.At.Device, l.Far.At.Device)
			}
			return s.bulk(ctx, in.Body.Change, why, rows)
		})
}

// longestFared is the longest time of which it is told how a link fared.
const longestFared = 90 * 24 * time.Hour

// radioEndOf is the end of a radio link that a device is, if who asks may do something about it.
func (s *server) radioEndOf(ctx context.Context, n need, device string) (network.PortRef, error) {
	l, err := s.radioLinkAt(ctx, device)
	if err == nil {
		err = s.onDevice(ctx, n, device)
	}
	return l.Near.At, err
}

// radioLinkAt is the radio link of a device, if who asks may see that.
func (s *server) radioLinkAt(ctx context.Context, device string) (radiolinks.Link, error) {
	if err := s.onDevice(ctx, may(rights.See, rights.Devices), device); err != nil {
		return radiolinks.Link{}, missing(err, device)
	}
	l, ok, err := s.RadioLinks.Of(ctx, device)
	if err == nil && !ok {
		err = fmt.Errorf("radio link of %s: %w", device, store.ErrNotFound)
	}
	return l, err
}

func (s *server) seesEnd(ctx context.Context, e radiolink.End) bool {
	return s.Inventory.HoldsDevice(e.At.Device, within(ctx, rights.See, rights.Devices))
}

func (s *server) radioLinkOut(ctx context.Context, l radiolinks.Link) v1.RadioLink {
	out := v1.RadioLink{Near: s.radioEndOut(l.Near, l.Far), Up: l.Near.Up && (l.Far == nil || l.Far.Up), Why: []string{}}
	if l.Far != nil && !s.seesEnd(ctx, *l.Far) {
		l.Far, out.Up = nil, l.Near.Up
	}
	if l.Far != nil {
		far := s.radioEndOut(*l.Far, &l.Near)
		out.Far = &far
	}
	for _, w := range l.Why() {
		out.Why = append(out.Why, words.English.RadioLink(w))
	}
	return out
}

func (s *server) radioEndOut(e radiolink.End, other *radiolink.End) v1.RadioLinkEnd {
	t := e.Told
	out := v1.RadioLinkEnd{Device: e.At.Device, Port: e.At.Port, Up: e.Up, Away: e.Away, Sends: t.On, TxMHz: t.TxMHz, RxMHz: t.RxMHz, SeparationMHz: t.SeparationMHz, Polarization: t.Polarization,
		PowerMode: "fixed", NominalDbm: t.PowerDbm, Lowest: strings.ToUpper(string(t.Lowest)), Highest: strings.ToUpper(string(t.Highest))}
	if t.Automatic {
		out.PowerMode = "automatic"
	}
	if d, _, err := s.Inventory.Device(e.At.Device); err == nil {
		out.Site = d.Site.Name
	}
	if need, known := microwave.Threshold(t.Lowest, t.SeparationMHz); known {
		out.NeedDbm = tenth(need)
	}
	if l := e.Licence; l != nil {
		out.Licence = &v1.RadioLicence{Number: l.Number, Authority: l.Authority, TxMHz: l.TxMHz, WidthMHz: l.WidthMHz, Polarization: l.Polarization, MostDbm: l.MostDbm, Ends: l.Ends, Notes: l.Notes}
		for _, code := range l.Wrong(t, time.Now()) {
			out.Breach = append(out.Breach, words.English.Alarm(alarm.RadioLicence, e.At.String(), l.Args(t, code)).What)
		}
	}
	r := e.Read
	if r == nil {
		return out
	}
	out.Modulation, out.CapacityMbps, out.DistanceKm, out.ExpectedDbm = r.Modulation, r.CapacityMbps, r.DistanceKm, r.ExpectedDbm
	if other != nil { // as both are set: the other end cannot tell while the link is down
		if dBm, known := radiolink.Expected(other.Told, t, r); known {
			out.ExpectedDbm = tenth(dBm)
		}
	}
	if r.Sends {
		out.SentDbm = tenth(r.SentDbm)
	}
	if r.ReceivedDbm != 0 {
		out.ReceivedDbm = tenth(r.ReceivedDbm)
	}
	return out
}

func tenth(f float64) *float64 {
	f = microwave.Tenth(f)
	return &f
}

func faredOut(device string, f radiolinks.Fared) v1.RadioLinkFared {
	out := v1.RadioLinkFared{Device: device, KnownS: int(f.Known.Seconds()), CountedS: int(f.Seconds), ErroredS: microwave.Tenth(f.Errored), SeverelyS: microwave.Tenth(f.Severely), UnavailableS: microwave.Tenth(f.Unavailable),
		ESR: *digits(f.ESR()), SESR: *digits(f.SESR()), Availability: f.Available(), CapacityMbps: f.CapacityMbps, RxPeakMbps: *digits(f.RxPeak), RxMostMbps: *digits(f.RxMost95), TxPeakMbps: *digits(f.TxPeak),
		TxMostMbps: *digits(f.TxMost95), StepS: int(f.Step.Seconds())}
	if f.Lowest != 0 {
		out.LowestDbm, out.HighestDbm = tenth(f.Lowest), tenth(f.Highest)
	}
	return out
}
