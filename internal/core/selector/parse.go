package selector

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Limits on an expression.
const (
	MaxLength = 4000 // bytes of text
	maxTerms  = 500
	maxDepth  = 50
)

// Error tells where an expression is wrong and what was expected there.
type Error struct {
	At, End int    // the place, in characters from 0
	Problem string // such as: unknown field `prot`
	Hint    string // such as: did you mean `port`?
}

func (e *Error) Error() string {
	s := fmt.Sprintf("%s at %d", e.Problem, e.At+1)
	if e.Hint != "" {
		s += ": " + e.Hint
	}
	return s
}

type tokenKind int

const (
	wordToken tokenKind = iota
	quotedToken
	opToken
	openToken
	closeToken
	commaToken
	endToken
)

type token struct {
	kind    tokenKind
	text    string
	at, end int // characters from 0
}

func (t token) is(keyword string) bool {
	return t.kind == wordToken && strings.EqualFold(t.text, keyword)
}

func (t token) say() string {
	switch t.kind {
	case endToken:
		return "the end"
	case quotedToken:
		return fmt.Sprintf("%q", t.text)
	}
	return "`" + t.text + "`"
}

var keywords = map[string]bool{"and": true, "or": true, "not": true, "in": true}

// special reports whether a character ends a bare word.
func special(r rune) bool {
	return unicode.IsSpace(r) || !unicode.IsPrint(r) || strings.ContainsRune(`()=!~<>",\`, r)
}

// scan cuts a text into tokens. The last one is the end.
func scan(text string) ([]token, error) {
	if len(text) > MaxLength {
		return nil, &Error{At: 0, End: 0, Problem: fmt.Sprintf("an expression of more than %d bytes", MaxLength), Hint: "shorten it, or save a part of it as a group"}
	}
	if !utf8.ValidString(text) {
		return nil, &Error{Problem: "text that is not UTF-8"}
	}
	var out []token
	runes := []rune(text)
	for i := 0; i < len(runes); {
		r, at := runes[i], i
		switch {
		case unicode.IsSpace(r):
			i++
			continue
		case r == '(', r == ')', r == ',':
			kind := map[rune]tokenKind{'(': openToken, ')': closeToken, ',': commaToken}[r]
			i++
			out = append(out, token{kind, string(r), at, i})
		case r == '"':
			var b strings.Builder
			for i++; i < len(runes) && runes[i] != '"'; i++ {
				if runes[i] == '\\' && i+1 < len(runes) {
					i++
				}
				b.WriteRune(runes[i])
			}
			if i == len(runes) {
				return nil, &Error{At: at, End: i, Problem: "a quotation that does not end", Hint: `put a " at its end`}
			}
			i++
			out = append(out, token{quotedToken, b.String(), at, i})
		case strings.ContainsRune("=!~<>", r):
			i++
			if i < len(runes) && (runes[i] == '=' && strings.ContainsRune("!<>", r) || runes[i] == '~' && r == '!') {
				i++
			}
			op := string(runes[at:i])
			if op == "!" {
				return nil, &Error{At: at, End: i, Problem: "a lone `!`", Hint: "write `not`, `!=` or `!~`"}
			}
			out = append(out, token{opToken, op, at, i})
		case special(r):
			return nil, &Error{At: at, End: at + 1, Problem: fmt.Sprintf("the character %q", r), Hint: "put it in quotes"}
		default:
			for i < len(runes) && !special(runes[i]) {
				i++
			}
			out = append(out, token{wordToken, string(runes[at:i]), at, i})
		}
	}
	return append(out, token{kind: endToken, at: len(runes), end: len(runes)}), nil
}

// Parse reads an expression. What is wrong with it is told by an *Error.
func (l *Language) Parse(text string) (Expr, error) {
	tokens, err := scan(text)
	if err != nil {
		return nil, err
	}
	p := &parser{language: l, tokens: tokens}
	if p.peek().kind == endToken {
		return All{}, nil
	}
	e, err := p.or()
	if err != nil {
		return nil, err
	}
	if t := p.peek(); t.kind != endToken {
		return nil, fault(t, "unexpected "+t.say(), "expected `and`, `or` or the end")
	}
	return e, nil
}

type parser struct {
	language     *Language
	tokens       []token
	at           int
	terms, depth int
}

func fault(t token, problem, hint string) error {
	return &Error{At: t.at, End: t.end, Problem: problem, Hint: hint}
}

func (p *parser) peek() token { return p.tokens[p.at] }

func (p *parser) next() token {
	t := p.tokens[p.at]
	if t.kind != endToken {
		p.at++
	}
	return t
}

func (p *parser) or() (Expr, error) {
	var out Or
	for {
		e, err := p.and()
		if err != nil {
			return nil, err
		}
		out = append(out, e)
		if !p.peek().is("or") {
			break
		}
		p.next()
	}
	if len(out) == 1 {
		return out[0], nil
	}
	return flatten(out, func(e Expr) (Or, bool) { o, ok := e.(Or); return o, ok }), nil
}

func (p *parser) and() (Expr, error) {
	var out And
	for {
		e, err := p.not()
		if err != nil {
			return nil, err
		}
		out = append(out, e)
		t := p.peek()
		if t.is("and") {
			p.next()
			continue
		}
		if t.kind == endToken || t.kind == closeToken || t.is("or") {
			break
		}
	}
	if len(out) == 1 {
		return out[0], nil
	}
	return flatten(out, func(e Expr) (And, bool) { a, ok := e.(And); return a, ok }), nil
}

// flatten puts the parts of an inner And or Or into the outer one, which means the same.
func flatten[E ~[]Expr](list E, same func(Expr) (E, bool)) E {
	var out E
	for _, e := range list {
		if inner, ok := same(e); ok {
			out = append(out, inner...)
		} else {
			out = append(out, e)
		}
	}
	return out
}

func (p *parser) not() (Expr, error) {
	t := p.peek()
	if p.depth++; p.depth > maxDepth {
		return nil, fault(t, "an expression that is nested too deep", fmt.Sprintf("at most %d levels can be read", maxDepth))
	}
	defer func() { p.depth-- }()
	switch {
	case t.is("not"):
		p.next()
		e, err := p.not()
		if err != nil {
			return nil, err
		}
		return Not{e}, nil
	case t.kind == openToken:
		p.next()
		e, err := p.or()
		if err != nil {
			return nil, err
		}
		if end := p.next(); end.kind != closeToken {
			return nil, fault(end, "unexpected "+end.say(), fmt.Sprintf("expected `)` for the `(` at %d", t.at+1))
		}
		return e, nil
	}
	return p.term()
}

func (p *parser) term() (Expr, error) {
	if p.terms++; p.terms > maxTerms {
		return nil, fault(p.peek(), "too many terms", fmt.Sprintf("at most %d can be read; use `in` with a list", maxTerms))
	}
	t := p.next()
	switch {
	case t.kind == quotedToken:
		if t.text == "" {
			return nil, fault(t, "an empty word", "write what is to be looked for")
		}
		if next := p.peek(); next.kind == opToken {
			return nil, fault(next, "unexpected "+next.say(), "a field stands without quotes")
		}
		return Word(t.text), nil
	case t.kind != wordToken, t.is("and"), t.is("or"), t.is("in"):
		return nil, fault(t, "unexpected "+t.say(), "expected a field such as `kind`, a word, `not` or `(`")
	}
	op, opAt := p.operator()
	if op == "" {
		return Word(t.text), nil
	}
	f := p.language.Field(t.text)
	if f == nil {
		hint := "`everypost fields` lists what there is"
		if near := nearest(t.text, p.language.names()); near != "" {
			hint = "did you mean `" + near + "`?"
		}
		return nil, fault(t, "unknown field "+t.say(), hint)
	}
	if !slices.Contains(operators[f.Type], op) {
		return nil, fault(opAt, fmt.Sprintf("`%s` does not go with `%s`", op, f.Name), fmt.Sprintf("it is a %s: use %s", f.Type, listOps(f.Type)))
	}
	return p.compare(f, op)
}

func (l *Language) names() []string {
	out := make([]string, len(l.fields))
	for i, f := range l.fields {
		out[i] = f.Name
	}
	return out
}

func listOps(t Type) string {
	words := make([]string, 0, len(operators[t]))
	for _, o := range operators[t] {
		words = append(words, string(o))
	}
	return strings.Join(words[:len(words)-1], " ") + " or " + words[len(words)-1]
}

// operator takes an operator if one comes.
func (p *parser) operator() (Op, token) {
	t := p.peek()
	switch {
	case t.kind == opToken:
		p.next()
		return Op(t.text), t
	case t.is("in"):
		p.next()
		return In, t
	case t.is("not") && p.tokens[p.at+1].is("in"):
		p.next()
		p.next()
		return NotIn, t
	}
	return "", t
}

func (p *parser) compare(f *Field, op Op) (Expr, error) {
	c := &Compare{Field: f, Op: op}
	if op != In && op != NotIn {
		v, err := p.value(f, op)
		c.Values = []Value{v}
		return c, err
	}
	if p.peek().kind != openToken { // in 10.40.0.0/16
		v, err := p.value(f, op)
		c.Values = []Value{v}
		return c, err
	}
	open := p.next()
	for {
		v, err := p.value(f, op)
		if err != nil {
			return nil, err
		}
		c.Values = append(c.Values, v)
		switch t := p.next(); t.kind {
		case commaToken:
		case closeToken:
			return c, nil
		default:
			return nil, fault(t, "unexpected "+t.say(), fmt.Sprintf("expected `,` or `)` for the `(` at %d", open.at+1))
		}
	}
}

func (p *parser) value(f *Field, op Op) (Value, error) {
	t := p.next()
	if t.kind != wordToken && t.kind != quotedToken {
		return Value{}, fault(t, "unexpected "+t.say(), fmt.Sprintf("expected a value for `%s`%s", f.Name, example(f)))
	}
	v, want := f.value(t.text)
	if want != "" && op != Like && op != NotLike {
		return v, fault(t, fmt.Sprintf("%s is no value for `%s`", t.say(), f.Name), "expected "+want)
	}
	if f.Type == Choice && op != Like && op != NotLike && t.text != "" && !slices.Contains(f.Choices, v.folded) {
		hint := "it is one of " + strings.Join(f.Choices, ", ")
		if near := nearest(t.text, f.Choices); near != "" {
			hint = "did you mean `" + near + "`?"
		}
		return v, fault(t, fmt.Sprintf("%s is no value for `%s`", t.say(), f.Name), hint)
	}
	return v, nil
}

func example(f *Field) string {
	switch f.Type {
	case Choice:
		return ": " + strings.Join(f.Choices, ", ")
	case Flag:
		return ": true or false"
	case Age:
		return " such as 2h"
	case Number:
		return ", a number"
	}
	return ""
}
