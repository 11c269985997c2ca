package xmlnode

import (
	"slices"
	"strings"
)

// Attr is an attribute. Space is the namespace URI, "" for none, or "xmlns" for the declaration of the prefix Name.
type Attr struct {
	Space, Name, Value string
}

// Node is one element. An element holds either text or children; where mixed content arrives, the text is kept
// trimmed and the children win when the node is encoded.
type Node struct {
	Space    string // namespace URI
	Name     string // local name
	Attrs    []Attr
	Text     string
	Children []*Node
}

// New returns an element with children.
func New(space, name string, children ...*Node) *Node {
	return &Node{Space: space, Name: name, Children: children}
}

// Leaf returns an element with text.
func Leaf(space, name, text string) *Node {
	return &Node{Space: space, Name: name, Text: text}
}

// Is reports whether the node has this name, in any namespace.
func (n *Node) Is(name string) bool { return n != nil && n.Name == name }

// Child returns the first child of that local name, or nil.
func (n *Node) Child(name string) *Node {
	if n == nil {
		return nil
	}
	for _, c := range n.Children {
		if c.Name == name {
			return c
		}
	}
	return nil
}

// ChildNS returns the first child of that name in that namespace, or nil.
func (n *Node) ChildNS(space, name string) *Node {
	if n == nil {
		return nil
	}
	for _, c := range n.Children {
		if c.Name == name && c.Space == space {
			return c
		}
	}
	return nil
}

// Find follows a path of local names separated by slashes, taking the first match at each step.
func (n *Node) Find(path string) *Node {
	for step := range strings.SplitSeq(path, "/") {
		if n = n.Child(step); n == nil {
			return nil
		}
	}
	return n
}

// All returns the children of that local name.
func (n *Node) All(name string) []*Node {
	if n == nil {
		return nil
	}
	var out []*Node
	for _, c := range n.Children {
		if c.Name == name {
			out = append(out, c)
		}
	}
	return out
}

// TextAt is the trimmed text at a path, or "".
func (n *Node) TextAt(path string) string {
	if c := n.Find(path); c != nil {
		return c.Text
	}
	return ""
}

// Attr is the value of the attribute of that local name in that namespace, or "".
func (n *Node) Attr(space, name string) string {
	if n == nil {
		return ""
	}
	for _, a := range n.Attrs {
		if a.Name == name && a.Space == space {
			return a.Value
		}
	}
	return ""
}

// SetAttr sets an attribute and returns the node.
func (n *Node) SetAttr(space, name, value string) *Node {
	for i, a := range n.Attrs {
		if a.Name == name && a.Space == space {
			n.Attrs[i].Value = value
			return n
		}
	}
	n.Attrs = append(n.Attrs, Attr{space, name, value})
	return n
}

// Add appends children, leaving out nils, and returns the node.
func (n *Node) Add(children ...*Node) *Node {
	for _, c := range children {
		if c != nil {
			n.Children = append(n.Children, c)
		}
	}
	return n
}

// Remove takes out the child that is this very node.
func (n *Node) Remove(child *Node) {
	n.Children = slices.DeleteFunc(n.Children, func(c *Node) bool { return c == child })
}

// Ensure returns the first child of that name and namespace, adding an empty one where there is none.
func (n *Node) Ensure(space, name string) *Node {
	if c := n.ChildNS(space, name); c != nil {
		return c
	}
	c := New(space, name)
	n.Children = append(n.Children, c)
	return c
}

// Clone returns a deep copy.
func (n *Node) Clone() *Node {
	if n == nil {
		return nil
	}
	c := &Node{Space: n.Space, Name: n.Name, Text: n.Text, Attrs: slices.Clone(n.Attrs)}
	if len(n.Children) > 0 {
		c.Children = make([]*Node, len(n.Children))
		for i, child := range n.Children {
			c.Children[i] = child.Clone()
		}
	}
	return c
}

// Equal reports whether two trees are the same, with children and attributes in the same order.
func Equal(a, b *Node) bool {
	if a == nil || b == nil {
		return a == b
	}
	return a.Space == b.Space && a.Name == b.Name && a.Text == b.Text &&
		slices.Equal(a.Attrs, b.Attrs) && slices.EqualFunc(a.Children, b.Children, Equal)
}
