// Package overlay works out tunnels between edges: which there are to be for hubs and spokes, and for a mesh; what both ends of one are told; and in what
// ends that do not come together differ.
package overlay

import (
	"cmp"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// Most is how many tunnels are made at once: two hubs, and 300 sites with two circuits each.
const Most = 1200

// ErrInvalid tells that tunnels cannot be as they are asked for.
var ErrInvalid = errors.New("it cannot be joined like that")

func invalid(format string, args ...any) error {
	return fmt.Errorf("%w: %s", ErrInvalid, fmt.Sprintf(format, args...))
}

// End is where a tunnel begins: a port of an edge that leads to a provider.
type End struct {
	Port    network.PortRef
	Host    string     // what the edge calls itself
	Address netip.Addr // of the port, as providers carry it
}

// Pair is a tunnel that is to be: both its ends.
type Pair struct {
	Name string
	A, B End
}

// Terms are what both ends of a tunnel agree on; what is "" stays as it is by default.
type Terms struct{ Encryption, Group, Purpose string }

// Spokes are the tunnels from every spoke to every hub.
func Spokes(hubs, spokes []End) ([]Pair, error) {
	var out []Pair
	for _, s := range spokes {
		for _, h := range hubs {
			if s.Port.Device == h.Port.Device {
				continue // a hub that a selector of spokes picks too
			}
			out = append(out, Pair{A: s, B: h})
		}
	}
	if len(hubs) == 0 || len(spokes) == 0 {
		return nil, invalid("there are %d hubs and %d spokes: at least one of each is needed", len(hubs), len(spokes))
	}
	return named(out)
}

// Mesh are the tunnels from every edge to every other.
func Mesh(ends []End) ([]Pair, error) {
	var out []Pair
	if n := len(ends); n*(n-1)/2 > Most {
		return nil, invalid("a mesh of %d edges has %d tunnels: at most %d are made at once. Take hubs and spokes", n, n*(n-1)/2, Most)
	}
	for i, a := range ends {
		for _, b := range ends[i+1:] {
			out = append(out, Pair{A: a, B: b})
		}
	}
	return named(out)
}

// Join is the tunnel between two ends.
func Join(a, b End, name string) (Pair, error) {
	list, err := named([]Pair{{Name: name, A: a, B: b}})
	if err != nil {
		return Pair{}, err
	}
	return list[0], nil
}

// named checks pairs, and names those that have no name.
func named(list []Pair) ([]Pair, error) {
	if len(list) > Most {
		return nil, invalid("these are %d tunnels: at most %d are made at once", len(list), Most)
	}
	if len(list) == 0 {
		return nil, invalid("there are no two edges to join")
	}
	for i := range list {
		p := &list[i]
		if p.A.Port.Device == p.B.Port.Device {
			return nil, invalid("%s cannot have a tunnel to itself", p.A.Port.Device)
		}
		for _, e := range []End{p.A, p.B} {
			if !e.Address.IsValid() {
				return nil, invalid("%s has no address: is it a port to a provider, and up?", e.Port)
			}
		}
		if p.A.Address == p.B.Address {
			return nil, invalid("%s and %s have the same address, %s", p.A.Port, p.B.Port, p.A.Address)
		}
		if p.Name == "" {
			p.Name = nameOf(p.A.Port, p.B.Port)
		}
	}
	return list, nil
}

// nameOf is what a tunnel is called that nobody gave a name.
func nameOf(a, b network.PortRef) string {
	clean := func(s string) string {
		return strings.Trim(strings.Map(func(r rune) rune {
			switch {
			case r >= 'a' && r <= 'z', r >= '0' && r <= '9', r == '-':
				return r
			case r >= 'A' && r <= 'Z':
				return r + 'a' - 'A'
			}
			return '-'
		}, s), "-")
	}
	var parts []string
	for _, part := range []string{a.Device, a.Port, b.Device, b.Port} {
		if part != "" {
			parts = append(parts, clean(part))
		}
	}
	name := strings.Join(parts, "-")
	if len(name) > 63 {
		name = strings.Trim(name[:63], "-")
	}
	return name
}

// Short is a name for a pair without its ports: for the only tunnel between two edges.
func (p Pair) Short() string {
	return nameOf(network.PortRef{Device: p.A.Port.Device}, network.PortRef{Device: p.B.Port.Device})
}

// Sets are what the two ends of a pair are told, with a key that both have: a reference to it, or itself.
func (p Pair) Sets(t Terms, key string) (a, b map[string]string) {
	set := func(near, far End) map[string]string {
		out := map[string]string{setting.Present: "on", "tunnel-port": near.Port.Port, "tunnel-to": far.Address.String(), "tunnel-peer": far.Host, "tunnel-secret": key}
		for name, v := range map[string]string{"tunnel-encryption": t.Encryption, "tunnel-group": t.Group, "purpose": t.Purpose} {
			if v != "" {
				out[name] = v
			}
		}
		return out
	}
	return set(p.A, p.B), set(p.B, p.A)
}

// Difference is something in which the two ends of a tunnel do not agree.
type Difference string

// The differences.
const (
	OtherEncryption Difference = "encryption"
	OtherGroup      Difference = "group"
	OtherKey        Difference = "key"
	OtherIdentity   Difference = "identity"
	OtherNetworks   Difference = "networks"
	BothWait        Difference = "both-wait"
)

// Compare tells in what two ends do not agree; hosts are what they call themselves.
func Compare(a setting.Tunnel, hostA string, b setting.Tunnel, hostB string) (out []Difference) {
	for _, c := range []struct {
		differs bool
		is      Difference
	}{
		{a.Encryption != b.Encryption, OtherEncryption}, {a.Group != b.Group, OtherGroup}, {a.Secret != b.Secret, OtherKey},
		{a.Peer != "" && a.Peer != hostB || b.Peer != "" && b.Peer != hostA, OtherIdentity},
		{!same(a.Local, b.Remote) || !same(a.Remote, b.Local), OtherNetworks}, {a.Start == "add" && b.Start == "add", BothWait},
	} {
		if c.differs {
			out = append(out, c.is)
		}
	}
	return out
}

func same(a, b []netip.Prefix) bool {
	by := func(x, y netip.Prefix) int { return strings.Compare(x.String(), y.String()) }
	return slices.Equal(slices.SortedFunc(slices.Values(a), by), slices.SortedFunc(slices.Values(b), by))
}

// Edge is what is known of an edge: what it is told of tunnels, and the addresses of its ports.
type Edge struct {
	Name      string
	Host      string
	Tunnels   []setting.Tunnel
	Addresses map[string]netip.Addr // by port
	Underlays map[string]string     // what carries over a port, as far as a tunnel over it tells
}

// Ends are where tunnels of the edge can begin: the ports over which calls are best first.
func (e Edge) Ends() (out []End) {
	for port, a := range e.Addresses {
		out = append(out, End{Port: network.PortRef{Device: e.Name, Port: port}, Host: e.Host, Address: a})
	}
	rank := map[string]int{"fibre": -1, "wifi": 1, "cellular": 2, "satellite": 3}
	slices.SortFunc(out, func(a, b End) int {
		return cmp.Or(rank[e.Underlays[a.Port.Port]]-rank[e.Underlays[b.Port.Port]], strings.Compare(a.Port.Port, b.Port.Port))
	})
	return out
}

// Far finds the other end of a tunnel: the edge that has the address to which it goes, or else the one for which it takes the other end: a port without a
// link has no address. told is false where that edge is told nothing of it; edge is nil where nobody here is the other end.
func Far(near string, t setting.Tunnel, edges []Edge) (edge *Edge, port string, far setting.Tunnel, told bool) {
	var own netip.Addr
	host, byName := "", (*Edge)(nil)
	for i := range edges {
		e := &edges[i]
		if e.Name == near {
			own, host = e.Addresses[t.Port], e.Host
			continue
		}
		for p, a := range e.Addresses {
			if a == t.To {
				edge, port = e, p
			}
		}
		if t.Peer != "" && e.Host == t.Peer {
			byName = e
		}
	}
	if edge == nil {
		edge = byName
	}
	if edge == nil {
		return nil, "", far, false
	}
	mirrors := func(o setting.Tunnel) bool {
		switch {
		case port != "" && o.Port != port:
			return false
		case own.IsValid():
			return o.To == own
		}
		return o.Name == t.Name && (o.Peer == "" || o.Peer == host)
	}
	for _, o := range edge.Tunnels {
		if mirrors(o) && (!told || o.Name == t.Name) {
			far, told = o, true
		}
	}
	if told && port == "" {
		port = far.Port
	}
	return edge, port, far, told
}

// EdgesOf are the edges among devices: those that can have tunnels.
func EdgesOf(configs map[string]network.Config, states map[string]network.State, insides map[string]network.Inside) (out []Edge) {
	for name, c := range configs {
		if !c.Has(setting.Tunnels) {
			continue
		}
		e := Edge{Name: name, Host: c.Hostname, Tunnels: setting.TunnelsOf(c), Addresses: map[string]netip.Addr{}, Underlays: map[string]string{}}
		for _, t := range insides[name].Tunnels {
			if t.Underlay != "" {
				e.Underlays[t.Port] = t.Underlay
			}
		}
		for port, s := range states[name].Ports {
			for _, text := range s.Addresses {
				if p, err := netip.ParsePrefix(text); err == nil {
					e.Addresses[port] = p.Addr()
					break
				}
			}
		}
		out = append(out, e)
	}
	slices.SortFunc(out, func(a, b Edge) int { return strings.Compare(a.Name, b.Name) })
	return out
}
