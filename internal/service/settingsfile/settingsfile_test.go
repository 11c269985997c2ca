package settingsfile

import (
	"context"
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

func aSwitch() network.Config {
	return network.Config{
		Features: setting.Features(), VLANs: map[network.VLANID]network.VLAN{20: {ID: 20, Name: "office"}, 40: {ID: 40}},
		Ports: map[string]network.PortConfig{
			"1/1/1": {Enabled: true, Mode: network.Access, AccessVLAN: 20, HasPoE: true, PoE: true},
			"1/1/2": {Enabled: true, Mode: network.Trunk, TrunkVLANs: network.VLANSet{20, 40}},
		},
		Services: map[string]bool{"web": true},
	}
}

func apply(t require.TestingT, c network.Config, entries []Entry) network.Config {
	var edits []intent.Edit
	for _, e := range entries {
		for name, v := range e.Set {
			edit, err := intent.New(e.On, name, v)
			require.NoError(t, err)
			edits = append(edits, edit)
		}
	}
	out, err := intent.Apply("sw", c, edits)
	require.NoError(t, err)
	return out
}

const sample = `# the switch in the ticket hall
everypost: settings/1
devices:
  sw:
    settings:
      ntp-servers: # two of them
        - 10.1.1.1
        - 10.1.1.2
      stp: rapid
      service.web: false
    vlans:
      20:
        name: office
      40: {}
    ports:
      # the printer
      1/1/1:
        description: "Printer: left"
        vlan: 40 # ticketing
        poe: false
        rate-in: 20M
      1/1/2:
        mode: trunk
        trunk-vlans: 20,40
    access-lists:
      guests:
        rules:
          10: permit tcp from any to any port 443 # the web
          15: deny ip from any to 10.0.0.0/8
`

func TestAFileIsReadAndWrittenAgain(t *testing.T) {
	entries, devices, err := Read(t.Context(), []byte(sample))
	require.NoError(t, err)
	assert.Equal(t, []string{"sw"}, devices)
	c := apply(t, aSwitch(), entries)
	assert.Equal(t, "Printer: left", c.Ports["1/1/1"].Description)
	assert.False(t, c.Ports["1/1/1"].PoE)
	assert.Equal(t, network.Settings{"ntp-servers": "10.1.1.1,10.1.1.2", "stp": "rapid"}, c.Settings)
	assert.Equal(t, network.Settings{"rules/10": "permit tcp from any to any port 443", "rules/15": "deny ip from any to 10.0.0.0/8"}, c.Objects["acl/guests"])

	written, err := Write(t.Context(), map[string]network.Config{"sw": c}, []byte(sample))
	require.NoError(t, err)
	for _, comment := range []string{"# the switch in the ticket hall", "# two of them", "# the printer", "vlan: 40 # ticketing", "# the web"} {
		assert.Contains(t, string(written), comment)
	}
	again, _, err := Read(t.Context(), written)
	require.NoError(t, err)
	assert.True(t, c.Equal(apply(t, aSwitch(), again)))
	once, err := Write(t.Context(), map[string]network.Config{"sw": c}, written)
	require.NoError(t, err)
	assert.Equal(t, string(written), string(once), "written over itself it is the same")
}

// Whatever is set: written and read again, it takes a bare switch to the same settings.
func TestWhatIsWrittenIsReadAgain(t *testing.T) {
	words := rapid.SampledFrom([]string{"plain", "off", "12", "a: b", "- x", "# no comment", "é\"'", "none", "true", "1e3", "0x10", "~", "null", "{}", "[a]", "|", " & "})
	rapid.Check(t, func(t *rapid.T) {
		c := aSwitch()
		for range rapid.IntRange(0, 12).Draw(t, "edits") {
			object := rapid.SampledFrom([]string{"", "1/1/1", "1/1/2", "vlan/20"}).Draw(t, "object")
			s := rapid.SampledFrom(setting.Of(setting.KindOf(object))).Draw(t, "setting")
			value := s.Default
			switch s.Value.Type {
			case setting.Switch, setting.Choice:
				value = rapid.SampledFrom(s.Value.Choices).Draw(t, "value")
			case setting.Text:
				value = words.Draw(t, "text")
			case setting.Rate:
				value = "512k"
			}
			if e, err := intent.New(network.PortRef{Device: "sw", Port: object}, s.Name, value); err == nil && s.Name != setting.Present {
				c, _ = intent.ApplyObject(c, []intent.Edit{e})
			}
		}
		text, err := Write(t.Context(), map[string]network.Config{"sw": c}, nil)
		require.NoError(t, err)
		entries, devices, err := Read(context.Background(), text)
		require.NoError(t, err, "%s", text)
		entries = Whole(entries, devices, map[string]network.Config{"sw": aSwitch()})
		assert.Empty(t, intent.Compare("sw", c, apply(t, aSwitch(), entries)), "%s", text)
	})
}

func TestWholeTakesTheRestBackToItsDefault(t *testing.T) {
	c := aSwitch()
	entries, devices, err := Read(t.Context(), []byte("everypost: settings/1\ndevices:\n  sw:\n    vlans:\n      20: {name: office}\n    ports:\n      1/1/2: {mode: trunk, trunk-vlans: 20}\n      1/1/1: {vlan: 20}\n"))
	require.NoError(t, err)
	c = apply(t, c, []Entry{{On: network.PortRef{Device: "sw", Port: "1/1/1"}, Set: map[string]string{"description": "x", "poe": "off", "rate-in": "1M"}}, {On: network.PortRef{Device: "sw"}, Set: map[string]string{"stp": "rapid"}}})
	after := apply(t, c, Whole(entries, devices, map[string]network.Config{"sw": c}))
	assert.Equal(t, network.PortConfig{Enabled: true, Mode: network.Access, AccessVLAN: 20, HasPoE: true, PoE: true}, withoutEmpty(after.Ports["1/1/1"]))
	assert.Empty(t, after.Settings)
	assert.NotContains(t, after.VLANs, network.VLANID(40))
	assert.True(t, after.Services["web"], "services are not switched by what is not said")
}

func withoutEmpty(p network.PortConfig) network.PortConfig {
	if len(p.Settings) == 0 {
		p.Settings = nil
	}
	return p
}

func TestFaultsOfAFileNameTheirPlace(t *testing.T) {
	for text, says := range map[string]string{
		"":                                  "the file is empty",
		"# only a comment\n":                "the file is empty",
		"everypost: settings/2":             "should be settings/1",
		"everypost: settings/1":             "there are none",
		"everypost: settings/1\ndevices: 3": "",
		"everypost: settings/1\nmore: 3\ndevices: {sw: {}}":                             `there is no "more" here`,
		"everypost: settings/1\ndevices: {Sw_1: {}}":                                    "not the name of a device",
		"everypost: settings/1\ndevices: {sw: [1]}":                                     "devices.sw: it should hold sections",
		"everypost: settings/1\ndevices: {sw: {prots: {}}}":                             "devices.sw.prots: there is no such section",
		"everypost: settings/1\ndevices: {sw: {ports: {1/1/1: {vlan: 5000}}}}":          "devices.sw.ports.1/1/1.vlan: ",
		"everypost: settings/1\ndevices: {sw: {ports: {1/1/1: {vlna: 50}}}}":            "did you mean vlan?",
		"everypost: settings/1\ndevices: {sw: {ports: {1/1/1: {description: {a: b}}}}}": "a value is expected",
		"everypost: settings/1\ndevices: {sw: {ports: {1/1/1: 7}}}":                     "should hold settings and their values",
		"everypost: settings/1\ndevices: {sw: {vlans: {office: {}}}}":                   "devices.sw.vlans.office: that is no name",
		"everypost: settings/1\ndevices: {sw: {bundles: {1/1/1: {}}}}":                  "that is no name",
		"everypost: settings/1\ndevices: {sw: {ports: {1/1/1: {vlan: 50}, 1/1/1: {}}}}": "",
		"everypost: settings/1\na: &a [x, x]\nb: &b [*a, *a]\ndevices: {sw: {}}":        "line 2: anchors and aliases",
		"everypost: [\n":                      "",
		strings.Repeat("a: b\n", MaxSize/5+2): "more than 8 MiB",
	} {
		_, _, err := Read(t.Context(), []byte(text))
		if len(text) > 100 {
			text = text[:100]
		}
		require.Error(t, err, "%q", text)
		assert.Contains(t, err.Error(), says, "%q", text)
	}
}

func TestTheSchemaSpeaksOfEverySetting(t *testing.T) {
	b, err := Schema()
	require.NoError(t, err)
	var parsed map[string]any
	require.NoError(t, json.Unmarshal(b, &parsed))
	for _, s := range setting.All() {
		if s.Name != setting.Present && s.On[0] != setting.OnTemplate {
			assert.Contains(t, string(b), `"`+s.Name+`": {`)
		}
	}
}
