package server

import (
	"context"
	"net/http"
	"net/netip"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/service/policies"
)

// sessionQuery picks sessions of a firewall.
type sessionQuery struct {
	NamePath
	Source      string `query:"source" maxLength:"100" doc:"From there: an address, a prefix, or the name of an end station"`
	Destination string `query:"destination" maxLength:"100" doc:"To there: the same"`
	Protocol    string `query:"protocol" enum:"tcp,udp,icmp"`
	Port        int    `query:"port" minimum:"0" maximum:"65535" doc:"To this port"`
	Rule        int    `query:"rule" minimum:"0" maximum:"65535" doc:"That this rule let begin"`
	Limit       int    `query:"limit" minimum:"1" maximum:"1000" default:"200"`
}

// sessionRoutes tell what firewalls let begin. They are ended, and sources blocked, by operations.
func (s *server) sessionRoutes(api huma.API) {
	seeClients := may(rights.See, rights.Clients)
	register(s, api, seeClients, http.MethodGet, "/devices/{name}/sessions", "list-firewall-sessions", "The sessions that a firewall let begin and that go on, as it tells them at the moment",
		func(ctx context.Context, in *sessionQuery) (*body[v1.FirewallSessions], error) {
			if err := s.onDevice(ctx, seeClients, in.Name); err != nil {
				return nil, err
			}
			list, err := s.Policies.Sessions(ctx, in.Name, policies.Filter{Source: in.Source, Destination: in.Destination, Protocol: in.Protocol, Port: in.Port, Rule: in.Rule, Most: in.Limit},
				within(ctx, rights.See, rights.Clients))
			if err != nil {
				return nil, err
			}
			return &body[v1.FirewallSessions]{sessionsOut(list)}, nil
		})
}

func sessionsOut(list policies.Sessions) v1.FirewallSessions {
	out := v1.FirewallSessions{Total: list.Total, Items: []v1.FirewallSession{}, Blocked: []v1.BlockedSource{}}
	end := func(a netip.AddrPort) string {
		switch {
		case !a.IsValid():
			return ""
		case a.Port() == 0:
			return a.Addr().String()
		}
		return a.String()
	}
	for _, x := range list.List {
		out.Items = append(out.Items, v1.FirewallSession{ID: x.ID, Protocol: x.Protocol, Source: end(x.Source), SourceName: list.Names[x.Source.Addr().String()], Destination: end(x.Destination),
			DestinationName: list.Names[x.Destination.Addr().String()], From: x.From, To: x.To, Rule: x.Rule, SeenSource: end(x.SeenSource), SeenDestination: end(x.SeenDestination),
			Application: x.Application, Category: x.Category, Began: x.Began, UpOctets: x.Up, DownOctets: x.Down})
	}
	for _, b := range list.Blocked {
		out.Blocked = append(out.Blocked, v1.BlockedSource{Address: b.Address.String(), Name: list.Names[b.Address.String()], Until: b.Until, Refused: b.Refused})
	}
	return out
}
