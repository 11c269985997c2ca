package jobs_test

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/job"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/service/jobs"
	"example.net/everypost/internal/service/leases"
	"example.net/everypost/internal/store"
	"example.net/everypost/internal/testing/testhouse"
)

// bench is the service on a house, with work that does what a test says and a clock that a test moves.
type bench struct {
	*jobs.Service
	h      *testhouse.House
	access *access.Service
	leases *leases.Leases

	mu   sync.Mutex
	at   time.Time
	done []string // the devices that were worked on, in order
	do   func(ctx context.Context, step job.Step, tell func(job.Step) error) (job.Step, error)
}

var begin = time.Date(2026, 11, 28, 22, 30, 0, 0, time.UTC)

func open(t *testing.T) *bench {
	t.Helper()
	b := &bench{h: testhouse.New(t), at: begin, leases: &leases.Leases{}}
	var err error
	b.access, err = access.New(t.Context(), b.h.Store, b.now, access.Cheap)
	require.NoError(t, err)
	require.NoError(t, b.access.AddUser(t.Context(), access.User{Name: "ada", FullName: "Ada Quill", Role: "administrator"}, "lanterns over the sound"))
	require.NoError(t, b.access.AddUser(t.Context(), access.User{Name: "coral", FullName: "Coral", Role: "administrator", Only: "site = fulmar"}, "lanterns over the sound"))
	require.NoError(t, b.access.AddUser(t.Context(), access.User{Name: "isla", FullName: "Isla", Role: "viewer"}, "lanterns over the sound"))
	b.begin(t)
	t.Cleanup(func() { b.Close() })
	return b
}

// begin starts a life of the service.
func (b *bench) begin(t *testing.T) {
	t.Helper()
	b.Service = jobs.New(jobs.Parts{Store: b.h.Store, Inventory: b.h.Inventory, Access: b.access, Expand: b.h.Groups.Expand, Leases: b.leases, Feed: b.h.Feed, Log: b.h.Log, Now: b.now, Look: 5 * time.Millisecond})
	b.Does(job.Backup, b)
	b.Does(job.Upgrade, b)
	require.NoError(t, b.Start(t.Context()))
}

func (b *bench) now() time.Time {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.at
}

func (b *bench) pass(d time.Duration) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.at = b.at.Add(d)
}

func (b *bench) worked() []string {
	b.mu.Lock()
	defer b.mu.Unlock()
	return append([]string{}, b.done...)
}

// Plan implements jobs.Doer: each device is a wave of its own for upgrades.
func (b *bench) Plan(_ context.Context, j job.Job, devices []string) ([]job.Step, error) {
	var out []job.Step
	for i, d := range devices {
		step := job.Step{Device: d, State: job.StepWaiting}
		if j.Kind == job.Upgrade {
			step.Wave = i
		}
		out = append(out, step)
	}
	return out, nil
}

// Do implements jobs.Doer.
func (b *bench) Do(ctx context.Context, _ job.Job, step job.Step, tell func(job.Step) error) (job.Step, error) {
	b.mu.Lock()
	b.done = append(b.done, step.Device)
	do := b.do
	b.mu.Unlock()
	if do == nil {
		step.State = job.StepDone
		return step, nil
	}
	return do(ctx, step, tell)
}

func (b *bench) make(t *testing.T, k job.Kind, where string, w job.When, args map[string]string) job.Job {
	t.Helper()
	j, err := job.New(k, "ada", "", where, args, w, b.now())
	require.NoError(t, err)
	j, err = b.Make(t.Context(), j)
	require.NoError(t, err)
	return j
}

// stands waits until a run is in a state.
func (b *bench) stands(t *testing.T, run int64, state job.RunState) (job.Run, []job.Step) {
	t.Helper()
	var r job.Run
	var steps []job.Step
	require.Eventually(t, func() bool {
		var err error
		r, steps, err = b.Run(t.Context(), run)
		return err == nil && r.State == state
	}, 20*time.Second, 5*time.Millisecond, "run %d is %s, not %s", run, r.State, state)
	return r, steps
}

func states(steps []job.Step) map[string]job.StepState {
	out := map[string]job.StepState{}
	for _, s := range steps {
		out[s.Device] = s.State
	}
	return out
}

// facts lists what was told of jobs.
func (b *bench) facts(t *testing.T) (out []fact.Code) {
	t.Helper()
	all, err := b.h.Store.FactsAfter(t.Context(), 0, 10000)
	require.NoError(t, err)
	for _, f := range all {
		switch f.What.(type) {
		case fact.JobBegan, fact.JobEnded:
			out = append(out, f.What.Code())
		}
	}
	return out
}

func TestAJobIsDoneNow(t *testing.T) {
	t.Parallel()
	b := open(t)
	b.do = func(_ context.Context, step job.Step, tell func(job.Step) error) (job.Step, error) {
		step.Doing = "looking"
		if err := tell(step); err != nil {
			return step, err
		}
		step.State, step.Note = job.StepUnchanged, "as it was"
		if step.Device == "th-sw-02" {
			return step, errors.New("it does not want to")
		}
		return step, nil
	}
	j := b.make(t, job.Backup, "site = tern-haven", job.When{}, nil)
	assert.Equal(t, job.Over, j.State, "once is once")
	r, steps := b.stands(t, j.LastRun, job.Failed)
	assert.Equal(t, map[string]job.StepState{"th-sw-01": job.StepUnchanged, "th-sw-02": job.StepFailed}, states(steps))
	for _, s := range steps {
		assert.False(t, s.EndedAt.IsZero(), s.Device)
		if s.Device == "th-sw-02" {
			assert.Equal(t, "it does not want to", s.Note)
			assert.Equal(t, "looking", s.Doing, "where it failed")
		}
	}
	assert.Empty(t, r.Why)
	assert.Equal(t, []fact.Code{"job.began", "job.ended"}, b.facts(t))
	_, counts, err := b.Runs(t.Context(), store.RunQuery{Job: j.Number, Limit: 5})
	require.NoError(t, err)
	assert.Equal(t, map[job.StepState]int{job.StepFailed: 1, job.StepUnchanged: 1}, counts[r.Number])

	b.mu.Lock()
	b.do = nil
	b.mu.Unlock()
	again, err := b.Retry(t.Context(), r.Number, "ada")
	require.NoError(t, err)
	again, steps = b.stands(t, again.Number, job.Done)
	assert.Equal(t, map[string]job.StepState{"th-sw-02": job.StepDone}, states(steps), "only what failed")
	assert.Equal(t, r.Number, again.Retries)
	_, err = b.Retry(t.Context(), again.Number, "ada")
	assert.ErrorIs(t, err, jobs.ErrState, "nothing failed there")
}

func TestAJobRecurs(t *testing.T) {
	t.Parallel()
	b := open(t)
	j := b.make(t, job.Backup, "", job.When{Rule: "FREQ=DAILY;BYHOUR=2"}, nil)
	assert.Zero(t, j.LastRun, "not yet")
	assert.Equal(t, begin.Add(3*time.Hour+30*time.Minute), j.NextAt)
	for night := range 3 {
		b.pass(24 * time.Hour)
		require.Eventually(t, func() bool {
			runs, _, err := b.Runs(t.Context(), store.RunQuery{Job: j.Number, Limit: 10})
			return err == nil && len(runs) == night+1 && runs[0].State == job.Done
		}, 20*time.Second, 5*time.Millisecond, "night %d", night)
	}
	assert.Len(t, b.worked(), 9, "three devices, three nights")
	now, err := b.h.Store.Job(t.Context(), j.Number)
	require.NoError(t, err)
	assert.Equal(t, time.Date(2026, 12, 2, 2, 0, 0, 0, time.UTC), now.NextAt)

	require.NoError(t, b.Hold(t.Context(), j.Number, true))
	b.pass(48 * time.Hour)
	require.NoError(t, b.Hold(t.Context(), j.Number, false))
	now, err = b.h.Store.Job(t.Context(), j.Number)
	require.NoError(t, err)
	assert.Equal(t, time.Date(2026, 12, 4, 2, 0, 0, 0, time.UTC), now.NextAt, "what was due meanwhile is left out")
	assert.Len(t, b.worked(), 9)
	require.NoError(t, b.Remove(t.Context(), j.Number))
	_, err = b.h.Store.Job(t.Context(), j.Number)
	assert.ErrorIs(t, err, store.ErrNotFound)
	assert.ErrorIs(t, b.Hold(t.Context(), j.Number, true), store.ErrNotFound)
}

func TestWhatWasDueWhileTheServiceWasDown(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		catchUp bool
		down    time.Duration
		state   job.RunState
	}{
		"is missed":             {false, 5 * time.Hour, job.Missed},
		"is done a little late": {false, 3*time.Hour + 35*time.Minute, job.Done},
		"is caught up":          {true, 50 * time.Hour, job.Done},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			b := open(t)
			j := b.make(t, job.Backup, "", job.When{Rule: "FREQ=DAILY;BYHOUR=2", CatchUp: c.catchUp}, nil)
			b.Close()
			b.pass(c.down)
			b.begin(t)
			var runs []job.Run
			require.Eventually(t, func() bool {
				var err error
				runs, _, err = b.Runs(t.Context(), store.RunQuery{Job: j.Number, Limit: 10})
				return err == nil && len(runs) == 1 && runs[0].State == c.state
			}, 20*time.Second, 5*time.Millisecond)
			now, err := b.h.Store.Job(t.Context(), j.Number)
			require.NoError(t, err)
			assert.True(t, now.NextAt.After(b.now()), "the next is to come")
			if c.state == job.Missed {
				assert.Contains(t, runs[0].Why, "did not run")
				assert.Empty(t, b.worked())
			}
		})
	}
}

// A service that ends in the middle goes on in its next life with what was under way and what was not begun; what is through is not done again.
func TestARunGoesOnInAnotherLife(t *testing.T) {
	t.Parallel()
	b := open(t)
	under := make(chan struct{}, 10)
	b.do = func(ctx context.Context, step job.Step, tell func(job.Step) error) (job.Step, error) {
		if step.Device == "fm-sw-01" {
			step.State = job.StepDone
			return step, nil
		}
		if step.Doing == "sent" { // as it was recorded in the life before
			step.State, step.Note = job.StepDone, "looked how far it was"
			return step, nil
		}
		step.Doing = "sent"
		if err := tell(step); err != nil {
			return step, err
		}
		under <- struct{}{}
		<-ctx.Done()
		return step, ctx.Err()
	}
	j := b.make(t, job.Upgrade, "", job.When{}, map[string]string{"at-once": "1"})
	<-under
	b.Close()
	b.begin(t)
	_, steps := b.stands(t, j.LastRun, job.Running)
	assert.Equal(t, job.StepDone, states(steps)["fm-sw-01"])
	<-under // th-sw-02, which was not begun before
	b.Close()
	b.begin(t)
	_, steps = b.stands(t, j.LastRun, job.Done)
	assert.Equal(t, map[string]job.StepState{"fm-sw-01": job.StepDone, "th-sw-01": job.StepDone, "th-sw-02": job.StepDone}, states(steps))
	assert.Equal(t, []string{"fm-sw-01", "th-sw-01", "th-sw-01", "th-sw-02", "th-sw-02"}, b.worked())
	assert.Equal(t, []fact.Code{"job.began", "job.ended"}, b.facts(t), "told once, whatever lives it took")
}

func TestARunStopsAfterFailures(t *testing.T) {
	t.Parallel()
	b := open(t)
	b.do = func(_ context.Context, step job.Step, _ func(job.Step) error) (job.Step, error) {
		return step, errors.New("no")
	}
	j := b.make(t, job.Upgrade, "", job.When{}, nil)
	r, steps := b.stands(t, j.LastRun, job.Failed)
	assert.Equal(t, map[string]job.StepState{"fm-sw-01": job.StepFailed, "th-sw-01": job.StepSkipped, "th-sw-02": job.StepSkipped}, states(steps))
	assert.Equal(t, "it stopped after 1 failed", r.Why)

	j = b.make(t, job.Upgrade, "", job.When{}, map[string]string{"stop-after": "2"})
	_, steps = b.stands(t, j.LastRun, job.Failed)
	assert.Equal(t, map[string]job.StepState{"fm-sw-01": job.StepFailed, "th-sw-01": job.StepFailed, "th-sw-02": job.StepSkipped}, states(steps))
	again, err := b.Retry(t.Context(), j.LastRun, "ada")
	require.NoError(t, err)
	_, steps = b.stands(t, again.Number, job.Failed)
	assert.Len(t, steps, 3, "what failed, and what was not begun")
}

func TestPauseAndCancel(t *testing.T) {
	t.Parallel()
	b := open(t)
	under, free := make(chan string, 10), make(chan struct{})
	b.do = func(ctx context.Context, step job.Step, _ func(job.Step) error) (job.Step, error) {
		under <- step.Device
		select {
		case <-free:
			step.State = job.StepDone
			return step, nil
		case <-ctx.Done():
			return step, ctx.Err()
		}
	}
	j := b.make(t, job.Upgrade, "", job.When{}, nil)
	assert.Equal(t, "fm-sw-01", <-under)
	assert.True(t, b.leases.Held("fm-sw-01"), "nobody else disturbs it meanwhile")
	require.NoError(t, b.Pause(t.Context(), j.LastRun, true))
	b.stands(t, j.LastRun, job.Paused)
	free <- struct{}{}
	require.Eventually(t, func() bool {
		_, steps, err := b.Run(t.Context(), j.LastRun)
		return err == nil && states(steps)["fm-sw-01"] == job.StepDone
	}, 20*time.Second, 5*time.Millisecond)
	assert.Equal(t, []string{"fm-sw-01"}, b.worked(), "nothing more is begun")
	b.h.Until(func() bool { return !b.leases.Held("fm-sw-01") }, "it is given back")

	_, err := b.Begin(t.Context(), j.Number, "ada")
	require.ErrorIs(t, err, jobs.ErrState, "a run of it goes on")
	require.ErrorIs(t, b.Remove(t.Context(), j.Number), jobs.ErrState)
	b.Close()
	b.begin(t)
	b.stands(t, j.LastRun, job.Paused)
	require.NoError(t, b.Pause(t.Context(), j.LastRun, false))
	assert.Equal(t, "th-sw-01", <-under)
	require.NoError(t, b.Cancel(t.Context(), j.LastRun, "bram"))
	r, steps := b.stands(t, j.LastRun, job.Cancelled)
	assert.Equal(t, "bram cancelled it", r.Why)
	assert.Equal(t, map[string]job.StepState{"fm-sw-01": job.StepDone, "th-sw-01": job.StepFailed, "th-sw-02": job.StepSkipped}, states(steps))
	assert.Equal(t, "somebody cancelled it", steps[1].Note)
	require.ErrorIs(t, b.Cancel(t.Context(), j.LastRun, "bram"), jobs.ErrState, "it is over")
	require.ErrorIs(t, b.Pause(t.Context(), 999, true), store.ErrNotFound)
}

func TestWorkWaitsForItsHours(t *testing.T) {
	t.Parallel()
	b := open(t)
	j := b.make(t, job.Backup, "", job.When{Hours: "sun 02:00-04:00"}, nil)
	b.stands(t, j.LastRun, job.Waiting)
	assert.Empty(t, b.worked())
	b.pass(4 * time.Hour)
	b.stands(t, j.LastRun, job.Done)
	assert.Len(t, b.worked(), 3)
}

func TestWhatIsDisturbedWaitsForOthers(t *testing.T) {
	t.Parallel()
	b := open(t)
	release := b.leases.Take("fm-sw-01")
	j := b.make(t, job.Upgrade, "site = fulmar", job.When{}, nil)
	other := b.make(t, job.Backup, "site = fulmar", job.When{}, nil)
	b.stands(t, other.LastRun, job.Done) // which disturbs nobody
	_, steps, err := b.Run(t.Context(), j.LastRun)
	require.NoError(t, err)
	assert.Equal(t, job.StepWaiting, steps[0].State)
	release()
	b.stands(t, j.LastRun, job.Done)
}

func TestNoDeviceIsDisturbedByTwoAtOnce(t *testing.T) {
	t.Parallel()
	b := open(t)
	var at, most, done atomic.Int32
	b.do = func(_ context.Context, step job.Step, tell func(job.Step) error) (job.Step, error) {
		most.Store(max(most.Load(), at.Add(1)))
		for range 5 { // others have their chance meanwhile
			if err := tell(step); err != nil {
				return step, err
			}
		}
		at.Add(-1)
		done.Add(1)
		step.State = job.StepDone
		return step, nil
	}
	var runs []int64
	for range 8 {
		runs = append(runs, b.make(t, job.Upgrade, "site = fulmar", job.When{}, nil).LastRun)
	}
	for _, r := range runs {
		b.stands(t, r, job.Done)
	}
	assert.EqualValues(t, 1, most.Load())
	assert.EqualValues(t, 8, done.Load())
	assert.False(t, b.leases.Held("fm-sw-01"))
}

// A job works by the rights of its owner as they are when it is done.
func TestAJobWorksByTheRightsOfItsOwner(t *testing.T) {
	t.Parallel()
	b := open(t)
	of := func(owner, where string) (job.Job, error) {
		j, err := job.New(job.Backup, owner, "", where, nil, job.When{}, b.now())
		require.NoError(t, err)
		return b.Make(t.Context(), j)
	}
	j, err := of("coral", "")
	require.NoError(t, err)
	_, steps := b.stands(t, j.LastRun, job.Done)
	assert.Equal(t, map[string]job.StepState{"fm-sw-01": job.StepDone}, states(steps), "what she may")
	_, err = of("coral", "site = tern-haven")
	require.ErrorContains(t, err, "picks no device on which coral has the right")
	_, err = of("isla", "")
	require.Error(t, err)
	_, err = of("nobody", "")
	require.ErrorContains(t, err, "not a user any more")
	_, err = of("ada", "site = ")
	require.Error(t, err)

	daily, err := job.New(job.Backup, "coral", "", "", nil, job.When{Rule: "FREQ=DAILY;BYHOUR=2"}, b.now())
	require.NoError(t, err)
	daily, err = b.Make(t.Context(), daily)
	require.NoError(t, err)
	require.NoError(t, b.access.RemoveUser(t.Context(), "coral"))
	b.pass(24 * time.Hour)
	require.Eventually(t, func() bool {
		runs, _, err := b.Runs(t.Context(), store.RunQuery{Job: daily.Number, Limit: 1})
		return err == nil && len(runs) == 1 && runs[0].State == job.Failed && runs[0].Why != ""
	}, 20*time.Second, 5*time.Millisecond, "it cannot begin, and says so")
}

func TestARunAtATime(t *testing.T) {
	t.Parallel()
	b := open(t)
	free := make(chan struct{})
	b.do = func(_ context.Context, step job.Step, _ func(job.Step) error) (job.Step, error) {
		<-free
		step.State = job.StepDone
		return step, nil
	}
	j := b.make(t, job.Backup, "site = fulmar", job.When{Rule: "FREQ=DAILY;BYHOUR=2"}, nil)
	r, err := b.Begin(t.Context(), j.Number, "bram")
	require.NoError(t, err)
	assert.Equal(t, "bram", r.By)
	b.pass(4 * time.Hour)
	require.Eventually(t, func() bool {
		runs, _, err := b.Runs(t.Context(), store.RunQuery{Job: j.Number, Limit: 10})
		return err == nil && len(runs) == 2 && runs[0].State == job.Missed
	}, 20*time.Second, 5*time.Millisecond, "the run before still went on")
	close(free)
	b.stands(t, r.Number, job.Done)
	now, err := b.h.Store.Job(t.Context(), j.Number)
	require.NoError(t, err)
	assert.Equal(t, job.Active, now.State)
	assert.True(t, now.NextAt.After(b.now()))
}
