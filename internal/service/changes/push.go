package changes

import (
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/guard"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/store"
)

// PushOptions say how a change is pushed.
type PushOptions struct {
	By     string
	Accept []string      // findings taken upon oneself
	Trial  time.Duration // DefaultTrial when 0
	// KeepAfter is how long all must have been well on trial for the change to be kept by itself; 0 leaves it to a person.
	KeepAfter time.Duration
	// At has it wait until then, InWindow for the hours that rules of the house say; a rule may have it wait for a second
	// person besides.
	At       time.Time
	InWindow bool
}

// Push starts to push a checked change, or has it wait for that, and returns at once. What becomes of it is told to the feed and
// kept in the change.
func (s *Service) Push(ctx context.Context, number int64, o PushOptions) (store.Change, error) {
	if o.Trial == 0 {
		o.Trial = DefaultTrial
	}
	if o.Trial < MinTrial || o.Trial > MaxTrial {
		return store.Change{}, fmt.Errorf("%w: a trial lasts from %s to %s", ErrState, MinTrial, MaxTrial)
	}
	if o.KeepAfter < 0 || o.KeepAfter > 0 && o.KeepAfter > o.Trial-keepMargin {
		return store.Change{}, fmt.Errorf("%w: it can be kept by itself at the latest %s before the end of its trial", ErrState, spell(keepMargin))
	}
	if o.At.After(now().Add(farthest)) {
		return store.Change{}, fmt.Errorf("%w: a push waits for %d days at most", ErrState, farthest/(24*time.Hour))
	}
	n, err := s.Network(ctx)
	if err != nil {
		return store.Change{}, err
	}
	moved := false
	c, err := s.update(ctx, number, []string{Checked}, func(c *store.Change) (err error) {
		if moved, err = s.recheck(ctx, c, n); err != nil || moved {
			return err
		}
		if err := notAlone(*c, o.By); err != nil {
			return err
		}
		w := waits(*c, o)
		if w == nil {
			return s.begin(c, o)
		}
		if blocked := guard.Blocked(pressing(c.Findings, o), o.Accept); len(blocked) > 0 {
			return &BlockedError{Number: number, Findings: blocked}
		}
		c.State, c.Waits = Waiting, w
		note(c, now(), "%s has it wait for %s", o.By, waitText(*w, *c))
		return nil
	})
	if err == nil && moved {
		return c, errMoved(number)
	}
	if err == nil && c.State == Pushing {
		s.lead(c, (*worker).push)
	}
	return c, err
}

// pressing are the findings that a push that waits for its hours has to mind.
func pressing(findings []guard.Finding, o PushOptions) []guard.Finding {
	return slices.DeleteFunc(slices.Clone(findings), func(f guard.Finding) bool { return f.Guard == "change-window" && (o.InWindow || o.At.After(now())) })
}

// begin makes a change one that is being pushed.
func (s *Service) begin(c *store.Change, o PushOptions) error {
	at := now()
	if blocked := guard.Blocked(c.Findings, o.Accept); len(blocked) > 0 {
		return &BlockedError{Number: c.Number, Findings: blocked}
	}
	for _, f := range c.Findings {
		if f.Level == guard.Warn {
			c.Accepted = append(c.Accepted, store.Acceptance{Finding: f.ID, By: o.By, At: at})
			note(c, at, "%s accepted: %s", o.By, f.What)
		}
	}
	c.State, c.PushedBy, c.PushedAt, c.TrialSecs, c.Waits = Pushing, o.By, at, int(o.Trial/time.Second), nil
	c.KeepSecs = int((o.KeepAfter + time.Second - 1) / time.Second)
	for i := range c.Devices {
		c.Devices[i].Token = fmt.Sprintf("everypost-%d-%s", c.Number, rand.Text()[:8])
	}
	note(c, at, "push started by %s, on trial for %s", o.By, spell(o.Trial))
	return nil
}

// recheck checks a change on the network as it is now, which others may have changed since it was checked. Where that comes to
// something else than what was shown, the change becomes a checked one with it, and the push must be said again.
func (s *Service) recheck(ctx context.Context, c *store.Change, n Network) (moved bool, err error) {
	shown := *c
	if err := s.check(ctx, c, n); err != nil {
		return false, err
	}
	moved = !slices.EqualFunc(shown.Devices, c.Devices, sameWork) && !slices.Equal(s.Differences(ctx, shown), s.Differences(ctx, *c)) ||
		newFinding(shown.Findings, c.Findings)
	c.Log, c.Approvals = shown.Log, shown.Approvals
	if c.State = shown.State; moved {
		c.State, c.Approvals, c.Waits = Checked, nil, nil
		note(c, now(), "checked anew before the push, since the network changed: %s", countFindings(c.Findings))
	}
	return moved, nil
}

func errMoved(number int64) error {
	return fmt.Errorf("%w: the network is no longer as it was when change %d was checked. It was checked anew: look at it again", ErrState, number)
}

// newFinding tells whether there is one that must be accepted, or stops the push, and was not shown before.
func newFinding(shown, found []guard.Finding) bool {
	return slices.ContainsFunc(found, func(f guard.Finding) bool {
		return f.Level != guard.Note && !slices.ContainsFunc(shown, func(o guard.Finding) bool { return o.ID == f.ID && o.Level == f.Level && o.What == f.What })
	})
}

// spell says a span of whole seconds as people do.
func spell(d time.Duration) string {
	if d >= time.Minute && d%time.Minute == 0 {
		return fmt.Sprintf("%d min", d/time.Minute)
	}
	return fmt.Sprintf("%d s", d/time.Second)
}

// free tells whether no other change is under way on the devices of this one.
func (s *Service) free(ctx context.Context, c store.Change) error {
	active, err := s.store.Changes(ctx, store.ChangeQuery{States: Active})
	if err != nil {
		return err
	}
	for _, other := range active {
		for _, d := range other.Devices {
			if slices.ContainsFunc(c.Devices, func(mine store.ChangeDevice) bool { return mine.Device == d.Device }) {
				return fmt.Errorf("%w: change %d is %s on %s; keep or undo it first", ErrBusy, other.Number, other.State, d.Device)
			}
		}
	}
	return nil
}

// Keep makes a change on trial permanent. It returns once the word is recorded.
func (s *Service) Keep(ctx context.Context, number int64, by string) (store.Change, error) {
	return s.decide(ctx, number, Keeping, by)
}

// Undo takes a change on trial back. It returns once the word is recorded.
func (s *Service) Undo(ctx context.Context, number int64, by string) (store.Change, error) {
	return s.decide(ctx, number, Undoing, by)
}

// Cancel stops a push under way: what runs the change already is undone, and nothing else is begun. It returns once the
// worker was told.
func (s *Service) Cancel(ctx context.Context, number int64, by string) (store.Change, error) {
	c, err := s.store.Change(ctx, number)
	if err != nil {
		return c, err
	}
	s.mu.Lock()
	w := s.workers[number]
	s.mu.Unlock()
	if c.State != Pushing || w == nil {
		return c, fmt.Errorf("%w: change %d is %s, and only while it is being pushed can that be stopped", ErrState, number, c.State)
	}
	select {
	case w.stopped <- by:
	default: // somebody did already
	}
	return c, nil
}

func (s *Service) decide(ctx context.Context, number int64, state, by string) (store.Change, error) {
	c, err := s.update(ctx, number, []string{OnTrial}, func(c *store.Change) error {
		c.State, c.EndedBy = state, by
		note(c, now(), "%s said %s", by, map[string]string{Keeping: "keep", Undoing: "undo"}[state])
		return nil
	})
	if err != nil {
		return c, err
	}
	s.mu.Lock()
	w := s.workers[number]
	s.mu.Unlock()
	if w != nil {
		close(w.decided)
	}
	return c, nil
}

// Resume takes up the changes that an earlier life of the service left under way.
func (s *Service) Resume(ctx context.Context) error {
	left, err := s.store.Changes(ctx, store.ChangeQuery{States: Active})
	if err != nil {
		return err
	}
	for _, c := range left {
		s.log.Info("taking up a change", "change", c.Number, "state", c.State)
		switch c.State {
		case Pushing:
			s.lead(c, func(w *worker) { w.undo("The service was stopped in the middle of the push.", Failed) })
		case OnTrial:
			s.lead(c, (*worker).resumeTrial)
		case Keeping:
			s.lead(c, (*worker).keep)
		case Undoing:
			s.lead(c, func(w *worker) { w.undo("", "") })
		}
	}
	return nil
}

// worker leads one change. Only its goroutine writes the change's record from Pushing on, but for decide, which hands the
// word over by closing decided.
type worker struct {
	s        *Service
	ctx      context.Context
	mu       sync.Mutex // guards c while several devices are worked on at once
	c        store.Change
	proven   map[string]string // devices that were read back, with what was wrong
	touched  []string          // devices
	heard    *feed.Follower    // what devices tell of their configurations meanwhile
	to       map[string]string // where devices will be that are given another address
	decided  chan struct{}
	stopped  chan string          // who stops the push
	timedOut map[string]time.Time // devices that said that they went back by themselves, and when
}

// lead starts a worker on a change. It gets slices of its own: the caller's copy goes out as an answer while it works.
func (s *Service) lead(c store.Change, f func(*worker)) {
	c.Devices, c.Log = slices.Clone(c.Devices), slices.Clone(c.Log)
	w := &worker{s: s, ctx: s.ctx, c: c, decided: make(chan struct{}), stopped: make(chan string, 1), timedOut: map[string]time.Time{}, proven: map[string]string{}}
	w.touched = w.names()
	w.moves()
	w.heard = s.feed.Follow(feed.Wants{Kinds: []fact.Kind{fact.Config}})
	giveBack := s.leases.Take(w.touched...)
	s.mu.Lock()
	s.workers[c.Number] = w
	s.mu.Unlock()
	s.wg.Go(func() {
		f(w)
		s.mu.Lock()
		delete(s.workers, c.Number)
		s.mu.Unlock()
		w.heard.Close()
		giveBack()
		if len(w.touched) > 0 {
			s.layers.Look(w.touched...)
		}
	})
}

// record keeps the change as the worker has it, and with it what is to be told of that. What is not recorded must not be done: where the store fails, as on a full
// disk, it is tried until it can be, while the devices keep their own time. An error tells that the service ends.
func (w *worker) record(what ...fact.Happening) error {
	return w.insistOn("recorded", func() error { return w.tryRecord(what...) })
}

// tryRecord is record once, for what is done all the same.
func (w *worker) tryRecord(what ...fact.Happening) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.c.UpdatedAt = now()
	if err := w.s.store.PutSteps(w.ctx, w.c, about(w.c.Number, what)...); err != nil {
		return err
	}
	w.s.told(w.c.Number)
	return nil
}

// insistOn does something with the store until it succeeds or the service ends.
func (w *worker) insistOn(what string, do func() error) error {
	for failed := false; ; failed = true {
		err := do()
		if err == nil || w.ctx.Err() != nil {
			return cmp.Or(w.ctx.Err(), err)
		}
		if !failed {
			w.s.log.Error("a change could not be "+what+"; it is tried until it can", "change", w.c.Number, "err", err)
		}
		if !w.pause() {
			return w.ctx.Err()
		}
	}
}

func (w *worker) note(format string, args ...any) {
	w.mu.Lock()
	defer w.mu.Unlock()
	note(&w.c, now(), format, args...)
}

func (w *worker) set(i int, step, said string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.c.Devices[i].Step, w.c.Devices[i].Said = step, said
}

// each does something for all devices at once and waits.
func (w *worker) each(do func(i int, d store.ChangeDevice)) {
	w.mu.Lock()
	devices := slices.Clone(w.c.Devices)
	w.mu.Unlock()
	var wg sync.WaitGroup
	for i, d := range devices {
		wg.Go(func() { do(i, d) })
	}
	wg.Wait()
}

// push leads a change from Pushing on.
func (w *worker) push() {
	if len(w.c.Devices) == 0 { // layers only
		w.c.State = Keeping
		if w.record() == nil {
			w.keep()
		}
		return
	}
	before := w.s.health(w.names(), w.near())
	if !w.propose() {
		return
	}
	levels := w.levels()
	for i, level := range levels {
		if w.cancelled() || !w.runLevel(level, i == len(levels)-1) {
			return
		}
	}
	if w.cancelled() {
		return
	}
	if !w.readBack() {
		return
	}
	for i, d := range w.c.Devices {
		if d.Step == StepRunning { // it was out of sight, and was read to run it
			w.set(i, StepOnTrial, "")
		}
	}
	w.c.State = OnTrial
	if w.record(fact.ChangeOnTrial{On: w.onWhat()}) != nil {
		return
	}
	w.watch(before)
}

func (w *worker) names() []string {
	out := make([]string, len(w.c.Devices))
	for i, d := range w.c.Devices {
		out[i] = d.Device
	}
	return out
}

// onWhat names the devices of the change, or says how many they are.
func (w *worker) onWhat() string {
	names := w.names()
	if len(names) > namedDevices {
		return fmt.Sprintf("%d devices", len(names))
	}
	return strings.Join(names, ", ")
}

// namedDevices is how many devices are named in a sentence.
const namedDevices = 8

func (w *worker) trial() time.Duration { return time.Duration(w.c.TrialSecs) * time.Second }

// propose has every device check the change. It reports whether all found it good; if not, nothing ran and the change is
// at its end.
func (w *worker) propose() bool {
	ctx, cancel := context.WithTimeout(w.ctx, proposePatience)
	defer cancel()
	var mu sync.Mutex
	var faults []string
	w.each(func(i int, d store.ChangeDevice) {
		err := w.proposeOn(ctx, d)
		if err == nil {
			w.set(i, StepReady, "")
			return
		}
		w.set(i, StepRefused, err.Error())
		mu.Lock()
		defer mu.Unlock()
		faults = append(faults, fmt.Sprintf("%s refused: %s", d.Device, err))
	})
	if w.ctx.Err() != nil {
		return false
	}
	if len(faults) == 0 {
		w.note("every device found it good")
		err := w.tryRecord()
		if err == nil || w.ctx.Err() != nil {
			return err == nil
		}
		w.s.log.Error("a push was given up, since it could not be recorded", "change", w.c.Number, "err", err)
		faults = []string{"The service could not record it: is its disk full?"} // better than to hold the devices' locks until it can
	}
	w.each(func(i int, d store.ChangeDevice) {
		if w.c.Devices[i].Step == StepReady {
			_ = w.s.fleet.Release(w.ctx, d.Device, d.Token)
			w.set(i, StepUntouched, "")
		}
	})
	slices.Sort(faults)
	w.end(Failed, "Nothing was changed. "+strings.Join(faults, " "))
	return false
}

func (w *worker) proposeOn(ctx context.Context, d store.ChangeDevice) error {
	now, err := w.s.fleet.ReadConfig(ctx, d.Device)
	if err != nil {
		return err
	}
	if !same(now, d, d.Before) {
		return errors.New("its configuration is no longer the one that the change was checked on; check again")
	}
	return w.s.fleet.Propose(ctx, d.Device, d.Token, d.Before, d.After)
}

// patience is how long something lost may be away: many devices that do the same at once take longer than one.
func (w *worker) patience() time.Duration {
	return patience + time.Duration(len(w.c.Devices))*50*time.Millisecond
}

// readBack reads every device that was not read since it runs the change, and holds all against what they should run. If one
// does not, all is undone.
func (w *worker) readBack() bool {
	w.each(func(_ int, d store.ChangeDevice) { w.prove(d) })
	if w.ctx.Err() != nil {
		return false
	}
	var faults []string
	for _, fault := range w.proven {
		if fault != "" {
			faults = append(faults, fault)
		}
	}
	if len(faults) == 0 {
		return true
	}
	slices.Sort(faults)
	w.undo(strings.Join(faults, " "), Undone)
	return false
}

// prove reads a device, once, and notes whether it runs what it was sent.
func (w *worker) prove(d store.ChangeDevice) {
	w.mu.Lock()
	_, was := w.proven[d.Device]
	w.mu.Unlock()
	if was {
		return
	}
	wait := w.patience()
	if d.Dark { // it must first be found again
		wait = max(wait, darkPatience)
	}
	ctx, cancel := context.WithTimeout(w.ctx, wait)
	defer cancel()
	now, err := w.configOf(ctx, d.Device)
	fault := ""
	switch {
	case err != nil:
		fault = fmt.Sprintf("%s cannot be reached any more.", d.Device)
	case !same(now, d, d.After):
		fault = fmt.Sprintf("%s does not run what it was sent.", d.Device)
	default:
		w.note("%s was read back and runs it", d.Device)
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	w.proven[d.Device] = fault
}

// configOf reads a device, waiting for it while ctx lasts.
func (w *worker) configOf(ctx context.Context, device string) (network.Config, error) {
	for {
		if err := w.s.fleet.Await(ctx, device); err != nil {
			return network.Config{}, err
		}
		c, err := w.s.fleet.ReadConfig(ctx, device)
		if err == nil || ctx.Err() != nil {
			return c, err
		}
		var refusal *driver.Refusal
		if errors.As(err, &refusal) {
			return c, err
		}
	}
}

// end closes a change.
func (w *worker) end(state, outcome string) {
	w.moved(state == Kept)
	at := now()
	w.mu.Lock()
	w.c.State, w.c.Outcome, w.c.EndedAt = state, outcome, at
	note(&w.c, at, "%s: %s", state, outcome)
	w.mu.Unlock()
	ended := fact.ChangeEnded{State: state, Outcome: outcome}
	if state != Kept {
		_ = w.record(ended)
		return
	}
	if w.insistOn("settled", func() error { return w.conclude(ended) }) == nil { // else it is kept at the next start
		w.s.told(w.c.Number)
	}
}
