package standin

import (
	"cmp"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

const policyTypes = "http://openconfig.net/yang/policy-types"

// route is an entry of a table of routes.
type route struct {
	prefix, via, out, origin string
	peer                     *device // at the other end of the tunnel that it goes over; nil where it does not
	from                     string  // the table from which it was leaked, as it is called there; "" where it was not
	leaked                   bool
}

func (d *device) sitePrefix() string { return fmt.Sprintf("10.%d.0.0/16", d.spec.SiteNet) }

// asOf is the autonomous system of a site, of those for private use (RFC 6996).
func (d *device) asOf() int { return 64512 + d.spec.SiteNet }

// peers are the edges to which a device has tunnels, with since when one of them is up; zero when none is.
func (d *device) peers() map[*device]time.Time {
	out := map[*device]time.Time{}
	for _, t := range d.world.tunnelsAt[d.spec.Name] {
		far := d.world.devices[t.far(d.spec.Name).device]
		if far.crated {
			continue
		}
		since := out[far]
		if t.up && (since.IsZero() || t.changed.Before(since)) {
			since = t.changed
		}
		out[far] = since
	}
	return out
}

// ownRoutes are those of a segment ("" for what is in none) without what is leaked: its networks, what was told, and between sites what an edge learned over
// BGP: what its peers have, and what they learned from theirs.
func (d *device) ownRoutes(segment string) []route {
	found := map[string]route{}
	connected := d.connected(segment)
	for _, r := range append(connected, d.static(connected)...) {
		found[r.prefix] = r
	}
	for _, r := range d.learned(segment) {
		if _, known := found[r.prefix]; !known {
			found[r.prefix] = r
		}
	}
	peers := d.peers()
	order := slices.SortedFunc(maps.Keys(peers), func(a, b *device) int { return cmp.Compare(a.spec.Name, b.spec.Name) })
	learn := func(of, from *device) {
		for _, prefix := range of.networks(d.numberOf(segment)) {
			if _, known := found[prefix]; !known && of.spec.SiteNet != d.spec.SiteNet {
				found[prefix] = route{prefix: prefix, via: from.spec.ManagementIP, out: d.tunnelTo(from), origin: "BGP", peer: from}
			}
		}
	}
	for _, p := range order {
		if !peers[p].IsZero() {
			learn(p, p)
		}
	}
	for _, p := range order {
		if peers[p].IsZero() {
			continue
		}
		for beyond, since := range p.peers() {
			if beyond != d && !since.IsZero() {
				learn(beyond, p)
			}
		}
	}
	return slices.SortedFunc(maps.Values(found), func(a, b route) int { return cmp.Compare(a.prefix, b.prefix) })
}

// tunnelTo is the first tunnel to a peer that is up.
func (d *device) tunnelTo(peer *device) string {
	for _, t := range d.world.tunnelsAt[d.spec.Name] {
		if t.up && t.far(d.spec.Name).device == peer.spec.Name {
			return t.names[t.end(d.spec.Name)]
		}
	}
	return ""
}

// underlayRoutes go out to the providers.
func (d *device) underlayRoutes() []route {
	var out []route
	for i, p := range d.spec.Ports {
		if d.ports[p.Name].up && (strings.HasPrefix(p.Name, "wan") || strings.HasPrefix(p.Name, "cell")) {
			out = append(out, route{prefix: fmt.Sprintf("192.0.2.%d/30", 4*i), out: p.Name, origin: "DIRECTLY_CONNECTED"})
		}
	}
	if len(out) > 0 {
		out = append([]route{{prefix: "0.0.0.0/0", via: netip.MustParsePrefix(out[0].prefix).Addr().Next().String(), out: out[0].out, origin: "STATIC"}}, out...)
	}
	return out
}

// routingState tells of routes and of BGP.
func (d *device) routingState(instances *xmlnode.Node) {
	x := in("oc-netin")
	first := instances.Child("network-instance")
	if first == nil {
		return
	}
	switch d.spec.Role {
	case "switch":
		if m := d.cfg.manage; m.vrf != "" && m.ownPort != "" {
			instances.Add(x.node("network-instance", x.leaf("name", m.vrf), aftsNode([]route{
				{prefix: fmt.Sprintf("10.%d.%d.0/24", d.spec.SiteNet, d.spec.ManagementVLAN), out: m.ownPort, origin: "DIRECTLY_CONNECTED"}})))
		}
	case "edge":
		first.Add(aftsNode(d.table("")), protocolsNode(d.bgpNode(""), d.ospfNode("")))
		instances.Add(x.node("network-instance", x.leaf("name", "underlay"), aftsNode(d.underlayRoutes())))
		for _, name := range slices.Sorted(maps.Keys(d.cfg.routed.segments)) {
			instances.Add(x.node("network-instance", x.leaf("name", name), aftsNode(d.table(name)), protocolsNode(d.bgpNode(name), d.ospfNode(name))))
		}
	case "firewall":
		prefix := fmt.Sprintf("10.%d.%d.0/24", d.spec.SiteNet, d.spec.ManagementVLAN)
		routes := []route{{prefix: prefix, out: fmt.Sprintf("vlan%d", d.spec.ManagementVLAN), origin: "DIRECTLY_CONNECTED"}}
		if gateway := d.world.gatewayOf(d.spec.Name, d.cfg.management); gateway != "" {
			routes = append([]route{{prefix: "0.0.0.0/0", via: d.world.devices[gateway].spec.ManagementIP, out: routes[0].out, origin: "STATIC"}}, routes...)
		}
		first.Add(aftsNode(routes))
	}
}

// aftsNode writes routes as openconfig-aft does: entries that name a group of next hops.
func aftsNode(routes []route) *xmlnode.Node {
	x := in("oc-netin")
	entries, groups, hops := x.node("ipv4-unicast"), x.node("next-hop-groups"), x.node("next-hops")
	ids := map[[2]string]string{}
	for _, r := range routes {
		hop := [2]string{r.via, r.out}
		id := ids[hop]
		if id == "" {
			id = strconv.Itoa(len(ids) + 1)
			ids[hop] = id
			state := x.node("state", x.leaf("index", id))
			if r.via != "" {
				state.Add(x.leaf("ip-address", r.via))
			}
			hops.Add(x.node("next-hop", x.leaf("index", id), state, x.node("interface-ref", x.node("state", x.leaf("interface", r.out)))))
			groups.Add(x.node("next-hop-group", x.leaf("id", id), x.node("state", x.leaf("id", id)), x.node("next-hops", x.node("next-hop", x.leaf("index", id)))))
		}
		state := x.node("state", x.leaf("prefix", r.prefix), x.leaf("next-hop-group", id), x.leaf("origin-protocol", "oc-pol-types:"+r.origin).SetAttr("xmlns", "oc-pol-types", policyTypes))
		if r.leaked {
			state.Add(x.leaf("origin-network-instance", instanceOf(r.from)))
		}
		entries.Add(x.node("ipv4-entry", x.leaf("prefix", r.prefix), state))
	}
	return x.node("afts", entries, groups, hops)
}

// protocolsNode holds those protocols that are spoken.
func protocolsNode(some ...*xmlnode.Node) *xmlnode.Node {
	out := in("oc-netin").node("protocols")
	for _, n := range some {
		if n != nil {
			out.Add(n)
		}
	}
	return out
}

// bgpNode tells of BGP in a segment: between sites in that of all that is in none, and with routers of the site. It is nil where it is not spoken.
func (d *device) bgpNode(segment string) *xmlnode.Node {
	x := in("oc-netin")
	routers := d.bgpRouters(segment)
	neighbours := x.node("neighbors", routers...)
	peers := d.peers()
	if segment != "" {
		if len(routers) == 0 {
			return nil
		}
		peers = nil
	}
	for _, p := range slices.SortedFunc(maps.Keys(peers), func(a, b *device) int { return cmp.Compare(a.spec.Name, b.spec.Name) }) {
		state := x.node("state", x.leaf("neighbor-address", p.spec.ManagementIP), x.int("peer-as", p.asOf()), x.leaf("description", p.cfg.hostname))
		received, sent := 0, 0
		if since := peers[p]; since.IsZero() {
			state.Add(x.leaf("session-state", "ACTIVE"))
		} else {
			state.Add(x.leaf("session-state", "ESTABLISHED"), x.when("last-established", since))
			received, sent = p.announces(d), d.announces(p)
		}
		family := x.node("afi-safi", x.leaf("afi-safi-name", "oc-bgp-types:IPV4_UNICAST").SetAttr("xmlns", "oc-bgp-types", "http://openconfig.net/yang/bgp-types"),
			x.node("state", x.node("prefixes", x.int("received", received), x.int("sent", sent), x.int("installed", received))))
		neighbours.Add(x.node("neighbor", x.leaf("neighbor-address", p.spec.ManagementIP), state, x.node("afi-safis", family)))
	}
	return x.node("protocol", x.leaf("identifier", "oc-pol-types:BGP").SetAttr("xmlns", "oc-pol-types", policyTypes), x.leaf("name", "bgp"),
		x.node("bgp", x.node("global", x.node("state", x.int("as", d.asOf()), x.leaf("router-id", d.spec.ManagementIP))), neighbours))
}

// announces is how many prefixes a device announces to a peer: that of its own site, and those of the sites of its other
// peers.
func (d *device) announces(to *device) int {
	prefixes := map[string]bool{d.sitePrefix(): true}
	for p, since := range d.peers() {
		if p != to && !since.IsZero() {
			prefixes[p.sitePrefix()] = true
		}
	}
	delete(prefixes, to.sitePrefix())
	for _, r := range d.learned("") {
		prefixes[r.prefix] = true
	}
	return len(prefixes)
}
