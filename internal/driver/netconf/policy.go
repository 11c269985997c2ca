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

func rulesInOrder(policy *xmlnode.Node) []*xmlnode.Node {
	rules := policy.All("rule")
	slices.SortStableFunc(rules, func(a, b *xmlnode.Node) int { return number(a, "number") - number(b, "number") })
	return rules
}

// ruleColumns are the columns of a rule: the leaves of ep-firewall bear their names.
var ruleColumns = func() []setting.Column {
	t, err := setting.Lookup(setting.OnPolicy, "rules")
	if err != nil {
		panic(err)
	}
	return t.Value.Columns()
}()

func readPolicy(data *xmlnode.Node, c *network.Config) {
	policy := policyEntry(data)
	rules, known := c.Objects[setting.PolicyObject]
	if policy == nil || !known {
		return
	}
	for _, n := range rulesInOrder(policy) {
		row, err := setting.PolicyRow(number(n, "number"))
		if err != nil {
			continue
		}
		cells := setting.Cells{}
		for _, column := range ruleColumns {
			leaves := n.All(column.Name)
			switch {
			case len(leaves) == 0:
				cells[column.Name] = column.Default
				if column.Default == "" {
					cells[column.Name] = "any"
				}
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
		if text, err := row.Value.RowText(cells); err == nil {
			rules[row.Name] = text
		}
	}
}

// writePolicy writes the rules that differ, and no others.
func writePolicy(e *edit, before, after network.Config) {
	settings, has := after.Objects[setting.PolicyObject]
	was, is := setting.RowsOf(before.Objects[setting.PolicyObject], "rules"), setting.RowsOf(settings, "rules")
	if !has || slices.Equal(was, is) {
		return
	}
	policy := e.at(newPath(objectLists[setting.OnPolicy]).steps, setting.MainPolicy)
	for _, row := range is {
		if !slices.Contains(was, row) {
			if n := writePolicyRule(row); n != nil {
				policy.Add(replace(n))
			}
		}
	}
	for _, row := range was {
		if !slices.ContainsFunc(is, func(o setting.Row) bool { return o.Number == row.Number }) {
			policy.Add(remove(xmlnode.New(nsFirewall, "rule", xmlnode.Leaf(nsFirewall, "number", strconv.Itoa(row.Number)))))
		}
	}
}

func writePolicyRule(row setting.Row) *xmlnode.Node {
	t, err := setting.PolicyRow(row.Number)
	if err != nil {
		return nil
	}
	cells, err := t.Value.Cells(row.Text)
	if err != nil {
		return nil
	}
	n := xmlnode.New(nsFirewall, "rule", xmlnode.Leaf(nsFirewall, "number", strconv.Itoa(row.Number)))
	for _, column := range ruleColumns {
		value := cells[column.Name]
		switch {
		case value == column.Default, column.Default == "" && value == "any":
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
	for _, n := range rulesInOrder(policy) {
		r := network.RuleHits{Number: number(n, "number"), Sessions: counter(n, "hits")}
		if t, err := time.Parse(time.RFC3339, n.TextAt("last-hit")); err == nil {
			r.LastAt = driver.Believed(t.UTC(), time.Now())
		}
		out.Rules = append(out.Rules, r)
	}
	return out
}
