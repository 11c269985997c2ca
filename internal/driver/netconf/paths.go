package netconf

import (
	"strings"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// prefixes are those of the paths in this package.
var prefixes = map[string]string{
	"if": nsInterfaces, "eth": nsEthernet, "vlan": nsVLAN, "poe": nsPoE, "lag": nsAggregate, "netin": nsInstance, "sys": nsSystem,
	"lacp": nsLACP, "stp": nsSpanning, "acl": nsACL, "dev": nsDevice, "sw": nsSwitching, "zs": nsStorage, "fw": nsFirewall, "rt": nsRouting, "wl": nsAir, "wan": nsWAN, "rl": nsRadioLink, "mg": nsManagement, "ip": nsIP,
}

// path is where something stands in the tree of a device: steps below each other, of which one may be a list whose entry is
// found by a key.
type path struct {
	steps []step
	text  string // as written
}

type step struct {
	space, name string
	key         string // the name of the key leaf of a list, "" for what is no list
}

// newPath reads steps separated by slashes; a prefix holds until the next one; [name=%] marks a list whose entry is the one
// of the object in hand.
func newPath(text string) path {
	p := path{text: text}
	space := ""
	for part := range strings.SplitSeq(text, "/") {
		if prefix, rest, ok := strings.Cut(part, ":"); ok {
			space, part = prefixes[prefix], rest
		}
		name, key, _ := strings.Cut(strings.TrimSuffix(part, "=%]"), "[")
		p.steps = append(p.steps, step{space, name, key})
	}
	return p
}

// list splits a path at its list: the steps to it, with it, and those inside an entry. A path without one gives nil.
func (p path) list() (outer, inner []step) {
	for i, s := range p.steps {
		if s.key != "" {
			return p.steps[:i+1], p.steps[i+1:]
		}
	}
	return nil, p.steps
}

// listText is the part of the text up to the list, "" without one.
func (p path) listText() string {
	text, _, ok := strings.Cut(p.text, "=%]")
	if !ok {
		return ""
	}
	return text
}

func follow(n *xmlnode.Node, steps []step) *xmlnode.Node {
	for _, s := range steps {
		if n = n.ChildNS(s.space, s.name); n == nil {
			return nil
		}
	}
	return n
}

// leaves returns what stands at the last of the steps: one leaf, or the values of a leaf-list.
func leaves(n *xmlnode.Node, steps []step) []*xmlnode.Node {
	n = follow(n, steps[:len(steps)-1])
	if n == nil {
		return nil
	}
	last := steps[len(steps)-1]
	var out []*xmlnode.Node
	for _, c := range n.Children {
		if c.Name == last.name && c.Space == last.space {
			out = append(out, c)
		}
	}
	return out
}

// entries calls f for the entries of the list that ends the steps.
func entries(data *xmlnode.Node, outer []step, f func(key string, entry *xmlnode.Node)) {
	last := outer[len(outer)-1]
	parent := follow(data, outer[:len(outer)-1])
	if parent == nil {
		return
	}
	for _, c := range parent.Children {
		if c.Name == last.name && c.Space == last.space {
			f(c.TextAt(last.key), c)
		}
	}
}

// edit is the content of an edit-config as it is put together: what is asked for by several is there once.
type edit struct {
	root  *xmlnode.Node
	lists map[*xmlnode.Node]map[string]*xmlnode.Node // entries by parent, list and key
}

func newEdit() *edit {
	return &edit{root: xmlnode.New(netconf.BaseNS, "config"), lists: map[*xmlnode.Node]map[string]*xmlnode.Node{}}
}

// at returns the element at the end of the steps, made where it is not there yet. key is that of the list on the way.
func (e *edit) at(steps []step, key string) *xmlnode.Node {
	n := e.root
	for _, s := range steps {
		if s.key == "" {
			n = n.Ensure(s.space, s.name)
			continue
		}
		byKey := e.lists[n]
		if byKey == nil {
			byKey = map[string]*xmlnode.Node{}
			e.lists[n] = byKey
		}
		entry := byKey[s.name+" "+key]
		if entry == nil {
			entry = xmlnode.New(s.space, s.name, xmlnode.Leaf(s.space, s.key, key))
			if s.name == "interface" && s.space != nsInterfaces || s.name == "user" && s.space == nsSystem { // its key refers to the same leaf of its config
				entry.Add(xmlnode.New(s.space, "config", xmlnode.Leaf(s.space, s.key, key)))
			}
			byKey[s.name+" "+key] = entry
			n.Add(entry)
		}
		n = entry
	}
	return n
}

// put sets a leaf.
func (e *edit) put(p path, key, value string) *xmlnode.Node {
	last := p.steps[len(p.steps)-1]
	leaf := xmlnode.Leaf(last.space, last.name, value)
	e.at(p.steps[:len(p.steps)-1], key).Add(leaf)
	return leaf
}

// take removes what stands at a path, if it is there.
func (e *edit) take(p path, key string) {
	last := p.steps[len(p.steps)-1]
	if last.key != "" {
		remove(e.at(p.steps, key))
		return
	}
	e.at(p.steps[:len(p.steps)-1], key).Add(remove(xmlnode.New(last.space, last.name)))
}
