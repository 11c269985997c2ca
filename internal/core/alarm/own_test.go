package alarm_test

import (
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/fact/words"
	"example.net/everypost/internal/core/series"
)

func TestRulesAreChecked(t *testing.T) {
	for says, r := range map[string]alarm.Rule{
		"there is no reading device.rx":     {Part: series.Device, Metric: "rx", Is: alarm.Above, Severity: alarm.Minor},
		"there is no reading client.signal": {Part: series.Client, Metric: "signal", Is: alarm.Above, Severity: alarm.Minor},
		`not "near"`:                        {Part: series.Device, Metric: "cpu", Is: "near", Severity: alarm.Minor},
		`no severity "bad"`:                 {Part: series.Device, Metric: "cpu", Is: alarm.Above, Severity: "bad"},
		"0 s to 24 h":                       {Part: series.Device, Metric: "cpu", Is: alarm.Above, Severity: alarm.Minor, For: 25 * time.Hour},
		"after a minute at the earliest":    {Part: series.Device, Metric: "cpu", Is: alarm.Absent, Severity: alarm.Minor},
		"over at that or below, not at 90":  {Part: series.Device, Metric: "cpu", Is: alarm.Above, Limit: 80, Back: 90, Severity: alarm.Minor},
		"over at that or above, not at 1":   {Part: series.Device, Metric: "cpu", Is: alarm.Below, Limit: 3, Back: 1, Severity: alarm.Minor},
		"longer than 1000":                  {Part: series.Device, Metric: "cpu", Is: alarm.Above, Severity: alarm.Minor, Remedy: strings.Repeat("x", 1001)},
	} {
		err := r.Check()
		require.ErrorIs(t, err, alarm.ErrRule, says)
		assert.ErrorContains(t, err, says)
	}
	fine := alarm.Rule{Part: series.Port, Metric: "up", Is: alarm.Absent, Limit: 3, For: time.Minute, Severity: alarm.Minor, Effect: " x "}
	require.NoError(t, fine.Check())
	assert.Zero(t, fine.Limit)
	assert.Equal(t, "x", fine.Effect)
}

// fits runs values through a rule, one every ten seconds; "-" is none. It returns where the alarm stands as a line of 0 and 1.
func fits(r alarm.Rule, values ...any) string {
	var f alarm.Fit
	var out strings.Builder
	for i, v := range values {
		n, known := v.(int)
		f = r.Next(f, begin.Add(time.Duration(i)*10*time.Second), float64(n), known)
		if f.On {
			out.WriteByte('1')
		} else {
			out.WriteByte('0')
		}
	}
	return out.String()
}

func TestRulesOverReadings(t *testing.T) {
	above := alarm.Rule{Part: series.Device, Metric: "cpu", Is: alarm.Above, Limit: 80, Back: 60}
	assert.Equal(t, "01110010", fits(above, 80, 81, 70, 61, 60, 70, 99, 10))
	lasting := above
	lasting.For = 20 * time.Second
	assert.Equal(t, "0000111", fits(lasting, 90, 70, 90, 90, 90, "-", 61), "it must last; without a reading it stays")
	assert.Equal(t, "00000", fits(lasting, 90, "-", 90, 90, 70), "a gap is no time in which it was so")
	below := alarm.Rule{Part: series.RadioLink, Metric: "received", Is: alarm.Below, Limit: -60, Back: -55}
	assert.Equal(t, "01100", fits(below, -60, -61, -56, -55, -57))
	absent := alarm.Rule{Part: series.Module, Metric: "received", Is: alarm.Absent, For: 20 * time.Second}
	assert.Equal(t, "00000", fits(absent, "-", "-", "-", "-", "-"), "what never was is not missed")
	assert.Equal(t, "0000110", fits(absent, "-", 1, "-", "-", "-", "-", 5))
}

// Whatever is read: without hysteresis and duration an alarm stands exactly while the value is out of order, and with more of either it never stands where
// it did not without.
func TestRulesOnlyGetQuieter(t *testing.T) {
	random := rand.New(rand.NewPCG(4, 2))
	plain := alarm.Rule{Part: series.Device, Metric: "cpu", Is: alarm.Above, Limit: 50, Back: 50}
	slow := plain
	slow.For = 30 * time.Second
	var a, b alarm.Fit
	for i := range 5000 {
		at, value := begin.Add(time.Duration(i)*10*time.Second), float64(random.IntN(100))
		a, b = plain.Next(a, at, value, true), slow.Next(b, at, value, true)
		assert.Equal(t, value > 50, a.On)
		assert.False(t, b.On && !a.On)
	}
}

func TestWhenARuleWouldHaveHadAlarms(t *testing.T) {
	r := alarm.Rule{Part: series.Device, Metric: "cpu", Is: alarm.Above, Limit: 80, Back: 70, For: 20 * time.Minute}
	span := series.Span{From: begin.UnixMilli(), Step: (10 * time.Minute).Milliseconds(), Count: 9}
	point := func(mean, high float64) series.Point {
		return series.Point{Known: true, Mean: mean, Min: mean, Max: high}
	}
	points := []series.Point{point(85, 99), point(90, 99), point(95, 99), point(75, 99), point(60, 99), {}, point(10, 85), point(85, 85), point(10, 10)}
	assert.Equal(t, []alarm.Episode{{From: begin.Add(20 * time.Minute), To: begin.Add(40 * time.Minute), Worst: 95}}, r.Episodes(span, points))
	r.For = 0
	all := r.Episodes(span, points)
	require.Len(t, all, 1)
	assert.Equal(t, 99.0, all[0].Worst, "what is short counts by the worst of a step")
	assert.Equal(t, begin.Add(80*time.Minute), all[0].To)
	open := r.Episodes(span, points[:3])
	require.Len(t, open, 1)
	assert.True(t, open[0].To.IsZero())
}

func TestWhatARuleSays(t *testing.T) {
	r := alarm.Rule{Name: "busy-uplinks", Part: series.Port, Metric: "tx", Is: alarm.Above, Limit: 8e9, Severity: alarm.Major, Remedy: "Ask Tilda."}
	c := r.Condition("th-sw-01", "1/1/49", 9.25e9)
	said := words.English.Alarm(c.Type, c.Subject.String(), c.Args)
	assert.Equal(t, "th-sw-01:1/1/49: tx is 9.2 Gbit/s, above 8 Gbit/s (rule busy-uplinks).", said.What)
	assert.Equal(t, "Ask Tilda.", said.Remedy)
	assert.NotEmpty(t, said.Effect)
	tunnel := alarm.Rule{Name: "far", Part: series.Tunnel, Metric: "delay", Is: alarm.Below, Limit: 1}
	c = tunnel.Condition("hh-edge-01", "t1", 0.5)
	assert.Equal(t, "hh-edge-01, tunnel t1: delay is 0.5 ms, below 1 ms (rule far).", words.English.Alarm(c.Type, c.Subject.String(), c.Args).What)
	gone := alarm.Rule{Name: "dark", Part: series.Module, Metric: "received", Is: alarm.Absent, For: time.Minute}
	c = gone.Condition("x", "1/1/49", 0)
	assert.Equal(t, "x:1/1/49: received was not read for 1m0s (rule dark).", words.English.Alarm(c.Type, c.Subject.String(), c.Args).What)
	assert.NotEqual(t, gone.Condition("x", "1/1/49", 0).Key(), r.Condition("x", "1/1/49", 0).Key(), "two rules have two alarms")
}
