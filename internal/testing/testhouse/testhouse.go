// Package testhouse is where services are tested: a store, the inventory and the fleet as they are, beside devices that live in
// memory and run what a test says. It is not part of the product.
package testhouse

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/groups"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/service/secrets"
	"example.net/everypost/internal/store"
	"example.net/everypost/internal/testing/emptydb"
)

// House is two switches of Tern Haven, the second behind the first, and one of a ship. Each has port 1 in VLAN 20, port 2 in VLAN
// 30, and a trunk of VLANs 10, 20 and 30 up and one down.
type House struct {
	Store     *store.Store
	Sealer    *secrets.Sealer
	Feed      *feed.Feed
	Inventory *inventory.Service
	Groups    *groups.Service
	Fleet     *fleet.Fleet
	Log       *slog.Logger

	t       testing.TB
	mu      sync.Mutex
	devices map[string]*device // by address
}

// device is a device in memory.
type device struct {
	name   string
	config network.Config
	state  network.State
	hooked []chan driver.Event
	bare   bool
}

// New builds a house whose devices are read. What is to watch it from the begin is put in by before.
func New(t testing.TB, before ...func(*House)) *House {
	t.Helper()
	h := &House{t: t, Log: slog.New(slog.DiscardHandler), devices: map[string]*device{}}
	dir := t.TempDir()
	var err error
	emptydb.Put(t, filepath.Join(dir, "x.db"))
	h.Store, err = store.Open(t.Context(), filepath.Join(dir, "x.db"))
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, h.Store.Close()) })
	h.Feed, err = feed.New(t.Context(), h.Store, h.Log)
	require.NoError(t, err)
	t.Cleanup(h.Feed.Close)
	h.Sealer, err = secrets.Open(filepath.Join(dir, "key"), false)
	require.NoError(t, err)
	for _, s := range []network.Site{{Name: "tern-haven", Title: "Tern Haven", Code: "th", Entry: "th-sw-01"}, {Name: "fulmar", Title: "MV Fulmar", Code: "fm", Entry: "fm-sw-01"}} {
		require.NoError(t, h.Store.PutSite(t.Context(), s))
	}
	for name, site := range map[string]string{"th-sw-01": "tern-haven", "th-sw-02": "tern-haven", "fm-sw-01": "fulmar"} {
		h.add(name, site)
	}
	h.devices["th-sw-01:830"].state.Ports["down"] = linked("th-sw-02", "up")
	h.devices["th-sw-02:830"].state.Ports["up"] = linked("th-sw-01", "down")
	h.Inventory = inventory.New(h.Store, h.Sealer, h.Feed, h.Log)
	h.Groups = groups.New(h.Store, h.Inventory, h.Feed)
	h.Fleet = fleet.New(connector{h}, h.Inventory.Observer(), fleet.Timing{Poll: 20 * time.Millisecond, Quiet: time.Millisecond}, h.Log)
	t.Cleanup(func() {
		h.Fleet.Close()
		h.Inventory.Close()
	})
	for _, f := range before {
		f(h)
	}
	require.NoError(t, h.Inventory.Start(t.Context(), h.Fleet))
	for _, d := range h.devices {
		require.NoError(t, h.Fleet.Await(t.Context(), d.name))
	}
	return h
}

func (h *House) add(name, site string) {
	h.devices[name+":830"] = newDevice(name)
	require.NoError(h.t, h.Store.AddDevice(h.t.Context(), store.Device{Name: name, Site: site, Address: name + ":830", User: "fleet", Secret: h.Sealer.Seal(name+":830", "word"), HostKey: "SHA256:" + name,
		Identity: network.Identity{Serial: name, Kind: network.Switch}, EnrolledAt: time.Unix(0, 0), SeenAt: time.Unix(0, 0)}))
}

// Stranger has a device stand at an address that nobody has enrolled, and that hears others at theirs.
func (h *House) Stranger(name, address string, hears ...string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	d := newDevice(name)
	for i, at := range hears {
		d.state.Ports[fmt.Sprint("far", i)] = network.PortState{Oper: network.Up, Neighbour: &network.Neighbour{SystemName: "far", PortID: "1", Address: at}}
	}
	h.devices[address] = d
}

// Bare has a device stand at an address that tells who it is and what it observes, and nothing else.
func (h *House) Bare(name, address string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	d := newDevice(name)
	d.bare = true
	h.devices[address] = d
}

// Observe has the link of a port come or go, which the device does not tell by itself.
func (h *House) Observe(address, port string, oper network.OperStatus) {
	h.mu.Lock()
	defer h.mu.Unlock()
	p := h.devices[address].state.Ports[port]
	p.Oper = oper
	h.devices[address].state.Ports[port] = p
}

func newDevice(name string) *device {
	trunk := network.PortConfig{Enabled: true, Mode: network.Trunk, TrunkVLANs: network.VLANSet{10, 20, 30}}
	access := func(v network.VLANID) network.PortConfig {
		return network.PortConfig{Enabled: true, Mode: network.Access, AccessVLAN: v}
	}
	up := network.PortState{Oper: network.Up, SpeedMbps: 1000}
	return &device{name: name,
		config: network.Config{Hostname: name, ManagementVLAN: 10, Features: []network.Feature{setting.SystemBasics},
			VLANs: map[network.VLANID]network.VLAN{10: {ID: 10, Name: "management"}, 20: {ID: 20, Name: "office"}, 30: {ID: 30, Name: "voice"}},
			Ports: map[string]network.PortConfig{"1": access(20), "2": access(30), "up": trunk, "down": trunk}},
		state: network.State{Ports: map[string]network.PortState{"1": up, "2": up, "up": {Oper: network.Down}, "down": {Oper: network.Down}}}}
}

func linked(system, port string) network.PortState {
	return network.PortState{Oper: network.Up, SpeedMbps: 1000, Neighbour: &network.Neighbour{SystemName: system, PortID: port}}
}

// Change has somebody change what a device runs, on the spot; the device tells who.
func (h *House) Change(name, by string, do func(*network.Config)) {
	h.t.Helper()
	h.mu.Lock()
	defer h.mu.Unlock()
	d := h.devices[name+":830"]
	d.config = d.config.Clone()
	do(&d.config)
	for _, c := range d.hooked {
		c <- driver.Event{At: time.Now(), Config: &driver.ConfigEvent{By: by}}
	}
}

// SetPort is Change of one port.
func (h *House) SetPort(name, port, by string, do func(*network.PortConfig)) {
	h.t.Helper()
	h.Change(name, by, func(c *network.Config) {
		p := c.Ports[port]
		do(&p)
		c.Ports[port] = p
	})
}

// Until waits until something is so.
func (h *House) Until(is func() bool, what string) {
	h.t.Helper()
	require.Eventually(h.t, is, time.Minute, 5*time.Millisecond, what)
}

// Runs waits until what a device runs is known to be so.
func (h *House) Runs(name string, is func(network.Config) bool) {
	h.t.Helper()
	h.Until(func() bool {
		v, _ := h.Fleet.View(name)
		return is(v.Config)
	}, name+" is not known to run that")
}

// Pick lists the devices that an expression picks, by name.
func (h *House) Pick(text string) (names []string) {
	h.t.Helper()
	e, err := catalog.Network.Parse(text)
	require.NoError(h.t, err)
	e, err = h.Groups.Expand(h.t.Context(), e)
	require.NoError(h.t, err)
	for _, d := range h.Inventory.Devices(catalog.Query{Where: e, Limit: 100, Now: time.Now()}).Rows {
		names = append(names, d.Name)
	}
	return names
}

// connector connects to the devices of a house.
type connector struct{ h *House }

func (c connector) HostKey(_ context.Context, address string) (string, error) {
	c.h.mu.Lock()
	defer c.h.mu.Unlock()
	if d := c.h.devices[address]; d != nil {
		return "SHA256:" + d.name, nil
	}
	return "", errors.New("nobody is there")
}

func (c connector) Connect(ctx context.Context, t driver.Target) (driver.Session, error) {
	key, err := c.HostKey(ctx, t.Address)
	switch {
	case err != nil:
		return nil, err
	case key != t.HostKey:
		return nil, &driver.KeyError{Pinned: t.HostKey, Shown: key}
	case t.Password != "word":
		return nil, driver.ErrCredentials
	}
	s := &session{h: c.h, d: c.h.devices[t.Address], done: make(chan struct{})}
	if s.d.bare {
		return bareSession{s}, nil
	}
	return s, nil
}

// bareSession identifies its device and reads its state, and can do nothing else.
type bareSession struct{ s *session }

func (b bareSession) Identify(ctx context.Context) (network.Identity, error) {
	return b.s.Identify(ctx)
}
func (b bareSession) ReadState(ctx context.Context) (network.State, error) { return b.s.ReadState(ctx) }
func (b bareSession) Ping(ctx context.Context) error                       { return b.s.Ping(ctx) }
func (b bareSession) Done() <-chan struct{}                                { return b.s.done }
func (b bareSession) Close() error                                         { return b.s.Close() }

type session struct {
	h    *House
	d    *device
	once sync.Once
	done chan struct{}
}

func (s *session) Identify(context.Context) (network.Identity, error) {
	return network.Identity{Hostname: s.d.name, Serial: s.d.name, Kind: network.Switch, Maker: "Halyard", Model: "H8"}, nil
}

func (s *session) ReadConfig(context.Context) (driver.Configuration, error) {
	s.h.mu.Lock()
	defer s.h.mu.Unlock()
	c := s.d.config
	return driver.Configuration{Config: c, Document: func() []byte { return fmt.Appendf(nil, "%+v", c) }}, nil
}

func (s *session) ReadState(context.Context) (network.State, error) {
	s.h.mu.Lock()
	defer s.h.mu.Unlock()
	out := network.State{ObservedAt: time.Now().UTC(), Ports: map[string]network.PortState{}}
	for name, p := range s.d.state.Ports {
		p.ObservedAt = out.ObservedAt
		out.Ports[name] = p
	}
	return out, nil
}

func (s *session) Watch(ctx context.Context, _ time.Time, ready func(), f func(driver.Event)) error {
	hook := make(chan driver.Event, 64)
	s.h.mu.Lock()
	s.d.hooked = append(s.d.hooked, hook)
	s.h.mu.Unlock()
	ready()
	for {
		select {
		case e := <-hook:
			f(e)
		case <-s.done:
			return errors.New("the session ended")
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

func (s *session) Ping(context.Context) error { return nil }
func (s *session) Done() <-chan struct{}      { return s.done }
func (s *session) Close() error {
	s.once.Do(func() { close(s.done) })
	return nil
}
