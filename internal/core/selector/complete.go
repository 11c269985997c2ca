package selector

import (
	"slices"
	"strings"
)

// Candidate is a way to go on at a place of a text.
type Candidate struct {
	Text string // what to put there
	Help string
}

// Completion is what may stand in a part of a text instead of what stands there.
type Completion struct {
	From, To   int // the part, in characters from 0
	Candidates []Candidate
}

// maxCandidates bounds a completion.
const maxCandidates = 50

// Complete tells how the text may go on at a place, given in characters from 0. values lists the values that a field
// has at present; it may be nil.
func (l *Language) Complete(text string, at int, values func(f *Field) []string) Completion {
	runes := []rune(text)
	at = max(0, min(at, len(runes)))
	before, quoted, inQuotes := string(runes[:at]), "", false
	if strings.Count(before, `"`)%2 == 1 {
		i := strings.LastIndexByte(before, '"')
		before, quoted, inQuotes = before[:i], before[i+1:], true
	}
	tokens, err := scan(before)
	if err != nil {
		return Completion{From: at, To: at}
	}
	tokens = tokens[:len(tokens)-1]
	if inQuotes {
		from := at - len([]rune(quoted)) - 1
		return l.complete(tokens, from, at, quoted, values)
	}
	if n := len(tokens); n > 0 && tokens[n-1].end == at && tokens[n-1].kind == wordToken {
		return l.complete(tokens[:n-1], tokens[n-1].at, at, tokens[n-1].text, values)
	}
	return l.complete(tokens, at, at, "", values)
}

// complete lists what may come after the tokens and begins with prefix.
func (l *Language) complete(tokens []token, from, to int, prefix string, values func(f *Field) []string) Completion {
	c := Completion{From: from, To: to}
	add := func(text, help string) {
		if len(c.Candidates) < maxCandidates && strings.HasPrefix(strings.TrimPrefix(Fold(text), `"`), Fold(prefix)) {
			c.Candidates = append(c.Candidates, Candidate{text, help})
		}
	}
	if f := l.valueOf(tokens); f != nil {
		list := slices.Clone(f.Choices)
		switch {
		case f.Type == Flag:
			list = []string{"true", "false"}
		case len(list) == 0 && values != nil:
			list = values(f)
		}
		for _, v := range list {
			if v != "" {
				add(Quote(v), "")
			}
		}
		return c
	}
	last := token{kind: endToken}
	if len(tokens) > 0 {
		last = tokens[len(tokens)-1]
	}
	if f := l.Field(last.text); f != nil && last.kind == wordToken && !l.isValue(tokens) {
		for _, o := range operators[f.Type] {
			add(string(o), opHelp[o])
		}
		return c
	}
	if last.kind != endToken && last.kind != openToken && !last.is("and") && !last.is("or") && !last.is("not") {
		add("and", "both must hold")
		add("or", "one must hold")
	}
	add("not", "the contrary")
	for _, f := range l.fields {
		add(f.Name, f.Help)
	}
	return c
}

var opHelp = map[Op]string{
	Equal: "is", NotEqual: "is not", Like: "is like: * any text, ? one character", NotLike: "is not like", Less: "less than",
	AtMost: "at most", More: "more than", AtLeast: "at least", In: "is one of (…, …)", NotIn: "is none of (…, …)",
}

// valueOf returns the field for which a value comes next after the tokens, or nil.
func (l *Language) valueOf(tokens []token) *Field {
	n := len(tokens)
	if n == 0 {
		return nil
	}
	switch last := tokens[n-1]; {
	case last.kind == opToken && n > 1:
		return l.Field(tokens[n-2].text)
	case last.is("in") && n > 1:
		return l.fieldBeforeIn(tokens[:n-1])
	case last.kind == openToken && n > 1 && tokens[n-2].is("in"):
		return l.fieldBeforeIn(tokens[:n-2])
	case last.kind == commaToken:
		for i := n - 1; i > 0; i-- {
			if tokens[i].kind == openToken {
				return l.valueOf(tokens[:i+1])
			}
		}
	}
	return nil
}

func (l *Language) fieldBeforeIn(tokens []token) *Field {
	n := len(tokens)
	if n > 1 && tokens[n-1].is("not") {
		n--
	}
	if n == 0 {
		return nil
	}
	return l.Field(tokens[n-1].text)
}

// isValue tells whether the last token is the value of a comparison.
func (l *Language) isValue(tokens []token) bool { return l.valueOf(tokens[:len(tokens)-1]) != nil }
