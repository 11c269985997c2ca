package policy_test

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

// A category is blocked until a named person lets one station see it, for a time: then that station sees it and no other, and it is told who let it.
func TestABlockIsOverriddenInSomebodysName(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	const surfing = "ng-fw-01:inspection/surfing"
	r.PushAndKeep(t, r.Draft(t, [3]string{surfing, "web-override", "news"}))
	foundOf(t, r, "category news", func(f v1.InspectionFound) bool { return f.Blocked > 0 })
	assert.Contains(t, r.Asked(t, "ng-fw-01", `<firewall xmlns="urn:everypost:yang:ep-firewall"><inspection/></firewall>`), "<web-overridable><category>news</category></web-overridable>")
	desks, err := r.Clients(t.Context(), client.Query{Where: "client.vlan = 20 and client.wireless = false", Limit: 2})
	require.NoError(t, err)
	require.Len(t, desks.Items, 2)
	station, other := desks.Items[0].Address, desks.Items[1].Address
	toNews := func(of string) int {
		list, err := r.FirewallSessions(t.Context(), "ng-fw-01", client.SessionQuery{Source: of, Destination: "203.0.113.80"})
		require.NoError(t, err)
		return list.Total
	}
	require.Eventually(t, func() bool { return toNews(station) == 0 }, rig.WaitLong, rig.WaitStep)

	cli := rig.SignedIn(t, r)
	assert.Contains(t, cli.Good("policy", "ng-fw-01", "--overrides").Out+cli.Good("policy", "ng-fw-01", "--overrides").Err, "Nobody may see")
	assert.Regexp(t, station+` may see news until`, cli.Good("policy", "override", "ng-fw-01", station, "news", "--for", "60").Out)
	require.Eventually(t, func() bool { return toNews(station) > 0 }, rig.WaitLong, rig.WaitStep, "it sees it")
	assert.Zero(t, toNews(other), "and no other does")
	overrides := func(is func([]v1.PolicyOverride) bool) (out []v1.PolicyOverride) {
		require.Eventually(t, func() bool {
			p, err := r.Policy(t.Context(), "ng-fw-01")
			require.NoError(t, err)
			out = p.Overrides
			return is(out)
		}, rig.WaitLong, rig.WaitStep, "%+v", out)
		return out
	}
	one := overrides(func(l []v1.PolicyOverride) bool { return len(l) == 1 && l[0].Passed > 0 })[0]
	assert.Equal(t, [3]string{station, "news", "ada"}, [3]string{one.Source, one.Category, one.By})
	assert.Regexp(t, station+` +news +ada`, cli.Good("policy", "ng-fw-01", "--overrides").Out)

	// What cannot be, and who may not: nobody does it in another's name.
	for says, args := range map[string][]string{"lets \"weather\" be overridden": {station, "weather"}, "is no address": {"the desk", "news"}, "1 to 1440": {station, "news", "--for", "5000"}} {
		bad := cli.Run("", append([]string{"policy", "override", "ng-fw-01"}, args...)...)
		assert.NotZero(t, bad.Code, args)
		assert.Contains(t, strings.ReplaceAll(bad.Err+bad.Out, "not an address", "is no address"), says)
	}
	ask := func(c *client.Client, args map[string]string) error {
		_, err := c.StartOperation(t.Context(), "ng-fw-01", v1.OperationRequest{Kind: "override", Args: args})
		return err
	}
	rig.Problem(t, ask(r.Client, map[string]string{"source": station, "category": "news", "by": "isla"}), http.StatusUnprocessableEntity, v1.ProblemInvalid, "by is who asks")
	rig.Problem(t, ask(r.As(t, "vera", "viewer"), map[string]string{"source": station, "category": "news"}), http.StatusForbidden, v1.ProblemForbidden, "operate")
	rig.Problem(t, ask(r.Confine(t, "bram", "administrator", "name = ng-sw-01"), map[string]string{"source": station, "category": "news"}), http.StatusNotFound, v1.ProblemNotFound, "")
	assert.Contains(t, strings.Join(r.Audited(t, ""), "\n"), "override")

	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(chromedp.Navigate(r.Base+"/policies?firewall=ng-fw-01&names=inspection"), browser.Shows("let by ada"), browser.Press("End it"), browser.Shows("blocked for "+station+" again"),
		browser.Shows("Blocked until somebody overrides it: news"), browser.Press("Override…"), browser.TypeInto("Station", other), rig.InDialog("Let it"), rig.NoDialog, browser.Shows(other)))
	assert.Empty(t, b.Complaints)
	booted := func() string {
		d, err := r.Device(t.Context(), "ng-fw-01")
		require.NoError(t, err)
		if d.Reach != "connected" {
			return ""
		}
		return d.BootedAt.String()
	}
	before := booted()
	require.NoError(t, r.World.Throw(standin.Reboot, "ng-fw-01"))
	require.Eventually(t, func() bool { now := booted(); return now != "" && now != before }, rig.WaitLong, rig.WaitStep, "it is back")
	overrides(func(l []v1.PolicyOverride) bool { return len(l) == 0 })
}
