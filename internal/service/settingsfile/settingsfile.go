// Package settingsfile is the settings of devices as a file that people keep, read and compare: YAML, by device and kind of
// object, with only what is not at its default. What is written can be read again to the same settings, and what people
// wrote into the file besides, as comments, stays when it is written over.
package settingsfile

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// Version is what the first line of a file says of its form.
const Version = "settings/1"

// Write writes the settings of devices. Over is a file that was written before, of which the comments are kept; nil for
// none.
func Write(ctx context.Context, configs map[string]network.Config, over []byte) ([]byte, error) {
	devices := mapping()
	for _, name := range slices.Sorted(maps.Keys(configs)) {
		put(devices, name, writeDevice(configs[name]))
	}
	file := mapping()
	put(file, "everypost", scalarNode(Version))
	put(file, "devices", devices)
	document := &yaml.Node{Kind: yaml.DocumentNode, Content: []*yaml.Node{file}}
	if len(over) > 0 {
		old, err := parse(ctx, over)
		if err != nil {
			return nil, fmt.Errorf("the file that is to be written over: %w", err)
		}
		takeComments(document, old)
	}
	var out bytes.Buffer
	e := yaml.NewEncoder(&out)
	e.SetIndent(2)
	if err := e.Encode(document); err != nil {
		return nil, err
	}
	if err := e.Close(); err != nil {
		return nil, err
	}
	if len(over) > 0 { // comments can stand where they make something else of the rest
		if again, err := parse(ctx, out.Bytes()); err != nil || !sameValues(document, again) {
			return nil, errors.New("the comments of the file that is to be written over cannot be kept as they stand: write to a new file")
		}
	}
	return out.Bytes(), nil
}

func writeDevice(c network.Config) *yaml.Node {
	out := mapping()
	for _, section := range setting.Sections() {
		objects := mapping()
		for _, object := range setting.Objects(c) {
			if setting.KindOf(object) != section.Kind {
				continue
			}
			values := writeObject(c, object)
			if setting.IsDevice(object) {
				objects = values
			} else if len(values.Content) > 0 || !section.Fixed { // that an object is there is told by its name
				put(objects, strings.TrimPrefix(object, section.Prefix()), values)
			}
		}
		if len(objects.Content) > 0 {
			put(out, section.Section, objects)
		}
	}
	return out
}

func writeObject(c network.Config, object string) *yaml.Node {
	out := mapping()
	tables := map[string]*yaml.Node{}
	for _, s := range setting.OfObject(c, object) {
		v, err := s.Get(c, object)
		if err != nil || v == s.Default || s.Name == setting.Present {
			continue
		}
		table, row, isRow := setting.TableOf(s.Name)
		if !isRow {
			put(out, s.Name, plain(s, v))
			continue
		}
		if tables[table] == nil {
			tables[table] = mapping()
			put(out, table, tables[table])
		}
		put(tables[table], strconv.Itoa(row), plain(s, v))
	}
	return out
}

// plain is a value as people write it in YAML.
func plain(s *setting.Setting, v string) *yaml.Node {
	n, notNumber := strconv.Atoi(v)
	switch {
	case s.Value.Type == setting.Switch:
		return scalarNode(v == "on")
	case s.Value.Type == setting.List && v != "none":
		return scalarNode(setting.Items(v))
	case notNumber == nil && (s.Value.Type == setting.Number || s.Value.Type == setting.VLAN):
		return scalarNode(n)
	}
	return scalarNode(v)
}

// Entry is what a file sets on one object.
type Entry struct {
	On  network.PortRef
	Set map[string]string
}

// Read reads a file: its entries in order, and the devices that it speaks of. It ends with the context.
func Read(ctx context.Context, text []byte) (entries []Entry, devices []string, err error) {
	document, err := parse(ctx, text)
	if err != nil {
		return nil, nil, err
	}
	if empty(document) || len(document.Content) == 0 {
		return nil, nil, errors.New("the file is empty: it begins with everypost: " + Version + ", and names devices and what is set on them")
	}
	version := ""
	var of *yaml.Node
	var errs []error
	errs = append(errs, members(document.Content[0], "", func(key string, v *yaml.Node) {
		switch key {
		case "everypost":
			version = v.Value
		case "devices":
			of = v
		default:
			errs = append(errs, fmt.Errorf("line %d: there is no %q here: a file holds everypost and devices", v.Line, shown(key)))
		}
	}))
	if version != Version && len(errs) == 0 || version != Version && version != "" {
		return nil, nil, fmt.Errorf("everypost: this is %q, and should be %s", version, Version)
	}
	found := 0
	errs = append(errs, members(of, "devices", func(name string, v *yaml.Node) {
		found++
		if network.CheckName(name) != nil {
			errs = append(errs, fmt.Errorf("devices: %q is not the name of a device", name))
			return
		}
		devices = append(devices, name)
		list, err := readDevice(name, v)
		errs = append(errs, err)
		entries = append(entries, list...)
	}))
	if found == 0 && errors.Join(errs...) == nil {
		errs = append(errs, errors.New("devices: there are none: name a device and what is set on it"))
	}
	return entries, devices, few(errs)
}

// maxFaults is how many faults of a file are told at once.
const maxFaults = 100

// few joins errors, but not without end.
func few(errs []error) error {
	errs = slices.DeleteFunc(errs, func(err error) bool { return err == nil })
	if more := len(errs) - maxFaults; more > 0 {
		errs = append(errs[:maxFaults:maxFaults], fmt.Errorf("and %d more faults", more))
	}
	return errors.Join(errs...)
}

// members calls f with each key of a mapping and its value. A key may stand there once.
func members(n *yaml.Node, at string, f func(key string, v *yaml.Node)) error {
	if empty(n) {
		return nil
	}
	if n.Kind != yaml.MappingNode {
		return fmt.Errorf("%sline %d: names with values are expected here", prefix(at), n.Line)
	}
	var errs []error
	seen := make(map[string]int, len(n.Content)/2)
	for i := 0; i+1 < len(n.Content); i += 2 {
		key, v := n.Content[i], n.Content[i+1]
		switch line, twice := seen[key.Value]; {
		case key.Kind != yaml.ScalarNode:
			errs = append(errs, fmt.Errorf("%sline %d: a name is expected here", prefix(at), key.Line))
		case twice:
			errs = append(errs, fmt.Errorf("%sline %d: %q stands in line %d already", prefix(at), key.Line, shown(key.Value), line))
		default:
			seen[key.Value] = key.Line
			f(key.Value, v)
		}
	}
	return few(errs)
}

func prefix(at string) string {
	if at == "" {
		return ""
	}
	return at + ": "
}

// shown is a text of the file in an error, which is not to be as long as the file.
func shown(s string) string {
	if r := []rune(s); len(r) > 60 {
		return string(r[:60]) + "..."
	}
	return s
}

func readDevice(name string, v *yaml.Node) (out []Entry, err error) {
	var errs []error
	at := "devices." + name
	if !empty(v) && v.Kind != yaml.MappingNode {
		return nil, fmt.Errorf("%s: it should hold sections: %s", at, sectionNames)
	}
	errs = append(errs, members(v, at, func(title string, part *yaml.Node) {
		sections := setting.Sections()
		i := slices.IndexFunc(sections, func(a setting.About) bool { return a.Section == title })
		if i < 0 {
			errs = append(errs, fmt.Errorf("%s.%s: there is no such section: there are %s", at, shown(title), sectionNames))
			return
		}
		where, about := at+"."+title, sections[i]
		if setting.KindOf("") == about.Kind {
			e, err := readObject(network.PortRef{Device: name}, part, where)
			errs = append(errs, err)
			out = append(out, e)
			return
		}
		errs = append(errs, members(part, where, func(key string, o *yaml.Node) {
			on := network.PortRef{Device: name, Port: about.Object(key)}
			if setting.KindOf(on.Port) != about.Kind || setting.CheckObject(on.Port) != nil {
				errs = append(errs, fmt.Errorf("%s.%s: that is no name of one", where, shown(key)))
				return
			}
			e, err := readObject(on, o, where+"."+key)
			errs = append(errs, err)
			if !about.Fixed {
				e.Set[setting.Present] = "on"
			}
			out = append(out, e)
		}))
	}))
	return out, few(errs)
}

func readObject(on network.PortRef, v *yaml.Node, where string) (Entry, error) {
	e := Entry{On: on, Set: map[string]string{}}
	if !empty(v) && v.Kind != yaml.MappingNode {
		return e, fmt.Errorf("%s: it should hold settings and their values", where)
	}
	var errs []error
	errs = append(errs, members(v, where, func(name string, value *yaml.Node) {
		s, err := setting.Lookup(setting.KindOf(on.Port), name)
		if err != nil {
			errs = append(errs, fmt.Errorf("%s: %w", where, err))
			return
		}
		if s.Value.Type == setting.Table && value.Kind == yaml.MappingNode {
			errs = append(errs, members(value, where+"."+name, func(number string, row *yaml.Node) {
				name := name + "/" + number
				s, err := setting.Lookup(setting.KindOf(on.Port), name)
				if err != nil {
					errs = append(errs, fmt.Errorf("%s: %w", where, err))
					return
				}
				errs = append(errs, e.read(s, name, row, where))
			}))
			return
		}
		errs = append(errs, e.read(s, name, value, where))
	}))
	return e, few(errs)
}

// read takes up the value of a setting.
func (e Entry) read(s *setting.Setting, name string, value *yaml.Node, where string) error {
	separator := ","
	if s.Value.Type == setting.Table {
		separator = "\n"
	}
	text, err := scalar(value, separator)
	if err == nil {
		_, err = s.Value.Normal(text)
	}
	if err != nil {
		return fmt.Errorf("%s.%s: %w", where, name, err)
	}
	e.Set[name] = text
	return nil
}

var sectionNames = func() string {
	var names []string
	for _, a := range setting.Sections() {
		names = append(names, a.Section)
	}
	return strings.Join(names, ", ")
}()

// scalar is a value as a text.
func scalar(v *yaml.Node, separator string) (string, error) {
	switch {
	case empty(v):
		return "", nil
	case v.Kind == yaml.ScalarNode:
		return v.Value, nil
	case v.Kind == yaml.SequenceNode:
		if len(v.Content) == 0 && separator == "," {
			return "none", nil
		}
		parts := make([]string, len(v.Content))
		for i, one := range v.Content {
			if one.Kind != yaml.ScalarNode {
				return "", errors.New("a list of values is expected here, without lists in it")
			}
			parts[i], _ = scalar(one, separator)
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
				if !setting.AboutKind(k).Fixed {
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
				if table, _, isRow := setting.TableOf(s.Name); isRow && !said {
					_, said = entries[i].Set[table]
				}
				free := s.Default != "" || s.Value.Type == setting.Text || s.Value.Type == setting.TableRow
				if err == nil && !said && v != s.Default && s.Name != setting.Present && free && !strings.HasPrefix(s.Name, "service.") {
					entries[i].Set[s.Name] = s.Default
				}
			}
		}
	}
	return slices.DeleteFunc(entries, func(e Entry) bool { return len(e.Set) == 0 })
}
