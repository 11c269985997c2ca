package intent

import (
	"maps"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
)

// Difference is one field of one port that differs between two configurations of a device. An empty Before or After
// means that the field does not apply there.
type Difference struct {
	Port   network.PortRef `json:"port"`
	Field  string          `json:"field"`
	Before string          `json:"before"`
	After  string          `json:"after"`
}

// Compare lists what differs between two configurations of a device: its services, then by port and field.
func Compare(device string, before, after network.Config) []Difference {
	names := map[string]bool{}
	for n := range before.Ports {
		names[n] = true
	}
	for n := range after.Ports {
		names[n] = true
	}
	out := compareServices(device, before.Services, after.Services)
	for _, name := range slices.SortedFunc(maps.Keys(names), network.ComparePorts) {
		for _, f := range fields {
			b, a := value(f, before, name), value(f, after, name)
			if a != b {
				out = append(out, Difference{Port: network.PortRef{Device: device, Port: name}, Field: f.Name, Before: b, After: a})
			}
		}
	}
	return out
}

func compareServices(device string, before, after map[string]bool) (out []Difference) {
	word := func(m map[string]bool, name string) string {
		on, ok := m[name]
		if !ok {
			return ""
		}
		return fromBool(on)
	}
	names := slices.AppendSeq(slices.Collect(maps.Keys(before)), maps.Keys(after))
	slices.Sort(names)
	for _, name := range slices.Compact(names) {
		if b, a := word(before, name), word(after, name); a != b {
			out = append(out, Difference{Port: network.PortRef{Device: device}, Field: servicePrefix + name, Before: b, After: a})
		}
	}
	return out
}

func value(f Field, c network.Config, port string) string {
	p, ok := c.Ports[port]
	if !ok {
		return ""
	}
	return f.get(p)
}

// Devices lists the devices that edits touch, in order of name.
func Devices(edits []Edit) []string {
	var out []string
	for _, e := range edits {
		out = append(out, e.Port.Device)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Sentence says a list of differences in a line, for records and notifications.
func Sentence(diffs []Difference) string {
	parts := make([]string, 0, len(diffs))
	for _, d := range diffs {
		parts = append(parts, d.Port.String()+" "+d.Field+" "+orNothing(d.Before)+" to "+orNothing(d.After))
	}
	return strings.Join(parts, "; ")
}

func orNothing(s string) string {
	if s == "" {
		return "nothing"
	}
	return s
}
