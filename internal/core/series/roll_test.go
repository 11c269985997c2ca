package series_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/series"
)

const minute = int64(60_000)

var (
	octets = series.Find(series.Port, "rx")
	heat   = series.Find(series.Device, "temperature")
)

func pointsOf(m *series.Metric, times, values []int64, s series.Span) []series.Point {
	sum := series.NewSum(m, s)
	sum.Add(series.Roll(m, times, values, s), series.Covered(times, s), s)
	return sum.Points()
}

func TestACounterIsToldAsARate(t *testing.T) {
	// 1000 octets a second for two minutes, then 3000; read each half minute.
	var times, values []int64
	v := int64(500)
	for i := range int64(9) {
		times, values = append(times, i*minute/2), append(values, v)
		v += 30_000
		if i >= 4 {
			v += 60_000
		}
	}
	got := pointsOf(octets, times, values, series.Span{From: 0, Step: 2 * minute, Count: 2})
	assert.Equal(t, []series.Point{{Known: true, Mean: 8000, Max: 8000}, {Known: true, Mean: 24000, Max: 24000}}, got)
	one := pointsOf(octets, times, values, series.Span{From: 0, Step: 4 * minute, Count: 1})
	assert.Equal(t, []series.Point{{Known: true, Mean: 16000, Max: 24000}}, one, "the peak is that of the fastest half minute")
}

func TestWhatIsNotKnownIsAGap(t *testing.T) {
	for name, c := range map[string]struct {
		metric        *series.Metric
		times, values []int64
		want          []series.Point
	}{
		"a device that was away": {octets, []int64{0, minute, 10 * minute, 11 * minute}, []int64{0, 60_000, 600_000, 660_000},
			[]series.Point{{Known: true, Mean: 8000, Max: 8000}, {}, {Known: true, Mean: 8000, Max: 8000}}},
		"no reading at all":  {octets, nil, nil, []series.Point{{}, {}, {}}},
		"a single reading":   {heat, []int64{minute}, []int64{400}, []series.Point{{}, {}, {}}},
		"a value not told":   {heat, []int64{0, minute, 2 * minute}, []int64{series.Absent, 400, 420}, []series.Point{{Known: true, Min: 40, Mean: 41, Max: 42}, {}, {}}},
		"readings all along": {heat, []int64{0, 2 * minute, 4 * minute, 6 * minute, 8 * minute}, []int64{400, 420, 410, 500, 400}, []series.Point{{Known: true, Min: 40, Mean: 41, Max: 42}, {Known: true, Min: 40, Mean: 45, Max: 50}, {}}},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Equal(t, c.want, pointsOf(c.metric, c.times, c.values, series.Span{From: 0, Step: 5 * minute, Count: 3}))
		})
	}
}

func TestACounterThatRanBackwardsTellsNothingOfThatTime(t *testing.T) {
	got := pointsOf(octets, []int64{0, minute, 2 * minute}, []int64{600_000, 660_000, 30_000}, series.Span{From: 0, Step: minute, Count: 2})
	assert.Equal(t, series.Point{Known: true, Mean: 8000, Max: 8000}, got[0])
	assert.Zero(t, got[1].Mean, "not the rate of a counter that went round")
}

func TestWhatACounterGrewIsSpreadWithoutLoss(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		times, values := []int64{rapid.Int64Range(0, minute).Draw(t, "start")}, []int64{0}
		for range rapid.IntRange(1, 50).Draw(t, "readings") {
			times = append(times, times[len(times)-1]+rapid.Int64Range(1000, 3*minute).Draw(t, "after"))
			values = append(values, values[len(values)-1]+rapid.Int64Range(0, 1<<32).Draw(t, "grown"))
		}
		s := series.Span{From: 0, Step: 5 * minute, Count: 40}
		r := series.Roll(octets, times, values, s)
		sum, covered := int64(0), int64(0)
		for _, g := range r.Grown {
			sum += g
		}
		for _, c := range series.Covered(times, s) {
			covered += c
		}
		assert.InDelta(t, values[len(values)-1], sum, 40, "each step is rounded")
		assert.Equal(t, times[len(times)-1]-times[0], covered)
	})
}

func TestEachMetricHasASlotOfItsOwn(t *testing.T) {
	for _, p := range series.Parts() {
		seen := map[string]bool{}
		all := series.Metrics(p)
		assert.NotEmpty(t, all, p)
		assert.LessOrEqual(t, len(all), series.MaxSlots)
		for i, m := range all {
			assert.Equal(t, i, m.Slot())
			assert.False(t, seen[m.Name], "%s %s", p, m.Name)
			assert.NotEmpty(t, m.Help)
			seen[m.Name] = true
		}
	}
	a, b := series.Key(series.Raw, 7, 1<<27, 15), series.Key(series.Raw, 8, 0, 0)
	assert.Less(t, a, b, "what is older has the smaller key")
	assert.Less(t, series.Key(series.Fine, 1<<23, 1, 1), series.Key(series.Coarse, 0, 0, 0))
}
