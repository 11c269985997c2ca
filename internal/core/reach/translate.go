package reach

import (
	"fmt"
	"maps"
	"net/netip"
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/policy"
	"example.net/everypost/internal/core/setting"
)

// translateDestination has a firewall translate whom it is for.
func (a *asking) translateDestination(fw string, from network.VLANID) bool {
	p := a.policy(fw)
	if p == nil {
		return false
	}
	s, t := p.Translate(setting.TranslatesDestination, a.session(p, from, 0))
	if t == nil || s.Destination == a.q.To.Address && s.Port == a.q.Port {
		return false
	}
	a.hop(a.translated(fw, t, fmt.Sprintf("for %s, port %d", s.Destination, s.Port)))
	a.q.To, a.q.Port = a.at(s.Destination), s.Port
	return true
}

// translateSource has a firewall translate whom it is from.
func (a *asking) translateSource(fw string, from, to network.VLANID) {
	p := a.policy(fw)
	if p == nil || p.Zone(from) == p.Zone(to) && p.Zone(from) != "" {
		return
	}
	if p.Hides() {
		a.hides = fw
	}
	s, t := p.Translate(setting.TranslatesSource, a.session(p, from, to))
	if t == nil || s.Source == a.q.From.Address {
		return
	}
	a.hop(a.translated(fw, t, "from "+s.Source.String()))
	a.q.From.Address = s.Source
}

func (a *asking) translated(fw string, t *policy.Translation, what string) Hop {
	return Hop{Device: fw, Verdict: Passes, Object: setting.PolicyObject, Table: "translations", Row: t.Number, Line: a.line(fw, "translations", t.Number),
		What: fmt.Sprintf("translation %d: from here on it is %s", t.Number, what)}
}

// at is who is at an address.
func (a *asking) at(address netip.Addr) End {
	if a.q.Find != nil {
		if e, ok := a.q.Find(address); ok {
			return e
		}
	}
	return End{Name: address.String(), Address: address}
}

// comesIn follows a session from outside, which a firewall must lead to somebody inside.
func (a *asking) comesIn() {
	from := a.q.From
	if !policy.Known(from.Address) {
		a.end(Hop{Verdict: Unknown, What: fmt.Sprintf("nobody saw where %s is", from.Name)})
		return
	}
	for _, fw := range slices.Sorted(maps.Keys(a.n.Configs)) {
		if a.n.Gone[fw] || !a.translateDestination(fw, 0) {
			continue
		}
		router := a.routerOf(fw, a.q.To.Address)
		if router == "" {
			a.end(Hop{Device: fw, Verdict: Stops, What: fmt.Sprintf("no device of its site tells of a network that holds %s", a.q.To.Address)})
			return
		}
		if vlan, _ := a.vlanAt(router, a.q.To.Address); a.decide(fw, 0, vlan) {
			a.comesTo(router, vlan)
		}
		return
	}
	a.end(Hop{Verdict: Unknown, What: fmt.Sprintf("nobody saw where %s is, and no firewall translates what comes from outside for %s", from.Name, a.q.To.Name)})
}
