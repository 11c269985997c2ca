package selector

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// thing is a device of these tests, leg one of its ports.
type thing struct {
	name, kind, firmware, address, words string
	tags                                 []string
	booted                               float64
}

type leg struct {
	name  string
	up    bool
	watts float64
	known bool
}

func things(get func(*thing) Datum) func(any) Datum {
	return func(r any) Datum { return get(r.(*thing)) }
}

func legs(get func(*leg) Datum) func(any) Datum { return func(r any) Datum { return get(r.(*leg)) } }

var language = NewLanguage([]*Field{
	{Noun: Device, Type: Text, Get: things(func(t *thing) Datum { return Of(Fold(t.words)) })},
	{Name: "name", Noun: Device, Type: Text, Get: things(func(t *thing) Datum { return Of(t.name) })},
	{Name: "kind", Noun: Device, Type: Choice, Choices: []string{"switch", "firewall", "edge"}, Get: things(func(t *thing) Datum { return Of(t.kind) })},
	{Name: "firmware", Noun: Device, Type: Version, Get: things(func(t *thing) Datum { return Of(t.firmware) })},
	{Name: "address", Noun: Device, Type: Address, Get: things(func(t *thing) Datum { return Of(t.address) })},
	{Name: "up", Noun: Device, Type: Age, Get: things(func(t *thing) Datum { return Datum{Number: t.booted, Known: t.booted != 0} })},
	{Name: "tag", Noun: Device, Type: Text, Many: true, GetMany: func(r any) []Datum {
		var out []Datum
		for _, t := range r.(*thing).tags {
			out = append(out, Of(t))
		}
		return out
	}},
	{Name: "port", Noun: Port, Type: Text, Get: legs(func(l *leg) Datum { return Of(l.name) })},
	{Name: "port.up", Noun: Port, Type: Flag, Get: legs(func(l *leg) Datum { return OfFlag(l.up) })},
	{Name: "port.poe.watts", Noun: Port, Type: Number, Get: legs(func(l *leg) Datum { return Datum{Number: l.watts, Known: l.known} })},
})

var noon = time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)

func ago(d time.Duration) float64 { return float64(noon.Add(-d).Unix()) }

func TestMatch(t *testing.T) {
	gate := &thing{name: "th-sw-02", kind: "switch", firmware: "4.1.6", address: "10.20.10.12", words: "th-sw-02 Gate hall H24P HY24-11902", tags: []string{"critical", "Camera"}, booted: ago(3 * time.Hour)}
	for text, want := range map[string]bool{
		"": true, "kind = switch": true, "KIND = Switch": true, "kind != switch": false, "kind=edge or kind=switch": true, "kind in (edge, firewall)": false,
		"kind not in (edge, firewall)": true, "not kind = edge": true, `name ~ "TH-*-0?"`: true, `name ~ th-*`: true, "name ~ sw": false, "name !~ *sw*": false, `name = ""`: false,
		"firmware < 4.2": true, "firmware < 4.10": true, "firmware >= 4.1.6": true, "firmware = 4.1.6.0": true, "firmware > 4.1.6rc1": true, "firmware in (4.1.5, 4.1.6)": true,
		"address in 10.20.0.0/16": true, "address = 10.20.10.12": true, "address != 10.20.10.12": false, "address in (10.1.0.0/16, 10.20.10.0/24)": true, "address ~ 10.20.*": true,
		"tag = camera": true, "tag != camera": false, "tag = spare": false, "tag != spare": true, "tag ~ crit*": true, "tag = camera and not tag = spare": true,
		"up > 2h": true, "up < 2h": false, "up <= 180m": true, "up > 1w": false,
		"gate": true, "gate hall": true, "GATE h24": true, "gate camera": false, `"gate hall"`: true, `"hall gate"`: false, "gate kind=switch": true, "not gate": false,
		"(kind = edge or kind = switch) and gate": true, "kind = edge or kind = switch and gate": true, "kind=edge gate or nothing": false,
	} {
		e, err := language.Parse(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, language.Matcher(e, Device, noon).Match(&Rows{Device: gate}), "%s", text)
	}
}

// What is not known equals nothing, is neither more nor less than anything, and so is unequal to all.
func TestMatchOfWhatIsNotKnown(t *testing.T) {
	empty := &thing{}
	for text, want := range map[string]bool{
		`kind = ""`: true, "kind = switch": false, "kind != switch": true, "firmware < 9": false, "firmware != 4": true, "up < 100w": false, "up >= 0s": false, "tag = x": false, "tag != x": true,
		"address in 0.0.0.0/0": false, "word": false, "port.up = true": false, "port.up = false": false, "port.poe.watts != 3": true, "port.poe.watts >= 0": false,
	} {
		e, err := language.Parse(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, language.Matcher(e, Device, noon).Match(&Rows{Device: empty}), "%s", text)
	}
}

// A device is picked when one of its ports makes the whole expression true.
func TestSomePort(t *testing.T) {
	d := &thing{kind: "switch"}
	ports := []any{&leg{name: "1", up: true, watts: 5, known: true}, &leg{name: "2", up: false, watts: 0, known: true}}
	related := func(*Rows, Noun) []any { return ports }
	for text, want := range map[string]bool{
		"port.up = true": true, "port.up = false": true, "port.up = false and port.poe.watts > 0": false, "port.up = true and port.poe.watts > 0": true,
		"not port.up = true": true, "kind = edge and port.up = true": false, "kind = edge or port = 2": true,
	} {
		e, err := language.Parse(text)
		require.NoError(t, err)
		m := language.Matcher(e, Device, noon)
		open := m.Open(func(n Noun) bool { return n <= Device })
		assert.Equal(t, want, m.Some(Rows{Device: d}, open, related), "%s", text)
	}
}

// This is the table of docs/selectors.md: what is said of a text that cannot be read.
func TestErrors(t *testing.T) {
	for text, want := range map[string]string{
		"prot = 3":                  "unknown field `prot` at 1: did you mean `port`?",
		"kind = switch and knd = x": "unknown field `knd` at 19: did you mean `kind`?",
		"zzzzz = 3":                 "unknown field `zzzzz` at 1: `everypost fields` lists what there is",
		"kind = swich":              "`swich` is no value for `kind` at 8: did you mean `switch`?",
		"kind = toaster":            "`toaster` is no value for `kind` at 8: it is one of switch, firewall, edge",
		"kind =":                    "unexpected the end at 7: expected a value for `kind`: switch, firewall, edge",
		"kind > edge":               "`>` does not go with `kind` at 6: it is a choice: use = != ~ !~ in or not in",
		"port.up = maybe":           "`maybe` is no value for `port.up` at 11: expected true or false",
		"port.poe.watts > much":     "`much` is no value for `port.poe.watts` at 18: expected a number",
		"port.poe.watts ~ 3*":       "`~` does not go with `port.poe.watts` at 16: it is a number: use = != < <= > >= in or not in",
		"up > 3 days":               "`3` is no value for `up` at 6: expected a time such as 30s, 15m, 2h, 7d or 4w",
		"(kind = edge":              "unexpected the end at 13: expected `)` for the `(` at 1",
		"kind = edge)":              "unexpected `)` at 12: expected `and`, `or` or the end",
		"kind in (edge, switch":     "unexpected the end at 22: expected `,` or `)` for the `(` at 9",
		"kind in (edge switch)":     "unexpected `switch` at 15: expected `,` or `)` for the `(` at 9",
		"and kind = edge":           "unexpected `and` at 1: expected a field such as `kind`, a word, `not` or `(`",
		"kind = edge or":            "unexpected the end at 15: expected a field such as `kind`, a word, `not` or `(`",
		`name = "th`:                "a quotation that does not end at 8: put a \" at its end",
		`"kind" = edge`:             "unexpected `=` at 8: a field stands without quotes",
		"! gate":                    "a lone `!` at 1: write `not`, `!=` or `!~`",
		"ü = 1 and prot = 2":        "unknown field `ü` at 1: `everypost fields` lists what there is",
		`""`:                        "an empty word at 1: write what is to be looked for",
		strings.Repeat("(", 60):     "an expression that is nested too deep at 51: at most 50 levels can be read",
		strings.Repeat("a ", 501):   "too many terms at 1001: at most 500 can be read; use `in` with a list",
		strings.Repeat("a", 4001):   "an expression of more than 4000 bytes at 1: shorten it, or save a part of it as a group",
		"name = a\x00b":             "the character '\\x00' at 9: put it in quotes",
		"name \\ b":                 "the character '\\\\' at 6: put it in quotes",
	} {
		_, err := language.Parse(text)
		var e *Error
		if assert.ErrorAs(t, err, &e, "%s", text) {
			assert.Equal(t, want, err.Error())
			assert.LessOrEqual(t, e.At, e.End)
		}
	}
}

// randomExpr draws an expression over the fields of a language.
func randomExpr(l *Language, depth int) *rapid.Generator[Expr] {
	return rapid.Custom(func(t *rapid.T) Expr {
		part := func() Expr { return randomExpr(l, depth-1).Draw(t, "part") }
		kind := 0
		if depth > 0 {
			kind = rapid.IntRange(0, 5).Draw(t, "kind")
		}
		switch kind {
		case 3:
			return flatten(And{part(), part()}, func(e Expr) (And, bool) { a, ok := e.(And); return a, ok })
		case 4:
			return flatten(Or{part(), part()}, func(e Expr) (Or, bool) { o, ok := e.(Or); return o, ok })
		case 5:
			return Not{part()}
		}
		if rapid.IntRange(0, 9).Draw(t, "word") == 0 {
			return Word(rapid.StringMatching(`[a-zA-Z0-9 "\\=()äß.-]{1,6}`).Draw(t, "text"))
		}
		f := rapid.SampledFrom(l.fields).Draw(t, "field")
		c := &Compare{Field: f, Op: rapid.SampledFrom(operators[f.Type]).Draw(t, "op")}
		n := 1
		if c.Op == In || c.Op == NotIn {
			n = rapid.IntRange(1, 3).Draw(t, "n")
		}
		for range n {
			text := rapid.StringMatching(`[a-z0-9*?. "äÄ-]{0,5}`).Draw(t, "value")
			switch {
			case f.Type == Choice && c.Op != Like && c.Op != NotLike:
				text = rapid.SampledFrom(f.Choices).Draw(t, "choice")
			case f.Type == Number:
				text = rapid.SampledFrom([]string{"0", "1", "-3", "5.5", "1e3"}).Draw(t, "number")
			case f.Type == Flag:
				text = rapid.SampledFrom([]string{"true", "false"}).Draw(t, "flag")
			case f.Type == Age:
				text = rapid.SampledFrom([]string{"30s", "2h", "7d"}).Draw(t, "age")
			}
			v, _ := f.value(text)
			c.Values = append(c.Values, v)
		}
		return c
	})
}

// An expression written out is read as the same again.
func TestStringIsReadAgain(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		e := randomExpr(language, 4).Draw(t, "expr")
		again, err := language.Parse(e.String())
		require.NoError(t, err, e.String())
		assert.Equal(t, e.String(), again.String())
	})
}

func TestComplete(t *testing.T) {
	values := func(f *Field) []string {
		return map[string][]string{"name": {"th-sw-01", "th-sw-02", "gate hall"}}[f.Name]
	}
	for text, want := range map[string]string{
		"ki":                     "0-2 kind",
		"kind ":                  "5-5 = != ~ !~ in not in",
		"kind = ":                "7-7 switch firewall edge",
		"kind = s":               "7-8 switch",
		"kind in (edge, f":       "15-16 firewall",
		"kind not in (":          "13-13 switch firewall edge",
		"kind = edge o":          "12-13 or",
		"port.up = ":             "10-10 true false",
		"name = th":              "7-9 th-sw-01 th-sw-02",
		"name = g":               `7-8 "gate hall"`,
		"kind = edge and port.p": "16-22 port.poe.watts",
		"not n":                  "4-5 not name",
		"kind in ":               "8-8 switch firewall edge",
	} {
		c := language.Complete(text, len(text), values)
		var words []string
		for _, x := range c.Candidates {
			words = append(words, x.Text)
		}
		assert.Equal(t, want, strings.TrimSpace(strings.Join([]string{span(c), strings.Join(words, " ")}, " ")), text)
	}
	c := language.Complete(`name = "gate h`, 14, values)
	require.Len(t, c.Candidates, 1)
	assert.Equal(t, Candidate{Text: `"gate hall"`}, c.Candidates[0])
	assert.Equal(t, "7-14", span(c))
}

func span(c Completion) string {
	return strings.Join([]string{itoa(c.From), itoa(c.To)}, "-")
}

func itoa(n int) string {
	if n < 10 {
		return string(rune('0' + n))
	}
	return itoa(n/10) + itoa(n%10)
}

// What is offered at any place of any text can be put there without breaking what was readable before it.
func TestCompleteNeverFails(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.StringMatching(`[a-z =()"!~<,.\\ä]{0,30}`).Draw(t, "text")
		at := rapid.IntRange(-1, 40).Draw(t, "at")
		c := language.Complete(text, at, nil)
		assert.LessOrEqual(t, c.From, c.To)
		assert.LessOrEqual(t, c.To, len([]rune(text)))
	})
}

func TestCompareVersions(t *testing.T) {
	rising := []string{"4.1.6rc1", "4.1.6", "4.1.6-1", "4.1.10", "4.2", "4.10", "10"}
	for i, a := range rising {
		for j, b := range rising {
			assert.Equal(t, max(-1, min(1, i-j)), max(-1, min(1, CompareVersions(a, b))), "%s %s", a, b)
		}
	}
	assert.Zero(t, CompareVersions("4.1", "4.01.0"))
}

func TestGlob(t *testing.T) {
	for _, tc := range []struct {
		pattern, text string
		want          bool
	}{
		{"", "", true}, {"*", "", true}, {"?", "", false}, {"a*c", "abbc", true}, {"a*c", "abcb", false}, {"*b*", "abc", true}, {"??", "ä1", true},
		{"ä*", "äb", true}, {"*a*a*a*b", strings.Repeat("a", 200), false}, {"a", "ab", false}, {"ab*", "a", false},
	} {
		assert.Equal(t, tc.want, Glob(tc.pattern, tc.text), "%s %s", tc.pattern, tc.text)
	}
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"kind = switch and (gate or not tag in (a, b))", `name ~ "x*"`, "((", "a not in"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		e, err := language.Parse(s)
		if err == nil {
			_, err = language.Parse(e.String())
			require.NoError(t, err, "%q was read, %q was not", s, e.String())
		}
		language.Complete(s, len(s)/2, nil)
	})
}
