package setting

import (
	"fmt"
	"net/netip"
	"strings"

	"example.net/everypost/internal/core/network"
)

// Routing is the feature of devices that route between VLANs and give out addresses there.
const Routing network.Feature = "routing"

var gatewayOnly, routeOnly = []Kind{OnGateway}, []Kind{OnRoute}

// routingSettings say where a device is the gateway, what addresses it gives out there, and which routes are told to it.
var routingSettings = []Setting{
	{Name: "gateway-address", On: gatewayOnly, Title: "Address", Group: "Gateway", Help: "of the device in the VLAN, with the length of the network; dhcp: it asks for one", Default: "none", Needs: Routing,
		Value: interfaceAddress().or("none", "dhcp")},
	{Name: "dhcp-server", On: gatewayOnly, Title: "DHCP server", Group: "DHCP", Help: "whether it gives out addresses there (RFC 2131)", Default: "off", Needs: Routing, Value: onOff()},
	{Name: "dhcp-ranges", On: gatewayOnly, Title: "Ranges", Group: "DHCP", Help: "the addresses that it gives out, such as 10.2.20.100-10.2.20.199", Default: "none", Needs: Routing,
		Value: list("ranges such as 10.2.20.100-10.2.20.199", 20, addressRange)},
	{Name: "dhcp-lease", On: gatewayOnly, Title: "Lease", Group: "DHCP", Help: "for how long an address is given", Default: "1440", Needs: Routing, Value: number(5, 43_200, "min")},
	{Name: "dhcp-dns", On: gatewayOnly, Title: "Name servers", Group: "DHCP", Help: "that stations are told of", Default: "none", Needs: Routing, Value: addresses(4)},
	{Name: "reservations", On: gatewayOnly, Title: "Reservations", Group: "DHCP", Help: "stations that always get the same address", Needs: Routing, Value: tableOf(reservationTable)},
	{Name: "route-prefix", On: routeOnly, Title: "Prefix", Group: "Static route", Help: "to where; 0.0.0.0/0 is the default route", Default: "none", Needs: Routing, Value: onePrefix().or("none")},
	{Name: "route-via", On: routeOnly, Title: "Via", Group: "Static route", Help: "the router that it goes to, in a network of the device", Default: "none", Needs: Routing, Value: oneAddress().or("none")},
	{Name: "distance", On: routeOnly, Title: "Distance", Group: "Static route", Help: "of routes to the same prefix the one with the lowest is used", Default: "1", Needs: Routing, Value: number(1, 255, "")},
}

var reservationTable = table{
	one: "Reservation", most: 500, highest: 65535, example: "02:4c:53:20:00:07 gets 10.2.20.7",
	columns: []Column{
		{Name: "mac", Title: "Station", Value: MAC(), Help: "its hardware address"},
		{Name: "address", Title: "Gets", Lead: "gets", Value: oneAddress(), Help: "the address"},
		{Name: "note", Title: "Note", Lead: "note", Default: "none", Help: "what it is", Value: text(120)},
	},
}

func addressRange(s string) (string, error) {
	low, high, ok := strings.Cut(s, "-")
	if !ok {
		high = low
	}
	a, err1 := netip.ParseAddr(strings.TrimSpace(low))
	b, err2 := netip.ParseAddr(strings.TrimSpace(high))
	switch {
	case err1 != nil || err2 != nil || a.Is4() != b.Is4():
		return "", fmt.Errorf("%q is no range: write it like 10.2.20.100-10.2.20.199", s)
	case b.Less(a):
		return "", fmt.Errorf("%q runs backwards", s)
	}
	return a.String() + "-" + b.String(), nil
}

// onePrefix is a prefix.
func onePrefix() Value {
	return Value{Type: Text, Max: 50, Form: "a prefix such as 10.9.0.0/16", normal: func(s string) (string, error) {
		p, err := netip.ParsePrefix(s)
		if err != nil {
			return "", fmt.Errorf("%q is not a prefix: write it like 10.9.0.0/16", s)
		}
		return p.Masked().String(), nil
	}}
}

// Range is addresses, both ends included.
type Range struct{ Low, High netip.Addr }

// Has tells whether an address is in it.
func (r Range) Has(a netip.Addr) bool { return r.Low.Compare(a) <= 0 && a.Compare(r.High) <= 0 }

// Gateway is what a device is in a VLAN.
type Gateway struct {
	VLAN         network.VLANID
	Address      netip.Prefix // not valid: none, or asked for
	DHCP         bool
	Ranges       []Range
	Reservations []Reservation
}

// Reservation is an address that a station always gets.
type Reservation struct {
	Row     int
	MAC     string
	Address netip.Addr
}

// Gateways are those of a device, in the order of their VLANs.
func Gateways(c network.Config) (out []Gateway) {
	for _, object := range ObjectsOf(c, OnGateway) {
		o := c.Objects[object]
		g := Gateway{DHCP: o["dhcp-server"] == "on"}
		g.VLAN, _ = network.ParseVLAN(strings.TrimPrefix(object, string(OnGateway)+"/"))
		g.Address, _ = netip.ParsePrefix(o["gateway-address"])
		for _, item := range Items(o["dhcp-ranges"]) {
			low, high, _ := strings.Cut(item, "-")
			a, err1 := netip.ParseAddr(low)
			b, err2 := netip.ParseAddr(high)
			if err1 == nil && err2 == nil {
				g.Ranges = append(g.Ranges, Range{a, b})
			}
		}
		for _, row := range RowsOf(o, "reservations") {
			cells, err := reservationTable.parse(row.Text)
			if a, bad := netip.ParseAddr(cells["address"]); err == nil && bad == nil {
				g.Reservations = append(g.Reservations, Reservation{row.Number, cells["mac"], a})
			}
		}
		out = append(out, g)
	}
	return out
}

// StaticRoute is a route that was told to a device.
type StaticRoute struct {
	Name   string
	Prefix netip.Prefix
	Via    netip.Addr
}

// StaticRoutes are those of a device, by name; ends that are not said are not valid.
func StaticRoutes(c network.Config) (out []StaticRoute) {
	for _, object := range ObjectsOf(c, OnRoute) {
		r := StaticRoute{Name: strings.TrimPrefix(object, string(OnRoute)+"/")}
		r.Prefix, _ = netip.ParsePrefix(c.Objects[object]["route-prefix"])
		r.Via, _ = netip.ParseAddr(c.Objects[object]["route-via"])
		out = append(out, r)
	}
	return out
}

// GatewayObject is what the gateway of a VLAN is called.
func GatewayObject(v network.VLANID) string { return Object(OnGateway, v.String()) }
