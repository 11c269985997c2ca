package client

import (
	"context"
	"net/http"
	"net/url"

	v1 "example.net/everypost/internal/api/v1"
)

// WirelessNetworks lists the wireless networks of the access points that a selector picks.
func (c *Client) WirelessNetworks(ctx context.Context, where string) (out v1.List[v1.WirelessNetwork], err error) {
	return out, c.call(ctx, http.MethodGet, "/wireless/networks?where="+url.QueryEscape(where), nil, &out)
}

// Radios lists the radios of the access points that a selector picks.
func (c *Client) Radios(ctx context.Context, where string) (out v1.List[v1.AirRadio], err error) {
	return out, c.call(ctx, http.MethodGet, "/wireless/radios?where="+url.QueryEscape(where), nil, &out)
}

// Refusals lists stations that tried to join a wireless network and did not.
func (c *Client) Refusals(ctx context.Context, where string) (out v1.List[v1.Refusal], err error) {
	return out, c.call(ctx, http.MethodGet, "/wireless/refusals?where="+url.QueryEscape(where), nil, &out)
}

// Joining tells step by step how a station joins a wireless network.
func (c *Client) Joining(ctx context.Context, mac string) (out v1.List[v1.JoinStep], err error) {
	return out, c.call(ctx, http.MethodGet, "/clients/"+url.PathEscape(mac)+"/joining", nil, &out)
}

// PlanChannels tells on which channels the radios of a band would disturb each other least.
func (c *Client) PlanChannels(ctx context.Context, where, band string) (out v1.ChannelPlan, err error) {
	return out, c.call(ctx, http.MethodGet, "/wireless/plan?band="+url.QueryEscape(band)+"&where="+url.QueryEscape(where), nil, &out)
}

// JoinCode makes the code by which a phone joins a network.
func (c *Client) JoinCode(ctx context.Context, in v1.JoinCodeRequest) (out v1.JoinCode, err error) {
	return out, c.call(ctx, http.MethodPost, "/wireless/join-code", in, &out)
}

// BlockedStations lists the stations of which devices that a selector picks let nothing pass.
func (c *Client) BlockedStations(ctx context.Context, where string) (out v1.List[v1.BlockedStation], err error) {
	return out, c.call(ctx, http.MethodGet, "/blocked-stations?where="+url.QueryEscape(where), nil, &out)
}

// Block puts into a draft that nothing of a station passes, or that it passes again.
func (c *Client) Block(ctx context.Context, mac string, in v1.BlockRequest) (out v1.BulkAnswer, err error) {
	return out, c.call(ctx, http.MethodPost, "/blocked-stations/"+url.PathEscape(mac), in, &out)
}

// LimitedStations lists the stations that access points which a selector picks let send and receive no more than a rate.
func (c *Client) LimitedStations(ctx context.Context, where string) (out v1.List[v1.LimitedStation], err error) {
	return out, c.call(ctx, http.MethodGet, "/limited-stations?where="+url.QueryEscape(where), nil, &out)
}

// Limit puts into a draft that a station may send and receive no more than a rate, or as much as it likes again.
func (c *Client) Limit(ctx context.Context, mac string, in v1.LimitRequest) (out v1.BulkAnswer, err error) {
	return out, c.call(ctx, http.MethodPost, "/limited-stations/"+url.PathEscape(mac), in, &out)
}
