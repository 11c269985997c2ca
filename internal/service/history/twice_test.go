package history_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/series"
	"example.net/everypost/internal/service/fleet"
)

// A client that an access point tells of twice in one reading, as it changes from one radio to the other, is kept once, and neither
// keeps the rest from being packed.
func TestAThingThatIsToldTwiceIsKeptOnce(t *testing.T) {
	b := newBench(t)
	o := b
	const mac = "02:a1:60:00:00:07"
	for at := time.Duration(0); at < 3*time.Hour; at += 30 * time.Second {
		station := func(band string, octets uint64) network.Station {
			return network.Station{MAC: mac, Band: band, RxOctets: octets, SignalDbm: -60}
		}
		v := fleet.View{Name: "th-sw-02", Identity: network.Identity{Kind: network.AccessPoint}}
		v.Inside = network.Inside{ObservedAt: begin.Add(at), Stations: []network.Station{station("5 GHz", 1000*uint64(at/time.Second)), station("2.4 GHz", 7)}}
		v.State = network.State{ObservedAt: begin.Add(at), Ports: map[string]network.PortState{}}
		b.set(begin.Add(at))
		o.Read(v)
	}
	b.set(begin.Add(3 * time.Hour))
	b.settled(t)
	source, err := b.store.SourceOf(t.Context(), "th-sw-02", series.FromInside)
	require.NoError(t, err)
	log, err := b.store.SampleLog(t.Context(), source)
	require.NoError(t, err)
	for _, r := range log {
		assert.GreaterOrEqual(t, r.At, begin.Add(2*time.Hour-time.Minute).UnixMilli(), "what is over is packed")
	}
}
