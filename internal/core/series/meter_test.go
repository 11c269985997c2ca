package series_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"example.net/everypost/internal/core/series"
)

func TestAMeterMakesNumbersOfReadings(t *testing.T) {
	at := time.Date(2026, 11, 29, 8, 0, 0, 0, time.UTC)
	rx, up := series.Find(series.Port, "rx"), series.Find(series.Port, "up")
	read := func(octets, oper int64) []series.Reading {
		values := make([]int64, 15)
		values[rx.Slot()], values[up.Slot()] = octets, oper
		return []series.Reading{{Thing: series.Thing{Part: series.Port, Name: "1"}, Values: values}}
	}
	value := func(m *series.Meter, of *series.Metric, name string) any {
		if v, known := m.Value(name, of); known {
			return v
		}
		return nil
	}
	var m series.Meter
	assert.Nil(t, value(&m, up, "1"))
	m.Read(at, read(1000, 1))
	assert.Equal(t, 1.0, value(&m, up, "1"))
	assert.Nil(t, value(&m, rx, "1"), "a rate takes two readings")
	m.Read(at.Add(2*time.Second), read(2000, 1))
	assert.Equal(t, 4000.0, value(&m, rx, "1"), "bit/s")
	m.Read(at.Add(2*time.Second), read(9000, 0))
	assert.Equal(t, 4000.0, value(&m, rx, "1"), "the same reading is none")
	m.Read(at.Add(4*time.Second), read(10, 0))
	assert.Nil(t, value(&m, rx, "1"), "it counted anew")
	assert.Equal(t, 0.0, value(&m, up, "1"))
	assert.Nil(t, value(&m, up, "2"))
	assert.Equal(t, []string{"1"}, m.Things(series.Port))
	m.Read(at.Add(6*time.Second), []series.Reading{{Thing: series.Thing{Part: series.Port, Name: "1"}, Values: []int64{series.Absent}}})
	assert.Nil(t, value(&m, rx, "1"))
	assert.Nil(t, value(&m, up, "1"))
}
