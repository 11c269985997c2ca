package policy_test

import (
	"net/http"
	"slices"
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

// applicationsOf waits until the use of applications is as it should be.
func applicationsOf(t *testing.T, r *rig.Rig, q client.ApplicationQuery, is func(v1.ApplicationUses) bool) (out v1.ApplicationUses) {
	t.Helper()
	require.Eventually(t, func() bool {
		var err error
		out, err = r.Applications(t.Context(), q)
		require.NoError(t, err)
		return is(out)
	}, rig.WaitLong, rig.WaitStep, "%+v", out)
	return out
}

// What stations use is counted by the firewall and added up as it is asked for: by application, site, network and client; what a rule denies is
// counted as denied.
func TestApplications(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	all := applicationsOf(t, r, client.ApplicationQuery{}, func(u v1.ApplicationUses) bool {
		for _, x := range u.Items {
			if x.Application == "telephony" && x.Sessions > 0 && x.UpOctets > 0 {
				return true
			}
		}
		return false
	})
	assert.NotNil(t, all.Since)
	assert.Empty(t, all.Unread)
	by := applicationsOf(t, r, client.ApplicationQuery{By: "client", Application: "telephony"}, func(u v1.ApplicationUses) bool { return u.Total > 1 })
	for _, x := range by.Items {
		assert.Equal(t, [3]any{"telephony", "voice", 1}, [3]any{x.Application, x.Network, x.Clients})
		assert.True(t, strings.HasPrefix(x.Address, "10.7.30."))
	}
	site := applicationsOf(t, r, client.ApplicationQuery{By: "site", Application: "telephony"}, func(u v1.ApplicationUses) bool { return u.Total == 1 })
	assert.Equal(t, by.Total, site.Items[0].Clients)
	zones := applicationsOf(t, r, client.ApplicationQuery{By: "network"}, func(u v1.ApplicationUses) bool { return u.Total > 2 })
	assert.NotEmpty(t, zones.Items[0].Network)

	air := applicationsOf(t, r, client.ApplicationQuery{By: "wireless"}, func(u v1.ApplicationUses) bool {
		return slices.ContainsFunc(u.Items, func(x v1.ApplicationUse) bool {
			return x.SSID == "Lantern Office" && x.Category == "news" && x.UpOctets > 0 && x.Clients > 0
		})
	})
	for _, x := range air.Items {
		assert.Empty(t, x.Application+x.Site+x.Address)
		assert.Contains(t, x.SSID, "Lantern ")
	}

	c := r.Draft(t, [3]string{policy, "rules/5", "deny from voice to any"})
	var accept []string
	for _, f := range c.Findings {
		accept = append(accept, f.ID)
	}
	_, err := r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60, Accept: accept})
	require.NoError(t, err)
	applicationsOf(t, r, client.ApplicationQuery{Application: "telephony", Hours: 1}, func(u v1.ApplicationUses) bool { return u.Total == 1 && u.Items[0].Denied > 0 })

	cli := rig.SignedIn(t, r)
	assert.Regexp(t, `telephony +voice +\d+ +\d+ +\d+`, cli.Good("applications").Out)
	assert.Regexp(t, `telephony +voice +\S+ +voice +10\.7\.30\.`, cli.Good("applications", "--by", "client", "--application", "telephony").Out)
	assert.Regexp(t, `Lantern Office +news +\d+ +\d+ +\d+`, cli.Good("applications", "--by", "wireless").Out)
	for _, bad := range [][]string{{"--by", "colour"}, {"--hours", "25"}, {"port.colour = red"}} {
		assert.NotZero(t, cli.Run("", append([]string{"applications"}, bad...)...).Code, "%v", bad)
	}
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/policies?view=applications"), browser.Shows("telephony"), browser.Press("telephony"), browser.Shows("all applications"), browser.Shows("10.7.30."), browser.Press("all applications"), browser.Shows("booking"),
		browser.Press("Wireless network"), browser.Shows("Lantern Office"),
	))
	assert.Empty(t, b.Complaints)
}

// Who sees some end stations is told of those by name, and of no others; a firewall that is gone is told as such, or is not asked at all.
func TestWhoMaySeeApplications(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	applicationsOf(t, r, client.ApplicationQuery{By: "client"}, func(u v1.ApplicationUses) bool { return u.Total > 0 })
	near := r.Confine(t, "bram", "administrator", "name = ng-sw-01")
	list, err := near.Applications(t.Context(), client.ApplicationQuery{By: "client"})
	require.NoError(t, err)
	assert.Empty(t, list.Items, "the firewall is none of his")
	status, text := r.Asks(t, r.TokenOf(t, "bram"), http.MethodGet, "/api/v1/applications?by=nothing", "")
	assert.Equal(t, http.StatusUnprocessableEntity, status, text)
	require.NoError(t, r.World.Throw(standin.Hang, "ng-fw-01"))
	applicationsOf(t, r, client.ApplicationQuery{}, func(u v1.ApplicationUses) bool { return len(u.Items) == 0 })
}
