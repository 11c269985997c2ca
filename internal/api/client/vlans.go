package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	v1 "example.net/everypost/internal/api/v1"
)

// VLANs lists the VLANs of the devices that a selector picks, or ("") of the network.
func (c *Client) VLANs(ctx context.Context, where string) (v1.List[v1.NetworkVLAN], error) {
	return get[v1.List[v1.NetworkVLAN]](ctx, c, "/vlans", url.Values{"where": {where}})
}

// VLAN returns a VLAN, and where it is.
func (c *Client) VLAN(ctx context.Context, id int) (v1.NetworkVLAN, error) {
	return get[v1.NetworkVLAN](ctx, c, "/vlans/"+strconv.Itoa(id), nil)
}

// DescribeVLAN says what a VLAN is for.
func (c *Client) DescribeVLAN(ctx context.Context, id int, in v1.VLANRecord) error {
	return c.call(ctx, http.MethodPut, "/vlans/"+strconv.Itoa(id), in, nil)
}

// ServiceVLANs lists the service VLANs, in which devices carry untouched what somebody else sends.
func (c *Client) ServiceVLANs(ctx context.Context) (v1.List[v1.ServiceVLAN], error) {
	return get[v1.List[v1.ServiceVLAN]](ctx, c, "/service-vlans", nil)
}

// CarryServiceVLAN works out what it takes to have what is sent into one port come out at another untouched.
func (c *Client) CarryServiceVLAN(ctx context.Context, id int, in v1.ServiceCarryRequest) (v1.Carriage, error) {
	return post[v1.Carriage](ctx, c, "/service-vlans/"+strconv.Itoa(id)+"/carriage", in)
}

// EndServiceVLAN works out what takes a service VLAN off all ports.
func (c *Client) EndServiceVLAN(ctx context.Context, id int) (v1.Carriage, error) {
	return get[v1.Carriage](ctx, c, "/service-vlans/"+strconv.Itoa(id)+"/ending", nil)
}

// CarryVLAN works out what it takes to have a VLAN carried from one device to another.
func (c *Client) CarryVLAN(ctx context.Context, id int, in v1.CarryRequest) (v1.Carriage, error) {
	return post[v1.Carriage](ctx, c, "/vlans/"+strconv.Itoa(id)+"/carriage", in)
}
