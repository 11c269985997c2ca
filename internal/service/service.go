// Package service puts the capabilities together into the running whole.
package service

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/job"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/service/alarms"
	"example.net/everypost/internal/service/arrivals"
	"example.net/everypost/internal/service/authority"
	"example.net/everypost/internal/service/backups"
	"example.net/everypost/internal/service/captures"
	"example.net/everypost/internal/service/changes"
	"example.net/everypost/internal/service/circuits"
	"example.net/everypost/internal/service/discovery"
	"example.net/everypost/internal/service/failures"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/firmware"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/groups"
	"example.net/everypost/internal/service/guests"
	"example.net/everypost/internal/service/history"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/service/jobs"
	"example.net/everypost/internal/service/layers"
	"example.net/everypost/internal/service/leases"
	"example.net/everypost/internal/service/notify"
	"example.net/everypost/internal/service/operations"
	"example.net/everypost/internal/service/overlays"
	"example.net/everypost/internal/service/passwords"
	"example.net/everypost/internal/service/permission"
	"example.net/everypost/internal/service/policies"
	"example.net/everypost/internal/service/promises"
	"example.net/everypost/internal/service/radiolinks"
	"example.net/everypost/internal/service/rules"
	"example.net/everypost/internal/service/secrets"
	"example.net/everypost/internal/service/snapshots"
	"example.net/everypost/internal/service/steerings"
	"example.net/everypost/internal/service/terminals"
	"example.net/everypost/internal/service/troubles"
	"example.net/everypost/internal/service/vlans"
	"example.net/everypost/internal/store"
)

// Options of the service.
type Options struct {
	Dir string // the data folder; made where there is none
	// Connector makes what opens sessions to devices, which is given who keeps the secrets in their configurations.
	Connector func(driver.Secrets) driver.Connector
	Timing    fleet.Timing
	// NewKey makes a new key of the secrets where the old one is lost. What was sealed with it is lost too.
	NewKey    bool
	KeepEvery time.Duration // how often readings are kept; half a minute when 0
	Passwords access.Cost   // what it takes to try one
	Notify    notify.Timing // of what people are told
	Alarms    alarms.Timing
	JobsEvery time.Duration // between looks at jobs; a second when 0
	Firmware  firmware.Timing
	// FirmwareFolder is a folder of others from which new images of firmware are taken; "" for none.
	FirmwareFolder string
	FirmwareFrom   firmware.Address // at which they are looked for besides
	Log            *slog.Logger
}

// Service is the running whole. Make it with Open.
type Service struct {
	Store   *store.Store
	Feed    *feed.Feed // of what happens
	Fleet   *fleet.Fleet
	Changes *changes.Service
	Access  *access.Service
	// Permission tells what a person may do with which thing.
	Permission *permission.Service
	Vault      *secrets.Vault
	Inventory  *inventory.Service
	Discovery  *discovery.Service
	Arrivals   *arrivals.Service
	Groups     *groups.Service
	Layers     *layers.Service
	VLANs      *vlans.Service
	Rules      *rules.Service
	Snapshots  *snapshots.Service
	History    *history.Service
	Troubles   *troubles.Service
	Terminals  *terminals.Service
	Operations *operations.Service
	Captures   *captures.Service
	Alarms     *alarms.Service
	Notify     *notify.Service
	Backups    *backups.Service
	Jobs       *jobs.Service
	Firmware   *firmware.Service
	Policies   *policies.Service
	Promises   *promises.Service
	Authority  *authority.Service
	Imports    *authority.Importer
	Guests     *guests.Service
	Failures   *failures.Service
	Overlays   *overlays.Service
	Circuits   *circuits.Service
	Steerings  *steerings.Service
	RadioLinks *radiolinks.Service
	StartedAt  time.Time
	dir        string
	lock       *os.File
}

// Open opens the data folder and starts everything. Close ends it.
func Open(ctx context.Context, o Options) (*Service, error) {
	if err := os.MkdirAll(o.Dir, 0o700); err != nil {
		return nil, fmt.Errorf("data folder: %w", err)
	}
	lock, err := lockDir(o.Dir)
	if err != nil {
		return nil, err
	}
	s := &Service{lock: lock, dir: o.Dir, StartedAt: time.Now().UTC()}
	if err := s.start(ctx, o); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

func (s *Service) start(ctx context.Context, o Options) (err error) {
	if s.Store, err = store.Open(ctx, filepath.Join(o.Dir, "everypost.db")); err != nil {
		return err
	}
	sealer, err := s.openKey(ctx, filepath.Join(o.Dir, "secrets.key"), o.NewKey)
	if err != nil {
		return err
	}
	s.Vault = secrets.NewVault(sealer, s.Store)
	connector := o.Connector(s.Vault)
	if s.Access, err = access.New(ctx, s.Store, func() time.Time { return time.Now().UTC() }, o.Passwords); err != nil {
		return err
	}
	if s.Feed, err = feed.New(ctx, s.Store, o.Log); err != nil {
		return err
	}
	s.Inventory = inventory.New(s.Store, sealer, s.Feed, o.Log)
	s.Groups = groups.New(s.Store, s.Inventory, s.Feed)
	s.Fleet = fleet.New(connector, s.Inventory.Observer(), o.Timing, o.Log)
	s.History = history.New(s.Store, s.Fleet, s.Inventory.ClientsAt, s.Feed, o.Log, time.Now, o.KeepEvery)
	s.Troubles = troubles.New(s.Fleet, s.Feed)
	leased := &leases.Leases{}
	s.Layers = layers.New(s.Store, s.Fleet, s.Inventory, s.Groups, leased, s.Feed, o.Log)
	s.Rules = rules.New(s.Store, s.Inventory, s.Groups.Expand)
	s.Permission = permission.New(s.Access, s.Inventory)
	s.Promises = &promises.Service{Store: s.Store, Inventory: s.Inventory, Expand: s.Groups.Expand, Log: o.Log, Now: time.Now}
	s.Changes = changes.New(changes.Parts{Promises: s.Promises, Fleet: s.Fleet, Store: s.Store, Layers: s.Layers, Feed: s.Feed, Leases: leased, Log: o.Log,
		Rules: s.Rules, Permits: s.Permission, Moved: s.Inventory.Move})
	if err := s.Inventory.Start(ctx, s.Fleet); err != nil {
		return err
	}
	if s.Discovery, err = discovery.New(ctx, s.Fleet, s.Inventory, s.Store, sealer, s.Feed, o.Log); err != nil {
		return err
	}
	writer, _ := connector.(driver.Provisioner)
	s.Arrivals = arrivals.New(s.Fleet, s.Inventory, s.Store, sealer, writer, s.Feed, o.Log)
	s.Policies = &policies.Service{Fleet: s.Fleet, Layers: s.Layers, Inventory: s.Inventory, Network: s.Changes, Now: time.Now}
	s.Failures = &failures.Service{Network: s.Changes, Circuits: s.Store}
	s.Overlays = &overlays.Service{Network: s.Changes}
	s.RadioLinks = &radiolinks.Service{Licences: s.Store, Network: s.Changes, History: s.History, Now: time.Now}
	s.Circuits = &circuits.Service{Store: s.Store, History: s.History, Now: time.Now}
	s.Steerings = &steerings.Service{History: s.History, Now: time.Now}
	s.VLANs = vlans.New(s.Store, s.Inventory, s.Changes)
	s.Snapshots = snapshots.New(s.Store)
	s.Terminals = terminals.New(s.Fleet, s.Store, o.Log)
	if s.Operations, err = operations.New(ctx, s.Fleet, s.Store, leased, s.Feed, o.Log); err != nil {
		return err
	}
	s.Captures = captures.New(s.Store)
	s.Guests = guests.New(ctx, guests.Parts{Store: s.Store, Sealer: sealer, Fleet: s.Fleet, Feed: s.Feed, Log: o.Log, Now: time.Now})
	if err := s.Changes.Resume(ctx); err != nil {
		return err
	}
	s.Changes.Start()
	if s.Alarms, err = alarms.New(ctx, alarms.Parts{Store: s.Store, Inventory: s.Inventory, Layers: s.Layers, Feed: s.Feed, Leases: leased, Expand: s.Groups.Expand, History: s.History, Promises: s.promisesNow, Caps: s.capsNow, Disk: func() float64 { return diskUsed(o.Dir) }, Log: o.Log, Now: time.Now, Timing: o.Alarms}); err != nil {
		return err
	}
	if s.Notify, err = notify.New(ctx, notify.Parts{Store: s.Store, Inventory: s.Inventory, People: mailboxes{s.Access, s.Inventory}, Expand: s.Groups.Expand, Sealer: sealer, Feed: s.Feed, Log: o.Log, Now: time.Now, Timing: o.Notify}); err != nil {
		return err
	}
	s.Backups = backups.New(s.Fleet, s.Inventory, s.Store, o.Log, time.Now)
	s.Jobs = jobs.New(jobs.Parts{Store: s.Store, Inventory: s.Inventory, Access: s.Access, Expand: s.Groups.Expand, Leases: leased, Feed: s.Feed, Log: o.Log, Now: time.Now, Look: o.JobsEvery})
	s.Jobs.Does(job.Backup, s.Backups)
	s.Jobs.Does(job.Passwords, &passwords.Service{Fleet: s.Fleet, Logins: s.Inventory, Vault: s.Vault, Layers: s.Layers})
	s.Authority = &authority.Service{Store: s.Store, Sealer: sealer, Now: time.Now}
	s.Imports = &authority.Importer{Fleet: s.Fleet, Now: time.Now}
	s.Jobs.Does(job.Renew, &authority.Renewer{Authority: s.Authority, Fleet: s.Fleet, Now: time.Now})
	s.Jobs.Does(job.Search, &discovery.Doer{Searches: s.Discovery, Vault: s.Vault})
	if s.Firmware, err = firmware.New(ctx, firmware.Parts{Dir: filepath.Join(o.Dir, "firmware"), Folder: o.FirmwareFolder, From: o.FirmwareFrom, Store: s.Store, Fleet: s.Fleet, Backups: s.Backups, Network: s.Changes, Leases: leased, Log: o.Log, Now: time.Now,
		Timing: o.Firmware}); err != nil {
		return err
	}
	s.Jobs.Does(job.Upgrade, s.Firmware)
	s.Jobs.Does(job.GoBack, s.Firmware)
	if err := s.Jobs.Start(ctx); err != nil {
		return err
	}
	s.Layers.Start() // once it is known which devices changes are under way on
	return nil
}

// capsNow is which circuits are over what may go through them, or will be.
func (s *Service) capsNow(ctx context.Context) alarm.Caps {
	list, err := s.Circuits.Over(ctx, func(device string) (string, bool) {
		d, _, err := s.Inventory.Device(device)
		if err != nil {
			return "", false
		}
		return d.Site.TimeZone, true
	})
	if err != nil {
		return alarm.Caps{Unasked: true}
	}
	return alarm.Caps{List: list}
}

// promisesNow is how promises stand on what runs.
func (s *Service) promisesNow(ctx context.Context) alarm.Promises {
	if list, err := s.Promises.List(ctx); err == nil && len(list) == 0 {
		return alarm.Promises{}
	}
	n, err := s.Changes.Network(ctx)
	if err != nil {
		return alarm.Promises{Unasked: true}
	}
	return s.Promises.Stand(ctx, n.Asked(n.Configs))
}

// checkOwner is what the sealed text belongs to by which the key is known again.
const checkOwner = "the key of the secrets"

// openKey opens the key of the secrets, and makes sure that it is the one of this database.
func (s *Service) openKey(ctx context.Context, file string, renew bool) (*secrets.Sealer, error) {
	owner, sealed, err := s.Store.KeyCheck(ctx)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	holds := err == nil
	sealer, err := secrets.Open(file, holds && !renew)
	if err != nil {
		return nil, err
	}
	if holds {
		if owner == "" {
			owner = checkOwner
		}
		if _, err := sealer.Open(owner, sealed); err != nil && !renew {
			return nil, fmt.Errorf("the key in %s is not the one with which the secrets of this database are sealed: put the right file back; without it every device has to be given its password "+
				"anew, which --new-secrets-key begins", file)
		}
	}
	return sealer, s.Store.PutKeyCheck(ctx, sealer.Seal(checkOwner, "every post"))
}

// Close ends everything, in an order in which nothing is told to what has ended, and waits for it.
func (s *Service) Close() error {
	if s.Terminals != nil {
		s.Terminals.Close()
	}
	if s.Jobs != nil {
		s.Jobs.Close()
	}
	if s.Firmware != nil {
		s.Firmware.Close()
	}
	if s.Backups != nil {
		s.Backups.Close()
	}
	if s.Alarms != nil {
		s.Alarms.Close()
	}
	if s.Notify != nil {
		s.Notify.Close()
	}
	if s.Guests != nil {
		s.Guests.Close()
	}
	if s.Operations != nil {
		s.Operations.Close()
	}
	if s.Discovery != nil {
		s.Discovery.Close()
	}
	if s.Changes != nil {
		s.Changes.Close()
	}
	if s.Layers != nil {
		s.Layers.Close()
	}
	if s.Fleet != nil {
		s.Fleet.Close()
	}
	if s.Inventory != nil {
		s.Inventory.Close()
	}
	if s.Troubles != nil {
		s.Troubles.Close()
	}
	if s.History != nil {
		s.History.Close()
	}
	if s.Feed != nil {
		s.Feed.Close()
	}
	if s.Access != nil {
		s.Access.Close()
	}
	var err error
	if s.Store != nil {
		err = s.Store.Close()
	}
	return errors.Join(err, unlockDir(s.lock))
}
