package network

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestCheckName(t *testing.T) {
	for name, good := range map[string]bool{
		"th-sw-02": true, "a": true, "9": true, strings.Repeat("a", 63): true,
		"": false, "-a": false, "a-": false, "TH": false, "a b": false, "a.b": false, "é": false, strings.Repeat("a", 64): false,
	} {
		assert.Equal(t, good, CheckName(name) == nil, "%q", name)
	}
}

func TestPortRef(t *testing.T) {
	for text, want := range map[string]PortRef{"th-sw-02:1/1/7": {"th-sw-02", "1/1/7"}, "e:lan1": {"e", "lan1"}, "a:b.1": {"a", "b.1"}} {
		got, err := ParsePortRef(text)
		require.NoError(t, err)
		assert.Equal(t, want, got)
		assert.Equal(t, text, got.String())
	}
	for _, text := range []string{"", "th-sw-02", "th-sw-02:", ":1/1/7", "th sw:1", "a:1 2", "a:/1", "a:b:c", "a:" + strings.Repeat("1", 65)} {
		_, err := ParsePortRef(text)
		assert.Error(t, err, "%q", text)
	}
}

func TestComparePorts(t *testing.T) {
	want := []string{"1/1/1", "1/1/2", "1/1/10", "1/2/1", "2/1/1", "eth0", "eth2", "eth10", "lan1", "wan1"}
	got := slices.Clone(want)
	slices.Reverse(got)
	slices.SortFunc(got, ComparePorts)
	assert.Equal(t, want, got)
}

func TestComparePortsIsAnOrder(t *testing.T) {
	name := rapid.StringMatching(`[a-c0-9/]{0,6}`)
	rapid.Check(t, func(t *rapid.T) {
		a, b, c := name.Draw(t, "a"), name.Draw(t, "b"), name.Draw(t, "c")
		sign := func(n int) int { return max(-1, min(1, n)) }
		assert.Equal(t, sign(ComparePorts(a, b)), -sign(ComparePorts(b, a)))
		if ComparePorts(a, b) <= 0 && ComparePorts(b, c) <= 0 {
			assert.LessOrEqual(t, ComparePorts(a, c), 0, "%q %q %q", a, b, c)
		}
	})
}

func TestVLANSet(t *testing.T) {
	for text, want := range map[string]string{
		"": "", "10": "10", "10,20": "10,20", "20,10,10": "10,20", "1-3": "1-3", "1,2": "1,2", "1,2,3": "1-3", " 5 , 7-9 ": "5,7-9", "1-4094": "1-4094",
	} {
		set, err := ParseVLANSet(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, set.String())
	}
	for _, text := range []string{"0", "4095", "x", "3-1", "1-", "-1", "1-2-3", "1;2", "99999999999"} {
		_, err := ParseVLANSet(text)
		assert.Error(t, err, "%q", text)
	}
}

func TestVLANSetRoundTrip(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		ids := rapid.SliceOf(rapid.Custom(func(t *rapid.T) VLANID { return VLANID(rapid.IntRange(1, 4094).Draw(t, "id")) })).Draw(t, "ids")
		set := NewVLANSet(ids...)
		again, err := ParseVLANSet(set.String())
		require.NoError(t, err)
		assert.Equal(t, fmt.Sprint(set), fmt.Sprint(again))
		for _, id := range ids {
			assert.True(t, set.Has(id))
		}
	})
}

func TestPortCarries(t *testing.T) {
	access := PortConfig{Enabled: true, Mode: Access, AccessVLAN: 20, TrunkVLANs: VLANSet{30}}
	trunk := PortConfig{Enabled: true, Mode: Trunk, NativeVLAN: 10, TrunkVLANs: VLANSet{20, 30}}
	off := trunk
	off.Enabled = false
	for name, tc := range map[string]struct {
		port PortConfig
		vlan VLANID
		want bool
	}{
		"access, its own":            {access, 20, true},
		"access, left over tagged":   {access, 30, false},
		"trunk, tagged":              {trunk, 30, true},
		"trunk, native":              {trunk, 10, true},
		"trunk, another":             {trunk, 40, false},
		"trunk, off":                 {off, 30, false},
		"no VLAN":                    {access, 0, false},
		"not switched":               {PortConfig{Enabled: true}, 1, false},
		"trunk without native, none": {PortConfig{Enabled: true, Mode: Trunk}, 0, false},
	} {
		assert.Equal(t, tc.want, tc.port.Carries(tc.vlan), name)
	}
}

func TestPortHealth(t *testing.T) {
	on, off := PortConfig{Enabled: true}, PortConfig{}
	up, down := PortState{Oper: Up}, PortState{Oper: Down}
	for name, tc := range map[string]struct {
		config        PortConfig
		state         PortState
		known, wanted bool
		want          Health
	}{
		"up":                   {on, up, true, true, Well},
		"switched off":         {off, down, true, true, Off},
		"free":                 {on, down, true, false, Off},
		"lost":                 {on, down, true, true, HealthDown},
		"device away":          {on, up, false, true, HealthUnknown},
		"never told":           {on, PortState{}, true, true, HealthUnknown},
		"off, device away":     {off, up, false, true, Off},
		"cage without module":  {on, PortState{Oper: NotPresent}, true, false, Off},
		"module that was lost": {on, PortState{Oper: NotPresent}, true, true, HealthDown},
	} {
		assert.Equal(t, tc.want, PortHealth(tc.config, tc.state, tc.known, tc.wanted), name)
	}
}

func TestFaceShowsEveryPortOnce(t *testing.T) {
	for model := range models {
		var ports []string
		for _, b := range models[model] {
			for i := range b.count {
				ports = append(ports, fmt.Sprintf("%s%d", b.prefix, b.first+i))
			}
		}
		ports = append(ports, "extra1") // a port that the drawing does not have
		f := FaceOf(model, ports)
		places := map[[3]int]bool{}
		var shown []string
		for _, p := range f.Ports {
			assert.False(t, places[[3]int{p.Unit, p.Column, p.Row}], "%s: two ports at one place", model)
			places[[3]int{p.Unit, p.Column, p.Row}] = true
			shown = append(shown, p.Port)
		}
		assert.ElementsMatch(t, ports, shown, model)
	}
	assert.Len(t, FaceOf("nobody knows", []string{"b", "a"}).Ports, 2)
}

func TestConfigCloneIsDeep(t *testing.T) {
	c := Config{Ports: map[string]PortConfig{"1": {TrunkVLANs: VLANSet{1, 2}}}, VLANs: map[VLANID]VLAN{1: {ID: 1}}}
	d := c.Clone()
	require.True(t, c.Equal(d))
	d.Ports["1"].TrunkVLANs[0] = 9
	d.VLANs[2] = VLAN{ID: 2}
	assert.Equal(t, VLANID(1), c.Ports["1"].TrunkVLANs[0])
	assert.Len(t, c.VLANs, 1)
}

func TestRangesOfTargets(t *testing.T) {
	for text, want := range map[string][]string{
		"sw:1/1/7": {"sw:1/1/7"}, "sw:1/1/1-3": {"sw:1/1/1", "sw:1/1/2", "sw:1/1/3"}, "sw:lan1-2": {"sw:lan1", "sw:lan2"}, "sw:vlan/40-41": {"sw:vlan/40", "sw:vlan/41"},
		"sw-01": {"sw-01"}, "sw:schedule/day-1-2": {"sw:schedule/day-1-2"}, "template/desk:port": {"template/desk:port"}, "sw:lag1-2": {"sw:lag1", "sw:lag2"},
	} {
		got, err := ParseTargets(text)
		require.NoError(t, err, text)
		var names []string
		for _, ref := range got {
			names = append(names, ref.String())
		}
		assert.Equal(t, want, names, text)
	}
	for _, text := range []string{"sw:1/1/4-1", "sw:1/1/1-9999", "", ":"} {
		_, err := ParseTargets(text)
		assert.Error(t, err, text)
	}
}
