package guard

import (
	"maps"
	"testing"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// joinedSites are two edges that are joined, and a third one that has no tunnel.
func joinedSites() Proposal {
	features := []network.Feature{setting.Routing, setting.Tunnels}
	object := func(port, to, peer string) network.Settings {
		return network.Settings{"tunnel-port": port, "tunnel-to": to, "tunnel-peer": peer, "tunnel-secret": "secret:0123456789abcdef01234567"}
	}
	edge := func(name string, objects map[string]network.Settings) network.Config {
		return network.Config{Hostname: name, Features: features, Ports: map[string]network.PortConfig{"wan1": {Enabled: true}, "wan2": {Enabled: true}}, Objects: objects,
			VLANs: map[network.VLANID]network.VLAN{20: {ID: 20}}}
	}
	at := func(one, two string) network.State {
		return network.State{Ports: map[string]network.PortState{"wan1": {Addresses: []string{one + "/30"}}, "wan2": {Addresses: []string{two + "/30"}}}}
	}
	return Proposal{
		Before: map[string]network.Config{
			"a": edge("a", map[string]network.Settings{"tunnel/t": object("wan1", "198.18.0.5", "b"), "gateway/20": {"gateway-address": "10.1.20.1/24"}}),
			"b": edge("b", map[string]network.Settings{"tunnel/t": object("wan1", "198.18.0.1", "a")}),
			"c": edge("c", map[string]network.Settings{}),
		},
		States:  map[string]network.State{"a": at("198.18.0.1", "198.18.1.1"), "b": at("198.18.0.5", "198.18.1.5"), "c": at("198.18.0.9", "198.18.1.9")},
		Insides: map[string]network.Inside{"a": {Tunnels: []network.Tunnel{{Name: "t", Up: true}}}, "b": {Tunnels: []network.Tunnel{{Name: "t", Up: true}}}},
	}
}

func TestTunnels(t *testing.T) {
	t.Parallel()
	key := "secret:0123456789abcdef01234567"
	fresh := func(on, port, to string, more ...[3]string) [][3]string {
		return append([][3]string{{on, "present", "on"}, {on, "tunnel-port", port}, {on, "tunnel-to", to}, {on, "tunnel-secret", key}}, more...)
	}
	both := append(fresh("a:tunnel/u", "wan2", "198.18.0.9"), fresh("c:tunnel/u", "wan1", "198.18.1.1")...)
	for name, tc := range map[string]guardCase{
		"both ends":              {edits: both},
		"one end":                {edits: fresh("a:tunnel/u", "wan2", "198.18.0.9"), want: []string{"tunnels:a:tunnel/u:one-end"}, says: "c would know nothing of tunnel u of a."},
		"another house":          {edits: fresh("a:tunnel/u", "wan2", "203.0.113.9")},
		"to itself":              {edits: fresh("a:tunnel/u", "wan2", "198.18.0.1"), want: []string{"tunnels:a:tunnel/u:itself"}, says: "198.18.0.1, its own address"},
		"no key":                 {edits: [][3]string{{"a:tunnel/u", "present", "on"}, {"a:tunnel/u", "tunnel-port", "wan2"}}, want: []string{"tunnels:a:tunnel/u:incomplete"}, says: "has no port, no remote address or no key"},
		"no such port":           {edits: fresh("a:tunnel/u", "wan7", "203.0.113.9"), want: []string{"tunnels:a:tunnel/u:port"}, says: "would go over wan7, which it does not have"},
		"twice":                  {edits: append(fresh("a:tunnel/u", "wan2", "203.0.113.9"), fresh("a:tunnel/v", "wan2", "203.0.113.9")...), want: []string{"tunnels:a:tunnel/v:twice"}, says: "two tunnels from wan2 to 203.0.113.9: u and v"},
		"twice, before another":  {edits: fresh("a:tunnel/a", "wan1", "198.18.0.5"), want: []string{"tunnels:a:tunnel/a:twice"}, says: "two tunnels from wan1 to 198.18.0.5: t and a"},
		"to what is here":        {edits: fresh("a:tunnel/u", "wan2", "203.0.113.9", [3]string{"a:tunnel/u", "tunnel-remote", "10.1.0.0/16"}), want: []string{"tunnels:a:tunnel/u:here"}, says: "10.1.0.0/16, where VLAN 20 of the site is"},
		"two to one network":     {edits: append(fresh("a:tunnel/u", "wan2", "203.0.113.9", [3]string{"a:tunnel/u", "tunnel-remote", "10.9.0.0/16"}), fresh("a:tunnel/v", "wan2", "203.0.113.10", [3]string{"a:tunnel/v", "tunnel-remote", "10.9.4.0/24"})...), want: []string{"tunnels:a:tunnel/v:overlap"}, says: "both lead to 10.9.4.0/24"},
		"unlike":                 {edits: [][3]string{{"a:tunnel/t", "tunnel-group", "31"}}, want: []string{"tunnels:a:tunnel/t:unlike", "tunnels:b:tunnel/t:unlike", "tunnels:a:tunnel/t:anew"}, says: "would differ: the key exchange group."},
		"alike":                  {edits: [][3]string{{"a:tunnel/t", "tunnel-group", "31"}, {"b:tunnel/t", "tunnel-group", "31"}}, want: []string{"tunnels:a:tunnel/t:anew", "tunnels:b:tunnel/t:anew"}, says: "a builds t anew."},
		"the last one":           {edits: [][3]string{{"b:tunnel/t", "present", "off"}}, want: []string{"tunnels:b:tunnel/t:none-left", "tunnels:a:tunnel/t:one-end"}, says: "b would have no tunnel left."},
		"something else":         {edits: [][3]string{{"a:wan2", "description", "spare"}}},
		"a purpose, and no more": {edits: [][3]string{{"c:gateway/20", "present", "on"}, {"c:gateway/20", "gateway-address", "10.3.20.1/24"}}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			tc.holds(t, joinedSites(), "tunnels")
		})
	}
}

// Who changes something else is not held up by ends that did not fit before.
func TestTunnelsThatWereWrongBefore(t *testing.T) {
	t.Parallel()
	p := joinedSites()
	b := p.Before["b"].Clone()
	b.Objects = maps.Clone(b.Objects)
	b.Objects["tunnel/t"] = network.Settings{"tunnel-port": "wan1", "tunnel-to": "198.18.0.1", "tunnel-secret": "secret:aaaaaaaaaaaaaaaaaaaaaaaa"}
	p.Before["b"] = b
	guardCase{edits: [][3]string{{"c:tunnel/u", "present", "on"}, {"c:tunnel/u", "tunnel-port", "wan1"}, {"c:tunnel/u", "tunnel-to", "203.0.113.9"}, {"c:tunnel/u", "tunnel-secret", "secret:0123456789abcdef01234567"}}}.holds(t, p, "tunnels")
}
