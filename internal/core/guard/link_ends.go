package guard

import (
	"fmt"
	"slices"
	"strings"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/topology"
)

// linkEnds finds links of which the ends would no longer agree: on bundling, speed, duplex, MTU, the untagged VLAN, and on
// the VLANs that they carry. What they did not agree on before is no news.
func linkEnds(p Proposal) []Finding {
	var out []Finding
	seen := map[topology.Link]bool{}
	for _, ref := range p.changed {
		l, far, ok := p.linkAt(ref)
		if !ok || seen[l] {
			continue
		}
		seen[l] = true
		was := topology.Mismatches(p.Before[l.A.Device], p.Before[l.B.Device], l)
		for _, m := range topology.Mismatches(p.After[l.A.Device], p.After[l.B.Device], l) {
			if !slices.ContainsFunc(was, func(o topology.Mismatch) bool { return o.Field == m.Field && o.A == m.A && o.B == m.B }) {
				out = append(out, p.endsDisagree(l, ref, far, m))
			}
		}
		out = append(out, p.oneSided(l, ref, far)...)
	}
	return out
}

func (p Proposal) endsDisagree(l topology.Link, near, far network.PortRef, m topology.Mismatch) Finding {
	f := Finding{
		ID: fmt.Sprintf("link-ends:%s:%s", l.A, m.Field), Guard: "link-ends", Level: Warn, Ports: []network.PortRef{near, far},
		What: fmt.Sprintf("On the link from %s to %s, %s.", l.A, l.B, m.What),
		Why:  "Both ends of a link must be told alike, or it does not do what either of them expects.",
		Do:   fmt.Sprintf("Set %s alike at both ends: it is %s on %s and %s on %s.", m.Field, m.A, l.A, m.B, l.B),
	}
	if m.Cuts {
		f.Why = "Nothing would pass the link: what is behind it loses its way, or falls back to another."
	}
	value := m.A
	if near == l.B {
		value = m.B
	}
	switch m.Field {
	case "speed", "duplex", "mtu":
		f.Fix = []intent.Edit{{Port: far, Field: m.Field, Value: value}}
	case "protocol":
		if value == "lacp-passive" {
			value = "lacp-active"
		}
		f.Fix = []intent.Edit{{Port: p.settable(far), Field: m.Field, Value: value}}
	case "native-vlan":
		if a, b := p.After[near.Device].Ports[near.Port], p.After[far.Device].Ports[far.Port]; a.Mode == network.Trunk && b.Mode == network.Trunk {
			f.Fix = []intent.Edit{{Port: p.settable(far), Field: m.Field, Value: value}}
		}
	}
	return f
}

// oneSided finds VLANs that one end would begin to carry tagged, and the other does not. Those that one end would no longer
// carry are for vlanCarried to tell, where somebody uses them.
func (p Proposal) oneSided(l topology.Link, near, far network.PortRef) []Finding {
	a, b := p.After[near.Device].Ports[near.Port], p.After[far.Device].Ports[far.Port]
	beforeA, beforeB := p.Before[near.Device].Ports[near.Port], p.Before[far.Device].Ports[far.Port]
	if a.Mode == "" || b.Mode == "" || !a.Enabled || !b.Enabled {
		return nil
	}
	var lone []string
	for _, v := range network.NewVLANSet(slices.Concat(a.TrunkVLANs, b.TrunkVLANs)...) {
		if tagged(a, v) != tagged(b, v) && (tagged(a, v) && !tagged(beforeA, v) || tagged(b, v) && !tagged(beforeB, v)) {
			lone = append(lone, v.String())
		}
	}
	if len(lone) == 0 {
		return nil
	}
	f := Finding{
		ID: fmt.Sprintf("link-ends:%s:trunk-vlans", l.A), Guard: "link-ends", Level: Note, Ports: []network.PortRef{near, far},
		What: fmt.Sprintf("Of the link from %s to %s, one end would carry %s and the other not.", l.A, l.B, vlanWord(lone)),
		Why:  "A VLAN passes a link only if both ends carry it.",
		Do:   fmt.Sprintf("Carry the same VLANs on %s as on %s.", far, near),
	}
	both := network.NewVLANSet(slices.Concat(a.TrunkVLANs, b.TrunkVLANs)...).String()
	if a.Mode == network.Trunk && b.Mode == network.Trunk {
		for _, end := range []network.PortRef{near, far} {
			if p.After[end.Device].Ports[end.Port].TrunkVLANs.String() != both {
				f.Fix = append(f.Fix, intent.Edit{Port: p.settable(end), Field: "trunk-vlans", Value: both})
			}
		}
	}
	return []Finding{f}
}

func tagged(c network.PortConfig, v network.VLANID) bool {
	return c.Mode == network.Trunk && c.TrunkVLANs.Has(v)
}

// bundleMembers finds bundles that would not come up, or of which the members are not alike.
func bundleMembers(p Proposal) []Finding {
	var out []Finding
	for device, after := range p.After {
		for name, b := range after.Bundles {
			members := after.Members(name)
			if b.Equal(p.Before[device].Bundles[name]) && slices.Equal(members, p.Before[device].Members(name)) && !p.touches(device, members) {
				continue
			}
			at := network.PortRef{Device: device, Port: name}
			refs := []network.PortRef{at}
			for _, m := range members {
				refs = append(refs, network.PortRef{Device: device, Port: m})
			}
			add := func(id string, level Level, what, why, do string, fix ...intent.Edit) {
				out = append(out, Finding{ID: "bundle:" + at.String() + ":" + id, Guard: "bundle", Level: level, Ports: refs, What: what, Why: why, Do: do, Fix: fix})
			}
			if len(members) == 0 {
				add("empty", Note, fmt.Sprintf("%s has no ports.", at), "A bundle without ports is never up.", "Put ports into it, or remove it.")
				continue
			}
			if least := atoi(b.Settings["min-links"]); least > len(members) {
				add("least", Stop, fmt.Sprintf("%s needs %d links and has %d ports.", at, least, len(members)), "It would never come up.",
					"Put more ports into it, or ask for fewer.", intent.Edit{Port: at, Field: "min-links", Value: fmt.Sprint(len(members))})
			}
			for _, field := range []string{"speed", "duplex", "mtu"} {
				if unlike := unlikeIn(after, members, field); unlike != "" {
					add(field, Warn, fmt.Sprintf("The ports of %s differ in %s: %s.", at, field, unlike), "Ports of different kind do not carry their share, or are left out of the bundle.",
						fmt.Sprintf("Set %s alike on %s.", field, strings.Join(members, ", ")))
				}
			}
		}
	}
	slices.SortFunc(out, func(a, b Finding) int { return strings.Compare(a.ID, b.ID) })
	return out
}

// touches tells whether one of the ports of a device changes.
func (p Proposal) touches(device string, ports []string) bool {
	return slices.ContainsFunc(p.changed, func(ref network.PortRef) bool { return ref.Device == device && slices.Contains(ports, ref.Port) })
}

// unlikeIn says how the ports differ in a setting, or "".
func unlikeIn(c network.Config, ports []string, field string) string {
	by := map[string][]string{}
	var order []string
	for _, name := range ports {
		v := c.Ports[name].Settings[field]
		if v == "" {
			v = "as usual"
		}
		if by[v] == nil {
			order = append(order, v)
		}
		by[v] = append(by[v], name)
	}
	if len(order) < 2 {
		return ""
	}
	parts := make([]string, len(order))
	for i, v := range order {
		parts[i] = v + " on " + strings.Join(by[v], ", ")
	}
	return strings.Join(parts, ", ")
}

func atoi(s string) (n int) {
	_, _ = fmt.Sscan(s, &n)
	return n
}
