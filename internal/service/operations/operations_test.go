package operations_test

import (
	"context"
	"log/slog"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/operation"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/leases"
	"example.net/everypost/internal/service/operations"
	"example.net/everypost/internal/store"
)

// bench is the service with a fleet of one device that does what a test says.
type bench struct {
	*operations.Service
	store  *store.Store
	feed   *feed.Feed
	leases *leases.Leases

	mu            sync.Mutex
	view          fleet.View
	do            func(ctx context.Context, tell func(operation.Line)) error
	left, removed string // file on the device
	fails         error  // to get it
}

func (b *bench) View(name string) (fleet.View, bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.view, name == b.view.Name
}

func (b *bench) set(f func(v *fleet.View)) {
	b.mu.Lock()
	defer b.mu.Unlock()
	f(&b.view)
}

func (b *bench) Operate(ctx context.Context, _ string, _ operation.Request, tell func(operation.Line)) (string, error) {
	return b.left, b.do(ctx, tell)
}

func (b *bench) GetFile(context.Context, string, string, int64) ([]byte, error) {
	return []byte("frames"), b.fails
}

func (b *bench) RemoveFile(_ context.Context, _, file string) error {
	b.removed = file
	return nil
}

func open(t *testing.T) *bench {
	t.Helper()
	s, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	require.NoError(t, s.PutSite(t.Context(), network.Site{Name: "tern-haven"}))
	require.NoError(t, s.AddDevice(t.Context(), store.Device{Name: "th-sw-02", Site: "tern-haven", Address: "10.20.10.12:830", Secret: []byte{}, EnrolledAt: time.Now()}))
	b := &bench{store: s, leases: &leases.Leases{}}
	b.view = fleet.View{Name: "th-sw-02", Reach: network.ReachConnected, Since: time.Now().Add(-time.Hour), Can: []operation.Kind{operation.Ping, operation.Reboot, operation.Bounce},
		Identity: network.Identity{BootedAt: time.Now().Add(-time.Hour), Firmware: "4.1.6"}, State: network.State{Ports: map[string]network.PortState{"1/1/7": {}}}}
	b.feed, err = feed.New(t.Context(), s, slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	b.begin(t)
	t.Cleanup(func() {
		b.Close()
		b.feed.Close()
		assert.NoError(t, s.Close())
	})
	return b
}

func (b *bench) begin(t *testing.T) {
	var err error
	b.Service, err = operations.New(t.Context(), b, b.store, b.leases, b.feed, slog.New(slog.DiscardHandler))
	require.NoError(t, err)
}

func request(t *testing.T, kind operation.Kind, args map[string]string) operation.Request {
	t.Helper()
	r, err := operation.New(kind, args)
	require.NoError(t, err)
	return r
}

// ended waits until an operation is over, and returns what is kept of it.
func (b *bench) ended(t *testing.T, number int64) store.Operation {
	t.Helper()
	var o store.Operation
	require.Eventually(t, func() bool {
		var err error
		o, err = b.store.Operation(t.Context(), number)
		return err == nil && !o.EndedAt.IsZero()
	}, 20*time.Second, 5*time.Millisecond)
	return o
}

var toGate = map[string]string{"to": "gate", "count": "2"}

func TestWhatComesBackIsToldAndKept(t *testing.T) {
	t.Parallel()
	b := open(t)
	looks := b.feed.Follow(feed.Wants{States: []fact.Kind{fact.Operation}})
	defer looks.Close()
	more := make(chan struct{})
	b.do = func(_ context.Context, tell func(operation.Line)) error {
		tell(operation.Line{At: time.Now(), Cells: map[string]string{"seq": "1", "time": "1.5"}})
		<-more
		tell(operation.Line{At: time.Now(), Cells: map[string]string{"seq": "2", "fault": "no answer"}})
		return nil
	}
	o, err := b.Start(t.Context(), "th-sw-02", "ada", request(t, operation.Ping, toGate))
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		now, err := b.Get(t.Context(), o.Number)
		return err == nil && len(now.Lines) == 1 && now.State == operations.Running
	}, 10*time.Second, 5*time.Millisecond, "seen while it goes on")
	item, err := looks.Next(t.Context())
	require.NoError(t, err)
	assert.Equal(t, fact.State{Kind: fact.Operation, Device: "th-sw-02", Operation: o.Number}, *item.State)
	close(more)
	kept := b.ended(t, o.Number)
	assert.Equal(t, [3]string{operations.Done, "ada", ""}, [3]string{kept.State, kept.By, kept.Why})
	require.Len(t, kept.Lines, 2)
	list, err := b.List(t.Context(), store.OperationQuery{Devices: []string{"th-sw-02"}, Limit: 10})
	require.NoError(t, err)
	assert.Len(t, list, 1)
	assert.ErrorIs(t, b.Cancel(t.Context(), o.Number), operations.ErrOver)
	assert.ErrorIs(t, b.Cancel(t.Context(), 99), store.ErrNotFound)
}

func TestWhatCannotBeAskedIsNot(t *testing.T) {
	t.Parallel()
	b := open(t)
	b.do = func(context.Context, func(operation.Line)) error {
		t.Error("the device was asked")
		return nil
	}
	start := func(device string, r operation.Request) error {
		_, err := b.Start(t.Context(), device, "ada", r)
		return err
	}
	assert.ErrorIs(t, start("nobody", request(t, operation.Ping, toGate)), fleet.ErrUnknown)
	assert.ErrorIs(t, start("th-sw-02", request(t, operation.CableTest, map[string]string{"ports": "1/1/7"})), fleet.ErrCannot)
	assert.ErrorContains(t, start("th-sw-02", request(t, operation.Bounce, map[string]string{"ports": "1/1/7,9/9/9"})), "has no port 9/9/9")
	back := b.leases.Take("th-sw-02")
	assert.ErrorIs(t, start("th-sw-02", request(t, operation.Reboot, nil)), operations.ErrBusy, "while a change is under way")
	back()
	b.set(func(v *fleet.View) { v.Reach, v.Why = network.ReachGone, "it does not answer" })
	var gone *fleet.GoneError
	assert.ErrorAs(t, start("th-sw-02", request(t, operation.Ping, toGate)), &gone)
	list, err := b.List(t.Context(), store.OperationQuery{Limit: 10})
	require.NoError(t, err)
	assert.Empty(t, list)
}

func TestHowOperationsEnd(t *testing.T) {
	t.Parallel()
	wait := func(ctx context.Context, _ func(operation.Line)) error {
		<-ctx.Done()
		return context.Cause(ctx)
	}
	for name, c := range map[string]struct {
		do         func(context.Context, func(operation.Line)) error
		end        func(b *bench, number int64)
		state, why string
	}{
		"refused": {func(context.Context, func(operation.Line)) error {
			return &driver.Refusal{Words: "the diagnostics card is out"}
		}, nil, operations.Failed, "the diagnostics card is out"},
		"cancelled": {wait, func(b *bench, n int64) { _ = b.Cancel(context.Background(), n) }, operations.Cancelled, "it was cancelled"},
		"stopped":   {wait, func(b *bench, _ int64) { b.Close() }, operations.Lost, "the service stopped"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			b := open(t)
			b.do = c.do
			o, err := b.Start(t.Context(), "th-sw-02", "ada", request(t, operation.Ping, toGate))
			require.NoError(t, err)
			if c.end != nil {
				c.end(b, o.Number)
			}
			kept := b.ended(t, o.Number)
			assert.Equal(t, [2]string{c.state, c.why}, [2]string{kept.State, kept.Why})
		})
	}
}

// What a service that was killed left going on is over when it comes back, and says so.
func TestAKilledServiceLeavesNothingGoingOn(t *testing.T) {
	t.Parallel()
	b := open(t)
	number, err := b.store.AddOperation(t.Context(), store.Operation{Device: "th-sw-02", By: "ada", State: operations.Running, StartedAt: time.Now(), Request: request(t, operation.Ping, toGate)})
	require.NoError(t, err)
	b.Close()
	b.begin(t)
	o, err := b.Get(t.Context(), number)
	require.NoError(t, err)
	assert.Equal(t, operations.Lost, o.State)
	assert.Contains(t, o.Why, "what came of it is not known")
}

func TestOnlySoManyGoOnAtOnce(t *testing.T) {
	t.Parallel()
	b := open(t)
	b.do = func(ctx context.Context, _ func(operation.Line)) error {
		<-ctx.Done()
		return context.Cause(ctx)
	}
	for range 8 {
		_, err := b.Start(t.Context(), "th-sw-02", "ada", request(t, operation.Ping, toGate))
		require.NoError(t, err)
	}
	_, err := b.Start(t.Context(), "th-sw-02", "ada", request(t, operation.Ping, toGate))
	assert.ErrorIs(t, err, operations.ErrTooMany)
}

// A device that restarts is awaited: it is gone, it is back with a later start, and only then it is done. Meanwhile nobody changes it.
func TestADeviceThatRestartsIsAwaited(t *testing.T) {
	t.Parallel()
	b := open(t)
	b.do = func(context.Context, func(operation.Line)) error { return nil }
	o, err := b.Start(t.Context(), "th-sw-02", "ada", request(t, operation.Reboot, nil))
	require.NoError(t, err)
	steps := func() (out []string) {
		now, err := b.Get(t.Context(), o.Number)
		require.NoError(t, err)
		for _, l := range now.Lines {
			out = append(out, l.Cells["step"])
		}
		return out
	}
	require.Eventually(t, func() bool { return len(steps()) == 1 }, 10*time.Second, 5*time.Millisecond)
	assert.True(t, b.leases.Held("th-sw-02"))
	b.set(func(v *fleet.View) { v.Reach, v.Since = network.ReachGone, time.Now() })
	require.Eventually(t, func() bool { return len(steps()) == 2 }, 10*time.Second, 5*time.Millisecond)
	b.set(func(v *fleet.View) { v.Reach, v.Since = network.ReachConnected, time.Now().Add(time.Second) })
	b.set(func(v *fleet.View) { v.Identity = network.Identity{BootedAt: time.Now(), Firmware: "4.2.0"} })
	kept := b.ended(t, o.Number)
	assert.Equal(t, operations.Done, kept.State)
	require.Len(t, kept.Lines, 4)
	assert.Equal(t, "it runs 4.2.0, and ran 4.1.6 before", kept.Lines[3].Cells["step"])
	require.Eventually(t, func() bool { return !b.leases.Held("th-sw-02") }, 10*time.Second, 5*time.Millisecond)
	b.feed.Settle()
	events, err := b.store.Events(t.Context(), store.EventQuery{Limit: 10, Now: time.Now()})
	require.NoError(t, err)
	require.Len(t, events, 1)
	assert.Equal(t, fact.DeviceAsked{By: "ada", To: "reboot"}, events[0].What)
}
