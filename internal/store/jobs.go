package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/job"
)

// runsKept is how many runs of a job are kept.
const runsKept = 200

// overKept is how many jobs that are over are kept with their runs.
const overKept = 1000

// AddJob keeps a new job and returns its number. The oldest that are over are forgotten where there are too many.
func (s *Store) AddJob(ctx context.Context, j job.Job) (number int64, err error) {
	err = s.tx(ctx, func(tx *sql.Tx) error {
		r, err := tx.ExecContext(ctx, `INSERT INTO jobs (kind, owner, state, next_at, body) VALUES (?, ?, ?, ?, ?)`, string(j.Kind), j.Owner, string(j.State), micro(j.NextAt), toJSON(j))
		if err != nil {
			return err
		}
		if number, err = r.LastInsertId(); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `DELETE FROM jobs WHERE state = 'over' AND NOT EXISTS (SELECT 1 FROM job_runs r WHERE r.job = jobs.number AND r.ended_at = 0)
			AND number <= (SELECT number FROM jobs WHERE state = 'over' ORDER BY number DESC LIMIT 1 OFFSET ?)`, overKept)
		return err
	})
	return number, err
}

// PutJob keeps a job as it is now.
func (s *Store) PutJob(ctx context.Context, j job.Job) error {
	return changed(s.write.ExecContext(ctx, `UPDATE jobs SET owner = ?, state = ?, next_at = ?, body = ? WHERE number = ?`, j.Owner, string(j.State), micro(j.NextAt), toJSON(j), j.Number))
}

// RemoveJob forgets a job with its runs.
func (s *Store) RemoveJob(ctx context.Context, number int64) error {
	return changed(s.write.ExecContext(ctx, `DELETE FROM jobs WHERE number = ?`, number))
}

const jobColumns = `number, kind, owner, state, next_at, body`

// Jobs lists jobs: those that are not over first, by when they are due, then the newest first.
func (s *Store) Jobs(ctx context.Context, limit int) ([]job.Job, error) {
	return list(ctx, s.read, func(r *sql.Rows) (job.Job, error) { return scanJob(r) },
		`SELECT `+jobColumns+` FROM jobs ORDER BY state = 'over', next_at = 0, CASE WHEN state = 'over' THEN -number ELSE next_at END, number DESC LIMIT ?`, limit)
}

// DueJobs lists the active jobs that are due at a time.
func (s *Store) DueJobs(ctx context.Context, at time.Time) ([]job.Job, error) {
	return list(ctx, s.read, func(r *sql.Rows) (job.Job, error) { return scanJob(r) },
		`SELECT `+jobColumns+` FROM jobs WHERE next_at > 0 AND next_at <= ? AND state = 'active' ORDER BY next_at`, micro(at))
}

// Job returns one.
func (s *Store) Job(ctx context.Context, number int64) (job.Job, error) {
	j, err := scanJob(s.read.QueryRowContext(ctx, `SELECT `+jobColumns+` FROM jobs WHERE number = ?`, number))
	return j, one(err)
}

func scanJob(r interface{ Scan(...any) error }) (j job.Job, err error) {
	var next int64
	var body string
	if err := r.Scan(&j.Number, &j.Kind, &j.Owner, &j.State, &next, &body); err != nil {
		return j, err
	}
	j.NextAt = timeOf(next)
	return j, json.Unmarshal([]byte(body), &j)
}

// AddRun keeps a new run with its steps, and its job as it is with it, all or nothing.
func (s *Store) AddRun(ctx context.Context, j job.Job, r job.Run, steps []job.Step, facts func(job.Run) []fact.Fact) (job.Run, error) {
	err := s.tx(ctx, func(tx *sql.Tx) error {
		at, err := tx.ExecContext(ctx, `INSERT INTO job_runs (job, state, due_at, ended_at, body) VALUES (?, ?, ?, ?, ?)`, r.Job, string(r.State), micro(r.DueAt), micro(r.EndedAt), toJSON(r))
		if err != nil {
			return err
		}
		if r.Number, err = at.LastInsertId(); err != nil {
			return err
		}
		put, err := tx.PrepareContext(ctx, `INSERT INTO job_steps (run, device, place, wave, state, body) VALUES (?, ?, ?, ?, ?, ?)`)
		if err != nil {
			return err
		}
		defer func() { _ = put.Close() }()
		for i, step := range steps {
			if _, err := put.ExecContext(ctx, r.Number, deviceOf(step), i, step.Wave, string(step.State), toJSON(step)); err != nil {
				return err
			}
		}
		j.LastRun = r.Number
		if err := changed(tx.ExecContext(ctx, `UPDATE jobs SET state = ?, next_at = ?, body = ? WHERE number = ?`, string(j.State), micro(j.NextAt), toJSON(j), j.Number)); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM job_runs WHERE job = ?1 AND ended_at > 0 AND number <= (SELECT number FROM job_runs WHERE job = ?1 ORDER BY number DESC LIMIT 1 OFFSET ?2)`,
			r.Job, runsKept); err != nil {
			return err
		}
		_, err = addFacts(ctx, tx, facts(r))
		return err
	})
	return r, err
}

// PutRun keeps how a run stands, and what is to be told of it.
func (s *Store) PutRun(ctx context.Context, r job.Run, facts ...fact.Fact) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if err := changed(tx.ExecContext(ctx, `UPDATE job_runs SET state = ?, ended_at = ?, body = ? WHERE number = ?`, string(r.State), micro(r.EndedAt), toJSON(r), r.Number)); err != nil {
			return err
		}
		_, err := addFacts(ctx, tx, facts)
		return err
	})
}

// PutJobSteps keeps how steps of a run stand, all or none. Those of devices that are forgotten are gone.
func (s *Store) PutJobSteps(ctx context.Context, run int64, steps ...job.Step) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		for _, step := range steps {
			if _, err := tx.ExecContext(ctx, `UPDATE job_steps SET state = ?, body = ? WHERE run = ? AND device IS ?`, string(step.State), toJSON(step), run, deviceOf(step)); err != nil {
				return err
			}
		}
		return nil
	})
}

// deviceOf is the device of a step, NULL for none.
func deviceOf(step job.Step) sql.NullString {
	return sql.NullString{String: step.Device, Valid: step.Device != ""}
}

// RunQuery picks runs.
type RunQuery struct {
	Job    int64 // of this job; 0: of all
	Open   bool  // only those that go on
	Before int64 // of lower numbers, unless it is 0
	Limit  int
}

const runColumns = `number, job, state, due_at, ended_at, body`

// Runs lists runs, the newest first, without their steps.
func (s *Store) Runs(ctx context.Context, q RunQuery) ([]job.Run, error) {
	return list(ctx, s.read, func(r *sql.Rows) (job.Run, error) { return scanRun(r) }, `SELECT `+runColumns+` FROM job_runs
		WHERE (?1 = 0 OR job = ?1) AND (NOT ?2 OR ended_at = 0) AND (?3 = 0 OR number < ?3) ORDER BY number DESC LIMIT ?4`, q.Job, q.Open, q.Before, q.Limit)
}

// Run returns one.
func (s *Store) Run(ctx context.Context, number int64) (job.Run, error) {
	r, err := scanRun(s.read.QueryRowContext(ctx, `SELECT `+runColumns+` FROM job_runs WHERE number = ?`, number))
	return r, one(err)
}

func scanRun(r interface{ Scan(...any) error }) (out job.Run, err error) {
	var due, ended int64
	var body string
	if err := r.Scan(&out.Number, &out.Job, &out.State, &due, &ended, &body); err != nil {
		return out, err
	}
	out.DueAt, out.EndedAt = timeOf(due), timeOf(ended)
	return out, json.Unmarshal([]byte(body), &out)
}

// Steps lists the steps of a run in the order of work.
func (s *Store) Steps(ctx context.Context, run int64) ([]job.Step, error) {
	return list(ctx, s.read, func(r *sql.Rows) (step job.Step, err error) {
		var body string
		if err := r.Scan(&step.Device, &step.Wave, &step.State, &body); err != nil {
			return step, err
		}
		return step, json.Unmarshal([]byte(body), &step)
	}, `SELECT coalesce(device, ''), wave, state, body FROM job_steps WHERE run = ? ORDER BY place`, run)
}

// StepCounts says of runs how many steps are in which state.
func (s *Store) StepCounts(ctx context.Context, runs []int64) (map[int64]map[job.StepState]int, error) {
	type row struct {
		run   int64
		state job.StepState
		n     int
	}
	rows, err := list(ctx, s.read, func(r *sql.Rows) (v row, err error) { return v, r.Scan(&v.run, &v.state, &v.n) },
		`SELECT run, state, count(*) FROM job_steps WHERE run IN (SELECT value FROM json_each(?)) GROUP BY run, state`, toJSON(runs))
	out := map[int64]map[job.StepState]int{}
	for _, v := range rows {
		if out[v.run] == nil {
			out[v.run] = map[job.StepState]int{}
		}
		out[v.run][v.state] = v.n
	}
	return out, err
}
