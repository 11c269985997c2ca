package job_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/job"
)

var made = time.Date(2026, 11, 28, 22, 30, 0, 0, time.UTC) // a Saturday

func moment(t *testing.T, s string) time.Time {
	t.Helper()
	at, err := time.Parse("2006-01-02 15:04 MST", s)
	require.NoError(t, err)
	return at.UTC()
}

func TestWhenItIsDue(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		when  job.When
		times []string // the first, and those after it
		text  string
	}{
		"at once":          {job.When{}, []string{"2026-11-28 22:30 UTC"}, "at once"},
		"then":             {job.When{At: moment(t, "2026-12-01 02:00 UTC")}, []string{"2026-12-01 02:00 UTC"}, "on 1 Dec 2026 02:00"},
		"then, long ago":   {job.When{At: moment(t, "2026-11-01 02:00 UTC")}, []string{"2026-11-28 22:30 UTC"}, "on 1 Nov 2026 02:00"},
		"each night":       {job.When{Rule: "FREQ=DAILY;BYHOUR=2"}, []string{"2026-11-29 02:00 UTC", "2026-11-30 02:00 UTC"}, "every day at 02:00"},
		"with its name":    {job.When{Rule: "rrule:freq=daily;byhour=2;byminute=15"}, []string{"2026-11-29 02:15 UTC"}, "every day at 02:15"},
		"in the zone":      {job.When{Rule: "FREQ=DAILY;BYHOUR=2", Zone: "Asia/Tokyo"}, []string{"2026-11-29 17:00 UTC", "2026-11-30 17:00 UTC"}, "every day at 02:00 (Asia/Tokyo)"},
		"weekdays":         {job.When{Rule: "FREQ=WEEKLY;BYDAY=MO,WE;BYHOUR=6"}, []string{"2026-11-30 06:00 UTC", "2026-12-02 06:00 UTC", "2026-12-07 06:00 UTC"}, "every Monday, Wednesday at 06:00"},
		"each month":       {job.When{Rule: "FREQ=MONTHLY;BYMONTHDAY=1;BYHOUR=4"}, []string{"2026-12-01 04:00 UTC", "2027-01-01 04:00 UTC"}, "on day 1 of every month at 04:00"},
		"from then on":     {job.When{Rule: "FREQ=DAILY;BYHOUR=2", At: moment(t, "2026-12-24 00:00 UTC")}, []string{"2026-12-24 02:00 UTC", "2026-12-25 02:00 UTC"}, "every day at 02:00"},
		"every other week": {job.When{Rule: "FREQ=WEEKLY;INTERVAL=2", At: moment(t, "2026-12-01 02:00 UTC")}, []string{"2026-12-01 02:00 UTC", "2026-12-15 02:00 UTC"}, "FREQ=WEEKLY;INTERVAL=2"},
		"twice":            {job.When{Rule: "FREQ=DAILY;COUNT=2;BYHOUR=2"}, []string{"2026-11-29 02:00 UTC", "2026-11-30 02:00 UTC", ""}, "FREQ=DAILY;COUNT=2;BYHOUR=2"},
		"each hour":        {job.When{Rule: "FREQ=HOURLY"}, []string{"2026-11-28 22:30 UTC", "2026-11-28 23:30 UTC"}, "every hour"},
		"clocks go on":     {job.When{Rule: "FREQ=DAILY;BYHOUR=2", Zone: "Europe/London", At: moment(t, "2026-10-24 00:00 UTC"), Hours: "mon-fri 22:00-24:00"}, []string{"2026-11-29 02:00 UTC"}, "every day at 02:00 (Europe/London), only mon-fri 22:00-24:00"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			j, err := job.New(job.Backup, "ada", "", "", nil, c.when, made)
			require.NoError(t, err)
			at := j.NextAt
			for i, want := range c.times {
				if i > 0 {
					at = c.when.After(made, at)
				}
				if want == "" {
					assert.Zero(t, at, "it is over")
					continue
				}
				assert.Equal(t, moment(t, want), at, "time %d", i+1)
			}
			assert.Equal(t, c.text, c.when.String())
			if c.when.Rule == "" {
				assert.Zero(t, c.when.After(made, at))
			}
		})
	}
}

func TestHoursAreOfTheZone(t *testing.T) {
	t.Parallel()
	w := job.When{Hours: "sun 02:00-04:00", Zone: "Asia/Tokyo"}
	assert.True(t, w.Open(moment(t, "2026-11-28 17:30 UTC")), "Sunday 02:30 there")
	assert.False(t, w.Open(moment(t, "2026-11-29 02:30 UTC")))
	assert.True(t, job.When{}.Open(made), "at any time")
}

func TestWhatIsNoJob(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		kind  job.Kind
		title string
		where string
		args  map[string]string
		when  job.When
		says  string
	}{
		"kind":        {kind: "polish", says: `no kind "polish"`},
		"title":       {kind: job.Backup, title: strings.Repeat("x", 121), says: "at most 120"},
		"two lines":   {kind: job.Backup, title: "a\nb", says: "no single line"},
		"selector":    {kind: job.Backup, where: strings.Repeat("x", 4001), says: "too long"},
		"argument":    {kind: job.Backup, args: map[string]string{"colour": "red"}, says: `takes no "colour"`},
		"number":      {kind: job.Backup, args: map[string]string{"at-once": "0"}, says: "at-once"},
		"zone":        {kind: job.Backup, when: job.When{Zone: "Mars/Olympus"}, says: "no time zone"},
		"this zone":   {kind: job.Backup, when: job.When{Zone: "Local"}, says: "no time zone"},
		"hours":       {kind: job.Backup, when: job.When{Hours: "sometimes"}, says: "its hours"},
		"rule":        {kind: job.Backup, when: job.When{Rule: "at night"}, says: "RFC 5545"},
		"each second": {kind: job.Backup, when: job.When{Rule: "FREQ=SECONDLY"}, says: "by the hour at most"},
		"each minute": {kind: job.Backup, when: job.When{Rule: "freq=minutely"}, says: "by the hour at most"},
		"too often":   {kind: job.Backup, when: job.When{Rule: "FREQ=HOURLY;BYMINUTE=1,2,3"}, says: "at most each 5m0s"},
		"long rule":   {kind: job.Backup, when: job.When{Rule: "FREQ=DAILY;BYHOUR=" + strings.Repeat("1,", 200) + "2"}, says: "longer than"},
		"never":       {kind: job.Backup, when: job.When{Rule: "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30"}, says: "never be done"},
		"long past":   {kind: job.Backup, when: job.When{Rule: "FREQ=DAILY;UNTIL=20200101T000000Z"}, says: "never be done"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			_, err := job.New(c.kind, "ada", c.title, c.where, c.args, c.when, made)
			require.ErrorIs(t, err, job.ErrInvalid)
			assert.ErrorContains(t, err, c.says)
		})
	}
}

func TestWhatIsNotSaidIsFilledIn(t *testing.T) {
	t.Parallel()
	j, err := job.New(job.Backup, "ada", "  ", " site = fulmar ", nil, job.When{}, made)
	require.NoError(t, err)
	assert.Equal(t, "Back up", j.Title)
	assert.Equal(t, "site = fulmar", j.Where)
	assert.Equal(t, map[string]string{"at-once": "8"}, j.Args)
	for _, k := range job.Kinds() {
		for _, p := range k.Params {
			_, err := p.Value.Normal(p.Default)
			assert.NoError(t, err, "%s %s", k.Kind, p.Name)
		}
	}
}

// Whatever fails, no wave is begun before those of the wave before are through, never more at once than said, nothing after as many failed as stop
// it, and each run comes to an end in which every device is accounted for.
func TestStepsAreBegunInOrder(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		steps := make([]job.Step, rapid.IntRange(1, 20).Draw(t, "steps"))
		for i := range steps {
			steps[i] = job.Step{State: job.StepWaiting, Wave: rapid.IntRange(0, 4).Draw(t, "wave")}
		}
		atOnce, stopAfter := rapid.IntRange(1, 6).Draw(t, "at once"), rapid.IntRange(0, 4).Draw(t, "stop after")
		for range 10 * len(steps) {
			begin, stop := job.Next(steps, atOnce, stopAfter)
			if stop {
				require.Empty(t, begin)
				require.GreaterOrEqual(t, job.Counts(steps)[job.StepFailed], stopAfter)
			}
			for _, i := range begin {
				require.Equal(t, job.StepWaiting, steps[i].State)
				steps[i].State = job.StepRunning
				for _, o := range steps {
					if o.Wave < steps[i].Wave {
						require.NotContains(t, []job.StepState{job.StepWaiting, job.StepRunning}, o.State, "an earlier wave is not through")
					}
				}
			}
			require.LessOrEqual(t, job.Counts(steps)[job.StepRunning], atOnce)
			running := []int{}
			for i, s := range steps {
				if s.State == job.StepRunning {
					running = append(running, i)
				}
			}
			if len(running) == 0 {
				break
			}
			steps[rapid.SampledFrom(running).Draw(t, "ends")].State = rapid.SampledFrom([]job.StepState{job.StepDone, job.StepUnchanged, job.StepFailed}).Draw(t, "as")
		}
		n := job.Counts(steps)
		require.Zero(t, n[job.StepRunning])
		if n[job.StepWaiting] > 0 {
			require.Positive(t, stopAfter)
			require.GreaterOrEqual(t, n[job.StepFailed], stopAfter)
		}
		if got := job.Outcome(steps, false); n[job.StepFailed] > 0 {
			require.Equal(t, job.Failed, got)
		} else {
			require.Equal(t, job.Done, got)
		}
		require.Equal(t, job.Cancelled, job.Outcome(steps, true))
	})
}
