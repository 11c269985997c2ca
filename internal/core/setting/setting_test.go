package setting

import (
	"slices"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
)

// whole is a device that has everything.
func whole() network.Config {
	return network.Config{
		Features: Features(), VLANs: map[network.VLANID]network.VLAN{20: {ID: 20, Name: "office"}, 4094: {ID: 4094}},
		Ports:    map[string]network.PortConfig{"1": {Enabled: true, Mode: network.Access, AccessVLAN: 20, HasPoE: true, PoE: true, Combo: true}, "2": {Enabled: true, Mode: network.Trunk}, "wan": {}, "radio1": {Enabled: true, Band: "5"}, "radio9": {Enabled: true, Carrier: true}},
		Bundles:  map[string]network.PortConfig{"lag1": {Enabled: true, Mode: network.Trunk}, "lag2": {Enabled: true, Mode: network.Access}},
		Hostname: "th-sw-02", ManagementVLAN: 20, ManagementAddress: "10.2.20.12/24",
		Objects: map[string]network.Settings{"schedule/office": {}, "mirror/tap": {}, "acl/guests": {}, "class/5": {}, "member/2": {}, "pair/core": {}, "ring/dock": {}, "mst-instance/2": {}, "web-category/news": {}, "fabric/a": {}, "zone/cameras": {},
			"user/night": {}, "community/watch": {}, "snmp-user/watch": {}, "receiver/watch": {}, "input/1": {},
			"security-zone/guests": {}, "address/desks": {}, "service/web": {}, "policy/main": {}, "inspection/surf": {}, "gateway/20": {}, "route/annex": {}, "wlan/crew": {}, "passphrase/scanner": {}, "portal/landing": {}, "blocked/02-4c-53-20-00-07": {}, "tunnel/quay": {}, "steering/main": {}, "segment/cranes": {}, "bgp-peer/yard": {}, "limited/02-4c-53-20-00-07": {}},
		Services: map[string]bool{"web": true},
	}
}

// objectOf is one of a kind on the whole device.
func objectOf(k Kind, s string) string {
	switch {
	case k == OnPort && (s == "native-vlan" || s == "trunk-vlans"):
		return "2"
	case k == OnBundle && s == "vlan":
		return "lag2"
	case k == OnPort && (s == "channel" || s == "channel-width" || s == "radio-power"):
		return "radio1"
	case k == OnPort && IsOfRadioLink(s):
		return "radio9"
	case k == OnPort:
		return "1"
	}
	return map[Kind]string{OnDevice: "", OnBundle: "lag1", OnVLAN: "vlan/20", OnSchedule: "schedule/office", OnMirror: "mirror/tap", OnACL: "acl/guests",
		OnClass: "class/5", OnMember: "member/2", OnPair: "pair/core", OnRing: "ring/dock", OnInstance: "mst-instance/2", OnWebCategory: "web-category/news", OnFabric: "fabric/a", OnZone: "zone/cameras", OnUser: "user/night", OnCommunity: "community/watch",
		OnSNMPUser: "snmp-user/watch", OnReceiver: "receiver/watch", OnInput: "input/1",
		OnSecurityZone: "security-zone/guests", OnAddress: "address/desks", OnService: "service/web", OnPolicy: "policy/main", OnInspection: "inspection/surf", OnGateway: "gateway/20", OnRoute: "route/annex", OnWLAN: "wlan/crew", OnPassphrase: "passphrase/scanner", OnPortal: "portal/landing", OnBlocked: "blocked/02-4c-53-20-00-07", OnTunnel: "tunnel/quay", OnSteering: "steering/main", OnSegment: "segment/cranes", OnBGPPeer: "bgp-peer/yard", OnLimited: "limited/02-4c-53-20-00-07"}[k]
}

// examples are two values of a type, other than most defaults.
func examples(v Value) []string {
	switch v.Type {
	case Switch:
		return []string{"on", "off"}
	case Choice:
		return v.Choices
	case Number:
		return append([]string{strconv.Itoa(v.Min), strconv.Itoa(v.Max)}, v.Choices...)
	case VLAN:
		return append([]string{"20", "4094"}, v.Choices...)
	case VLANs:
		return []string{"20,30-40", "1"}
	case Secret:
		return []string{"secret:00112233445566778899aabb", ""}
	case Rate:
		return append([]string{"512k", "20M", "100G"}, v.Choices...)
	}
	return nil
}

func TestEverySettingIsCompleteAndKeepsWhatIsSet(t *testing.T) {
	seen := map[string]bool{}
	for _, s := range All() {
		for _, k := range s.On {
			t.Run(string(k)+" "+s.Name, func(t *testing.T) {
				assert.False(t, seen[string(k)+s.Name], "there are two of the name")
				seen[string(k)+s.Name] = true
				assert.NotEmpty(t, s.Title)
				assert.NotEmpty(t, s.Help)
				assert.NotEmpty(t, s.Group)
				assert.NotEmpty(t, s.Value.Form)
				if s.Default != "" {
					v, err := s.Value.Normal(s.Default)
					require.NoError(t, err)
					assert.Equal(t, s.Default, v, "the default is in normal form")
				}
				for _, text := range examples(s.Value) {
					v, err := s.Value.Normal(text)
					require.NoError(t, err)
					again, err := s.Value.Normal(v)
					require.NoError(t, err)
					assert.Equal(t, v, again, "a normal form is its own")
					if s.Name == Present || s.Name == "mode" {
						continue
					}
					c := whole()
					require.NoError(t, s.Set(&c, objectOf(k, s.Name), v))
					got, err := s.Get(c, objectOf(k, s.Name))
					require.NoError(t, err)
					assert.Equal(t, v, got)
					if s.Default != "" { // and back to the default leaves nothing behind
						require.NoError(t, s.Set(&c, objectOf(k, s.Name), s.Default))
						if s.get == nil {
							assert.True(t, whole().Equal(c))
						}
					}
				}
			})
		}
	}
}

func TestValues(t *testing.T) {
	for _, tc := range []struct {
		v         Value
		text, out string // "" for a fault
	}{
		{rate(), "20000k", "20M"}, {rate(), "1g", "1G"}, {rate(), "0.5M", "500k"}, {rate(), "64000", "64k"}, {rate(), "63k", ""}, {rate(), "1.2345M", ""}, {rate(), "fast", ""},
		{steps(0, 61440, 4096), "8192", "8192"}, {steps(0, 61440, 4096), "8000", ""},
		{number(1, 8, "").or("automatic"), "AUTOMATIC", "automatic"}, {number(1, 8, "").or("automatic"), "9", ""},
		{addresses(2), "10.1.1.1 10.1.1.2,10.1.1.1", "10.1.1.1,10.1.1.2"}, {addresses(2), "NONE", "none"}, {addresses(2), "", ""}, {addresses(1), "10.1.1.1,10.1.1.2", ""}, {addresses(1), "host", ""},
		{prefixes(4), "10.1.1.9/24, 10.2.0.1", "10.1.1.0/24,10.2.0.1/32"}, {prefixes(4), "10.1.1.0/40", ""},
		{ports(4), "1/1/25,1/1/26", "1/1/25,1/1/26"}, {ports(4), "a b;c", ""},
		{hours(), "Mon-Fri 6:00-19:00,sat 08:00-12:00", "mon-fri 06:00-19:00, sat 08:00-12:00"}, {hours(), "mon 19:00-06:00", ""}, {hours(), "someday 06:00-07:00", ""}, {hours(), "mon", ""}, {hours(), "mon 06:00-24:00", "mon 06:00-24:00"}, {hours(), "mon 06:00-24:30", ""},
		{interfaceAddress(), "10.2.10.12/24", "10.2.10.12/24"}, {interfaceAddress(), "10.2.10.0/24", ""}, {interfaceAddress(), "10.2.10.12", ""}, {interfaceAddress(), "224.0.0.1/24", ""},
		{named(OnACL), "guests", "guests"}, {named(OnACL), "Big Name", ""}, {named(OnACL), "None", "none"},
		{text(3), "abcd", ""}, {text(3), "a\x00b", ""}, {text(3), " ab ", "ab"},
		{choice("auto", "10M").caseless(), "10m", "10M"}, {choice("auto", "10M").caseless(), "20M", ""},
		{timeZone(), "Europe/London", "Europe/London"}, {timeZone(), "europe/london", "Europe/London"}, {timeZone(), "Mars", ""}, {timeZone(), "../etc/passwd", ""},
	} {
		got, err := tc.v.Normal(tc.text)
		if tc.out == "" {
			assert.Error(t, err, "%q", tc.text)
			continue
		}
		require.NoError(t, err, "%q", tc.text)
		assert.Equal(t, tc.out, got)
	}
}

func TestRules(t *testing.T) {
	for text, out := range map[string]string{
		"permit tcp from 10.20.40.7/24 to any port 443":            "permit tcp from 10.20.40.0/24 to any port 443",
		"DENY udp from any port 67-68 to 10.1.1.1":                 "deny udp from any port 67-68 to 10.1.1.1/32",
		"permit ip from any to any":                                "permit ip from any to any",
		"permit icmp from any port 1 to any":                       "",
		"permit tcp from any to any port 0":                        "",
		"permit tcp from any to any port 9-2":                      "",
		"permit gre from any to any":                               "",
		"allow tcp from any to any":                                "",
		"permit tcp from nowhere to any":                           "",
		"permit tcp from any to any loudly":                        "",
		"permit tcp from any":                                      "",
		"permit tcp from any to any port 70000 and something more": "",
	} {
		r, err := ParseRule(text)
		if out == "" {
			assert.Error(t, err, text)
			continue
		}
		require.NoError(t, err, text)
		assert.Equal(t, out, r.String())
	}
}

func TestObjectsAreMadeAndRemovedOnlyWhileNothingUsesThem(t *testing.T) {
	present := func(object string) *Setting {
		s, err := Lookup(KindOf(object), Present)
		require.NoError(t, err)
		return s
	}
	use := func(c *network.Config, port, name, value string) {
		s, err := Lookup(KindOf(port), name)
		require.NoError(t, err)
		require.NoError(t, s.Set(c, port, value))
	}
	for _, tc := range []struct {
		object, port, name, value, why string
	}{
		{"vlan/30", "1", "vlan", "30", "while ports are in it"},
		{"acl/gates", "1", "acl-in", "gates", "while 1 uses it"},
		{"schedule/night", "1", "schedule", "night", "while 1 uses it"},
		{"lag3", "2", "bundle", "lag3", "while ports are in it"},
	} {
		c := whole()
		require.NoError(t, present(tc.object).Set(&c, tc.object, "on"))
		assert.Contains(t, Objects(c), tc.object)
		use(&c, tc.port, tc.name, tc.value)
		assert.ErrorContains(t, present(tc.object).Set(&c, tc.object, "off"), tc.why)
		fresh := whole()
		require.NoError(t, present(tc.object).Set(&fresh, tc.object, "on"))
		require.NoError(t, present(tc.object).Set(&fresh, tc.object, "off"))
		assert.True(t, whole().Equal(fresh), tc.object)
	}
	c := whole()
	c.ManagementVLAN = 20
	c.Ports = nil
	assert.ErrorContains(t, present("vlan/20").Set(&c, "vlan/20", "off"), "managed in it")
}

func TestWhatADeviceCannotDoIsToldPlainly(t *testing.T) {
	c := whole()
	for port, names := range map[string][]string{"wan": {"mode", "vlan", "voice-vlan", "edge", "poe", "poe-class", "connector", "bundle"}, "2": {"vlan", "poe-priority", "connector"}, "9": {"description"}} {
		for _, name := range names {
			s, err := Lookup(OnPort, name)
			require.NoError(t, err)
			_, err = s.Get(c, port)
			assert.Error(t, err, "%s of %s", name, port)
			assert.Error(t, s.Set(&c, port, s.Default), "%s of %s", name, port)
		}
	}
	c.Features = slices.DeleteFunc(Features(), func(f network.Feature) bool { return f == StormLimits })
	s, err := Lookup(OnPort, "broadcast-limit")
	require.NoError(t, err)
	assert.ErrorContains(t, s.Set(&c, "1", "500"), "the device has no storm limits")
	s, err = Lookup(OnPort, "follow")
	require.NoError(t, err)
	assert.ErrorContains(t, s.Set(&c, "1", "2,1"), "cannot follow itself")
	_, err = Lookup(OnPort, "descripton")
	assert.ErrorContains(t, err, "did you mean description?")
	assert.ErrorIs(t, err, ErrUnknown)
}

func TestReadySetsCanBeSet(t *testing.T) {
	for _, ready := range ReadySets() {
		c := whole()
		assert.NotEmpty(t, ready.Title+ready.Help)
		for _, row := range ready.Rows {
			require.NoError(t, CheckObject(row.Object))
			names := []string{Present}
			for name := range row.Set {
				names = append(names, name)
			}
			for _, name := range names {
				s, err := Lookup(KindOf(row.Object), name)
				require.NoError(t, err)
				v, err := s.Value.Normal(row.Set[name])
				require.NoError(t, err)
				assert.Equal(t, row.Set[name], v, "%s of %s is in normal form", name, row.Object)
				require.NoError(t, s.Set(&c, row.Object, v))
			}
		}
	}
}

func TestObjectsAreNamedAsTheirKindsSay(t *testing.T) {
	for object, good := range map[string]bool{
		"class/0": true, "class/7": true, "class/8": false, "class/07": false, "class/-1": false, "class/x": false, "member/1": true, "member/0": false, "member/17": false,
		"input/16": true, "ring/dock": true, "ring/Dock": false, "mst-instance/0": false, "mst-instance/4094": true, "mst-instance/4095": false, "zone/": false, "user/night-shift": true, "vlan/4095": false, "vlan/40": true,
	} {
		assert.Equal(t, good, CheckObject(object) == nil, object)
	}
	for _, a := range Kinds() {
		assert.NotEmpty(t, a.Title)
		assert.NotEmpty(t, a.One)
		assert.NotEmpty(t, a.Form)
	}
}

func TestWhatIsUsedCannotBeRemoved(t *testing.T) {
	for object, use := range map[string]func(*network.Config){
		"acl/guests":      func(c *network.Config) { set(t, c, "vlan/20", "acl-in", "guests") },
		"schedule/office": func(c *network.Config) { set(t, c, "1", "schedule", "office") },
		"fabric/a":        func(c *network.Config) { set(t, c, "zone/cameras", "fabric", "a") },
		"community/watch": func(c *network.Config) { set(t, c, "receiver/watch", "community", "watch") },
	} {
		c := whole()
		present, err := Lookup(KindOf(object), Present)
		require.NoError(t, err)
		require.NoError(t, present.Set(&c, object, "off"), object)
		c = whole()
		use(&c)
		assert.ErrorContains(t, present.Set(&c, object, "off"), "cannot be removed while", object)
	}
}

func set(t *testing.T, c *network.Config, object, name, value string) {
	t.Helper()
	s, err := Lookup(KindOf(object), name)
	require.NoError(t, err)
	require.NoError(t, s.Set(c, object, value))
}

func TestASecretIsNeverQuoted(t *testing.T) {
	s, err := Lookup(OnUser, "password")
	require.NoError(t, err)
	_, err = s.Value.Normal("tide tables")
	require.ErrorIs(t, err, ErrSecret)
	assert.NotContains(t, err.Error(), "tide")
}

func TestEachKindIsDescribedWhole(t *testing.T) {
	t.Parallel()
	var sections []string
	for i, a := range Sections() {
		assert.NotEmpty(t, a.Title, a.Kind)
		assert.NotEmpty(t, a.One, a.Kind)
		assert.NotContains(t, sections, a.Section, "a section of its own")
		sections = append(sections, a.Section)
		if i > 0 {
			assert.Equal(t, a.Fixed, a.Form == "", "%s: how one is named that people make", a.Kind)
		}
		if !a.Plain {
			assert.Equal(t, a.Kind, KindOf(a.Object("1")), "it is known again by its name")
		}
	}
	assert.Equal(t, []string{"settings", "vlans", "bundles", "ports", "schedules", "mirrors", "access-lists", "traffic-classes"}, sections[:8], "files keep their order")
	assert.Equal(t, OnPort, KindOf("port/1"), "a port may be called so")
	assert.Len(t, Kinds(), len(sections)-2)
	assert.Equal(t, []string{"device", "vlans", "ports", "lists", "sign-in", "policy", "wireless", "steering", "segments"}, CopiedParts())
}
