package topology

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/network"
)

func ref(s string) network.PortRef {
	r, err := network.ParsePortRef(s)
	if err != nil {
		panic(err)
	}
	return r
}

func link(a, b string) Link { return Link{A: ref(a), B: ref(b)} }

func says(system, port string) network.PortState {
	return network.PortState{Neighbour: &network.Neighbour{SystemName: system, PortID: port}}
}

func TestLinksFromNeighbourReports(t *testing.T) {
	states := map[string]network.State{
		"a": {Ports: map[string]network.PortState{"1": says("b-host", "9"), "2": says("stranger", "x"), "3": says("c-host", "1"), "4": says("a-host", "4")}},
		"b": {Ports: map[string]network.PortState{"9": says("a-host", "1"), "10": {}}},
		"c": {},
	}
	names := HostNames(map[string]network.Config{"a": {Hostname: "a-host"}, "b": {Hostname: "b-host"}, "c": {Hostname: "c-host"}})
	one := link("a:3", "c:1")
	one.OneSided = true
	assert.Equal(t, []Link{link("a:1", "b:9"), one}, Links(states, names))
	assert.Equal(t, "b", names("b"))
	assert.Empty(t, names("stranger"))
}

var chain = []Link{link("e:1", "s1:1"), link("s1:2", "s2:1"), link("s2:2", "s3:1"), link("s1:3", "x:1")}

func TestFarToNear(t *testing.T) {
	assert.Equal(t, []string{"lost", "s3", "s2", "x", "s1", "e"}, NewGraph(chain, []string{"e"}).FarToNear([]string{"e", "s1", "x", "s2", "s3", "lost"}))
}

func TestBehind(t *testing.T) {
	g := NewGraph(append([]Link{link("s3:9", "x:9")}, chain...), []string{"e"}) // a ring of s1, s2, s3 and x
	for device, want := range map[string][]string{"e": {"s1", "s2", "s3", "x"}, "s1": {"s2", "s3", "x"}, "s2": nil, "s3": nil, "x": nil, "lost": nil} {
		assert.Equal(t, want, g.Behind(device), device)
	}
	assert.Equal(t, []string{"s3"}, NewGraph(chain, []string{"e"}).Behind("s2"))
}

func TestWayUp(t *testing.T) {
	assert.Equal(t, []Link{chain[2], chain[1], chain[0]}, NewGraph(chain, []string{"e"}).WayUp("s3"))
	assert.Empty(t, NewGraph(chain, []string{"e"}).WayUp("e"))
	assert.Empty(t, NewGraph(chain, []string{"e"}).WayUp("lost"))
}

func TestPass(t *testing.T) {
	trunk := func(native network.VLANID, tagged ...network.VLANID) network.PortConfig {
		return network.PortConfig{Enabled: true, Mode: network.Trunk, NativeVLAN: native, TrunkVLANs: network.NewVLANSet(tagged...)}
	}
	access := func(v network.VLANID) network.PortConfig {
		return network.PortConfig{Enabled: true, Mode: network.Access, AccessVLAN: v}
	}
	off := access(10)
	off.Enabled = false
	for name, tc := range map[string]struct {
		out, in network.PortConfig
		v, want network.VLANID
	}{
		"tagged both ends":               {trunk(0, 10), trunk(0, 10), 10, 10},
		"tagged, the other lacks it":     {trunk(0, 10), trunk(0, 20), 10, 0},
		"tagged, the other has it bare":  {trunk(0, 10), trunk(10, 20), 10, 0},
		"bare changes its VLAN":          {access(10), access(20), 10, 20},
		"bare into a native":             {access(10), trunk(30, 10), 10, 30},
		"bare into a trunk without":      {access(10), trunk(0, 10), 10, 0},
		"native to native":               {trunk(10, 20), trunk(10), 10, 10},
		"off here":                       {off, access(10), 10, 0},
		"off there":                      {access(10), off, 10, 0},
		"not carried":                    {trunk(0, 10), trunk(0, 20), 20, 0},
		"a routed port takes nothing so": {access(10), network.PortConfig{Enabled: true}, 10, 0},
	} {
		configs := map[string]network.Config{"a": {Ports: map[string]network.PortConfig{"1": tc.out}}, "b": {Ports: map[string]network.PortConfig{"1": tc.in}}}
		got, ok := Pass(configs, network.PortRef{Device: "a", Port: "1"}, network.PortRef{Device: "b", Port: "1"}, Tags{VLAN: tc.v})
		assert.Equal(t, Tags{VLAN: tc.want}, got, name)
		assert.Equal(t, tc.want != 0, ok, name)
	}
}

func TestManagementReach(t *testing.T) {
	trunk := network.PortConfig{Enabled: true, Mode: network.Trunk, TrunkVLANs: network.VLANSet{10, 20}}
	config := func(ports ...string) network.Config {
		c := network.Config{ManagementVLAN: 10, Ports: map[string]network.PortConfig{}}
		for _, p := range ports {
			c.Ports[p] = trunk
		}
		return c
	}
	configs := map[string]network.Config{"e": config("1"), "s1": config("1", "2", "3"), "s2": config("1", "2"), "s3": config("1"), "x": config("1")}
	all := map[string]bool{"e": true, "s1": true, "s2": true, "s3": true, "x": true}
	assert.Equal(t, all, NewGraph(chain, []string{"e"}).ManagementReach(configs))

	cut := configs["s2"].Clone()
	cut.Ports["1"] = network.PortConfig{Enabled: true, Mode: network.Trunk, TrunkVLANs: network.VLANSet{20}}
	configs["s2"] = cut
	assert.Equal(t, map[string]bool{"e": true, "s1": true, "x": true}, NewGraph(chain, []string{"e"}).ManagementReach(configs))
	assert.Empty(t, NewGraph(chain, nil).ManagementReach(configs))
}

// In any tree, a device stands before every device on its way up.
func TestFarToNearNeverCutsItsWay(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(2, 20).Draw(t, "n")
		var links []Link
		var devices []string
		for i := range n {
			devices = append(devices, fmt.Sprintf("d%d", i))
			if i > 0 {
				parent := rapid.IntRange(0, i-1).Draw(t, "parent")
				links = append(links, link(fmt.Sprintf("d%d:p%d", parent, i), fmt.Sprintf("d%d:up", i)))
			}
		}
		g := NewGraph(links, []string{"d0"})
		order := g.FarToNear(devices)
		place := map[string]int{}
		for i, d := range order {
			place[d] = i
		}
		for _, d := range devices {
			for _, l := range g.WayUp(d) {
				for _, end := range []string{l.A.Device, l.B.Device} {
					assert.LessOrEqual(t, place[d], place[end])
				}
			}
		}
	})
}
