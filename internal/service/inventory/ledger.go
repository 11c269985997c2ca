package inventory

import (
	"context"
	"errors"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"time"

	"example.net/everypost/internal/store"
)

// ledger writes what the fleet sees into the store, in a goroutine of its own, so that a slow disk holds up no device. Of what
// replaces itself, as the state of a device, only the newest waits; events wait in their order, up to a bound, and the oldest go when
// the store cannot take any for so long.
type ledger struct {
	store *store.Store
	log   *slog.Logger

	mu      sync.Mutex
	events  []store.Event
	seen    map[string]store.Observation // by device
	clients map[string]store.Client      // by hardware address
	lost    int                          // events that went
	waiting []chan struct{}              // closed when all before is written, or could not be
	failing bool                         // whether the last try failed; of the goroutine that writes
	wake    chan struct{}
	stop    chan struct{}
	ended   chan struct{}
}

const (
	waitingEvents = 20_000
	writtenAtOnce = 500
	writeAgain    = time.Second // after one that failed
)

func newLedger(s *store.Store, log *slog.Logger) *ledger {
	l := &ledger{store: s, log: log, seen: map[string]store.Observation{}, clients: map[string]store.Client{},
		wake: make(chan struct{}, 1), stop: make(chan struct{}), ended: make(chan struct{})}
	go l.run()
	return l
}

func (l *ledger) put(f func()) {
	l.mu.Lock()
	f()
	l.mu.Unlock()
	select {
	case l.wake <- struct{}{}:
	default: // it will look
	}
}

func (l *ledger) event(e store.Event) {
	l.put(func() {
		if len(l.events) >= waitingEvents {
			l.events = l.events[1:]
			l.lost++
		}
		l.events = append(l.events, e)
	})
}

func (l *ledger) observation(o store.Observation) { l.put(func() { l.seen[o.Device] = o }) }

func (l *ledger) stations(list []store.Client) {
	l.put(func() {
		for _, c := range list {
			l.clients[c.MAC] = c
		}
	})
}

// settle waits until all that was put in so far is written, or was tried in vain.
func (l *ledger) settle() {
	met := make(chan struct{})
	l.put(func() { l.waiting = append(l.waiting, met) })
	select {
	case <-met:
	case <-l.ended:
	}
}

// close writes what is left and ends.
func (l *ledger) close() {
	close(l.stop)
	<-l.ended
}

func (l *ledger) run() {
	defer close(l.ended)
	for stopping := false; ; {
		if !stopping {
			select {
			case <-l.wake:
			case <-l.stop:
				stopping = true
			}
		}
		if err := l.write(); err != nil && !stopping {
			select {
			case <-time.After(writeAgain):
				l.put(func() {})
			case <-l.stop:
				stopping = true
			}
			continue
		}
		if stopping {
			return
		}
	}
}

// write writes all that waits. What could not be written waits on, but for what newer came instead.
func (l *ledger) write() error {
	l.mu.Lock()
	list, seen, clients, waiting, lost := l.events, l.seen, l.clients, l.waiting, l.lost
	l.events, l.seen, l.clients, l.waiting, l.lost = nil, map[string]store.Observation{}, map[string]store.Client{}, nil, 0
	l.mu.Unlock()
	if lost > 0 {
		l.log.Error("events are lost, since they could not be kept for long", "events", lost)
	}
	ctx := context.Background()
	var errs []error
	for len(list) > 0 {
		n := min(len(list), writtenAtOnce)
		if err := l.store.AddEvents(ctx, list[:n]); err != nil {
			errs = append(errs, err)
			break
		}
		list = list[n:]
	}
	for device, o := range seen {
		if err := l.store.Observe(ctx, o); err == nil || errors.Is(err, store.ErrNotFound) { // it was forgotten meanwhile
			delete(seen, device)
		} else {
			errs = append(errs, err)
		}
	}
	if len(clients) > 0 {
		if err := l.store.PutClients(ctx, slices.Collect(maps.Values(clients))); err != nil {
			errs = append(errs, err)
		} else {
			clear(clients)
		}
	}
	err := errors.Join(errs...)
	if err != nil {
		if !l.failing {
			l.log.Error("what was seen could not be kept; it is tried until it can", "err", errs[0])
		}
		l.mu.Lock()
		l.events = append(list, l.events...)
		for device, o := range seen {
			if _, newer := l.seen[device]; !newer {
				l.seen[device] = o
			}
		}
		for mac, c := range clients {
			if _, newer := l.clients[mac]; !newer {
				l.clients[mac] = c
			}
		}
		l.mu.Unlock()
	}
	l.failing = err != nil
	for _, met := range waiting {
		close(met)
	}
	return err
}
