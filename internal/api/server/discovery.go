package server

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/service/discovery"
	"example.net/everypost/internal/store"
)

func (s *server) discoveryRoutes(api huma.API) {
	register(s, api, may(rights.Operate, rights.Discovery), http.MethodPost, "/discoveries", "start-discovery", "Look for devices",
		func(ctx context.Context, in *body[v1.DiscoveryRequest]) (*body[v1.Discovery], error) {
			r, by := in.Body, person(ctx).Name
			d, err := s.Discovery.Start(ctx, discovery.Request{Targets: r.Targets, Port: r.Port, User: r.User, Password: r.Password, Hops: r.Hops, By: by})
			s.audit(ctx, by, "start-discovery", strings.Join(r.Targets, ", "), outcome(err))
			return &body[v1.Discovery]{discoveryOut(d)}, err
		})
	register(s, api, may(rights.See, rights.Discovery), http.MethodGet, "/discoveries", "list-discoveries", "The last searches, the newest first",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.Discovery]], error) {
			list, err := s.Discovery.Searches(ctx)
			return listOf(list, discoveryOut), err
		})
	type numberPath struct {
		Number int64 `path:"number" minimum:"0" maximum:"9007199254740991"`
	}
	register(s, api, may(rights.Operate, rights.Discovery), http.MethodPost, "/discoveries/{number}/cancel", "cancel-discovery", "End a search",
		func(ctx context.Context, in *numberPath) (*struct{}, error) {
			return nil, s.act(ctx, "cancel-discovery", fmt.Sprint(in.Number), nil, func(string) error { return s.Discovery.Cancel(in.Number) })
		})
	register(s, api, may(rights.See, rights.Discovery), http.MethodGet, "/found-devices", "list-found", "What was found and waits to be accepted",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.FoundDevice]], error) {
			list, err := s.Discovery.Found(ctx)
			return listOf(list, foundOut), err
		})
	register(s, api, may(rights.Operate, rights.Devices), http.MethodPost, "/found-devices/accept", "accept-found", "Enrol found devices whose host keys were accepted",
		func(ctx context.Context, in *body[v1.AcceptRequest]) (*body[v1.List[v1.AcceptResult]], error) {
			list := make([]discovery.Acceptance, len(in.Body.Devices))
			for i, a := range in.Body.Devices {
				list[i] = discovery.Acceptance{Address: a.Address, Site: a.Site, Name: a.Name, HostKey: a.HostKey}
			}
			by := person(ctx).Name
			results, err := s.Discovery.Accept(ctx, list, by, func(site string) error { return s.atSite(ctx, operateDevices, site) })
			for _, r := range results {
				s.audit(ctx, by, "enrol", r.Address+" "+r.Device, outcome(r.Err))
			}
			return listOf(results, func(r discovery.Result) v1.AcceptResult {
				out := v1.AcceptResult{Address: r.Address, Device: r.Device}
				if r.Err != nil {
					out.Problem = r.Err.Error()
				}
				return out
			}), err
		})
	register(s, api, may(rights.Operate, rights.Discovery), http.MethodPost, "/found-devices/dismiss", "dismiss-found", "Forget found devices",
		func(ctx context.Context, in *body[v1.DismissRequest]) (*struct{}, error) {
			return nil, s.act(ctx, "dismiss-found", strings.Join(in.Body.Addresses, ", "), nil, func(string) error { return s.Discovery.Dismiss(ctx, in.Body.Addresses) })
		})
}

func discoveryOut(d store.Discovery) v1.Discovery {
	out := v1.Discovery{Number: d.Number, State: d.State, By: d.By, Targets: d.Targets, Hops: d.Hops, StartedAt: d.StartedAt, Asked: d.Asked, Queued: d.Queued,
		Found: d.Found, Known: d.Known, Silent: d.Silent, Refused: d.Refused, Cut: d.Cut}
	if !d.EndedAt.IsZero() {
		out.EndedAt = &d.EndedAt
	}
	if out.Refused == nil {
		out.Refused = map[string]string{}
	}
	return out
}

func foundOut(f store.Found) v1.FoundDevice {
	id := f.Identity
	return v1.FoundDevice{Address: f.Address, HostKey: f.HostKey, Hostname: id.Hostname, Kind: string(id.Kind), Maker: id.Maker, Model: id.Model, Serial: id.Serial,
		Firmware: id.Firmware, Via: f.Via, Site: f.Site, FoundAt: f.FoundAt, Run: f.Run}
}
