package setting

import (
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"example.net/everypost/internal/core/network"
)

// RoutingProtocols is the feature of edges that exchange routes with the routers of their site: BGP (RFC 4271) and OSPF (RFC 2328).
const RoutingProtocols network.Feature = "routing protocols"

// AnyRoute is the prefix in which all are.
const AnyRoute = "0.0.0.0/0"

var bgpPeerOnly = []Kind{OnBGPPeer}

var routerSettings = []Setting{
	{Name: "peer-address", On: bgpPeerOnly, Title: "Address", Group: "BGP peer", Help: "of the router, in a network of the device", Default: "none", Needs: RoutingProtocols, Value: oneAddress().or("none")},
	{Name: "peer-as", On: bgpPeerOnly, Title: "AS", Group: "BGP peer", Help: "its autonomous system; 64512 to 65534 and 4200000000 to 4294967294 are for private use (RFC 6996)", Default: "none", Needs: RoutingProtocols, Value: number(1, 4_294_967_295, "").or("none")},
	{Name: "peer-secret", On: bgpPeerOnly, Title: "Secret", Group: "BGP peer", Help: "by which each proves itself to the other (TCP MD5, RFC 2385)", Needs: RoutingProtocols, Value: routerSecret()},
	{Name: "hold-time", On: bgpPeerOnly, Title: "Hold time", Group: "BGP peer", Help: "for how long it may be silent", Default: "90", Needs: RoutingProtocols, Value: number(3, 3600, "s")},
	{Name: "announces", On: bgpPeerOnly, Title: "Announces", Group: "Routes", Help: "to it: routes within these prefixes; any: all of them; none: nothing (RFC 8212)", Default: "none", Needs: RoutingProtocols, Value: exchanged()},
	{Name: "accepts", On: bgpPeerOnly, Title: "Accepts", Group: "Routes", Help: "from it: routes within these prefixes; any: all of them; none: nothing (RFC 8212)", Default: "none", Needs: RoutingProtocols, Value: exchanged()},
	{Name: "ospf-area", On: gatewayOnly, Title: "OSPF area", Group: "OSPF", Help: "in which it exchanges routes with routers of the VLAN, such as 0.0.0.0; none: it does not", Default: "none", Needs: RoutingProtocols, Value: area().or("none")},
	{Name: "ospf-cost", On: gatewayOnly, Title: "OSPF cost", Group: "OSPF", Help: "of the way by this VLAN: of several the lowest is used", Default: "10", Needs: RoutingProtocols, Value: number(1, 65_535, "")},
	{Name: "ospf-secret", On: gatewayOnly, Title: "OSPF secret", Group: "OSPF", Help: "by which routers prove themselves (HMAC-SHA-256, RFC 5709)", Needs: RoutingProtocols, Value: routerSecret()},
	{Name: "ospf-passive", On: gatewayOnly, Title: "OSPF passive", Group: "OSPF", Help: "on: the network is announced, and no router is looked for in it", Default: "off", Needs: RoutingProtocols, Value: onOff()},
}

func routerSecret() Value {
	v := secret(false)
	v.Min, v.Max, v.Form = 8, 80, "a secret of 8 to 80 characters"
	return v
}

// exchanged are prefixes; any is the one in which all are.
func exchanged() Value {
	v := prefixes(100)
	inner := v.normal
	v.Form = "prefixes such as 10.9.0.0/16, or any"
	v.normal = func(s string) (string, error) {
		if strings.EqualFold(strings.TrimSpace(s), "any") {
			return AnyRoute, nil
		}
		return inner(s)
	}
	return v.or("none")
}

// area is that of OSPF: like an address, or as the number that stands for it.
func area() Value {
	return Value{Type: Text, Max: 15, Form: "an area such as 0.0.0.0, or its number", normal: func(s string) (string, error) {
		if n, err := strconv.ParseUint(s, 10, 32); err == nil {
			return netip.AddrFrom4([4]byte{byte(n >> 24), byte(n >> 16), byte(n >> 8), byte(n)}).String(), nil
		}
		return oneAddress().normal(s)
	}}
}

// BGPPeer is a router with which a device is told to exchange routes.
type BGPPeer struct {
	Name      string
	Address   netip.Addr // not valid: not said
	AS        uint32     // 0: not said
	Secret    string     // a reference
	Announces Exchanged
	Accepts   Exchanged
}

// Exchanged is within which prefixes routes are exchanged.
type Exchanged []netip.Prefix

// Has tells whether a route to a prefix is.
func (e Exchanged) Has(p netip.Prefix) bool {
	return slices.ContainsFunc(e, func(w netip.Prefix) bool { return w.Bits() <= p.Bits() && w.Contains(p.Addr()) })
}

// BGPPeers are those of a device, by name.
func BGPPeers(c network.Config) (out []BGPPeer) {
	for _, object := range ObjectsOf(c, OnBGPPeer) {
		o := c.Objects[object]
		p := BGPPeer{Name: strings.TrimPrefix(object, string(OnBGPPeer)+"/"), Secret: o["peer-secret"], Announces: prefixesIn(o["announces"]), Accepts: prefixesIn(o["accepts"])}
		p.Address, _ = netip.ParseAddr(o["peer-address"])
		as, _ := strconv.ParseUint(o["peer-as"], 10, 32)
		p.AS = uint32(as)
		out = append(out, p)
	}
	return out
}

// OSPFOf is the area in which a device exchanges routes in a VLAN, "" for none, and whether it looks for no router there.
func OSPFOf(c network.Config, v network.VLANID) (area string, passive bool) {
	o := c.Objects[GatewayObject(v)]
	if area = o["ospf-area"]; area == "none" {
		area = ""
	}
	return area, o["ospf-passive"] == "on"
}
