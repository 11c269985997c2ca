package guard

import (
	"fmt"
	"slices"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// zones finds fabrics and zones of storage switches that say what cannot be, and who would lose sight of his storage.
func zones(p Proposal) []Finding {
	var out []Finding
	fabric := map[network.PortRef]string{}
	p.objectsOf(setting.OnFabric, func(at network.PortRef, name string, before, after network.Settings) {
		for _, port := range setting.Items(after["fabric-ports"]) {
			ref := network.PortRef{Device: at.Device, Port: port}
			if other := fabric[ref]; other != "" && (before["fabric-ports"] != after["fabric-ports"] || p.Before[at.Device].Objects[setting.Object(setting.OnFabric, other)] == nil) {
				out = append(out, Finding{
					ID: fmt.Sprintf("zone:%s:fabrics", ref), Guard: "zone", Level: Stop, Ports: []network.PortRef{ref},
					What: fmt.Sprintf("%s would be in two fabrics, %s and %s.", ref, other, name), Why: "Fabrics are switches of their own: a port is in one.",
					Do: fmt.Sprintf("Take it out of %s first.", other),
				})
			}
			fabric[ref] = name
		}
	})
	p.objectsOf(setting.OnZone, func(at network.PortRef, name string, before, after network.Settings) {
		if before != nil && before["zone-ports"] == after["zone-ports"] && before["fabric"] == after["fabric"] {
			return
		}
		ports := setting.Items(after["zone-ports"])
		inFabric := setting.Object(setting.OnFabric, after["fabric"])
		if _, has := p.After[at.Device].Objects[inFabric]; !has {
			out = append(out, Finding{
				ID: "zone:" + at.String() + ":fabric", Guard: "zone", Level: Stop, Ports: []network.PortRef{at},
				What: fmt.Sprintf("Zone %s of %s is in no fabric that the switch has.", name, at.Device), Why: "A zone is of one fabric.", Do: "Name the fabric of its ports, or make it.",
			})
			return
		}
		var stray []string
		for _, port := range ports {
			if fabric[network.PortRef{Device: at.Device, Port: port}] != after["fabric"] {
				stray = append(stray, port)
			}
		}
		if len(stray) > 0 {
			kept := slices.DeleteFunc(slices.Clone(ports), func(port string) bool { return slices.Contains(stray, port) })
			out = append(out, Finding{
				ID: "zone:" + at.String() + ":ports", Guard: "zone", Level: Stop, Ports: []network.PortRef{at},
				What: fmt.Sprintf("Zone %s of %s names %s, not of its fabric %s.", name, at.Device, join(stray), after["fabric"]), Why: "Nobody sees over the border of a fabric.",
				Do:  "Put the ports into the fabric, or leave them out of the zone.",
				Fix: []intent.Edit{{Port: at, Field: "zone-ports", Value: listOf(kept)}},
			})
		}
		if len(ports) == 1 {
			out = append(out, Finding{
				ID: "zone:" + at.String() + ":one", Guard: "zone", Level: Note, Ports: []network.PortRef{at},
				What: fmt.Sprintf("Zone %s of %s names one port only.", name, at.Device), Why: "It lets nobody see anybody.", Do: "Name whom it is to see.",
			})
		}
	})
	return append(out, lostSight(p)...)
}

func listOf(items []string) string {
	if len(items) == 0 {
		return "none"
	}
	out := items[0]
	for _, i := range items[1:] {
		out += "," + i
	}
	return out
}

// lostSight finds hosts that are plugged in and would not see storage any more that they see now.
func lostSight(p Proposal) []Finding {
	var out []Finding
	if !p.differs(setting.OnZone) && !p.differs(setting.OnFabric) {
		return nil
	}
	for device, inside := range p.Insides {
		name := map[string]string{}
		for _, l := range inside.Logins {
			name[l.Port] = l.Name
		}
		for _, l := range inside.Logins {
			for _, far := range l.Sees {
				if l.Kind != "host" || !setting.SeesPort(p.Before[device], l.Port, far) || setting.SeesPort(p.After[device], l.Port, far) {
					continue
				}
				at := network.PortRef{Device: device, Port: l.Port}
				out = append(out, Finding{
					ID: fmt.Sprintf("zone:%s:%s:sight", at, far), Guard: "zone", Level: Warn, Ports: []network.PortRef{at, {Device: device, Port: far}},
					What: fmt.Sprintf("%s (%s) would no longer see %s (%s), which it uses.", l.Name, at, name[far], far), Why: "A host that loses its disks stops.",
					Do: "Leave a zone that names both, or see to it first that the host needs it no more.",
				})
			}
		}
	}
	slices.SortFunc(out, func(a, b Finding) int { return compareRefs(a.Ports[0], b.Ports[0]) })
	return out
}
