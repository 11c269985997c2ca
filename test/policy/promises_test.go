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
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/peers"
	"example.net/everypost/internal/testing/rig"
)

// openDoor has an independent client put a rule into the firewall, as somebody does who goes around the service.
const openDoor = `
m.edit_config(target="candidate", config='''<config><firewall xmlns="urn:everypost:yang:ep-firewall"><policy><name>main</name>
<rule><number>3</number><action>allow</action><from>voice</from><to>office</to></rule></policy></firewall></config>''')
m.commit()
m.close_session()
`

// A draft that would break a promise is stopped, with the line that does; what breaks it from elsewhere is an alarm, and over once it holds again.
func TestAPromiseStopsADraftAndIsAnAlarm(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	stations(t, r)
	never := v1.PromiseRequest{Title: "Telephones stay among themselves", Never: true, From: "client.vlan = 30", To: "client.vlan = 20", Protocol: "tcp", Port: 445}
	tried, err := r.TryPromise(t.Context(), never)
	require.NoError(t, err)
	assert.Equal(t, "kept", tried.Standing)
	assert.Positive(t, tried.Asked)
	list, err := r.Promises(t.Context())
	require.NoError(t, err)
	assert.Empty(t, list.Items, "trying keeps nothing")
	_, err = r.PutPromise(t.Context(), "telephones", never)
	require.NoError(t, err)

	c := r.Draft(t, [3]string{policy, "rules/3", "allow from voice to office"})
	assert.Equal(t, "stop", level(c, "promise:telephones"))
	for _, f := range c.Findings {
		if f.ID == "promise:telephones" {
			assert.Contains(t, f.What, "It would break a promise: Telephones stay among themselves (")
			assert.Contains(t, f.What, "ng-fw-01, rule 3 lets it pass from voice to office")
			assert.Equal(t, []string{"ng-fw-01"}, f.Ports)
		}
	}
	_, err = r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60})
	rig.Problem(t, err, http.StatusConflict, v1.ProblemBlocked, "")
	require.NoError(t, r.Discard(t.Context(), c.Number))

	out, err := peers.NETCONF(t, r.World.Address("ng-fw-01"), rig.DevicePassword, openDoor).CombinedOutput()
	require.NoError(t, err, string(out))
	broken := func() (text string) {
		list, err := r.Alarms(t.Context(), client.AlarmQuery{All: true, Limit: 100})
		require.NoError(t, err)
		for _, a := range list.Items {
			if a.Type == "promise" {
				return a.Text
			}
		}
		return ""
	}
	require.Eventually(t, func() bool { return strings.Contains(broken(), "Telephones stay among themselves") }, rig.WaitLong, rig.WaitStep)
	list, err = r.Promises(t.Context())
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	assert.Equal(t, "broken", list.Items[0].Standing)
	r.Restart(t)
	require.Eventually(t, func() bool { return broken() != "" }, rig.WaitLong, rig.WaitStep, "it is kept over a restart")
	require.NoError(t, r.RemovePromise(t.Context(), "telephones"))
	require.Eventually(t, func() bool { return broken() == "" }, rig.WaitLong, rig.WaitStep, "what is promised no more is no alarm")
}

func TestWhoMayPromise(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	in := v1.PromiseRequest{From: "client.vlan = 30", To: "10.1.30.10", Protocol: "udp", Port: 5060}
	viewer, near := r.As(t, "coral", "viewer"), r.Confine(t, "bram", "administrator", "name = ng-sw-01")
	_, err := viewer.PutPromise(t.Context(), "calls", in)
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "administer alarms")
	_, err = near.PutPromise(t.Context(), "calls", in)
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "whole network")
	_, err = near.Promises(t.Context())
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "whole network")
	_, err = near.TryPromise(t.Context(), in)
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "whole network")
	for says, bad := range map[string]v1.PromiseRequest{
		"did you mean": {From: "client.vlam = 30", To: "10.1.30.10", Protocol: "udp", Port: 5060},
		"have a port":  {From: "client.vlan = 30", To: "10.1.30.10", Protocol: "udp"},
	} {
		_, err := r.PutPromise(t.Context(), "calls", bad)
		require.Error(t, err)
		assert.Contains(t, err.Error(), says)
	}
	rig.Problem(t, r.RemovePromise(t.Context(), "nothing"), http.StatusNotFound, v1.ProblemNotFound, "nothing")
	assert.Contains(t, strings.Join(r.Audited(t, ""), "\n"), "put-promise")

	c := rig.SignedIn(t, r)
	stations(t, r)
	assert.Contains(t, c.Good("promises").Err, "Nothing is promised yet")
	assert.Regexp(t, `It is (kept|unknown)`, c.Good("promise", "set", "calls", "--from", "client.vlan = 30", "--to", "10.1.30.10", "--always", "udp/5060").Err)
	assert.Contains(t, c.Good("promise", "try", "--from", "client.vlan = 30", "--to", "client.vlan = 20", "--always", "tcp/445").Err, "It is broken")
	assert.Regexp(t, `calls +\w+ +always +client.vlan = 30 +10.1.30.10 +udp/5060`, c.Good("promises").Out)
	assert.Equal(t, 2, c.Run("", "promise", "set", "calls", "--from", "x", "--to", "y").Code)
	assert.Contains(t, c.Good("promise", "remove", "calls").Err, "not promised any more")

	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/policies?view=promises"), browser.Shows("Nothing is promised yet"), browser.Press("Promise something"),
		browser.TypeInto("Title", "Telephones reach no desks"), browser.TypeInto("From", "client.vlan = 30"), browser.TypeInto("Reach", "client.vlan = 20"), browser.Choose("Must", "never"),
		browser.Press("Try it"), browser.Shows("It would be kept now"), browser.Press("Promise it"), browser.Shows("1 promise"), browser.Shows("kept"),
		browser.Press("Remove Telephones"), browser.Shows("Nobody is told any more"), browser.On(`[...document.querySelectorAll("[role=dialog] button")].find(b => b.innerText === "Remove")`, "e.click()"), browser.Shows("Nothing is promised yet"),
	))
	assert.Empty(t, b.Complaints)
}
