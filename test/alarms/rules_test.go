package alarms_test

import (
	"net/http"
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

// A rule of the house raises an alarm of a reading, over a restart too; and its alarms are over with it.
func TestARuleOfTheHouse(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t), rig.Attentive)
	dark := v1.AlarmRuleRequest{Pick: `port.description ~ "Camera*"`, Part: "port", Metric: "up", Is: "below", Limit: 1, Back: 1, Severity: "major", Effect: "Nobody sees the quay."}
	_, err := r.PutAlarmRule(t.Context(), "cameras-up", dark)
	require.NoError(t, err)
	ours := func(list []v1.Alarm) (out []v1.Alarm) {
		for _, a := range list {
			if a.Type == "own-rule" {
				out = append(out, a)
			}
		}
		return out
	}
	const spare = 2 // camera ports with nothing plugged in, one at each switch
	until(t, r, client.AlarmQuery{All: true}, func(list []v1.Alarm) bool { return len(ours(list)) == spare })
	require.NoError(t, r.World.Throw(standin.Cut, "th-sw-02:1/1/17"))
	list := ours(until(t, r, client.AlarmQuery{All: true}, func(list []v1.Alarm) bool { return len(ours(list)) == spare+1 }))
	var a v1.Alarm
	for _, one := range list {
		if one.Resource == "th-sw-02:1/1/17" {
			a = one
		}
	}
	assert.Equal(t, [4]string{"major", "th-sw-02:1/1/17: up is 0, below 1 (rule cameras-up).", "Nobody sees the quay.", "open"}, [4]string{a.Severity, a.Text, a.Effect, a.State})

	r.Restart(t)
	list = ours(until(t, r, client.AlarmQuery{All: true}, func(list []v1.Alarm) bool { return len(ours(list)) == spare+1 }))
	for _, one := range list {
		assert.Equal(t, 1, one.Count, "it is raised once")
	}
	require.NoError(t, r.World.Throw(standin.Mend, "th-sw-02:1/1/17"))
	until(t, r, client.AlarmQuery{All: true}, func(list []v1.Alarm) bool { return len(ours(list)) == spare })

	// Hysteresis, duration and absence are the core's; that a rule goes with its alarms is the service's.
	require.NoError(t, r.RemoveAlarmRule(t.Context(), "cameras-up"))
	until(t, r, client.AlarmQuery{All: true}, func(list []v1.Alarm) bool { return len(ours(list)) == 0 })
	rig.Problem(t, r.RemoveAlarmRule(t.Context(), "cameras-up"), http.StatusNotFound, v1.ProblemNotFound, "cameras-up")
}

func TestRulesAreRefusedWithTheReason(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t), rig.Attentive)
	good := v1.AlarmRuleRequest{Part: "device", Metric: "cpu", Is: "above", Limit: 80, Back: 70, Severity: "minor"}
	for says, change := range map[string]func(*v1.AlarmRuleRequest){
		"there is no reading device.rx":    func(r *v1.AlarmRuleRequest) { r.Metric = "rx" },
		"unknown field":                    func(r *v1.AlarmRuleRequest) { r.Pick = "sitte = x" },
		"over at that or below, not at 90": func(r *v1.AlarmRuleRequest) { r.Back = 90 },
		"after a minute at the earliest":   func(r *v1.AlarmRuleRequest) { r.Is = "absent" },
	} {
		bad := good
		change(&bad)
		_, err := r.PutAlarmRule(t.Context(), "x", bad)
		require.Error(t, err, says)
		assert.ErrorContains(t, err, says)
		_, err = r.TryAlarmRule(t.Context(), bad)
		assert.ErrorContains(t, err, says, "tried")
	}
	list, err := r.AlarmRules(t.Context())
	require.NoError(t, err)
	assert.Empty(t, list.Items)
	for who, c := range map[string]*client.Client{"sees": r.As(t, "coral", "viewer"), "afar": r.Confine(t, "esker", "administrator", "site = harbour-house")} {
		_, err := c.AlarmRules(t.Context())
		rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "")
		_, err = c.PutAlarmRule(t.Context(), "x", good)
		rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "")
		_, err = c.TryAlarmRule(t.Context(), good)
		rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "")
		rig.Problem(t, c.RemoveAlarmRule(t.Context(), "x"), http.StatusForbidden, v1.ProblemForbidden, "")
		_ = who
	}
}

func TestRulesByCommandAndConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t), rig.Attentive)
	c := rig.SignedIn(t, r)
	require.Eventually(t, func() bool { // there is something kept to look through
		return c.Run("", "alarm-rule", "try", "--reading", "device.cpu", "--above", "0").Code == 0 && len(c.Good("alarm-rule", "try", "--reading", "device.cpu", "--above", "0", "-o", "csv").Out) > 40
	}, rig.WaitLong, rig.WaitStep)
	no := c.Run("no\n", "alarm-rule", "set", "warm", "--reading", "device.temperature", "--above", "55", "--for", "5m")
	assert.Equal(t, 3, no.Code)
	assert.Contains(t, no.Err, "In the last 7 days: 0 alarms, of 5 readings looked at in steps of 10m0s.")
	assert.Contains(t, c.Good("alarm-rules").Err, "no rules of the house")
	c.Good("alarm-rule", "set", "busy", "--reading", "port.tx", "--where", "port.up = true", "--above", "8G", "--back", "6.5G", "--yes")
	assert.Contains(t, c.Good("alarm-rules").Out, "port.tx is above 8G, until 6.5G")
	assert.Equal(t, 2, c.Run("", "alarm-rule", "set", "x", "--reading", "cpu", "--above", "1").Code)
	assert.Equal(t, 2, c.Run("", "alarm-rule", "set", "x", "--reading", "device.cpu").Code)
	assert.Equal(t, 2, c.Run("", "alarm-rule", "set", "x", "--reading", "device.cpu", "--above", "1", "--below", "2").Code)
	assert.Contains(t, c.Run("", "alarm-rule", "set", "x", "--reading", "device.cpu", "--above", "x").Err, "write it like 70, 2.5 or 8G")

	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/alarms?view=rules"), browser.Shows("1 rule of the house"),
		browser.Press("New rule"), browser.TypeInto("Name", "low-cpu"), browser.TypeInto("Limit", "0"),
		browser.Press("Try it"), browser.Shows("in the last 7 days"),
		browser.TypeInto("Of ports", "prot.up = true"), browser.Press("Set"), browser.Shows("did you mean"), // nothing typed is lost
		browser.On(`document.activeElement?.tagName === "INPUT" ? document.activeElement : [...document.querySelectorAll("input")].find(i => i.value.startsWith("prot"))`, `e.focus(), e.select()`), chromedp.KeyEvent("port.up = true"), browser.Press("Set"), browser.Shows("2 rules of the house"),
	))
	assert.Contains(t, c.Good("alarm-rules").Out, "low-cpu")
	c.Good("alarm-rule", "remove", "low-cpu")
}
