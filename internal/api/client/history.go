package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	v1 "example.net/everypost/internal/api/v1"
)

// Past is a stretch of time: from one moment to another, or a period up to one. What is zero is left to the service.
type Past struct {
	From, To time.Time
	Period   string        // 24h, 7d
	Step     time.Duration // the length of a step
	Points   int           // about how many steps
}

func (p Past) values() url.Values {
	q := url.Values{}
	if !p.From.IsZero() {
		q.Set("from", p.From.UTC().Format(time.RFC3339Nano))
	}
	if !p.To.IsZero() {
		q.Set("to", p.To.UTC().Format(time.RFC3339Nano))
	}
	if p.Period != "" {
		q.Set("period", p.Period)
	}
	if p.Step > 0 {
		q.Set("step", strconv.Itoa(int(p.Step.Seconds())))
	}
	if p.Points > 0 {
		q.Set("points", strconv.Itoa(p.Points))
	}
	return q
}

// Metrics lists what history is kept of.
func (c *Client) Metrics(ctx context.Context) (v1.List[v1.MetricInfo], error) {
	return get[v1.List[v1.MetricInfo]](ctx, c, "/history/metrics", nil)
}

// History tells metrics of a part of a device over a time: of the things of those names, or of all.
func (c *Client) History(ctx context.Context, device, part string, names, metrics []string, p Past) (v1.History, error) {
	q := p.values()
	q.Set("part", part)
	for _, n := range names {
		q.Add("of", n)
	}
	if len(metrics) > 0 {
		q.Set("metric", strings.Join(metrics, ","))
	}
	return get[v1.History](ctx, c, "/devices/"+url.PathEscape(device)+"/history", q)
}

// ClientHistory tells what was read of a wireless client over a time.
func (c *Client) ClientHistory(ctx context.Context, mac string, p Past) (v1.History, error) {
	return get[v1.History](ctx, c, "/clients/"+url.PathEscape(mac)+"/history", p.values())
}

// TotalHistory adds up a metric of the devices that a selector picks.
func (c *Client) TotalHistory(ctx context.Context, where, metric string, p Past) (v1.History, error) {
	q := p.values()
	q.Set("where", where)
	q.Set("metric", metric)
	return get[v1.History](ctx, c, "/history/total", q)
}

// LinkUse tells how much of the links of the devices that a selector picks was used, the busiest first.
func (c *Client) LinkUse(ctx context.Context, where string, limit int, p Past) (v1.List[v1.LinkUse], error) {
	q := p.values()
	q.Set("where", where)
	q.Set("limit", strconv.Itoa(limit))
	return get[v1.List[v1.LinkUse]](ctx, c, "/links/use", q)
}

// ImportHistory hands over what another system kept of a device from before it was enrolled.
func (c *Client) ImportHistory(ctx context.Context, device string, in v1.PastRequest) error {
	return c.call(ctx, http.MethodPost, "/devices/"+url.PathEscape(device)+"/history", in, nil)
}

// PathStrips tells how calls over the tunnels of the edges that a selector picks fared in the last 24 hours.
func (c *Client) PathStrips(ctx context.Context, where string) (v1.Strips, error) {
	return get[v1.Strips](ctx, c, "/paths/strips", url.Values{"where": {where}})
}

// Strips tells how sites, devices or ports fared in the last 24 hours.
func (c *Client) Strips(ctx context.Context, by, where string) (v1.Strips, error) {
	return get[v1.Strips](ctx, c, "/alarms/strips", url.Values{"by": {by}, "where": {where}})
}

// TopQuery says by what is ranked.
type TopQuery struct {
	Where, Part, Metric, Order string
	Limit                      int
}

// Top tells what ranks highest by a reading over a time.
func (c *Client) Top(ctx context.Context, in TopQuery, p Past) (v1.Top, error) {
	q := p.values()
	for name, v := range map[string]string{"where": in.Where, "part": in.Part, "metric": in.Metric, "order": in.Order} {
		if v != "" {
			q.Set(name, v)
		}
	}
	if in.Limit > 0 {
		q.Set("limit", strconv.Itoa(in.Limit))
	}
	return get[v1.Top](ctx, c, "/history/top", q)
}

// Volumes tells how much went through a port, by hour, day or month of a zone.
func (c *Client) Volumes(ctx context.Context, device, port, by, zone string, p Past) (v1.Volumes, error) {
	q := p.values()
	q.Set("port", port)
	q.Set("by", by)
	q.Set("zone", zone)
	return get[v1.Volumes](ctx, c, "/devices/"+url.PathEscape(device)+"/volumes", q)
}

// ClientWay tells where an end station is, and the way from it.
func (c *Client) ClientWay(ctx context.Context, mac string) (v1.ClientWay, error) {
	return get[v1.ClientWay](ctx, c, "/clients/"+url.PathEscape(mac)+"/way", nil)
}
