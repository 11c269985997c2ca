package standin

import (
	"cmp"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strconv"
	"time"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// RouterSpec is a router of others at a site: nobody here can set it up. It exchanges routes with the edge in its VLAN, by one protocol or the other.
type RouterSpec struct {
	Host     string   // the station that it is
	RouterID string   // by which it is known
	Prefix   string   // what is behind it
	Behind   []string // addresses that answer there
	Secret   string
	AS       int    // of BGP; 0: it speaks none
	Expects  int    // the AS in which it wants the edge to be
	Area     string // of OSPF; "": it speaks none
}

// BGPPeerSpec is a router of which an edge was first told.
type BGPPeerSpec struct {
	Name, Purpose, Address, Secret string
	AS                             int
	Announces, Accepts             []string
}

// OSPFSpec is a VLAN in which an edge was first told to speak OSPF.
type OSPFSpec struct{ Area, Secret string }

type router struct {
	RouterSpec
	host   *host
	prefix netip.Prefix
}

func (r *router) vlan(w *World) int { return r.host.joined(w.devices[r.host.at.device].cfg) }

func (r *router) site(w *World) int { return w.devices[r.host.at.device].spec.SiteNet }

// bgpPeer is a router as an edge is told of it.
type bgpPeer struct {
	name, purpose, secret string
	address               netip.Addr
	as                    int
	announces, accepts    []netip.Prefix
}

// ospfConfig is how an edge speaks OSPF in a VLAN.
type ospfConfig struct {
	area, secret string
	passive      bool
}

// exchange is how an edge and a router get on.
type exchange struct {
	router  *router // nil where there is none
	vlan    int
	up      bool
	changed time.Time
	fault   string
}

// Faults of exchanges with routers.
const (
	faultNoNetwork  = "no-network"
	faultBadAS      = "bad-peer-as"
	faultArea       = "area-mismatch"
	faultSecret     = "authentication"
	bgpKey, ospfKey = "bgp ", "ospf "
)

func prefixesOf(list []string) (out []netip.Prefix) {
	for _, text := range list {
		if p, err := netip.ParsePrefix(text); err == nil {
			out = append(out, p)
		}
	}
	return out
}

func (r *routingConfig) compileRouters(rt *xmlnode.Node) {
	for _, n := range rt.All("bgp-peer") {
		p := bgpPeer{name: n.TextAt("name"), purpose: n.TextAt("purpose"), secret: n.TextAt("secret"), announces: prefixesOf(texts(n.Child("announces").All("prefix"))), accepts: prefixesOf(texts(n.Child("accepts").All("prefix")))}
		p.address, _ = netip.ParseAddr(n.TextAt("address"))
		p.as, _ = strconv.Atoi(n.TextAt("as"))
		r.peers = append(r.peers, p)
	}
}

func validateRouters(rt *xmlnode.Node, fault func(tag, path, format string, args ...any)) {
	at := map[string]string{}
	for _, n := range rt.All("bgp-peer") {
		address := n.TextAt("address")
		if other := at[address]; other != "" && address != "" {
			fault(netconf.TagInvalidValue, "/routing/bgp-peer[name='"+n.TextAt("name")+"']/address", "that is %s already", other)
		}
		at[address] = n.TextAt("name")
	}
}

// inside tells whether one of some prefixes holds all of another.
func inside(list []netip.Prefix, p netip.Prefix) bool {
	return slices.ContainsFunc(list, func(w netip.Prefix) bool { return w.Bits() <= p.Bits() && w.Contains(p.Addr()) })
}

// routerFor is the router behind which an address is, nil for none.
func (w *World) routerFor(a netip.Addr) *router {
	for _, r := range w.routers {
		if r.prefix.Contains(a) {
			return r
		}
	}
	return nil
}

// placed is the site and the VLAN of an address of the company, or of the router behind which it is; ok is false for others.
func (w *World) placed(a netip.Addr) (site, vlan int, ok bool) {
	if r := w.routerFor(a); r != nil {
		return r.site(w), r.vlan(w), true
	}
	return ofSite(a)
}

// settleRouters brings up what edges and routers exchange routes by, as far as they agree.
func (w *World) settleRouters(now time.Time) {
	for _, name := range w.gateways {
		d := w.devices[name]
		was := d.exchanges
		d.exchanges = nil
		set := func(key string, e exchange) {
			if old, known := was[key]; known && old.up == e.up {
				e.changed = old.changed
			} else {
				e.changed = now
			}
			if d.exchanges == nil {
				d.exchanges = map[string]exchange{}
			}
			d.exchanges[key] = e
		}
		for _, p := range d.cfg.routed.peers {
			set(bgpKey+p.name, w.bgpWith(d, p))
		}
		for vlan, g := range d.cfg.routed.gateways {
			if g.ospf.area == "" || g.ospf.passive {
				continue
			}
			for _, r := range w.routers {
				if e, there := w.ospfWith(d, vlan, g.ospf, r); there {
					set(ospfKey+r.Host, e)
				}
			}
		}
	}
}

// meets tells whether frames get from an edge to a router in a VLAN.
func (w *World) meets(d *device, vlan int, r *router) bool {
	return r.site(w) == d.spec.SiteNet && r.vlan(w) == vlan && w.answers(station{host: r.host, device: w.devices[r.host.at.device]}) &&
		w.gatewayIn(w.around(room{r.host.at.device, vlan}), d.spec.SiteNet, vlan) == d
}

func (w *World) bgpWith(d *device, p bgpPeer) exchange {
	e := exchange{fault: faultIncomplete}
	if !p.address.IsValid() || p.as == 0 {
		return e
	}
	e.fault = faultNoNetwork
	for vlan, g := range d.cfg.routed.gateways {
		if g.address.IsValid() && g.address.Contains(p.address) {
			e.vlan, e.fault = vlan, faultNoAnswer
		}
	}
	i := slices.IndexFunc(w.routers, func(r *router) bool { return r.host.IP == p.address.String() && r.AS > 0 })
	if i < 0 || e.vlan == 0 || !w.meets(d, e.vlan, w.routers[i]) {
		return e
	}
	r := w.routers[i]
	switch {
	case r.Secret != p.secret:
		e.fault = faultSecret
	case r.AS != p.as || r.Expects != d.asOf():
		e.fault = faultBadAS
	default:
		e.router, e.up, e.fault = r, true, ""
	}
	return e
}

// ospfWith is how OSPF goes with a router; there is none where it is not heard, or speaks none.
func (w *World) ospfWith(d *device, vlan int, o ospfConfig, r *router) (e exchange, there bool) {
	if r.Area == "" || !w.meets(d, vlan, r) {
		return e, false
	}
	e = exchange{router: r, vlan: vlan}
	switch {
	case r.Area != o.area:
		e.fault = faultArea
	case r.Secret != o.secret:
		e.fault = faultSecret
	default:
		e.up = true
	}
	return e, true
}

// learned are the routes of a segment that an edge has of routers of its site.
func (d *device) learned(segment string) (out []route) {
	for _, key := range slices.Sorted(maps.Keys(d.exchanges)) {
		e := d.exchanges[key]
		if !e.up || d.cfg.routed.gateways[e.vlan].segment != segment {
			continue
		}
		origin := "OSPF"
		if key[:len(bgpKey)] == bgpKey {
			if origin = "BGP"; !inside(d.peerOf(key).accepts, e.router.prefix) {
				continue
			}
		}
		out = append(out, route{prefix: e.router.prefix.String(), via: e.router.host.IP, out: fmt.Sprintf("vlan%d", e.vlan), origin: origin})
	}
	return out
}

func (d *device) peerOf(key string) bgpPeer {
	for _, p := range d.cfg.routed.peers {
		if bgpKey+p.name == key {
			return p
		}
	}
	return bgpPeer{}
}

// told are the prefixes that an edge tells a router of.
func (d *device) told(key string, e exchange) (out []string) {
	own := d.peerOf(key).announces
	for _, r := range d.ownRoutes(d.cfg.routed.gateways[e.vlan].segment) {
		p, err := netip.ParsePrefix(r.prefix)
		if err == nil && r.via != e.router.host.IP && (e.router.Area != "" || inside(own, p)) {
			out = append(out, r.prefix)
		}
	}
	return out
}

// knows tells whether a router has a way back to somebody.
func (w *World) knows(r *router, source netip.Addr) bool {
	for _, name := range w.gateways {
		d := w.devices[name]
		for key, e := range d.exchanges {
			if e.router == r && e.up && inside(prefixesOf(d.told(key, e)), netip.PrefixFrom(source, 32)) {
				return true
			}
		}
	}
	return false
}

// routerState tells of routers of the site what stands in no model of others.
func (d *device) routerState(rt *xmlnode.Node) {
	x := in("ep-rt")
	for _, n := range rt.All("bgp-peer") {
		if e := d.exchanges[bgpKey+n.TextAt("name")]; e.fault != "" {
			n.Add(x.leaf("fault", e.fault))
		}
	}
	for _, n := range rt.All("gateway") {
		vlan, _ := strconv.Atoi(n.TextAt("vlan"))
		for _, e := range d.exchanges {
			if o := n.Child("ospf"); o != nil && e.vlan == vlan && e.router != nil && e.router.Area != "" && e.fault != "" {
				o.Add(x.leaf("last-error", e.fault))
				break
			}
		}
	}
}

// bgpRouters are the neighbours of BGP of a segment that are routers of the site.
func (d *device) bgpRouters(segment string) (out []*xmlnode.Node) {
	x := in("oc-netin")
	for _, p := range d.cfg.routed.peers {
		e := d.exchanges[bgpKey+p.name]
		if !p.address.IsValid() || d.cfg.routed.gateways[e.vlan].segment != segment {
			continue
		}
		state := x.node("state", x.leaf("neighbor-address", p.address.String()), x.int("peer-as", p.as), x.leaf("description", cmp.Or(p.purpose, p.name)))
		received, installed, sent := 0, 0, 0
		if e.up {
			state.Add(x.leaf("session-state", "ESTABLISHED"), x.when("last-established", e.changed))
			received, sent = 1, len(d.told(bgpKey+p.name, e))
			if inside(p.accepts, e.router.prefix) {
				installed = 1
			}
		} else {
			state.Add(x.leaf("session-state", map[bool]string{true: "IDLE", false: "ACTIVE"}[e.fault == faultBadAS]))
		}
		family := x.node("afi-safi", x.leaf("afi-safi-name", "oc-bgp-types:IPV4_UNICAST").SetAttr("xmlns", "oc-bgp-types", "http://openconfig.net/yang/bgp-types"),
			x.node("state", x.node("prefixes", x.int("received", received), x.int("sent", sent), x.int("installed", installed))))
		out = append(out, x.node("neighbor", x.leaf("neighbor-address", p.address.String()), state, x.node("afi-safis", family)))
	}
	return out
}

// ospfNode tells of OSPF in a segment as openconfig-ospfv2 does; nil where it is not spoken there.
func (d *device) ospfNode(segment string) *xmlnode.Node {
	x := in("oc-netin")
	areas := map[string]*xmlnode.Node{}
	for _, vlan := range slices.Sorted(maps.Keys(d.cfg.routed.gateways)) {
		g := d.cfg.routed.gateways[vlan]
		if g.ospf.area == "" || g.segment != segment {
			continue
		}
		if areas[g.ospf.area] == nil {
			areas[g.ospf.area] = x.node("interfaces")
		}
		neighbours := x.node("neighbors")
		for _, key := range slices.Sorted(maps.Keys(d.exchanges)) {
			if e := d.exchanges[key]; e.vlan == vlan && e.up && e.router.Area != "" {
				neighbours.Add(x.node("neighbor", x.leaf("router-id", e.router.RouterID), x.node("state", x.leaf("router-id", e.router.RouterID), x.leaf("neighbor-address", e.router.host.IP),
					x.leaf("adjacency-state", "oc-ospf-types:FULL").SetAttr("xmlns", "oc-ospf-types", "http://openconfig.net/yang/ospf-types"), x.when("last-established-time", e.changed))))
			}
		}
		id := fmt.Sprintf("vlan%d", vlan)
		areas[g.ospf.area].Add(x.node("interface", x.leaf("id", id), neighbours))
	}
	if len(areas) == 0 {
		return nil
	}
	list := x.node("areas")
	for _, id := range slices.Sorted(maps.Keys(areas)) {
		list.Add(x.node("area", x.leaf("identifier", id), areas[id]))
	}
	return x.node("protocol", x.leaf("identifier", "oc-pol-types:OSPF").SetAttr("xmlns", "oc-pol-types", policyTypes), x.leaf("name", "ospf"),
		x.node("ospfv2", x.node("global", x.node("state", x.leaf("router-id", d.spec.ManagementIP))), list))
}

// routerNodes are the BGP peers that an edge is first told of.
func (s DeviceSpec) routerNodes() (out []*xmlnode.Node) {
	x := in("ep-rt")
	for _, p := range s.BGPPeers {
		n := x.node("bgp-peer", x.leaf("name", p.Name), x.leaf("purpose", p.Purpose), x.leaf("address", p.Address), x.int("as", p.AS), x.leaf("secret", p.Secret))
		for _, some := range []struct {
			name string
			list []string
		}{{"announces", p.Announces}, {"accepts", p.Accepts}} {
			inner := x.node(some.name)
			for _, prefix := range some.list {
				inner.Add(x.leaf("prefix", prefix))
			}
			n.Add(inner)
		}
		out = append(out, n)
	}
	return out
}
