// Package guests receives guests of wireless networks: on which page, what they must do, who lets them in, and for how long. The access points that
// they came by let them through.
package guests

import (
	"bytes"
	"cmp"
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"image"
	_ "image/jpeg" // pictures that people give
	"image/png"
	"log/slog"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/guest"
	"example.net/everypost/internal/core/operation"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/secrets"
	"example.net/everypost/internal/store"
)

// Fleet is what the package needs of the fleet.
type Fleet interface {
	View(name string) (fleet.View, bool)
	Views() []fleet.View
	Operate(ctx context.Context, name string, r operation.Request, tell func(operation.Line)) (file string, err error)
}

// Parts are what the service is made of.
type Parts struct {
	Store  *store.Store
	Sealer *secrets.Sealer
	Fleet  Fleet
	Feed   *feed.Feed
	Log    *slog.Logger
	Now    func() time.Time
}

// Service is the capability. Make it with New; Close ends it.
type Service struct {
	Parts

	stop context.CancelFunc
	wg   sync.WaitGroup

	mu      sync.Mutex // guards what follows
	address string
	wrong   map[string]*tries
	lately  map[string]time.Time // when stations were admitted last
	logos   map[string][]byte    // by portal; nil where it has none
	known   []store.GuestPortal  // nil: not read yet
	keys    map[string]string    // by portal

	changing sync.Mutex // of portals and stays
}

// ErrInvalid tells that something said is none; ErrClosed that there is no door for guests.
var (
	ErrInvalid = guest.ErrInvalid
	ErrClosed  = errors.New("the service has no door for guests: start it with --guest-listen and --guest-address")
	// ErrOver tells that a guest does not wait, or is not in, any more.
	ErrOver = errors.New("that is over already: look again")
)

const (
	mostPortals  = 50
	mostWaiting  = 200    // guests that wait to be let in at a portal
	mostVouchers = 1000   // made in one call
	mostUnused   = 20_000 // of a portal, that nobody used yet
	keepsGuests  = 90 * 24 * time.Hour
	sweepEvery   = 6 * time.Hour
	mostAsked    = 20               // times that a station asks within an hour
	admitTime    = 15 * time.Second // for an access point to answer
)

// New returns the service.
func New(ctx context.Context, p Parts) *Service {
	own, stop := context.WithCancel(context.WithoutCancel(ctx))
	s := &Service{Parts: p, stop: stop, wrong: map[string]*tries{}, lately: map[string]time.Time{}, logos: map[string][]byte{}, keys: map[string]string{}}
	s.wg.Go(func() { s.sweep(own) })
	return s
}

// Close ends it.
func (s *Service) Close() {
	s.stop()
	s.wg.Wait()
}

// sweep forgets guests of long ago.
func (s *Service) sweep(ctx context.Context) {
	tick := time.NewTicker(sweepEvery)
	defer tick.Stop()
	for {
		if err := s.Store.ForgetGuests(ctx, s.Now().Add(-keepsGuests)); err != nil && ctx.Err() == nil {
			s.Log.Warn("guests of long ago could not be forgotten", "err", err)
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
	}
}

// SetAddress says where guests find the door.
func (s *Service) SetAddress(base string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.address = strings.TrimSuffix(base, "/")
}

// Address is where guests find a portal; "" where there is no door.
func (s *Service) Address(portal string) string {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.address == "" {
		return ""
	}
	return s.address + "/" + url.PathEscape(portal)
}

// Portals lists the portals by name.
func (s *Service) Portals(ctx context.Context) ([]store.GuestPortal, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.known == nil {
		list, err := s.Store.GuestPortals(ctx)
		if err != nil {
			return nil, err
		}
		s.known = list
	}
	return slices.Clone(s.known), nil
}

func (s *Service) forget() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.known = nil
	clear(s.logos)
}

// Portal returns a portal.
func (s *Service) Portal(ctx context.Context, name string) (store.GuestPortal, error) {
	all, err := s.Portals(ctx)
	if err != nil {
		return store.GuestPortal{}, err
	}
	i := slices.IndexFunc(all, func(p store.GuestPortal) bool { return p.Name == name })
	if i < 0 {
		return store.GuestPortal{}, store.ErrNotFound
	}
	return all[i], nil
}

// Put makes a portal, or replaces what it says.
func (s *Service) Put(ctx context.Context, p guest.Portal) (guest.Portal, error) {
	if err := p.Check(); err != nil {
		return p, err
	}
	s.changing.Lock()
	defer s.changing.Unlock()
	all, err := s.Portals(ctx)
	if err != nil {
		return p, err
	}
	if len(all) >= mostPortals && !slices.ContainsFunc(all, func(o store.GuestPortal) bool { return o.Name == p.Name }) {
		return p, fmt.Errorf("%w: there are %d portals already, which is as many as there may be", ErrInvalid, mostPortals)
	}
	defer s.forget()
	return p, s.Store.PutGuestPortal(ctx, store.GuestPortal{Portal: p, Key: s.Sealer.Seal(keyOwner(p.Name), newKey())})
}

// Drop forgets a portal with its vouchers.
func (s *Service) Drop(ctx context.Context, name string) error {
	s.changing.Lock()
	defer s.changing.Unlock()
	defer func() {
		s.forget()
		s.mu.Lock()
		delete(s.keys, name)
		s.mu.Unlock()
	}()
	return s.Store.DropGuestPortal(ctx, name)
}

func keyOwner(portal string) string { return "guest portal " + portal }

func newKey() string {
	b := make([]byte, 24)
	_, _ = rand.Read(b)
	return base64.RawURLEncoding.EncodeToString(b)
}

// Key is what access points sign with who comes to a portal.
func (s *Service) Key(ctx context.Context, name string) (string, error) {
	p, err := s.Portal(ctx, name)
	if err != nil {
		return "", err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if key := s.keys[name]; key != "" {
		return key, nil
	}
	key, err := s.Sealer.Open(keyOwner(name), p.Key)
	s.keys[name] = key
	return key, err
}

// mostSide is how many points a side of a picture has at most.
const mostSide = 1000

// PutLogo keeps a picture for a portal, written anew so that nothing but the picture is kept; none when it is empty.
func (s *Service) PutLogo(ctx context.Context, name string, picture []byte) error {
	var out []byte
	if len(picture) > 0 {
		if len(picture) > guest.MostLogo {
			return fmt.Errorf("%w: the picture has %d octets, more than %d", ErrInvalid, len(picture), guest.MostLogo)
		}
		about, form, err := image.DecodeConfig(bytes.NewReader(picture))
		if err != nil || form != "png" && form != "jpeg" {
			return fmt.Errorf("%w: the picture is neither PNG nor JPEG", ErrInvalid)
		}
		if about.Width > mostSide || about.Height > mostSide {
			return fmt.Errorf("%w: the picture has %d by %d points, more than %d a side", ErrInvalid, about.Width, about.Height, mostSide)
		}
		i, _, err := image.Decode(bytes.NewReader(picture))
		if err != nil {
			return fmt.Errorf("%w: the picture cannot be read", ErrInvalid)
		}
		var b bytes.Buffer
		if err := png.Encode(&b, i); err != nil {
			return err
		}
		out = b.Bytes()
	}
	s.changing.Lock()
	defer s.changing.Unlock()
	defer s.forget()
	return s.Store.PutGuestLogo(ctx, name, out)
}

// Logo is the picture of a portal (PNG).
func (s *Service) Logo(ctx context.Context, name string) ([]byte, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if b, ok := s.logos[name]; ok {
		if b == nil {
			return nil, store.ErrNotFound
		}
		return b, nil
	}
	b, err := s.Store.GuestLogo(ctx, name)
	if err == nil {
		s.logos[name] = b
	}
	return b, err
}

// note tells who looks that something is different about a guest.
func (s *Service) note(g guest.Stay) { s.Feed.Note(fact.State{Kind: fact.Guest, Device: g.Device}) }

// Stays lists stays, the newest first.
func (s *Service) Stays(ctx context.Context, q store.GuestStayQuery) ([]guest.Stay, error) {
	q.Limit = cmp.Or(q.Limit, 1000)
	return s.Store.GuestStays(ctx, q)
}

// Stay returns one.
func (s *Service) Stay(ctx context.Context, number int64) (guest.Stay, error) {
	list, err := s.Store.GuestStays(ctx, store.GuestStayQuery{Number: number, Limit: 1})
	if err != nil || len(list) == 0 {
		return guest.Stay{}, cmp.Or(err, store.ErrNotFound)
	}
	return list[0], nil
}
