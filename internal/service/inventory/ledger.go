package inventory

import (
	"context"
	"errors"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"time"

	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/store"
)

// ledger writes what the fleet sees into the store, in a goroutine of its own, so that a slow disk holds up no device. Of what
// replaces itself, as the state of a device, only the newest waits.
type ledger struct {
	store *store.Store
	feed  *feed.Feed
	log   *slog.Logger

	mu      sync.Mutex
	seen    map[string]store.Observation // by device
	clients map[string]store.Client      // by hardware address
	waiting []chan struct{}              // closed when all before is written, or could not be
	failing bool                         // whether the last try failed; of the goroutine that writes
	wake    chan struct{}
	stop    chan struct{}
	ended   chan struct{}
}

const (
	writeAgain = time.Second // after one that failed
)

func newLedger(s *store.Store, f *feed.Feed, log *slog.Logger) *ledger {
	l := &ledger{store: s, feed: f, log: log, seen: map[string]store.Observation{}, clients: map[string]store.Client{},
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

func (l *ledger) observation(o store.Observation) { l.put(func() { l.seen[o.Device] = o }) }

func (l *ledger) stations(list []store.Client) {
	l.put(func() {
		for _, c := range list {
			l.clients[c.MAC] = c
		}
	})
}

// drain waits until all that was put in so far is written, or was tried in vain.
func (l *ledger) drain() {
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
	seen, clients, waiting := l.seen, l.clients, l.waiting
	l.seen, l.clients, l.waiting = map[string]store.Observation{}, map[string]store.Client{}, nil
	l.mu.Unlock()
	if len(seen) > 0 {
		l.feed.Settle() // what happened is kept before what became of it: who is killed between finds it out again
	}
	ctx := context.Background()
	var errs []error
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
