package server

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/circuit"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/series"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/core/voice"
	"example.net/everypost/internal/service/circuits"
	"example.net/everypost/internal/store"
)

// betweenRoutes are about what lies between sites: paths, and the circuits that they go over.
func (s *server) betweenRoutes(api huma.API) {
	see, operate := may(rights.See, rights.Devices), may(rights.Operate, rights.Devices)
	type where struct {
		Where string `query:"where" maxLength:"4000" doc:"A selector: of which edges"`
	}
	register(s, api, see, http.MethodGet, "/paths", "list-paths", "The tunnels between sites as each of their ends measures them, and how well people understand each other over them",
		func(ctx context.Context, in *where) (*body[v1.List[v1.Path]], error) {
			q, err := s.asked(ctx, selector.Device, in.Where)
			if err != nil {
				return nil, err
			}
			configs := map[string]network.Config{}
			for _, v := range s.Fleet.Views() {
				configs[v.Name] = v.Config
			}
			nameOf := topology.HostNames(configs)
			out := []v1.Path{}
			for _, d := range s.Inventory.Devices(q).Rows {
				for _, t := range d.Inside.Tunnels {
					far := nameOf(t.RemoteSystem)
					if !s.Inventory.HoldsDevice(far, within(ctx, rights.See, rights.Devices)) {
						far = ""
					}
					out = append(out, pathOut(d, t, far))
				}
			}
			slices.SortFunc(out, func(a, b v1.Path) int {
				return cmp.Or(strings.Compare(a.Device, b.Device), strings.Compare(a.Tunnel, b.Tunnel))
			})
			return listOf(out, func(p v1.Path) v1.Path { return p }), nil
		})
	register(s, api, see, http.MethodGet, "/paths/strips", "list-path-strips", "How calls over the tunnels between sites fared in the last 24 hours: critical where a tunnel was down, major below R = 50, minor below 70, warning where it was down for a part",
		func(ctx context.Context, in *where) (*body[v1.Strips], error) {
			q, err := s.asked(ctx, selector.Device, in.Where)
			if err != nil {
				return nil, err
			}
			from := time.Now().UTC().Truncate(stripStep).Add(-(stripSteps - 1) * stripStep)
			span := series.Span{From: from.UnixMilli(), Step: stripStep.Milliseconds(), Count: stripSteps}
			out := v1.Strips{From: from, StepSeconds: int(stripStep / time.Second), Items: []v1.Strip{}}
			for _, d := range s.Inventory.Devices(q).Rows {
				if len(d.Inside.Tunnels) == 0 {
					continue
				}
				of, err := s.Steerings.Day(ctx, d.Name, d.Inside.Tunnels, span)
				if err != nil {
					return nil, err
				}
				for _, t := range d.Inside.Tunnels {
					out.Items = append(out.Items, v1.Strip{Name: t.Name, Device: d.Name, Tunnel: t.Name, Steps: of[t.Name]})
				}
			}
			slices.SortFunc(out.Items, func(a, b v1.Strip) int {
				return cmp.Or(strings.Compare(a.Device, b.Device), strings.Compare(a.Name, b.Name))
			})
			return &body[v1.Strips]{out}, nil
		})
	register(s, api, see, http.MethodGet, "/circuits", "list-circuits", "The lines of providers that lead out of sites, and how much of them is used",
		func(ctx context.Context, in *where) (*body[v1.List[v1.Circuit]], error) {
			q, err := s.asked(ctx, selector.Device, in.Where)
			if err != nil {
				return nil, err
			}
			at := map[string]*catalog.Device{}
			for _, d := range s.Inventory.Devices(q).Rows {
				at[d.Name] = d
			}
			all, err := s.Circuits.List(ctx)
			if err != nil {
				return nil, err
			}
			out := []v1.Circuit{}
			for _, c := range all {
				if d := at[c.Device]; d != nil {
					one, err := s.circuitOut(ctx, d, c)
					if err != nil {
						return nil, err
					}
					out = append(out, one)
				}
			}
			return listOf(out, func(c v1.Circuit) v1.Circuit { return c }), nil
		})
	register(s, api, operate, http.MethodPut, "/circuits", "put-circuit", "Say what the circuit at a port is",
		func(ctx context.Context, in *body[v1.CircuitRequest]) (*body[v1.Circuit], error) {
			r := in.Body
			d, err := s.atPort(ctx, operate, r.Device, r.Port)
			c := circuit.Circuit{Device: r.Device, Port: r.Port, Provider: r.Provider, Kind: r.Kind, Contract: r.Contract, DownMbps: r.DownMbps, UpMbps: r.UpMbps, CapGB: r.CapGB, Notes: r.Notes, HandedAt: r.HandedAt}
			if at, bad := network.ParsePortRef(r.HandedAt); err == nil && bad == nil {
				_, err = s.atPort(ctx, see, at.Device, at.Port)
			}
			if err == nil && r.HandedAt == "" {
				c.HandedAt, err = s.unseenHandover(ctx, r.Device, r.Port)
			}
			err = s.act(ctx, "put-circuit", r.Device+":"+r.Port, err, func(string) (err error) {
				c, err = s.Circuits.Put(ctx, c)
				return err
			})
			if err != nil {
				return nil, err
			}
			out, err := s.circuitOut(ctx, d, c)
			return &body[v1.Circuit]{out}, err
		})
	register(s, api, operate, http.MethodDelete, "/circuits", "remove-circuit", "Forget the circuit at a port",
		func(ctx context.Context, in *struct {
			Device string `query:"device" required:"true" minLength:"1" maxLength:"63"`
			Port   string `query:"port" required:"true" minLength:"1" maxLength:"63"`
		}) (*struct{}, error) {
			_, err := s.atPort(ctx, operate, in.Device, in.Port)
			return nil, s.act(ctx, "remove-circuit", in.Device+":"+in.Port, err, func(string) error {
				return missing(s.Circuits.Drop(ctx, in.Device, in.Port), "circuit at "+in.Device+":"+in.Port)
			})
		})
}

// unseenHandover is where a circuit is handed over, if that is not to be seen by who makes the request: who does not see it does not take it away.
func (s *server) unseenHandover(ctx context.Context, device, port string) (string, error) {
	list, err := s.Circuits.List(ctx)
	for _, c := range list {
		at, bad := network.ParsePortRef(c.HandedAt)
		if c.Device == device && c.Port == port && bad == nil && s.onDevice(ctx, may(rights.See, rights.Devices), at.Device) != nil {
			return c.HandedAt, err
		}
	}
	return "", err
}

// atPort is a device with a port of a name, where who makes the request has a right.
func (s *server) atPort(ctx context.Context, n need, device, port string) (*catalog.Device, error) {
	d, ports, err := s.Inventory.Device(device)
	if err == nil {
		err = s.onDevice(ctx, n, device)
	}
	if err != nil {
		return nil, missing(err, device)
	}
	if !slices.ContainsFunc(ports, func(p *catalog.Port) bool { return p.Ref.Port == port }) {
		return nil, fmt.Errorf("port %s:%s: %w", device, port, store.ErrNotFound)
	}
	return d, nil
}

func pathOut(d *catalog.Device, t network.Tunnel, far string) v1.Path {
	out := v1.Path{Tunnel: t.Name, Device: d.Name, Site: d.Site.Name, Port: t.Port, Underlay: t.Underlay, Far: far, Up: t.Up, Since: momentOf(t.Changed), DelayMs: t.DelayMs, JitterMs: t.JitterMs, LossPercent: t.LossPercent,
		Opinion: 1, Category: "down"}
	switch {
	case d.Reach != network.ReachConnected:
		out.Category = "not known"
	case t.Up:
		r := voice.Rating(voice.Over(t.DelayMs, t.JitterMs, t.LossPercent, voice.G711))
		out.Sent, out.Received = wayOut(t.Sent), wayOut(t.Received)
		out.Rating, out.Opinion, out.Category = *digits(max(r, 0)), *digits(voice.Opinion(r)), voice.Category(r)
	}
	return out
}

func wayOut(o *network.OneWay) *v1.PathWay {
	if o == nil {
		return nil
	}
	r := voice.Rating(voice.OneWay(o.DelayMs, o.JitterMs, o.LossPercent, voice.G711))
	return &v1.PathWay{DelayMs: o.DelayMs, JitterMs: o.JitterMs, LossPercent: o.LossPercent, Rating: *digits(max(r, 0)), Opinion: *digits(voice.Opinion(r)), Category: voice.Category(r)}
}

func (s *server) circuitOut(ctx context.Context, d *catalog.Device, c circuit.Circuit) (v1.Circuit, error) {
	out := v1.Circuit{CircuitRequest: v1.CircuitRequest{Device: c.Device, Port: c.Port, Provider: c.Provider, Kind: c.Kind, Contract: c.Contract, DownMbps: c.DownMbps, UpMbps: c.UpMbps, CapGB: c.CapGB, Notes: c.Notes},
		Site: d.Site.Name, Tunnels: []string{}}
	p := d.State.Ports[c.Port]
	out.Up, out.DownBps, out.UpBps = p.Oper == network.Up, p.Rates.RxBps, p.Rates.TxBps
	for _, t := range d.Inside.Tunnels {
		if t.Port == c.Port {
			out.Tunnels = append(out.Tunnels, t.Name)
		}
	}
	slices.Sort(out.Tunnels)
	if at, bad := network.ParsePortRef(c.HandedAt); bad == nil && s.onDevice(ctx, may(rights.See, rights.Devices), at.Device) == nil {
		out.HandedAt = c.HandedAt
	}
	u, err := s.Circuits.Use(ctx, c, circuits.Zone(d.Site.TimeZone))
	if u.Known {
		out.MonthOctets, out.Standing = &u.Octets, c.Standing(u)
		if u.Expected > 0 {
			out.MonthForeseen = &u.Expected
		}
	}
	return out, err
}
