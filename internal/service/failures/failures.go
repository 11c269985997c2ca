// Package failures tells what is lost when something fails: a device, a link, a tunnel or the circuit that it goes over; and which single things take others
// with them.
package failures

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"example.net/everypost/internal/core/circuit"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/service/changes"
)

// ErrInvalid tells that there is no such thing.
var ErrInvalid = errors.New("that cannot fail")

// Network is where the package learns what there is.
type Network interface {
	Network(ctx context.Context) (changes.Network, error)
}

// Circuits is where it learns which lines of providers are handed over elsewhere.
type Circuits interface {
	Circuits(ctx context.Context) ([]circuit.Circuit, error)
}

// Service is the capability.
type Service struct {
	Network  Network
	Circuits Circuits
}

// failing is the network as it is now.
func (s *Service) failing(ctx context.Context) (topology.Failing, error) {
	n, err := s.Network.Network(ctx)
	if err != nil {
		return topology.Failing{}, err
	}
	f := topology.Failing{Configs: n.Configs, Links: n.Links, Entries: n.Entries(), Gone: n.Gone, Held: map[topology.Link]bool{}}
	seen := map[string]topology.Seen{}
	for name, c := range n.Configs {
		seen[name] = topology.Seen{Config: c, State: n.States[name], Inside: n.Insides[name], Away: n.Gone[name]}
	}
	circuits, err := s.Circuits.Circuits(ctx)
	if err != nil {
		return topology.Failing{}, err
	}
	f.Handed = map[network.PortRef]network.PortRef{}
	for _, c := range circuits {
		if at, err := network.ParsePortRef(c.HandedAt); err == nil {
			f.Handed[network.PortRef{Device: c.Device, Port: c.Port}] = at
		}
	}
	f.Supplies = map[string][]string{}
	for name, in := range n.Insides {
		for _, s := range in.Hardware.Supplies {
			if s.OK {
				f.Supplies[name] = append(f.Supplies[name], s.Name)
			}
		}
	}
	held := map[network.PortRef]bool{}
	for _, l := range topology.Lines(seen, topology.HostNames(n.Configs)) {
		if l.Kind == topology.Tunnel {
			f.Tunnels = append(f.Tunnels, l)
			continue
		}
		managed, _ := n.Configs[l.A.Device].ManagedBy() // what is reached is reached in that VLAN
		if at := topology.BlockedFor(seen, l, managed); at != nil {
			for _, p := range at.Ports {
				held[network.PortRef{Device: at.Device, Port: p}] = true
			}
		}
	}
	for _, l := range f.Links {
		if held[l.A] || held[l.B] {
			f.Held[l] = true
		}
	}
	return f, nil
}

// Read reads what is to fail: a device, one of its ports or power supplies (device:port), or a tunnel (tunnel/NAME).
func Read(text string) (topology.Thing, error) {
	if name, is := strings.CutPrefix(text, setting.TunnelObject("")); is {
		return topology.Thing{Tunnel: name}, nil
	}
	if !strings.Contains(text, ":") {
		return topology.Thing{Device: text}, nil
	}
	p, err := network.ParsePortRef(text)
	if err != nil {
		return topology.Thing{}, fmt.Errorf("%w: %w", ErrInvalid, err)
	}
	return topology.Thing{Port: p}, nil
}

// Text is how a thing is written.
func Text(t topology.Thing) string {
	switch {
	case t.Tunnel != "":
		return setting.TunnelObject(t.Tunnel)
	case t.Supply != "":
		return t.Device + ":" + t.Supply
	case t.Device != "":
		return t.Device
	}
	return t.Port.String()
}

// Without tells what is lost when something fails.
func (s *Service) Without(ctx context.Context, t topology.Thing) (topology.Loss, error) {
	f, err := s.failing(ctx)
	if err != nil {
		return topology.Loss{}, err
	}
	if t.Tunnel != "" {
		known := false
		for _, l := range f.Tunnels {
			known = known || l.A.Name == t.Tunnel
		}
		if !known {
			return topology.Loss{}, fmt.Errorf("%w: there is no tunnel %q", ErrInvalid, t.Tunnel)
		}
	}
	return f.Without(t), nil
}

// Points lists the single points of failure, what takes most first.
func (s *Service) Points(ctx context.Context) ([]topology.Point, error) {
	f, err := s.failing(ctx)
	if err != nil {
		return nil, err
	}
	return f.Points(), nil
}
