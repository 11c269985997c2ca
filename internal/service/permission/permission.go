// Package permission tells what a person may do with which thing of the network. It joins who may do what (access) with where
// things lie (inventory); every door asks it, and what begins later, as a push that waited, asks it again.
//
// A thing that somebody may not see is not there for him: it is answered with store.ErrNotFound, and so with the same words as
// one that there is not.
package permission

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/access"
	"example.net/everypost/internal/service/inventory"
	"example.net/everypost/internal/store"
)

// Need is a verb on a feature.
type Need struct {
	Verb    rights.Verb
	Feature rights.Feature
}

// To is a need.
func To(v rights.Verb, f rights.Feature) Need { return Need{v, f} }

func (n Need) String() string { return string(n.Verb) + " " + string(n.Feature) }

// Refusal tells that a person has not a right, and where.
type Refusal struct {
	Need
	At    string            // a device, a site, a port ...
	Ports []network.PortRef // where it is several
}

func (r *Refusal) Error() string {
	more := ""
	if n := len(r.Ports) - 1; n > 0 {
		more = fmt.Sprintf(" and %d more", n)
	}
	return fmt.Sprintf("you have not the right to %s at %s%s", r.Need, r.At, more)
}

// Service is the capability. Make it with New.
type Service struct {
	access    *access.Service
	inventory *inventory.Service
}

// New returns the service.
func New(a *access.Service, i *inventory.Service) *Service { return &Service{a, i} }

// nothing is an expression that picks nothing.
var nothing = selector.Not{Of: selector.All{}}

// Within is where a person may do something: a selector that picks nothing where he may not.
func Within(p access.Person, n Need) selector.Expr {
	if where, some := p.Of(n.Verb, n.Feature); some {
		return where
	}
	return nothing
}

// Everywhere tells whether a person may do something without any bounds.
func Everywhere(p access.Person, n Need) bool { return Within(p, n) == selector.Expr(selector.All{}) }

// features are those whose right to see it takes to see a noun.
var features = map[selector.Noun]rights.Feature{
	selector.Site: rights.Sites, selector.Device: rights.Devices, selector.Port: rights.Ports, selector.Client: rights.Clients,
	selector.Link: rights.Devices, selector.Alarm: rights.Alarms, selector.Event: rights.Events,
}

// FeatureOf is the feature whose right to see it takes to list a noun, or to ask for its fields.
func FeatureOf(n selector.Noun) rights.Feature { return features[n] }

// Sees is what a person may be told of when things of a noun are asked for by fields of it and of others. Who asks devices by
// the addresses of their clients is told where clients are: so it is answered only where he may see these too. An error tells
// that it cannot be asked.
func Sees(p access.Person, subject selector.Noun, asked ...selector.Noun) (selector.Expr, error) {
	within := Within(p, To(rights.See, features[subject]))
	for _, n := range asked {
		if n == subject || n == selector.Event {
			continue
		}
		where, some := p.Of(rights.See, features[n])
		switch {
		case !some:
			return nil, &Refusal{Need: To(rights.See, features[n]), At: "any place: a question may not ask for their properties either"}
		case where == selector.Expr(selector.All{}):
			continue
		}
		for _, of := range selector.NounsOf(where) {
			if !subject.Determines(of) {
				return nil, &Refusal{Need: To(rights.See, features[n]), At: fmt.Sprintf("all places (only where %s): ask for %ss by their own properties", where, subject)}
			}
		}
		within = selector.Both(within, where)
	}
	return within, nil
}

// Bound is what a person may be told of when things of a noun are asked for by an expression, and by fields besides: as Sees says, and where he has
// each of needs.
func Bound(p access.Person, subject selector.Noun, e selector.Expr, besides []*selector.Field, needs ...Need) (selector.Expr, error) {
	var nouns []selector.Noun
	for _, f := range slices.Concat(selector.Fields(e), besides) {
		if !catalog.Names(f) { // what a row is called by stands in it anyway
			nouns = append(nouns, f.Noun)
		}
	}
	slices.Sort(nouns)
	within, err := Sees(p, subject, slices.Compact(nouns)...)
	if err != nil {
		return nil, err
	}
	for _, n := range needs {
		within = selector.Both(within, Within(p, n))
	}
	return within, nil
}

// OnDevice tells why a person may not do something with a device, or nil.
func (s *Service) OnDevice(p access.Person, n Need, name string) error {
	if !s.inventory.HoldsDevice(name, Within(p, To(rights.See, rights.Devices))) {
		return fmt.Errorf("device %s: %w", name, store.ErrNotFound)
	}
	if !s.inventory.HoldsDevice(name, Within(p, n)) {
		return &Refusal{Need: n, At: name}
	}
	return nil
}

// AtSite is OnDevice for a device that would be at a site.
func (s *Service) AtSite(p access.Person, n Need, site string) error {
	if !s.inventory.HoldsPlace(site, Within(p, n)) {
		return &Refusal{Need: n, At: cmp.Or(site, "no site")}
	}
	return nil
}

// OnSite is OnDevice for a site. One that is not there yet may be made by who is bound to no place.
func (s *Service) OnSite(p access.Person, n Need, name string) error {
	if Everywhere(p, n) || s.inventory.HoldsSite(name, Within(p, n)) {
		return nil
	}
	return &Refusal{Need: n, At: name}
}

// OnClient is OnDevice for a client.
func (s *Service) OnClient(p access.Person, n Need, mac string) error {
	of := func(e selector.Expr) bool {
		return s.inventory.Clients(catalog.Query{Where: catalog.OfMAC(strings.ToLower(mac)), Within: e, Now: time.Now()}).Total > 0
	}
	if !of(Within(p, To(rights.See, rights.Clients))) {
		return fmt.Errorf("client %s: %w", mac, store.ErrNotFound)
	}
	if !of(Within(p, n)) {
		return &Refusal{Need: n, At: mac}
	}
	return nil
}

// featureOfThing is the feature to which a thing of a device belongs that can be set up: its ports and bundles, or itself.
func featureOfThing(object string) rights.Feature {
	if setting.AboutKind(setting.KindOf(object)).OfPorts {
		return rights.Ports
	}
	return rights.Devices
}

// SeesSetUp tells why a person may not be told how things are set up, or nil: of ports and bundles that takes the right to see
// ports, of all else that to see configurations.
func (s *Service) SeesSetUp(p access.Person, on []network.PortRef) error {
	return s.each(p, on, rights.See, func(object string) rights.Feature {
		if f := featureOfThing(object); f == rights.Ports {
			return f
		}
		return rights.Configuration
	})
}

// Change tells why a person may not change things of devices, or nil.
func (s *Service) Change(p access.Person, on []network.PortRef) error {
	return s.each(p, on, rights.Change, featureOfThing)
}

// ChangeExpected tells why a person may not set up a thing of a device that is expected at a site, or as the replacement of
// another, or nil.
func (s *Service) ChangeExpected(p access.Person, on network.PortRef, name, replaces, site string) error {
	if intent.OnLayer(on) || on.Device != cmp.Or(name, replaces) {
		return fmt.Errorf("%w: %s is not of the device that is claimed", inventory.ErrInvalid, on)
	}
	if replaces != "" {
		on.Device = replaces
		return s.Change(p, []network.PortRef{on})
	}
	return s.AtSite(p, To(rights.Change, featureOfThing(on.Port)), site)
}

func (s *Service) each(p access.Person, on []network.PortRef, v rights.Verb, feature func(object string) rights.Feature) error {
	var ports []network.PortRef
	asked := map[network.PortRef]bool{} // once for each device and feature
	for _, ref := range on {
		if intent.OnLayer(ref) {
			continue
		}
		f := feature(ref.Port)
		if setting.IsPort(ref.Port) {
			ports = append(ports, ref)
			continue
		}
		if key := (network.PortRef{Device: ref.Device, Port: string(f)}); !asked[key] {
			asked[key] = true
			if err := s.OnDevice(p, To(v, f), ref.Device); err != nil {
				return err
			}
		}
	}
	need := To(v, rights.Ports)
	if Everywhere(p, need) || len(ports) == 0 {
		return nil
	}
	missing := s.inventory.NotHeld(ports, Within(p, need))
	if len(missing) == 0 {
		return nil
	}
	for _, ref := range missing { // what he may not even see is not there for him
		if !s.inventory.HoldsDevice(ref.Device, Within(p, To(rights.See, rights.Devices))) {
			return fmt.Errorf("device %s: %w", ref.Device, store.ErrNotFound)
		}
	}
	return &Refusal{Need: need, At: missing[0].String(), Ports: missing}
}

// OnPorts is OnDevice for ports.
func (s *Service) OnPorts(p access.Person, n Need, on []network.PortRef) error {
	return s.each(p, on, n.Verb, func(string) rights.Feature { return n.Feature })
}

// Edits tells why a person may not make edits, or nil: those of layers, and all that they come to on devices.
func (s *Service) Edits(p access.Person, edits, comeTo []intent.Edit) error {
	for _, e := range edits {
		if name, ok := intent.TemplateOf(e.Port); ok {
			need := To(rights.Change, rights.Templates)
			if !p.May(need.Verb, need.Feature) || p.Only != "" {
				return &Refusal{Need: need, At: "template " + name + ", which is of the whole network"}
			}
		}
		if name, ok := intent.SiteOf(e.Port); ok {
			if err := s.AtSite(p, To(rights.Change, rights.Devices), name); err != nil {
				return err
			}
		}
	}
	on := make([]network.PortRef, 0, len(edits)+len(comeTo))
	for _, e := range slices.Concat(edits, comeTo) {
		on = append(on, e.Port)
	}
	return s.Change(p, on)
}

// SeesChange tells whether a person may see a change: one that is his own, or that touches only devices that he may see.
func (s *Service) SeesChange(p access.Person, c store.Change) bool {
	need := To(rights.See, rights.Changes)
	if Everywhere(p, need) || c.Owner == p.Name && !p.Trying {
		return true
	}
	where, devices := Within(p, need), devicesOf(c)
	for _, d := range devices {
		if !s.inventory.HoldsDevice(d, where) {
			return false
		}
	}
	return len(devices) > 0
}

func devicesOf(c store.Change) []string {
	devices := intent.Devices(c.Edits)
	for _, d := range c.Devices {
		devices = append(devices, d.Device)
	}
	slices.Sort(devices)
	return slices.Compact(devices)
}

// Approve tells why a person may not approve a change, or nil.
func (s *Service) Approve(p access.Person, c store.Change) error {
	for _, device := range devicesOf(c) {
		if err := s.OnDevice(p, To(rights.Operate, rights.Changes), device); err != nil {
			return err
		}
	}
	if need := To(rights.Operate, rights.Changes); len(devicesOf(c)) == 0 && !Everywhere(p, need) {
		return &Refusal{Need: need, At: "a change of what is of the whole network"}
	}
	return nil
}

// errGone tells that somebody is not there any more.
var errGone = errors.New("is not a user any more")

// StillMayPush tells why somebody who had a change wait to be pushed may not push it now, or nil.
func (s *Service) StillMayPush(ctx context.Context, name string, c store.Change, comeTo []intent.Edit) error {
	return s.still(ctx, name, func(p access.Person) error { return s.Edits(p, c.Edits, comeTo) })
}

// StillMayApprove tells why somebody who approved a change may not approve it now, or nil.
func (s *Service) StillMayApprove(ctx context.Context, name string, c store.Change) error {
	return s.still(ctx, name, func(p access.Person) error { return s.Approve(p, c) })
}

func (s *Service) still(ctx context.Context, name string, may func(access.Person) error) error {
	p, err := s.access.ByName(ctx, name)
	var refusal *Refusal
	switch {
	case errors.Is(err, store.ErrNotFound), errors.Is(err, access.ErrNoSession):
		return fmt.Errorf("%s %w", name, errGone)
	case err != nil:
		return err
	}
	err = may(p)
	if errors.As(err, &refusal) {
		return fmt.Errorf("%s has not the right to %s at %s any more: %w", name, refusal.Need, refusal.At, err)
	}
	return err
}
