package topology

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/network"
)

// carrier is a port with its own VLANs, and what it carries for others.
func carrier(native network.VLANID, tagged network.VLANSet, service, trunk string) network.PortConfig {
	p := network.PortConfig{Enabled: true, Mode: network.Trunk, NativeVLAN: native, TrunkVLANs: tagged, Settings: network.Settings{}}
	if service != "" {
		p.Settings["service-vlan"] = service
	}
	if trunk != "" {
		p.Settings["service-trunk-vlans"] = trunk
	}
	return p
}

// A radio link between two switches: what is in no VLAN of the radios goes through untouched.
func TestPassUntouched(t *testing.T) {
	one := func(name string, p ...network.PortConfig) network.Config {
		c := network.Config{Hostname: name, Ports: map[string]network.PortConfig{}}
		for i, x := range p {
			c.Ports[string(rune('1'+i))] = x
		}
		return c
	}
	own := network.VLANSet{10}
	configs := map[string]network.Config{
		"s": one("s", carrier(20, network.VLANSet{10, 30}, "", "")),
		"a": one("a", carrier(0, own, "500", ""), carrier(0, own, "", "500")),
		"b": one("b", carrier(0, own, "", "500,510"), carrier(0, own, "500", "")),
		"z": one("z", carrier(20, network.VLANSet{10, 30}, "", "")),
	}
	way := []string{"s:1", "a:1", "a:2", "b:1", "b:2", "z:1"}
	for v, want := range map[network.VLANID][]Tags{
		30: {{500, 30}, {500, 30}, {0, 30}},
		20: {{500, 0}, {500, 0}, {0, 20}}, // untagged on the wire, and so on the air
		10: {{0, 10}, {0, 10}, {0, 10}},   // the radios' own
		77: {},                            // the switch does not have it
	} {
		at, got := Tags{VLAN: v}, []Tags{}
		for i := 0; i+1 < len(way); i += 2 {
			next, ok := Pass(configs, ref(way[i]), ref(way[i+1]), at)
			if !ok {
				break
			}
			at, got = next, append(got, next)
		}
		assert.Equal(t, want, got, "VLAN %d", v)
	}
	_, ok := Pass(configs, ref("b:1"), ref("a:2"), Tags{510, 1})
	assert.False(t, ok, "the other end does not carry it")
	_, ok = Pass(configs, ref("a:1"), ref("s:1"), Tags{500, 10})
	assert.False(t, ok, "a customer's VLAN 10 does not come out as the radio's")

	links := []Link{{A: ref("a:1"), B: ref("s:1")}, {A: ref("a:2"), B: ref("b:1")}, {A: ref("b:2"), B: ref("z:1")}}
	for d, c := range configs {
		c.ManagementVLAN = 30
		if d == "a" || d == "b" {
			c.ManagementVLAN = 10
		}
		configs[d] = c
	}
	assert.Equal(t, map[string]bool{"s": true, "z": true}, NewGraph(links, []string{"s"}).ManagementReach(configs), "the switch behind is reached through radios that do not know its VLAN")
}

// What a port sends of what it took is what came in.
func TestAFrameGoesOutAsItCameIn(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		set := func(name string) (out network.VLANSet) {
			return network.NewVLANSet(rapid.SliceOfN(rapid.Custom(func(t *rapid.T) network.VLANID { return network.VLANID(rapid.IntRange(1, 6).Draw(t, "v")) }), 0, 4).Draw(t, name)...)
		}
		port := carrier(network.VLANID(rapid.IntRange(0, 6).Draw(t, "native")), set("tagged"), rapid.SampledFrom([]string{"", "3", "5"}).Draw(t, "service"), set("trunk").String())
		wire := Tags{network.VLANID(rapid.IntRange(0, 6).Draw(t, "s")), network.VLANID(rapid.IntRange(0, 6).Draw(t, "c"))}
		all := carrier(0, nil, "", "1-6")
		configs := map[string]network.Config{"in": {Ports: map[string]network.PortConfig{"1": port}}, "from": {Ports: map[string]network.PortConfig{"1": all}}}
		if wire.Service == 0 { // a port that sends just this
			plain := carrier(0, network.VLANSet{1, 2, 3, 4, 5, 6}, "", "")
			if wire.VLAN == 0 {
				plain = carrier(9, nil, "", "")
			}
			configs["from"] = network.Config{Ports: map[string]network.PortConfig{"1": plain}}
		}
		from := wire
		if wire == (Tags{}) {
			from.VLAN = 9
		}
		inside, ok := Pass(configs, ref("from:1"), ref("in:1"), from)
		if s := port.Settings["service-vlan"]; !ok || s != "" && s == wire.Service.String() { // with and without its tag on one port: a guard forbids it
			return
		}
		back, ok := Pass(configs, ref("in:1"), ref("from:1"), inside)
		assert.True(t, ok)
		assert.Equal(t, from, back)
	})
}

func TestServiceLines(t *testing.T) {
	base := func() map[string]network.Config {
		one := func(p ...network.PortConfig) network.Config {
			return network.Config{Ports: map[string]network.PortConfig{"1": p[0], "2": p[1]}}
		}
		return map[string]network.Config{
			"a": one(carrier(0, nil, "400", ""), carrier(0, nil, "", "400")),
			"b": one(carrier(0, nil, "", "400"), carrier(0, nil, "", "400")),
			"c": one(carrier(0, nil, "", "400"), carrier(0, nil, "400", "")),
			"d": one(carrier(20, nil, "", ""), carrier(0, nil, "", "401")),
		}
	}
	links := []Link{{A: ref("a:2"), B: ref("b:1")}, {A: ref("b:2"), B: ref("c:1")}, {A: ref("c:1"), B: ref("d:1")}}
	for name, tc := range map[string]struct {
		change func(map[string]network.Config)
		down   network.PortRef
		parts  [][]network.PortRef
		ends   []ServiceEnd
	}{
		"joined": {parts: [][]network.PortRef{{ref("a:1"), ref("c:2")}}, ends: []ServiceEnd{{Near: ref("c:1"), Far: ref("d:1")}}},
		"not carried between": {change: func(c map[string]network.Config) { c["b"].Ports["1"] = carrier(0, nil, "", "399") },
			parts: [][]network.PortRef{{ref("a:1")}, {ref("c:2")}}, ends: []ServiceEnd{{Near: ref("a:2"), Far: ref("b:1")}, {Near: ref("c:1"), Far: ref("d:1")}}},
		"a link is down": {down: ref("b:2"),
			parts: [][]network.PortRef{{ref("a:1")}, {ref("c:2")}}, ends: []ServiceEnd{{ref("b:2"), ref("c:1"), true}, {ref("c:1"), ref("b:2"), true}, {Near: ref("c:1"), Far: ref("d:1")}}},
	} {
		configs := base()
		if tc.change != nil {
			tc.change(configs)
		}
		got := ServiceLines(configs, links, func(l Link) bool { return l.A != tc.down && l.B != tc.down })
		i := 0
		for ; i < len(got) && got[i].VLAN != 400; i++ {
		}
		assert.Equal(t, tc.parts, got[i].Parts, name)
		assert.Equal(t, tc.ends, got[i].Ends, name)
		assert.Equal(t, len(tc.parts) == 1, got[i].Joined(), name)
	}
	assert.Empty(t, ServiceLines(map[string]network.Config{"a": {}}, nil, nil))
}

func TestCustomersThatAFailureParts(t *testing.T) {
	own := carrier(0, nil, "400", "")
	passes := carrier(0, nil, "", "400")
	configs := map[string]network.Config{}
	for _, d := range []string{"a", "b", "c"} {
		configs[d] = network.Config{Ports: map[string]network.PortConfig{"1": own, "2": passes, "3": passes}}
	}
	f := Failing{Configs: configs, Links: []Link{{A: ref("a:2"), B: ref("b:2")}, {A: ref("b:3"), B: ref("c:2")}}, Gone: map[string]bool{}}
	for name, tc := range map[string]struct {
		of   Thing
		want []Apart
	}{
		"a link":             {Thing{Port: ref("c:2")}, []Apart{{400, ref("a:1"), []network.PortRef{ref("c:1")}}, {400, ref("b:1"), []network.PortRef{ref("c:1")}}, {400, ref("c:1"), []network.PortRef{ref("a:1"), ref("b:1")}}}},
		"the device between": {Thing{Device: "b"}, []Apart{{400, ref("a:1"), []network.PortRef{ref("b:1"), ref("c:1")}}, {400, ref("c:1"), []network.PortRef{ref("a:1"), ref("b:1")}}}},
		"a port of one":      {Thing{Port: ref("a:1")}, []Apart{{400, ref("b:1"), []network.PortRef{ref("a:1")}}, {400, ref("c:1"), []network.PortRef{ref("a:1")}}}},
		"nothing of theirs":  {Thing{Port: ref("a:3")}, nil},
	} {
		assert.Equal(t, tc.want, f.Without(tc.of).Apart, name)
	}
	f.Gone["b"] = true
	assert.Empty(t, f.Without(Thing{Device: "c"}).Apart, "what is apart already is not lost again")
}
