package server

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/store"
)

// keptConfigurations is how many configurations of a device are listed.
const keptConfigurations = 200

func (s *server) compareRoutes(api huma.API) {
	register(s, api, may(rights.See, rights.Configuration), http.MethodGet, "/devices/{name}/configurations", "list-configurations", "The configurations that a device was seen to have, the newest first",
		func(ctx context.Context, in *NamePath) (*body[v1.List[v1.Configuration]], error) {
			if err := s.onDevice(ctx, may(rights.See, rights.Configuration), in.Name); err != nil {
				return nil, err
			}
			list, err := s.configurations(ctx, in.Name)
			return listOf(list, func(c v1.Configuration) v1.Configuration { return c }), err
		})
	type compareInput struct {
		From  time.Time `query:"from" required:"true" doc:"The earlier moment"`
		To    time.Time `query:"to" doc:"The later moment; now when left out"`
		Where string    `query:"where" maxLength:"4000" doc:"A selector: of which devices; all when left out"`
	}
	register(s, api, may(rights.See, rights.Configuration), http.MethodGet, "/comparison", "compare-configurations", "What differs between two moments of devices",
		func(ctx context.Context, in *compareInput) (*body[v1.Comparison], error) {
			where, err := s.parse(ctx, in.Where)
			if err != nil {
				return nil, err
			}
			out := v1.Comparison{From: in.From.UTC(), To: in.To.UTC(), Devices: []v1.ComparedDevice{}, Differences: []v1.Difference{}}
			if in.To.IsZero() {
				out.To = time.Now().UTC()
			}
			if out.To.Before(out.From) {
				return nil, fmt.Errorf("%w: the later moment is before the earlier", errInvalid)
			}
			for _, d := range s.Inventory.Devices(catalog.Query{Where: where, Within: within(ctx, rights.See, rights.Configuration), Limit: 1 << 30, Now: time.Now()}).Rows {
				if err := s.compare(ctx, d.Name, &out); err != nil {
					return nil, err
				}
			}
			return &body[v1.Comparison]{out}, nil
		})
	register(s, api, may(rights.Change, rights.Ports), http.MethodPost, "/changes/{number}/take-back", "take-change-back", "Make a draft that takes a change that was kept back",
		func(ctx context.Context, in *NumberPath) (*changeOutput, error) {
			if err := s.onChange(ctx, in.Number); err != nil {
				return nil, err
			}
			c, err := s.Changes.TakeBack(ctx, in.Number, person(ctx).Name)
			return s.changed(ctx, "draft", c, missing(err, fmt.Sprintf("change %d", in.Number)))
		})
}

// configurations lists when a device had which configuration, and what change was under way then.
func (s *server) configurations(ctx context.Context, device string) ([]v1.Configuration, error) {
	list, err := s.Store.Snapshots(ctx, device, keptConfigurations)
	if err != nil {
		return nil, err
	}
	pushed, err := s.Store.Changes(ctx, store.ChangeQuery{Device: device, Limit: keptConfigurations})
	if err != nil {
		return nil, err
	}
	out := make([]v1.Configuration, len(list))
	for i, snap := range list {
		out[i] = v1.Configuration{At: snap.TakenAt, By: snap.By}
		for _, c := range pushed {
			end := c.EndedAt
			if end.IsZero() {
				end = time.Now()
			}
			// A device is read a moment after it changed.
			if !c.PushedAt.IsZero() && !snap.TakenAt.Before(c.PushedAt) && snap.TakenAt.Before(end.Add(3*time.Second)) {
				out[i].Change = c.Number
				break
			}
		}
	}
	return out, nil
}

// compare adds what differs on a device.
func (s *server) compare(ctx context.Context, device string, out *v1.Comparison) error {
	before, err := s.Store.SnapshotAt(ctx, device, out.From)
	if errors.Is(err, store.ErrNotFound) {
		return nil // it was never read
	}
	if err != nil {
		return err
	}
	after, err := s.Store.SnapshotAt(ctx, device, out.To)
	if err != nil {
		return err
	}
	out.Compared++
	if before.TakenAt.Equal(after.TakenAt) || string(before.Document) == string(after.Document) {
		return nil
	}
	if len(before.Config.Features) == 0 { // it was kept before it was known what devices can be told
		before.Config.Features = after.Config.Features
	}
	diffs := intent.Compare(device, before.Config, after.Config)
	for _, d := range diffs {
		out.Differences = append(out.Differences, v1.Difference{Port: d.Port.String(), Field: d.Field, Before: d.Before, After: d.After})
	}
	one := v1.ComparedDevice{Device: device, FromAt: before.TakenAt, ToAt: after.TakenAt, Settings: len(diffs), Steps: []v1.Configuration{}}
	all, err := s.configurations(ctx, device)
	if err != nil {
		return err
	}
	for _, c := range all {
		if c.At.After(before.TakenAt) && cmp.Compare(c.At.UnixMicro(), after.TakenAt.UnixMicro()) <= 0 {
			one.Steps = append(one.Steps, c)
		}
	}
	out.Devices = append(out.Devices, one)
	return nil
}
