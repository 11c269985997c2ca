package netconf

import "example.net/everypost/internal/wire/xmlnode"

// FilterSubtree selects from the children of data what a subtree filter asks for (RFC 6241 section 6). The result is
// built of copies. Several filter branches that reach the same element are merged by the element's identity in data.
func FilterSubtree(data []*xmlnode.Node, filter []*xmlnode.Node) []*xmlnode.Node {
	var out []*xmlnode.Node
	for _, d := range data {
		var branches []*xmlnode.Node
		for _, f := range filter {
			if matchesName(d, f) {
				branches = append(branches, f)
			}
		}
		if n := selectNode(d, branches); n != nil {
			out = append(out, n)
		}
	}
	return out
}

// matchesName holds the element's name and namespace against the filter's; a filter in the protocol's own namespace
// gave none of its own and matches any (section 6.2.1).
func matchesName(d, f *xmlnode.Node) bool {
	if d.Name != f.Name || (f.Space != "" && f.Space != BaseNS && f.Space != d.Space) {
		return false
	}
	for _, a := range f.Attrs {
		if a.Space != "xmlns" && d.Attr(a.Space, a.Name) != a.Value {
			return false
		}
	}
	return true
}

// selectNode returns the part of d that any of the branches selects, or nil.
func selectNode(d *xmlnode.Node, branches []*xmlnode.Node) *xmlnode.Node {
	var inner []*xmlnode.Node
	for _, f := range branches {
		if len(f.Children) == 0 && f.Text == "" {
			return d.Clone() // a selection node takes all
		}
		if len(f.Children) == 0 {
			if f.Text == d.Text {
				return d.Clone()
			}
			continue
		}
		match, onlyContent := contentMatches(d, f)
		if !match {
			continue
		}
		if onlyContent {
			return d.Clone()
		}
		inner = append(inner, f.Children...)
	}
	if len(inner) == 0 {
		return nil
	}
	children := FilterSubtree(d.Children, inner)
	if len(children) == 0 {
		return nil
	}
	return &xmlnode.Node{Space: d.Space, Name: d.Name, Attrs: d.Attrs, Children: children}
}

// contentMatches tells whether every content match node among the filter's children is met, and whether there is
// nothing else among them (then the whole element is selected, section 6.2.5).
func contentMatches(d, f *xmlnode.Node) (match, onlyContent bool) {
	onlyContent = true
	for _, c := range f.Children {
		if len(c.Children) > 0 || c.Text == "" {
			onlyContent = false
			continue
		}
		met := false
		for _, dc := range d.Children {
			if matchesName(dc, c) && dc.Text == c.Text {
				met = true
				break
			}
		}
		if !met {
			return false, false
		}
	}
	return true, onlyContent
}
