package radiolink_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/microwave"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/radiolink"
	"example.net/everypost/internal/core/setting"
)

func end(tx, rx string, more ...string) network.Config {
	s := network.Settings{"tx-frequency": tx, "rx-frequency": rx, "channel-separation": "110", "nominal-power": "18"}
	for i := 0; i < len(more); i += 2 {
		s[more[i]] = more[i+1]
	}
	return network.Config{Features: []network.Feature{setting.RadioCarriers}, Ports: map[string]network.PortConfig{"radio0": {Enabled: true, Carrier: true, Settings: s}}}
}

func carrier(c network.Config) setting.Carrier {
	out, _ := setting.CarrierAt(c, "radio0")
	return out
}

var read = network.RadioLinkRead{ReceivedDbm: -43, DistanceKm: 6.4, GainDbi: 37.4, FarGainDbi: 37.4}

func TestWhatIsExpectedAndForeseen(t *testing.T) {
	t.Parallel()
	a, b := carrier(end("18305", "19315")), carrier(end("19315", "18305"))
	assert.True(t, radiolink.Fits(a, b))
	dBm, known := radiolink.Expected(a, b, &read)
	assert.True(t, known)
	assert.InDelta(t, -41, dBm, 0.1)
	less := carrier(end("18305", "19315", "nominal-power", "8"))
	dBm, _ = radiolink.Foreseen(a, b, less, b, &read)
	assert.InDelta(t, -53, dBm, 0.1, "what it receives now, and 10 dB less")
	auto := carrier(end("18305", "19315", "power-mode", "automatic", "level-most", "-50"))
	dBm, _ = radiolink.Expected(auto, b, &read)
	assert.InDelta(t, -50, dBm, 0.1)
	_, known = radiolink.Expected(a, carrier(end("19315", "18415")), &read)
	assert.False(t, known, "it hears elsewhere")
	_, known = radiolink.Expected(a, b, nil)
	assert.False(t, known)
	assert.Equal(t, []radiolink.Misfit{radiolink.Silent, radiolink.Separation, radiolink.Polarization}, radiolink.Misfits(carrier(end("1", "2", "transmitter", "off", "channel-separation", "55", "polarization", "horizontal")), carrier(end("2", "1"))))
}

// What is set at one end and mirrored at the other leaves both fitting, whatever it is.
func TestBothEndsGoOnToFit(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		set := map[string]string{}
		for _, name := range rapid.SliceOfDistinct(rapid.SampledFrom(setting.OfBothEnds()), rapid.ID[string]).Draw(t, "set") {
			s, err := setting.Lookup(setting.OnPort, name)
			assert.NoError(t, err)
			values := s.Value.Choices
			switch name {
			case "tx-frequency", "rx-frequency", "channel-separation":
				values = []string{"18415", "55", "110.125"}
			case "nominal-power", "level-least", "level-most":
				values = []string{"-20", "-33.5"}
			}
			set[name] = rapid.SampledFrom(values).Draw(t, name)
		}
		near, far := radiolink.BothEnds(set)
		apply := func(c network.Config, set map[string]string) setting.Carrier {
			for name, value := range set {
				c.Ports["radio0"].Settings[name] = value
			}
			return carrier(c)
		}
		a, b := apply(end("18305", "19315"), near), apply(end("19315", "18305"), far)
		assert.True(t, radiolink.Fits(a, b), "%v %v", near, far)
	})
}

func TestPairs(t *testing.T) {
	t.Parallel()
	configs := map[string]network.Config{"a": end("1", "2"), "b": end("2", "1"), "c": end("3", "4"), "d": {Ports: map[string]network.PortConfig{"1": {}}}}
	at := func(d string) network.PortRef { return network.PortRef{Device: d, Port: "radio0"} }
	links := [][2]network.PortRef{{at("a"), at("b")}, {at("c"), {Device: "d", Port: "1"}}}
	assert.Equal(t, []radiolink.Pair{{Near: at("a"), Far: at("b")}, {Near: at("c")}}, radiolink.Pairs(configs, links))
}

func TestWhyALinkIsDown(t *testing.T) {
	t.Parallel()
	one := func(device string, c network.Config, dBm float64) radiolink.End {
		r := read
		r.ReceivedDbm = dBm
		return radiolink.End{At: network.PortRef{Device: device, Port: "radio0"}, Told: carrier(c), Read: &r}
	}
	codes := func(a, b radiolink.End) (out []string) {
		for _, w := range radiolink.WhyDown(a, &b) {
			out = append(out, w.Code)
		}
		return out
	}
	a, b := end("18305", "19315"), end("19315", "18305")
	assert.Equal(t, []string{"faint", "faint"}, codes(one("a", a, -83), one("b", b, -82)))
	assert.Equal(t, []string{"unheard"}, codes(one("a", a, 0), one("b", b, 0)))
	assert.Equal(t, []string{"frequency"}, codes(one("a", end("18415", "19315"), -43), one("b", b, 0)))
	assert.Equal(t, []string{"silent"}, codes(one("a", end("18305", "19315", "transmitter", "off"), -43), one("b", b, 0)))
	up := one("a", a, -43)
	up.Up = true
	assert.Empty(t, codes(up, up))
	away := one("b", b, -43)
	away.Away = true
	assert.Equal(t, "away", codes(up, away)[0])
}

func TestModulations(t *testing.T) {
	t.Parallel()
	need, known := microwave.Threshold(microwave.QPSK, 1)
	assert.True(t, known)
	assert.InDelta(t, -174+60+6+4.77+6, need, 0.01, "kTB of 1 MHz, the receiver, 2^2-1, and the gap")
	wide, _ := microwave.Threshold(microwave.QPSK, 2)
	assert.InDelta(t, 3.01, wide-need, 0.01, "twice as wide is twice the noise")
	_, known = microwave.Threshold("nothing", 110)
	assert.False(t, known)
	rapid.Check(t, func(t *rapid.T) {
		mhz, dBm := rapid.Float64Range(1.75, 500).Draw(t, "MHz"), rapid.Float64Range(-110, -10).Draw(t, "dBm")
		best := microwave.Best(dBm, mhz, microwave.QPSK, microwave.QAM1024)
		for _, m := range microwave.Modulations() {
			need, _ := microwave.Threshold(m, mhz)
			assert.Equal(t, dBm >= need, best != "" && microwave.Order(m, best) <= 0, "%s", m)
		}
	})
	highest, most := microwave.Most([]float64{5, 1, 2, 3, 4})
	assert.Equal(t, [2]float64{5, 5}, [2]float64{highest, most})
	hundred := make([]float64, 100)
	for i := range hundred {
		hundred[i] = float64(100 - i)
	}
	_, most = microwave.Most(hundred)
	assert.InDelta(t, 95, most, 0)
	p := microwave.Performance{Seconds: 1000, Errored: 9, Severely: 3, Unavailable: 100}
	assert.InDelta(t, 0.01, p.ESR(), 1e-9)
	assert.InDelta(t, 3.0/900, p.SESR(), 1e-9)
	assert.InDelta(t, 0.9, p.Available(), 1e-9)
	assert.Zero(t, microwave.Performance{}.ESR())
}
