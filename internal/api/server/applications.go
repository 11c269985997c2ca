package server

import (
	"context"
	"maps"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
)

// applicationRoutes tell which applications are used.
func (s *server) applicationRoutes(api huma.API) {
	see := may(rights.See, rights.Clients)
	register(s, api, see, http.MethodGet, "/applications", "list-applications", "Which applications were used, as firewalls recognize them, added up",
		func(ctx context.Context, in *struct {
			Where       string `query:"where" maxLength:"4000" doc:"A selector: by which firewalls; by all when left out"`
			By          string `query:"by" enum:"application,site,network,client,wireless" default:"application"`
			Application string `query:"application" maxLength:"80" doc:"Only of this one"`
			Hours       int    `query:"hours" minimum:"1" maximum:"24" default:"24" doc:"In the last hours"`
			Limit       int    `query:"limit" minimum:"1" maximum:"1000" default:"200"`
		}) (*body[v1.ApplicationUses], error) {
			q, err := s.asked(ctx, selector.Device, in.Where, see)
			if err != nil {
				return nil, err
			}
			devices := map[string]string{}
			for _, d := range s.Inventory.Devices(q).Rows {
				if s.Fleet.TellsApplications(d.Name) {
					devices[d.Name] = d.Site.Name
				}
			}
			list, err := s.Policies.Applications(ctx, devices, in.Hours, in.By, in.Application, within(ctx, rights.See, rights.Clients))
			if err != nil {
				return nil, err
			}
			out := v1.ApplicationUses{Since: momentOf(list.Since), Items: []v1.ApplicationUse{}, Total: len(list.List), Unread: []v1.UnreadFirewall{}}
			for _, u := range list.List[:min(in.Limit, len(list.List))] {
				out.Items = append(out.Items, v1.ApplicationUse{Application: u.Application, Category: u.Category, Site: u.Site, Network: u.Network, SSID: u.SSID, Address: u.Address, Name: u.Name, Clients: u.Clients,
					Sessions: u.Sessions, Denied: u.Denied, UpOctets: u.Up, DownOctets: u.Down})
			}
			for _, d := range slices.Sorted(maps.Keys(list.Unread)) {
				out.Unread = append(out.Unread, v1.UnreadFirewall{Device: d, Why: list.Unread[d]})
			}
			return &body[v1.ApplicationUses]{out}, nil
		})
}
