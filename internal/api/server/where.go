package server

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/fact/words"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/store"
)

func (s *server) whereRoutes(api huma.API) {
	type macPath struct {
		MAC string `path:"mac" maxLength:"17"`
	}
	register(s, api, may(rights.See, rights.Clients), http.MethodGet, "/clients/{mac}/way", "get-client-way", "Where an end station is, the way from it to where its site is entered, and what is out of order on it",
		func(ctx context.Context, in *macPath) (*body[v1.ClientWay], error) {
			mac, where := strings.ToLower(in.MAC), within(ctx, rights.See, rights.Clients)
			var client *catalog.Client
			for _, c := range s.Inventory.Clients(catalog.Query{Where: catalog.OfMAC(mac), Within: where, Limit: 1, Now: time.Now()}).Rows {
				client = c
			}
			if client == nil {
				return nil, fmt.Errorf("client %s: %w", mac, store.ErrNotFound)
			}
			return s.wayOf(ctx, client)
		})
}

// wayOf follows the way of a client up from the device at which it is.
func (s *server) wayOf(ctx context.Context, c *catalog.Client) (*body[v1.ClientWay], error) {
	n, err := s.Changes.Network(ctx)
	if err != nil {
		return nil, err
	}
	shown := clientOut(c)
	out := v1.ClientWay{Client: shown, Hops: []v1.WayHop{}, Whole: true}
	graph := topology.NewGraph(n.Links, n.Entries())
	way := graph.WayUp(shown.Device)
	_, known := graph.Distance(shown.Device)
	out.Whole = known
	at, in := shown.Device, shown.Port
	seen := within(ctx, rights.See, rights.Devices)
	for i := 0; i <= len(way); i++ {
		hop, next := v1.WayHop{Device: at, In: in}, ""
		if i < len(way) {
			near, far := way[i].Other(at)
			hop.Out, next, in = near.Port, far.Device, far.Port
		}
		if !s.Inventory.HoldsDevice(at, seen) {
			out.Hidden = true
			break
		}
		if v, ok := s.Fleet.View(at); ok {
			hop.Reach = string(v.Reach)
			out.Whole = out.Whole && v.Reach == network.ReachConnected
		}
		for _, port := range []string{hop.In, hop.Out} {
			if p, set := n.Configs[at].Ports[port]; set && shown.VLAN > 0 && p.Mode != "" && !p.Carries(network.VLANID(shown.VLAN)) {
				hop.NotCarried, out.Whole = append(hop.NotCarried, port), false
			}
		}
		if everywhere(ctx, rights.See, rights.Alarms) || s.Inventory.HoldsDevice(at, within(ctx, rights.See, rights.Alarms)) {
			list, err := s.Alarms.List(ctx, store.AlarmQuery{Devices: []string{at}, Open: true, Limit: 50})
			if err != nil {
				return nil, err
			}
			for _, a := range list {
				if port := a.Subject.PortName(); port == "" || slices.Contains([]string{hop.In, hop.Out}, port) {
					hop.Alarms = append(hop.Alarms, words.English.Alarm(a.Type, a.Subject.String(), a.Args).What)
				}
			}
		}
		out.Hops = append(out.Hops, hop)
		at = next
	}
	return &body[v1.ClientWay]{out}, nil
}
