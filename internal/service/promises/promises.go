// Package promises keeps what must always, or must never, reach what; holds it against drafts before they are pushed, and against what runs.
package promises

import (
	"cmp"
	"context"
	"fmt"
	"log/slog"
	"math"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"

	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/guard"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/reach"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/store"
)

// Inventory is where end stations are found.
type Inventory interface {
	Clients(q catalog.Query) catalog.Result[*catalog.Client]
}

// Service is the capability.
type Service struct {
	Store     *store.Store
	Inventory Inventory
	Expand    func(context.Context, selector.Expr) (selector.Expr, error) // groups in selectors
	Log       *slog.Logger
	Now       func() time.Time

	writing sync.Mutex
}

const mostPromises = 100

// ErrInvalid tells that a promise is none.
var ErrInvalid = reach.ErrPromise

// List lists them by name.
func (s *Service) List(ctx context.Context) ([]reach.Promise, error) { return s.Store.Promises(ctx) }

// Put makes a promise, or replaces it.
func (s *Service) Put(ctx context.Context, p reach.Promise) (reach.Promise, error) {
	if err := s.check(ctx, &p); err != nil {
		return p, err
	}
	s.writing.Lock()
	defer s.writing.Unlock()
	all, err := s.Store.Promises(ctx)
	if err != nil {
		return p, err
	}
	if len(all) >= mostPromises && !slices.ContainsFunc(all, func(o reach.Promise) bool { return o.Name == p.Name }) {
		return p, fmt.Errorf("%w: there are %d already, which is as many as there may be", ErrInvalid, mostPromises)
	}
	return p, s.Store.PutPromise(ctx, p)
}

// Drop forgets one.
func (s *Service) Drop(ctx context.Context, name string) error { return s.Store.DropPromise(ctx, name) }

func (s *Service) check(ctx context.Context, p *reach.Promise) error {
	if err := p.Check(); err != nil {
		return err
	}
	_, err := s.ends(ctx, p.From)
	if err == nil {
		_, err = s.ends(ctx, p.To)
	}
	return err
}

// ends finds the ends that a selector picks, or the address that a text is.
func (s *Service) ends(ctx context.Context, text string) ([]reach.End, error) {
	e, err := catalog.Network.Parse(text)
	address, isAddress := reach.Outside(text)
	if isAddress {
		e, err = catalog.Network.Parse("client.address = " + text)
	}
	if err != nil {
		return nil, err
	}
	if e, err = s.Expand(ctx, e); err != nil {
		return nil, fmt.Errorf("%w: %w", ErrInvalid, err)
	}
	var out []reach.End
	for _, c := range s.Inventory.Clients(catalog.Query{Where: e, Limit: math.MaxInt, Now: s.Now()}).Rows {
		if a, err := netip.ParseAddr(c.Address); err == nil && c.Here {
			out = append(out, reach.End{Name: called(c), Address: a, Device: c.DeviceID, Port: c.Port, VLAN: c.VLAN})
		}
	}
	if isAddress && len(out) == 0 {
		out = []reach.End{address}
	}
	return reach.Ends(out), nil
}

// at is the end station at an address.
func (s *Service) at(a netip.Addr) (reach.End, bool) {
	for _, c := range s.Inventory.Clients(catalog.Query{Where: catalog.OfAddress(a.String()), Limit: 20, Now: s.Now()}).Rows {
		if c.Here {
			return reach.End{Name: called(c), Address: a, Device: c.DeviceID, Port: c.Port, VLAN: c.VLAN}, true
		}
	}
	return reach.End{}, false
}

// called is an end station for people: names are the same at many sites, so the address is said too.
func called(c *catalog.Client) string {
	return strings.TrimSpace(cmp.Or(c.GivenName, c.OwnName) + " " + c.Address)
}

// Result is how a promise fares.
type Result struct {
	reach.Promise
	Asked    int // questions
	Breaches []reach.Breach
	Why      string // why it cannot be looked at; "" where it can
}

// Held holds promises against a network.
func (s *Service) Held(ctx context.Context, n reach.Network, list ...reach.Promise) []Result {
	out := make([]Result, len(list))
	for i, p := range list {
		if out[i].Promise = p; ctx.Err() != nil {
			out[i].Why = ctx.Err().Error()
			continue
		}
		from, err := s.ends(ctx, p.From)
		var to []reach.End
		if err == nil {
			to, err = s.ends(ctx, p.To)
		}
		if err != nil {
			out[i].Why = err.Error()
			continue
		}
		var unknown int
		out[i].Breaches, out[i].Asked, unknown = p.Held(n, from, to, reach.Question{At: s.Now().UTC(), Find: s.at})
		switch out[i].Asked {
		case 0:
			out[i].Why = "it picks nobody"
		case unknown:
			out[i].Why = "of none of those that it picks is it known: they were not seen, or what lies between is out"
		}
	}
	return out
}

// Try holds a promise that is not kept yet against a network.
func (s *Service) Try(ctx context.Context, p reach.Promise, n reach.Network) (Result, error) {
	if err := s.check(ctx, &p); err != nil {
		return Result{}, err
	}
	return s.Held(ctx, n, p)[0], nil
}

// Guard finds the promises that a change would break, and that hold now.
func (s *Service) Guard(ctx context.Context, before, after reach.Network) ([]guard.Finding, error) {
	list, err := s.Store.Promises(ctx)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	var out []guard.Finding
	for _, r := range s.Held(ctx, after, list...) {
		if len(r.Breaches) == 0 {
			continue
		}
		if was := s.Held(ctx, before, r.Promise)[0]; len(was.Breaches) > 0 {
			continue // it is broken already
		}
		must := "must always reach"
		if r.Never {
			must = "must never reach"
		}
		f := guard.Finding{
			ID: "promise:" + r.Name, Guard: "promise", Level: guard.Stop,
			What: fmt.Sprintf("It would break a promise: %s (%s).", r.Title, r.Breaches[0]),
			Why:  fmt.Sprintf("%s %s %s by %s.", r.From, must, r.To, r.Service()), Do: "Leave that as it is, or change the promise first.",
		}
		for _, device := range changed(before, after) {
			f.Ports = append(f.Ports, network.PortRef{Device: device})
		}
		out = append(out, f)
	}
	return out, nil
}

// changed are the devices that run something else afterwards.
func changed(before, after reach.Network) (out []string) {
	for name, c := range after.Configs {
		if !c.Equal(before.Configs[name]) {
			out = append(out, name)
		}
	}
	slices.Sort(out)
	return out
}

// Stand tells how the promises stand on a network.
func (s *Service) Stand(ctx context.Context, n reach.Network) (out alarm.Promises) {
	list, err := s.Store.Promises(ctx)
	if err != nil {
		if ctx.Err() == nil {
			s.Log.Error("promises could not be read", "err", err)
		}
		return alarm.Promises{Unasked: true}
	}
	out.Broken, out.Doubtful = map[string]map[string]any{}, map[string]bool{}
	for _, r := range s.Held(ctx, n, list...) {
		switch {
		case len(r.Breaches) > 0:
			out.Broken[r.Name] = map[string]any{"title": r.Title, "first": r.Breaches[0].String(), "number": float64(len(r.Breaches))}
		case r.Why != "":
			out.Doubtful[r.Name] = true
		}
	}
	return out
}
