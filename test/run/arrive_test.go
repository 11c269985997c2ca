package run_test

import (
	"crypto/tls"
	"io"
	"net"
	"net/http"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/bootstrap"
	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/rig"
)

// The whole way: claimed and configured beforehand, taken out of its crate, it comes by itself, as what it was to be.
func TestClaimedDeviceComesAlone(t *testing.T) {
	t.Parallel()
	r := rig.StartWharf(t)
	require.Empty(t, r.ClaimOne(t, v1.Claim{Serial: rig.NewSerial, Name: rig.NewSwitch, Site: "tern-haven", Like: "th-sw-02", Particulars: v1.Particulars{Tags: []string{"quay"}, Rack: "Q1"},
		Edits: []v1.Edit{{Port: rig.NewSwitch + ":1/1/7", Field: "description", Value: "Quay kiosk"}, {Port: rig.NewSwitch + ":1/1/7", Field: "vlan", Value: "40"}, {Port: rig.NewSwitch + ":1/1/8", Field: "poe", Value: "off"}}}))
	list, err := r.Claims(t.Context())
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	assert.Equal(t, "expected", list.Items[0].Step)

	require.NoError(t, r.World.Throw(standin.Unpack, rig.NewSwitch))
	d := r.Connected(t, rig.NewSwitch)
	assert.Equal(t, rig.NewSerial, d.Serial)
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
	running := string(r.World.Running(rig.NewSwitch).Bytes())
	assert.Contains(t, running, "<hostname>"+rig.NewSwitch+"</hostname>")
	assert.NotContains(t, running, "10.20.10.12", "the address of the other is not its own")

	// It is a device like any other: it can be changed on trial, comes back after a restart of the service, and of itself.
	c := r.Draft(t, [3]string{rig.NewSwitch + ":1/1/5", "vlan", "40"})
	c, err = r.Push(t.Context(), c.Number, c.Revision, v1.PushRequest{TrialSeconds: 30})
	require.NoError(t, err)
	r.Until(t, c.Number, "on-trial")
	_, err = r.Keep(t.Context(), c.Number)
	require.NoError(t, err)
	r.Until(t, c.Number, "kept")
	r.Restart(t)
	d = r.Connected(t, rig.NewSwitch)
	require.NoError(t, r.World.Throw(standin.Reboot, rig.NewSwitch))
	require.Eventually(t, func() bool {
		again, err := r.Device(t.Context(), rig.NewSwitch)
		return err == nil && again.BootedAt.After(d.BootedAt) && again.Reach == "connected"
	}, rig.WaitLong, rig.WaitStep)
}

func TestUnclaimedDeviceWaitsUntilItIsClaimed(t *testing.T) {
	t.Parallel()
	r := rig.StartWharf(t)
	require.NoError(t, r.World.Throw(standin.Unpack, rig.NewSwitch))
	require.Empty(t, r.ClaimOne(t, v1.Claim{Serial: rig.NewSerial, Name: rig.NewSwitch, Site: "tern-haven", Like: "th-sw-02"}))
	r.Connected(t, rig.NewSwitch)
}

func TestReplacementTakesNamePlaceAndConfiguration(t *testing.T) {
	t.Parallel()
	r := rig.StartWharf(t)
	require.NoError(t, r.Describe(t.Context(), "th-sw-02", v1.DeviceDescription{Site: "tern-haven", Particulars: v1.Particulars{Rack: "T2", Notes: "by the window"}}))
	before, err := r.Device(t.Context(), "th-sw-02")
	require.NoError(t, err)
	assert.Contains(t, r.ClaimOne(t, v1.Claim{Serial: rig.NewSerial, Replaces: "th-sw-02", Name: "another"}), "gets that one's name")
	require.NoError(t, r.PutRole(t.Context(), "packer", v1.RoleRequest{Rules: []v1.Rule{{Sentence: "allow see, operate on devices"}}}))
	for what, c := range map[string]v1.Claim{ // the new one would be handed what he may not see
		"as replacement": {Serial: rig.NewSerial, Replaces: "th-sw-02"}, "to be like": {Serial: rig.NewSerial, Name: rig.NewSwitch, Site: "tern-haven", Like: "th-sw-02"}} {
		results, err := r.As(t, "packer-"+what[:2], "packer").Claim(t.Context(), []v1.Claim{c})
		require.NoError(t, err, what)
		require.Contains(t, results.Items[0].Problem, "see configuration", what)
	}
	require.Empty(t, r.ClaimOne(t, v1.Claim{Serial: rig.NewSerial, Replaces: "th-sw-02"}))
	require.NoError(t, r.World.Throw(standin.Unpack, rig.NewSwitch))
	var d v1.DeviceDetail
	require.Eventually(t, func() bool {
		d, err = r.Device(t.Context(), "th-sw-02")
		return err == nil && d.Serial == rig.NewSerial && d.Reach == "connected"
	}, rig.WaitLong, rig.WaitStep)
	assert.Equal(t, "T2", d.Rack)
	assert.Equal(t, "by the window", d.Notes)
	for i, p := range d.PortList {
		was := before.PortList[i]
		assert.Equal(t, []any{was.Port, was.Description, was.Mode, was.AccessVLAN, was.TrunkVLANs, was.PoE, was.Enabled}, []any{p.Port, p.Description, p.Mode, p.AccessVLAN, p.TrunkVLANs, p.PoE, p.Enabled})
	}
	devices, err := r.Devices(t.Context(), client.Query{})
	require.NoError(t, err)
	assert.Equal(t, 5, devices.Total, "there is one in place of the other")
	r.Restart(t)
	r.Connected(t, "th-sw-02")
}

// A device breaks for good. Its successor, claimed in its place and unpacked there, does all that the old one did.
func TestBrokenDeviceIsReplacedWhereItStood(t *testing.T) {
	t.Parallel()
	r := rig.StartWharf(t)
	before := r.Connected(t, "th-sw-02")
	require.NoError(t, r.World.Throw(standin.Break, "th-sw-02"))
	require.Error(t, r.World.Throw(standin.Break, "th-sw-02"), "it is in its crate")
	require.Eventually(t, func() bool {
		d, err := r.Device(t.Context(), "th-sw-02")
		return err == nil && d.Reach != "connected"
	}, rig.WaitLong, rig.WaitStep)
	serial := r.World.Crated()["th-sw-02"]
	require.NotEmpty(t, serial)
	require.NotEqual(t, before.Serial, serial)
	require.Empty(t, r.ClaimOne(t, v1.Claim{Serial: serial, Replaces: "th-sw-02"}))
	require.NoError(t, r.World.Throw(standin.Unpack, "th-sw-02"))
	require.Eventually(t, func() bool {
		d, err := r.Device(t.Context(), "th-sw-02")
		return err == nil && d.Reach == "connected" && d.Serial == serial && len(d.PortList) == len(before.PortList)
	}, rig.WaitLong, rig.WaitStep)
	after := r.Connected(t, "th-sw-02")
	for i, p := range after.PortList {
		was := before.PortList[i]
		assert.Equal(t, []any{was.Port, was.Description, was.Mode, was.AccessVLAN, was.TrunkVLANs, was.PoE, was.Enabled}, []any{p.Port, p.Description, p.Mode, p.AccessVLAN, p.TrunkVLANs, p.PoE, p.Enabled})
	}
	require.Eventually(t, func() bool { // and what is plugged in works as before
		links, err := r.Links(t.Context(), client.Query{Where: "name = th-sw-02 and link.kind = cable"})
		return err == nil && len(links.Items) > 0 && !slices.ContainsFunc(links.Items, func(l v1.Link) bool { return l.Health != "well" })
	}, rig.WaitLong, rig.WaitStep)
	r.PushAndKeep(t, r.Draft(t, [3]string{"th-sw-02:1/1/7", "vlan", "40"}))
	r.Restart(t)
	r.Connected(t, "th-sw-02")
	require.NoError(t, r.World.Throw(standin.Tinker, "th-sw-02:1/1/8"))
	for _, d := range r.Drifted(t, "th-sw-02", 2).Differences { // no more than that: neither what its maker put in nor the user of the service
		assert.Equal(t, "th-sw-02:1/1/8", d.On)
	}
}

func TestClaimsThatAreRefused(t *testing.T) {
	t.Parallel()
	r := rig.StartWharf(t)
	good := v1.Claim{Serial: rig.NewSerial, Name: rig.NewSwitch, Site: "tern-haven", Like: "th-sw-02"}
	for want, change := range map[string]func(*v1.Claim){
		"is no serial number":        func(c *v1.Claim) { c.Serial = "x y" },
		"is in service already":      func(c *v1.Claim) { c.Serial = "HY24-11902" },
		"there is no site":           func(c *v1.Claim) { c.Site = "nowhere" },
		"there is a device th-sw-01": func(c *v1.Claim) { c.Name = "th-sw-01" },
		"device th-sw-77: not found": func(c *v1.Claim) { c.Like = "th-sw-77" },
		"has no port 9/9/9":          func(c *v1.Claim) { c.Edits = []v1.Edit{{Port: rig.NewSwitch + ":9/9/9", Field: "vlan", Value: "40"}} },
		"device th-sw-77":            func(c *v1.Claim) { c.Replaces, c.Name, c.Like = "th-sw-77", "", "" },
		"is no tag: use small":       func(c *v1.Claim) { c.Tags = []string{"Not A Tag"} },
		"unknown setting \"colour\" of a": func(c *v1.Claim) {
			c.Edits = []v1.Edit{{Port: rig.NewSwitch + ":1/1/1", Field: "colour", Value: "red"}}
		},
	} {
		bad := good
		change(&bad)
		assert.Contains(t, r.ClaimOne(t, bad), want)
	}
	require.Empty(t, r.ClaimOne(t, good))
	assert.Contains(t, r.ClaimOne(t, good), "is claimed already")
	require.NoError(t, r.DropClaim(t.Context(), rig.NewSerial))
	rig.Problem(t, r.DropClaim(t.Context(), rig.NewSerial), http.StatusNotFound, v1.ProblemNotFound, rig.NewSerial)
	coral := r.Confine(t, "coral", "technician", "site = kelp-bay")
	results, err := coral.Claim(t.Context(), []v1.Claim{good})
	require.NoError(t, err)
	assert.Contains(t, results.Items[0].Problem, "not the right to operate devices at tern-haven")
}

// Nobody is told what a device is to be but a device with a certificate of its maker; and whoever calls with a key that
// nobody was told of is not logged in to.
func TestStrangersAreNotAnswered(t *testing.T) {
	t.Parallel()
	r := rig.StartWharf(t)
	require.Empty(t, r.ClaimOne(t, v1.Claim{Serial: rig.NewSerial, Name: rig.NewSwitch, Site: "tern-haven", Like: "th-sw-02"}))
	require.Eventually(t, func() bool {
		_, err := bootstrap.TrustAnchor(filepath.Join(r.Dir, "bootstrap.pem"))
		return err == nil
	}, rig.WaitLong, rig.WaitStep)
	c := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: r.Trust(), MinVersion: tls.VersionTLS12}}}
	resp, err := c.Post("https://"+r.Doors.Base+"/restconf/operations/ietf-sztp-bootstrap-server:get-bootstrapping-data", "application/yang-data+json", strings.NewReader(`{}`))
	if err == nil {
		_ = resp.Body.Close()
	}
	require.ErrorContains(t, err, "certificate required")

	nc, err := net.Dial("tcp", r.Doors.Home)
	require.NoError(t, err)
	defer func() { _ = nc.Close() }()
	_, err = nc.Write([]byte("SSH-2.0-gull\r\n" + strings.Repeat("nonsense", 20)))
	require.NoError(t, err)
	require.NoError(t, nc.SetReadDeadline(time.Now().Add(rig.WaitLong)))
	_, _ = io.Copy(io.Discard, nc) // until it is hung up
	claims, err := r.Claims(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "expected", claims.Items[0].Step)
}

func TestDeviceIsRenamedWithAllThatIsKept(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"})
	rig.Problem(t, r.Rename(t.Context(), "th-sw-02", "th-sw-22"), http.StatusConflict, v1.ProblemInUse, "is open on th-sw-02")
	require.NoError(t, r.Discard(t.Context(), c.Number))
	rig.Problem(t, r.Rename(t.Context(), "th-sw-02", "th-sw-01"), http.StatusConflict, v1.ProblemExists, "there is a device th-sw-01 already")
	rig.Problem(t, r.Rename(t.Context(), "th-sw-02", "Not A Name"), http.StatusUnprocessableEntity, v1.ProblemInvalid, "")
	require.NoError(t, r.Rename(t.Context(), "th-sw-02", "th-sw-22"))
	require.NoError(t, r.Rename(t.Context(), "th-edge-01", "th-edge-11"))
	r.Connected(t, "th-sw-22")
	_, err := r.Device(t.Context(), "th-sw-02")
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "")
	sites, err := r.Sites(t.Context(), client.Query{})
	require.NoError(t, err)
	assert.Equal(t, "th-edge-11", sites.Items[0].Entry)
	log, err := r.Log(t.Context(), "", 1000)
	require.NoError(t, err)
	for _, e := range log.Items {
		assert.NotEqual(t, "th-sw-02", e.Device, e.Text)
	}
	r.Restart(t)
	d := r.Connected(t, "th-sw-22")
	assert.NotEmpty(t, d.PortList)
	sw1 := r.Connected(t, "th-sw-01")
	for _, p := range sw1.PortList {
		if p.Port == "1/1/49" {
			require.NotNil(t, p.Peer)
			assert.Equal(t, "th-sw-22", p.Peer.Device, "its neighbours know it by its own name, we by ours")
		}
	}
}
