package netconf

import (
	"maps"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/wire/xmlnode"
)

// ipv4List is the type of the access lists that we write.
const ipv4List = "ACL_IPV4"

// protocolNames are the values of oc-pkt-match-types:IP_PROTOCOL.
var protocolNames = map[string]string{"tcp": "IP_TCP", "udp": "IP_UDP", "icmp": "IP_ICMP"}

func readAccessLists(data *xmlnode.Node, c *network.Config) {
	for _, set := range data.Find("acl/acl-sets").All("acl-set") {
		object := setting.Object(setting.OnACL, set.TextAt("name"))
		addObject(c, object)
		entries := set.Child("acl-entries").All("acl-entry")
		slices.SortStableFunc(entries, func(a, b *xmlnode.Node) int { return number(a, "sequence-id") - number(b, "sequence-id") })
		rules, known := c.Objects[object]
		for _, e := range entries {
			if known {
				rules[setting.RowName("rules", number(e, "sequence-id"))] = readRule(e).String()
			}
		}
	}
}

func readRule(e *xmlnode.Node) setting.Rule {
	r := setting.Rule{Permit: strings.HasSuffix(e.TextAt("actions/config/forwarding-action"), "ACCEPT"), Protocol: "ip"}
	ip, l4 := e.Find("ipv4/config"), e.Find("transport/config")
	said := ip.TextAt("protocol")
	for name, value := range protocolNames {
		if strings.HasSuffix(said, value) {
			r.Protocol = name
		}
	}
	r.From, _ = netip.ParsePrefix(ip.TextAt("source-address"))
	r.To, _ = netip.ParsePrefix(ip.TextAt("destination-address"))
	r.FromPort, r.ToPort = readPortRange(l4.TextAt("source-port")), readPortRange(l4.TextAt("destination-port"))
	return r
}

func readPortRange(s string) setting.PortRange {
	low, high, isRange := strings.Cut(s, "..")
	if !isRange {
		high = low
	}
	l, err1 := strconv.ParseUint(low, 10, 16)
	h, err2 := strconv.ParseUint(high, 10, 16)
	if err1 != nil || err2 != nil {
		return setting.PortRange{}
	}
	return setting.PortRange{Low: uint16(l), High: uint16(h)}
}

// writeAccessLists writes the entries of lists that differ, and no others.
func writeAccessLists(e *edit, before, after network.Config) {
	entry := func(object string) *xmlnode.Node {
		sets := e.at(newPath("acl:acl/acl-sets").steps, "")
		set := xmlnode.New(nsACL, "acl-set", xmlnode.Leaf(nsACL, "name", keyOfObject(object)), xmlnode.Leaf(nsACL, "type", ipv4List))
		sets.Add(set)
		return set
	}
	for _, object := range slices.Sorted(maps.Keys(after.Objects)) {
		if setting.KindOf(object) != setting.OnACL {
			continue
		}
		b, had := before.Objects[object]
		was, is := setting.RowsOf(b, "rules"), setting.RowsOf(after.Objects[object], "rules")
		if had && slices.Equal(was, is) {
			continue
		}
		set, all := entry(object), xmlnode.New(nsACL, "acl-entries")
		if !had {
			set.Add(xmlnode.New(nsACL, "config", xmlnode.Leaf(nsACL, "name", keyOfObject(object)), xmlnode.Leaf(nsACL, "type", ipv4List)))
		}
		for _, row := range is {
			if r, err := setting.ParseRule(row.Text); err == nil && !slices.Contains(was, row) {
				all.Add(replace(writeRule(r, row.Number)))
			}
		}
		for _, row := range was {
			if !slices.ContainsFunc(is, func(o setting.Row) bool { return o.Number == row.Number }) {
				all.Add(remove(xmlnode.New(nsACL, "acl-entry", xmlnode.Leaf(nsACL, "sequence-id", strconv.Itoa(row.Number)))))
			}
		}
		if len(all.Children) > 0 {
			set.Add(all)
		}
	}
	for _, object := range slices.Sorted(maps.Keys(before.Objects)) {
		if _, has := after.Objects[object]; !has && setting.KindOf(object) == setting.OnACL {
			remove(entry(object))
		}
	}
}

func writeRule(r setting.Rule, sequence int) *xmlnode.Node {
	leaf := func(name, text string) *xmlnode.Node { return xmlnode.Leaf(nsACL, name, text) }
	id := strconv.Itoa(sequence)
	action := "DROP"
	if r.Permit {
		action = "ACCEPT"
	}
	e := xmlnode.New(nsACL, "acl-entry", leaf("sequence-id", id), xmlnode.New(nsACL, "config", leaf("sequence-id", id)))
	ip := xmlnode.New(nsACL, "config")
	if r.From.IsValid() {
		ip.Add(leaf("source-address", r.From.String()))
	}
	if r.To.IsValid() {
		ip.Add(leaf("destination-address", r.To.String()))
	}
	if p := protocolNames[r.Protocol]; p != "" {
		ip.Add(leaf("protocol", "oc-pkt-match-types:"+p).SetAttr("xmlns", "oc-pkt-match-types", "http://openconfig.net/yang/packet-match-types"))
	}
	if len(ip.Children) > 0 {
		e.Add(xmlnode.New(nsACL, "ipv4", ip))
	}
	l4 := xmlnode.New(nsACL, "config")
	for name, ports := range map[string]setting.PortRange{"source-port": r.FromPort, "destination-port": r.ToPort} {
		if ports != (setting.PortRange{}) {
			text := strconv.Itoa(int(ports.Low))
			if ports.High != ports.Low {
				text += ".." + strconv.Itoa(int(ports.High))
			}
			l4.Add(leaf(name, text))
		}
	}
	if len(l4.Children) > 0 {
		e.Add(xmlnode.New(nsACL, "transport", l4))
	}
	return e.Add(xmlnode.New(nsACL, "actions", xmlnode.New(nsACL, "config", leaf("forwarding-action", action))))
}
