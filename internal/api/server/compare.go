package server

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/snapshots"
)

func (s *server) compareRoutes(api huma.API) {
	register(s, api, may(rights.See, rights.Configuration), http.MethodGet, "/devices/{name}/configurations", "list-configurations", "The configurations that a device was seen to have, the newest first",
		func(ctx context.Context, in *NamePath) (*body[v1.List[v1.Configuration]], error) {
			if err := s.onDevice(ctx, may(rights.See, rights.Configuration), in.Name); err != nil {
				return nil, err
			}
			list, err := s.Snapshots.List(ctx, in.Name)
			return listOf(configurationsOut(list), func(c v1.Configuration) v1.Configuration { return c }), err
		})
	type compareInput struct {
		From  time.Time `query:"from" required:"true" doc:"The earlier moment"`
		To    time.Time `query:"to" doc:"The later moment; now when left out"`
		Where string    `query:"where" maxLength:"4000" doc:"A selector: of which devices; all when left out"`
	}
	register(s, api, may(rights.See, rights.Configuration), http.MethodGet, "/comparison", "compare-configurations", "What differs between two moments of devices",
		func(ctx context.Context, in *compareInput) (*body[v1.Comparison], error) {
			q, err := s.asked(ctx, selector.Device, in.Where, may(rights.See, rights.Configuration))
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
			var devices []string
			for _, d := range s.Inventory.Devices(q).Rows {
				devices = append(devices, d.Name)
			}
			differ, read, err := s.Snapshots.Compare(ctx, devices, out.From, out.To)
			if err != nil {
				return nil, err
			}
			out.Compared = read
			for _, d := range differ {
				out.Devices = append(out.Devices, v1.ComparedDevice{Device: d.Device, FromAt: d.From, ToAt: d.To, Settings: len(d.Differences), Steps: configurationsOut(d.Steps)})
				for _, x := range d.Differences {
					out.Differences = append(out.Differences, v1.Difference{Port: x.Port.String(), Field: x.Field, Before: x.Before, After: x.After})
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

func configurationsOut(in []snapshots.Snapshot) []v1.Configuration {
	out := make([]v1.Configuration, len(in))
	for i, snap := range in {
		out[i] = v1.Configuration{At: snap.At, By: snap.By, Change: snap.Change}
	}
	return out
}
