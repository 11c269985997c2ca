package fleet

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/driver"
)

// fakeDevice is a device that a test can make fall silent, refuse and report at will.
type fakeDevice struct {
	pings    int
	mu       sync.Mutex
	connects int
	refuse   error         // what Connect answers with
	silent   chan struct{} // while not nil and open, nothing is answered
	sessions []*fakeSession
	state    network.State
	config   network.Config
	since    []time.Time
	ahead    time.Duration // of its clock before ours
}

// clock is the time of the device.
func (d *fakeDevice) clock() time.Time {
	d.mu.Lock()
	defer d.mu.Unlock()
	return time.Now().Add(d.ahead)
}

func (d *fakeDevice) HostKey(context.Context, string) (string, error) { return "SHA256:x", nil }

func (d *fakeDevice) Connect(ctx context.Context, _ driver.Target) (driver.Session, error) {
	d.mu.Lock()
	d.connects++
	refuse := d.refuse
	d.mu.Unlock()
	if err := d.answer(ctx, nil); err != nil {
		return nil, err
	}
	if refuse != nil {
		return nil, refuse
	}
	s := &fakeSession{d: d, done: make(chan struct{}), events: make(chan driver.Event, 10)}
	d.mu.Lock()
	d.sessions = append(d.sessions, s)
	d.mu.Unlock()
	return s, nil
}

// answer waits while the device is silent, and no longer than the session lasts.
func (d *fakeDevice) answer(ctx context.Context, ended <-chan struct{}) error {
	d.mu.Lock()
	silent := d.silent
	d.mu.Unlock()
	if silent == nil {
		return ctx.Err()
	}
	select {
	case <-silent:
		return nil
	case <-ended:
		return errors.New("session closed")
	case <-ctx.Done():
		return ctx.Err()
	}
}

func (d *fakeDevice) last() *fakeSession {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.sessions[len(d.sessions)-1]
}

func (d *fakeDevice) set(do func()) {
	d.mu.Lock()
	defer d.mu.Unlock()
	do()
}

type fakeSession struct {
	d      *fakeDevice
	once   sync.Once
	done   chan struct{}
	events chan driver.Event
}

func (s *fakeSession) Identify(ctx context.Context) (network.Identity, error) {
	return network.Identity{Hostname: "sw", Serial: "S1"}, s.d.answer(ctx, s.done)
}

func (s *fakeSession) ReadConfig(ctx context.Context) (driver.Configuration, error) {
	s.d.mu.Lock()
	c := driver.Configuration{Config: s.d.config, Document: func() []byte { return []byte("<x/>") }}
	s.d.mu.Unlock()
	return c, s.d.answer(ctx, s.done)
}

func (s *fakeSession) ReadState(ctx context.Context) (network.State, error) {
	s.d.mu.Lock()
	st := network.State{ObservedAt: time.Now(), Ports: map[string]network.PortState{}}
	for name, p := range s.d.state.Ports {
		st.Ports[name] = p
	}
	s.d.mu.Unlock()
	return st, s.d.answer(ctx, s.done)
}

func (s *fakeSession) Ping(ctx context.Context) error {
	s.d.set(func() { s.d.pings++ })
	return s.d.answer(ctx, s.done)
}
func (s *fakeSession) Done() <-chan struct{} { return s.done }
func (s *fakeSession) Close() error {
	s.once.Do(func() { close(s.done) })
	return nil
}

func (s *fakeSession) Watch(ctx context.Context, since time.Time, ready func(), f func(driver.Event)) error {
	s.d.set(func() { s.d.since = append(s.d.since, since) })
	if since.After(s.d.clock()) { // RFC 5277 section 2.1.1
		return &driver.Refusal{Words: "startTime lies in the future"}
	}
	ready()
	for {
		select {
		case e := <-s.events:
			f(e)
		case <-s.done:
			return errors.New("ended")
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// seen is an observer that keeps what it is told.
type seen struct {
	mu      sync.Mutex
	reached []network.Reach
	why     string
	ports   []string
	by      []string
	hosts   []string
	steps   []driver.TrialStep
	states  int
}

func (o *seen) note(do func()) {
	o.mu.Lock()
	defer o.mu.Unlock()
	do()
}

func (o *seen) Reached(v View) {
	o.note(func() { o.reached, o.why = append(o.reached, v.Reach), v.Why })
}
func (o *seen) PortChanged(_ View, port string, before, after network.PortState) {
	o.note(func() { o.ports = append(o.ports, port+" "+string(before.Oper)+" to "+string(after.Oper)) })
}
func (o *seen) ConfigRead(_ View, _ []byte, by string) { o.note(func() { o.by = append(o.by, by) }) }
func (o *seen) Seen(v View)                            { o.note(func() { o.hosts = append(o.hosts, v.Config.Hostname) }) }
func (o *seen) StateRead(View)                         { o.note(func() { o.states++ }) }
func (o *seen) TrialStepped(_ View, _ time.Time, step driver.TrialStep) {
	o.note(func() { o.steps = append(o.steps, step) })
}

var brisk = Timing{Connect: 100 * time.Millisecond, Request: 100 * time.Millisecond, KeepAlive: 30 * time.Millisecond, Silence: 100 * time.Millisecond, Poll: 20 * time.Millisecond, BackOff: 5 * time.Millisecond}

func start(t *testing.T, d *fakeDevice, timing Timing) (*Fleet, *seen) {
	t.Helper()
	o := &seen{}
	f := New(d, o, timing, slog.New(slog.DiscardHandler))
	t.Cleanup(f.Close)
	f.Add("sw", driver.Target{Address: "sw:830"}, View{})
	return f, o
}

func await(t *testing.T, f *Fleet) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 5*time.Second)
	defer cancel()
	require.NoError(t, f.Await(ctx, "sw"))
}

func eventually(t *testing.T, what string, is func() bool) {
	t.Helper()
	require.Eventually(t, is, 5*time.Second, 2*time.Millisecond, what)
}

func (o *seen) has(is func() bool) func() bool {
	return func() bool {
		o.mu.Lock()
		defer o.mu.Unlock()
		return is()
	}
}

func reach(f *Fleet) network.Reach {
	v, _ := f.View("sw")
	return v.Reach
}

func TestDeviceThatFallsSilentIsGoneAndComesBack(t *testing.T) {
	t.Parallel()
	d := &fakeDevice{}
	f, o := start(t, d, brisk)
	await(t, f)
	silent := make(chan struct{})
	d.set(func() { d.silent = silent })
	eventually(t, "gone", func() bool { return reach(f) == network.ReachGone })
	v, _ := f.View("sw")
	assert.Equal(t, "it does not answer", v.Why)
	_, err := f.ReadConfig(t.Context(), "sw")
	var gone *GoneError
	require.ErrorAs(t, err, &gone)
	assert.Equal(t, "sw cannot be reached: it does not answer", err.Error())

	d.set(func() { d.silent = nil })
	close(silent)
	await(t, f)
	eventually(t, "told", o.has(func() bool {
		return len(o.reached) == 3 && o.reached[0] == network.ReachConnected && o.reached[1] == network.ReachGone && o.reached[2] == network.ReachConnected
	}))
}

func TestSilenceEndsARequestBeforeItsOwnTime(t *testing.T) {
	t.Parallel()
	slow := brisk
	slow.Request = time.Minute
	d := &fakeDevice{}
	f, _ := start(t, d, slow)
	await(t, f)
	d.set(func() { d.silent = make(chan struct{}) })
	eventually(t, "gone", func() bool { return reach(f) == network.ReachGone })
}

func TestDeviceThatRefusesIsToldApart(t *testing.T) {
	t.Parallel()
	for name, err := range map[string]error{"a wrong password": driver.ErrCredentials, "another key": &driver.KeyError{Pinned: "a", Shown: "b"}} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			d := &fakeDevice{refuse: err}
			f, o := start(t, d, brisk)
			eventually(t, "refused", func() bool { return reach(f) == network.ReachRefused })
			assert.Equal(t, err.Error(), func() string { o.mu.Lock(); defer o.mu.Unlock(); return o.why }())
			d.set(func() { d.refuse = nil })
			await(t, f)
		})
	}
}

func TestAttemptsGetRarer(t *testing.T) {
	t.Parallel()
	d := &fakeDevice{refuse: errors.New("no route")}
	timing := brisk
	timing.BackOff = 20 * time.Millisecond
	start(t, d, timing)
	<-time.After(600 * time.Millisecond) // the rate is the subject: 20 ms between attempts would make thirty
	d.mu.Lock()
	defer d.mu.Unlock()
	assert.Greater(t, d.connects, 2)
	assert.Less(t, d.connects, 15)
}

func TestEventIsToldOnceAndAReadingThatWasBegunBeforeItDoesNotUndoIt(t *testing.T) {
	t.Parallel()
	at := time.Now().Add(-time.Hour)
	d := &fakeDevice{state: network.State{Ports: map[string]network.PortState{"1": {Oper: network.Up, Changed: at, SpeedMbps: 1000}}}}
	timing := brisk
	timing.Poll = time.Hour
	f, o := start(t, d, timing)
	await(t, f)
	u, err := f.unit("sw")
	require.NoError(t, err)
	begun := time.Now()
	down := driver.Event{At: time.Now(), Port: &driver.PortEvent{Port: "1", Oper: network.Down, Changed: time.Now()}}
	d.last().events <- down
	d.last().events <- down
	d.last().events <- driver.Event{At: time.Now(), Port: &driver.PortEvent{Port: "unheard of", Oper: network.Down}}
	d.last().events <- driver.Event{At: time.Now(), Port: &driver.PortEvent{Port: "1", Oper: network.Up, Changed: at.Add(-time.Hour)}} // an old one, replayed
	d.last().events <- driver.Event{At: time.Now(), Trial: &driver.TrialEvent{Step: driver.TrialTimedOut}}
	eventually(t, "all were taken", o.has(func() bool { return len(o.steps) == 1 }))
	u.tookState(network.State{ObservedAt: time.Now(), Ports: map[string]network.PortState{"1": {Oper: network.Up, Changed: at, SpeedMbps: 1000}}}, begun)
	v, _ := f.View("sw")
	assert.Equal(t, network.Down, v.State.Ports["1"].Oper)
	assert.Zero(t, v.State.Ports["1"].SpeedMbps)
	u.tookState(network.State{ObservedAt: time.Now(), Ports: map[string]network.PortState{"1": {Oper: network.Up, Changed: time.Now()}}}, time.Now())
	o.mu.Lock()
	defer o.mu.Unlock()
	assert.Equal(t, []string{"1 up to down", "1 down to up"}, o.ports)
}

func TestNeighbourIsRememberedWhileTheLinkIsGone(t *testing.T) {
	t.Parallel()
	peer := &network.Neighbour{SystemName: "other", PortID: "9"}
	d := &fakeDevice{state: network.State{Ports: map[string]network.PortState{"1": {Oper: network.Up, Neighbour: peer}}}}
	f, _ := start(t, d, brisk)
	await(t, f)
	d.set(func() {
		d.state = network.State{Ports: map[string]network.PortState{"1": {Oper: network.Down, Changed: time.Now()}}}
	})
	eventually(t, "down", func() bool { v, _ := f.View("sw"); return v.State.Ports["1"].Oper == network.Down })
	v, _ := f.View("sw")
	assert.Equal(t, peer, v.State.Ports["1"].Neighbour)
	d.set(func() {
		d.state = network.State{Ports: map[string]network.PortState{"1": {Oper: network.Up, Changed: time.Now()}}}
	})
	eventually(t, "forgotten", func() bool { v, _ := f.View("sw"); return v.State.Ports["1"].Neighbour == nil })
}

func TestChangedConfigurationIsReadAgain(t *testing.T) {
	t.Parallel()
	d := &fakeDevice{config: network.Config{Hostname: "old"}}
	f, o := start(t, d, brisk)
	await(t, f)
	d.set(func() { d.config = network.Config{Hostname: "new"} })
	d.last().events <- driver.Event{At: time.Now(), Config: &driver.ConfigEvent{By: "bram"}}
	eventually(t, "read", o.has(func() bool { return len(o.by) == 2 && o.by[1] == "bram" }))
	v, _ := f.View("sw")
	assert.Equal(t, "new", v.Config.Hostname)
}

func TestWatchGoesOnAfterTheLastEvent(t *testing.T) {
	t.Parallel()
	d := &fakeDevice{ahead: time.Hour}
	f, o := start(t, d, brisk)
	await(t, f)
	at := time.Now().Add(time.Minute) // the device's clock is not ours
	d.last().events <- driver.Event{At: at, Trial: &driver.TrialEvent{Step: driver.TrialStarted}}
	eventually(t, "taken", o.has(func() bool { return len(o.steps) == 1 }))
	_ = d.last().Close()
	eventually(t, "watching again", func() bool { d.mu.Lock(); defer d.mu.Unlock(); return len(d.since) == 2 })
	d.mu.Lock()
	defer d.mu.Unlock()
	assert.True(t, d.since[0].IsZero())
	assert.Equal(t, at.Add(time.Nanosecond), d.since[1])
}

// What a device dates years ahead is taken, but nothing is asked from then on: it would answer nothing until then.
func TestATimeOutOfTheFutureIsNotBelieved(t *testing.T) {
	t.Parallel()
	d := &fakeDevice{state: network.State{Ports: map[string]network.PortState{"1": {Oper: network.Up}}}}
	timing := brisk
	timing.Poll = time.Hour
	f, o := start(t, d, timing)
	await(t, f)
	future := time.Date(2036, 2, 7, 6, 28, 16, 0, time.UTC)
	d.last().events <- driver.Event{At: future, Port: &driver.PortEvent{Port: "1", Oper: network.Down, Changed: future}}
	eventually(t, "taken", o.has(func() bool { return len(o.ports) == 1 }))
	v, _ := f.View("sw")
	assert.WithinDuration(t, time.Now(), v.State.Ports["1"].Changed, time.Minute)
	d.last().events <- driver.Event{At: time.Now(), Port: &driver.PortEvent{Port: "1", Oper: network.Up, Changed: time.Now()}}
	eventually(t, "what comes after it counts", o.has(func() bool { return len(o.ports) == 2 }))
	_ = d.last().Close()
	eventually(t, "watching again", func() bool { d.mu.Lock(); defer d.mu.Unlock(); return len(d.since) == 2 })
	await(t, f)
	d.mu.Lock()
	defer d.mu.Unlock()
	assert.WithinDuration(t, time.Now(), d.since[1], time.Minute)
}

// A clock that was set back makes the last event lie ahead of it: the device refuses to repeat from there, and is taken in hand
// without.
func TestADeviceWhoseClockWasSetBackComesBack(t *testing.T) {
	t.Parallel()
	d := &fakeDevice{ahead: 3 * time.Hour}
	f, o := start(t, d, brisk)
	await(t, f)
	d.last().events <- driver.Event{At: time.Now().Add(3 * time.Hour), Trial: &driver.TrialEvent{Step: driver.TrialStarted}}
	eventually(t, "taken", o.has(func() bool { return len(o.steps) == 1 }))
	d.set(func() { d.ahead = 0 })
	_ = d.last().Close()
	eventually(t, "watching again", func() bool { d.mu.Lock(); defer d.mu.Unlock(); return len(d.since) == 3 })
	await(t, f)
	d.mu.Lock()
	defer d.mu.Unlock()
	assert.True(t, d.since[2].IsZero())
}

func TestDeviceThatCannotBeChangedSaysSo(t *testing.T) {
	t.Parallel()
	f, _ := start(t, &fakeDevice{}, brisk)
	await(t, f)
	assert.ErrorIs(t, f.Propose(t.Context(), "sw", "t", network.Config{}, network.Config{}), ErrCannot)
	assert.ErrorIs(t, f.Keep(t.Context(), "nobody", "t"), ErrUnknown)
}

func TestAwaitEndsWithItsContextAndSaysWhy(t *testing.T) {
	t.Parallel()
	f, _ := start(t, &fakeDevice{refuse: errors.New("no route to it")}, brisk)
	eventually(t, "gone", func() bool { return reach(f) == network.ReachGone })
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Millisecond)
	defer cancel()
	err := f.Await(ctx, "sw")
	require.ErrorIs(t, err, context.DeadlineExceeded)
	assert.ErrorContains(t, err, "no route to it")
}

func TestRemovedDeviceIsLetGo(t *testing.T) {
	t.Parallel()
	d := &fakeDevice{}
	f, _ := start(t, d, brisk)
	await(t, f)
	s := d.last()
	f.Remove("sw")
	<-s.Done()
	_, ok := f.View("sw")
	assert.False(t, ok)
	assert.Empty(t, f.Views())
}

// What somebody had read is seen at once, though who changed it is told only when the device says so.
func TestWhatIsReadForSomebodyIsSeenAtOnce(t *testing.T) {
	t.Parallel()
	d := &fakeDevice{config: network.Config{Hostname: "old"}}
	f, o := start(t, d, brisk)
	await(t, f)
	_, err := f.ReadConfig(t.Context(), "sw")
	require.NoError(t, err)
	require.True(t, o.has(func() bool { return len(o.hosts) == 0 })(), "nothing is new")
	d.set(func() { d.config.Hostname = "new" })
	_, err = f.ReadConfig(t.Context(), "sw")
	require.NoError(t, err)
	assert.True(t, o.has(func() bool { return len(o.hosts) == 1 && o.hosts[0] == "new" && len(o.by) == 1 })())
	d.last().events <- driver.Event{At: time.Now(), Config: &driver.ConfigEvent{By: "night"}}
	eventually(t, "the device tells who did it", o.has(func() bool { return len(o.by) == 2 && o.by[1] == "night" }))
}

// A device that works on a change is not read besides; it is asked for signs of life all the same.
func TestADeviceThatWorksOnAChangeIsAskedForNothingThatCanWait(t *testing.T) {
	t.Parallel()
	d := &fakeDevice{}
	timing := brisk
	timing.Quiet = time.Hour
	f, o := start(t, d, timing)
	await(t, f)
	eventually(t, "it is read by and by", o.has(func() bool { return o.states > 2 }))
	_, err := f.ReadConfig(t.Context(), "sw")
	require.NoError(t, err)
	var read, pings int
	o.has(func() bool { read = o.states; return true })()
	d.set(func() { pings = d.pings })
	eventually(t, "it is asked for signs of life", func() (more bool) {
		d.set(func() { more = d.pings > pings+10 })
		return more
	})
	assert.True(t, o.has(func() bool { return o.states <= read+1 })(), "but for one reading that was under way")
}
