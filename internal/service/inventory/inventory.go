// Package inventory knows which sites and devices there are: it enrols devices into the fleet, and keeps what is seen of
// them.
package inventory

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net"
	"strings"
	"sync"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/secrets"
	"example.net/everypost/internal/store"
)

// ErrInvalid tells that what was given cannot be.
var ErrInvalid = errors.New("not valid")

// ErrNotAccepted tells that a device's host key was not accepted.
var ErrNotAccepted = errors.New("the host key was not accepted")

// Service is the capability. Make it with New, give it the fleet with Start.
type Service struct {
	store  *store.Store
	sealer *secrets.Sealer
	feed   *feed.Feed
	log    *slog.Logger
	fleet  *fleet.Fleet

	index   *index
	configs configs
	ledger  *ledger

	mu    sync.Mutex
	wrote map[string]time.Time // when a device's state was last kept

	altering sync.Mutex // what is kept of a device
}

// New returns the service, which observes the fleet until Close.
func New(s *store.Store, sealer *secrets.Sealer, f *feed.Feed, log *slog.Logger) *Service {
	out := &Service{store: s, sealer: sealer, feed: f, log: log, index: newIndex(), wrote: map[string]time.Time{},
		configs: configs{queue: make(chan configRead, waitingConfigs), ended: make(chan struct{})}}
	out.ledger = newLedger(s, f, log)
	go out.keepConfigs()
	return out
}

// Start takes every known device in hand, with what was last known of it.
func (s *Service) Start(ctx context.Context, f *fleet.Fleet) error {
	s.fleet = f
	if err := s.readSites(ctx); err != nil {
		return err
	}
	devices, err := s.store.Devices(ctx)
	if err != nil {
		return err
	}
	for _, d := range devices {
		s.index.keep(d)
	}
	if err := s.readClients(ctx); err != nil {
		return err
	}
	for _, d := range devices {
		if d.RetiredAt.IsZero() {
			if err := s.take(ctx, d); err != nil {
				return err
			}
		}
	}
	return nil
}

// hand gives a new device to the fleet.
func (s *Service) hand(d store.Device, password string, last fleet.View) {
	s.handTo(d, driver.Target{Address: d.Address, User: d.User, Password: password, HostKey: d.HostKey, CallsHome: d.CallsHome}, last)
}

func (s *Service) handTo(d store.Device, t driver.Target, last fleet.View) {
	last.Name, last.Reach, last.Since = d.Name, network.ReachWaiting, time.Now().UTC()
	s.index.see(last) // before the fleet can tell of more
	s.fleet.Add(d.Name, t, last)
}

// Address returns an address in the form host:port, with the usual port for management where none is given.
func Address(s string) (string, error) {
	host, port, err := net.SplitHostPort(s)
	if err != nil {
		host, port = strings.Trim(s, "[]"), "830"
	}
	if host == "" || strings.ContainsAny(host, " /@") || len(host) > 253 {
		return "", fmt.Errorf("address %q is %w: write a name or an address, and a port after a colon if it is not 830", s, ErrInvalid)
	}
	if _, err := net.LookupPort("tcp", port); err != nil {
		return "", fmt.Errorf("port %q is %w", port, ErrInvalid)
	}
	return net.JoinHostPort(host, port), nil
}

// Enrolment is what is needed to enrol a device.
type Enrolment struct {
	Address, User, Password string
	HostKey                 string // as shown by HostKey and accepted by a person
	Site                    string
	Name                    string // the device's own host name when empty
	By                      string
}

// HostKey asks an address for the key that a person is to accept.
func (s *Service) HostKey(ctx context.Context, address string) (string, error) {
	address, err := Address(address)
	if err != nil {
		return "", err
	}
	return s.fleet.HostKey(ctx, address)
}

// Enrol logs in to a device, asks who it is, keeps it and takes it in hand.
func (s *Service) Enrol(ctx context.Context, a Enrolment) (store.Device, error) {
	address, err := Address(a.Address)
	if err != nil {
		return store.Device{}, err
	}
	if a.HostKey == "" {
		return store.Device{}, ErrNotAccepted
	}
	if err := s.siteExists(a.Site); err != nil {
		return store.Device{}, err
	}
	target := driver.Target{Address: address, User: a.User, Password: a.Password, HostKey: a.HostKey}
	id, err := s.fleet.Introduce(ctx, target)
	if err != nil {
		return store.Device{}, err
	}
	name := a.Name
	if name == "" {
		name = id.Hostname
	}
	if err := network.CheckName(name); err != nil {
		return store.Device{}, fmt.Errorf("%w: %w", ErrInvalid, err)
	}
	now := time.Now().UTC()
	d := store.Device{Name: name, Site: a.Site, Address: address, User: a.User, Secret: s.sealer.Seal(address, a.Password),
		HostKey: a.HostKey, Identity: id, EnrolledAt: now, EnrolledBy: a.By, SeenAt: now}
	if err := s.store.AddDevice(ctx, d); err != nil {
		if errors.Is(err, store.ErrExists) {
			return d, fmt.Errorf("a device with the name %s, the address %s or the serial number %s is known already: %w", name, address, id.Serial, store.ErrExists)
		}
		return d, err
	}
	s.index.keep(d)
	s.hand(d, a.Password, fleet.View{Identity: id, SeenAt: now})
	s.feed.Tell(fact.Of(now, fact.TheDevice(name), fact.DeviceEnrolled{By: a.By}))
	return d, nil
}

// tell tells that something happened to a device just now.
func (s *Service) tell(device string, what fact.Happening) {
	s.feed.Tell(fact.Of(time.Now().UTC(), fact.TheDevice(device), what))
}

// Written waits until what was told so far is written, or was tried in vain: whoever reads it then, reads what he was told of.
func (s *Service) Written() {
	s.feed.Settle()
	s.ledger.drain()
}

// Reached implements fleet.Observer.
func (s *Service) Reached(v fleet.View) {
	s.index.see(v)
	var what fact.Happening
	switch v.Reach {
	case network.ReachConnected:
		what = fact.DeviceConnected{}
	case network.ReachRefused:
		what = fact.DeviceRefused{Why: v.Why}
	default:
		what = fact.DeviceGone{Cause: v.Cause, Detail: v.Why}
	}
	s.feed.Tell(fact.Of(v.Since, fact.TheDevice(v.Name), what))
}

// PortChanged implements fleet.Observer.
func (s *Service) PortChanged(v fleet.View, port string, _, after network.PortState) {
	s.index.see(v)
	var what fact.Happening = fact.LinkBack{}
	if after.Oper != network.Up {
		what = fact.LinkLost{Oper: after.Oper, ShutBy: after.ShutBy}
	}
	s.feed.Tell(fact.Of(time.Now().UTC(), fact.ThePort(v.Name, port), what))
	s.keep(v)
}

// keepEvery is how often counters are kept; what matters more is kept when it happens.
const keepEvery = time.Minute

// StateRead implements fleet.Observer.
func (s *Service) StateRead(v fleet.View) {
	s.index.see(v)
	s.seeClients(v)
	s.feed.Note(fact.State{Kind: fact.Readings, Device: v.Name})
	s.mu.Lock()
	due := time.Since(s.wrote[v.Name]) >= keepEvery
	s.mu.Unlock()
	if due {
		s.keep(v)
	}
}

func (s *Service) keep(v fleet.View) {
	s.mu.Lock()
	s.wrote[v.Name] = time.Now()
	s.mu.Unlock()
	o := store.Observation{Device: v.Name, At: v.SeenAt, Identity: &v.Identity, State: network.State{Ports: maps.Clone(v.State.Ports)}}
	if v.Known {
		o.Config = &v.Config
	}
	s.ledger.observation(o)
}

// observer gives the fleet what it needs and no more.
type observer struct{ *Service }

// Observer returns what the fleet tells.
func (s *Service) Observer() fleet.Observer { return observer{s} }

// TrialStepped implements fleet.Observer.
func (o observer) TrialStepped(v fleet.View, at time.Time, step driver.TrialStep) {
	if step == driver.TrialTimedOut {
		o.feed.Tell(fact.Of(at, fact.TheDevice(v.Name), fact.ConfigTimedOut{}))
	}
}
