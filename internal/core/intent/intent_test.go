package intent

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

func sample() network.Config {
	return network.Config{Ports: map[string]network.PortConfig{
		"1": {Enabled: true, Mode: network.Access, AccessVLAN: 20, HasPoE: true, PoE: true, Description: "desk"},
		"2": {Enabled: true, Mode: network.Trunk, NativeVLAN: 10, TrunkVLANs: network.VLANSet{20, 30}},
		"3": {Enabled: true},
	}}
}

func ref(port string) network.PortRef { return network.PortRef{Device: "sw", Port: port} }

func mustNew(t *testing.T, port, field, value string) Edit {
	t.Helper()
	e, err := New(ref(port), field, value)
	require.NoError(t, err)
	return e
}

func TestNewBringsValuesToTheirNormalForm(t *testing.T) {
	for _, tc := range [][3]string{
		{"enabled", " TRUE ", "on"}, {"poe", "no", "off"}, {"vlan", "040", "40"}, {"mode", "Trunk", "trunk"},
		{"native-vlan", "NONE", "none"}, {"trunk-vlans", "30,20,21,22", "20-22,30"}, {"trunk-vlans", "None", "none"}, {"description", "  a b ", "a b"},
	} {
		assert.Equal(t, tc[2], mustNew(t, "1", tc[0], tc[1]).Value, "%v", tc)
	}
	for _, tc := range [][2]string{
		{"enabled", "maybe"}, {"vlan", ""}, {"vlan", "0"}, {"vlan", "4095"}, {"vlan", "-1"}, {"mode", "hybrid"}, {"trunk-vlans", ""}, {"colour", "red"},
	} {
		_, err := New(ref("1"), tc[0], tc[1])
		assert.Error(t, err, "%v", tc)
	}
	_, err := New(ref("1"), "colour", "red")
	assert.ErrorIs(t, err, setting.ErrUnknown)
}

func TestAddReplacesAnEarlierWord(t *testing.T) {
	a, b, c := mustNew(t, "1", "vlan", "30"), mustNew(t, "1", "poe", "off"), mustNew(t, "1", "vlan", "40")
	assert.Equal(t, []Edit{c, b}, Add([]Edit{a, b}, c))
}

func TestApply(t *testing.T) {
	for name, tc := range map[string]struct {
		edits [][3]string
		want  []Difference
		fault string
	}{
		"access VLAN and PoE": {[][3]string{{"1", "vlan", "40"}, {"1", "poe", "off"}},
			[]Difference{{ref("1"), "vlan", "20", "40"}, {ref("1"), "poe", "on", "off"}}, ""},
		"no difference": {[][3]string{{"1", "vlan", "20"}}, nil, ""},
		"access to trunk keeps the untagged VLAN": {[][3]string{{"1", "mode", "trunk"}},
			[]Difference{{ref("1"), "mode", "access", "trunk"}, {ref("1"), "vlan", "20", ""}, {ref("1"), "native-vlan", "", "20"}, {ref("1"), "trunk-vlans", "", "none"}}, ""},
		"the mode comes first, wherever it stands": {[][3]string{{"1", "trunk-vlans", "30"}, {"1", "mode", "trunk"}},
			[]Difference{{ref("1"), "mode", "access", "trunk"}, {ref("1"), "vlan", "20", ""}, {ref("1"), "native-vlan", "", "20"}, {ref("1"), "trunk-vlans", "", "30"}}, ""},
		"trunk to access drops the tagged ones": {[][3]string{{"2", "mode", "access"}},
			[]Difference{{ref("2"), "mode", "trunk", "access"}, {ref("2"), "vlan", "", "10"}, {ref("2"), "native-vlan", "10", ""}, {ref("2"), "trunk-vlans", "20,30", ""}}, ""},
		"clear a description": {[][3]string{{"1", "description", ""}}, []Difference{{ref("1"), "description", "desk", ""}}, ""},
		"unknown port":        {[][3]string{{"9", "vlan", "40"}}, nil, "has no port 9"},
		"no PoE":              {[][3]string{{"2", "poe", "off"}}, nil, "cannot feed power"},
		"not switched":        {[][3]string{{"3", "mode", "access"}}, nil, "not a switched port"},
		"VLAN on a trunk":     {[][3]string{{"2", "vlan", "40"}}, nil, "not an access port"},
		"tagged on access":    {[][3]string{{"1", "trunk-vlans", "40"}}, nil, "not a trunk port"},
		"every fault is told": {[][3]string{{"9", "vlan", "40"}, {"2", "poe", "off"}}, nil, "sw:2: cannot feed power"},
	} {
		t.Run(name, func(t *testing.T) {
			var edits []Edit
			for _, e := range tc.edits {
				edits = append(edits, mustNew(t, e[0], e[1], e[2]))
			}
			before := sample()
			after, err := Apply("sw", before, edits)
			if tc.fault != "" {
				assert.ErrorContains(t, err, tc.fault)
				assert.True(t, before.Equal(after), "a faulty edit changes nothing")
				return
			}
			require.NoError(t, err)
			assert.Equal(t, tc.want, Compare("sw", before, after))
			assert.True(t, sample().Equal(before), "what was given stays as it was")
		})
	}
}

func TestApplyLeavesOtherDevicesAlone(t *testing.T) {
	after, err := Apply("other", sample(), []Edit{mustNew(t, "1", "vlan", "40")})
	require.NoError(t, err)
	assert.True(t, sample().Equal(after))
}

// The difference between two configurations, read as edits, takes the one to the other.
func TestDifferencesReadAsEditsLeadBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		before, after := sample(), sample()
		for _, name := range []string{"1", "2"} {
			after.Ports[name] = genPort(t, after.Ports[name])
		}
		var edits []Edit
		for _, d := range Compare("sw", before, after) {
			if d.After == "" && d.Field != "description" {
				continue // the field does not apply any more; the mode says so
			}
			e, err := New(d.Port, d.Field, d.After)
			require.NoError(t, err)
			edits = append(edits, e)
		}
		got, err := Apply("sw", before, edits)
		require.NoError(t, err)
		assert.Empty(t, Compare("sw", after, got))
	})
}

func genPort(t *rapid.T, p network.PortConfig) network.PortConfig {
	vlan := func(label string) network.VLANID { return network.VLANID(rapid.IntRange(1, 4094).Draw(t, label)) }
	p.Enabled = rapid.Bool().Draw(t, "enabled")
	p.Description = rapid.SampledFrom([]string{"", "a", "b c"}).Draw(t, "description")
	p.AccessVLAN, p.NativeVLAN, p.TrunkVLANs = 0, 0, nil
	if rapid.Bool().Draw(t, "access") {
		p.Mode, p.AccessVLAN = network.Access, vlan("vlan")
	} else {
		p.Mode, p.NativeVLAN = network.Trunk, vlan("native")
		p.TrunkVLANs = network.NewVLANSet(vlan("t1"), vlan("t2"))
	}
	return p
}
