package client

import (
	"bytes"
	"context"
	"net/http"
	"net/url"
	"strconv"

	v1 "example.net/everypost/internal/api/v1"
)

// FramesQuery picks captured frames.
type FramesQuery struct {
	Of            []int64
	Find          string
	Offset, Limit int
}

func ofNumbers(numbers []int64) url.Values {
	q := url.Values{}
	list := ""
	for i, n := range numbers {
		if i > 0 {
			list += ","
		}
		list += strconv.FormatInt(n, 10)
	}
	q.Set("of", list)
	return q
}

// Frames lists the frames that devices captured.
func (c *Client) Frames(ctx context.Context, in FramesQuery) (v1.Frames, error) {
	q := ofNumbers(in.Of)
	q.Set("find", in.Find)
	q.Set("offset", strconv.Itoa(in.Offset))
	q.Set("limit", strconv.Itoa(in.Limit))
	return get[v1.Frames](ctx, c, "/captures/frames", q)
}

// CaptureFile returns captured frames as a file.
func (c *Client) CaptureFile(ctx context.Context, of []int64) ([]byte, error) {
	return c.raw(ctx, "/captures/file?"+ofNumbers(of).Encode())
}

// DeviceFiles lists the files that a device has.
func (c *Client) DeviceFiles(ctx context.Context, device string) (v1.List[v1.DeviceFile], error) {
	return get[v1.List[v1.DeviceFile]](ctx, c, "/devices/"+url.PathEscape(device)+"/files", nil)
}

// DeviceFile returns a file of a device.
func (c *Client) DeviceFile(ctx context.Context, device, file string) ([]byte, error) {
	return c.raw(ctx, "/devices/"+url.PathEscape(device)+"/files/"+url.PathEscape(file))
}

// PutDeviceFile sends a file to a device.
func (c *Client) PutDeviceFile(ctx context.Context, device, file string, content []byte) error {
	return c.upload(ctx, http.MethodPut, "/devices/"+url.PathEscape(device)+"/files/"+url.PathEscape(file), bytes.NewReader(content), nil)
}

// RemoveDeviceFile removes a file of a device.
func (c *Client) RemoveDeviceFile(ctx context.Context, device, file string) error {
	return c.call(ctx, http.MethodDelete, "/devices/"+url.PathEscape(device)+"/files/"+url.PathEscape(file), nil, nil)
}
