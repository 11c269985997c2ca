package guard

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/topology"
)

// The network of these tests: edge e, below it s1, below that s2 with a phone, a desk and a camera.
func before() map[string]network.Config {
	vlans := map[network.VLANID]network.VLAN{10: {ID: 10, Name: "management"}, 20: {ID: 20, Name: "office"}, 30: {ID: 30, Name: "voice"}, 40: {ID: 40, Name: "ticketing"}}
	trunk := network.PortConfig{Enabled: true, Mode: network.Trunk, TrunkVLANs: network.VLANSet{10, 20, 30}}
	access := func(v network.VLANID) network.PortConfig {
		return network.PortConfig{Enabled: true, Mode: network.Access, AccessVLAN: v}
	}
	return map[string]network.Config{
		"e":  {ManagementVLAN: 10, VLANs: vlans, Ports: map[string]network.PortConfig{"1": trunk}},
		"s1": {ManagementVLAN: 10, VLANs: vlans, Ports: map[string]network.PortConfig{"1": trunk, "2": trunk, "3": access(20)}},
		"s2": {ManagementVLAN: 10, VLANs: vlans, Ports: map[string]network.PortConfig{"1": trunk, "2": access(30), "3": access(20), "4": access(20)}},
	}
}

func ref(s string) network.PortRef {
	r, _ := network.ParsePortRef(s)
	return r
}

func TestGuards(t *testing.T) {
	for name, tc := range map[string]guardCase{
		"a description":                      {[][3]string{{"s2:3", "description", "x"}}, nil, "", ""},
		"a VLAN that is carried":             {[][3]string{{"s2:3", "vlan", "30"}}, nil, "", ""},
		"a VLAN that does not exist":         {[][3]string{{"s2:3", "vlan", "77"}}, []string{"vlan-exists:s2:3:77"}, "VLAN 77 does not exist on s2.", "s2:vlan/77 present=on"},
		"a VLAN that is not carried up":      {[][3]string{{"s2:3", "vlan", "40"}}, []string{"vlan-carried:s2:3:40"}, "VLAN 40 is not carried on s2:1, s1:2, s1:1, e:1, the way up from s2.", "s2:1 trunk-vlans=10,20,30,40"},
		"management off the uplink":          {[][3]string{{"s2:1", "trunk-vlans", "20,30"}}, []string{"management-path:s2"}, "s2 could not be reached any more: management VLAN 10 would be cut on s2:1.", "s2:1 trunk-vlans=10,20,30"},
		"management off the near end":        {[][3]string{{"s1:2", "trunk-vlans", "20,30"}}, []string{"management-path:s2"}, "would be cut on s1:2", "s1:2 trunk-vlans=10,20,30"},
		"the link of two devices":            {[][3]string{{"e:1", "trunk-vlans", "20,30"}}, []string{"management-path:s1"}, "s1 and s2 could not be reached any more", "e:1 trunk-vlans=10,20,30"},
		"the uplink switched off":            {[][3]string{{"s2:1", "enabled", "off"}}, []string{"management-path:s2", "vlan-carried:s2:1"}, "management VLAN 10 would be cut on s2:1", "s2:1 enabled=on"},
		"a VLAN off the uplink that is used": {[][3]string{{"s2:1", "trunk-vlans", "10,20"}}, []string{"vlan-carried:s2:1"}, "VLAN 30 would no longer be carried on s2:1, and one port uses it behind it.", "s2:1 trunk-vlans=10,20,30"},
		"two VLANs off the uplink":           {[][3]string{{"s2:1", "trunk-vlans", "10"}}, []string{"vlan-carried:s2:1"}, "VLANs 20 and 30 would no longer be carried on s2:1, and 3 ports use them behind it.", "s2:1 trunk-vlans=10,20,30"},
		"the uplink made an access port":     {[][3]string{{"s2:1", "mode", "access"}, {"s2:1", "vlan", "20"}}, []string{"management-path:s2", "vlan-carried:s2:1", "link-ends:s1:2:native-vlan"}, "could not be reached", "s2:1 mode=trunk"},
		"a port that is off uses nothing":    {[][3]string{{"s2:3", "enabled", "off"}, {"s2:3", "vlan", "77"}}, nil, "", ""},
	} {
		t.Run(name, func(t *testing.T) { tc.holds(t, proposal(t, nil)) })
	}
}

func proposal(t *testing.T, edits [][3]string) Proposal {
	t.Helper()
	var list []intent.Edit
	for _, e := range edits {
		edit, err := intent.New(ref(e[0]), e[1], e[2])
		require.NoError(t, err)
		list = append(list, edit)
	}
	p := Proposal{
		Before: before(), After: map[string]network.Config{}, Entries: []string{"e"},
		Links: []topology.Link{{A: ref("e:1"), B: ref("s1:1")}, {A: ref("s1:2"), B: ref("s2:1")}},
		Site:  map[string]string{"e": "here", "s1": "here", "s2": "here"}, EntryOf: map[string]string{"here": "e"},
	}
	for device, c := range p.Before {
		after, err := intent.Apply(device, c, list)
		require.NoError(t, err)
		p.After[device] = after
	}
	return p
}

func TestUnknownEntryIsSaid(t *testing.T) {
	p := proposal(t, [][3]string{{"s2:1", "trunk-vlans", "20,30"}})
	p.Entries, p.EntryOf = nil, map[string]string{}
	got := Check(p)
	require.Len(t, got, 1)
	assert.Equal(t, Note, got[0].Level)
	assert.Equal(t, "management-path:here", got[0].ID)
}

func TestBlocked(t *testing.T) {
	findings := []Finding{{ID: "a", Level: Stop}, {ID: "b", Level: Warn}, {ID: "c", Level: Warn}, {ID: "d", Level: Note}}
	ids := func(fs []Finding) (out []string) {
		for _, f := range fs {
			out = append(out, f.ID)
		}
		return out
	}
	assert.Equal(t, []string{"a", "b", "c"}, ids(Blocked(findings, nil)))
	assert.Equal(t, []string{"a", "c"}, ids(Blocked(findings, []string{"a", "b"})), "what stops cannot be accepted")
	assert.Empty(t, Blocked(findings[3:], nil))
}
