package server

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"net/http"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/service/failures"
	"example.net/everypost/internal/store"
)

// failureRoutes tell what is lost when something fails.
func (s *server) failureRoutes(api huma.API) {
	see := may(rights.See, rights.Devices)
	register(s, api, see, http.MethodGet, "/what-if", "what-if", "What is lost when a device, a link, a tunnel, a circuit or a power supply fails, and what takes its place; nothing is changed",
		func(ctx context.Context, in *struct {
			What string `query:"what" required:"true" minLength:"1" maxLength:"200" doc:"A device; a port as device:port, which stands for its link, or for the circuit behind it; a power supply as device:supply; or a tunnel as tunnel/NAME"`
		}) (*body[v1.Failure], error) {
			t, err := failures.Read(in.What)
			if err != nil {
				return nil, err
			}
			t = s.supplyOr(t)
			ends, err := s.endsOf(t, s.tunnelEnds())
			if err != nil {
				return nil, err
			}
			for _, d := range ends.devices {
				if err := s.onDevice(ctx, see, d); err != nil {
					return nil, fmt.Errorf("%s: %w", in.What, store.ErrNotFound)
				}
			}
			loss, err := s.Failures.Without(ctx, t)
			if err != nil {
				return nil, err
			}
			return &body[v1.Failure]{s.failureOut(ctx, t, ends, loss)}, nil
		})
	register(s, api, see, http.MethodGet, "/single-points", "list-single-points", "The single points of failure: devices, links and tunnels that take others with them, what takes most first",
		func(ctx context.Context, in *struct {
			Where string `query:"where" maxLength:"4000" doc:"A selector: at which devices"`
		}) (*body[v1.List[v1.Failure]], error) {
			q, err := s.asked(ctx, selector.Device, in.Where)
			if err != nil {
				return nil, err
			}
			picked := map[string]bool{}
			for _, d := range s.Inventory.Devices(q).Rows {
				picked[d.Name] = true
			}
			of := s.tunnelEnds()
			points, err := s.Failures.Points(ctx)
			if err != nil {
				return nil, err
			}
			out := []v1.Failure{}
			for _, p := range points {
				ends, err := s.endsOf(p.Thing, of)
				if err != nil || !slices.ContainsFunc(ends.devices, func(d string) bool { return picked[d] }) ||
					slices.ContainsFunc(ends.devices, func(d string) bool { return s.onDevice(ctx, see, d) != nil }) {
					continue
				}
				if f := s.failureOut(ctx, p.Thing, ends, p.Loss); len(f.Devices)+len(f.CutOff) > 0 {
					out = append(out, f)
				}
			}
			slices.SortStableFunc(out, func(a, b v1.Failure) int {
				return cmp.Or(len(b.Devices)+len(b.CutOff)-len(a.Devices)-len(a.CutOff), b.Clients-a.Clients)
			})
			return listOf(out, func(f v1.Failure) v1.Failure { return f }), nil
		})
}

// supplyOr is a power supply where what was taken for a port is one.
func (s *server) supplyOr(t topology.Thing) topology.Thing {
	if d, ports, err := s.Inventory.Device(t.Port.Device); err == nil && !slices.ContainsFunc(ports, func(p *catalog.Port) bool { return p.Ref == t.Port }) &&
		slices.ContainsFunc(d.Inside.Hardware.Supplies, func(x network.Supply) bool { return x.Name == t.Port.Port }) {
		return topology.Thing{Device: d.Name, Supply: t.Port.Port}
	}
	return t
}

// ends is where a thing is that may fail.
type ends struct {
	kind    string
	devices []string
	names   []string
}

// tunnelEnds are the edges that tell of each tunnel.
func (s *server) tunnelEnds() map[string][]string {
	out := map[string][]string{}
	for _, d := range s.Inventory.Devices(catalog.Query{Limit: math.MaxInt, Now: time.Now()}).Rows {
		for _, t := range d.Inside.Tunnels {
			out[t.Name] = append(out[t.Name], d.Name)
		}
	}
	return out
}

// endsOf finds where a thing is.
func (s *server) endsOf(t topology.Thing, tunnels map[string][]string) (ends, error) {
	switch {
	case t.Device != "":
		if _, _, err := s.Inventory.Device(t.Device); err != nil {
			return ends{}, missing(err, t.Device)
		}
		if t.Supply != "" {
			return ends{"supply", []string{t.Device}, []string{failures.Text(t)}}, nil
		}
		return ends{"device", []string{t.Device}, []string{t.Device}}, nil
	case t.Tunnel != "":
		out := ends{kind: "tunnel", devices: slices.Clone(tunnels[t.Tunnel])}
		if len(out.devices) == 0 {
			return out, fmt.Errorf("tunnel %s: %w", t.Tunnel, store.ErrNotFound)
		}
		slices.Sort(out.devices)
		out.names = out.devices
		return out, nil
	}
	d, ports, err := s.Inventory.Device(t.Port.Device)
	if err != nil {
		return ends{}, missing(err, t.Port.Device)
	}
	i := slices.IndexFunc(ports, func(p *catalog.Port) bool { return p.Ref == t.Port })
	if i < 0 {
		return ends{}, fmt.Errorf("%s: %w", t.Port, store.ErrNotFound)
	}
	out := ends{"port", []string{t.Port.Device}, []string{t.Port.String()}}
	if slices.ContainsFunc(d.Inside.Tunnels, func(x network.Tunnel) bool { return x.Port == t.Port.Port }) {
		out.kind = "circuit"
	}
	if peer := ports[i].Peer; peer != nil && peer.Device != "" {
		out.kind, out.devices, out.names = "link", append(out.devices, peer.Device), append(out.names, peer.Device+":"+peer.Port)
	}
	return out, nil
}

func (s *server) failureOut(ctx context.Context, t topology.Thing, at ends, l topology.Loss) v1.Failure {
	out := v1.Failure{What: failures.Text(t), Kind: at.kind, Ends: at.names, Devices: []string{}, CutOff: []string{}, Sites: []string{}, Opens: []string{}, Over: []string{}, Powered: l.Powered}
	holds := func(d string) bool { return s.Inventory.HoldsDevice(d, within(ctx, rights.See, rights.Devices)) }
	lose := func(device string) {
		if d, _, err := s.Inventory.Device(device); err == nil && d.Site.Name != "" && !slices.Contains(out.Sites, d.Site.Name) {
			out.Sites = append(out.Sites, d.Site.Name)
		}
	}
	for _, d := range l.Devices {
		if holds(d) {
			out.Devices, out.Clients = append(out.Devices, d), out.Clients+s.clientsAt(ctx, d)
			lose(d)
		}
	}
	for _, d := range l.CutOff {
		if holds(d) {
			out.CutOff = append(out.CutOff, d)
			lose(d)
		}
	}
	for _, link := range l.Opens {
		if holds(link.A.Device) && holds(link.B.Device) {
			out.Opens = append(out.Opens, link.A.String()+" "+link.B.String())
		}
	}
	for _, a := range l.Apart {
		if c := (v1.CustomerApart{ServiceVLAN: int(a.VLAN), Port: a.Port.String(), From: []string{}}); holds(a.Port.Device) {
			for _, o := range a.From {
				if holds(o.Device) {
					c.From = append(c.From, o.String())
				}
			}
			out.Customers = append(out.Customers, c)
			lose(a.Port.Device)
		}
	}
	if len(l.Over) > 0 {
		seen := map[string]bool{} // tunnels of which an end may be seen
		for _, d := range s.Inventory.Devices(catalog.Query{Within: within(ctx, rights.See, rights.Devices), Limit: math.MaxInt, Now: time.Now()}).Rows {
			for _, tunnel := range d.Inside.Tunnels {
				seen[tunnel.Name] = true
			}
		}
		out.Over = append(out.Over, slices.DeleteFunc(slices.Clone(l.Over), func(name string) bool { return !seen[name] })...)
	}
	switch {
	case len(l.Powered) > 0:
	case t.Device != "":
		out.Clients += s.clientsAt(ctx, t.Device)
		if out.Clients > 0 || len(out.Devices) > 0 {
			lose(t.Device)
		}
	case at.kind == "port":
		out.Clients += s.clientsOn(ctx, t.Port)
	}
	slices.Sort(out.Sites)
	return out
}

// clientsOn is how many end stations are at a port, of those that who makes the request may see.
func (s *server) clientsOn(ctx context.Context, p network.PortRef) (n int) {
	for _, c := range s.Inventory.Clients(catalog.Query{Within: within(ctx, rights.See, rights.Clients), Limit: math.MaxInt, Now: time.Now()}).Rows {
		if c.Here && c.DeviceID == p.Device && c.Port == p.Port {
			n++
		}
	}
	return n
}

// clientsAt is how many end stations are at a device now, 0 where who asks may not see them.
func (s *server) clientsAt(ctx context.Context, device string) int {
	if s.onDevice(ctx, may(rights.See, rights.Clients), device) != nil {
		return 0
	}
	return s.Inventory.ClientsAt(device)
}
