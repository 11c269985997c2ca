package setup_test

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// leasesOf waits until a device tells of leases as they should be.
func leasesOf(t *testing.T, r *rig.Rig, device string, is func([]network.Lease) bool) (out []network.Lease) {
	t.Helper()
	require.Eventually(t, func() bool {
		d, err := r.Device(t.Context(), device)
		require.NoError(t, err)
		if d.Inside != nil {
			out = d.Inside.Leases
		}
		return is(out)
	}, rig.WaitLong, rig.WaitStep, "%v", out)
	return out
}

func levelOf(c v1.Change, id string) string {
	for _, f := range c.Findings {
		if f.ID == id {
			return f.Level
		}
	}
	return ""
}

// Stations have addresses from their gateway; one that is reserved is had by its station, wherever that is shown; and a VLAN of which the gateway goes
// away reaches nothing beyond itself.
func TestGatewaysGiveOutAddresses(t *testing.T) {
	t.Parallel()
	r := rig.StartPart(t, "ng-edge-01", "northgate")
	r.AwaitAll(t)
	leases := leasesOf(t, r, "ng-edge-01", func(l []network.Lease) bool { return len(l) > 10 })
	var one network.Lease
	for _, l := range leases {
		if l.VLAN == 20 && one.MAC == "" {
			one = l
		}
	}
	require.NotEmpty(t, one.MAC)
	c := rig.SignedIn(t, r)
	assert.Contains(t, c.Good("leases", "ng-edge-01").Out, one.Address)
	assert.Contains(t, c.Good("leases", "ng-edge-01", "--vlan", "20").Err, "of 231 in VLAN 20 are free")

	gateway := "ng-edge-01:gateway/20"
	r.PushAndKeep(t, r.Draft(t, [3]string{gateway, "reservations", one.MAC + ` gets 10.7.20.9 note "the lamp"`}))
	leasesOf(t, r, "ng-edge-01", func(list []network.Lease) bool {
		for _, l := range list {
			if l.MAC == one.MAC {
				return l.Address == "10.7.20.9" && l.Reserved
			}
		}
		return false
	})
	require.Eventually(t, func() bool {
		list, err := r.Clients(t.Context(), client.Query{Where: "client.mac = " + one.MAC})
		require.NoError(t, err)
		return len(list.Items) == 1 && list.Items[0].Address == "10.7.20.9"
	}, rig.WaitLong, rig.WaitStep)

	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/ng-edge-01?tab=addresses"), browser.Shows("Addresses given out"), browser.Shows(one.MAC), browser.Shows("reserved"),
	))
	assert.Empty(t, b.Complaints)

	reaches := func() string {
		a, err := r.Reach(t.Context(), v1.ReachRequest{From: one.MAC, To: "203.0.113.80", Protocol: "tcp", Port: 443})
		require.NoError(t, err)
		return a.Verdict
	}
	require.Eventually(t, func() bool { return reaches() == "passes" }, rig.WaitLong, rig.WaitStep)
	assert.True(t, r.World.Reaches("10.7.20.9", "203.0.113.80", "tcp", 443))
	gone := r.Draft(t, [3]string{gateway, "present", "off"})
	assert.Equal(t, "warn", levelOf(gone, "routing:"+gateway+":lost"))
	assert.Equal(t, "warn", levelOf(gone, "peerings:"+gateway+":lost:10.7.20.5"), "nor is a router reached there any more")
	_, err := r.Push(t.Context(), gone.Number, 0, v1.PushRequest{TrialSeconds: 60, Accept: rig.Findings(gone)})
	require.NoError(t, err)
	r.Until(t, gone.Number, "on-trial")
	_, err = r.Keep(t.Context(), gone.Number)
	require.NoError(t, err)
	r.Until(t, gone.Number, "kept")
	require.Eventually(t, func() bool { return reaches() != "passes" }, rig.WaitLong, rig.WaitStep)
	assert.False(t, r.World.Reaches("10.7.20.9", "203.0.113.80", "tcp", 443))
}

// What overlaps, what is given out twice or elsewhere, and what leads nowhere is stopped before the device is asked; a route that is told is used.
func TestWrongGatewaysAndRoutes(t *testing.T) {
	t.Parallel()
	r := rig.StartPart(t, "ng-edge-01", "northgate")
	r.AwaitAll(t)
	gateway, route := "ng-edge-01:gateway/20", "ng-edge-01:route/annex"
	for id, edits := range map[string][][3]string{
		"routing:ng-edge-01:gateway/90:overlap":  {{"ng-edge-01:gateway/90", "gateway-address", "10.7.20.9/25"}},
		"routing:" + gateway + ":no-address":     {{gateway, "gateway-address", "none"}},
		"routing:" + gateway + ":range":          {{gateway, "dhcp-ranges", "10.7.21.20-10.7.21.30"}},
		"routing:" + gateway + ":own":            {{gateway, "dhcp-ranges", "10.7.20.1-10.7.20.30"}},
		"routing:" + gateway + ":ranges":         {{gateway, "dhcp-ranges", "10.7.20.20-10.7.20.30,10.7.20.25-10.7.20.40"}},
		"routing:" + gateway + ":no-range":       {{gateway, "dhcp-ranges", "none"}},
		"routing:" + gateway + ":reservation-10": {{gateway, "reservations", "02:4c:53:20:00:07 gets 10.8.20.7"}},
		"routing:" + gateway + ":reservation-20": {{gateway, "reservations", "02:4c:53:20:00:07 gets 10.7.20.7\n02:4c:53:20:00:08 gets 10.7.20.7"}},
		"routing:" + route + ":ends":             {{route, "present", "on"}, {route, "route-prefix", "10.99.0.0/16"}},
		"routing:" + route + ":via":              {{route, "present", "on"}, {route, "route-prefix", "10.99.0.0/16"}, {route, "route-via", "10.99.0.1"}},
	} {
		assert.Equal(t, "stop", levelOf(r.Draft(t, edits...), id), id)
	}
	c := rig.SignedIn(t, r)
	bad := c.Run("", "port", "set", gateway, "reservations=02:4c:53 gets 10.7.20.7")
	assert.NotZero(t, bad.Code)
	assert.Contains(t, bad.Err, "is not the hardware address of a station")
	r.PushAndKeep(t, r.Draft(t, [3]string{route, "present", "on"}, [3]string{route, "route-prefix", "10.99.0.0/16"}, [3]string{route, "route-via", "10.7.20.77"}, [3]string{route, "purpose", "the annex"}))
	require.Eventually(t, func() bool { return strings.Contains(c.Good("routes", "ng-edge-01").Out, "10.99.0.0/16") }, rig.WaitLong, rig.WaitStep)
	assert.Regexp(t, `10\.99\.0\.0/16 +10\.7\.20\.77 +vlan20 +static`, c.Good("routes", "ng-edge-01").Out)
	assert.Contains(t, r.Asked(t, "ng-edge-01", `<routing xmlns="urn:everypost:yang:ep-routing"><static-route/></routing>`), "<prefix>10.99.0.0/16</prefix><via>10.7.20.77</via>")
}
