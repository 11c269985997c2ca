package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	v1 "example.net/everypost/internal/api/v1"
)

// Notices lists who is told of alarms, and how.
func (c *Client) Notices(ctx context.Context) (v1.List[v1.Notice], error) {
	return get[v1.List[v1.Notice]](ctx, c, "/notices", nil)
}

// PutNotice makes or replaces a notice.
func (c *Client) PutNotice(ctx context.Context, name string, in v1.NoticeRequest) (out v1.NoticeAnswer, err error) {
	return out, c.call(ctx, http.MethodPut, "/notices/"+url.PathEscape(name), in, &out)
}

// RemoveNotice removes a notice.
func (c *Client) RemoveNotice(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "/notices/"+url.PathEscape(name), nil, nil)
}

// TestNotice has a notice tell something for a test.
func (c *Client) TestNotice(ctx context.Context, name string) (out v1.Delivery, err error) {
	return out, c.call(ctx, http.MethodPost, "/notices/"+url.PathEscape(name)+"/test", nil, &out)
}

// Deliveries lists what was told of alarms and is to be, the newest first.
func (c *Client) Deliveries(ctx context.Context, limit int) (v1.List[v1.Delivery], error) {
	return get[v1.List[v1.Delivery]](ctx, c, "/deliveries", url.Values{"limit": {strconv.Itoa(limit)}})
}

// MailServer tells by which mail is sent.
func (c *Client) MailServer(ctx context.Context) (v1.MailServer, error) {
	return get[v1.MailServer](ctx, c, "/mail-server", nil)
}

// PutMailServer sets it.
func (c *Client) PutMailServer(ctx context.Context, in v1.MailServerRequest) (out v1.MailServer, err error) {
	return out, c.call(ctx, http.MethodPut, "/mail-server", in, &out)
}
