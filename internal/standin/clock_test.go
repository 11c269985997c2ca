package standin

import (
	"math"
	"slices"
	"testing"
	"time"

	"example.net/everypost/internal/testing/race"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var noon = time.Date(2026, 11, 2, 12, 0, 0, 0, time.UTC)

// steppedWorld is the company with a clock that stands at noon; nothing listens.
func steppedWorld(t *testing.T, o Options) *World {
	t.Helper()
	return steppedPlant(t, LanternSound(), o)
}

// steppedPlant is steppedWorld of less than the whole company, for who lets many hours pass.
func steppedPlant(t *testing.T, p Plant, o Options) *World {
	t.Helper()
	o.User, o.Password, o.Stepped = "fleet", "tidewater-lamp", noon
	w, err := New(p, o)
	require.NoError(t, err)
	w.mu.Lock()
	defer w.mu.Unlock()
	w.settle()
	return w
}

// uplink is what went into Tern Haven: cameras, which send and do not sleep, are but a small part of it.
func uplink(w *World) float64 { return w.devices["th-edge-01"].ports["lan1"].counters.outOctets }

func TestADayPassesAtOnceAndIsTheSameForOneSeed(t *testing.T) {
	t.Parallel()
	day := func(seed int64) float64 {
		w := steppedWorld(t, Options{Seed: seed, Roam: true})
		long := time.Duration(race.Fewer(24, 4)) * time.Hour
		w.Step(long)
		assert.Equal(t, noon.Add(long), w.Now())
		return uplink(w)
	}
	first := day(1)
	assert.Positive(t, first)
	assert.Equal(t, first, day(1))
	assert.NotEqual(t, first, day(2))
}

func TestNightsAreQuieterThanDays(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	during := func(d time.Duration) float64 {
		before := uplink(w)
		w.Step(d)
		return uplink(w) - before
	}
	afternoon := during(3 * time.Hour)
	w.Step(10 * time.Hour) // one at night
	assert.Less(t, during(3*time.Hour), afternoon*0.7)
}

func TestAStepDoesWhatIsDue(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	require.NoError(t, w.Throw(Reboot, "th-sw-04"))
	d := w.devices["th-sw-04"]
	assert.True(t, d.booting)
	w.Step(time.Second)
	assert.True(t, d.booting)
	w.Step(2 * time.Second)
	assert.False(t, d.booting)
	assert.Equal(t, noon.Add(2*time.Second), d.booted, "it came up when it was due and not when somebody looked")
}

func TestStationsRoamWithinTheirSite(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{Roam: true})
	first, moved := w.Stations(), map[string]bool{}
	for range 12 {
		w.Step(10 * time.Minute)
		for mac, at := range w.Stations() {
			if from, was := first[mac]; was && at != from {
				moved[mac] = true
			}
		}
	}
	assert.Greater(t, len(moved), 50)
	for _, h := range w.hosts {
		if h.away {
			assert.NotContains(t, w.hostsAt[h.at.device], h)
			continue
		}
		home, err := w.endpoint(h.At)
		require.NoError(t, err)
		assert.Equal(t, w.devices[home.device].spec.Site, w.devices[h.at.device].spec.Site, h.Name)
		if h.SSID == "" {
			assert.Equal(t, home, h.at, "%s is plugged in", h.Name)
		}
		assert.Contains(t, w.hostsAt[h.at.device], h)
	}
}

func TestPassengersGoHomeAtNight(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{Roam: true})
	w.Step(time.Hour)
	byDay := len(w.Stations())
	w.Step(13 * time.Hour)
	assert.Less(t, len(w.Stations()), byDay-50)
	w.Step(11 * time.Hour)
	assert.InDelta(t, byDay, len(w.Stations()), 25)
}

func TestAMonthIsLivedThroughAndWrittenDown(t *testing.T) {
	t.Parallel()
	w, err := New(LanternSound(), Options{User: "fleet", Password: "tidewater-lamp", Seed: 3})
	require.NoError(t, err)
	days := race.Fewer(8, 4)
	written, err := w.LiveThrough(t.Context(), days, noon.Add(20*time.Minute), LanternMonth(days))
	require.NoError(t, err)
	past, happened := written.Points, written.Events
	find := func(device, part, name, metric string) (hours, fine Past) {
		t.Helper()
		for _, p := range past {
			if p.Device == device && p.Part == part && p.Name == name && p.Metric == metric {
				if p.Step == time.Hour {
					hours = p
				} else {
					fine = p
				}
			}
		}
		require.NotEmpty(t, hours.Mean)
		require.NotEmpty(t, fine.Mean)
		return hours, fine
	}
	hours, fine := find("th-edge-01", "port", "lan1", "rx")
	assert.Equal(t, noon.Add(-12*time.Hour-time.Duration(days)*24*time.Hour), hours.From, "it begins at midnight")
	assert.Len(t, hours.Mean, (days-2)*24+12)
	assert.Equal(t, noon.Add(-2*24*time.Hour), fine.From)
	assert.Len(t, fine.Mean, 2*288)
	var octets float64
	for _, v := range hours.Mean {
		octets += float64(v) * 3600 / 8
	}
	for _, v := range fine.Mean {
		octets += float64(v) * 300 / 8
	}
	assert.InEpsilon(t, w.devices["th-edge-01"].ports["lan1"].counters.inOctets, octets, 0.001, "what was written down adds up to what the port counts")

	received, _ := find("th-rl-01", "radio-link", "", "received")
	low := float32(0)
	for _, v := range received.Mean {
		low = min(low, v)
	}
	assert.Less(t, low, float32(-50), "it rained")
	_, lost := find("fu-edge-01", "tunnel", w.tunnelsAt["fu-edge-01"][0].Name, "delay")
	assert.False(t, math.IsNaN(float64(lost.Mean[0])))
	assert.NotEmpty(t, happened)
	for _, e := range happened {
		assert.True(t, e.At.After(noon.Add(-time.Duration(days+1)*24*time.Hour)) && e.At.Before(noon), "%+v", e)
	}
	night := slices.DeleteFunc(slices.Clone(written.Outages), func(o PastOutage) bool { return o.Begin.Before(noon.Add(-24 * time.Hour)) })
	slipway := noon.Add(-14 * time.Hour).Add(15 * time.Minute)
	assert.Equal(t, []PastOutage{
		{Device: "gs-ap-02", Begin: slipway, End: slipway.Add(85 * time.Minute)},
		{Device: "gs-sw-02", Begin: slipway, End: slipway.Add(85 * time.Minute), Link: "gs-sw-01:1/1/25", To: "gs-sw-02:1/1/9"},
	}, night)
	assert.True(t, w.clock.at.IsZero(), "then the clock is that of the machine")
}
