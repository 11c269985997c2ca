package xmlnode

import (
	"bytes"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"unicode/utf8"
)

// Bounds of a document. A message over them is refused before it is built.
const (
	MaxDepth = 64
	MaxNodes = 2_000_000
)

// ErrTooComplex is returned for a document that is deeper or larger than the bounds.
var ErrTooComplex = errors.New("xml document too deep or too large")

// SyntaxError tells where a document stops being well-formed XML, and why.
type SyntaxError struct {
	Offset int // bytes from the start
	Why    string
}

func (e *SyntaxError) Error() string { return fmt.Sprintf("parse xml: %s at byte %d", e.Why, e.Offset) }

const xmlNS = "http://www.w3.org/XML/1998/namespace" // Namespaces in XML 1.0, section 3: always bound to the prefix xml

// Parse reads exactly one element from data, with what XML 1.0 and Namespaces in XML ask of a document without a type.
// Text is trimmed of surrounding white space. Names are ASCII, as those of YANG are (RFC 7950 section 6.2). The nodes hold
// on to nothing of data.
func Parse(data []byte) (*Node, error) {
	p := &parser{in: data, names: map[string]string{}}
	if err := p.document(); err != nil {
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

func (p *parser) document() error {
	for p.at < len(p.in) {
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
			continue // the resolved namespace stands in the node
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

// characters reads text up to the next markup.
func (p *parser) characters() error {
	p.text = p.text[:0]
	begin := p.at
	plain, err := p.run('<')
	if err != nil {
		return err
	}
	if len(p.text) > 0 {
		p.text = append(p.text, plain...)
		plain = p.text
	}
	return p.keepText(plain, begin)
}

func (p *parser) keepText(text []byte, begin int) error {
	if len(p.open) == 0 {
		if strings.TrimSpace(string(text)) != "" {
			p.at = begin
			return p.fail("text outside the root element")
		}
		return nil
	}
	e := &p.open[len(p.open)-1]
	switch {
	case e.node.Text == "" && blank(text): // it would be trimmed anyway
	case e.node.Text == "":
		e.node.Text = string(text)
	case e.text == nil:
		e.text = append([]byte(e.node.Text), text...)
	default:
		e.text = append(e.text, text...)
	}
	return nil
}

func blank(b []byte) bool {
	for _, c := range b {
		if c != ' ' && c != '\n' && c != '\t' && c != '\r' {
			return false
		}
	}
	return true
}

// run reads characters until end or "<". What it returns last stands in the input as it is; what came before and had to
// be changed, because of references or line ends, it appends to p.text.
func (p *parser) run(end byte) ([]byte, error) {
	begin, brackets := p.at, 0
	for p.at < len(p.in) {
		c := p.in[p.at]
		if c == end || c == '<' {
			return p.in[begin:p.at], nil
		}
		switch {
		case c == '&':
			p.text = append(p.text, p.in[begin:p.at]...)
			if err := p.reference(); err != nil {
				return nil, err
			}
			begin = p.at
			brackets = 0
			continue
		case c == '\r': // XML 1.0 section 2.11: a line ends by one line feed
			p.text = append(append(p.text, p.in[begin:p.at]...), '\n')
			p.at++
			if p.at < len(p.in) && p.in[p.at] == '\n' {
				p.at++
			}
			begin = p.at
			brackets = 0
			continue
		case c == '>' && brackets >= 2 && end == '<':
			return nil, p.fail("]]> in text")
		case c < 0x20 && c != '\n' && c != '\t':
			return nil, p.fail("a control character")
		case c >= utf8.RuneSelf:
			r, size := utf8.DecodeRune(p.in[p.at:])
			if r == utf8.RuneError && size == 1 || !allowed(r) {
				return nil, p.fail("a character that is not allowed")
			}
			p.at += size
			brackets = 0
			continue
		}
		if c == ']' {
			brackets++
		} else {
			brackets = 0
		}
		p.at++
	}
	return p.in[begin:p.at], nil
}

// allowed is the production Char of XML 1.0, section 2.2.
func allowed(r rune) bool {
	return r == '\t' || r == '\n' || r == '\r' || r >= 0x20 && r <= 0xD7FF || r >= 0xE000 && r <= 0xFFFD || r >= 0x10000 && r <= 0x10FFFF
}

// longestReference is a reference to the last character in decimal, with leading zeros to spare.
const longestReference = 16

// reference reads "&...;" into p.text.
func (p *parser) reference() error {
	rest := p.in[p.at+1:]
	length := -1
	for i := range min(len(rest), longestReference) {
		if rest[i] == ';' {
			length = i
			break
		}
	}
	if length < 0 {
		return p.fail("& without a reference")
	}
	name := string(rest[:length])
	r, ok := map[string]rune{"amp": '&', "lt": '<', "gt": '>', "quot": '"', "apos": '\''}[name]
	if number, isNumber := strings.CutPrefix(name, "#"); !ok && isNumber {
		base := 10
		if hex, isHex := strings.CutPrefix(number, "x"); isHex {
			number, base = hex, 16
		}
		v, err := strconv.ParseUint(number, base, 32)
		r, ok = rune(v), err == nil && v <= utf8.MaxRune && allowed(rune(v))
	}
	if !ok {
		return p.fail("unknown reference &%s;", name)
	}
	p.text = utf8.AppendRune(p.text, r)
	p.at += length + 2
	return nil
}

func (p *parser) cdata() error {
	begin := p.at
	p.at += len("<![CDATA[")
	end := bytes.Index(p.in[p.at:], []byte("]]>"))
	if end < 0 {
		return p.fail("CDATA is not closed")
	}
	stop := p.at + end
	p.text = p.text[:0]
	for p.at < stop {
		switch r, size := utf8.DecodeRune(p.in[p.at:stop]); {
		case r == utf8.RuneError && size == 1 || !allowed(r):
			return p.fail("a character that is not allowed")
		case r == '\r':
			p.text = append(p.text, '\n')
			p.at++
			if p.at < stop && p.in[p.at] == '\n' {
				p.at++
			}
		default:
			p.text = append(p.text, p.in[p.at:p.at+size]...)
			p.at += size
		}
	}
	p.at = stop + len("]]>")
	return p.keepText(p.text, begin)
}

func (p *parser) comment() error {
	body := p.in[p.at+len("<!--"):]
	end := bytes.Index(body, []byte("--"))
	if end < 0 || !has(body[end:], "-->") {
		return p.fail("a comment that is not closed, or has -- in it")
	}
	p.at += len("<!--") + end + len("-->")
	return nil
}

// instruction reads a processing instruction, or the declaration of the document. Both are of no effect.
func (p *parser) instruction() error {
	begin := p.at
	p.at += 2
	target, err := p.bare()
	if err != nil {
		return err
	}
	body := p.in[p.at:]
	end := bytes.Index(body, []byte("?>"))
	if end < 0 {
		return p.fail("a processing instruction that is not closed")
	}
	if end > 0 && !p.skipSpace() {
		return p.fail("expected a space")
	}
	if target == "xml" && (begin != 0 || !declaration(string(body[:end]))) {
		return p.fail("the declaration is not that of XML 1.0 in UTF-8 at the start")
	}
	p.at = len(p.in) - len(body) + end + len("?>")
	return nil
}

// declaration reads what stands in <?xml ...?> after its name: version, encoding and standalone, in that order.
func declaration(s string) bool {
	for i, want := range []struct {
		name   string
		values []string
	}{{"version", []string{"1.0"}}, {"encoding", []string{"utf-8"}}, {"standalone", []string{"yes", "no"}}} {
		rest, ok := strings.CutPrefix(strings.TrimLeft(s, " \t\r\n"), want.name)
		if !ok {
			if i == 0 {
				return false
			}
			continue
		}
		rest, ok = strings.CutPrefix(strings.TrimLeft(rest, " \t\r\n"), "=")
		if rest = strings.TrimLeft(rest, " \t\r\n"); !ok || rest == "" || rest[0] != '"' && rest[0] != '\'' {
			return false
		}
		value, after, ok := strings.Cut(rest[1:], rest[:1])
		known := false
		for _, v := range want.values {
			known = known || strings.EqualFold(v, value)
		}
		if !ok || !known {
			return false
		}
		s = after
	}
	return strings.Trim(s, " \t\r\n") == ""
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
