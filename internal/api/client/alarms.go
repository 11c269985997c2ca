package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	v1 "example.net/everypost/internal/api/v1"
)

// AlarmQuery picks alarms.
type AlarmQuery struct {
	Where  string // of devices
	Device string
	Over   bool // those that are cleared or closed
	All    bool // those that follow from others too
	Limit  int
}

// Alarms lists what is out of order, the worst first; or was, the newest first.
func (c *Client) Alarms(ctx context.Context, q AlarmQuery) (v1.List[v1.Alarm], error) {
	v := url.Values{"where": {q.Where}, "device": {q.Device}, "over": {strconv.FormatBool(q.Over)}, "all": {strconv.FormatBool(q.All)}}
	if q.Limit > 0 {
		v.Set("limit", strconv.Itoa(q.Limit))
	}
	return get[v1.List[v1.Alarm]](ctx, c, "/alarms", v)
}

// AlarmCounts tells how many alarms are open.
func (c *Client) AlarmCounts(ctx context.Context, where string) (v1.AlarmCounts, error) {
	return get[v1.AlarmCounts](ctx, c, "/alarms/counts", url.Values{"where": {where}})
}

// Alarm returns an alarm with what follows from it.
func (c *Client) Alarm(ctx context.Context, number int64) (v1.AlarmDetail, error) {
	return get[v1.AlarmDetail](ctx, c, "/alarms/"+strconv.FormatInt(number, 10), nil)
}

// ImportAlarms hands over alarms that another system kept of devices from before they were enrolled.
func (c *Client) ImportAlarms(ctx context.Context, in v1.PastAlarms) error {
	return c.call(ctx, http.MethodPost, "/alarms/past", in, nil)
}

// ActOnAlarm does something about an alarm.
func (c *Client) ActOnAlarm(ctx context.Context, number int64, in v1.AlarmAct) (out v1.AlarmDetail, err error) {
	return out, c.call(ctx, http.MethodPost, "/alarms/"+strconv.FormatInt(number, 10)+"/acts", in, &out)
}

// HandOver returns all that is known of an incident as one text.
func (c *Client) HandOver(ctx context.Context, number int64) ([]byte, error) {
	return c.raw(ctx, "/alarms/"+strconv.FormatInt(number, 10)+"/hand-over")
}

// Support returns all that is known of a device as one file, without secrets.
func (c *Client) Support(ctx context.Context, device string) ([]byte, error) {
	return c.raw(ctx, "/devices/"+url.PathEscape(device)+"/support")
}

// Service tells how the service itself fares, and what it logged last.
func (c *Client) Service(ctx context.Context) (out v1.ServiceState, err error) {
	return out, c.call(ctx, http.MethodGet, "/service", nil, &out)
}

// OwnSupport fetches all that is known of the service itself as one file (ZIP).
func (c *Client) OwnSupport(ctx context.Context) ([]byte, error) {
	return c.raw(ctx, "/service/support")
}
