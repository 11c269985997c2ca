// Package alarm finds what is out of order in the network, and what follows from what. Terms are those of RFC 8632 and, for severities,
// ITU-T X.733.
//
// A condition is something that is out of order now; an alarm is the condition over its life: raised, changed, cleared, with what operators
// did about it. Conditions are worked out from the network as it is, not from what was heard of it, so that nothing is missed and nothing
// stays open by mistake.
package alarm

import (
	"cmp"
	"slices"
	"time"

	"example.net/everypost/internal/core/fact"
)

// Severity is how bad something is (X.733 8.1.2.3).
type Severity string

// The severities, the worst first.
const (
	Critical Severity = "critical"
	Major    Severity = "major"
	Minor    Severity = "minor"
	Warning  Severity = "warning"
)

// Severities lists them, the worst first.
func Severities() []Severity { return []Severity{Critical, Major, Minor, Warning} }

// Compare orders severities, the worst first.
func (s Severity) Compare(o Severity) int {
	return cmp.Compare(slices.Index(Severities(), s), slices.Index(Severities(), o))
}

// Type is a kind of alarm (RFC 8632 alarm-type).
type Type struct {
	ID       string
	Severity Severity
	// After is how long the condition must stand before it is an alarm: what comes and goes by itself is none.
	After time.Duration
}

// Condition is something that is out of order now.
type Condition struct {
	Type     string         `json:"type"`
	Subject  fact.Subject   `json:"subject"` // RFC 8632 resource
	Name     string         `json:"name"`    // of the part of it that is meant, "" for all: psu1
	Severity Severity       `json:"severity"`
	Args     map[string]any `json:"args,omitempty"` // of the sentence that tells it
}

// Key is what an alarm is known by: the same thing out of order in the same way.
type Key struct {
	Type, Subject, Name string
}

// Key returns that of a condition.
func (c Condition) Key() Key {
	return Key{c.Type, string(c.Subject.Is) + " " + c.Subject.String(), c.Name}
}

// Alarm is a condition over its life.
type Alarm struct {
	Number int64 `json:"-"`
	Condition
	RaisedAt  time.Time `json:"raised_at"`
	ChangedAt time.Time `json:"changed_at"`
	ClearedAt time.Time `json:"cleared_at"` // zero while it stands
	Count     int       `json:"count"`      // how often it was raised: what comes back soon is the same one
	Cause     int64     `json:"cause"`      // the number of the alarm that it follows from; 0 for none
	// Change is the change that was made on what it touches shortly before, By who changed that by other ways.
	Change int64  `json:"change,omitempty"`
	By     string `json:"by,omitempty"`

	AckedBy      string    `json:"acked_by,omitempty"`
	AckedAt      time.Time `json:"acked_at"`
	AssignedTo   string    `json:"assigned_to,omitempty"`
	ClosedBy     string    `json:"closed_by,omitempty"` // by hand, while the condition stood
	ClosedWhy    string    `json:"closed_why,omitempty"`
	SilencedBy   string    `json:"silenced_by,omitempty"`
	SilenceUntil time.Time `json:"silence_until"`
	Notes        []Note    `json:"notes,omitempty"`
}

// Note is what somebody said of an alarm, or did about it.
type Note struct {
	At   time.Time `json:"at"`
	By   string    `json:"by"`
	Text string    `json:"text"`
}

// Open tells whether it stands and nobody closed it.
func (a Alarm) Open() bool { return a.ClearedAt.IsZero() && a.ClosedBy == "" }

// Silent tells whether nobody wants to hear of it at a moment.
func (a Alarm) Silent(now time.Time) bool { return now.Before(a.SilenceUntil) }

const (
	// Again is how soon something must come back to be the same alarm, with a count, and not another one.
	Again = 15 * time.Minute
)

// Watch is what is remembered of conditions between two looks.
type Watch struct {
	since map[Key]time.Time // conditions that stand, and since when
}

// Look compares what stands with the alarms that are open or were cleared lately, and returns those that change or are new (Number
// 0). Conditions that have not stood long enough raise nothing yet. unseen tells of which alarms nobody can say now whether they stand:
// they stay as they are.
func (w *Watch) Look(known []Alarm, standing []Condition, now time.Time, unseen func(Alarm) bool) []Alarm {
	if w.since == nil {
		w.since = map[Key]time.Time{}
	}
	is := make(map[Key]Condition, len(standing))
	for _, c := range standing {
		is[c.Key()] = c
	}
	for k := range w.since {
		if _, stands := is[k]; !stands {
			delete(w.since, k)
		}
	}
	var out []Alarm
	met := map[Key]bool{}
	for _, a := range known {
		k := a.Key()
		c, stands := is[k]
		if met[k] {
			continue // an older one of the same thing
		}
		met[k] = true
		switch {
		case stands && a.ClearedAt.IsZero():
			if a.Severity != c.Severity {
				a.Severity, a.Args, a.ChangedAt = c.Severity, c.Args, now
				out = append(out, a)
			}
		case stands && now.Sub(a.ClearedAt) < Again:
			if !w.stood(k, now) {
				continue
			}
			a.Condition, a.ChangedAt, a.ClearedAt, a.Count = c, now, time.Time{}, a.Count+1
			a.ClosedBy, a.ClosedWhy = "", "" // it came back
			out = append(out, a)
		case stands:
			met[k] = false // too long ago: another one
		case a.ClearedAt.IsZero() && !unseen(a):
			a.ClearedAt, a.ChangedAt = now, now
			out = append(out, a)
		}
	}
	for _, c := range standing {
		if k := c.Key(); !met[k] && w.stood(k, now) {
			met[k] = true
			out = append(out, Alarm{Condition: c, RaisedAt: now, ChangedAt: now, Count: 1})
		}
	}
	return out
}

// stood tells whether a condition stands long enough to be an alarm.
func (w *Watch) stood(k Key, now time.Time) bool {
	since, seen := w.since[k]
	if !seen {
		w.since[k], since = now, now
	}
	return now.Sub(since) >= types[k.Type].After
}
