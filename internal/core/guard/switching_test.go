package guard

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

// The network of these tests: edge e and below it the ring of s1, s2 and s3, where s1 and s3 are joined by two bundled
// cables; an access point and a camera on s2. s1 is the root.
func ring() Proposal {
	vlans := map[network.VLANID]network.VLAN{10: {ID: 10, Name: "management"}, 20: {ID: 20, Name: "office"}}
	trunk := network.PortConfig{Enabled: true, Mode: network.Trunk, TrunkVLANs: network.VLANSet{10, 20}}
	member := trunk
	member.LAG = "lag1"
	fed := network.PortConfig{Enabled: true, Mode: network.Access, AccessVLAN: 20, HasPoE: true, PoE: true}
	free, camera := fed, fed
	free.Enabled, camera.Description = false, "Camera"
	ap := trunk
	ap.HasPoE, ap.PoE = true, true
	sw := func(priority string, ports map[string]network.PortConfig) network.Config {
		return network.Config{ManagementVLAN: 10, VLANs: vlans, Ports: ports, Features: setting.Features(), Settings: network.Settings{"stp": "rapid", "stp-priority": priority}}
	}
	s1 := sw("4096", map[string]network.PortConfig{"1": trunk, "2": trunk, "5": member, "6": member})
	s3 := sw("8192", map[string]network.PortConfig{"2": trunk, "5": member, "6": member})
	s1.Bundles, s3.Bundles = map[string]network.PortConfig{"lag1": trunk}, map[string]network.PortConfig{"lag1": trunk}
	p := Proposal{
		Before: map[string]network.Config{
			"e": {ManagementVLAN: 10, VLANs: vlans, Ports: map[string]network.PortConfig{"1": trunk}}, "s1": s1, "s3": s3,
			"s2": sw("12288", map[string]network.PortConfig{"1": trunk, "2": trunk, "3": ap, "4": camera, "7": free, "8": free, "9": free}),
			"ap": {ManagementVLAN: 10, VLANs: vlans, Ports: map[string]network.PortConfig{"0": trunk}},
		},
		Links: []topology.Link{{A: ref("e:1"), B: ref("s1:1")}, {A: ref("s1:2"), B: ref("s2:1")}, {A: ref("s2:2"), B: ref("s3:2")}, {A: ref("s1:5"), B: ref("s3:5")},
			{A: ref("s1:6"), B: ref("s3:6")}, {A: ref("ap:0"), B: ref("s2:3")}},
		Entries: []string{"e"}, Site: map[string]string{}, EntryOf: map[string]string{"": "e"},
		Kinds: map[string]network.Kind{"ap": network.AccessPoint, "s1": network.Switch, "s2": network.Switch, "s3": network.Switch}, Tags: map[string][]string{"s3": {"critical"}},
		States: map[string]network.State{"s2": {Power: &network.Power{BudgetMilliW: 40_000, UsedMilliW: 20_000},
			Ports: map[string]network.PortState{"3": {Oper: network.Up, PoEMilliW: 12_000}, "4": {Oper: network.Up, PoEMilliW: 8000}}}},
		From: map[string]netip.Addr{"s2": netip.MustParseAddr("10.1.1.9")},
	}
	for name, c := range p.Before {
		c.Hostname = name
		p.Before[name] = c
	}
	return p
}

func TestGuardsOfSwitching(t *testing.T) {
	for name, tc := range map[string]guardCase{
		"both ends at one speed": {[][3]string{{"s1:2", "speed", "1G"}, {"s2:1", "speed", "1G"}}, nil, "", ""},
		"one end fixed":          {[][3]string{{"s1:2", "speed", "1G"}}, nil, "", ""},
		"two speeds": {[][3]string{{"s1:2", "speed", "1G"}, {"s2:1", "speed", "10G"}}, []string{"link-ends:s1:2:speed"},
			"On the link from s1:2 to s2:1, the ends are fixed to different speeds, 1G and 10G.", "s2:1 speed=1G"},
		"a schedule that is not there": {[][3]string{{"s2:4", "schedule", "nope"}}, []string{"reference:s2:4:schedule"},
			"schedule=nope of s2:4 names a schedule that s2 does not have.", ""},
		"an access list that is not there": {[][3]string{{"s2:4", "acl-in", "nolist"}}, []string{"reference:s2:4:acl-in"},
			"acl-in=nolist of s2:4 names an access list that s2 does not have.", ""},
		"a schedule that is made with it": {[][3]string{{"s2:schedule/day", "present", "on"}, {"s2:schedule/day", "hours", "mon-sun 00:00-24:00"}, {"s2:4", "schedule", "day"}}, nil, "", ""},
		"a bundle to two devices": {[][3]string{{"s1:2", "bundle", "lag1"}}, []string{"link-ends:s1:2:bundle", "bundle:s1:lag1:ends"},
			"one end bundles the port with LACP and the other does not", ""},
		"a bundle to two devices, bundled at each": {[][3]string{{"s2:lag4", "present", "on"}, {"s2:lag4", "mode", "trunk"}, {"s2:lag4", "trunk-vlans", "10,20"}, {"s2:1", "bundle", "lag4"}, {"s1:2", "bundle", "lag1"}}, []string{"bundle:s1:lag1:ends"},
			"The ports of s1:lag1 would lead to 2 different ends: 5, 6 to lag1 of s3; 2 to lag4 of s2.", ""},
		"a bundle to two bundles of one device": {[][3]string{{"s3:lag9", "present", "on"}, {"s3:6", "bundle", "none"}, {"s3:6", "bundle", "lag9"}}, []string{"bundle:s1:lag1:ends"},
			"5 to lag1 of s3; 6 to lag9 of s3", ""},
		"duplex at one end":  {[][3]string{{"s1:2", "duplex", "full"}}, []string{"link-ends:s1:2:duplex"}, "one end has its duplex fixed", "s2:1 duplex=full"},
		"MTU at one end":     {[][3]string{{"s2:1", "mtu", "9000"}}, []string{"link-ends:s1:2:mtu"}, "the larger ones get lost", "s1:2 mtu=9000"},
		"MTU at both ends":   {[][3]string{{"s2:1", "mtu", "9000"}, {"s1:2", "mtu", "9000"}}, nil, "", ""},
		"native at one end":  {[][3]string{{"s2:1", "native-vlan", "20"}}, []string{"link-ends:s1:2:native-vlan"}, "in VLAN none at one end and in 20 at the other", "s1:2 native-vlan=20"},
		"a VLAN at one end":  {[][3]string{{"s1:vlan/30", "present", "on"}, {"s2:vlan/30", "present", "on"}, {"s1:2", "trunk-vlans", "10,20,30"}}, []string{"link-ends:s1:2:trunk-vlans"}, "one end would carry VLAN 30 and the other not", "s2:1 trunk-vlans=10,20,30"},
		"a port of no link":  {[][3]string{{"s2:4", "speed", "100M"}, {"s2:4", "mtu", "9000"}}, nil, "", ""},
		"LACP at one end":    {[][3]string{{"s2:lag1", "present", "on"}, {"s2:lag1", "trunk-vlans", "10,20"}, {"s2:1", "bundle", "lag1"}}, []string{"link-ends:s1:2:bundle"}, "one end bundles the port with LACP", ""},
		"static at one end":  {[][3]string{{"s1:lag1", "protocol", "static"}}, []string{"link-ends:s1:5:protocol", "link-ends:s1:6:protocol"}, "do not come together", "s3:lag1 protocol=static"},
		"passive at one end": {[][3]string{{"s1:lag1", "protocol", "lacp-passive"}}, nil, "", ""},
		"passive at both":    {[][3]string{{"s1:lag1", "protocol", "lacp-passive"}, {"s3:lag1", "protocol", "lacp-passive"}}, []string{"link-ends:s1:5:protocol", "link-ends:s1:6:protocol"}, "both ends wait", "s3:lag1 protocol=lacp-active"},

		"a bundle without ports":      {[][3]string{{"s2:lag1", "present", "on"}}, []string{"bundle:s2:lag1:empty"}, "s2:lag1 has no ports.", ""},
		"a bundle that asks for more": {[][3]string{{"s1:lag1", "min-links", "3"}}, []string{"bundle:s1:lag1:least"}, "needs 3 links and has 2 ports", "s1:lag1 min-links=2"},
		"unlike ports of a bundle":    {[][3]string{{"s1:5", "speed", "1G"}}, []string{"bundle:s1:lag1:speed"}, "1G on 5, as usual on 6", ""},

		"the port of an access point": {[][3]string{{"s2:3", "enabled", "off"}}, []string{"management-path:ap", "feeds:s2:3"}, "ap could not be reached any more", "s2:3 enabled=on"},
		"its power":                   {[][3]string{{"s2:3", "poe", "off"}}, []string{"feeds:s2:3"}, "would give no more power", "s2:3 poe=on"},
		"its hours":                   {[][3]string{{"s2:schedule/day", "present", "on"}, {"s2:schedule/day", "hours", "mon-fri 06:00-19:00"}, {"s2:3", "schedule", "day"}}, []string{"management-path:ap", "feeds:s2:3"}, "ap could not be reached any more", "s2:3 schedule=none"},
		"what is tagged critical":     {[][3]string{{"s1:5", "enabled", "off"}}, []string{"feeds:s1:5"}, "which is tagged critical", "s1:5 enabled=on"},
		"the port of a camera":        {[][3]string{{"s2:4", "enabled", "off"}}, nil, "", ""},

		"power for one more":          {[][3]string{{"s2:7", "enabled", "on"}}, nil, "", ""},
		"power for too many":          {[][3]string{{"s2:7", "enabled", "on"}, {"s2:8", "enabled", "on"}}, []string{"power-budget:s2"}, "s2 could be asked for 50.8 W and has 40.0 W: s2:8 would have none.", ""},
		"who matters keeps it":        {[][3]string{{"s2:7", "enabled", "on"}, {"s2:8", "enabled", "on"}, {"s2:8", "poe-priority", "critical"}}, []string{"power-budget:s2"}, "s2:7 would have none", ""},
		"a lower class needs less":    {[][3]string{{"s2:7", "enabled", "on"}, {"s2:8", "enabled", "on"}, {"s2:8", "poe-class", "1"}}, nil, "", ""},
		"power without a known limit": {[][3]string{{"s1:1", "description", "x"}}, nil, "", ""},

		"a new root":               {[][3]string{{"s2", "stp-priority", "0"}}, []string{"spanning-tree-root:s1"}, "would move from s1 to s2", "s2 stp-priority=12288"},
		"the root steps back":      {[][3]string{{"s1", "stp-priority", "61440"}}, []string{"spanning-tree-root:s1"}, "would move from s1 to s3", "s1 stp-priority=4096"},
		"another order below":      {[][3]string{{"s2", "stp-priority", "8192"}}, nil, "", ""},
		"no tree on the ring":      {[][3]string{{"s2", "stp", "off"}}, []string{"spanning-tree-loop:s2"}, "s2 is on a loop of links", "s2 stp=rapid"},
		"no tree where no loop is": {[][3]string{{"s2:2", "enabled", "off"}, {"s2", "stp", "off"}}, nil, "", ""},

		"a mirror to a free port": {[][3]string{{"s2:mirror/tap", "present", "on"}, {"s2:mirror/tap", "sources", "4"}, {"s2:mirror/tap", "to", "7"}}, nil, "", ""},
		"a mirror onto a link":    {[][3]string{{"s2:mirror/tap", "present", "on"}, {"s2:mirror/tap", "sources", "4"}, {"s2:mirror/tap", "to", "2"}}, []string{"mirror:s2:2"}, "would go to s2:2, which is in use. s3 is behind it.", ""},
		"a mirror onto a camera":  {[][3]string{{"s2:mirror/tap", "present", "on"}, {"s2:mirror/tap", "sources", "3"}, {"s2:mirror/tap", "to", "4"}}, []string{"mirror:s2:4"}, `Something is plugged in: "Camera".`, ""},
		"a mirror into a bundle":  {[][3]string{{"s1:mirror/tap", "present", "on"}, {"s1:mirror/tap", "sources", "2"}, {"s1:mirror/tap", "to", "5"}}, []string{"mirror:s1:5"}, "s3 is behind it", ""},

		"rules that all count": {[][3]string{{"s2:acl/a", "present", "on"}, {"s2:acl/a", "rules", "deny ip from 10.2.0.0/16 to any\npermit ip from any to any"}}, nil, "", ""},
		"a shadowed rule":      {[][3]string{{"s2:acl/a", "present", "on"}, {"s2:acl/a", "rules", "deny ip from 10.2.0.0/16 to any\npermit tcp from 10.2.3.0/24 to any port 443"}}, []string{"access-list:s2:acl/a:20"}, "is shadowed: rule 10", "s2:acl/a rules/20="},
		"a redundant rule":     {[][3]string{{"s2:acl/a", "present", "on"}, {"s2:acl/a", "rules", "deny tcp from any to any port 20-30\ndeny tcp from any to any port 22"}}, []string{"access-list:s2:acl/a:20"}, "is redundant", ""},
		"a list for everybody": {[][3]string{{"s2:acl/a", "present", "on"}, {"s2:acl/a", "rules", "permit ip from any to any"}}, []string{"access-list:s2:acl/a:all"}, "lets everybody reach everything", ""},

		"management from here":            {[][3]string{{"s2", "management-from", "10.1.0.0/16"}}, nil, "", ""},
		"management from elsewhere":       {[][3]string{{"s2", "management-from", "10.7.0.0/16"}}, []string{"management-from:s2"}, "the service comes from 10.1.1.9", "s2 management-from=10.7.0.0/16,10.1.1.9/32"},
		"management from who knows where": {[][3]string{{"s3", "management-from", "10.7.0.0/16"}}, []string{"management-from:s3"}, "it is not known from where", ""},
	} {
		t.Run(name, func(t *testing.T) { tc.holds(t, ring()) })
	}
}

func after(t *testing.T, before map[string]network.Config, edits []intent.Edit) map[string]network.Config {
	t.Helper()
	out := map[string]network.Config{}
	for device, c := range before {
		var err error
		out[device], err = intent.Apply(device, c, edits)
		require.NoError(t, err)
	}
	return out
}
