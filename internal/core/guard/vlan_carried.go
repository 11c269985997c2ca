package guard

import (
	"fmt"
	"slices"
	"strings"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
)

// vlanCarried finds ports put into a VLAN that is not carried all the way up from their device to where the network comes
// in, and VLANs taken off a link while ports behind it still use them.
func vlanCarried(p Proposal) []Finding {
	var out []Finding
	for _, ref := range p.changed {
		if p.graph.OnLink(ref) {
			out = append(out, p.takenOffLink(ref)...)
			continue
		}
		before := used(p.Before[ref.Device].Ports[ref.Port])
		for _, v := range used(p.After[ref.Device].Ports[ref.Port]) {
			if _, exists := p.After[ref.Device].VLANs[v]; !exists || slices.Contains(before, v) {
				continue // vlanExists speaks of the one, the other is no news
			}
			if gaps := p.gaps(ref.Device, v); len(gaps) > 0 {
				out = append(out, notCarried(ref, v, gaps, p.carry(gaps, v)))
			}
		}
	}
	return out
}

// gaps lists the ports on the way up from a device that do not carry v, the nearest first.
func (p Proposal) gaps(device string, v network.VLANID) []network.PortRef {
	return p.graph.Gaps(p.After, device, v)
}

// carry returns the edits that add v to trunks; a port that is no trunk has to be dealt with by hand.
func (p Proposal) carry(gaps []network.PortRef, v network.VLANID) []intent.Edit {
	var fix []intent.Edit
	for _, ref := range gaps {
		c := p.After[ref.Device].Ports[ref.Port]
		if c.Mode != network.Trunk || !c.Enabled {
			return nil
		}
		set := network.NewVLANSet(append(slices.Clone(c.TrunkVLANs), v)...)
		fix = intent.Add(fix, intent.Edit{Port: p.settable(ref), Field: "trunk-vlans", Value: set.String()})
	}
	return fix
}

func notCarried(ref network.PortRef, v network.VLANID, gaps []network.PortRef, fix []intent.Edit) Finding {
	return Finding{
		ID: fmt.Sprintf("vlan-carried:%s:%s", ref, v), Guard: "vlan-carried", Level: Warn,
		Ports: append([]network.PortRef{ref}, gaps...),
		What:  fmt.Sprintf("VLAN %s is not carried on %s, the way up from %s.", v, refList(gaps), ref.Device),
		Why:   fmt.Sprintf("What is plugged into %s would reach only its own switch.", ref),
		Do:    fmt.Sprintf("Also carry VLAN %s on %s.", v, refList(gaps)),
		Fix:   fix,
	}
}

// takenOffLink finds the VLANs that ref carried and would carry no more, and that ports below it still use.
func (p Proposal) takenOffLink(ref network.PortRef) []Finding {
	before, after := p.Before[ref.Device].Ports[ref.Port], p.After[ref.Device].Ports[ref.Port]
	var gone []string
	var behind []network.PortRef
	set := slices.Clone(after.TrunkVLANs)
	for _, v := range used(before) {
		if after.Carries(v) {
			continue
		}
		if users := p.behind(ref, v); len(users) > 0 {
			gone = append(gone, v.String())
			behind = append(behind, users...)
			set = append(set, v)
		}
	}
	if len(gone) == 0 {
		return nil
	}
	slices.SortFunc(behind, compareRefs)
	f := Finding{
		ID: "vlan-carried:" + ref.String(), Guard: "vlan-carried", Level: Warn, Ports: append([]network.PortRef{ref}, behind...),
		What: fmt.Sprintf("%s would no longer be carried on %s, and %s behind it.", vlanWord(gone), ref, portsUse(len(behind))),
		Why:  fmt.Sprintf("They would lose their network: %s.", shorten(behind, 4)),
		Do:   fmt.Sprintf("Also carry %s on %s.", vlanWord(gone), ref),
	}
	if after.Mode == network.Trunk && after.Enabled {
		f.Fix = []intent.Edit{{Port: p.settable(ref), Field: "trunk-vlans", Value: network.NewVLANSet(set...).String()}}
	}
	return []Finding{f}
}

// behind lists the ports, other than those of links, that use v and whose way up leads through ref.
func (p Proposal) behind(ref network.PortRef, v network.VLANID) []network.PortRef {
	var out []network.PortRef
	for device, c := range p.After {
		if !slices.Contains(p.gaps(device, v), ref) {
			continue
		}
		for name, port := range c.Ports {
			edge := network.PortRef{Device: device, Port: name}
			if port.Enabled && port.Untagged() == v && !p.graph.OnLink(edge) {
				out = append(out, edge)
			}
		}
	}
	return out
}

func vlanWord(ids []string) string {
	if len(ids) == 1 {
		return "VLAN " + ids[0]
	}
	return "VLANs " + join(ids)
}

func portsUse(n int) string {
	if n == 1 {
		return "one port uses it"
	}
	return fmt.Sprintf("%d ports use them", n)
}

func refList(refs []network.PortRef) string { return shorten(refs, len(refs)) }

func shorten(refs []network.PortRef, most int) string {
	parts := make([]string, 0, most)
	for i, r := range refs {
		if i == most {
			parts = append(parts, fmt.Sprintf("and %d more", len(refs)-most))
			break
		}
		parts = append(parts, r.String())
	}
	return strings.Join(parts, ", ")
}
