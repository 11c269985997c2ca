package selector

// Fields lists the fields that an expression asks for, in the order of asking.
func Fields(e Expr) []*Field {
	var out []*Field
	walk(e, func(c *Compare) { out = append(out, c.Field) })
	return out
}

// Replace returns the expression with every comparison replaced by what f makes of it.
func Replace(e Expr, f func(*Compare) Expr) Expr {
	switch e := e.(type) {
	case And:
		out := make(And, len(e))
		for i, p := range e {
			out[i] = Replace(p, f)
		}
		return out
	case Or:
		out := make(Or, len(e))
		for i, p := range e {
			out[i] = Replace(p, f)
		}
		return out
	case Not:
		return Not{Of: Replace(e.Of, f)}
	case *Compare:
		return f(e)
	}
	return e
}

// Expand makes, of a comparison with a name that stands for something, what it stands for: pick is given the test of a name,
// and returns what is picked by the names that pass. A negative comparison becomes the contrary of that.
func Expand(c *Compare, pick func(matches func(name string) bool) Expr) Expr {
	op, positive := c.Op.positive()
	test := c.Field.datumTest(op, c.Values, 0)
	e := pick(func(name string) bool { return test(Of(name)) })
	if positive {
		return e
	}
	return Not{Of: e}
}
