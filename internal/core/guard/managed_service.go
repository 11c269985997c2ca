package guard

import (
	"fmt"
	"slices"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
)

// managedService finds devices whose service for management would be switched off: nobody could switch it on again from
// here.
func managedService(p Proposal) []Finding {
	var out []Finding
	for device, after := range p.After {
		by := p.Before[device].ManagedOver
		if on, has := after.Services[by]; !has || on || !p.Before[device].Services[by] {
			continue
		}
		at := network.PortRef{Device: device}
		out = append(out, Finding{
			ID: "managed-service:" + device, Guard: "managed-service", Level: Stop, Ports: []network.PortRef{at},
			What: fmt.Sprintf("%s would be switched off on %s, which is managed by it.", by, device),
			Why:  "The device would be lost to this service, and nobody could switch it on again from here.",
			Do:   fmt.Sprintf("Leave %s on.", by),
			Fix:  []intent.Edit{{Port: at, Field: "service." + by, Value: "on"}},
		})
	}
	slices.SortFunc(out, func(a, b Finding) int { return compareRefs(a.Ports[0], b.Ports[0]) })
	return out
}
