package guests

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"fmt"
	"time"

	"example.net/everypost/internal/core/guest"
	"example.net/everypost/internal/store"
)

// Order is what vouchers are made of.
type Order struct {
	Portal  string
	Count   int
	Minutes int    // for which each lets in; 0: as the portal says
	Days    int    // within which they must be used; 0: 30
	Label   string // whom they are for
}

const mostDays = 366

// MakeVouchers makes vouchers and returns their codes, which nobody can read again.
func (s *Service) MakeVouchers(ctx context.Context, o Order, by string) ([]string, error) {
	p, err := s.Portal(ctx, o.Portal)
	if err != nil {
		return nil, err
	}
	if p.Way != guest.Voucher {
		return nil, fmt.Errorf("%w: portal %s asks for no vouchers: its way is %s", ErrInvalid, p.Name, p.Way)
	}
	if o.Minutes == 0 {
		o.Minutes = p.Minutes
	}
	if o.Days == 0 {
		o.Days = 30
	}
	switch {
	case o.Count < 1 || o.Count > mostVouchers:
		return nil, fmt.Errorf("%w: 1 to %d vouchers are made at once, not %d", ErrInvalid, mostVouchers, o.Count)
	case o.Minutes < 1 || o.Minutes > guest.MostMinutes:
		return nil, fmt.Errorf("%w: a voucher lets in for 1 to %d minutes, not %d", ErrInvalid, guest.MostMinutes, o.Minutes)
	case o.Days < 1 || o.Days > mostDays:
		return nil, fmt.Errorf("%w: a voucher is good for 1 to %d days, not %d", ErrInvalid, mostDays, o.Days)
	case len([]rune(o.Label)) > 80:
		return nil, fmt.Errorf("%w: a label has at most 80 characters", ErrInvalid)
	}
	s.changing.Lock()
	defer s.changing.Unlock()
	unused, err := s.Store.CountGuestVouchers(ctx, o.Portal)
	if err != nil {
		return nil, err
	}
	if unused+o.Count > mostUnused {
		return nil, fmt.Errorf("%w: portal %s has %d vouchers that nobody used, and may have %d: take some back", ErrInvalid, o.Portal, unused, mostUnused)
	}
	key, err := s.Key(ctx, o.Portal)
	if err != nil {
		return nil, err
	}
	codes, hints, hashes := make([]string, o.Count), make([]string, o.Count), make([][]byte, o.Count)
	for i := range codes {
		code := newCode()
		codes[i], hints[i], hashes[i] = guest.ShownCode(code), code[len(code)-2:], hashOf(key, code)
	}
	now := s.Now().UTC()
	return codes, s.Store.AddGuestVouchers(ctx, store.GuestVoucher{Portal: o.Portal, Label: o.Label, Minutes: o.Minutes, MadeBy: by, MadeAt: now, GoodTo: now.AddDate(0, 0, o.Days)}, hashes, hints)
}

func newCode() string {
	for {
		b := make([]byte, 16)
		_, _ = rand.Read(b)
		if code, ok := guest.Code(b); ok {
			return code
		}
	}
}

// hashOf is what is kept of a code: who has the database alone cannot try codes on it, for the key is sealed.
func hashOf(key, code string) []byte {
	h := hmac.New(sha256.New, []byte(key))
	_, _ = fmt.Fprintf(h, "voucher|%s", code)
	return h.Sum(nil)
}

// Vouchers lists those of a portal, or of all, the newest first.
func (s *Service) Vouchers(ctx context.Context, portal string) ([]store.GuestVoucher, error) {
	return s.Store.GuestVouchers(ctx, portal, 2000)
}

// TakeVoucher takes one of a portal back that nobody used.
func (s *Service) TakeVoucher(ctx context.Context, portal string, number int64) error {
	return s.Store.TakeGuestVoucher(ctx, portal, number, s.Now().UTC())
}

// Codes are guessed by nobody: after so many wrong ones within a while no more are looked at, of a station, and of a portal.
const (
	wrongOfStation = 8
	wrongOfPortal  = 120
	wrongWhile     = 10 * time.Minute
	mostWatched    = 4096
)

type tries struct {
	begin time.Time
	n     int
}

// mayTry tells whether a code may be tried.
func (s *Service) mayTry(portal, station string, now time.Time) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	n := func(who string) int {
		if t := s.wrong[who]; t != nil && now.Sub(t.begin) < wrongWhile {
			return t.n
		}
		return 0
	}
	return n(portal) < wrongOfPortal && n(portal+" "+station) < wrongOfStation
}

func (s *Service) wasWrong(portal, station string, now time.Time) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.wrong) > mostWatched {
		for who, t := range s.wrong {
			if now.Sub(t.begin) >= wrongWhile {
				delete(s.wrong, who)
			}
		}
	}
	for _, who := range []string{portal, portal + " " + station} {
		t := s.wrong[who]
		if t == nil || now.Sub(t.begin) >= wrongWhile {
			t = &tries{begin: now}
			s.wrong[who] = t
		}
		t.n++
	}
}
