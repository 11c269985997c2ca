package network

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestRatesBetween(t *testing.T) {
	before := Counters{RxOctets: 1000, TxOctets: 500, RxUnicast: 10, RxErrors: 1}
	after := Counters{RxOctets: 2000, TxOctets: 500, RxUnicast: 14, RxBroadcast: 2, RxErrors: 2, TxDiscards: 4}
	assert.Equal(t, Rates{Span: 2 * time.Second, RxBps: 4000, RxPps: 3, Errors: 0.5, Discards: 2}, RatesBetween(before, after, 2*time.Second))
	for name, none := range map[string]Rates{
		"counted anew":  RatesBetween(after, before, time.Second),
		"too long ago":  RatesBetween(before, after, time.Hour),
		"at one moment": RatesBetween(before, after, 0),
	} {
		assert.Equal(t, Rates{}, none, name)
	}
	assert.Equal(t, Rates{Span: time.Second}, RatesBetween(before, before, time.Second), "a quiet port is known to be quiet")
	assert.InDelta(t, 50, Rates{RxBps: 1e6, TxBps: 5e6}.UsePercent(10), 1e-9)
	assert.Zero(t, Rates{RxBps: 1e6}.UsePercent(0))
}

func TestStationsAreRatedByTheReadingBefore(t *testing.T) {
	at := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	before := Inside{ObservedAt: at, Stations: []Station{{MAC: "a", RxOctets: 1000, TxOctets: 5000}, {MAC: "b", RxOctets: 9000}}}
	now := Inside{ObservedAt: at.Add(10 * time.Second), Stations: []Station{{MAC: "a", RxOctets: 3500, TxOctets: 5000}, {MAC: "b", RxOctets: 10}, {MAC: "c", RxOctets: 10}}}
	now.RateStations(before)
	assert.Equal(t, Station{MAC: "a", RxOctets: 3500, TxOctets: 5000, RxBps: 2000, RatesKnown: true}, now.Stations[0])
	assert.False(t, now.Stations[1].RatesKnown, "it joined anew")
	assert.False(t, now.Stations[2].RatesKnown, "it was not there before")
	again := Inside{ObservedAt: at, Stations: []Station{{MAC: "a", RxOctets: 3500}}}
	again.RateStations(before)
	assert.False(t, again.Stations[0].RatesKnown, "no time has passed")
}
