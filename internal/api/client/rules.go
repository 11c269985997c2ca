package client

import (
	"context"
	"net/http"

	v1 "example.net/everypost/internal/api/v1"
)

// Approve approves a change of somebody else.
func (c *Client) Approve(ctx context.Context, number int64, in v1.ApproveRequest) (v1.Change, error) {
	return post[v1.Change](ctx, c, changePath(number, "/approve"), in)
}

// Withdraw takes a change back that waits to be pushed.
func (c *Client) Withdraw(ctx context.Context, number int64, in v1.WhyRequest) (v1.Change, error) {
	return post[v1.Change](ctx, c, changePath(number, "/withdraw"), in)
}

// ChangeRules lists the rules of the house for changes.
func (c *Client) ChangeRules(ctx context.Context) (out v1.List[v1.ChangeRule], err error) {
	return out, c.call(ctx, http.MethodGet, "/change-rules", nil, &out)
}

// PutChangeRule makes or replaces a rule.
func (c *Client) PutChangeRule(ctx context.Context, r v1.ChangeRule) (out v1.ChangeRule, err error) {
	return out, c.call(ctx, http.MethodPut, "/change-rules/"+r.Name, r, &out)
}

// DropChangeRule removes a rule.
func (c *Client) DropChangeRule(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "/change-rules/"+name, nil, nil)
}

// SettingKinds lists the kinds of things that devices hold besides their ports.
func (c *Client) SettingKinds(ctx context.Context) (out v1.List[v1.SettingKind], err error) {
	return out, c.call(ctx, http.MethodGet, "/settings/kinds", nil, &out)
}

// ReadySettings lists settings that are often wanted together.
func (c *Client) ReadySettings(ctx context.Context) (out v1.List[v1.ReadySettings], err error) {
	return out, c.call(ctx, http.MethodGet, "/settings/ready", nil, &out)
}

// Setup puts the first set-up of devices into a draft, or tells what it would come to.
func (c *Client) Setup(ctx context.Context, in v1.SetupRequest) (v1.SetupAnswer, error) {
	return post[v1.SetupAnswer](ctx, c, "/changes/setup", in)
}
