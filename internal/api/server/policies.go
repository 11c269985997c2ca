package server

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/reach"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/policies"
)

var seeConfigurations = may(rights.See, rights.Configuration)

// policyRoutes tell what firewalls let pass. It is changed as settings are: by drafts.
func (s *server) policyRoutes(api huma.API) {
	register(s, api, seeConfigurations, http.MethodGet, "/policies", "list-policies", "The firewalls with what they let pass",
		func(ctx context.Context, in *struct {
			Where string `query:"where" maxLength:"4000" doc:"A selector: of which devices; of all when left out"`
		}) (*body[v1.List[v1.PolicySummary]], error) {
			q, err := s.asked(ctx, selector.Device, in.Where, seeConfigurations)
			if err != nil {
				return nil, err
			}
			var out []v1.PolicySummary
			for _, d := range s.Inventory.Devices(q).Rows {
				if s.Policies.Has(d.Name) {
					out = append(out, summaryOut(s.Policies.Summary(d.Name), d.Site.Name))
				}
			}
			return listOf(out, func(p v1.PolicySummary) v1.PolicySummary { return p }), nil
		})
	register(s, api, seeConfigurations, http.MethodGet, "/devices/{name}/policy", "get-policy", "What a firewall lets pass: its rules as they run, how often each decided, and what is wrong with them",
		func(ctx context.Context, in *NamePath) (*body[v1.Policy], error) {
			if err := s.onDevice(ctx, seeConfigurations, in.Name); err != nil {
				return nil, err
			}
			p, err := s.Policies.Of(ctx, in.Name)
			if err != nil {
				return nil, err
			}
			d, _ := s.Inventory.Kept(in.Name)
			return &body[v1.Policy]{policyOut(p, d.Site)}, nil
		})
	register(s, api, may(rights.See, rights.Changes), http.MethodGet, "/changes/{number}/policy", "get-change-policy", "What a change lets firewalls pass, and what it has them stop",
		func(ctx context.Context, in *NumberPath) (*body[v1.PolicyDeltas], error) {
			c, err := s.seenChange(ctx, in.Number)
			if err != nil {
				return nil, err
			}
			before, after, err := s.Changes.Configs(ctx, c)
			if err != nil {
				return nil, err
			}
			list, whole := s.Policies.Differ(before, after, func(device string) bool { return s.onDevice(ctx, seeConfigurations, device) == nil })
			out := v1.PolicyDeltas{Items: []v1.PolicyDelta{}, Whole: whole}
			for _, d := range list {
				out.Items = append(out.Items, v1.PolicyDelta{Device: d.Device, Opens: d.Opens, Rule: d.Rule, From: d.From, To: d.To, Source: d.Source, Destination: d.Destination, Service: d.Service})
			}
			return &body[v1.PolicyDeltas]{out}, nil
		})
}

// reachRoutes answer whether one end reaches another.
func (s *server) reachRoutes(api huma.API) {
	register(s, api, seeConfigurations, http.MethodPost, "/reach", "ask-reach", "Whether one end reaches another by a service, step by step, on the network as it is or as a draft would make it",
		func(ctx context.Context, in *body[v1.ReachRequest]) (*body[v1.Reach], error) {
			r := in.Body
			if r.Protocol != "icmp" && r.Port == 0 {
				return nil, fmt.Errorf("%w: name the port of %s, such as 443", errInvalid, r.Protocol)
			}
			ask := policies.Asked{From: r.From, To: r.To, Protocol: r.Protocol, Port: uint16(r.Port), //nolint:gosec // it is bounded by the contract
				Clients: within(ctx, rights.See, rights.Clients), Devices: within(ctx, rights.See, rights.Devices)}
			if r.Change > 0 {
				c, err := s.seenChange(ctx, r.Change)
				if err != nil {
					return nil, err
				}
				ask.Draft = c.Edits
			}
			a, from, to, err := s.Policies.Reach(ctx, ask)
			if err != nil {
				return nil, err
			}
			return &body[v1.Reach]{s.reachOut(ctx, a, from, to)}, nil
		})
}

// reachOut is an answer as far as who asks may see what lies on the way.
func (s *server) reachOut(ctx context.Context, a reach.Answer, from, to reach.End) v1.Reach {
	called := func(e reach.End) string {
		if address := e.Address.String(); address != e.Name {
			return e.Name + ", " + address
		}
		return e.Name
	}
	out := v1.Reach{Verdict: string(a.Verdict), Why: a.Why, From: called(from), To: called(to), Hops: []v1.ReachHop{}}
	const hidden = "it passes what you may not see"
	for _, h := range a.Hops {
		one := v1.ReachHop{Device: h.Device, In: h.In, Out: h.Out, VLAN: int(h.VLAN), Verdict: string(h.Verdict), What: h.What, Object: h.Object, Table: h.Table, Row: h.Row, Line: h.Line}
		if h.Device != "" && s.onDevice(ctx, seeConfigurations, h.Device) != nil || !s.mayRead(ctx, h.What) {
			one = v1.ReachHop{Verdict: string(h.Verdict), What: hidden}
			if h.Verdict != reach.Passes {
				one.What = "it ends at what you may not see"
				out.Why = one.What
			}
			if n := len(out.Hops); n > 0 && out.Hops[n-1].What == one.What {
				continue
			}
		}
		out.Hops = append(out.Hops, one)
	}
	return out
}

// mayRead tells whether a text names no device that who makes the request may not see.
func (s *server) mayRead(ctx context.Context, text string) bool {
	for _, v := range s.Fleet.Views() {
		if strings.Contains(text, v.Name) && s.onDevice(ctx, seeConfigurations, v.Name) != nil {
			return false
		}
	}
	return true
}

func summaryOut(p policies.Policy, site string) v1.PolicySummary {
	out := v1.PolicySummary{Device: p.Device, Site: site, Decides: p.Decides, Rules: len(p.Rules), Unmatched: p.Unmatched, Faults: map[string]int{}, SeenAt: momentOf(p.SeenAt)}
	for _, r := range p.Rules {
		if r.Hits != nil {
			out.Sessions += r.Hits.Sessions
		}
		if r.Fault.Fault != "" {
			out.Faults[string(r.Fault.Fault)]++
		}
	}
	return out
}

func policyOut(p policies.Policy, site string) v1.Policy {
	out := v1.Policy{PolicySummary: summaryOut(p, site), List: []v1.PolicyRule{}, Translations: []v1.PolicyTranslation{}, Found: []v1.InspectionFound{}, Floods: []v1.PolicyFlood{}, Overrides: []v1.PolicyOverride{}, Names: []v1.PolicyName{}, Since: momentOf(p.Counted)}
	for _, r := range p.Rules {
		one := v1.PolicyRule{Number: r.Number, Text: r.Text, Action: r.Action, From: some(r.From), To: some(r.To), Source: some(r.Source), Destination: some(r.Destination), Service: some(r.Service),
			Inspect: r.Inspect, During: r.During, Until: r.Until, Log: r.Log, Note: r.Note, Layer: r.Layer, Fault: string(r.Fault.Fault), By: r.Fault.By}
		if r.Broken {
			one.Action = "unknown"
		}
		if r.Hits != nil {
			one.Sessions, one.LastAt = &r.Hits.Sessions, momentOf(r.Hits.LastAt)
		}
		out.List = append(out.List, one)
	}
	for _, o := range p.Overrides {
		out.Overrides = append(out.Overrides, v1.PolicyOverride(o))
	}
	for _, f := range p.Floods {
		out.Floods = append(out.Floods, v1.PolicyFlood{Zone: f.Zone, Protocol: f.Protocol, Dropped: f.Dropped, Rate: f.Rate, Source: f.Source, LastAt: momentOf(f.LastAt)})
	}
	for _, f := range p.Found {
		out.Found = append(out.Found, v1.InspectionFound{Inspection: f.Inspection, What: f.What, Blocked: f.Blocked, Limited: f.Limited, Logged: f.Logged, LastAt: momentOf(f.LastAt)})
	}
	for _, t := range p.Translations {
		one := v1.PolicyTranslation{Number: t.Number, Text: t.Text, Kind: t.Kind, From: some(t.From), To: some(t.To), Source: some(t.Source), Destination: some(t.Destination), Service: some(t.Service),
			Port: int(t.Port), Note: t.Note, Layer: t.Layer}
		if t.Into.IsValid() {
			one.Into = t.Into.String()
		}
		if t.Broken {
			one.Kind = "unknown"
		}
		if t.Hits != nil {
			one.Sessions, one.LastAt = &t.Hits.Sessions, momentOf(t.Hits.LastAt)
		}
		out.Translations = append(out.Translations, one)
	}
	for _, n := range p.Names {
		values := n.Settings
		if values == nil {
			values = network.Settings{}
		}
		out.Names = append(out.Names, v1.PolicyName{Kind: string(n.Kind), Name: n.Name, Purpose: n.Purpose, Values: values, UsedBy: some(n.UsedBy)})
	}
	return out
}

// some is a list that is there, whether it is empty or not.
func some(list []string) []string {
	if list == nil {
		return []string{}
	}
	return list
}
