package selector

import (
	"fmt"
	"strings"
	"time"
)

// The SQL functions that a compiled expression calls, besides those that SQLite has. Whoever runs it must provide them:
//
//	selector_fold(text)               Fold
//	selector_glob(pattern, text)      Glob, 1 or 0
//	selector_version(a, b)            CompareVersions
//	selector_address(address, value)  AddressIs with a value as it is written, 1 or 0
const (
	FoldFunction    = "selector_fold"
	GlobFunction    = "selector_glob"
	VersionFunction = "selector_version"
	AddressFunction = "selector_address"
)

// KeptError tells that a field is known only of now, so that what is kept cannot be asked for it.
type KeptError struct{ Field string }

func (e *KeptError) Error() string {
	return fmt.Sprintf("`%s` is known only of this moment: what happened before cannot be picked by it", e.Field)
}

// Tables tells where what is asked for is kept.
type Tables interface {
	// Column is the SQL expression of a field's value, of the JSON array of its values where there are many, "" where it is
	// not kept. Ages are in seconds since 1970.
	Column(f *Field) string
	// Words is the SQL expression of the text, in small letters, that bare words are looked for in.
	Words(n Noun) string
	// Bound tells whether a noun is determined by the subject, so that its table is in the query already.
	Bound(subject, n Noun) bool
	// Join returns the table of a noun with the condition by which it belongs to what is there: "ports p ON p.device = d.name".
	Join(subject, n Noun) string
}

// Compile turns an expression of the language into a condition of SQL and its arguments, for a query of the subject.
func Compile(e Expr, subject Noun, t Tables, now time.Time) (condition string, args []any, err error) {
	c := compiler{tables: t, subject: subject, now: float64(now.UnixMicro()) / 1e6}
	c.expr(e)
	if c.err != nil {
		return "", nil, c.err
	}
	var joins strings.Builder
	for _, n := range open(e, func(n Noun) bool { return t.Bound(subject, n) }) {
		joins.WriteString(" LEFT JOIN " + t.Join(subject, n))
	}
	if joins.Len() > 0 {
		return "EXISTS (SELECT 1 FROM (SELECT 1)" + joins.String() + " WHERE " + c.b.String() + ")", c.args, nil
	}
	return c.b.String(), c.args, nil
}

type compiler struct {
	tables  Tables
	subject Noun
	now     float64
	b       strings.Builder
	args    []any
	err     error
}

func (c *compiler) write(s string, args ...any) {
	c.b.WriteString(s)
	c.args = append(c.args, args...)
}

func (c *compiler) expr(e Expr) {
	switch e := e.(type) {
	case And:
		c.list(e, " AND ")
	case Or:
		c.list(e, " OR ")
	case Not:
		c.write("NOT (")
		c.expr(e.Of)
		c.write(")")
	case *Compare:
		c.compare(e)
	case Word:
		c.write("instr("+c.tables.Words(c.subject)+", ?) > 0", Fold(string(e)))
	default:
		c.write("1")
	}
}

func (c *compiler) list(parts []Expr, between string) {
	c.write("(")
	for i, p := range parts {
		if i > 0 {
			c.write(between)
		}
		c.expr(p)
	}
	c.write(")")
}

func (c *compiler) compare(e *Compare) {
	f := e.Field
	column := c.tables.Column(f)
	if column == "" {
		c.err = &KeptError{Field: f.Name}
		return
	}
	op, positive := e.Op.positive()
	if !positive {
		c.write("NOT ")
	}
	if f.Many {
		c.write("EXISTS (SELECT 1 FROM json_each(coalesce(" + column + ", '[]')) WHERE ")
		c.datum(f, "value", op, e.Values)
		c.write(")")
		return
	}
	c.write("(")
	c.datum(f, column, op, e.Values)
	c.write(")")
}

// datum writes the test of one value. It is never NULL.
func (c *compiler) datum(f *Field, column string, op Op, values []Value) {
	v := values[0]
	switch {
	case op == Like:
		c.write(GlobFunction+"(?, "+FoldFunction+"(coalesce("+column+", '')))", v.folded)
		return
	case op == In:
		for i := range values {
			if i > 0 {
				c.write(" OR ")
			}
			c.datum(f, column, Equal, values[i:i+1])
		}
		return
	}
	switch f.Type {
	case Number, Flag:
		c.write("coalesce("+column+" "+string(op)+" ?, 0)", v.number)
	case Age:
		c.write("coalesce(? - "+column+" "+string(op)+" ?, 0)", c.now, v.number)
	case Version:
		c.write("(coalesce("+column+", '') != '' AND "+VersionFunction+"("+column+", ?) "+string(op)+" 0)", v.Text)
	case Address:
		c.write(AddressFunction+"(coalesce("+column+", ''), ?)", v.Text)
	default:
		c.write(FoldFunction+"(coalesce("+column+", '')) = ?", v.folded)
	}
}
