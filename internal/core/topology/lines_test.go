package topology

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
)

func seen(host string, ports map[string]network.PortConfig, states map[string]network.PortState) Seen {
	return Seen{Config: network.Config{Hostname: host, Ports: ports}, State: network.State{Ports: states}}
}

func trunk(lag string, tagged ...network.VLANID) network.PortConfig {
	return network.PortConfig{Enabled: true, Mode: network.Trunk, TrunkVLANs: network.NewVLANSet(tagged...), LAG: lag}
}

func up(peer, port string) network.PortState {
	return network.PortState{Oper: network.Up, SpeedMbps: 10_000, Neighbour: &network.Neighbour{SystemName: peer, PortID: port}}
}

func pair() map[string]Seen {
	return map[string]Seen{
		"a": seen("a", map[string]network.PortConfig{"1": trunk("lag1", 10, 20), "2": trunk("lag1", 10, 20), "3": trunk("", 10)},
			map[string]network.PortState{"1": up("b", "1"), "2": up("b", "2"), "3": up("b", "3")}),
		"b": seen("b", map[string]network.PortConfig{"1": trunk("lag9", 10), "2": trunk("lag9", 10), "3": trunk("", 10)},
			map[string]network.PortState{"1": up("a", "1"), "2": up("a", "2"), "3": up("a", "3")}),
	}
}

func self(name string) string { return name }

func TestABundleIsOneLine(t *testing.T) {
	devices := pair()
	lines := Lines(devices, self)
	require.Len(t, lines, 2)
	cable, bundle := lines[0], lines[1]
	assert.Equal(t, Cable, cable.Kind)
	assert.Equal(t, End{Device: "a", Name: "3", Ports: []string{"3"}}, cable.A)
	assert.Equal(t, Bundle, bundle.Kind)
	assert.Equal(t, End{Device: "b", Name: "lag9", Ports: []string{"1", "2"}}, bundle.B)
	assert.Equal(t, 20_000, bundle.SpeedMbps)

	down := devices["a"].State.Ports["2"]
	down.Oper = network.Down
	devices["a"].State.Ports["2"] = down
	bundle = Lines(devices, self)[1]
	assert.Equal(t, []int{1, 2, 10_000}, []int{bundle.Up, bundle.Members, bundle.SpeedMbps}, "half of it is left")
}

func TestHowAVLANFares(t *testing.T) {
	devices := pair()
	lines := Lines(devices, self)
	fares := func(i int, v network.VLANID) string {
		how, why := VLANOn(devices, lines[i], v)
		if why != "" {
			how += ": " + why
		}
		return how
	}
	assert.Equal(t, "carried", fares(0, 10))
	assert.Equal(t, "absent", fares(0, 20))
	assert.Equal(t, "carried", fares(1, 10))
	assert.Equal(t, "stopped: b lag9 does not carry it", fares(1, 20))

	b := devices["b"]
	b.Inside.Spanning = &network.SpanningTree{Tree: network.Tree{Ports: map[string]network.SpanningPort{"3": {State: "blocking", Role: "alternate"}}}}
	devices["b"] = b
	lines = Lines(devices, self)
	require.NotNil(t, lines[0].Blocked)
	assert.Equal(t, "held: spanning tree blocks b 3", fares(0, 10))

	native := devices["a"].Config.Ports["3"]
	native.NativeVLAN, native.TrunkVLANs = 10, nil
	devices["a"].Config.Ports["3"] = native
	assert.Equal(t, "stopped: the ends do not agree on its tag", fares(0, 10))
}

func TestATunnelIsOneLineForBothEnds(t *testing.T) {
	tunnel := func(far string, isUp bool, delay float64) network.Inside {
		return network.Inside{Tunnels: []network.Tunnel{{Name: "x-hub", Port: "wan1", Underlay: "fibre", RemoteSystem: far, Up: isUp, DelayMs: delay}}}
	}
	devices := map[string]Seen{"hub": {Inside: tunnel("x", true, 9)}, "x": {Inside: tunnel("hub", true, 11)}, "z": {Inside: tunnel("nobody", true, 1)}}
	lines := Lines(devices, self)
	require.Len(t, lines, 1)
	assert.Equal(t, Line{Kind: Tunnel, A: End{"hub", "x-hub", []string{"wan1"}}, B: End{"x", "x-hub", []string{"wan1"}}, Up: 1, Members: 1, Underlay: "fibre", DelayMs: 11}, lines[0])
	devices["x"] = Seen{Inside: tunnel("hub", false, 0)}
	assert.Zero(t, Lines(devices, self)[0].Up, "an end that has it down has the last word")
	how, _ := VLANOn(devices, lines[0], 10)
	assert.Equal(t, Absent, how)
}
