package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	v1 "example.net/everypost/internal/api/v1"
)

// OperationKinds lists what devices can be asked to do.
func (c *Client) OperationKinds(ctx context.Context) (v1.List[v1.OperationKind], error) {
	return get[v1.List[v1.OperationKind]](ctx, c, "/operations/kinds", nil)
}

// Operations lists what devices, or one, were asked to do, the newest first.
func (c *Client) Operations(ctx context.Context, device string, limit int) (v1.List[v1.Operation], error) {
	return get[v1.List[v1.Operation]](ctx, c, "/operations", url.Values{"device": {device}, "limit": {strconv.Itoa(limit)}})
}

// Operation returns what a device was asked to do, and what came back so far.
func (c *Client) Operation(ctx context.Context, number int64) (v1.Operation, error) {
	return get[v1.Operation](ctx, c, "/operations/"+strconv.FormatInt(number, 10), nil)
}

// StartOperation has a device do something now.
func (c *Client) StartOperation(ctx context.Context, device string, in v1.OperationRequest) (out v1.Operation, err error) {
	return out, c.call(ctx, http.MethodPost, "/devices/"+url.PathEscape(device)+"/operations", in, &out)
}

// CancelOperation ends what a device was asked to do.
func (c *Client) CancelOperation(ctx context.Context, number int64) error {
	return c.call(ctx, http.MethodPost, "/operations/"+strconv.FormatInt(number, 10)+"/cancel", nil, nil)
}

// Behind tells what is cut off while a device is away.
func (c *Client) Behind(ctx context.Context, device string) (v1.Behind, error) {
	return get[v1.Behind](ctx, c, "/devices/"+url.PathEscape(device)+"/behind", nil)
}
