package topology

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"example.net/everypost/internal/core/network"
)

// ringed is two edges with a site each: e with s1, s2 and s3 in a ring and x behind s3; f alone. Two tunnels lead from e to f, one of them over a circuit of
// its own, and one from f to g.
func ringed() Failing {
	trunk := network.PortConfig{Enabled: true, Mode: network.Trunk, NativeVLAN: 10, TrunkVLANs: network.VLANSet{20}}
	configs := map[string]network.Config{}
	for _, d := range []string{"e", "s1", "s2", "s3", "x", "f", "g"} {
		configs[d] = network.Config{Hostname: d, ManagementVLAN: 10, VLANs: map[network.VLANID]network.VLAN{10: {ID: 10}, 20: {ID: 20}}, Ports: map[string]network.PortConfig{"1": trunk, "2": trunk, "3": trunk}}
	}
	tunnel := func(name, a, b, portA, portB string) Line {
		return Line{Kind: Tunnel, A: End{Device: a, Name: name, Ports: []string{portA}}, B: End{Device: b, Name: name, Ports: []string{portB}}, Up: 1, Members: 1}
	}
	held := link("s3:2", "s1:3")
	return Failing{
		Configs: configs, Entries: []string{"e", "f", "g"}, Gone: map[string]bool{},
		Links: []Link{link("e:1", "s1:1"), link("s1:2", "s2:1"), link("s2:2", "s3:1"), held, link("s3:3", "x:1")}, Held: map[Link]bool{held: true},
		Supplies: map[string][]string{"s1": {"psu1"}, "s3": {"psu1", "psu2"}},
		Tunnels:  []Line{tunnel("fibre", "e", "f", "wan1", "wan1"), tunnel("cellular", "e", "f", "wan2", "wan2"), tunnel("radio", "f", "g", "wan3", "wan1")},
	}
}

func TestWhatIsLostWhenSomethingFails(t *testing.T) {
	held := []Link{link("s3:2", "s1:3")}
	for name, c := range map[string]struct {
		fails Thing
		want  Loss
	}{
		"the ring opens where it was held":       {Thing{Port: ref("s1:2")}, Loss{Opens: held}},
		"a switch of the ring":                   {Thing{Device: "s2"}, Loss{Opens: held}},
		"the one between the ring and x":         {Thing{Device: "s3"}, Loss{Devices: []string{"x"}}},
		"the link to x, by its far end":          {Thing{Port: ref("x:1")}, Loss{Devices: []string{"x"}}},
		"the way out":                            {Thing{Device: "s1"}, Loss{Devices: []string{"s2", "s3", "x"}}},
		"the link that is held":                  {Thing{Port: ref("s1:3")}, Loss{}},
		"an edge, and who had tunnels to it":     {Thing{Device: "e"}, Loss{Devices: []string{"s1", "s2", "s3", "x"}, Over: []string{"radio"}}},
		"the edge between others":                {Thing{Device: "f"}, Loss{CutOff: []string{"e", "g"}}},
		"one of two tunnels":                     {Thing{Tunnel: "fibre"}, Loss{Over: []string{"cellular"}}},
		"the circuit of the only tunnel":         {Thing{Port: ref("g:wan1")}, Loss{CutOff: []string{"g"}}},
		"one of two circuits":                    {Thing{Port: ref("e:wan2")}, Loss{Over: []string{"fibre"}}},
		"a port at which there is nobody":        {Thing{Port: ref("x:3")}, Loss{}},
		"one of two supplies":                    {Thing{Device: "s3", Supply: "psu1"}, Loss{Powered: []string{"psu2"}}},
		"one that gives no power already":        {Thing{Device: "s1", Supply: "psu2"}, Loss{Powered: []string{"psu1"}}},
		"the only supply":                        {Thing{Device: "s1", Supply: "psu1"}, Loss{Devices: []string{"s2", "s3", "x"}}},
		"a device of which nothing is connected": {Thing{Device: "nobody"}, Loss{}},
	} {
		got, want := ringed().Without(c.fails), c.want
		for _, l := range []*Loss{&got, &want} { // nil and empty are the same here
			l.Devices, l.CutOff, l.Over, l.Opens = append([]string(nil), l.Devices...), append([]string(nil), l.CutOff...), append([]string(nil), l.Over...), append([]Link(nil), l.Opens...)
		}
		assert.Equal(t, want, got, name)
	}
	gone := ringed()
	gone.Gone["s2"] = true
	assert.Equal(t, []string{"s3", "x"}, gone.Without(Thing{Port: ref("s3:2")}).Devices, "the other way is away already")
	down := ringed()
	down.Tunnels[1].Up = 0
	assert.Equal(t, []string{"e"}, down.Without(Thing{Tunnel: "fibre"}).CutOff, "the other one is down already")
}

// A line that is handed over elsewhere is lost with what carries it from there.
func TestALineThatComesOverOthers(t *testing.T) {
	line := func() Failing {
		f := ringed()
		vlan := network.PortConfig{Enabled: true, Mode: network.Access, AccessVLAN: 20}
		f.Configs["s1"].Ports["9"], f.Configs["x"].Ports["9"] = vlan, vlan
		f.Configs["g"].Ports["wan1"] = network.PortConfig{Enabled: true}
		f.Links = append(f.Links, link("x:9", "g:wan1"))
		f.Handed = map[network.PortRef]network.PortRef{ref("g:wan1"): ref("s1:9")}
		return f
	}
	for name, c := range map[string]struct {
		fails Thing
		cut   []string
	}{
		"the port of the provider":   {Thing{Port: ref("s1:9")}, []string{"g"}},
		"a device on the way":        {Thing{Device: "s3"}, []string{"g"}},
		"the last link":              {Thing{Port: ref("x:1")}, []string{"g"}},
		"the cable to the edge":      {Thing{Port: ref("x:9")}, []string{"g"}},
		"where there is another way": {Thing{Port: ref("s1:2")}, []string{}},
		"something else":             {Thing{Port: ref("e:1")}, []string{}},
	} {
		assert.Equal(t, c.cut, line().Without(c.fails).CutOff, name)
	}
	standby := line()
	standby.Tunnels = append(standby.Tunnels, Line{Kind: Tunnel, A: End{Device: "g", Name: "standby", Ports: []string{"cell0"}}, B: End{Device: "f", Name: "standby", Ports: []string{"wan1"}}, Up: 1, Members: 1})
	assert.Equal(t, []string{"standby"}, standby.Without(Thing{Port: ref("x:1")}).Over, "of the edge whose line it is")
	assert.Equal(t, []string{"standby"}, standby.Without(Thing{Device: "s3"}).Over, "also where a device on the way fails")
	lost := line()
	lost.Links[4].B.Port = "8"
	assert.Equal(t, []string{}, lost.Without(Thing{Port: ref("s1:2")}).CutOff, "what is not carried now is not lost again")
}

func TestSinglePoints(t *testing.T) {
	var got []string
	for _, p := range ringed().Points() {
		got = append(got, p.name())
	}
	assert.Equal(t, []string{"e", "e:1", "s1", "f", "radio", "s3", "s3:3"}, got, "what takes most comes first")
	whole := ringed()
	for _, p := range whole.Points() {
		assert.Equal(t, whole.Without(p.Thing).Devices, p.Devices, "%v fares in the whole as in its part", p.Thing)
	}
}

// A hundred sites of twenty devices: an edge, switches in a chain of rings, and two tunnels each.
func BenchmarkSinglePoints(b *testing.B) {
	trunk := network.PortConfig{Enabled: true, Mode: network.Trunk, NativeVLAN: 10, TrunkVLANs: network.VLANSet{20}}
	f := Failing{Configs: map[string]network.Config{}, Gone: map[string]bool{}, Held: map[Link]bool{}}
	for site := range 100 {
		name := func(i int) string { return fmt.Sprintf("s%d-d%d", site, i) }
		for i := range 20 {
			f.Configs[name(i)] = network.Config{Hostname: name(i), ManagementVLAN: 10, VLANs: map[network.VLANID]network.VLAN{10: {ID: 10}, 20: {ID: 20}}, Ports: map[string]network.PortConfig{"1": trunk, "2": trunk, "3": trunk, "4": trunk}}
			if i > 0 {
				f.Links = append(f.Links, link(name(i-1)+":1", name(i)+":2"))
			}
			if i > 2 && i%3 == 0 {
				f.Links = append(f.Links, link(name(i-3)+":3", name(i)+":4"))
			}
		}
		f.Entries = append(f.Entries, name(0))
		for hub := range 2 {
			f.Tunnels = append(f.Tunnels, Line{Kind: Tunnel, A: End{Device: name(0), Name: fmt.Sprintf("t%d-%d", site, hub)}, B: End{Device: fmt.Sprintf("s0-d%d", hub), Name: fmt.Sprintf("t%d-%d", site, hub)}, Up: 1})
		}
	}
	for b.Loop() {
		if len(f.Points()) == 0 {
			b.Fatal("there are some")
		}
	}
}
