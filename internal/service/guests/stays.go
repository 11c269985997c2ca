package guests

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/url"
	"strconv"
	"time"

	"example.net/everypost/internal/core/guest"
	"example.net/everypost/internal/core/operation"
	"example.net/everypost/internal/store"
)

// Visit is a station that came to a portal.
type Visit struct {
	Portal guest.Portal
	Logo   bool
	Pass   guest.Pass
	Device string     // the access point that sent it
	Stay   guest.Stay // the last one; its number is 0 where there was none
	State  guest.State
}

// Receive reads who comes to a portal by what an access point says. guest.ErrPass tells that nobody was sent here.
func (s *Service) Receive(ctx context.Context, portal string, q url.Values) (Visit, error) {
	p, err := s.Portal(ctx, portal)
	if err != nil {
		return Visit{}, err
	}
	v := Visit{Portal: p.Portal, Logo: p.Logo}
	key, err := s.Key(ctx, portal)
	if err != nil {
		return v, err
	}
	now := s.Now().UTC()
	if v.Pass, err = guest.ReadPass(q, key, now); err != nil {
		return v, err
	}
	if v.Device = s.called(v.Pass.At); v.Device == "" {
		return v, guest.ErrPass
	}
	list, err := s.Store.GuestStays(ctx, store.GuestStayQuery{Portal: portal, Station: v.Pass.Station, Limit: 1})
	if err != nil {
		return v, err
	}
	if len(list) == 1 {
		v.Stay, v.State = list[0], list[0].StateAt(now)
	}
	return v, nil
}

// called finds the device that calls itself so; "" where there is none.
func (s *Service) called(hostname string) string {
	if v, ok := s.Fleet.View(hostname); ok && v.Config.Hostname == hostname {
		return hostname
	}
	for _, v := range s.Fleet.Views() {
		if v.Config.Hostname == hostname {
			return v.Name
		}
	}
	return ""
}

// errAway tells a guest that he has to come again.
const errAway = guest.Mistake("You are let in, but the access point does not answer at the moment. Please load this page again in a minute.")

// Ask lets a guest in, or has him wait, as his portal says. A guest.Mistake is for him to read.
func (s *Service) Ask(ctx context.Context, v Visit, f guest.Form) (guest.Stay, error) {
	if v.State == guest.In || v.State == guest.Waiting {
		return v.Stay, s.Admit(ctx, v)
	}
	if err := f.Check(v.Portal); err != nil {
		return guest.Stay{}, err
	}
	now := s.Now().UTC().Truncate(time.Microsecond)
	stay := guest.Stay{Portal: v.Portal.Name, Station: v.Pass.Station, Name: f.Name, Host: f.Host, Network: v.Pass.Network, Device: v.Device, AskedAt: now, Kbps: v.Portal.Kbps}
	asked, err := s.Store.GuestStays(ctx, store.GuestStayQuery{Portal: stay.Portal, Station: stay.Station, Since: now.Add(-time.Hour), Limit: mostAsked})
	if err != nil {
		return stay, err
	}
	if len(asked) >= mostAsked {
		return stay, guest.Mistake("You asked very often. Please wait for an hour, or ask at the desk.")
	}
	minutes := v.Portal.Minutes
	switch v.Portal.Way {
	case guest.Voucher:
		voucher, err := s.voucher(ctx, v, f.Code, now)
		if err != nil {
			return stay, err
		}
		stay.Voucher, minutes = voucher.Number, voucher.Minutes
	case guest.Host:
		minutes = 0
		waiting, err := s.Store.GuestStays(ctx, store.GuestStayQuery{Portal: v.Portal.Name, Open: now, Since: now.Add(-2 * time.Hour), Limit: 10 * mostWaiting})
		if err != nil {
			return stay, err
		}
		n := 0
		for _, w := range waiting {
			if w.StateAt(now) == guest.Waiting {
				n++
			}
		}
		if n >= mostWaiting {
			return stay, guest.Mistake("Too many people wait to be let in. Please ask at the desk.")
		}
	}
	if minutes > 0 {
		stay.Begun, stay.Ends = now, now.Add(time.Duration(minutes)*time.Minute)
	}
	number, err := s.Store.AddGuestStay(ctx, stay)
	if errors.Is(err, store.ErrNotFound) {
		return stay, usedUp // by somebody else, just now
	}
	if err != nil {
		return stay, err
	}
	s.note(stay)
	if stay.Number = number; minutes == 0 {
		return stay, nil
	}
	return stay, s.admit(ctx, stay)
}

const usedUp = guest.Mistake("That voucher was used, taken back, or its time is over. Please ask for another one.")

// voucher is the one of a code, if it is still good.
func (s *Service) voucher(ctx context.Context, v Visit, typed string, now time.Time) (store.GuestVoucher, error) {
	portal, station := v.Portal.Name, v.Pass.Station
	if !s.mayTry(portal, station, now) {
		return store.GuestVoucher{}, guest.Mistake("Too many wrong codes were tried. Please wait for ten minutes.")
	}
	key, err := s.Key(ctx, portal)
	if err != nil {
		return store.GuestVoucher{}, err
	}
	voucher, err := s.Store.GuestVoucherByHash(ctx, portal, hashOf(key, guest.NormalCode(typed)))
	switch {
	case errors.Is(err, store.ErrNotFound):
		s.wasWrong(portal, station, now)
		return voucher, guest.Mistake("There is no voucher with that code. Please look at it again.")
	case err == nil && (!voucher.UsedAt.IsZero() || !voucher.Taken.IsZero() || !now.Before(voucher.GoodTo)):
		return voucher, usedUp
	}
	return voucher, err
}

// admitAgain is how soon a station is admitted once more that comes though it is let in.
const admitAgain = 2 * time.Second

// Admit has the access point by which a guest came let him through, where he is let in: it may have started again since, or he came from another.
func (s *Service) Admit(ctx context.Context, v Visit) error {
	if v.State != guest.In {
		return nil
	}
	now := s.Now()
	s.mu.Lock()
	again := v.Stay.Device == v.Device && now.Sub(s.lately[v.Pass.Station]) < admitAgain
	s.mu.Unlock()
	if again {
		return nil
	}
	stay := v.Stay
	if stay.Device != v.Device {
		stay.Device = v.Device
		if err := s.Store.MoveGuestStay(ctx, stay.Number, v.Device); err != nil {
			if errors.Is(err, store.ErrNotFound) {
				return nil // somebody ended his time, just now
			}
			return err
		}
	}
	return s.admitWhileIn(ctx, stay)
}

// admitWhileIn has an access point let a guest through, and stop him again if somebody ended his time meanwhile.
func (s *Service) admitWhileIn(ctx context.Context, stay guest.Stay) error {
	if err := s.admit(ctx, stay); err != nil {
		return err
	}
	if is, err := s.Stay(ctx, stay.Number); err == nil && is.StateAt(s.Now()) != guest.In {
		return s.operate(ctx, stay.Device, operation.Dismiss, map[string]string{"station": stay.Station})
	}
	return nil
}

// admit has an access point let a guest through for what is left of his time.
func (s *Service) admit(ctx context.Context, g guest.Stay) error {
	now := s.Now()
	left := int64(g.Ends.Sub(now).Seconds())
	if left < 1 {
		return nil
	}
	args := map[string]string{"station": g.Station, "for": strconv.FormatInt(left, 10)}
	if g.Kbps > 0 {
		args["rate"] = strconv.Itoa(g.Kbps)
	}
	if err := s.operate(ctx, g.Device, operation.Admit, args); err != nil {
		s.Log.Warn("a guest could not be admitted", "device", g.Device, "err", err)
		return errAway
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.lately) > mostWatched {
		clear(s.lately)
	}
	s.lately[g.Station] = now
	return nil
}

func (s *Service) operate(ctx context.Context, device string, k operation.Kind, args map[string]string) error {
	r, err := operation.New(k, args)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), admitTime) // who leaves the page is let in all the same
	defer cancel()
	_, err = s.Fleet.Operate(ctx, device, r, func(operation.Line) {})
	return err
}

// LetIn lets a guest in who waits.
func (s *Service) LetIn(ctx context.Context, number int64, minutes int, by string) (guest.Stay, error) {
	g, err := s.decideIn(ctx, number, minutes, by)
	if err != nil {
		return g, err
	}
	if err := s.admitWhileIn(ctx, g); err != nil {
		s.Log.Info("he is let through once he loads the page again", "guest", g.Number)
	}
	return g, nil
}

// decideIn writes down that a guest is let in. Nobody waits for an access point meanwhile.
func (s *Service) decideIn(ctx context.Context, number int64, minutes int, by string) (guest.Stay, error) {
	s.changing.Lock()
	defer s.changing.Unlock()
	g, now, err := s.at(ctx, number, guest.Waiting)
	if err != nil {
		return g, err
	}
	p, err := s.Portal(ctx, g.Portal)
	if err != nil {
		return g, err
	}
	if minutes = cmp.Or(minutes, p.Minutes); minutes < 1 || minutes > guest.MostMinutes {
		return g, fmt.Errorf("%w: a guest is let in for 1 to %d minutes, not %d", ErrInvalid, guest.MostMinutes, minutes)
	}
	g.Begun, g.Ends, g.By, g.Kbps = now, now.Add(time.Duration(minutes)*time.Minute), by, p.Kbps
	if err := s.Store.PutGuestStay(ctx, g); err != nil {
		return g, err
	}
	s.note(g)
	return g, nil
}

// TurnAway tells a guest who waits that he is not let in.
func (s *Service) TurnAway(ctx context.Context, number int64, why, by string) (guest.Stay, error) {
	s.changing.Lock()
	defer s.changing.Unlock()
	g, now, err := s.at(ctx, number, guest.Waiting)
	if err != nil {
		return g, err
	}
	if len([]rune(why)) > 200 {
		return g, fmt.Errorf("%w: why: it has at most 200 characters", ErrInvalid)
	}
	g.Ended, g.By, g.Why = now, by, why
	if err := s.Store.PutGuestStay(ctx, g); err != nil {
		return g, err
	}
	s.note(g)
	return g, nil
}

// End ends the time of a guest.
func (s *Service) End(ctx context.Context, number int64, by string) (guest.Stay, error) {
	g, err := s.decideOver(ctx, number, by)
	if err != nil {
		return g, err
	}
	if err := s.operate(ctx, g.Device, operation.Dismiss, map[string]string{"station": g.Station}); err != nil {
		return g, fmt.Errorf("his time is over here, but %s could not be told and lets him through until %s: %w", g.Device, g.Ends.Format("15:04"), err)
	}
	return g, nil
}

// decideOver writes down that the time of a guest is over.
func (s *Service) decideOver(ctx context.Context, number int64, by string) (guest.Stay, error) {
	s.changing.Lock()
	defer s.changing.Unlock()
	g, now, err := s.at(ctx, number, guest.In)
	if err != nil {
		return g, err
	}
	g.Ended, g.EndedBy = now, by
	if err := s.Store.PutGuestStay(ctx, g); err != nil {
		return g, err
	}
	s.note(g)
	return g, nil
}

// at is a stay that must be in a state.
func (s *Service) at(ctx context.Context, number int64, is guest.State) (guest.Stay, time.Time, error) {
	now := s.Now().UTC().Truncate(time.Microsecond)
	g, err := s.Stay(ctx, number)
	if err == nil && g.StateAt(now) != is {
		err = ErrOver
	}
	return g, now, err
}
