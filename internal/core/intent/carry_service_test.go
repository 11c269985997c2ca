package intent

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

func TestCarryServiceAndEndIt(t *testing.T) {
	trunk := network.PortConfig{Enabled: true, Mode: network.Trunk, TrunkVLANs: network.VLANSet{10, 20}}
	device := func() network.Config {
		return network.Config{Features: []network.Feature{setting.ProviderBridging}, Bundles: map[string]network.PortConfig{"lag1": trunk},
			Ports: map[string]network.PortConfig{"1": {Enabled: true, Mode: network.Access, AccessVLAN: 20}, "2": trunk, "3": {Enabled: true}, "4": {Enabled: true, Mode: network.Trunk, LAG: "lag1"},
				"5": {Mode: network.Trunk, Settings: network.Settings{"service-vlan": "7"}}}}
	}
	at := func(s string) network.PortRef {
		r, err := network.ParsePortRef(s)
		require.NoError(t, err)
		return r
	}
	plain := device()
	plain.Features = nil
	configs := map[string]network.Config{"a": device(), "b": device(), "c": device(), "old": plain}
	links := []topology.Link{{A: at("a:2"), B: at("b:2")}, {A: at("b:4"), B: at("c:4")}, {A: at("a:3"), B: at("old:2")}}
	c, err := CarryService(configs, links, 400, at("a:1"), at("c:1"))
	require.NoError(t, err)
	words := func(edits []Edit) (out []string) {
		for _, e := range edits {
			out = append(out, e.String())
		}
		return out
	}
	assert.Equal(t, []string{"a:1 mode=trunk", "a:1 native-vlan=none", "a:1 service-vlan=400", "c:1 mode=trunk", "c:1 native-vlan=none", "c:1 service-vlan=400",
		"a:2 service-trunk-vlans=400", "b:2 service-trunk-vlans=400", "b:lag1 service-trunk-vlans=400", "c:lag1 service-trunk-vlans=400"}, words(c.Edits))
	after := map[string]network.Config{}
	for name, config := range configs {
		var own []Edit
		for _, e := range c.Edits {
			if e.Port.Device == name {
				own = append(own, e)
			}
		}
		next, err := Apply(name, config, own)
		require.NoError(t, err)
		after[name] = next
	}
	again, err := CarryService(after, links, 400, at("a:1"), at("c:1"))
	require.NoError(t, err)
	assert.Empty(t, again.Edits, "once is enough")
	lines := topology.ServiceLines(after, links, func(topology.Link) bool { return true })
	i := len(lines) - 1
	assert.Equal(t, network.VLANID(400), lines[i].VLAN)
	assert.True(t, lines[i].Joined())
	assert.Equal(t, []string{"a:1 service-vlan=none", "a:2 service-trunk-vlans=none", "b:2 service-trunk-vlans=none", "b:lag1 service-trunk-vlans=none", "c:1 service-vlan=none", "c:lag1 service-trunk-vlans=none"},
		words(EndService(after, 400)))

	// The wire of a radio link keeps its own VLANs.
	air := device()
	air.Ports["5"] = network.PortConfig{Enabled: true, Mode: network.Trunk, Carrier: true}
	radios := map[string]network.Config{"a": device(), "r": air, "q": air.Clone()}
	over, err := CarryService(radios, []topology.Link{{A: at("a:2"), B: at("r:2")}, {A: at("q:5"), B: at("r:5")}}, 500, at("r:2"), at("q:2"))
	require.NoError(t, err)
	assert.Equal(t, []string{"r:2 service-vlan=500", "q:2 trunk-vlans=none", "q:2 service-vlan=500", "q:5 service-trunk-vlans=500", "r:5 service-trunk-vlans=500"}, words(over.Edits))

	for want, ends := range map[string][2]string{
		"a:1 is named twice":                     {"a:1", "a:1"},
		"there is no device x":                   {"x:1", "a:1"},
		"a has no port 9":                        {"a:9", "c:1"},
		"old has no service VLANs":               {"a:1", "old:1"},
		"a:3 is not a switched port":             {"a:3", "c:1"},
		"a:4 is a member of lag1":                {"a:4", "c:1"},
		"a:5 is in service VLAN 7 already":       {"a:5", "c:1"},
		"a:2 leads to another device of yours":   {"a:2", "c:1"},
		"no cables between devices with service": {"a:1", "d:1"},
		"c:lag1 leads to another device":         {"a:1", "c:lag1"},
		"r:5 is the air of a radio link":         {"r:5", "c:1"},
	} {
		configs["d"], configs["r"] = device(), air
		_, err := CarryService(configs, links, 400, at(ends[0]), at(ends[1]))
		assert.ErrorContains(t, err, want)
	}
}
