// Package fleet holds the sessions to devices: one goroutine owns each, keeps it up, watches and reads the device, and
// tells an observer what it sees.
//
// The rest of the service speaks to devices only through the methods of Fleet, which take and return plain values that
// could as well cross the border of a process. The package must never decide what to change on a device.
package fleet

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"net"
	"slices"
	"sync"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/operation"
	"example.net/everypost/internal/driver"
)

// GoneError tells that a device is not in hand.
type GoneError struct {
	Device string
	Reach  network.Reach
	Since  time.Time
	Why    string
}

func (e *GoneError) Error() string {
	s := fmt.Sprintf("%s cannot be reached", e.Device)
	if e.Why != "" {
		s += ": " + e.Why
	}
	return s
}

// ErrUnknown tells that there is no such device.
var ErrUnknown = errors.New("no such device")

// ErrCannot tells that a device cannot do what is asked of it.
var ErrCannot = errors.New("the device cannot do that")

// Timing says how often and how long. Zero values stand for the defaults.
type Timing struct {
	Connect   time.Duration // until a connection attempt is given up: 5 s
	Request   time.Duration // until an answer is given up: 10 s
	KeepAlive time.Duration // between signs of life: 2 s
	Silence   time.Duration // until a sign of life is missed: 2 s
	Poll      time.Duration // between readings of the state: 5 s
	Inspect   time.Duration // between readings of the inside: 30 s
	BackOff   time.Duration // before the first new attempt, doubling with each: 500 ms
	Longest   time.Duration // before any new attempt: 30 s
	Quiet     time.Duration // after a step of a change, before the device is read for anything else: 2 s
}

func (t Timing) orDefaults() Timing {
	t.Connect = cmp.Or(t.Connect, 5*time.Second)
	t.Request = cmp.Or(t.Request, 10*time.Second)
	t.KeepAlive = cmp.Or(t.KeepAlive, 2*time.Second)
	t.Silence = cmp.Or(t.Silence, 2*time.Second)
	t.Poll = cmp.Or(t.Poll, 5*time.Second)
	t.Inspect = cmp.Or(t.Inspect, 30*time.Second)
	t.BackOff = cmp.Or(t.BackOff, 500*time.Millisecond)
	t.Longest = cmp.Or(t.Longest, 30*time.Second)
	t.Quiet = cmp.Or(t.Quiet, 2*time.Second)
	return t
}

// View is a device as the fleet sees it at a moment. Its maps are shared: read them, never write them.
type View struct {
	Name     string
	Reach    network.Reach
	Since    time.Time  // of Reach
	Why      string     // of a Reach that is not good
	Cause    fact.Cause // the same in short
	SeenAt   time.Time  // when the device last answered
	Identity network.Identity
	Known    bool // whether Config and State were ever read
	Config   network.Config
	State    network.State
	Inside   network.Inside   // its ObservedAt is zero until it was read
	From     string           // the address from which a device that calls home called last
	Can      []operation.Kind // what it can be asked to do
}

// Observer is told what the fleet sees, from the goroutines that own the devices: in order for each device, at once for
// several. It must be quick.
type Observer interface {
	// Reached tells that a device came, went or refused.
	Reached(v View)
	// PortChanged tells that a port's link came or went.
	PortChanged(v View, port string, before, after network.PortState)
	// Seen tells that a device runs something else than was told last; that it was changed, and by whom, comes by ConfigRead.
	Seen(v View)
	// ConfigRead tells what a device runs; by is who changed it, where the device says so.
	ConfigRead(v View, document []byte, by string)
	// StateRead tells that the state was read, or the inside.
	StateRead(v View)
	// TrialStepped tells what a device says of a trial.
	TrialStepped(v View, at time.Time, step driver.TrialStep)
}

// Fleet is all devices. Make it with New.
type Fleet struct {
	connector driver.Connector
	observer  Observer
	timing    Timing
	log       *slog.Logger

	ctx  context.Context
	stop context.CancelFunc
	wg   sync.WaitGroup

	mu    sync.RWMutex
	units map[string]*unit

	live     sync.Mutex
	lookedAt map[*unit]int // how many look on, second by second
}

// New returns a fleet without devices. It works until Close.
func New(c driver.Connector, o Observer, t Timing, log *slog.Logger) *Fleet {
	ctx, stop := context.WithCancel(context.Background())
	return &Fleet{connector: c, observer: o, timing: t.orDefaults(), log: log, ctx: ctx, stop: stop, units: map[string]*unit{}}
}

// Close drops all sessions and waits for their goroutines.
func (f *Fleet) Close() {
	f.stop()
	f.wg.Wait()
}

// Add takes a device in hand. What is known of it from earlier may be given with it.
func (f *Fleet) Add(name string, t driver.Target, last View) {
	last.Name, last.Reach, last.Why = name, network.ReachWaiting, ""
	last.Since = time.Now().UTC()
	u := &unit{
		fleet: f, name: name, target: t, view: last, writing: make(chan struct{}, 1), hurry: make(chan struct{}, 1),
		reread: make(chan struct{}, 1), relook: make(chan struct{}, 1), looked: make(chan struct{}, 1), changed: make(chan struct{}), proposals: map[string]driver.Proposal{}, calls: make(chan driver.Session, 1),
	}
	ctx, cancel := context.WithCancel(f.ctx)
	u.cancel = cancel
	f.mu.Lock()
	f.units[name] = u
	f.mu.Unlock()
	f.wg.Go(func() { u.run(ctx) })
}

// AlsoAt has a device looked for at another address besides its own; "" ends that.
func (f *Fleet) AlsoAt(name, address string) {
	if u, err := f.unit(name); err == nil {
		u.mu.Lock()
		u.also = address
		u.mu.Unlock()
	}
}

// MoveTo has a device looked for at another address from now on. A session that there is stays.
func (f *Fleet) MoveTo(name, address string) {
	if u, err := f.unit(name); err == nil {
		u.mu.Lock()
		u.target.Address, u.also = address, ""
		u.mu.Unlock()
	}
}

// LogInAs has a device be logged in to as a user with a password from now on, or with another one where that is refused (driver.Target.Next).
// A session that there is stays.
func (f *Fleet) LogInAs(name, user, password, next string) {
	u, err := f.unit(name)
	if err != nil {
		return
	}
	u.mu.Lock()
	u.target.User, u.target.Password, u.target.Next, u.target.Locked = user, password, next, ""
	u.mu.Unlock()
	select {
	case u.hurry <- struct{}{}:
	default:
	}
}

// LookInside has the inside of devices read soon: as soon as they are asked for what can wait.
func (f *Fleet) LookInside(names ...string) {
	for _, name := range names {
		if u, err := f.unit(name); err == nil {
			select {
			case u.relook <- struct{}{}:
			default: // it will be already
			}
		}
	}
}

// Remove lets a device go.
func (f *Fleet) Remove(name string) {
	f.mu.Lock()
	u := f.units[name]
	delete(f.units, name)
	f.mu.Unlock()
	if u != nil {
		u.cancel()
	}
}

func (f *Fleet) unit(name string) (*unit, error) {
	f.mu.RLock()
	defer f.mu.RUnlock()
	if u := f.units[name]; u != nil {
		return u, nil
	}
	return nil, fmt.Errorf("%w: %s", ErrUnknown, name)
}

// period is how often something is done for each device: as the timing says, but less often when there are many devices, so
// that all of them together cost no more than so many at the given spacing do.
func (f *Fleet) period(often, spacing time.Duration) time.Duration {
	f.mu.RLock()
	defer f.mu.RUnlock()
	return max(often, time.Duration(len(f.units))*spacing)
}

// scatter is how long a device waits after it told that it changed until it is read again: where many change at once, as in a
// push, they are not all read at once.
func (f *Fleet) scatter() time.Duration {
	f.mu.RLock()
	defer f.mu.RUnlock()
	if len(f.units) < fewDevices {
		return 0
	}
	return rand.N(time.Duration(len(f.units)) * scatterSpacing)
}

// Spacing between readings and signs of life of all devices: 2,000 devices are read every 30 s.
const (
	pollSpacing      = 15 * time.Millisecond
	inspectSpacing   = 30 * time.Millisecond
	keepAliveSpacing = 2 * time.Millisecond
	scatterSpacing   = 10 * time.Millisecond

	fewDevices = 20 // so few may all be read at once
)

// View returns a device as it is seen now.
func (f *Fleet) View(name string) (View, bool) {
	u, err := f.unit(name)
	if err != nil {
		return View{}, false
	}
	return u.snapshot(), true
}

// How often a device is read while somebody looks on: its ports, and its inside.
const (
	liveEvery  = time.Second
	liveInside = 5 * time.Second
	maxLive    = 32 // devices at once
)

// ErrLive tells that as many devices are looked at second by second as may be.
var ErrLive = fmt.Errorf("%d devices are looked at second by second, which is as many as may be: end one of them", maxLive)

// LookOn has a device be read each second until release is called, once.
func (f *Fleet) LookOn(name string) (release func(), err error) {
	u, err := f.unit(name)
	if err != nil {
		return nil, err
	}
	f.live.Lock()
	defer f.live.Unlock()
	if f.lookedAt == nil {
		f.lookedAt = map[*unit]int{}
	}
	if f.lookedAt[u] == 0 && len(f.lookedAt) >= maxLive {
		return nil, ErrLive
	}
	f.lookedAt[u]++
	u.look(1)
	return func() {
		f.live.Lock()
		defer f.live.Unlock()
		if f.lookedAt[u]--; f.lookedAt[u] == 0 {
			delete(f.lookedAt, u)
		}
		u.look(-1)
	}, nil
}

func (u *unit) look(more int) {
	u.mu.Lock()
	u.lookers += more
	u.mu.Unlock()
	if more > 0 {
		select {
		case u.looked <- struct{}{}:
		default:
		}
	}
}

// Views returns all devices by name.
func (f *Fleet) Views() []View {
	f.mu.RLock()
	out := make([]View, 0, len(f.units))
	for _, u := range f.units {
		out = append(out, u.snapshot())
	}
	f.mu.RUnlock()
	slices.SortFunc(out, func(a, b View) int { return cmp.Compare(a.Name, b.Name) })
	return out
}

// Receive logs in to a device over a connection that it opened. lookup finds out who it may be, by its host key.
func (f *Fleet) Receive(ctx context.Context, c net.Conn, lookup func(hostKey string) (driver.Target, bool)) (driver.Session, string, error) {
	r, ok := f.connector.(driver.Receiver)
	if !ok {
		return nil, "", ErrCannot
	}
	ctx, cancel := context.WithTimeout(ctx, f.timing.Connect+f.timing.Request)
	defer cancel()
	return r.Receive(ctx, c, lookup)
}

// Take hands over the session of a device that called home; a session that it had before is ended.
func (f *Fleet) Take(name, from string, s driver.Session) error {
	u, err := f.unit(name)
	if err != nil {
		_ = s.Close()
		return err
	}
	u.mu.Lock()
	old := u.session
	u.view.From = from
	u.mu.Unlock()
	if old != nil {
		_ = old.Close()
	}
	for {
		select {
		case u.calls <- s:
			return nil
		case <-f.ctx.Done():
			return errors.Join(f.ctx.Err(), s.Close())
		case earlier := <-u.calls: // it called twice before anybody looked
			_ = earlier.Close()
		}
	}
}

// HostKey asks an address for its host key.
func (f *Fleet) HostKey(ctx context.Context, address string) (string, error) {
	ctx, cancel := context.WithTimeout(ctx, f.timing.Connect)
	defer cancel()
	return f.connector.HostKey(ctx, address)
}

// Introduce logs in to a device that is not in the fleet and asks who it is.
func (f *Fleet) Introduce(ctx context.Context, t driver.Target) (network.Identity, error) {
	ctx, cancel := context.WithTimeout(ctx, f.timing.Connect+f.timing.Request)
	defer cancel()
	s, err := f.connector.Connect(ctx, t)
	if err != nil {
		return network.Identity{}, err
	}
	defer func() { _ = s.Close() }()
	return s.Identify(ctx)
}

// Survey logs in to a device that is not in the fleet and asks who it is and which others it knows of.
func (f *Fleet) Survey(ctx context.Context, t driver.Target) (network.Identity, []network.Adjacency, error) {
	ctx, cancel := context.WithTimeout(ctx, f.timing.Connect+f.timing.Request)
	defer cancel()
	s, err := f.connector.Connect(ctx, t)
	if err != nil {
		return network.Identity{}, nil, err
	}
	defer func() { _ = s.Close() }()
	id, err := s.Identify(ctx)
	if err != nil {
		return id, nil, err
	}
	var st network.State
	if r, ok := s.(driver.StateReader); ok {
		if st, err = r.ReadState(ctx); err != nil {
			return id, nil, err
		}
	}
	var inside network.Inside
	if i, ok := s.(driver.Inspector); ok {
		if inside, err = i.Inspect(ctx); err != nil {
			return id, nil, err
		}
	}
	return id, network.Adjacencies(st.Ports, inside.Tunnels), nil
}

// Await waits until a device is connected, and has it try at once.
func (f *Fleet) Await(ctx context.Context, name string) error {
	u, err := f.unit(name)
	if err != nil {
		return err
	}
	for {
		u.mu.Lock()
		connected, changed := u.session != nil, u.changed
		gone := u.gone()
		u.mu.Unlock()
		if connected {
			return nil
		}
		select {
		case u.hurry <- struct{}{}:
		default:
		}
		select {
		case <-changed:
		case <-ctx.Done():
			return errors.Join(gone, context.Cause(ctx))
		case <-f.ctx.Done():
			return gone
		}
	}
}

// ReadConfig reads what a device runs at this moment.
func (f *Fleet) ReadConfig(ctx context.Context, name string) (network.Config, error) {
	var out network.Config
	err := f.with(ctx, name, func(ctx context.Context, u *unit, s driver.Session) error {
		r, ok := s.(driver.ConfigReader)
		if !ok {
			return fmt.Errorf("%w: %s does not tell what it runs", ErrCannot, name)
		}
		defer u.engage()()
		told := u.isAwaited()
		c, err := r.ReadConfig(ctx)
		if err != nil {
			return err
		}
		out = c.Config
		by, awaited := "", false
		if told { // it need not be read again for what the device told
			by, awaited = u.takeAwaited()
		}
		if _, watches := s.(driver.Watcher); awaited || !watches {
			u.tookConfig(c, by)
		} else {
			u.sawConfig(c) // that it changed, and by whom, the device tells itself
		}
		return nil
	})
	return out, err
}

// ReadWhole reads what a device runs at this moment with every default written out, in the device's own form.
func (f *Fleet) ReadWhole(ctx context.Context, name string) (document []byte, err error) {
	err = f.with(ctx, name, func(ctx context.Context, _ *unit, s driver.Session) error {
		r, ok := s.(driver.WholeReader)
		if !ok {
			return fmt.Errorf("%w: %s does not tell its defaults", ErrCannot, name)
		}
		document, err = r.ReadWhole(ctx)
		return err
	})
	return document, err
}

// tryLook is between looks whether it was tried to reach a device.
const tryLook = 100 * time.Millisecond

// AwaitTry waits until it was tried to reach a device in the life of the service: what goes on after a restart is there before the devices are. ctx
// bounds it.
func (f *Fleet) AwaitTry(ctx context.Context, name string) {
	tick := time.NewTicker(tryLook)
	defer tick.Stop()
	for {
		if v, ok := f.View(name); !ok || v.Reach != network.ReachWaiting {
			return
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
	}
}

// ReadDocument reads what a device runs at this moment, as the product models it and whole, in the device's own form.
func (f *Fleet) ReadDocument(ctx context.Context, name string) (config network.Config, document []byte, err error) {
	err = f.with(ctx, name, func(ctx context.Context, u *unit, s driver.Session) error {
		r, ok := s.(driver.ConfigReader)
		if !ok {
			return fmt.Errorf("%w: %s does not tell what it runs", ErrCannot, name)
		}
		defer u.engage()()
		c, err := r.ReadConfig(ctx)
		if err == nil {
			config, document = c.Config, c.Document()
		}
		return err
	})
	return config, document, err
}

// ReadPast reads a configuration that a device had before, in the device's own form; its secrets are sealed.
func (f *Fleet) ReadPast(ctx context.Context, name string, document []byte) (config network.Config, sealed []byte, err error) {
	err = f.with(ctx, name, func(ctx context.Context, _ *unit, s driver.Session) error {
		r, ok := s.(driver.PastReader)
		if !ok {
			return fmt.Errorf("%w: configurations of %s from before cannot be read", ErrCannot, name)
		}
		c, err := r.ReadPast(ctx, document)
		if err == nil {
			config, sealed = c.Config, c.Document()
		}
		return err
	})
	return config, sealed, err
}

// Terminal opens a terminal on a device, for a person. It ends with the session at the latest.
func (f *Fleet) Terminal(ctx context.Context, name string, size driver.Size) (shell driver.Shell, err error) {
	err = f.with(ctx, name, func(ctx context.Context, _ *unit, s driver.Session) error {
		t, ok := s.(driver.Terminal)
		if !ok {
			return fmt.Errorf("%w: %s has no terminal", ErrCannot, name)
		}
		shell, err = t.OpenTerminal(ctx, size)
		return err
	})
	return shell, err
}

// Propose prepares a change on a device, under a token of the caller's, until it is run by Trial or thrown away by
// Release.
func (f *Fleet) Propose(ctx context.Context, name, token string, before, after network.Config) error {
	return f.write(ctx, name, func(ctx context.Context, u *unit, w driver.Writer) error {
		p, err := w.Propose(ctx, before, after)
		if err == nil {
			u.keepProposal(token, p)
		}
		return err
	})
}

// Trial runs a proposal. An error other than a refusal leaves open whether it runs.
func (f *Fleet) Trial(ctx context.Context, name, token string, d time.Duration) error {
	return f.proposed(ctx, name, token, func(ctx context.Context, p driver.Proposal) error { return p.Trial(ctx, token, d) })
}

// Release throws a proposal away.
func (f *Fleet) Release(ctx context.Context, name, token string) error {
	return f.proposed(ctx, name, token, func(ctx context.Context, p driver.Proposal) error { return p.Release(ctx) })
}

func (f *Fleet) proposed(ctx context.Context, name, token string, do func(context.Context, driver.Proposal) error) error {
	return f.write(ctx, name, func(ctx context.Context, u *unit, _ driver.Writer) error {
		p := u.takeProposal(token)
		if p == nil {
			return fmt.Errorf("%s: the session that prepared the change was lost", name)
		}
		return do(ctx, p)
	})
}

// Extend starts the time of a trial anew.
func (f *Fleet) Extend(ctx context.Context, name, token string, d time.Duration) error {
	return f.write(ctx, name, func(ctx context.Context, _ *unit, w driver.Writer) error { return w.Extend(ctx, token, d) })
}

// Keep makes a trial permanent.
func (f *Fleet) Keep(ctx context.Context, name, token string) error {
	return f.write(ctx, name, func(ctx context.Context, _ *unit, w driver.Writer) error { return w.Keep(ctx, token) })
}

// Undo ends a trial and goes back.
func (f *Fleet) Undo(ctx context.Context, name, token string) error {
	return f.write(ctx, name, func(ctx context.Context, _ *unit, w driver.Writer) error { return w.Undo(ctx, token) })
}

// with calls do on a device's session, within the time for a request.
func (f *Fleet) with(ctx context.Context, name string, do func(context.Context, *unit, driver.Session) error) error {
	u, err := f.unit(name)
	if err != nil {
		return err
	}
	s, err := u.inHand()
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, f.timing.Request)
	defer cancel()
	return do(ctx, u, s)
}

// write is with for what changes the device: one at a time.
func (f *Fleet) write(ctx context.Context, name string, do func(context.Context, *unit, driver.Writer) error) error {
	return f.with(ctx, name, func(ctx context.Context, u *unit, s driver.Session) error {
		w, ok := s.(driver.Writer)
		if !ok {
			return fmt.Errorf("%w: %s cannot run a change on trial", ErrCannot, name)
		}
		select {
		case u.writing <- struct{}{}:
			defer func() { <-u.writing }()
		case <-ctx.Done():
			return context.Cause(ctx)
		}
		defer u.engage()()
		return do(ctx, u, w)
	})
}
