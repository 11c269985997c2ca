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

// sessionsOf waits until the firewall tells of sessions.
func sessionsOf(t *testing.T, r *rig.Rig, q client.SessionQuery, is func(v1.FirewallSessions) bool) (out v1.FirewallSessions) {
	t.Helper()
	require.Eventually(t, func() bool {
		var err error
		out, err = r.FirewallSessions(t.Context(), "ng-fw-01", q)
		require.NoError(t, err)
		return is(out)
	}, rig.WaitLong, rig.WaitStep, "%+v", out)
	return out
}

func some(s v1.FirewallSessions) bool { return s.Total > 0 }

// The sessions of a firewall are those of its stations, searched by each of their parts; one that is ended is over, and a source that is blocked has
// none, and what it asks is counted, until it may again.
func TestSessionsOfAFirewall(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	calls := sessionsOf(t, r, client.SessionQuery{Rule: 10}, some)
	one := calls.Items[0]
	assert.Equal(t, [6]string{"udp", "10.1.30.10:5060", "voice", "outside", "telephony", ""}, [6]string{one.Protocol, one.Destination, one.From, one.To, one.Application, one.SeenSource})
	assert.True(t, strings.HasPrefix(one.Source, "10.7.30."))
	web := sessionsOf(t, r, client.SessionQuery{Destination: "203.0.113.0/24", Port: 443, Limit: 3}, some)
	require.Len(t, web.Items, 3)
	assert.Greater(t, web.Total, 3)
	assert.True(t, strings.HasPrefix(web.Items[0].SeenSource, "198.51.100.17:"), "it is translated")
	assert.Equal(t, web.Total, sessionsOf(t, r, client.SessionQuery{Source: "198.51.100.17", Protocol: "tcp", Limit: 1}, some).Total, "as it is seen beyond")
	_, err := r.FirewallSessions(t.Context(), "ng-fw-01", client.SessionQuery{Source: "nobody-at-all"})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, "no name of an end station")
	_, err = r.FirewallSessions(t.Context(), "ng-sw-01", client.SessionQuery{})
	rig.Problem(t, err, http.StatusConflict, v1.ProblemCannot, "tells of no sessions")

	c := rig.SignedIn(t, r)
	assert.Contains(t, c.Good("policy", "sessions", "ng-fw-01", "--rule", "10").Out, one.ID)
	assert.Equal(t, 3, c.Run("no\n", "policy", "end", "ng-fw-01", one.ID).Code, "it is asked first")
	ended := c.Good("policy", "end", "ng-fw-01", one.ID, "--yes").Out
	assert.Regexp(t, one.ID+` +is ended: 10\.7\.30\.`, ended)
	assert.Contains(t, c.Good("policy", "end", "ng-fw-01", one.ID, "--yes").Out, "is over already")
	for _, s := range sessionsOf(t, r, client.SessionQuery{Rule: 10}, func(v1.FirewallSessions) bool { return true }).Items {
		assert.NotEqual(t, one.ID, s.ID)
	}

	source, _, _ := strings.Cut(web.Items[0].Source, ":")
	assert.Contains(t, c.Good("policy", "block", "ng-fw-01", source, "--for", "5", "--yes").Out, source+" is blocked until")
	sessionsOf(t, r, client.SessionQuery{Source: source}, func(s v1.FirewallSessions) bool { return s.Total == 0 })
	refused := sessionsOf(t, r, client.SessionQuery{Limit: 1}, func(s v1.FirewallSessions) bool { return len(s.Blocked) == 1 && s.Blocked[0].Refused > 0 })
	assert.Equal(t, source, refused.Blocked[0].Address)
	assert.Contains(t, c.Good("policy", "sessions", "ng-fw-01", "--blocked").Out, source)
	for _, bad := range []string{"0", "50000", "x"} {
		assert.Equal(t, 3, c.Run("", "policy", "block", "ng-fw-01", source, "--yes", "--for", bad).Code)
	}
	assert.Contains(t, c.Good("policy", "unblock", "ng-fw-01", source).Out, "may reach what the policy lets it reach")
	sessionsOf(t, r, client.SessionQuery{Source: source}, some)
	assert.Contains(t, strings.Join(r.Audited(t, ""), "\n"), "block-source")
}

// Who sees no end stations sees no sessions; who may not operate on them ends none; and a device that is gone says so.
func TestWhoMaySeeSessions(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	viewer, near := r.As(t, "vera", "viewer"), r.Confine(t, "bram", "administrator", "name = ng-sw-01")
	list, err := viewer.FirewallSessions(t.Context(), "ng-fw-01", client.SessionQuery{})
	require.NoError(t, err)
	require.NotEmpty(t, list.Items)
	_, err = viewer.StartOperation(t.Context(), "ng-fw-01", v1.OperationRequest{Kind: "end-session", Args: map[string]string{"session": list.Items[0].ID}})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "operate devices")
	_, err = near.FirewallSessions(t.Context(), "ng-fw-01", client.SessionQuery{})
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "ng-fw-01")
	_, err = near.StartOperation(t.Context(), "ng-fw-01", v1.OperationRequest{Kind: "block-source", Args: map[string]string{"source": "10.7.20.21"}})
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "ng-fw-01")
	_, err = r.StartOperation(t.Context(), "ng-fw-01", v1.OperationRequest{Kind: "block-source", Args: map[string]string{"source": "everybody"}})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, "is no address")
	require.NoError(t, r.World.Throw(standin.PowerLoss, "ng-fw-01"))
	require.Eventually(t, func() bool {
		_, err := r.FirewallSessions(t.Context(), "ng-fw-01", client.SessionQuery{})
		return err != nil
	}, rig.WaitLong, rig.WaitStep)
}

func TestSessionsByConsole(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	list := sessionsOf(t, r, client.SessionQuery{Rule: 10}, some)
	source, _, _ := strings.Cut(list.Items[0].Source, ":")
	b := rig.OpenConsole(t, r)
	const rows = `document.querySelectorAll("section[aria-label=Sessions] tbody tr")`
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/policies?view=sessions"), browser.Shows("telephony"), browser.TypeInto("From", source), browser.Until(rows+`.length === 1`),
		browser.On(rows+`[0]`, "window.ended = e.innerText.match(/[0-9.]+:[0-9]+/)[0]"), browser.On(rows+`[0].querySelector("input")`, "e.click()"), browser.Press("End 1…"), browser.Shows("begins anew, or gives up"), rig.InDialog("End"), browser.Shows("is ended"),
		rig.NoDialog, browser.Until(rows+`.length === 1 && !`+rows+`[0].innerText.includes(window.ended)`), // it is gone, and the source began another
		browser.Press("Block "+source), browser.Replace("[role=dialog] input", "0"), browser.Shows("from 1 to 43200"), browser.Replace("[role=dialog] input", "10"), rig.InDialog("Block"),
		rig.NoDialog, browser.Shows("1 source blocked"), browser.Press("Let it again"), browser.Until(`!document.body.innerText.includes("1 source blocked")`),
	))
	assert.Empty(t, b.Complaints)
}
