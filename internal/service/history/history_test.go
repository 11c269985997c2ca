package history_test

import (
	"context"
	"io"
	"log/slog"
	"math"
	"path/filepath"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/series"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/history"
	"example.net/everypost/internal/store"
)

// nobody is a fleet without devices: the tests tell of readings themselves.
type nobody struct{}

func (nobody) View(string) (fleet.View, bool) { return fleet.View{}, false }

// begin is where the time of the tests starts: at the border of a bucket of each level.
var begin = time.UnixMilli(1_800_000_000_000).Truncate(16 * 24 * time.Hour).UTC()

// bench is a history on a store of its own, with a clock that is set by hand.
type bench struct {
	*history.Service
	store *store.Store
	file  string
	now   atomic.Int64
	log   *slog.Logger
	feed  *feed.Feed
}

func newBench(t *testing.T) *bench {
	b := &bench{file: filepath.Join(t.TempDir(), "db"), log: slog.New(slog.NewTextHandler(io.Discard, nil))}
	b.open(t)
	require.NoError(t, b.store.PutSite(t.Context(), network.Site{Name: "tern-haven"}))
	require.NoError(t, b.store.AddDevice(t.Context(), store.Device{Name: "th-sw-02", Site: "tern-haven", Address: "10.20.10.12:830", Secret: []byte{}, Identity: network.Identity{Serial: "HY1"}, EnrolledAt: begin}))
	b.set(begin)
	return b
}

func (b *bench) open(t *testing.T) {
	t.Helper()
	s, err := store.Open(t.Context(), b.file)
	require.NoError(t, err)
	b.store = s
	f, err := feed.New(t.Context(), s, b.log)
	require.NoError(t, err)
	b.feed = f
	b.Service = history.New(s, nobody{}, func(string) int { return 0 }, f, b.log, func() time.Time { return time.UnixMilli(b.now.Load()) }, 0)
	t.Cleanup(func() {
		b.Close()
		f.Close()
		_ = s.Close()
	})
}

func (b *bench) set(t time.Time) { b.now.Store(t.UnixMilli()) }

// reopen ends the history and its store in good order, and opens them again.
func (b *bench) reopen(t *testing.T) {
	t.Helper()
	b.Close()
	require.NoError(t, b.store.Close())
	b.open(t)
}

// load is what port 1/1/7 receives at a time after begin, in octets each second: a little more each hour.
func load(at time.Duration) float64 { return 1000 + 100*math.Floor(at.Hours()) }

// live lets the device be read each half minute. Port 1/1/8 is idle.
func (b *bench) live(from, to time.Duration) {
	o := b
	octets := uint64(0)
	for at := time.Duration(0); at < to; at += 30 * time.Second {
		if at >= from {
			v := fleet.View{Name: "th-sw-02", Identity: network.Identity{Kind: network.Switch}}
			v.State = network.State{ObservedAt: begin.Add(at), Power: &network.Power{UsedMilliW: 12_500}, Ports: map[string]network.PortState{
				"1/1/7": {Oper: network.Up, Counters: network.Counters{RxOctets: octets}}, "1/1/8": {Oper: network.Down}}}
			v.Inside = network.Inside{ObservedAt: begin.Add(at), Hardware: network.Hardware{HasSensors: true, CPUPercent: 10 + at.Hours(), Temperature: 40}}
			b.set(begin.Add(at))
			o.Read(v)
		}
		octets += uint64(30 * load(at))
	}
	b.set(begin.Add(to))
}

// settled waits until all that was read is in the store, and packs what is over.
func (b *bench) settled(t *testing.T) {
	t.Helper()
	b.reopen(t)
	for {
		more, err := b.SealOne(t.Context())
		require.NoError(t, err)
		if !more {
			return
		}
	}
}

// ask tells one metric.
func (b *bench) ask(t *testing.T, part series.Part, name, metric string, from, to, step time.Duration) []series.Point {
	t.Helper()
	span, err := b.Fit(begin.Add(from), begin.Add(to), step, 100)
	require.NoError(t, err)
	list, err := b.Ask(t.Context(), history.Question{Device: "th-sw-02", Part: part, Names: []string{name}, Metrics: []string{metric}}, span)
	require.NoError(t, err)
	require.Len(t, list, 1)
	return list[0].Points
}

func TestReadingsAreToldAtEveryStepWhetherPackedOrNot(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	const lived = 5*time.Hour + 10*time.Minute
	b.live(0, lived)
	b.settled(t) // two buckets of two hours are packed, the third is in the log
	for _, step := range []time.Duration{time.Minute, 5 * time.Minute, 10 * time.Minute, time.Hour} {
		points := b.ask(t, series.Port, "1/1/7", "rx", 0, lived, step)
		for i, p := range points {
			at := time.Duration(i) * step
			if at+step > lived-time.Minute {
				continue // the last step is not over
			}
			require.True(t, p.Known, "step %s at %s", step, at)
			assert.InDelta(t, 8*load(at), p.Mean, 0.01*8*load(at), "step %s at %s", step, at)
			assert.InDelta(t, 8*load(at), p.Max, 0.01*8*load(at))
		}
		for i, p := range b.ask(t, series.Port, "1/1/8", "rx", 0, lived-time.Minute, step) {
			assert.True(t, p.Known, "an idle port is known to be idle: step %s at %d", step, i)
			assert.Zero(t, p.Max)
		}
		cpu := b.ask(t, series.Device, "", "cpu", 0, lived-time.Minute, step)
		assert.InDelta(t, 10, cpu[0].Min, 0.1)
		assert.InDelta(t, 10+step.Hours()/2, cpu[0].Mean, 0.15)
		assert.InDelta(t, 10+step.Hours(), cpu[0].Max, 0.15)
	}
}

// Stations come and go, so that readings of one source are not of the same things.
func TestThingsThatComeAndGoAreToldWhileTheyAreThere(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	o := b
	const mac = "02:a1:60:00:00:07"
	for i := range 2*60*3 + 20 { // three hours, read each half minute
		at := begin.Add(time.Duration(i) * 30 * time.Second)
		v := fleet.View{Name: "th-sw-02", Identity: network.Identity{Kind: network.AccessPoint}, State: network.State{ObservedAt: at}, Inside: network.Inside{ObservedAt: at}}
		hour := i / 120
		if hour != 1 { // it is away for the second hour
			v.Inside.Stations = append(v.Inside.Stations, network.Station{MAC: mac, SignalDbm: -50 - hour, RxOctets: uint64(i%120) * 30_000})
		}
		if i%7 == 0 {
			v.Inside.Stations = append(v.Inside.Stations, network.Station{MAC: "02:a1:60:00:00:08", SignalDbm: -70})
		}
		b.set(at)
		o.Read(v)
	}
	b.settled(t)
	for _, step := range []time.Duration{5 * time.Minute, time.Hour} {
		span, err := b.Fit(begin, begin.Add(3*time.Hour), step, 0)
		require.NoError(t, err)
		list, err := b.AskClient(t.Context(), mac, span)
		require.NoError(t, err)
		require.Len(t, list, 3)
		rx, signal := list[0].Points, list[2].Points
		each := int(time.Hour / step)
		for i := range 3 * each {
			switch i / each {
			case 1:
				assert.False(t, signal[i].Known, "step %s, %d", step, i)
			default:
				require.True(t, signal[i].Known, "step %s, %d", step, i)
				assert.InDelta(t, -50-i/each, signal[i].Mean, 0.5)
				assert.InDelta(t, 8000, rx[i].Max, 1)
			}
		}
	}
}

func TestWholeStretchesAreOnePoint(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	b.live(0, 4*time.Hour)
	b.settled(t)
	list, err := b.Ask(t.Context(), history.Question{Device: "th-sw-02", Part: series.Port, Names: []string{"1/1/7"}, Metrics: []string{"rx"}}, history.Whole(begin, begin.Add(4*time.Hour)))
	require.NoError(t, err)
	assert.InDelta(t, 8*1150, list[0].Points[0].Mean, 8)
	assert.InDelta(t, 8*1300, list[0].Points[0].Max, 8)
}

func TestARestartLosesNothing(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	b.live(0, time.Hour)
	b.reopen(t)
	b.live(time.Hour, 2*time.Hour+20*time.Minute)
	b.settled(t)
	points := b.ask(t, series.Port, "1/1/7", "rx", 0, 2*time.Hour+15*time.Minute, 5*time.Minute)
	for i, p := range points {
		assert.True(t, p.Known, "five minutes %d", i)
	}
}

func TestATimeWithoutReadingsIsAGap(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	b.live(0, 30*time.Minute)
	b.live(time.Hour, 90*time.Minute)
	b.settled(t)
	points := b.ask(t, series.Port, "1/1/7", "rx", 0, 90*time.Minute, 10*time.Minute)
	known := ""
	for _, p := range points {
		known += map[bool]string{true: "x", false: "-"}[p.Known]
	}
	assert.Equal(t, "xxx---xxx", known)
	assert.InDelta(t, 8000, points[2].Mean, 10)
}

func TestWhatIsTooOldIsDropped(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	b.live(0, 2*time.Hour+time.Minute)
	b.settled(t)
	b.set(begin.Add(8 * 24 * time.Hour))
	require.NoError(t, b.Sweep(t.Context()))
	key := func(l series.Level) int64 { return series.Key(l, l.Bucket(begin.UnixMilli()), 1, 0) }
	left, err := b.store.Chunks(t.Context(), []int64{key(series.Raw), key(series.Fine), key(series.Coarse)})
	require.NoError(t, err)
	assert.NotContains(t, left, key(series.Raw), "readings are kept for a week")
	assert.Contains(t, left, key(series.Fine))
	assert.True(t, b.ask(t, series.Port, "1/1/7", "rx", 0, time.Hour, time.Minute)[0].Known, "told in steps of what is left")
	b.set(begin.Add(100 * 24 * time.Hour))
	require.NoError(t, b.Sweep(t.Context()))
	assert.True(t, b.ask(t, series.Port, "1/1/7", "rx", 0, time.Hour, time.Minute)[0].Known)
	b.set(begin.Add(3 * 365 * 24 * time.Hour))
	require.NoError(t, b.Sweep(t.Context()))
	assert.False(t, b.ask(t, series.Port, "1/1/7", "rx", 0, time.Hour, time.Hour)[0].Known)
}

func TestThePastIsTakenOver(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	days := func(n int) time.Time { return begin.Add(time.Duration(n) * 24 * time.Hour) }
	mean, high := make([]float64, 24*28), make([]float64, 24*28)
	for i := range mean {
		mean[i], high[i] = float64(1000*(i%24)), float64(5000*(i%24))
	}
	mean[30] = math.NaN()
	fine := make([]float64, 2*288)
	for i := range fine {
		fine[i] = float64(8000 + 100*(i%12))
	}
	port := series.Thing{Part: series.Port, Name: "1/1/7"}
	list := []history.Past{
		{Thing: port, Metric: "rx", From: days(-30), Step: time.Hour, Mean: mean, Max: high},
		{Thing: port, Metric: "rx", From: days(-2), Step: 5 * time.Minute, Mean: fine},
		{Thing: series.Thing{Part: series.Device}, Metric: "cpu", From: days(-30), Step: time.Hour, Mean: mean},
	}
	require.NoError(t, b.Import(t.Context(), "th-sw-02", begin, list))
	require.NoError(t, b.Import(t.Context(), "th-sw-02", begin, list), "again changes nothing")
	b.live(0, time.Hour)
	b.settled(t)
	whole := b.ask(t, series.Port, "1/1/7", "rx", -30*24*time.Hour, time.Hour-time.Minute, time.Hour)
	require.Len(t, whole, 24*30+1)
	for i, p := range whole {
		want := 8550.0 // of an hour
		switch {
		case i < 24*28:
			want = mean[i]
		case i == 24*30: // as it was read since
			want = 8000
		}
		if i == 30 {
			assert.False(t, p.Known)
			continue
		}
		assert.InDelta(t, want, p.Mean, 5, "hour %d", i)
	}
	assert.InDelta(t, 5000*7, whole[7].Max, 5)
	assert.False(t, b.ask(t, series.Device, "", "cpu", -30*24*time.Hour, 0, time.Hour)[30].Known)
	assert.False(t, b.ask(t, series.Port, "1/1/7", "tx", -30*24*time.Hour, 0, time.Hour)[7].Known, "what was not handed over is not known, and not nothing")
	assert.InDelta(t, 7000, b.ask(t, series.Port, "1/1/7", "rx", -30*24*time.Hour, -29*24*time.Hour, 20*time.Minute)[22].Mean, 5, "what is known by the hour is told of each part of it")
	last := b.ask(t, series.Port, "1/1/7", "rx", -24*time.Hour, 0, 5*time.Minute)
	for i, p := range last {
		assert.InDelta(t, 8000+100*(i%12), p.Mean, 5)
	}
	for i, p := range b.ask(t, series.Port, "1/1/7", "rx", -24*time.Hour, -23*time.Hour, time.Minute) {
		assert.InDelta(t, 8000+100*(i/5%12), p.Mean, 5, "minute %d is told of its five minutes, not of its hour", i)
	}

	for name, bad := range map[string]history.Past{
		"a metric that is not":      {Thing: port, Metric: "wear", From: days(-3), Step: time.Hour, Mean: mean[:1]},
		"a step that is not":        {Thing: port, Metric: "rx", From: days(-3), Step: time.Minute, Mean: mean[:1]},
		"not at a whole step":       {Thing: port, Metric: "rx", From: days(-3).Add(time.Minute), Step: time.Hour, Mean: mean[:1]},
		"after it was enrolled":     {Thing: port, Metric: "rx", From: days(-1), Step: time.Hour, Mean: mean[:25]},
		"longer ago than is kept":   {Thing: port, Metric: "rx", From: days(-800), Step: time.Hour, Mean: mean[:1]},
		"no points":                 {Thing: port, Metric: "rx", From: days(-1), Step: time.Hour},
		"fewer highest than points": {Thing: port, Metric: "rx", From: days(-1), Step: time.Hour, Mean: mean[:3], Max: mean[:2]},
		"a clock":                   {Thing: series.Thing{Part: series.Clock}, Metric: "", From: days(-1), Step: time.Hour, Mean: mean[:3]},
	} {
		assert.ErrorIs(t, b.Import(context.Background(), "th-sw-02", begin, []history.Past{bad}), history.ErrInvalid, name)
	}
}

func TestDevicesAreAddedUp(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	b.live(0, time.Hour)
	b.settled(t)
	span, err := b.Fit(begin, begin.Add(50*time.Minute), 10*time.Minute, 0)
	require.NoError(t, err)
	total, err := b.Total(t.Context(), []string{"th-sw-02", "th-sw-99"}, "poe_draw", span)
	require.NoError(t, err)
	assert.InDelta(t, 12.5, total.Points[2].Mean, 0.01)
	_, err = b.Total(t.Context(), nil, "wear", span)
	assert.ErrorIs(t, err, history.ErrInvalid)
}

func TestStepsFitWhatIsKept(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	for _, c := range []struct {
		ago, long, step time.Duration
		points          int
		want            time.Duration
	}{
		{time.Hour, time.Hour, 0, 240, time.Minute},
		{24 * time.Hour, 24 * time.Hour, 0, 240, 10 * time.Minute},
		{30 * 24 * time.Hour, 30 * 24 * time.Hour, 0, 240, 3 * time.Hour},
		{30 * 24 * time.Hour, time.Hour, time.Minute, 0, 5 * time.Minute},
		{200 * 24 * time.Hour, 24 * time.Hour, time.Minute, 0, time.Hour},
	} {
		from := begin.Add(-c.ago)
		span, err := b.Fit(from, from.Add(c.long), c.step, c.points)
		require.NoError(t, err)
		assert.Equal(t, c.want.Milliseconds(), span.Step, "%+v", c)
		assert.LessOrEqual(t, span.From, from.UnixMilli())
		assert.GreaterOrEqual(t, span.To(), from.Add(c.long).UnixMilli())
	}
	_, err := b.Fit(begin.Add(-6*24*time.Hour), begin, time.Minute, 0)
	assert.ErrorIs(t, err, history.ErrInvalid, "too many points")
	_, err = b.Fit(begin, begin, 0, 10)
	assert.ErrorIs(t, err, history.ErrInvalid)
}

// A device that takes the name of one that was forgotten begins anew, and its readings are kept.
func TestANameThatIsAnothersIsReadAnew(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	b.live(0, 10*time.Minute)
	require.NoError(t, b.store.RemoveDevice(t.Context(), "th-sw-02"))
	b.feed.Tell(fact.Of(begin, fact.TheDevice("th-sw-02"), fact.DeviceForgotten{By: "ada"}))
	require.Eventually(t, func() bool { return !b.Remembers("th-sw-02") }, 30*time.Second, 5*time.Millisecond)
	require.NoError(t, b.store.AddDevice(t.Context(), store.Device{Name: "th-sw-02", Site: "tern-haven", Address: "10.20.10.13:830", Secret: []byte{}, Identity: network.Identity{Serial: "HY2"}, EnrolledAt: begin}))
	b.live(20*time.Minute, 30*time.Minute)
	b.settled(t)
	known := ""
	for _, p := range b.ask(t, series.Port, "1/1/7", "rx", 0, 30*time.Minute, 5*time.Minute) {
		known += map[bool]string{true: "x", false: "-"}[p.Known]
	}
	assert.Equal(t, "----xx", known)
}

func TestADamagedRowIsAGapAndNoMore(t *testing.T) {
	t.Parallel()
	b := newBench(t)
	b.live(0, 30*time.Minute)
	b.reopen(t)
	source, err := b.store.SourceOf(t.Context(), "th-sw-02", series.FromState)
	require.NoError(t, err)
	at := begin.Add(30 * time.Minute).UnixMilli()
	require.NoError(t, b.store.AppendSamples(t.Context(), []store.LogRow{{Source: source, Bucket: series.Raw.Bucket(at), At: at, Data: []byte{0, 0xff, 0xff}}}))
	b.live(40*time.Minute, 130*time.Minute)
	b.settled(t)
	known := ""
	for _, p := range b.ask(t, series.Port, "1/1/7", "rx", 0, 2*time.Hour, 10*time.Minute) {
		known += map[bool]string{true: "x", false: "-"}[p.Known]
	}
	assert.Equal(t, "xxx-xxxxxxxx", known)
}
