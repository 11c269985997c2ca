package client

import (
	"context"
	"net/url"
	"time"

	v1 "example.net/everypost/internal/api/v1"
)

// Configurations lists the configurations that a device was seen to have, the newest first.
func (c *Client) Configurations(ctx context.Context, device string) (v1.List[v1.Configuration], error) {
	return get[v1.List[v1.Configuration]](ctx, c, "/devices/"+url.PathEscape(device)+"/configurations", nil)
}

// Compare tells what differs between two moments of the devices that a selector picks; a zero later moment is now.
func (c *Client) Compare(ctx context.Context, from, to time.Time, where string) (v1.Comparison, error) {
	q := url.Values{"from": {from.UTC().Format(time.RFC3339Nano)}, "where": {where}}
	if !to.IsZero() {
		q.Set("to", to.UTC().Format(time.RFC3339Nano))
	}
	return get[v1.Comparison](ctx, c, "/comparison", q)
}

// TakeBack makes a draft that takes a change that was kept back.
func (c *Client) TakeBack(ctx context.Context, number int64) (v1.Change, error) {
	return post[v1.Change](ctx, c, changePath(number, "/take-back"), nil)
}
