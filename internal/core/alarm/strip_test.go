package alarm_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"example.net/everypost/internal/core/alarm"
)

func TestAStripOfATime(t *testing.T) {
	at := func(minutes int) time.Time { return begin.Add(time.Duration(minutes) * time.Minute) }
	one := func(s alarm.Severity, from, to int) alarm.Alarm {
		a := alarm.Alarm{Condition: alarm.Condition{Severity: s}, RaisedAt: at(from)}
		if to != 0 {
			a.ClearedAt = at(to)
		}
		return a
	}
	for name, c := range map[string]struct {
		list []alarm.Alarm
		want string // a letter for each quarter of an hour
	}{
		"nothing":                   {nil, "----"},
		"before":                    {[]alarm.Alarm{one(alarm.Major, -60, -1)}, "----"},
		"from before until within":  {[]alarm.Alarm{one(alarm.Major, -60, 20)}, "mm--"},
		"for a moment":              {[]alarm.Alarm{one(alarm.Warning, 31, 32)}, "--w-"},
		"stands":                    {[]alarm.Alarm{one(alarm.Minor, 50, 0)}, "---i"},
		"the worst counts":          {[]alarm.Alarm{one(alarm.Warning, 0, 59), one(alarm.Critical, 16, 17), one(alarm.Minor, 16, 40)}, "wciw"},
		"after the end of the time": {[]alarm.Alarm{one(alarm.Major, 70, 0)}, "----"},
	} {
		got := ""
		for _, s := range alarm.Strip(c.list, begin, 15*time.Minute, 4) {
			got += map[alarm.Severity]string{"": "-", alarm.Critical: "c", alarm.Major: "m", alarm.Minor: "i", alarm.Warning: "w"}[s]
		}
		assert.Equal(t, c.want, got, name)
	}
}
