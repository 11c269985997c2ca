package client

import (
	"context"
	"net/http"
	"net/url"

	v1 "example.net/everypost/internal/api/v1"
)

// Tunnels lists the tunnels at the edges that a selector picks.
func (c *Client) Tunnels(ctx context.Context, where string) (out v1.List[v1.JoinedTunnel], err error) {
	return out, c.call(ctx, http.MethodGet, "/tunnels?where="+url.QueryEscape(where), nil, &out)
}

// PlanTunnels puts into a draft that edges are joined.
func (c *Client) PlanTunnels(ctx context.Context, in v1.TunnelPlanRequest) (out v1.TunnelPlan, err error) {
	return out, c.call(ctx, http.MethodPost, "/tunnels", in, &out)
}

// RemoveTunnel puts into a draft that both ends of a tunnel are taken away.
func (c *Client) RemoveTunnel(ctx context.Context, in v1.TunnelRemoval) (out v1.BulkAnswer, err error) {
	return out, c.call(ctx, http.MethodPost, "/tunnels/removed", in, &out)
}

// TunnelSheet is what who sets up the other end of a tunnel has to know.
func (c *Client) TunnelSheet(ctx context.Context, device, name string) (out v1.TunnelSheet, err error) {
	return out, c.call(ctx, http.MethodGet, "/tunnels/sheet?"+url.Values{"device": {device}, "name": {name}}.Encode(), nil, &out)
}
