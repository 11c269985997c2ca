// Package intent turns what people want ("port th-sw-02:1/1/7 in VLAN 40") into configurations, and shows the exact
// difference. An edit speaks of the network, never of a device's commands.
package intent

import (
	"errors"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"example.net/everypost/internal/core/network"
)

// Edit sets one field of one port, or of a device itself. Value is in the field's normal form once it comes from New.
type Edit struct {
	Port  network.PortRef `json:"port"`
	Field string          `json:"field"`
	Value string          `json:"value"`
}

func (e Edit) String() string { return fmt.Sprintf("%s %s=%s", e.Port, e.Field, e.Value) }

// Field describes something that can be set on a port.
type Field struct {
	Name string // as typed: vlan
	Help string // what it means, one line
	Form string // what a value looks like

	normal func(value string) (string, error)
	get    func(network.PortConfig) string
	set    func(*network.PortConfig, string) error
	// onBundle marks what a member of a link aggregation has from its bundle.
	onBundle bool
}

// ErrUnknownField is wrapped when an edit names a field that there is not.
var ErrUnknownField = errors.New("unknown field")

// Fields lists everything that can be set on a port, in the order in which people think of it.
func Fields() []Field { return slices.Clone(fields) }

func field(name string) (Field, error) {
	i := slices.IndexFunc(fields, func(f Field) bool { return f.Name == name })
	if i < 0 {
		names := make([]string, len(fields))
		for j, f := range fields {
			names[j] = f.Name
		}
		return Field{}, fmt.Errorf("%w %q: there are %s", ErrUnknownField, name, strings.Join(names, ", "))
	}
	return fields[i], nil
}

// servicePrefix leads the fields of devices that switch their services.
const servicePrefix = "service."

var serviceName = regexp.MustCompile(`^[a-z][a-z0-9-]{0,39}$`)

// newOnDevice is New for an edit of a device itself.
func newOnDevice(device, fieldName, value string) (Edit, error) {
	name, ok := strings.CutPrefix(fieldName, servicePrefix)
	if !ok || !serviceName.MatchString(name) {
		return Edit{}, fmt.Errorf("%w %q of a device: there is service.NAME, such as service.web; all others are of ports, written device:port", ErrUnknownField, fieldName)
	}
	v, err := onOff(value)
	if err != nil {
		return Edit{}, fmt.Errorf("%s: %w", fieldName, err)
	}
	return Edit{Port: network.PortRef{Device: device}, Field: fieldName, Value: v}, nil
}

// New checks field and value and returns the edit in its normal form.
func New(port network.PortRef, fieldName, value string) (Edit, error) {
	if port.Port == "" {
		return newOnDevice(port.Device, fieldName, value)
	}
	if strings.HasPrefix(fieldName, servicePrefix) {
		return Edit{}, fmt.Errorf("%w: a service is switched on the device, %s, and not on a port", ErrUnknownField, port.Device)
	}
	f, err := field(fieldName)
	if err != nil {
		return Edit{}, err
	}
	v, err := f.normal(value)
	if err != nil {
		return Edit{}, fmt.Errorf("%s: %w", fieldName, err)
	}
	return Edit{Port: port, Field: fieldName, Value: v}, nil
}

// Add puts an edit to a list: a later word on the same field replaces the earlier one, in its place.
func Add(edits []Edit, more ...Edit) []Edit {
	out := slices.Clone(edits)
	for _, e := range more {
		i := slices.IndexFunc(out, func(o Edit) bool { return o.Port == e.Port && o.Field == e.Field })
		if i >= 0 {
			out[i] = e
		} else {
			out = append(out, e)
		}
	}
	return out
}

// EditError tells why an edit cannot be made on a device as it is.
type EditError struct {
	Edit   Edit
	Reason string
}

func (e *EditError) Error() string { return fmt.Sprintf("%s: %s", e.Edit.Port, e.Reason) }

// Apply returns the configuration of device after the edits that concern it. The mode is set before anything that
// depends on it, whatever the order of the edits. All faults are reported, joined.
func Apply(device string, c network.Config, edits []Edit) (network.Config, error) {
	out := c.Clone()
	ordered := slices.Clone(edits)
	slices.SortStableFunc(ordered, func(a, b Edit) int { return rank(a.Field) - rank(b.Field) })
	var faults []error
	for _, e := range ordered {
		if e.Port.Device != device {
			continue
		}
		if e.Port.Port == "" {
			if err := switchService(&out, e); err != nil {
				faults = append(faults, err)
			}
			continue
		}
		p, ok := out.Ports[e.Port.Port]
		if !ok {
			faults = append(faults, &EditError{e, fmt.Sprintf("%s has no port %s", device, e.Port.Port)})
			continue
		}
		f, err := field(e.Field)
		if err == nil && p.LAG != "" && f.onBundle {
			err = fmt.Errorf("is a member of %s: VLANs are set on the bundle", p.LAG)
		}
		if err == nil {
			err = f.set(&p, e.Value)
		}
		if err != nil {
			faults = append(faults, &EditError{e, err.Error()})
			continue
		}
		out.Ports[e.Port.Port] = p
	}
	if len(faults) > 0 {
		return c, errors.Join(faults...)
	}
	return out, nil
}

func switchService(c *network.Config, e Edit) error {
	name := strings.TrimPrefix(e.Field, servicePrefix)
	if _, ok := c.Services[name]; !ok {
		known := slices.Sorted(maps.Keys(c.Services))
		if len(known) == 0 {
			return &EditError{e, "has no services that can be switched"}
		}
		return &EditError{e, fmt.Sprintf("has no service %s: there are %s", name, strings.Join(known, ", "))}
	}
	c.Services[name] = e.Value == "on"
	return nil
}

func rank(field string) int {
	if field == "mode" {
		return 0
	}
	return 1
}

var fields = []Field{
	{
		Name: "description", Help: "what the port is for, as shown on the device", Form: "text of at most 64 characters",
		normal: func(v string) (string, error) {
			v = strings.TrimSpace(v)
			if utf8.RuneCountInString(v) > 64 {
				return "", fmt.Errorf("a description has at most 64 characters, this one has %d", utf8.RuneCountInString(v))
			}
			if strings.ContainsFunc(v, unicode.IsControl) || !utf8.ValidString(v) {
				return "", errors.New("a description cannot hold control characters")
			}
			return v, nil
		},
		get: func(p network.PortConfig) string { return p.Description },
		set: func(p *network.PortConfig, v string) error { p.Description = v; return nil },
	},
	{
		Name: "enabled", Help: "whether the port works at all (its administrative state)", Form: "on or off",
		normal: onOff,
		get:    func(p network.PortConfig) string { return fromBool(p.Enabled) },
		set:    func(p *network.PortConfig, v string) error { p.Enabled = v == "on"; return nil },
	},
	{
		onBundle: true, Name: "mode", Help: "access: one untagged VLAN; trunk: tagged VLANs and a native one (IEEE 802.1Q)", Form: "access or trunk",
		normal: func(v string) (string, error) {
			switch v = strings.ToLower(strings.TrimSpace(v)); v {
			case string(network.Access), string(network.Trunk):
				return v, nil
			}
			return "", fmt.Errorf("%q is not a mode: give access or trunk", v)
		},
		get: func(p network.PortConfig) string { return string(p.Mode) },
		set: func(p *network.PortConfig, v string) error {
			if p.Mode == "" {
				return errors.New("is not a switched port, so it has no VLANs")
			}
			if p.Mode == network.PortMode(v) {
				return nil
			}
			// The untagged VLAN stays what it was; the tagged ones go with the trunk.
			if v == string(network.Access) {
				p.AccessVLAN, p.NativeVLAN, p.TrunkVLANs = p.NativeVLAN, 0, nil
			} else {
				p.NativeVLAN, p.AccessVLAN = p.AccessVLAN, 0
			}
			p.Mode = network.PortMode(v)
			return nil
		},
	},
	{
		onBundle: true, Name: "vlan", Help: "the VLAN of an access port", Form: "1 to 4094",
		normal: oneVLAN,
		get:    func(p network.PortConfig) string { return vlanText(p.AccessVLAN) },
		set: func(p *network.PortConfig, v string) (err error) {
			if p.Mode != network.Access {
				return errors.New("is not an access port: set native-vlan or trunk-vlans, or mode=access first")
			}
			p.AccessVLAN, err = network.ParseVLAN(v)
			return err
		},
	},
	{
		onBundle: true, Name: "native-vlan", Help: "the untagged VLAN of a trunk port", Form: "1 to 4094, or none",
		normal: func(v string) (string, error) {
			if strings.EqualFold(strings.TrimSpace(v), "none") {
				return "none", nil
			}
			return oneVLAN(v)
		},
		get: func(p network.PortConfig) string {
			if p.Mode != network.Trunk {
				return ""
			}
			if p.NativeVLAN == 0 {
				return "none"
			}
			return p.NativeVLAN.String()
		},
		set: func(p *network.PortConfig, v string) (err error) {
			if p.Mode != network.Trunk {
				return errors.New("is not a trunk port: set vlan, or mode=trunk first")
			}
			if v == "none" {
				p.NativeVLAN = 0
				return nil
			}
			p.NativeVLAN, err = network.ParseVLAN(v)
			return err
		},
	},
	{
		onBundle: true, Name: "trunk-vlans", Help: "the tagged VLANs of a trunk port, all of them", Form: "a list such as 10,20-25, or none",
		normal: func(v string) (string, error) {
			if strings.EqualFold(strings.TrimSpace(v), "none") {
				return "none", nil
			}
			set, err := network.ParseVLANSet(v)
			if err != nil {
				return "", err
			}
			if len(set) == 0 {
				return "", errors.New("give a list such as 10,20-25, or none")
			}
			return set.String(), nil
		},
		get: func(p network.PortConfig) string {
			if p.Mode != network.Trunk {
				return ""
			}
			if len(p.TrunkVLANs) == 0 {
				return "none"
			}
			return p.TrunkVLANs.String()
		},
		set: func(p *network.PortConfig, v string) (err error) {
			if p.Mode != network.Trunk {
				return errors.New("is not a trunk port: set vlan, or mode=trunk first")
			}
			p.TrunkVLANs = nil
			if v != "none" {
				p.TrunkVLANs, err = network.ParseVLANSet(v)
			}
			return err
		},
	},
	{
		Name: "poe", Help: "whether the port feeds power (IEEE 802.3bt)", Form: "on or off",
		normal: onOff,
		get: func(p network.PortConfig) string {
			if !p.HasPoE {
				return ""
			}
			return fromBool(p.PoE)
		},
		set: func(p *network.PortConfig, v string) error {
			if !p.HasPoE {
				return errors.New("cannot feed power")
			}
			p.PoE = v == "on"
			return nil
		},
	},
}

func onOff(v string) (string, error) {
	switch strings.ToLower(strings.TrimSpace(v)) {
	case "on", "true", "yes":
		return "on", nil
	case "off", "false", "no":
		return "off", nil
	}
	return "", fmt.Errorf("%q is neither on nor off", v)
}

func fromBool(b bool) string {
	if b {
		return "on"
	}
	return "off"
}

func oneVLAN(v string) (string, error) {
	id, err := network.ParseVLAN(v)
	return id.String(), err
}

func vlanText(v network.VLANID) string {
	if v == 0 {
		return ""
	}
	return v.String()
}
