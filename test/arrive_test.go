package test

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"io"
	"log/slog"
	"net"
	"net/http"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/bootstrap"
	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
)

// doors are where devices come by themselves. Their addresses outlive the service, as those of a machine do.
type doors struct {
	home, base string
	wg         sync.WaitGroup
}

func newDoors(t testing.TB) *doors {
	t.Helper()
	address := func() string {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		defer func() { _ = l.Close() }()
		return l.Addr().String()
	}
	return &doors{home: address(), base: address()}
}

func (d *doors) open(t testing.TB, ctx context.Context, r *rig) {
	t.Helper()
	home, err := net.Listen("tcp", d.home)
	require.NoError(t, err)
	base, err := net.Listen("tcp", d.base)
	require.NoError(t, err)
	authority, err := standin.Authority()
	require.NoError(t, err)
	svc := r.svc
	svc.Arrivals.SetHome(d.home)
	d.wg.Go(func() { _ = svc.Arrivals.TakeCalls(ctx, home) })
	d.wg.Go(func() {
		_ = bootstrap.Serve(ctx, base, svc.Arrivals, bootstrap.Options{Authorities: authority, Certificate: filepath.Join(r.dir, "bootstrap.pem"),
			Hosts: []string{"127.0.0.1"}, Log: slog.New(slog.NewTextHandler(io.Discard, nil))})
	})
}

// trust is what devices are given to trust the door.
func (r *rig) trust() *x509.CertPool {
	pool := x509.NewCertPool()
	if anchor, err := bootstrap.TrustAnchor(filepath.Join(r.dir, "bootstrap.pem")); err == nil {
		pool.AppendCertsFromPEM(anchor)
	}
	return pool
}

const newSwitch, newSerial = "th-sw-09", "HY24-70001"

// startWharf is the terminal with one more switch, which is still in its crate.
func startWharf(t testing.TB) *rig {
	t.Helper()
	plant := standin.TernHaven()
	i := slices.IndexFunc(plant.Devices, func(d standin.DeviceSpec) bool { return d.Name == "th-sw-02" })
	crated := plant.Devices[i]
	crated.Name, crated.Serial, crated.Loopback, crated.Crated, crated.BootSeconds = newSwitch, newSerial, "127.20.0.19", true, 0
	plant.Devices = append(plant.Devices, crated)
	plant.Cables = append(plant.Cables, standin.CableSpec{A: "th-sw-02:1/1/26", B: newSwitch + ":1/1/25"})
	d := newDoors(t)
	r := &rig{dir: t.TempDir(), Client: &client.Client{}, doors: d}
	w, err := standin.New(plant, standin.Options{User: deviceUser, Password: devicePassword, Bootstrap: func() (standin.Bootstrap, error) {
		return standin.Bootstrap{Base: "https://" + d.base, Trust: r.trust()}, nil
	}})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	r.world = w
	r.furnish(t)
	return r
}

func (r *rig) claim(t testing.TB, c v1.Claim) string {
	t.Helper()
	results, err := r.Claim(t.Context(), []v1.Claim{c})
	require.NoError(t, err)
	require.Len(t, results.Items, 1)
	return results.Items[0].Problem
}

func (r *rig) connected(t testing.TB, name string) v1.DeviceDetail {
	t.Helper()
	var d v1.DeviceDetail
	require.Eventually(t, func() bool {
		var err error
		d, err = r.Device(t.Context(), name)
		return err == nil && d.Reach == "connected" && len(d.PortList) > 0
	}, waitLong, waitStep, "%s comes", name)
	return d
}

// The whole way: claimed and configured beforehand, taken out of its crate, it comes by itself, as what it was to be.
func TestClaimedDeviceComesAlone(t *testing.T) {
	t.Parallel()
	r := startWharf(t)
	require.Empty(t, r.claim(t, v1.Claim{Serial: newSerial, Name: newSwitch, Site: "tern-haven", Like: "th-sw-02", Particulars: v1.Particulars{Tags: []string{"quay"}, Rack: "Q1"},
		Edits: []v1.Edit{{Port: newSwitch + ":1/1/7", Field: "description", Value: "Quay kiosk"}, {Port: newSwitch + ":1/1/7", Field: "vlan", Value: "40"}, {Port: newSwitch + ":1/1/8", Field: "poe", Value: "off"}}}))
	list, err := r.Claims(t.Context())
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	assert.Equal(t, "expected", list.Items[0].Step)

	require.NoError(t, r.world.Throw(standin.Unpack, newSwitch))
	d := r.connected(t, newSwitch)
	assert.Equal(t, newSerial, d.Serial)
	assert.True(t, d.CallsHome)
	assert.Equal(t, []string{"quay"}, d.Tags)
	assert.Equal(t, "Q1", d.Rack)
	assert.Equal(t, "ada", d.EnrolledBy)
	assert.Equal(t, 10, d.ManagementVLAN)
	ports := map[string]v1.Port{}
	for _, p := range d.PortList {
		ports[p.Port] = p
	}
	assert.Equal(t, "Quay kiosk", ports["1/1/7"].Description)
	assert.Equal(t, 40, ports["1/1/7"].AccessVLAN)
	assert.False(t, ports["1/1/8"].PoE)
	assert.Equal(t, 30, ports["1/1/10"].AccessVLAN, "as on the switch that it is like")
	assert.Empty(t, ports["1/1/10"].Description, "but its phones are not that one's")
	assert.Equal(t, "trunk", ports["1/1/25"].Mode)
	list, err = r.Claims(t.Context())
	require.NoError(t, err)
	assert.Empty(t, list.Items)
	running := string(r.world.Running(newSwitch).Bytes())
	assert.Contains(t, running, "<hostname>"+newSwitch+"</hostname>")
	assert.NotContains(t, running, "10.20.10.12", "the address of the other is not its own")

	// It is a device like any other: it can be changed on trial, comes back after a restart of the service, and of itself.
	c := r.draft(t, [3]string{newSwitch + ":1/1/5", "vlan", "40"})
	c, err = r.Push(t.Context(), c.Number, c.Revision, v1.PushRequest{TrialSeconds: 30})
	require.NoError(t, err)
	r.until(t, c.Number, "on-trial")
	_, err = r.Keep(t.Context(), c.Number)
	require.NoError(t, err)
	r.until(t, c.Number, "kept")
	r.restart(t)
	d = r.connected(t, newSwitch)
	require.NoError(t, r.world.Throw(standin.Reboot, newSwitch))
	require.Eventually(t, func() bool {
		again, err := r.Device(t.Context(), newSwitch)
		return err == nil && again.BootedAt.After(d.BootedAt) && again.Reach == "connected"
	}, waitLong, waitStep)
}

func TestUnclaimedDeviceWaitsUntilItIsClaimed(t *testing.T) {
	t.Parallel()
	r := startWharf(t)
	require.NoError(t, r.world.Throw(standin.Unpack, newSwitch))
	require.Empty(t, r.claim(t, v1.Claim{Serial: newSerial, Name: newSwitch, Site: "tern-haven", Like: "th-sw-02"}))
	r.connected(t, newSwitch)
}

func TestReplacementTakesNamePlaceAndConfiguration(t *testing.T) {
	t.Parallel()
	r := startWharf(t)
	require.NoError(t, r.Describe(t.Context(), "th-sw-02", v1.DeviceDescription{Site: "tern-haven", Particulars: v1.Particulars{Rack: "T2", Notes: "by the window"}}))
	before, err := r.Device(t.Context(), "th-sw-02")
	require.NoError(t, err)
	assert.Contains(t, r.claim(t, v1.Claim{Serial: newSerial, Replaces: "th-sw-02", Name: "another"}), "gets that one's name")
	require.NoError(t, r.PutRole(t.Context(), "packer", v1.RoleRequest{Rules: []v1.Rule{{Sentence: "allow see, operate on devices"}}}))
	for what, c := range map[string]v1.Claim{ // the new one would be handed what he may not see
		"as replacement": {Serial: newSerial, Replaces: "th-sw-02"}, "to be like": {Serial: newSerial, Name: newSwitch, Site: "tern-haven", Like: "th-sw-02"}} {
		results, err := r.as(t, "packer-"+what[:2], "packer").Claim(t.Context(), []v1.Claim{c})
		require.NoError(t, err, what)
		require.Contains(t, results.Items[0].Problem, "see configuration", what)
	}
	require.Empty(t, r.claim(t, v1.Claim{Serial: newSerial, Replaces: "th-sw-02"}))
	require.NoError(t, r.world.Throw(standin.Unpack, newSwitch))
	var d v1.DeviceDetail
	require.Eventually(t, func() bool {
		d, err = r.Device(t.Context(), "th-sw-02")
		return err == nil && d.Serial == newSerial && d.Reach == "connected"
	}, waitLong, waitStep)
	assert.Equal(t, "T2", d.Rack)
	assert.Equal(t, "by the window", d.Notes)
	for i, p := range d.PortList {
		was := before.PortList[i]
		assert.Equal(t, []any{was.Port, was.Description, was.Mode, was.AccessVLAN, was.TrunkVLANs, was.PoE, was.Enabled}, []any{p.Port, p.Description, p.Mode, p.AccessVLAN, p.TrunkVLANs, p.PoE, p.Enabled})
	}
	devices, err := r.Devices(t.Context(), client.Query{})
	require.NoError(t, err)
	assert.Equal(t, 5, devices.Total, "there is one in place of the other")
	r.restart(t)
	r.connected(t, "th-sw-02")
}

// A device breaks for good. Its successor, claimed in its place and unpacked there, does all that the old one did.
func TestBrokenDeviceIsReplacedWhereItStood(t *testing.T) {
	t.Parallel()
	r := startWharf(t)
	before := r.connected(t, "th-sw-02")
	require.NoError(t, r.world.Throw(standin.Break, "th-sw-02"))
	require.Error(t, r.world.Throw(standin.Break, "th-sw-02"), "it is in its crate")
	require.Eventually(t, func() bool {
		d, err := r.Device(t.Context(), "th-sw-02")
		return err == nil && d.Reach != "connected"
	}, waitLong, waitStep)
	serial := r.world.Crated()["th-sw-02"]
	require.NotEmpty(t, serial)
	require.NotEqual(t, before.Serial, serial)
	require.Empty(t, r.claim(t, v1.Claim{Serial: serial, Replaces: "th-sw-02"}))
	require.NoError(t, r.world.Throw(standin.Unpack, "th-sw-02"))
	require.Eventually(t, func() bool {
		d, err := r.Device(t.Context(), "th-sw-02")
		return err == nil && d.Reach == "connected" && d.Serial == serial && len(d.PortList) == len(before.PortList)
	}, waitLong, waitStep)
	after := r.connected(t, "th-sw-02")
	for i, p := range after.PortList {
		was := before.PortList[i]
		assert.Equal(t, []any{was.Port, was.Description, was.Mode, was.AccessVLAN, was.TrunkVLANs, was.PoE, was.Enabled}, []any{p.Port, p.Description, p.Mode, p.AccessVLAN, p.TrunkVLANs, p.PoE, p.Enabled})
	}
	require.Eventually(t, func() bool { // and what is plugged in works as before
		links, err := r.Links(t.Context(), client.Query{Where: "name = th-sw-02 and link.kind = cable"})
		return err == nil && len(links.Items) > 0 && !slices.ContainsFunc(links.Items, func(l v1.Link) bool { return l.Health != "well" })
	}, waitLong, waitStep)
	r.keep(t, r.draft(t, [3]string{"th-sw-02:1/1/7", "vlan", "40"}))
	r.restart(t)
	r.connected(t, "th-sw-02")
	require.NoError(t, r.world.Throw(standin.Tinker, "th-sw-02:1/1/8"))
	for _, d := range r.drifted(t, "th-sw-02", 2).Differences { // no more than that: neither what its maker put in nor the user of the service
		assert.Equal(t, "th-sw-02:1/1/8", d.On)
	}
}

func TestClaimsThatAreRefused(t *testing.T) {
	t.Parallel()
	r := startWharf(t)
	good := v1.Claim{Serial: newSerial, Name: newSwitch, Site: "tern-haven", Like: "th-sw-02"}
	for want, change := range map[string]func(*v1.Claim){
		"is no serial number":             func(c *v1.Claim) { c.Serial = "x y" },
		"is in service already":           func(c *v1.Claim) { c.Serial = "HY24-11902" },
		"there is no site":                func(c *v1.Claim) { c.Site = "nowhere" },
		"there is a device th-sw-01":      func(c *v1.Claim) { c.Name = "th-sw-01" },
		"device th-sw-77: not found":      func(c *v1.Claim) { c.Like = "th-sw-77" },
		"has no port 9/9/9":               func(c *v1.Claim) { c.Edits = []v1.Edit{{Port: newSwitch + ":9/9/9", Field: "vlan", Value: "40"}} },
		"device th-sw-77":                 func(c *v1.Claim) { c.Replaces, c.Name, c.Like = "th-sw-77", "", "" },
		"is no tag: use small":            func(c *v1.Claim) { c.Tags = []string{"Not A Tag"} },
		"unknown setting \"colour\" of a": func(c *v1.Claim) { c.Edits = []v1.Edit{{Port: newSwitch + ":1/1/1", Field: "colour", Value: "red"}} },
	} {
		bad := good
		change(&bad)
		assert.Contains(t, r.claim(t, bad), want)
	}
	require.Empty(t, r.claim(t, good))
	assert.Contains(t, r.claim(t, good), "is claimed already")
	require.NoError(t, r.DropClaim(t.Context(), newSerial))
	problem(t, r.DropClaim(t.Context(), newSerial), http.StatusNotFound, v1.ProblemNotFound, newSerial)
	coral := r.confine(t, "coral", "technician", "site = kelp-bay")
	results, err := coral.Claim(t.Context(), []v1.Claim{good})
	require.NoError(t, err)
	assert.Contains(t, results.Items[0].Problem, "not the right to operate devices at tern-haven")
}

// Nobody is told what a device is to be but a device with a certificate of its maker; and whoever calls with a key that
// nobody was told of is not logged in to.
func TestStrangersAreNotAnswered(t *testing.T) {
	t.Parallel()
	r := startWharf(t)
	require.Empty(t, r.claim(t, v1.Claim{Serial: newSerial, Name: newSwitch, Site: "tern-haven", Like: "th-sw-02"}))
	require.Eventually(t, func() bool {
		_, err := bootstrap.TrustAnchor(filepath.Join(r.dir, "bootstrap.pem"))
		return err == nil
	}, waitLong, waitStep)
	c := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: r.trust(), MinVersion: tls.VersionTLS12}}}
	resp, err := c.Post("https://"+r.doors.base+"/restconf/operations/ietf-sztp-bootstrap-server:get-bootstrapping-data", "application/yang-data+json", strings.NewReader(`{}`))
	if err == nil {
		_ = resp.Body.Close()
	}
	require.ErrorContains(t, err, "certificate required")

	nc, err := net.Dial("tcp", r.doors.home)
	require.NoError(t, err)
	defer func() { _ = nc.Close() }()
	_, err = nc.Write([]byte("nonsense\r\n"))
	require.NoError(t, err)
	require.NoError(t, nc.SetReadDeadline(time.Now().Add(waitLong)))
	_, _ = io.Copy(io.Discard, nc) // until it is hung up
	claims, err := r.Claims(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "expected", claims.Items[0].Step)
}

func TestDeviceIsRenamedWithAllThatIsKept(t *testing.T) {
	t.Parallel()
	r := startRig(t, startWorld(t))
	c := r.draft(t, [3]string{printer, "vlan", "40"})
	problem(t, r.Rename(t.Context(), "th-sw-02", "th-sw-22"), http.StatusConflict, v1.ProblemInUse, "is open on th-sw-02")
	require.NoError(t, r.Discard(t.Context(), c.Number))
	problem(t, r.Rename(t.Context(), "th-sw-02", "th-sw-01"), http.StatusConflict, v1.ProblemExists, "there is a device th-sw-01 already")
	problem(t, r.Rename(t.Context(), "th-sw-02", "Not A Name"), http.StatusUnprocessableEntity, v1.ProblemInvalid, "")
	require.NoError(t, r.Rename(t.Context(), "th-sw-02", "th-sw-22"))
	require.NoError(t, r.Rename(t.Context(), "th-edge-01", "th-edge-11"))
	r.connected(t, "th-sw-22")
	_, err := r.Device(t.Context(), "th-sw-02")
	problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "")
	sites, err := r.Sites(t.Context(), client.Query{})
	require.NoError(t, err)
	assert.Equal(t, "th-edge-11", sites.Items[0].Entry)
	log, err := r.Log(t.Context(), "", 1000)
	require.NoError(t, err)
	for _, e := range log.Items {
		assert.NotEqual(t, "th-sw-02", e.Device, e.Text)
	}
	r.restart(t)
	d := r.connected(t, "th-sw-22")
	assert.NotEmpty(t, d.PortList)
	sw1 := r.connected(t, "th-sw-01")
	for _, p := range sw1.PortList {
		if p.Port == "1/1/49" {
			require.NotNil(t, p.Peer)
			assert.Equal(t, "th-sw-22", p.Peer.Device, "its neighbours know it by its own name, we by ours")
		}
	}
}
