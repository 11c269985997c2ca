// Package operations has devices do things when somebody asks: ping, test a cable, restart. What comes back is told while it comes, and kept.
package operations

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/operation"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/leases"
	"example.net/everypost/internal/store"
)

// The states of an operation.
const (
	Running   = "running"
	Done      = "done"
	Failed    = "failed"
	Cancelled = "cancelled"
	Lost      = "lost" // the service stopped while it went on: what came of it is not known
)

var (
	// ErrTooMany tells that as many operations go on as may.
	ErrTooMany = errors.New("too many operations go on: wait for one, or cancel it")
	// ErrBusy tells that the device is being changed.
	ErrBusy = errors.New("somebody works on the device: a change or an operation is under way there")
	// ErrOver tells that an operation has ended.
	ErrOver = errors.New("it is over")
)

const (
	maxOpen       = 64
	maxOpenDevice = 8
	keepEvery     = 2 * time.Second        // how often what came back is kept, while it comes
	lookEvery     = 200 * time.Millisecond // between looks whether a device is back
	fetchTime     = 2 * time.Minute        // until a file that a device left must be here
	maxCapture    = 12 << 20               // octets of such a file
	leaveTime     = time.Minute            // until a device that restarts must be gone
)

// Fleet is what the package needs of the fleet.
type Fleet interface {
	View(name string) (fleet.View, bool)
	Operate(ctx context.Context, name string, r operation.Request, tell func(operation.Line)) (file string, err error)
	GetFile(ctx context.Context, name, file string, most int64) ([]byte, error)
	RemoveFile(ctx context.Context, name, file string) error
}

// Service is the capability. Make it with New; Close ends it.
type Service struct {
	fleet  Fleet
	store  *store.Store
	leases *leases.Leases
	feed   *feed.Feed
	log    *slog.Logger

	ctx  context.Context
	stop context.CancelFunc
	wg   sync.WaitGroup

	mu   sync.Mutex
	open map[int64]*run
}

// run is an operation that goes on.
type run struct {
	cancel context.CancelCauseFunc

	mu sync.Mutex
	o  store.Operation
}

// New returns the service. What an earlier life left going on is over.
func New(ctx context.Context, f Fleet, s *store.Store, l *leases.Leases, fd *feed.Feed, log *slog.Logger) (*Service, error) {
	own, stop := context.WithCancel(context.Background())
	x := &Service{fleet: f, store: s, leases: l, feed: fd, log: log, ctx: own, stop: stop, open: map[int64]*run{}}
	left, err := s.Operations(ctx, store.OperationQuery{Open: true, Limit: 1000})
	if err != nil {
		stop()
		return nil, err
	}
	for _, o := range left {
		o.State, o.EndedAt, o.Why = Lost, now(), "the service stopped while it went on: what came of it is not known"
		if err := s.PutOperation(ctx, o); err != nil {
			stop()
			return nil, err
		}
	}
	return x, nil
}

// Close cancels what goes on and waits for it.
func (s *Service) Close() {
	s.mu.Lock()
	for _, r := range s.open {
		r.cancel(errStopped)
	}
	s.mu.Unlock()
	s.stop()
	s.wg.Wait()
}

var (
	errStopped   = errors.New("the service stopped")
	errCancelled = errors.New("it was cancelled")
)

func now() time.Time { return time.Now().UTC().Truncate(time.Microsecond) }

// Offers lists what a device can be asked to do.
func (s *Service) Offers(device string) []operation.Kind {
	v, _ := s.fleet.View(device)
	return slices.DeleteFunc(slices.Clone(v.Can), func(k operation.Kind) bool {
		about, _ := operation.Of(k)
		return about.Inner
	})
}

// Start has a device do something for somebody.
func (s *Service) Start(ctx context.Context, device, by string, r operation.Request) (store.Operation, error) {
	about, _ := operation.Of(r.Kind)
	r = r.By(by)
	v, ok := s.fleet.View(device)
	switch {
	case !ok:
		return store.Operation{}, fleet.ErrUnknown
	case v.Reach != network.ReachConnected:
		return store.Operation{}, &fleet.GoneError{Device: device, Reach: v.Reach, Since: v.Since, Why: v.Why}
	case about.Inner, !slices.Contains(v.Can, r.Kind):
		return store.Operation{}, fmt.Errorf("%w: %s offers no %s", fleet.ErrCannot, device, r.Kind)
	case about.Disturbs != "" && s.leases.Held(device):
		return store.Operation{}, ErrBusy
	}
	for _, p := range r.Ports() {
		if _, ok := v.State.Ports[p]; !ok {
			return store.Operation{}, fmt.Errorf("%w: %s has no port %s", operation.ErrInvalid, device, p)
		}
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	there := 0
	for _, o := range s.open {
		if o.o.Device == device {
			there++
		}
	}
	if len(s.open) >= maxOpen || there >= maxOpenDevice {
		return store.Operation{}, ErrTooMany
	}
	if s.ctx.Err() != nil {
		return store.Operation{}, errStopped
	}
	o := store.Operation{Device: device, By: by, State: Running, StartedAt: now(), Request: r, Lines: []operation.Line{}}
	number, err := s.store.AddOperation(ctx, o) // what would not be known is not done
	if err != nil {
		return o, err
	}
	o.Number = number
	work, cancel := context.WithCancelCause(s.ctx)
	one := &run{cancel: cancel, o: o}
	s.open[number] = one
	s.wg.Go(func() { s.lead(work, one, about, v) })
	s.told(o)
	return o, nil
}

// Get returns an operation as it is now.
func (s *Service) Get(ctx context.Context, number int64) (store.Operation, error) {
	s.mu.Lock()
	r := s.open[number]
	s.mu.Unlock()
	if r == nil {
		return s.store.Operation(ctx, number)
	}
	return r.now(), nil
}

// List lists operations, the newest first.
func (s *Service) List(ctx context.Context, q store.OperationQuery) ([]store.Operation, error) {
	out, err := s.store.Operations(ctx, q)
	for i, o := range out {
		s.mu.Lock()
		r := s.open[o.Number]
		s.mu.Unlock()
		if r != nil {
			out[i] = r.now()
		}
	}
	return out, err
}

func (r *run) now() store.Operation {
	r.mu.Lock()
	defer r.mu.Unlock()
	o := r.o
	o.Lines = slices.Clone(o.Lines)
	return o
}

// Cancel ends an operation.
func (s *Service) Cancel(ctx context.Context, number int64) error {
	s.mu.Lock()
	r := s.open[number]
	s.mu.Unlock()
	if r != nil {
		r.cancel(errCancelled)
		return nil
	}
	if _, err := s.store.Operation(ctx, number); err != nil {
		return err
	}
	return ErrOver
}

// lead leads an operation to its end.
func (s *Service) lead(ctx context.Context, r *run, about operation.About, before fleet.View) {
	defer r.cancel(nil)
	o := r.now()
	giveBack := func() {}
	if about.Leaves {
		defer s.leases.Restarts(o.Device)()
	}
	if about.Disturbs != "" {
		giveBack = s.leases.Take(o.Device)
		s.feed.Tell(fact.Of(o.StartedAt, fact.TheDevice(o.Device), fact.DeviceAsked{By: o.By, To: o.Request.String()}))
	}
	limited, stop := context.WithTimeoutCause(ctx, o.Request.Longest(), fmt.Errorf("it took longer than %s", o.Request.Longest()))
	defer stop()
	kept := time.Now()
	tell := func(l operation.Line) {
		r.mu.Lock()
		r.o.Lines = append(r.o.Lines, l)
		o := r.o
		r.mu.Unlock()
		if time.Since(kept) > keepEvery {
			kept = time.Now()
			s.keep(o)
		}
		s.told(o)
	}
	file, err := s.fleet.Operate(limited, o.Device, o.Request, tell)
	if err == nil && about.Leaves {
		tell(step("the device agreed"))
		err = s.await(limited, o.Device, about, before, tell)
	}
	if about.Captures && file != "" {
		if failed := s.fetch(ctx, o, file); failed != nil && err == nil {
			err = failed
		}
	}
	r.mu.Lock()
	r.o.State, r.o.Why, r.o.EndedAt = outcome(limited, err), why(limited, err), now()
	o = r.o
	r.mu.Unlock()
	giveBack() // before it is told that it is over
	s.keep(o)
	s.mu.Lock()
	delete(s.open, o.Number)
	s.mu.Unlock()
	s.told(o)
}

// fetch takes the file that a device left and keeps it. Whoever cancelled the operation has it too, unless the service stops.
func (s *Service) fetch(ctx context.Context, o store.Operation, file string) error {
	if errors.Is(context.Cause(ctx), errStopped) {
		return errStopped
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), fetchTime)
	defer cancel()
	content, err := s.fleet.GetFile(ctx, o.Device, file, maxCapture)
	if err != nil {
		return fmt.Errorf("what it captured could not be fetched: %w", err)
	}
	if err := s.store.PutCapture(ctx, o.Number, content); err != nil {
		return fmt.Errorf("what it captured could not be kept: %w", err)
	}
	return s.fleet.RemoveFile(ctx, o.Device, file)
}

func outcome(ctx context.Context, err error) string {
	switch {
	case err == nil:
		return Done
	case errors.Is(context.Cause(ctx), errCancelled):
		return Cancelled
	case errors.Is(context.Cause(ctx), errStopped):
		return Lost
	}
	return Failed
}

func why(ctx context.Context, err error) string {
	if err == nil {
		return ""
	}
	if cause := context.Cause(ctx); cause != nil {
		return cause.Error()
	}
	var refusal *driver.Refusal
	if errors.As(err, &refusal) {
		return refusal.Words
	}
	return err.Error()
}

func step(format string, args ...any) operation.Line {
	return operation.Line{At: now(), Cells: map[string]string{"step": fmt.Sprintf(format, args...)}}
}

// await waits until a device has gone, and is back where it comes back by itself.
func (s *Service) await(ctx context.Context, device string, about operation.About, before fleet.View, tell func(operation.Line)) error {
	begin := time.Now()
	gone := false
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	for {
		v, ok := s.fleet.View(device)
		back := v.Reach == network.ReachConnected
		switch {
		case !ok:
			return fleet.ErrUnknown
		case !gone && (!back || !v.Since.Equal(before.Since)):
			gone = true
			tell(step("it is gone, after %s", time.Since(begin).Round(100*time.Millisecond)))
			if about.Stays {
				return nil
			}
		case !gone && time.Since(begin) > leaveTime:
			return fmt.Errorf("it agreed, and is still there after %s", leaveTime)
		}
		if gone && back && !v.Since.Equal(before.Since) && v.Identity.BootedAt.After(before.Identity.BootedAt) {
			tell(step("it is back, after %s", time.Since(begin).Round(100*time.Millisecond)))
			if v.Identity.Firmware != before.Identity.Firmware {
				tell(step("it runs %s, and ran %s before", v.Identity.Firmware, before.Identity.Firmware))
			}
			return nil
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return context.Cause(ctx)
		}
	}
}

func (s *Service) keep(o store.Operation) {
	if err := s.store.PutOperation(context.Background(), o); err != nil && !errors.Is(err, store.ErrNotFound) { // its device may be forgotten
		s.log.Error("what came of an operation could not be kept", "operation", o.Number, "err", err)
	}
}

// told tells those who look on that there is more to see.
func (s *Service) told(o store.Operation) {
	s.feed.Note(fact.State{Kind: fact.Operation, Device: o.Device, Operation: o.Number})
}
