package server

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/job"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/permission"
	"example.net/everypost/internal/store"
)

var (
	seeJobs     = may(rights.See, rights.Jobs)
	operateJobs = may(rights.Operate, rights.Jobs)
)

func (s *server) jobRoutes(api huma.API) {
	register(s, api, signedIn, http.MethodGet, "/jobs/kinds", "list-job-kinds", "What jobs can do",
		func(context.Context, *struct{}) (*body[v1.List[v1.JobKind]], error) {
			return listOf(s.Jobs.Kinds(), jobKindOut), nil
		})
	register(s, api, seeJobs, http.MethodGet, "/jobs", "list-jobs", "Work on many devices: what is still to be done first",
		func(ctx context.Context, in *struct {
			Limit int `query:"limit" minimum:"1" maximum:"1000" default:"200"`
		}) (*body[v1.List[v1.Job]], error) {
			list, err := s.Store.Jobs(ctx, 1000)
			if err != nil {
				return nil, err
			}
			out := []v1.Job{}
			for _, j := range list {
				if s.seesJob(ctx, j) && len(out) < in.Limit {
					one, err := s.jobOut(ctx, j)
					if err != nil {
						return nil, err
					}
					out = append(out, one)
				}
			}
			return listOf(out, func(j v1.Job) v1.Job { return j }), nil
		})
	register(s, api, operateJobs, http.MethodPost, "/jobs", "make-job", "Have work be done on many devices, now, at a time, or again and again",
		func(ctx context.Context, in *body[v1.JobRequest]) (*body[v1.Job], error) {
			r := in.Body
			about, _ := job.Of(job.Kind(r.Kind))
			var j job.Job
			err := s.act(ctx, "make-job", r.Kind+" "+r.Title+" on "+r.Where, s.mayJob(ctx, about.Feature), func(by string) (err error) {
				if j, err = s.jobOf(ctx, r, by); err != nil {
					return err
				}
				j, err = s.Jobs.Make(ctx, j)
				return err
			})
			if err != nil {
				return nil, err
			}
			out, err := s.jobOut(ctx, j)
			return &body[v1.Job]{out}, err
		})
	register(s, api, operateJobs, http.MethodPost, "/jobs/plan", "plan-job", "What a job would do now; nothing is done",
		func(ctx context.Context, in *body[v1.JobRequest]) (*body[v1.JobPlan], error) {
			about, _ := job.Of(job.Kind(in.Body.Kind))
			if err := s.mayJob(ctx, about.Feature); err != nil {
				return nil, err
			}
			j, err := s.jobOf(ctx, in.Body, person(ctx).Name)
			if err != nil {
				return nil, err
			}
			steps, err := s.Jobs.Plan(ctx, j)
			out := v1.JobPlan{Disturbs: about.Disturbs, Steps: []v1.JobStep{}}
			for _, step := range steps {
				out.Steps = append(out.Steps, stepOut(step))
			}
			return &body[v1.JobPlan]{out}, err
		})
	register(s, api, seeJobs, http.MethodGet, "/jobs/{number}", "get-job", "A job",
		func(ctx context.Context, in *NumberPath) (*body[v1.Job], error) {
			j, err := s.seenJob(ctx, in.Number)
			if err != nil {
				return nil, err
			}
			out, err := s.jobOut(ctx, j)
			return &body[v1.Job]{out}, err
		})
	register(s, api, operateJobs, http.MethodDelete, "/jobs/{number}", "remove-job", "Forget a job and its runs",
		func(ctx context.Context, in *NumberPath) (*struct{}, error) {
			j, err := s.seenJob(ctx, in.Number)
			if err != nil {
				return nil, err
			}
			return nil, s.act(ctx, "remove-job", jobName(j), s.mayTouchJob(ctx, j), func(string) error { return s.Jobs.Remove(ctx, in.Number) })
		})
	type jobAct struct {
		NumberPath
		Body v1.JobAct
	}
	register(s, api, operateJobs, http.MethodPost, "/jobs/{number}/acts", "act-on-job", "Begin a job by hand, hold it, or release it",
		func(ctx context.Context, in *jobAct) (*body[v1.Job], error) {
			j, err := s.seenJob(ctx, in.Number)
			if err != nil {
				return nil, err
			}
			err = s.act(ctx, in.Body.Act+"-job", jobName(j), s.mayTouchJob(ctx, j), func(by string) error {
				switch in.Body.Act {
				case "begin":
					_, err := s.Jobs.Begin(ctx, in.Number, by)
					return err
				case "hold", "release":
					return s.Jobs.Hold(ctx, in.Number, in.Body.Act == "hold")
				}
				return fmt.Errorf("%w: a job can be begun, held and released; %s is of a run", errInvalid, in.Body.Act)
			})
			if err != nil {
				return nil, err
			}
			if j, err = s.Store.Job(ctx, in.Number); err != nil {
				return nil, err
			}
			out, err := s.jobOut(ctx, j)
			return &body[v1.Job]{out}, err
		})
	type runsQuery struct {
		Job    int64 `query:"job" minimum:"0" maximum:"9007199254740991" doc:"Of this job; of all when left out"`
		Cursor int64 `query:"cursor" minimum:"0" maximum:"9007199254740991" doc:"The member next of the page before"`
		Limit  int   `query:"limit" minimum:"1" maximum:"200" default:"50"`
	}
	register(s, api, seeJobs, http.MethodGet, "/job-runs", "list-job-runs", "When jobs were done, the newest first",
		func(ctx context.Context, in *runsQuery) (*body[v1.List[v1.JobRun]], error) {
			list, counts, err := s.Jobs.Runs(ctx, store.RunQuery{Job: in.Job, Before: in.Cursor, Limit: in.Limit})
			if err != nil {
				return nil, err
			}
			out := []v1.JobRun{}
			for _, r := range list {
				if j, err := s.Store.Job(ctx, r.Job); err == nil && s.seesJob(ctx, j) {
					out = append(out, runOut(r, counts[r.Number]))
				}
			}
			answer := listOf(out, func(r v1.JobRun) v1.JobRun { return r })
			if len(list) == in.Limit {
				answer.Body.Next = strconv.FormatInt(list[len(list)-1].Number, 10)
			}
			return answer, nil
		})
	register(s, api, seeJobs, http.MethodGet, "/job-runs/{number}", "get-job-run", "How a job is done, or was, on each device",
		func(ctx context.Context, in *NumberPath) (*body[v1.JobRunDetail], error) {
			_, _, err := s.seenRun(ctx, in.Number)
			if err != nil {
				return nil, err
			}
			return s.runDetail(ctx, in.Number)
		})
	register(s, api, operateJobs, http.MethodPost, "/job-runs/{number}/acts", "act-on-job-run", "Pause, resume or cancel a run, or do again what failed in it",
		func(ctx context.Context, in *jobAct) (*body[v1.JobRunDetail], error) {
			r, j, err := s.seenRun(ctx, in.Number)
			if err != nil {
				return nil, err
			}
			at := in.Number
			err = s.act(ctx, in.Body.Act+"-job-run", fmt.Sprintf("%d of %s", r.Number, jobName(j)), s.mayTouchJob(ctx, j), func(by string) error {
				switch in.Body.Act {
				case "pause", "resume":
					return s.Jobs.Pause(ctx, in.Number, in.Body.Act == "pause")
				case "cancel":
					return s.Jobs.Cancel(ctx, in.Number, by)
				case "retry":
					again, err := s.Jobs.Retry(ctx, in.Number, by)
					at = again.Number
					return err
				}
				return fmt.Errorf("%w: a run can be paused, resumed, cancelled and retried; %s is of a job", errInvalid, in.Body.Act)
			})
			if err != nil {
				return nil, err
			}
			return s.runDetail(ctx, at)
		})
}

func jobName(j job.Job) string { return fmt.Sprintf("%d %s: %s", j.Number, j.Kind, j.Title) }

// mayJob tells why who makes the request may make no jobs about a feature, or nil. Which devices he may have worked on is asked when it is planned.
func (s *server) mayJob(ctx context.Context, f rights.Feature) error {
	if n := may(rights.Operate, f); !person(ctx).May(n.Verb, n.Feature) {
		return with(http.StatusForbidden, v1.ProblemForbidden, lacks(person(ctx), n))
	}
	return nil
}

// seesJob tells whether who makes the request may see a job: his own, or, where he may see jobs everywhere, any.
func (s *server) seesJob(ctx context.Context, j job.Job) bool {
	return j.Owner == person(ctx).Name || everywhere(ctx, rights.See, rights.Jobs)
}

// mayTouchJob tells why who makes the request may not act on a job, or nil: it works by the rights of its owner, so whoever else touches it needs the
// right everywhere.
func (s *server) mayTouchJob(ctx context.Context, j job.Job) error {
	about, _ := job.Of(j.Kind)
	n := may(rights.Operate, about.Feature)
	if err := s.mayJob(ctx, about.Feature); err != nil || j.Owner == person(ctx).Name {
		return err
	}
	if !permission.Everywhere(person(ctx), n) || !permission.Everywhere(person(ctx), operateJobs) {
		return with(http.StatusForbidden, v1.ProblemForbidden, fmt.Errorf("job %d works by the rights of %s: to touch it takes the right to %s everywhere", j.Number, j.Owner, n))
	}
	return nil
}

func (s *server) seenJob(ctx context.Context, number int64) (job.Job, error) {
	j, err := s.Store.Job(ctx, number)
	if err == nil && !s.seesJob(ctx, j) {
		err = store.ErrNotFound
	}
	return j, missing(err, fmt.Sprintf("job %d", number))
}

func (s *server) seenRun(ctx context.Context, number int64) (job.Run, job.Job, error) {
	r, err := s.Store.Run(ctx, number)
	var j job.Job
	if err == nil {
		j, err = s.Store.Job(ctx, r.Job)
	}
	if err == nil && !s.seesJob(ctx, j) {
		err = store.ErrNotFound
	}
	return r, j, missing(err, fmt.Sprintf("run %d", number))
}

func (s *server) runDetail(ctx context.Context, number int64) (*body[v1.JobRunDetail], error) {
	r, steps, err := s.Jobs.Run(ctx, number)
	if err != nil {
		return nil, err
	}
	j, err := s.Store.Job(ctx, r.Job)
	if err != nil {
		return nil, err
	}
	about, _ := job.Of(j.Kind)
	out := v1.JobRunDetail{JobRun: runOut(r, job.Counts(steps)), Steps: []v1.JobStep{}}
	all, where := everywhere(ctx, rights.See, rights.Jobs), within(ctx, rights.See, rights.Jobs)
	for _, step := range steps {
		if all || about.Elsewhere || s.Inventory.HoldsDevice(step.Device, where) {
			out.Steps = append(out.Steps, stepOut(step))
		}
	}
	return &body[v1.JobRunDetail]{out}, nil
}

func stepOut(step job.Step) v1.JobStep {
	return v1.JobStep{Device: cmp.Or(step.Device, step.About), Wave: step.Wave + 1, State: string(step.State), Doing: step.Doing, Percent: step.Percent, Note: step.Note,
		From: step.From, To: step.To, BegunAt: momentOf(step.BegunAt), EndedAt: momentOf(step.EndedAt)}
}

// jobOf is the job that somebody asks for.
func (s *server) jobOf(ctx context.Context, r v1.JobRequest, owner string) (job.Job, error) {
	args := maps.Clone(r.Args)
	about, _ := job.Of(job.Kind(r.Kind))
	for _, p := range about.Params {
		if p.Value.Type == setting.Secret {
			reference, err := s.Vault.Take(ctx, args[p.Name], false)
			if err != nil {
				return job.Job{}, fmt.Errorf("%w: %s: %w", job.ErrInvalid, p.Name, err)
			}
			if args != nil {
				args[p.Name] = reference
			}
		}
	}
	when := job.When{Rule: r.When.Rule, Zone: r.When.Zone, Hours: r.When.Hours, CatchUp: r.When.CatchUp}
	if r.When.At != nil {
		when.At = r.When.At.UTC()
	}
	return job.New(job.Kind(r.Kind), owner, r.Title, r.Where, args, when, time.Now().UTC())
}

func (s *server) jobOut(ctx context.Context, j job.Job) (v1.Job, error) {
	out := v1.Job{Number: j.Number, Kind: string(j.Kind), Title: j.Title, Owner: j.Owner, Where: j.Where, Args: j.Args, State: string(j.State), Text: j.When.String(),
		When: v1.JobWhen{Rule: j.When.Rule, Zone: j.When.Zone, Hours: j.When.Hours, CatchUp: j.When.CatchUp, At: momentOf(j.When.At)}, MadeAt: j.Made}
	if j.State == job.Active {
		out.NextAt = momentOf(j.NextAt)
	}
	if j.LastRun == 0 {
		return out, nil
	}
	r, counts, err := s.Jobs.Stands(ctx, j.LastRun)
	if errors.Is(err, store.ErrNotFound) {
		return out, nil
	}
	last := runOut(r, counts)
	out.Last = &last
	return out, err
}

func runOut(r job.Run, counts map[job.StepState]int) v1.JobRun {
	out := v1.JobRun{Number: r.Number, Job: r.Job, State: string(r.State), DueAt: r.DueAt, BegunAt: r.BegunAt, EndedAt: momentOf(r.EndedAt), By: r.By, Why: r.Why, Retries: r.Retries, Counts: map[string]int{}}
	for state, n := range counts {
		out.Counts[string(state)] = n
	}
	return out
}

func momentOf(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	t = t.UTC()
	return &t
}

func jobKindOut(a job.About) v1.JobKind {
	out := v1.JobKind{Kind: string(a.Kind), Title: a.Title, Does: a.Does, Right: "operate " + string(a.Feature), Disturbs: a.Disturbs, Writes: a.Writes, Elsewhere: a.Elsewhere, Params: []v1.JobParam{}}
	for _, p := range a.Params {
		out.Params = append(out.Params, v1.JobParam{Name: p.Name, Title: p.Title, Help: p.Help, Default: p.Default, Form: p.Value.Form, Secret: p.Value.Type == setting.Secret})
	}
	return out
}
