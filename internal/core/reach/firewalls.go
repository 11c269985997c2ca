package reach

import (
	"cmp"
	"fmt"
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/policy"
	"example.net/everypost/internal/core/setting"
)

// firewallOf is the firewall that decides for a site, "" for none; ok is false where the way ends at it.
func (a *asking) firewallOf(site string) (fw string, ok bool) {
	firewalls := a.firewalls(site)
	if len(firewalls) == 0 {
		return "", true
	}
	at := slices.IndexFunc(firewalls, func(d string) bool { return !a.n.Gone[d] })
	if at < 0 {
		a.answer.Outage = true
		a.end(Hop{Device: firewalls[0], Verdict: Stops, What: "it decides what passes between zones, and is not in hand"})
		return "", false
	}
	return firewalls[at], true
}

// firewalls are those of a site that have a policy.
func (a *asking) firewalls(site string) (out []string) {
	for d, s := range a.n.SiteOf {
		if _, decides := a.n.Configs[d].Objects[setting.PolicyObject]; s == site && decides {
			out = append(out, d)
		}
	}
	slices.Sort(out)
	return out
}

// session is what is asked, as a firewall sees it. A VLAN of 0 is what is outside of its site.
func (a *asking) session(p *policy.Policy, from, to network.VLANID) policy.Session {
	return policy.Session{From: p.Zone(from), To: p.Zone(to), Source: a.q.From.Address, Destination: a.q.To.Address, Protocol: a.q.Protocol, Port: a.q.Port}
}

// decide asks a firewall, where there is one.
func (a *asking) decide(fw string, from, to network.VLANID) bool {
	if fw == "" {
		return true
	}
	p := a.policy(fw)
	s := a.session(p, from, to)
	rule, allowed := p.Decide(s, a.q.At)
	h := Hop{Device: fw, Verdict: Passes, Object: setting.PolicyObject}
	between := fmt.Sprintf("from %s to %s", orNoZone(s.From), orNoZone(s.To))
	switch {
	case rule == nil && allowed:
		h.Object, h.What = "", fmt.Sprintf("within zone %s nothing is decided", s.From)
	case rule == nil:
		h.Verdict, h.What = Stops, "no rule fits it "+between+": it is denied"
	default:
		h.Table, h.Row, h.Line = "rules", rule.Number, a.line(fw, "rules", rule.Number)
		h.What = fmt.Sprintf("rule %d lets it pass %s", rule.Number, between)
		if rule.Inspect != "" {
			h.What += fmt.Sprintf("; inspection %s may stop it once it is known what it is", rule.Inspect)
		}
		if !allowed {
			h.Verdict, h.What = Stops, fmt.Sprintf("rule %d stops it %s (%s)", rule.Number, between, rule.Action)
		}
	}
	if h.Verdict == Stops {
		a.end(h)
		return false
	}
	a.hop(h)
	return true
}

func orNoZone(zone string) string { return cmp.Or(zone, "no zone") }

// line is a row of a table of a firewall's policy.
func (a *asking) line(fw, table string, number int) string {
	return a.n.Configs[fw].Objects[setting.PolicyObject][setting.RowName(table, number)]
}

// policy is that of a firewall, nil where it has none.
func (a *asking) policy(fw string) *policy.Policy {
	p, known := a.n.known[fw]
	if !known {
		p = policy.Of(a.n.Configs[fw])
		a.n.known[fw] = p
	}
	return p
}
