package client

import (
	"context"
	"net/http"
	"net/url"

	v1 "example.net/everypost/internal/api/v1"
)

// Paths lists the tunnels of the edges that a selector picks, as each of them measures them.
func (c *Client) Paths(ctx context.Context, where string) (out v1.List[v1.Path], err error) {
	return out, c.call(ctx, http.MethodGet, "/paths?where="+url.QueryEscape(where), nil, &out)
}

// Circuits lists the lines of providers at the edges that a selector picks.
func (c *Client) Circuits(ctx context.Context, where string) (out v1.List[v1.Circuit], err error) {
	return out, c.call(ctx, http.MethodGet, "/circuits?where="+url.QueryEscape(where), nil, &out)
}

// PutCircuit says what the circuit at a port is.
func (c *Client) PutCircuit(ctx context.Context, in v1.CircuitRequest) (out v1.Circuit, err error) {
	return out, c.call(ctx, http.MethodPut, "/circuits", in, &out)
}

// RemoveCircuit forgets the circuit at a port.
func (c *Client) RemoveCircuit(ctx context.Context, device, port string) error {
	return c.call(ctx, http.MethodDelete, "/circuits?"+url.Values{"device": {device}, "port": {port}}.Encode(), nil, nil)
}
