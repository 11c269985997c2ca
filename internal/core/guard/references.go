package guard

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// references finds settings that would name something that the device does not hold: a schedule, an access list, a fabric. The
// device would refuse them. What named nothing before is no news.
func references(p Proposal) []Finding {
	var out []Finding
	for _, device := range slices.Sorted(maps.Keys(p.After)) {
		before, after := p.Before[device], p.After[device]
		if after.Equal(before) {
			continue
		}
		for _, object := range mayRefer(before, after) {
			for i := range naming(setting.KindOf(object)) {
				s := &naming(setting.KindOf(object))[i]
				name := s.in(after, object)
				if name == "" || holds(after, s.of, name) || name == s.in(before, object) && !holds(before, s.of, name) {
					continue
				}
				at := network.PortRef{Device: device, Port: object}
				out = append(out, Finding{
					ID: "reference:" + at.String() + ":" + s.name, Guard: "reference", Level: Stop, Ports: []network.PortRef{at},
					What: fmt.Sprintf("%s=%s of %s names %s that %s does not have.", s.name, name, at, s.one, device),
					Why:  "The device would refuse it.",
					Do:   fmt.Sprintf("Make it first, in the same draft (%s:%s present=on), or name another.", device, setting.Object(s.of, name)),
				})
			}
		}
	}
	return out
}

// mayRefer lists the objects that may name something that is not there: those that differ from before, or all where something was taken away.
func mayRefer(before, after network.Config) (out []string) {
	gone := false
	for object := range before.Objects {
		_, still := after.Objects[object]
		gone = gone || !still
	}
	for v := range before.VLANs {
		_, still := after.VLANs[v]
		gone = gone || !still
	}
	if gone || len(before.Bundles) > len(after.Bundles) {
		return setting.Objects(after)
	}
	if !maps.Equal(before.Settings, after.Settings) {
		out = append(out, "")
	}
	for _, ports := range [][2]map[string]network.PortConfig{{before.Ports, after.Ports}, {before.Bundles, after.Bundles}} {
		for name, p := range ports[1] {
			if !p.Equal(ports[0][name]) {
				out = append(out, name)
			}
		}
	}
	for id, v := range after.VLANs {
		if !v.Equal(before.VLANs[id]) {
			out = append(out, setting.Object(setting.OnVLAN, id.String()))
		}
	}
	for name, o := range after.Objects {
		if was, had := before.Objects[name]; !had || !maps.Equal(was, o) {
			out = append(out, name)
		}
	}
	slices.SortFunc(out, network.ComparePorts)
	return out
}

// reference is a setting whose value is the name of something else that the device holds.
type reference struct {
	setting *setting.Setting
	name    string
	of      setting.Kind
	one     string // what it names, with its article
}

// in is the name that stands on an object, "" for none.
func (r *reference) in(c network.Config, object string) string {
	v, err := r.setting.Get(c, object)
	if err != nil || slices.Contains(r.setting.Value.Choices, v) {
		return ""
	}
	return v
}

func holds(c network.Config, k setting.Kind, name string) bool {
	_, has := c.Objects[setting.Object(k, name)]
	return has
}

var namingByKind = func() map[setting.Kind][]reference {
	out := map[setting.Kind][]reference{}
	one := map[setting.Kind]string{}
	for _, k := range setting.Kinds() {
		article := "a "
		if strings.ContainsRune("aeio", rune(k.One[0])) || strings.HasPrefix(k.One, "SNMP") {
			article = "an "
		}
		one[k.Kind] = article + k.One
	}
	for _, k := range append(slices.Collect(maps.Keys(one)), setting.OnPort, setting.OnDevice) {
		settings := setting.Of(k)
		for i := range settings {
			// bundles are told of where a port is put into one
			if s := &settings[i]; s.Value.Type == setting.Name && s.Value.Of != setting.OnBundle && s.Value.Of != "" {
				out[k] = append(out[k], reference{s, s.Name, s.Value.Of, one[s.Value.Of]})
			}
		}
	}
	return out
}()

// naming lists the settings of a kind of things that name others.
func naming(k setting.Kind) []reference { return namingByKind[k] }
