package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strconv"

	v1 "example.net/everypost/internal/api/v1"
)

// Policies lists the firewalls that a selector picks, with what they let pass.
func (c *Client) Policies(ctx context.Context, where string) (out v1.List[v1.PolicySummary], err error) {
	return out, c.call(ctx, http.MethodGet, "/policies?where="+url.QueryEscape(where), nil, &out)
}

// Policy is what a firewall lets pass.
func (c *Client) Policy(ctx context.Context, device string) (out v1.Policy, err error) {
	return out, c.call(ctx, http.MethodGet, "/devices/"+url.PathEscape(device)+"/policy", nil, &out)
}

// ChangePolicy is what a change lets firewalls pass, and stop.
func (c *Client) ChangePolicy(ctx context.Context, number int64) (out v1.PolicyDeltas, err error) {
	return out, c.call(ctx, http.MethodGet, fmt.Sprintf("/changes/%d/policy", number), nil, &out)
}

// Reach asks whether one end reaches another by a service.
func (c *Client) Reach(ctx context.Context, in v1.ReachRequest) (v1.Reach, error) {
	return post[v1.Reach](ctx, c, "/reach", in)
}

// Promises lists what must always, or must never, reach what.
func (c *Client) Promises(ctx context.Context) (out v1.List[v1.Promise], err error) {
	return out, c.call(ctx, http.MethodGet, "/promises", nil, &out)
}

// PutPromise promises something.
func (c *Client) PutPromise(ctx context.Context, name string, in v1.PromiseRequest) (out v1.Promise, err error) {
	return out, c.call(ctx, http.MethodPut, "/promises/"+url.PathEscape(name), in, &out)
}

// RemovePromise promises something no more.
func (c *Client) RemovePromise(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "/promises/"+url.PathEscape(name), nil, nil)
}

// TryPromise tells how a promise would stand.
func (c *Client) TryPromise(ctx context.Context, in v1.PromiseRequest) (v1.Promise, error) {
	return post[v1.Promise](ctx, c, "/promises/try", in)
}

// SessionQuery picks sessions of a firewall; what is left out picks all.
type SessionQuery struct {
	Source, Destination, Protocol string
	Port, Rule, Limit             int
}

// FirewallSessions are the sessions that a firewall let begin and that go on.
func (c *Client) FirewallSessions(ctx context.Context, device string, q SessionQuery) (out v1.FirewallSessions, err error) {
	query := url.Values{}
	for name, text := range map[string]string{"source": q.Source, "destination": q.Destination, "protocol": q.Protocol} {
		if text != "" {
			query.Set(name, text)
		}
	}
	for name, n := range map[string]int{"port": q.Port, "rule": q.Rule, "limit": q.Limit} {
		if n != 0 {
			query.Set(name, strconv.Itoa(n))
		}
	}
	return out, c.call(ctx, http.MethodGet, "/devices/"+url.PathEscape(device)+"/sessions?"+query.Encode(), nil, &out)
}

// TakeInWebList puts a list of what is in which category into a draft.
func (c *Client) TakeInWebList(ctx context.Context, in v1.WebListRequest) (out v1.BulkAnswer, err error) {
	return out, c.call(ctx, http.MethodPost, "/web-lists", in, &out)
}
