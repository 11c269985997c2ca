package catalog

import (
	"time"

	"example.net/everypost/internal/core/selector"
)

// Alarm is an open alarm of a device, or of a port of it.
type Alarm struct {
	Number     int64
	Type       string
	Severity   string
	Port       string // "" for the device itself
	RaisedAt   time.Time
	Acked      bool
	AssignedTo string
}

var severities = []string{"critical", "major", "minor", "warning"}

// SetAlarms replaces the open alarms of all devices.
func (n *Net) SetAlarms(by map[string][]*Alarm) { n.alarms = by }

// relatedAlarms lists the open alarms of a port, or of a device and all of its ports.
func (n *Net) relatedAlarms(rows *selector.Rows) []any {
	d, ok := rows[selector.Device].(*Device)
	if !ok {
		return nil
	}
	p, _ := rows[selector.Port].(*Port)
	var out []any
	for _, a := range n.alarms[d.Name] {
		if p == nil || a.Port == p.Ref.Port {
			out = append(out, a)
		}
	}
	return out
}

func alarmFields() []*selector.Field {
	f := func(name string, t selector.Type, help string, get func(*Alarm) selector.Datum) *selector.Field {
		return &selector.Field{Name: name, Noun: selector.Alarm, Type: t, Help: help, Get: of(get)}
	}
	severity := f("alarm.severity", selector.Choice, "how bad an open alarm is (ITU-T X.733)", func(a *Alarm) selector.Datum { return selector.Of(a.Severity) })
	severity.Choices = severities
	return []*selector.Field{
		severity,
		f("alarm.type", selector.Text, "kind of an open alarm: link-down, device-gone, own-rule ...", func(a *Alarm) selector.Datum { return selector.Of(a.Type) }),
		f("alarm.number", selector.Number, "number of an open alarm", func(a *Alarm) selector.Datum { return selector.OfNumber(a.Number) }),
		f("alarm.age", selector.Age, "how long ago an open alarm was raised", func(a *Alarm) selector.Datum { return when(a.RaisedAt) }),
		f("alarm.assigned", selector.Text, "to whom an open alarm was given", func(a *Alarm) selector.Datum { return selector.Of(a.AssignedTo) }),
		{Name: "alarm.acknowledged", Noun: selector.Alarm, Type: selector.Flag, Help: "whether somebody acknowledged an open alarm", Get: flag(func(a *Alarm) bool { return a.Acked })},
	}
}
