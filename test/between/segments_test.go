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
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// routed waits until an edge uses a route in a table.
func routed(t *testing.T, r *rig.Rig, edge, vrf, prefix string, is bool) {
	t.Helper()
	require.Eventually(t, func() bool {
		list, err := r.Routes(t.Context(), "name = "+edge, vrf, "")
		require.NoError(t, err)
		for _, x := range list.Items {
			if x.Prefix == prefix {
				return is
			}
		}
		return !is
	}, rig.WaitLong, rig.WaitStep, "%s %s %s", edge, vrf, prefix)
}

// Networks of many edges are put into a segment in one draft: routes of the tables follow on both ends, what is answered of who reaches whom with them, and the
// stations of the world. By all doors.
func TestNetworksAreKeptApart(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "hh-edge-01", "hh-edge-01", "ng-edge-01", "ng-sw-01")
	c := rig.SignedIn(t, r)
	tunnelOf(t, r, "ng-edge-01", "ng-fibre-hub1", up)
	routed(t, r, "ng-edge-01", "cranes", "10.1.90.0/24", true)
	routed(t, r, "ng-edge-01", "default", "10.7.90.0/24", false)
	assert.Regexp(t, `cranes +90 +ng-edge-01 +10\.7\.90\.0/24 \(VLAN 90\)`, c.Good("segments").Out)

	for text, says := range map[string]string{
		"make main --vlans 50":              `"main" is there already`,
		"make cameras":                      "say of which VLANs",
		"make cameras --vlans 4095":         "vlans",
		"make cameras --vlans 51":           "no edge there has a network in those VLANs",
		"make Not+A+Name --vlans 50":        "not+a+name",
		"make cameras --vlans 50 --only 10": `"10" is not a prefix`,
	} {
		bad := c.Run("", append([]string{"segment"}, strings.Fields(text)...)...)
		assert.NotZero(t, bad.Code, text)
		assert.Contains(t, bad.Err+bad.Out, says)
	}
	changes, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, changes.Items, "bad input changes nothing")

	answer, err := r.MakeSegment(t.Context(), v1.SegmentRequest{Name: "calls", VLANs: []int{30}, Purpose: "telephones"})
	require.NoError(t, err)
	checked, err := r.Check(t.Context(), answer.Change.Number)
	require.NoError(t, err)
	said := ""
	for _, f := range checked.Findings {
		said += f.What
	}
	assert.Contains(t, said, "10.7.30.0/24 in VLAN 30 of ng-edge-01 would be in segment calls, and not in main any more.")
	kept(t, r, answer.Change.Number)
	routed(t, r, "ng-edge-01", "calls", "10.1.30.0/24", true)
	routed(t, r, "ng-edge-01", "default", "10.7.30.0/24", false)
	assert.Contains(t, r.Asked(t, "ng-edge-01", `<routing xmlns="urn:everypost:yang:ep-routing"><segment/></routing>`), "<name>calls</name>", "as an independent client reads it")

	// Who reaches whom goes by the tables: telephones the call server, and not the booking server, until that is leaked.
	from := stationIn(t, r, 30)
	ask := func(to string, port int) v1.Reach {
		out, err := r.Reach(t.Context(), v1.ReachRequest{From: from, To: to, Protocol: "tcp", Port: port})
		require.NoError(t, err)
		return out
	}
	assert.NotContains(t, ask("10.1.30.10", 443).Why, "segment")
	apart := ask("10.1.20.30", 443)
	assert.Equal(t, "stops", apart.Verdict)
	assert.Contains(t, apart.Why, "it has no route to 10.1.20.30 in segment calls")
	kept(t, r, r.Draft(t, [3]string{"ng-edge-01:segment/calls", "leaks", "main"}).Number)
	routed(t, r, "ng-edge-01", "calls", "10.1.0.0/16", true)
	require.Eventually(t, func() bool { return !strings.Contains(ask("10.1.20.30", 443).Why, "in segment calls") }, rig.WaitLong, rig.WaitStep)
	assert.Contains(t, c.Good("routes", "name", "=", "ng-edge-01", "--vrf", "calls").Out, "default", "from where it was leaked")

	// Another number at one end is told.
	kept(t, r, r.Draft(t, [3]string{"ng-edge-01:segment/calls", "segment-number", "51"}).Number)
	routed(t, r, "ng-edge-01", "calls", "10.1.30.0/24", false)
	assert.Contains(t, c.Good("segments").Out, "knows it by")

	near := r.Confine(t, "bram", "administrator", "name = ng-edge-01")
	own, err := near.Segments(t.Context(), "")
	require.NoError(t, err)
	for _, s := range own.Items {
		require.Len(t, s.Edges, 1)
		assert.Equal(t, "ng-edge-01", s.Edges[0].Device)
		assert.NotContains(t, strings.Join(s.Faults, " "), "hh-edge-01")
	}
	viewer := r.As(t, "vera", "viewer")
	_, err = viewer.MakeSegment(t.Context(), v1.SegmentRequest{Name: "gates", VLANs: []int{60}})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "change")
	_, err = r.Routes(t.Context(), "", "", "nowhere")
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, "is not an IP address")

	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/between?view=segments"), browser.Shows("calls"), browser.Shows("knows it by"),
		browser.Press("Keep networks apart…"), browser.TypeInto("Name", "gates"), browser.TypeInto("VLANs", "60"), rig.InDialog("Put it into a draft"), rig.NoDialog, browser.Shows("segment/gates"),
		chromedp.Navigate(r.Base+"/between?view=routes"), browser.Shows("10.1.90.0/24"), browser.Shows("leaked from default"),
	))
	assert.Empty(t, b.Complaints)
}

// stationIn is the address of a station in a VLAN.
func stationIn(t *testing.T, r *rig.Rig, vlan int) (address string) {
	t.Helper()
	require.Eventually(t, func() bool {
		list, err := r.Clients(t.Context(), client.Query{})
		require.NoError(t, err)
		for _, x := range list.Items {
			if x.VLAN == vlan && x.Address != "" {
				address = x.Address
				return true
			}
		}
		return false
	}, rig.WaitLong, rig.WaitStep)
	return address
}
