package guard

import (
	"testing"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

func TestServiceVLANs(t *testing.T) {
	t.Parallel()
	port := func(name, value string) network.PortConfig {
		return network.PortConfig{Enabled: true, Mode: network.Trunk, Settings: network.Settings{name: value}}
	}
	device := func(host, one, two string, v1, v2 string) network.Config {
		return network.Config{Hostname: host, Features: []network.Feature{setting.ProviderBridging}, VLANs: map[network.VLANID]network.VLAN{20: {ID: 20}},
			Ports: map[string]network.PortConfig{"1": port(one, v1), "2": port(two, v2), "3": {Enabled: true, Mode: network.Trunk}}}
	}
	house := func() Proposal {
		return Proposal{Before: map[string]network.Config{
			"a": device("a", "service-vlan", "service-trunk-vlans", "400", "400-401"),
			"b": device("b", "service-trunk-vlans", "service-vlan", "400-401", "400")},
			Links: []topology.Link{{A: network.PortRef{Device: "a", Port: "2"}, B: network.PortRef{Device: "b", Port: "1"}}}}
	}
	for name, tc := range map[string]guardCase{
		"another description":    {edits: [][3]string{{"a:1", "description", "pilots"}}},
		"no more carried":        {edits: [][3]string{{"b:1", "service-trunk-vlans", "401"}}, want: []string{"service-vlans:400:apart"}, says: "a:1 would no longer reach b:2 in service VLAN 400.", fix: "b:1 service-trunk-vlans=400,401"},
		"the link is shut":       {edits: [][3]string{{"b:1", "enabled", "off"}}, want: []string{"service-vlans:400:apart"}, says: "a:1 would no longer reach b:2"},
		"one that nobody uses":   {edits: [][3]string{{"b:1", "service-trunk-vlans", "400"}}},
		"the end is taken out":   {edits: [][3]string{{"b:2", "service-vlan", "none"}}},
		"the end goes elsewhere": {edits: [][3]string{{"b:2", "service-vlan", "401"}}, want: []string{"service-vlans:b:2:alone"}, says: "b:2 would reach no other port of service VLAN 401."},
		"with and without a tag": {edits: [][3]string{{"a:1", "service-trunk-vlans", "400"}}, want: []string{"service-vlans:a:1:both"}, says: "a:1 would carry service VLAN 400 both"},
		"one more of them":       {edits: [][3]string{{"b:3", "service-vlan", "400"}}},
		"a VLAN of the house":    {edits: [][3]string{{"a:1", "trunk-vlans", "20"}}, want: []string{"service-vlans:a:1:inside"}, says: "What a customer sends into a:1 in VLAN 20 would get into VLANs of yours.", fix: "a:1 mode=trunk"},
		"the link has one as well": {edits: [][3]string{{"a:2", "service-vlan", "500"}, {"b:1", "service-vlan", "500"}, {"a:2", "trunk-vlans", "20"}, {"b:1", "trunk-vlans", "20"}},
			want: []string{"service-vlans:a:2:alone", "service-vlans:b:1:alone"}, says: "a:2 would reach no other port of service VLAN 500."},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			tc.holds(t, house(), "service-vlans")
		})
	}
}
