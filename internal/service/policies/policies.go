// Package policies is what the firewalls of the network let pass: their rules as they run, how often each decided, what is wrong with them, and what
// a change would let pass or stop.
package policies

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/policy"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/changes"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/service/layers"
	"example.net/everypost/internal/store"
)

// Service is the capability.
type Service struct {
	Fleet     *fleet.Fleet
	Layers    *layers.Service
	Inventory *inventory.Service
	Network   *changes.Service
	Now       func() time.Time
}

// ErrInvalid tells that something is asked that cannot be answered.
var ErrInvalid = errors.New("that cannot be answered")

// Rule is a rule of a firewall as it runs.
type Rule struct {
	setting.PolicyRule
	Text   string
	Layer  string // which says it; "" for the device itself
	Hits   *network.RuleHits
	Fault  policy.Finding // its Fault is "" where nothing is wrong
	Broken bool           // it cannot be read
}

// Translation is a translation of addresses as it runs.
type Translation struct {
	setting.Translation
	Text   string
	Layer  string // which says it; "" for the device itself
	Hits   *network.RuleHits
	Broken bool // it cannot be read
}

// Policy is that of a firewall.
type Policy struct {
	Device  string
	Decides bool // it has a policy; without one everything passes
	Rules   []Rule

	Translations []Translation
	Found        []network.Inspected // what was stopped most first
	Floods       []network.Flood     // of late first
	Overrides    []network.Override
	Names        []setting.FirewallName
	Unmatched    uint64    // sessions that were denied because no rule fits
	Counted      time.Time // since when it counts, zero where that is not known
	SeenAt       time.Time
}

// Has tells whether a device can have a policy.
func (s *Service) Has(device string) bool {
	v, ok := s.Fleet.View(device)
	return ok && v.Known && v.Config.Has(setting.Firewall)
}

// Of returns the policy of a firewall.
func (s *Service) Of(ctx context.Context, device string) (Policy, error) {
	v, ok := s.Fleet.View(device)
	if !ok || !v.Known || !v.Config.Has(setting.Firewall) {
		return Policy{}, fmt.Errorf("%s is no firewall that can be told what to let pass: %w", device, store.ErrNotFound)
	}
	stage, err := s.Layers.Stage(ctx, []string{device})
	if err != nil {
		return Policy{}, err
	}
	out := s.plain(v)
	origin := func(table string, row int) (layer string) {
		if set, err := setting.PolicyRow(table, row); err == nil {
			_, layer, _ = stage.Layers.Holds(stage.Spots[device], setting.PolicyObject, set)
		}
		return strings.TrimSuffix(layer, "device")
	}
	for i, r := range out.Rules {
		out.Rules[i].Layer = origin("rules", r.Number)
	}
	for i, t := range out.Translations {
		out.Translations[i].Layer = origin("translations", t.Number)
	}
	return out, nil
}

// Summary is that of a firewall without telling where its rules come from.
func (s *Service) Summary(device string) Policy {
	v, _ := s.Fleet.View(device)
	return s.plain(v)
}

func (s *Service) plain(v fleet.View) Policy {
	p := policy.Of(v.Config)
	out := Policy{Device: v.Name, Decides: p != nil, SeenAt: v.Inside.ObservedAt}
	var rules, translations []network.RuleHits
	if st := v.Inside.Policy; st != nil {
		out.Unmatched, out.Counted, rules, translations = st.Unmatched, st.Since, st.Rules, st.Translations
		out.Overrides = st.Overrides
		out.Floods = slices.SortedStableFunc(slices.Values(st.Floods), func(a, b network.Flood) int { return b.LastAt.Compare(a.LastAt) })
		out.Found = slices.SortedStableFunc(slices.Values(st.Found), func(a, b network.Inspected) int {
			return cmp.Or(cmp.Compare(b.Blocked, a.Blocked), cmp.Compare(b.Limited, a.Limited), cmp.Compare(b.Logged, a.Logged), cmp.Compare(a.What, b.What))
		})
	}
	findings := p.Analyse(local(v.Config, s.Now()), v.Inside.Policy)
	for _, row := range setting.RowsOf(v.Config.Objects[setting.PolicyObject], "rules") {
		r := Rule{Text: row.Text}
		var err error
		if r.PolicyRule, err = setting.ParsePolicyRule(row); err != nil {
			r.Number, r.Broken = row.Number, true
		}
		r.Hits = hitsOf(rules, row.Number)
		if i := slices.IndexFunc(findings, func(f policy.Finding) bool { return f.Rule == row.Number }); i >= 0 {
			r.Fault = findings[i]
		}
		out.Rules = append(out.Rules, r)
	}
	for _, row := range setting.RowsOf(v.Config.Objects[setting.PolicyObject], "translations") {
		t := Translation{Text: row.Text, Hits: hitsOf(translations, row.Number)}
		var err error
		if t.Translation, err = setting.ParseTranslation(row); err != nil {
			t.Number, t.Broken = row.Number, true
		}
		out.Translations = append(out.Translations, t)
	}
	out.Names = setting.FirewallNames(v.Config)
	return out
}

// hitsOf are those of a row, nil where they are not told.
func hitsOf(list []network.RuleHits, row int) *network.RuleHits {
	if i := slices.IndexFunc(list, func(h network.RuleHits) bool { return h.Number == row }); i >= 0 {
		return &list[i]
	}
	return nil
}

// local is a time by the clock of a device, as far as its zone is known.
func local(c network.Config, at time.Time) time.Time {
	if z, err := time.LoadLocation(c.Settings["time-zone"]); err == nil && c.Settings["time-zone"] != "" {
		return at.In(z)
	}
	return at.UTC()
}

// Delta is what a change lets pass, or stops, on a device.
type Delta struct {
	Device string
	policy.Delta
}

// Differ tells what a change lets pass and stops, by the configurations before and after it. whole is false where there is more than is told.
func (s *Service) Differ(before, after map[string]network.Config, may func(device string) bool) (out []Delta, whole bool) {
	whole = true
	for _, device := range sortedKeys(after) {
		if !after[device].Has(setting.Firewall) || !may(device) {
			continue
		}
		list, all := policy.Differ(policy.Of(before[device]), policy.Of(after[device]), local(after[device], s.Now()))
		whole = whole && all
		for _, d := range list {
			out = append(out, Delta{device, d})
		}
	}
	return out, whole
}

func sortedKeys[V any](m map[string]V) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}
