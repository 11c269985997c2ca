package client

import (
	"context"
	"net/http"
	"net/url"

	v1 "example.net/everypost/internal/api/v1"
)

// RadioLinks lists the radio links at the devices that a selector picks.
func (c *Client) RadioLinks(ctx context.Context, where string) (out v1.List[v1.RadioLink], err error) {
	return out, c.call(ctx, http.MethodGet, "/radio-links?where="+url.QueryEscape(where), nil, &out)
}

// RadioLink is that of a device, and how both ends fared in the period before now.
func (c *Client) RadioLink(ctx context.Context, device, period string) (out v1.RadioLinkPage, err error) {
	return out, c.call(ctx, http.MethodGet, "/devices/"+url.PathEscape(device)+"/radio-link?period="+url.QueryEscape(period), nil, &out)
}

// SetRadioLink puts into a draft how both ends of the radio link of a device are to send and hear.
func (c *Client) SetRadioLink(ctx context.Context, device string, in v1.RadioLinkRequest) (out v1.BulkAnswer, err error) {
	return out, c.call(ctx, http.MethodPost, "/devices/"+url.PathEscape(device)+"/radio-link", in, &out)
}

// PutRadioLicence says by what right a device sends over its radio link.
func (c *Client) PutRadioLicence(ctx context.Context, device string, in v1.RadioLicence) (out v1.RadioLink, err error) {
	return out, c.call(ctx, http.MethodPut, "/devices/"+url.PathEscape(device)+"/radio-link/licence", in, &out)
}

// RemoveRadioLicence forgets that.
func (c *Client) RemoveRadioLicence(ctx context.Context, device string) error {
	return c.call(ctx, http.MethodDelete, "/devices/"+url.PathEscape(device)+"/radio-link/licence", nil, nil)
}
