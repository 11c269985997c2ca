// Package settingsfile is the settings of devices as a file that people keep, read and compare: YAML, by device and kind of
// object, with only what is not at its default. What is written can be read again to the same settings, and what people
// wrote into the file besides, as comments, stays when it is written over.
package settingsfile

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/lexer"
	"github.com/goccy/go-yaml/token"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// Version is what the first line of a file says of its form.
const Version = "settings/1"

// MaxSize bounds a file that is read, in octets.
const MaxSize = 8 << 20

// sections are the parts of a device in a file, in order.
var sections = []struct {
	name string
	kind setting.Kind
}{
	{"settings", setting.OnDevice}, {"vlans", setting.OnVLAN}, {"bundles", setting.OnBundle}, {"ports", setting.OnPort},
	{"schedules", setting.OnSchedule}, {"mirrors", setting.OnMirror}, {"access-lists", setting.OnACL}, {"traffic-classes", setting.OnClass},
	{"stack-members", setting.OnMember}, {"pairs", setting.OnPair}, {"rings", setting.OnRing}, {"fabrics", setting.OnFabric}, {"zones", setting.OnZone},
	{"users", setting.OnUser}, {"snmp-communities", setting.OnCommunity}, {"snmp-users", setting.OnSNMPUser}, {"trap-receivers", setting.OnReceiver},
	{"contact-inputs", setting.OnInput},
}

// Write writes the settings of devices. Over is a file that was written before, of which the comments are kept; nil for
// none.
func Write(configs map[string]network.Config, over []byte) ([]byte, error) {
	devices := yaml.MapSlice{}
	for _, name := range slices.Sorted(maps.Keys(configs)) {
		devices = append(devices, yaml.MapItem{Key: name, Value: writeDevice(configs[name])})
	}
	options := []yaml.EncodeOption{yaml.IndentSequence(true)}
	if len(over) > 0 {
		if err := bounded(over); err != nil {
			return nil, fmt.Errorf("the file that is to be written over: %w", err)
		}
		comments := yaml.CommentMap{}
		var old any
		if err := yaml.UnmarshalWithOptions(over, &old, yaml.CommentToMap(comments)); err != nil {
			return nil, fmt.Errorf("the file that is to be written over: %w", readable(err))
		}
		options = append(options, yaml.WithComment(comments))
	}
	return yaml.MarshalWithOptions(yaml.MapSlice{{Key: "everypost", Value: Version}, {Key: "devices", Value: devices}}, options...)
}

func writeDevice(c network.Config) yaml.MapSlice {
	out := yaml.MapSlice{}
	for _, section := range sections {
		objects := yaml.MapSlice{}
		for _, object := range setting.Objects(c) {
			if setting.KindOf(object) != section.kind {
				continue
			}
			values := writeObject(c, object)
			if section.kind == setting.OnDevice {
				objects = values
			} else if len(values) > 0 || section.kind != setting.OnPort { // that an object is there is told by its name
				objects = append(objects, yaml.MapItem{Key: strings.TrimPrefix(object, string(section.kind)+"/"), Value: values})
			}
		}
		if len(objects) > 0 {
			out = append(out, yaml.MapItem{Key: section.name, Value: objects})
		}
	}
	return out
}

func writeObject(c network.Config, object string) yaml.MapSlice {
	out := yaml.MapSlice{}
	for _, s := range setting.OfObject(c, object) {
		v, err := s.Get(c, object)
		if err != nil || v == s.Default || s.Name == setting.Present {
			continue
		}
		out = append(out, yaml.MapItem{Key: s.Name, Value: plain(s, v)})
	}
	return out
}

// plain is a value as people write it in YAML.
func plain(s *setting.Setting, v string) any {
	n, notNumber := strconv.Atoi(v)
	switch {
	case s.Value.Type == setting.Switch:
		return v == "on"
	case s.Value.Type == setting.Rules:
		return setting.Lines(v)
	case s.Value.Type == setting.List && v != "none":
		return setting.Items(v)
	case notNumber == nil && (s.Value.Type == setting.Number || s.Value.Type == setting.VLAN):
		return n
	}
	return v
}

// Entry is what a file sets on one object.
type Entry struct {
	On  network.PortRef
	Set map[string]string
}

// Read reads a file: its entries in order, and the devices that it speaks of.
func Read(text []byte) (entries []Entry, devices []string, err error) {
	if err := bounded(text); err != nil {
		return nil, nil, err
	}
	var file struct {
		Everypost string        `yaml:"everypost"`
		Devices   yaml.MapSlice `yaml:"devices"`
	}
	if err := yaml.UnmarshalWithOptions(text, &file, yaml.Strict(), yaml.UseOrderedMap()); err != nil {
		return nil, nil, readable(err)
	}
	if file.Everypost != Version {
		return nil, nil, fmt.Errorf("everypost: this is %q, and should be %s", file.Everypost, Version)
	}
	var errs []error
	for _, d := range file.Devices {
		name := text0(d.Key)
		if network.CheckName(name) != nil {
			errs = append(errs, fmt.Errorf("devices: %q is not the name of a device", name))
			continue
		}
		devices = append(devices, name)
		found, err := readDevice(name, d.Value)
		errs = append(errs, err)
		entries = append(entries, found...)
	}
	if len(file.Devices) == 0 {
		errs = append(errs, errors.New("devices: there are none"))
	}
	return entries, devices, errors.Join(errs...)
}

// bounded tells why a file is not read at all: one that is too large, or that refers to parts of itself, by which a small one
// could become a very large one.
func bounded(text []byte) error {
	if len(text) > MaxSize {
		return fmt.Errorf("the file has more than %d MiB", MaxSize>>20)
	}
	for _, t := range lexer.Tokenize(string(text)) {
		if t.Type == token.AnchorType || t.Type == token.AliasType || t.Type == token.MergeKeyType {
			return fmt.Errorf("line %d: anchors and aliases are not taken: write it out", t.Position.Line)
		}
	}
	return nil
}

func readDevice(name string, v any) (out []Entry, err error) {
	var errs []error
	at := "devices." + name
	parts, ok := v.(yaml.MapSlice)
	if !ok && v != nil {
		return nil, fmt.Errorf("%s: it should hold sections: %s", at, sectionNames())
	}
	for _, part := range parts {
		i := slices.IndexFunc(sections, func(s struct {
			name string
			kind setting.Kind
		}) bool {
			return s.name == text0(part.Key)
		})
		if i < 0 {
			errs = append(errs, fmt.Errorf("%s.%s: there is no such section: there are %s", at, text0(part.Key), sectionNames()))
			continue
		}
		where := at + "." + sections[i].name
		if sections[i].kind == setting.OnDevice {
			e, err := readObject(network.PortRef{Device: name}, part.Value, where)
			errs = append(errs, err)
			out = append(out, e)
			continue
		}
		objects, ok := part.Value.(yaml.MapSlice)
		if !ok && part.Value != nil {
			errs = append(errs, fmt.Errorf("%s: it should hold them by name", where))
		}
		for _, o := range objects {
			key := text0(o.Key)
			on := network.PortRef{Device: name, Port: key}
			if k := sections[i].kind; k != setting.OnPort && k != setting.OnBundle {
				on.Port = setting.Object(k, key)
			}
			if setting.KindOf(on.Port) != sections[i].kind || setting.CheckObject(on.Port) != nil {
				errs = append(errs, fmt.Errorf("%s.%s: that is no name of one", where, key))
				continue
			}
			e, err := readObject(on, o.Value, where+"."+key)
			errs = append(errs, err)
			if sections[i].kind != setting.OnPort {
				e.Set[setting.Present] = "on"
			}
			out = append(out, e)
		}
	}
	return out, errors.Join(errs...)
}

func readObject(on network.PortRef, v any, where string) (Entry, error) {
	e := Entry{On: on, Set: map[string]string{}}
	values, ok := v.(yaml.MapSlice)
	if !ok && v != nil {
		return e, fmt.Errorf("%s: it should hold settings and their values", where)
	}
	var errs []error
	for _, item := range values {
		name := text0(item.Key)
		s, err := setting.Lookup(setting.KindOf(on.Port), name)
		if err != nil {
			errs = append(errs, fmt.Errorf("%s: %w", where, err))
			continue
		}
		separator := ","
		if s.Value.Type == setting.Rules {
			separator = "\n"
		}
		text, err := scalar(item.Value, separator)
		if err == nil {
			_, err = s.Value.Normal(text)
		}
		if err != nil {
			errs = append(errs, fmt.Errorf("%s.%s: %w", where, name, err))
			continue
		}
		e.Set[name] = text
	}
	return e, errors.Join(errs...)
}

func sectionNames() string {
	names := make([]string, len(sections))
	for i, s := range sections {
		names[i] = s.name
	}
	return strings.Join(names, ", ")
}

func text0(v any) string { return fmt.Sprint(v) }

// scalar is a value as a text.
func scalar(v any, separator string) (string, error) {
	switch v := v.(type) {
	case nil:
		return "", nil
	case string:
		return v, nil
	case bool, int, int64, uint64, float64:
		return fmt.Sprint(v), nil
	case []any:
		if len(v) == 0 && separator == "," {
			return "none", nil
		}
		parts := make([]string, len(v))
		for i, one := range v {
			text, err := scalar(one, separator)
			if err != nil {
				return "", err
			}
			parts[i] = text
		}
		return strings.Join(parts, separator), nil
	}
	return "", errors.New("a value is expected here, or a list of values")
}

// Whole adds to the entries of a file what takes everything that it does not name on its devices back to its default, and
// removes the objects that it does not name.
func Whole(entries []Entry, devices []string, configs map[string]network.Config) []Entry {
	at := map[network.PortRef]int{}
	for i, e := range entries {
		at[e.On] = i
	}
	for _, device := range devices {
		c := configs[device]
		for _, object := range setting.Objects(c) {
			on := network.PortRef{Device: device, Port: object}
			i, named := at[on]
			k := setting.KindOf(object)
			if !named {
				e := Entry{On: on, Set: map[string]string{}}
				if k != setting.OnDevice && k != setting.OnPort {
					e.Set[setting.Present] = "off"
					entries = append(entries, e)
					continue
				}
				i = len(entries)
				entries = append(entries, e)
			}
			for _, s := range setting.OfObject(c, object) {
				v, err := s.Get(c, object)
				_, said := entries[i].Set[s.Name]
				free := s.Default != "" || s.Value.Type == setting.Text
				if err == nil && !said && v != s.Default && s.Name != setting.Present && free && !strings.HasPrefix(s.Name, "service.") {
					entries[i].Set[s.Name] = s.Default
				}
			}
		}
	}
	return slices.DeleteFunc(entries, func(e Entry) bool { return len(e.Set) == 0 })
}

// readable is an error of the YAML library without the drawing of the place.
func readable(err error) error {
	first, _, _ := strings.Cut(yaml.FormatError(err, false, false), "\n")
	return errors.New(first)
}
