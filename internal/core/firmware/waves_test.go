package firmware_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/firmware"
)

func TestWavesOfATerminal(t *testing.T) {
	t.Parallel()
	got := firmware.Waves([]firmware.Place{
		{Device: "th-edge-01", Distance: 0, Behind: 9},
		{Device: "th-sw-01", Distance: 1, Behind: 8, Partner: "th-sw-02"},
		{Device: "th-sw-02", Distance: 1, Behind: 3, Partner: "th-sw-01"},
		{Device: "th-sw-03", Distance: 2, Behind: 1},
		{Device: "th-ap-01", Distance: 3},
		{Device: "th-ap-02", Distance: 3},
	})
	assert.Equal(t, map[string]int{"th-ap-01": 0, "th-ap-02": 1, "th-sw-03": 2, "th-sw-02": 3, "th-sw-01": 4, "th-edge-01": 5}, got)
	assert.Empty(t, firmware.Waves(nil))
	assert.Equal(t, map[string]int{"fm-sw-01": 0}, firmware.Waves([]firmware.Place{{Device: "fm-sw-01", Distance: -1}}))
}

func TestWavesHoldWhatTheyPromise(t *testing.T) {
	t.Parallel()
	rapid.Check(t, func(t *rapid.T) {
		places := make([]firmware.Place, rapid.IntRange(1, 30).Draw(t, "devices"))
		for i := range places {
			places[i] = firmware.Place{Device: fmt.Sprint("d", i), Distance: rapid.IntRange(-1, 5).Draw(t, "distance"), Behind: rapid.IntRange(0, 4).Draw(t, "behind")}
			if i%2 == 1 && rapid.Bool().Draw(t, "pair") {
				places[i].Partner, places[i-1].Partner = places[i-1].Device, places[i].Device
			}
		}
		wave := firmware.Waves(places)
		require.Len(t, wave, len(places))
		first, last, used := 0, 0, map[int]bool{}
		for _, w := range wave {
			used[w] = true
			last = max(last, w)
			if w == 0 {
				first++
			}
		}
		require.Equal(t, 1, first, "one device is the trial")
		require.Len(t, used, last+1, "no wave is empty")
		for _, a := range places {
			if a.Partner != "" {
				require.NotEqual(t, wave[a.Device], wave[a.Partner], "%s and its partner", a.Device)
			}
			for _, b := range places {
				if wave[a.Device] == 0 {
					require.LessOrEqual(t, a.Behind, b.Behind, "the trial is the one on which least hangs")
				} else if wave[b.Device] > 0 && a.Distance > b.Distance && b.Distance >= 0 {
					require.Less(t, wave[a.Device], wave[b.Device], "the farther goes before the nearer")
				}
			}
		}
	})
}
