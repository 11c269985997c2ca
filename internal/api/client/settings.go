package client

import (
	"context"

	v1 "example.net/everypost/internal/api/v1"
)

// Settings lists everything that can be set.
func (c *Client) Settings(ctx context.Context) (v1.List[v1.Setting], error) {
	return get[v1.List[v1.Setting]](ctx, c, "/settings", nil)
}

// Standing tells how some things stand on their settings.
func (c *Client) Standing(ctx context.Context, in v1.StandingRequest) (v1.Standings, error) {
	return post[v1.Standings](ctx, c, "/settings/standing", in)
}

// Bulk puts settings of many things into a draft.
func (c *Client) Bulk(ctx context.Context, in v1.BulkRequest) (v1.BulkAnswer, error) {
	return post[v1.BulkAnswer](ctx, c, "/changes/bulk", in)
}

// ExportSettings writes the settings of devices as a file.
func (c *Client) ExportSettings(ctx context.Context, in v1.ExportRequest) (v1.SettingsFile, error) {
	return post[v1.SettingsFile](ctx, c, "/settings/export", in)
}

// DraftFromFile turns a file of settings into a draft, or tells what it would make different.
func (c *Client) DraftFromFile(ctx context.Context, in v1.FileRequest) (v1.FileAnswer, error) {
	return post[v1.FileAnswer](ctx, c, "/changes/from-file", in)
}

// ProposeBundle works out a bundle of ports, with both its ends.
func (c *Client) ProposeBundle(ctx context.Context, in v1.BundleRequest) (v1.BundleProposal, error) {
	return post[v1.BundleProposal](ctx, c, "/bundles/proposal", in)
}
