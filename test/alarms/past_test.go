package alarms_test

import (
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// night is an incident of the night before: a cable that was lost for an hour, and what hung behind it.
func night() v1.PastAlarms {
	begin := time.Now().UTC().Add(-20 * time.Hour).Truncate(time.Second)
	seen := begin.Add(10 * time.Minute)
	gone := func(device string) v1.PastAlarm {
		return v1.PastAlarm{Type: "device-gone", Device: device, Severity: "critical", Args: map[string]any{"why": ""}, RaisedAt: begin.Add(time.Second), ClearedAt: begin.Add(time.Hour), Follows: 1}
	}
	return v1.PastAlarms{Alarms: []v1.PastAlarm{
		{Type: "link-down", Device: "th-sw-01", Port: "1/1/49", Severity: "major", Args: map[string]any{"to": "th-sw-02:1/1/25"}, RaisedAt: begin, ClearedAt: begin.Add(time.Hour), Count: 3,
			AckedBy: "the night watch", AckedAt: &seen, Notes: []v1.AlarmNote{{At: seen, By: "the night watch", Text: "the <b>fibre</b> box"}}},
		gone("th-sw-02"), gone("th-ap-01"),
	}}
}

// An incident that is over stays one: what followed from it is told with it, and handed over with it, and it can still be noted.
func TestAnIncidentThatIsOverTellsWhatFollowed(t *testing.T) {
	t.Parallel()
	r, a := cut(t)
	near := r.Confine(t, "bram", "operator", "name = th-sw-02")
	alone, err := near.Alarms(t.Context(), client.AlarmQuery{})
	require.NoError(t, err)
	require.Len(t, alone.Items, 1, "that it follows from something elsewhere does not hide it")
	assert.Equal(t, "th-sw-02", alone.Items[0].Resource)
	counts, err := near.AlarmCounts(t.Context(), "")
	require.NoError(t, err)
	assert.Equal(t, v1.AlarmCounts{Critical: 1}, counts)

	require.NoError(t, r.World.Throw(standin.Mend, "th-sw-02:1/1/25"))
	over := until(t, r, client.AlarmQuery{Over: true}, func(list []v1.Alarm) bool { return len(list) == 1 && list[0].Followers == 2 })
	assert.Equal(t, a.Number, over[0].Number)
	all := until(t, r, client.AlarmQuery{Over: true, All: true}, func(list []v1.Alarm) bool { return len(list) == 3 })
	assert.NotEmpty(t, all)
	_, err = r.ActOnAlarm(t.Context(), a.Number, v1.AlarmAct{Act: "note", Text: "it was the fibre box"})
	require.NoError(t, err)
	text, err := r.HandOver(t.Context(), a.Number)
	require.NoError(t, err)
	for _, says := range []string{"th-ap-01 cannot be reached", "th-sw-02 cannot be reached", "it was the fibre box", "Cleared: "} {
		assert.Contains(t, string(text), says)
	}
}

func TestAlarmsOfThePastAreTakenOver(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t), rig.Attentive)
	c := rig.SignedIn(t, r)
	file := filepath.Join(t.TempDir(), "night.json")
	b, err := json.Marshal(night())
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, b, 0o600))
	assert.Contains(t, c.Good("alarm", "import", file).Err, "Took over 3 alarms.")
	twice := c.Run("", "alarm", "import", file)
	assert.Equal(t, 3, twice.Code)
	assert.Contains(t, twice.Err, "link-down of th-sw-01:1/1/49, raised at")

	r.Restart(t)
	c = rig.SignedIn(t, r)
	open, err := r.Alarms(t.Context(), client.AlarmQuery{})
	require.NoError(t, err)
	assert.Empty(t, open.Items, "nothing of it stands")
	list, err := r.Alarms(t.Context(), client.AlarmQuery{Over: true})
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	a := list.Items[0]
	assert.Equal(t, [5]any{"th-sw-01:1/1/49 has no link to th-sw-02:1/1/25.", "cleared", 2, 3, "the night watch"}, [5]any{a.Text, a.State, a.Followers, a.Count, a.AckedBy})
	assert.Equal(t, time.Hour, a.ClearedAt.Sub(a.RaisedAt))
	out := c.Good("alarm", strconv.FormatInt(a.Number, 10)).Out
	for _, says := range []string{"it stood from", "th-ap-01 cannot be reached", "the night watch the <b>fibre</b> box", "ada took it over from another system"} {
		assert.Contains(t, out, says)
	}
	assert.Contains(t, r.Audited(t, ""), "ada import-alarms th-ap-01 th-sw-01 th-sw-02 done")

	console := rig.OpenConsole(t, r)
	require.NoError(t, console.Run(chromedp.Navigate(r.Base+"/alarms?view=over"), browser.Shows("and 2 that followed from it"),
		browser.Press("Alarm "), browser.Shows("Followed from it"), browser.Shows("the <b>fibre</b> box"), browser.Shows("Hand over"),
		browser.Type(`[aria-label="What you say of it"]`, "the box has a lid now"), browser.Press("Note"), browser.Shows("the box has a lid now")))
	assert.Empty(t, console.Complaints)
}

// What cannot have been is refused with the reason, and then nothing of the list is kept.
func TestAlarmsThatCannotHaveBeenAreRefused(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	for says, spoil := range map[string]func(*v1.PastAlarm){
		`there is no type "flat-tyre"`:               func(a *v1.PastAlarm) { a.Type = "flat-tyre" },
		"before it is raised":                        func(a *v1.PastAlarm) { a.ClearedAt = a.RaisedAt.Add(-time.Second) },
		"th-ap-01 was enrolled at":                   func(a *v1.PastAlarm) { a.ClearedAt = time.Now() },
		"more than 20 years ago":                     func(a *v1.PastAlarm) { a.RaisedAt = a.RaisedAt.AddDate(-21, 0, 0) },
		"follows from alarm 3 of the list":           func(a *v1.PastAlarm) { a.Follows = 3 },
		"has not in its args what is told of a link": func(a *v1.PastAlarm) { a.Type, a.Args = "link-down", nil },
		"noted in the future":                        func(a *v1.PastAlarm) { a.Notes = []v1.AlarmNote{{At: time.Now().Add(time.Hour), By: "x", Text: "x"}} },
		"the name of one of its args":                func(a *v1.PastAlarm) { a.Args[strings.Repeat("x", 41)] = true },
		"args.why is neither text nor a number":      func(a *v1.PastAlarm) { a.Args = map[string]any{"why": []int{1}} },
	} {
		in := night()
		spoil(&in.Alarms[2])
		rig.Problem(t, r.ImportAlarms(t.Context(), in), http.StatusUnprocessableEntity, v1.ProblemInvalid, says)
	}
	in := night()
	in.Alarms[2].Severity = "dreadful"
	assert.ErrorContains(t, r.ImportAlarms(t.Context(), in), "alarms[2].severity: expected value to be one of")
	in = night()
	in.Alarms[2].Device = "th-sw-77"
	rig.Problem(t, r.ImportAlarms(t.Context(), in), http.StatusNotFound, v1.ProblemNotFound, "th-sw-77")
	near := r.Confine(t, "bram", "administrator", "name = th-sw-02")
	rig.Problem(t, near.ImportAlarms(t.Context(), night()), http.StatusNotFound, v1.ProblemNotFound, "")
	rig.Problem(t, r.As(t, "coral", "operator").ImportAlarms(t.Context(), night()), http.StatusForbidden, v1.ProblemForbidden, "administer alarms")
	list, err := r.Alarms(t.Context(), client.AlarmQuery{Over: true})
	require.NoError(t, err)
	assert.Empty(t, list.Items)
	c := rig.SignedIn(t, r)
	for says, text := range map[string]string{"unknown field": `{"alarm": []}`, "holds no alarms": `{"alarms": []}`, "more than what is to be imported": `{"alarms": []} {}`} {
		bad := c.Run(text, "alarm", "import", "-")
		assert.Equal(t, 2, bad.Code)
		assert.Contains(t, bad.Err, says)
	}
}
