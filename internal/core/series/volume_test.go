package series_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/series"
)

func TestVolumesByHourDayAndMonth(t *testing.T) {
	zone, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	// From the 24th of October on, over the night in which the clock goes back: that day has 25 hours.
	span := series.Span{From: time.Date(2026, 10, 24, 0, 0, 0, 0, zone).UnixMilli(), Step: time.Hour.Milliseconds(), Count: 24 * 10}
	points := make([]series.Point, span.Count)
	for i := range points {
		points[i] = series.Point{Known: i != 3, Mean: 8}
	}
	hours := series.Volumes(span, points, "hour", zone)
	assert.Len(t, hours, span.Count)
	assert.Equal(t, 3600.0, hours[0].Octets)
	assert.False(t, hours[3].Known)
	days := series.Volumes(span, points, "day", zone)
	assert.Equal(t, 23*3600.0, days[0].Octets, "an hour is not known")
	assert.Equal(t, 25*3600.0, days[1].Octets)
	assert.Equal(t, 24*3600.0, days[2].Octets)
	months := series.Volumes(span, points, "month", zone)
	require.Len(t, months, 2)
	assert.Equal(t, time.Month(11), months[1].From.Month())
	var sum, all float64
	for _, b := range days {
		sum += b.Octets
	}
	for _, b := range months {
		all += b.Octets
	}
	assert.InDelta(t, sum, all, 0.1, "whatever they are put into, it is as much")
	assert.Empty(t, series.Volumes(series.Span{}, nil, "day", zone))
}
