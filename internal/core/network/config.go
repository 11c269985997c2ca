package network

import (
	"maps"
	"slices"
)

// PortMode is how a port treats VLAN tags (IEEE 802.1Q).
type PortMode string

// The modes. A port with neither is not switched (a routed or WAN port).
const (
	Access PortMode = "access"
	Trunk  PortMode = "trunk"
)

// PortConfig is what is set on a port.
type PortConfig struct {
	Description string   `json:"description,omitempty"`
	Enabled     bool     `json:"enabled"`
	Mode        PortMode `json:"mode,omitempty"`
	AccessVLAN  VLANID   `json:"access_vlan,omitempty"` // in mode access
	NativeVLAN  VLANID   `json:"native_vlan,omitempty"` // in mode trunk: the untagged one, 0 for none
	TrunkVLANs  VLANSet  `json:"trunk_vlans,omitempty"` // in mode trunk: the tagged ones
	HasPoE      bool     `json:"has_poe,omitempty"`     // can feed power
	PoE         bool     `json:"poe,omitempty"`         // feeds power when asked
	// LAG is the bundle (IEEE 802.1AX) of which the port is a member. The VLANs are then those of the bundle.
	LAG string `json:"lag,omitempty"`
}

// Untagged is the VLAN of frames without a tag, or 0.
func (p PortConfig) Untagged() VLANID {
	switch p.Mode {
	case Access:
		return p.AccessVLAN
	case Trunk:
		return p.NativeVLAN
	}
	return 0
}

// Carries reports whether frames of a VLAN pass the port, tagged or not.
func (p PortConfig) Carries(v VLANID) bool {
	return v != 0 && p.Enabled && (p.Untagged() == v || p.Mode == Trunk && p.TrunkVLANs.Has(v))
}

// Equal reports whether two settings are the same.
func (p PortConfig) Equal(o PortConfig) bool {
	return p.Description == o.Description && p.Enabled == o.Enabled && p.Mode == o.Mode && p.AccessVLAN == o.AccessVLAN &&
		p.NativeVLAN == o.NativeVLAN && slices.Equal(p.TrunkVLANs, o.TrunkVLANs) && p.HasPoE == o.HasPoE && p.PoE == o.PoE && p.LAG == o.LAG
}

// VLAN is a VLAN as a device knows it.
type VLAN struct {
	ID   VLANID `json:"id"`
	Name string `json:"name"`
}

// Config is a device's configuration as far as the product models it.
type Config struct {
	Hostname string `json:"hostname"`
	// ManagementVLAN is the VLAN in which the device's own address is, 0 when it is on no VLAN.
	ManagementVLAN VLANID                `json:"management_vlan,omitempty"`
	VLANs          map[VLANID]VLAN       `json:"vlans,omitempty"`
	Ports          map[string]PortConfig `json:"ports"`
	// Services tells which services of the device are on, by name. What it does not name cannot be set.
	Services map[string]bool `json:"services,omitempty"`
}

// Clone returns a deep copy.
func (c Config) Clone() Config {
	c.VLANs, c.Services = maps.Clone(c.VLANs), maps.Clone(c.Services)
	c.Ports = maps.Clone(c.Ports)
	for name, p := range c.Ports {
		p.TrunkVLANs = slices.Clone(p.TrunkVLANs)
		c.Ports[name] = p
	}
	return c
}

// PortNames returns the names of the ports in the order of people.
func (c Config) PortNames() []string {
	return slices.SortedFunc(maps.Keys(c.Ports), ComparePorts)
}

// Equal reports whether two configurations are the same.
func (c Config) Equal(o Config) bool {
	return c.Hostname == o.Hostname && c.ManagementVLAN == o.ManagementVLAN && maps.Equal(c.VLANs, o.VLANs) && maps.Equal(c.Services, o.Services) &&
		maps.EqualFunc(c.Ports, o.Ports, PortConfig.Equal)
}
