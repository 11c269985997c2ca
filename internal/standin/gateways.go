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

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// routingConfig is what a configuration says of routing (ep-routing).
type routingConfig struct {
	gateways map[int]gatewayConfig
	routes   []staticRoute
	segments map[string]segmentConfig
	peers    []bgpPeer
}

// gatewayConfig is what a device is in a VLAN.
type gatewayConfig struct {
	address  netip.Prefix // not valid: none
	serves   bool
	ranges   []span
	lease    time.Duration
	reserved map[string]netip.Addr // by hardware address
	segment  string                // "" for none
	ospf     ospfConfig
}

type staticRoute struct {
	name     string
	prefix   netip.Prefix
	via      netip.Addr
	distance int
}

func (c *compiled) compileRouting(tree *xmlnode.Node) {
	c.routed.gateways = map[int]gatewayConfig{}
	rt := tree.Child("routing")
	for _, n := range rt.All("gateway") {
		vlan, _ := strconv.Atoi(n.TextAt("vlan"))
		server := n.Child("dhcp-server")
		minutes, _ := strconv.Atoi(cmp.Or(server.TextAt("lease"), "1440"))
		g := gatewayConfig{serves: server.TextAt("enabled") == "true", lease: time.Duration(minutes) * time.Minute, segment: n.TextAt("segment"), reserved: map[string]netip.Addr{},
			ospf: ospfConfig{n.TextAt("ospf/area"), n.TextAt("ospf/secret"), n.TextAt("ospf/passive") == "true"}}
		g.address, _ = netip.ParsePrefix(n.TextAt("address"))
		for _, r := range texts(server.Child("ranges").All("range")) {
			if s, ok := readSpan(r); ok {
				g.ranges = append(g.ranges, s)
			}
		}
		for _, r := range n.All("reservation") {
			g.reserved[r.TextAt("mac")], _ = netip.ParseAddr(r.TextAt("address"))
		}
		c.routed.gateways[vlan] = g
	}
	c.routed.compileSegments(rt)
	c.routed.compileRouters(rt)
	for _, n := range rt.All("static-route") {
		r := staticRoute{name: n.TextAt("name")}
		r.prefix, _ = netip.ParsePrefix(n.TextAt("prefix"))
		r.via, _ = netip.ParseAddr(n.TextAt("via"))
		r.distance, _ = strconv.Atoi(cmp.Or(n.TextAt("distance"), "1"))
		c.routed.routes = append(c.routed.routes, r)
	}
}

func validateRouting(tree *xmlnode.Node, vlans map[string]bool, fault func(tag, path, format string, args ...any)) {
	rt := tree.Child("routing")
	inNetwork := map[string]netip.Prefix{}
	validateSegments(rt, fault)
	validateRouters(rt, fault)
	for _, n := range rt.All("gateway") {
		vlan := n.TextAt("vlan")
		path := "/routing/gateway[vlan='" + vlan + "']"
		if !vlans[vlan] {
			fault(netconf.TagDataMissing, path, "VLAN %s is not defined on this device", vlan)
		}
		address, err := netip.ParsePrefix(n.TextAt("address"))
		if err != nil {
			if n.TextAt("dhcp-server/enabled") == "true" {
				fault(netconf.TagInvalidValue, path+"/dhcp-server", "there is no address in VLAN %s of which others could be given out", vlan)
			}
			continue
		}
		for other, p := range inNetwork {
			if p.Overlaps(address) {
				fault(netconf.TagInvalidValue, path+"/address", "%s overlaps the network of VLAN %s", address, other)
			}
		}
		inNetwork[vlan] = address
		for _, r := range texts(n.Find("dhcp-server/ranges").All("range")) {
			if s, ok := readSpan(r); !ok || !address.Contains(s.low) || !address.Contains(s.high) {
				fault(netconf.TagInvalidValue, path+"/dhcp-server/range", "%s is not in %s", r, address.Masked())
			}
		}
	}
}

// routes tells whether a device is the gateway of a VLAN.
func (d *device) routes(vlan int) bool {
	return vlan == d.cfg.management || d.cfg.vlans[vlan] && d.cfg.routed.gateways[vlan].address.IsValid()
}

// connected are the networks of a segment in which an edge has an address; "" is what is in none.
func (d *device) connected(segment string) []route {
	var out []route
	for _, vlan := range slices.Sorted(maps.Keys(d.cfg.vlans)) {
		switch g := d.cfg.routed.gateways[vlan]; {
		case g.segment != segment:
		case vlan == d.cfg.management:
			out = append(out, route{prefix: fmt.Sprintf("10.%d.%d.0/24", d.spec.SiteNet, vlan), out: fmt.Sprintf("vlan%d", vlan), origin: "DIRECTLY_CONNECTED"})
		case g.address.IsValid():
			out = append(out, route{prefix: g.address.Masked().String(), out: fmt.Sprintf("vlan%d", vlan), origin: "DIRECTLY_CONNECTED"})
		}
	}
	return out
}

// static are the routes that were told to it and of which the router is in one of its networks: of those to the same prefix the nearest.
func (d *device) static(connected []route) []route {
	best := map[string]int{}
	var out []route
	for _, r := range slices.SortedStableFunc(slices.Values(d.cfg.routed.routes), func(a, b staticRoute) int { return cmp.Or(a.distance-b.distance, strings.Compare(a.name, b.name)) }) {
		if !r.prefix.IsValid() {
			continue
		}
		prefix := r.prefix.Masked().String()
		i := slices.IndexFunc(connected, func(c route) bool {
			p, err := netip.ParsePrefix(c.prefix)
			return err == nil && p.Contains(r.via)
		})
		if _, has := best[prefix]; has || i < 0 {
			continue
		}
		best[prefix] = r.distance
		out = append(out, route{prefix: prefix, via: r.via.String(), out: connected[i].out, origin: "STATIC"})
	}
	return out
}

// giveOut has stations that an address is reserved for have it, and others their own again.
func (w *World) giveOut() {
	type key struct {
		site, vlan int
	}
	reserved := map[key]map[string]netip.Addr{}
	for _, name := range w.gateways {
		d := w.devices[name]
		for vlan, g := range d.cfg.routed.gateways {
			if g.serves && len(g.reserved) > 0 && d.powered {
				reserved[key{d.spec.SiteNet, vlan}] = g.reserved
			}
		}
	}
	hides := false
	for _, d := range w.devices {
		hides = hides || d.cfg.wireless.hides
	}
	if len(reserved) == 0 && !hides && !w.gave {
		return
	}
	w.gave = len(reserved) > 0 || hides
	type own struct{ address, outside netip.Addr }
	owns := map[*host]own{}
	for _, d := range w.devices {
		d.giveOwn(func(h *host, address, outside netip.Addr) { owns[h] = own{address, outside} })
	}
	for _, h := range w.hosts {
		d := w.devices[h.at.device]
		if h.own == "" {
			h.own = h.IP
		}
		want := h.own
		if a, is := reserved[key{d.spec.SiteNet, h.joined(d.cfg)}][h.MAC]; is {
			want = a.String()
		}
		var seen netip.Addr
		if o, is := owns[h]; is {
			want, seen = "", o.outside
			if o.address.IsValid() {
				want = o.address.String()
			}
		}
		if h.IP != want || h.seen != seen {
			h.IP, h.seen, h.says = want, seen, nil
		}
	}
}

// leaseState tells of each VLAN in which a device gives out addresses who has which.
func (d *device) leaseState(rt *xmlnode.Node, now time.Time) {
	x := in("ep-rt")
	d.routerState(rt)
	for _, n := range rt.All("gateway") {
		vlan, _ := strconv.Atoi(n.TextAt("vlan"))
		g := d.cfg.routed.gateways[vlan]
		if !g.serves {
			continue
		}
		server := n.Child("dhcp-server")
		size := len(g.reserved)
		for _, r := range g.ranges {
			size += r.size()
		}
		given := 0
		for _, h := range d.world.hosts {
			at := d.world.devices[h.at.device]
			a, err := netip.ParseAddr(h.IP)
			if err != nil || h.seen.IsValid() || at.spec.SiteNet != d.spec.SiteNet || h.joined(at.cfg) != vlan || h.cut || h.away || !h.port.up {
				continue
			}
			_, always := g.reserved[h.MAC]
			if !always && !spanned(g.ranges, a) {
				continue
			}
			given++
			since := time.Duration(hashOf(h.MAC)%1000) * g.lease / 2000
			lease := x.node("lease-given", x.leaf("address", h.IP), x.leaf("mac", h.MAC), x.leaf("ends", now.Add(g.lease-since).Truncate(time.Minute).UTC().Format(time.RFC3339)))
			if h.SSID != "" {
				lease.Add(x.leaf("name", h.Name))
			}
			if always {
				lease.Add(x.leaf("reserved", "true"))
			}
			server.Add(lease)
		}
		server.Add(x.int("size", size), x.int("free", max(size-given, 0)))
	}
}

// size is how many addresses it is.
func (s span) size() int {
	a, b := s.low.As4(), s.high.As4()
	n := 0
	for i := range a {
		n = n<<8 + int(b[i]) - int(a[i])
	}
	return n + 1
}

// gatewayNodes are the VLANs in which an edge is first told to be the gateway: it gives out addresses in those where stations come and go, if it is
// the first of its site.
func (s DeviceSpec) gatewayNodes() *xmlnode.Node {
	x := in("ep-rt")
	rt := x.node("routing")
	for _, segment := range s.Segments {
		n := x.node("segment", x.leaf("name", segment.Name), x.leaf("purpose", segment.Purpose), x.int("number", segment.Number))
		if len(segment.Leaks) > 0 {
			leaks := x.node("leaks")
			for _, from := range segment.Leaks {
				leaks.Add(x.leaf("from", from))
			}
			n.Add(leaks)
		}
		rt.Add(n)
	}
	rt.Add(s.routerNodes()...)
	own := s.ManagementIP[strings.LastIndexByte(s.ManagementIP, '.')+1:]
	for _, v := range s.VLANs {
		if v == s.ManagementVLAN || v == 1 {
			continue
		}
		net := fmt.Sprintf("10.%d.%d.", s.SiteNet, v)
		g := x.node("gateway", x.int("vlan", v), x.leaf("address", net+own+"/24"))
		for _, segment := range s.Segments {
			if slices.Contains(segment.VLANs, v) {
				g.Add(x.leaf("segment", segment.Name))
			}
		}
		if o, speaks := s.OSPF[v]; speaks {
			g.Add(x.node("ospf", x.leaf("area", o.Area), x.leaf("secret", o.Secret)))
		}
		if !strings.HasSuffix(s.Name, "-02") && v%100 != 50 && v%100 != 99 {
			g.Add(x.node("dhcp-server", x.leaf("enabled", "true"), x.node("ranges", x.leaf("range", net+"20-"+net+"250"))))
		}
		rt.Add(g)
	}
	return rt
}
