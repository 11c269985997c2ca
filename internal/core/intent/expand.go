package intent

import (
	"cmp"
	"maps"
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// Stage is the layers with where every device stands among them.
type Stage struct {
	Layers Layers
	Spots  map[string]Spot // by device
}

// Plain tells whether edits give values to devices, and nothing else. Where there are no templates, that is what they come to.
func Plain(edits []Edit) bool {
	return !slices.ContainsFunc(edits, func(e Edit) bool { return e.Act != Set || OnLayer(e.Port) || makes(e) })
}

func makes(e Edit) bool { return e.Field == setting.Present && e.Value == "on" }

// OnLayers tells whether some of the edits are on layers below devices.
func OnLayers(edits []Edit) bool {
	return slices.ContainsFunc(edits, func(e Edit) bool { return OnLayer(e.Port) })
}

// Expand works out what edits come to on devices: what they say of layers holds wherever nothing above speaks. before is how
// it stands, after with the edits (Layers.With). An edit of a device is given the value that will hold; what stays as it was
// intended is left alone, whatever the device runs.
func Expand(before, after Stage, edits []Edit) []Edit {
	var out []Edit
	done := map[network.PortRef]map[string]bool{}
	take := func(e Edit) {
		if done[e.Port] == nil {
			done[e.Port] = map[string]bool{}
		}
		if !done[e.Port][e.Field] {
			done[e.Port][e.Field] = true
			out = append(out, e)
		}
	}
	for _, e := range edits {
		if OnLayer(e.Port) {
			continue
		}
		if e.Act == Set {
			take(e)
			continue
		}
		s, err := setting.Lookup(setting.KindOf(e.Port.Port), e.Field)
		if err != nil {
			continue
		}
		if value, _, ok := after.Layers.Holds(after.Spots[e.Port.Device], e.Port.Port, s); ok {
			e.Value = value
			take(e)
		}
	}
	moved := settingsMoved(before.Layers, after.Layers, edits)
	for _, device := range slices.Sorted(maps.Keys(after.Spots)) {
		was, is := before.Spots[device], after.Spots[device]
		for _, m := range moved.on(before.Layers, after.Layers, was, is) {
			s, err := setting.Lookup(setting.KindOf(m.object), m.name)
			if err != nil {
				continue
			}
			old, _, hadOld := before.Layers.Holds(was, m.object, s)
			value, _, ok := after.Layers.Holds(is, m.object, s)
			if ok && (!hadOld || old != value) {
				take(Edit{Port: network.PortRef{Device: device, Port: m.object}, Field: m.name, Value: value, Act: Inherit})
			}
		}
	}
	for _, e := range slices.Clone(out) { // what is made is made as the layers say
		if !makes(e) {
			continue
		}
		spot := after.Spots[e.Port.Device]
		for _, s := range after.Layers.settings(spot, network.Config{}, e.Port.Port) {
			if said := after.Layers.said(spot, e.Port.Port, s.Name); len(said) > 0 {
				take(Edit{Port: e.Port, Field: s.Name, Value: said[len(said)-1].Value, Act: Inherit})
			}
		}
	}
	return out
}

// place is a setting of an object.
type place struct{ object, name string }

// movement is what edits change of layers: by layer, the settings of which it says something else.
type movement map[string][]place

// settingsMoved lists what edits change of layers. Where a template comes, goes or picks otherwise, that is all of which it
// speaks.
func settingsMoved(before, after Layers, edits []Edit) movement {
	out := movement{}
	for _, e := range edits {
		if !OnLayer(e.Port) {
			continue
		}
		if e.Port.Port != Self {
			out[e.Port.Device] = append(out[e.Port.Device], place{e.Port.Port, e.Field})
			if e.Field != setting.Present || e.Act != Set || e.Value != "off" {
				continue
			}
		}
		for _, w := range []Words{before.Words(e.Port), after.Words(e.Port)} {
			for object, said := range w {
				for name := range said {
					if object != Self && (e.Port.Port == Self || object == e.Port.Port) {
						out[e.Port.Device] = append(out[e.Port.Device], place{object, name})
					}
				}
			}
		}
	}
	return out
}

// on lists what moves on a device, in the order of objects: what its layers say otherwise, and all that a template says which
// comes to pick it, or does so no more.
func (m movement) on(before, after Layers, was, is Spot) []place {
	seen := map[place]bool{}
	all := func(template string, object func(string) (string, bool)) {
		for _, w := range []Words{before.Templates[template], after.Templates[template]} {
			for from, said := range w {
				if to, ok := object(from); ok {
					for name := range said {
						seen[place{to, name}] = true
					}
				}
			}
		}
	}
	some := func(layer string, object func(string) (string, bool)) {
		for _, p := range m[layer] {
			if to, ok := object(p.object); ok {
				seen[place{to, p.name}] = true
			}
		}
	}
	take := func(was, is []string, object func(string) (string, bool)) {
		for _, t := range is {
			if some(TemplateLayer(t), object); !slices.Contains(was, t) {
				all(t, object)
			}
		}
		for _, t := range was {
			if some(TemplateLayer(t), object); !slices.Contains(is, t) {
				all(t, object)
			}
		}
	}
	ofDevice := func(from string) (string, bool) { return from, from != EachPort && from != Self }
	take(was.Templates, is.Templates, ofDevice)
	some(SiteLayer(was.Site), ofDevice)
	some(SiteLayer(is.Site), ofDevice)
	for _, ports := range []map[string][]string{was.Ports, is.Ports} {
		for port := range ports {
			take(was.Ports[port], is.Ports[port], func(from string) (string, bool) { return port, from == EachPort })
		}
	}
	out := slices.Collect(maps.Keys(seen))
	slices.SortFunc(out, func(a, b place) int {
		return cmp.Or(network.ComparePorts(a.object, b.object), cmp.Compare(a.name, b.name))
	})
	return out
}

// Settle returns the layers of the stage after a change was kept, so that they say what devices now run: a device's own layer
// takes up what came with the edits and follows from no layer (a port that became a trunk took its VLAN along), says nothing
// of what is gone, and, of what was only found on it, nothing any more that the edited layers say as well.
func Settle(before, after Stage, edits []Edit, change int64, was, runs map[string]network.Config) Layers {
	out := Layers{Templates: after.Layers.Templates, Sites: after.Layers.Sites, Devices: own(after.Layers.Devices)}
	moved := settingsMoved(before.Layers, after.Layers, edits)
	for device, spot := range after.Spots {
		w := out.Devices[device]
		for _, m := range moved.on(before.Layers, after.Layers, before.Spots[device], spot) {
			word, said := w.Of(m.object, m.name)
			s, err := setting.Lookup(setting.KindOf(m.object), m.name)
			if !said || word.Change != 0 || err != nil {
				continue
			}
			if below, ok := out.below(spot, m.object, s); ok && below == word.Value {
				w = w.with(m.object, m.name, nil)
			}
		}
		out.put(network.PortRef{Device: device}, w)
	}
	for device, now := range runs {
		spot, w := after.Spots[device], out.Devices[device]
		say := func(object, name string) {
			s, err := setting.Lookup(setting.KindOf(object), name)
			if err != nil {
				return
			}
			value, err := s.Get(now, object)
			if err != nil {
				return
			}
			if holds, _, ok := out.Holds(spot, object, s); !ok || holds != value {
				w = w.with(object, name, &Word{Value: value, Change: change})
				out.put(network.PortRef{Device: device}, w)
			}
		}
		for _, d := range Compare(device, was[device], now) {
			say(d.Port.Port, setting.Present) // what something is set on is meant to be there
			say(d.Port.Port, d.Field)
		}
		for object, said := range w {
			for _, s := range setting.Rows(setting.KindOf(object), said) { // of a row that is gone nothing need be said
				if below, _ := out.below(spot, object, s); said[s.Name].Value == "" && below == "" {
					w = w.with(object, s.Name, nil)
				}
			}
			if k := setting.KindOf(object); k == setting.OnDevice || k == setting.OnPort {
				continue
			}
			s, _ := setting.Lookup(setting.KindOf(object), setting.Present)
			there, _ := s.Get(now, object)
			below, _ := out.below(spot, object, s)
			if word, said := w.Of(object, setting.Present); said && word.Value == "off" && there == "off" && below == "off" {
				w = w.without(object)
			}
		}
		out.put(network.PortRef{Device: device}, w)
	}
	return out
}
