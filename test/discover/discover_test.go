package discover_test

import (
	"net"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/rig"
)

// From one address everything is found: every device with its serial number, at its site, and no wrong neighbour.
func TestDiscoveryFindsTheCompanyFromOneAddress(t *testing.T) {
	t.Parallel()
	r := rig.StartCompany(t)
	d := r.Search(t, v1.DiscoveryRequest{Targets: []string{r.World.Address("hh-core-01")}, Hops: 16})
	serials := r.World.Serials()
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

	r.AcceptAll(t)
	r.AwaitAll(t)
	devices, err := r.Devices(t.Context(), client.Query{Where: "reach = connected", Count: "site"})
	require.NoError(t, err)
	assert.Equal(t, len(serials), devices.Total)
	for _, c := range devices.Counts["site"] {
		if c.Value == "tern-haven" {
			assert.Equal(t, 16, c.Count)
		}
	}

	ends := map[string]string{}
	for _, c := range r.World.Cables() {
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

	again := r.Search(t, v1.DiscoveryRequest{Targets: []string{r.World.Address("th-sw-02")}, Hops: 16})
	assert.Zero(t, again.Found)
	assert.Equal(t, len(serials), again.Known, "the neighbours of known devices are followed too")
	clientsAreWhereTheyAre(t, r)
}

// clientsAreWhereTheyAre holds the clients that the service tells against the world.
func clientsAreWhereTheyAre(t *testing.T, r *rig.Rig) {
	t.Helper()
	list, err := r.Clients(t.Context(), client.Query{})
	require.NoError(t, err)
	stations := r.World.Stations()
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
	r := rig.StartCompany(t)
	near := r.Search(t, v1.DiscoveryRequest{Targets: []string{r.World.Address("mp-sw-01")}, Hops: 1})
	assert.Equal(t, 3, near.Found, "itself, its access point and its edge")
	alone := r.Search(t, v1.DiscoveryRequest{Targets: []string{r.World.Address("th-sw-02")}, Hops: 0})
	assert.Equal(t, 1, alone.Found)

	_, port, err := net.SplitHostPort(r.World.Address("th-sw-02"))
	require.NoError(t, err)
	n, _ := strconv.Atoi(port)
	wide := r.Search(t, v1.DiscoveryRequest{Targets: []string{"127.20.5.0/29", "127.20.4.1-127.20.4.2"}, Port: n, Hops: 0})
	assert.Equal(t, 8, wide.Asked)
	assert.Equal(t, 3, wide.Silent, "127.20.5.4 to .6")
	assert.Equal(t, 5, wide.Found, "found before and still waiting, or new")

	wrong := r.Search(t, v1.DiscoveryRequest{Targets: []string{r.World.Address("ol-sw-01")}, User: rig.DeviceUser, Password: "wrong", Hops: 4})
	assert.Contains(t, wrong.Refused[r.World.Address("ol-sw-01")], "does not accept the user name and password")

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
	r := rig.StartCompany(t)
	l, err := net.Listen("tcp", "0.0.0.0:0") // it takes connections at every loopback address, and never says a word
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	d, err := r.Discover(t.Context(), v1.DiscoveryRequest{Targets: []string{"127.99.0.1-127.99.0.250"}, Port: l.Addr().(*net.TCPAddr).Port, User: rig.DeviceUser, Password: rig.DevicePassword})
	require.NoError(t, err)
	assert.Equal(t, "running", d.State)
	_, err = r.Discover(t.Context(), v1.DiscoveryRequest{Targets: []string{"127.20.1.1"}, User: rig.DeviceUser})
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
	r := rig.StartCompany(t)
	l, err := net.Listen("tcp", "0.0.0.0:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = l.Close() })
	d, err := r.Discover(t.Context(), v1.DiscoveryRequest{Targets: []string{"127.98.0.1-127.98.0.250"}, Port: l.Addr().(*net.TCPAddr).Port, User: rig.DeviceUser})
	require.NoError(t, err)
	r.Restart(t)
	list, err := r.Discoveries(t.Context())
	require.NoError(t, err)
	assert.Equal(t, d.Number, list.Items[0].Number)
	assert.Equal(t, "interrupted", list.Items[0].State)
}

// What was found can be forgotten, and is accepted only with the key that was shown.
func TestFoundDevicesAreAcceptedByKey(t *testing.T) {
	t.Parallel()
	r := rig.StartCompany(t)
	r.Search(t, v1.DiscoveryRequest{Targets: []string{r.World.Address("mp-sw-01")}, Hops: 1})
	found, err := r.Found(t.Context())
	require.NoError(t, err)
	require.Len(t, found.Items, 3)
	address := r.World.Address("mp-sw-01")
	results, err := r.Accept(t.Context(), []v1.DeviceAcceptance{{Address: address, HostKey: "SHA256:another"}, {Address: "127.20.5.77:830", HostKey: "x"}, {Address: address, HostKey: found.Items[2].HostKey, Site: "atlantis"}})
	require.NoError(t, err)
	for i, want := range []string{"the host key was not accepted", "was not found, or is accepted already", `there is no site "atlantis"`} {
		assert.Contains(t, results.Items[i].Problem, want)
		assert.Empty(t, results.Items[i].Device)
	}
	require.NoError(t, r.Dismiss(t.Context(), []string{address}))
	r.Restart(t) // what waits outlives the service
	found, err = r.Found(t.Context())
	require.NoError(t, err)
	assert.Len(t, found.Items, 2)
	r.AcceptAll(t)
	devices, err := r.Devices(t.Context(), client.Query{Where: "site = marram-point"})
	require.NoError(t, err)
	assert.Equal(t, 2, devices.Total)

	bram := r.As(t, "isla", "viewer")
	_, err = bram.Discover(t.Context(), v1.DiscoveryRequest{Targets: []string{address}, User: rig.DeviceUser})
	var p *client.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, v1.ProblemForbidden, p.Type)
}
