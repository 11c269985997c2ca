package netconf

import (
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/wire/xmlnode"
)

// maxRoutes bounds how many routes of a device are read: tables of the whole internet are not for looking at.
const maxRoutes = 5000

// readVRFs reads the routes in use (openconfig-aft) and who they are exchanged with (openconfig-bgp), of each network
// instance that has any.
func readVRFs(instances *xmlnode.Node) []network.VRF {
	var out []network.VRF
	for _, i := range instances.All("network-instance") {
		v := network.VRF{Name: i.TextAt("name"), Routes: readRoutes(i.Child("afts"))}
		for _, p := range i.Child("protocols").All("protocol") {
			switch kindOf(p.TextAt("identifier")) {
			case "BGP":
				v.BGP = readBGP(p.Child("bgp"))
			case "OSPF":
				v.OSPF = readOSPF(p.Child("ospfv2"))
			}
		}
		if len(v.Routes) > 0 || v.BGP != nil || v.OSPF != nil {
			out = append(out, v)
		}
	}
	return out
}

// readRoutes follows each entry to its group of next hops, and takes the first.
func readRoutes(afts *xmlnode.Node) []network.Route {
	type hop struct{ address, port string }
	hops := map[string]hop{}
	for _, h := range afts.Child("next-hops").All("next-hop") {
		hops[h.TextAt("index")] = hop{h.TextAt("state/ip-address"), h.TextAt("interface-ref/state/interface")}
	}
	groups := map[string]hop{}
	for _, g := range afts.Child("next-hop-groups").All("next-hop-group") {
		groups[g.TextAt("id")] = hops[g.TextAt("next-hops/next-hop/index")]
	}
	var out []network.Route
	for _, e := range afts.Child("ipv4-unicast").All("ipv4-entry") {
		if len(out) == maxRoutes {
			break
		}
		h := groups[e.TextAt("state/next-hop-group")]
		out = append(out, network.Route{Prefix: e.TextAt("prefix"), Via: h.address, Interface: h.port, Origin: originOf(kindOf(e.TextAt("state/origin-protocol"))), From: e.TextAt("state/origin-network-instance")})
	}
	return out
}

// originOf says where a route is from (oc-policy-types:INSTALL_PROTOCOL_TYPE).
func originOf(protocol string) string {
	if protocol == "DIRECTLY_CONNECTED" {
		return "connected"
	}
	return strings.ToLower(protocol)
}

func readBGP(bgp *xmlnode.Node) *network.BGP {
	if bgp == nil {
		return nil
	}
	out := &network.BGP{AS: asNumber(bgp.TextAt("global/state/as")), RouterID: bgp.TextAt("global/state/router-id")}
	for _, n := range bgp.Child("neighbors").All("neighbor") {
		s := n.Child("state")
		neighbour := network.BGPNeighbour{Address: n.TextAt("neighbor-address"), Description: s.TextAt("description"), AS: asNumber(s.TextAt("peer-as")),
			State: strings.ToLower(kindOf(s.TextAt("session-state")))}
		if neighbour.State == "established" {
			neighbour.Since = notAhead(epoch(s.TextAt("last-established")))
		}
		for _, f := range n.Child("afi-safis").All("afi-safi") {
			prefixes := f.Find("state/prefixes")
			neighbour.Received += number(prefixes, "received")
			neighbour.Sent += number(prefixes, "sent")
		}
		out.Neighbours = append(out.Neighbours, neighbour)
	}
	return out
}

// readOSPF reads in which networks OSPF is spoken, and with whom (openconfig-ospfv2).
func readOSPF(ospf *xmlnode.Node) *network.OSPF {
	if ospf == nil {
		return nil
	}
	out := &network.OSPF{RouterID: ospf.TextAt("global/state/router-id")}
	for _, a := range ospf.Child("areas").All("area") {
		for _, i := range a.Child("interfaces").All("interface") {
			one := network.OSPFInterface{Name: i.TextAt("id"), Area: a.TextAt("identifier")}
			for _, n := range i.Child("neighbors").All("neighbor") {
				s := n.Child("state")
				neighbour := network.OSPFNeighbour{RouterID: n.TextAt("router-id"), Address: s.TextAt("neighbor-address"), State: strings.ToLower(kindOf(s.TextAt("adjacency-state")))}
				if neighbour.State == "full" {
					neighbour.Since = notAhead(epoch(s.TextAt("last-established-time")))
				}
				one.Neighbours = append(one.Neighbours, neighbour)
			}
			out.Interfaces = append(out.Interfaces, one)
		}
	}
	return out
}

// notAhead is a time, or none where it is by a clock that is wrong.
func notAhead(t time.Time) time.Time {
	if t.After(time.Now().Add(24 * time.Hour)) {
		return time.Time{}
	}
	return t
}

// readRouters reads what ep-routing tells of why routers of the site and a device do not get on.
func readRouters(in *network.Inside, data *xmlnode.Node) {
	routing := data.Child("routing")
	faults, of := map[string]string{}, map[string]string{}
	for _, p := range routing.All("bgp-peer") {
		faults[p.TextAt("address")] = short(p.TextAt("fault"))
	}
	for _, g := range routing.All("gateway") {
		of["vlan"+g.TextAt("vlan")] = short(g.TextAt("ospf/last-error"))
	}
	for _, v := range in.VRFs {
		if v.BGP != nil {
			for i, n := range v.BGP.Neighbours {
				v.BGP.Neighbours[i].Fault = faults[n.Address]
			}
		}
		if v.OSPF != nil {
			for i, o := range v.OSPF.Interfaces {
				v.OSPF.Interfaces[i].Fault = of[o.Name]
			}
		}
	}
}

func asNumber(s string) uint32 {
	n, _ := strconv.ParseUint(s, 10, 32)
	return uint32(n)
}
