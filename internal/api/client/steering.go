package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	v1 "example.net/everypost/internal/api/v1"
)

// SteeredFlows lists which tunnels the traffic of the edges that a selector picks goes over.
func (c *Client) SteeredFlows(ctx context.Context, where string) (out v1.List[v1.SteeredFlow], err error) {
	return out, c.call(ctx, http.MethodGet, "/steering?where="+url.QueryEscape(where), nil, &out)
}

// Steering is that of an edge, as it runs or, for a draft above 0, as that would make it; and what it would have come to in the period before now.
func (c *Client) Steering(ctx context.Context, device string, draft int64, period string) (out v1.Steering, err error) {
	q := url.Values{}
	if draft > 0 {
		q.Set("change", strconv.FormatInt(draft, 10))
	}
	if period != "" {
		q.Set("period", period)
	}
	return out, c.call(ctx, http.MethodGet, "/devices/"+url.PathEscape(device)+"/steering?"+q.Encode(), nil, &out)
}
