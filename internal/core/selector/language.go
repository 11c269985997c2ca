package selector

import (
	"fmt"
	"slices"
	"strings"
)

// Type says what the values of a field are, and so how they compare.
type Type string

// The types.
const (
	Text    Type = "text"    // case does not count; = != ~ !~ in
	Choice  Type = "choice"  // one of a few words; = != ~ !~ in
	Number  Type = "number"  // in the unit that the field's help tells; = != < <= > >= in
	Flag    Type = "flag"    // true or false; = !=
	Version Type = "version" // compares part by part, numbers as numbers; = != ~ !~ < <= > >= in
	Address Type = "address" // = and in take a prefix such as 10.40.0.0/16 too; = != ~ !~ in
	Age     Type = "age"     // how long ago: 30s, 15m, 2h, 7d, 4w; < <= > >=
)

var operators = map[Type][]Op{
	Text:    {Equal, NotEqual, Like, NotLike, In, NotIn},
	Choice:  {Equal, NotEqual, Like, NotLike, In, NotIn},
	Number:  {Equal, NotEqual, Less, AtMost, More, AtLeast, In, NotIn},
	Flag:    {Equal, NotEqual},
	Version: {Equal, NotEqual, Like, NotLike, Less, AtMost, More, AtLeast, In, NotIn},
	Address: {Equal, NotEqual, Like, NotLike, In, NotIn},
	Age:     {Less, AtMost, More, AtLeast},
}

// Operators lists how a type can be compared.
func (t Type) Operators() []Op { return slices.Clone(operators[t]) }

// Noun is a thing that has properties. The numbers order nouns from the whole to the part, which is the order in which
// the others are filled in when an expression speaks of several.
type Noun int

// The nouns.
const (
	Site Noun = iota
	Device
	Port
	Client
	Link  // as one of the devices at its ends has it
	Alarm // that is open, of a device or a port
	Event
	nouns // how many there are
)

func (n Noun) String() string {
	return [...]string{"site", "device", "port", "client", "link", "alarm", "event"}[n]
}

// wholes are the nouns of which others are parts.
var wholes = map[Noun]Noun{Device: Site, Port: Device, Client: Port, Link: Device, Alarm: Device}

// Determines tells whether a thing of the noun decides which thing of another is meant: a port its device and that its site.
func (n Noun) Determines(other Noun) bool {
	for n != other {
		whole, ok := wholes[n]
		if !ok {
			return false
		}
		n = whole
	}
	return true
}

// Nouns lists all nouns, the whole before the part.
func Nouns() []Noun {
	out := make([]Noun, nouns)
	for i := range out {
		out[i] = Noun(i)
	}
	return out
}

// Field is a property that can be asked for.
type Field struct {
	Name    string // as it is written: port.poe.watts
	Noun    Noun   // whose property it is
	Type    Type
	Many    bool // it holds several values: a comparison is true when it is for one of them, and != when = is for none
	Help    string
	Choices []string // of a Choice
	// Get returns the value from a row of the noun; of a field of many values it is GetMany. Ages are given as seconds
	// since 1970.
	Get     func(row any) Datum
	GetMany func(row any) []Datum
}

// Datum is a value of a field. The zero Datum is what is not known.
type Datum struct {
	Text   string  // of Text, Choice, Version, Address
	Number float64 // of Number, Age, Flag (1 for true)
	Known  bool    // that the number is known
}

// Of returns the datum of a text.
func Of(s string) Datum { return Datum{Text: s} }

// OfNumber returns the datum of a number.
func OfNumber[N int | int64 | float64 | uint64](n N) Datum {
	return Datum{Number: float64(n), Known: true}
}

// OfFlag returns the datum of a flag.
func OfFlag(b bool) Datum {
	if b {
		return Datum{Number: 1, Known: true}
	}
	return Datum{Known: true}
}

// Language is what can be asked. Make it with NewLanguage; it is safe for concurrent use.
type Language struct {
	fields []*Field
	byName map[string]*Field
	texts  [nouns]*Field
}

// NewLanguage makes a language of fields. A field without a name is the text that bare words are looked for in, of its
// noun, in small letters.
func NewLanguage(fields []*Field) *Language {
	l := &Language{byName: map[string]*Field{}}
	for _, f := range fields {
		if f.Name == "" {
			l.texts[f.Noun] = f
			continue
		}
		if l.byName[f.Name] != nil {
			panic(fmt.Sprintf("selector: two fields are called %s", f.Name))
		}
		l.fields = append(l.fields, f)
		l.byName[f.Name] = f
	}
	return l
}

// Fields lists the fields in the order given.
func (l *Language) Fields() []*Field { return slices.Clone(l.fields) }

// Field finds a field, or nil. Case does not count.
func (l *Language) Field(name string) *Field { return l.byName[strings.ToLower(name)] }

// nearest returns the candidate that a mistyped word most likely means, or "".
func nearest(word string, candidates []string) string {
	word = strings.ToLower(word)
	best, at := "", min(max(2, len(word)/3)+1, len([]rune(word)))
	for _, c := range candidates {
		d := distance(word, strings.ToLower(c))
		if strings.HasPrefix(c, word) && len(word) > 1 {
			d = min(d, 1)
		}
		if d < at {
			best, at = c, d
		}
	}
	return best
}

// distance counts the insertions, deletions, replacements and swaps of neighbours between two words (optimal string
// alignment).
func distance(a, b string) int {
	if len(a) > 64 || len(b) > 64 {
		return 64
	}
	rows := [3][]int{make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)}
	for j := range rows[1] {
		rows[1][j] = j
	}
	for i := 1; i <= len(a); i++ {
		old, last, row := rows[0], rows[1], rows[2]
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(last[j]+1, row[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], old[j-2]+1)
			}
		}
		rows = [3][]int{last, row, old}
	}
	return rows[1][len(b)]
}
