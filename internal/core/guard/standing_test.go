package guard

import (
	"fmt"
	"testing"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// storage is the network of the other tests, with a storage switch st (two hosts and an array, of which one host sees the
// array), a pair of s1 and s3, and s2 with a port of its own for management.
func storage() Proposal {
	p := ring()
	cage := network.PortConfig{Enabled: true, Mode: network.Access, AccessVLAN: 20}
	p.Before["st"] = network.Config{
		Hostname: "st", Features: setting.Features(), VLANs: map[network.VLANID]network.VLAN{20: {ID: 20}},
		Ports: map[string]network.PortConfig{"1": cage, "2": cage, "3": cage, "mgmt0": {Enabled: true}, "wan": {Enabled: true}},
		Objects: map[string]network.Settings{
			"fabric/a": {"fabric-ports": "1,2,3"}, "zone/booking": {"fabric": "a", "zone-ports": "1,3"}, "user/fleet": {"role": "administrator"},
		},
	}
	p.Insides = map[string]network.Inside{"st": {Logins: []network.StorageLogin{
		{Port: "1", Name: "host-booking-1", Kind: "host", Sees: []string{"3"}}, {Port: "2", Name: "host-payroll-2", Kind: "host"}, {Port: "3", Name: "array-1", Kind: "storage", Sees: []string{"1"}}}}}
	p.SignsInAs = map[string]string{"st": "fleet"}
	for i, name := range []string{"s1", "s2", "s3"} {
		c := p.Before[name]
		c.ManagementInterface, c.ManagementAddress = "vlan10", fmt.Sprintf("10.1.10.%d/24", i+1)
		p.Before[name] = c
	}
	return p
}

func TestChangesAreMadeInTheirHours(t *testing.T) {
	edit := [][3]string{{"s2:4", "description", "x"}}
	night := Window{Rule: "ships", Devices: []string{"s1", "s2", "s3", "e"}, Hours: "sat 01:00-05:00 Europe/London"}
	for name, tc := range map[string]struct {
		open bool
		guardCase
	}{
		"in them":        {true, guardCase{edit, nil, "", ""}},
		"outside of one": {false, guardCase{edit, []string{"change-window:ships"}, "outside of the hours in which changes of s1, s2 and 2 more are made (sat 01:00-05:00 Europe/London)", ""}},
	} {
		t.Run(name, func(t *testing.T) {
			p := ring()
			w := night
			w.Open = tc.open
			p.Windows = []Window{w}
			tc.holds(t, p)
		})
	}
}

func TestGuardsOfWhatStandsIn(t *testing.T) {
	ringOf := func(object, role, ports string) [][3]string {
		return [][3]string{{object, "present", "on"}, {object, "ring-role", role}, {object, "ring-ports", ports}}
	}
	rings := func(parts ...[][3]string) (out [][3]string) {
		for _, p := range parts {
			out = append(out, p...)
		}
		return out
	}
	pair := func(device, name, bundle string) [][3]string {
		return [][3]string{{device + ":pair/" + name, "present", "on"}, {device + ":pair/" + name, "peer-bundle", bundle}}
	}
	for name, tc := range map[string]guardCase{
		"a ring of three": {rings(ringOf("s1:ring/dock", "manager", "2,5"), ringOf("s2:ring/dock", "client", "1,2"), ringOf("s3:ring/dock", "client", "2,5")), nil, "", ""},
		"nobody manages": {rings(ringOf("s1:ring/dock", "client", "2,5"), ringOf("s2:ring/dock", "client", "1,2"), ringOf("s3:ring/dock", "client", "2,5")), []string{"ring:dock:manager"},
			"Nobody would manage ring dock.", "s1:ring/dock ring-role=manager"},
		"two manage": {rings(ringOf("s1:ring/dock", "manager", "2,5"), ringOf("s2:ring/dock", "manager", "1,2"), ringOf("s3:ring/dock", "client", "2,5")), []string{"ring:dock:managers"},
			"would have 2 managers: s1 and s2.", "s2:ring/dock ring-role=client"},
		"candidates choose": {rings(ringOf("s1:ring/dock", "candidate", "2,5"), ringOf("s2:ring/dock", "candidate", "1,2"), ringOf("s3:ring/dock", "client", "2,5")), nil, "", ""},
		"one port only":     {ringOf("s1:ring/dock", "manager", "2"), []string{"ring:dock:s1"}, "s1 would be in ring dock by 1 ports.", ""},
		"a ring with a gap": {rings(ringOf("s1:ring/dock", "manager", "2,1"), ringOf("s2:ring/dock", "client", "1,2")), []string{"ring:dock:open"}, "the cables between its ports are 1, and 2 would close it", ""},

		"a pair":                   {append(pair("s1", "core", "lag1"), pair("s3", "core", "lag1")...), nil, "", ""},
		"a pair of one":            {pair("s1", "core", "lag1"), []string{"pair:core:alone"}, "s1 would be alone in the pair core.", ""},
		"a pair without a bundle":  {append(pair("s1", "core", "lag7"), pair("s3", "core", "lag1")...), []string{"pair:s1:pair/core:bundle", "pair:core:apart"}, "names lag7 as the bundle to the other, which it has not", ""},
		"a pair that is too large": {append(append(pair("s1", "core", "lag1"), pair("s3", "core", "lag1")...), append(pair("s2", "core", "lag1"), [3]string{"s2:lag1", "present", "on"})...), []string{"pair:core:many", "bundle:s2:lag1:empty"}, "3 switches would be in the pair core", ""},

		"a zone": {[][3]string{{"st:zone/payroll", "present", "on"}, {"st:zone/payroll", "fabric", "a"}, {"st:zone/payroll", "zone-ports", "2,3"}}, nil, "", ""},
		"a zone of a strange port": {[][3]string{{"st:zone/payroll", "present", "on"}, {"st:zone/payroll", "fabric", "a"}, {"st:zone/payroll", "zone-ports", "2,3,wan"}}, []string{"zone:st:zone/payroll:ports"},
			"names wan, not of its fabric a", "st:zone/payroll zone-ports=2,3"},
		"a zone of no fabric":    {[][3]string{{"st:zone/payroll", "present", "on"}, {"st:zone/payroll", "zone-ports", "2,3"}}, []string{"zone:st:zone/payroll:fabric"}, "is in no fabric that the switch has", ""},
		"a zone of one":          {[][3]string{{"st:zone/payroll", "present", "on"}, {"st:zone/payroll", "fabric", "a"}, {"st:zone/payroll", "zone-ports", "2"}}, []string{"zone:st:zone/payroll:one"}, "names one port only", ""},
		"a host loses its disks": {[][3]string{{"st:zone/booking", "active", "off"}}, []string{"zone:st:1:3:sight"}, "host-booking-1 (st:1) would no longer see array-1 (3), which it uses.", ""},
		"another zone keeps it":  {[][3]string{{"st:zone/booking", "active", "off"}, {"st:zone/b", "present", "on"}, {"st:zone/b", "fabric", "a"}, {"st:zone/b", "zone-ports", "1,3"}}, nil, "", ""},
		"a port in two fabrics":  {[][3]string{{"st:fabric/b", "present", "on"}, {"st:fabric/b", "fabric-ports", "2"}}, []string{"zone:st:2:fabrics"}, "st:2 would be in two fabrics, a and b.", ""},

		"a VRF for management":           {[][3]string{{"st", "management-port", "mgmt0"}, {"st", "management-vrf", "own"}}, nil, "", ""},
		"a VRF without a port":           {[][3]string{{"st", "management-vrf", "own"}}, []string{"management-vrf:st"}, "without a port of its own", "st management-vrf=none"},
		"somebody else in it":            {[][3]string{{"st", "management-port", "mgmt0"}, {"st", "management-vrf", "own"}, {"st:wan", "vrf", "own"}}, []string{"management-vrf:st:wan"}, "st:wan would be in VRF own, which is that of the management.", "st:wan vrf=none"},
		"somebody else in another":       {[][3]string{{"st", "management-port", "mgmt0"}, {"st", "management-vrf", "own"}, {"st:wan", "vrf", "outside"}}, nil, "", ""},
		"managed in another VLAN":        {[][3]string{{"s2", "management-vlan", "20"}}, []string{"management-path:s2"}, "s2 could not be reached any more: it would be managed in VLAN 20", "s2 management-vlan=10"},
		"managed on a port of its own":   {[][3]string{{"s2", "management-port", "9"}}, []string{"management-path:s2"}, "it would be managed on its port 9", "s2 management-port=none"},
		"an address of its own":          {[][3]string{{"s2", "management-address", "10.1.10.40/24"}}, nil, "", ""},
		"the address of another":         {[][3]string{{"s2", "management-address", "10.1.10.1/24"}}, []string{"management-address:s2"}, "s2 would have the address 10.1.10.1, as s1 has.", "s2 management-address=10.1.10.2/24"},
		"an address of elsewhere":        {[][3]string{{"s2", "management-address", "10.9.10.2/24"}}, []string{"management-address:s2:network"}, "s2 would have the address 10.9.10.2/24 among others of 10.1.10.0/24.", "s2 management-address=10.1.10.2/24"},
		"managed from other VLANs":       {[][3]string{{"s2", "management-in", "20"}}, []string{"management-from:s2:vlan"}, "from VLAN 20 only, and is managed in VLAN 10", "s2 management-in=10,20"},
		"managed from its own and more":  {[][3]string{{"s2", "management-in", "10,20"}}, nil, "", ""},
		"RADIUS with servers":            {[][3]string{{"s2", "sign-in", "radius"}, {"s2", "sign-in-servers", "10.1.1.5"}}, nil, "", ""},
		"RADIUS without servers":         {[][3]string{{"s2", "sign-in", "radius"}}, []string{"sign-in:s2:servers"}, "knows none", "s2 sign-in=local"},
		"a user of the device":           {[][3]string{{"st:user/night", "present", "on"}, {"st:user/night", "role", "operator"}}, nil, "", ""},
		"the service's own user":         {[][3]string{{"st:user/fleet", "present", "off"}}, []string{"sign-in:st:service"}, "This service signs in as fleet, and user fleet of st would be removed.", ""},
		"the role of the service's user": {[][3]string{{"st:user/fleet", "role", "viewer"}}, []string{"sign-in:st:service"}, "the role and password of fleet on st would change", ""},
		"two of one name":                {[][3]string{{"s2", "hostname", "s1"}}, []string{"host-name:s2"}, "s2 would call itself s1, as s1 does.", "s2 hostname=s2"},
		"a name of its own":              {[][3]string{{"s2", "hostname", "quay"}}, nil, "", ""},

		"a community that reads":   {[][3]string{{"s2:community/watch", "present", "on"}}, nil, "", ""},
		"one that sets":            {[][3]string{{"s2:community/watch", "present", "on"}, {"s2:community/watch", "access", "read-write"}}, []string{"snmp:s2:community/watch"}, "could set things on s2, from anywhere", "s2:community/watch access=read"},
		"one that sets from here":  {[][3]string{{"s2:community/watch", "present", "on"}, {"s2:community/watch", "access", "read-write"}, {"s2:community/watch", "from", "10.1.10.0/24"}}, nil, "", ""},
		"a user without secrets":   {[][3]string{{"s2:snmp-user/watch", "present", "on"}, {"s2:snmp-user/watch", "privacy", "none"}}, []string{"snmp:s2:snmp-user/watch:auth"}, "has authentication and no secret for it", ""},
		"a receiver of nothing":    {[][3]string{{"s2:receiver/watch", "present", "on"}}, nil, "", ""},
		"a receiver that is not":   {[][3]string{{"s2:receiver/watch", "present", "on"}, {"s2:receiver/watch", "severity", "major"}}, []string{"snmp:s2:receiver/watch"}, "it is not said where", ""},
		"classes apart":            {[][3]string{{"s2:class/5", "present", "on"}, {"s2:class/5", "class-dscp", "46"}, {"s2:class/4", "present", "on"}, {"s2:class/4", "class-dscp", "34"}}, nil, "", ""},
		"a code point in two":      {[][3]string{{"s2:class/5", "present", "on"}, {"s2:class/5", "class-dscp", "46"}, {"s2:class/4", "present", "on"}, {"s2:class/4", "class-dscp", "34,46"}}, []string{"class:s2:class/5:46"}, "DSCP 46 would be in classes 4 and 5 of s2.", ""},
		"a code point that stands": {[][3]string{{"s2:class/5", "present", "on"}}, nil, "", ""},
	} {
		t.Run(name, func(t *testing.T) { tc.holds(t, storage()) })
	}
}
