// Package schedule is spans of the week: when a port works, when changes are made. It reads and writes them, and tells whether a
// moment is in one and when the next begins. What time it is, and where, are arguments.
package schedule

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Form says how spans are written, for people.
const Form = `days and hours such as "mon-fri 06:00-19:00, sat 08:00-12:00"`

// most is how many spans there are at most.
const most = 20

// Span is hours on some days of the week, local time: from Begin to before End, in minutes of the day.
type Span struct {
	First, Last time.Weekday // Last may come before First: it goes on over Sunday
	Begin, End  int
}

// Week is spans of the week.
type Week []Span

var weekdays = []string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}

func (s Span) String() string {
	days := weekdays[s.First]
	if s.Last != s.First {
		days += "-" + weekdays[s.Last]
	}
	return fmt.Sprintf("%s %02d:%02d-%02d:%02d", days, s.Begin/60, s.Begin%60, s.End/60, s.End%60)
}

func (w Week) String() string {
	parts := make([]string, len(w))
	for i, s := range w {
		parts[i] = s.String()
	}
	return strings.Join(parts, ", ")
}

// Parse reads spans of the week.
func Parse(text string) (Week, error) {
	var out Week
	for part := range strings.SplitSeq(text, ",") {
		words := strings.Fields(strings.ToLower(part))
		if len(words) != 2 {
			return nil, fmt.Errorf(`%q is not a span: write days and hours such as "mon-fri 06:00-19:00"`, strings.TrimSpace(part))
		}
		first, last, isRange := strings.Cut(words[0], "-")
		if !isRange {
			last = first
		}
		f, l := slices.Index(weekdays, first), slices.Index(weekdays, last)
		if f < 0 || l < 0 {
			return nil, fmt.Errorf("%q are no days: write mon, tue, wed, thu, fri, sat, sun or a range of them", words[0])
		}
		from, to, _ := strings.Cut(words[1], "-")
		begin, err1 := minutes(from)
		end, err2 := minutes(to)
		if err1 != nil || err2 != nil || end <= begin {
			return nil, fmt.Errorf("%q are no hours: write them like 06:00-19:00, the end after the begin", words[1])
		}
		out = append(out, Span{time.Weekday(f), time.Weekday(l), begin, end})
	}
	if len(out) > most {
		return nil, errors.New("at most 20 spans")
	}
	return out, nil
}

func minutes(s string) (int, error) {
	h, m, ok := strings.Cut(s, ":")
	hour, err1 := strconv.Atoi(h)
	minute, err2 := strconv.Atoi(m)
	if !ok || err1 != nil || err2 != nil || hour < 0 || hour > 24 || minute < 0 || minute > 59 || hour == 24 && minute > 0 {
		return 0, fmt.Errorf("%q is no time of day", s)
	}
	return hour*60 + minute, nil
}

func (s Span) on(day time.Weekday) bool {
	if s.Last < s.First {
		return day >= s.First || day <= s.Last
	}
	return day >= s.First && day <= s.Last
}

// Open tells whether a moment is in one of the spans, by the clock of its own place.
func (w Week) Open(at time.Time) bool {
	minute := at.Hour()*60 + at.Minute()
	return slices.ContainsFunc(w, func(s Span) bool { return s.on(at.Weekday()) && minute >= s.Begin && minute < s.End })
}

// Next is when the next span begins after a moment, by the clock of its place; the zero time when there is none. Where the
// clock is put forward over the begin of a span, it is the first moment after.
func (w Week) Next(after time.Time) time.Time {
	var best time.Time
	for day := range 9 { // a week, and the days at its ends
		date := after.AddDate(0, 0, day)
		for _, s := range w {
			begin := time.Date(date.Year(), date.Month(), date.Day(), s.Begin/60, s.Begin%60, 0, 0, after.Location())
			if s.on(date.Weekday()) && begin.After(after) && (best.IsZero() || begin.Before(best)) {
				best = begin
			}
		}
		if !best.IsZero() {
			break
		}
	}
	return best
}
