package server

import (
	"context"
	"fmt"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/changes"
	"example.net/everypost/internal/store"
)

func (s *server) setupRoutes(api huma.API) {
	register(s, api, may(rights.Change, rights.Ports), http.MethodPost, "/changes/setup", "set-up", "Put the first set-up of devices, or of all of a site, into a draft",
		func(ctx context.Context, in *body[v1.SetupRequest]) (*body[v1.SetupAnswer], error) {
			setup, err := s.setupIn(ctx, in.Body)
			if err != nil {
				return nil, err
			}
			rows, notes, err := s.Changes.SetupRows(ctx, setup)
			if err != nil {
				return nil, fmt.Errorf("%w: %w", errInvalid, err)
			}
			edits, results, err := s.plan(ctx, in.Body.Change, rows)
			if err != nil {
				return nil, err
			}
			out := v1.SetupAnswer{Devices: setup.Devices, Notes: append([]string{}, notes...), Results: results,
				Differences: differencesOut(s.Changes.Differences(ctx, store.Change{Edits: edits}))}
			if in.Body.DryRun || len(out.Differences) == 0 {
				return &body[v1.SetupAnswer]{out}, nil
			}
			out.Change, err = s.draftOf(ctx, in.Body.Change, in.Body.Why, edits)
			return &body[v1.SetupAnswer]{out}, err
		})
}

// setupIn reads the answers of a set-up.
func (s *server) setupIn(ctx context.Context, in v1.SetupRequest) (intent.Setup, error) {
	out := intent.Setup{Devices: slices.Clone(in.Devices), VLANs: map[network.VLANID]string{}, Links: in.Links, Root: in.Root}
	if in.Site != "" {
		if err := network.CheckName(in.Site); err != nil {
			return out, fmt.Errorf("%w: %w", errInvalid, err)
		}
		q, err := s.asked(ctx, selector.Device, "site = "+in.Site)
		if err != nil {
			return out, err
		}
		for _, d := range s.Inventory.Devices(q).Rows {
			out.Devices = append(out.Devices, d.Name)
		}
	}
	slices.Sort(out.Devices)
	if out.Devices = slices.Compact(out.Devices); len(out.Devices) == 0 {
		return out, fmt.Errorf("%w: name the devices that are to be set up, or a site that has some", errInvalid)
	}
	for _, d := range out.Devices {
		if err := s.onDevice(ctx, may(rights.See, rights.Configuration), d); err != nil {
			return out, err
		}
	}
	self := []network.PortRef{{Device: out.Devices[0]}}
	var err error
	if out.System, err = s.sealedSet(ctx, self, in.System); err != nil {
		return out, fmt.Errorf("%w: %w", errInvalid, err)
	}
	for name, value := range out.System { // a value that is none of its setting is told before it is left out anywhere
		if _, err := intent.New(self[0], name, value); err != nil {
			return out, fmt.Errorf("%w: system: %w", errInvalid, err)
		}
	}
	for _, v := range in.VLANs {
		id, err := network.ParseVLAN(fmt.Sprint(v.ID))
		if err != nil {
			return out, fmt.Errorf("%w: %w", errInvalid, err)
		}
		out.VLANs[id] = v.Name
	}
	total := 0
	for i, p := range in.Ports {
		on, err := s.things(ctx, p.On, p.Where, "")
		if err != nil {
			return out, err
		}
		if len(on) == 0 || len(p.Set) == 0 {
			return out, fmt.Errorf("%w: ports %d: name some, and what is to be set on them", errInvalid, i+1)
		}
		if total += len(on) * len(p.Set); total > changes.MaxEdits {
			return out, fmt.Errorf("%w: a change holds at most %d edits", errInvalid, changes.MaxEdits)
		}
		out.Ports = append(out.Ports, intent.SetupPorts{On: on, Set: p.Set})
	}
	return out, nil
}
