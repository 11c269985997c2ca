package schedule

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestParse(t *testing.T) {
	for text, want := range map[string]string{
		"Mon-Fri 6:00-19:00,sat 08:00-12:00": "mon-fri 06:00-19:00, sat 08:00-12:00", "mon 06:00-24:00": "mon 06:00-24:00", "sat-mon 01:00-05:00": "sat-mon 01:00-05:00",
		"mon 19:00-06:00": "", "someday 06:00-07:00": "", "mon": "", "mon 06:00-24:30": "", "mon 6-7": "", "": "",
	} {
		w, err := Parse(text)
		if want == "" {
			assert.Error(t, err, text)
			continue
		}
		require.NoError(t, err, text)
		assert.Equal(t, want, w.String())
	}
}

func TestOpenAndNext(t *testing.T) {
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	for _, tc := range []struct {
		week, at string
		open     bool
		next     string
	}{
		{"sat 01:00-05:00", "2026-11-27T12:00", false, "2026-11-28T01:00"},
		{"sat 01:00-05:00", "2026-11-28T01:00", true, "2026-12-05T01:00"},
		{"sat 01:00-05:00", "2026-11-28T04:59", true, "2026-12-05T01:00"},
		{"sat 01:00-05:00", "2026-11-28T05:00", false, "2026-12-05T01:00"},
		{"sat-mon 22:00-24:00", "2026-11-30T23:30", true, "2026-12-05T22:00"},
		{"sat-mon 22:00-24:00", "2026-11-29T12:00", false, "2026-11-29T22:00"},
		{"mon 06:00-07:00, tue 01:00-02:00", "2026-11-30T06:30", true, "2026-12-01T01:00"},
		{"sun 01:00-03:00", "2026-03-28T12:00", false, "2026-03-29T02:00"}, // the clock goes from 01:00 to 02:00
	} {
		w, err := Parse(tc.week)
		require.NoError(t, err)
		at, err := time.ParseInLocation("2006-01-02T15:04", tc.at, london)
		require.NoError(t, err)
		assert.Equal(t, tc.open, w.Open(at), "%s at %s", tc.week, tc.at)
		assert.Equal(t, tc.next, w.Next(at).Format("2006-01-02T15:04"), "%s after %s", tc.week, tc.at)
	}
	assert.True(t, Week(nil).Next(time.Now()).IsZero())
}

// What begins next is open then, was not begun before, and nothing begins between.
func TestNextIsTheFirst(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var w Week
		for range rapid.IntRange(1, 4).Draw(t, "spans") {
			begin := rapid.IntRange(0, 1400).Draw(t, "begin")
			w = append(w, Span{time.Weekday(rapid.IntRange(0, 6).Draw(t, "first")), time.Weekday(rapid.IntRange(0, 6).Draw(t, "last")), begin, rapid.IntRange(begin+1, 1440).Draw(t, "end")})
		}
		again, err := Parse(w.String())
		if err != nil || again.String() != w.String() {
			t.Fatalf("%v is written %q", w, again)
		}
		at := time.Date(2026, 11, 2, 0, 0, 0, 0, time.UTC).Add(time.Duration(rapid.IntRange(0, 20_000).Draw(t, "minute")) * time.Minute)
		next := w.Next(at)
		if !next.After(at) || !w.Open(next) {
			t.Fatalf("next of %v after %v is %v", w, at, next)
		}
		if first := at.Add(time.Minute); !w.Open(at) && next.After(first) {
			for m := first; m.Before(next); m = m.Add(time.Minute) {
				if w.Open(m) {
					t.Fatalf("%v is open at %v, before %v", w, m, next)
				}
			}
		}
	})
}
