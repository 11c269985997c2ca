// Package policy is what a firewall lets pass, computed exactly: which rule decides on a session, which rules never do, and what two policies differ
// in. A policy is taken as sets of sessions: boxes of addresses and services between two zones. It knows addresses of IPv4 one by one; a prefix of
// IPv6 and a name of the domain name system are taken as a point of their own each.
package policy

import (
	"cmp"
	"maps"
	"math"
	"net/netip"
	"slices"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/schedule"
	"example.net/everypost/internal/core/setting"
)

// Session is one that somebody asks for.
type Session struct {
	From, To            string // zones; "" for none
	Source, Destination netip.Addr
	Protocol            string // tcp, udp, icmp or another
	Port                uint16 // of the destination; 0 where there are none
}

// Policy is that of a firewall, with its names looked up. Make it with Of.
type Policy struct {
	Rules        []Rule
	Translations []Translation
	zones        []string // that there are; index+1 is the number of a zone, 0 is none
	vlans        []setting.ZoneVLANs
	names        map[string]uint64 // points of what is no address of IPv4
	texts        map[uint64]string
	named        map[string]string // texts of intervals that are an address or service of the device, by its name
}

// Rule is a rule, with the sets that it speaks of.
type Rule struct {
	setting.PolicyRule
	from, to                     []int // nil: all
	source, destination, service set
	hours                        schedule.Week
}

// Axes: addresses are numbers, services are numbers by protocol and port.
const (
	lastIPv4    = math.MaxUint32
	lastAddress = uint64(1) << 40 // what is no address of IPv4 lies beyond the last of those
	udpBase     = 1 << 16
	icmpAt      = 2 << 16
	lastService = icmpAt + 1 // other protocols
)

var (
	allAddresses = set{{0, lastAddress}}
	allServices  = set{{0, lastService}}
)

// Of is the policy of a firewall, nil where it has none. What a rule names and the device does not hold is nothing.
func Of(c network.Config) *Policy {
	if _, has := c.Objects[setting.PolicyObject]; !has {
		return nil
	}
	p := &Policy{names: map[string]uint64{}, texts: map[uint64]string{}, named: map[string]string{}, vlans: setting.SecurityZones(c)}
	for _, z := range p.vlans {
		p.zones = append(p.zones, z.Name)
	}
	for _, object := range slices.Sorted(maps.Keys(c.Objects)) {
		switch k := setting.KindOf(object); k {
		case setting.OnAddress:
			name := object[len(k)+1:]
			p.named[p.plainAddresses(p.addresses(c, []string{name}))] = name
		case setting.OnService:
			name := object[len(k)+1:]
			p.named[serviceText(p.services(c, []string{name}))] = name
		}
	}
	delete(p.named, "")
	for _, r := range setting.Policy(c) {
		rule := Rule{PolicyRule: r, from: p.zonesOf(r.From), to: p.zonesOf(r.To)}
		rule.source, rule.destination, rule.service = p.sets(c, r.Source, r.Destination, r.Service)
		if r.During != "" {
			rule.hours, _ = schedule.Parse(c.Objects[setting.Object(setting.OnSchedule, r.During)]["hours"])
		}
		p.Rules = append(p.Rules, rule)
	}
	p.Translations = p.translationsOf(c)
	return p
}

func (p *Policy) zonesOf(names []string) []int {
	if names == nil {
		return nil
	}
	out := []int{}
	for _, n := range names {
		if i := slices.Index(p.zones, n); i >= 0 {
			out = append(out, i+1)
		}
	}
	return out
}

// addresses are those of names and prefixes, with all that belongs to them.
func (p *Policy) addresses(c network.Config, names []string) set {
	var out set
	for _, item := range expand(c, setting.OnAddress, "addresses", names) {
		out = append(out, p.addressItem(item))
	}
	return out.normal()
}

func (p *Policy) addressItem(item string) interval {
	if prefix, err := netip.ParsePrefix(item); err == nil && prefix.Addr().Is4() {
		low := number(prefix.Masked().Addr())
		return interval{low, low | (1<<(32-prefix.Bits()) - 1)}
	}
	if low, high, ok := cutRange(item); ok && low.Is4() {
		return interval{number(low), number(high)}
	}
	at, known := p.names[item]
	if !known {
		at = lastIPv4 + 1 + uint64(len(p.names))
		p.names[item], p.texts[at] = at, item
	}
	return interval{at, at}
}

func (p *Policy) services(c network.Config, names []string) set {
	var out set
	for _, item := range expand(c, setting.OnService, "services", names) {
		if s, err := setting.ParseService(item); err == nil {
			out = append(out, serviceInterval(s))
		}
	}
	return out.normal()
}

func serviceInterval(s setting.Service) interval {
	base := uint64(0)
	switch s.Protocol {
	case "udp":
		base = udpBase
	case "icmp":
		return interval{icmpAt, icmpAt}
	}
	if s.Ports == (setting.PortRange{}) {
		return interval{base, base + 65535}
	}
	return interval{base + uint64(s.Ports.Low), base + uint64(s.Ports.High)}
}

// expand lists what names stand for, and what is written out itself.
func expand(c network.Config, k setting.Kind, values string, names []string) (out []string) {
	seen := map[string]bool{}
	var add func(names []string)
	add = func(names []string) {
		for _, n := range names {
			object := setting.Object(k, n)
			if seen[n] {
				continue
			}
			seen[n] = true
			o, has := c.Objects[object]
			switch {
			case has:
				out = append(out, setting.Items(o[values])...)
				add(setting.Items(o["members"]))
			case network.CheckName(n) != nil || k == setting.OnService:
				out = append(out, n) // written out: names have no slash
			}
		}
	}
	add(names)
	return out
}

func number(a netip.Addr) uint64 {
	b := a.As4()
	return uint64(b[0])<<24 | uint64(b[1])<<16 | uint64(b[2])<<8 | uint64(b[3])
}

func cutRange(s string) (low, high netip.Addr, ok bool) {
	for i := range s {
		if s[i] == '-' {
			a, err1 := netip.ParseAddr(s[:i])
			b, err2 := netip.ParseAddr(s[i+1:])
			return a, b, err1 == nil && err2 == nil
		}
	}
	return low, high, false
}

// Zone is the zone of a VLAN, or of what lies behind interfaces where v is 0; "" for none.
func (p *Policy) Zone(v network.VLANID) string {
	for _, z := range p.vlans {
		if v == 0 && len(z.Interfaces) > 0 || v != 0 && z.VLANs.Has(v) {
			return z.Name
		}
	}
	return ""
}

// Decide tells which rule decides on a session that begins at a time of the device's own clock, nil where none fits, and whether it may.
func (p *Policy) Decide(s Session, at time.Time) (rule *Rule, allowed bool) {
	from, to := slices.Index(p.zones, s.From)+1, slices.Index(p.zones, s.To)+1
	if from == to && from > 0 {
		return nil, true // within a zone nothing is decided
	}
	src, dst, svc := p.point(s.Source), p.point(s.Destination), pointOfService(s)
	for i := range p.Rules {
		r := &p.Rules[i]
		if r.applies(from, to) && r.holdsAt(at) && r.source.has(src) && r.destination.has(dst) && r.service.has(svc) {
			return r, r.Action == "allow"
		}
	}
	return nil, false
}

func pointOfService(s Session) uint64 {
	switch {
	case s.Protocol != "tcp" && s.Protocol != "udp" && s.Protocol != "icmp":
		return lastService
	case s.Port == 0 && s.Protocol != "icmp":
		return map[string]uint64{"tcp": 0, "udp": udpBase}[s.Protocol]
	}
	return serviceInterval(setting.Service{Protocol: s.Protocol, Ports: setting.PortRange{Low: s.Port, High: s.Port}}).low
}

func (p *Policy) point(a netip.Addr) uint64 {
	if a.Is4() {
		return number(a)
	}
	return lastAddress
}

func (r *Rule) applies(from, to int) bool {
	return (r.from == nil || slices.Contains(r.from, from)) && (r.to == nil || slices.Contains(r.to, to))
}

// past tells whether the last day of a rule is over.
func (r *Rule) past(at time.Time) bool { return r.Until != "" && at.Format(time.DateOnly) > r.Until }

func (r *Rule) holdsAt(at time.Time) bool {
	return !r.past(at) && (r.During == "" || r.hours.Open(at))
}

// always tells whether a rule holds at any time from now on.
func (r *Rule) always() bool { return r.Until == "" && r.During == "" }

// interval is from low to high, both included; set is intervals.
type (
	interval struct{ low, high uint64 }
	set      []interval
)

// normal puts intervals in order and joins those that touch.
func (s set) normal() set {
	slices.SortFunc(s, func(a, b interval) int { return cmp.Compare(a.low, b.low) })
	out := set{}
	for _, i := range s {
		if n := len(out); n > 0 && i.low <= out[n-1].high+1 {
			out[n-1].high = max(out[n-1].high, i.high)
			continue
		}
		out = append(out, i)
	}
	return out
}

func (s set) has(v uint64) bool {
	return slices.ContainsFunc(s, func(i interval) bool { return i.low <= v && v <= i.high })
}
