package guard

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// accessLists finds rules that can never decide because an earlier one does (shadowed where it says otherwise, redundant
// where it says the same), and rules that let everybody reach everything.
func accessLists(p Proposal) []Finding {
	var out []Finding
	for device, after := range p.After {
		for object, list := range after.Objects {
			if setting.KindOf(object) != setting.OnACL || setting.SameRows(list, p.Before[device].Objects[object], "rules") {
				continue
			}
			out = append(out, checkRules(network.PortRef{Device: device, Port: object}, setting.RowsOf(list, "rules"))...)
		}
	}
	slices.SortFunc(out, func(a, b Finding) int { return strings.Compare(a.ID, b.ID) })
	return out
}

func checkRules(at network.PortRef, rows []setting.Row) []Finding {
	var out []Finding
	rules := make([]setting.Rule, len(rows))
	for i, row := range rows {
		rules[i], _ = setting.ParseRule(row.Text)
	}
	for i, r := range rules {
		earlier := slices.IndexFunc(rules[:i], func(o setting.Rule) bool { return covers(o, r) })
		if earlier < 0 {
			continue
		}
		how, level := "redundant", Note
		if rules[earlier].Permit != r.Permit {
			how, level = "shadowed", Warn
		}
		number, first := rows[i].Number, rows[earlier].Number
		out = append(out, Finding{
			ID: fmt.Sprintf("access-list:%s:%d", at, number), Guard: "access-list", Level: level, Ports: []network.PortRef{at},
			What: fmt.Sprintf("Rule %d of %s (%s) is %s: rule %d (%s) decides first.", number, at, r, how, first, rules[earlier]),
			Why:  "It never decides anything, and whoever reads the list is misled.",
			Do:   fmt.Sprintf("Move it before rule %d, or take it out.", first),
			Fix:  []intent.Edit{{Port: at, Field: setting.RowName("rules", number)}},
		})
	}
	for i, r := range rules {
		if all := (setting.Rule{Permit: true, Protocol: "ip"}); r == all && i == 0 {
			out = append(out, Finding{
				ID: fmt.Sprintf("access-list:%s:all", at), Guard: "access-list", Level: Warn, Ports: []network.PortRef{at},
				What: fmt.Sprintf("The first rule of %s lets everybody reach everything.", at),
				Why:  "The list keeps nobody from anything.",
				Do:   "Say whom it is for, or do without the list.",
			})
		}
	}
	return out
}

// covers tells whether every frame that fits a rule fits another one.
func covers(o, r setting.Rule) bool {
	prefix := func(a, b netip.Prefix) bool {
		return !a.IsValid() || b.IsValid() && a.Bits() <= b.Bits() && a.Contains(b.Addr())
	}
	ports := func(a, b setting.PortRange) bool {
		return a == (setting.PortRange{}) || b != (setting.PortRange{}) && a.Low <= b.Low && a.High >= b.High
	}
	return (o.Protocol == "ip" || o.Protocol == r.Protocol) && prefix(o.From, r.From) && prefix(o.To, r.To) && ports(o.FromPort, r.FromPort) && ports(o.ToPort, r.ToPort)
}
