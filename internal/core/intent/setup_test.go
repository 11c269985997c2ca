package intent

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

// A pier: an edge, a switch with a trunk to it, and a second switch that is plugged into an access port of the first.
func pier() (map[string]network.Config, []topology.Link) {
	vlans := map[network.VLANID]network.VLAN{10: {ID: 10}, 99: {ID: 99}}
	trunk := network.PortConfig{Enabled: true, Mode: network.Trunk, TrunkVLANs: network.VLANSet{10}}
	plain := network.PortConfig{Enabled: true, Mode: network.Access, AccessVLAN: 10}
	sw := func() network.Config {
		return network.Config{Features: setting.Features(), VLANs: vlans, ManagementVLAN: 10, Ports: map[string]network.PortConfig{"1": plain, "2": plain, "3": plain, "up": trunk, "down": plain}}
	}
	edge := network.Config{VLANs: vlans, ManagementVLAN: 10, Ports: map[string]network.PortConfig{"lan1": trunk}}
	return map[string]network.Config{"mp-edge": edge, "mp-sw-1": sw(), "mp-sw-2": sw()},
		[]topology.Link{{A: target("mp-edge:lan1"), B: target("mp-sw-1:up")}, {A: target("mp-sw-1:down"), B: target("mp-sw-2:down")}}
}

func target(s string) network.PortRef {
	r, err := network.ParseTarget(s)
	if err != nil {
		panic(err)
	}
	return r
}

// everything applies rows and returns what the devices would run.
func everything(t *testing.T, configs map[string]network.Config, rows []SetupRow) map[string]network.Config {
	t.Helper()
	var edits []Edit
	for _, r := range rows {
		for _, on := range r.On {
			for name, value := range r.Set {
				e, err := New(on, name, value)
				require.NoError(t, err)
				edits = Add(edits, e)
			}
		}
	}
	out := map[string]network.Config{}
	for name, c := range configs {
		var err error
		out[name], err = Apply(name, c, edits)
		require.NoError(t, err)
	}
	return out
}

func TestSetup(t *testing.T) {
	configs, links := pier()
	s := Setup{
		Devices: []string{"mp-edge", "mp-sw-1", "mp-sw-2"}, System: map[string]string{"time-zone": "Europe/London", "ntp-servers": "10.1.10.1"},
		VLANs: map[network.VLANID]string{20: "office", 50: "cameras"}, Links: true, Root: "mp-sw-1",
		Ports: []SetupPorts{{[]network.PortRef{target("mp-sw-2:1"), target("mp-sw-2:2")}, map[string]string{"description": "Camera #", "vlan": "50"}}, {[]network.PortRef{target("mp-sw-1:3")}, map[string]string{"vlan": "20"}}},
	}
	rows, notes, err := s.Rows(configs, links)
	require.NoError(t, err)
	after := everything(t, configs, rows)
	sw := after["mp-sw-2"]
	assert.Equal(t, "Europe/London", sw.Settings["time-zone"])
	assert.Equal(t, "cameras", sw.VLANs[50].Name)
	assert.Equal(t, "Camera 2", sw.Ports["2"].Description)
	assert.Equal(t, network.VLANID(50), sw.Ports["1"].AccessVLAN)
	assert.Equal(t, network.Trunk, sw.Ports["down"].Mode, "a link between two of them becomes a trunk")
	assert.Equal(t, network.VLANID(10), sw.Ports["down"].NativeVLAN, "what it carried untagged it carries so still")
	assert.Equal(t, network.VLANSet{20, 50}, sw.Ports["down"].TrunkVLANs)
	assert.Equal(t, network.VLANSet{10, 20, 50}, after["mp-edge"].Ports["lan1"].TrunkVLANs)
	assert.Equal(t, "4096", after["mp-sw-1"].Settings["stp-priority"])
	assert.Equal(t, []string{"mp-edge has no system settings: ntp-servers is left out there.", "mp-edge has no system settings: time-zone is left out there."}, notes)

	alone := Setup{Devices: []string{"mp-sw-2"}, VLANs: map[network.VLANID]string{20: "office"}, Links: true}
	rows, notes, err = alone.Rows(configs, links)
	require.NoError(t, err)
	assert.Equal(t, configs["mp-sw-1"], everything(t, configs, rows)["mp-sw-1"], "nothing is done to others but on trunks")
	assert.Len(t, notes, 2)

	for what, s := range map[string]Setup{"there is no device nobody": {Devices: []string{"nobody"}}, "is not among the devices": {Devices: []string{"mp-sw-1"}, Root: "mp-sw-2"}} {
		_, _, err = s.Rows(configs, links)
		assert.ErrorContains(t, err, what)
	}
}
