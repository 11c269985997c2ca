// Package rig is where the whole is tested: the service with its HTTP interface, its client, the command line and the console, beside simulated
// devices. It is not part of the product.
package rig

import (
	"context"
	"io"
	"log/slog"
	"net"
	"net/http/httptest"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	"example.net/everypost/internal/api/portal"
	"example.net/everypost/internal/api/server"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/console"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/driver/netconf"
	"example.net/everypost/internal/service"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/service/alarms"
	"example.net/everypost/internal/service/firmware"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/logbook"
	"example.net/everypost/internal/service/notify"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/emptydb"
)

// How to log in to the stand-ins, and to the service.
const (
	DeviceUser, DevicePassword = "fleet", "tidewater-lamp"
	Password                   = "harbour lights at dusk"
)

// World starts the stand-ins of Tern Haven.
func World(t testing.TB) *standin.World {
	t.Helper()
	w, err := standin.New(standin.TernHaven(), standin.Options{User: DeviceUser, Password: DevicePassword, SessionEvery: 2 * time.Second})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	return w
}

// Rig is a service with its HTTP interface, and a client that is signed in as Ada, the administrator.
type Rig struct {
	*client.Client
	Dir     string
	World   *standin.World
	Service *service.Service
	Server  *httptest.Server
	stop    context.CancelFunc
	// ownPace leaves the service its own waits.
	OwnPace   bool
	Doors     *Doors // where devices come by themselves; nil for none
	Folder    string // where new images of firmware are looked for; "" for none
	From      firmware.Address
	attentive bool // misses a device that falls silent within seconds
	// Guests is where guests of wireless networks are received. Its address outlives the service.
	Guests  *httptest.Server
	guestAt string
}

// How long a test waits for what must come, and how often it looks.
const (
	WaitLong = 2 * time.Minute
	WaitStep = 80 * time.Millisecond
)

// patient is for how long a device may take to be spoken to: a busy machine is no reason to fail.
var patient = fleet.Timing{Connect: 20 * time.Second, Request: time.Minute, Silence: 12 * time.Second}

// quick keeps tests short where nothing depends on the real waits.
var quick = fleet.Timing{Connect: patient.Connect, Request: patient.Request, KeepAlive: 2 * time.Second, Silence: patient.Silence, Poll: time.Second, Inspect: 2 * time.Second,
	BackOff: 200 * time.Millisecond, Longest: time.Second, Quiet: 200 * time.Millisecond}

var quickAlarms = alarms.Timing{Promises: 2 * time.Second, Caps: 2 * time.Second}

// Option makes a rig another one than usual.
type Option func(*Rig)

// Attentive has the service miss a device that falls silent within seconds: for tests that have one fall silent. A busy machine may be taken for it.
func Attentive(r *Rig) { r.attentive = true }

// Start starts a service on the world, with its devices enrolled over the interface.
func Start(t testing.TB, w *standin.World, options ...Option) *Rig {
	t.Helper()
	r := &Rig{Dir: t.TempDir(), World: w, Client: &client.Client{}}
	for _, o := range options {
		o(r)
	}
	r.Furnish(t)
	return r
}

// Furnish starts the service and has it enrol the devices of the world.
func (r *Rig) Furnish(t testing.TB) {
	t.Helper()
	r.Open(t)
	t.Cleanup(func() { r.Halt(t) })
	require.NoError(t, r.Service.Access.AddUser(t.Context(), access.User{Name: "ada", FullName: "Ada Quill", Role: "administrator"}, Password))
	r.Token = r.TokenOf(t, "ada")
	require.NoError(t, r.PutSite(t.Context(), "tern-haven", v1.SiteRequest{Title: "Tern Haven terminal", Entry: "th-edge-01"}))
	for _, name := range r.World.Devices() {
		r.EnrolOne(t, name)
	}
	r.AwaitAll(t)
}

// Open starts the service.
func (r *Rig) Open(t testing.TB) {
	t.Helper()
	book := logbook.New(500)
	log := slog.New(book.Keep(slog.NewTextHandler(io.Discard, nil)))
	ctx, cancel := context.WithCancel(context.Background())
	timing, keepEvery := quick, 500*time.Millisecond
	if r.OwnPace {
		timing, keepEvery = patient, 0
	}
	if many := len(r.World.Devices()); many > 8 && !r.OwnPace { // a world that is larger is read less often, for the sake of the machine
		timing.Poll, timing.Inspect = time.Duration(many)*125*time.Millisecond, time.Duration(many)*250*time.Millisecond
	}
	if r.attentive {
		timing.Silence, timing.Request = 6*time.Second, 10*time.Second
	}
	emptydb.Put(t, filepath.Join(r.Dir, "everypost.db"))
	svc, err := service.Open(ctx, service.Options{Dir: r.Dir, Connector: Connector, Timing: timing, KeepEvery: keepEvery, Passwords: access.Cheap, Log: log,
		JobsEvery: 150 * time.Millisecond, Firmware: firmware.Timing{Back: 90 * time.Second, Settle: 45 * time.Second, Look: 50 * time.Millisecond, Folder: 100 * time.Millisecond, Address: 200 * time.Millisecond}, FirmwareFolder: r.Folder, FirmwareFrom: r.From, Alarms: quickAlarms, Notify: notify.Timing{Settle: 300 * time.Millisecond, Over: time.Second, Retry: 200 * time.Millisecond}})
	require.NoError(t, err)
	r.Service, r.stop = svc, cancel
	r.Server = httptest.NewServer(server.New(ctx, svc, server.Options{Version: "test", Log: log, Logbook: book, Console: console.Files()}))
	r.Base = r.Server.URL
	r.Guests = httptest.NewUnstartedServer(portal.New(svc.Guests, log))
	if r.guestAt != "" {
		require.NoError(t, r.Guests.Listener.Close())
		r.Guests.Listener, err = net.Listen("tcp", r.guestAt)
		require.NoError(t, err)
	}
	r.Guests.Start()
	r.guestAt = r.Guests.Listener.Addr().String()
	svc.Guests.SetAddress(r.Guests.URL)
	if r.Doors != nil {
		r.Doors.open(t, ctx, r)
	}
}

// Halt stops the service in good order.
func (r *Rig) Halt(t testing.TB) {
	t.Helper()
	if r.Service == nil {
		return
	}
	r.stop()
	for _, s := range []*httptest.Server{r.Server, r.Guests} {
		s.CloseClientConnections()
		s.Close()
	}
	if r.Doors != nil {
		r.Doors.wg.Wait()
	}
	assert.NoError(t, r.Service.Close())
	r.Service = nil
}

// Restart stops the service in good order and starts it on the same data.
func (r *Rig) Restart(t testing.TB) {
	t.Helper()
	r.Halt(t)
	r.Open(t)
}

// EnrolOne has a device of the world taken in hand.
func (r *Rig) EnrolOne(t testing.TB, name string) {
	t.Helper()
	probe, err := r.Probe(t.Context(), r.World.Address(name))
	require.NoError(t, err)
	d, err := r.Enrol(t.Context(), v1.Enrolment{Address: probe.Address, User: DeviceUser, Password: DevicePassword, HostKey: probe.HostKey, Site: "tern-haven"})
	require.NoError(t, err)
	require.Equal(t, name, d.Name)
}

// AwaitAll waits until all devices are in hand.
func (r *Rig) AwaitAll(t testing.TB) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 3*time.Minute)
	defer cancel()
	for _, v := range r.Service.Fleet.Views() {
		require.NoError(t, r.Service.Fleet.Await(ctx, v.Name))
		require.Eventually(t, func() bool { // what was read of it is kept
			_, err := r.Service.Store.LastSnapshot(ctx, v.Name)
			return err == nil
		}, WaitLong, WaitStep)
	}
}

// Connector speaks NETCONF with the devices of a rig.
func Connector(s driver.Secrets) driver.Connector { return netconf.Connector{Secrets: s} }
