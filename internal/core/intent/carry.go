package intent

import (
	"fmt"
	"maps"
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

// Carriage is what it takes to have a VLAN carried from one device to another.
type Carriage struct {
	Links []topology.Link // on the ways between them
	Edits []Edit
	Notes []string // what cannot be done by an edit
}

// Carry works out the edits that have a VLAN carried on every link of every way from one device to another, over cables
// between switched ports: it is made on the devices that do not have it, and put on the trunks that do not carry it. No other
// port is touched.
func Carry(configs map[string]network.Config, links []topology.Link, v network.VLANID, name, from, to string) (Carriage, error) {
	for _, d := range []string{from, to} {
		if _, known := configs[d]; !known {
			return Carriage{}, fmt.Errorf("there is no device %s, or its configuration was never read", d)
		}
	}
	c := Carriage{Links: topology.Between(links, func(l topology.Link) bool {
		return configs[l.A.Device].Ports[l.A.Port].Mode != "" && configs[l.B.Device].Ports[l.B.Port].Mode != ""
	}, from, to)}
	if len(c.Links) == 0 && from != to {
		return c, fmt.Errorf("no cables between switched ports lead from %s to %s", from, to)
	}
	devices := map[string]bool{from: true, to: true}
	for _, l := range c.Links {
		devices[l.A.Device], devices[l.B.Device] = true, true
	}
	for _, d := range slices.Sorted(maps.Keys(devices)) {
		if _, has := configs[d].VLANs[v]; !has {
			c.Edits = append(c.Edits, MakeVLAN(d, v, name)...)
		}
	}
	for _, l := range c.Links {
		for _, end := range []network.PortRef{l.A, l.B} {
			c.carryOn(configs[end.Device], end, v)
		}
	}
	return c, nil
}

// MakeVLAN returns the edits that make a VLAN on a device.
func MakeVLAN(device string, v network.VLANID, name string) []Edit {
	at := network.PortRef{Device: device, Port: setting.Object(setting.OnVLAN, v.String())}
	out := []Edit{{Port: at, Field: setting.Present, Value: "on"}}
	if name != "" {
		out = append(out, Edit{Port: at, Field: "name", Value: name})
	}
	return out
}

// carryOn adds what has a port carry the VLAN.
func (c *Carriage) carryOn(config network.Config, end network.PortRef, v network.VLANID) {
	p := config.Ports[end.Port]
	at := end
	if p.LAG != "" {
		at.Port = p.LAG
	}
	switch {
	case !p.Enabled:
		c.Notes = append(c.Notes, fmt.Sprintf("%s is off.", end))
	case p.Untagged() == v || p.TrunkVLANs.Has(v):
		return
	case p.Mode != network.Trunk:
		c.Notes = append(c.Notes, fmt.Sprintf("%s is an access port in VLAN %s: make it a trunk first.", end, p.AccessVLAN))
	default:
		set := network.NewVLANSet(append(slices.Clone(p.TrunkVLANs), v)...)
		c.Edits = Add(c.Edits, Edit{Port: at, Field: "trunk-vlans", Value: set.String()})
	}
}
