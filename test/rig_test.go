package test

import (
	"context"
	"io"
	"log/slog"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	"example.net/everypost/internal/api/server"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/console"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/driver/netconf"
	"example.net/everypost/internal/service"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/standin"
)

// How to log in to the stand-ins, and to the service.
const (
	deviceUser, devicePassword = "fleet", "tidewater-lamp"
	password                   = "harbour lights at dusk"
)

// startWorld starts the stand-ins of Tern Haven.
func startWorld(t testing.TB) *standin.World {
	t.Helper()
	w, err := standin.New(standin.TernHaven(), standin.Options{User: deviceUser, Password: devicePassword})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	return w
}

// rig is a service with its HTTP interface, and a client that is signed in as Ada, the administrator.
type rig struct {
	*client.Client
	dir    string
	world  *standin.World
	svc    *service.Service
	server *httptest.Server
	stop   context.CancelFunc
	// ownPace leaves the service its own waits.
	ownPace bool
	doors   *doors // where devices come by themselves; nil for none
}

// How long a test waits for what must come, and how often it looks.
const (
	waitLong = 15 * time.Second
	waitStep = 25 * time.Millisecond
)

// quick keeps tests short where nothing depends on the real waits.
var quick = fleet.Timing{Connect: 2 * time.Second, Request: 4 * time.Second, KeepAlive: 700 * time.Millisecond, Poll: time.Second, Inspect: 2 * time.Second, BackOff: 200 * time.Millisecond, Quiet: 200 * time.Millisecond}

// startRig starts a service on the world, with its devices enrolled over the interface.
func startRig(t testing.TB, w *standin.World) *rig {
	t.Helper()
	r := &rig{dir: t.TempDir(), world: w, Client: &client.Client{}}
	r.furnish(t)
	return r
}

// furnish starts the service and has it enrol the devices of the world.
func (r *rig) furnish(t testing.TB) {
	t.Helper()
	r.start(t)
	t.Cleanup(func() { r.halt(t) })
	require.NoError(t, r.svc.Access.AddUser(t.Context(), access.User{Name: "ada", FullName: "Ada Quill", Role: "administrator"}, password))
	r.Token = r.signIn(t, "ada")
	require.NoError(t, r.PutSite(t.Context(), "tern-haven", v1.SiteRequest{Title: "Tern Haven terminal", Entry: "th-edge-01"}))
	for _, name := range r.world.Devices() {
		r.enrol(t, name)
	}
	r.awaitAll(t)
}

func (r *rig) start(t testing.TB) {
	t.Helper()
	log := slog.New(slog.NewTextHandler(io.Discard, nil))
	ctx, cancel := context.WithCancel(context.Background())
	timing, keepEvery := quick, 500*time.Millisecond
	if r.ownPace {
		timing, keepEvery = fleet.Timing{}, 0
	}
	svc, err := service.Open(ctx, service.Options{Dir: r.dir, Connector: connector, Timing: timing, KeepEvery: keepEvery, Log: log})
	require.NoError(t, err)
	r.svc, r.stop = svc, cancel
	r.server = httptest.NewServer(server.New(ctx, svc, server.Options{Version: "test", Log: log, Console: console.Files()}))
	r.Base = r.server.URL
	if r.doors != nil {
		r.doors.open(t, ctx, r)
	}
}

func (r *rig) halt(t testing.TB) {
	t.Helper()
	if r.svc == nil {
		return
	}
	r.stop()
	r.server.CloseClientConnections()
	r.server.Close()
	if r.doors != nil {
		r.doors.wg.Wait()
	}
	assert.NoError(t, r.svc.Close())
	r.svc = nil
}

// restart stops the service in good order and starts it on the same data.
func (r *rig) restart(t testing.TB) {
	t.Helper()
	r.halt(t)
	r.start(t)
}

func (r *rig) signIn(t testing.TB, name string) string {
	t.Helper()
	token, err := r.SignInToken(t.Context(), v1.TokenSignIn{SignIn: v1.SignIn{Name: name, Password: password}, TokenRequest: v1.TokenRequest{Label: "test"}})
	require.NoError(t, err)
	return token.Secret
}

// as returns a client for another person, made with that role.
func (r *rig) as(t testing.TB, name, role string) *client.Client {
	t.Helper()
	require.NoError(t, r.AddUser(t.Context(), v1.NewUser{Name: name, UserRequest: v1.UserRequest{FullName: name, Role: role}, Password: password}))
	return &client.Client{Base: r.Base, Token: r.signIn(t, name)}
}

func (r *rig) enrol(t testing.TB, name string) {
	t.Helper()
	probe, err := r.Probe(t.Context(), r.world.Address(name))
	require.NoError(t, err)
	d, err := r.Enrol(t.Context(), v1.Enrolment{Address: probe.Address, User: deviceUser, Password: devicePassword, HostKey: probe.HostKey, Site: "tern-haven"})
	require.NoError(t, err)
	require.Equal(t, name, d.Name)
}

func (r *rig) awaitAll(t testing.TB) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	for _, v := range r.svc.Fleet.Views() {
		require.NoError(t, r.svc.Fleet.Await(ctx, v.Name))
	}
}

// draft makes a checked change of edits, each written as port, field, value.
func (r *rig) draft(t testing.TB, edits ...[3]string) v1.Change {
	t.Helper()
	var in v1.ChangeRequest
	for _, e := range edits {
		in.Edits = append(in.Edits, v1.Edit{Port: e[0], Field: e[1], Value: e[2]})
	}
	c, err := r.MakeChange(t.Context(), in)
	require.NoError(t, err)
	c, err = r.Check(t.Context(), c.Number)
	require.NoError(t, err)
	return c
}

// until follows a change until it is in one of the states.
func (r *rig) until(t testing.TB, number int64, states ...string) v1.Change {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 60*time.Second)
	defer cancel()
	c, err := r.Follow(ctx, number, func(v1.Change) {}, func(c v1.Change) bool {
		for _, s := range states {
			if c.State == s {
				return true
			}
		}
		return false
	})
	require.NoError(t, err, "change %d is %s and not %v: %v", number, c.State, states, c.Log)
	return c
}

// runs tells what the stand-in really runs on a port: VLAN and whether it feeds power.
func (r *rig) runs(port string) (vlan string, poe string) {
	device, name, _ := cutPort(port)
	for _, i := range r.world.Running(device).Child("interfaces").All("interface") {
		if i.TextAt("name") == name {
			return i.TextAt("ethernet/switched-vlan/config/access-vlan"), i.TextAt("ethernet/poe/config/enabled")
		}
	}
	return "", ""
}

// connector speaks NETCONF with the devices of a rig.
func connector(s driver.Secrets) driver.Connector { return netconf.Connector{Secrets: s} }
