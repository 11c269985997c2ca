package standin

import (
	"errors"
	"slices"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// edit applies the content of an edit-config to a copy of a configuration tree (RFC 6241 section 7.2). The first fault
// ends it; the tree given stays as it was.
func edit(tree, config *xmlnode.Node, defaultOperation string) (*xmlnode.Node, error) {
	out := tree.Clone()
	for _, n := range config.Children {
		if err := editNode(out, schema, n, defaultOperation, ""); err != nil {
			return nil, err
		}
	}
	return out, nil
}

func editNode(parent *xmlnode.Node, parentSchema *schemaNode, e *xmlnode.Node, inherited, path string) error {
	s := parentSchema.child(e.Space, e.Name)
	path += "/" + e.Name
	if s == nil {
		return netconf.NewRPCError(netconf.TagUnknownElement, path, "there is nothing to configure of the name %s here", e.Name)
	}
	operation := inherited
	if o := e.Attr(netconf.BaseNS, "operation"); o != "" {
		operation = o
	}
	target, path, err := locate(parent, s, e, path)
	if err != nil {
		return err
	}
	switch operation {
	case netconf.EditDelete:
		if target == nil {
			return netconf.NewRPCError(netconf.TagDataMissing, path, "it is not there to be deleted")
		}
		parent.Remove(target)
		return nil
	case netconf.EditRemove:
		if target != nil {
			parent.Remove(target)
		}
		return nil
	case netconf.EditCreate:
		if target != nil {
			return netconf.NewRPCError(netconf.TagDataExists, path, "it is there already")
		}
	case netconf.EditReplace:
		if target != nil && !s.leaf() {
			target.Children = nil
		}
	case netconf.EditMerge, "none":
	default:
		return netconf.NewRPCError(netconf.TagBadAttribute, path, "operation %q is not known", operation)
	}
	if s.leaf() {
		return editLeaf(parent, s, target, e, operation, path)
	}
	if target == nil {
		if operation == "none" {
			return netconf.NewRPCError(netconf.TagDataMissing, path, "it is not there")
		}
		target = xmlnode.New(s.space, s.name)
		parent.Add(target)
	}
	if operation == netconf.EditCreate || operation == netconf.EditReplace {
		operation = netconf.EditMerge // what is inside is new; only what says otherwise is treated otherwise
	}
	for _, c := range e.Children {
		if err := editNode(target, s, c, operation, path); err != nil {
			return err
		}
	}
	return nil
}

func editLeaf(parent *xmlnode.Node, s *schemaNode, target, e *xmlnode.Node, operation, path string) error {
	if len(e.Children) > 0 {
		return netconf.NewRPCError(netconf.TagUnknownElement, path, "%s holds a value and nothing else", e.Name)
	}
	if operation == "none" {
		return nil
	}
	if err := s.check(e.Text); err != nil {
		return netconf.NewRPCError(netconf.TagInvalidValue, path, "%s: %v", e.Name, err)
	}
	if target == nil {
		parent.Add(xmlnode.Leaf(s.space, s.name, e.Text))
	} else {
		target.Text = e.Text
	}
	return nil
}

// locate finds the element of the tree that e speaks of, or nil where it is not there yet.
func locate(parent *xmlnode.Node, s *schemaNode, e *xmlnode.Node, path string) (*xmlnode.Node, string, error) {
	switch {
	case s.leafList:
		for _, c := range parent.Children {
			if c.Name == s.name && c.Space == s.space && c.Text == e.Text {
				return c, path, nil
			}
		}
		return nil, path, nil
	case len(s.keys) > 0:
		values := make([]string, len(s.keys))
		for i, k := range s.keys {
			key := e.ChildNS(s.space, k)
			if key == nil || key.Text == "" {
				return nil, path, netconf.NewRPCError(netconf.TagMissingElement, path, "the key %s is missing", k)
			}
			values[i] = key.Text
			path += "[" + k + "='" + key.Text + "']"
		}
		for _, c := range parent.Children {
			if c.Name == s.name && c.Space == s.space && slices.Equal(keyValues(c, s.keys), values) {
				return c, path, nil
			}
		}
		return nil, path, nil
	default:
		return parent.ChildNS(s.space, s.name), path, nil
	}
}

func keyValues(n *xmlnode.Node, keys []string) []string {
	out := make([]string, len(keys))
	for i, k := range keys {
		out[i] = n.TextAt(k)
	}
	return out
}

// validate checks what no single leaf can tell. It returns everything that is wrong, joined.
func validate(tree *xmlnode.Node) error {
	var errs []error
	fault := func(tag, path, format string, args ...any) {
		errs = append(errs, netconf.NewRPCError(tag, path, format, args...))
	}
	vlans := map[string]bool{}
	for _, v := range tree.Find("network-instances/network-instance").Child("vlans").All("vlan") {
		vlans[v.TextAt("vlan-id")] = true
	}
	lags := map[string]bool{}
	for _, i := range tree.Child("interfaces").All("interface") {
		if i.Child("aggregation") != nil {
			lags[i.TextAt("name")] = true
		}
	}
	for _, i := range tree.Child("interfaces").All("interface") {
		name := i.TextAt("name")
		path := "/interfaces/interface[name='" + name + "']"
		if i.TextAt("config/name") != name {
			fault(netconf.TagInvalidValue, path+"/config/name", "the name in config is not the key")
		}
		if lag := i.TextAt("ethernet/config/aggregate-id"); lag != "" {
			if !lags[lag] {
				fault(netconf.TagDataMissing, path+"/ethernet/config/aggregate-id", "there is no bundle %s on this device", lag)
			}
			if i.Find("ethernet/switched-vlan") != nil {
				fault(netconf.TagInvalidValue, path+"/ethernet/switched-vlan", "%s is a member of %s: VLANs are set on the bundle", name, lag)
			}
		}
		sv := i.Find("ethernet/switched-vlan/config")
		if sv == nil {
			sv = i.Find("aggregation/switched-vlan/config")
		}
		for _, leafName := range []string{"access-vlan", "native-vlan"} {
			if v := sv.TextAt(leafName); v != "" && !vlans[v] {
				fault(netconf.TagDataMissing, path+"/ethernet/switched-vlan/config/"+leafName, "VLAN %s is not defined on this device", v)
			}
		}
		if sv.TextAt("interface-mode") == "ACCESS" && sv.Child("trunk-vlans") != nil {
			fault(netconf.TagInvalidValue, path+"/ethernet/switched-vlan/config/trunk-vlans", "an access port carries no tagged VLANs")
		}
	}
	validateSwitching(tree, vlans, fault)
	validateInstances(tree, fault)
	validateFirewall(tree, fault)
	validateRouting(tree, vlans, fault)
	validateWireless(tree, vlans, fault)
	validateTunnels(tree, fault)
	validateSteering(tree, fault)
	validateCarriers(tree, fault)
	return errors.Join(errs...)
}

// validateSwitching checks what settings of ports refer to.
func validateSwitching(tree *xmlnode.Node, vlans map[string]bool, fault func(tag, path, format string, args ...any)) {
	sw := tree.Child("switching")
	names := func(list []*xmlnode.Node) map[string]bool {
		out := map[string]bool{}
		for _, n := range list {
			out[n.TextAt("name")] = true
		}
		return out
	}
	schedules, lists, ports := names(sw.All("schedule")), names(tree.Find("acl/acl-sets").All("acl-set")), names(tree.Child("interfaces").All("interface"))
	refer := func(path, what, name string, known map[string]bool) {
		if name != "" && !known[name] {
			fault(netconf.TagDataMissing, path, "there is no %s %s on this device", what, name)
		}
	}
	for _, p := range sw.All("port") {
		path := "/switching/port[name='" + p.TextAt("name") + "']"
		refer(path, "port", p.TextAt("name"), ports)
		refer(path+"/schedule", "schedule", p.TextAt("schedule"), schedules)
		refer(path+"/voice-vlan", "VLAN", p.TextAt("voice-vlan"), vlans)
		refer(path+"/guest-vlan", "VLAN", p.TextAt("guest-vlan"), vlans)
		for _, f := range p.Child("follow").All("port") {
			refer(path+"/follow/port", "port", f.Text, ports)
		}
	}
	for _, m := range sw.All("mirror") {
		path := "/switching/mirror[name='" + m.TextAt("name") + "']"
		to := m.TextAt("to/port")
		refer(path+"/to", "port", to, ports)
		for _, s := range m.Child("sources").All("port") {
			refer(path+"/sources", "port", s.Text, ports)
			if s.Text == to {
				fault(netconf.TagInvalidValue, path+"/to", "%s would be mirrored to itself", to)
			}
		}
	}
	for _, i := range tree.Find("acl/interfaces").All("interface") {
		refer("/acl/interfaces/interface[id='"+i.TextAt("id")+"']", "access list", i.TextAt("ingress-acl-sets/ingress-acl-set/set-name"), lists)
	}
}

// withDefaults returns the tree as the mode of RFC 6243 wants it: explicit leaves it as it is, report-all adds leaves
// with their defaults, trim takes out leaves that have their default value.
func withDefaults(tree *xmlnode.Node, mode netconf.DefaultsMode) (*xmlnode.Node, error) {
	switch mode {
	case netconf.DefaultsServer, netconf.DefaultsExplicit:
		return tree, nil
	case netconf.DefaultsReportAll, netconf.DefaultsTrim:
		out := tree.Clone()
		applyDefaults(out, schema, mode == netconf.DefaultsTrim)
		return out, nil
	}
	return nil, netconf.NewRPCError(netconf.TagInvalidValue, "", "with-defaults %s is not supported", mode)
}

func applyDefaults(n *xmlnode.Node, s *schemaNode, trim bool) {
	for _, name := range s.order {
		c := s.children[name]
		if c.leaf() && c.def != "" {
			present := n.ChildNS(c.space, c.name)
			if trim && present != nil && present.Text == c.def {
				n.Remove(present)
			} else if !trim && present == nil {
				n.Add(xmlnode.Leaf(c.space, c.name, c.def))
			}
		}
	}
	for _, child := range n.Children {
		if c := s.child(child.Space, child.Name); c != nil && !c.leaf() {
			applyDefaults(child, c, trim)
		}
	}
}
