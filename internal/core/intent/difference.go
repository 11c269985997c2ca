package intent

import (
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// Difference is one setting of one object that differs between two configurations of a device. An empty Before or After
// means that the setting does not apply there, or is empty.
type Difference struct {
	Port   network.PortRef `json:"port"`
	Field  string          `json:"field"`
	Before string          `json:"before"`
	After  string          `json:"after"`
}

// Compare lists what differs between two configurations of a device: the device itself, then by port and other object.
func Compare(device string, before, after network.Config) []Difference {
	var out []Difference
	for _, object := range Objects(before, after) {
		out = append(out, CompareObject(device, before, after, object)...)
	}
	return out
}

// Objects lists what either of two configurations has, as Compare goes through it.
func Objects(before, after network.Config) []string {
	return unionOf(setting.Objects(before), setting.Objects(after))
}

// CompareObject lists what differs between two configurations of a device on one of its objects.
func CompareObject(device string, before, after network.Config, object string) []Difference {
	if SamePort(before, after, object) {
		return nil
	}
	var out []Difference
	at := network.PortRef{Device: device, Port: object}
	was, had := before.Ports[object]
	is, has := after.Ports[object]
	quick := had && has && slices.Equal(before.Features, after.Features)
	for _, s := range SettingsOf(before, after, object) {
		if quick && s.AlikeOnPort(was, is) {
			continue
		}
		b, bErr := s.Get(before, object)
		a, aErr := s.Get(after, object)
		// Of what comes or goes, only what is not as usual is told; a port that joins a bundle has its VLANs from there.
		usual := bErr != nil && a == s.Default || aErr != nil && b == s.Default
		joins := aErr != nil && after.Ports[object].LAG != before.Ports[object].LAG
		if a != b && !usual && !joins {
			out = append(out, Difference{Port: at, Field: s.Name, Before: b, After: a})
		}
	}
	return out
}

// SamePort tells quickly whether an object is a port, and the same in two configurations that can be told the same.
func SamePort(before, after network.Config, object string) bool {
	if setting.KindOf(object) != setting.OnPort {
		return false
	}
	b, had := before.Ports[object]
	a, has := after.Ports[object]
	return had == has && a.Equal(b)
}

// SettingsOf lists the settings of an object of both configurations: the services of a device and the rows of a table may
// differ.
func SettingsOf(before, after network.Config, object string) []*setting.Setting {
	out := setting.OfObject(after, object)
	if object != "" && len(setting.Tables(setting.KindOf(object))) == 0 {
		return out
	}
	for _, s := range setting.OfObject(before, object) {
		if !slices.ContainsFunc(out, func(o *setting.Setting) bool { return o.Name == s.Name }) {
			out = append(out, s)
		}
	}
	return out
}

// unionOf puts two lists in the same order together.
func unionOf(a, b []string) []string {
	have := make(map[string]bool, len(a))
	for _, s := range a {
		have[s] = true
	}
	out := slices.Clone(a)
	for _, s := range b {
		if !have[s] {
			out = append(out, s)
		}
	}
	return out
}

// ByDevice sorts edits of devices by them.
func ByDevice(edits []Edit) map[string][]Edit {
	out := map[string][]Edit{}
	for _, e := range edits {
		if !OnLayer(e.Port) {
			out[e.Port.Device] = append(out[e.Port.Device], e)
		}
	}
	return out
}

// Devices lists the devices that edits name, in order of name.
func Devices(edits []Edit) []string {
	seen := map[string]bool{}
	var out []string
	for _, e := range edits {
		if !OnLayer(e.Port) && !seen[e.Port.Device] {
			seen[e.Port.Device] = true
			out = append(out, e.Port.Device)
		}
	}
	slices.Sort(out)
	return out
}
