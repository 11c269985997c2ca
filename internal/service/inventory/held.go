package inventory

import (
	"strconv"
	"time"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/store"
)

// HoldsDevice tells whether an expression picks the device of a name.
func (s *Service) HoldsDevice(name string, e selector.Expr) (holds bool) {
	s.index.ask(func(n *catalog.Net) {
		if d, _ := n.Device(name); d != nil {
			holds = n.HoldsDevice(d, e, time.Now())
		}
	})
	return holds
}

// HoldsPort tells whether an expression picks a port.
func (s *Service) HoldsPort(p *catalog.Port, e selector.Expr) (holds bool) {
	s.index.ask(func(n *catalog.Net) { holds = n.HoldsPort(p, e, time.Now()) })
	return holds
}

// HoldsSite tells whether an expression picks the site of a name.
func (s *Service) HoldsSite(name string, e selector.Expr) (holds bool) {
	s.index.ask(func(n *catalog.Net) {
		if site := n.Site(name); site != nil {
			holds = n.HoldsSite(site, e, time.Now())
		}
	})
	return holds
}

// HoldsPlace tells whether an expression would pick a device at a site of which nothing else is known.
func (s *Service) HoldsPlace(site string, e selector.Expr) (holds bool) {
	s.index.ask(func(n *catalog.Net) {
		at := n.Site(site)
		if at == nil {
			at = &catalog.Site{Site: network.Site{Name: site}}
		}
		d, _ := catalog.NewDevice(catalog.Record{}, catalog.Sight{}, at, func(string) string { return "" })
		holds = n.HoldsDevice(d, e, time.Now())
	})
	return holds
}

// NotHeld lists the ports that are not there or that an expression does not pick.
func (s *Service) NotHeld(ports []network.PortRef, e selector.Expr) (out []network.PortRef) {
	q := catalog.Query{Where: e, Limit: 1 << 30, Now: time.Now()}
	held := map[network.PortRef]bool{}
	for _, p := range s.Ports(q).Rows {
		held[p.Ref] = true
	}
	for _, p := range ports {
		if !held[p] {
			held[p] = true // told once
			out = append(out, p)
		}
	}
	return out
}

// HoldsClient tells whether an expression picks the client of a hardware address.
func (s *Service) HoldsClient(mac string, e selector.Expr) bool {
	is, err := catalog.Network.Parse("client.mac = " + strconv.Quote(mac))
	return err == nil && s.Clients(catalog.Query{Where: is, Within: e, Limit: 1, Now: time.Now()}).Total > 0
}

// Pick is an expression to be held against devices, or against their ports.
type Pick struct {
	Where selector.Expr
	Ports bool
}

// Picked calls f for each thing of some devices that a pick picks, pick by pick. as has devices looked at as if they ran
// something else than they do.
func (s *Service) Picked(devices []string, as map[string]network.Config, picks []Pick, f func(pick int, on network.PortRef)) {
	s.index.ask(func(n *catalog.Net) {
		places := make([]catalog.Place, 0, len(devices))
		for _, name := range devices {
			if c, other := as[name]; other {
				if p, ok := n.As(name, c, func(system string) string { return s.index.hosts[system] }); ok {
					places = append(places, p)
				}
			} else if d, ports := n.Device(name); d != nil {
				places = append(places, catalog.Place{Device: d, Ports: ports})
			}
		}
		now := time.Now()
		for i, p := range picks {
			if p.Ports {
				n.PickedPorts(places, p.Where, now, func(on network.PortRef) { f(i, on) })
			} else {
				n.Picked(places, p.Where, now, func(device string) { f(i, network.PortRef{Device: device}) })
			}
		}
	})
}

// Kept returns what is kept of a device.
func (s *Service) Kept(name string) (store.Device, bool) { return s.index.record(name) }
