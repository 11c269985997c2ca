package xmlnode

import (
	"context"
	"errors"
	"fmt"
	"strings"
)

// Bounds of a document. A message over them is refused before it is built. They are far above what a device has to say (48
// ports and their counters are some 1,500 elements), and keep the work in proportion to the size of the document.
const (
	MaxDepth    = 64
	MaxNodes    = 500_000
	MaxAttrs    = 128 // of one element
	MaxBindings = 256 // of prefixes to namespaces, at one place
)

// ErrTooComplex is returned for a document that is deeper or larger than the bounds.
var ErrTooComplex = errors.New("xml document too deep or too large")

// lookEvery is after how many tags the context is looked at.
const lookEvery = 4096

// SyntaxError tells where a document stops being well-formed XML, and why.
type SyntaxError struct {
	Offset int // bytes from the start
	Why    string
}

func (e *SyntaxError) Error() string { return fmt.Sprintf("parse xml: %s at byte %d", e.Why, e.Offset) }

const xmlNS = "http://www.w3.org/XML/1998/namespace" // Namespaces in XML 1.0, section 3: always bound to the prefix xml

// Parse reads exactly one element from data, with what XML 1.0 and Namespaces in XML ask of a document without a type.
// Text is trimmed of surrounding white space. Names are ASCII, as those of YANG are (RFC 7950 section 6.2). The nodes hold
// on to nothing of data. It ends soon after the context does.
func Parse(ctx context.Context, data []byte) (*Node, error) {
	p := &parser{in: data, names: map[string]string{}}
	if err := p.document(ctx); err != nil {
		return nil, err
	}
	return p.root, nil
}

type parser struct {
	in   []byte
	at   int
	root *Node

	open     []element // from the root to where we are
	children []*Node   // of all open elements, those of the innermost last
	bindings []binding // of prefixes, the innermost last
	attrs    []rawAttr // of the tag being read
	text     []byte    // scratch for text that cannot be taken as it stands

	nodes int
	slab  []Node            // nodes not handed out yet
	names map[string]string // names, prefixes and namespaces, each kept once
}

type element struct {
	node     *Node
	raw      string // the name as written
	text     []byte // where it comes in several pieces
	children int    // where its children begin
	bindings int    // how many there were before it
}

type binding struct{ prefix, space string }

type rawAttr struct{ prefix, local, value string }

func (p *parser) fail(format string, args ...any) error {
	return &SyntaxError{Offset: p.at, Why: fmt.Sprintf(format, args...)}
}

func (p *parser) document(ctx context.Context) error {
	for pieces := 0; p.at < len(p.in); pieces++ {
		if pieces%lookEvery == 0 && ctx.Err() != nil {
			return fmt.Errorf("parse xml: %w", context.Cause(ctx))
		}
		var err error
		if p.in[p.at] == '<' {
			err = p.markup()
		} else {
			err = p.characters()
		}
		if err != nil {
			return err
		}
	}
	switch {
	case len(p.open) > 0:
		return p.fail("<%s> is not closed", p.open[len(p.open)-1].raw)
	case p.root == nil:
		return p.fail("empty document")
	}
	return nil
}

// markup reads what begins with "<".
func (p *parser) markup() error {
	rest := p.in[p.at:]
	switch {
	case len(rest) < 2:
		return p.fail("a lone <")
	case rest[1] == '/':
		return p.endTag()
	case rest[1] == '?':
		return p.instruction()
	case has(rest, "<!--"):
		return p.comment()
	case has(rest, "<![CDATA["):
		return p.cdata()
	case rest[1] == '!':
		return p.fail("document types are not allowed")
	}
	return p.startTag()
}

func has(b []byte, prefix string) bool {
	return len(b) >= len(prefix) && string(b[:len(prefix)]) == prefix
}

func (p *parser) startTag() error {
	p.at++
	prefix, local, raw, err := p.qualified()
	if err != nil {
		return err
	}
	if len(p.open) == 0 && p.root != nil {
		return p.fail("more than one root element")
	}
	if p.nodes++; p.nodes > MaxNodes || len(p.open) >= MaxDepth {
		return ErrTooComplex
	}
	e := element{node: p.newNode(), raw: raw, children: len(p.children), bindings: len(p.bindings)}
	closed, err := p.attributes()
	if err != nil {
		return err
	}
	e.node.Name = local
	if e.node.Space, err = p.space(prefix); err != nil {
		return err
	}
	if err := p.keepAttributes(e.node); err != nil {
		return err
	}
	if len(p.open) == 0 {
		p.root = e.node
	} else {
		p.children = append(p.children, e.node)
		e.children++
	}
	if closed {
		p.bindings = p.bindings[:e.bindings]
		return nil
	}
	p.open = append(p.open, e)
	return nil
}

// attributes reads the rest of a start tag. Declarations of namespaces take effect as they are read: the names of a tag
// are resolved only when all of it was.
func (p *parser) attributes() (closed bool, err error) {
	p.attrs = p.attrs[:0]
	for {
		spaced := p.skipSpace()
		if p.at >= len(p.in) {
			return false, p.fail("the document ends in a tag")
		}
		switch p.in[p.at] {
		case '>':
			p.at++
			return false, nil
		case '/':
			if !has(p.in[p.at:], "/>") {
				return false, p.fail("/ without > in a tag")
			}
			p.at += 2
			return true, nil
		}
		if !spaced {
			return false, p.fail("no space before an attribute")
		}
		a, err := p.attribute()
		if err != nil {
			return false, err
		}
		switch {
		case a.prefix == "xmlns":
			p.bindings = append(p.bindings, binding{a.local, a.value})
		case a.prefix == "" && a.local == "xmlns":
			p.bindings = append(p.bindings, binding{"", a.value})
			if len(p.bindings) > MaxBindings {
				return false, ErrTooComplex
			}
			continue // the resolved namespace stands in the node
		}
		if len(p.bindings) > MaxBindings || len(p.attrs) >= MaxAttrs {
			return false, ErrTooComplex
		}
		p.attrs = append(p.attrs, a)
	}
}

func (p *parser) attribute() (rawAttr, error) {
	prefix, local, _, err := p.qualified()
	if err != nil {
		return rawAttr{}, err
	}
	p.skipSpace()
	if p.at >= len(p.in) || p.in[p.at] != '=' {
		return rawAttr{}, p.fail("attribute %s without a value", local)
	}
	p.at++
	p.skipSpace()
	if p.at >= len(p.in) || p.in[p.at] != '"' && p.in[p.at] != '\'' {
		return rawAttr{}, p.fail("the value of attribute %s is not quoted", local)
	}
	quote := p.in[p.at]
	p.at++
	p.text = p.text[:0]
	plain, err := p.run(quote)
	if err != nil {
		return rawAttr{}, err
	}
	if p.at >= len(p.in) {
		return rawAttr{}, p.fail("the document ends in an attribute")
	}
	if p.in[p.at] == '<' {
		return rawAttr{}, p.fail("< in an attribute")
	}
	p.at++ // the closing quote
	value := plain
	if len(p.text) > 0 {
		value = append(p.text, plain...)
		p.text = value
	}
	if prefix == "xmlns" || prefix == "" && local == "xmlns" {
		return rawAttr{prefix, local, p.name(value)}, nil
	}
	return rawAttr{prefix, local, string(value)}, nil
}

func (p *parser) keepAttributes(n *Node) error {
	if len(p.attrs) == 0 {
		return nil
	}
	n.Attrs = make([]Attr, len(p.attrs))
	for i, a := range p.attrs {
		n.Attrs[i] = Attr{Name: a.local, Value: a.value}
		switch a.prefix {
		case "": // an attribute without a prefix is in no namespace
		case "xmlns":
			n.Attrs[i].Space = "xmlns"
		default:
			space, err := p.space(a.prefix)
			if err != nil {
				return err
			}
			n.Attrs[i].Space = space
		}
	}
	return nil
}

func (p *parser) space(prefix string) (string, error) {
	for i := len(p.bindings) - 1; i >= 0; i-- {
		if p.bindings[i].prefix == prefix {
			return p.bindings[i].space, nil
		}
	}
	switch prefix {
	case "":
		return "", nil
	case "xml":
		return xmlNS, nil
	}
	return "", p.fail("prefix %s is not declared", prefix)
}

func (p *parser) endTag() error {
	if len(p.open) == 0 {
		return p.fail("an end tag outside of any element")
	}
	e := p.open[len(p.open)-1]
	p.at += 2
	if !has(p.in[p.at:], e.raw) {
		return p.fail("expected </%s>", e.raw)
	}
	p.at += len(e.raw)
	p.skipSpace()
	if p.at >= len(p.in) || p.in[p.at] != '>' {
		return p.fail("expected </%s>", e.raw)
	}
	p.at++
	p.open = p.open[:len(p.open)-1]
	p.bindings = p.bindings[:e.bindings]
	if inner := p.children[e.children:]; len(inner) > 0 {
		e.node.Children = append(make([]*Node, 0, len(inner)), inner...)
		p.children = p.children[:e.children]
	}
	if e.text != nil {
		e.node.Text = string(e.text)
	}
	e.node.Text = strings.TrimSpace(e.node.Text)
	return nil
}

// qualified reads a name with or without a prefix.
func (p *parser) qualified() (prefix, local, raw string, err error) {
	begin := p.at
	if local, err = p.bare(); err != nil {
		return "", "", "", err
	}
	if p.at >= len(p.in) || p.in[p.at] != ':' {
		return "", local, local, nil
	}
	p.at++
	prefix = local
	if local, err = p.bare(); err != nil {
		return "", "", "", err
	}
	return prefix, local, p.name(p.in[begin:p.at]), nil
}

// nameBytes tells which bytes a name may hold, and (2) which it may begin with.
var nameBytes = func() (t [256]byte) {
	for c := range t {
		switch c := byte(c); {
		case c >= 'a' && c <= 'z', c >= 'A' && c <= 'Z', c == '_':
			t[c] = 2
		case c >= '0' && c <= '9', c == '-', c == '.':
			t[c] = 1
		}
	}
	return t
}()

func (p *parser) bare() (string, error) {
	begin := p.at
	if p.at >= len(p.in) || nameBytes[p.in[p.at]] != 2 {
		return "", p.fail("expected a name")
	}
	for p.at < len(p.in) && nameBytes[p.in[p.at]] != 0 {
		p.at++
	}
	return p.name(p.in[begin:p.at]), nil
}

func (p *parser) name(b []byte) string {
	if s, ok := p.names[string(b)]; ok {
		return s
	}
	s := string(b)
	p.names[s] = s
	return s
}

func (p *parser) skipSpace() bool {
	begin := p.at
	for p.at < len(p.in) {
		switch p.in[p.at] {
		case ' ', '\t', '\r', '\n':
			p.at++
		default:
			return p.at > begin
		}
	}
	return p.at > begin
}

// newNode hands out nodes of slabs that grow with the document, so that a small one costs little.
func (p *parser) newNode() *Node {
	if len(p.slab) == 0 {
		p.slab = make([]Node, min(max(8, p.nodes), 256))
	}
	n := &p.slab[0]
	p.slab = p.slab[1:]
	return n
}
