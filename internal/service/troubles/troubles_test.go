package troubles

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/fleet"
)

func TestATroubleIsToldWhenItBeginsAndWhenItIsOver(t *testing.T) {
	t.Parallel()
	s := &Service{known: map[string]known{}}
	at := time.Date(2026, 11, 2, 12, 0, 0, 0, time.UTC)
	read := func(psu, fan bool) (out []string) {
		at = at.Add(time.Minute)
		v := fleet.View{Name: "th-sw-02", Inside: network.Inside{ObservedAt: at, Hardware: network.Hardware{Supplies: []network.Supply{{Name: "psu1", OK: psu}}, Fans: []network.Fan{{Name: "fan1", OK: fan}}}}}
		for _, f := range s.compare(v) {
			assert.Equal(t, at, f.At)
			switch w := f.What.(type) {
			case fact.DeviceTrouble:
				out = append(out, w.Trouble.Key)
			case fact.DeviceTroubleOver:
				out = append(out, "over: "+w.Trouble.Key)
			}
		}
		assert.Empty(t, s.compare(v), "the same reading is told of once")
		return out
	}
	assert.Empty(t, read(true, true))
	assert.Equal(t, []string{"supply psu1"}, read(false, true))
	assert.Empty(t, read(false, true), "it goes on")
	assert.Equal(t, []string{"fan fan1", "over: supply psu1"}, read(true, false))
	assert.Equal(t, []string{"over: fan fan1"}, read(true, true))

	read(false, true)
	renamed := fact.Of(at, fact.TheDevice("th-quay"), fact.DeviceRenamed{From: "th-sw-02", By: "ada"})
	s.hear(feed.Item{Fact: &renamed})
	assert.Equal(t, []string{"supply psu1"}, read(false, true), "another device has that name now")
}

// Each move of traffic is told once: none that was there when the edge was first read, and all of those since it started anew, which are counted anew.
func TestMovesOfTrafficAreToldOnce(t *testing.T) {
	t.Parallel()
	s := &Service{known: map[string]known{}}
	at := time.Date(2026, 11, 2, 12, 0, 0, 0, time.UTC)
	boot := at.Add(-time.Hour)
	read := func(moves ...uint64) (out []int) {
		at = at.Add(time.Minute)
		v := fleet.View{Name: "th-edge-01", Identity: network.Identity{BootedAt: boot}, Inside: network.Inside{ObservedAt: at, Steered: &network.Steered{}},
			Config: network.Config{Objects: map[string]network.Settings{setting.SteeringObject: {setting.WayName(10): "application voice over fibre"}}}}
		for _, n := range moves {
			v.Inside.Steered.Moves = append(v.Inside.Steered.Moves, network.Move{Number: n, At: at, Way: 10, Remote: "hh-edge-01", To: "th-fibre-hub1", Why: "return", DelayMs: float64(n)})
		}
		for _, f := range s.compare(v) {
			move := f.What.(fact.DeviceSteered)
			assert.Equal(t, "application voice", move.Traffic)
			out = append(out, int(move.Delay))
		}
		return out
	}
	assert.Empty(t, read(1, 2), "what was there before is not news")
	assert.Equal(t, []int{3, 4}, read(1, 2, 3, 4))
	assert.Empty(t, read(3, 4))
	assert.Empty(t, read(), "it does not steer for a while")
	assert.Empty(t, read(3, 4))
	boot = at
	assert.Equal(t, []int{1, 2}, read(1, 2), "it started anew")
	assert.Empty(t, read(1, 2))
}
