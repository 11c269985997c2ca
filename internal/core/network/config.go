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

// Settings is what is set on something besides what has a field of its own: values in their normal form by the names of
// the settings (package setting). What stands at its default is not named, so that two are the same when their maps are.
type Settings map[string]string

// With returns the settings with one of them set, or at its default when the value is that.
func (s Settings) With(name, value, standard string) Settings {
	if value == standard {
		if _, ok := s[name]; !ok {
			return s
		}
		out := maps.Clone(s)
		delete(out, name)
		return out
	}
	out := maps.Clone(s)
	if out == nil {
		out = Settings{}
	}
	out[name] = value
	return out
}

// PortConfig is what is set on a port, or on a bundle of ports.
type PortConfig struct {
	Description string   `json:"description,omitempty"`
	Enabled     bool     `json:"enabled"`
	Mode        PortMode `json:"mode,omitempty"`
	AccessVLAN  VLANID   `json:"access_vlan,omitempty"` // in mode access
	NativeVLAN  VLANID   `json:"native_vlan,omitempty"` // in mode trunk: the untagged one, 0 for none
	TrunkVLANs  VLANSet  `json:"trunk_vlans,omitempty"` // in mode trunk: the tagged ones
	HasPoE      bool     `json:"has_poe,omitempty"`     // can feed power
	PoE         bool     `json:"poe,omitempty"`         // feeds power when asked
	Combo       bool     `json:"combo,omitempty"`       // has a copper and a fibre connector, of which one works
	Band        string   `json:"band,omitempty"`        // of a radio of an access point, in GHz: 2.4, 5 or 6
	Carrier     bool     `json:"carrier,omitempty"`     // it is an end of a radio link
	// LAG is the bundle (IEEE 802.1AX) of which the port is a member. The VLANs are then those of the bundle.
	LAG      string   `json:"lag,omitempty"`
	Settings Settings `json:"settings,omitempty"`
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
	return p.Description == o.Description && p.Enabled == o.Enabled && p.EqualVLANs(o) && p.HasPoE == o.HasPoE && p.PoE == o.PoE && p.Band == o.Band && p.Carrier == o.Carrier &&
		p.LAG == o.LAG && maps.Equal(p.Settings, o.Settings)
}

// EqualVLANs reports whether two ports treat VLANs alike.
func (p PortConfig) EqualVLANs(o PortConfig) bool {
	return p.Mode == o.Mode && p.AccessVLAN == o.AccessVLAN && p.NativeVLAN == o.NativeVLAN && slices.Equal(p.TrunkVLANs, o.TrunkVLANs)
}

func (p PortConfig) clone() PortConfig {
	p.TrunkVLANs, p.Settings = slices.Clone(p.TrunkVLANs), maps.Clone(p.Settings)
	return p
}

// VLAN is a VLAN as a device knows it.
type VLAN struct {
	ID       VLANID   `json:"id"`
	Name     string   `json:"name"`
	Settings Settings `json:"settings,omitempty"`
}

// Equal reports whether two are the same.
func (v VLAN) Equal(o VLAN) bool {
	return v.ID == o.ID && v.Name == o.Name && maps.Equal(v.Settings, o.Settings)
}

// Feature is a group of settings that a device has or has not, as it announced.
type Feature string

// Config is a device's configuration as far as the product models it.
type Config struct {
	Hostname string `json:"hostname"`
	// ManagementVLAN is the VLAN in which the device's own address is, 0 when it is on no VLAN.
	ManagementVLAN VLANID `json:"management_vlan,omitempty"`
	// ManagementAddress is that address with the length of its prefix, "" where it has none of its own there.
	ManagementAddress string `json:"management_address,omitempty"`
	// ManagementInterface is the interface that has that address, as the device calls it.
	ManagementInterface string                `json:"management_interface,omitempty"`
	VLANs               map[VLANID]VLAN       `json:"vlans,omitempty"`
	Ports               map[string]PortConfig `json:"ports"`
	// Bundles are the link aggregations by name.
	Bundles map[string]PortConfig `json:"bundles,omitempty"`
	// Services tells which services of the device are on, by name. What it does not name cannot be set.
	Services map[string]bool `json:"services,omitempty"`
	// ManagedOver is the one of them by which the device is managed from here. It is no part of what is set: Equal does not look at it.
	ManagedOver string `json:"managed_over,omitempty"`
	// Settings are those of the device itself, Objects those of what it holds besides: by kind/name.
	Settings Settings            `json:"settings,omitempty"`
	Objects  map[string]Settings `json:"objects,omitempty"`
	// Features are what the device can be told, in order. They are no part of what is set: Equal does not look at them.
	Features []Feature `json:"features,omitempty"`
}

// Has reports whether the device has a feature.
func (c Config) Has(f Feature) bool {
	_, ok := slices.BinarySearch(c.Features, f)
	return f == "" || ok
}

// Clone returns a deep copy.
func (c Config) Clone() Config {
	c.VLANs, c.Services, c.Settings = maps.Clone(c.VLANs), maps.Clone(c.Services), maps.Clone(c.Settings)
	for id, v := range c.VLANs {
		v.Settings = maps.Clone(v.Settings)
		c.VLANs[id] = v
	}
	c.Ports, c.Bundles = maps.Clone(c.Ports), maps.Clone(c.Bundles)
	for _, m := range []map[string]PortConfig{c.Ports, c.Bundles} {
		for name, p := range m {
			m[name] = p.clone()
		}
	}
	c.Objects = maps.Clone(c.Objects)
	for name, s := range c.Objects {
		c.Objects[name] = maps.Clone(s)
	}
	return c
}

// Shallow returns a copy of which the maps may be written, but not what is in them.
func (c Config) Shallow() Config {
	c.VLANs, c.Services, c.Ports, c.Bundles, c.Objects = maps.Clone(c.VLANs), maps.Clone(c.Services), maps.Clone(c.Ports), maps.Clone(c.Bundles), maps.Clone(c.Objects)
	return c
}

// ManagedBy tells where the device has its own address: on a port of its own, or else in a VLAN. A device that has it in no
// VLAN and names no port has it on any port that is routed.
func (c Config) ManagedBy() (VLANID, string) {
	if port := c.Settings["management-port"]; port != "" {
		return 0, port
	}
	return c.ManagementVLAN, ""
}

// PortNames returns the names of the ports in the order of people.
func (c Config) PortNames() []string {
	return slices.SortedFunc(maps.Keys(c.Ports), ComparePorts)
}

// Members lists the ports of a bundle in the order of people.
func (c Config) Members(bundle string) []string {
	var out []string
	for name, p := range c.Ports {
		if p.LAG == bundle {
			out = append(out, name)
		}
	}
	slices.SortFunc(out, ComparePorts)
	return out
}

// Equal reports whether two configurations are the same.
func (c Config) Equal(o Config) bool {
	return c.Hostname == o.Hostname && c.ManagementVLAN == o.ManagementVLAN && c.ManagementAddress == o.ManagementAddress && maps.EqualFunc(c.VLANs, o.VLANs, VLAN.Equal) && maps.Equal(c.Services, o.Services) &&
		maps.EqualFunc(c.Ports, o.Ports, PortConfig.Equal) && maps.EqualFunc(c.Bundles, o.Bundles, PortConfig.Equal) && maps.Equal(c.Settings, o.Settings) &&
		maps.EqualFunc(c.Objects, o.Objects, maps.Equal[Settings, Settings])
}
