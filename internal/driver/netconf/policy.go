package netconf

import (
	"net/netip"
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
	for _, t := range rowTables {
		if t.kind != setting.OnPolicy {
			continue
		}
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
	out.Found, out.Floods, out.Overrides = readFound(data), readFloods(data), readOverrides(data)
	return out
}

// readOverrides reads who may see for a time what inspections block.
func readOverrides(data *xmlnode.Node) (out []network.Override) {
	for _, n := range data.Child("firewall").All("override") {
		source, err := netip.ParseAddr(n.TextAt("source"))
		until, err2 := time.Parse(time.RFC3339, n.TextAt("until"))
		if err == nil && err2 == nil && len(out) < maxFound {
			out = append(out, network.Override{Source: source.String(), Category: short(n.TextAt("category")), By: short(n.TextAt("by")), Until: until.UTC(), Passed: counter(n, "passed")})
		}
	}
	return out
}

// readFloods reads what limits of zones dropped.
func readFloods(data *xmlnode.Node) (out []network.Flood) {
	for _, z := range data.Child("firewall").All("zone") {
		for _, n := range z.All("flood") {
			if len(out) == maxFound {
				return out
			}
			f := network.Flood{Zone: short(z.TextAt("name")), Protocol: short(n.TextAt("protocol")), Dropped: counter(n, "dropped"), Rate: counter(n, "rate")}
			if source, err := netip.ParseAddr(n.TextAt("source")); err == nil {
				f.Source = source.String()
			}
			if at, err := time.Parse(time.RFC3339, n.TextAt("last")); err == nil {
				f.LastAt = driver.Believed(at.UTC(), time.Now())
			}
			out = append(out, f)
		}
	}
	return out
}

// maxFound is of how much that inspections found is told.
const maxFound = 2000

func readFound(data *xmlnode.Node) (out []network.Inspected) {
	for _, i := range data.Child("firewall").All("inspection") {
		for _, n := range i.All("found") {
			if len(out) == maxFound {
				return out
			}
			f := network.Inspected{Inspection: i.TextAt("name"), What: short(n.TextAt("what")), Blocked: counter(n, "blocked"), Limited: counter(n, "limited"), Logged: counter(n, "logged")}
			if at, err := time.Parse(time.RFC3339, n.TextAt("last")); err == nil {
				f.LastAt = driver.Believed(at.UTC(), time.Now())
			}
			out = append(out, f)
		}
	}
	return out
}
