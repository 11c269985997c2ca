package guard

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// blocked finds devices of the house that would be blocked as if they were stations.
func blocked(p Proposal) []Finding {
	if !p.differs(setting.OnBlocked) {
		return nil
	}
	own := map[string]network.PortRef{}
	for device, s := range p.States {
		for name, port := range s.Ports {
			if port.MAC != "" {
				own[strings.ToLower(port.MAC)] = network.PortRef{Device: device, Port: name}
			}
		}
	}
	var out []Finding
	for _, device := range slices.Sorted(maps.Keys(p.After)) {
		before := p.Before[device].Objects
		for _, b := range setting.BlockedStations(p.After[device]) {
			object := setting.BlockedObject(b.MAC)
			ref, is := own[b.MAC]
			if _, had := before[object]; had || !is {
				continue
			}
			at := network.PortRef{Device: device, Port: object}
			out = append(out, Finding{ID: "blocked:" + at.String(), Guard: "blocked", Level: Stop, Ports: []network.PortRef{at}, What: fmt.Sprintf("%s would let nothing of %s pass, which is %s.", device, b.MAC, ref),
				Why: fmt.Sprintf("%s would be cut off, and all that is behind it.", ref.Device), Do: "Block the station that you mean, and not a device of the house."})
		}
	}
	return out
}
