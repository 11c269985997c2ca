package guard

import (
	"cmp"
	"fmt"
	"slices"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

// serviceVLANs finds ports of customers that would no longer reach each other, lead nowhere, or let what a customer sends into VLANs of the house.
func serviceVLANs(p Proposal) (out []Finding) {
	lines := func(configs map[string]network.Config) map[network.VLANID]topology.ServiceLine {
		found := map[network.VLANID]topology.ServiceLine{}
		for _, l := range topology.ServiceLines(configs, p.Links, func(l topology.Link) bool { return topology.Passes(configs, l) }) {
			found[l.VLAN] = l
		}
		return found
	}
	before, after := lines(p.Before), lines(p.After)
	seen := map[network.VLANID]bool{}
	for _, ports := range []map[network.VLANID]topology.ServiceLine{before, after} {
		for v := range ports {
			seen[v] = true
		}
	}
	for v := range seen {
		out = append(out, p.serviceApart(before[v], after[v])...)
		out = append(out, p.serviceAlone(before[v], after[v])...)
	}
	for _, ref := range p.changed {
		if s := setting.ServiceAt(p.After[ref.Device], ref.Port); s.Own != 0 && s.Trunk.Has(s.Own) {
			out = append(out, Finding{ID: "service-vlans:" + ref.String() + ":both", Guard: "service-vlans", Level: Stop, Ports: []network.PortRef{ref},
				What: fmt.Sprintf("%s would carry service VLAN %s both with its tag and without.", ref, s.Own), Why: "What comes in and what goes out would not be tagged alike.",
				Do: "Take it out of one of them: service-vlan, or service-trunk-vlans."})
		}
		out = append(out, p.customerInside(ref)...)
	}
	slices.SortFunc(out, func(a, b Finding) int { return cmp.Compare(a.ID, b.ID) })
	return out
}

// serviceApart tells of ports that reached each other, are both still there, and would not any more.
func (p Proposal) serviceApart(before, after topology.ServiceLine) []Finding {
	for _, part := range before.Parts {
		still := slices.DeleteFunc(slices.Clone(part), func(r network.PortRef) bool { return !slices.Contains(after.Ports, r) })
		for _, one := range after.Parts {
			if len(still) == 0 || !slices.Contains(one, still[0]) {
				continue
			}
			lost := slices.DeleteFunc(still[1:], func(r network.PortRef) bool { return slices.Contains(one, r) })
			if len(lost) == 0 {
				break
			}
			f := Finding{ID: fmt.Sprintf("service-vlans:%s:apart", before.VLAN), Guard: "service-vlans", Level: Warn, Ports: append([]network.PortRef{still[0]}, lost...),
				What: fmt.Sprintf("%s would no longer reach %s in service VLAN %s.", still[0], refList(lost), before.VLAN),
				Why:  "What a customer sends there would not come out at the other end.",
				Do:   fmt.Sprintf("Carry it over the links between them: everypost service-vlan carry %s %s %s.", before.VLAN, still[0], lost[0])}
			for _, e := range after.Ends {
				f.Fix = append(f.Fix, p.carryService(e, before.VLAN)...)
			}
			return []Finding{f}
		}
	}
	return nil
}

// carryService is the edit that has the far end of a link take a service VLAN.
func (p Proposal) carryService(e topology.ServiceEnd, v network.VLANID) []intent.Edit {
	c, had := p.After[e.Far.Device], setting.ServiceAt(p.Before[e.Far.Device], e.Far.Port).Trunk.Has(v)
	if e.Down || !had || !c.Has(setting.ProviderBridging) {
		return nil
	}
	set := network.NewVLANSet(append(slices.Clone(setting.ServiceAt(c, e.Far.Port).Trunk), v)...)
	return []intent.Edit{{Port: p.settable(e.Far), Field: "service-trunk-vlans", Value: set.String()}}
}

// serviceAlone tells of ports that would be put into a service VLAN in which they reach no other.
func (p Proposal) serviceAlone(before, after topology.ServiceLine) (out []Finding) {
	for _, part := range after.Parts {
		if len(part) != 1 || slices.Contains(before.Ports, part[0]) {
			continue
		}
		out = append(out, Finding{ID: "service-vlans:" + part[0].String() + ":alone", Guard: "service-vlans", Level: Note, Ports: part,
			What: fmt.Sprintf("%s would reach no other port of service VLAN %s.", part[0], after.VLAN), Why: "What comes in there would come out nowhere.",
			Do: fmt.Sprintf("Name the other end as well: everypost service-vlan carry %s %s DEVICE:PORT.", after.VLAN, part[0])})
	}
	return out
}

// customerInside tells of a port to a customer that is in VLANs of the house as well.
func (p Proposal) customerInside(ref network.PortRef) []Finding {
	c := p.After[ref.Device].Ports[ref.Port]
	inside := used(c)
	was := setting.ServiceAt(p.Before[ref.Device], ref.Port).Own
	if own := setting.ServiceAt(p.After[ref.Device], ref.Port).Own; own == 0 || len(inside) == 0 || p.graph.OnLink(ref) || own == was && slices.Equal(inside, used(p.Before[ref.Device].Ports[ref.Port])) {
		return nil
	}
	set := network.NewVLANSet(inside...)
	return []Finding{{ID: "service-vlans:" + ref.String() + ":inside", Guard: "service-vlans", Level: Warn, Ports: []network.PortRef{ref},
		What: fmt.Sprintf("What a customer sends into %s in VLAN %s would get into VLANs of yours.", ref, set), Why: "A port to a customer carries untouched only what is in no VLAN of the port.",
		Do: "Take its own VLANs off: mode=trunk native-vlan=none trunk-vlans=none.",
		Fix: []intent.Edit{{Port: p.settable(ref), Field: "mode", Value: "trunk"}, {Port: p.settable(ref), Field: "native-vlan", Value: "none"},
			{Port: p.settable(ref), Field: "trunk-vlans", Value: "none"}}}}
}
