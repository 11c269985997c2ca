package setting

import (
	"slices"

	"example.net/everypost/internal/core/network"
)

// ProviderBridging is the feature of devices that carry what a customer sends untouched, with a tag of their own about it (IEEE 802.1ad, now in IEEE 802.1Q).
const ProviderBridging network.Feature = "provider bridging"

// serviceSettings say which frames a port carries for others, and between which ports. What is in a VLAN of the port itself goes by that.
var serviceSettings = []Setting{
	{Name: "service-vlan", On: portLike, rank: 3, Title: "Service VLAN", Group: "Port", Help: "what comes in and is in no VLAN of the port is carried untouched, with its tags, to the other ports of this service VLAN (IEEE 802.1ad)",
		Default: "none", Needs: ProviderBridging, Value: vlan().or("none"), when: switched},
	{Name: "service-trunk-vlans", On: portLike, rank: 3, Title: "Tagged service VLANs", Group: "Port", Help: "the service VLANs that pass the port with their service tag (IEEE 802.1ad)",
		Default: "none", Needs: ProviderBridging, Value: vlans().or("none"), when: switched},
}

// ForOthers is what a port carries for others.
type ForOthers struct {
	Own   network.VLANID // the service VLAN in which that is which comes in without a service tag, 0: none
	Trunk network.VLANSet
}

// ServiceAt is what a port of a configuration, or a bundle, carries for others: the members of a bundle what the bundle does.
func ServiceAt(c network.Config, port string) (s ForOthers) {
	p, single := c.Ports[port]
	if !single {
		p = c.Bundles[port]
	}
	if p.LAG != "" {
		p = c.Bundles[p.LAG]
	}
	if own, set := p.Settings["service-vlan"]; set {
		s.Own, _ = network.ParseVLAN(own)
	}
	if trunk, set := p.Settings["service-trunk-vlans"]; set {
		s.Trunk, _ = network.ParseVLANSet(trunk)
	}
	return s
}

// ServiceVLANs are those of which a configuration knows, in order.
func ServiceVLANs(c network.Config) (out []network.VLANID) {
	for _, ports := range []map[string]network.PortConfig{c.Ports, c.Bundles} {
		for name, p := range ports {
			if len(p.Settings) == 0 { // as most are; what a bundle carries is found at that
				continue
			}
			s := ServiceAt(c, name)
			out = append(out, s.Trunk...)
			if s.Own != 0 {
				out = append(out, s.Own)
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}
