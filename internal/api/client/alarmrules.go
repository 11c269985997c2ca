package client

import (
	"context"
	"net/http"
	"net/url"

	v1 "example.net/everypost/internal/api/v1"
)

// AlarmRules lists the rules of the house for alarms.
func (c *Client) AlarmRules(ctx context.Context) (v1.List[v1.AlarmRule], error) {
	return get[v1.List[v1.AlarmRule]](ctx, c, "/alarm-rules", nil)
}

// PutAlarmRule makes or replaces one.
func (c *Client) PutAlarmRule(ctx context.Context, name string, in v1.AlarmRuleRequest) (out v1.AlarmRule, err error) {
	return out, c.call(ctx, http.MethodPut, "/alarm-rules/"+url.PathEscape(name), in, &out)
}

// RemoveAlarmRule removes one.
func (c *Client) RemoveAlarmRule(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "/alarm-rules/"+url.PathEscape(name), nil, nil)
}

// TryAlarmRule tells when a rule would have had alarms.
func (c *Client) TryAlarmRule(ctx context.Context, in v1.AlarmRuleRequest) (out v1.AlarmRuleTrial, err error) {
	return out, c.call(ctx, http.MethodPost, "/alarm-rules/try", in, &out)
}
