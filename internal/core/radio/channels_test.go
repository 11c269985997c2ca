package radio_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/radio"
)

func TestWhatMayBeSentWhere(t *testing.T) {
	t.Parallel()
	for name, c := range map[string]struct {
		country             string
		band                radio.Band
		channel, width, dBm int
		says                string
	}{
		"as everybody does":             {"GB", radio.Band5, 36, 80, 23, ""},
		"the device chooses":            {"GB", radio.Band5, 0, 80, 30, ""},
		"no rules are known":            {"", radio.Band5, 171, 20, 36, ""},
		"one that is elsewhere only":    {"GB", radio.Band5, 149, 20, 0, "channel 149 of 5 GHz is not for wireless networks in GB (ETSI EN 300 328, EN 301 893, EN 303 687)"},
		"and there":                     {"US", radio.Band5, 149, 80, 36, ""},
		"12 of 2.4 GHz":                 {"US", radio.Band2, 12, 20, 0, "channel 12 of 2.4 GHz is not for"},
		"and where it is":               {"NO", radio.Band2, 12, 20, 20, ""},
		"too loud":                      {"GB", radio.Band5, 36, 20, 24, "24 dBm is louder than channel 36 of 5 GHz may be in GB, 23 dBm"},
		"as loud as may be":             {"GB", radio.Band5, 100, 20, 30, ""},
		"too wide":                      {"GB", radio.Band5, 132, 80, 0, "channel 132 of 5 GHz cannot be 80 MHz wide in GB: that takes channel 144 too"},
		"there is no such":              {"GB", radio.Band5, 37, 20, 0, "channel 37 of 5 GHz is not for"},
		"one of a block is of less":     {"US", radio.Band5, 36, 160, 36, "36 dBm is louder than channel 52 of 5 GHz may be in US, 30 dBm"},
		"wider than the band":           {"GB", radio.Band5, 132, 160, 0, "channel 132 of 5 GHz cannot be 160 MHz wide: it would leave the band"},
		"wide at 2.4 GHz, upper half":   {"GB", radio.Band2, 13, 40, 20, ""},
		"6 GHz":                         {"GB", radio.Band6, 37, 160, 23, ""},
		"6 GHz, its upper half":         {"GB", radio.Band6, 117, 20, 0, "channel 117 of 6 GHz is not for wireless networks in GB"},
		"and where it may be":           {"US", radio.Band6, 117, 20, 18, ""},
		"5 dBm of each MHz":             {"US", radio.Band6, 5, 20, 19, "19 dBm is louder than channel 5 of 6 GHz may be at 20 MHz in US, 18 dBm"},
		"the wider, the louder":         {"US", radio.Band6, 5, 80, 24, ""},
		"and not more":                  {"US", radio.Band6, 5, 160, 28, "28 dBm is louder than channel 1 of 6 GHz may be at 160 MHz in US, 27 dBm"},
		"as wide as the device likes":   {"US", radio.Band6, 5, 0, 30, ""},
		"but not louder":                {"US", radio.Band6, 5, 0, 31, "31 dBm is louder than channel 5 of 6 GHz may be in US, 30 dBm"},
		"6 GHz where nothing is known":  {"JP", radio.Band6, 37, 160, 36, ""},
		"no channel of 20 MHz":          {"GB", radio.Band6, 6, 20, 0, "channel 6 of 6 GHz is not for"},
		"wider than 6 GHz":              {"US", radio.Band6, 233, 40, 0, "would leave the band"},
		"too wide for those that there": {"US", radio.Band2, 8, 40, 20, ""},
	} {
		err := radio.Check(c.country, c.band, c.channel, c.width, c.dBm)
		if c.says == "" {
			assert.NoError(t, err, name)
		} else {
			assert.ErrorContains(t, err, c.says, name)
		}
	}
	assert.Len(t, radio.Countries(), 35)
	assert.Equal(t, 5180, radio.MHz(radio.Band5, 36))
	assert.Equal(t, 2437, radio.MHz(radio.Band2, 6))
	assert.Equal(t, 6135, radio.MHz(radio.Band6, 37))
}

// A block holds its primary channel, is as wide as said, and is the same for each channel in it.
func TestBlocks(t *testing.T) {
	t.Parallel()
	assert.Equal(t, []int{36, 40, 44, 48}, radio.Block(radio.Band5, 44, 80))
	assert.Equal(t, []int{149, 153}, radio.Block(radio.Band5, 153, 40))
	rapid.Check(t, func(t *rapid.T) {
		country := rapid.SampledFrom(radio.Countries()).Draw(t, "country")
		band := rapid.SampledFrom([]radio.Band{radio.Band5, radio.Band6}).Draw(t, "band")
		channels := radio.Channels(country, band)
		if len(channels) == 0 {
			return
		}
		c := rapid.SampledFrom(channels).Draw(t, "channel")
		width := rapid.SampledFrom([]int{20, 40, 80, 160}).Draw(t, "width")
		block := radio.Block(band, c.Number, width)
		if block == nil && (band == radio.Band5 && width == 160 && c.Number >= 132 || band == radio.Band6 && c.Number > 221) {
			return
		}
		if len(block) != width/20 || !slices.Contains(block, c.Number) {
			t.Fatalf("%d MHz at %d is %v", width, c.Number, block)
		}
		for _, o := range block {
			if !slices.Equal(radio.Block(band, o, width), block) {
				t.Fatalf("%d of %v has another block", o, block)
			}
		}
	})
}

// Stations search on one channel of each block of 80 MHz of 6 GHz.
func TestWhereStationsSearch(t *testing.T) {
	t.Parallel()
	for n := 1; n <= 221; n += 4 {
		found := 0
		for _, c := range radio.Block(radio.Band6, n, 80) {
			if radio.Searched(radio.Band6, c) {
				found++
			}
		}
		assert.Equal(t, 1, found, n)
	}
	assert.True(t, radio.Searched(radio.Band5, 44))
}
