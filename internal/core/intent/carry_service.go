package intent

import (
	"fmt"
	"maps"
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

// CarryService works out the edits that have what is sent into one port come out at another untouched, and the other way round: both are put into a service VLAN, with no
// VLAN of their own, and every port on the ways between passes it with its service tag (IEEE 802.1ad). The wire of a radio link may be an end though it leads to a device
// that is known: its own VLANs stay its own, and all else goes over the air untouched.
func CarryService(configs map[string]network.Config, links []topology.Link, v network.VLANID, from, to network.PortRef) (Carriage, error) {
	if from == to {
		return Carriage{}, fmt.Errorf("%s is named twice: a line has two ends", from)
	}
	for _, end := range []network.PortRef{from, to} {
		c, known := configs[end.Device]
		p, there := c.Ports[end.Port]
		if !there {
			p, there = c.Bundles[end.Port]
		}
		switch own := setting.ServiceAt(c, end.Port).Own; {
		case !known:
			return Carriage{}, fmt.Errorf("there is no device %s, or its configuration was never read", end.Device)
		case !there:
			return Carriage{}, fmt.Errorf("%s has no port %s", end.Device, end.Port)
		case !c.Has(setting.ProviderBridging):
			return Carriage{}, fmt.Errorf("%s has no service VLANs: name a port of a device with provider bridging", end.Device)
		case p.Mode == "":
			return Carriage{}, fmt.Errorf("%s is not a switched port", end)
		case p.LAG != "":
			return Carriage{}, fmt.Errorf("%s is a member of %s: name that", end, p.LAG)
		case p.Carrier:
			return Carriage{}, fmt.Errorf("%s is the air of a radio link: name its wire", end)
		case own != 0 && own != v:
			return Carriage{}, fmt.Errorf("%s is in service VLAN %s already: take it out first, or name another port", end, own)
		case leads(configs, links, end) && !isRadio(c):
			return Carriage{}, fmt.Errorf("%s leads to another device of yours, not to a customer", end)
		}
	}
	c := Carriage{Links: topology.Between(links, func(l topology.Link) bool {
		for _, end := range []network.PortRef{from, to} {
			if isAt(configs, l.A, end) || isAt(configs, l.B, end) {
				return false
			}
		}
		return bridges(configs, l.A) && bridges(configs, l.B)
	}, from.Device, to.Device)}
	if len(c.Links) == 0 && from.Device != to.Device {
		return c, fmt.Errorf("no cables between devices with service VLANs lead from %s to %s", from.Device, to.Device)
	}
	for _, end := range []network.PortRef{from, to} {
		c.handOver(configs[end.Device], end, v, leads(configs, links, end))
	}
	for _, l := range c.Links {
		for _, end := range []network.PortRef{l.A, l.B} {
			c.passOn(configs[end.Device], end, v)
		}
	}
	return c, nil
}

// leads tells whether a port, or a member of a bundle, leads to a device that is known.
func leads(configs map[string]network.Config, links []topology.Link, end network.PortRef) bool {
	return slices.ContainsFunc(links, func(l topology.Link) bool { return isAt(configs, l.A, end) || isAt(configs, l.B, end) })
}

// isAt tells whether a port is an end, or a member of the bundle that is.
func isAt(configs map[string]network.Config, port, end network.PortRef) bool {
	return port == end || port.Device == end.Device && configs[port.Device].Ports[port.Port].LAG == end.Port
}

// isRadio tells whether a device is an end of a radio link.
func isRadio(c network.Config) bool {
	for _, p := range c.Ports {
		if p.Carrier {
			return true
		}
	}
	return false
}

func bridges(configs map[string]network.Config, end network.PortRef) bool {
	c := configs[end.Device]
	return c.Ports[end.Port].Mode != "" && c.Has(setting.ProviderBridging)
}

// handOver adds what makes a port one to a customer; one that keeps its own VLANs stays in them.
func (c *Carriage) handOver(config network.Config, end network.PortRef, v network.VLANID, keeps bool) {
	p, single := config.Ports[end.Port]
	if !single {
		p = config.Bundles[end.Port]
	}
	add := func(field, value string) { c.Edits = append(c.Edits, Edit{Port: end, Field: field, Value: value}) }
	if p.Mode != network.Trunk && !keeps {
		add("mode", "trunk")
	}
	if p.Untagged() != 0 && !keeps {
		add("native-vlan", "none")
	}
	if len(p.TrunkVLANs) > 0 && !keeps {
		add("trunk-vlans", "none")
	}
	if setting.ServiceAt(config, end.Port).Own != v {
		add("service-vlan", v.String())
	}
	if !p.Enabled {
		add("enabled", "on")
	}
}

// passOn adds what has a port pass a service VLAN.
func (c *Carriage) passOn(config network.Config, end network.PortRef, v network.VLANID) {
	p, trunk := config.Ports[end.Port], setting.ServiceAt(config, end.Port).Trunk
	if !p.Enabled {
		c.Notes = append(c.Notes, fmt.Sprintf("%s is off.", end))
		return
	}
	if trunk.Has(v) {
		return
	}
	at := end
	if p.LAG != "" {
		at.Port = p.LAG
	}
	c.Edits = Add(c.Edits, Edit{Port: at, Field: "service-trunk-vlans", Value: network.NewVLANSet(append(slices.Clone(trunk), v)...).String()})
}

// EndService works out the edits that take a service VLAN off all ports. Ports to customers stay as they are otherwise: in no VLAN of the house.
func EndService(configs map[string]network.Config, v network.VLANID) (out []Edit) {
	for _, device := range slices.Sorted(maps.Keys(configs)) {
		c := configs[device]
		for _, ports := range []map[string]network.PortConfig{c.Ports, c.Bundles} {
			for _, name := range slices.SortedFunc(maps.Keys(ports), network.ComparePorts) {
				s := setting.ServiceAt(c, name)
				at := network.PortRef{Device: device, Port: name}
				if ports[name].LAG != "" {
					continue
				}
				if s.Own == v {
					out = append(out, Edit{Port: at, Field: "service-vlan", Value: "none"})
				}
				if s.Trunk.Has(v) {
					left := slices.DeleteFunc(slices.Clone(s.Trunk), func(o network.VLANID) bool { return o == v })
					value := left.String()
					if len(left) == 0 {
						value = "none"
					}
					out = append(out, Edit{Port: at, Field: "service-trunk-vlans", Value: value})
				}
			}
		}
	}
	return out
}
