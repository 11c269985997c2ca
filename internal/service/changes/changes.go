// Package changes leads a change through its life: draft, checked, pushing, on trial, and then kept, undone or failed.
//
// A push is one transaction over all its devices: every device has checked the change before the first one runs it; then
// each runs it on trial, the farthest first, so that no device cuts the way to the next. During the trial the network is
// held against what it was before, and everything is undone if something was lost. Every step is recorded before it is
// done, so that a later life of the service (Resume) can finish what it can prove safe and undo the rest; and a device
// that nobody comes back to undoes the change by itself.
package changes

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/guard"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/radiolink"
	"example.net/everypost/internal/core/reach"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/leases"
	"example.net/everypost/internal/store"
)

// The states of a change. Keeping and undoing are short, unless a device is away.
const (
	Draft   = "draft"
	Checked = "checked"
	Waiting = "waiting" // to be pushed: for a time, for the hours of changes, for a second person
	Pushing = "pushing"
	OnTrial = "on-trial"
	Keeping = "keeping"
	Undoing = "undoing"
	Kept    = "kept"
	Undone  = "undone"
	Failed  = "failed"
)

// The steps of a change on one device.
const (
	StepWaiting   = "waiting"   // nothing was done yet
	StepReady     = "ready"     // the device has checked the change
	StepRunning   = "running"   // the change is being sent; whether it runs is not known
	StepOnTrial   = "on-trial"  // the device runs it
	StepKeeping   = "keeping"   // it is being made permanent; whether it is, is not known
	StepKept      = "kept"      // it is permanent
	StepUndone    = "undone"    // the device went back, and this was read
	StepUntouched = "untouched" // the change never ran there
	StepRefused   = "refused"   // the device said no
)

// Active lists the states in which a worker leads the change.
var Active = []string{Pushing, OnTrial, Keeping, Undoing}

var (
	// ErrState tells that a change is not in a state for what is asked.
	ErrState = errors.New("the change is not in a state for that")
	// ErrBlocked tells that findings are in the way.
	ErrBlocked = errors.New("findings are in the way")
	// ErrBusy tells that another change is being pushed on one of the devices.
	ErrBusy = errors.New("another change is under way on a device of this one")
)

// Limits of a change.
const (
	MaxEdits        = 20_000
	MinTrial        = 10 * time.Second
	MaxTrial        = time.Hour
	DefaultTrial    = 2 * time.Minute
	deviceSlack     = 6 * time.Second // the devices' own time is longer by this, so that the service can undo them together
	keepTime        = 30 * time.Second
	keepMargin      = 5 * time.Second  // between keeping by itself and the end of the trial
	patience        = 3 * time.Second  // for something lost in a trial to come back
	darkPatience    = 20 * time.Second // for a device that went out of sight while its way was changed at both ends
	proposePatience = 20 * time.Second
)

// Fleet is what the package needs of the fleet.
type Fleet interface {
	View(name string) (fleet.View, bool)
	Views() []fleet.View
	Await(ctx context.Context, name string) error
	ReadConfig(ctx context.Context, name string) (network.Config, error)
	Propose(ctx context.Context, name, token string, before, after network.Config) error
	Release(ctx context.Context, name, token string) error
	Trial(ctx context.Context, name, token string, d time.Duration) error
	Extend(ctx context.Context, name, token string, d time.Duration) error
	Keep(ctx context.Context, name, token string) error
	Undo(ctx context.Context, name, token string) error
	LookInside(names ...string)
	AlsoAt(name, address string)
	MoveTo(name, address string)
}

// Store is what the package needs of the store.
type Store interface {
	AddChange(ctx context.Context, c store.Change) (int64, error)
	PutChange(ctx context.Context, c store.Change, facts ...fact.Fact) error
	PutSteps(ctx context.Context, c store.Change, facts ...fact.Fact) error
	PutKept(ctx context.Context, c store.Change, l intent.Layers, facts ...fact.Fact) error
	DropChange(ctx context.Context, number int64, facts ...fact.Fact) error
	Change(ctx context.Context, number int64) (store.Change, error)
	Changes(ctx context.Context, q store.ChangeQuery) ([]store.Change, error)
	Sites(ctx context.Context) ([]network.Site, error)
	Devices(ctx context.Context) ([]store.Device, error)
	RadioLicences(ctx context.Context) ([]radiolink.Licence, error)
}

// Permits tells what people may do.
type Permits interface {
	// StillMayPush tells why somebody may not push a change any more that comes to edits of devices, or nil.
	StillMayPush(ctx context.Context, name string, c store.Change, comeTo []intent.Edit) error
	StillMayApprove(ctx context.Context, name string, c store.Change) error
}

// Service is the capability. Make it with New.
type Service struct {
	fleet  Fleet
	store  Store
	layers Layers
	feed   *feed.Feed
	log    *slog.Logger

	ctx  context.Context
	stop context.CancelFunc
	wg   sync.WaitGroup

	compared comparisons

	rules    Rules
	permits  Permits
	promises Promises
	moved    func(ctx context.Context, device, address string) error
	leases   *leases.Leases

	kicked   chan struct{}
	records  locks      // one at a time changes the record of a change
	starting sync.Mutex // one change at a time becomes one that is pushed
	mu       sync.Mutex // guards what follows, and is held for a moment only
	workers  map[int64]*worker
}

// Promises finds what a change would break of what must always, or must never, reach what.
type Promises interface {
	Guard(ctx context.Context, before, after reach.Network) ([]guard.Finding, error)
}

// Parts are what the service is made of.
type Parts struct {
	Fleet  Fleet
	Store  Store
	Layers Layers
	Feed   *feed.Feed
	Leases *leases.Leases // of devices, which changes that are under way hold
	Log    *slog.Logger
	// Rules are those of the house for changes; nil for none.
	Rules Rules
	// Permits tells whether who had a change wait, and who approved it, still may; nil for everybody may.
	Permits Permits
	// Promises are held against each change; nil for none.
	Promises Promises
	// Moved is told at which address a device is that a kept change has given another one; nil for nobody.
	Moved func(ctx context.Context, device, address string) error
}

// New returns the service. It works until Close; Resume takes up what an earlier life left.
func New(p Parts) *Service {
	ctx, stop := context.WithCancel(context.Background())
	return &Service{fleet: p.Fleet, store: p.Store, layers: p.Layers, feed: p.Feed, leases: p.Leases, log: p.Log, rules: p.Rules, permits: p.Permits, promises: p.Promises, moved: p.Moved, ctx: ctx, stop: stop,
		workers: map[int64]*worker{}, records: locks{held: map[int64]*held{}}, kicked: make(chan struct{}, 1)}
}

// Start begins pushes that wait when it is their time.
func (s *Service) Start() { s.wg.Go(s.await) }

// Close stops leading changes, where they are, and waits. They go on at the next Resume.
func (s *Service) Close() {
	s.stop()
	s.wg.Wait()
}

// Get returns a change as it is kept.
func (s *Service) Get(ctx context.Context, number int64) (store.Change, error) {
	return s.store.Change(ctx, number)
}

// List lists changes, the newest first.
func (s *Service) List(ctx context.Context, q store.ChangeQuery) ([]store.Change, error) {
	return s.store.Changes(ctx, q)
}

// Create makes a draft of edits, which may be none yet.
func (s *Service) Create(ctx context.Context, owner, why string, edits []intent.Edit) (store.Change, error) {
	edits, err := s.byRow(ctx, edits, nil)
	if err != nil {
		return store.Change{}, err
	}
	edits = intent.Add(nil, edits...)
	if err := s.fits(ctx, edits); err != nil {
		return store.Change{}, err
	}
	at := now()
	c := store.Change{State: Draft, Why: why, Owner: owner, Edits: edits, CreatedAt: at, UpdatedAt: at}
	note(&c, at, "drafted by %s", owner)
	number, err := s.store.AddChange(ctx, c)
	if err != nil {
		return store.Change{}, err
	}
	c.Number = number
	s.told(number)
	return c, nil
}

// Edit adds edits of a person to a draft. A checked one becomes a draft again.
func (s *Service) Edit(ctx context.Context, number int64, by string, edits []intent.Edit) (store.Change, error) {
	return s.redraft(ctx, number, func(c *store.Change) error {
		more, err := s.byRow(ctx, edits, c.Edits)
		if err != nil {
			return err
		}
		hadAHand(c, by)
		c.Edits = intent.Add(c.Edits, more...)
		return s.fits(ctx, c.Edits)
	})
}

// hadAHand notes who made a change what it is.
func hadAHand(c *store.Change, by string) {
	if by != c.Owner && !slices.Contains(c.Editors, by) {
		c.Editors = append(slices.Clone(c.Editors), by)
	}
}

// TakeOut has a person take an edit out of a draft: the one of that port and field.
func (s *Service) TakeOut(ctx context.Context, number int64, by string, port network.PortRef, field string) (store.Change, error) {
	return s.redraft(ctx, number, func(c *store.Change) error {
		hadAHand(c, by)
		n := len(c.Edits)
		c.Edits = slices.DeleteFunc(slices.Clone(c.Edits), func(e intent.Edit) bool { return e.Port == port && e.Field == field })
		if len(c.Edits) == n {
			return fmt.Errorf("%w: change %d does not set %s of %s", store.ErrNotFound, number, field, port)
		}
		return nil
	})
}

// Explain has a person say why a change is made. Who approved another reason has not approved this one.
func (s *Service) Explain(ctx context.Context, number int64, by, why string) (store.Change, error) {
	return s.update(ctx, number, []string{Draft, Checked}, func(c *store.Change) error {
		if c.Why != why {
			hadAHand(c, by)
			c.Why, c.Approvals = why, nil
		}
		return nil
	})
}

func (s *Service) redraft(ctx context.Context, number int64, f func(*store.Change) error) (store.Change, error) {
	return s.update(ctx, number, []string{Draft, Checked}, func(c *store.Change) error {
		if err := f(c); err != nil {
			return err
		}
		c.State, c.Findings, c.Devices, c.Accepted, c.Approvals = Draft, nil, nil, nil, nil
		return nil
	})
}

// update changes a change that is in one of the states, and keeps and tells it. It holds up nothing but the same change. One
// that it makes a change that is pushed is so only if no other is under way on its devices.
func (s *Service) update(ctx context.Context, number int64, states []string, f func(*store.Change) error, what ...fact.Happening) (store.Change, error) {
	defer s.records.lock(number)()
	c, err := s.store.Change(ctx, number)
	if err != nil {
		return c, err
	}
	if c.State == Waiting && !slices.Contains(states, Waiting) {
		return c, fmt.Errorf("%w: change %d waits to be pushed: take it back from there first", ErrState, number)
	}
	if !slices.Contains(states, c.State) {
		return c, fmt.Errorf("%w: change %d is %s, and would have to be %s", ErrState, number, c.State, strings.Join(states, " or "))
	}
	if err := f(&c); err != nil {
		return c, err
	}
	if c.State == Pushing {
		s.starting.Lock()
		defer s.starting.Unlock()
		if err := s.free(ctx, c); err != nil {
			return c, err
		}
	}
	c.UpdatedAt = now()
	if err := s.store.PutChange(ctx, c, about(number, what)...); err != nil {
		return c, err
	}
	s.told(number)
	return c, nil
}

// Discard throws a draft away.
func (s *Service) Discard(ctx context.Context, number int64) error {
	defer s.records.lock(number)()
	c, err := s.store.Change(ctx, number)
	if err != nil {
		return err
	}
	if c.State != Draft && c.State != Checked {
		return fmt.Errorf("%w: change %d is %s, and only a draft can be thrown away", ErrState, number, c.State)
	}
	if err := s.store.DropChange(ctx, number, about(number, []fact.Happening{fact.ChangeDiscarded{}})...); err != nil {
		return err
	}
	s.told(number)
	return nil
}

// fits tells why edits cannot be made on the devices as they are, or nil.
func (s *Service) fits(ctx context.Context, edits []intent.Edit) error {
	_, _, err := s.fit(ctx, edits)
	return err
}

// fit works out what edits come to on the devices as they are, and tells why that cannot be.
func (s *Service) fit(ctx context.Context, edits []intent.Edit) (expansion, []store.ChangeDevice, error) {
	if len(edits) > MaxEdits {
		return expansion{}, nil, fmt.Errorf("a change holds at most %d edits", MaxEdits)
	}
	var errs []error
	for _, device := range intent.Devices(edits) {
		v, ok := s.fleet.View(device)
		switch {
		case !ok:
			errs = append(errs, &intent.EditError{Edit: firstOf(edits, device), Reason: fmt.Sprintf("there is no device %s", device)})
		case !v.Known:
			errs = append(errs, &intent.EditError{Edit: firstOf(edits, device), Reason: fmt.Sprintf("the configuration of %s was never read", device)})
		case s.layers.Control(device) != network.ControlHere:
			errs = append(errs, &intent.EditError{Edit: firstOf(edits, device), Reason: notFromHere(device, s.layers.Control(device))})
		}
	}
	if len(errs) > 0 {
		return expansion{}, nil, errors.Join(errs...)
	}
	x, err := s.expand(ctx, edits)
	if err != nil {
		return x, nil, err
	}
	work, err := s.work(x)
	return x, work, err
}

// work is what edits come to on each device that they concern and that was ever read: what it runs, and would run. A device
// that cannot have all of its edits is not among it, and all faults are reported, joined.
func (s *Service) work(x expansion) (work []store.ChangeDevice, err error) {
	edits := intent.ByDevice(x.edits)
	var faults []error
	for _, device := range slices.Sorted(maps.Keys(edits)) {
		v, ok := s.fleet.View(device)
		if !ok || !v.Known {
			continue
		}
		after, err := intent.Apply(device, v.Config, edits[device])
		if err != nil {
			faults = append(faults, err)
			continue
		}
		work = append(work, store.ChangeDevice{Device: device, Step: StepWaiting, Before: v.Config, After: after, Layers: x.sayLayers(device, v.Config, after)})
	}
	return work, errors.Join(faults...)
}

func notFromHere(device string, c network.Control) string {
	if c == network.ControlLocal {
		return fmt.Sprintf("%s is under local control: take it back first, with device control %s here", device, device)
	}
	return fmt.Sprintf("%s is only watched: device control %s here has it changed from here", device, device)
}

func firstOf(edits []intent.Edit, device string) intent.Edit {
	i := slices.IndexFunc(edits, func(e intent.Edit) bool { return e.Port.Device == device })
	return edits[i]
}

// Difference is one setting that a change makes different, and the layer that says so.
type Difference struct {
	intent.Difference
	Layer string // "" for the device's own
}

// Differences lists what a change would make different on the network as it is now, or did when it was pushed.
func (s *Service) Differences(ctx context.Context, c store.Change) []Difference {
	devices := slices.SortedFunc(slices.Values(c.Devices), func(a, b store.ChangeDevice) int { return strings.Compare(a.Device, b.Device) })
	if len(devices) == 0 {
		x, err := s.expand(ctx, c.Edits)
		if err != nil {
			return nil
		}
		devices, _ = s.work(x) // what cannot be set is told when it is checked
	}
	var out []Difference
	for _, d := range devices {
		out = append(out, s.compared.on(c.Number, d)...)
	}
	return out
}

// now is the time, as exact as the store keeps it, so that what is answered is what will be read again.
func now() time.Time { return time.Now().UTC().Truncate(time.Microsecond) }

// note adds a line to a change's record.
func note(c *store.Change, at time.Time, format string, args ...any) {
	c.Log = append(c.Log, store.LogLine{At: at, Text: fmt.Sprintf(format, args...)})
}

// told tells that a change took a step. What else is to be told of it was recorded with it.
func (s *Service) told(number int64) {
	s.feed.Note(fact.State{Kind: fact.Change, Change: number})
	s.feed.Recorded()
}

// about are facts about a change.
func about(number int64, what []fact.Happening) []fact.Fact {
	out := make([]fact.Fact, len(what))
	for i, w := range what {
		out[i] = fact.Of(now(), fact.TheChange(number), w)
	}
	return out
}
