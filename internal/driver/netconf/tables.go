package netconf

import (
	"cmp"
	"maps"
	"slices"
	"strconv"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/wire/xmlnode"
)

// rowTable is a table of the objects of a kind, with the list of our models that holds its rows. The leaves bear the names of the columns.
type rowTable struct {
	kind       setting.Kind
	name, list string
	space      string
	columns    []setting.Column
}

var rowTables = func() (out []rowTable) {
	for _, t := range []rowTable{
		{setting.OnPolicy, "rules", "rule", nsFirewall, nil}, {setting.OnPolicy, "translations", "translation", nsFirewall, nil}, {setting.OnGateway, "reservations", "reservation", nsRouting, nil},
		{setting.OnSteering, "ways", "way", nsWAN, nil},
	} {
		s, err := setting.Lookup(t.kind, t.name)
		if err != nil {
			panic(err)
		}
		t.columns = s.Value.Columns()
		out = append(out, t)
	}
	return out
}()

// inOrder are the rows of an entry in the order of their numbers.
func (t rowTable) inOrder(entry *xmlnode.Node) []*xmlnode.Node {
	rows := entry.All(t.list)
	slices.SortStableFunc(rows, func(a, b *xmlnode.Node) int { return cmp.Compare(number(a, "number"), number(b, "number")) })
	return rows
}

// left is what a column holds of which the leaf is left out.
func left(c setting.Column) string {
	switch {
	case c.Default != "":
		return c.Default
	case c.Name == "into":
		return "nothing"
	}
	return "any"
}

// readTables reads the rows of what is there already.
func readTables(data *xmlnode.Node, c *network.Config) {
	for _, t := range rowTables {
		entries(data, newPath(objectLists[t.kind]).steps, func(key string, entry *xmlnode.Node) {
			rows, known := c.Objects[setting.Object(t.kind, key)]
			if !known {
				return
			}
			for _, n := range t.inOrder(entry) {
				row, err := setting.Lookup(t.kind, setting.RowName(t.name, number(n, "number")))
				if err != nil {
					continue
				}
				if text, err := row.Value.RowText(t.read(n)); err == nil {
					rows[row.Name] = text
				}
			}
		})
	}
}

func (t rowTable) read(n *xmlnode.Node) setting.Cells {
	cells := setting.Cells{}
	for _, column := range t.columns {
		leaves := n.All(column.Name)
		switch {
		case len(leaves) == 0:
			cells[column.Name] = left(column)
		case column.Name == "log":
			cells[column.Name] = flag.read([]string{leaves[0].Text})
		default:
			texts := make([]string, len(leaves))
			for i, l := range leaves {
				texts[i] = l.Text
			}
			cells[column.Name] = several.read(texts)
		}
	}
	return cells
}

// writeTables writes the rows that differ, and no others.
func writeTables(e *edit, before, after network.Config) {
	for _, object := range slices.Sorted(maps.Keys(after.Objects)) {
		for _, t := range rowTables {
			if setting.KindOf(object) == t.kind {
				t.writeRows(e, strings.TrimPrefix(object, string(t.kind)+"/"), before.Objects[object], after.Objects[object])
			}
		}
	}
}

func (t rowTable) writeRows(e *edit, key string, before, after network.Settings) {
	was, is := setting.RowsOf(before, t.name), setting.RowsOf(after, t.name)
	if slices.Equal(was, is) {
		return
	}
	entry := e.at(newPath(objectLists[t.kind]).steps, key)
	for _, row := range is {
		if !slices.Contains(was, row) {
			if n := t.write(row); n != nil {
				entry.Add(replace(n))
			}
		}
	}
	for _, row := range was {
		if !slices.ContainsFunc(is, func(o setting.Row) bool { return o.Number == row.Number }) {
			entry.Add(remove(xmlnode.New(t.space, t.list, xmlnode.Leaf(t.space, "number", strconv.Itoa(row.Number)))))
		}
	}
}

func (t rowTable) write(row setting.Row) *xmlnode.Node {
	set, err := setting.Lookup(t.kind, setting.RowName(t.name, row.Number))
	if err != nil {
		return nil
	}
	cells, err := set.Value.Cells(row.Text)
	if err != nil {
		return nil
	}
	n := xmlnode.New(t.space, t.list, xmlnode.Leaf(t.space, "number", strconv.Itoa(row.Number)))
	for _, column := range t.columns {
		value := cells[column.Name]
		switch {
		case value == left(column):
		case column.Name == "log":
			n.Add(xmlnode.Leaf(t.space, column.Name, flag.write(value)[0]))
		case column.Name == "note":
			n.Add(xmlnode.Leaf(t.space, column.Name, value))
		default:
			for _, item := range setting.Items(value) {
				n.Add(xmlnode.Leaf(t.space, column.Name, item))
			}
		}
	}
	return n
}
