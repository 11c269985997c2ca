package alarm

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/series"
)

// OwnRule is the type of the alarms of the rules of the house.
const OwnRule = "own-rule"

// Comparison is how a reading is held against the limit of a rule.
type Comparison string

// The comparisons.
const (
	Above  Comparison = "above"
	Below  Comparison = "below"
	Absent Comparison = "absent" // there is no reading at all
)

// Comparisons lists them.
func Comparisons() []Comparison { return []Comparison{Above, Below, Absent} }

// Rule is one of the house: of what is picked, one reading, and when that is out of order.
type Rule struct {
	Name     string        `json:"-"`
	Pick     string        `json:"pick,omitempty"` // a selector: of ports for a reading of ports, else of devices
	Part     series.Part   `json:"part"`
	Metric   string        `json:"metric"`
	Is       Comparison    `json:"is"`
	Limit    float64       `json:"limit"`
	Back     float64       `json:"back"` // the alarm is over on its other side only (hysteresis)
	For      time.Duration `json:"for"`  // how long it must be so
	Severity Severity      `json:"severity"`
	Effect   string        `json:"effect,omitempty"` // what comes of it
	Remedy   string        `json:"remedy,omitempty"` // what to do
	Off      bool          `json:"off,omitempty"`
}

// ErrRule tells that a rule cannot be.
var ErrRule = errors.New("that is no rule")

const (
	longestFor = 24 * time.Hour
	leastGap   = time.Minute // until a reading counts as absent
	maxText    = 1000
)

// OwnParts are the parts of which rules can be made.
func OwnParts() []series.Part {
	return slices.DeleteFunc(series.Parts(), func(p series.Part) bool { return p == series.Client })
}

// Check tells what is wrong with a rule besides its selector, and brings it into its normal form.
func (r *Rule) Check() error {
	bad := func(format string, args ...any) error {
		return fmt.Errorf("%w: %s", ErrRule, fmt.Sprintf(format, args...))
	}
	m := series.Find(r.Part, r.Metric)
	switch {
	case !slices.Contains(OwnParts(), r.Part) || m == nil:
		return bad("there is no reading %s.%s", r.Part, r.Metric)
	case !slices.Contains(Comparisons(), r.Is):
		return bad("a reading is above, below or absent, not %q", r.Is)
	case !slices.Contains(Severities(), r.Severity):
		return bad("there is no severity %q", r.Severity)
	case r.For < 0 || r.For > longestFor:
		return bad("for: it is 0 s to 24 h")
	case r.Is == Absent && r.For < leastGap:
		return bad("for: readings come some seconds apart, so one is absent after a minute at the earliest")
	case len(r.Effect) > maxText || len(r.Remedy) > maxText:
		return bad("a text is longer than %d octets", maxText)
	case !(math.Abs(r.Limit) < 1e18) || !(math.Abs(r.Back) < 1e18):
		return bad("the limit is no number that a reading can have")
	case r.Is == Above && r.Back > r.Limit:
		return bad("what is above %g is over at that or below, not at %g", r.Limit, r.Back)
	case r.Is == Below && r.Back < r.Limit:
		return bad("what is below %g is over at that or above, not at %g", r.Limit, r.Back)
	}
	if r.Is == Absent {
		r.Limit, r.Back = 0, 0
	}
	r.Effect, r.Remedy = strings.TrimSpace(r.Effect), strings.TrimSpace(r.Remedy)
	return nil
}

// Fit is how a thing fares by a rule. The zero value is one that nothing is known of yet.
type Fit struct {
	On    bool
	met   bool      // there was a reading at some time
	since time.Time // since when it is out of order without an alarm; zero where it is not
}

// Next is how it fares with a reading of a moment, or with none. Where a threshold has no reading, nothing changes.
func (r Rule) Next(f Fit, at time.Time, value float64, known bool) Fit {
	bad := false
	switch {
	case r.Is == Absent:
		bad = !known && f.met
	case !known:
		f.since = time.Time{} // that it was so all the while cannot be said
		return f
	case r.Is == Above:
		bad = value > r.Limit || f.On && value > r.Back
	default:
		bad = value < r.Limit || f.On && value < r.Back
	}
	f.met = f.met || known
	switch {
	case !bad:
		f.On, f.since = false, time.Time{}
	case !f.On:
		if f.since.IsZero() {
			f.since = at
		}
		f.On = at.Sub(f.since) >= r.For
	}
	return f
}

// Stands is a fit of an alarm that is known to stand, for a rule that begins anew.
func Stands() Fit { return Fit{On: true, met: true} }

// Episode is a time in which a rule would have had an alarm.
type Episode struct {
	From, To time.Time // To is zero where it is not over
	Worst    float64
}

// Episodes tells when a rule would have had alarms, by the points of a span. A step counts by its worst value where the rule asks for less time than a
// step is long, else by its mean.
func (r Rule) Episodes(span series.Span, points []series.Point) (out []Episode) {
	step := time.Duration(span.Step) * time.Millisecond
	var fit Fit
	var open *Episode
	for i, p := range points {
		at := time.UnixMilli(span.From).Add(time.Duration(i) * step).UTC()
		value := p.Mean
		if m := series.Find(r.Part, r.Metric); r.For < step && m != nil {
			switch {
			case r.Is == Above:
				value = p.Max
			case !m.Counter:
				value = p.Min
			}
		}
		fit = r.Next(fit, at, value, p.Known)
		switch {
		case fit.On && open == nil:
			out = append(out, Episode{From: at, Worst: value})
			open = &out[len(out)-1]
		case fit.On && p.Known && (r.Is == Above && value > open.Worst || r.Is == Below && value < open.Worst):
			open.Worst = value
		case !fit.On && open != nil:
			open.To, open = at, nil
		}
	}
	return out
}

// Condition is what is out of order by a rule, with the reading of the moment.
func (r Rule) Condition(device string, thing string, value float64) Condition {
	at, name := fact.TheDevice(device), r.Name
	switch r.Part {
	case series.Port, series.Module:
		at = fact.ThePort(device, thing)
	default:
		if thing != "" {
			name += " " + thing
		}
	}
	unit := ""
	if m := series.Find(r.Part, r.Metric); m != nil {
		unit = m.Unit
	}
	args := map[string]any{"rule": r.Name, "reading": strings.ReplaceAll(r.Metric, "_", " "), "is": string(r.Is), "of": ""}
	if at.Is != fact.OfPort && thing != "" {
		args["of"] = string(r.Part) + " " + thing
	}
	if r.Is == Absent {
		args["for"] = r.For.String()
	} else {
		args["value"], args["limit"] = amount(value, unit), amount(r.Limit, unit)
	}
	if r.Effect != "" {
		args["effect"] = r.Effect
	}
	if r.Remedy != "" {
		args["remedy"] = r.Remedy
	}
	return Condition{Type: OwnRule, Subject: at, Name: name, Severity: r.Severity, Args: args}
}

// amount is a reading with its unit as people write it: rates in thousands of it.
func amount(v float64, unit string) string {
	prefix := ""
	if strings.HasSuffix(unit, "/s") {
		for _, p := range []string{"k", "M", "G"} {
			if math.Abs(v) < 1000 {
				break
			}
			v, prefix = v/1000, p
		}
	}
	return strings.TrimSpace(strings.TrimSuffix(fmt.Sprintf("%.1f", v), ".0") + " " + prefix + unit)
}
