package xmlnode

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strings"
)

// Bounds of a document. A message over them is refused before it is built.
const (
	MaxDepth = 64
	MaxNodes = 2_000_000
)

// ErrTooComplex is returned for a document that is deeper or larger than the bounds.
var ErrTooComplex = errors.New("xml document too deep or too large")

// Parse reads exactly one element from data. Text is trimmed of surrounding white space.
func Parse(data []byte) (*Node, error) {
	dec := xml.NewDecoder(bytes.NewReader(data))
	dec.Strict = true
	var root *Node
	var stack []*Node
	nodes := 0
	for {
		tok, err := dec.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("parse xml: %w", err)
		}
		switch t := tok.(type) {
		case xml.StartElement:
			if nodes++; nodes > MaxNodes || len(stack) >= MaxDepth {
				return nil, ErrTooComplex
			}
			n := &Node{Space: t.Name.Space, Name: t.Name.Local, Attrs: attrs(t.Attr)}
			if len(stack) == 0 {
				if root != nil {
					return nil, errors.New("parse xml: more than one root element")
				}
				root = n
			} else {
				parent := stack[len(stack)-1]
				parent.Children = append(parent.Children, n)
			}
			stack = append(stack, n)
		case xml.EndElement:
			n := stack[len(stack)-1]
			n.Text = strings.TrimSpace(n.Text)
			stack = stack[:len(stack)-1]
		case xml.CharData:
			if len(stack) > 0 {
				stack[len(stack)-1].Text += string(t)
			} else if len(bytes.TrimSpace(t)) > 0 {
				return nil, errors.New("parse xml: text outside the root element")
			}
		case xml.Directive:
			return nil, errors.New("parse xml: document types are not allowed")
		}
	}
	if root == nil {
		return nil, errors.New("parse xml: empty document")
	}
	return root, nil
}

func attrs(in []xml.Attr) []Attr {
	var out []Attr
	for _, a := range in {
		if a.Name.Space == "" && a.Name.Local == "xmlns" {
			continue // the resolved namespace stands in the node
		}
		out = append(out, Attr{Space: a.Name.Space, Name: a.Name.Local, Value: a.Value})
	}
	return out
}

// Append encodes the node to buf, declaring its namespace when it differs from inherited.
func (n *Node) Append(buf []byte, inherited string) []byte {
	buf = append(append(buf, '<'), n.Name...)
	if n.Space != inherited {
		buf = append(buf, ` xmlns="`...)
		buf = escape(buf, n.Space)
		buf = append(buf, '"')
	}
	for i, a := range n.Attrs {
		switch a.Space {
		case "":
			buf = append(append(buf, ' '), a.Name...)
		case "xmlns":
			buf = append(append(buf, " xmlns:"...), a.Name...)
		default:
			prefix := string(rune('a'+i%26)) + "ns"
			buf = append(append(append(buf, " xmlns:"...), prefix...), `="`...)
			buf = escape(buf, a.Space)
			buf = append(append(append(append(buf, `" `...), prefix...), ':'), a.Name...)
		}
		buf = append(buf, `="`...)
		buf = escape(buf, a.Value)
		buf = append(buf, '"')
	}
	switch {
	case len(n.Children) > 0:
		buf = append(buf, '>')
		for _, c := range n.Children {
			buf = c.Append(buf, n.Space)
		}
	case n.Text != "":
		buf = append(buf, '>')
		buf = escape(buf, n.Text)
	default:
		return append(buf, "/>"...)
	}
	buf = append(append(buf, "</"...), n.Name...)
	return append(buf, '>')
}

// Bytes encodes the node as a document of its own.
func (n *Node) Bytes() []byte { return n.Append(nil, "") }

// Indented encodes the node for people: two spaces a level.
func (n *Node) Indented() []byte { return n.indent(nil, "", 0) }

func (n *Node) indent(buf []byte, inherited string, depth int) []byte {
	pad := strings.Repeat("  ", depth)
	buf = append(buf, pad...)
	if len(n.Children) == 0 {
		return append(n.Append(buf, inherited), '\n')
	}
	head := &Node{Space: n.Space, Name: n.Name, Attrs: n.Attrs}
	buf = head.Append(buf, inherited)
	buf = append(buf[:len(buf)-2], ">\n"...)
	for _, c := range n.Children {
		buf = c.indent(buf, n.Space, depth+1)
	}
	buf = append(append(append(buf, pad...), "</"...), n.Name...)
	return append(buf, ">\n"...)
}

func escape(buf []byte, s string) []byte {
	for _, r := range s {
		switch {
		case r == '&':
			buf = append(buf, "&amp;"...)
		case r == '<':
			buf = append(buf, "&lt;"...)
		case r == '>':
			buf = append(buf, "&gt;"...)
		case r == '"':
			buf = append(buf, "&quot;"...)
		case r == '\n' || r == '\t' || r == '\r':
			buf = fmt.Appendf(buf, "&#x%X;", r)
		case r < 0x20 || r == 0xFFFE || r == 0xFFFF:
			buf = append(buf, "\uFFFD"...) // XML 1.0 section 2.2 has no way to write it
		default:
			buf = append(buf, string(r)...)
		}
	}
	return buf
}
