package server

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/changes"
	"example.net/everypost/internal/service/permission"
	"example.net/everypost/internal/service/settingsfile"
	"example.net/everypost/internal/store"
)

func (s *server) settingRoutes(api huma.API) {
	register(s, api, signedIn, http.MethodGet, "/settings", "list-settings", "Everything that can be set",
		func(context.Context, *struct{}) (*body[v1.List[v1.Setting]], error) {
			return listOf(setting.All(), settingOut), nil
		})
	register(s, api, signedIn, http.MethodGet, "/settings/kinds", "list-setting-kinds", "The kinds of things that a device holds besides its ports",
		func(context.Context, *struct{}) (*body[v1.List[v1.SettingKind]], error) {
			return listOf(setting.Kinds(), func(a setting.About) v1.SettingKind {
				out := v1.SettingKind{Kind: string(a.Kind), Title: a.Title, One: a.One, Needs: string(a.Needs), Form: a.Form, Own: a.Own, Prefix: a.Prefix()}
				return out
			}), nil
		})
	register(s, api, signedIn, http.MethodGet, "/settings/ready", "list-ready-settings", "Settings that are often wanted together",
		func(context.Context, *struct{}) (*body[v1.List[v1.ReadySettings]], error) {
			return listOf(setting.ReadySets(), func(r setting.Ready) v1.ReadySettings {
				out := v1.ReadySettings{Name: r.Name, Title: r.Title, Help: r.Help}
				for _, row := range r.Rows {
					out.Rows = append(out.Rows, v1.ReadyRow(row))
				}
				return out
			}), nil
		})
	register(s, api, may(rights.See, rights.Ports), http.MethodPost, "/settings/standing", "standing-of-settings", "How some things stand on their settings",
		func(ctx context.Context, in *body[v1.StandingRequest]) (*body[v1.Standings], error) {
			on, err := s.things(ctx, in.Body.On, in.Body.Where, "")
			if err != nil {
				return nil, err
			}
			if err := s.Permission.SeesSetUp(person(ctx), on); err != nil {
				return nil, err
			}
			draft, err := s.seenDraft(ctx, in.Body.Change)
			if err != nil {
				return nil, err
			}
			out := v1.Standings{On: len(on), Items: []v1.Standing{}}
			if in.Body.Set, err = s.sealedSet(ctx, on, in.Body.Set); err != nil {
				return nil, err
			}
			list, err := s.Changes.Standings(ctx, on, draft, in.Body.Set)
			if err != nil {
				return nil, err
			}
			for _, st := range list {
				out.Items = append(out.Items, standingOut(st))
			}
			return &body[v1.Standings]{out}, nil
		})
	register(s, api, may(rights.Change, rights.Ports), http.MethodPost, "/changes/bulk", "bulk-edit", "Put settings of many things into a draft",
		func(ctx context.Context, in *body[v1.BulkRequest]) (*body[v1.BulkAnswer], error) {
			rows, err := s.rows(ctx, in.Body.Rows)
			if err != nil {
				return nil, err
			}
			return s.bulk(ctx, in.Body.Change, in.Body.Why, rows)
		})
}

// bulk puts rows into a draft, or a new one, and tells what became of each thing.
func (s *server) bulk(ctx context.Context, change int64, why string, rows []changes.Row) (*body[v1.BulkAnswer], error) {
	edits, results, err := s.plan(ctx, change, rows)
	if err != nil {
		return nil, err
	}
	out := v1.BulkAnswer{Results: results}
	if change != 0 || len(edits) > 0 {
		out.Change, err = s.draftOf(ctx, change, why, edits)
	}
	return &body[v1.BulkAnswer]{out}, err
}

// plan works out the edits of rows that go into a draft, or a new one, if the person may make them.
func (s *server) plan(ctx context.Context, change int64, rows []changes.Row) ([]intent.Edit, []v1.BulkResult, error) {
	if err := s.onRows(ctx, rows); err != nil {
		return nil, nil, err
	}
	draft, err := s.ownDraft(ctx, change)
	if err != nil {
		return nil, nil, err
	}
	edits, results, err := s.Changes.Plan(ctx, rows, draft)
	if err != nil {
		return nil, nil, fmt.Errorf("%w: %w", errInvalid, err)
	}
	out := make([]v1.BulkResult, len(results))
	for i, r := range results {
		out[i] = v1.BulkResult{On: r.On.String(), Outcome: string(r.Outcome), Why: r.Why}
	}
	return edits, out, s.onEdits(ctx, intent.Add(draft, edits...))
}

// draftOf puts edits into a draft, or a new one.
func (s *server) draftOf(ctx context.Context, change int64, why string, edits []intent.Edit) (*v1.Change, error) {
	c, err := s.Changes.Bulk(ctx, change, person(ctx).Name, strings.TrimSpace(why), edits)
	answer, err := s.changed(ctx, "edit", c, missing(err, fmt.Sprintf("change %d", change)))
	if err != nil {
		return nil, err
	}
	return &answer.Body, nil
}

func (s *server) bundleRoutes(api huma.API) {
	register(s, api, may(rights.See, rights.Ports), http.MethodPost, "/bundles/proposal", "propose-bundle", "A bundle that could be made of ports, with both its ends",
		func(ctx context.Context, in *body[v1.BundleRequest]) (*body[v1.BundleProposal], error) {
			ports, err := s.things(ctx, in.Body.Ports, "", "")
			if err != nil {
				return nil, err
			}
			if err := s.seesAll(ctx, ports); err != nil {
				return nil, err
			}
			draft, err := s.seenDraft(ctx, in.Body.Change)
			if err != nil {
				return nil, err
			}
			b, err := s.Changes.ProposeBundle(ctx, ports, in.Body.Name, cmp.Or(in.Body.Protocol, "lacp-active"), draft)
			if err != nil {
				return nil, fmt.Errorf("%w: %w", errInvalid, err)
			}
			endsOut := func(in []intent.BundleEnd) []v1.BundleEnd {
				out := make([]v1.BundleEnd, len(in))
				for i, e := range in {
					out[i] = v1.BundleEnd(e)
				}
				return out
			}
			if err := s.seesEnds(ctx, &b); err != nil {
				return nil, err
			}
			return &body[v1.BundleProposal]{v1.BundleProposal{Near: endsOut(b.Near), Far: endsOut(b.Far), Notes: append([]string{}, b.Notes...), Edits: editsOut(b.Edits)}}, nil
		})
}

// seesEnds leaves of the far end of a bundle nothing where it is on a device that who makes the request may not see.
func (s *server) seesEnds(ctx context.Context, b *intent.Bundle) error {
	for _, end := range b.Near {
		if err := s.onDevice(ctx, may(rights.See, rights.Devices), end.Device); err != nil {
			return err
		}
	}
	if !slices.ContainsFunc(b.Far, func(end intent.BundleEnd) bool {
		return s.onDevice(ctx, may(rights.See, rights.Devices), end.Device) != nil
	}) && len(b.Notes) == 0 {
		return nil
	}
	if permission.Everywhere(person(ctx), may(rights.See, rights.Devices)) {
		return nil
	}
	far := map[string]bool{}
	for _, end := range b.Far {
		far[end.Device] = true
	}
	b.Far, b.Notes = nil, []string{"The other ends are on devices that you may not see: have them set up by who may."}
	b.Edits = slices.DeleteFunc(b.Edits, func(e intent.Edit) bool { return far[e.Port.Device] || e.Field == "description" })
	return nil
}

// things are what is named and what selectors pick besides, each once.
func (s *server) things(ctx context.Context, named []string, ports, devices string) ([]network.PortRef, error) {
	var out []network.PortRef
	for i, text := range named {
		on, err := network.ParseTargets(text)
		if err != nil {
			return nil, with(http.StatusUnprocessableEntity, v1.ProblemInvalid, err, &huma.ErrorDetail{Location: fmt.Sprintf("body.on[%d]", i), Message: err.Error(), Value: text})
		}
		if out = append(out, on...); len(out) > changes.MaxEdits {
			return nil, fmt.Errorf("%w: a change holds at most %d edits; narrow it down", errInvalid, changes.MaxEdits)
		}
	}
	var q catalog.Query
	var err error
	if ports != "" {
		if q, err = s.asked(ctx, selector.Port, ports); err != nil {
			return nil, err
		}
		q.Limit = changes.MaxEdits
		for _, p := range s.Inventory.Ports(q).Rows {
			out = append(out, p.Ref)
		}
	}
	if devices != "" {
		if q, err = s.asked(ctx, selector.Device, devices); err != nil {
			return nil, err
		}
		q.Limit = changes.MaxEdits
		for _, d := range s.Inventory.Devices(q).Rows {
			out = append(out, network.PortRef{Device: d.Name})
		}
	}
	seen := make(map[network.PortRef]bool, len(out))
	return slices.DeleteFunc(out, func(on network.PortRef) bool {
		twice := seen[on]
		seen[on] = true
		return twice
	}), nil
}

func (s *server) rows(ctx context.Context, in []v1.BulkRow) ([]changes.Row, error) {
	out := make([]changes.Row, len(in))
	total, networks := 0, s.networksOfSites(ctx)
	for i, row := range in {
		on, err := s.things(ctx, row.On, row.Where, row.Devices)
		if err != nil {
			return nil, err
		}
		each := len(row.Set) + len(row.Inherit) + len(row.Steps)
		if each == 0 {
			return nil, fmt.Errorf("%w: row %d sets nothing", errInvalid, i+1)
		}
		if total += len(on) * each; total > changes.MaxEdits {
			return nil, fmt.Errorf("%w: a change holds at most %d edits; narrow it down", errInvalid, changes.MaxEdits)
		}
		if row, err = toSites(row, networks); err != nil {
			return nil, fmt.Errorf("%w: row %d: %w", errInvalid, i+1, err)
		}
		set, err := s.sealedSet(ctx, on, row.Set)
		if err != nil {
			return nil, fmt.Errorf("%w: row %d: %w", errInvalid, i+1, err)
		}
		out[i] = changes.Row{On: on, Set: set, Inherit: row.Inherit}
		for _, step := range row.Steps {
			out[i].Steps = append(out[i].Steps, intent.TableStep(step))
		}
	}
	return out, nil
}

// networksOfSites answers what the networks of a site are, as far as who makes the request may see its devices. They are looked up once, when first asked for.
func (s *server) networksOfSites(ctx context.Context) func(site string) []netip.Prefix {
	all := sync.OnceValue(func() map[string][]netip.Prefix {
		out := map[string][]netip.Prefix{}
		for _, d := range s.Inventory.Devices(catalog.Query{Within: within(ctx, rights.See, rights.Devices), Limit: math.MaxInt, Now: time.Now()}).Rows {
			out[d.Site.Name] = append(out[d.Site.Name], setting.Networks(d.Config)...)
		}
		for site, list := range out {
			slices.SortFunc(list, netip.Prefix.Compare)
			out[site] = slices.Compact(list)
		}
		return out
	})
	return func(site string) []netip.Prefix { return all()[site] }
}

// toSites puts the networks of sites in the place of site:NAME in rows of steering.
func toSites(row v1.BulkRow, networks func(site string) []netip.Prefix) (v1.BulkRow, error) {
	said := func(name, text string) (string, error) {
		if !setting.NamesWays(name) || !strings.Contains(text, "site:") {
			return text, nil
		}
		return setting.ToSites(text, networks)
	}
	set, steps := make(map[string]string, len(row.Set)), slices.Clone(row.Steps)
	var err error
	for name, value := range row.Set {
		if set[name], err = said(name, value); err != nil {
			return row, err
		}
	}
	for i, step := range steps {
		if steps[i].Text, err = said(step.Table, step.Text); err != nil {
			return row, err
		}
	}
	row.Set, row.Steps = set, steps
	return row, nil
}

// seenDraft returns the edits of a change that who makes the request may see; none for number 0.
func (s *server) seenDraft(ctx context.Context, number int64) ([]intent.Edit, error) {
	if number == 0 {
		return nil, nil
	}
	c, err := s.seenChange(ctx, number)
	return c.Edits, err
}

// ownDraft returns the edits of a draft that who makes the request may change; none for number 0.
func (s *server) ownDraft(ctx context.Context, number int64) ([]intent.Edit, error) {
	if number == 0 {
		return nil, nil
	}
	if err := s.onChange(ctx, number); err != nil {
		return nil, err
	}
	c, err := s.Changes.Get(ctx, number)
	return c.Edits, err
}

// onRows tells whether who makes the request may change all that rows name, whatever becomes of it.
func (s *server) onRows(ctx context.Context, rows []changes.Row) error {
	var on []network.PortRef
	for _, row := range rows {
		on = append(on, row.On...)
	}
	return s.onThings(ctx, on)
}

// seesAll tells whether who makes the request may see all the devices of some things.
func (s *server) seesAll(ctx context.Context, on []network.PortRef) error {
	seen := map[string]bool{}
	for _, ref := range on {
		if !seen[ref.Device] && !intent.OnLayer(ref) {
			seen[ref.Device] = true
			if err := s.onDevice(ctx, may(rights.See, rights.Devices), ref.Device); err != nil {
				return err
			}
		}
	}
	return nil
}

func settingOut(in setting.Setting) v1.Setting {
	out := v1.Setting{Name: in.Name, Title: in.Title, Group: in.Group, Help: in.Help, Type: string(in.Value.Type), Choices: in.Value.Choices,
		Min: in.Value.Min, Max: in.Value.Max, Unit: in.Value.Unit, Of: string(in.Value.Of), Form: in.Value.Form, Default: in.Default, Needs: string(in.Needs)}
	for _, k := range in.On {
		out.On = append(out.On, string(k))
	}
	if in.Value.Type == setting.Table {
		out.Highest, out.Example = in.Value.Highest(), in.Value.Example()
	}
	for _, c := range in.Value.Columns() {
		out.Columns = append(out.Columns, v1.Column{Name: c.Name, Title: c.Title, Lead: c.Lead, Default: c.Default, Help: c.Help, Form: c.Value.Form,
			Choices: c.Value.Choices, Only: c.Value.Type == setting.Choice || c.Value.Type == setting.Switch})
	}
	return out
}

func standingOut(in changes.Standing) v1.Standing {
	out := v1.Standing{Setting: in.Setting.Name, Applies: in.Applies, Values: []v1.Count{}, Why: in.Why}
	for value, n := range in.Values {
		out.Values = append(out.Values, v1.Count{Value: value, Count: n})
	}
	slices.SortFunc(out.Values, func(a, b v1.Count) int { return cmp.Or(b.Count-a.Count, cmp.Compare(a.Value, b.Value)) })
	out.Values = out.Values[:min(len(out.Values), 20)]
	out.Layers = []v1.Count{}
	for layer, n := range in.Layers {
		out.Layers = append(out.Layers, v1.Count{Value: layer, Count: n})
	}
	slices.SortFunc(out.Layers, func(a, b v1.Count) int { return cmp.Or(b.Count-a.Count, cmp.Compare(a.Value, b.Value)) })
	for _, say := range in.Says {
		out.Says = append(out.Says, v1.Saying{Layer: say.Layer, Value: say.Value, Change: say.Change})
	}
	for _, o := range in.Offers {
		out.Offers = append(out.Offers, v1.Offer(o))
	}
	return out
}

// fileBody is the size of a request that holds a file.
const fileBody = settingsfile.MaxSize + 1<<20

func (s *server) fileRoutes(api huma.API) {
	type schemaOutput struct {
		ContentType string `header:"Content-Type"`
		Body        []byte
	}
	register(s, api, signedIn, http.MethodGet, "/settings/schema", "settings-schema", "The form of a file of settings, as JSON Schema",
		func(context.Context, *struct{}) (*schemaOutput, error) {
			b, err := settingsfile.Schema()
			return &schemaOutput{"application/schema+json", b}, err
		})
	registerLarge(s, api, fileBody, may(rights.See, rights.Configuration), http.MethodPost, "/settings/export", "export-settings", "The settings of devices as a file",
		func(ctx context.Context, in *body[v1.ExportRequest]) (*body[v1.SettingsFile], error) {
			q, err := s.asked(ctx, selector.Device, in.Body.Where, may(rights.See, rights.Configuration))
			if err != nil {
				return nil, err
			}
			configs := map[string]network.Config{}
			for _, d := range s.Inventory.Devices(q).Rows {
				configs[d.Name] = d.Config
			}
			if len(configs) == 0 {
				return nil, fmt.Errorf("%w: no device fits", errInvalid)
			}
			text, err := settingsfile.Write(ctx, configs, []byte(in.Body.Over))
			if err != nil {
				return nil, fmt.Errorf("%w: %w", errInvalid, err)
			}
			return &body[v1.SettingsFile]{v1.SettingsFile{Text: string(text), Devices: len(configs)}}, nil
		})
	registerLarge(s, api, fileBody, may(rights.Change, rights.Ports), http.MethodPost, "/changes/from-file", "draft-from-file", "Turn a file of settings into a draft",
		func(ctx context.Context, in *body[v1.FileRequest]) (*body[v1.FileAnswer], error) {
			rows, edits, err := s.planFile(ctx, in.Body)
			if err != nil {
				return nil, err
			}
			out := v1.FileAnswer{Objects: len(rows)}
			out.Differences = differencesOut(s.Changes.Differences(ctx, store.Change{Edits: edits}))
			if in.Body.DryRun || len(out.Differences) == 0 {
				return &body[v1.FileAnswer]{out}, nil
			}
			out.Change, err = s.draftOf(ctx, in.Body.Change, in.Body.Why, edits)
			return &body[v1.FileAnswer]{out}, err
		})
}

// planFile reads a file and works out its edits. A file is taken as a whole: what a device cannot have is told, and nothing
// comes of the rest.
func (s *server) planFile(ctx context.Context, in v1.FileRequest) ([]changes.Row, []intent.Edit, error) {
	entries, devices, err := settingsfile.Read(ctx, []byte(in.Text))
	if err != nil {
		return nil, nil, fmt.Errorf("%w: %w", errInvalid, err)
	}
	configs := map[string]network.Config{}
	for _, name := range devices {
		if err := s.onDevice(ctx, may(rights.See, rights.Configuration), name); err != nil { // that it differs would show what it runs
			return nil, nil, err
		}
		d, _, err := s.Inventory.Device(name)
		if err != nil {
			return nil, nil, err
		}
		configs[name] = d.Config
	}
	if in.Whole {
		entries = settingsfile.Whole(entries, devices, configs)
	}
	rows := make([]changes.Row, len(entries))
	for i, e := range entries {
		on := []network.PortRef{e.On}
		set, err := s.sealedSet(ctx, on, e.Set)
		if err != nil {
			return nil, nil, fmt.Errorf("%w: %s: %w", errInvalid, e.On, err)
		}
		rows[i] = changes.Row{On: on, Set: set}
	}
	draft, err := s.ownDraft(ctx, in.Change)
	if err != nil {
		return nil, nil, err
	}
	edits, results, err := s.Changes.Plan(ctx, rows, draft)
	if err != nil {
		return nil, nil, fmt.Errorf("%w: %w", errInvalid, err)
	}
	if err := s.onEdits(ctx, edits); err != nil { // what is as it is already needs no right
		return nil, nil, err
	}
	var details []*huma.ErrorDetail
	for _, r := range results {
		if r.Outcome == changes.Refused {
			details = append(details, &huma.ErrorDetail{Location: r.On.String(), Message: r.On.String() + ": " + r.Why})
		}
	}
	if len(details) > 0 {
		return nil, nil, with(http.StatusUnprocessableEntity, v1.ProblemInvalid, fmt.Errorf("%d things of the file cannot be set as it says; nothing was done", len(details)), details...)
	}
	return rows, edits, nil
}
