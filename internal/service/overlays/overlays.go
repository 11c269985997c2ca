// Package overlays tells of the tunnels between sites with both their ends, and works out what both are to be told.
package overlays

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/overlay"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/changes"
)

// ErrNotFound tells that there is no such tunnel.
var ErrNotFound = errors.New("there is no such tunnel")

// Network is where the package learns what there is.
type Network interface {
	Network(ctx context.Context) (changes.Network, error)
}

// Service is the capability.
type Service struct{ Network Network }

// Tunnels lists the tunnels, each once, by their first edge and name.
func (s *Service) Tunnels(ctx context.Context) ([]overlay.Joined, error) {
	n, err := s.Network.Network(ctx)
	if err != nil {
		return nil, err
	}
	seen := map[string][]network.Tunnel{}
	for name, inside := range n.Insides {
		seen[name] = inside.Tunnels
	}
	return overlay.All(overlay.EdgesOf(n.Configs, n.States, n.Insides), seen, n.Gone), nil
}

// Tunnel is the one of a name at an edge, which is its first end then.
func (s *Service) Tunnel(ctx context.Context, device, name string) (overlay.Joined, error) {
	list, err := s.Tunnels(ctx)
	if err != nil {
		return overlay.Joined{}, err
	}
	for _, j := range list {
		switch {
		case j.A.Device == device && j.A.Told.Name == name:
			return j, nil
		case j.B != nil && j.B.Device == device && j.B.Told.Name == name:
			turned := overlay.Joined{A: *j.B, B: &j.A, Far: j.A.Device, FarPort: j.A.Told.Port}
			return turned, nil
		}
	}
	return overlay.Joined{}, fmt.Errorf("tunnel %s of %s: %w", name, device, ErrNotFound)
}

// Wish says which edges are to be joined.
type Wish struct {
	Name string          // of the tunnel, where it is one; "" for the service to choose
	A, B network.PortRef // two ends to be joined; a port may be left out: the first that leads to a provider
	Hubs []string        // or hubs, with
	Ends []string        // their spokes; or, without hubs, edges each of which is joined with each other
	Over map[string]bool // names of the ports over which tunnels may go; any where there is none
	With overlay.Terms   // what both ends agree on
}

// Plan works out the tunnels of a wish, as the network is now. Those that are there already are left out.
func (s *Service) Plan(ctx context.Context, w Wish) (list []overlay.Pair, there int, err error) {
	n, err := s.Network.Network(ctx)
	if err != nil {
		return nil, 0, err
	}
	edges := overlay.EdgesOf(n.Configs, n.States, n.Insides)
	if len(w.Hubs)+len(w.Ends) == 0 {
		a, err := endAt(edges, w.A)
		if err != nil {
			return nil, 0, err
		}
		b, err := endAt(edges, w.B)
		if err != nil {
			return nil, 0, err
		}
		one, err := overlay.Join(a, b, w.Name)
		list = []overlay.Pair{one}
		if err != nil {
			return nil, 0, err
		}
	} else {
		hubs, err := endsOf(edges, w.Hubs, w.Over)
		if err != nil {
			return nil, 0, err
		}
		ends, err := endsOf(edges, w.Ends, w.Over)
		if err != nil {
			return nil, 0, err
		}
		if len(w.Hubs) > 0 {
			list, err = overlay.Spokes(hubs, ends)
		} else {
			list, err = overlay.Mesh(ends)
		}
		if err != nil {
			return nil, 0, err
		}
	}
	fresh := list[:0:0]
	taken := map[string]bool{}
	for _, e := range edges {
		for _, t := range e.Tunnels {
			taken[t.Name] = true
		}
	}
	for _, p := range list {
		if joined(edges, p) {
			there++
			continue
		}
		if short := p.Short(); w.Name == "" && !taken[short] {
			p.Name = short
		}
		if device := holder(edges, p); device != "" { // what is there would be sent elsewhere
			return nil, 0, fmt.Errorf("%w: name: %s has a tunnel %s already: give this one another name", overlay.ErrInvalid, device, p.Name)
		}
		taken[p.Name] = true
		fresh = append(fresh, p)
	}
	return fresh, there, nil
}

// holder is the edge of a pair that has a tunnel of its name already, "" for none.
func holder(edges []overlay.Edge, p overlay.Pair) string {
	for _, e := range edges {
		if (e.Name == p.A.Port.Device || e.Name == p.B.Port.Device) && slices.ContainsFunc(e.Tunnels, func(t setting.Tunnel) bool { return t.Name == p.Name }) {
			return e.Name
		}
	}
	return ""
}

// joined tells whether an end of a tunnel is told of it already.
func joined(edges []overlay.Edge, p overlay.Pair) bool {
	for _, e := range edges {
		for _, pair := range [][2]overlay.End{{p.A, p.B}, {p.B, p.A}} {
			if e.Name == pair[0].Port.Device && slices.ContainsFunc(e.Tunnels, func(t setting.Tunnel) bool {
				return t.Port == pair[0].Port.Port && t.To == pair[1].Address
			}) {
				return true
			}
		}
	}
	return false
}

func edgeOf(edges []overlay.Edge, device string) (overlay.Edge, error) {
	i := slices.IndexFunc(edges, func(e overlay.Edge) bool { return e.Name == device })
	if i < 0 {
		return overlay.Edge{}, fmt.Errorf("%w: %s is no edge that can have tunnels", overlay.ErrInvalid, device)
	}
	return edges[i], nil
}

func endAt(edges []overlay.Edge, at network.PortRef) (overlay.End, error) {
	e, err := edgeOf(edges, at.Device)
	if err != nil {
		return overlay.End{}, err
	}
	if at.Port == "" {
		if list := e.Ends(); len(list) > 0 {
			return list[0], nil
		}
		return overlay.End{}, fmt.Errorf("%w: no port of %s has an address of a provider", overlay.ErrInvalid, at.Device)
	}
	return overlay.End{Port: at, Host: e.Host, Address: e.Addresses[at.Port]}, nil
}

func endsOf(edges []overlay.Edge, devices []string, over map[string]bool) (out []overlay.End, err error) {
	for _, name := range devices {
		e, err := edgeOf(edges, name)
		if err != nil {
			return nil, err
		}
		list := slices.DeleteFunc(e.Ends(), func(end overlay.End) bool { return len(over) > 0 && !over[end.Port.Port] })
		if len(list) == 0 {
			return nil, fmt.Errorf("%w: no port of %s has an address of a provider", overlay.ErrInvalid, name)
		}
		out = append(out, list[0])
	}
	return out, nil
}

// NewKey is a pre-shared key that nobody has seen: 256 bits of chance.
func NewKey() string {
	b := make([]byte, 32)
	_, _ = rand.Read(b) // it never fails (crypto/rand)
	return base64.RawURLEncoding.EncodeToString(b)
}
