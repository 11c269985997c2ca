package guard

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
)

// bundleEnds finds bundles of which the ports would not all lead to one bundle of one device, or of a pair that acts as one.
func bundleEnds(p Proposal) []Finding {
	before, after := p.bridges(p.Before).Pair, p.bridges(p.After).Pair
	var out []Finding
	for _, device := range slices.Sorted(maps.Keys(p.After)) {
		c := p.After[device]
		for _, name := range slices.Sorted(maps.Keys(c.Bundles)) {
			at := network.PortRef{Device: device, Port: name}
			ends := p.farEnds(p.After, after, at)
			if len(ends) < 2 || slices.Equal(slices.Sorted(maps.Keys(ends)), slices.Sorted(maps.Keys(p.farEnds(p.Before, before, at)))) {
				continue
			}
			refs, parts := []network.PortRef{at}, []string{}
			for _, end := range slices.Sorted(maps.Keys(ends)) {
				ports := ends[end]
				slices.SortFunc(ports, network.ComparePorts)
				for _, port := range ports {
					refs = append(refs, network.PortRef{Device: device, Port: port})
				}
				parts = append(parts, strings.Join(ports, ", ")+" to "+end)
			}
			why := "LACP takes only the ports of one of them into the bundle; the others forward nothing."
			if c.Bundles[name].Settings["protocol"] == "static" {
				why = "Each of them takes its part of the ports for a bundle of its own: frames get lost or go round in circles."
			}
			out = append(out, Finding{ID: "bundle:" + at.String() + ":ends", Guard: "bundle", Level: Warn, Ports: refs,
				What: fmt.Sprintf("The ports of %s would lead to %d different ends: %s.", at, len(ends), strings.Join(parts, "; ")), Why: why,
				Do: "Bundle only ports that lead to the same bundle of one device, or of a pair that acts as one."})
		}
	}
	return out
}

// farEnds are the ports of a bundle by what they lead to: a device or pair, and the bundle there. A port of which that is not
// known, or which is off, is left out; so is whether the other end bundles it at all, which linkEnds tells.
func (p Proposal) farEnds(configs map[string]network.Config, pairs map[string]string, at network.PortRef) map[string][]string {
	out := map[string][]string{}
	c := configs[at.Device]
	for _, port := range c.Members(at.Port) {
		_, far, linked := p.linkAt(network.PortRef{Device: at.Device, Port: port})
		if !linked || !c.Ports[port].Enabled {
			continue
		}
		end := far.Device
		if pair := pairs[far.Device]; pair != "" {
			end = "the pair " + pair
		}
		if lag := configs[far.Device].Ports[far.Port].LAG; lag != "" {
			end = lag + " of " + end
		}
		out[end] = append(out[end], port)
	}
	return out
}
