package selector

import (
	"net/netip"
	"slices"
	"strings"
	"time"
	"unicode/utf8"
)

// Fold brings a text into the form in which case does not count.
func Fold(s string) string { return strings.ToLower(s) }

// Rows is one thing of each noun that an expression may speak of; nil where there is none.
type Rows [nouns]any

// Matcher is an expression made ready to be matched many times. It is safe for concurrent use.
type Matcher struct {
	test func(*Rows) bool
	expr Expr
}

// Matcher makes an expression ready. Bare words are looked for in the text of subject; ages are counted from now.
func (l *Language) Matcher(e Expr, subject Noun, now time.Time) *Matcher {
	return &Matcher{test: l.test(e, subject, float64(now.UnixMicro())/1e6), expr: e}
}

// Match tells whether the rows make the expression true.
func (m *Matcher) Match(r *Rows) bool { return m.test(r) }

// Open lists the nouns that an expression speaks of and that are not bound, with those of which they are parts: for a site
// and the property of a port, device and port.
func (m *Matcher) Open(bound func(Noun) bool) []Noun { return open(m.expr, bound) }

func open(e Expr, bound func(Noun) bool) []Noun {
	var out []Noun
	asked := NounsOf(e)
	for n := range nouns {
		if !bound(n) && slices.ContainsFunc(asked, func(a Noun) bool { return a.Determines(n) }) {
			out = append(out, n)
		}
	}
	return out
}

// Some tells whether there is a way to fill in the open nouns so that the expression is true. related lists what of a
// noun belongs to what is filled in so far; where it lists nothing the noun stays open.
func (m *Matcher) Some(rows Rows, open []Noun, related func(*Rows, Noun) []any) bool {
	return m.some(&rows, open, related)
}

func (m *Matcher) some(rows *Rows, open []Noun, related func(*Rows, Noun) []any) bool {
	if len(open) == 0 {
		return m.test(rows)
	}
	n := open[0]
	list := related(rows, n)
	if len(list) == 0 {
		rows[n] = nil
		return m.some(rows, open[1:], related)
	}
	for _, row := range list {
		rows[n] = row
		if m.some(rows, open[1:], related) {
			return true
		}
	}
	rows[n] = nil
	return false
}

func (l *Language) test(e Expr, subject Noun, now float64) func(*Rows) bool {
	switch e := e.(type) {
	case And:
		parts := l.tests(e, subject, now)
		return func(r *Rows) bool {
			for _, p := range parts {
				if !p(r) {
					return false
				}
			}
			return true
		}
	case Or:
		parts := l.tests(e, subject, now)
		return func(r *Rows) bool {
			for _, p := range parts {
				if p(r) {
					return true
				}
			}
			return false
		}
	case Not:
		of := l.test(e.Of, subject, now)
		return func(r *Rows) bool { return !of(r) }
	case *Compare:
		return e.test(now)
	case Word:
		f, word := l.texts[subject], Fold(string(e))
		return func(r *Rows) bool { return r[subject] != nil && strings.Contains(f.Get(r[subject]).Text, word) }
	}
	return func(*Rows) bool { return true }
}

func (l *Language) tests(list []Expr, subject Noun, now float64) []func(*Rows) bool {
	out := make([]func(*Rows) bool, len(list))
	for i, e := range list {
		out[i] = l.test(e, subject, now)
	}
	return out
}

func (e *Compare) test(now float64) func(*Rows) bool {
	op, positive := e.Op.positive()
	one := e.Field.datumTest(op, e.Values, now)
	noun, get, getMany := e.Field.Noun, e.Field.Get, e.Field.GetMany
	if e.Field.Many {
		return func(r *Rows) bool {
			if r[noun] != nil {
				for _, d := range getMany(r[noun]) {
					if one(d) {
						return positive
					}
				}
			}
			return !positive
		}
	}
	return func(r *Rows) bool {
		var d Datum
		if r[noun] != nil {
			d = get(r[noun])
		}
		return one(d) == positive
	}
}

// datumTest makes the test of one value for a positive comparison.
func (f *Field) datumTest(op Op, values []Value, now float64) func(Datum) bool {
	v := values[0]
	switch {
	case op == Like:
		return func(d Datum) bool { return Glob(v.folded, Fold(d.Text)) }
	case op == In:
		tests := make([]func(Datum) bool, len(values))
		for i, v := range values {
			tests[i] = f.datumTest(Equal, []Value{v}, now)
		}
		return func(d Datum) bool {
			for _, t := range tests {
				if t(d) {
					return true
				}
			}
			return false
		}
	}
	switch f.Type {
	case Number, Flag:
		return func(d Datum) bool { return d.Known && holds(op, d.Number, v.number) }
	case Age:
		return func(d Datum) bool { return d.Known && holds(op, now-d.Number, v.number) }
	case Version:
		return func(d Datum) bool { return d.Text != "" && holds(op, CompareVersions(d.Text, v.Text), 0) }
	case Address:
		return func(d Datum) bool { return AddressIs(d.Text, v.prefix, v.folded) }
	}
	return func(d Datum) bool { return foldedIs(d.Text, v.folded) }
}

// foldedIs tells whether Fold(text) is folded, without making it where the text is plain.
func foldedIs(text, folded string) bool {
	for i := range len(text) {
		c := text[i]
		if c >= utf8.RuneSelf {
			return Fold(text) == folded
		}
		if 'A' <= c && c <= 'Z' {
			c += 'a' - 'A'
		}
		if i >= len(folded) || c != folded[i] {
			return !plain(text[i:]) && Fold(text) == folded
		}
	}
	return len(text) == len(folded)
}

// plain tells whether a text is ASCII.
func plain(s string) bool {
	for i := range len(s) {
		if s[i] >= utf8.RuneSelf {
			return false
		}
	}
	return true
}

func holds[N int | float64](op Op, a, b N) bool {
	switch op {
	case Equal:
		return a == b
	case Less:
		return a < b
	case AtMost:
		return a <= b
	case More:
		return a > b
	case AtLeast:
		return a >= b
	}
	return false
}

// Glob tells whether a text is as a pattern says, in which * stands for any text and ? for one character.
func Glob(pattern, text string) bool {
	star, mark := -1, 0
	p, t := 0, 0
	for t < len(text) {
		_, size := utf8.DecodeRuneInString(text[t:])
		switch {
		case p < len(pattern) && pattern[p] == '*':
			star, mark = p, t
			p++
		case p < len(pattern) && pattern[p] == '?':
			p++
			t += size
		case p < len(pattern) && strings.HasPrefix(pattern[p:], text[t:t+size]):
			p += size
			t += size
		case star >= 0:
			_, skip := utf8.DecodeRuneInString(text[mark:])
			mark += skip
			p, t = star+1, mark
		default:
			return false
		}
	}
	return strings.Trim(pattern[p:], "*") == ""
}

// CompareVersions orders versions part by part: numbers as numbers, the rest as text without case; a part that is missing
// is 0. What stands between the parts does not count: 4.1-2 is 4.1.2.
func CompareVersions(a, b string) int {
	for a != "" || b != "" {
		var pa, pb string
		pa, a = versionPart(a)
		pb, b = versionPart(b)
		if c := comparePart(pa, pb); c != 0 {
			return c
		}
	}
	return 0
}

// versionPart cuts off the first run of digits, or of anything but digits and separators.
func versionPart(s string) (part, rest string) {
	s = strings.TrimLeft(s, ".-_+ ")
	n := 0
	digit := s != "" && isDigit(s[0])
	for n < len(s) && isDigit(s[n]) == digit && !strings.ContainsRune(".-_+ ", rune(s[n])) {
		n++
	}
	return s[:n], s[n:]
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

// comparePart orders two parts; words such as "rc" come before numbers, so that 4.2rc1 is older than 4.2.
func comparePart(a, b string) int {
	if a == "" {
		a = "0"
	}
	if b == "" {
		b = "0"
	}
	na, nb := isDigit(a[0]), isDigit(b[0])
	switch {
	case na && nb:
		a, b = strings.TrimLeft(a, "0"), strings.TrimLeft(b, "0")
		if len(a) != len(b) {
			return len(a) - len(b)
		}
		return strings.Compare(a, b)
	case na:
		return 1
	case nb:
		return -1
	}
	return strings.Compare(Fold(a), Fold(b))
}

// ParsePrefix reads an address or a prefix as the value of an address field. What is neither is the zero prefix.
func ParsePrefix(s string) netip.Prefix {
	if p, err := netip.ParsePrefix(s); err == nil {
		return p.Masked()
	}
	if a, err := netip.ParseAddr(s); err == nil && a.Zone() == "" {
		return netip.PrefixFrom(a, a.BitLen())
	}
	return netip.Prefix{}
}

// AddressIs tells whether an address is the one asked for, or in the prefix asked for; what is no address is compared as
// text.
func AddressIs(address string, prefix netip.Prefix, folded string) bool {
	if prefix.IsValid() {
		a, err := netip.ParseAddr(address)
		return err == nil && prefix.Contains(a.WithZone(""))
	}
	return Fold(address) == folded
}
