package client

import (
	"context"
	"net/http"
	"net/url"

	v1 "example.net/everypost/internal/api/v1"
)

// WhatIf tells what is lost when a device, a port or a tunnel fails.
func (c *Client) WhatIf(ctx context.Context, what string) (out v1.Failure, err error) {
	return out, c.call(ctx, http.MethodGet, "/what-if?what="+url.QueryEscape(what), nil, &out)
}

// SinglePoints lists the single points of failure at the devices that a selector picks.
func (c *Client) SinglePoints(ctx context.Context, where string) (out v1.List[v1.Failure], err error) {
	return out, c.call(ctx, http.MethodGet, "/single-points?where="+url.QueryEscape(where), nil, &out)
}
