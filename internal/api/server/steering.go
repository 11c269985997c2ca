package server

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/steering"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/core/voice"
	"example.net/everypost/internal/service/steerings"
	"example.net/everypost/internal/store"
)

// The most that is gone through, and that is told of one way.
const (
	longestReplay = 7 * 24 * time.Hour
	movesTold     = 50
)

// steeringRoutes are about which tunnels traffic goes over.
func (s *server) steeringRoutes(api huma.API) {
	see := may(rights.See, rights.Devices)
	register(s, api, see, http.MethodGet, "/steering", "list-steered-flows", "Which tunnels the traffic between sites goes over now, by which way, and why",
		func(ctx context.Context, in *struct {
			Where string `query:"where" maxLength:"4000" doc:"A selector: of which edges"`
		}) (*body[v1.List[v1.SteeredFlow]], error) {
			q, err := s.asked(ctx, selector.Device, in.Where)
			if err != nil {
				return nil, err
			}
			far := s.farNames(ctx)
			out := []v1.SteeredFlow{}
			for _, d := range s.Inventory.Devices(q).Rows {
				for _, f := range steerings.Flows(d.Config, d.Inside) {
					out = append(out, flowOut(d.Name, d.Site.Name, f, far))
				}
			}
			slices.SortStableFunc(out, func(a, b v1.SteeredFlow) int { return strings.Compare(a.Device, b.Device) })
			return listOf(out, func(f v1.SteeredFlow) v1.SteeredFlow { return f }), nil
		})
	register(s, api, seeConfigurations, http.MethodGet, "/devices/{name}/steering", "get-steering", "How an edge carries what goes to other sites, how that moved, and what its ways would have come to, as they run or as a draft would make them",
		func(ctx context.Context, in *struct {
			NamePath
			Change int64  `query:"change" minimum:"0" maximum:"9007199254740991" doc:"A draft of which the ways are gone through instead of those that run"`
			Period string `query:"period" maxLength:"10" default:"24h" doc:"How long a time is gone through: 90m, 24h, 7d"`
		}) (*body[v1.Steering], error) {
			out, err := s.steeringOf(ctx, in.Name, in.Change, in.Period)
			return &body[v1.Steering]{out}, err
		})
}

func (s *server) steeringOf(ctx context.Context, name string, draft int64, text string) (out v1.Steering, err error) {
	if err := s.onDevice(ctx, seeConfigurations, name); err != nil {
		return out, missing(err, name)
	}
	v, known := s.Fleet.View(name)
	period, ok := selector.ParseAge(text)
	switch {
	case !known:
		return out, missing(store.ErrNotFound, name)
	case !ok || period < time.Minute || period > longestReplay:
		return out, fmt.Errorf("the period %q is %w: write one from 1m to 7d, such as 24h", text, errInvalid)
	}
	config := v.Config
	if draft > 0 {
		c, err := s.seenChange(ctx, draft)
		if err != nil {
			return out, err
		}
		_, after, err := s.Changes.Configs(ctx, c)
		if err != nil {
			return out, err
		}
		if with, touched := after[name]; touched {
			config = with
		}
	}
	far := s.farNames(ctx)
	out = v1.Steering{Device: name, Steers: v.Config.Has(setting.Steering), Draft: draft, Ways: []v1.SteeringWay{}, Flows: []v1.SteeredFlow{}, Moves: []v1.SteeringMove{}, Replays: []v1.SteeringReplay{}, From: time.Now().Add(-period).UTC()}
	for _, w := range setting.Ways(config) {
		out.Ways = append(out.Ways, v1.SteeringWay{Number: w.Number, Text: w.Text, Traffic: w.Fit(), Note: w.Note})
	}
	for _, f := range steerings.Flows(v.Config, v.Inside) {
		out.Flows = append(out.Flows, flowOut(name, "", f, far))
	}
	fits := map[int]string{} // as it runs: a draft moved nothing yet
	for _, w := range setting.Ways(v.Config) {
		fits[w.Number] = w.Fit()
	}
	if v.Inside.Steered != nil {
		for _, m := range slices.Backward(v.Inside.Steered.Moves) {
			out.Moves = append(out.Moves, v1.SteeringMove{At: m.At, Way: m.Way, Traffic: fits[m.Way], Far: far(m.Remote), From: m.From, To: m.To, Why: m.Why, DelayMs: m.DelayMs, JitterMs: m.JitterMs, LossPercent: m.LossPercent})
		}
	}
	list, err := s.Steerings.Replay(ctx, name, config, v.Inside, period)
	for _, r := range list {
		out.Replays = append(out.Replays, replayOut(r, far))
	}
	return out, err
}

// farNames names edges at the other end: as they call themselves where they are not known here, and not at all where who asks may not see them.
func (s *server) farNames(ctx context.Context) func(remote string) string {
	configs := map[string]network.Config{}
	for _, v := range s.Fleet.Views() {
		configs[v.Name] = v.Config
	}
	nameOf := topology.HostNames(configs)
	may := within(ctx, rights.See, rights.Devices)
	return func(remote string) string {
		name := nameOf(remote)
		switch {
		case name == "":
			return remote
		case s.Inventory.HoldsDevice(name, may):
			return name
		}
		return ""
	}
}

func flowOut(device, site string, f steerings.Flow, far func(string) string) v1.SteeredFlow {
	return v1.SteeredFlow{Device: device, Site: site, Way: f.Way, Traffic: f.Fit, Far: far(f.Remote), Tunnel: f.Tunnel, Second: f.Second, Since: momentOf(f.Since), Why: f.Why, Octets: f.Octets}
}

func replayOut(r steerings.Replayed, far func(string) string) v1.SteeringReplay {
	out := v1.SteeringReplay{Way: r.Way.Number, Traffic: r.Way.Fit(), Far: far(r.Remote), KnownS: int(r.Known.Seconds()), Over: map[string]float64{}, Moves: []v1.SteeringMove{}, Moved: len(r.Moves)}
	for tunnel, part := range r.Over {
		out.Over[tunnel] = math.Round(part*1e4) / 1e4
	}
	for _, m := range r.Moves[max(0, len(r.Moves)-movesTold):] {
		out.Moves = append(out.Moves, v1.SteeringMove{At: m.At, Way: r.Way.Number, Traffic: r.Way.Fit(), Far: far(r.Remote), From: m.From, To: m.To, Why: m.Why, DelayMs: *digits(m.Was.DelayMs), JitterMs: *digits(m.Was.JitterMs), LossPercent: *digits(m.Was.LossPercent)})
	}
	if r.Known > 0 {
		out.With, out.Without = callsOut(r.With), callsOut(r.Unled)
	}
	return out
}

func callsOut(c steering.Calls) *v1.SteeringCalls {
	return &v1.SteeringCalls{Rating: *digits(c.Rating), Opinion: *digits(voice.Opinion(c.Rating)), Worst: *digits(c.Worst), BadS: int(c.Bad.Seconds()), Category: voice.Category(c.Rating)}
}
