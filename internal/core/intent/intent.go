// Package intent turns what people want ("port th-sw-02:1/1/7 in VLAN 40") into configurations, and shows the exact
// difference. An edit speaks of the network, never of a device's commands.
package intent

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// Act is what an edit does with a setting.
type Act string

// The acts. On a layer below devices, Inherit has it say nothing (any more).
const (
	Set     Act = ""        // gives it a value
	Inherit Act = "inherit" // has the device say nothing itself, so that what the layers below say holds
	Restore Act = "restore" // has the device run what is intended, whoever says so
)

// Edit sets one setting of a port, of another object of a device (th-sw-02:vlan/40), of a device itself, or of a layer below
// devices (template/camera:port). Value is in the setting's normal form once it comes from New; acts other than Set get theirs
// from Expand.
type Edit struct {
	Port  network.PortRef `json:"port"`
	Field string          `json:"field"`
	Value string          `json:"value"`
	Act   Act             `json:"act,omitempty"`
	Was   string          `json:"was,omitempty"` // of a row of a table: what it was when the edit was drafted, "" for none
}

func (e Edit) String() string {
	if e.Act != Set {
		return fmt.Sprintf("%s %s %s", e.Port, e.Act, e.Field)
	}
	return fmt.Sprintf("%s %s=%s", e.Port, e.Field, e.Value)
}

// New checks setting and value and returns the edit in its normal form.
func New(on network.PortRef, name, value string) (Edit, error) {
	if err := setting.CheckObject(on.Port); err != nil {
		return Edit{}, err
	}
	s, err := setting.Lookup(setting.KindOf(on.Port), name)
	if err != nil {
		return Edit{}, err
	}
	if err := checkLayer(on); err != nil {
		return Edit{}, err
	}
	if s.Own && OnLayer(on) {
		return Edit{}, fmt.Errorf("%s tells one device from the others: it is set on each device", name)
	}
	v, err := s.Value.Normal(value)
	if err != nil {
		return Edit{}, fmt.Errorf("%s: %w", name, err)
	}
	if !OnLayer(on) && setting.BySite(on.Port, name, v) {
		return Edit{}, fmt.Errorf("%s: %q is another network at each site, which only a template or a site can say: write its prefix", name, v)
	}
	return Edit{Port: on, Field: name, Value: v}, nil
}

// NewAct is New for an edit that gives no value.
func NewAct(on network.PortRef, name string, act Act) (Edit, error) {
	if err := setting.CheckObject(on.Port); err != nil {
		return Edit{}, err
	}
	if _, err := setting.Lookup(setting.KindOf(on.Port), name); err != nil {
		return Edit{}, err
	}
	switch {
	case act != Inherit && act != Restore:
		return Edit{}, fmt.Errorf("%q is no act: there are %s and %s", act, Inherit, Restore)
	case act == Restore && OnLayer(on):
		return Edit{}, fmt.Errorf("%s is not on a device: only what a device runs can be restored", on)
	case name == setting.Present && on.Port == Self:
		return Edit{}, errors.New("a template is removed with present=off")
	}
	return Edit{Port: on, Field: name, Act: act}, checkLayer(on)
}

// checkLayer tells why a layer cannot speak of an object, or nil.
func checkLayer(on network.PortRef) error {
	_, template := TemplateOf(on)
	k := setting.KindOf(on.Port)
	switch {
	case !OnLayer(on) && (k == setting.OnTemplate || on.Port == EachPort):
		return fmt.Errorf("%s is neither a port nor anything else of a device", on)
	case !OnLayer(on):
		return nil
	case setting.AboutKind(k).Own:
		return fmt.Errorf("%s: %s are set up on each device", on, strings.ToLower(setting.AboutKind(k).Title))
	case k == setting.OnPort && (on.Port != EachPort || !template):
		return fmt.Errorf("%s: single ports are set up on their device; a template speaks of all that it picks as %q", on, EachPort)
	case k == setting.OnTemplate && !template:
		return fmt.Errorf("%s is not a template", on)
	}
	return nil
}

// Add puts edits to a list: a later word on the same setting replaces the earlier one, in its place. What is removed need
// not be set: the other edits of an object go when it does.
func Add(edits []Edit, more ...Edit) []Edit {
	type key struct {
		on    network.PortRef
		field string
	}
	out := slices.Clone(edits)
	at := make(map[key]int, len(out)+len(more))
	for i, e := range out {
		at[key{e.Port, e.Field}] = i
	}
	for _, e := range more {
		if e.Field == setting.Present && e.Value == "off" && e.Act == Set {
			gone := func(o Edit) bool { return o.Port == e.Port || e.Port.Port == Self && o.Port.Device == e.Port.Device }
			out = slices.DeleteFunc(out, gone)
			clear(at)
			for i, o := range out {
				at[key{o.Port, o.Field}] = i
			}
		}
		k := key{e.Port, e.Field}
		if i, ok := at[k]; ok {
			out[i] = e
			continue
		}
		at[k] = len(out)
		out = append(out, e)
	}
	return out
}

// EditError tells why an edit cannot be made on a device as it is.
type EditError struct {
	Edit   Edit
	Reason string
}

func (e *EditError) Error() string { return fmt.Sprintf("%s: %s", e.Edit.Port, e.Reason) }

// Apply returns the configuration of a device after the edits that concern it. What others depend on is set before them,
// whatever the order of the edits. All faults are reported, joined.
func Apply(device string, c network.Config, edits []Edit) (network.Config, error) {
	mine := make([]Edit, 0, len(edits))
	for _, e := range edits {
		if e.Port.Device == device {
			mine = append(mine, e)
		}
	}
	out, faults := ApplyEach(c, mine)
	if len(faults) > 0 {
		errs := make([]error, len(faults))
		for i, f := range faults {
			errs[i] = f
		}
		return c, errors.Join(errs...)
	}
	return out, nil
}

// ApplyEach is Apply for edits of one device that may fail one by one: it returns the configuration after those that can be
// made, and why the others cannot.
func ApplyEach(c network.Config, edits []Edit) (network.Config, []*EditError) {
	out := c.Clone()
	faults := apply(&out, edits)
	return out, faults
}

// ApplyObject is Apply for edits of one object, all or none: c itself comes back with the faults. It writes into the maps of
// a copy of its own only where it must, so that many can be made one after another.
func ApplyObject(c network.Config, edits []Edit) (network.Config, []*EditError) {
	out := c.Shallow()
	if faults := apply(&out, edits); len(faults) > 0 {
		return c, faults
	}
	return out, nil
}

func apply(c *network.Config, edits []Edit) (faults []*EditError) {
	ordered := slices.Clone(edits)
	slices.SortStableFunc(ordered, func(a, b Edit) int { return cmp.Compare(rank(a), rank(b)) })
	bundles := false
	for _, e := range ordered {
		k := setting.KindOf(e.Port.Port)
		bundles = bundles || k == setting.OnBundle || e.Field == "bundle"
		s, err := setting.Lookup(k, e.Field)
		if err == nil {
			err = s.Set(c, e.Port.Port, e.Value)
		}
		if err == nil && e.Field == "bundle" {
			_, known := c.Bundles[e.Value]
			if e.Value != "none" && !known {
				err = fmt.Errorf("there is no bundle %s on %s: make it first, with %s:%s present=on", e.Value, e.Port.Device, e.Port.Device, e.Value)
			}
		}
		if err != nil && e.Act == Set { // what only follows a layer applies where it can
			faults = append(faults, &EditError{e, err.Error()})
		}
	}
	if bundles {
		mirrorBundles(c)
	}
	return faults
}

// mirrorBundles has the members of bundles forward what these do.
func mirrorBundles(c *network.Config) {
	if len(c.Bundles) == 0 {
		return
	}
	for name, p := range c.Ports {
		b, ok := c.Bundles[p.LAG]
		if !ok || p.EqualVLANs(b) {
			continue
		}
		p.Mode, p.AccessVLAN, p.NativeVLAN, p.TrunkVLANs = b.Mode, b.AccessVLAN, b.NativeVLAN, b.TrunkVLANs
		c.Ports[name] = p
	}
}

// rank orders edits that are made at once: what is made first, what is removed last.
func rank(e Edit) int {
	const last = 100
	if e.Field == setting.Present {
		if e.Value == "off" {
			return last
		}
		return -1
	}
	if s, err := setting.Lookup(setting.KindOf(e.Port.Port), e.Field); err == nil {
		return s.Rank()
	}
	return 0
}
