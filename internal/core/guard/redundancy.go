package guard

import (
	"fmt"
	"maps"
	"slices"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

// rings finds rings that would not do what rings are for: without a manager or with more than one, with members that are not
// in them by two ports, or that the cables do not close.
func rings(p Proposal) []Finding {
	if !p.differs(setting.OnRing) {
		return nil
	}
	var out []Finding
	is := topology.Rings(p.After, p.Links, func(topology.Link) bool { return true })
	for _, name := range slices.Sorted(maps.Keys(is)) {
		r := is[name]
		at := func(device string) network.PortRef { return network.PortRef{Device: device, Port: "ring/" + name} }
		complete := true
		for _, device := range r.Members {
			if n := len(setting.Items(p.After[device].Objects["ring/"+name]["ring-ports"])); n != 2 {
				complete = false
				out = append(out, Finding{
					ID: "ring:" + name + ":" + device, Guard: "ring", Level: Stop, Ports: []network.PortRef{at(device)},
					What: fmt.Sprintf("%s would be in ring %s by %d ports.", device, name, n),
					Why:  "A ring goes in by one port and out by another.",
					Do:   "Name two ports of it, those of the cables to its neighbours in the ring.",
				})
			}
		}
		switch {
		case len(r.Managers) > 1:
			f := Finding{
				ID: "ring:" + name + ":managers", Guard: "ring", Level: Stop,
				What: fmt.Sprintf("Ring %s would have %d managers: %s.", name, len(r.Managers), join(r.Managers)),
				Why:  "Each would open and close it against the others.",
				Do:   fmt.Sprintf("Have %s manage it, and the others be clients.", r.Managers[0]),
			}
			for _, device := range r.Managers {
				f.Ports = append(f.Ports, at(device))
			}
			for _, device := range r.Managers[1:] {
				f.Fix = append(f.Fix, intent.Edit{Port: at(device), Field: "ring-role", Value: "client"})
			}
			out = append(out, f)
		case len(r.Managers) == 0:
			out = append(out, Finding{
				ID: "ring:" + name + ":manager", Guard: "ring", Level: Warn, Ports: []network.PortRef{at(r.Members[0])},
				What: fmt.Sprintf("Nobody would manage ring %s.", name),
				Why:  "Frames run in a circle in a closed ring that nobody manages, unless spanning tree cuts it.",
				Do:   fmt.Sprintf("Have one of them manage it, such as %s.", r.Members[0]),
				Fix:  []intent.Edit{{Port: at(r.Members[0]), Field: "ring-role", Value: "manager"}},
			})
		}
		if complete && !r.Whole {
			out = append(out, Finding{
				ID: "ring:" + name + ":open", Guard: "ring", Level: Warn, Ports: []network.PortRef{at(r.Members[0])},
				What: fmt.Sprintf("Ring %s of %s would not be closed: the cables between its ports are %d, and %d would close it.", name, join(r.Members), len(r.Links), len(r.Members)),
				Why:  "A ring that is open has nothing to fall back on.",
				Do:   "Look at which ports lead to which neighbour, and whether all switches of the ring are in it.",
			})
		}
	}
	return out
}

// pairs finds pairs that would not come together.
func pairs(p Proposal) []Finding {
	if !p.differs(setting.OnPair) {
		return nil
	}
	var out []Finding
	members := map[string][]string{}
	p.objectsOf(setting.OnPair, func(at network.PortRef, name string, _, after network.Settings) {
		members[name] = append(members[name], at.Device)
		bundle := after["peer-bundle"]
		if _, has := p.After[at.Device].Bundles[bundle]; !has {
			what := "names no bundle to the other"
			if bundle != "" {
				what = "names " + bundle + " as the bundle to the other, which it has not"
			}
			out = append(out, Finding{
				ID: "pair:" + at.String() + ":bundle", Guard: "pair", Level: Stop, Ports: []network.PortRef{at},
				What: fmt.Sprintf("%s of the pair %s %s.", at.Device, name, what),
				Why:  "Without it each of the two believes that it is alone, and both would lead.",
				Do:   "Bundle the ports between the two first, and name that bundle.",
			})
		}
	})
	joined := topology.Pairs(p.After, p.Links)
	for _, name := range slices.Sorted(maps.Keys(members)) {
		two := members[name]
		at := network.PortRef{Device: two[0], Port: "pair/" + name}
		switch {
		case len(two) > 2:
			out = append(out, Finding{
				ID: "pair:" + name + ":many", Guard: "pair", Level: Stop, Ports: []network.PortRef{at},
				What: fmt.Sprintf("%d switches would be in the pair %s: %s.", len(two), name, join(two)), Why: "A pair is of two.", Do: "Give the others a pair of another name.",
			})
		case len(two) == 1:
			out = append(out, Finding{
				ID: "pair:" + name + ":alone", Guard: "pair", Level: Warn, Ports: []network.PortRef{at},
				What: fmt.Sprintf("%s would be alone in the pair %s.", two[0], name), Why: "What is bundled to both falls back to one of them.", Do: "Put the other switch into the pair too.",
			})
		case joined[two[0]] == "":
			out = append(out, Finding{
				ID: "pair:" + name + ":apart", Guard: "pair", Level: Warn, Ports: []network.PortRef{at},
				What: fmt.Sprintf("The bundles that %s name do not lead to each other.", join(two)), Why: "Each would believe that it is alone, and both would lead.",
				Do: "Name at each end the bundle of the cables between the two.",
			})
		}
	}
	return out
}
