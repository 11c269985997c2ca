package xmlnode

import (
	"fmt"
	"strings"
	"unicode/utf8"
)

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
func (n *Node) Bytes() []byte { return n.Append(make([]byte, 0, n.size(0)), "") }

// Indented encodes the node for people: two spaces a level.
func (n *Node) Indented() []byte { return n.indent(make([]byte, 0, n.size(2)), "", 0) }

// size is about how many bytes the node takes, with so much more before and after each tag for every level.
func (n *Node) size(indent int) int {
	out := 2*len(n.Name) + len(n.Text) + 6 + len(n.Space)/4
	for _, c := range n.Children {
		out += c.size(indent+2*min(indent, 1)) + 2*indent
	}
	return out
}

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

// plain tells of each ASCII character whether it is written as it is.
var plain = func() (t [utf8.RuneSelf]bool) {
	for c := byte(0x20); c < utf8.RuneSelf; c++ {
		t[c] = c != '&' && c != '<' && c != '>' && c != '"'
	}
	return t
}()

func escape(buf []byte, s string) []byte {
	for i := range len(s) {
		if c := s[i]; c >= utf8.RuneSelf || !plain[c] {
			return escapeSlowly(append(buf, s[:i]...), s[i:])
		}
	}
	return append(buf, s...)
}

func escapeSlowly(buf []byte, s string) []byte {
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
			buf = utf8.AppendRune(buf, r)
		}
	}
	return buf
}
