package job

import (
	"fmt"
	"strings"
	"time"

	"github.com/teambition/rrule-go"

	"example.net/everypost/internal/core/schedule"
)

// When says when a job is done.
type When struct {
	At    time.Time `json:"at"`              // the first time; zero: at once
	Rule  string    `json:"rule,omitempty"`  // how it recurs: a recurrence rule of RFC 5545, without its name; "" for once
	Zone  string    `json:"zone,omitempty"`  // of the IANA database: the clock by which it recurs and its hours are; UTC when ""
	Hours string    `json:"hours,omitempty"` // steps are begun only then: spans of the week, see schedule
	// CatchUp has it done as soon as possible where it was due while the service did not run.
	CatchUp bool `json:"catch_up,omitempty"`
}

const (
	maxRule = 300
	// often is how close two times of a rule may follow one another at least.
	often = 5 * time.Minute
)

// Place is the clock by which it is.
func (w When) Place() *time.Location {
	if l, err := time.LoadLocation(w.Zone); err == nil {
		return l
	}
	return time.UTC
}

func (w When) check() error {
	if _, err := time.LoadLocation(w.Zone); err != nil || w.Zone == "Local" {
		return fmt.Errorf("%w: %q is no time zone: write one such as Europe/London", ErrInvalid, w.Zone)
	}
	if w.Hours != "" {
		if _, err := schedule.Parse(w.Hours); err != nil {
			return fmt.Errorf("%w: its hours: %w", ErrInvalid, err)
		}
	}
	if w.Rule == "" {
		return nil
	}
	r, err := w.rule(time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC))
	if err != nil {
		return err
	}
	first := r.After(r.GetDTStart(), true)
	if second := r.After(first, false); !second.IsZero() && second.Sub(first) < often {
		return fmt.Errorf("%w: by %q it would be done each %s: at most each %s", ErrInvalid, w.Rule, second.Sub(first), often)
	}
	return nil
}

// rule reads the rule. What counts from the begin counts from the first time, or from when the job was made.
func (w When) rule(begin time.Time) (*rrule.RRule, error) {
	if len(w.Rule) > maxRule {
		return nil, fmt.Errorf("%w: its rule is longer than %d characters", ErrInvalid, maxRule)
	}
	upper := strings.ToUpper(strings.TrimPrefix(strings.TrimSpace(w.Rule), "RRULE:"))
	if strings.Contains(upper, "FREQ=SECONDLY") || strings.Contains(upper, "FREQ=MINUTELY") || strings.Contains(upper, "BYSECOND") {
		return nil, fmt.Errorf("%w: a job recurs by the hour at most: FREQ=HOURLY, DAILY, WEEKLY, MONTHLY or YEARLY", ErrInvalid)
	}
	o, err := rrule.StrToROption(upper)
	if err != nil {
		return nil, fmt.Errorf("%w: %q is no recurrence rule (RFC 5545): write one such as FREQ=DAILY;BYHOUR=2;BYMINUTE=30: %w", ErrInvalid, w.Rule, err)
	}
	if !w.At.IsZero() {
		begin = w.At
	}
	o.Dtstart = begin.In(w.Place()).Truncate(time.Second)
	if len(o.Byhour) > 0 && len(o.Byminute) == 0 {
		o.Byminute = []int{0} // people who say an hour mean its begin
	}
	if len(o.Byhour) > 0 || len(o.Byminute) > 0 {
		o.Bysecond = []int{0}
	}
	r, err := rrule.NewRRule(*o)
	if err != nil {
		return nil, fmt.Errorf("%w: %q is no recurrence rule (RFC 5545): %w", ErrInvalid, w.Rule, err)
	}
	return r, nil
}

// First is when a job that is made at a moment is done first; zero for never.
func (w When) First(made time.Time) time.Time {
	switch {
	case w.Rule != "":
		r, err := w.rule(made)
		if err != nil {
			return time.Time{}
		}
		return r.After(later(made, w.At).Add(-time.Second), false).UTC()
	case w.At.After(made):
		return w.At.UTC()
	}
	return made.UTC()
}

// After is when a job that was made at a moment is done next after another; zero for never.
func (w When) After(made, t time.Time) time.Time {
	if w.Rule == "" {
		return time.Time{}
	}
	r, err := w.rule(made)
	if err != nil {
		return time.Time{}
	}
	next := r.After(t, false)
	if next.IsZero() {
		return next
	}
	return next.UTC()
}

// Open tells whether steps may be begun at a moment.
func (w When) Open(at time.Time) bool {
	week, err := schedule.Parse(w.Hours)
	return w.Hours == "" || err == nil && week.Open(at.In(w.Place()))
}

// String says it in words.
func (w When) String() string {
	place := w.Place()
	var out string
	switch {
	case w.Rule != "":
		out = recurs(w.Rule)
	case !w.At.IsZero():
		out = "on " + w.At.In(place).Format("2 Jan 2006 15:04")
	default:
		out = "at once"
	}
	if w.Zone != "" && w.Zone != "UTC" {
		out += " (" + w.Zone + ")"
	}
	if w.Hours != "" {
		out += ", only " + w.Hours
	}
	return out
}

// recurs says common rules in words, and others as they are.
func recurs(rule string) string {
	o, err := rrule.StrToROption(strings.ToUpper(strings.TrimPrefix(strings.TrimSpace(rule), "RRULE:")))
	if err != nil || o.Interval > 1 || o.Count > 0 || !o.Until.IsZero() || len(o.Byhour) > 1 || len(o.Byminute) > 1 || len(o.Bymonth)+len(o.Bysetpos)+len(o.Byyearday)+len(o.Byweekno)+len(o.Byeaster) > 0 {
		return rule
	}
	at := ""
	if len(o.Byhour) == 1 {
		minute := 0
		if len(o.Byminute) == 1 {
			minute = o.Byminute[0]
		}
		at = fmt.Sprintf(" at %02d:%02d", o.Byhour[0], minute)
	}
	days := make([]string, len(o.Byweekday))
	for i, d := range o.Byweekday {
		if d.N() != 0 {
			return rule
		}
		days[i] = []string{"Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"}[d.Day()]
	}
	switch {
	case o.Freq == rrule.HOURLY && at == "" && len(days)+len(o.Bymonthday) == 0:
		return "every hour"
	case o.Freq == rrule.DAILY && len(days)+len(o.Bymonthday) == 0:
		return "every day" + at
	case o.Freq == rrule.WEEKLY && len(days) > 0 && len(o.Bymonthday) == 0:
		return "every " + strings.Join(days, ", ") + at
	case o.Freq == rrule.WEEKLY && len(o.Bymonthday) == 0:
		return "every week" + at
	case o.Freq == rrule.MONTHLY && len(o.Bymonthday) == 1 && len(days) == 0:
		return fmt.Sprintf("on day %d of every month%s", o.Bymonthday[0], at)
	}
	return rule
}

func later(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}
