package overlay_test

import (
	"fmt"
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/overlay"
	"example.net/everypost/internal/core/setting"
)

func end(device, port string, last int) overlay.End {
	return overlay.End{Port: network.PortRef{Device: device, Port: port}, Host: device, Address: netip.AddrFrom4([4]byte{198, 18, byte(last >> 8), byte(last)})}
}

func ends(n int) (out []overlay.End) {
	for i := range n {
		out = append(out, end(fmt.Sprintf("e%d", i+1), "wan1", i+1))
	}
	return out
}

func TestWhichTunnelsThereAreToBe(t *testing.T) {
	t.Parallel()
	spokes, err := overlay.Spokes(ends(2), ends(5)) // the hubs are among them
	require.NoError(t, err)
	assert.Len(t, spokes, 8, "each spoke to each hub, and the hubs to each other")
	assert.Equal(t, "e1-wan1-e2-wan1", spokes[0].Name)
	mesh, err := overlay.Mesh(ends(6))
	require.NoError(t, err)
	assert.Len(t, mesh, 15)
	one, err := overlay.Join(end("TH_Edge.1", "wan 1", 1), end("b", "gi0/1", 2), "")
	require.NoError(t, err)
	assert.Equal(t, "th-edge-1-wan-1-b-gi0-1", one.Name)
	require.NoError(t, network.CheckName(one.Name))
	two, err := overlay.Join(end("a", "wan1", 1), end("b", "wan1", 2), "quay")
	require.NoError(t, err)
	assert.Equal(t, "quay", two.Name)

	for says, f := range map[string]func() error{
		"a mesh of 500 edges has 124750 tunnels: at most 1200": func() error { _, err := overlay.Mesh(ends(500)); return err },
		"these are 1300 tunnels: at most 1200":                 func() error { _, err := overlay.Spokes(ends(1), ends(1301)); return err },
		"e1 cannot have a tunnel to itself":                    func() error { _, err := overlay.Join(end("e1", "wan1", 1), end("e1", "wan2", 2), ""); return err },
		"a:wan1 and b:wan1 have the same address, 198.18.0.1":  func() error { _, err := overlay.Join(end("a", "wan1", 1), end("b", "wan1", 1), ""); return err },
		"there are no two edges to join":                       func() error { _, err := overlay.Mesh(ends(1)); return err },
		"there are 0 hubs and 3 spokes: at least one of each":  func() error { _, err := overlay.Spokes(nil, ends(3)); return err },
		"b:wan1 has no address: is it a port to a provider, and u": func() error {
			_, err := overlay.Join(end("a", "wan1", 1), overlay.End{Port: network.PortRef{Device: "b", Port: "wan1"}}, "")
			return err
		},
	} {
		err := f()
		require.ErrorIs(t, err, overlay.ErrInvalid, says)
		assert.ErrorContains(t, err, says)
	}
}

// What both ends of a tunnel are told fits together, whatever the ends and the terms: they differ in nothing, and each finds the other.
func TestBothEndsAreToldAlike(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(2, 12).Draw(t, "edges")
		list, err := overlay.Mesh(ends(n))
		require.NoError(t, err)
		terms := overlay.Terms{Encryption: rapid.SampledFrom([]string{"", "aes-gcm-128", "chacha20-poly1305"}).Draw(t, "encryption"), Group: rapid.SampledFrom([]string{"", "14", "31"}).Draw(t, "group")}
		configs, states := map[string]network.Config{}, map[string]network.State{}
		for _, e := range ends(n) {
			configs[e.Port.Device] = network.Config{Hostname: e.Host, Features: []network.Feature{setting.Tunnels}, Objects: map[string]network.Settings{}, Ports: map[string]network.PortConfig{"wan1": {}}}
			states[e.Port.Device] = network.State{Ports: map[string]network.PortState{"wan1": {Addresses: []string{e.Address.String() + "/30"}}}}
		}
		for i, p := range list {
			a, b := p.Sets(terms, fmt.Sprintf("secret:%024x", i))
			for _, side := range []struct {
				end overlay.End
				set map[string]string
			}{{p.A, a}, {p.B, b}} {
				c := configs[side.end.Port.Device]
				for _, name := range append([]string{setting.Present}, slices.DeleteFunc(keys(side.set), func(k string) bool { return k == setting.Present })...) {
					s, err := setting.Lookup(setting.OnTunnel, name)
					require.NoError(t, err)
					v, err := s.Value.Normal(side.set[name])
					require.NoError(t, err, name)
					require.NoError(t, s.Set(&c, setting.TunnelObject(p.Name), v))
				}
				configs[side.end.Port.Device] = c
			}
		}
		all := overlay.All(overlay.EdgesOf(configs, states, nil), nil, nil)
		require.Len(t, all, len(list), "each is there once")
		for _, j := range all {
			require.NotNil(t, j.B)
			require.Empty(t, overlay.Compare(j.A.Told, j.A.Host, j.B.Told, j.B.Host))
			require.Equal(t, "underlay", j.Why()[0].Code, "nothing is wrong with the ends")
		}
	})
}

func keys(m map[string]string) (out []string) {
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

func TestWhyATunnelIsDown(t *testing.T) {
	t.Parallel()
	prefixes := func(list ...string) (out []netip.Prefix) {
		for _, s := range list {
			out = append(out, netip.MustParsePrefix(s))
		}
		return out
	}
	make := func(change func(a, b *overlay.Edge, seen map[string][]network.Tunnel, away map[string]bool)) overlay.Joined {
		a := overlay.Edge{Name: "a", Host: "a", Addresses: map[string]netip.Addr{"wan1": netip.MustParseAddr("198.18.0.1")},
			Tunnels: []setting.Tunnel{{Name: "t", Port: "wan1", To: netip.MustParseAddr("198.18.0.2"), Peer: "b", Secret: "s", Encryption: "aes-gcm-256", Group: "19", Start: "start"}}}
		b := overlay.Edge{Name: "b", Host: "b", Addresses: map[string]netip.Addr{"wan1": netip.MustParseAddr("198.18.0.2")},
			Tunnels: []setting.Tunnel{{Name: "t", Port: "wan1", To: netip.MustParseAddr("198.18.0.1"), Peer: "a", Secret: "s", Encryption: "aes-gcm-256", Group: "19", Start: "start"}}}
		seen, away := map[string][]network.Tunnel{"a": {{Name: "t"}}, "b": {{Name: "t"}}}, map[string]bool{}
		change(&a, &b, seen, away)
		all := overlay.All([]overlay.Edge{a, b}, seen, away)
		require.NotEmpty(t, all)
		return all[0]
	}
	type world = map[string][]network.Tunnel
	for _, tc := range []struct {
		name   string
		change func(a, b *overlay.Edge, seen world, away map[string]bool)
		codes  []string
		in     string
	}{
		{"it is up", func(_, _ *overlay.Edge, seen world, _ map[string]bool) { seen["a"][0].Up, seen["b"][0].Up = true, true }, nil, ""},
		{"it is up, and the other end is away", func(_, _ *overlay.Edge, seen world, away map[string]bool) { seen["a"][0].Up, away["b"] = true, true }, nil, ""},
		{"an edge is away", func(_, _ *overlay.Edge, _ world, away map[string]bool) { away["b"] = true }, []string{overlay.WhyAway}, ""},
		{"a port is down", func(_, _ *overlay.Edge, seen world, _ map[string]bool) { seen["b"][0].Fault = "port-down" }, []string{overlay.WhyPort}, ""},
		{"a port is down, and has no address any more", func(a, b *overlay.Edge, seen world, _ map[string]bool) {
			a.Addresses, seen["a"][0].Fault = nil, "port-down"
			b.Tunnels = append(b.Tunnels, setting.Tunnel{Name: "u", Port: "wan1", To: netip.MustParseAddr("198.18.0.9"), Peer: "a"})
		}, []string{overlay.WhyPort}, ""},
		{"it has no key", func(a, b *overlay.Edge, _ world, _ map[string]bool) {
			a.Tunnels[0].Secret, b.Tunnels[0].Secret = "", ""
		}, []string{overlay.WhyIncomplete, overlay.WhyIncomplete}, ""},
		{"other encryption", func(_, b *overlay.Edge, _ world, _ map[string]bool) { b.Tunnels[0].Encryption = "aes-cbc-256" }, []string{overlay.WhyUnlike}, "encryption"},
		{"other group", func(_, b *overlay.Edge, _ world, _ map[string]bool) { b.Tunnels[0].Group = "31" }, []string{overlay.WhyUnlike}, "group"},
		{"other key", func(_, b *overlay.Edge, _ world, _ map[string]bool) { b.Tunnels[0].Secret = "other" }, []string{overlay.WhyUnlike}, "key"},
		{"other identity", func(_, b *overlay.Edge, _ world, _ map[string]bool) { b.Host = "renamed" }, []string{overlay.WhyUnlike}, "identity"},
		{"other networks", func(a, _ *overlay.Edge, _ world, _ map[string]bool) { a.Tunnels[0].Remote = prefixes("10.9.0.0/16") }, []string{overlay.WhyUnlike}, "networks"},
		{"both wait", func(a, b *overlay.Edge, _ world, _ map[string]bool) {
			a.Tunnels[0].Start, b.Tunnels[0].Start = "add", "add"
		}, []string{overlay.WhyUnlike}, "both-wait"},
		{"the other end is told nothing", func(_, b *overlay.Edge, _ world, _ map[string]bool) { b.Tunnels = nil }, []string{overlay.WhyNotTold}, ""},
		{"another house refuses it", func(a, b *overlay.Edge, seen world, _ map[string]bool) {
			a.Tunnels[0].To, a.Tunnels[0].Peer, b.Tunnels, seen["a"][0].Fault = netip.MustParseAddr("203.0.113.4"), "gate", nil, "no-proposal-chosen"
		}, []string{overlay.WhyForeign}, ""},
		{"another house does not answer", func(a, b *overlay.Edge, seen world, _ map[string]bool) {
			a.Tunnels[0].To, a.Tunnels[0].Peer, b.Tunnels, seen["a"][0].Fault = netip.MustParseAddr("203.0.113.4"), "gate", nil, "no-answer"
		}, []string{overlay.WhyNoAnswer}, ""},
		{"it was never begun", func(a, b *overlay.Edge, seen world, _ map[string]bool) {
			a.Tunnels[0].To, a.Tunnels[0].Peer, b.Tunnels, seen["a"] = netip.MustParseAddr("203.0.113.4"), "", nil, nil
		}, []string{overlay.WhyNotBegun}, ""},
		{"nobody says", func(a, b *overlay.Edge, _ world, _ map[string]bool) {
			a.Tunnels[0].To, a.Tunnels[0].Peer, b.Tunnels = netip.MustParseAddr("203.0.113.4"), "", nil
		}, []string{overlay.WhyUnexplained}, ""},
		{"the providers carry nothing", func(_, _ *overlay.Edge, _ world, _ map[string]bool) {}, []string{overlay.WhyUnderlay}, ""},
	} {
		t.Run(tc.name, func(t *testing.T) {
			t.Parallel()
			var codes []string
			why := make(tc.change).Why()
			for _, w := range why {
				codes = append(codes, w.Code)
			}
			require.Equal(t, tc.codes, codes)
			if tc.in != "" {
				assert.Equal(t, tc.in, why[0].Args["in"])
			}
		})
	}
}

// Of the ports of an edge, that is taken first over which calls are best.
func TestTheBestPortIsTakenFirst(t *testing.T) {
	t.Parallel()
	a := netip.MustParseAddr
	e := overlay.Edge{Name: "a", Addresses: map[string]netip.Addr{"cell0": a("198.18.0.1"), "wan1": a("198.18.0.2"), "wan2": a("198.18.0.3"), "wan3": a("198.18.0.4")},
		Underlays: map[string]string{"cell0": "cellular", "wan1": "satellite", "wan2": "fibre"}}
	var got []string
	for _, x := range e.Ends() {
		got = append(got, x.Port.Port)
	}
	assert.Equal(t, []string{"wan2", "wan3", "cell0", "wan1"}, got)
}
