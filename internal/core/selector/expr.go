package selector

import (
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Op is a comparison.
type Op string

// The comparisons.
const (
	Equal    Op = "="
	NotEqual Op = "!="
	Like     Op = "~" // a glob: * stands for any text, ? for one character
	NotLike  Op = "!~"
	Less     Op = "<"
	AtMost   Op = "<="
	More     Op = ">"
	AtLeast  Op = ">="
	In       Op = "in"
	NotIn    Op = "not in"
)

// positive is the comparison of which a negative one is the contrary.
func (o Op) positive() (Op, bool) {
	switch o {
	case NotEqual:
		return Equal, false
	case NotLike:
		return Like, false
	case NotIn:
		return In, false
	}
	return o, true
}

// Expr is a parsed expression: All, And, Or, Not, *Compare or Word. String gives it back as text that parses to the same.
type Expr interface {
	String() string
	expr()
}

// All picks everything: the empty text.
type All struct{}

// And picks what all of them pick.
type And []Expr

// Or picks what one of them picks.
type Or []Expr

// Not picks what the other does not.
type Not struct{ Of Expr }

// Compare holds a field against values: several with In and NotIn, else one.
type Compare struct {
	Field  *Field
	Op     Op
	Values []Value
}

// Word looks for a text in what stands for the thing: its name, description, address, serial number, model, tags.
type Word string

// Value is a value in an expression, read as its field's type wants it.
type Value struct {
	Text   string // as it was written
	folded string
	number float64 // of Number, Flag; of Age the seconds
	prefix netip.Prefix
}

func (All) expr()      {}
func (And) expr()      {}
func (Or) expr()       {}
func (Not) expr()      {}
func (*Compare) expr() {}
func (Word) expr()     {}

func (All) String() string { return "" }

func (e And) String() string {
	parts := make([]string, len(e))
	for i, p := range e {
		parts[i] = bracket(p, func(p Expr) bool { _, or := p.(Or); return or })
	}
	return strings.Join(parts, " and ")
}

func (e Or) String() string {
	parts := make([]string, len(e))
	for i, p := range e {
		parts[i] = p.String()
	}
	return strings.Join(parts, " or ")
}

func (e Not) String() string {
	return "not " + bracket(e.Of, func(p Expr) bool {
		switch p.(type) {
		case And, Or:
			return true
		}
		return false
	})
}

func bracket(e Expr, needed func(Expr) bool) string {
	if needed(e) {
		return "(" + e.String() + ")"
	}
	return e.String()
}

func (e *Compare) String() string {
	values := make([]string, len(e.Values))
	for i, v := range e.Values {
		values[i] = Quote(v.Text)
	}
	text := strings.Join(values, ", ")
	if e.Op == In || e.Op == NotIn {
		text = "(" + text + ")"
	}
	return e.Field.Name + " " + string(e.Op) + " " + text
}

func (e Word) String() string { return Quote(string(e)) }

// Quote writes a value so that it is read as one: in quotes where it needs them.
func Quote(s string) string {
	if s != "" && !strings.ContainsFunc(s, special) && !keywords[strings.ToLower(s)] {
		return s
	}
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(s) + `"`
}

// NounsOf lists the nouns whose properties an expression asks for, the whole before the part.
func NounsOf(e Expr) []Noun {
	var has [nouns]bool
	walk(e, func(c *Compare) { has[c.Field.Noun] = true })
	var out []Noun
	for n, is := range has {
		if is {
			out = append(out, Noun(n))
		}
	}
	return out
}

// HasWords tells whether a bare word stands in an expression.
func HasWords(e Expr) bool {
	switch e := e.(type) {
	case And:
		return slices.ContainsFunc(e, HasWords)
	case Or:
		return slices.ContainsFunc(e, HasWords)
	case Not:
		return HasWords(e.Of)
	case Word:
		return true
	}
	return false
}

// walk calls f for every comparison.
func walk(e Expr, f func(*Compare)) {
	switch e := e.(type) {
	case And:
		for _, p := range e {
			walk(p, f)
		}
	case Or:
		for _, p := range e {
			walk(p, f)
		}
	case Not:
		walk(e.Of, f)
	case *Compare:
		f(e)
	}
}

// Is makes the comparison that a field equals a text, whatever stands in that: it is not read as an expression.
func Is(f *Field, text string) Expr {
	v, _ := f.value(text)
	return &Compare{Field: f, Op: Equal, Values: []Value{v}}
}

// Both picks what both expressions pick.
func Both(a, b Expr) Expr {
	var out And
	for _, e := range []Expr{a, b} {
		switch e := e.(type) {
		case nil, All:
		case And:
			out = append(out, e...)
		default:
			out = append(out, e)
		}
	}
	switch len(out) {
	case 0:
		return All{}
	case 1:
		return out[0]
	}
	return out
}

// value reads a value as the type of its field wants it, or tells what is wanted.
func (f *Field) value(text string) (v Value, want string) {
	v = Value{Text: text, folded: Fold(text)}
	switch f.Type {
	case Number:
		n, err := strconv.ParseFloat(text, 64)
		if err != nil || n != n || n > 1e300 || n < -1e300 {
			return v, "a number"
		}
		v.number = n
	case Flag:
		switch v.folded {
		case "true", "yes":
			v.number = 1
		case "false", "no":
		default:
			return v, "true or false"
		}
	case Age:
		d, ok := ParseAge(v.folded)
		if !ok {
			return v, "a time such as 30s, 15m, 2h, 7d or 4w"
		}
		v.number = d.Seconds()
	case Address:
		v.prefix = ParsePrefix(text)
	}
	return v, ""
}

var ageUnits = map[byte]time.Duration{
	's': time.Second, 'm': time.Minute, 'h': time.Hour, 'd': 24 * time.Hour, 'w': 7 * 24 * time.Hour,
}

// ParseAge reads a stretch of time as selectors write them: 90m, 24h, 7d.
func ParseAge(s string) (time.Duration, bool) {
	if len(s) < 2 {
		return 0, false
	}
	unit, ok := ageUnits[s[len(s)-1]]
	n, err := strconv.ParseUint(s[:len(s)-1], 10, 16)
	return time.Duration(n) * unit, ok && err == nil
}
