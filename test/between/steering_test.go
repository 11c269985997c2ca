package between_test

import (
	"encoding/json"
	"math"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/series"
	"example.net/everypost/internal/core/steering"
	"example.net/everypost/internal/core/voice"
	"example.net/everypost/internal/service/history"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// flowOf waits until traffic of a way goes as it is wanted.
func flowOf(t *testing.T, r *rig.Rig, edge, far string, way int, is func(v1.SteeredFlow) bool) (out v1.SteeredFlow) {
	t.Helper()
	require.Eventually(t, func() bool {
		list, err := r.SteeredFlows(t.Context(), "name = "+edge)
		require.NoError(t, err)
		for _, f := range list.Items {
			if f.Far == far && f.Way == way {
				out = f
				return is(f)
			}
		}
		return false
	}, rig.WaitLong, rig.WaitStep, "it is %+v", &out)
	return out
}

func over(tunnel, why string) func(v1.SteeredFlow) bool {
	return func(f v1.SteeredFlow) bool { return f.Tunnel == tunnel && (why == "" || f.Why == why) }
}

const edgeWays = "ng-edge-01:steering/main"

// Calls get a way of their own by a row: it is checked, pushed and kept; a brown-out moves them and nothing else, which is told; they go back; and what it is
// read back as is what was typed. By all doors, through a restart.
func TestCallsAreSteered(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "hh-edge-01", "hh-edge-01", "ng-edge-01", "ng-sw-01")
	c := rig.SignedIn(t, r)
	flowOf(t, r, "ng-edge-01", "hh-edge-01", 10, over("ng-fibre-hub1", "first"))
	assert.Regexp(t, `ng-edge-01 +10 +application voice +hh-edge-01 +ng-fibre-hub1`, c.Good("steering", "name", "=", "ng-edge-01").Out)

	for text, says := range map[string]string{
		"application voice":            `"over" is missing`,
		"over fibre delay fast":        `"fast" is not a number from 1 to 5000`,
		"over any else drop":           "over any leaves nothing else",
		"over fibre within 9":          "there is no limit that could be broken",
		"over fibre loss 0.123":        "with at most two digits",
		"dscp 64 over fibre":           "is no DSCP",
		"to the hub over fibre":        `"the" is not a prefix`,
		"over fibre delay 5 delay 6":   "was not expected",
		"application Voice! over wan1": "is no category",
	} {
		bad := c.Run("", "rows", "add", edgeWays, text)
		assert.NotZero(t, bad.Code, text)
		assert.Contains(t, bad.Err, says, text)
	}
	none, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, none.Items, "bad rows make no draft")

	// The second line first, and there and back within seconds.
	row := `application voice over wan2,wan1 delay 120 loss 1 within 1 back 2 note "by the second line"`
	c.Good("port", "set", edgeWays, "ways/10="+row)
	draft, err := r.Check(t.Context(), 1)
	require.NoError(t, err)
	require.Len(t, draft.Findings, 1)
	assert.Equal(t, "note", draft.Findings[0].Level)
	assert.Contains(t, draft.Findings[0].What, "application voice would go another way: to hh-edge-01 over ng-fibre2-hub1.")
	tried, err := r.Steering(t.Context(), "ng-edge-01", 1, "10m")
	require.NoError(t, err)
	assert.Equal(t, row, tried.Ways[0].Text)
	flowOf(t, r, "ng-edge-01", "hh-edge-01", 10, over("ng-fibre-hub1", "first")) // nothing moved yet
	kept(t, r, 1)
	flowOf(t, r, "ng-edge-01", "hh-edge-01", 10, over("ng-fibre2-hub1", ""))
	flowOf(t, r, "ng-edge-01", "hh-edge-01", 0, over("ng-fibre-hub1", ""))
	read := r.Asked(t, "ng-edge-01", `<steering xmlns="urn:everypost:yang:ep-wan"><choice><name>main</name></choice></steering>`)
	assert.Contains(t, read, "<number>10</number><application>voice</application><over>wan2</over><over>wan1</over><delay>120</delay><loss>1</loss><within>1</within><back>2</back><note>bythesecondline</note>")

	require.NoError(t, r.World.Throw(standin.BrownOut, "ng-edge-01:wan2"))
	f := flowOf(t, r, "ng-edge-01", "hh-edge-01", 10, over("ng-fibre-hub1", "limit"))
	assert.Equal(t, "application voice", f.Traffic)
	require.Eventually(t, func() bool {
		log, err := r.Log(t.Context(), "name = ng-edge-01", 50)
		require.NoError(t, err)
		return slices.ContainsFunc(log.Items, func(e v1.Event) bool {
			return strings.HasPrefix(e.Text, "ng-edge-01: application voice to hh-edge-01 moved to ng-fibre-hub1: ng-fibre2-hub1 was at ")
		})
	}, rig.WaitLong, rig.WaitStep)
	r.Restart(t)
	c = rig.SignedIn(t, r)
	r.AwaitAll(t)
	flowOf(t, r, "ng-edge-01", "hh-edge-01", 10, over("ng-fibre-hub1", "limit"))
	require.NoError(t, r.World.Throw(standin.Mend, "ng-edge-01:wan2"))
	flowOf(t, r, "ng-edge-01", "hh-edge-01", 10, over("ng-fibre2-hub1", "return"))
	assert.Regexp(t, `(?m)^10,application voice,hh-edge-01,ng-fibre2?-hub1,`, c.Good("steering", "ng-edge-01", "-o", "csv").Out)
	shown := c.Good("steering", "ng-edge-01", "--period", "10m").Out
	assert.Regexp(t, `application voice +hh-edge-01 +ng-fibre2-hub1 +ng-fibre-hub1 +the one before broke a limit +\d+ ms, \d+ ms jitter, \d+\.\d % loss`, shown)
	assert.Regexp(t, `10 +application voice +hh-edge-01 +4\.\d\d +4\.\d\d +never`, shown)

	// An edge that starts anew counts its moves anew, and tells none twice.
	require.NoError(t, r.World.Throw(standin.Reboot, "ng-edge-01"))
	r.AwaitAll(t)
	flowOf(t, r, "ng-edge-01", "hh-edge-01", 10, over("ng-fibre2-hub1", "first"))

	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/between?view=steering"), browser.Shows("application voice"), browser.Shows("ng-fibre2-hub1"),
		browser.Press("ng-edge-01"), browser.Shows(row), browser.Shows("What calls by these ways would have been"), browser.Shows("All edges"),
	))
	assert.Empty(t, b.Complaints)
}

// Who may see one edge sees what goes out of it, and not to whom; who may see no configuration is told of no ways; and nobody goes through years.
func TestWhoMaySeeSteering(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "hh-edge-01", "hh-edge-01", "ng-edge-01")
	flowOf(t, r, "ng-edge-01", "hh-edge-01", 10, over("ng-fibre-hub1", ""))
	near := r.Confine(t, "bram", "administrator", "name = ng-edge-01")
	list, err := near.SteeredFlows(t.Context(), "")
	require.NoError(t, err)
	require.NotEmpty(t, list.Items)
	for _, f := range list.Items {
		assert.Equal(t, [2]string{"ng-edge-01", ""}, [2]string{f.Device, f.Far})
	}
	one, err := near.Steering(t.Context(), "ng-edge-01", 0, "")
	require.NoError(t, err)
	text, err := json.Marshal(one)
	require.NoError(t, err)
	assert.NotContains(t, string(text), "hh-edge-01")
	_, err = near.Steering(t.Context(), "hh-edge-01", 0, "")
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "hh-edge-01")
	for _, period := range []string{"1m", "7d"} {
		_, err = r.Steering(t.Context(), "ng-edge-01", 0, period)
		require.NoError(t, err, period)
	}
	for _, period := range []string{"5s", "9000d", "yesterday", "-1h"} {
		_, err = r.Steering(t.Context(), "ng-edge-01", 0, period)
		rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, "from 1m to 7d")
	}
	_, err = r.Steering(t.Context(), "ng-edge-01", 99, "")
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "")
	require.NoError(t, r.PutRole(t.Context(), "looker", v1.RoleRequest{Rules: []v1.Rule{{Sentence: "allow see on devices"}}}))
	looker := r.As(t, "isla", "looker")
	_, err = looker.Steering(t.Context(), "ng-edge-01", 0, "")
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "")
}

// What is foretold of calls over a time, with a way and without, is what the simulated calls got in it: a day and a half with half a day of brown-out.
func TestWhatIsForetoldOfCallsIsWhatTheyGot(t *testing.T) {
	t.Parallel()
	w, err := standin.New(rig.Only("hh-edge-01", "th-edge-01"), standin.Options{User: rig.DeviceUser, Password: rig.DevicePassword, Seed: 4})
	require.NoError(t, err)
	noon := time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC)
	past, err := w.LiveThrough(t.Context(), 1, noon, []standin.Happening{{After: 10 * time.Hour, Fault: standin.BrownOut, Target: "th-edge-01:wan1"}, {After: 22 * time.Hour, Fault: standin.Mend, Target: "th-edge-01:wan1"}})
	require.NoError(t, err)
	samples := samplesOf(t, past.Points)
	rule := steering.Rule{Over: []string{"fibre", "wifi", "cellular", "satellite"}, Limits: steering.Limits{DelayMs: 150, JitterMs: 30, LossPercent: 1}, Within: 5 * time.Second, Back: time.Minute}
	told := rule.Replay(samples, 5*time.Minute)
	require.Len(t, told.Moves, 2)
	got := func(way int) float64 {
		delay, jitter, loss, _ := w.Call("th-edge-01", "hh-edge-01", way)
		return voice.Rating(voice.Over(delay, jitter, loss, voice.G711))
	}
	assert.InDelta(t, got(10), told.With.Rating, 0.5)
	assert.InDelta(t, got(0), told.Unled.Rating, 2, "the mean of what is not straight is not quite what the mean comes to")
	assert.Greater(t, told.With.Rating, told.Unled.Rating+5)
	assert.InDelta(t, 12, told.Unled.Bad.Hours(), 0.3)
	assert.Less(t, told.With.Bad, 15*time.Minute)
	assert.InDelta(t, 1.0/3, told.Over["th-cellular-hub1"], 0.01)
}

// samplesOf are the paths from Tern Haven to the hub, of what was written down.
func samplesOf(t *testing.T, past []standin.Past) (out []steering.Sample) {
	t.Helper()
	of := map[string]map[string]standin.Past{}
	for _, p := range past {
		if p.Device == "th-edge-01" && p.Part == "tunnel" {
			if of[p.Name] == nil {
				of[p.Name] = map[string]standin.Past{}
			}
			of[p.Name][p.Metric] = p
		}
	}
	require.Len(t, of, 2)
	first := of["th-fibre-hub1"]["up"]
	for i := range first.Mean {
		s := steering.Sample{At: first.From.Add(time.Duration(i) * first.Step)}
		for _, name := range []string{"th-fibre-hub1", "th-cellular-hub1"} {
			at := func(metric string) float64 {
				if list := of[name][metric].Mean; i < len(list) && !math.IsNaN(float64(list[i])) {
					return float64(list[i])
				}
				return 0
			}
			s.Paths = append(s.Paths, steering.Path{Tunnel: name, Underlay: strings.Split(name, "-")[1], Up: at("up") > 0.5, DelayMs: at("delay"), JitterMs: at("jitter"), LossPercent: at("loss")})
		}
		out = append(out, s)
	}
	return out
}

// Of a time in which a circuit was overloaded it is told how calls over it fared, and what the ways of the edge would have made of it; by all doors.
func TestThePastOfPaths(t *testing.T) {
	t.Parallel()
	r := rig.StartOnly(t, "hh-edge-01", "hh-edge-01", "ng-edge-01")
	flowOf(t, r, "ng-edge-01", "hh-edge-01", 10, over("ng-fibre-hub1", ""))
	const steps = 24 // of five minutes
	end := time.Now().UTC().Truncate(time.Hour)
	var list []history.Past
	for tunnel, readings := range map[string]map[string]float64{
		"ng-fibre-hub1": {"delay": 210, "jitter": 24, "loss": 9, "up": 1}, "ng-fibre2-hub1": {"delay": 13, "jitter": 2, "loss": 0.1, "up": 1},
	} {
		for metric, v := range readings {
			list = append(list, history.Past{Thing: series.Thing{Part: series.Tunnel, Name: tunnel}, Metric: metric, From: end.Add(-steps * 5 * time.Minute), Step: 5 * time.Minute, Mean: slices.Repeat([]float64{v}, steps)})
		}
	}
	require.NoError(t, r.Service.History.Import(t.Context(), "ng-edge-01", time.Now(), list))

	strips, err := r.PathStrips(t.Context(), "name = ng-edge-01")
	require.NoError(t, err)
	bad := map[string]int{}
	for _, s := range strips.Items {
		assert.Len(t, s.Steps, 96)
		for _, step := range s.Steps {
			if step == "minor" {
				bad[s.Tunnel]++
			}
		}
	}
	assert.Equal(t, map[string]int{"ng-fibre-hub1": steps / 3}, bad, "so many quarters of an hour")
	c := rig.SignedIn(t, r)
	assert.Regexp(t, `ng-edge-01 ng-fibre-hub1 +\.*\+\+\+\+`, c.Good("day", "--by", "path", "name", "=", "ng-edge-01").Out)

	one, err := r.Steering(t.Context(), "ng-edge-01", 0, "12h")
	require.NoError(t, err)
	i := slices.IndexFunc(one.Replays, func(p v1.SteeringReplay) bool { return p.Way == 10 && p.Far == "hh-edge-01" })
	require.GreaterOrEqual(t, i, 0)
	calls := one.Replays[i]
	assert.Greater(t, calls.Over["ng-fibre2-hub1"], 0.9, "it would have been on the better one from the begin")
	assert.InDelta(t, 7200, calls.Without.BadS, 120)
	assert.Less(t, calls.With.BadS, 300)
	assert.Greater(t, calls.With.Opinion, calls.Without.Opinion+0.4)

	near := r.Confine(t, "bram", "administrator", "name = hh-edge-01")
	theirs, err := near.PathStrips(t.Context(), "")
	require.NoError(t, err)
	for _, s := range theirs.Items {
		assert.Equal(t, "hh-edge-01", s.Device)
	}
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(chromedp.Navigate(r.Base+"/between?scope=name+%3D+ng-edge-01"), browser.Shows("ng-fibre-hub1"),
		chromedp.WaitVisible(`svg[aria-label="Calls over ng-fibre-hub1: out of order for 120 min of 24 hours"]`, chromedp.ByQuery)))
	assert.Empty(t, b.Complaints)
}
