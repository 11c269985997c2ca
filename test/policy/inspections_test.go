package policy_test

import (
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// foundOf waits until an inspection found something, and did something about it.
func foundOf(t *testing.T, r *rig.Rig, what string, is func(v1.InspectionFound) bool) (out v1.InspectionFound) {
	t.Helper()
	require.Eventually(t, func() bool {
		p, err := r.Policy(t.Context(), "ng-fw-01")
		require.NoError(t, err)
		for _, f := range p.Found {
			if f.What == what && is(f) {
				out = f
				return true
			}
		}
		return false
	}, rig.WaitLong, rig.WaitStep, "nothing of %s", what)
	return out
}

// What an inspection looks for is logged, slowed down or stopped in sessions that a rule lets begin; each as its counters and an independent client
// tell.
func TestInspections(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	const surfing = "ng-fw-01:inspection/surfing"
	assert.Equal(t, "surfing", foundOf(t, r, "category news", func(f v1.InspectionFound) bool { return f.Logged > 0 }).Inspection)
	p, err := r.Policy(t.Context(), "ng-fw-01")
	require.NoError(t, err)
	for _, rule := range p.List {
		assert.Equal(t, rule.Number == 70, rule.Inspect == "surfing", "rule %d", rule.Number)
	}
	r.PushAndKeep(t, r.Draft(t, [3]string{surfing, "application-limit", "tide-tables=64k"}))
	foundOf(t, r, "application tide-tables", func(f v1.InspectionFound) bool { return f.Limited > 0 })
	r.PushAndKeep(t, r.Draft(t, [3]string{surfing, "web-block", "news"}))
	foundOf(t, r, "category news", func(f v1.InspectionFound) bool { return f.Blocked > 0 })
	r.PushAndKeep(t, r.Draft(t, [3]string{surfing, "application-block", "tide-tables"}))
	foundOf(t, r, "application tide-tables", func(f v1.InspectionFound) bool { return f.Blocked > 0 })
	read := r.Asked(t, "ng-fw-01", `<firewall xmlns="urn:everypost:yang:ep-firewall"><inspection/></firewall>`)
	assert.Contains(t, read, "<application>tide-tables</application>")
	assert.Contains(t, read, "<limit>tide-tables=64k</limit>")

	cli := rig.SignedIn(t, r)
	assert.Regexp(t, `surfing +application tide-tables +\d+ +\d+`, cli.Good("policy", "ng-fw-01", "--found").Out)
	assert.Contains(t, cli.Good("policy", "ng-fw-01").Out, "inspect surfing")
	assert.Contains(t, cli.Good("policy", "ng-fw-01", "--names").Out, "blocks tide-tables")
	for says, args := range map[string][]string{
		"64k to 100G":         {surfing, "application-limit=tide-tables=7"},
		"with a rate":         {surfing, "application-limit=tide-tables"},
		"cannot be inspected": {policy, "rules/5=deny from office to outside inspect surfing"},
		"1 to 10000":          {surfing, "file-limit=0"},
		"off, critical":       {surfing, "intrusion=grave"},
	} {
		bad := cli.Run("", append([]string{"port", "set"}, args...)...)
		assert.NotZero(t, bad.Code, "%v", args)
		assert.Contains(t, bad.Err, says)
	}
	used := cli.Run("", "port", "set", surfing, "present=off")
	assert.Contains(t, used.Err+used.Out, "rule 70 of the policy", "it is in use")
	c := r.Draft(t, [3]string{policy, "rules/75", "allow from office to outside inspect nothing-such"})
	assert.Equal(t, "stop", level(c, "firewall:"+policy+":75:inspection/nothing-such"))

	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/policies?firewall=ng-fw-01"), browser.Shows("inspected by surfing"), browser.Press("Inspections"), browser.Shows("application tide-tables"), browser.Shows("what nobody surfs to"),
	))
	assert.Empty(t, b.Complaints)
}
