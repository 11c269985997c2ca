package intent

import (
	"cmp"
	"fmt"
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// ByRow has edits of a whole table be edits of its rows, so that who changes one row is in nobody's way who changes another.
// Rows that it has and that are not in the text go: on a device they are taken out, on a layer nothing is said of them any
// more. rows tells which rows of a table it has now.
func ByRow(edits []Edit, rows func(on network.PortRef, table string) []setting.Row) []Edit {
	if !slices.ContainsFunc(edits, wholeTable) {
		return edits
	}
	var out []Edit
	for _, e := range edits {
		if !wholeTable(e) {
			out = append(out, e)
			continue
		}
		had := rows(e.Port, e.Field)
		if e.Act != Set {
			for _, r := range had {
				out = append(out, Edit{Port: e.Port, Field: setting.RowName(e.Field, r.Number), Act: e.Act})
			}
			continue
		}
		is := setting.ReadLines(e.Value)
		for _, r := range had {
			if !slices.ContainsFunc(is, func(o setting.Row) bool { return o.Number == r.Number }) {
				out = append(out, noRow(e.Port, e.Field, r.Number))
			}
		}
		for _, r := range is {
			if !slices.Contains(had, r) {
				out = append(out, Edit{Port: e.Port, Field: setting.RowName(e.Field, r.Number), Value: r.Text})
			}
		}
	}
	return out
}

// noRow takes a row out.
func noRow(on network.PortRef, table string, number int) Edit {
	e := Edit{Port: on, Field: setting.RowName(table, number)}
	if OnLayer(on) {
		e.Act = Inherit
	}
	return e
}

func wholeTable(e Edit) bool {
	s, err := setting.Lookup(setting.KindOf(e.Port.Port), e.Field)
	return err == nil && s.Value.Type == setting.Table
}

// TableStep is something to be done with the rows of a table. Which numbers rows get is worked out on what each device has.
type TableStep struct {
	Table string
	Act   string // add, move, remove or renumber
	Row   int    // which: of move and remove
	Text  string // of what is added
	At    string // where to: first, last, before-20 or after-20; "" for last
}

// Edits returns the edits that a step comes to on a table with some rows, and its rows then.
func (s TableStep) Edits(on network.PortRef, rows []setting.Row) ([]Edit, []setting.Row, error) {
	about, err := setting.Lookup(setting.KindOf(on.Port), s.Table)
	if err != nil {
		return nil, nil, err
	}
	if about.Value.Type != setting.Table {
		return nil, nil, fmt.Errorf("%s has no rows", s.Table)
	}
	at, err := setting.ParsePlace(cmp.Or(s.At, "last"))
	if err != nil {
		return nil, nil, err
	}
	next := slices.Clone(rows)
	i := slices.IndexFunc(rows, func(r setting.Row) bool { return r.Number == s.Row })
	if i < 0 && (s.Act == "move" || s.Act == "remove") {
		return nil, nil, fmt.Errorf("%s: there is no row %d", s.Table, s.Row)
	}
	insert := func(text string) error {
		n, err := at.Number(numbers(next), about.Value.Highest())
		if err != nil {
			return fmt.Errorf("%s: %w", s.Table, err)
		}
		e, err := New(on, setting.RowName(s.Table, n), text)
		if err == nil && e.Value == "" {
			err = fmt.Errorf("%s: the row is empty", s.Table)
		}
		next = append(next, setting.Row{Number: n, Text: e.Value})
		return err
	}
	switch s.Act {
	case "add":
		err = insert(s.Text)
	case "remove":
		next = slices.Delete(next, i, i+1)
	case "move":
		if at.Row == s.Row {
			break
		}
		next = slices.Delete(next, i, i+1)
		err = insert(rows[i].Text)
	case "renumber":
		var to map[int]int
		to, err = setting.Renumbered(numbers(rows), about.Value.Highest())
		for i, r := range rows {
			next[i].Number = to[r.Number]
		}
	default:
		err = fmt.Errorf("%q cannot be done with a table: there are add, move, remove and renumber", s.Act)
	}
	if err != nil {
		return nil, nil, err
	}
	slices.SortFunc(next, func(a, b setting.Row) int { return a.Number - b.Number })
	whole := Edit{Port: on, Field: s.Table, Value: setting.Lines(next)}
	return ByRow([]Edit{whole}, func(network.PortRef, string) []setting.Row { return rows }), next, nil
}

func numbers(rows []setting.Row) []int {
	out := make([]int, len(rows))
	for i, r := range rows {
		out[i] = r.Number
	}
	return out
}

// RowsIn lists the rows of a table as the edits' own layer says them: what a template, a site or, where words are asked, a
// device says.
func (w Words) RowsIn(object, table string) []setting.Row {
	said := network.Settings{}
	for name, word := range w[object] {
		if word.Value != "" {
			said[name] = word.Value
		}
	}
	return setting.RowsOf(said, table)
}

// OfTable tells whether an edit is of a table or of a row of one.
func OfTable(e Edit) bool { return IsRow(e) || wholeTable(e) }

// IsRow tells whether an edit is of a row of a table.
func IsRow(e Edit) bool {
	_, _, ok := setting.TableOf(e.Field)
	return ok
}

// Collision is a row that is not any more what it was when an edit of it was drafted.
type Collision struct {
	Edit Edit
	Now  string // "" where it is gone
}

// Collisions lists the edits of rows of which the row has changed since they were drafted, and not to what they say. now tells
// what a row is.
func Collisions(edits []Edit, now func(Edit) string) []Collision {
	var out []Collision
	for _, e := range edits {
		if !IsRow(e) {
			continue
		}
		if text := now(e); text != e.Was && (text != e.Value || e.Act != Set) {
			out = append(out, Collision{e, text})
		}
	}
	return out
}
