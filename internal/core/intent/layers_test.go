package intent

import (
	"net/netip"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// bench is a switch with a desk port, a camera port and an uplink.
func bench() network.Config {
	return network.Config{
		Features: setting.Features(), VLANs: map[network.VLANID]network.VLAN{10: {ID: 10, Name: "office"}, 20: {ID: 20}},
		Ports: map[string]network.PortConfig{
			"1": {Enabled: true, Mode: network.Access, AccessVLAN: 10, HasPoE: true, PoE: true, Description: "desk"},
			"2": {Enabled: true, Mode: network.Access, AccessVLAN: 20, HasPoE: true, PoE: true, Settings: network.Settings{"edge": "on"}},
			"3": {Enabled: true, Mode: network.Trunk, NativeVLAN: 10, TrunkVLANs: network.VLANSet{20}},
		},
		Settings: network.Settings{"ntp-servers": "10.0.0.1"},
	}
}

func spot() Spot {
	return Spot{Device: "sw", Site: "quay", Templates: []string{"all", "switches"}, Ports: map[string][]string{"1": {"edge"}, "2": {"edge", "camera"}}}
}

func edit(t require.TestingT, target, field, value string) Edit {
	on, err := network.ParseTarget(target)
	require.NoError(t, err)
	e, err := New(on, field, value)
	require.NoError(t, err)
	return e
}

func follow(t require.TestingT, target, field string, act Act) Edit {
	on, err := network.ParseTarget(target)
	require.NoError(t, err)
	e, err := NewAct(on, field, act)
	require.NoError(t, err)
	return e
}

func TestTheLastLayerThatSpeaksHolds(t *testing.T) {
	var l Layers
	holds := func(object, name string) string {
		s, err := setting.Lookup(setting.KindOf(object), name)
		require.NoError(t, err)
		value, layer, ok := l.Holds(spot(), object, s)
		if !ok {
			return "nobody says"
		}
		return layer + " " + value
	}
	assert.Equal(t, "default low", holds("2", "poe-priority"))
	assert.Equal(t, "nobody says", holds("2", "vlan"), "a VLAN has no default")
	l = l.With([]Edit{edit(t, "template/edge:port", "poe-priority", "high")}, 1)
	assert.Equal(t, "template/edge high", holds("2", "poe-priority"))
	l = l.With([]Edit{edit(t, "template/camera:port", "poe-priority", "critical")}, 2)
	assert.Equal(t, "template/camera critical", holds("2", "poe-priority"), "the later template")
	assert.Equal(t, "template/edge high", holds("1", "poe-priority"), "which does not pick port 1")
	l = l.With([]Edit{edit(t, "sw:2", "poe-priority", "low")}, 3)
	assert.Equal(t, "device low", holds("2", "poe-priority"))
	l = l.With([]Edit{follow(t, "sw:2", "poe-priority", Inherit), edit(t, "template/camera:self", "present", "off")}, 4)
	assert.Equal(t, "template/edge high", holds("2", "poe-priority"))

	l = l.With([]Edit{edit(t, "template/all", "banner", "a"), edit(t, "template/switches", "banner", "b")}, 5)
	assert.Equal(t, "template/switches b", holds("", "banner"))
	l = l.With([]Edit{edit(t, "site/quay", "banner", "c"), edit(t, "site/other", "banner", "d")}, 6)
	assert.Equal(t, "site/quay c", holds("", "banner"))

	s, _ := setting.Lookup(setting.OnDevice, "banner")
	var all []string
	for _, say := range l.Sayings(spot(), "", s) {
		all = append(all, say.Layer+" "+say.Value+" "+strconv.FormatInt(say.Change, 10))
	}
	assert.Equal(t, []string{"default  0", "template/all a 5", "template/switches b 5", "site/quay c 6"}, all)
}

func TestTemplatesAreInTheirOrder(t *testing.T) {
	l := Layers{}.With([]Edit{edit(t, "template/b:self", "order", "20"), edit(t, "template/a:self", "order", "100"), edit(t, "template/c:self", "order", "20")}, 1)
	assert.Equal(t, []string{"b", "c", "a"}, l.InOrder())
}

func TestWhatALayerCannotSay(t *testing.T) {
	for _, tc := range []struct{ target, field, want string }{
		{"template/camera:1/1/7", "vlan", "single ports"}, {"site/quay:port", "vlan", "single ports"}, {"template/camera:lag1", "protocol", "bundles"},
		{"site/quay:self", "pick", "not a template"}, {"sw:self", "pick", "neither a port"}, {"sw:port", "vlan", "neither a port"},
	} {
		on, err := network.ParseTarget(tc.target)
		require.NoError(t, err)
		_, err = New(on, tc.field, "10")
		assert.ErrorContains(t, err, tc.want, tc.target)
	}
	_, err := NewAct(network.PortRef{Device: "site/quay"}, "banner", Restore)
	assert.ErrorContains(t, err, "not on a device")
}

// What is another at each site is said once, and holds as each has it; a device cannot say it.
func TestAnAddressIsAnotherAtEachSite(t *testing.T) {
	l := Layers{}.With([]Edit{edit(t, "template/all:address/cameras", "present", "on"), edit(t, "template/all:address/cameras", "addresses", "vlan/50")}, 1)
	assert.True(t, l.BySite())
	s, err := setting.Lookup(setting.OnAddress, "addresses")
	require.NoError(t, err)
	holds := func(l Layers, net string) string {
		at := Spot{Device: "fw", Site: "quay", Templates: []string{"all"}}
		if net != "" {
			at.Networks = map[network.VLANID][]netip.Prefix{50: {netip.MustParsePrefix(net)}}
		}
		value, layer, _ := l.Holds(at, "address/cameras", s)
		return layer + " " + value
	}
	assert.Equal(t, "template/all 10.1.50.0/24", holds(l, "10.1.50.0/24"))
	assert.Equal(t, "template/all none", holds(l, ""), "of a site without it nothing")
	otherwise := l.With([]Edit{edit(t, "site/quay:address/cameras", "addresses", "10.9.0.0/24,vlan/50")}, 2)
	assert.Equal(t, "site/quay 10.9.0.0/24,10.1.50.0/24", holds(otherwise, "10.1.50.0/24"))
	before, after := Stage{Layers: Layers{}, Spots: map[string]Spot{"fw": {Device: "fw"}}}, Stage{Layers: l, Spots: map[string]Spot{"fw": {Device: "fw", Templates: []string{"all"}, Networks: map[network.VLANID][]netip.Prefix{50: {netip.MustParsePrefix("10.2.50.0/24")}}}}}
	var said []string
	for _, e := range Expand(before, after, []Edit{edit(t, "template/all:address/cameras", "addresses", "vlan/50")}) {
		said = append(said, e.Port.String()+" "+e.Field+" "+e.Value)
	}
	assert.Contains(t, said, "fw:address/cameras addresses 10.2.50.0/24")
	assert.False(t, Layers{}.With([]Edit{edit(t, "template/all:address/cameras", "addresses", "10.1.50.0/24")}, 1).BySite())
	_, err = New(network.PortRef{Device: "fw", Port: "address/cameras"}, "addresses", "vlan/50")
	assert.ErrorContains(t, err, "only a template or a site can say")
}

func TestWhatEditsOfLayersComeToOnDevices(t *testing.T) {
	var empty Layers
	start := Layers{Devices: map[string]Words{"sw": empty.Fill(spot(), bench())}}
	start = start.With([]Edit{edit(t, "template/edge:port", "edge", "on")}, 1)
	for name, tc := range map[string]struct {
		edits []Edit
		want  []string
	}{
		"a template speaks of what nobody spoke of": {[]Edit{edit(t, "template/camera:port", "bpdu-guard", "on")}, []string{"sw:2 inherit bpdu-guard on"}},
		"the device's own word holds":               {[]Edit{edit(t, "template/camera:port", "vlan", "10")}, nil},
		"unless it says nothing any more":           {[]Edit{edit(t, "template/camera:port", "vlan", "10"), follow(t, "sw:2", "vlan", Inherit)}, []string{"sw:2 inherit vlan 10"}},
		"nobody says, so it stays":                  {[]Edit{follow(t, "sw:1", "vlan", Inherit)}, nil},
		"what has a default goes back to it":        {[]Edit{follow(t, "sw:1", "description", Inherit)}, []string{"sw:1 inherit description "}},
		"a stronger template that says the same":    {[]Edit{edit(t, "template/camera:port", "edge", "on")}, nil},
		"a template that goes":                      {[]Edit{edit(t, "template/edge:self", "present", "off")}, []string{"sw:1 inherit edge auto"}},
		"a site":                                    {[]Edit{edit(t, "site/quay", "stp-priority", "4096")}, []string{"sw inherit stp-priority 4096"}},
		"another site":                              {[]Edit{edit(t, "site/far", "stp-priority", "4096")}, nil},
		"a VLAN for every switch":                   {[]Edit{edit(t, "template/switches:vlan/30", "present", "on"), edit(t, "template/switches:vlan/30", "name", "voice")}, []string{"sw:vlan/30 inherit name voice", "sw:vlan/30 inherit present on"}},
		"restored as it is intended":                {[]Edit{follow(t, "sw:1", "vlan", Restore)}, []string{"sw:1 restore vlan 10"}},
		"edits of devices stay what they are":       {[]Edit{edit(t, "sw:1", "vlan", "20")}, []string{"sw:1  vlan 20"}},
	} {
		t.Run(name, func(t *testing.T) {
			spots := map[string]Spot{"sw": spot()}
			after := spot()
			if name == "a template that goes" {
				after.Ports = map[string][]string{"2": {"camera"}}
			}
			var got []string
			for _, e := range Expand(Stage{start, spots}, Stage{start.With(tc.edits, 2), map[string]Spot{"sw": after}}, tc.edits) {
				got = append(got, e.Port.String()+" "+string(e.Act)+" "+e.Field+" "+e.Value)
			}
			assert.Equal(t, tc.want, got)
		})
	}
}

func TestAPortThatATemplateComesToPickFollowsIt(t *testing.T) {
	start := Layers{}.With([]Edit{edit(t, "template/edge:port", "edge", "on"), edit(t, "template/camera:port", "poe-priority", "critical"), edit(t, "template/camera:port", "vlan", "20")}, 1)
	start.Devices["sw"] = Words{"1": {"vlan": {Value: "10"}, "description": {Value: "desk"}}}
	edits := []Edit{edit(t, "sw:1", "description", "Camera 1")}
	was, is := spot(), spot()
	is.Ports = map[string][]string{"1": {"camera"}, "2": {"edge", "camera"}}
	before, after := Stage{start, map[string]Spot{"sw": was}}, Stage{start.With(edits, 2), map[string]Spot{"sw": is}}
	var got []string
	for _, e := range Expand(before, after, edits) {
		got = append(got, e.String()+" "+e.Value)
	}
	assert.Equal(t, []string{"sw:1 description=Camera 1 Camera 1", "sw:1 inherit edge auto", "sw:1 inherit poe-priority critical"}, got, "but not the VLAN, of which it speaks itself")
}

func TestWhoChangesADescriptionTakesNothingOutOfItsTemplate(t *testing.T) {
	l := Layers{Devices: map[string]Words{"sw": {"1": {"description": {Value: "Camera 1"}}}}}
	own, differs := l.Own("sw", bench())
	assert.True(t, differs)
	assert.Equal(t, "Camera 1", own.Ports["1"].Description)
	_, differs = l.Own("sw", own)
	assert.False(t, differs)
}

func TestWhatOnlyFollowsALayerAppliesWhereItCan(t *testing.T) {
	after, err := Apply("sw", bench(), []Edit{{Port: ref("3"), Field: "vlan", Value: "20", Act: Inherit}, {Port: ref("1"), Field: "vlan", Value: "20", Act: Inherit}})
	require.NoError(t, err, "a trunk has no VLAN of an access port")
	assert.Equal(t, []Difference{{ref("1"), "vlan", "10", "20"}}, Compare("sw", bench(), after))
}

// words draws what layers may say.
func drawEdits(t *rapid.T, label string, targets []string) []Edit {
	var out []Edit
	for range rapid.IntRange(0, 6).Draw(t, label) {
		target := rapid.SampledFrom(targets).Draw(t, "target")
		on, err := network.ParseTarget(target)
		require.NoError(t, err)
		s := rapid.SampledFrom(setting.Of(setting.KindOf(on.Port))).Draw(t, "setting")
		if rapid.IntRange(0, 4).Draw(t, "act") == 0 {
			if e, err := NewAct(on, s.Name, Inherit); err == nil {
				out = Add(out, e)
			}
			continue
		}
		values := append([]string{"10", "20", "a", "10.0.0.9", "mo-fr 08:00-18:00"}, s.Value.Choices...)
		if e, err := New(on, s.Name, rapid.SampledFrom(values).Draw(t, "value")); err == nil {
			out = Add(out, e)
		}
	}
	return out
}

var (
	below    = []string{"template/all", "template/all:vlan/10", "template/switches", "template/switches:vlan/30", "template/switches:schedule/day", "template/edge:port", "template/camera:port", "site/quay", "site/quay:vlan/30"}
	onDevice = []string{"sw", "sw:1", "sw:2", "sw:3", "sw:vlan/10", "sw:vlan/20", "sw:vlan/30", "sw:schedule/day", "sw:acl/x", "sw:lag1"}
)

// What is compared quickly is compared as if every setting were read.
func TestCompareFindsAllThatDiffers(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		before, _ := ApplyEach(bench(), drawEdits(t, "before", onDevice))
		after, _ := ApplyEach(before, drawEdits(t, "after", onDevice))
		want := map[place]bool{}
		for _, object := range Objects(before, after) {
			for _, s := range setting.OfObject(after, object) {
				b, bErr := s.Get(before, object)
				a, aErr := s.Get(after, object)
				if a != b && bErr == nil && aErr == nil {
					want[place{object, s.Name}] = true
				}
			}
		}
		for _, d := range Compare("sw", before, after) {
			if s, err := setting.Lookup(setting.KindOf(d.Port.Port), d.Field); err == nil {
				_, bErr := s.Get(before, d.Port.Port)
				_, aErr := s.Get(after, d.Port.Port)
				if bErr != nil || aErr != nil { // it came or went
					continue
				}
			}
			assert.True(t, want[place{d.Port.Port, d.Field}], "%s %s", d.Port, d.Field)
			delete(want, place{d.Port.Port, d.Field})
		}
		assert.Empty(t, want)
	})
}

// A device that is taken in hand is intended to run what it runs, whatever the layers below say.
func TestADeviceIsFilledToWhatItRuns(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		runs, _ := ApplyEach(bench(), drawEdits(t, "found", onDevice))
		l := Layers{}.With(drawEdits(t, "layers", below), 1)
		l.Devices["sw"] = l.Fill(spot(), runs)
		assert.Empty(t, Compare("sw", l.Intended(spot(), runs), runs))
	})
}

// After a change was kept, what it changed is intended as it runs, and what it did not speak of is intended as before.
func TestAfterAChangeWhatRunsIsIntended(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		found, _ := ApplyEach(bench(), drawEdits(t, "found", onDevice))
		l := Layers{}.With(drawEdits(t, "layers", below), 1)
		l.Devices["sw"] = l.Fill(spot(), found)
		drifted, _ := ApplyEach(found, drawEdits(t, "drift", onDevice))
		edits := Add(drawEdits(t, "edits", onDevice), drawEdits(t, "below", below)...)
		spots := map[string]Spot{"sw": spot()}
		before, after := Stage{l, spots}, Stage{l.With(edits, 2), spots}
		runs, err := Apply("sw", drifted, Expand(before, after, edits))
		if err != nil {
			t.Skip("the device cannot have that")
		}
		settled := Settle(before, after, edits, 2, map[string]network.Config{"sw": drifted}, map[string]network.Config{"sw": runs})
		changed := map[place]bool{}
		for _, d := range Compare("sw", drifted, runs) {
			changed[place{d.Port.Port, d.Field}] = true
		}
		intended := settled.Intended(spot(), runs)
		for _, d := range Compare("sw", intended, runs) {
			if s, _ := setting.Lookup(setting.KindOf(d.Port.Port), d.Field); !applies(s, intended, d.Port.Port) {
				continue // by what else drifted: the native VLAN of what is not meant to be a trunk
			}
			assert.False(t, changed[place{d.Port.Port, d.Field}], "%s %s was changed to %q, and is intended to be %q", d.Port, d.Field, d.After, d.Before)
		}
		if len(Compare("sw", found, drifted)) == 0 {
			assert.Empty(t, Compare("sw", intended, runs), "without drift all is intended as it runs")
		}
	})
}

func applies(s *setting.Setting, c network.Config, object string) bool {
	_, err := s.Get(c, object)
	return err == nil
}

func TestTheWayBackOfEdits(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		l := Layers{}.With(drawEdits(t, "layers", append(below, onDevice...)), 1)
		edits := drawEdits(t, "edits", append(below, onDevice...))
		back := l.With(edits, 2).With(l.Before(edits), 3)
		for _, target := range append(below, onDevice...) {
			on, err := network.ParseTarget(target)
			require.NoError(t, err)
			was, is := l.Words(on)[on.Port], back.Words(on)[on.Port]
			require.Equal(t, len(was), len(is), target)
			for name := range was {
				assert.Equal(t, was[name].Value, is[name].Value, "%s %s", target, name)
			}
		}
	})
}
