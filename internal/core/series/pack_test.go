package series_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/series"
)

func value() *rapid.Generator[int64] {
	return rapid.OneOf(rapid.Just(int64(0)), rapid.Just(int64(series.Absent)), rapid.Int64Range(-2000, 2000), rapid.Int64Range(-1<<61, 1<<61))
}

func TestAColumnComesBackAsItWasPacked(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		values := rapid.SliceOfN(value(), 0, 300).Draw(t, "values")
		got, err := series.Decode(series.Encode(values))
		require.NoError(t, err)
		assert.Equal(t, values, append([]int64{}, got...))
	})
}

func TestRowsComeBackOneAfterAnother(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		width := rapid.IntRange(0, 40).Draw(t, "width")
		var before, read []int64
		for range rapid.IntRange(1, 6).Draw(t, "rows") {
			values := rapid.SliceOfN(value(), width, width).Draw(t, "values")
			got, err := series.ReadRow(read, series.Row(before, values), width)
			require.NoError(t, err)
			assert.Equal(t, values, got)
			before, read = values, got
		}
	})
}

func TestSeveralColumnsComeBackTogether(t *testing.T) {
	columns := [][]int64{{1, 2, series.Absent}, {0, 0, 0}}
	got, err := series.Split(series.Join(columns), 2)
	require.NoError(t, err)
	assert.Equal(t, columns, got)
	_, err = series.Split(series.Join(columns), 3)
	assert.Error(t, err)
	_, err = series.Split(series.Join([][]int64{{1}, {1, 2}}), 2)
	assert.Error(t, err, "columns of one thing are equally long")
}

func FuzzDecode(f *testing.F) {
	f.Add(series.Encode([]int64{1, 5, 9, series.Absent}))
	f.Add([]byte{0xff, 0xff, 0xff, 0xff, 0x0f, 0})
	f.Fuzz(func(t *testing.T, b []byte) {
		values, err := series.Decode(b)
		if err != nil {
			return
		}
		again, err := series.Decode(series.Encode(values))
		require.NoError(t, err)
		assert.Equal(t, values, again)
	})
}

func FuzzReadRow(f *testing.F) {
	f.Add(series.Row(nil, []int64{3, 0, 0, -7}), 4)
	f.Add([]byte{0, 0xff, 0xff, 0xff, 0xff, 0xff, 1}, 4)
	f.Fuzz(func(t *testing.T, b []byte, n int) {
		if n < 0 || n > 1000 {
			return
		}
		if values, err := series.ReadRow(nil, b, n); err == nil {
			assert.Len(t, values, n)
		}
	})
}

// counterColumn is what a port of some load counts in two hours, read each half minute.
func counterColumn() []int64 {
	r := rand.New(rand.NewPCG(1, 2))
	out, v := make([]int64, 240), int64(1<<40)
	for i := range out {
		v += 3_000_000 + r.Int64N(200_000)
		out[i] = v
	}
	return out
}

func BenchmarkEncode(b *testing.B) {
	values := counterColumn()
	size := 0
	for b.Loop() {
		size = len(series.Encode(values))
	}
	b.ReportMetric(float64(size)/float64(len(values)), "bytes/sample")
	b.ReportMetric(float64(len(values))*float64(b.N)/b.Elapsed().Seconds(), "samples/s")
}

func BenchmarkDecode(b *testing.B) {
	packed := series.Encode(counterColumn())
	for b.Loop() {
		_, _ = series.Decode(packed)
	}
	b.ReportMetric(240*float64(b.N)/b.Elapsed().Seconds(), "samples/s")
}
