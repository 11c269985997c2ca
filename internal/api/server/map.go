package server

import (
	"context"
	"math"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/store"
)

func (s *server) mapRoutes(api huma.API) {
	register(s, api, may(rights.See, rights.Devices), http.MethodGet, "/links", "list-links", "The links between devices: cables, bundles, tunnels, from what neighbours report",
		func(ctx context.Context, in *ListQuery) (*body[v1.List[v1.Link]], error) {
			q, err := s.query(ctx, in, selector.Link)
			if err != nil {
				return nil, err
			}
			return page(q, s.Inventory.Links(q), linkOut), nil
		})
	type mapQuery struct {
		Where string `query:"where" maxLength:"4000" doc:"A selector: which devices, with the lines between them and from them"`
		VLAN  int    `query:"vlan" minimum:"0" maximum:"4094" doc:"Tell besides how this VLAN fares"`
	}
	register(s, api, may(rights.See, rights.Devices), http.MethodGet, "/map", "get-map", "How devices hang together, from what neighbours report",
		func(ctx context.Context, in *mapQuery) (*body[v1.Map], error) {
			q, err := s.asked(ctx, selector.Device, in.Where)
			if err != nil {
				return nil, err
			}
			everything, asked := s.askedOf(ctx, q)
			out := drawMap(everything, asked, network.VLANID(in.VLAN))
			return &body[v1.Map]{out}, s.mapAlarms(ctx, out.Devices)
		})
}

// mapAlarms marks devices with the worst alarm on them that follows from no other, as far as who makes the request may see alarms.
func (s *server) mapAlarms(ctx context.Context, devices []v1.MapDevice) error {
	if !person(ctx).May(rights.See, rights.Alarms) {
		return nil
	}
	where := within(ctx, rights.See, rights.Alarms)
	list, err := s.Alarms.List(ctx, store.AlarmQuery{Open: true, Roots: true, Limit: math.MaxInt32})
	if err != nil {
		return err
	}
	of := map[string]*v1.MapDevice{}
	for i := range devices {
		of[devices[i].Name] = &devices[i]
	}
	for _, a := range list { // the worst first
		d := of[a.Subject.OnDevice()]
		if d == nil || a.Silent(time.Now()) || !s.Inventory.HoldsDevice(d.Name, where) {
			continue
		}
		if d.Alarms++; d.Alarm == "" {
			d.Alarm = string(a.Severity)
		}
	}
	return nil
}

// linkOut is a link for the interface.
func linkOut(l *catalog.Link) v1.Link {
	out := v1.Link{Line: lineOut(l.Line), ABps: l.TxBps, BBps: l.RxBps, Use: l.UsePercent()}
	out.Radio = l.Radio
	for _, v := range l.VLANs() {
		out.VLAN = append(out.VLAN, int(v))
	}
	return out
}

// askedOf lists all devices that there are for who asks, and tells which of them a question picks.
func (s *server) askedOf(ctx context.Context, q catalog.Query) (everything []*catalog.Device, asked map[string]bool) {
	everything = s.Inventory.Devices(catalog.Query{Within: within(ctx, rights.See, rights.Devices), Limit: math.MaxInt, Now: time.Now()}).Rows
	asked = map[string]bool{}
	for _, d := range s.Inventory.Devices(q).Rows {
		asked[d.Name] = true
	}
	return everything, asked
}

// linesOf draws the links between devices, and returns what they were drawn from.
func linesOf(everything []*catalog.Device) ([]topology.Line, map[string]topology.Seen) {
	seen, configs := map[string]topology.Seen{}, map[string]network.Config{}
	for _, d := range everything {
		seen[d.Name] = topology.Seen{Config: d.Config, State: d.State, Inside: d.Inside, Away: d.Reach != network.ReachConnected}
		configs[d.Name] = d.Config
	}
	return topology.Lines(seen, topology.HostNames(configs)), seen
}

// drawMap draws the devices that are asked for and those that a line leads to from them.
func drawMap(everything []*catalog.Device, asked map[string]bool, vlan network.VLANID) v1.Map {
	lines, seen := linesOf(everything)
	rows := map[string]*catalog.Device{}
	for _, d := range everything {
		rows[d.Name] = d
	}
	out := v1.Map{Devices: []v1.MapDevice{}, Lines: []v1.Line{}}
	drawn := map[string]bool{}
	draw := func(name string) {
		if !drawn[name] {
			drawn[name] = true
			out.Devices = append(out.Devices, mapDevice(rows[name], !asked[name], vlan))
		}
	}
	for _, d := range everything {
		if asked[d.Name] {
			draw(d.Name)
		}
	}
	for _, l := range lines {
		if !asked[l.A.Device] && !asked[l.B.Device] {
			continue
		}
		draw(l.A.Device)
		draw(l.B.Device)
		line := lineOut(l)
		line.Radio = rows[l.A.Device].Identity.Kind == network.RadioLink && rows[l.B.Device].Identity.Kind == network.RadioLink
		if vlan != 0 {
			line.VLAN, line.Why = topology.VLANOn(seen, l, vlan)
		}
		out.Lines = append(out.Lines, line)
	}
	return out
}

func mapDevice(d *catalog.Device, beyond bool, vlan network.VLANID) v1.MapDevice {
	out := v1.MapDevice{Name: d.Name, Site: d.Site.Name, Kind: string(d.Identity.Kind), Model: d.Identity.Maker + " " + d.Identity.Model, Health: string(d.Health), Beyond: beyond}
	if vlan == 0 {
		return out
	}
	_, out.VLAN = d.Config.VLANs[vlan]
	for _, p := range d.Config.Ports {
		if p.Mode == network.Access && p.AccessVLAN == vlan && p.Enabled {
			out.Ports++
		}
	}
	return out
}

func lineOut(l topology.Line) v1.Line {
	out := v1.Line{Kind: l.Kind, A: v1.LineEnd(l.A), B: v1.LineEnd(l.B), Up: l.Up, Members: l.Members, SpeedMbps: l.SpeedMbps, OneSided: l.OneSided,
		Underlay: l.Underlay, DelayMs: l.DelayMs, Loss: l.Loss, Health: string(catalog.LineHealth(l))}
	if l.Blocked != nil {
		out.BlockedAt = l.Blocked.Device + ":" + l.Blocked.Name
	}
	return out
}
