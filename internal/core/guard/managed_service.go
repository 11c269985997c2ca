package guard

import (
	"fmt"
	"slices"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
)

// managedBy is the service of a device by which it is managed.
const managedBy = "netconf"

// managedService finds devices whose service for management would be switched off: nobody could switch it on again from
// here.
func managedService(p Proposal) []Finding {
	var out []Finding
	for device, after := range p.After {
		if on, has := after.Services[managedBy]; !has || on || !p.Before[device].Services[managedBy] {
			continue
		}
		at := network.PortRef{Device: device}
		out = append(out, Finding{
			ID: "managed-service:" + device, Guard: "managed-service", Level: Stop, Ports: []network.PortRef{at},
			What: fmt.Sprintf("%s would be switched off on %s, which is managed by it.", managedBy, device),
			Why:  "The device would be lost to this service, and nobody could switch it on again from here.",
			Do:   fmt.Sprintf("Leave %s on.", managedBy),
			Fix:  []intent.Edit{{Port: at, Field: "service." + managedBy, Value: "on"}},
		})
	}
	slices.SortFunc(out, func(a, b Finding) int { return compareRefs(a.Ports[0], b.Ports[0]) })
	return out
}
