package radiolinks

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/radiolink"
	"example.net/everypost/internal/core/series"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/service/changes"
	"example.net/everypost/internal/service/history"
)

// told is history that was told beforehand.
type told map[series.Part]map[string][]series.Point

func (h told) Ask(_ context.Context, q history.Question, _ series.Span) (out []history.Series, _ error) {
	for metric, points := range h[q.Part] {
		out = append(out, history.Series{Device: q.Device, Thing: series.Thing{Part: q.Part}, Metric: series.Find(q.Part, metric), Points: points})
	}
	return out, nil
}

func (told) Fit(from, to time.Time, _ time.Duration, points int) (series.Span, error) {
	step := to.Sub(from) / time.Duration(points)
	return series.Span{From: from.UnixMilli(), Step: step.Milliseconds(), Count: points}, nil
}

func points(values ...float64) (out []series.Point) {
	for _, v := range values {
		out = append(out, series.Point{Known: v != -1, Min: v, Mean: v, Max: v})
	}
	return out
}

func TestHowALinkFared(t *testing.T) {
	t.Parallel()
	h := told{series.RadioLink: {"received": points(-41, -60.5, -1, -43), "capacity": points(803, 481, -1, 803), "es": points(0, 5, -1, 0), "ses": points(0, 1, -1, 0), "uas": points(0, 0, -1, 0)},
		series.Port: {"rx": points(2e6, 9e6, -1, 4e6), "tx": points(1e6, 1e6, -1, 3e6)}}
	s := &Service{History: h, Now: func() time.Time { return time.UnixMilli(1_800_000_000_000) }}
	f, err := s.Fared(t.Context(), network.PortRef{Device: "a", Port: "radio0"}, 4*time.Minute)
	require.NoError(t, err)
	assert.Equal(t, time.Minute, f.Step)
	assert.Equal(t, 3*time.Minute, f.Known, "of one minute nothing is known")
	assert.InDelta(t, 180, f.Seconds, 0.01)
	assert.InDelta(t, 3, f.Errored, 0.01, "5 % of a minute")
	assert.InDelta(t, 0.6, f.Severely, 0.01)
	assert.InDelta(t, 1, f.Available(), 1e-9)
	assert.Equal(t, [3]float64{-60.5, -41, 481}, [3]float64{f.Lowest, f.Highest, f.CapacityMbps})
	assert.Equal(t, [2]float64{9, 3}, [2]float64{f.RxPeak, f.TxPeak})

	h[series.RadioLink]["uas"] = points(0, 50, -1, 0)
	f, err = s.Fared(t.Context(), network.PortRef{Device: "a", Port: "radio0"}, 4*time.Minute)
	require.NoError(t, err)
	assert.InDelta(t, 30, f.Unavailable, 0.01)
	assert.Zero(t, f.CapacityMbps, "while it was unavailable it carried nothing")

	nothing, err := (&Service{History: told{}, Now: s.Now}).Fared(t.Context(), network.PortRef{Device: "a", Port: "radio0"}, time.Hour)
	require.NoError(t, err)
	assert.Zero(t, nothing.Performance)
	assert.Zero(t, nothing.Lowest)
}

type fixed changes.Network

func (n fixed) Network(context.Context) (changes.Network, error) { return changes.Network(n), nil }

func TestLinksAndWhatIsLeft(t *testing.T) {
	t.Parallel()
	end := func(tx, rx string) network.Config {
		return network.Config{Features: []network.Feature{setting.RadioCarriers}, Ports: map[string]network.PortConfig{"radio0": {Enabled: true, Carrier: true,
			Settings: network.Settings{"tx-frequency": tx, "rx-frequency": rx, "channel-separation": "110", "nominal-power": "18"}}}}
	}
	up := network.State{Ports: map[string]network.PortState{"radio0": {Oper: network.Up}}}
	at := func(d string) network.PortRef { return network.PortRef{Device: d, Port: "radio0"} }
	n := changes.Network{Configs: map[string]network.Config{"a": end("18305", "19315"), "b": end("19315", "18305"), "c": end("18305", "19315")},
		States:  map[string]network.State{"a": up, "b": up},
		Insides: map[string]network.Inside{"a": {RadioLink: &network.RadioLinkRead{ReceivedDbm: -42, CapacityMbps: 803}}, "b": {RadioLink: &network.RadioLinkRead{ReceivedDbm: -60, CapacityMbps: 481}}},
		Links:   []topology.Link{{A: at("a"), B: at("b")}}, Gone: map[string]bool{}}
	s := &Service{Network: fixed(n)}
	list, err := s.Links(t.Context())
	require.NoError(t, err)
	require.Len(t, list, 2)
	assert.Equal(t, "b", list[0].Far.At.Device)
	assert.Nil(t, list[1].Far, "nobody knows where the other end of c is")
	assert.Empty(t, list[0].Why())

	l, ok, err := s.Of(t.Context(), "b")
	require.NoError(t, err)
	require.True(t, ok)
	assert.Equal(t, [2]string{"b", "a"}, [2]string{l.Near.At.Device, l.Far.At.Device}, "seen from its other end")
	left, known := l.Left(100, 400)
	assert.True(t, known)
	assert.InDelta(t, 381, left, 0.01, "481 that it receives, less 100; 803 that it sends, less 400")
	left, _ = l.Left(100, 700)
	assert.InDelta(t, 103, left, 0.01)
	left, _ = l.Left(1000, 0)
	assert.Zero(t, left)
	l.Near.Up = false
	_, known = l.Left(0, 0)
	assert.False(t, known)
	_, ok, _ = s.Of(t.Context(), "d")
	assert.False(t, ok)

	n.Gone["b"] = true
	list, err = s.Links(t.Context())
	require.NoError(t, err)
	assert.Equal(t, radiolink.WhyAway, list[0].Why()[0].Code)
}
