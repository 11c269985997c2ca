package between_test

import (
	"net/http"
	"slices"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// Tunnels are told as each end measures them, with how calls over them are; circuits with what goes through them. By all doors, within the rights.
func TestWhatLiesBetweenSites(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "hh-edge-01", "hh-edge-01", "hh-edge-02", "gs-edge-01")
	var paths v1.List[v1.Path]
	require.Eventually(t, func() bool {
		var err error
		paths, err = r.Paths(t.Context(), "name = gs-edge-01")
		require.NoError(t, err)
		return len(paths.Items) > 0 && paths.Items[0].Up && paths.Items[0].DelayMs > 0
	}, rig.WaitLong, rig.WaitStep)
	one := paths.Items[slices.IndexFunc(paths.Items, func(p v1.Path) bool { return p.Far == "hh-edge-02" })] // by which nothing here is reached
	assert.Greater(t, one.Rating, 50.0)
	assert.Less(t, one.Rating, 93.3)
	assert.Greater(t, one.Opinion, 2.5)
	in := v1.CircuitRequest{Device: "gs-edge-01", Port: one.Port, Provider: "Skylark Mobile", Kind: "cellular", DownMbps: 60, UpMbps: 20, CapGB: 100, Contract: "SM-20442"}
	c, err := r.PutCircuit(t.Context(), in)
	require.NoError(t, err)
	assert.Equal(t, in, c.CircuitRequest)
	assert.True(t, c.Up)
	assert.Contains(t, c.Tunnels, one.Tunnel)
	require.Eventually(t, func() bool { // what goes through is counted within this month
		list, err := r.Circuits(t.Context(), "")
		require.NoError(t, err)
		return len(list.Items) == 1 && list.Items[0].MonthOctets != nil && *list.Items[0].MonthOctets > 0 && list.Items[0].Standing != ""
	}, rig.WaitLong, rig.WaitStep)

	for says, bad := range map[string]v1.CircuitRequest{
		"port gs-edge-01:wan9: not found": {Device: "gs-edge-01", Port: "wan9", Provider: "p", Kind: "fibre"},
		"gs-edge-09: not found":           {Device: "gs-edge-09", Port: "wan1", Provider: "p", Kind: "fibre"},
		"one of":                          {Device: "gs-edge-01", Port: "wan1", Provider: "p", Kind: "string"},
		"is no port of another device":    {Device: "gs-edge-01", Port: one.Port, Provider: "p", Kind: "fibre", HandedAt: "gs-edge-01"},
		"port hh-edge-02:lan77":           {Device: "gs-edge-01", Port: one.Port, Provider: "p", Kind: "fibre", HandedAt: "hh-edge-02:lan77"},
		"<= 1e+06":                        {Device: "gs-edge-01", Port: "wan1", Provider: "p", Kind: "fibre", CapGB: 2e6},
		"provider: say whose it is":       {Device: "gs-edge-01", Port: "wan1", Provider: "  ", Kind: "fibre"},
	} {
		_, err := r.PutCircuit(t.Context(), bad)
		assert.ErrorContains(t, err, says)
	}
	// Where it is handed over is seen by who sees that device, and is not taken away by who does not.
	in.HandedAt = "hh-edge-02:lan2"
	_, err = r.PutCircuit(t.Context(), in)
	require.NoError(t, err)
	near := r.Confine(t, "petrel", "operator", "name = gs-edge-01")
	blind := in
	blind.HandedAt = ""
	c, err = near.PutCircuit(t.Context(), blind)
	require.NoError(t, err)
	assert.Empty(t, c.HandedAt)
	kept, err := r.Circuits(t.Context(), "")
	require.NoError(t, err)
	assert.Equal(t, "hh-edge-02:lan2", kept.Items[0].HandedAt)
	_, err = near.PutCircuit(t.Context(), in)
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "not found")
	in.HandedAt = ""

	afar := r.Confine(t, "esker", "operator", "name = hh-edge-01")
	none, err := afar.Circuits(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, none.Items)
	_, err = afar.PutCircuit(t.Context(), in)
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "not found")
	hub, err := afar.WhatIf(t.Context(), "hh-edge-01")
	require.NoError(t, err)
	assert.Empty(t, hub.Over, "those that are left end elsewhere")
	all, err := r.WhatIf(t.Context(), "hh-edge-01")
	require.NoError(t, err)
	assert.Contains(t, all.Over, one.Tunnel)
	own, err := afar.Paths(t.Context(), "")
	require.NoError(t, err)
	require.NotEmpty(t, own.Items)
	for _, p := range own.Items {
		assert.Equal(t, [2]string{"hh-edge-01", ""}, [2]string{p.Device, p.Far})
	}
	_, err = r.As(t, "coral", "viewer").PutCircuit(t.Context(), in)
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "operate devices")

	cli := rig.SignedIn(t, r)
	assert.Regexp(t, `gs-edge-01 +`+one.Tunnel+` +`+one.Far+` +`+one.Port+` `, cli.Good("paths").Out)
	measured := cli.Good("throughput", "gs-edge-01", one.Far, "--over", one.Tunnel, "--for", "1", "--yes").Out
	assert.Regexp(t, `(?m)^1 +(4[0-9]|3[0-9])\.[0-9] `, measured, "what a cellular line carries, and no more")
	wrong := cli.Run("", "throughput", "gs-edge-01", one.Far, "--over", "nothing", "--yes")
	assert.NotZero(t, wrong.Code)
	assert.Contains(t, wrong.Err, `there is no tunnel "nothing" to `+one.Far)
	cli.Good("circuit", "set", "gs-edge-01:"+one.Port, "--cap", "0.000001")
	assert.Regexp(t, `gs-edge-01:`+one.Port+` .*Skylark Mobile +cellular +60/20 Mbit/s .*1e-06 GB over +SM-20442`, cli.Good("circuits").Out)
	capped := func() (out []v1.Alarm) {
		list, err := r.Alarms(t.Context(), client.AlarmQuery{All: true, Limit: 200})
		require.NoError(t, err)
		return slices.DeleteFunc(list.Items, func(a v1.Alarm) bool { return a.Type != "circuit-cap" })
	}
	// Early in a month it may have been told before that it will carry too much, if it goes on so: that alarm becomes this one.
	require.Eventually(t, func() bool { list := capped(); return len(list) == 1 && list[0].Severity == "minor" }, rig.WaitLong, rig.WaitStep)
	assert.Regexp(t, `^gs-edge-01:`+one.Port+` carried [0-9.]+ GB in this month: more than the 0\.000001 GB that Skylark Mobile lets through\.$`, capped()[0].Text)
	for says, args := range map[string][]string{"is no port": {"circuit", "set", "gs-edge-01"}, "kind": {"circuit", "set", "gs-edge-01:" + one.Port, "--kind", "string"}, "not found": {"circuit", "remove", "hh-edge-01:wan1"}} {
		bad := cli.Run("", args...)
		assert.NotZero(t, bad.Code)
		assert.Contains(t, bad.Err, says)
	}
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(chromedp.Navigate(r.Base+"/between"), browser.Shows(one.Tunnel), browser.Press("Circuits"), browser.Shows("GB, over"), browser.Press("gs-edge-01:"+one.Port), browser.Shows("The circuit at gs-edge-01"),
		browser.Replace(`[role=dialog] input[type=number]:not([value=""])`, "80"), rig.InDialog("Keep it"), rig.NoDialog))
	require.Eventually(t, func() bool {
		list, err := r.Circuits(t.Context(), "")
		return err == nil && list.Items[0].DownMbps == 80
	}, rig.WaitLong, rig.WaitStep)
	assert.Empty(t, b.Complaints)
	cli.Good("circuit", "set", "gs-edge-01:"+one.Port, "--cap", "90000")
	require.Eventually(t, func() bool { return len(capped()) == 0 }, rig.WaitLong, rig.WaitStep, "it may carry more now")

	// A tunnel that is down bears no call.
	require.NoError(t, r.World.Throw(standin.PowerLoss, one.Far))
	require.Eventually(t, func() bool {
		paths, err := r.Paths(t.Context(), "name = gs-edge-01")
		require.NoError(t, err)
		for _, p := range paths.Items {
			if p.Tunnel == one.Tunnel {
				return p.Category == "down" && p.Rating == 0
			}
		}
		return false
	}, rig.WaitLong, rig.WaitStep)
	cli.Good("circuit", "remove", "gs-edge-01:"+one.Port)
}
