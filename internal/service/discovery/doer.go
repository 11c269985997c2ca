package discovery

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/core/job"
	"example.net/everypost/internal/store"
)

// Doer does searches that are jobs: at a time, or again and again.
type Doer struct {
	Searches *Service
	Vault    interface {
		Reveal(reference string) (string, error)
	}
}

// lookEvery is between looks how far a search is.
const lookEvery = 300 * time.Millisecond

// shownTargets is how many characters of the addresses name the step.
const shownTargets = 60

func request(j job.Job) Request {
	port, _ := strconv.Atoi(j.Args[job.Port])
	hops, _ := strconv.Atoi(j.Args[job.Hops])
	return Request{Targets: strings.Fields(strings.ReplaceAll(j.Args[job.Targets], ",", " ")), Port: port, User: j.Args[job.User], Hops: hops, By: j.Owner}
}

// Plan implements jobs.Doer: a search is one step.
func (d *Doer) Plan(_ context.Context, j job.Job, _ []string) ([]job.Step, error) {
	r := request(j)
	if _, err := r.queue(); err != nil {
		return nil, fmt.Errorf("%w: %w", job.ErrInvalid, err)
	}
	if j.Args[job.Password] == "" {
		return nil, fmt.Errorf("%w: give the password to log in with", job.ErrInvalid)
	}
	name := []rune(strings.Join(r.Targets, " "))
	if len(name) > shownTargets {
		name = append(name[:shownTargets-1], '…')
	}
	return []job.Step{{About: string(name), State: job.StepWaiting}}, nil
}

// Do implements jobs.Doer. While another search is under way it waits. What was cut off when the service stopped begins anew: what is known is
// not found twice.
func (d *Doer) Do(ctx context.Context, j job.Job, step job.Step, tell func(job.Step) error) (job.Step, error) {
	r := request(j)
	var err error
	if r.Password, err = d.Vault.Reveal(j.Args[job.Password]); err != nil {
		return step, fmt.Errorf("its password: %w", err)
	}
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	step.Doing = "waiting for the search that is under way"
	x, err := d.Searches.begin(ctx, r)
	for errors.Is(err, ErrBusy) {
		if err := tell(step); err != nil {
			return step, err
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return step, context.Cause(ctx)
		}
		x, err = d.Searches.begin(ctx, r)
	}
	if err != nil {
		return step, err
	}
	step.Doing = fmt.Sprintf("search %d", x.d.Number)
	for over := false; !over; {
		s := x.snapshot()
		step.Note = said(s)
		if asked := s.Asked + s.Queued; asked > 0 {
			step.Percent = 100 * s.Asked / asked
		}
		if err := tell(step); err != nil {
			x.cancel()
			return step, err
		}
		select {
		case <-x.over:
			over = true
		case <-tick.C:
		case <-ctx.Done():
			x.cancel()
			<-x.over
			over = true
		}
	}
	s := x.snapshot()
	step.Note, step.State = said(s), job.StepDone
	if s.State != Done {
		return step, errors.Join(context.Cause(ctx), fmt.Errorf("the search was %s: %s", s.State, step.Note))
	}
	return step, nil
}

// said is what a search came to.
func said(d store.Discovery) string {
	return fmt.Sprintf("%d found, %d known already, %d silent, %d refused", d.Found, d.Known, d.Silent, len(d.Refused))
}
