package fleet

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"sync"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/driver"
)

// unit is one device of the fleet. Its goroutine (run) is the only one that makes and ends sessions.
type unit struct {
	fleet   *Fleet
	name    string
	target  driver.Target
	cancel  context.CancelFunc
	writing chan struct{}       // held while something is being changed
	hurry   chan struct{}       // somebody waits for the device: try at once
	reread  chan struct{}       // the configuration changed
	relook  chan struct{}       // somebody waits for a reading of the inside
	looked  chan struct{}       // somebody begins to look on
	calls   chan driver.Session // of a device that calls home

	mu        sync.Mutex
	also      string // an address besides that of the target at which it may be, while it is given another one
	tries     int    // of connections
	view      View
	session   driver.Session // nil while there is none
	changed   chan struct{}  // closed when session comes or goes
	proposals map[string]driver.Proposal
	lastEvent time.Time // of the device, by its clock
	// awaited tells that the configuration changed, by awaitedBy, and was not read since.
	awaited   bool
	awaitedBy string
	steps     int       // of changes, that it works on
	lookers   int       // who look on, second by second
	engaged   time.Time // until then it is asked for nothing that can wait

	telling sync.Mutex // keeps what the observer is told in the order in which it became so
}

func (u *unit) snapshot() View {
	u.mu.Lock()
	defer u.mu.Unlock()
	return u.view
}

// gone is the error for a device that is not in hand. It is called with the lock held.
func (u *unit) gone() error {
	return &GoneError{Device: u.name, Reach: u.view.Reach, Since: u.view.Since, Why: u.view.Why}
}

func (u *unit) inHand() (driver.Session, error) {
	u.mu.Lock()
	defer u.mu.Unlock()
	if u.session == nil {
		return nil, u.gone()
	}
	return u.session, nil
}

// engage has the device asked for nothing that can wait until done is called, and for a while after: a slow one would only be
// slower with the change that it works on.
func (u *unit) engage() (done func()) {
	u.mu.Lock()
	defer u.mu.Unlock()
	u.steps++
	return func() {
		u.mu.Lock()
		defer u.mu.Unlock()
		u.steps--
		u.engaged = time.Now().Add(u.fleet.timing.Quiet)
	}
}

// quiet is how long it is yet asked for nothing that can wait: no more than for so long after the step that it works on.
func (u *unit) quiet(after time.Duration) time.Duration {
	u.mu.Lock()
	defer u.mu.Unlock()
	if u.steps > 0 {
		return max(after, stepWait)
	}
	return min(after, time.Until(u.engaged))
}

// stepWait is between looks whether a step of a change is over.
const stepWait = 100 * time.Millisecond

func (u *unit) keepProposal(token string, p driver.Proposal) {
	u.mu.Lock()
	defer u.mu.Unlock()
	u.proposals[token] = p
}

func (u *unit) takeProposal(token string) driver.Proposal {
	u.mu.Lock()
	defer u.mu.Unlock()
	p := u.proposals[token]
	delete(u.proposals, token)
	return p
}

// run keeps a session up until ctx ends.
func (u *unit) run(ctx context.Context) {
	defer func() {
		select {
		case s := <-u.calls: // nobody will take the call any more
			_ = s.Close()
		default:
		}
	}()
	failures := 0
	for ctx.Err() == nil {
		err := u.attempt(ctx, &failures)
		if ctx.Err() != nil {
			return
		}
		reach := network.ReachGone
		var keyErr *driver.KeyError
		if errors.As(err, &keyErr) || errors.Is(err, driver.ErrCredentials) {
			reach = network.ReachRefused
		}
		u.setReach(reach, causeOf(err), sayWhy(err))
		if u.target.CallsHome {
			continue // it comes when it comes
		}
		u.rest(ctx, failures)
		failures++
	}
}

// rest waits before the next attempt: longer after each failure, and not all devices at the same moment. Somebody who
// waits for the device cuts it short, but not below the first step, or a dead device would be hammered.
func (u *unit) rest(ctx context.Context, failures int) {
	first := u.fleet.timing.BackOff
	d := min(first<<min(failures, 10), u.fleet.timing.Longest)
	d = d/2 + rand.N(d/2+1)
	t := time.NewTimer(d)
	defer t.Stop()
	soon := time.NewTimer(first / 2)
	defer soon.Stop()
	select {
	case <-ctx.Done():
		return
	case <-soon.C:
	}
	select {
	case <-ctx.Done():
	case <-t.C:
	case <-u.hurry:
	}
}

func causeOf(err error) fact.Cause {
	switch {
	case err == nil:
		return fact.Ended
	case errors.Is(err, context.DeadlineExceeded):
		return fact.Mute
	}
	return fact.Else
}

func sayWhy(err error) string {
	switch {
	case err == nil:
		return "the session ended"
	case errors.Is(err, context.DeadlineExceeded):
		return "it does not answer"
	}
	return err.Error()
}

// connect makes a session, or waits for the device to bring one.
func (u *unit) connect(ctx context.Context) (driver.Session, error) {
	if u.target.CallsHome {
		select {
		case s := <-u.calls:
			return s, nil
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
	target := u.where()
	if target.Locked != "" {
		return nil, fmt.Errorf("%w: %s", driver.ErrCredentials, target.Locked)
	}
	ctx, cancel := context.WithTimeout(ctx, u.fleet.timing.Connect)
	defer cancel()
	return u.fleet.connector.Connect(ctx, target)
}

// where is the target of the next attempt: where the device may be at two addresses, at one and the other by turns.
func (u *unit) where() driver.Target {
	u.mu.Lock()
	defer u.mu.Unlock()
	t := u.target
	if u.tries++; u.also != "" && u.tries%2 == 0 {
		t.Address = u.also
	}
	return t
}

// attempt makes a session and holds it until it ends.
func (u *unit) attempt(ctx context.Context, failures *int) error {
	s, err := u.connect(ctx)
	if err != nil {
		return err
	}
	ctx, end := context.WithCancel(ctx)
	var wg sync.WaitGroup
	defer func() {
		end()
		_ = s.Close()
		wg.Wait()
	}()
	watchEnded := make(chan error, 1)
	if err := u.watch(ctx, &wg, s, watchEnded); err != nil {
		return err
	}
	if err := u.readAll(ctx, s); err != nil {
		return err
	}
	*failures = 0
	dead := make(chan error, 1)
	wg.Go(func() {
		dead <- u.keepAlive(ctx, s)
		_ = s.Close() // whatever waits for an answer on it need not wait for its own time to run out
	})
	u.took(s)
	defer u.lost()
	return u.hold(ctx, s, watchEnded, dead)
}

// watch starts watching and waits until no event can be missed any more; what is read after that is not older than the
// first event.
func (u *unit) watch(ctx context.Context, wg *sync.WaitGroup, s driver.Session, ended chan<- error) error {
	w, ok := s.(driver.Watcher)
	if !ok {
		return nil
	}
	ready := make(chan struct{})
	u.mu.Lock()
	since := u.lastEvent
	u.mu.Unlock()
	if !since.IsZero() {
		since = since.Add(time.Nanosecond)
	}
	failed := make(chan error, 1)
	wg.Go(func() {
		err := w.Watch(ctx, since, func() { close(ready) }, u.handle)
		failed <- err
		ended <- err
	})
	timer := time.NewTimer(u.fleet.timing.Request)
	defer timer.Stop()
	select {
	case <-ready:
		u.mu.Lock()
		if u.lastEvent.IsZero() { // none came yet: by our own clock, then
			u.lastEvent = time.Now()
		}
		u.mu.Unlock()
		return nil
	case err := <-failed:
		var refused *driver.Refusal
		if errors.As(err, &refused) && !since.IsZero() { // such as a time that lies ahead of a clock that was set back
			u.mu.Lock()
			u.lastEvent = time.Time{}
			u.mu.Unlock()
		}
		return err
	case <-timer.C:
		return fmt.Errorf("watch: %w", context.DeadlineExceeded)
	case <-ctx.Done():
		return ctx.Err()
	}
}

func (u *unit) readAll(ctx context.Context, s driver.Session) error {
	ctx, cancel := context.WithTimeout(ctx, u.fleet.timing.Request)
	defer cancel()
	id, err := s.Identify(ctx)
	if err != nil {
		return err
	}
	u.mu.Lock()
	u.view.Identity, u.view.SeenAt = id, time.Now().UTC()
	u.mu.Unlock()
	reader, tellsConfig := s.(driver.ConfigReader)
	var c driver.Configuration
	if tellsConfig {
		if c, err = reader.ReadConfig(ctx); err != nil {
			return err
		}
	}
	observer, observes := s.(driver.StateReader)
	var st network.State
	begun := time.Now()
	if observes {
		if st, err = observer.ReadState(ctx); err != nil {
			return err
		}
	}
	if tellsConfig {
		u.tookConfig(c, "")
	}
	if observes {
		u.tookState(st, begun)
	}
	return u.inspect(ctx, s)
}

// inspect reads the inside of a device that tells of it.
func (u *unit) inspect(ctx context.Context, s driver.Session) error {
	i, ok := s.(driver.Inspector)
	if !ok {
		return nil
	}
	inside, err := i.Inspect(ctx)
	if err != nil {
		return err
	}
	u.telling.Lock()
	defer u.telling.Unlock()
	u.mu.Lock()
	inside.RateStations(u.view.Inside)
	u.view.Inside, u.view.SeenAt = inside, inside.ObservedAt
	v := u.view
	u.mu.Unlock()
	u.fleet.observer.StateRead(v)
	return nil
}

// hold keeps a session alive and reads the device until something ends it, which is returned.
func (u *unit) hold(ctx context.Context, s driver.Session, watchEnded, dead <-chan error) error {
	t := u.fleet.timing
	// A device's first poll comes at a random moment of the period, so that many do not come at once.
	poll := time.NewTimer(rand.N(u.fleet.period(t.Poll, pollSpacing)))
	defer poll.Stop()
	inspect := u.fleet.period(t.Inspect, inspectSpacing)
	look := time.NewTimer(inspect/2 + rand.N(inspect))
	defer look.Stop()
	again := time.NewTimer(time.Hour)
	again.Stop()
	later := func(t *time.Timer, after time.Duration) bool {
		wait := u.quiet(after)
		if wait > 0 {
			t.Reset(wait + rand.N(wait/4+1))
		}
		return wait > 0
	}
	for {
		var err error
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-s.Done():
			err = errors.New("the device ended the session")
		case err := <-dead:
			return err
		case err = <-watchEnded:
			if err == nil {
				err = errors.New("the device ended its reports")
			}
		case <-poll.C:
			if later(poll, t.Quiet) {
				continue
			}
			poll.Reset(u.pace(u.fleet.period(t.Poll, pollSpacing), liveEvery))
			err = within(ctx, t.Request, func(ctx context.Context) error { return u.observe(ctx, s) })
		case <-look.C:
			if later(look, t.Quiet) {
				continue
			}
			look.Reset(u.pace(u.fleet.period(t.Inspect, inspectSpacing), liveInside))
			err = within(ctx, t.Request, func(ctx context.Context) error { return u.inspect(ctx, s) })
		case <-u.relook:
			look.Reset(0)
		case <-u.looked:
			poll.Reset(0)
			look.Reset(0)
		case <-u.reread:
			again.Reset(u.fleet.scatter())
		case <-again.C:
			if later(again, 0) {
				continue
			}
			err = within(ctx, t.Request, func(ctx context.Context) error { return u.readAgain(ctx, s) })
			look.Reset(u.fleet.scatter()) // what runs changed, and what is inside may have with it
		}
		if err != nil {
			select {
			case silence := <-dead: // then that is what ended the rest
				return silence
			default:
				return err
			}
		}
	}
}

// pace is how often a device is read: faster while somebody looks on.
func (u *unit) pace(usual, live time.Duration) time.Duration {
	u.mu.Lock()
	defer u.mu.Unlock()
	if u.lookers > 0 {
		return min(usual, live)
	}
	return usual
}

// observe reads the state of a device that tells it.
func (u *unit) observe(ctx context.Context, s driver.Session) error {
	r, ok := s.(driver.StateReader)
	if !ok {
		return nil
	}
	begun := time.Now()
	st, err := r.ReadState(ctx)
	if err == nil {
		u.tookState(st, begun)
	}
	return err
}

// readAgain reads the configuration after it changed, unless somebody else did since.
func (u *unit) readAgain(ctx context.Context, s driver.Session) error {
	by, awaited := u.takeAwaited()
	r, ok := s.(driver.ConfigReader)
	if !awaited || !ok {
		return nil
	}
	c, err := r.ReadConfig(ctx)
	if err == nil {
		u.tookConfig(c, by)
	}
	return err
}

// keepAlive asks for signs of life until one is missed.
func (u *unit) keepAlive(ctx context.Context, s driver.Session) error {
	for {
		period := u.fleet.period(u.fleet.timing.KeepAlive, keepAliveSpacing)
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(period):
		}
		if err := within(ctx, max(period, u.fleet.timing.Silence), s.Ping); err != nil {
			return err
		}
	}
}

func within(ctx context.Context, d time.Duration, do func(context.Context) error) error {
	ctx, cancel := context.WithTimeout(ctx, d)
	defer cancel()
	return do(ctx)
}

func (u *unit) took(s driver.Session) {
	u.mu.Lock()
	u.session = s
	if o, ok := s.(driver.Operator); ok {
		u.view.Can = o.Operations()
	}
	u.mu.Unlock()
	u.setReach(network.ReachConnected, "", "")
	u.announce()
}

func (u *unit) lost() {
	u.mu.Lock()
	u.session = nil
	clear(u.proposals)
	u.mu.Unlock()
	u.announce()
}

// announce wakes those who wait for the device.
func (u *unit) announce() {
	u.mu.Lock()
	defer u.mu.Unlock()
	close(u.changed)
	u.changed = make(chan struct{})
}

func (u *unit) setReach(r network.Reach, cause fact.Cause, why string) {
	u.telling.Lock()
	defer u.telling.Unlock()
	u.mu.Lock()
	same := u.view.Reach == r
	u.view.Why, u.view.Cause = why, cause
	if !same {
		u.view.Reach, u.view.Since = r, time.Now().UTC()
	}
	v := u.view
	u.mu.Unlock()
	if !same {
		u.fleet.log.Info("device "+string(r), "device", u.name, "why", why)
		u.fleet.observer.Reached(v)
	}
}
