package server

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/permission"
	"example.net/everypost/internal/store"
)

func (s *server) groupRoutes(api huma.API) {
	operate := may(rights.Operate, rights.Groups)
	register(s, api, may(rights.See, rights.Groups), http.MethodGet, "/groups", "list-groups", "The groups, and what they come to now",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.Group]], error) {
			list, err := s.Groups.List(ctx)
			if err != nil {
				return nil, err
			}
			out := v1.List[v1.Group]{Items: make([]v1.Group, len(list)), Total: len(list)}
			for i, g := range list {
				if out.Items[i], err = s.groupOut(ctx, g); err != nil {
					return nil, err
				}
			}
			return &body[v1.List[v1.Group]]{out}, nil
		})
	type groupInput struct {
		NamePath
		Body v1.GroupRequest
	}
	register(s, api, operate, http.MethodPut, "/groups/{name}", "put-group", "Make or replace a group",
		func(ctx context.Context, in *groupInput) (*struct{}, error) {
			return nil, s.act(ctx, "put-group", in.Name, nil, func(by string) error {
				return s.Groups.Put(ctx, store.Group{Name: in.Name, Title: in.Body.Title, Pick: in.Body.Pick, Owner: by, Members: in.Body.Members})
			})
		})
	register(s, api, operate, http.MethodDelete, "/groups/{name}", "drop-group", "Delete a group; its members stay",
		func(ctx context.Context, in *NamePath) (*struct{}, error) {
			return nil, s.act(ctx, "drop-group", in.Name, nil, func(string) error { return s.Groups.Drop(ctx, in.Name) })
		})
	type membersInput struct {
		NamePath
		Body v1.MembersRequest
	}
	register(s, api, operate, http.MethodPost, "/groups/{name}/members", "change-members", "Change who is in a group that is picked by hand",
		func(ctx context.Context, in *membersInput) (*struct{}, error) {
			return nil, s.act(ctx, "change-members", in.Name, nil, func(string) error { return s.Groups.Members(ctx, in.Name, in.Body.Add, in.Body.Remove) })
		})
}

// groupOut rolls a group up, of what who asks may see.
func (s *server) groupOut(ctx context.Context, g store.Group) (v1.Group, error) {
	out := v1.Group{Name: g.Name, GroupRequest: v1.GroupRequest{Title: g.Title, Pick: g.Pick, Members: g.Members}, Owner: g.Owner}
	is, err := catalog.Network.Parse("group = " + selector.Quote(g.Name))
	if err != nil {
		return out, err
	}
	e, err := s.Groups.Expand(ctx, is)
	if err != nil {
		return out, err
	}
	of := func(n selector.Noun, counts ...*selector.Field) catalog.Query {
		return catalog.Query{Where: e, Within: within(ctx, rights.See, permission.FeatureOf(n)), Now: time.Now(), Counts: counts}
	}
	devices := s.Inventory.Devices(of(selector.Device, catalog.Network.Field("health")))
	c := devices.Counts[0]
	out.Devices = v1.HealthCounts{Total: devices.Total, Well: c[string(network.Well)], Degraded: c[string(network.Degraded)], Down: c[string(network.HealthDown)],
		Off: c[string(network.Off)], Unknown: c[string(network.HealthUnknown)]}
	out.Ports, out.Clients = s.Inventory.Ports(of(selector.Port)).Total, s.Inventory.Clients(of(selector.Client)).Total
	if out.Members != nil { // nor are those told of whom he may not see
		out.Members = out.Members[:0:0]
		for _, m := range g.Members {
			if s.Inventory.HoldsDevice(m, within(ctx, rights.See, rights.Devices)) {
				out.Members = append(out.Members, m)
			}
		}
	}
	return out, nil
}

// groupNames lists the names of the groups, for completion.
func (s *server) groupNames(ctx context.Context) []string {
	if !person(ctx).May(rights.See, rights.Groups) {
		return nil
	}
	list, err := s.Groups.List(ctx)
	if err != nil {
		return nil
	}
	names := make([]string, len(list))
	for i, g := range list {
		names[i] = g.Name
	}
	return names
}
