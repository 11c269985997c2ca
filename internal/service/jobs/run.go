package jobs

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"

	"example.net/everypost/internal/core/job"
	"example.net/everypost/internal/driver"
)

// run is a run that goes on, led by one goroutine.
type run struct {
	job    job.Job
	cancel context.CancelCauseFunc
	wake   chan struct{} // something is other than it was

	mu     sync.Mutex
	run    job.Run
	steps  []job.Step
	paused bool
	ending bool           // nothing can be done to it any more
	leased map[int]func() // gives the device of a step back
}

// errCancelled tells a step that somebody ended its run.
var errCancelled = errors.New("somebody cancelled it")

// keepEvery is how often it is kept how far a step is, while it does one thing.
const keepEvery = 2 * time.Second

func (r *run) as() (job.Run, []job.Step) {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.run, slices.Clone(r.steps)
}

func (r *run) woken() {
	select {
	case r.wake <- struct{}{}:
	default:
	}
}

// lead takes a run in hand until it is over, or the service stops.
func (s *Service) lead(j job.Job, at job.Run, steps []job.Step) {
	ctx, cancel := context.WithCancelCause(s.ctx)
	r := &run{job: j, cancel: cancel, wake: make(chan struct{}, 1), run: at, steps: steps, paused: at.State == job.Paused, leased: map[int]func(){}}
	s.mu.Lock()
	s.open[at.Number] = r
	s.mu.Unlock()
	s.wg.Go(func() {
		defer cancel(nil)
		s.follow(ctx, r)
	})
}

func (s *Service) follow(ctx context.Context, r *run) {
	var steps sync.WaitGroup
	defer steps.Wait()
	tick := time.NewTicker(s.Look)
	defer tick.Stop()
	for s.ctx.Err() == nil {
		begin, over := s.next(r)
		if over {
			steps.Wait()
			s.finish(r)
			return
		}
		for _, i := range begin {
			steps.Go(func() { s.do(ctx, r, i) })
		}
		select {
		case <-r.wake:
		case <-tick.C:
		case <-s.ctx.Done():
		}
	}
}

// next finds the steps that are to be begun now, and records that they are; and whether the run is through.
func (s *Service) next(r *run) (begin []int, over bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	state := job.Running
	about, _ := job.Of(r.job.Kind)
	begin, stop := job.Next(r.steps, max(1, number(r.job.Args, "at-once")), number(r.job.Args, "stop-after"))
	switch {
	case r.run.EndedBy != "":
		stop, begin = true, nil
	case r.paused:
		state, begin = job.Paused, nil
	case !r.job.When.Open(s.now()):
		state, begin = job.Waiting, nil
	}
	n := job.Counts(r.steps)
	if n[job.StepRunning] == 0 && (stop || n[job.StepWaiting] == 0) {
		return nil, true
	}
	if state != r.run.State {
		r.run.State = state
		if err := s.Store.PutRun(s.ctx, r.run); err != nil {
			s.Log.Error("how a run stands could not be kept", "run", r.run.Number, "err", err)
			return nil, false
		}
		s.told(r.job.Number)
	}
	if about.Writes {
		begin = slices.DeleteFunc(begin, func(i int) bool {
			giveBack, ok := s.Leases.Try(r.steps[i].Device)
			if ok {
				r.leased[i] = giveBack
			}
			return !ok
		})
	}
	if len(begin) == 0 {
		return nil, false
	}
	was := slices.Clone(r.steps)
	record := make([]job.Step, len(begin))
	for k, i := range begin {
		step := &r.steps[i]
		step.State, step.BegunAt, step.EndedAt, step.Note = job.StepRunning, s.now(), time.Time{}, ""
		record[k] = *step
	}
	if err := s.Store.PutJobSteps(s.ctx, r.run.Number, record...); err != nil { // what is not recorded is not begun
		s.Log.Error("a step could not be recorded, and is not begun yet", "run", r.run.Number, "err", err)
		r.steps = was
		for _, i := range begin {
			r.giveBack(i)
		}
		return nil, false
	}
	s.told(r.job.Number)
	return begin, false
}

// giveBack gives the device of a step back, where it was taken. It is called with the lock held.
func (r *run) giveBack(i int) {
	if f := r.leased[i]; f != nil {
		f()
		delete(r.leased, i)
	}
}

// do does a step.
func (s *Service) do(ctx context.Context, r *run, i int) {
	defer r.woken()
	r.mu.Lock()
	step := r.steps[i]
	r.mu.Unlock()
	defer func() {
		r.mu.Lock()
		defer r.mu.Unlock()
		r.giveBack(i)
	}()
	kept := time.Now()
	tell := func(now job.Step) error {
		r.mu.Lock()
		record := now.Doing != r.steps[i].Doing
		r.steps[i] = now
		r.mu.Unlock()
		s.told(r.job.Number)
		if !record && time.Since(kept) < keepEvery {
			return nil
		}
		kept = time.Now()
		return s.Store.PutJobSteps(context.WithoutCancel(ctx), r.run.Number, now)
	}
	out, err := s.doers[r.job.Kind].Do(ctx, r.job, step, tell)
	if s.ctx.Err() != nil {
		return // it is taken up in another life, from where it is recorded to be
	}
	out.EndedAt, out.Percent = s.now(), 0
	if err != nil {
		out.State, out.Note = job.StepFailed, reason(ctx, err)
	} else {
		out.Doing = ""
	}
	r.mu.Lock()
	r.steps[i] = out
	r.mu.Unlock()
	if err := s.Store.PutJobSteps(context.WithoutCancel(ctx), r.run.Number, out); err != nil {
		s.Log.Error("what came of a step could not be kept", "run", r.run.Number, "device", out.Device, "err", err)
	}
	s.told(r.job.Number)
}

func reason(ctx context.Context, err error) string {
	var refusal *driver.Refusal
	switch {
	case errors.As(err, &refusal):
		return refusal.Words
	case ctx.Err() != nil:
		return context.Cause(ctx).Error()
	}
	return err.Error()
}

// finish ends a run of which nothing goes on any more.
func (s *Service) finish(r *run) {
	r.mu.Lock()
	r.ending = true
	out, steps := r.run, slices.Clone(r.steps)
	r.mu.Unlock()
	left := 0
	for i := range steps {
		if step := &steps[i]; step.State == job.StepWaiting {
			step.State, step.Note = job.StepSkipped, "not begun: the run ended before"
			left++
		}
	}
	out.State, out.EndedAt = job.Outcome(steps, out.EndedBy != ""), s.now()
	switch {
	case out.EndedBy != "":
		out.Why = out.EndedBy + " cancelled it"
	case left > 0:
		out.Why = fmt.Sprintf("it stopped after %d failed", job.Counts(steps)[job.StepFailed])
	}
	for { // a run must not seem to go on because the disk was full when it ended
		err := s.Store.PutJobSteps(s.ctx, out.Number, steps...) // all: what came of one may not have been kept while the disk was full
		if err == nil {
			err = s.Store.PutRun(s.ctx, out, s.ended(r.job, out, steps))
		}
		if err == nil || s.ctx.Err() != nil {
			break
		}
		s.Log.Error("that a run is over could not be kept; it is tried again", "run", out.Number, "err", err)
		select {
		case <-time.After(keepEvery):
		case <-s.ctx.Done():
		}
	}
	s.mu.Lock()
	delete(s.open, out.Number)
	s.mu.Unlock()
	s.Feed.Recorded()
	s.told(r.job.Number)
}

// Pause has no further step of a run be begun, or has it go on.
func (s *Service) Pause(ctx context.Context, number int64, paused bool) error {
	return s.act(ctx, number, func(r *run) error {
		r.paused = paused
		return nil
	})
}

// Cancel ends a run: what is under way ends where it can, and nothing more is begun.
func (s *Service) Cancel(ctx context.Context, number int64, by string) error {
	return s.act(ctx, number, func(r *run) error {
		out := r.run
		out.EndedBy = by
		if err := s.Store.PutRun(ctx, out); err != nil { // it must not go on in another life
			return err
		}
		r.run = out
		r.cancel(errCancelled)
		return nil
	})
}

func (s *Service) act(ctx context.Context, number int64, f func(*run) error) error {
	s.mu.Lock()
	r := s.open[number]
	s.mu.Unlock()
	if r == nil {
		if _, err := s.Store.Run(ctx, number); err != nil {
			return err
		}
		return fmt.Errorf("%w: run %d is over", ErrState, number)
	}
	r.mu.Lock()
	defer r.woken()
	defer r.mu.Unlock()
	if r.ending {
		return fmt.Errorf("%w: run %d is over", ErrState, number)
	}
	return f(r)
}
