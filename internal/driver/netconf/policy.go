package netconf

import (
	"slices"
	"strconv"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/wire/xmlnode"
)

func policyEntry(data *xmlnode.Node) *xmlnode.Node {
	for _, p := range data.Child("firewall").All("policy") {
		if p.Space == nsFirewall && p.TextAt("name") == setting.MainPolicy {
			return p
		}
	}
	return nil
}

// policyTable is a table of the policy, with the list of ep-firewall that holds its rows. The leaves bear the names of the columns.
type policyTable struct {
	name, list string
	columns    []setting.Column
}

var policyTables = func() (out []policyTable) {
	lists := map[string]string{"rules": "rule", "translations": "translation"}
	for _, name := range setting.PolicyTables() {
		t, err := setting.Lookup(setting.OnPolicy, name)
		if err != nil {
			panic(err)
		}
		out = append(out, policyTable{name, lists[name], t.Value.Columns()})
	}
	return out
}()

func (t policyTable) inOrder(policy *xmlnode.Node) []*xmlnode.Node {
	rows := policy.All(t.list)
	slices.SortStableFunc(rows, func(a, b *xmlnode.Node) int { return number(a, "number") - number(b, "number") })
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

func readPolicy(data *xmlnode.Node, c *network.Config) {
	policy := policyEntry(data)
	rows, known := c.Objects[setting.PolicyObject]
	if policy == nil || !known {
		return
	}
	for _, t := range policyTables {
		for _, n := range t.inOrder(policy) {
			row, err := setting.PolicyRow(t.name, number(n, "number"))
			if err != nil {
				continue
			}
			if text, err := row.Value.RowText(t.read(n)); err == nil {
				rows[row.Name] = text
			}
		}
	}
}

func (t policyTable) read(n *xmlnode.Node) setting.Cells {
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

// writePolicy writes the rows that differ, and no others.
func writePolicy(e *edit, before, after network.Config) {
	settings, has := after.Objects[setting.PolicyObject]
	if !has {
		return
	}
	for _, t := range policyTables {
		was, is := setting.RowsOf(before.Objects[setting.PolicyObject], t.name), setting.RowsOf(settings, t.name)
		if slices.Equal(was, is) {
			continue
		}
		policy := e.at(newPath(objectLists[setting.OnPolicy]).steps, setting.MainPolicy)
		for _, row := range is {
			if !slices.Contains(was, row) {
				if n := t.write(row); n != nil {
					policy.Add(replace(n))
				}
			}
		}
		for _, row := range was {
			if !slices.ContainsFunc(is, func(o setting.Row) bool { return o.Number == row.Number }) {
				policy.Add(remove(xmlnode.New(nsFirewall, t.list, xmlnode.Leaf(nsFirewall, "number", strconv.Itoa(row.Number)))))
			}
		}
	}
}

func (t policyTable) write(row setting.Row) *xmlnode.Node {
	set, err := setting.PolicyRow(t.name, row.Number)
	if err != nil {
		return nil
	}
	cells, err := set.Value.Cells(row.Text)
	if err != nil {
		return nil
	}
	n := xmlnode.New(nsFirewall, t.list, xmlnode.Leaf(nsFirewall, "number", strconv.Itoa(row.Number)))
	for _, column := range t.columns {
		value := cells[column.Name]
		switch {
		case value == left(column):
		case column.Name == "log":
			n.Add(xmlnode.Leaf(nsFirewall, column.Name, flag.write(value)[0]))
		case column.Name == "note":
			n.Add(xmlnode.Leaf(nsFirewall, column.Name, value))
		default:
			for _, item := range setting.Items(value) {
				n.Add(xmlnode.Leaf(nsFirewall, column.Name, item))
			}
		}
	}
	return n
}

// readPolicyState reads how a firewall decided.
func readPolicyState(data *xmlnode.Node) *network.PolicyState {
	policy := policyEntry(data)
	if policy == nil {
		return nil
	}
	out := &network.PolicyState{Unmatched: counter(policy, "unmatched")}
	if t, err := time.Parse(time.RFC3339, policy.TextAt("counted-since")); err == nil {
		out.Since = driver.Believed(t.UTC(), time.Now())
	}
	for _, t := range policyTables {
		hits := make([]network.RuleHits, 0)
		for _, n := range t.inOrder(policy) {
			r := network.RuleHits{Number: number(n, "number"), Sessions: counter(n, "hits")}
			if at, err := time.Parse(time.RFC3339, n.TextAt("last-hit")); err == nil {
				r.LastAt = driver.Believed(at.UTC(), time.Now())
			}
			hits = append(hits, r)
		}
		if t.name == "rules" {
			out.Rules = hits
		} else {
			out.Translations = hits
		}
	}
	return out
}
