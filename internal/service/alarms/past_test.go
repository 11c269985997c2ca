package alarms_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/alarm"
	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/service/alarms"
	"example.net/everypost/internal/store"
)

// was is an alarm of a switch that stood for an hour, so many hours before a time.
func was(at time.Time, hours int) store.PastAlarm {
	from := at.Add(-time.Duration(hours) * time.Hour)
	return store.PastAlarm{Follows: -1, Alarm: alarm.Alarm{Condition: alarm.Condition{Type: alarm.DeviceGone, Subject: fact.TheDevice("th-sw-01"), Severity: alarm.Critical, Args: map[string]any{"why": ""}},
		RaisedAt: from, ClearedAt: from.Add(time.Hour), Count: 1}}
}

// What is taken over stands in the list by when it was raised, page by page, whenever it was taken over; and is nothing to what stands now.
func TestThePastStandsWhereItBelongs(t *testing.T) {
	t.Parallel()
	b := open(t)
	enrolled := b.at
	since := func(string) time.Time { return enrolled }
	b.after(t, 0, nil, device("th-sw-01", network.ReachConnected, fan))
	b.after(t, time.Minute, nil, device("th-sw-01", network.ReachConnected))
	require.NoError(t, b.Import(t.Context(), []store.PastAlarm{was(enrolled, 30), was(enrolled, 90)}, since, "ada"))
	require.NoError(t, b.Import(t.Context(), []store.PastAlarm{was(enrolled, 60)}, since, "ada"))
	var ages []int
	var before int64
	for {
		page, err := b.List(t.Context(), store.AlarmQuery{Over: true, Before: before, Limit: 1})
		require.NoError(t, err)
		if len(page) == 0 {
			break
		}
		before = page[0].Number
		ages = append(ages, int(enrolled.Sub(page[0].RaisedAt).Hours()))
	}
	assert.Equal(t, []int{0, 30, 60, 90}, ages)
	assert.Empty(t, b.all(t, store.AlarmQuery{Open: true}))
	one := b.all(t, store.AlarmQuery{Over: true})[1]
	assert.Equal(t, []alarm.Note{{At: b.at, By: "ada", Text: "took it over from another system"}}, one.Notes)

	b.after(t, time.Minute, nil, device("th-sw-01", network.ReachGone))
	b.after(t, time.Minute, nil, device("th-sw-01", network.ReachGone))
	open := b.all(t, store.AlarmQuery{Open: true})
	require.Len(t, open, 1)
	assert.Equal(t, 1, open[0].Count, "what was gone the day before is gone anew, and not still")
}

// A list is kept whole or not at all, wherever in it what cannot be stands.
func TestAListOfThePastIsKeptWholeOrNotAtAll(t *testing.T) {
	t.Parallel()
	b := open(t)
	enrolled := b.at
	since := func(string) time.Time { return enrolled }
	require.NoError(t, b.Import(t.Context(), []store.PastAlarm{was(enrolled, 500)}, since, "ada"))
	rapid.Check(t, func(rt *rapid.T) {
		list := make([]store.PastAlarm, rapid.IntRange(1, 8).Draw(rt, "alarms"))
		for i := range list {
			list[i] = was(enrolled, 10*(i+1))
		}
		bad := rapid.IntRange(0, len(list)-1).Draw(rt, "bad")
		want := alarms.ErrInvalid
		switch rapid.IntRange(0, 3).Draw(rt, "why") {
		case 0:
			list[bad].Follows = bad
		case 1:
			list[bad].ClearedAt = enrolled
		case 2:
			list[bad].Type = "unheard-of"
		case 3:
			list[bad], want = was(enrolled, 500), store.ErrExists
		}
		require.ErrorIs(rt, b.Import(t.Context(), list, since, "ada"), want)
		require.Len(rt, b.all(t, store.AlarmQuery{}), 1)
	})
}
