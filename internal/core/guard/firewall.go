package guard

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/policy"
	"example.net/everypost/internal/core/setting"
)

// firewalls finds policies that name what is not there, groups that hold themselves, VLANs in two zones, rules that never decide or are wider than
// anybody wants, and what a change lets pass or stops.
func firewalls(p Proposal) []Finding {
	var out []Finding
	for _, device := range slices.Sorted(maps.Keys(p.After)) {
		before, after := p.Before[device], p.After[device]
		if !after.Has(setting.Firewall) || samePolicy(before, after) {
			continue
		}
		out = append(out, unnamed(device, before, after)...)
		out = append(out, twoZones(device, after)...)
		out = append(out, ownMembers(device, after)...)
		out = append(out, badRules(device, before, after, p.Now)...)
		out = append(out, passes(device, before, after, p)...)
		out = append(out, translatesNoMore(device, before, after, p.Insides[device].Policy)...)
	}
	return out
}

// translatesNoMore finds translations that are in use and go, or become others.
func translatesNoMore(device string, before, after network.Config, st *network.PolicyState) []Finding {
	if st == nil {
		return nil
	}
	at := network.PortRef{Device: device, Port: setting.PolicyObject}
	var out []Finding
	for _, t := range st.Translations {
		field := setting.RowName("translations", t.Number)
		was, is := before.Objects[setting.PolicyObject][field], after.Objects[setting.PolicyObject][field]
		if t.Sessions == 0 || was == "" || was == is {
			continue
		}
		becomes := "would be another"
		if is == "" {
			becomes = "would go"
		}
		out = append(out, Finding{
			ID: fmt.Sprintf("firewall:%s:translation-%d", at, t.Number), Guard: "firewall", Level: Warn, Ports: []network.PortRef{at},
			What: fmt.Sprintf("Translation %d of %s %s, and is in use.", t.Number, device, becomes),
			Why:  fmt.Sprintf("It did for %d sessions since the device came up. Those that go on may end, and what none fits keeps its own address, to which nobody outside can answer.", t.Sessions),
			Do:   "Look whether another one does for them.",
		})
	}
	return out
}

var firewallKinds = []setting.Kind{setting.OnSecurityZone, setting.OnAddress, setting.OnService, setting.OnPolicy, setting.OnInspection, setting.OnSchedule}

func samePolicy(a, b network.Config) bool {
	of := func(c network.Config) map[string]network.Settings {
		out := maps.Clone(c.Objects)
		maps.DeleteFunc(out, func(object string, _ network.Settings) bool {
			return !slices.Contains(firewallKinds, setting.KindOf(object))
		})
		return out
	}
	return maps.EqualFunc(of(a), of(b), func(x, y network.Settings) bool { return maps.Equal(x, y) })
}

// unnamed finds names in the policy and in groups that stand for nothing.
func unnamed(device string, before, after network.Config) []Finding {
	was := map[setting.Named]bool{}
	for _, n := range setting.NamedIn(before) {
		was[n] = !holds(before, n.Kind, n.Name)
	}
	var out []Finding
	for _, n := range setting.NamedIn(after) {
		if holds(after, n.Kind, n.Name) || was[n] {
			continue
		}
		at := network.PortRef{Device: device, Port: n.Object}
		out = append(out, Finding{
			ID: fmt.Sprintf("firewall:%s:%s%d:%s", at, strings.TrimPrefix(n.Table, "rules"), n.Row, setting.Object(n.Kind, n.Name)), Guard: "firewall", Level: Stop, Ports: []network.PortRef{at},
			What: fmt.Sprintf("%s of %s names %s %s, which %s does not have.", capital(n.String()), device, setting.AboutKind(n.Kind).One, n.Name, device),
			Why:  "The device would refuse it.",
			Do:   fmt.Sprintf("Make it first, in the same draft (%s:%s present=on), or name another.", device, setting.Object(n.Kind, n.Name)),
		})
	}
	return out
}

func capital(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

func twoZones(device string, after network.Config) []Finding {
	var out []Finding
	in := map[string]string{}
	say := func(what, zone string) {
		if other := in[what]; other != "" {
			at := network.PortRef{Device: device, Port: setting.Object(setting.OnSecurityZone, zone)}
			out = append(out, Finding{
				ID: fmt.Sprintf("firewall:%s:%s", at, strings.ReplaceAll(what, " ", "-")), Guard: "firewall", Level: Stop, Ports: []network.PortRef{at},
				What: fmt.Sprintf("%s would be in two zones of %s, %s and %s.", what, device, other, zone), Why: "It would not be known which rules are for it.",
				Do: fmt.Sprintf("Take it out of %s first.", other),
			})
		}
		in[what] = zone
	}
	for _, z := range setting.SecurityZones(after) {
		for _, v := range z.VLANs {
			say("VLAN "+v.String(), z.Name)
		}
		for _, i := range z.Interfaces {
			say(i, z.Name)
		}
	}
	return out
}

// ownMembers finds groups that hold themselves, over whatever others.
func ownMembers(device string, after network.Config) []Finding {
	var out []Finding
	for _, object := range setting.ObjectsOf(after, setting.OnAddress, setting.OnService) {
		k := setting.KindOf(object)
		name := strings.TrimPrefix(object, string(k)+"/")
		if way := wayBack(after, k, name, name, map[string]bool{}); way != nil {
			at := network.PortRef{Device: device, Port: object}
			out = append(out, Finding{
				ID: "firewall:" + at.String() + ":members", Guard: "firewall", Level: Stop, Ports: []network.PortRef{at},
				What: fmt.Sprintf("%s %s of %s would hold itself: %s.", capital(setting.AboutKind(k).One), name, device, strings.Join(append([]string{name}, way...), " holds ")),
				Why:  "It would have no end.", Do: "Take one of them out of the other.",
			})
		}
	}
	return out
}

func wayBack(c network.Config, k setting.Kind, to, at string, seen map[string]bool) []string {
	if seen[at] {
		return nil
	}
	seen[at] = true
	for _, m := range setting.Items(c.Objects[setting.Object(k, at)]["members"]) {
		if m == to {
			return []string{m}
		}
		if way := wayBack(c, k, to, m, seen); way != nil {
			return append([]string{m}, way...)
		}
	}
	return nil
}

// badRules finds what is wrong with rules and was not so before.
func badRules(device string, before, after network.Config, now time.Time) []Finding {
	known := map[string]bool{}
	key := func(f policy.Finding) string { return fmt.Sprint(f.Rule, f.Fault) }
	for _, f := range policy.Of(before).Analyse(now, nil) {
		known[key(f)] = true
	}
	at := network.PortRef{Device: device, Port: setting.PolicyObject}
	var out []Finding
	for _, f := range policy.Of(after).Analyse(now, nil) {
		if known[key(f)] {
			continue
		}
		finding := Finding{ID: fmt.Sprintf("firewall:%s:%d", at, f.Rule), Guard: "firewall", Level: Note, Ports: []network.PortRef{at}}
		rule := fmt.Sprintf("Rule %d of %s", f.Rule, device)
		out1 := []intent.Edit{{Port: at, Field: setting.RowName("rules", f.Rule)}}
		switch f.Fault {
		case policy.Shadowed:
			finding.Level, finding.What = Warn, fmt.Sprintf("%s never decides: %s before it, and otherwise.", rule, decide(f.By))
			finding.Why, finding.Do = "Whoever wrote it thinks that it is in force.", fmt.Sprintf("Move it before rule %d, or take it out.", f.By[0])
		case policy.Redundant:
			finding.What, finding.Fix = fmt.Sprintf("%s changes nothing: %s as it does.", rule, decide(f.By)), out1
			finding.Why, finding.Do = "Each rule that need not be there makes the others harder to read.", "Take it out."
		case policy.Wide:
			finding.Level, finding.What = Warn, rule+" lets everybody reach everything."
			finding.Why, finding.Do = "What follows it never decides, and the firewall keeps nobody from anything.", "Say from which zone to which, who, and by which service."
		case policy.Past:
			finding.What, finding.Fix = rule+" was for a time that is over.", out1
			finding.Why, finding.Do = "It never decides any more.", "Take it out, or give it another day."
		case policy.Nobody:
			finding.Level, finding.What = Warn, rule+" is for nobody: what it names is empty, or within one zone."
			finding.Why, finding.Do = "It never decides.", "Fill what it names, or take it out."
		default:
			finding.What, finding.Why, finding.Do = rule+" is too large to be looked at.", "It falls into more pieces than can be compared.", "Name larger groups."
		}
		out = append(out, finding)
	}
	return out
}

func decide(rules []int) string {
	switch len(rules) {
	case 0:
		return "what no rule fits is denied"
	case 1:
		return fmt.Sprintf("rule %d decides", rules[0])
	}
	var names []string
	for _, n := range rules[:min(len(rules), 4)] {
		names = append(names, fmt.Sprint(n))
	}
	if len(rules) > 4 {
		return fmt.Sprintf("rules %s and %d more decide", strings.Join(names, ", "), len(rules)-4)
	}
	return fmt.Sprintf("rules %s decide", strings.Join(names, ", "))
}

// passes tells what a change lets pass, and what it stops that is in use.
func passes(device string, before, after network.Config, p Proposal) []Finding {
	deltas, whole := policy.Differ(policy.Of(before), policy.Of(after), p.Now)
	at := network.PortRef{Device: device, Port: setting.PolicyObject}
	var opens, closes []string
	var used []string
	for _, d := range deltas {
		text := fmt.Sprintf("%s from %s (%s) to %s (%s)", d.Service, d.From, d.Source, d.To, d.Destination)
		if d.Opens {
			opens = append(opens, text)
			continue
		}
		closes = append(closes, text)
		if n := sessionsOf(p.Insides[device].Policy, d.Rule); n > 0 && d.Rule > 0 {
			used = append(used, fmt.Sprintf("rule %d let %d sessions pass since the device came up", d.Rule, n))
		}
	}
	var out []Finding
	if len(opens) > 0 {
		out = append(out, Finding{
			ID: "firewall:" + at.String() + ":opens", Guard: "firewall", Level: Note, Ports: []network.PortRef{at},
			What: fmt.Sprintf("%s would let pass what it stops now: %s.", device, few(opens, whole)), Why: "What is let pass is what can be attacked.",
			Do: "Look whether that is what was meant.",
		})
	}
	if len(closes) > 0 {
		f := Finding{
			ID: "firewall:" + at.String() + ":closes", Guard: "firewall", Level: Note, Ports: []network.PortRef{at},
			What: fmt.Sprintf("%s would stop what it lets pass now: %s.", device, few(closes, whole)), Why: "Nobody was seen to use it.",
			Do: "Look whether that is what was meant.",
		}
		if used = slices.Compact(used); len(used) > 0 {
			f.Level, f.Why = Warn, "It is in use: "+few(used, true)+"."
		}
		out = append(out, f)
	}
	return out
}

func sessionsOf(s *network.PolicyState, rule int) uint64 {
	if s == nil {
		return 0
	}
	for _, r := range s.Rules {
		if r.Number == rule {
			return r.Sessions
		}
	}
	return 0
}

func few(list []string, whole bool) string {
	const shown = 3
	text := strings.Join(list[:min(len(list), shown)], "; ")
	switch {
	case !whole:
		return text + "; and more"
	case len(list) > shown:
		return fmt.Sprintf("%s; and %d more", text, len(list)-shown)
	}
	return text
}
