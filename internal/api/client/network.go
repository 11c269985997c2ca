package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	v1 "example.net/everypost/internal/api/v1"
)

// Map draws how the devices that a selector picks hang together, and if a VLAN is given, how it fares.
func (c *Client) Map(ctx context.Context, where string, vlan int) (v1.Map, error) {
	q := url.Values{}
	if where != "" {
		q.Set("where", where)
	}
	if vlan != 0 {
		q.Set("vlan", strconv.Itoa(vlan))
	}
	return get[v1.Map](ctx, c, "/map", q)
}

// Links lists links.
func (c *Client) Links(ctx context.Context, q Query) (v1.List[v1.Link], error) {
	return all[v1.Link](ctx, c, "/links", q)
}

// Groups lists the groups, and what they come to now.
func (c *Client) Groups(ctx context.Context) (v1.List[v1.Group], error) {
	return get[v1.List[v1.Group]](ctx, c, "/groups", nil)
}

// PutGroup makes or replaces a group.
func (c *Client) PutGroup(ctx context.Context, name string, in v1.GroupRequest) error {
	return c.call(ctx, http.MethodPut, "/groups/"+url.PathEscape(name), in, nil)
}

// DropGroup deletes a group; its members stay.
func (c *Client) DropGroup(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "/groups/"+url.PathEscape(name), nil, nil)
}

// ChangeMembers changes who is in a group that is picked by hand.
func (c *Client) ChangeMembers(ctx context.Context, group string, in v1.MembersRequest) error {
	return c.call(ctx, http.MethodPost, "/groups/"+url.PathEscape(group)+"/members", in, nil)
}

// Claim claims devices by their serial numbers; each has a result of its own.
func (c *Client) Claim(ctx context.Context, claims []v1.Claim) (v1.List[v1.ClaimResult], error) {
	return post[v1.List[v1.ClaimResult]](ctx, c, "/claims", v1.ClaimRequest{Claims: claims})
}

// Claims lists the devices that are expected.
func (c *Client) Claims(ctx context.Context) (v1.List[v1.ClaimedDevice], error) {
	return get[v1.List[v1.ClaimedDevice]](ctx, c, "/claims", nil)
}

// DropClaim takes a claim back.
func (c *Client) DropClaim(ctx context.Context, serial string) error {
	return c.call(ctx, http.MethodDelete, "/claims/"+url.PathEscape(serial), nil, nil)
}

// Rename gives a device another name.
func (c *Client) Rename(ctx context.Context, device, name string) error {
	return c.call(ctx, http.MethodPost, "/devices/"+url.PathEscape(device)+"/rename", v1.RenameRequest{Name: name}, nil)
}
