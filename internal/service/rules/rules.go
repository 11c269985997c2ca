// Package rules keeps the rules of the house for changes: in which hours those of some devices are made, and which need the
// approval of a second person.
package rules

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/guard"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/schedule"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/store"
)

// Service is the capability. Make it with New.
type Service struct {
	store     *store.Store
	inventory *inventory.Service
	expand    func(ctx context.Context, e selector.Expr) (selector.Expr, error) // groups in selectors
}

// New returns the service.
func New(s *store.Store, inv *inventory.Service, expand func(context.Context, selector.Expr) (selector.Expr, error)) *Service {
	return &Service{store: s, inventory: inv, expand: expand}
}

// Bounds.
const (
	MaxRules = 100
	maxTitle = 200
)

// List lists the rules by name.
func (s *Service) List(ctx context.Context) ([]store.ChangeRule, error) {
	return s.store.ChangeRules(ctx)
}

// Put makes or replaces a rule.
func (s *Service) Put(ctx context.Context, r store.ChangeRule) (store.ChangeRule, error) {
	r.Title, r.Pick, r.Hours, r.Zone = strings.TrimSpace(r.Title), strings.TrimSpace(r.Pick), strings.TrimSpace(r.Hours), strings.TrimSpace(r.Zone)
	if err := network.CheckName(r.Name); err != nil {
		return r, inventory.Invalid(err.Error())
	}
	if utf8.RuneCountInString(r.Title) > maxTitle {
		return r, inventory.Invalid(fmt.Sprintf("the title of a rule has at most %d characters", maxTitle))
	}
	if _, err := catalog.Network.Parse(r.Pick); err != nil {
		return r, err
	}
	if r.Hours == "" && !r.Approval {
		return r, inventory.Invalid("a rule says in which hours changes are made, or that they need approval, or both")
	}
	if r.Hours != "" {
		week, err := schedule.Parse(r.Hours)
		if err != nil {
			return r, inventory.Invalid("hours: " + err.Error())
		}
		r.Hours = week.String()
	}
	if _, err := zoneOf(r); err != nil {
		return r, inventory.Invalid(err.Error())
	}
	all, err := s.store.ChangeRules(ctx)
	if err != nil {
		return r, err
	}
	if len(all) >= MaxRules && !slices.ContainsFunc(all, func(o store.ChangeRule) bool { return o.Name == r.Name }) {
		return r, inventory.Invalid(fmt.Sprintf("there are at most %d rules", MaxRules))
	}
	return r, s.store.PutChangeRule(ctx, r)
}

// Remove forgets a rule.
func (s *Service) Remove(ctx context.Context, name string) error {
	return s.store.DropChangeRule(ctx, name)
}

func zoneOf(r store.ChangeRule) (*time.Location, error) {
	if r.Zone == "Local" { // which is of the machine, and nobody's
		return nil, fmt.Errorf("%q is not a time zone: write it like Europe/London", r.Zone)
	}
	at, err := time.LoadLocation(r.Zone)
	if err != nil {
		return nil, fmt.Errorf("%q is not a time zone: write it like Europe/London", r.Zone)
	}
	return at, nil
}

// For tells which rules hold for changes of some devices: the hours in which they are made, and the rules by which they need
// approval.
func (s *Service) For(ctx context.Context, devices []string, at time.Time) (windows []guard.Window, approval []string, err error) {
	rules, err := s.store.ChangeRules(ctx)
	if err != nil {
		return nil, nil, err
	}
	for _, r := range rules {
		picked, err := s.picked(ctx, r, devices)
		if err != nil {
			return nil, nil, fmt.Errorf("rule %s: %w", r.Name, err)
		}
		if len(picked) == 0 {
			continue
		}
		if r.Approval {
			approval = append(approval, r.Name)
		}
		if r.Hours == "" {
			continue
		}
		week, err := schedule.Parse(r.Hours)
		if err != nil {
			return nil, nil, fmt.Errorf("rule %s: %w", r.Name, err)
		}
		zone, err := zoneOf(r)
		if err != nil {
			return nil, nil, fmt.Errorf("rule %s: %w", r.Name, err)
		}
		local := at.In(zone)
		w := guard.Window{Rule: r.Name, Devices: picked, Hours: r.Hours + " " + zone.String(), Open: week.Open(local)}
		if w.Next = at; !w.Open {
			w.Next = week.Next(local).UTC()
		}
		windows = append(windows, w)
	}
	return windows, approval, nil
}

// picked are those of some devices that a rule picks.
func (s *Service) picked(ctx context.Context, r store.ChangeRule, devices []string) ([]string, error) {
	if r.Pick == "" {
		return devices, nil
	}
	e, err := catalog.Network.Parse(r.Pick)
	if err == nil {
		e, err = s.expand(ctx, e)
	}
	if err != nil {
		return nil, err
	}
	var out []string
	for _, d := range s.inventory.Devices(catalog.Query{Where: e, Limit: 1 << 30, Now: time.Now()}).Rows {
		if slices.Contains(devices, d.Name) {
			out = append(out, d.Name)
		}
	}
	return out, nil
}
