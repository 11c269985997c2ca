package intent

import (
	"cmp"
	"maps"
	"net/netip"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// What an edit may be set on besides devices: the layers below them. They stand in the place of a device's name in the
// edit's target: template/camera:port, site/tern-haven:vlan/40.
const (
	templatePrefix = "template/"
	sitePrefix     = "site/"
)

// The names of the layers that are not templates or sites, as they are told.
const (
	DefaultLayer = "default"
	DeviceLayer  = "device"
)

// Self is the object of a template's own particulars: what it is for and what it picks. EachPort stands for every port
// that a template picks.
const (
	Self     = setting.Self
	EachPort = setting.EachPort
)

// What templates are for.
const (
	ForDevices = "devices"
	ForPorts   = "ports"
)

// TemplateLayer and SiteLayer name a layer.
func TemplateLayer(name string) string { return templatePrefix + name }

// SiteLayer is TemplateLayer for a site.
func SiteLayer(name string) string { return sitePrefix + name }

// TemplateOf returns the template that an edit's target is part of.
func TemplateOf(on network.PortRef) (name string, ok bool) {
	return strings.CutPrefix(on.Device, templatePrefix)
}

// SiteOf returns the site whose layer an edit's target is part of.
func SiteOf(on network.PortRef) (name string, ok bool) {
	return strings.CutPrefix(on.Device, sitePrefix)
}

// OnLayer tells whether an edit's target is part of a layer below devices.
func OnLayer(on network.PortRef) bool { return strings.Contains(on.Device, "/") }

// Word is what a layer says of a setting.
type Word struct {
	Value  string `json:"value"`
	Change int64  `json:"change,omitempty"` // by which it was said; 0: as the device was found
}

// Words are what a layer says, by object and setting. They are never written once they are shared.
type Words map[string]map[string]Word

// Of returns what is said of a setting.
func (w Words) Of(object, name string) (Word, bool) {
	word, ok := w[object][name]
	return word, ok
}

// Self returns one of a template's own particulars.
func (w Words) Self(name string) string { return w[Self][name].Value }

// with returns the words with one more, or (nil) without it.
func (w Words) with(object, name string, word *Word) Words {
	if _, had := w[object][name]; !had && word == nil {
		return w
	}
	out := maps.Clone(w)
	if out == nil {
		out = Words{}
	}
	said := maps.Clone(out[object])
	if said == nil {
		said = map[string]Word{}
	}
	if word == nil {
		delete(said, name)
	} else {
		said[name] = *word
	}
	if out[object] = said; len(said) == 0 {
		delete(out, object)
	}
	return out
}

func (w Words) without(object string) Words {
	if _, had := w[object]; !had {
		return w
	}
	out := maps.Clone(w)
	delete(out, object)
	return out
}

// Layers are everything that is said: by templates, sites and devices, by their names. Below them is the default of each
// setting. Of two that speak, the later one wins; of two templates, the one of the higher order.
type Layers struct {
	Templates, Sites, Devices map[string]Words
}

// of returns the words of what an edit is set on, to be written back.
func (l *Layers) of(on network.PortRef) (in *map[string]Words, name string) {
	if name, ok := TemplateOf(on); ok {
		return &l.Templates, name
	}
	if name, ok := SiteOf(on); ok {
		return &l.Sites, name
	}
	return &l.Devices, on.Device
}

// Words returns the words of what an edit is set on.
func (l *Layers) Words(on network.PortRef) Words {
	in, name := l.of(on)
	return (*in)[name]
}

// put replaces the words of what an edit is set on. The maps must be the caller's own.
func (l *Layers) put(on network.PortRef, w Words) {
	in, name := l.of(on)
	if len(w) == 0 {
		delete(*in, name)
		return
	}
	(*in)[name] = w
}

// With returns the layers as edits make them, under the number of their change.
func (l Layers) With(edits []Edit, change int64) Layers {
	out := Layers{Templates: own(l.Templates), Sites: own(l.Sites), Devices: own(l.Devices)}
	for _, e := range edits {
		w := out.Words(e.Port)
		object, word := e.Port.Port, &Word{Value: e.Value, Change: change}
		removes := e.Act == Set && e.Field == setting.Present && e.Value == "off"
		switch {
		case e.Act == Restore:
			continue
		case e.Act == Inherit:
			word = nil
		case removes && object == Self:
			out.put(e.Port, nil) // a template goes with all that it says
			continue
		case removes:
			w = w.without(object)
		}
		out.put(e.Port, w.with(object, e.Field, word))
	}
	return out
}

func own(m map[string]Words) map[string]Words {
	if m == nil {
		return map[string]Words{}
	}
	return maps.Clone(m)
}

// Before returns the edits that bring the layers back to what they say now, once edits have changed them.
func (l Layers) Before(edits []Edit) []Edit {
	var out []Edit
	for _, e := range edits {
		if e.Act == Restore {
			continue
		}
		w := l.Words(e.Port)
		if _, template := TemplateOf(e.Port); template && w == nil { // it was made by them
			out = append(out, Edit{Port: network.PortRef{Device: e.Port.Device, Port: Self}, Field: setting.Present, Value: "off"})
			continue
		}
		word, said := w.Of(e.Port.Port, e.Field)
		switch {
		case said:
			out = append(out, Edit{Port: e.Port, Field: e.Field, Value: word.Value})
		default:
			out = append(out, Edit{Port: e.Port, Field: e.Field, Act: Inherit})
		}
		if e.Field != setting.Present || e.Value != "off" {
			continue
		}
		for _, object := range slices.Sorted(maps.Keys(w)) {
			if object != e.Port.Port && e.Port.Port != Self {
				continue
			}
			for _, name := range slices.Sorted(maps.Keys(w[object])) {
				out = append(out, Edit{Port: network.PortRef{Device: e.Port.Device, Port: object}, Field: name, Value: w[object][name].Value})
			}
		}
	}
	return Add(nil, out...)
}

// BySite tells whether some layer says what is another at each site.
func (l Layers) BySite() bool {
	for _, all := range []map[string]Words{l.Templates, l.Sites} {
		for _, w := range all {
			for object, said := range w {
				for name, word := range said {
					if setting.BySite(object, name, word.Value) {
						return true
					}
				}
			}
		}
	}
	return false
}

// InOrder lists the templates, the weakest first: by order, then by name.
func (l Layers) InOrder() []string {
	names := slices.Collect(maps.Keys(l.Templates))
	slices.SortFunc(names, func(a, b string) int {
		return cmp.Or(network.ComparePorts(l.Templates[a].Self("order"), l.Templates[b].Self("order")), cmp.Compare(a, b))
	})
	return names
}

// Spot is where a device stands among the layers.
type Spot struct {
	Device, Site string
	Templates    []string                          // that pick the device, the weakest first
	Ports        map[string][]string               // those that pick a port, by port
	Networks     map[network.VLANID][]netip.Prefix // of the VLANs at the site; only filled where a layer speaks of them
}

// Saying is what one layer says of a setting.
type Saying struct {
	Layer string // default, template/…, site/… or device
	Word
}

// Sayings lists what the layers say of a setting of an object of a device, the weakest first: the last one holds. There is
// none where the setting has no default and nobody speaks of it.
func (l Layers) Sayings(at Spot, object string, s *setting.Setting) []Saying {
	var out []Saying
	if s.HasDefault() {
		out = append(out, Saying{DefaultLayer, Word{Value: s.Default}})
	}
	return append(out, l.said(at, object, s.Name)...)
}

// said is Sayings without the default.
func (l Layers) said(at Spot, object, name string) (out []Saying) {
	say := func(layer string, w Words, object string) {
		word, ok := w.Of(object, name)
		if !ok {
			return
		}
		if setting.BySite(object, name, word.Value) {
			word.Value = setting.AtSite(word.Value, at.Networks)
		}
		out = append(out, Saying{layer, word})
	}
	switch setting.KindOf(object) {
	case setting.OnPort:
		for _, t := range at.Ports[object] {
			say(TemplateLayer(t), l.Templates[t], EachPort)
		}
	case setting.OnBundle:
	default:
		for _, t := range at.Templates {
			say(TemplateLayer(t), l.Templates[t], object)
		}
		say(SiteLayer(at.Site), l.Sites[at.Site], object)
	}
	say(DeviceLayer, l.Devices[at.Device], object)
	return out
}

// Holds returns what holds of a setting of an object of a device, and which layer says so; ok is false where nobody does.
func (l Layers) Holds(at Spot, object string, s *setting.Setting) (value, layer string, ok bool) {
	if all := l.said(at, object, s.Name); len(all) > 0 {
		last := all[len(all)-1]
		return last.Value, last.Layer, true
	}
	return s.Default, DefaultLayer, s.HasDefault()
}

// below is Holds without the device's own word.
func (l Layers) below(at Spot, object string, s *setting.Setting) (value string, ok bool) {
	all := l.said(at, object, s.Name)
	if n := len(all); n > 0 && all[n-1].Layer == DeviceLayer {
		all = all[:n-1]
	}
	if n := len(all); n > 0 {
		return all[n-1].Value, true
	}
	return s.Default, s.HasDefault()
}

// objects lists what the layers speak of on a device, besides its ports and itself.
func (l Layers) objects(at Spot) []string {
	seen := map[string]bool{}
	take := func(w Words) {
		for object := range w {
			if k := setting.KindOf(object); k != setting.OnPort && k != setting.OnDevice && k != setting.OnTemplate {
				seen[object] = true
			}
		}
	}
	for _, t := range at.Templates {
		take(l.Templates[t])
	}
	take(l.Sites[at.Site])
	take(l.Devices[at.Device])
	out := slices.Collect(maps.Keys(seen))
	slices.SortFunc(out, network.ComparePorts)
	return out
}

// settings lists the settings of an object of a configuration, with the rows of its tables that only layers speak of.
func (l Layers) settings(at Spot, runs network.Config, object string) []*setting.Setting {
	out := setting.OfObject(runs, object)
	k := setting.KindOf(object)
	if len(setting.Tables(k)) == 0 {
		return out
	}
	for _, r := range l.rows(at, object) {
		if !slices.ContainsFunc(out, func(o *setting.Setting) bool { return o.Name == r.Name }) {
			out = append(out, r)
		}
	}
	return out
}

// rows lists the rows of tables of an object of which the layers speak.
func (l Layers) rows(at Spot, object string) []*setting.Setting {
	of := []map[string]Word{l.Sites[at.Site][object], l.Devices[at.Device][object]}
	for _, t := range at.Templates {
		of = append(of, l.Templates[t][object])
	}
	return setting.Rows(setting.KindOf(object), of...)
}

// Intended is what a device is to run: its configuration with everything that the layers say. What nobody speaks of, and has
// no default, is as it runs; what a device cannot have is left out.
func (l Layers) Intended(at Spot, runs network.Config) network.Config {
	var edits []Edit
	set := func(object, name, value string) {
		edits = append(edits, Edit{Port: network.PortRef{Device: at.Device, Port: object}, Field: name, Value: value})
	}
	for _, object := range unionOf(setting.Objects(runs), l.objects(at)) {
		all := l.settings(at, runs, object)
		there := true
		for _, s := range all {
			value, _, ok := l.Holds(at, object, s)
			if s.Name == setting.Present {
				there = value == "on"
			}
			if now, err := s.Get(runs, object); ok && (err != nil || now != value) {
				set(object, s.Name, value)
			}
			if !there {
				break // present is the first of the settings of an object
			}
		}
	}
	if len(edits) == 0 {
		return runs
	}
	out, _ := ApplyEach(runs, edits)
	return out
}

// Own is what a device runs with everything that its own layer says: the configuration by which templates pick it. Who
// changes a description on the spot does not take a port out of its template. differs tells whether that is something else than
// it runs.
func (l Layers) Own(device string, runs network.Config) (own network.Config, differs bool) {
	var edits []Edit
	for object, said := range l.Devices[device] {
		for name, word := range said {
			s, err := setting.Lookup(setting.KindOf(object), name)
			if err != nil {
				continue
			}
			if now, err := s.Get(runs, object); err != nil || now != word.Value {
				edits = append(edits, Edit{Port: network.PortRef{Device: device, Port: object}, Field: name, Value: word.Value})
			}
		}
	}
	if len(edits) == 0 {
		return runs, false
	}
	slices.SortFunc(edits, func(a, b Edit) int {
		return cmp.Or(network.ComparePorts(a.Port.Port, b.Port.Port), cmp.Compare(a.Field, b.Field))
	})
	own, _ = ApplyEach(runs, edits)
	return own, true
}

// Fill returns what a device's own layer must say for the device to be intended to run what it runs.
func (l Layers) Fill(at Spot, runs network.Config) Words {
	out := Words{}
	for _, object := range unionOf(setting.Objects(runs), l.objects(at)) {
		said := map[string]Word{}
		for _, s := range l.settings(at, runs, object) {
			now, err := s.Get(runs, object)
			below, ok := l.below(at, object, s)
			if err == nil && (!ok && now != "" || ok && now != below) {
				said[s.Name] = Word{Value: now}
			}
		}
		if len(said) > 0 {
			out[object] = said
		}
	}
	return out
}
