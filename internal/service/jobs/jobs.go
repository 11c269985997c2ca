// Package jobs does work on many devices: now, at a time, or again and again; wave by wave, with what came of it on each device. What is done on a
// device is known by others (Doer); the engine knows when, where, how many at once, and what goes on after the service was killed.
//
// Each step is recorded before it is begun. What was under way when the service stopped is begun again, so a Doer looks first how far it had come.
package jobs

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/job"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/service/leases"
	"example.net/everypost/internal/service/permission"
	"example.net/everypost/internal/store"
)

// Doer does what jobs of a kind do.
type Doer interface {
	// Plan says which steps there are, and in which waves.
	Plan(ctx context.Context, j job.Job, devices []string) ([]job.Step, error)
	// Do does a step and returns what came of it. tell records what is done at the moment, and fails where that cannot be recorded: then
	// nothing more may be done. An error says why the step failed. When ctx ends it stops where it can.
	Do(ctx context.Context, j job.Job, step job.Step, tell func(job.Step) error) (job.Step, error)
}

var (
	// ErrState tells that something cannot be done to a job or a run as it stands.
	ErrState = errors.New("that cannot be done to it as it stands")
	// ErrInvalid tells that a job is none.
	ErrInvalid = job.ErrInvalid
)

const (
	maxJobs   = 500 // that are not over
	pastGrace = 10 * time.Minute
)

// Parts are what the service is made of.
type Parts struct {
	Store     *store.Store
	Inventory *inventory.Service
	Access    *access.Service
	Expand    func(context.Context, selector.Expr) (selector.Expr, error) // groups in selectors
	Leases    *leases.Leases
	Feed      *feed.Feed
	Log       *slog.Logger
	Now       func() time.Time
	Look      time.Duration // between looks at what is due and what may be begun; a second when 0
}

// Service is the capability. Make it with New, give it its kinds by Does, and Start it.
type Service struct {
	Parts
	doers map[job.Kind]Doer
	began time.Time

	ctx  context.Context
	stop context.CancelFunc
	wg   sync.WaitGroup

	beginning sync.Mutex // whether a run may begin is decided, and it is begun, by one at a time

	mu   sync.Mutex
	open map[int64]*run
}

// New returns the service.
func New(p Parts) *Service {
	ctx, stop := context.WithCancel(context.Background())
	if p.Look == 0 {
		p.Look = time.Second
	}
	return &Service{Parts: p, doers: map[job.Kind]Doer{}, ctx: ctx, stop: stop, open: map[int64]*run{}}
}

// Does says who does what jobs of a kind do.
func (s *Service) Does(k job.Kind, d Doer) { s.doers[k] = d }

// Kinds lists what can be done.
func (s *Service) Kinds() []job.About {
	return slices.DeleteFunc(job.Kinds(), func(a job.About) bool { return s.doers[a.Kind] == nil })
}

// Start takes up what an earlier life left going on, and begins what is due.
func (s *Service) Start(ctx context.Context) error {
	s.began = s.now()
	left, err := s.Store.Runs(ctx, store.RunQuery{Open: true, Limit: math.MaxInt32})
	if err != nil {
		return err
	}
	for _, r := range slices.Backward(left) {
		j, err := s.Store.Job(ctx, r.Job)
		if err != nil {
			return err
		}
		steps, err := s.Store.Steps(ctx, r.Number)
		if err != nil {
			return err
		}
		for i := range steps {
			if steps[i].State == job.StepRunning {
				steps[i].State = job.StepWaiting // what it was doing stays: who does it looks how far it had come
			}
		}
		s.lead(j, r, steps)
	}
	s.wg.Go(s.await)
	return nil
}

// Close stops what goes on, to be taken up later, and waits for it.
func (s *Service) Close() {
	s.stop()
	s.wg.Wait()
}

func (s *Service) now() time.Time { return s.Now().UTC().Truncate(time.Microsecond) }

// await begins what is due.
func (s *Service) await() {
	tick := time.NewTicker(s.Look)
	defer tick.Stop()
	for {
		due, err := s.Store.DueJobs(s.ctx, s.now())
		if err != nil && s.ctx.Err() == nil {
			s.Log.Error("it is not known which jobs are due", "err", err)
		}
		for _, j := range due {
			if err := s.due(j.Number); err != nil && s.ctx.Err() == nil {
				s.Log.Error("a job could not be begun", "job", j.Number, "err", err)
			}
		}
		select {
		case <-tick.C:
		case <-s.ctx.Done():
			return
		}
	}
}

// due begins a job, or keeps that it was missed.
func (s *Service) due(number int64) error {
	s.beginning.Lock()
	defer s.beginning.Unlock()
	j, err := s.Store.Job(s.ctx, number)
	if err != nil {
		return err
	}
	at := j.NextAt
	switch {
	case j.State != job.Active || at.IsZero() || at.After(s.now()):
		return nil // another one began it, or holds it
	case s.began.Sub(at) > pastGrace && !j.When.CatchUp:
		return s.miss(j, "the service did not run when it was due")
	case s.openOf(j.Number) != nil:
		return s.miss(j, "the run before still went on when it was due")
	}
	_, err = s.begin(s.ctx, j, job.Run{DueAt: at}, nil)
	return err
}

func (s *Service) openOf(number int64) *run {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, r := range s.open {
		if r.job.Number == number {
			return r
		}
	}
	return nil
}

// onward is a job after it was due: when it is so again, or that it is over.
func (s *Service) onward(j job.Job) job.Job {
	if !j.NextAt.IsZero() {
		j.NextAt = j.When.After(j.Made, s.now())
	}
	if j.NextAt.IsZero() {
		j.State = job.Over
	}
	return j
}

func (s *Service) miss(j job.Job, why string) error {
	r := job.Run{Job: j.Number, State: job.Missed, DueAt: j.NextAt, BegunAt: s.now(), EndedAt: s.now(), Why: why}
	_, err := s.Store.AddRun(s.ctx, s.onward(j), r, nil, func(r job.Run) []fact.Fact { return []fact.Fact{s.ended(j, r, nil)} })
	s.Feed.Recorded()
	s.told(j.Number)
	return err
}

// devicesIn is how many devices the steps of a job are about.
func devicesIn(j job.Job, steps []job.Step) int {
	if about, _ := job.Of(j.Kind); about.Elsewhere {
		return 0
	}
	return len(steps)
}

func (s *Service) ended(j job.Job, r job.Run, steps []job.Step) fact.Fact {
	n := job.Counts(steps)
	return fact.Of(r.EndedAt, fact.TheJob(j.Number), fact.JobEnded{Title: j.Title, Run: r.Number, State: string(r.State), Why: r.Why,
		Devices: devicesIn(j, steps), Failed: n[job.StepFailed], Skipped: n[job.StepSkipped]})
}

// begin begins a run of a job, of these devices or, where only is nil, of those that it picks now.
func (s *Service) begin(ctx context.Context, j job.Job, r job.Run, only []string) (job.Run, error) {
	r.Job, r.BegunAt, r.State = j.Number, s.now(), job.Running
	if r.DueAt.IsZero() {
		r.DueAt = r.BegunAt
	}
	steps, err := s.plan(ctx, j, only)
	if err != nil {
		if ctx.Err() != nil {
			return r, err
		}
		r.State, r.Why, r.EndedAt = job.Failed, strings.TrimPrefix(err.Error(), ErrInvalid.Error()+": "), s.now()
	}
	kept := j
	if r.By == "" {
		kept = s.onward(j)
	}
	r, err = s.Store.AddRun(ctx, kept, r, steps, func(r job.Run) []fact.Fact {
		if r.EndedAt.IsZero() {
			return []fact.Fact{fact.Of(r.BegunAt, fact.TheJob(j.Number), fact.JobBegan{Title: j.Title, Run: r.Number, Devices: devicesIn(j, steps), By: r.By})}
		}
		return []fact.Fact{s.ended(j, r, steps)}
	})
	if err != nil {
		return r, err
	}
	if r.EndedAt.IsZero() {
		kept.LastRun = r.Number
		s.lead(kept, r, steps)
	}
	s.Feed.Recorded()
	s.told(j.Number)
	return r, nil
}

func (s *Service) plan(ctx context.Context, j job.Job, only []string) ([]job.Step, error) {
	if about, _ := job.Of(j.Kind); about.Elsewhere {
		if p, err := s.owner(ctx, j); err != nil || !p.May(rights.Operate, about.Feature) {
			return nil, cmp.Or(err, fmt.Errorf("%w: its owner %s has no right to %s", ErrInvalid, j.Owner, need(j)))
		}
		return s.doers[j.Kind].Plan(ctx, j, nil)
	}
	devices, err := s.Picks(ctx, j)
	if err != nil {
		return nil, err
	}
	if only != nil {
		devices = slices.DeleteFunc(devices, func(d string) bool { return !slices.Contains(only, d) })
	}
	if len(devices) == 0 {
		return nil, fmt.Errorf("%w: it picks no device on which %s has the right to %s", ErrInvalid, j.Owner, need(j))
	}
	return s.doers[j.Kind].Plan(ctx, j, devices)
}

// Plan tells what a job would do now.
func (s *Service) Plan(ctx context.Context, j job.Job) ([]job.Step, error) {
	if s.doers[j.Kind] == nil {
		return nil, fmt.Errorf("%w: nothing here does a %s", ErrInvalid, j.Kind)
	}
	return s.plan(ctx, j, nil)
}

func need(j job.Job) permission.Need {
	about, _ := job.Of(j.Kind)
	return permission.To(rights.Operate, about.Feature)
}

// owner is the person by whose rights a job works.
func (s *Service) owner(ctx context.Context, j job.Job) (access.Person, error) {
	p, err := s.Access.ByName(ctx, j.Owner)
	if errors.Is(err, store.ErrNotFound) || errors.Is(err, access.ErrNoSession) {
		err = fmt.Errorf("%w: its owner %s is not a user any more: give it to somebody else by making it anew", ErrInvalid, j.Owner)
	}
	return p, err
}

// Picks lists the devices that a job is about now: those that it picks, are in service, and on which its owner has the right.
func (s *Service) Picks(ctx context.Context, j job.Job) ([]string, error) {
	p, err := s.owner(ctx, j)
	if err != nil {
		return nil, err
	}
	e, err := catalog.Network.Parse(j.Where)
	if err != nil {
		return nil, err
	}
	q := catalog.Query{Limit: math.MaxInt, Now: s.now()}
	if q.Within, err = permission.Bound(p, selector.Device, e, nil, need(j)); err != nil {
		return nil, err
	}
	if q.Where, err = s.Expand(ctx, e); err != nil {
		return nil, fmt.Errorf("%w: %w", ErrInvalid, err)
	}
	var out []string
	for _, d := range s.Inventory.Devices(q).Rows {
		if d.Reach != network.ReachRetired {
			out = append(out, d.Name)
		}
	}
	slices.Sort(out)
	return out, nil
}

// told tells those who look on that a job is to be read anew.
func (s *Service) told(number int64) { s.Feed.Note(fact.State{Kind: fact.Job, Job: number}) }

// Make makes a job. One that is done at once begins at once.
func (s *Service) Make(ctx context.Context, j job.Job) (job.Job, error) {
	if _, ok := s.doers[j.Kind]; !ok {
		return j, fmt.Errorf("%w: nothing here does a %s", ErrInvalid, j.Kind)
	}
	all, err := s.Store.Jobs(ctx, math.MaxInt32)
	if err != nil {
		return j, err
	}
	if n := len(slices.DeleteFunc(all, func(o job.Job) bool { return o.State == job.Over })); n >= maxJobs {
		return j, fmt.Errorf("%w: there are %d jobs that are not over: remove some", ErrInvalid, n)
	}
	if _, err := s.plan(ctx, j, nil); err != nil {
		return j, err
	}
	if j.Number, err = s.Store.AddJob(ctx, j); err != nil {
		return j, err
	}
	if !j.NextAt.After(s.now()) {
		if err := s.due(j.Number); err != nil {
			return j, err
		}
	}
	s.told(j.Number)
	return s.Store.Job(ctx, j.Number)
}

// Hold has a job not be done when it is due, or be done again.
func (s *Service) Hold(ctx context.Context, number int64, held bool) error {
	s.beginning.Lock()
	defer s.beginning.Unlock()
	j, err := s.Store.Job(ctx, number)
	if err != nil {
		return err
	}
	if j.State == job.Over {
		return fmt.Errorf("%w: job %d is over", ErrState, number)
	}
	if j.State = job.Active; held {
		j.State = job.Held
	} else if j.NextAt.Before(s.now()) {
		if j = s.onward(j); j.State == job.Over {
			return fmt.Errorf("%w: the time of job %d has passed: begin it by hand", ErrState, number)
		}
	}
	if err := s.Store.PutJob(ctx, j); err != nil {
		return err
	}
	s.told(number)
	return nil
}

// Remove forgets a job with its runs. One of which a run goes on is not removed.
func (s *Service) Remove(ctx context.Context, number int64) error {
	s.beginning.Lock()
	defer s.beginning.Unlock()
	if r := s.openOf(number); r != nil {
		return fmt.Errorf("%w: a run of job %d goes on: cancel it first", ErrState, number)
	}
	if err := s.Store.RemoveJob(ctx, number); err != nil {
		return err
	}
	s.told(number)
	return nil
}

// Begin begins a job by hand, whenever it is due.
func (s *Service) Begin(ctx context.Context, number int64, by string) (job.Run, error) {
	s.beginning.Lock()
	defer s.beginning.Unlock()
	j, err := s.Store.Job(ctx, number)
	if err != nil {
		return job.Run{}, err
	}
	if s.openOf(number) != nil {
		return job.Run{}, fmt.Errorf("%w: a run of job %d goes on", ErrState, number)
	}
	if _, err := s.plan(ctx, j, nil); err != nil {
		return job.Run{}, err
	}
	return s.begin(ctx, j, job.Run{By: by}, nil)
}

// Retry does what failed in a run, or was not begun there, again, as a run of its own.
func (s *Service) Retry(ctx context.Context, number int64, by string) (job.Run, error) {
	s.beginning.Lock()
	defer s.beginning.Unlock()
	old, steps, err := s.Run(ctx, number)
	if err != nil {
		return old, err
	}
	if old.State.Open() || s.openOf(old.Job) != nil {
		return old, fmt.Errorf("%w: a run of job %d goes on", ErrState, old.Job)
	}
	devices := []string{}
	for _, step := range steps {
		if step.State == job.StepFailed || step.State == job.StepSkipped {
			devices = append(devices, step.Device)
		}
	}
	if len(devices) == 0 {
		return old, fmt.Errorf("%w: nothing failed in run %d", ErrState, number)
	}
	j, err := s.Store.Job(ctx, old.Job)
	if err != nil {
		return old, err
	}
	if _, err := s.plan(ctx, j, devices); err != nil {
		return old, err
	}
	return s.begin(ctx, j, job.Run{By: by, Retries: number}, devices)
}

// Run returns a run with its steps, as it is now.
func (s *Service) Run(ctx context.Context, number int64) (job.Run, []job.Step, error) {
	s.mu.Lock()
	r := s.open[number]
	s.mu.Unlock()
	if r != nil {
		out, steps := r.as()
		return out, steps, nil
	}
	out, err := s.Store.Run(ctx, number)
	if err != nil {
		return out, nil, err
	}
	steps, err := s.Store.Steps(ctx, number)
	return out, steps, err
}

// Stands returns a run without its steps, as it is now, and how many of them are in which state.
func (s *Service) Stands(ctx context.Context, number int64) (job.Run, map[job.StepState]int, error) {
	s.mu.Lock()
	r := s.open[number]
	s.mu.Unlock()
	if r != nil {
		out, steps := r.as()
		return out, job.Counts(steps), nil
	}
	out, err := s.Store.Run(ctx, number)
	if err != nil {
		return out, nil, err
	}
	counts, err := s.Store.StepCounts(ctx, []int64{number})
	return out, counts[number], err
}

// Runs lists runs, the newest first, with how many of their steps are in which state.
func (s *Service) Runs(ctx context.Context, q store.RunQuery) ([]job.Run, map[int64]map[job.StepState]int, error) {
	out, err := s.Store.Runs(ctx, q)
	if err != nil {
		return nil, nil, err
	}
	numbers := make([]int64, len(out))
	for i, r := range out {
		numbers[i] = r.Number
	}
	counts, err := s.Store.StepCounts(ctx, numbers)
	for i, r := range out {
		s.mu.Lock()
		o := s.open[r.Number]
		s.mu.Unlock()
		if o != nil {
			var steps []job.Step
			out[i], steps = o.as()
			counts[r.Number] = job.Counts(steps)
		}
	}
	return out, counts, err
}

func number(args map[string]string, name string) int {
	n, _ := strconv.Atoi(args[name])
	return n
}
