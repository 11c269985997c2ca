package client

import (
	"context"
	"io"
	"net/http"
	"net/url"
	"strconv"

	v1 "example.net/everypost/internal/api/v1"
)

// Images lists the firmware in the library, the newest first.
func (c *Client) Images(ctx context.Context) (v1.List[v1.Image], error) {
	return get[v1.List[v1.Image]](ctx, c, "/firmware/images", nil)
}

// AddImage adds firmware to the library: the file of an image.
func (c *Client) AddImage(ctx context.Context, file io.Reader) (out v1.Image, err error) {
	return out, c.upload(ctx, http.MethodPost, "/firmware/images", file, &out)
}

func imagePath(number int64, rest string) string {
	return "/firmware/images/" + strconv.FormatInt(number, 10) + rest
}

// ActOnImage has devices be given an image, or no more.
func (c *Client) ActOnImage(ctx context.Context, number int64, in v1.ImageAct) (out v1.Image, err error) {
	return out, c.call(ctx, http.MethodPost, imagePath(number, "/acts"), in, &out)
}

// RemoveImage forgets an image.
func (c *Client) RemoveImage(ctx context.Context, number int64) error {
	return c.call(ctx, http.MethodDelete, imagePath(number, ""), nil, nil)
}

// Baseline lists which firmware each model is to run.
func (c *Client) Baseline(ctx context.Context) (v1.List[v1.BaselineEntry], error) {
	return get[v1.List[v1.BaselineEntry]](ctx, c, "/firmware/baseline", nil)
}

func baselinePath(maker, model string) string {
	return "/firmware/baseline/" + url.PathEscape(maker) + "/" + url.PathEscape(model)
}

// PutBaseline says which firmware a model is to run.
func (c *Client) PutBaseline(ctx context.Context, maker, model string, image int64) (out v1.BaselineEntry, err error) {
	return out, c.call(ctx, http.MethodPut, baselinePath(maker, model), v1.BaselineRequest{Image: image}, &out)
}

// DropBaseline has a model be no part of the baseline.
func (c *Client) DropBaseline(ctx context.Context, maker, model string) error {
	return c.call(ctx, http.MethodDelete, baselinePath(maker, model), nil, nil)
}

// DeviceFirmware lists what devices run, and how it stands towards the baseline; with miss only those that do not run what they are to run.
func (c *Client) DeviceFirmware(ctx context.Context, where string, miss bool) (v1.List[v1.DeviceFirmware], error) {
	q := url.Values{"where": {where}}
	if miss {
		q.Set("miss", "true")
	}
	return get[v1.List[v1.DeviceFirmware]](ctx, c, "/firmware/devices", q)
}

// PlanJob tells what a job would do now.
func (c *Client) PlanJob(ctx context.Context, in v1.JobRequest) (out v1.JobPlan, err error) {
	return out, c.call(ctx, http.MethodPost, "/jobs/plan", in, &out)
}
