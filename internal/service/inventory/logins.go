package inventory

import (
	"context"
	"errors"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/store"
)

// target is how a device is reached and logged in to, as it is kept.
func (s *Service) target(d store.Device) (driver.Target, error) {
	t := driver.Target{Address: d.Address, User: d.User, HostKey: d.HostKey, CallsHome: d.CallsHome}
	if d.CallsHome {
		return t, nil
	}
	var err error
	if t.Password, err = s.sealer.Open(d.Address, d.Secret); err != nil {
		return t, err
	}
	if d.NextSecret != nil {
		t.Next, err = s.sealer.Open(d.Address, d.NextSecret)
	}
	return t, err
}

// Target tells how a device is reached and logged in to.
func (s *Service) Target(name string) (driver.Target, error) {
	d, ok := s.index.record(name)
	if !ok {
		return driver.Target{}, noDevice(name)
	}
	return s.target(d)
}

// alter changes what is kept of a device: in the store by put, and then in memory by set, with nobody in between.
func (s *Service) alter(name string, put func(d store.Device) error, set func(d *store.Device)) (store.Device, error) {
	s.altering.Lock()
	defer s.altering.Unlock()
	d, ok := s.index.record(name)
	if !ok {
		return d, noDevice(name)
	}
	if err := put(d); err != nil {
		return d, err
	}
	set(&d)
	s.index.keep(d)
	return d, nil
}

// PromisePassword keeps a password that a device is about to be given, before it is: whatever becomes of the service, one of the two lets it in.
// "" takes it back.
func (s *Service) PromisePassword(ctx context.Context, name, next string) error {
	var sealed []byte
	d, err := s.alter(name,
		func(d store.Device) error {
			if d.CallsHome {
				return invalid("%s calls home, and lets the service in by a key: it has no password", name)
			}
			if next != "" {
				sealed = s.sealer.Seal(d.Address, next)
			}
			return s.store.SetNextSecret(ctx, name, sealed)
		},
		func(d *store.Device) { d.NextSecret = sealed })
	return s.logIn(d, err)
}

// AdoptLogin takes note of as whom and with which password a device is logged in to from now on.
func (s *Service) AdoptLogin(ctx context.Context, name, user, password, by string) error {
	var sealed []byte
	d, err := s.alter(name,
		func(d store.Device) error {
			if d.CallsHome {
				return invalid("%s calls home, and lets the service in by a key: it has no password", name)
			}
			sealed = s.sealer.Seal(d.Address, password)
			return s.store.SetLogin(ctx, name, user, sealed)
		},
		func(d *store.Device) { d.User, d.Secret, d.NextSecret = user, sealed, nil })
	if err = s.logIn(d, err); err == nil {
		s.tell(name, fact.DeviceLoginChanged{By: by, User: user})
	}
	return err
}

func (s *Service) logIn(d store.Device, err error) error {
	if err != nil {
		return err
	}
	t, err := s.target(d)
	if err == nil {
		s.fleet.LogInAs(d.Name, t.User, t.Password, t.Next)
	}
	return err
}

// SetLogin has a device be logged in to as a user with a password that somebody says, once that was seen to let the service in to that very device.
func (s *Service) SetLogin(ctx context.Context, name, user, password, by string) error {
	d, ok := s.index.record(name)
	switch {
	case !ok:
		return noDevice(name)
	case d.CallsHome:
		return invalid("%s calls home, and lets the service in by a key: it has no password", name)
	case !d.RetiredAt.IsZero():
		return invalid("%s is retired: take it into service again first", name)
	}
	if user == "" {
		user = d.User
	}
	id, err := s.fleet.Introduce(ctx, driver.Target{Address: d.Address, User: user, Password: password, HostKey: d.HostKey})
	if err != nil {
		return err
	}
	if id.Serial != d.Identity.Serial {
		return invalid("what answers at %s has serial number %s, and %s has %s: claim it as a replacement, or enrol it", d.Address, id.Serial, name, d.Identity.Serial)
	}
	return s.AdoptLogin(ctx, name, user, password, by)
}

// Pin accepts another host key for a device that shows one, and takes the device in hand again. The key must be the one
// that the device shows now: what a person compared and what is pinned may not differ.
func (s *Service) Pin(ctx context.Context, name, hostKey, by string) error {
	d, ok := s.index.record(name)
	if !ok {
		return noDevice(name)
	}
	if d.CallsHome {
		return invalid("%s calls home, and is known by its key: a device with another key is claimed as a replacement", name)
	}
	shown, err := s.fleet.HostKey(ctx, d.Address)
	if err != nil {
		return err
	}
	if shown != hostKey {
		return &driver.KeyError{Pinned: hostKey, Shown: shown}
	}
	d, err = s.alter(name, func(store.Device) error { return s.store.SetHostKey(ctx, name, hostKey) }, func(d *store.Device) { d.HostKey = hostKey })
	if err != nil {
		return err
	}
	t, err := s.target(d)
	if err != nil {
		return err
	}
	last, _ := s.fleet.View(name)
	s.fleet.Remove(name)
	s.handTo(d, t, last)
	s.tell(name, fact.DeviceKeyAccepted{By: by})
	return nil
}

// Move takes note that a device is at another address from now on, which it was given by a change.
func (s *Service) Move(ctx context.Context, name, address string) error {
	var was string
	var secret, next []byte
	_, err := s.alter(name,
		func(d store.Device) error {
			was = d.Address
			t, err := s.target(d)
			if err != nil || was == address {
				secret, next = d.Secret, d.NextSecret
				return err
			}
			if secret = s.sealer.Seal(address, t.Password); t.Next != "" {
				next = s.sealer.Seal(address, t.Next)
			}
			return s.store.SetAddress(ctx, name, address, secret, next)
		},
		func(d *store.Device) { d.Address, d.Secret, d.NextSecret = address, secret, next })
	if err == nil && was != address {
		s.tell(name, fact.DeviceMoved{From: was, To: address})
	}
	return err
}

// take takes a kept device in hand, with what was last known of it.
func (s *Service) take(ctx context.Context, d store.Device) error {
	last := fleet.View{Identity: d.Identity, SeenAt: d.SeenAt}
	snap, err := s.store.LastSnapshot(ctx, d.Name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return err
	}
	ports, portsErr := s.store.PortStates(ctx, d.Name)
	if portsErr != nil {
		return portsErr
	}
	if err == nil {
		last.Known, last.Config = true, snap.Config
	}
	if err == nil || len(ports) > 0 {
		last.State = network.State{ObservedAt: d.SeenAt, Ports: ports}
	}
	t, err := s.target(d)
	if err != nil { // it is not tried with none
		s.log.Error("a device's password cannot be read", "device", d.Name, "err", err)
		t.Password, t.Next = "", ""
		t.Locked = "its password cannot be read with the key of the secrets that is there: say it anew, with \"everypost device password\""
	}
	s.handTo(d, t, last)
	return nil
}
