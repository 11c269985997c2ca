// Package events is the one bus of the process: what happens goes out to whoever listens, at once and in order.
//
// Every subscriber has a bounded queue. One that falls behind loses its place and is told so (Lost), so that it can read
// everything anew; nobody is ever waited for. The newest events are kept, so that a listener that was away for a moment
// can go on where it was.
package events

import (
	"sync"
	"time"
)

// Kind tells what an event is about.
type Kind string

// The kinds.
const (
	PortState   Kind = "port"   // a port's link came or went
	DeviceReach Kind = "device" // a device came or went
	DeviceState Kind = "state"  // a device was read: counters and the like; not worth a word of its own
	Config      Kind = "config" // a device's running configuration changed
	Change      Kind = "change" // a change took a step
	Fleet       Kind = "fleet"  // the set of devices or sites changed
	Drift       Kind = "drift"  // a device came to run other than intended, or what is intended again
	Discovery   Kind = "search" // a search for devices went on, or what it found changed
)

// Event is something that happened.
type Event struct {
	Seq    uint64
	At     time.Time
	Kind   Kind
	Device string
	Port   string
	Change int64
	Text   string // a sentence, or "" for what is not worth one
	Health string // of the port or device after it, where it has one
}

const (
	kept   = 1024 // events that can be had again
	queued = 512  // events that a subscriber may be behind
)

// Bus is the bus. Make it with New.
type Bus struct {
	mu     sync.Mutex
	seq    uint64
	recent []Event
	subs   map[*Subscription]bool
}

// Subscription receives events until it is closed.
type Subscription struct {
	bus  *Bus
	c    chan Event
	lost bool
}

// New returns a bus whose events are numbered from after first. A first that is larger than that of the life before keeps
// numbers from meaning two things; the time in microseconds does.
func New(first uint64) *Bus { return &Bus{seq: first, subs: map[*Subscription]bool{}} }

// Publish numbers an event and hands it to everybody. It never blocks.
func (b *Bus) Publish(e Event) Event {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.seq++
	e.Seq = b.seq
	if len(b.recent) == kept {
		copy(b.recent, b.recent[1:])
		b.recent = b.recent[:kept-1]
	}
	b.recent = append(b.recent, e)
	for s := range b.subs {
		select {
		case s.c <- e:
		default:
			s.lost = true
			close(s.c)
			delete(b.subs, s)
		}
	}
	return e
}

// Subscribe listens from now on. With after, the events since that number come first; missed tells that some of them are
// not to be had any more.
func (b *Bus) Subscribe(after uint64) (s *Subscription, missed bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	s = &Subscription{bus: b, c: make(chan Event, kept+queued)}
	b.subs[s] = true
	if after == 0 {
		return s, false
	}
	if after > b.seq || len(b.recent) == 0 && after < b.seq || len(b.recent) > 0 && b.recent[0].Seq > after+1 {
		return s, true
	}
	for _, e := range b.recent {
		if e.Seq > after {
			s.c <- e
		}
	}
	return s, false
}

// Events is closed when the subscription ends, by Close or because the subscriber fell behind.
func (s *Subscription) Events() <-chan Event { return s.c }

// Lost tells that the subscription ended because the subscriber fell behind.
func (s *Subscription) Lost() bool {
	s.bus.mu.Lock()
	defer s.bus.mu.Unlock()
	return s.lost
}

// Close ends the subscription.
func (s *Subscription) Close() {
	s.bus.mu.Lock()
	defer s.bus.mu.Unlock()
	if s.bus.subs[s] {
		delete(s.bus.subs, s)
		close(s.c)
	}
}

// Seq is the number of the newest event.
func (b *Bus) Seq() uint64 {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.seq
}
