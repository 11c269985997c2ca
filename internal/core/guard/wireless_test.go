package guard

import (
	"fmt"
	"testing"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

const aSecret = "secret:00112233445566778899aabb"

// inTheAir is an access point at a switch that carries two of three VLANs to it, with two networks and stations.
func inTheAir() Proposal {
	up, far := network.PortRef{Device: "th-ap-01", Port: "eth0"}, network.PortRef{Device: "th-sw-01", Port: "1"}
	vlans := map[network.VLANID]network.VLAN{10: {ID: 10}, 20: {ID: 20}, 70: {ID: 70}, 80: {ID: 80}}
	return Proposal{
		Now: time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC), Kinds: map[string]network.Kind{"th-ap-01": network.AccessPoint}, Site: map[string]string{"th-ap-01": "tern-haven", "th-sw-01": "tern-haven", "kb-sw-01": "kelp-bay"},
		Links:   []topology.Link{{A: up, B: far}},
		Insides: map[string]network.Inside{"th-ap-01": {Stations: []network.Station{{MAC: "a", SSID: "Lantern Crew", Band: "5 GHz"}, {MAC: "b", SSID: "Lantern Crew", Band: "2.4 GHz"}, {MAC: "c", SSID: "Lantern Passengers", Band: "5 GHz"}}}},
		Before: map[string]network.Config{
			"th-ap-01": {Hostname: "th-ap-01", Features: []network.Feature{setting.Portals, setting.Wireless}, VLANs: vlans, Settings: network.Settings{"country": "GB"},
				Ports: map[string]network.PortConfig{"eth0": {Enabled: true, Mode: network.Trunk, NativeVLAN: 10, TrunkVLANs: network.VLANSet{20, 70, 80}}, "radio0": {Enabled: true, Band: "2.4"}, "radio1": {Enabled: true, Band: "5"}},
				Objects: map[string]network.Settings{
					"wlan/crew":          {"ssid": "Lantern Crew", "passphrase": aSecret, "wlan-vlan": "70"},
					"wlan/passengers":    {"ssid": "Lantern Passengers", "security": "open", "wlan-vlan": "80"},
					"passphrase/scanner": {"wlan": "crew", "passphrase": aSecret},
				}},
			"th-sw-01": {Hostname: "th-sw-01", VLANs: vlans, Ports: map[string]network.PortConfig{"1": {Enabled: true, Mode: network.Trunk, NativeVLAN: 10, TrunkVLANs: network.VLANSet{70, 80}}, "2": {Enabled: true, Mode: network.Access, AccessVLAN: 20}}},
			"kb-sw-01": {Hostname: "kb-sw-01", VLANs: vlans, Ports: map[string]network.PortConfig{"2": {Enabled: true, Mode: network.Access, AccessVLAN: 80}}},
		},
	}
}

// What was wrong before is not held against who changes something else there.
func TestWhatWasWrongInTheAirBeforeIsLeft(t *testing.T) {
	p := inTheAir()
	c := p.Before["th-ap-01"]
	c.Objects["wlan/half"] = network.Settings{}
	c.Objects["wlan/other"] = network.Settings{"ssid": "Other", "wlan-vlan": "20", "security": "open"}
	c.Objects["wlan/twin"] = network.Settings{"ssid": "Other", "security": "wpa3-enterprise", "wlan-vlan": "80"}
	c.Objects["passphrase/lost"] = network.Settings{"wlan": "nowhere"}
	c.Ports["radio1"] = network.PortConfig{Enabled: true, Band: "5", Settings: network.Settings{"channel": "149"}}
	p.Before["th-ap-01"] = c
	guardCase{edits: [][3]string{{"th-ap-01:wlan/passengers", "purpose", "whoever waits"}}}.holds(t, p, "wireless")
	guardCase{edits: [][3]string{{"th-ap-01:radio1", "radio-power", "20"}}, want: []string{"wireless:th-ap-01:radio1:channel", "wireless:th-ap-01:radio1:again"}, says: "channel 149"}.holds(t, p, "wireless")
}

func TestGuardsOfWireless(t *testing.T) {
	const ap = "th-ap-01:"
	made := func(name string, set ...string) [][3]string {
		out := [][3]string{{ap + "wlan/" + name, "present", "on"}, {ap + "wlan/" + name, "ssid", name}}
		for i := 0; i < len(set); i += 2 {
			out = append(out, [3]string{ap + "wlan/" + name, set[i], set[i+1]})
		}
		return out
	}
	id := func(object, part string) string { return "wireless:th-ap-01:" + object + ":" + part }
	var five [][3]string
	for _, name := range []string{"one", "two", "three"} {
		five = append(five, made(name, "security", "owe", "wlan-vlan", "80")...)
	}
	for name, tc := range map[string]guardCase{
		"nothing":                     {edits: [][3]string{{ap + "wlan/crew", "purpose", "handhelds"}}},
		"one more":                    {edits: made("pier", "security", "owe", "wlan-vlan", "80")},
		"no name":                     {edits: [][3]string{{ap + "wlan/pier", "present", "on"}, {ap + "wlan/pier", "security", "owe"}, {ap + "wlan/pier", "wlan-vlan", "80"}}, want: []string{id("wlan/pier", "ssid")}, says: "has no name in the air"},
		"the same name":               {edits: made("pier", "security", "owe", "wlan-vlan", "80", "ssid", "Lantern Crew"), want: []string{id("wlan/pier", "ssid")}, says: "have the same name in the air"},
		"no passphrase":               {edits: made("pier", "wlan-vlan", "70"), want: []string{id("wlan/pier", "passphrase")}, says: "asks for a passphrase, and has none"},
		"nobody to ask":               {edits: made("pier", "security", "wpa3-enterprise", "wlan-vlan", "70"), want: []string{id("wlan/pier", "radius")}, says: "asks a RADIUS server who may join, and has none"},
		"no secret":                   {edits: made("pier", "security", "wpa3-enterprise", "wlan-vlan", "70", "wlan-radius", "10.1.10.6"), want: []string{id("wlan/pier", "radius")}, says: "or no secret"},
		"not offered yet":             {edits: made("pier", "wlan-vlan", "70", "offered", "off")},
		"a VLAN that is not":          {edits: made("pier", "security", "owe", "wlan-vlan", "77"), want: []string{id("wlan/pier", "vlan")}, says: "VLAN 77, which it does not know"},
		"not on the uplink":           {edits: made("pier", "passphrase", aSecret, "wlan-vlan", "20"), want: []string{id("wlan/pier", "uplink")}, says: "VLAN 20, which th-sw-01:1 does not carry"},
		"the street inside":           {edits: [][3]string{{ap + "wlan/passengers", "wlan-vlan", "20"}, {"th-sw-01:1", "trunk-vlans", "20,70,80"}}, want: []string{id("wlan/passengers", "inside"), "wireless:th-ap-01:again"}, says: "VLAN 20, in which 1 ports of the site are"},
		"among the devices":           {edits: made("pier", "security", "open"), want: []string{id("wlan/pier", "inside")}, says: "the VLAN in which the access point itself is managed"},
		"many names":                  {edits: five, want: []string{id("radio0", "many"), id("radio1", "many")}, says: "would offer 5 networks on radio"},
		"in one band only":            {edits: append(five, [3]string{ap + "wlan/three", "bands", "5"}), want: []string{id("radio1", "many")}},
		"another passphrase":          {edits: [][3]string{{ap + "wlan/crew", "passphrase", "secret:ffeeddccbbaa998877665544"}}, want: []string{"wireless:th-ap-01:lost"}, says: "2 stations on th-ap-01 would lose Lantern Crew"},
		"taken off":                   {edits: [][3]string{{ap + "wlan/passengers", "present", "off"}}, want: []string{"wireless:th-ap-01:lost"}, says: "1 stations on th-ap-01 would lose Lantern Passengers"},
		"another VLAN":                {edits: [][3]string{{ap + "wlan/crew", "wlan-vlan", "80"}}, want: []string{"wireless:th-ap-01:again"}, says: "2 stations on th-ap-01 would have to join Lantern Crew again"},
		"opens nothing":               {edits: [][3]string{{ap + "passphrase/scanner", "wlan", "none"}}, want: []string{id("passphrase/scanner", "network")}, says: "opens no network"},
		"not asked for":               {edits: [][3]string{{ap + "passphrase/scanner", "wlan", "passengers"}}, want: []string{id("passphrase/scanner", "network")}, says: "which asks for none"},
		"an empty one":                {edits: [][3]string{{ap + "passphrase/scanner", "passphrase", ""}}, want: []string{id("passphrase/scanner", "passphrase")}, says: "is empty"},
		"against the rules":           {edits: [][3]string{{ap + "radio1", "channel", "149"}}, want: []string{id("radio1", "channel"), id("radio1", "again")}, says: "channel 149 of 5 GHz is not for wireless networks in GB"},
		"too loud":                    {edits: [][3]string{{ap + "radio0", "channel", "6"}, {ap + "radio0", "radio-power", "30"}}, want: []string{id("radio0", "channel"), id("radio0", "again")}, says: "30 dBm is louder"},
		"another country":             {edits: [][3]string{{ap + "radio1", "channel", "149"}, {"th-ap-01", "country", "US"}}, want: []string{id("radio1", "again")}, says: "2 stations at th-ap-01:radio1"},
		"6 GHz before WPA3":           {edits: [][3]string{{ap + "wlan/passengers", "bands", "6"}}, want: []string{id("wlan/passengers", "six"), "wireless:th-ap-01:again"}, says: "Network passengers of th-ap-01 would be offered nowhere: it is open, and for 6 GHz only"},
		"6 GHz besides":               {edits: [][3]string{{ap + "wlan/passengers", "bands", "5,6"}}, want: []string{id("wlan/passengers", "six"), "wireless:th-ap-01:again"}, says: "would not be offered at 6 GHz"},
		"6 GHz with WPA3":             {edits: [][3]string{{ap + "wlan/crew", "bands", "6"}}, want: []string{"wireless:th-ap-01:again"}},
		"the switch forgets":          {edits: [][3]string{{"th-ap-01:eth0", "trunk-vlans", "20,70"}}, want: []string{id("wlan/passengers", "uplink")}, says: "which th-ap-01:eth0 does not carry"},
		"a portal that is not there":  {edits: [][3]string{{ap + "wlan/passengers", "portal", "landing"}}, want: []string{id("wlan/passengers", "portal")}, says: "portal landing, of which no address or no key is known there"},
		"a portal holds who is there": {edits: [][3]string{{ap + "portal/landing", "present", "on"}, {ap + "portal/landing", "portal-address", "https://guests.lantern.example/landing"}, {ap + "portal/landing", "portal-key", "secret:aabbccddeeff001122334455"}, {ap + "wlan/passengers", "portal", "landing"}}, want: []string{id("wlan/passengers", "held")}, says: "1 stations of Lantern Passengers on th-ap-01"},
		"a further one's own":         {edits: [][3]string{{ap + "passphrase/scanner", "wlan-vlan", "20"}}, want: []string{id("passphrase/scanner", "uplink")}, says: "Stations of scanner on th-ap-01"},
	} {
		t.Run(name, func(t *testing.T) { tc.holds(t, inTheAir(), "wireless") }) // what is said of the VLANs besides is for others
	}
}

// A network of the access point's own must have room for who is there, and stand for nothing else in the house.
func TestGuardOfNetworksOfAnAccessPoint(t *testing.T) {
	const on = "th-ap-01:wlan/passengers"
	p := inTheAir()
	c := p.Before["th-ap-01"]
	c.Features = []network.Feature{setting.Portals, setting.StationNetworks, setting.Wireless}
	p.Before["th-ap-01"] = c
	in := p.Insides["th-ap-01"]
	for i := range 7 {
		in.Stations = append(in.Stations, network.Station{MAC: fmt.Sprintf("02:a1:60:00:00:%02x", i), SSID: "Lantern Passengers"})
	}
	p.Insides["th-ap-01"] = in
	p.Before["th-edge-01"] = network.Config{Features: []network.Feature{setting.Routing}, VLANs: map[network.VLANID]network.VLAN{20: {ID: 20}},
		Objects: map[string]network.Settings{"gateway/20": {"gateway-address": "10.2.20.1/24"}}}
	guardCase{edits: [][3]string{{on, "station-network", "192.168.80.1/24"}}, want: []string{"wireless:th-ap-01:again"}, says: "would have to join Lantern Passengers again"}.holds(t, p, "wireless")
	guardCase{edits: [][3]string{{on, "station-network", "192.168.80.1/29"}}, want: []string{"wireless:" + on + ":room", "wireless:th-ap-01:again"},
		says: "192.168.80.0/29 has room for 5 stations of network passengers on th-ap-01, and"}.holds(t, p, "wireless")
	guardCase{edits: [][3]string{{on, "station-network", "10.2.20.129/25"}}, want: []string{"wireless:" + on + ":overlaps", "wireless:th-ap-01:again"},
		says: "10.2.20.128/25 of network passengers on th-ap-01 is also in use in VLAN 20 of th-edge-01."}.holds(t, p, "wireless")
}
