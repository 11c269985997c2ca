package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strconv"

	v1 "example.net/everypost/internal/api/v1"
)

// GuestQuery says which guests are listed.
type GuestQuery struct {
	Portal, Station, State string // "" for any
	Days                   int    // 0: 7
}

// Guests lists guests who came, or ask to be let in.
func (c *Client) Guests(ctx context.Context, q GuestQuery) (out v1.List[v1.GuestStay], err error) {
	values := url.Values{}
	for name, v := range map[string]string{"portal": q.Portal, "station": q.Station, "state": q.State} {
		if v != "" {
			values.Set(name, v)
		}
	}
	if q.Days > 0 {
		values.Set("days", strconv.Itoa(q.Days))
	}
	return out, c.call(ctx, http.MethodGet, "/guests?"+values.Encode(), nil, &out)
}

// DecideGuest lets a guest in who waits, turns him away, or ends his time.
func (c *Client) DecideGuest(ctx context.Context, number int64, in v1.GuestVerdict) (v1.GuestStay, error) {
	return post[v1.GuestStay](ctx, c, fmt.Sprintf("/guests/%d", number), in)
}

// GuestPortals lists the pages on which guests are received.
func (c *Client) GuestPortals(ctx context.Context) (out v1.List[v1.GuestPortal], err error) {
	return out, c.call(ctx, http.MethodGet, "/guest-portals", nil, &out)
}

func portalPath(name string) string { return "/guest-portals/" + url.PathEscape(name) }

// PutGuestPortal makes a page for guests, or changes it.
func (c *Client) PutGuestPortal(ctx context.Context, name string, in v1.GuestPortalRequest) (out v1.GuestPortal, err error) {
	return out, c.call(ctx, http.MethodPut, portalPath(name), in, &out)
}

// RemoveGuestPortal removes one, with its vouchers.
func (c *Client) RemoveGuestPortal(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, portalPath(name), nil, nil)
}

// PutPortalPicture puts a picture onto one; none when it is empty.
func (c *Client) PutPortalPicture(ctx context.Context, name string, picture []byte) error {
	return c.call(ctx, http.MethodPut, portalPath(name)+"/picture", v1.PortalPicture{Picture: picture}, nil)
}

// CarryGuestPortal puts one before a network, in a draft.
func (c *Client) CarryGuestPortal(ctx context.Context, name string, in v1.PortalCarryRequest) (v1.BulkAnswer, error) {
	return post[v1.BulkAnswer](ctx, c, portalPath(name)+"/networks", in)
}

// Vouchers lists those of a page for guests.
func (c *Client) Vouchers(ctx context.Context, portal string) (out v1.List[v1.GuestVoucher], err error) {
	return out, c.call(ctx, http.MethodGet, portalPath(portal)+"/vouchers", nil, &out)
}

// MakeVouchers makes vouchers and returns their codes, this once.
func (c *Client) MakeVouchers(ctx context.Context, portal string, in v1.VoucherOrder) (v1.VoucherCodes, error) {
	return post[v1.VoucherCodes](ctx, c, portalPath(portal)+"/vouchers", in)
}

// TakeVoucher takes one back that nobody used.
func (c *Client) TakeVoucher(ctx context.Context, portal string, number int64) error {
	return c.call(ctx, http.MethodDelete, fmt.Sprintf("%s/vouchers/%d", portalPath(portal), number), nil, nil)
}
