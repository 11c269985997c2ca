package guard

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
)

// vlanExists finds ports put into a VLAN that their device does not know.
func vlanExists(p Proposal) []Finding {
	var out []Finding
	for _, ref := range p.changed {
		known := p.After[ref.Device].VLANs
		before := used(p.Before[ref.Device].Ports[ref.Port])
		for _, v := range used(p.After[ref.Device].Ports[ref.Port]) {
			if _, ok := known[v]; ok || slices.Contains(before, v) {
				continue
			}
			out = append(out, Finding{
				ID: fmt.Sprintf("vlan-exists:%s:%s", ref, v), Guard: "vlan-exists", Level: Stop, Ports: []network.PortRef{ref},
				What: fmt.Sprintf("VLAN %s does not exist on %s.", v, ref.Device),
				Why:  "What is plugged into the port would reach nothing.",
				Do:   fmt.Sprintf("Make VLAN %s on %s, or use one that it has: %s.", v, ref.Device, vlanList(known)),
				Fix:  p.makeVLAN(ref.Device, v),
			})
		}
	}
	return out
}

func vlanList(vlans map[network.VLANID]network.VLAN) string {
	ids := make([]network.VLANID, 0, len(vlans))
	for id := range vlans {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	parts := make([]string, len(ids))
	for i, id := range ids {
		parts[i] = strings.TrimSpace(id.String() + " " + vlans[id].Name)
	}
	if len(parts) == 0 {
		return "none"
	}
	return strings.Join(parts, ", ")
}

// makeVLAN returns the edits that make a VLAN on a device, of the name that it has elsewhere.
func (p Proposal) makeVLAN(device string, v network.VLANID) []intent.Edit {
	for _, other := range slices.Sorted(maps.Keys(p.After)) {
		if known, ok := p.After[other].VLANs[v]; ok && known.Name != "" {
			return intent.MakeVLAN(device, v, known.Name)
		}
	}
	return intent.MakeVLAN(device, v, "")
}
