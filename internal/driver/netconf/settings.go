package netconf

import (
	"maps"
	"slices"
	"strconv"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/wire/xmlnode"
)

// mapping says where a setting stands in the tree of a device, and how its values are written there.
type mapping struct {
	setting *setting.Setting
	kind    setting.Kind
	at      path
	codec   codec
}

// codec translates between the normal form of a setting and the leaves of a device. read gets the leaves that are there,
// at least one; write returns those to be there, none to have them removed.
type codec struct {
	read  func(leaves []string) string
	write func(value string) []string
	list  bool // the leaves are of a leaf-list, which is replaced whole
	// keyed are the entries of a list with that key leaf, which also stands in their container config.
	keyed string
	extra map[string]string // further leaves of such an entry
	// member is a value of a leaf-list that others may have values in too: it is put in or taken out.
	member bool
	// enables is a switch that must be on for the setting to be of effect, and is off without it.
	enables string
	// identities belong to this namespace, under this prefix.
	prefix, space string
}

var asIs = codec{
	read:  func(l []string) string { return l[0] },
	write: func(v string) []string { return []string{v} },
}

// words translates word by word: normal, device, normal, device ...
func words(pairs ...string) codec {
	in, out := map[string]string{}, map[string]string{}
	for i := 0; i < len(pairs); i += 2 {
		out[pairs[i]], in[pairs[i+1]] = pairs[i+1], pairs[i]
	}
	return codec{
		read: func(l []string) string { return in[l[0][strings.LastIndexByte(l[0], ':')+1:]] },
		write: func(v string) []string {
			if v = out[v]; v == "" {
				return nil
			}
			return []string{v}
		},
	}
}

var flag = words("on", "true", "off", "false")

// several are values of a leaf-list.
var several = codec{
	list:  true,
	read:  func(l []string) string { return strings.Join(l, ",") },
	write: setting.Items,
}

func keyed(key string) codec {
	c := several
	c.keyed = key
	return c
}

func memberOf(c codec) codec {
	c.member = true
	return c
}

func identity(prefix, space string, c codec) codec {
	c.prefix, c.space = prefix, space
	return c
}

func newMapping(k setting.Kind, name, at string, c codec) mapping {
	s, err := setting.Lookup(k, name)
	if err != nil {
		panic(err) // the table below names a setting that there is not
	}
	return mapping{s, k, newPath(at), c}
}

// value reads a setting from the element below which its inner steps lead, or "" where it is not there or no value of it.
func (m mapping) value(n *xmlnode.Node, inner []step) string {
	found := leaves(n, inner)
	if len(found) == 0 {
		return ""
	}
	texts := make([]string, len(found))
	for i, f := range found {
		if texts[i] = f.Text; m.codec.keyed != "" {
			texts[i] = f.TextAt(m.codec.keyed)
		}
	}
	v := m.codec.read(texts)
	if v == "" {
		return ""
	}
	v, err := m.setting.Value.Normal(v)
	if err != nil {
		return ""
	}
	return v
}

// objectOf is the name under which the entry of a list is known in a configuration.
func objectOf(k setting.Kind, key string) string {
	switch k {
	case setting.OnPort, setting.OnBundle:
		return key
	}
	return setting.Object(k, key)
}

// keyOf is the reverse.
func keyOfObject(object string) string {
	switch k := setting.KindOf(object); k {
	case setting.OnPort, setting.OnBundle, setting.OnDevice:
		return object
	default:
		return strings.TrimPrefix(object, string(k)+"/")
	}
}

// readSettings fills in the settings of what a configuration holds. Lists are walked once each, however many settings
// stand in their entries.
func readSettings(data *xmlnode.Node, c *network.Config) {
	for _, group := range byList {
		outer, _ := group[0].at.list()
		if outer == nil {
			for _, m := range group {
				if v := m.value(data, m.at.steps); v != "" {
					_ = m.setting.Set(c, "", v)
				}
			}
			continue
		}
		entries(data, outer, func(key string, entry *xmlnode.Node) {
			for _, m := range group {
				object := objectOf(m.kind, key)
				if setting.KindOf(object) != m.kind {
					continue
				}
				_, inner := m.at.list()
				if v := m.value(entry, inner); v != "" {
					_ = m.setting.Set(c, object, v) // what is not there, or cannot have it, has none
				}
			}
		})
	}
}

// writeSettings adds to an edit what takes the settings of an object from one configuration to another.
func writeSettings(e *edit, object string, before, after network.Config) {
	key := keyOfObject(object)
	was, had := before.Ports[object]
	is, has := after.Ports[object]
	ports := had && has && slices.Equal(before.Features, after.Features)
	if setting.KindOf(object) == setting.OnInstance {
		writeInstance(e, object, before, after)
		return
	}
	for _, m := range byKind[setting.KindOf(object)] {
		if ports && m.setting.AlikeOnPort(was, is) {
			continue
		}
		a, err := m.setting.Get(after, object)
		if err != nil {
			continue
		}
		b, _ := m.setting.Get(before, object)
		if a == b {
			continue
		}
		m.write(e, key, b, a)
	}
}

// write takes a setting from one value to another.
func (m mapping) write(e *edit, key, before, value string) {
	var texts []string
	if value != m.setting.Default {
		texts = m.codec.write(value)
	}
	last := m.at.steps[len(m.at.steps)-1]
	switch {
	case m.codec.keyed != "":
		parent := replace(e.at(m.at.steps[:len(m.at.steps)-1], key))
		for _, t := range texts {
			entry, config := xmlnode.New(last.space, last.name), xmlnode.New(last.space, "config")
			for _, n := range []*xmlnode.Node{entry, config} {
				n.Add(xmlnode.Leaf(last.space, m.codec.keyed, t))
				for _, name := range slices.Sorted(maps.Keys(m.codec.extra)) {
					n.Add(xmlnode.Leaf(last.space, name, m.codec.extra[name]))
				}
			}
			parent.Add(entry.Add(config))
		}
	case m.codec.member:
		if before != "" && before != m.setting.Default {
			for _, t := range m.codec.write(before) {
				remove(m.leaf(e, key, t))
			}
		}
		for _, t := range texts {
			m.leaf(e, key, t)
		}
	case m.codec.list:
		// A leaf-list cannot be replaced as such (RFC 6241 section 7.2 knows only single values): its container is ours alone.
		parent := replace(e.at(m.at.steps[:len(m.at.steps)-1], key))
		for _, t := range texts {
			parent.Add(xmlnode.Leaf(last.space, last.name, t))
		}
	case len(texts) == 0:
		e.take(m.at, key)
	default:
		m.leaf(e, key, texts[0])
	}
	if m.codec.enables != "" {
		e.put(newPath(m.codec.enables), key, strconv.FormatBool(len(texts) > 0))
	}
}

// leaf puts a value in its place.
func (m mapping) leaf(e *edit, key, text string) *xmlnode.Node {
	if m.codec.prefix == "" {
		return e.put(m.at, key, text)
	}
	return e.put(m.at, key, m.codec.prefix+":"+text).SetAttr("xmlns", m.codec.prefix, m.codec.space)
}

// byList are the mappings by the list in which they stand, byKind by what they are set on.
var byList, byKind = func() ([][]mapping, map[setting.Kind][]mapping) {
	var order []string
	lists, kinds := map[string][]mapping{}, map[setting.Kind][]mapping{}
	for _, m := range mappings {
		list := m.at.listText()
		if !slices.Contains(order, list) {
			order = append(order, list)
		}
		lists[list] = append(lists[list], m)
		kinds[m.kind] = append(kinds[m.kind], m)
	}
	out := make([][]mapping, len(order))
	for i, l := range order {
		out[i] = lists[l]
	}
	return out, kinds
}()
