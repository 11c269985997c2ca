// Package arrivals is about devices that come by themselves. A device is claimed by its serial number before it ever spoke,
// with its name, its place and what it is to run. When it is switched on it asks what it is to be, showing the certificate of
// its maker; what it then calls home with is the SSH host key that it told over that connection. So no password and no key
// travels by hand, and nobody need be there.
//
// The package takes the calls of all devices that call home, those of known ones too.
package arrivals

import (
	"context"
	"crypto/ed25519"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/service/secrets"
	"example.net/everypost/internal/store"
)

// ErrUnclaimed tells that nobody claimed a device.
var ErrUnclaimed = errors.New("nobody claimed this device")

// Service is the capability. Make it with New.
type Service struct {
	fleet     *fleet.Fleet
	inventory *inventory.Service
	store     *store.Store
	sealer    *secrets.Sealer
	writer    driver.Provisioner
	feed      *feed.Feed
	log       *slog.Logger

	mu   sync.Mutex   // one at a time changes what is kept of claims
	home atomic.Value // string, host:port at which devices are to call; "" while no calls are taken
}

// New returns the service. writer may be nil where the driver cannot provision devices.
func New(f *fleet.Fleet, inv *inventory.Service, s *store.Store, sealer *secrets.Sealer, writer driver.Provisioner, fd *feed.Feed, log *slog.Logger) *Service {
	return &Service{fleet: f, inventory: inv, store: s, sealer: sealer, writer: writer, feed: fd, log: log}
}

// SetHome says where devices are to call: host:port.
func (s *Service) SetHome(address string) { s.home.Store(address) }

// Home is where devices are to call; "" while no calls are taken.
func (s *Service) Home() string {
	home, _ := s.home.Load().(string)
	return home
}

// Claim is what is said of a device that is expected.
type Claim struct {
	Serial, Name, Site string // the name and the site of the device that it replaces where they are empty
	Like               string // the device whose configuration it gets, without what its ports are for; may be empty
	Replaces           string // the device whose name, place and whole configuration it gets; may be empty
	Edits              []intent.Edit
	Particulars        network.Particulars
}

// Bounds.
const (
	MaxClaims = 1000 // at once
	maxEdits  = 1000
)

var serialPattern = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9._/-]{1,63}$`)

// Claim claims a device by its serial number.
func (s *Service) Claim(ctx context.Context, c Claim, by string) error {
	c.Serial = strings.TrimSpace(c.Serial)
	if !serialPattern.MatchString(c.Serial) {
		return inventory.Invalid(fmt.Sprintf("%q is no serial number: it has 2 to 64 letters, digits, dots, hyphens, underscores and slashes", c.Serial))
	}
	// One that was reset is claimed to take its own place.
	if is := s.inventory.OfSerial(c.Serial); is != "" && is != c.Replaces {
		return fmt.Errorf("the device %s is in service already: %w", c.Serial, store.ErrExists)
	}
	if err := s.place(&c); err != nil {
		return err
	}
	if len(c.Edits) > maxEdits {
		return inventory.Invalid(fmt.Sprintf("a claim holds at most %d edits", maxEdits))
	}
	kept := store.Claim{Serial: c.Serial, Name: c.Name, Site: c.Site, ClaimBody: store.ClaimBody{Like: c.Like, Replaces: c.Replaces, Edits: c.Edits,
		Particulars: c.Particulars, By: by, At: time.Now().UTC()}}
	if _, err := s.document(ctx, kept); err != nil { // what cannot be written now could not later
		return err
	}
	if err := s.store.AddClaim(ctx, kept); err != nil {
		if errors.Is(err, store.ErrExists) {
			return fmt.Errorf("the serial number %s or the name %s is claimed already: %w", c.Serial, c.Name, store.ErrExists)
		}
		return err
	}
	s.tell(c.Serial, fact.Claimed{Name: c.Name, By: by})
	return nil
}

// place settles where a claimed device will be, and holds it against what there is.
func (s *Service) place(c *Claim) error {
	if c.Replaces != "" {
		d, _, err := s.inventory.Device(c.Replaces)
		if err != nil {
			return err
		}
		if c.Name != "" && c.Name != c.Replaces || c.Like != "" {
			return inventory.Invalid("a device that replaces another gets that one's name, site and configuration")
		}
		c.Name, c.Site = d.Name, d.Site.Name
		return nil
	}
	if err := network.CheckName(c.Name); err != nil {
		return inventory.Invalid(err.Error())
	}
	if there, _ := s.inventory.Knows(c.Name); there {
		return fmt.Errorf("there is a device %s already; to put another in its place, claim it as a replacement: %w", c.Name, store.ErrExists)
	}
	if c.Like != "" {
		if there, _ := s.inventory.Knows(c.Like); !there {
			return inventory.Invalid(fmt.Sprintf("there is no device %q to be like", c.Like))
		}
	}
	return s.inventory.CheckParticulars(c.Site, &c.Particulars)
}

// Claims lists the claims by name.
func (s *Service) Claims(ctx context.Context) ([]store.Claim, error) { return s.store.Claims(ctx) }

// Drop takes a claim back. A device that was told what it is to be calls home in vain then.
func (s *Service) Drop(ctx context.Context, serial, by string) error {
	if err := s.store.DropClaim(ctx, serial); err != nil {
		return fmt.Errorf("claim of %s: %w", serial, err)
	}
	s.tell(serial, fact.ClaimDropped{By: by})
	return nil
}

// document writes what the device of a claim is to be.
func (s *Service) document(ctx context.Context, c store.Claim) ([]byte, error) {
	if s.writer == nil {
		return nil, errors.New("devices cannot be provisioned")
	}
	home := s.Home()
	if home == "" {
		return nil, inventory.Invalid("the service takes no calls of devices: start it with --call-home-listen")
	}
	p := driver.Provision{Hostname: c.Name, Key: s.sealer.LoginKey().Public().(ed25519.PublicKey), CallHome: home, Whole: c.Replaces != ""}
	if like := c.Like + c.Replaces; like != "" {
		snap, err := s.store.LastSnapshot(ctx, like)
		if err != nil {
			return nil, inventory.Invalid(fmt.Sprintf("the configuration of %s was never read, or only just: if it is connected, try again in a moment", like))
		}
		p.Document, p.Before = snap.Document, snap.Config
	}
	if p.Before.Ports == nil { // nobody knows yet what the device can be told: it will say so itself
		p.Before.Ports, p.Before.Features = map[string]network.PortConfig{}, setting.Features()
	}
	for _, e := range c.Edits { // nothing is known of ports that no like device has
		if _, ok := p.Before.Ports[e.Port.Port]; !ok && p.Document == nil {
			p.Before.Ports[e.Port.Port] = network.PortConfig{Enabled: true, HasPoE: true, PoE: true, Mode: network.Access}
		}
	}
	var err error
	if p.After, err = intent.Apply(c.Name, p.Before, c.Edits); err != nil {
		return nil, err
	}
	return s.writer.Provision(ctx, p)
}

// Bootstrap returns what the device of a serial number is to be, or ErrUnclaimed; and whether that is all that it is to be, or
// is to be added to what it runs. It is all for one that takes the place of another.
func (s *Service) Bootstrap(ctx context.Context, serial, model string) (document []byte, whole bool, err error) {
	c, err := s.store.Claim(ctx, serial)
	if errors.Is(err, store.ErrNotFound) {
		return nil, false, ErrUnclaimed
	}
	if err != nil {
		return nil, false, err
	}
	document, err = s.document(ctx, c)
	said := ""
	if err != nil {
		said = err.Error()
	}
	first := c.AskedAt.IsZero()
	if keepErr := s.update(ctx, serial, func(c *store.Claim) { c.AskedAt, c.Model, c.Said = time.Now().UTC(), model, said }); keepErr != nil {
		return nil, false, keepErr
	}
	if first || said != c.Said {
		s.tell(serial, fact.ClaimAsked{Model: model, Name: c.Name})
	}
	return document, c.Replaces != "", err
}

// Told takes note that a device is now what it was to be, and by which host key it will call home.
func (s *Service) Told(ctx context.Context, serial, hostKey string) error {
	err := s.update(ctx, serial, func(c *store.Claim) { c.HostKey, c.ToldAt, c.Said = hostKey, time.Now().UTC(), "" })
	if errors.Is(err, store.ErrNotFound) {
		return ErrUnclaimed
	}
	return err
}

// Failed takes note of what a device says went wrong.
func (s *Service) Failed(ctx context.Context, serial, said string) error {
	if len(said) > 1000 {
		said = said[:1000]
	}
	err := s.update(ctx, serial, func(c *store.Claim) { c.Said = said })
	if errors.Is(err, store.ErrNotFound) {
		return ErrUnclaimed
	}
	s.tell(serial, fact.ClaimFailed{Said: said})
	return err
}

func (s *Service) update(ctx context.Context, serial string, f func(*store.Claim)) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	c, err := s.store.Claim(ctx, serial)
	if err != nil {
		return err
	}
	f(&c)
	if err := s.store.PutClaim(ctx, c); err != nil {
		return err
	}
	s.feed.Note(fact.State{Kind: fact.Search})
	return nil
}

// tell tells what happened to a device that is expected.
func (s *Service) tell(serial string, what fact.Happening) {
	s.feed.Tell(fact.Of(time.Now().UTC(), fact.TheSerial(serial), what))
}

// Calls that are taken at a time, before it is known who calls.
const maxCalls = 64

// TakeCalls takes the calls of devices on a listener until ctx ends.
func (s *Service) TakeCalls(ctx context.Context, l net.Listener) error {
	stop := context.AfterFunc(ctx, func() { _ = l.Close() })
	defer stop()
	var wg sync.WaitGroup
	defer wg.Wait()
	var open calls
	for {
		c, err := l.Accept()
		if err != nil {
			if ctx.Err() != nil || errors.Is(err, net.ErrClosed) {
				return nil
			}
			return err
		}
		call, ok := open.add(c)
		if !ok { // a device calls again
			_ = c.Close()
			continue
		}
		wg.Go(func() {
			defer open.remove(call)
			if err := s.answer(ctx, call); err != nil && ctx.Err() == nil {
				s.log.Info("a call of a device came to nothing", "from", c.RemoteAddr(), "why", err)
			}
		})
	}
}

// answer finds out who calls, and hands the session to whom it belongs.
func (s *Service) answer(ctx context.Context, c net.Conn) error {
	from := c.RemoteAddr().String()
	session, key, err := s.fleet.Receive(ctx, c, func(hostKey string) (driver.Target, bool) {
		if _, known := s.inventory.Caller(hostKey); !known {
			if _, err := s.store.ClaimOfKey(ctx, hostKey); err != nil {
				return driver.Target{}, false
			}
		}
		return driver.Target{Key: s.sealer.LoginKey()}, true
	})
	if err != nil {
		_ = c.Close()
		return err
	}
	if name, known := s.inventory.Caller(key); known {
		return s.fleet.Take(name, from, session)
	}
	name, err := s.arrive(ctx, key, session)
	if err != nil {
		return errors.Join(err, session.Close())
	}
	return s.fleet.Take(name, from, session)
}

// arrive makes a device of a claim.
func (s *Service) arrive(ctx context.Context, key string, session driver.Session) (string, error) {
	asking, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	id, err := session.Identify(asking)
	if err != nil {
		return "", err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	c, err := s.store.ClaimOfKey(ctx, key)
	if err != nil {
		return "", err
	}
	if id.Serial != c.Serial {
		return "", fmt.Errorf("the device that calls as %s says that its serial number is %q", c.Serial, id.Serial)
	}
	d, err := s.inventory.Arrive(ctx, c, id)
	return d.Name, err
}
