package client

import (
	"context"
	"net/http"
	"net/url"

	v1 "example.net/everypost/internal/api/v1"
)

// Segments lists the segments at the edges that a selector picks.
func (c *Client) Segments(ctx context.Context, where string) (out v1.List[v1.Segment], err error) {
	return out, c.call(ctx, http.MethodGet, "/segments?where="+url.QueryEscape(where), nil, &out)
}

// MakeSegment puts into a draft that networks of edges are in a segment.
func (c *Client) MakeSegment(ctx context.Context, in v1.SegmentRequest) (out v1.BulkAnswer, err error) {
	return out, c.call(ctx, http.MethodPost, "/segments", in, &out)
}

// Routes lists the routes that the devices a selector picks use: of one VRF, or of all for ""; to one address, or all for "".
func (c *Client) Routes(ctx context.Context, where, vrf, to string) (out v1.UsedRoutes, err error) {
	q := url.Values{"where": {where}}
	if vrf != "" {
		q.Set("vrf", vrf)
	}
	if to != "" {
		q.Set("to", to)
	}
	return out, c.call(ctx, http.MethodGet, "/routes?"+q.Encode(), nil, &out)
}

// Routers lists the routers of sites with which the edges that a selector picks exchange routes.
func (c *Client) Routers(ctx context.Context, where string) (out v1.List[v1.Router], err error) {
	return out, c.call(ctx, http.MethodGet, "/routers?where="+url.QueryEscape(where), nil, &out)
}
