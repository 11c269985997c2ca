package troubles

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
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
