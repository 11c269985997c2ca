package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	v1 "example.net/everypost/internal/api/v1"
)

func ofDraft(change int64) url.Values {
	if change == 0 {
		return nil
	}
	return url.Values{"change": {strconv.FormatInt(change, 10)}}
}

// Templates lists the templates, the weakest first, as a draft would make them; 0 for none.
func (c *Client) Templates(ctx context.Context, change int64) (v1.List[v1.Template], error) {
	return get[v1.List[v1.Template]](ctx, c, "/templates", ofDraft(change))
}

// Template returns a template with what it picks, as a draft would make it; 0 for none.
func (c *Client) Template(ctx context.Context, name string, change int64) (v1.Template, error) {
	return get[v1.Template](ctx, c, "/templates/"+url.PathEscape(name), ofDraft(change))
}

// SiteLayer returns what is said for all devices of a site.
func (c *Client) SiteLayer(ctx context.Context, site string) (v1.SiteLayer, error) {
	return get[v1.SiteLayer](ctx, c, "/sites/"+url.PathEscape(site)+"/layer", nil)
}

// Drift lists the devices that run other than intended.
func (c *Client) Drift(ctx context.Context) (v1.List[v1.Drift], error) {
	return get[v1.List[v1.Drift]](ctx, c, "/drift", nil)
}

// AcceptDrift takes what a device runs as what is intended: all, or some objects.
func (c *Client) AcceptDrift(ctx context.Context, device string, objects []string) (v1.Drift, error) {
	return post[v1.Drift](ctx, c, "/devices/"+url.PathEscape(device)+"/drift/accept", v1.AcceptDriftRequest{Objects: objects})
}

// RestoreDrift makes a draft that has devices run what is intended again.
func (c *Client) RestoreDrift(ctx context.Context, in v1.RestoreRequest) (v1.Change, error) {
	return post[v1.Change](ctx, c, "/changes/restore", in)
}

// SetControl sets who changes a device.
func (c *Client) SetControl(ctx context.Context, device, control string) error {
	return c.call(ctx, http.MethodPut, "/devices/"+url.PathEscape(device)+"/control", v1.ControlRequest{Control: control}, nil)
}

// CopySettings puts settings of one device into a draft for others.
func (c *Client) CopySettings(ctx context.Context, in v1.CopyRequest) (v1.BulkAnswer, error) {
	return post[v1.BulkAnswer](ctx, c, "/changes/copy", in)
}
