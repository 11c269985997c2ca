package server

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/fact/words"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/segment"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/setting"
)

// mostRoutes is how many are told at once.
const mostRoutes = 5000

// segmentRoutes are about tables of routes that edges keep apart, and about routes.
func (s *server) segmentRoutes(api huma.API) {
	register(s, api, seeConfigurations, http.MethodGet, "/segments", "list-segments", "The segments across edges: what is in which, what is leaked, and where edges disagree",
		func(ctx context.Context, in *struct {
			Where string `query:"where" maxLength:"4000" doc:"A selector: at which edges"`
		}) (*body[v1.List[v1.Segment]], error) {
			picked, err := s.edgesPicked(ctx, in.Where)
			if err != nil {
				return nil, err
			}
			configs, seen := map[string]network.Config{}, map[string]network.Inside{}
			for _, v := range s.Fleet.Views() {
				if picked[v.Name] && s.onDevice(ctx, seeConfigurations, v.Name) == nil {
					configs[v.Name], seen[v.Name] = v.Config, v.Inside
				}
			}
			out := []v1.Segment{}
			for _, one := range segment.Across(configs) {
				out = append(out, s.segmentOut(one, seen))
			}
			return listOf(out, func(x v1.Segment) v1.Segment { return x }), nil
		})
	register(s, api, may(rights.Change, rights.Devices), http.MethodPost, "/segments", "make-segment", "Put into a draft that networks of edges are in a segment: it is made where it is not there yet",
		func(ctx context.Context, in *body[v1.SegmentRequest]) (*body[v1.BulkAnswer], error) {
			rows, err := s.segmentRows(ctx, in.Body)
			if err != nil {
				return nil, err
			}
			list, err := s.rows(ctx, rows)
			if err != nil {
				return nil, err
			}
			return s.bulk(ctx, in.Body.Change, cmp.Or(in.Body.Why, "Keep what is in segment "+in.Body.Name+" apart"), list)
		})
	register(s, api, may(rights.See, rights.Devices), http.MethodGet, "/routes", "list-routes", "The routes that devices use, of all their tables (VRF), in one list",
		func(ctx context.Context, in *struct {
			Where string `query:"where" maxLength:"4000" doc:"A selector: of which devices"`
			VRF   string `query:"vrf" maxLength:"63" doc:"Of this VRF only"`
			To    string `query:"to" maxLength:"60" doc:"Only those that lead to this address"`
		}) (*body[v1.UsedRoutes], error) {
			q, err := s.asked(ctx, selector.Device, in.Where)
			if err != nil {
				return nil, err
			}
			var to netip.Addr
			if in.To != "" {
				if to, err = netip.ParseAddr(in.To); err != nil {
					return nil, fmt.Errorf("%w: to: %q is not an IP address", errInvalid, in.To)
				}
			}
			out := v1.UsedRoutes{Items: []v1.UsedRoute{}}
			for _, d := range s.Inventory.Devices(q).Rows {
				for _, vrf := range d.Inside.VRFs {
					if in.VRF != "" && vrf.Name != in.VRF {
						continue
					}
					for _, r := range vrf.Routes {
						if p, err := netip.ParsePrefix(r.Prefix); to.IsValid() && (err != nil || !p.Contains(to)) {
							continue
						}
						if out.Total++; out.Total <= mostRoutes {
							out.Items = append(out.Items, v1.UsedRoute{Device: d.Name, Site: d.Site.Name, VRF: vrf.Name, Prefix: r.Prefix, Via: r.Via, Interface: r.Interface, Origin: r.Origin, From: r.From})
						}
					}
				}
			}
			return &body[v1.UsedRoutes]{out}, nil
		})
}

func (s *server) segmentOut(one segment.Segment, seen map[string]network.Inside) v1.Segment {
	out := v1.Segment{Name: one.Name, Number: one.Number, Edges: []v1.SegmentEdge{}, Faults: []string{}}
	for _, e := range one.Edges {
		edge := v1.SegmentEdge{Device: e.Device, Number: e.Told.Number, Networks: []v1.SegmentNetwork{}, Leaks: append([]string{}, e.Told.Leaks...), Within: prefixTexts(e.Told.Within)}
		if d, _, err := s.Inventory.Device(e.Device); err == nil {
			edge.Site = d.Site.Name
		}
		for _, g := range e.Networks {
			n := v1.SegmentNetwork{VLAN: int(g.VLAN)}
			if g.Address.IsValid() {
				n.Network = g.Address.Masked().String()
			}
			edge.Networks = append(edge.Networks, n)
		}
		for _, vrf := range seen[e.Device].VRFs {
			if vrf.Name == one.Name {
				edge.Routes = len(vrf.Routes)
			}
		}
		out.Edges = append(out.Edges, edge)
	}
	for _, f := range one.Faults {
		out.Faults = append(out.Faults, words.English.Segment(one.Name, one.Number, f))
	}
	return out
}

// segmentRows are what edges are to be told for a segment.
func (s *server) segmentRows(ctx context.Context, r v1.SegmentRequest) ([]v1.BulkRow, error) {
	w := segment.Wish{Name: strings.ToLower(r.Name), Leaks: strings.Join(r.Leaks, ","), Prefixes: strings.Join(r.Prefixes, ","), Purpose: r.Purpose}
	for _, v := range r.VLANs {
		id, err := network.ParseVLAN(strconv.Itoa(v))
		if err != nil {
			return nil, fmt.Errorf("%w: vlans: %w", errInvalid, err)
		}
		w.VLANs = append(w.VLANs, id)
	}
	q, err := s.asked(ctx, selector.Device, r.Edges)
	if err != nil {
		return nil, err
	}
	configs := map[string]network.Config{}
	for _, v := range s.Fleet.Views() {
		configs[v.Name] = v.Config
	}
	all := segment.Across(configs)
	number := r.Number
	if at := slices.IndexFunc(all, func(x segment.Segment) bool { return x.Name == w.Name }); number == 0 && at >= 0 {
		number = all[at].Number
	}
	w.Number = strconv.Itoa(cmp.Or(number, segment.FreeNumber(all, w.VLANs[0])))
	var out []v1.BulkRow
	for _, d := range s.Inventory.Devices(q).Rows {
		if !d.Config.Has(setting.Segments) {
			continue
		}
		for _, row := range w.Rows(d.Name, d.Config) {
			out = append(out, v1.BulkRow{On: []string{row.On.String()}, Set: row.Set})
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("%w: no edge there has a network in those VLANs: gateways are set at edges, such as th-edge-01:gateway/20", errInvalid)
	}
	return out, nil
}
