package between_test

import (
	"net/http"
	"strings"
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

// What is lost when something fails is told before it does, by all doors; what was foretold is what then happens.
func TestWhatIsLostIfSomethingFails(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	r.AwaitLinks(t)
	up := "" // of th-sw-02, towards th-sw-01
	ports, err := r.Ports(t.Context(), client.Query{Where: "name = th-sw-02"})
	require.NoError(t, err)
	for _, p := range ports.Items {
		if p.Peer != nil && p.Peer.Device == "th-sw-01" {
			up = p.Ref
		}
	}
	require.NotEmpty(t, up)
	f, err := r.WhatIf(t.Context(), "th-sw-02")
	require.NoError(t, err)
	assert.Equal(t, "device", f.Kind)
	assert.Equal(t, []string{"th-ap-01"}, f.Devices)
	assert.Positive(t, f.Clients)
	assert.Equal(t, []string{"tern-haven"}, f.Sites)
	link, err := r.WhatIf(t.Context(), up)
	require.NoError(t, err)
	assert.Equal(t, "link", link.Kind)
	assert.Equal(t, []string{"th-ap-01", "th-sw-02"}, link.Devices)
	supply, err := r.WhatIf(t.Context(), "th-sw-02:psu1")
	require.NoError(t, err)
	assert.Equal(t, "supply", supply.Kind)
	assert.Equal(t, f.Devices, supply.Devices, "it is the only one")
	assert.Equal(t, f.Clients, supply.Clients)
	none, err := r.WhatIf(t.Context(), "th-ap-01")
	require.NoError(t, err)
	assert.Empty(t, none.Devices)
	for what, status := range map[string]int{"th-sw-99": http.StatusNotFound, "th-sw-02:9/9/9": http.StatusNotFound, "th-sw-02:psu2": http.StatusNotFound, "tunnel/none": http.StatusNotFound, "th-sw-02:": http.StatusUnprocessableEntity, "": http.StatusUnprocessableEntity} {
		got, _ := r.GetJSON(t, "/what-if", map[string]string{"what": what})
		assert.Equal(t, status, got, what)
	}

	list, err := r.SinglePoints(t.Context(), "")
	require.NoError(t, err)
	require.NotEmpty(t, list.Items)
	assert.GreaterOrEqual(t, len(list.Items[0].Devices), len(list.Items[len(list.Items)-1].Devices), "what takes most comes first")
	at, err := r.SinglePoints(t.Context(), "name = th-sw-02")
	require.NoError(t, err)
	for _, p := range at.Items {
		assert.Contains(t, strings.Join(p.Ends, " "), "th-sw-02")
	}
	// Who may see one device is told of that, and of nothing behind it.
	bram := r.Confine(t, "bram", "operator", "name = th-sw-02")
	seen, err := bram.WhatIf(t.Context(), "th-sw-02")
	require.NoError(t, err)
	assert.Empty(t, seen.Devices)
	_, err = bram.WhatIf(t.Context(), up)
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "not found")
	_, err = bram.WhatIf(t.Context(), "th-sw-01:psu1")
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "not found")
	_, err = bram.WhatIf(t.Context(), "th-sw-01")
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "not found")
	points, err := bram.SinglePoints(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, points.Items)

	c := rig.SignedIn(t, r)
	assert.Regexp(t, `not reached any more +th-ap-01, th-sw-02`, c.Good("what-if", up).Out)
	assert.Regexp(t, `device +th-sw-02 +1 +th-ap-01 `, c.Good("single-points").Out)
	assert.NotZero(t, c.Run("", "what-if", "th-sw-99").Code)
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(chromedp.Navigate(r.Base+"/map?view=failures"), browser.Shows("single points of failure"), browser.Type("#what-fails", up+"\r"), browser.Shows("Not reached any more"), browser.Shows("th-ap-01, th-sw-02")))
	assert.Empty(t, b.Complaints)

	require.NoError(t, r.World.Throw(standin.Cut, up))
	require.Eventually(t, func() bool {
		gone, err := r.Devices(t.Context(), client.Query{Where: "not reach = connected"})
		require.NoError(t, err)
		return assert.ObjectsAreEqual(link.Devices, rig.Names(gone))
	}, rig.WaitLong, rig.WaitStep, "as it was foretold")
}
