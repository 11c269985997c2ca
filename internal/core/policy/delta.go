package policy

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/setting"
)

// Delta is what a policy lets pass that another one does not, as far as one rule lets it.
type Delta struct {
	Opens       bool   // the new policy lets it pass; else the old one did
	Rule        int    // that lets it: of the new policy, or of the old one
	From, To    string // zones
	Source      string
	Destination string
	Service     string
}

func (d Delta) String() string {
	how := "closes"
	if d.Opens {
		how = "opens"
	}
	return fmt.Sprintf("%s %s from %s (%s) to %s (%s)", how, d.Service, d.From, d.Source, d.To, d.Destination)
}

// mostDeltas bounds what is told of a difference.
const mostDeltas = 200

// Differ tells what a change from one policy to another opens and closes, at a time of the device's own clock: what opens first. whole is false
// where there is more than is told, or it falls into too many pieces. A firewall without a policy lets everything pass.
func Differ(before, after *Policy, now time.Time) (out []Delta, whole bool) {
	b, a := orOpen(before), orOpen(after)
	zones := slices.Compact(slices.Sorted(slices.Values(slices.Concat([]string{""}, b.zones, a.zones))))
	whole = true
	for _, opens := range []bool{true, false} {
		from, to := b, a
		if !opens {
			from, to = a, b
		}
		for i := range to.Rules {
			r := &to.Rules[i]
			if r.Action != "allow" {
				continue
			}
			for _, x := range zones {
				for _, y := range zones {
					if x == y && x != "" || !r.applies(to.zone(x), to.zone(y)) {
						continue
					}
					mine, ok := to.over(from, i, x, y, now)
					whole = whole && ok
					for _, m := range merged(mine) {
						if len(out) == mostDeltas {
							return out, false
						}
						out = append(out, Delta{opens, r.Number, orNone(x), orNone(y), to.addressText(m.source), to.addressText(m.destination), to.serviceText(m.service)})
					}
				}
			}
		}
	}
	return join(out), whole
}

// orOpen is a policy that lets everything pass where there is none.
func orOpen(p *Policy) *Policy {
	if p != nil {
		return p
	}
	return &Policy{Rules: []Rule{{PolicyRule: setting.PolicyRule{Action: "allow"}, source: allAddresses, destination: allAddresses, service: allServices}}}
}

func orNone(zone string) string {
	if zone == "" {
		return "no zone"
	}
	return zone
}

func (p *Policy) zone(name string) int { return slices.Index(p.zones, name) + 1 }

// over is what a rule lets pass between two zones that another policy does not.
func (p *Policy) over(other *Policy, i int, from, to string, now time.Time) (out []box, ok bool) {
	mine, ok := p.decided(i, from, to, now)
	if !ok {
		return nil, false
	}
	return other.denied(mine, from, to, p.Rules[i].During, now)
}

// decided is what a rule decides on between two zones: what no rule before it does.
func (p *Policy) decided(i int, from, to string, now time.Time) (out []box, ok bool) {
	r := &p.Rules[i]
	if !r.applies(p.zone(from), p.zone(to)) || r.past(now) {
		return nil, true
	}
	if out, ok = r.boxes(); !ok {
		return nil, false
	}
	for k := range p.Rules[:i] {
		o := &p.Rules[k]
		if !o.applies(p.zone(from), p.zone(to)) || o.past(now) || o.During != "" {
			continue
		}
		theirs, ok := o.boxes()
		if !ok {
			return nil, false
		}
		if out, ok = lessAll(out, theirs); !ok || len(out) == 0 {
			return nil, ok
		}
	}
	return out, true
}

// denied is what of some sessions a policy does not let pass.
// during is the schedule at whose hours they are asked about; a rule of another schedule may or may not hold then, and lets nothing pass for certain.
func (p *Policy) denied(of []box, from, to, during string, now time.Time) (out []box, ok bool) {
	if from == to && from != "" {
		return nil, true
	}
	out = of
	var refused []box
	for i := range p.Rules {
		if len(out) == 0 {
			break
		}
		r := &p.Rules[i]
		if !r.applies(p.zone(from), p.zone(to)) || r.past(now) {
			continue
		}
		theirs, ok := r.boxes()
		if !ok {
			return nil, false
		}
		if r.During != "" && r.During != during && r.Action == "allow" {
			continue
		}
		if r.Action != "allow" { // what meets it is refused
			rest, ok := lessAll(out, theirs)
			if !ok {
				return nil, false
			}
			hit, ok := lessAll(out, rest)
			if !ok {
				return nil, false
			}
			refused, out = append(refused, hit...), rest
			continue
		}
		if out, ok = lessAll(out, theirs); !ok {
			return nil, false
		}
	}
	return append(refused, out...), true
}

// piece is boxes of which two sides are alike.
type piece struct{ source, destination, service set }

// merged puts boxes together that differ in one side only.
func merged(boxes []box) []piece {
	out := make([]piece, len(boxes))
	for i, b := range boxes {
		out[i] = piece{set{b.source}, set{b.destination}, set{b.service}}
	}
	for again := true; again; {
		again = false
		for i := 0; i < len(out); i++ {
			for k := len(out) - 1; k > i; k-- {
				if m, ok := out[i].with(out[k]); ok {
					out[i], out, again = m, slices.Delete(out, k, k+1), true
				}
			}
		}
	}
	return out
}

func (p piece) with(o piece) (piece, bool) {
	s, d, v := slices.Equal(p.source, o.source), slices.Equal(p.destination, o.destination), slices.Equal(p.service, o.service)
	switch {
	case s && d:
		p.service = slices.Concat(p.service, o.service).normal()
	case s && v:
		p.destination = slices.Concat(p.destination, o.destination).normal()
	case d && v:
		p.source = slices.Concat(p.source, o.source).normal()
	default:
		return p, false
	}
	return p, true
}

// join puts deltas together that differ only in a zone.
func join(list []Delta) []Delta {
	merge := func(side func(*Delta) *string) {
		for i := 0; i < len(list); i++ {
			for k := i + 1; k < len(list); {
				a, b := list[i], list[k]
				mine, theirs := *side(&a), *side(&b)
				*side(&a), *side(&b) = "", ""
				if a == b {
					*side(&list[i]) = mine + ", " + theirs
					list = slices.Delete(list, k, k+1)
					continue
				}
				k++
			}
		}
	}
	merge(func(d *Delta) *string { return &d.To })
	merge(func(d *Delta) *string { return &d.From })
	return list
}

// mostItems are told of a side of a delta.
const mostItems = 8

func (p *Policy) addressText(s set) string {
	if slices.Equal(s, allAddresses) {
		return "any"
	}
	text := p.plainAddresses(s)
	if name := p.named[text]; name != "" {
		return name
	}
	return text
}

func (p *Policy) plainAddresses(s set) string {
	var out []string
	for _, i := range s {
		if len(out) == mostItems {
			return fmt.Sprintf("%s and %d more", strings.Join(out, ", "), len(s)-mostItems)
		}
		for at, text := range p.texts {
			if i.low <= at && at <= i.high && i.low > lastIPv4 {
				out = append(out, text)
			}
		}
		if i.low > lastIPv4 {
			if i.high-i.low > uint64(len(p.texts)) {
				out = append(out, "others")
			}
			continue
		}
		out = append(out, rangeText(i.low, min(i.high, lastIPv4)))
		if i.high > lastIPv4 {
			out = append(out, "others")
		}
	}
	return strings.Join(out, ", ")
}

func rangeText(low, high uint64) string {
	a, b := addr(low), addr(high)
	size := high - low + 1
	if size&(size-1) == 0 && low%size == 0 {
		bits := 32
		for size > 1 {
			size /= 2
			bits--
		}
		if bits == 32 {
			return a.String()
		}
		return netip.PrefixFrom(a, bits).String()
	}
	return a.String() + "-" + b.String()
}

func addr(n uint64) netip.Addr {
	return netip.AddrFrom4([4]byte{byte(n >> 24), byte(n >> 16), byte(n >> 8), byte(n)})
}

func (p *Policy) serviceText(s set) string {
	text := serviceText(s)
	if name := p.named[text]; name != "" {
		return name
	}
	return text
}

func serviceText(s set) string {
	if slices.Equal(s, allServices) {
		return "any"
	}
	var out []string
	for _, i := range s {
		for _, of := range []struct {
			name      string
			low, high uint64
		}{{"tcp", 0, 65535}, {"udp", udpBase, udpBase + 65535}, {"icmp", icmpAt, icmpAt}, {"other protocols", lastService, lastService}} {
			low, high := max(i.low, of.low), min(i.high, of.high)
			switch {
			case low > high:
			case of.low == of.high || low-of.low <= 1 && high == of.high:
				out = append(out, of.name)
			default:
				out = append(out, of.name+"/"+setting.PortRange{Low: uint16(low - of.low), High: uint16(high - of.low)}.String())
			}
		}
		if len(out) > mostItems {
			return strings.Join(out[:mostItems], ", ") + " and more"
		}
	}
	return strings.Join(out, ", ")
}
