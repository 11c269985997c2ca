package test

import (
	"context"
	"net"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/standin"
)

// freePort finds a port that is free now, for all devices of a world to listen on, as devices do.
func freePort(t testing.TB) int {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { _ = l.Close() }()
	return l.Addr().(*net.TCPAddr).Port
}

// companies bounds how many whole companies run at a time: each is 77 devices, in one process with the service.
var companies = make(chan struct{}, 2)

// startCompany starts the whole company, and a service that knows its sites and none of its devices.
func startCompany(t testing.TB) *rig {
	t.Helper()
	companies <- struct{}{}
	t.Cleanup(func() { <-companies })
	w, err := standin.New(standin.LanternSound(), standin.Options{User: deviceUser, Password: devicePassword, Port: freePort(t)})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	r := &rig{dir: t.TempDir(), world: w, Client: &client.Client{}, ownPace: true}
	r.start(t)
	t.Cleanup(func() { r.halt(t) })
	require.NoError(t, r.svc.Access.AddUser(t.Context(), access.User{Name: "ada", FullName: "Ada Quill", Role: "administrator"}, password))
	r.Token = r.signIn(t, "ada")
	for name, code := range map[string]string{"harbour-house": "HH", "tern-haven": "TH", "oyster-landing": "OL", "grey-skerry": "GS", "marram-point": "MP", "kelp-bay": "KB",
		"northgate": "NG", "fulmar": "FU", "guillemot": "GU", "razorbill": "RZ", "turnstone": "TU"} {
		require.NoError(t, r.PutSite(t.Context(), name, v1.SiteRequest{Title: name, Code: code, Entry: strings.ToLower(code) + "-edge-01"}))
	}
	return r
}

// search runs a search to its end.
func (r *rig) search(t testing.TB, in v1.DiscoveryRequest) v1.Discovery {
	t.Helper()
	if in.User == "" {
		in.User, in.Password = deviceUser, devicePassword
	}
	d, err := r.Discover(t.Context(), in)
	require.NoError(t, err)
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	d, err = r.FollowDiscovery(ctx, d.Number, func(v1.Discovery) {})
	require.NoError(t, err)
	return d
}

// acceptAll enrols all that was found.
func (r *rig) acceptAll(t testing.TB) {
	t.Helper()
	found, err := r.Found(t.Context())
	require.NoError(t, err)
	var list []v1.DeviceAcceptance
	for _, f := range found.Items {
		list = append(list, v1.DeviceAcceptance{Address: f.Address, HostKey: f.HostKey})
	}
	results, err := r.Accept(t.Context(), list)
	require.NoError(t, err)
	for _, x := range results.Items {
		require.Empty(t, x.Problem, x.Address)
	}
}

// From one address everything is found: every device with its serial number, at its site, and no wrong neighbour.
func TestDiscoveryFindsTheCompanyFromOneAddress(t *testing.T) {
	t.Parallel()
	r := startCompany(t)
	d := r.search(t, v1.DiscoveryRequest{Targets: []string{r.world.Address("hh-core-01")}, Hops: 16})
	serials := r.world.Serials()
	assert.Equal(t, "done", d.State)
	assert.Equal(t, len(serials), d.Found)
	assert.Empty(t, d.Refused)
	assert.False(t, d.Cut)

	found, err := r.Found(t.Context())
	require.NoError(t, err)
	for _, f := range found.Items {
		assert.Equal(t, serials[f.Hostname], f.Serial, f.Hostname)
		assert.NotEmpty(t, f.Site, f.Hostname)
	}
	none, err := r.Devices(t.Context(), client.Query{})
	require.NoError(t, err)
	assert.Zero(t, none.All, "nothing is enrolled by itself")

	r.acceptAll(t)
	r.awaitAll(t)
	devices, err := r.Devices(t.Context(), client.Query{Where: "reach = connected", Count: "site"})
	require.NoError(t, err)
	assert.Equal(t, len(serials), devices.Total)
	for _, c := range devices.Counts["site"] {
		if c.Value == "tern-haven" {
			assert.Equal(t, 16, c.Count)
		}
	}

	ends := map[string]string{}
	for _, c := range r.world.Cables() {
		ends[c[0]], ends[c[1]] = c[1], c[0]
	}
	ports, err := r.Ports(t.Context(), client.Query{})
	require.NoError(t, err)
	linked := 0
	for _, p := range ports.Items {
		if p.Peer != nil {
			linked++
			assert.Equal(t, ends[p.Ref], p.Peer.Device+":"+p.Peer.Port, p.Ref)
		}
	}
	assert.Equal(t, len(ends), linked)

	again := r.search(t, v1.DiscoveryRequest{Targets: []string{r.world.Address("th-sw-02")}, Hops: 16})
	assert.Zero(t, again.Found)
	assert.Equal(t, len(serials), again.Known, "the neighbours of known devices are followed too")
	r.clientsAreWhereTheyAre(t)
}

// clientsAreWhereTheyAre holds the clients that the service tells against the world.
func (r *rig) clientsAreWhereTheyAre(t *testing.T) {
	t.Helper()
	list, err := r.Clients(t.Context(), client.Query{})
	require.NoError(t, err)
	stations := r.world.Stations()
	wired, wireless := 0, 0
	for _, c := range list.Items {
		at := stations[c.MAC]
		if c.SSID != "" {
			wireless++
			assert.True(t, strings.HasPrefix(at, c.Device+":radio"), "%s is at %s, not %s", c.MAC, at, c.Device)
			continue
		}
		wired++
		assert.Equal(t, at, c.Device+":"+c.Port, c.MAC)
	}
	assert.Greater(t, wired, 300)
	assert.Greater(t, wireless, 200)
}

// A search stays within its hops, tells what is silent and what refuses, and takes ranges.
func TestDiscoveryStaysWithinItsBounds(t *testing.T) {
	t.Parallel()
	r := startCompany(t)
	near := r.search(t, v1.DiscoveryRequest{Targets: []string{r.world.Address("mp-sw-01")}, Hops: 1})
	assert.Equal(t, 3, near.Found, "itself, its access point and its edge")
	alone := r.search(t, v1.DiscoveryRequest{Targets: []string{r.world.Address("th-sw-02")}, Hops: 0})
	assert.Equal(t, 1, alone.Found)

	_, port, err := net.SplitHostPort(r.world.Address("th-sw-02"))
	require.NoError(t, err)
	n, _ := strconv.Atoi(port)
	wide := r.search(t, v1.DiscoveryRequest{Targets: []string{"127.20.5.0/29", "127.20.4.1-127.20.4.2"}, Port: n, Hops: 0})
	assert.Equal(t, 8, wide.Asked)
	assert.Equal(t, 3, wide.Silent, "127.20.5.4 to .6")
	assert.Equal(t, 5, wide.Found, "found before and still waiting, or new")

	wrong := r.search(t, v1.DiscoveryRequest{Targets: []string{r.world.Address("ol-sw-01")}, User: deviceUser, Password: "wrong", Hops: 4})
	assert.Contains(t, wrong.Refused[r.world.Address("ol-sw-01")], "does not accept the user name and password")

	for name, targets := range map[string][]string{"nonsense": {"what is this"}, "too wide": {"10.0.0.0/8"}, "backwards": {"10.0.0.9-10.0.0.1"}, "nothing": {" "}} {
		_, err := r.Discover(t.Context(), v1.DiscoveryRequest{Targets: targets, User: "fleet"})
		var p *client.Problem
		require.ErrorAs(t, err, &p, name)
		assert.Equal(t, v1.ProblemInvalid, p.Type, name)
	}
}

// A search can be cancelled, and there is one at a time.
func TestDiscoveryIsCancelled(t *testing.T) {
	t.Parallel()
	r := startCompany(t)
	l, err := net.Listen("tcp", "0.0.0.0:0") // it takes connections at every loopback address, and never says a word
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	d, err := r.Discover(t.Context(), v1.DiscoveryRequest{Targets: []string{"127.99.0.1-127.99.0.250"}, Port: l.Addr().(*net.TCPAddr).Port, User: deviceUser, Password: devicePassword})
	require.NoError(t, err)
	assert.Equal(t, "running", d.State)
	_, err = r.Discover(t.Context(), v1.DiscoveryRequest{Targets: []string{"127.20.1.1"}, User: deviceUser})
	var p *client.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, v1.ProblemBusy, p.Type)
	require.NoError(t, r.CancelDiscovery(t.Context(), d.Number))
	d, err = r.FollowDiscovery(t.Context(), d.Number, func(v1.Discovery) {})
	require.NoError(t, err)
	assert.Equal(t, "cancelled", d.State)
	assert.Less(t, d.Asked, 250)
	require.ErrorAs(t, r.CancelDiscovery(t.Context(), d.Number), &p)
	assert.Equal(t, 404, p.Status, "it does not run any more")
}

// A search that the service did not live to end is told as interrupted.
func TestDiscoveryIsInterrupted(t *testing.T) {
	t.Parallel()
	r := startCompany(t)
	l, err := net.Listen("tcp", "0.0.0.0:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	d, err := r.Discover(t.Context(), v1.DiscoveryRequest{Targets: []string{"127.98.0.1-127.98.0.250"}, Port: l.Addr().(*net.TCPAddr).Port, User: deviceUser})
	require.NoError(t, err)
	r.restart(t)
	list, err := r.Discoveries(t.Context())
	require.NoError(t, err)
	assert.Equal(t, d.Number, list.Items[0].Number)
	assert.Equal(t, "interrupted", list.Items[0].State)
}

// What was found can be forgotten, and is accepted only with the key that was shown.
func TestFoundDevicesAreAcceptedByKey(t *testing.T) {
	t.Parallel()
	r := startCompany(t)
	r.search(t, v1.DiscoveryRequest{Targets: []string{r.world.Address("mp-sw-01")}, Hops: 1})
	found, err := r.Found(t.Context())
	require.NoError(t, err)
	require.Len(t, found.Items, 3)
	address := r.world.Address("mp-sw-01")
	results, err := r.Accept(t.Context(), []v1.DeviceAcceptance{{Address: address, HostKey: "SHA256:another"}, {Address: "127.20.5.77:830", HostKey: "x"}, {Address: address, HostKey: found.Items[2].HostKey, Site: "atlantis"}})
	require.NoError(t, err)
	for i, want := range []string{"the host key was not accepted", "was not found, or is accepted already", `there is no site "atlantis"`} {
		assert.Contains(t, results.Items[i].Problem, want)
		assert.Empty(t, results.Items[i].Device)
	}
	require.NoError(t, r.Dismiss(t.Context(), []string{address}))
	r.restart(t) // what waits outlives the service
	found, err = r.Found(t.Context())
	require.NoError(t, err)
	assert.Len(t, found.Items, 2)
	r.acceptAll(t)
	devices, err := r.Devices(t.Context(), client.Query{Where: "site = marram-point"})
	require.NoError(t, err)
	assert.Equal(t, 2, devices.Total)

	bram := r.as(t, "isla", "viewer")
	_, err = bram.Discover(t.Context(), v1.DiscoveryRequest{Targets: []string{address}, User: deviceUser})
	var p *client.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, v1.ProblemForbidden, p.Type)
}
