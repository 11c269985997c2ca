package standin

import (
	"cmp"
	"net/netip"
	"slices"
	"strconv"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// segmentConfig is a table of routes that is kept apart.
type segmentConfig struct {
	number int
	leaks  []string
	within []netip.Prefix // of what is leaked; nil: all
}

// Names of the tables that are there without being made, as others are told to leak them.
const (
	tableMain    = "main"
	tableOutside = "outside"
)

// instanceOf is what a table is called among the instances of a device.
func instanceOf(table string) string {
	switch table {
	case "":
		return "default"
	case tableOutside:
		return "underlay"
	}
	return table
}

func (r *routingConfig) compileSegments(rt *xmlnode.Node) {
	for _, n := range rt.All("segment") {
		s := segmentConfig{leaks: texts(n.Child("leaks").All("from"))}
		s.number, _ = strconv.Atoi(n.TextAt("number"))
		for _, text := range texts(n.Child("leaks").All("prefix")) {
			if p, err := netip.ParsePrefix(text); err == nil {
				s.within = append(s.within, p)
			}
		}
		if r.segments == nil {
			r.segments = map[string]segmentConfig{}
		}
		r.segments[n.TextAt("name")] = s
	}
}

func validateSegments(rt *xmlnode.Node, fault func(tag, path, format string, args ...any)) {
	names, numbers := map[string]bool{tableMain: true, tableOutside: true}, map[string]string{}
	for _, n := range rt.All("segment") {
		name, number := n.TextAt("name"), n.TextAt("number")
		path := "/routing/segment[name='" + name + "']"
		if names[name] || name == "default" || name == "underlay" {
			fault(netconf.TagInvalidValue, path, "there is a table %s already", name)
		}
		names[name] = true
		if other := numbers[number]; number != "" && other != "" {
			fault(netconf.TagInvalidValue, path+"/number", "%s has the number %s already", other, number)
		}
		numbers[number] = name
	}
	for _, n := range rt.All("segment") {
		for _, from := range texts(n.Child("leaks").All("from")) {
			if !names[from] || from == n.TextAt("name") {
				fault(netconf.TagDataMissing, "/routing/segment[name='"+n.TextAt("name")+"']/leaks/from", "there is no other table %s", from)
			}
		}
	}
	for _, n := range rt.All("gateway") {
		if s := n.TextAt("segment"); s != "" && (!names[s] || s == tableMain || s == tableOutside) {
			fault(netconf.TagDataMissing, "/routing/gateway[vlan='"+n.TextAt("vlan")+"']/segment", "there is no segment %s", s)
		}
	}
}

// numberOf is the number of a segment between sites: 0 of what is in none, -1 of one without a number.
func (d *device) numberOf(segment string) int {
	if segment == "" {
		return 0
	}
	return cmp.Or(d.cfg.routed.segments[segment].number, -1)
}

// segmentBy is the segment of a number.
func (d *device) segmentBy(number int) (name string, has bool) {
	for name, s := range d.cfg.routed.segments {
		if s.number == number && number > 0 {
			return name, true
		}
	}
	return "", number == 0
}

// networks are what an edge announces of the segment of a number: of what is in none its whole site.
func (d *device) networks(number int) (out []string) {
	name, has := d.segmentBy(number)
	switch {
	case !has:
		return nil
	case name == "":
		out = []string{d.sitePrefix()}
	default:
		for _, r := range d.connected(name) {
			out = append(out, r.prefix)
		}
	}
	for _, r := range d.learned(name) {
		out = append(out, r.prefix)
	}
	return out
}

// table is all routes of a segment ("" for what is in none): its own, and what is leaked into it. What is in none uses the networks of each segment that leaks it,
// or nothing could be answered.
func (d *device) table(segment string) []route {
	out := d.ownRoutes(segment)
	known := map[string]bool{}
	for _, r := range out {
		known[r.prefix] = true
	}
	leak := func(from string, list []route, within []netip.Prefix) {
		for _, r := range list {
			p, err := netip.ParsePrefix(r.prefix)
			if err != nil || known[r.prefix] || within != nil && !slices.ContainsFunc(within, func(w netip.Prefix) bool {
				return w.Bits() <= p.Bits() && w.Contains(p.Addr()) || p.Bits() <= w.Bits() && p.Contains(w.Addr())
			}) {
				continue
			}
			known[r.prefix] = true
			r.from, r.leaked = from, true
			out = append(out, r)
		}
	}
	c := d.cfg.routed.segments[segment]
	for _, from := range c.leaks {
		switch from {
		case tableMain:
			leak("", d.ownRoutes(""), c.within)
		case tableOutside:
			leak(tableOutside, d.underlayRoutes(), c.within)
		default:
			leak(from, d.ownRoutes(from), c.within)
		}
	}
	if segment == "" {
		for name, s := range d.cfg.routed.segments {
			if slices.Contains(s.leaks, tableMain) {
				leak(name, d.ownRoutes(name), nil)
			}
		}
	}
	slices.SortFunc(out, func(a, b route) int { return cmp.Compare(a.prefix, b.prefix) })
	return out
}

// lookup is the most exact route of a table to an address.
func lookup(table []route, a netip.Addr) (best route, ok bool) {
	bits := -1
	for _, r := range table {
		if p, err := netip.ParsePrefix(r.prefix); err == nil && p.Contains(a) && p.Bits() > bits {
			best, bits, ok = r, p.Bits(), true
		}
	}
	return best, ok
}

// leads tells whether routes lead from a table of an edge to an address.
func (d *device) leads(segment string, to netip.Addr) bool {
	at := d
	for range 4 {
		r, ok := lookup(at.table(segment), to)
		if !ok {
			return false
		}
		if r.leaked {
			segment = r.from
		}
		if r.peer == nil {
			return true // it is here, or goes out
		}
		var has bool
		if segment, has = r.peer.segmentBy(at.numberOf(segment)); !has {
			return false
		}
		at = r.peer
	}
	return false
}

// together tells whether segments let two ends speak to each other: there and back. All is together where nothing is kept apart.
func (w *World) together(site, vlan int, source, target netip.Addr) bool {
	key := apartKey{site, vlan, target}
	is, known := w.apart[key]
	if !known {
		is = w.joins(site, vlan, source, target)
		if w.apart == nil {
			w.apart = map[apartKey]bool{}
		}
		w.apart[key] = is
	}
	return is
}

// apartKey is who speaks to whom, as far as segments go.
type apartKey struct {
	site, vlan int
	target     netip.Addr
}

func (w *World) joins(site, vlan int, source, target netip.Addr) bool {
	there, far, inside := w.placed(target)
	if !inside {
		there, far = site, vlan
	}
	edge := func(site int) *device {
		if list := w.edgesOf[site]; len(list) > 0 {
			return list[0]
		}
		return nil
	}
	near, other := edge(site), edge(there)
	if r := w.routerFor(target); r != nil {
		return near != nil && other != nil && near.leads(near.cfg.routed.gateways[vlan].segment, target) && other.leads(other.cfg.routed.gateways[far].segment, source) && w.knows(r, source)
	}
	if near == nil || other == nil || len(near.cfg.routed.segments)+len(other.cfg.routed.segments) == 0 || there == site && far == vlan && inside {
		return true
	}
	from, to := near.cfg.routed.gateways[vlan].segment, other.cfg.routed.gateways[far].segment
	switch {
	case from == "" && (to == "" || !inside):
		return true
	case !inside:
		r, ok := lookup(near.table(from), target)
		return ok && r.leaked && r.from == tableOutside
	}
	return near.leads(from, target) && other.leads(to, source)
}
