package inventory

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/store"
)

// invalidError says what is not valid in words of its own.
type invalidError string

func (e invalidError) Error() string        { return string(e) }
func (e invalidError) Is(target error) bool { return target == ErrInvalid }

func invalid(format string, args ...any) error { return invalidError(fmt.Sprintf(format, args...)) }

// Invalid makes an error that is ErrInvalid and says why in words of its own.
func Invalid(why string) error { return invalidError(why) }

func noDevice(name string) error { return fmt.Errorf("device %s: %w", name, store.ErrNotFound) }

// longest bounds what people write, in characters.
const (
	longestLine = 100
	longestNote = 4000
)

func checkLine(what, s string) error {
	if utf8.RuneCountInString(s) > longestLine || strings.ContainsFunc(s, func(r rune) bool { return r < ' ' }) {
		return invalid("the %s must be one line of at most %d characters", what, longestLine)
	}
	return nil
}

func checkPage(s string) error {
	if s != "" && network.CheckPage(s) != nil {
		return invalid("%q is no address of a page: write one such as https://10.20.10.12/", s)
	}
	return nil
}

func checkNote(s string) error {
	if utf8.RuneCountInString(s) > longestNote {
		return invalid("the notes must have at most %d characters", longestNote)
	}
	return nil
}

func checkPosition(p *network.Position) error {
	if p != nil && !p.Valid() {
		return invalid("a latitude goes from -90 to 90 degrees, a longitude from -180 to 180")
	}
	return nil
}

func (s *Service) siteExists(name string) error {
	if !s.index.hasSite(name) {
		return invalid("there is no site %q: make it first, or choose another", name)
	}
	return nil
}

// readSites brings the index up to the sites as they are kept.
func (s *Service) readSites(ctx context.Context) error {
	sites, err := s.store.Sites(ctx)
	if err != nil {
		return err
	}
	s.index.setSites(sites)
	return nil
}

// PutSite makes or changes a site.
func (s *Service) PutSite(ctx context.Context, site network.Site) error {
	if err := network.CheckName(site.Name); err != nil {
		return fmt.Errorf("%w: %w", ErrInvalid, err)
	}
	if site.Title = strings.TrimSpace(site.Title); site.Title == "" {
		return invalid("the site needs a title: its name as people say it")
	}
	if site.TimeZone != "" {
		if _, err := time.LoadLocation(site.TimeZone); err != nil || site.TimeZone == "Local" {
			return invalid("%q is no time zone: write one such as Europe/London or Etc/UTC", site.TimeZone)
		}
	}
	if err := errors.Join(checkLine("title", site.Title), checkLine("code", site.Code), checkLine("address", site.Address),
		checkLine("contact", site.Contact), checkNote(site.Notes), checkPosition(site.Position)); err != nil {
		return err
	}
	if was, there := s.index.site(site.Name); there && site.Entry != "" && site.Entry != was.Entry { // of a new site the entry may come yet
		if _, known := s.index.record(site.Entry); !known {
			return invalid("there is no device %s to be the entry of %s: enrol or claim it first", site.Entry, site.Name)
		}
	}
	return s.sitesChanged(ctx, s.store.PutSite(ctx, site))
}

// RemoveSite removes a site that holds no devices.
func (s *Service) RemoveSite(ctx context.Context, name string) error {
	err := s.store.RemoveSite(ctx, name)
	if errors.Is(err, store.ErrInUse) {
		held := s.Devices(catalog.Query{Where: catalog.AtSite(name), Limit: 0}).Total
		return fmt.Errorf("%s holds %d devices: move them to another site first, or merge the site into another: %w", name, held, store.ErrInUse)
	}
	return s.sitesChanged(ctx, err, fact.Of(time.Now().UTC(), fact.TheSite(name), fact.SiteRemoved{}))
}

// MergeSites moves all devices of one site to another and removes the one.
func (s *Service) MergeSites(ctx context.Context, from, into string) error {
	if from == into {
		return invalid("a site cannot be merged into itself")
	}
	if err := s.siteExists(into); err != nil {
		return err
	}
	if err := s.store.MergeSites(ctx, from, into); err != nil {
		return fmt.Errorf("site %s: %w", from, err)
	}
	devices, err := s.store.Devices(ctx)
	if err != nil {
		return err
	}
	for _, d := range devices {
		if d.Site == into {
			s.index.keep(d)
		}
	}
	return s.sitesChanged(ctx, nil, fact.Of(time.Now().UTC(), fact.TheSite(from), fact.SiteMerged{Into: into}))
}

// sitesChanged takes note that sites changed, and tells what happened to them, if it is worth it.
func (s *Service) sitesChanged(ctx context.Context, err error, what ...fact.Fact) error {
	if err != nil {
		return err
	}
	if err := s.readSites(ctx); err != nil {
		return err
	}
	s.feed.Note(fact.State{Kind: fact.Fleet})
	s.feed.Tell(what...)
	return nil
}

// Describe sets the site and the particulars of a device.
func (s *Service) Describe(ctx context.Context, name, site string, p network.Particulars) error {
	if _, ok := s.index.record(name); !ok {
		return noDevice(name)
	}
	if err := s.siteExists(site); err != nil {
		return err
	}
	if err := checkParticulars(&p); err != nil {
		return err
	}
	_, err := s.alter(name,
		func(store.Device) error { return s.store.DescribeDevice(ctx, name, site, p) },
		func(d *store.Device) { d.Site, d.Particulars = site, p })
	if err != nil {
		return err
	}
	s.feed.Note(fact.State{Kind: fact.Fleet, Device: name})
	return nil
}

// checkParticulars tells what is wrong with what is said of a device, and brings its tags into their normal form.
func checkParticulars(p *network.Particulars) error {
	for i, t := range p.Tags {
		p.Tags[i] = strings.ToLower(strings.TrimSpace(t))
		if network.CheckName(p.Tags[i]) != nil {
			return invalid("%q is no tag: use small letters, digits and hyphens", t)
		}
	}
	slices.Sort(p.Tags)
	p.Tags = slices.Compact(p.Tags)
	if len(p.Tags) > 50 {
		return invalid("a device takes 50 tags at most")
	}
	if p.RackUnit < 0 || p.RackUnit > 60 {
		return invalid("a rack unit goes from 1 to 60")
	}
	return errors.Join(checkLine("contact", p.Contact), checkLine("building", p.Building), checkLine("floor", p.Floor), checkLine("rack", p.Rack),
		checkPage(p.Page), checkNote(p.Notes), checkPosition(p.Position))
}

// Retire takes a device out of service: nobody tries to reach it any more, and what is kept of it stays.
func (s *Service) Retire(ctx context.Context, name, by string) error {
	d, ok := s.index.record(name)
	if !ok {
		return noDevice(name)
	}
	if !d.RetiredAt.IsZero() {
		return nil
	}
	led, err := s.store.ChangeHeads(ctx, store.ChangeQuery{Device: name, States: []string{"pushing", "on-trial", "keeping", "undoing"}, Limit: 1})
	if err != nil {
		return err
	}
	if len(led) > 0 && led[0].State != "undoing" { // one whose device never comes back would stay so for ever
		return fmt.Errorf("change %d is %s on %s: keep or undo it first: %w", led[0].Number, led[0].State, name, store.ErrInUse)
	}
	now := time.Now().UTC()
	if err := s.store.RetireDevice(ctx, name, now); err != nil {
		return err
	}
	s.fleet.Remove(name)
	if fresh, err := s.store.Devices(ctx); err == nil { // with what was last seen
		if i := slices.IndexFunc(fresh, func(f store.Device) bool { return f.Name == name }); i >= 0 {
			d = fresh[i]
		}
	}
	d.RetiredAt = now
	s.index.keep(d)
	s.tell(name, fact.DeviceRetired{By: by})
	return nil
}

// Reinstate takes a retired device into service again.
func (s *Service) Reinstate(ctx context.Context, name, by string) error {
	d, ok := s.index.record(name)
	if !ok {
		return noDevice(name)
	}
	if d.RetiredAt.IsZero() {
		return nil
	}
	if err := s.store.RetireDevice(ctx, name, time.Time{}); err != nil {
		return err
	}
	d.RetiredAt = time.Time{}
	s.index.keep(d)
	s.tell(name, fact.DeviceReinstated{By: by})
	return s.take(ctx, d)
}

// ErrInService tells that only a retired device can be forgotten.
var ErrInService = errors.New("the device is in service: retire it first")

// Forget removes a retired device with its configurations. What happened to it stays in the log.
func (s *Service) Forget(ctx context.Context, name, by string) error {
	d, ok := s.index.record(name)
	if !ok {
		return noDevice(name)
	}
	if d.RetiredAt.IsZero() {
		return fmt.Errorf("%s: %w", name, ErrInService)
	}
	s.drain() // what was read of it goes with it
	if err := s.store.RemoveDevice(ctx, name); err != nil {
		return err
	}
	s.index.drop(name)
	s.tell(name, fact.DeviceForgotten{By: by})
	return nil
}

// Values lists the values that a field has at present within what an expression picks, for completion.
func (s *Service) Values(f *selector.Field, within selector.Expr) []string {
	var counts []map[string]int
	q := catalog.Query{Within: within, Counts: []*selector.Field{f}}
	switch f.Noun {
	case selector.Site:
		counts = s.Sites(q).Counts
	case selector.Device:
		counts = s.Devices(q).Counts
	case selector.Port:
		counts = s.Ports(q).Counts
	case selector.Client:
		counts = s.Clients(q).Counts
	case selector.Link:
		counts = s.Links(q).Counts
	}
	var out []string
	for _, c := range counts {
		for v := range c {
			out = append(out, v)
		}
	}
	slices.SortFunc(out, network.ComparePorts)
	return out
}

// SetControl sets who changes what a device runs.
func (s *Service) SetControl(ctx context.Context, name string, c network.Control, by string) error {
	d, ok := s.index.record(name)
	if !ok {
		return noDevice(name)
	}
	if d.Control == c {
		return nil
	}
	_, err := s.alter(name,
		func(store.Device) error { return s.store.SetControl(ctx, name, c) },
		func(d *store.Device) { d.Control = c })
	if err != nil {
		return err
	}
	s.tell(name, fact.DeviceControl{Control: c, By: by})
	return nil
}
