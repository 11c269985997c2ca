package alarm

import "time"

// Strip is the worst severity of each step of a time, from a moment on: "" where nothing was out of order.
func Strip(list []Alarm, from time.Time, step time.Duration, steps int) []Severity {
	out := make([]Severity, steps)
	for _, a := range list {
		first := max(int(a.RaisedAt.Sub(from)/step), 0)
		if a.RaisedAt.Before(from) {
			first = 0
		}
		last := steps - 1
		if !a.ClearedAt.IsZero() {
			if a.ClearedAt.Before(from) {
				continue
			}
			last = min(int(a.ClearedAt.Sub(from)/step), last)
		}
		for i := first; i <= last; i++ {
			if out[i] == "" || a.Severity.Compare(out[i]) < 0 {
				out[i] = a.Severity
			}
		}
	}
	return out
}
