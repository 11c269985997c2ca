package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/fact/words"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/peering"
)

// routerRoutes are about routers of sites with which edges exchange routes.
func (s *server) routerRoutes(api huma.API) {
	register(s, api, seeConfigurations, http.MethodGet, "/routers", "list-routers", "The routers of sites with which edges exchange routes by BGP and OSPF: how each is, and why nothing is exchanged",
		func(ctx context.Context, in *struct {
			Where string `query:"where" maxLength:"4000" doc:"A selector: of which edges"`
		}) (*body[v1.List[v1.Router]], error) {
			picked, err := s.edgesPicked(ctx, in.Where)
			if err != nil {
				return nil, err
			}
			out := []v1.Router{}
			for _, v := range s.Fleet.Views() {
				if !picked[v.Name] || s.onDevice(ctx, seeConfigurations, v.Name) != nil {
					continue
				}
				for _, n := range peering.Of(v.Name, v.Config, v.Inside) {
					if v.Reach != network.ReachConnected {
						n = n.AwayNow()
					}
					out = append(out, s.routerOut(n))
				}
			}
			return listOf(out, func(x v1.Router) v1.Router { return x }), nil
		})
}

func (s *server) routerOut(n peering.Neighbour) v1.Router {
	out := v1.Router{Device: n.Device, Protocol: n.Protocol, Name: n.Name, Object: n.Object, VRF: n.VRF, Interface: n.Interface, Address: n.Address, RouterID: n.RouterID, AS: n.AS, Area: n.Area,
		Up: n.Up, State: n.State, Received: n.Received, Sent: n.Sent, Routes: n.Routes, Why: words.English.Router(n)}
	if d, _, err := s.Inventory.Device(n.Device); err == nil {
		out.Site = d.Site.Name
	}
	if !n.Since.IsZero() {
		out.Since = &n.Since
	}
	return out
}
