package guard

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
)

// managementPath finds devices that the service could reach before and could not reach after. It warns and does not stop:
// every push is on trial, so that such a device undoes the change by itself, and there are reasons to do it (moving the
// management network is one). A device at a site whose entry nobody has named cannot be judged, which is said.
func managementPath(p Proposal) []Finding {
	before := p.graph.ManagementReach(p.Before)
	after := p.graph.ManagementReach(p.After)
	var cut []string
	for _, device := range slices.Sorted(maps.Keys(before)) {
		if !after[device] {
			cut = append(cut, device)
		}
	}
	var out []Finding
	if len(cut) > 0 {
		out = append(out, p.cutOff(cut))
	}
	unjudged := map[string]bool{}
	for _, ref := range p.changed {
		if site := p.Site[ref.Device]; p.EntryOf[site] == "" && !unjudged[site] {
			unjudged[site] = true
			out = append(out, Finding{
				ID: "management-path:" + site, Guard: "management-path", Level: Note, Ports: []network.PortRef{ref},
				What: fmt.Sprintf("It is not known where the management network comes into site %s.", site),
				Why:  "So it cannot be told beforehand whether this change cuts the way to a device there. The trial will tell.",
				Do:   "Name the site's entry device.",
			})
		}
	}
	return out
}

// cutOff says which changed ports cut off the devices, the nearest device first: it is the one that goes back by itself.
func (p Proposal) cutOff(devices []string) Finding {
	near := p.graph.FarToNear(devices)
	slices.Reverse(near)
	vlan := p.Before[near[0]].ManagementVLAN
	f := Finding{
		ID: "management-path:" + near[0], Guard: "management-path", Level: Warn,
		Why: "The service would lose the way to it: on trial the device goes back by itself, and until then it cannot be watched or changed.",
	}
	var places []string
	for _, ref := range p.changed {
		b, a := p.Before[ref.Device].Ports[ref.Port], p.After[ref.Device].Ports[ref.Port]
		if !p.graph.OnLink(ref) || !b.Carries(vlan) || a.Carries(vlan) && a.Untagged() == b.Untagged() {
			continue
		}
		f.Ports = append(f.Ports, ref)
		places = append(places, ref.String())
		for _, d := range intent.Compare(ref.Device, onePort(ref.Port, b), onePort(ref.Port, a)) {
			if d.Before != "" && d.Field != "description" && d.Field != "poe" {
				f.Fix = intent.Add(f.Fix, intent.Edit{Port: p.settable(ref), Field: d.Field, Value: d.Before})
			}
		}
	}
	where := orElse(places, "its way")
	f.What = fmt.Sprintf("%s could not be reached any more: management VLAN %s would be cut on %s.", join(near), vlan, where)
	f.Do = fmt.Sprintf("Leave VLAN %s on %s, or accept this and let the trial prove it.", vlan, where)
	return f
}

func onePort(name string, c network.PortConfig) network.Config {
	return network.Config{Ports: map[string]network.PortConfig{name: c}}
}

func orElse(places []string, otherwise string) string {
	if len(places) == 0 {
		return otherwise
	}
	return join(places)
}

// join lists things as one says them: a, b and c.
func join(things []string) string {
	if len(things) < 2 {
		return strings.Join(things, "")
	}
	return strings.Join(things[:len(things)-1], ", ") + " and " + things[len(things)-1]
}
