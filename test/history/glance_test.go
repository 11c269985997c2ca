package history_test

import (
	"cmp"
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

// A day at a glance tells what the alarms of it were: of the site, the devices and the ports that they are on.
func TestADayAtAGlance(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	strip := func(c *client.Client, by string) map[string]string {
		s, err := c.Strips(t.Context(), by, "")
		require.NoError(t, err)
		out := map[string]string{}
		for _, one := range s.Items {
			require.Len(t, one.Steps, 96)
			out[one.Name] = one.Steps[95]
		}
		return out
	}
	assert.Equal(t, map[string]string{"tern-haven": ""}, strip(r.Client, "site"))
	assert.Empty(t, strip(r.Client, "port"))
	require.NoError(t, r.World.Throw(standin.Cut, "th-sw-02:1/1/25"))
	require.Eventually(t, func() bool { return strip(r.Client, "site")["tern-haven"] == "critical" }, rig.WaitLong, rig.WaitStep)
	assert.Equal(t, map[string]string{"th-sw-01": "major", "th-sw-02": "critical", "th-ap-01": "critical", "th-fw-01": "", "th-edge-01": ""}, strip(r.Client, "device"))
	assert.Equal(t, map[string]string{"th-sw-01:1/1/49": "major"}, strip(r.Client, "port"))

	near, afar := r.Confine(t, "bram", "operator", "name = th-sw-01"), r.Confine(t, "esker", "operator", "site = harbour-house")
	assert.Equal(t, map[string]string{"th-sw-01": "major"}, strip(near, "device"), "what lies elsewhere is not told of")
	assert.Empty(t, strip(afar, "device"))
	assert.Empty(t, strip(afar, "site"))
	c := rig.SignedIn(t, r)
	assert.Regexp(t, `(?m)^tern-haven +\.{47}!$`, c.Good("day").Out)
	assert.Regexp(t, `(?m)^th-fw-01 +\.{48}$`, c.Good("day", "--by", "device", "kind = firewall").Out)
}

func TestWhatRanksHighestAndHowMuchWentThrough(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	require.Eventually(t, func() bool {
		top, err := r.Top(t.Context(), client.TopQuery{Part: "port", Metric: "use", Limit: 5}, client.Past{Period: "1h"})
		return err == nil && len(top.Items) == 5
	}, rig.WaitLong, rig.WaitStep)
	top, err := r.Top(t.Context(), client.TopQuery{Part: "port", Metric: "rx", Where: "name = th-sw-02", Limit: 100}, client.Past{Period: "1h"})
	require.NoError(t, err)
	assert.True(t, slices.IsSortedFunc(top.Items, func(a, b v1.TopRow) int { return cmp.Compare(b.Mean, a.Mean) }))
	for _, row := range top.Items {
		assert.Equal(t, "th-sw-02", row.Device)
	}
	_, err = r.Top(t.Context(), client.TopQuery{Part: "device", Metric: "rx"}, client.Past{Period: "1h"})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, `a device has no reading "rx"`)
	near := r.Confine(t, "bram", "operator", "name = th-sw-01")
	own, err := near.Top(t.Context(), client.TopQuery{Part: "port", Metric: "rx", Limit: 200}, client.Past{Period: "1h"})
	require.NoError(t, err)
	for _, row := range own.Items {
		assert.Equal(t, "th-sw-01", row.Device)
	}

	var v v1.Volumes
	require.Eventually(t, func() bool {
		v, err = r.Volumes(t.Context(), "th-edge-01", "wan1", "day", "Europe/London", client.Past{Period: "2d"})
		return err == nil && slices.ContainsFunc(v.Items, func(one v1.Volume) bool { return one.Known && one.RxOctets > 0 })
	}, rig.WaitLong, rig.WaitStep)
	for _, bad := range []error{
		rig.Second(r.Volumes(t.Context(), "th-edge-01", "wan1", "day", "Mars/Olympus", client.Past{Period: "2d"})),
		rig.Second(r.Volumes(t.Context(), "th-edge-01", "wan9", "day", "UTC", client.Past{Period: "2d"})),
		rig.Second(near.Volumes(t.Context(), "th-edge-01", "wan1", "day", "UTC", client.Past{Period: "2d"})),
	} {
		assert.Error(t, bad)
	}
	c := rig.SignedIn(t, r)
	assert.Contains(t, c.Good("volume", "th-edge-01:wan1", "--by", "hour", "--period", "2h").Err, "received")
	assert.Regexp(t, `1 +th-`, c.Good("top", "port.use", "--period", "1h", "--limit", "1").Out)
	assert.Equal(t, 2, c.Run("", "top", "cpu").Code)
	assert.Equal(t, 2, c.Run("", "volume", "th-edge-01").Code)

	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/watch"), browser.Until(`document.querySelector("svg[aria-label^='tern-haven: nothing']")`),
		browser.On(`document.querySelector("select[aria-label='What is ranked']")`, `Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(e, "device.clients"), e.dispatchEvent(new Event("change", {bubbles: true}))`),
		browser.Until(`location.search.includes("top=device.clients")`),
		chromedp.Navigate(r.Base+"/devices/th-edge-01?tab=history&part=port&sel=wan1"), browser.Shows("Volumes of"), browser.Until(`document.querySelector("svg[aria-label^='th-edge-01:wan1: nothing']")`), browser.Press("By hour"), browser.Shows("Received"),
	))
}
