package find_test

import (
	"net/http"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// An end station is found with the way from it, and with what is wrong on the way.
func TestWhereAnEndStationIs(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	r.AwaitLinks(t)
	mac := ""
	for m, at := range r.World.Stations() {
		if at == "th-sw-02:1/1/17" {
			mac = m
		}
	}
	var w v1.ClientWay
	require.Eventually(t, func() bool {
		var err error
		w, err = r.ClientWay(t.Context(), mac)
		return err == nil && len(w.Hops) == 3
	}, rig.WaitLong, rig.WaitStep)
	assert.True(t, w.Whole)
	assert.Equal(t, []v1.WayHop{{Device: "th-sw-02", Reach: "connected", In: "1/1/17", Out: "1/1/25"}, {Device: "th-sw-01", Reach: "connected", In: "1/1/49", Out: "1/1/48"}, {Device: "th-edge-01", Reach: "connected", In: "lan1"}}, w.Hops)

	near, afar := r.Confine(t, "bram", "operator", "name = th-sw-02"), r.Confine(t, "esker", "operator", "site = harbour-house")
	part, err := near.ClientWay(t.Context(), mac)
	require.NoError(t, err)
	assert.True(t, part.Hidden)
	assert.Len(t, part.Hops, 1)
	_, err = afar.ClientWay(t.Context(), mac)
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "")

	c := rig.SignedIn(t, r)
	assert.Contains(t, c.Good("where", mac).Out, "is at th-sw-02:1/1/17, VLAN 50, site tern-haven")
	assert.Equal(t, "3\n", c.Good("where", mac, "--with", "th-", "--without", "site", "--count-lines").Out, "any output is narrowed")
	assert.Equal(t, 1, c.Run("", "where", "02:00:00:00:00:99").Code)
	assert.Contains(t, c.Run("", "where", "02:4c:53").Err, "end stations fit")

	// A cut cable shows on the way, by the command line and in the console.
	require.NoError(t, r.World.Throw(standin.Cut, "th-sw-02:1/1/25"))
	require.Eventually(t, func() bool {
		w, err = r.ClientWay(t.Context(), mac)
		return err == nil && !w.Whole && len(w.Hops) > 1 && len(w.Hops[1].Alarms) == 1
	}, rig.WaitLong, rig.WaitStep)
	assert.Contains(t, w.Hops[1].Alarms[0], "has no link to th-sw-02:1/1/25")
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/clients?scope="+"client.mac%20%3D%20"+mac), browser.Press("no name"), browser.Shows("Its way"), browser.Shows("is not whole"), browser.Shows("has no link to"),
	))
}
