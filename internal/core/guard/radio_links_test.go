package guard

import (
	"testing"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/radiolink"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

func TestRadioLinks(t *testing.T) {
	t.Parallel()
	end := func(host, tx, rx string) network.Config {
		return network.Config{Hostname: host, Features: []network.Feature{setting.LinkTracking, setting.RadioCarriers}, Ports: map[string]network.PortConfig{"eth0": {Enabled: true},
			"radio0": {Enabled: true, Carrier: true, Settings: network.Settings{"tx-frequency": tx, "rx-frequency": rx, "channel-separation": "110", "nominal-power": "18"}}}}
	}
	hears := &network.RadioLinkRead{Port: "radio0", ReceivedDbm: -43, DistanceKm: 6.4, GainDbi: 37.4, FarGainDbi: 37.4, LowestMHz: 17700, HighestMHz: 19700}
	most := 18.0
	house := func() Proposal {
		return Proposal{Before: map[string]network.Config{"a": end("a", "18305", "19315"), "b": end("b", "19315", "18305")},
			Licences: []radiolink.Licence{{Device: "b", Port: "radio0", Number: "SH-1", TxMHz: 19_315, WidthMHz: 110, Polarization: "vertical", MostDbm: &most}},
			Insides:  map[string]network.Inside{"a": {RadioLink: hears}, "b": {RadioLink: hears}},
			Links:    []topology.Link{{A: network.PortRef{Device: "a", Port: "radio0"}, B: network.PortRef{Device: "b", Port: "radio0"}}}}
	}
	both := func(name, value string) [][3]string {
		return [][3]string{{"a:radio0", name, value}, {"b:radio0", name, value}}
	}
	id := func(list ...string) (out []string) {
		for _, s := range list {
			out = append(out, "radio-links:"+s)
		}
		return out
	}
	for name, tc := range map[string]guardCase{
		"another channel at both ends":    {edits: [][3]string{{"a:radio0", "tx-frequency", "18415"}, {"b:radio0", "rx-frequency", "18415"}}},
		"at one end only":                 {edits: [][3]string{{"a:radio0", "tx-frequency", "18415"}}, want: id("a:radio0:frequency"), says: "a:radio0 would send on 18415 MHz, and b:radio0 hear on 18305 MHz.", fix: "b:radio0 rx-frequency=18415"},
		"narrower at one end":             {edits: [][3]string{{"b:radio0", "channel-separation", "55"}}, want: id("a:radio0:separation", "b:radio0:separation"), says: "The channel of a:radio0 would be 110 MHz wide"},
		"narrower":                        {edits: both("channel-separation", "55")},
		"turned at one end":               {edits: [][3]string{{"a:radio0", "polarization", "horizontal"}}, want: id("a:radio0:polarization", "b:radio0:polarization"), says: "polarised horizontally, and b:radio0 vertically"},
		"muted":                           {edits: [][3]string{{"a:radio0", "transmitter", "off"}}, want: id("a:radio0:silent"), says: "b:radio0 would hear nothing of it"},
		"its port is off":                 {edits: [][3]string{{"a:radio0", "enabled", "off"}}, want: id("a:radio0:silent"), says: "a:radio0 would be silent"},
		"outside its band":                {edits: [][3]string{{"a:radio0", "tx-frequency", "23000"}, {"b:radio0", "rx-frequency", "23000"}}, want: id("a:radio0:band", "b:radio0:band"), says: "made for 17700 to 19700 MHz"},
		"fixed at the highest":            {edits: both("modulation-lowest", "1024-qam"), want: id("b:radio0:margin", "a:radio0:margin"), says: "b:radio0 would have 8 dB left for rain"},
		"too high for the level":          {edits: append(both("modulation-lowest", "1024-qam"), both("nominal-power", "2")...), want: id("b:radio0:level", "a:radio0:level"), says: "b:radio0 would receive some -59 dBm, and 1024-QAM takes some -51 dBm in 110 MHz."},
		"less power":                      {edits: [][3]string{{"a:radio0", "nominal-power", "8"}}, want: id("b:radio0:best"), says: "b:radio0 would use 256-QAM at best: some -53 dBm"},
		"automatic power":                 {edits: append(both("power-mode", "automatic"), both("level-most", "-45")...)},
		"lowest above highest":            {edits: [][3]string{{"a:radio0", "modulation-lowest", "256-qam"}, {"a:radio0", "modulation-highest", "16-qam"}}, want: id("a:radio0:modulations"), says: "256-QAM, would be above its highest, 16-QAM"},
		"levels the wrong way round":      {edits: [][3]string{{"a:radio0", "power-mode", "automatic"}, {"a:radio0", "level-least", "-40"}, {"a:radio0", "level-most", "-45"}}, want: id("a:radio0:levels"), says: "at least -40 and at most -45 dBm"},
		"the wire follows the air":        {edits: [][3]string{{"a:eth0", "follow", "radio0"}}},
		"both follow":                     {edits: [][3]string{{"a:eth0", "follow", "radio0"}, {"a:radio0", "follow", "eth0"}}, want: id("a:eth0:follow", "a:radio0:follow"), says: "would follow each other"},
		"within its licence":              {edits: [][3]string{{"b:radio0", "tx-frequency", "19342.5"}, {"a:radio0", "rx-frequency", "19342.5"}, {"a:radio0", "channel-separation", "55"}, {"b:radio0", "channel-separation", "55"}}},
		"outside its licence":             {edits: [][3]string{{"b:radio0", "tx-frequency", "19370"}, {"a:radio0", "rx-frequency", "19370"}}, want: id("b:radio0:licence"), says: "b:radio0 would send on 19370 MHz, 110 MHz wide: its licence is for 19315 MHz, 110 MHz wide."},
		"the plane of its licence":        {edits: both("polarization", "horizontal"), want: id("b:radio0:licence"), says: "b:radio0 would send horizontally polarised: its licence is for vertically."},
		"louder than its licence":         {edits: both("nominal-power", "19.5"), want: id("b:radio0:licence"), says: "b:radio0 might send with 19.5 dBm: its licence is for 18 dBm."},
		"outside, and silent":             {edits: [][3]string{{"b:radio0", "tx-frequency", "19370"}, {"a:radio0", "rx-frequency", "19370"}, {"b:radio0", "transmitter", "off"}}, want: id("b:radio0:silent"), says: "a:radio0 would hear nothing of it"},
		"the name of a port is no matter": {edits: [][3]string{{"a:radio0", "description", "to the skerry"}}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			tc.holds(t, house(), "radio-links")
		})
	}
}
