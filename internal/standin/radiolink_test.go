package standin

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// ITU-T G.828, clause 3 and annex A: ten severely errored seconds in a row begin a time in which the link is unavailable, and are part of it; ten that are not end
// it, and are not part of it.
func TestSecondsAreCounted(t *testing.T) {
	t.Parallel()
	for name, tc := range map[string]struct {
		seconds string // . good, e errored, s severely errored
		want    string // errored, severely errored, unavailable
	}{
		"nothing":                              {"....................", "0 0 0"},
		"errors":                               {"..e...ee............", "3 0 0"},
		"nine are not ten":                     {"...sssssssss........", "9 9 0"},
		"ten are":                              {"...ssssssssss...........", "0 0 10"},
		"and all that follow":                  {"...sssssssssssssss...........", "0 0 15"},
		"nine good ones in between are of it":  {"ssssssssssss.........sss..........", "0 0 24"},
		"ten good ones in between are not":     {"ssssssssss..........sssssssss..........", "9 9 10"},
		"errors in what ends it are counted":   {"ssssssssss.e....e.............", "2 0 10"},
		"errors in what did not end it are no": {"ssssssssss.e..ssssssssss..........", "0 0 24"},
		"twice":                                {"ssssssssss..........ssssssssss..........", "0 0 20"},
		"severely errored ones by themselves":  {".s.s.s.....", "3 3 0"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			var b badSeconds
			for _, s := range tc.seconds {
				b.feed(s != '.', s == 's')
			}
			assert.Equal(t, tc.want, fmt.Sprint(b.es, " ", b.ses, " ", b.uas))
			assert.EqualValues(t, len(tc.seconds), b.total)
		})
	}
}

// Both ends must be told alike for the link to be up; rain takes level and modulation from it, and much rain all; what is counted is what was lost.
func TestRadioLinksFollowWhatTheyAreTold(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	hears := func(device string) heard {
		w.mu.Lock()
		defer w.mu.Unlock()
		return w.hears(endpoint{device, "radio0"})
	}
	set := func(device, leaf, value string) {
		configure(t, w, device, "ep-radio:radio-link/carrier-termination[radio0]/"+leaf+" "+value)
	}
	for range 10 {
		w.Step(time.Second)
	}
	require.True(t, w.PortUp("gs-rl-01:radio0"))
	assert.InDelta(t, -41, hears("gs-rl-01").level, 0.1)
	assert.Equal(t, 4, hears("gs-rl-01").mode)

	set("th-rl-01", "tx-frequency", "18415000")
	assert.False(t, hears("gs-rl-01").found, "it hears elsewhere")
	assert.True(t, hears("th-rl-01").found, "the other way is as it was")
	assert.False(t, w.PortUp("th-rl-01:radio0"), "one way is no link")
	for range 30 {
		w.Step(time.Second)
	}
	set("gs-rl-01", "rx-frequency", "18415000")
	require.True(t, w.PortUp("gs-rl-01:radio0"))
	for range 20 {
		w.Step(time.Second)
	}
	w.mu.Lock()
	w.countAir(w.clock.now())
	lost := w.devices["gs-rl-01"].ports["radio0"].air.badSeconds
	w.mu.Unlock()
	assert.EqualValues(t, 30, lost.uas, "as long as it was lost")
	assert.EqualValues(t, 60, lost.total)

	require.NoError(t, w.Throw(Rain, "th-rl-01"))
	assert.True(t, w.PortUp("gs-rl-01:radio0"))
	assert.Equal(t, 2, hears("gs-rl-01").mode, "64-QAM")
	set("gs-rl-01", "selected-min-acm", "qam-256")
	assert.False(t, w.PortUp("gs-rl-01:radio0"), "it is not to go so low")
	set("gs-rl-01", "selected-min-acm", "qpsk")
	require.NoError(t, w.Throw(Downpour, "th-rl-01"))
	assert.False(t, w.PortUp("th-rl-01:radio0"))
	require.NoError(t, w.Throw(Recover, "th-rl-01"))
	require.True(t, w.PortUp("th-rl-01:radio0"))

	// Automatic power sends with what is needed, and with more in rain.
	for _, end := range []string{"gs-rl-01", "th-rl-01"} {
		set(end, "power-mode", "atpc")
		set(end, "atpc-upper-threshold", "-50")
	}
	assert.InDelta(t, -50, hears("gs-rl-01").level, 0.1)
	require.NoError(t, w.Throw(Rain, "th-rl-01"))
	assert.InDelta(t, 18, hears("gs-rl-01").sent, 0.1)
	require.NoError(t, w.Throw(Recover, "th-rl-01"))

	// The wire follows the air.
	configure(t, w, "gs-rl-01", "ep-sw:switching/port[eth0]/follow/port radio0", "ep-sw:switching/port[eth0]/follow-delay 2")
	set("th-rl-01", "tx-enabled", "false")
	for range 5 {
		w.Step(time.Second)
	}
	assert.False(t, w.PortUp("gs-rl-01:eth0"), "it follows the air")
	set("th-rl-01", "tx-enabled", "true")
	w.Step(time.Second)
	assert.True(t, w.PortUp("gs-rl-01:eth0"))
}
