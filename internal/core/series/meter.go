package series

import "time"

// Meter makes numbers of the readings of one source as they come: of gauges the value, of counters how fast they grew since the reading before.
type Meter struct {
	at, before time.Time
	last, old  map[Thing][]int64
}

// Read takes a reading. One that was taken before is none.
func (m *Meter) Read(at time.Time, readings []Reading) {
	if !at.After(m.at) {
		return
	}
	m.before, m.old = m.at, m.last
	m.at, m.last = at, make(map[Thing][]int64, len(readings))
	for _, r := range readings {
		m.last[r.Thing] = r.Values
	}
}

// At is when it was read last.
func (m *Meter) At() time.Time { return m.at }

// Things are those that were read last.
func (m *Meter) Things(p Part) []string {
	var out []string
	for t := range m.last {
		if t.Part == p {
			out = append(out, t.Name)
		}
	}
	return out
}

// Value is the number of a metric of a thing, in its unit; known tells whether it can be told.
func (m *Meter) Value(name string, of *Metric) (value float64, known bool) {
	t := Thing{of.Part, name}
	now, there := m.last[t]
	if !there || of.slot >= len(now) || now[of.slot] == Absent {
		return 0, false
	}
	if !of.Counter {
		return float64(now[of.slot]) * of.Factor, true
	}
	was, there := m.old[t]
	span := m.at.Sub(m.before).Seconds()
	if !there || was[of.slot] == Absent || now[of.slot] < was[of.slot] || span <= 0 { // it counted anew
		return 0, false
	}
	return float64(now[of.slot]-was[of.slot]) / span * of.Factor, true
}
