package between_test

import (
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
	"example.net/everypost/internal/wire/xmlnode"
)

// tunnelOf waits until a tunnel is as it is wanted.
func tunnelOf(t *testing.T, r *rig.Rig, device, name string, is func(v1.JoinedTunnel) bool) (out v1.JoinedTunnel) {
	t.Helper()
	var saw []v1.JoinedTunnel
	require.Eventually(t, func() bool {
		list, err := r.Tunnels(t.Context(), "name = "+device)
		require.NoError(t, err)
		saw = nil
		for _, one := range list.Items {
			if one.Name == name {
				out = one
				saw = append(saw, one)
				return is(one)
			}
		}
		return false
	}, rig.WaitLong, rig.WaitStep, "it is %+v", saw)
	return out
}

func up(one v1.JoinedTunnel) bool   { return one.Up }
func down(one v1.JoinedTunnel) bool { return !one.Up && len(one.Why) > 0 }

// kept pushes what a draft holds and keeps it, whatever the guards warn of.
func kept(t *testing.T, r *rig.Rig, number int64) {
	t.Helper()
	c, err := r.Check(t.Context(), number)
	require.NoError(t, err)
	_, err = r.Push(t.Context(), number, 0, v1.PushRequest{TrialSeconds: 60, Accept: rig.Findings(c)})
	require.NoError(t, err)
	r.Until(t, number, "on-trial")
	_, err = r.Keep(t.Context(), number)
	require.NoError(t, err)
	r.Until(t, number, "kept")
}

// Two edges are joined in one draft: both ends come up, carry, say why when they do not, and go again together. By all doors.
func TestEdgesAreJoined(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "hh-edge-01", "hh-edge-01", "hh-edge-02", "ng-edge-01", "ng-sw-01", "ol-edge-01")
	c := rig.SignedIn(t, r)
	tunnelOf(t, r, "ng-edge-01", "ng-fibre-hub1", up)

	tried := c.Good("tunnel", "join", "ng-edge-01", "ol-edge-01", "--try")
	assert.Regexp(t, `ng-edge-01-ol-edge-01 +ng-edge-01:wan1 +ol-edge-01:wan1`, tried.Out, "over the ports over which calls are best")
	changes, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, changes.Items, "it was only tried")

	plan, err := r.PlanTunnels(t.Context(), v1.TunnelPlanRequest{A: "ng-edge-01:wan1", B: "ol-edge-01", Name: "straight", Group: "31", Purpose: "calls"})
	require.NoError(t, err)
	require.Equal(t, []v1.PlannedTunnel{{Name: "straight", A: "ng-edge-01:wan1", B: "ol-edge-01:wan1"}}, plan.Tunnels)
	require.NotNil(t, plan.Answer.Change)
	var keys []string
	for _, e := range plan.Answer.Change.Edits {
		if e.Field == "tunnel-secret" {
			keys = append(keys, e.Value)
		}
	}
	require.Len(t, keys, 2)
	assert.Equal(t, keys[0], keys[1], "both ends have one key")
	assert.Regexp(t, `^secret:[0-9a-f]{24}$`, keys[0], "and nobody sees it")
	checked, err := r.Check(t.Context(), plan.Answer.Change.Number)
	require.NoError(t, err)
	assert.Empty(t, checked.Findings)
	kept(t, r, plan.Answer.Change.Number)
	one := tunnelOf(t, r, "ng-edge-01", "straight", up)
	assert.Equal(t, [4]string{"ng-edge-01", "wan1", "31", "calls"}, [4]string{one.Near.Device, one.Near.Port, one.Group, one.Purpose})
	assert.Equal(t, "ol-edge-01", one.Far.Device)
	assert.Equal(t, one.To, one.Far.Address)
	again, err := r.PlanTunnels(t.Context(), v1.TunnelPlanRequest{A: "ol-edge-01:wan1", B: "ng-edge-01:wan1"})
	require.NoError(t, err)
	assert.Equal(t, v1.TunnelPlan{Tunnels: []v1.PlannedTunnel{}, There: 1}, again, "they are joined already")

	// Packets take it now.
	trace := c.Good("traceroute", "ng-edge-01", "ol-edge-01")
	assert.NotContains(t, trace.Out, "hh-edge", "straight, and over no hub")

	// Somebody at an edge gives it another key: both say so, and what to do.
	const wan = "urn:everypost:yang:ep-wan"
	require.NoError(t, r.World.Edit("ol-edge-01", "at the device", []*xmlnode.Node{xmlnode.New(wan, "ikev2", xmlnode.New(wan, "conn-entry", xmlnode.Leaf(wan, "name", "straight"), xmlnode.Leaf(wan, "pre-shared-key", "what somebody made up himself")))}))
	one = tunnelOf(t, r, "ng-edge-01", "straight", func(one v1.JoinedTunnel) bool {
		return down(one) && strings.Contains(one.Why[0], "different pre-shared keys") && one.Near.Fault != ""
	})
	assert.Equal(t, []string{"ng-edge-01 and ol-edge-01 have different pre-shared keys: set tunnel-secret alike at both."}, one.Why)
	assert.Equal(t, "authentication-failed", one.Near.Fault)
	assert.Contains(t, c.Good("tunnels", "name", "=", "ng-edge-01").Out, "straight at ng-edge-01 is down. ng-edge-01 and ol-edge-01 have different")

	// An edge that is gone.
	require.NoError(t, r.World.Throw(standin.PowerLoss, "ol-edge-01"))
	tunnelOf(t, r, "ng-edge-01", "straight", func(one v1.JoinedTunnel) bool {
		return down(one) && one.Why[0] == "ol-edge-01 is away: look there first."
	})
	require.NoError(t, r.World.Throw(standin.Recover, "ol-edge-01"))
	r.AwaitAll(t)

	removed := c.Good("tunnel", "remove", "ol-edge-01", "straight")
	assert.Contains(t, removed.Out+removed.Err, "2 set")
	changes, err = r.Changes(t.Context(), "")
	require.NoError(t, err)
	i := slices.IndexFunc(changes.Items, func(c v1.Change) bool { return c.State == "draft" })
	require.GreaterOrEqual(t, i, 0)
	kept(t, r, changes.Items[i].Number)
	require.Eventually(t, func() bool {
		list, err := r.Tunnels(t.Context(), "")
		require.NoError(t, err)
		return !slices.ContainsFunc(list.Items, func(x v1.JoinedTunnel) bool { return x.Name == "straight" })
	}, rig.WaitLong, rig.WaitStep)
}

// Hubs and spokes, meshes, another house, what cannot be, and who may.
func TestManyTunnels(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "hh-edge-01", "hh-edge-01", "hh-edge-02", "ng-edge-01", "ng-sw-01", "ol-edge-01")
	c := rig.SignedIn(t, r)
	tunnelOf(t, r, "ng-edge-01", "ng-fibre-hub1", up)
	mesh, err := r.PlanTunnels(t.Context(), v1.TunnelPlanRequest{Mesh: "kind = edge", Try: true})
	require.NoError(t, err)
	assert.Len(t, mesh.Tunnels, 2, "%v", mesh.Tunnels)
	assert.Equal(t, 4, mesh.There, "each spoke with each hub")
	assert.Nil(t, mesh.Answer)
	spokes := c.Good("tunnel", "spokes", "--hubs", "name = ng-edge-01", "name ~ *-edge-*")
	assert.Contains(t, spokes.Out+spokes.Err, "2 set")
	for says, in := range map[string]v1.TunnelPlanRequest{
		"ng-edge-01 cannot have a tunnel to itself":         {A: "ng-edge-01", B: "ng-edge-01:wan1"},
		"ng-sw-01 is no edge that can have tunnels":         {A: "ng-edge-01", B: "ng-sw-01"},
		"ng-edge-01:lan1 has no address: is it a port to a": {A: "ng-edge-01:lan1", B: "ol-edge-01"},
		"nowhere: not found":                                {A: "ng-edge-01", B: "nowhere"},
		"say either a and b, or hubs and spokes, or mesh":   {A: "ng-edge-01"},
		"several tunnels cannot have one name":              {Mesh: "kind = edge", Name: "all"},
		`"kind = switch" picks no edge`:                     {Mesh: "kind = switch"},
		"ng-edge-01 has a tunnel ng-fibre-hub1 already":     {A: "ng-edge-01", B: "ol-edge-01", Name: "ng-fibre-hub1"},
		"name: ": {A: "ng-edge-01", B: "ol-edge-01", Name: "Not A Name"},
		"one of": {A: "ng-edge-01", B: "ol-edge-01", Encryption: "rot13"},
	} {
		_, err := r.PlanTunnels(t.Context(), in)
		require.ErrorContains(t, err, says)
	}
	for _, args := range [][]string{{"tunnel", "join", "ng-edge-01"}, {"tunnel", "spokes", "kind = edge"}, {"tunnel", "mesh"}} {
		assert.Equal(t, 2, c.Run("", args...).Code, args)
	}

	sheet := c.Good("tunnel", "sheet", "hh-edge-01", "customs").Out
	for _, want := range []string{"Your address        203.0.113.40", "ENCR_AES_CBC, 256 bits", "Key exchange group  20", "Your networks       10.77.0.0/24", "Our networks        10.1.40.0/24", "The pre-shared key is not on this sheet"} {
		assert.Contains(t, sheet, want)
	}
	kept(t, r, r.Draft(t, [3]string{"hh-edge-01:tunnel/customs", "tunnel-group", "31"}).Number)
	one := tunnelOf(t, r, "hh-edge-01", "customs", down)
	assert.True(t, one.Foreign)
	assert.Equal(t, []string{"customs-gate refuses hh-edge-01: it wants another encryption or key exchange group (no-proposal-chosen). Compare the sheet of the tunnel with its people."}, one.Why)

	viewer, near := r.As(t, "vera", "viewer"), r.Confine(t, "bram", "administrator", "name = ng-edge-01")
	_, err = viewer.PlanTunnels(t.Context(), v1.TunnelPlanRequest{A: "ng-edge-01", B: "ol-edge-01"})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "change ports")
	_, err = viewer.RemoveTunnel(t.Context(), v1.TunnelRemoval{Device: "ng-edge-01", Name: "ng-fibre-hub1"})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "change ports")
	own, err := near.Tunnels(t.Context(), "")
	require.NoError(t, err)
	require.NotEmpty(t, own.Items)
	for _, x := range own.Items {
		assert.Equal(t, "ng-edge-01", x.Near.Device)
		assert.Nil(t, x.Far, "it ends where he may not look")
		assert.Empty(t, x.To+x.Peer)
	}
	_, err = near.PlanTunnels(t.Context(), v1.TunnelPlanRequest{A: "ng-edge-01", B: "ol-edge-01"})
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "ol-edge-01")
	_, err = near.TunnelSheet(t.Context(), "hh-edge-01", "customs")
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "hh-edge-01")
	sheetOfOwn, err := near.TunnelSheet(t.Context(), "ng-edge-01", "ng-fibre-hub1")
	require.NoError(t, err)
	for _, l := range sheetOfOwn.Lines {
		assert.NotContains(t, l.Value, "hh-edge-01", l.What)
		assert.NotContains(t, l.Value, "198.18.0.6", l.What)
	}
	_, err = near.RemoveTunnel(t.Context(), v1.TunnelRemoval{Device: "ng-edge-01", Name: "ng-fibre-hub1"})
	require.Error(t, err, "the other end is not his to take away")
	_, err = r.TunnelSheet(t.Context(), "ng-edge-01", "nothing")
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "tunnel nothing of ng-edge-01")
}

// The service ends in the middle of a trial that has both ends of a tunnel exchange another key, over the very tunnel: both ends agree afterwards.
func TestBothEndsAgreeAfterTheServiceEnded(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "hh-edge-01", "hh-edge-01", "hh-edge-02", "ng-edge-01")
	tunnelOf(t, r, "ng-edge-01", "ng-fibre-hub1", up)
	edits := [][3]string{}
	for _, at := range []string{"ng-edge-01:tunnel/ng-fibre-hub1", "hh-edge-01:tunnel/ng-fibre-hub1", "ng-edge-01:tunnel/ng-fibre-hub2", "hh-edge-02:tunnel/ng-fibre-hub2"} {
		edits = append(edits, [3]string{at, "tunnel-encryption", "aes-gcm-128"})
	}
	c := r.Draft(t, edits...)
	_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 15, Accept: rig.Findings(c)})
	require.NoError(t, err)
	r.Until(t, c.Number, "pushing", "on-trial")
	r.Restart(t)
	end := r.Until(t, c.Number, "kept", "undone", "failed")
	one := tunnelOf(t, r, "ng-edge-01", "ng-fibre-hub1", up)
	assert.Equal(t, map[bool]string{true: "aes-gcm-128", false: "aes-gcm-256"}[end.State == "kept"], one.Encryption, end.State)
	tunnelOf(t, r, "ng-edge-01", "ng-fibre-hub2", func(x v1.JoinedTunnel) bool { return x.Up && x.Encryption == one.Encryption })
}

func TestTunnelsByConsole(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "hh-edge-01", "hh-edge-01", "hh-edge-02", "ng-edge-01", "ng-sw-01", "ol-edge-01")
	tunnelOf(t, r, "ng-edge-01", "ng-fibre-hub1", up)
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/between?view=tunnels"), browser.Shows("ng-fibre-hub1"), browser.Press("customs"), browser.Shows("203.0.113.40"), browser.Shows("The pre-shared key is not on this sheet"), rig.InDialog("Leave it"), rig.NoDialog,
		browser.Press("Join edges…"), browser.TypeInto("One edge", "ng-edge-01"), browser.TypeInto("The other edge", "ng-sw-01"), browser.Shows("ng-sw-01 is no edge that can have tunnels"),
		browser.On(`[...document.querySelectorAll("[role=dialog] label")].find(l => l.innerText === "The other edge")`, "document.getElementById(e.htmlFor).select()"), browser.TypeInto("The other edge", "ol-edge-01"),
		browser.TypeInto("Name", "straight"), browser.Shows("1 tunnel would be made."), rig.InDialog("Put it into a draft"), rig.NoDialog, browser.Shows("tunnel/straight"),
	))
	assert.Empty(t, b.Complaints)
}

// Two edges are joined on the map: one is picked, then the other, and what would be made is shown before it is drafted. Two sites likewise.
func TestEdgesAreJoinedOnTheMap(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "hh-edge-01", "hh-edge-01", "ng-edge-01", "ol-edge-01")
	tunnelOf(t, r, "ng-edge-01", "ng-fibre-hub1", up)
	tunnelOf(t, r, "ol-edge-01", "ol-fibre-hub1", up)
	for name, site := range map[string]string{"ng-edge-01": "northgate", "ol-edge-01": "oyster-landing"} {
		require.NoError(t, r.PutSite(t.Context(), site, v1.SiteRequest{Title: site, Entry: name}))
		require.NoError(t, r.Describe(t.Context(), name, v1.DeviceDescription{Site: site}))
	}
	spot := func(id string) chromedp.Action {
		return browser.On(`document.querySelector('.react-flow__node[data-id="`+id+`"]')`, "e.click()")
	}
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/map?scope=kind+%3D+edge"), spot("ng-edge-01"), browser.Press("Join to another edge…"), browser.Shows("Pick the edge to which"), spot("ol-edge-01"),
		browser.Shows("ng-edge-01-ol-edge-01"), rig.InDialog("Put it into a draft"), rig.NoDialog, browser.Shows("tunnel/ng-edge-01-ol-edge-01"),
	))
	changes, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	require.Len(t, changes.Items, 1)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/map"), spot("northgate"), browser.Press("Join to another site…"), browser.Shows("Pick the site to which"), browser.Press("Leave it"), spot("northgate"), browser.Press("Join to another site…"),
		spot("oyster-landing"), browser.Shows("ol-edge-01-ng-edge-01"), rig.InDialog("Leave it"), rig.NoDialog,
	))
	assert.Empty(t, b.Complaints)
}
