package setting

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"net/netip"
	"regexp"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/network"
)

// Firewall is the feature of devices that decide what may pass between zones: zones, addresses, services and a policy.
const Firewall network.Feature = "firewall"

// FloodLimits is the feature of firewalls that limit what one source begins.
const FloodLimits network.Feature = "flood limits"

// MainPolicy is the name of the one policy that a firewall has.
const MainPolicy = "main"

var securityZoneOnly, addressOnly, serviceOnly, policyOnly = []Kind{OnSecurityZone}, []Kind{OnAddress}, []Kind{OnService}, []Kind{OnPolicy}

// firewallSettings say what a firewall knows by name, and what it lets pass.
var firewallSettings = []Setting{
	{Name: "zone-vlans", On: securityZoneOnly, Title: "VLANs", Group: "Security zone", Help: "the VLANs of which the stations are in the zone; a VLAN is in one at most", Default: "none", Needs: Firewall, Value: vlans().or("none")},
	{Name: "interfaces", On: securityZoneOnly, Title: "Interfaces", Group: "Security zone", Help: "the ports behind which all else is in the zone, such as the way to the internet", Default: "none", Needs: Firewall, Value: ports(64)},
	{Name: "flood-tcp", On: securityZoneOnly, Title: "TCP flood limit", Group: "Security zone", Help: "new connections a second that one source of the zone may begin; what is above is dropped", Default: "none", Needs: FloodLimits, Value: number(1, 1_000_000, "/s").or("none")},
	{Name: "flood-udp", On: securityZoneOnly, Title: "UDP flood limit", Group: "Security zone", Help: "the same of UDP: addresses and ports that talk for the first time", Default: "none", Needs: FloodLimits, Value: number(1, 1_000_000, "/s").or("none")},
	{Name: "flood-icmp", On: securityZoneOnly, Title: "ICMP flood limit", Group: "Security zone", Help: "the same of echo requests", Default: "none", Needs: FloodLimits, Value: number(1, 1_000_000, "/s").or("none")},
	{Name: "addresses", On: addressOnly, Title: "Addresses", Group: "Address", Help: "prefixes, addresses, ranges such as 10.2.50.10-10.2.50.19, or names such as tides.example.net; in a template or of a site also vlan/50: the networks of the VLAN at the site of each device", Default: "none", Needs: Firewall,
		Value: list("addresses, prefixes, ranges or names", 100, addressOrVLAN)},
	{Name: "members", On: addressOnly, Title: "Members", Group: "Address", Help: "other addresses of the device that belong to it", Default: "none", Needs: Firewall, Value: list("names of addresses", 100, checkedName)},
	{Name: "services", On: serviceOnly, Title: "Services", Group: "Service", Help: "protocols with their destination ports, such as tcp/443, udp/5060-5061 or icmp", Default: "none", Needs: Firewall,
		Value: list("services such as tcp/443", 50, serviceItem)},
	{Name: "members", On: serviceOnly, Title: "Members", Group: "Service", Help: "other services of the device that belong to it", Default: "none", Needs: Firewall, Value: list("names of services", 100, checkedName)},
	{Name: "rules", On: policyOnly, Title: "Rules", Group: "Policy", Help: "in order, the first that fits decides; what none fits is denied", Needs: Firewall, Value: tableOf(policyTable)},
	translationSetting,
}

func checkedName(s string) (string, error) { return s, network.CheckName(s) }

// policyTable is the rules of a policy.
var policyTable = table{
	one: "Rule", most: 5000, highest: 65535, example: "allow from guests to internet service web",
	check: func(c Cells) error {
		if c["action"] != "allow" && c["inspect"] != "none" {
			return errors.New("what is not let begin cannot be inspected: leave \"inspect\" out")
		}
		return nil
	},
	columns: []Column{
		{Name: "action", Title: "Action", Value: choice("allow", "deny", "reject"), Help: "deny says nothing to who sends, reject tells it"},
		{Name: "from", Title: "From", Lead: "from", Help: "zones, or any", Value: items("names of zones", 20, checkedName).or("any")},
		{Name: "to", Title: "To", Lead: "to", Help: "zones, or any", Value: items("names of zones", 20, checkedName).or("any")},
		{Name: "source", Title: "Source", Lead: "source", Default: "any", Help: "who sends: names of addresses, or prefixes", Value: items("names of addresses, or prefixes", 50, nameOrPrefix).or("any")},
		{Name: "destination", Title: "Destination", Lead: "destination", Default: "any", Help: "who is sent to: names of addresses, or prefixes", Value: items("names of addresses, or prefixes", 50, nameOrPrefix).or("any")},
		{Name: "service", Title: "Service", Lead: "service", Default: "any", Help: "names of services, or such as tcp/443", Value: items("names of services, or such as tcp/443", 50, nameOrService).or("any")},
		{Name: "inspect", Title: "Inspect", Lead: "inspect", Default: "none", Help: "an inspection of the device: what it stops after all of what the rule lets begin", Value: named(OnInspection)},
		{Name: "during", Title: "During", Lead: "during", Default: "always", Help: "a schedule of the device", Value: named(OnSchedule).instead("none", "always")},
		{Name: "until", Title: "Until", Lead: "until", Default: "always", Help: "the last day on which it holds, by the clock of the device", Value: day().or("always")},
		{Name: "log", Title: "Log", Lead: "log", Default: "off", Help: "whether each session is told to the log", Value: onOff()},
		{Name: "note", Title: "Note", Lead: "note", Default: "none", Help: "why it is there", Value: text(120)},
	},
}

// instead has one word stand for another.
func (v Value) instead(word, other string) Value {
	inner := v.normal
	v.Choices, v.Form = []string{other}, strings.ReplaceAll(v.Form, word, other)
	v.normal = func(s string) (string, error) {
		if strings.EqualFold(s, other) {
			return other, nil
		}
		if strings.EqualFold(s, word) {
			return "", fmt.Errorf("%q is no name here: write a name, or %s", s, other)
		}
		return inner(s)
	}
	return v
}

// items are several values of which there must be one.
func items(of string, most int, check func(string) (string, error)) Value {
	v := list(of, most, check)
	inner := v.normal
	v.Form = of + " separated by commas"
	v.normal = func(s string) (string, error) {
		if strings.EqualFold(s, "none") {
			return "", fmt.Errorf("%q is not one: give %s", s, of)
		}
		return inner(s)
	}
	return v
}

// day is a date.
func day() Value {
	return Value{Type: Text, Form: "a date such as 2026-12-31", normal: func(s string) (string, error) {
		t, err := time.Parse(time.DateOnly, s)
		if err != nil {
			return "", fmt.Errorf("%q is no date: write it like 2026-12-31", s)
		}
		return t.Format(time.DateOnly), nil
	}}
}

var domainName = regexp.MustCompile(`^([a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?\.)+[a-z]([a-z0-9-]{0,61}[a-z0-9])?$`)

// addressItem is a prefix, an address, a range of addresses, or a name of the domain name system.
func addressItem(s string) (string, error) {
	if low, high, isRange := strings.Cut(s, "-"); isRange {
		a, err1 := netip.ParseAddr(low)
		b, err2 := netip.ParseAddr(high)
		if err1 == nil && err2 == nil {
			if a.Is4() != b.Is4() || b.Less(a) {
				return "", fmt.Errorf("%q runs backwards", s)
			}
			return a.String() + "-" + b.String(), nil
		}
	}
	if p, err := prefixOf(s); err == nil {
		return p.String(), nil
	}
	if n := strings.ToLower(s); len(n) <= 253 && domainName.MatchString(n) {
		return n, nil
	}
	return "", fmt.Errorf("%q is no address, prefix, range or name: write it like 10.2.50.0/24, 10.2.50.10-10.2.50.19 or tides.example.net", s)
}

// siteVLAN is what stands before the number of a VLAN of which the networks are meant, whatever they are at a site.
const siteVLAN = string(OnVLAN) + "/"

func addressOrVLAN(s string) (string, error) {
	number, is := strings.CutPrefix(strings.ToLower(s), siteVLAN)
	if !is {
		return addressItem(s)
	}
	v, err := network.ParseVLAN(number)
	return siteVLAN + v.String(), err
}

// BySite tells whether a value of an object is another at each site, because it speaks of the networks of VLANs there.
func BySite(object, name, value string) bool {
	return name == "addresses" && strings.Contains(value, siteVLAN) && KindOf(object) == OnAddress
}

// AtSite is the value that such a one has at a site: its networks stand in the place of the VLANs. It is none where there are none.
func AtSite(value string, networks map[network.VLANID][]netip.Prefix) string {
	var out []string
	for _, item := range Items(value) {
		number, is := strings.CutPrefix(item, siteVLAN)
		if !is {
			out = append(out, item)
			continue
		}
		v, _ := network.ParseVLAN(number)
		for _, p := range networks[v] {
			out = append(out, p.String())
		}
	}
	return cmp.Or(strings.Join(out, ","), "none")
}

func prefixOf(s string) (netip.Prefix, error) {
	if a, err := netip.ParseAddr(s); err == nil && a.Zone() == "" {
		return netip.PrefixFrom(a, a.BitLen()), nil
	}
	p, err := netip.ParsePrefix(s)
	return p.Masked(), err
}

func nameOrPrefix(s string) (string, error) {
	if p, err := prefixOf(s); err == nil {
		return p.String(), nil
	}
	if network.CheckName(s) != nil {
		return "", fmt.Errorf("%q is neither the name of an address nor a prefix", s)
	}
	return s, nil
}

// Service is a protocol with its destination ports: all of a protocol has none, and icmp never has any.
type Service struct {
	Protocol string // tcp, udp or icmp
	Ports    PortRange
}

func (s Service) String() string {
	if s.Ports == (PortRange{}) {
		return s.Protocol
	}
	return s.Protocol + "/" + s.Ports.String()
}

// ParseService reads tcp/443, udp/5060-5061, tcp or icmp.
func ParseService(s string) (Service, error) {
	protocol, ports, has := strings.Cut(strings.ToLower(s), "/")
	out := Service{Protocol: protocol}
	if !slices.Contains([]string{"tcp", "udp", "icmp"}, protocol) {
		return out, fmt.Errorf("%q is no service: write tcp/443, udp/5060-5061 or icmp", s)
	}
	if !has {
		return out, nil
	}
	if protocol == "icmp" {
		return out, errors.New("icmp has no ports")
	}
	var err error
	if out.Ports, err = parsePorts(ports); err != nil {
		return out, err
	}
	if out.Ports == (PortRange{1, 65535}) {
		out.Ports = PortRange{}
	}
	return out, nil
}

func serviceItem(s string) (string, error) {
	v, err := ParseService(s)
	return v.String(), err
}

func nameOrService(s string) (string, error) {
	if v, err := ParseService(s); err == nil {
		return v.String(), nil
	}
	if strings.Contains(s, "/") || network.CheckName(s) != nil {
		return "", fmt.Errorf("%q is neither the name of a service nor such as tcp/443", s)
	}
	return s, nil
}

// PolicyRule is a rule of a policy as it stands there: names, and what is written out.
type PolicyRule struct {
	Number                       int
	Action                       string // allow, deny or reject
	From, To                     []string
	Source, Destination, Service []string // empty: any
	Inspect                      string   // "": not at all
	During, Until                string   // "": always
	Log                          bool
	Note                         string
}

// ParsePolicyRule reads a rule.
func ParsePolicyRule(r Row) (PolicyRule, error) {
	c, err := policyTable.parse(r.Text)
	if err != nil {
		return PolicyRule{}, err
	}
	word := func(column, none string) string {
		if c[column] == none {
			return ""
		}
		return c[column]
	}
	return PolicyRule{Number: r.Number, Action: c["action"], From: c.some("from"), To: c.some("to"), Source: c.some("source"), Destination: c.some("destination"),
		Service: c.some("service"), Inspect: word("inspect", "none"), During: word("during", "always"), Until: word("until", "always"), Log: c["log"] == "on", Note: word("note", "none")}, nil
}

// Policy are the rules of what a firewall lets pass, in their order; nil where it has no policy. Rows that cannot be read are left out.
func Policy(c network.Config) []PolicyRule {
	var out []PolicyRule
	for _, row := range RowsOf(c.Objects[PolicyObject], "rules") {
		if r, err := ParsePolicyRule(row); err == nil {
			out = append(out, r)
		}
	}
	return out
}

// named lists what a rule refers to, by kind.
func (r PolicyRule) named() map[Kind][]string {
	out := namesIn(slices.Concat(r.From, r.To), slices.Concat(r.Source, r.Destination), r.Service)
	if r.During != "" {
		out[OnSchedule] = []string{r.During}
	}
	if r.Inspect != "" {
		out[OnInspection] = []string{r.Inspect}
	}
	return out
}

// Named is a name that stands in the policy of a firewall, or in a group, and what it is of.
type Named struct {
	Object string // in which it stands: policy/main, address/desks
	Table  string // in which table of it; "": in none
	Row    int    // in which row of that
	Kind   Kind
	Name   string
}

func (n Named) String() string {
	if n.Row > 0 {
		return rowText(n.Table, n.Row)
	}
	return strings.Replace(n.Object, "/", " ", 1)
}

// NamedIn lists what a firewall's policy and groups refer to, in their order.
func NamedIn(c network.Config) []Named {
	var out []Named
	add := func(table string, row int, by map[Kind][]string) {
		for _, k := range []Kind{OnSecurityZone, OnAddress, OnService, OnInspection, OnSchedule} {
			for _, name := range by[k] {
				out = append(out, Named{PolicyObject, table, row, k, name})
			}
		}
	}
	for _, r := range Policy(c) {
		add("rules", r.Number, r.named())
	}
	for _, t := range Translations(c) {
		add(translationSetting.Name, t.Number, t.named())
	}
	for _, object := range ObjectsOf(c, OnInspection, OnAddress, OnService) {
		if KindOf(object) == OnInspection {
			for _, name := range inspectionNames(c, object) {
				out = append(out, Named{Object: object, Kind: OnAddress, Name: name})
			}
		}
		if k := KindOf(object); k == OnAddress || k == OnService {
			for _, name := range Items(c.Objects[object]["members"]) {
				out = append(out, Named{Object: object, Kind: k, Name: name})
			}
		}
	}
	return out
}

// policyUserOf names what of the policy or of groups refers to an object; "" for nothing.
func policyUserOf(c network.Config, k Kind, name string) string {
	if k != OnSecurityZone && k != OnAddress && k != OnService && k != OnSchedule && k != OnInspection {
		return ""
	}
	for _, n := range NamedIn(c) {
		if n.Kind == k && n.Name == name {
			return n.String()
		}
	}
	return ""
}

// ZoneVLANs is a security zone of a firewall.
type ZoneVLANs struct {
	Name       string
	VLANs      network.VLANSet
	Interfaces []string
}

// SecurityZones are those of a firewall, by name.
func SecurityZones(c network.Config) []ZoneVLANs {
	var out []ZoneVLANs
	for _, object := range ObjectsOf(c, OnSecurityZone) {
		z := ZoneVLANs{Name: strings.TrimPrefix(object, string(OnSecurityZone)+"/"), Interfaces: Items(c.Objects[object]["interfaces"])}
		if v := c.Objects[object]["zone-vlans"]; v != "none" {
			z.VLANs, _ = network.ParseVLANSet(v)
		}
		out = append(out, z)
	}
	return out
}

// PolicyObject is the object of a firewall's policy.
var PolicyObject = Object(OnPolicy, MainPolicy)

// PolicyRow is the setting of a row of a table of the policy.
func PolicyRow(table string, number int) (*Setting, error) {
	return Lookup(OnPolicy, RowName(table, number))
}

// FirewallName is a zone, an address or a service that a firewall knows by a name.
type FirewallName struct {
	Kind     Kind
	Name     string
	Purpose  string
	Settings network.Settings // besides
	UsedBy   []string         // rules and groups
}

// FirewallNames lists what a firewall knows by a name.
func FirewallNames(c network.Config) (out []FirewallName) {
	used := map[string][]string{}
	for _, n := range NamedIn(c) {
		key := Object(n.Kind, n.Name)
		if text := n.String(); !slices.Contains(used[key], text) {
			used[key] = append(used[key], text)
		}
	}
	for _, o := range ObjectsOf(c, OnSecurityZone, OnAddress, OnService, OnInspection, OnWebCategory) {
		k := KindOf(o)
		settings := maps.Clone(c.Objects[o])
		delete(settings, "purpose")
		out = append(out, FirewallName{Kind: k, Name: strings.TrimPrefix(o, string(k)+"/"), Purpose: c.Objects[o]["purpose"], Settings: settings, UsedBy: used[o]})
	}
	return out
}
