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

// routerOf waits until a router of an edge is as wanted.
func routerOf(t *testing.T, r *rig.Rig, edge string, is func(v1.Router) bool) (out v1.Router) {
	t.Helper()
	require.Eventually(t, func() bool {
		list, err := r.Routers(t.Context(), "name = "+edge)
		require.NoError(t, err)
		for _, x := range list.Items {
			if is(x) {
				out = x
				return true
			}
		}
		return false
	}, rig.WaitLong, rig.WaitStep)
	return out
}

// An edge is told of a router of its site by BGP, and by OSPF: what is behind it is a route at all sites, is reached, and is lost with the router. By all doors.
func TestRoutesAreExchangedWithRoutersOfASite(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "hh-edge-01", "hh-edge-01", "kb-edge-01", "kb-sw-01", "kb-sw-02", "kb-sw-05")
	r.AwaitAll(t)
	c := rig.SignedIn(t, r)
	tunnelOf(t, r, "kb-edge-01", "kb-fibre-hub1", up)
	got := routerOf(t, r, "kb-edge-01", func(x v1.Router) bool { return x.Up })
	assert.Equal(t, [4]any{"bgp", "yard", "10.6.20.5", uint32(64900)}, [4]any{got.Protocol, got.Name, got.Address, got.AS})
	assert.Empty(t, got.Why)
	assert.NotNil(t, got.Since)
	routed(t, r, "kb-edge-01", "default", "172.20.8.0/22", true)
	routed(t, r, "hh-edge-01", "default", "172.20.8.0/22", true)
	assert.Regexp(t, `kb-edge-01 +bgp +yard +10\.6\.20\.5 +AS 64900 +default +up`, c.Good("routers").Out)

	// A station reaches what is behind it, as in the world.
	dock := stationIn(t, r, 20)
	require.Eventually(t, func() bool {
		list, err := r.Clients(t.Context(), client.Query{})
		require.NoError(t, err)
		for _, x := range list.Items {
			if x.VLAN == 20 && x.Address != "" && x.Address != "10.6.20.5" {
				dock = x.Address
				return true
			}
		}
		return false
	}, rig.WaitLong, rig.WaitStep)
	reaches := func(verdict, says string) {
		t.Helper()
		var out v1.Reach
		require.Eventually(t, func() bool {
			var err error
			out, err = r.Reach(t.Context(), v1.ReachRequest{From: dock, To: "172.20.8.10", Protocol: "tcp", Port: 443})
			require.NoError(t, err)
			for _, h := range out.Hops {
				if out.Verdict == verdict && strings.Contains(h.What, says) {
					return r.World.Reaches(dock, "172.20.8.10", "tcp", 443) == (verdict == "passes")
				}
			}
			return false
		}, rig.WaitLong, rig.WaitStep, "%s: it is %+v, from %s", says, &out, dock)
	}
	reaches("passes", "by router 10.6.20.5")

	for text, says := range map[string]string{
		"peer-address=yard":       `"yard" is no address`,
		"peer-as=0":               "is not a number from 1",
		"accepts=172.20":          "is not a prefix",
		"peer-secret=short":       "8 to 80 characters",
		"hold-time=1":             "is not a number from 3",
		"announces=10.0.0.0/8,me": "is not a prefix",
	} {
		bad := c.Run("", "port", "set", "kb-edge-01:bgp-peer/yard", text)
		assert.NotZero(t, bad.Code, text)
		assert.Contains(t, bad.Err+bad.Out, says)
	}
	changes, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, changes.Items, "bad input changes nothing")

	// What it is told no more is answered no more; an AS that is another is told by both.
	r.PushAndKeep(t, r.Draft(t, [3]string{"kb-edge-01:bgp-peer/yard", "announces", "10.1.0.0/16"}))
	reaches("stops", "is told of no route back")
	other := r.Draft(t, [3]string{"kb-edge-01:bgp-peer/yard", "announces", "any"}, [3]string{"kb-edge-01:bgp-peer/yard", "peer-as", "64901"})
	checked, err := r.Check(t.Context(), other.Number)
	require.NoError(t, err)
	require.Len(t, checked.Findings, 1)
	assert.Contains(t, checked.Findings[0].What, "would be set otherwise than router 10.6.20.5 is now")
	kept(t, r, other.Number)
	got = routerOf(t, r, "kb-edge-01", func(x v1.Router) bool { return !x.Up })
	assert.Contains(t, got.Why, "The AS of one of the two is not what the other was told: here it is 64901 for the router.")
	routed(t, r, "hh-edge-01", "default", "172.20.8.0/22", false)
	assert.Contains(t, c.Good("routers").Out, "kb-edge-01 yard: The AS of one of the two")
	assert.Contains(t, r.Asked(t, "kb-edge-01", `<routing xmlns="urn:everypost:yang:ep-routing"><bgp-peer/></routing>`), "<as>64901</as>", "as an independent client reads it")
	kept(t, r, r.Draft(t, [3]string{"kb-edge-01:bgp-peer/yard", "peer-as", "64900"}).Number)
	reaches("passes", "by router 10.6.20.5")

	// The cable of the router is cut: an alarm, and what is behind it is gone at all sites.
	require.NoError(t, r.World.Throw(standin.Cut, "kb-sw-02:1/1/8"))
	got = routerOf(t, r, "kb-edge-01", func(x v1.Router) bool { return !x.Up })
	assert.Contains(t, got.Why, "Nothing answers BGP at 10.6.20.5 on vlan20")
	routed(t, r, "hh-edge-01", "default", "172.20.8.0/22", false)
	require.Eventually(t, func() bool { return strings.Contains(c.Good("alarms").Out, "BGP with Router of the yard") }, rig.WaitLong, rig.WaitStep)
	require.NoError(t, r.World.Throw(standin.Mend, "kb-sw-02:1/1/8"))
	routerOf(t, r, "kb-edge-01", func(x v1.Router) bool { return x.Up })

	// Who may not see the configuration of the edge sees none of it, nor may who only looks change it.
	far := r.Confine(t, "bram", "administrator", "name = hh-edge-01")
	list, err := far.Routers(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, list.Items)
	_, err = r.As(t, "vera", "viewer").Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{{On: []string{"kb-edge-01:bgp-peer/yard"}, Set: map[string]string{"present": "off"}}}})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "change")

	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/between?view=routers"), browser.Shows("bgp-peer/yard"), browser.Shows("10.6.20.5"),
		browser.Press("Exchange routes…"), browser.TypeInto("Edge", "kb-edge-01"), browser.TypeInto("Name", "Works"), browser.TypeInto("Address", "10.6.20.7"), browser.TypeInto("AS", "64902"),
		browser.TypeInto("Secret", "rivets and plates"), rig.InDialog("Put it into a draft"), rig.NoDialog, browser.Shows("bgp-peer/works"),
	))
	assert.Empty(t, b.Complaints)

	// The service gone and back, the edge gone: it is told as it is.
	r.Restart(t)
	routerOf(t, r, "kb-edge-01", func(x v1.Router) bool { return x.Up })
	require.NoError(t, r.World.Throw(standin.PowerLoss, "kb-edge-01"))
	got = routerOf(t, r, "kb-edge-01", func(x v1.Router) bool { return !x.Up })
	assert.Equal(t, "kb-edge-01 is not in hand: nothing is known of it now.", got.Why)
}

// By OSPF a VLAN is put into an area: the routers there are heard, and why one is not is told.
func TestOSPFInAVLAN(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "ng-edge-01", "ng-edge-01", "ng-sw-01", "ng-sw-02")
	got := routerOf(t, r, "ng-edge-01", func(x v1.Router) bool { return x.Up })
	assert.Equal(t, [5]any{"ospf", "vlan20", "10.7.20.5", "172.20.16.1", "full"}, [5]any{got.Protocol, got.Name, got.Address, got.RouterID, got.State})
	routed(t, r, "ng-edge-01", "default", "172.20.16.0/22", true)
	kept(t, r, r.Draft(t, [3]string{"ng-edge-01:gateway/20", "ospf-area", "7"}).Number)
	got = routerOf(t, r, "ng-edge-01", func(x v1.Router) bool { return !x.Up })
	assert.Equal(t, "A router on vlan20 is in another area than 0.0.0.7: set ospf-area as it is there.", got.Why)
	routed(t, r, "ng-edge-01", "default", "172.20.16.0/22", false)
	kept(t, r, r.Draft(t, [3]string{"ng-edge-01:gateway/20", "ospf-area", "0"}, [3]string{"ng-edge-01:gateway/20", "ospf-secret", "not the one"}).Number)
	got = routerOf(t, r, "ng-edge-01", func(x v1.Router) bool { return strings.Contains(x.Why, "secret") })
	assert.Contains(t, got.Why, "set ospf-secret as it is there")
	kept(t, r, r.Draft(t, [3]string{"ng-edge-01:gateway/20", "ospf-passive", "on"}).Number)
	require.Eventually(t, func() bool {
		list, err := r.Routers(t.Context(), "")
		require.NoError(t, err)
		return len(list.Items) == 0
	}, rig.WaitLong, rig.WaitStep, "where no router is looked for none is missed")
}
