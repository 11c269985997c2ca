package radio

import (
	"fmt"
	"math"
	"slices"
	"strings"
)

// Band is a band of frequencies, as people call it.
type Band string

// The bands.
const (
	Band2 Band = "2.4"
	Band5 Band = "5"
	Band6 Band = "6"
)

// Bands lists them.
func Bands() []Band { return []Band{Band2, Band5, Band6} }

// Channel is one of 20 MHz by its number, with what a country says of it.
type Channel struct {
	Number   int
	PowerDBm int  // EIRP at most, at 20 MHz
	Radar    bool // only where no radar is heard (DFS): it has to listen for a minute before it sends, and leave when it hears one
	Indoor   bool // only inside buildings, without aerials of another make
	most     int  // EIRP at most, however wide: where the rule is of the power of each MHz, the wider the louder
}

// Power is the EIRP that one of a width may have at most, in dBm; of width 0, which the access point chooses, that of the widest.
func (c Channel) Power(width int) int {
	switch {
	case width == 0:
		return c.most
	case width <= 20:
		return c.PowerDBm
	}
	return min(c.most, c.PowerDBm+int(math.Floor(10*math.Log10(float64(width)/20))))
}

// Searched tells whether stations look for access points on a channel: of 6 GHz, every fourth (IEEE 802.11ax clause 26.17.2.3.3, preferred scanning channels).
func Searched(b Band, channel int) bool { return b != Band6 || channel%16 == 5 }

// MHz is the middle of a channel (IEEE 802.11 clause 17.3.8.4.2, clause 16.3.6.3 for 2.4 GHz, clause 27.3.23.2 for 6 GHz).
func MHz(b Band, channel int) int {
	switch {
	case b == Band2 && channel == 14:
		return 2484
	case b == Band2:
		return 2407 + 5*channel
	case b == Band6:
		return 5950 + 5*channel
	}
	return 5000 + 5*channel
}

// rules are what countries of one set of rules say.
type rules struct {
	source string
	spans  map[Band][]span
}

// span is channels from one number to another, by steps.
type span struct {
	from, to, step int
	dBm            int
	radar          bool
	perMHz         int  // EIRP of each MHz at most; 0 where only all of it counts
	indoor         bool // only inside buildings
}

// at20 is what a channel of 20 MHz may have.
func (s span) at20() int {
	if s.perMHz == 0 {
		return s.dBm
	}
	return min(s.dBm, s.perMHz+13) // 10 log 20
}

// The sets of rules. EIRP: what the sender and its aerial give together.
var (
	// ETSI EN 300 328 V2.2.2 (2.4 GHz: 100 mW). ETSI EN 301 893 V2.1.1 (5150-5350 MHz: 200 mW, above 5250 MHz with DFS; 5470-5725 MHz: 1 W, with DFS).
	// ETSI EN 303 687 V1.1.1 (5945-6425 MHz, low power indoor: 200 mW, and 10 mW of each MHz).
	etsi = rules{"ETSI EN 300 328, EN 301 893, EN 303 687", map[Band][]span{
		Band2: {{from: 1, to: 13, step: 1, dBm: 20}},
		Band5: {{from: 36, to: 48, step: 4, dBm: 23}, {from: 52, to: 64, step: 4, dBm: 23, radar: true}, {from: 100, to: 140, step: 4, dBm: 30, radar: true}},
		Band6: {{from: 1, to: 93, step: 4, dBm: 23, perMHz: 10, indoor: true}},
	}}
	// Title 47 CFR 15.247 (2400-2483.5 MHz, 5725-5850 MHz: 1 W and 6 dBi) and 15.407 (5150-5250 MHz the same; 5250-5350 and 5470-5725 MHz: 250 mW and 6 dBi, with DFS;
	// 5925-7125 MHz, low-power indoor access points: 30 dBm, and 5 dBm of each MHz).
	fcc = rules{"47 CFR 15.247, 15.407", map[Band][]span{
		Band2: {{from: 1, to: 11, step: 1, dBm: 36}},
		Band5: {{from: 36, to: 48, step: 4, dBm: 36}, {from: 52, to: 64, step: 4, dBm: 30, radar: true}, {from: 100, to: 144, step: 4, dBm: 30, radar: true}, {from: 149, to: 165, step: 4, dBm: 36}},
		Band6: {{from: 1, to: 233, step: 4, dBm: 30, perMHz: 5, indoor: true}},
	}}
	// ARIB STD-T66 (2.4 GHz), STD-T71 (5150-5350 MHz: 200 mW, above 5250 MHz with DFS; 5470-5730 MHz: 1 W, with DFS). Of 6 GHz nothing is known here.
	arib = rules{"ARIB STD-T66, STD-T71", map[Band][]span{
		Band2: {{from: 1, to: 13, step: 1, dBm: 20}},
		Band5: {{from: 36, to: 48, step: 4, dBm: 23}, {from: 52, to: 64, step: 4, dBm: 23, radar: true}, {from: 100, to: 144, step: 4, dBm: 30, radar: true}},
	}}
)

// Countries by ISO 3166-1. Those of ETSI's rules are the members of CEPT that put the harmonised standards in force (ECC/DEC/(04)08).
var countries = func() map[string]rules {
	out := map[string]rules{"US": fcc, "CA": fcc, "JP": arib}
	for c := range strings.FieldsSeq("AT BE BG CH CY CZ DE DK EE ES FI FR GB GR HR HU IE IS IT LI LT LU LV MT NL NO PL PT RO SE SI SK") {
		out[c] = etsi
	}
	return out
}()

// Countries lists the countries of which the rules are known.
func Countries() []string {
	out := make([]string, 0, len(countries))
	for c := range countries {
		out = append(out, c)
	}
	slices.Sort(out)
	return out
}

// Source is where the rules of a country stand; "" for one that is not known.
func Source(country string) string { return countries[country].source }

// Channels lists those on which may be sent in a country, in order; none for a country that is not known.
func Channels(country string, b Band) (out []Channel) {
	for _, s := range countries[country].spans[b] {
		for n := s.from; n <= s.to; n += s.step {
			out = append(out, Channel{n, s.at20(), s.radar, s.indoor, s.dBm})
		}
	}
	return out
}

// Block lists the channels of 20 MHz that one of a width takes, of which the number is that of the first one (the primary channel): at 5 and 6 GHz
// those of IEEE 802.11 annex E, at 2.4 GHz the channel and the four above or below it. Where there is no block so wide it is none.
func Block(b Band, channel, width int) []int {
	n := width / 20
	if n <= 1 {
		return []int{channel}
	}
	if b == Band2 {
		if channel <= 7 {
			return []int{channel, channel + 4}
		}
		return []int{channel - 4, channel}
	}
	first, last := 36, 64
	switch {
	case b == Band6:
		first, last = 1, 233
	case channel >= 149:
		first, last = 149, 177
	case channel >= 100:
		first, last = 100, 144
	}
	begin := first + (channel-first)/(4*n)*4*n
	out := make([]int, n)
	for i := range out {
		out[i] = begin + 4*i
	}
	if out[n-1] > last {
		return nil
	}
	return out
}

// Check tells why nobody may send like that in a country, or nil. channel and dBm 0 are for the access point to choose; width 0 as well.
func Check(country string, b Band, channel, width, dBm int) error {
	list := Channels(country, b)
	if len(list) == 0 || channel == 0 {
		return nil
	}
	block := Block(b, channel, width)
	if block == nil {
		return fmt.Errorf("channel %d of %s GHz cannot be %d MHz wide: it would leave the band", channel, b, width)
	}
	for _, c := range block {
		i := slices.IndexFunc(list, func(o Channel) bool { return o.Number == c })
		switch {
		case i < 0 && c == channel:
			return fmt.Errorf("channel %d of %s GHz is not for wireless networks in %s (%s)", channel, b, country, Source(country))
		case i < 0:
			return fmt.Errorf("channel %d of %s GHz cannot be %d MHz wide in %s: that takes channel %d too (%s)", channel, b, width, country, c, Source(country))
		case dBm > list[i].Power(width):
			return fmt.Errorf("%d dBm is louder than channel %d of %s GHz may be%s in %s, %d dBm (%s)", dBm, c, b, wide(b, width), country, list[i].Power(width), Source(country))
		}
	}
	return nil
}

// wide says of a band in which the wider ones may be louder how wide one is.
func wide(b Band, width int) string {
	if b != Band6 || width == 0 {
		return ""
	}
	return fmt.Sprintf(" at %d MHz", width)
}
