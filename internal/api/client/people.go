package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"

	v1 "example.net/everypost/internal/api/v1"
)

// Users lists who may sign in.
func (c *Client) Users(ctx context.Context) (out v1.List[v1.User], err error) {
	return out, c.call(ctx, http.MethodGet, "/users", nil, &out)
}

// PutUser changes a user's full name, role and bounds.
func (c *Client) PutUser(ctx context.Context, name string, in v1.UserRequest) error {
	return c.call(ctx, http.MethodPut, "/users/"+url.PathEscape(name), in, nil)
}

// RemoveUser removes a user.
func (c *Client) RemoveUser(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "/users/"+url.PathEscape(name), nil, nil)
}

// ResetPassword gives a user a new password.
func (c *Client) ResetPassword(ctx context.Context, name, password string) error {
	return c.call(ctx, http.MethodPut, "/users/"+url.PathEscape(name)+"/password", v1.NewPassword{Password: password}, nil)
}

// ChangePassword changes one's own password.
func (c *Client) ChangePassword(ctx context.Context, in v1.OwnPassword) error {
	return c.call(ctx, http.MethodPut, "/session/password", in, nil)
}

// Sessions lists one's own sessions of browsers.
func (c *Client) Sessions(ctx context.Context) (out v1.List[v1.Session], err error) {
	return out, c.call(ctx, http.MethodGet, "/sessions", nil, &out)
}

// EndSession ends a session of one's own.
func (c *Client) EndSession(ctx context.Context, id string) error {
	return c.call(ctx, http.MethodDelete, "/sessions/"+url.PathEscape(id), nil, nil)
}

// Tokens lists the tokens of a user, or one's own.
func (c *Client) Tokens(ctx context.Context, user string) (out v1.List[v1.Token], err error) {
	return out, c.call(ctx, http.MethodGet, tokensOf(user), nil, &out)
}

// MakeToken makes a token for oneself.
func (c *Client) MakeToken(ctx context.Context, in v1.TokenRequest) (out v1.NewToken, err error) {
	return out, c.call(ctx, http.MethodPost, "/tokens", in, &out)
}

// DropToken takes back a token of a user, or of one's own.
func (c *Client) DropToken(ctx context.Context, user string, id int64) error {
	return c.call(ctx, http.MethodDelete, fmt.Sprintf("%s/%d", tokensOf(user), id), nil, nil)
}

func tokensOf(user string) string {
	if user == "" {
		return "/tokens"
	}
	return "/users/" + url.PathEscape(user) + "/tokens"
}

// Roles lists the roles.
func (c *Client) Roles(ctx context.Context) (out v1.List[v1.Role], err error) {
	return out, c.call(ctx, http.MethodGet, "/roles", nil, &out)
}

// PutRole makes or changes a role.
func (c *Client) PutRole(ctx context.Context, name string, in v1.RoleRequest) error {
	return c.call(ctx, http.MethodPut, "/roles/"+url.PathEscape(name), in, nil)
}

// RemoveRole removes a role that nobody has.
func (c *Client) RemoveRole(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "/roles/"+url.PathEscape(name), nil, nil)
}

// RightMeanings lists what the verbs of rules come to for the features.
func (c *Client) RightMeanings(ctx context.Context) (out v1.List[v1.RightMeaning], err error) {
	return out, c.call(ctx, http.MethodGet, "/right-meanings", nil, &out)
}
