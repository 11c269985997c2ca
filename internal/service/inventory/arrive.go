package inventory

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/store"
)

// Caller finds the device that calls home with a host key.
func (s *Service) Caller(hostKey string) (name string, ok bool) {
	s.index.mu.RLock()
	defer s.index.mu.RUnlock()
	for _, d := range s.index.kept {
		if d.CallsHome && d.HostKey == hostKey && d.RetiredAt.IsZero() {
			return d.Name, true
		}
	}
	return "", false
}

// Knows tells whether there is a device of a name, and whether it is in service.
func (s *Service) Knows(name string) (there, inService bool) {
	d, ok := s.index.record(name)
	return ok, ok && d.RetiredAt.IsZero()
}

// OfSerial is the device of a serial number, "" where there is none.
func (s *Service) OfSerial(serial string) string {
	for _, d := range s.Devices(catalog.Query{Where: catalog.OfSerial(serial), Limit: 1, Now: time.Now()}).Rows {
		return d.Name
	}
	return ""
}

// CheckParticulars tells what is wrong with what is to be said of a device, and brings it into its normal form.
func (s *Service) CheckParticulars(site string, p *network.Particulars) error {
	if err := s.siteExists(site); err != nil {
		return err
	}
	return checkParticulars(p)
}

// Arrive takes a claimed device into service that called home, with the key that it said it would show. Where it replaces
// another, it takes that one's name, place, particulars and history.
func (s *Service) Arrive(ctx context.Context, c store.Claim, id network.Identity) (store.Device, error) {
	now := time.Now().UTC()
	d := store.Device{Name: c.Name, Site: c.Site, Address: "calls home " + c.Serial, User: driver.ProvisionedUser, Secret: []byte{}, HostKey: c.HostKey, Identity: id,
		EnrolledAt: now, EnrolledBy: c.By, SeenAt: now, Particulars: c.Particulars, CallsHome: true}
	last := fleet.View{Identity: id, SeenAt: now}
	var what fact.Happening = fact.DeviceArrived{Serial: c.Serial, ClaimedBy: c.By}
	if c.Replaces != "" {
		old, ok := s.index.record(c.Replaces)
		if !ok {
			return d, noDevice(c.Replaces)
		}
		d.Name, d.Site, d.Particulars = old.Name, old.Site, old.Particulars
		if v, ok := s.fleet.View(old.Name); ok {
			last.Known, last.Config, last.State = v.Known, v.Config, v.State // what was cabled to the old one is expected of the new
		}
		s.fleet.Remove(old.Name)
		what = fact.DeviceReplaced{Serial: c.Serial, Old: old.Identity.Serial, ClaimedBy: c.By}
	}
	if err := s.store.Arrive(ctx, c.Serial, d, c.Replaces != ""); err != nil {
		if errors.Is(err, store.ErrExists) {
			return d, fmt.Errorf("a device with the name %s or the serial number %s is known already: %w", d.Name, c.Serial, store.ErrExists)
		}
		return d, err
	}
	s.index.keep(d)
	s.hand(d, "", last)
	s.feed.Tell(fact.Of(now, fact.TheDevice(d.Name), what))
	return d, nil
}

// Rename gives a device another name. Its own host name stays until a change sets it.
func (s *Service) Rename(ctx context.Context, from, to, by string) error {
	d, ok := s.index.record(from)
	if !ok {
		return noDevice(from)
	}
	if err := network.CheckName(to); err != nil {
		return fmt.Errorf("%w: %w", ErrInvalid, err)
	}
	if from == to {
		return nil
	}
	open, err := s.store.Changes(ctx, store.ChangeQuery{States: []string{"draft", "checked", "waiting", "pushing", "on-trial", "keeping", "undoing"}, Limit: 1000})
	if err != nil {
		return err
	}
	for _, c := range open {
		if slices.Contains(intent.Devices(c.Edits), from) || slices.ContainsFunc(c.Devices, func(d store.ChangeDevice) bool { return d.Device == from }) {
			return fmt.Errorf("change %d is open on %s: end it, or throw it away, first: %w", c.Number, from, store.ErrInUse)
		}
	}
	s.drain() // what was read of it is kept under the name that it had
	if err := s.store.RenameDevice(ctx, from, to); err != nil {
		if errors.Is(err, store.ErrExists) {
			return fmt.Errorf("there is a device %s already: %w", to, store.ErrExists)
		}
		return err
	}
	last, inHand := s.fleet.View(from)
	s.fleet.Remove(from)
	s.index.rename(from, to)
	if err := s.readSites(ctx); err != nil { // one of them may have it as its entry
		return err
	}
	s.tell(to, fact.DeviceRenamed{From: from, By: by})
	if !inHand {
		return nil
	}
	d.Name = to
	password := ""
	if !d.CallsHome {
		if password, err = s.sealer.Open(d.Address, d.Secret); err != nil {
			return err
		}
	}
	s.hand(d, password, last)
	return nil
}
