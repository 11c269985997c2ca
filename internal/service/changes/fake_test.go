package changes

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"path/filepath"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/guard"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/layers"
	"example.net/everypost/internal/service/leases"
	"example.net/everypost/internal/store"
)

// fakeLayers are layers in memory, of devices that stand where a test says.
type fakeLayers struct {
	mu    sync.Mutex
	stage intent.Stage
}

func (l *fakeLayers) Stage(context.Context, []string) (intent.Stage, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.stage, nil
}

func (l *fakeLayers) After(_ context.Context, stage intent.Stage, edits []intent.Edit, change int64) intent.Stage {
	return intent.Stage{Layers: stage.Layers.With(edits, change), Spots: stage.Spots}
}

func (l *fakeLayers) Check(_, _ intent.Layers, _ []intent.Edit) error { return nil }

func (l *fakeLayers) Settle(ctx context.Context, in layers.Settlement, keep func(intent.Layers, []intent.Edit) error) error {
	before, _ := l.Stage(ctx, nil)
	after := intent.Settle(before, l.After(ctx, before, in.Edits, in.Change), in.Edits, in.Change, in.Was, in.Runs)
	if err := keep(after, before.Layers.Before(in.Edits)); err != nil {
		return err
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	l.stage.Layers = after
	return nil
}

func (l *fakeLayers) Control(string) network.Control { return network.ControlHere }
func (l *fakeLayers) Look(...string)                 {}

// fakeFleet is a fleet of devices in memory, in which a test can make any step fail. It exists to reach by will the
// moments that with real devices come only by chance.
type fakeFleet struct {
	mu      sync.Mutex
	devices map[string]*fakeDevice
	calls   []string
	// before is called, with the lock held, before each step ("keep sw-b"); an error is what the step answers with.
	before func(step string) error
}

type fakeDevice struct {
	running, previous network.Config
	prepared          map[string]network.Config
	trial             string
	gone              bool
	neighbours        map[string]network.PortState
	inside            network.Inside
}

func (d *fakeDevice) revert() {
	if d.trial != "" {
		d.running, d.trial = d.previous, ""
	}
}

func (f *fakeFleet) step(what, name string) (*fakeDevice, error) {
	f.calls = append(f.calls, what+" "+name)
	d := f.devices[name]
	if f.before != nil {
		if err := f.before(what + " " + name); err != nil {
			return d, err
		}
	}
	if d.gone {
		return d, &fleet.GoneError{Device: name, Why: "it does not answer"}
	}
	return d, nil
}

// on runs do as a step on a device.
func (f *fakeFleet) on(what, name string, do func(*fakeDevice) error) error {
	f.mu.Lock()
	defer f.mu.Unlock()
	d, err := f.step(what, name)
	if err != nil {
		return err
	}
	return do(d)
}

func (f *fakeFleet) LookInside(...string)  {}
func (f *fakeFleet) AlsoAt(string, string) {}
func (f *fakeFleet) MoveTo(string, string) {}

func (f *fakeFleet) View(name string) (fleet.View, bool) {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.view(name)
}

func (f *fakeFleet) view(name string) (fleet.View, bool) {
	d := f.devices[name]
	if d == nil {
		return fleet.View{}, false
	}
	v := fleet.View{Name: name, Known: true, Reach: network.ReachConnected, Config: d.running, State: network.State{Ports: d.neighbours}, Inside: d.inside}
	if d.gone {
		v.Reach = network.ReachGone
	}
	return v, true
}

func (f *fakeFleet) Views() (out []fleet.View) {
	f.mu.Lock()
	defer f.mu.Unlock()
	for name := range f.devices {
		v, _ := f.view(name)
		out = append(out, v)
	}
	return out
}

func (f *fakeFleet) Await(ctx context.Context, name string) error {
	tick := time.NewTicker(time.Millisecond)
	defer tick.Stop()
	for {
		if v, ok := f.View(name); ok && v.Reach == network.ReachConnected {
			return nil
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

func (f *fakeFleet) ReadConfig(_ context.Context, name string) (c network.Config, err error) {
	err = f.on("read", name, func(d *fakeDevice) error { c = d.running; return nil })
	return c, err
}

func (f *fakeFleet) Propose(_ context.Context, name, token string, _, after network.Config) error {
	return f.on("propose", name, func(d *fakeDevice) error { d.prepared[token] = after; return nil })
}

func (f *fakeFleet) Release(_ context.Context, name, token string) error {
	return f.on("release", name, func(d *fakeDevice) error { delete(d.prepared, token); return nil })
}

func (f *fakeFleet) Trial(_ context.Context, name, token string, _ time.Duration) error {
	return f.on("trial", name, func(d *fakeDevice) error {
		after, ok := d.prepared[token]
		if !ok {
			return errors.New("nothing was prepared")
		}
		delete(d.prepared, token)
		d.previous, d.running, d.trial = d.running, after, token
		return nil
	})
}

func (f *fakeFleet) end(what, name, token string, do func(*fakeDevice)) error {
	return f.on(what, name, func(d *fakeDevice) error {
		if d.trial != token {
			return driver.ErrNoTrial
		}
		do(d)
		return nil
	})
}

func (f *fakeFleet) Extend(_ context.Context, name, token string, _ time.Duration) error {
	return f.end("extend", name, token, func(*fakeDevice) {})
}

func (f *fakeFleet) Keep(_ context.Context, name, token string) error {
	return f.end("keep", name, token, func(d *fakeDevice) { d.trial = "" })
}

func (f *fakeFleet) Undo(_ context.Context, name, token string) error {
	return f.end("undo", name, token, (*fakeDevice).revert)
}

// disk is a store of which a test can have the writing fail.
type disk struct {
	*store.Store
	mu   sync.Mutex
	full bool
	no   int // writes that failed
}

var errFull = errors.New("database or disk is full")

func (d *disk) set(full bool) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.full = full
}

func (d *disk) write(do func() error) error {
	d.mu.Lock()
	full := d.full
	if full {
		d.no++
	}
	d.mu.Unlock()
	if full {
		return errFull
	}
	return do()
}

func (d *disk) failed() int {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.no
}

func (d *disk) PutChange(ctx context.Context, c store.Change, facts ...fact.Fact) error {
	return d.write(func() error { return d.Store.PutChange(ctx, c, facts...) })
}

func (d *disk) PutSteps(ctx context.Context, c store.Change, facts ...fact.Fact) error {
	return d.write(func() error { return d.Store.PutSteps(ctx, c, facts...) })
}

func (d *disk) PutKept(ctx context.Context, c store.Change, l intent.Layers, facts ...fact.Fact) error {
	return d.write(func() error { return d.Store.PutKept(ctx, c, l, facts...) })
}

// bench is a service on a fake fleet of sw-a (near) and sw-b (far), with a port each in VLAN 20.
type bench struct {
	*Service
	t     *testing.T
	fleet *fakeFleet
	store *store.Store
	disk  *disk
	// layers: a template "office" picks port 1 of both switches, one "switches" the switches themselves.
	layers *fakeLayers
}

func newBench(t *testing.T) *bench {
	t.Helper()
	config := func(name string) network.Config {
		trunk := network.PortConfig{Enabled: true, Mode: network.Trunk, TrunkVLANs: network.VLANSet{10, 20, 40}}
		return network.Config{Hostname: name, ManagementVLAN: 10,
			VLANs: map[network.VLANID]network.VLAN{10: {ID: 10}, 20: {ID: 20}, 40: {ID: 40}},
			Ports: map[string]network.PortConfig{"1": {Enabled: true, Mode: network.Access, AccessVLAN: 20}, "up": trunk, "down": trunk}}
	}
	peer := func(system, port string) network.PortState {
		return network.PortState{Oper: network.Up, Neighbour: &network.Neighbour{SystemName: system, PortID: port}}
	}
	f := &fakeFleet{devices: map[string]*fakeDevice{
		"sw-a": {running: config("sw-a"), prepared: map[string]network.Config{}, neighbours: map[string]network.PortState{"down": peer("sw-b", "up"), "1": {Oper: network.Up}}},
		"sw-b": {running: config("sw-b"), prepared: map[string]network.Config{}, neighbours: map[string]network.PortState{"up": peer("sw-a", "down"), "1": {Oper: network.Up}}},
	}}
	st, err := store.Open(t.Context(), filepath.Join(t.TempDir(), "x.db"))
	require.NoError(t, err)
	require.NoError(t, st.PutSite(t.Context(), network.Site{Name: "here", Title: "Here", Entry: "sw-a"}))
	for name := range f.devices {
		require.NoError(t, st.AddDevice(t.Context(), store.Device{Name: name, Site: "here", Address: name, Secret: []byte{1}, Identity: network.Identity{Serial: name}}))
	}
	l := &fakeLayers{stage: intent.Stage{Layers: intent.Layers{Devices: map[string]intent.Words{}}, Spots: map[string]intent.Spot{}}}
	for name, d := range f.devices {
		spot := intent.Spot{Device: name, Site: "here", Templates: []string{"switches"}, Ports: map[string][]string{"1": {"office"}}}
		l.stage.Spots[name], l.stage.Layers.Devices[name] = spot, l.stage.Layers.Fill(spot, d.running)
	}
	b := &bench{t: t, fleet: f, store: st, disk: &disk{Store: st}, layers: l}
	b.begin()
	t.Cleanup(func() {
		b.Service.Close()
		b.feed.Close()
		assert.NoError(t, st.Close())
	})
	return b
}

func (b *bench) begin() {
	f, err := feed.New(b.t.Context(), b.store, slog.New(slog.DiscardHandler))
	require.NoError(b.t, err)
	b.Service = New(Parts{Fleet: b.fleet, Store: b.disk, Layers: b.layers, Feed: f, Leases: &leases.Leases{}, Log: slog.New(slog.DiscardHandler)})
}

// again is a new life of the service on the same data.
func (b *bench) again() {
	b.t.Helper()
	b.Service.Close()
	b.feed.Close()
	b.begin()
	require.NoError(b.t, b.Resume(b.t.Context()))
}

// fail makes steps answer with an error, each once, in the order in which they come.
func (b *bench) fail(err error, steps ...string) {
	b.fleet.mu.Lock()
	defer b.fleet.mu.Unlock()
	b.fleet.before = func(step string) error {
		if i := slices.Index(steps, step); i >= 0 {
			steps = slices.Delete(steps, i, i+1)
			return err
		}
		return nil
	}
}

// when calls do, with the lock held, right before a step is made for the first time.
func (b *bench) when(step string, do func()) {
	b.fleet.mu.Lock()
	defer b.fleet.mu.Unlock()
	var once sync.Once
	b.fleet.before = func(s string) error {
		if s == step {
			once.Do(do)
		}
		return nil
	}
}

// checked makes a checked change that moves port 1 of the devices to VLAN 40.
func (b *bench) checked(devices ...string) store.Change {
	b.t.Helper()
	var edits []intent.Edit
	for _, d := range devices {
		e, err := intent.New(network.PortRef{Device: d, Port: "1"}, "vlan", "40")
		require.NoError(b.t, err)
		edits = append(edits, e)
	}
	c, err := b.Create(b.t.Context(), "ada", "", edits)
	require.NoError(b.t, err)
	c, err = b.Check(b.t.Context(), c.Number)
	require.NoError(b.t, err)
	return c
}

func (b *bench) push(c store.Change) {
	b.t.Helper()
	_, err := b.Push(b.t.Context(), c.Number, PushOptions{By: "ada", Trial: MinTrial})
	require.NoError(b.t, err)
}

func (b *bench) until(number int64, states ...string) store.Change {
	b.t.Helper()
	var c store.Change
	require.Eventually(b.t, func() bool {
		var err error
		c, err = b.Get(b.t.Context(), number)
		return err == nil && slices.Contains(states, c.State)
	}, 30*time.Second, 2*time.Millisecond, "it should be %v", states)
	return c
}

// vlan is what a device runs on port 1.
func (b *bench) vlan(device string) string {
	b.fleet.mu.Lock()
	defer b.fleet.mu.Unlock()
	return b.fleet.devices[device].running.Ports["1"].AccessVLAN.String()
}

func (b *bench) vlans() string { return fmt.Sprintf("%s %s", b.vlan("sw-a"), b.vlan("sw-b")) }

func (b *bench) steps() []string {
	b.fleet.mu.Lock()
	defer b.fleet.mu.Unlock()
	return slices.Clone(b.fleet.calls)
}

var levelOf = func(fs []guard.Finding) (out []string) {
	for _, f := range fs {
		out = append(out, string(f.Level)+" "+f.ID)
	}
	return out
}
