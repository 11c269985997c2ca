package standin

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// firewall is what a configuration says of what may pass between zones.
type firewall struct {
	decides bool // it has a policy
	zones   []securityZone
	rules   []policyRule
	byHours bool // some rule holds at hours only
	known   verdicts

	translations []translation
	inspections  map[string]*inspection
	categories   map[string]string             // of names, as it was told
	floodLimits  map[string]map[string]float64 // of sources, by zone and protocol
	hides        bool                          // some of them are of sources
}

// verdicts are how a policy decided on sessions, for as long as it decides on them alike.
type verdicts struct {
	until time.Time
	of    map[asked]verdict
}

type asked struct {
	from, to       int // VLANs; 0 is what is outside
	source, target netip.Addr
	protocol       string
	port           int
}

type verdict struct {
	rule    int
	allowed bool
	inspect string // the inspection that looks into it, "" for none
	within  bool   // both are of one zone: nothing is decided
}

type securityZone struct {
	name       string
	vlans      []vlanSpan
	interfaces []string
}

type policyRule struct {
	number           int
	action           string
	from, to         []string
	source, target   []span // nil: all
	anyone, anywhere bool
	services         []flow // nil: all
	anything         bool
	schedule         string
	inspect          string
	until            time.Time // the first moment at which it does not hold any more; zero: never
}

// span is addresses, both ends included.
type span struct{ low, high netip.Addr }

// flow is a protocol with its destination ports; high 0: all.
type flow struct {
	protocol  string
	low, high int
}

// judgement is how often a rule decided, and when last.
type judgement struct {
	sessions float64
	last     time.Time
}

func readFlow(s string) (flow, error) {
	protocol, ports, has := strings.Cut(s, "/")
	if protocol != "tcp" && protocol != "udp" && (protocol != "icmp" || has) {
		return flow{}, fmt.Errorf("%q is no service", s)
	}
	f := flow{protocol: protocol}
	if !has {
		return f, nil
	}
	low, high, isRange := strings.Cut(ports, "-")
	if !isRange {
		high = low
	}
	var err1, err2 error
	f.low, err1 = strconv.Atoi(low)
	f.high, err2 = strconv.Atoi(high)
	if err1 != nil || err2 != nil || f.low < 1 || f.high < f.low || f.high > 65535 {
		return flow{}, fmt.Errorf("%q has no ports", s)
	}
	return f, nil
}

// knownNames are what name servers answer in this world.
var knownNames = map[string]string{"tides.example.net": "203.0.113.80", "news.example.net": "203.0.113.81", "updates.example.net": "198.51.100.7"}

func readSpan(s string) (span, bool) {
	if p, err := netip.ParsePrefix(s); err == nil && p.Addr().Is4() {
		low := p.Masked().Addr()
		b := low.As4()
		n := uint32(b[0])<<24 | uint32(b[1])<<16 | uint32(b[2])<<8 | uint32(b[3]) | uint32(1<<(32-p.Bits())-1)
		return span{low, netip.AddrFrom4([4]byte{byte(n >> 24), byte(n >> 16), byte(n >> 8), byte(n)})}, true
	}
	if a, err := netip.ParseAddr(s); err == nil {
		return span{a, a}, true
	}
	if low, high, ok := strings.Cut(s, "-"); ok {
		a, err1 := netip.ParseAddr(low)
		b, err2 := netip.ParseAddr(high)
		return span{a, b}, err1 == nil && err2 == nil
	}
	a, err := netip.ParseAddr(knownNames[s])
	return span{a, a}, err == nil
}

func texts(nodes []*xmlnode.Node) []string {
	out := make([]string, len(nodes))
	for i, n := range nodes {
		out[i] = n.Text
	}
	return out
}

// grouped are the values of a named entry of a list and of all its members.
func grouped(list []*xmlnode.Node, name string, seen map[string]bool) (out []string) {
	if seen[name] {
		return nil
	}
	seen[name] = true
	for _, n := range list {
		if n.TextAt("name") != name {
			continue
		}
		out = append(out, texts(n.Child("values").All("value"))...)
		for _, m := range n.Child("members").All("member") {
			out = append(out, grouped(list, m.Text, seen)...)
		}
	}
	return out
}

func (c *compiled) compileFirewall(tree *xmlnode.Node) {
	fw := tree.Child("firewall")
	c.firewall.floodLimits = map[string]map[string]float64{}
	for _, z := range fw.All("zone") {
		c.firewall.floodLimits[z.TextAt("name")] = compileFloodLimits(z)
		zone := securityZone{name: z.TextAt("name"), interfaces: texts(z.Child("interfaces").All("interface"))}
		for _, v := range z.Child("vlans").All("vlan") {
			if low, high, err := vlanRange(v.Text); err == nil {
				zone.vlans = append(zone.vlans, vlanSpan{low, high})
			}
		}
		c.firewall.zones = append(c.firewall.zones, zone)
	}
	addresses, services := fw.All("address"), fw.All("service")
	spans := func(names []string) (out []span) {
		for _, n := range names {
			values := []string{n}
			if !strings.Contains(n, "/") { // a name, not a prefix
				values = grouped(addresses, n, map[string]bool{})
			}
			for _, v := range values {
				if s, ok := readSpan(v); ok {
					out = append(out, s)
				}
			}
		}
		return out
	}
	flows := func(names []string) (out []flow) {
		for _, s := range names {
			values := []string{s}
			if _, err := readFlow(s); err != nil {
				values = grouped(services, s, map[string]bool{})
			}
			for _, v := range values {
				if f, err := readFlow(v); err == nil {
					out = append(out, f)
				}
			}
		}
		return out
	}
	for _, p := range fw.All("policy") {
		c.firewall.decides = true
		c.compileTranslations(p, spans, flows)
		c.compileInspections(fw)
		for _, n := range p.All("rule") {
			r := policyRule{action: n.TextAt("action"), from: texts(n.All("from")), to: texts(n.All("to")), schedule: n.TextAt("during"), inspect: n.TextAt("inspect")}
			r.number, _ = strconv.Atoi(n.TextAt("number"))
			r.source, r.target = spans(texts(n.All("source"))), spans(texts(n.All("destination")))
			r.anyone, r.anywhere, r.anything = len(n.All("source")) == 0, len(n.All("destination")) == 0, len(n.All("service")) == 0
			r.services = flows(texts(n.All("service")))
			if t, err := time.ParseInLocation(time.DateOnly, n.TextAt("until"), c.zone); err == nil {
				r.until = t.AddDate(0, 0, 1)
			}
			c.firewall.byHours = c.firewall.byHours || r.schedule != ""
			c.firewall.rules = append(c.firewall.rules, r)
		}
	}
	slices.SortFunc(c.firewall.rules, func(a, b policyRule) int { return a.number - b.number })
}

// validateFirewall checks what a policy and groups refer to.
func validateFirewall(tree *xmlnode.Node, fault func(tag, path, format string, args ...any)) {
	fw := tree.Child("firewall")
	known := func(list []*xmlnode.Node) map[string]bool {
		out := map[string]bool{}
		for _, n := range list {
			out[n.TextAt("name")] = true
		}
		return out
	}
	zones, addresses, services := known(fw.All("zone")), known(fw.All("address")), known(fw.All("service"))
	schedules := known(tree.Child("switching").All("schedule"))
	refer := func(path, what, name string, in map[string]bool) {
		if !in[name] {
			fault(netconf.TagDataMissing, path, "there is no %s %s on this device", what, name)
		}
	}
	inZone := map[string]string{}
	for _, z := range fw.All("zone") {
		name := z.TextAt("name")
		for _, v := range append(z.Child("vlans").All("vlan"), z.Child("interfaces").All("interface")...) {
			if other := inZone[v.Name+v.Text]; other != "" {
				fault(netconf.TagInvalidValue, "/firewall/zone[name='"+name+"']", "%s %s is in zone %s already", v.Name, v.Text, other)
			}
			inZone[v.Name+v.Text] = name
		}
	}
	for what, list := range map[string][]*xmlnode.Node{"address": fw.All("address"), "service": fw.All("service")} {
		for _, n := range list {
			name := n.TextAt("name")
			for _, m := range n.Child("members").All("member") {
				refer("/firewall/"+what+"[name='"+name+"']/members", what, m.Text, known(list))
			}
			if holdsItself(list, name, name, map[string]bool{}) {
				fault(netconf.TagInvalidValue, "/firewall/"+what+"[name='"+name+"']/members", "%s %s would hold itself", what, name)
			}
		}
	}
	for _, p := range fw.All("policy") {
		validateTranslations(p, func(path, what, name string) {
			refer(path, what, name, map[string]map[string]bool{"zone": zones, "address": addresses, "service": services}[what])
		}, fault)
		for _, r := range p.All("rule") {
			path := "/firewall/policy/rule[number='" + r.TextAt("number") + "']"
			if r.TextAt("action") == "" {
				fault(netconf.TagDataMissing, path+"/action", "it is not said what becomes of a session")
			}
			for _, z := range append(r.All("from"), r.All("to")...) {
				refer(path, "zone", z.Text, zones)
			}
			for _, a := range append(r.All("source"), r.All("destination")...) {
				if !strings.Contains(a.Text, "/") {
					refer(path, "address", a.Text, addresses)
				}
			}
			for _, s := range r.All("service") {
				if _, err := readFlow(s.Text); err != nil {
					refer(path, "service", s.Text, services)
				}
			}
			if s := r.TextAt("inspect"); s != "" {
				refer(path, "inspection", s, known(fw.All("inspection")))
			}
			if s := r.TextAt("during"); s != "" {
				refer(path, "schedule", s, schedules)
			}
		}
	}
}

func holdsItself(list []*xmlnode.Node, name, at string, seen map[string]bool) bool {
	if seen[at] {
		return false
	}
	seen[at] = true
	for _, n := range list {
		if n.TextAt("name") != at {
			continue
		}
		for _, m := range n.Child("members").All("member") {
			if m.Text == name || holdsItself(list, name, m.Text, seen) {
				return true
			}
		}
	}
	return false
}

// zoneOf is the zone of a VLAN, or of all that lies behind the interfaces where vlan is 0; "" for none.
func (f firewall) zoneOf(vlan int) string {
	for _, z := range f.zones {
		if vlan == 0 && len(z.interfaces) > 0 || slices.ContainsFunc(z.vlans, func(s vlanSpan) bool { return vlan >= s.low && vlan <= s.high }) {
			return z.name
		}
	}
	return ""
}

// decide tells which rule decides on a session that begins, 0 where none fits, and whether it may.
func (c *compiled) decide(from, to string, source, target netip.Addr, protocol string, port int, at time.Time) (rule int, allowed bool, inspect string) {
	for _, r := range c.firewall.rules {
		fits := (len(r.from) == 0 || slices.Contains(r.from, from)) && (len(r.to) == 0 || slices.Contains(r.to, to)) &&
			(r.anyone || spanned(r.source, source)) && (r.anywhere || spanned(r.target, target)) &&
			(r.anything || among(r.services, protocol, port)) &&
			(r.schedule == "" || open(c.schedules[r.schedule], at.In(c.zone))) && (r.until.IsZero() || at.Before(r.until))
		if fits {
			return r.number, r.action == "allow", r.inspect
		}
	}
	return 0, false, ""
}

func (d *device) judge(rule int, sessions float64, now time.Time) {
	if d.judged == nil {
		d.judged = map[int]*judgement{}
	}
	j := d.judged[rule]
	if j == nil {
		j = &judgement{}
		d.judged[rule] = j
	}
	j.sessions += sessions
	j.last = now
}

// firewallState tells how often each rule decided.
func (d *device) firewallState(fw *xmlnode.Node, now time.Time) {
	x := in("ep-fw")
	d.blockedState(fw, now)
	d.inspectionState(fw)
	d.overrideState(fw, now)
	for _, z := range fw.All("zone") {
		d.floodState(z, now)
	}
	for _, p := range fw.All("policy") {
		d.translationState(p)
		for _, r := range p.All("rule") {
			n, _ := strconv.Atoi(r.TextAt("number"))
			j := d.judged[n]
			if j == nil {
				r.Add(x.leaf("hits", "0"))
				continue
			}
			r.Add(x.count("hits", j.sessions), x.leaf("last-hit", j.last.UTC().Format(time.RFC3339)))
		}
		none := 0.0
		if j := d.judged[0]; j != nil {
			none = j.sessions
		}
		since := d.world.began
		if since.IsZero() {
			since = now
		}
		if d.booted.After(since) {
			since = d.booted
		}
		p.Add(x.leaf("counted-since", since.UTC().Format(time.RFC3339)), x.count("unmatched", none))
	}
}
