package xmlnode

import (
	"bytes"
	"strconv"
	"strings"
	"unicode/utf8"
)

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
