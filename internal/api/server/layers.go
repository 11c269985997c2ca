package server

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/layers"
	"example.net/everypost/internal/store"
)

// pickedShown is how much of what a template picks is told.
const pickedShown = 2000

// DraftQuery asks for something as a draft would make it.
type DraftQuery struct {
	Change int64 `query:"change" minimum:"0" maximum:"9007199254740991" doc:"As this draft would make it"`
}

func (s *server) layerRoutes(api huma.API) {
	templates := func(ctx context.Context, in DraftQuery) ([]layers.Template, error) {
		draft, err := s.seenDraft(ctx, in.Change)
		if err != nil {
			return nil, err
		}
		return s.Layers.Templates(ctx, draft)
	}
	register(s, api, may(rights.See, rights.Templates), http.MethodGet, "/templates", "list-templates", "The templates, the weakest first",
		func(ctx context.Context, in *DraftQuery) (*body[v1.List[v1.Template]], error) {
			list, err := templates(ctx, *in)
			return listOf(list, func(t layers.Template) v1.Template { return s.templateOut(ctx, t, false) }), err
		})
	type templateInput struct {
		NamePath
		DraftQuery
	}
	register(s, api, may(rights.See, rights.Templates), http.MethodGet, "/templates/{name}", "get-template", "A template, what it picks, and what stronger layers say of it",
		func(ctx context.Context, in *templateInput) (*body[v1.Template], error) {
			list, err := templates(ctx, in.DraftQuery)
			if err != nil {
				return nil, err
			}
			at := slices.IndexFunc(list, func(t layers.Template) bool { return t.Name == in.Name })
			if at < 0 {
				return nil, fmt.Errorf("template %s: %w", in.Name, store.ErrNotFound)
			}
			return &body[v1.Template]{s.templateOut(ctx, list[at], true)}, nil
		})
	register(s, api, may(rights.See, rights.Configuration), http.MethodGet, "/sites/{name}/layer", "get-site-layer", "What is said for all devices of a site",
		func(ctx context.Context, in *NamePath) (*body[v1.SiteLayer], error) {
			if !s.Inventory.HoldsSite(in.Name, within(ctx, rights.See, rights.Sites)) {
				return nil, fmt.Errorf("site %s: %w", in.Name, store.ErrNotFound)
			}
			err := s.onSite(ctx, may(rights.See, rights.Sites), in.Name)
			if err == nil { // what it says is what devices run
				err = s.atSite(ctx, may(rights.See, rights.Configuration), in.Name)
			}
			if err != nil {
				return nil, err
			}
			stage, err := s.Layers.Stage(ctx, []string{})
			if err != nil {
				return nil, err
			}
			return &body[v1.SiteLayer]{v1.SiteLayer{Site: in.Name, Says: wordsOut(stage.Layers.Sites[in.Name])}}, nil
		})
	s.driftRoutes(api)
	register(s, api, may(rights.Change, rights.Ports), http.MethodPost, "/changes/copy", "copy-settings", "Put settings of one device into a draft for others",
		func(ctx context.Context, in *body[v1.CopyRequest]) (*body[v1.BulkAnswer], error) {
			to, err := s.things(ctx, in.Body.To, "", in.Body.Where)
			if err != nil {
				return nil, err
			}
			if err := s.seesAll(ctx, to); err != nil {
				return nil, err
			}
			if err := s.onDevice(ctx, may(rights.See, rights.Configuration), in.Body.From); err != nil { // it would show what that one runs
				return nil, err
			}
			devices := make([]string, 0, len(to))
			for _, on := range to {
				devices = append(devices, on.Device)
			}
			rows, err := s.Changes.CopyRows(in.Body.From, devices, in.Body.Parts)
			if err != nil {
				return nil, fmt.Errorf("%w: %w", errInvalid, err)
			}
			return s.bulk(ctx, in.Body.Change, in.Body.Why, rows)
		})
}

func (s *server) driftRoutes(api huma.API) {
	register(s, api, may(rights.See, rights.Ports), http.MethodGet, "/drift", "list-drift", "The devices that run other than intended",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.Drift]], error) {
			seen := map[string]string{}
			for _, d := range s.Inventory.Devices(catalog.Query{Within: within(ctx, rights.See, rights.Devices), Limit: 1 << 30, Now: time.Now()}).Rows {
				seen[d.Name] = d.Site.Name
			}
			var list []layers.Drift
			for _, d := range s.Layers.Drifts() {
				if _, ok := seen[d.Device]; ok {
					if d = s.driftSeen(ctx, d); len(d.Differences) > 0 {
						list = append(list, d)
					}
				}
			}
			return listOf(list, func(d layers.Drift) v1.Drift { return driftOut(d, seen[d.Device]) }), nil
		})
	type acceptInput struct {
		NamePath
		Body v1.AcceptDriftRequest
	}
	register(s, api, may(rights.Change, rights.Devices), http.MethodPost, "/devices/{name}/drift/accept", "accept-drift", "Take what a device runs as what is intended",
		func(ctx context.Context, in *acceptInput) (*body[v1.Drift], error) {
			taken, err := []layers.Difference(nil), s.onDevice(ctx, may(rights.Change, rights.Devices), in.Name)
			if err == nil {
				taken, err = s.Layers.Accept(ctx, in.Name, in.Body.Objects)
			}
			detail := outcome(err)
			if err == nil {
				detail = layers.Say(taken)
			}
			s.audit(ctx, person(ctx).Name, "accept-drift", in.Name, detail)
			if err != nil {
				return nil, err
			}
			return &body[v1.Drift]{driftOut(s.driftSeen(ctx, s.Layers.DriftOf(in.Name)), "")}, nil
		})
	register(s, api, may(rights.Change, rights.Ports), http.MethodPost, "/changes/restore", "restore-drift", "Make a draft that has devices run what is intended again",
		func(ctx context.Context, in *body[v1.RestoreRequest]) (*changeOutput, error) {
			on, err := s.things(ctx, in.Body.On, "", "")
			if err != nil {
				return nil, err
			}
			if err := s.seesAll(ctx, on); err != nil {
				return nil, err
			}
			var drift []layers.Difference
			var edits []intent.Edit
			for _, ref := range on {
				for _, d := range s.Layers.DriftOf(ref.Device).Differences {
					if ref.Port == "" || ref.Port == d.On.Port {
						drift = append(drift, d)
						edits = append(edits, intent.Edit{Port: d.On})
					}
				}
			}
			if err := s.onEdits(ctx, edits); err != nil {
				return nil, err
			}
			if len(drift) == 0 {
				return nil, fmt.Errorf("%w: %w", errInvalid, layers.ErrNoDrift)
			}
			if _, err := s.ownDraft(ctx, in.Body.Change); err != nil {
				return nil, err
			}
			c, err := s.Changes.Restore(ctx, in.Body.Change, person(ctx).Name, strings.TrimSpace(in.Body.Why), drift)
			return s.changed(ctx, "edit", c, missing(err, fmt.Sprintf("change %d", in.Body.Change)))
		})
	type controlInput struct {
		NamePath
		Body v1.ControlRequest
	}
	register(s, api, may(rights.Change, rights.Devices), http.MethodPut, "/devices/{name}/control", "set-control", "Set who changes a device",
		func(ctx context.Context, in *controlInput) (*struct{}, error) {
			c, err := network.ParseControl(in.Body.Control)
			if err == nil {
				err = s.onDevice(ctx, may(rights.Change, rights.Devices), in.Name)
			}
			if err == nil {
				err = s.Layers.SetControl(ctx, in.Name, c, person(ctx).Name)
			}
			s.audit(ctx, person(ctx).Name, "set-control", in.Name, in.Body.Control+outcomeTail(err))
			return nil, err
		})
}

// driftSeen leaves of a drift what who makes the request may be told.
func (s *server) driftSeen(ctx context.Context, d layers.Drift) layers.Drift {
	d.Differences = slices.DeleteFunc(slices.Clone(d.Differences), func(one layers.Difference) bool {
		return s.Permission.SeesSetUp(person(ctx), []network.PortRef{one.On}) != nil
	})
	return d
}

func outcomeTail(err error) string {
	if err == nil {
		return ""
	}
	return ": " + outcome(err)
}

func (s *server) templateOut(ctx context.Context, t layers.Template, whole bool) v1.Template {
	order, _ := strconv.Atoi(t.Words.Self("order"))
	out := v1.Template{Name: t.Name, Title: t.Words.Self("title"), For: t.Words.Self("for"), Pick: t.Words.Self("pick"), Order: order, Says: wordsOut(t.Words)}
	if out.For == "" {
		out.For = intent.ForPorts
	}
	if order == 0 {
		out.Order = 100
	}
	where := within(ctx, rights.See, rights.Devices)
	seen := map[string]bool{}
	may := func(device string) bool {
		if _, asked := seen[device]; !asked {
			seen[device] = s.Inventory.HoldsDevice(device, where)
		}
		return seen[device]
	}
	others := map[network.PortRef][]v1.Other{}
	for _, o := range t.Others {
		if !may(o.On.Device) {
			continue
		}
		out.Others++
		on, object := o.On, ""
		if out.For == intent.ForDevices {
			on, object = network.PortRef{Device: o.On.Device}, o.On.Port
		}
		others[on] = append(others[on], v1.Other{Object: object, Setting: o.Field, Value: o.Value, Layer: o.Layer})
	}
	devices := map[string]bool{}
	for _, on := range t.Picks {
		if !may(on.Device) {
			continue
		}
		out.Picks++
		devices[on.Device] = true
		if whole && len(out.Picked) < pickedShown {
			out.Picked = append(out.Picked, v1.Picked{On: on.String(), Others: append([]v1.Other{}, others[on]...)})
		}
	}
	out.Devices = len(devices)
	return out
}

// wordsOut lists what a layer says of devices and ports, in the order of objects and settings.
func wordsOut(w intent.Words) []v1.Word {
	out := []v1.Word{}
	objects := make([]string, 0, len(w))
	for object := range w {
		if object != intent.Self {
			objects = append(objects, object)
		}
	}
	slices.SortFunc(objects, network.ComparePorts)
	for _, object := range objects {
		for _, s := range setting.OfWords(object, w[object]) {
			if word, said := w.Of(object, s.Name); said {
				out = append(out, v1.Word{Object: object, Setting: s.Name, Value: word.Value, Change: word.Change})
			}
		}
	}
	return out
}

func driftOut(d layers.Drift, site string) v1.Drift {
	out := v1.Drift{Device: d.Device, Site: site, Control: d.Control.String(), Differences: make([]v1.DriftDifference, len(d.Differences))}
	for i, one := range d.Differences {
		out.Differences[i] = v1.DriftDifference{On: one.On.String(), Setting: one.Field, Intended: one.Intended, Runs: one.Runs, Layer: one.Layer, Since: one.Since, By: one.By}
	}
	return out
}
