package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	v1 "example.net/everypost/internal/api/v1"
)

// JobKinds lists what jobs can do.
func (c *Client) JobKinds(ctx context.Context) (v1.List[v1.JobKind], error) {
	return get[v1.List[v1.JobKind]](ctx, c, "/jobs/kinds", nil)
}

// Jobs lists jobs: what is still to be done first.
func (c *Client) Jobs(ctx context.Context) (v1.List[v1.Job], error) {
	return get[v1.List[v1.Job]](ctx, c, "/jobs", nil)
}

// Job returns a job.
func (c *Client) Job(ctx context.Context, number int64) (v1.Job, error) {
	return get[v1.Job](ctx, c, "/jobs/"+strconv.FormatInt(number, 10), nil)
}

// MakeJob has work be done on many devices.
func (c *Client) MakeJob(ctx context.Context, in v1.JobRequest) (out v1.Job, err error) {
	return out, c.call(ctx, http.MethodPost, "/jobs", in, &out)
}

// ActOnJob begins, holds or releases a job.
func (c *Client) ActOnJob(ctx context.Context, number int64, act string) (out v1.Job, err error) {
	return out, c.call(ctx, http.MethodPost, "/jobs/"+strconv.FormatInt(number, 10)+"/acts", v1.JobAct{Act: act}, &out)
}

// RemoveJob forgets a job and its runs.
func (c *Client) RemoveJob(ctx context.Context, number int64) error {
	return c.call(ctx, http.MethodDelete, "/jobs/"+strconv.FormatInt(number, 10), nil, nil)
}

// JobRuns lists when jobs, or one, were done, the newest first.
func (c *Client) JobRuns(ctx context.Context, job int64, limit int) (v1.List[v1.JobRun], error) {
	return get[v1.List[v1.JobRun]](ctx, c, "/job-runs", url.Values{"job": {strconv.FormatInt(job, 10)}, "limit": {strconv.Itoa(limit)}})
}

// JobRun returns how a job is done, or was, on each device.
func (c *Client) JobRun(ctx context.Context, number int64) (v1.JobRunDetail, error) {
	return get[v1.JobRunDetail](ctx, c, "/job-runs/"+strconv.FormatInt(number, 10), nil)
}

// ActOnJobRun pauses, resumes, cancels or retries a run.
func (c *Client) ActOnJobRun(ctx context.Context, number int64, act string) (out v1.JobRunDetail, err error) {
	return out, c.call(ctx, http.MethodPost, "/job-runs/"+strconv.FormatInt(number, 10)+"/acts", v1.JobAct{Act: act}, &out)
}
