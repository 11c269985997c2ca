package setting

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"example.net/everypost/internal/core/network"
)

// A table is a setting with rows that stand in an order, such as the rules of an access list. Each row is a setting by itself,
// named TABLE/NUMBER, and rows stand in the order of their numbers: rules/10 before rules/20. So a row is set, taken over from
// a layer, compared and restored alone, and two people who change different rows are not in each other's way. A row without a
// value is none.
type table struct {
	one     string // what a row is called: Rule
	columns []Column
	highest int // number of a row
	most    int // rows
	example string
	check   func(Cells) error // of what columns say together; nil for nothing
}

// Column is a part of a row. In a text it stands after its lead word, if it has one, in the order of the columns.
type Column struct {
	Name    string
	Title   string
	Lead    string // the word before it: from
	Default string // what holds where it is left out; "" where it must stand there
	Help    string
	Value   Value
}

// Cells are the values of a row by the names of its columns.
type Cells map[string]string

// Row is a row of a table.
type Row struct {
	Number int
	Text   string
}

// step is between two rows that are numbered by us.
const step = 10

func tableOf(t table) Value {
	return Value{Type: Table, Max: t.most, Form: "rows, one a line, such as " + t.example, table: &t, normal: t.normal}
}

// Columns are those of a table or row, nil of anything else.
func (v Value) Columns() []Column {
	if v.table == nil {
		return nil
	}
	return v.table.columns
}

// Example is a row of a table as it can be written.
func (v Value) Example() string { return v.table.example }

// Cells reads a row of a table.
func (v Value) Cells(row string) (Cells, error) { return v.table.parse(row) }

// RowText writes a row of a table in its normal form, or tells what is wrong with a cell.
func (v Value) RowText(c Cells) (string, error) {
	text := v.table.format(c)
	_, err := v.table.parse(text)
	return text, err
}

// parse reads a row: words, each column after its lead word.
func (t *table) parse(row string) (Cells, error) {
	words, err := split(row)
	if err != nil {
		return nil, err
	}
	form := fmt.Sprintf("write it like %q", t.example)
	out := Cells{}
	for _, c := range t.columns {
		leads := c.Lead == "" || len(words) > 0 && strings.EqualFold(words[0], c.Lead)
		if !leads || len(words) == 0 {
			if c.Default == "" {
				return nil, fmt.Errorf("%s: %s", c.missing(), form)
			}
			out[c.Name] = c.Default
			continue
		}
		if c.Lead != "" {
			words = words[1:]
		}
		if len(words) == 0 {
			return nil, fmt.Errorf("%q stands at the end, and what follows it is missing: %s", c.Lead, form)
		}
		if out[c.Name], err = c.Value.Normal(words[0]); err != nil {
			return nil, fmt.Errorf("%s: %w", strings.ToLower(c.Title), err)
		}
		words = words[1:]
	}
	if len(words) > 0 {
		return nil, fmt.Errorf("%q was not expected: %s", words[0], form)
	}
	if t.check != nil {
		err = t.check(out)
	}
	return out, err
}

func (c Column) missing() string {
	if c.Lead == "" {
		return fmt.Sprintf("the %s is missing (%s)", strings.ToLower(c.Title), c.Value.Form)
	}
	return fmt.Sprintf("%q is missing, and after it %s", c.Lead, cmp.Or(c.Help, c.Value.Form))
}

func (t *table) format(cells Cells) string {
	var out []string
	for _, c := range t.columns {
		v := cells[c.Name]
		if v == "" || v == c.Default {
			if c.Default != "" {
				continue
			}
		}
		if c.Lead != "" {
			out = append(out, c.Lead)
		}
		out = append(out, quote(v))
	}
	return strings.Join(out, " ")
}

// split takes a row apart at its spaces, but not within quotes.
func split(row string) ([]string, error) {
	var out []string
	for {
		row = strings.TrimLeft(row, " \t")
		if row == "" {
			return out, nil
		}
		if row[0] != '"' {
			end := strings.IndexAny(row, " \t")
			if end < 0 {
				end = len(row)
			}
			out, row = append(out, row[:end]), row[end:]
			continue
		}
		prefix, err := strconv.QuotedPrefix(row)
		if err != nil {
			return nil, errors.New("a quote is open: write the same mark at its end")
		}
		word, err := strconv.Unquote(prefix)
		if err != nil {
			return nil, fmt.Errorf("%s cannot be read", prefix)
		}
		out, row = append(out, word), row[len(prefix):]
	}
}

func quote(s string) string {
	if s == "" || strings.ContainsAny(s, " \t\"") {
		return strconv.Quote(s)
	}
	return s
}

// normal brings a whole table to its normal form: a line a row, its number first. A line without a number gets the next.
func (t *table) normal(text string) (string, error) {
	var rows []Row
	var wrong []error
	there := map[int]bool{}
	last := 0
	for line := range strings.SplitSeq(text, "\n") {
		line = strings.TrimSpace(line)
		if line == "" {
			continue
		}
		n, rest := last-last%step+step, line
		if first, more, _ := strings.Cut(line, " "); strings.Trim(first, "0123456789") == "" {
			given, err := t.number(first)
			if err != nil {
				wrong = append(wrong, err)
				continue
			}
			n, rest = given, more
		}
		cells, err := t.parse(rest)
		switch {
		case n > t.highest:
			err = fmt.Errorf("row %d: the highest number of a row is %d", n, t.highest)
		case there[n]:
			err = fmt.Errorf("row %d is there twice", n)
		case err != nil:
			err = fmt.Errorf("row %d: %w", n, err)
		}
		last, there[n] = n, true
		if err != nil {
			if wrong = append(wrong, err); len(wrong) > mostWrong {
				break
			}
			continue
		}
		rows = append(rows, Row{n, t.format(cells)})
	}
	if len(wrong) > 0 {
		return "", faults(wrong)
	}
	if len(rows) > t.most {
		return "", fmt.Errorf("at most %d rows, these are %d", t.most, len(rows))
	}
	slices.SortFunc(rows, func(a, b Row) int { return a.Number - b.Number })
	return Lines(rows), nil
}

// mostWrong rows are named, of those that are wrong.
const mostWrong = 20

// faults names the rows that are wrong.
func faults(wrong []error) error {
	texts := make([]string, 0, len(wrong))
	for _, err := range wrong[:min(len(wrong), mostWrong)] {
		texts = append(texts, err.Error())
	}
	if len(wrong) > mostWrong {
		texts = append(texts, "and more")
	}
	return errors.New(strings.Join(texts, "; "))
}

func (t *table) number(s string) (int, error) {
	n, err := strconv.Atoi(s)
	if err != nil || n < 1 || n > t.highest || strconv.Itoa(n) != s {
		return 0, fmt.Errorf("%q is not the number of a row: it is one from 1 to %d", s, t.highest)
	}
	return n, nil
}

// Lines writes rows as a text, a line each.
func Lines(rows []Row) string {
	lines := make([]string, len(rows))
	for i, r := range rows {
		lines[i] = strconv.Itoa(r.Number) + " " + r.Text
	}
	return strings.Join(lines, "\n")
}

// ReadLines reads the normal form of a whole table.
func ReadLines(text string) (out []Row) {
	for line := range strings.SplitSeq(text, "\n") {
		number, rest, _ := strings.Cut(line, " ")
		if n, err := strconv.Atoi(number); err == nil {
			out = append(out, Row{n, rest})
		}
	}
	return out
}

// RowName is the setting of a row.
func RowName(table string, number int) string { return table + "/" + strconv.Itoa(number) }

// TableOf tells of which table a setting is a row, and of which number.
func TableOf(name string) (table string, number int, ok bool) {
	table, digits, ok := strings.Cut(name, "/")
	n, err := strconv.Atoi(digits)
	return table, n, ok && err == nil
}

// RowsOf lists the rows of a table that are among settings, in their order.
func RowsOf(settings network.Settings, table string) []Row {
	var out []Row
	for name, text := range settings {
		if t, n, ok := TableOf(name); ok && t == table {
			out = append(out, Row{n, text})
		}
	}
	slices.SortFunc(out, func(a, b Row) int { return a.Number - b.Number })
	return out
}

// SameRows tells whether a table is the same among two sets of settings.
func SameRows(a, b network.Settings, table string) bool {
	return slices.Equal(RowsOf(a, table), RowsOf(b, table))
}

// row is the setting of one row of a table.
func (s *Setting) row(number string) (*Setting, error) {
	t := s.Value.table
	n, err := t.number(number)
	if err != nil {
		return nil, fmt.Errorf("%w %s/%s: %w", ErrUnknown, s.Name, number, err)
	}
	return &Setting{
		Name: RowName(s.Name, n), On: s.On, Title: fmt.Sprintf("%s %d", t.one, n), Group: s.Group, Help: s.Help, Needs: s.Needs, rank: s.rank,
		Value: Value{Type: TableRow, Form: "such as " + t.example + "; nothing takes the row out", table: t, normal: func(text string) (string, error) {
			if text == "" {
				return "", nil
			}
			cells, err := t.parse(text)
			if err != nil {
				return "", err
			}
			return t.format(cells), nil
		}},
	}, nil
}

// Tables lists the tables of a kind.
func Tables(k Kind) []*Setting { return tablesOf[k] }

var tablesOf = func() map[Kind][]*Setting {
	out := map[Kind][]*Setting{}
	for i := range all {
		if all[i].Value.Type == Table {
			for _, k := range all[i].On {
				out[k] = append(out[k], &all[i])
			}
		}
	}
	return out
}()

// Rows lists the settings of the rows of an object of which any of some sets of names speaks, in their order.
func Rows[V any](k Kind, of ...map[string]V) []*Setting {
	tables := Tables(k)
	if len(tables) == 0 {
		return nil
	}
	names := map[string]bool{}
	for _, settings := range of {
		for name := range settings {
			names[name] = true
		}
	}
	var out []*Setting
	for _, t := range tables {
		var numbers []int
		for name := range names {
			if of, n, ok := TableOf(name); ok && of == t.Name {
				numbers = append(numbers, n)
			}
		}
		slices.Sort(numbers)
		for _, n := range numbers {
			if r, err := t.row(strconv.Itoa(n)); err == nil {
				out = append(out, r)
			}
		}
	}
	return out
}

// OfWords lists the settings of an object, with the rows of its tables that are among what is said of it.
func OfWords[V any](object string, said map[string]V) []*Setting {
	k := KindOf(object)
	return append(ofKinds[k], Rows(k, said)...)
}

// fullTable tells why a configuration cannot have another row of a table, or nil.
func (s *Setting) fullTable(settings network.Settings) error {
	name, _, _ := TableOf(s.Name)
	if len(settings) <= s.Value.table.most {
		return nil // quickly, for it is asked of each row that is set
	}
	if rows := RowsOf(settings, name); len(rows) > s.Value.table.most {
		return fmt.Errorf("it has %d rows then, and at most %d can be", len(rows), s.Value.table.most)
	}
	return nil
}

// ErrNoRoom tells that there is no number between two rows.
var ErrNoRoom = errors.New("there is no number free there: renumber the rows first")

// Place is where a row is to stand among others.
type Place struct {
	At  string // first, last, before or after
	Row int    // before or after which
}

// ParsePlace reads first, last, before-20 or after-20.
func ParsePlace(s string) (Place, error) {
	at, row, _ := strings.Cut(s, "-")
	switch at {
	case "first", "last":
		if row == "" {
			return Place{At: at}, nil
		}
	case "before", "after":
		if n, err := strconv.Atoi(row); err == nil && n > 0 {
			return Place{at, n}, nil
		}
	}
	return Place{}, fmt.Errorf("%q is no place for a row: there are first, last, before-20 and after-20", s)
}

// Number finds a free number at a place among rows, which are in their order: a multiple of ten where there is one.
func (p Place) Number(rows []int, highest int) (int, error) {
	low, high := 0, highest+1 // between which it must be
	i, there := slices.BinarySearch(rows, p.Row)
	switch {
	case p.At == "last" || len(rows) == 0 && p.At == "first":
		if len(rows) > 0 {
			low = rows[len(rows)-1]
		}
	case p.At == "first":
		high = rows[0]
	case !there:
		return 0, fmt.Errorf("there is no row %d", p.Row)
	case p.At == "before":
		if high = rows[i]; i > 0 {
			low = rows[i-1]
		}
	default:
		if low = rows[i]; i+1 < len(rows) {
			high = rows[i+1]
		}
	}
	if high-low < 2 {
		return 0, ErrNoRoom
	}
	if n := low - low%step + step; n < high && (high > highest || high-n > step) {
		return n, nil
	}
	middle := low + (high-low)/2
	if n := middle - middle%step; n > low {
		return n, nil
	}
	return middle, nil
}

// Renumbered gives rows the numbers 10, 20, 30 and so on: old numbers by new ones.
func Renumbered(rows []int, highest int) (map[int]int, error) {
	by := step
	if len(rows)*by > highest {
		by = 1
	}
	out := make(map[int]int, len(rows))
	for i, n := range rows {
		out[n] = (i + 1) * by
	}
	if len(rows)*by > highest {
		return nil, fmt.Errorf("at most %d rows can be numbered", highest)
	}
	return out, nil
}

// Highest is the highest number that a row of a table can have.
func (v Value) Highest() int { return v.table.highest }

// withTable are the settings with a whole table as a text says.
func withTable(settings network.Settings, name, text string) network.Settings {
	out := maps.Clone(settings)
	if out == nil {
		out = network.Settings{}
	}
	for _, r := range RowsOf(settings, name) {
		delete(out, RowName(name, r.Number))
	}
	for _, r := range ReadLines(text) {
		out[RowName(name, r.Number)] = r.Text
	}
	return out
}
