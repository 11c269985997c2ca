package client

import (
	"context"
	"net/http"
	"net/url"

	v1 "example.net/everypost/internal/api/v1"
)

// Certificates lists the certificates of the devices that a selector picks, those that end first before the others.
func (c *Client) Certificates(ctx context.Context, where string) (out v1.List[v1.DeviceCertificate], err error) {
	return out, c.call(ctx, http.MethodGet, "/certificates?where="+url.QueryEscape(where), nil, &out)
}

// Authority is the certificate authority of the house.
func (c *Client) Authority(ctx context.Context) (out v1.Authority, err error) {
	return out, c.call(ctx, http.MethodGet, "/authority", nil, &out)
}
