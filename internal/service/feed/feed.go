// Package feed is the one feed of what happens. Facts are kept in a journal, numbered, before anybody is told of them; whoever follows them goes on
// where he was, also after the service was killed. States, as that a device was read, only tell that something is to be read anew: of many alike the
// last one counts, and none is kept.
//
// Nobody is ever waited for: who tells puts a fact into a queue, and who follows reads at his own pace, from memory while he keeps up and from the
// journal where he does not.
package feed

import (
	"context"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"example.net/everypost/internal/core/fact"
)

// Journal is where facts are kept.
type Journal interface {
	// AddFacts adds facts in their order, all or none, and numbers them.
	AddFacts(ctx context.Context, list []fact.Fact) error
	FactsAfter(ctx context.Context, number int64, most int) ([]fact.Fact, error)
	// FactBounds tells the oldest and the newest number.
	FactBounds(ctx context.Context) (oldest, newest int64, err error)
	// Follower tells how far one has come; store.ErrNotFound tells that there was none of the name.
	Follower(ctx context.Context, name string) (at int64, err error)
	PutFollower(ctx context.Context, name string, at int64) error
}

// Feed is the feed. Make it with New.
type Feed struct {
	journal Journal
	log     *slog.Logger
	wake    chan struct{}
	stop    chan struct{}
	ended   chan struct{}

	mu      sync.Mutex
	told    []fact.Fact     // and not in the journal yet
	shown   int             // of those: how many went out without a number, since the journal cannot take them
	lost    int             // facts that went, since the journal could not take any for so long
	waiting []chan struct{} // closed when all before is in the journal, or could not be
	recent  []fact.Fact     // the newest of the journal
	last    int64           // the newest number
	follow  map[*Follower]bool
	failing bool
}

const (
	remembered = 2048   // facts that are had from memory
	waitingTop = 20_000 // facts that wait for the journal; then the oldest go
	atOnce     = 500
	again      = time.Second // after the journal could not take facts
	page       = 200         // that are read from the journal at a time
)

// New returns the feed of a journal. It works until Close.
func New(ctx context.Context, j Journal, log *slog.Logger) (*Feed, error) {
	_, last, err := j.FactBounds(ctx)
	if err != nil {
		return nil, fmt.Errorf("the journal of what happened: %w", err)
	}
	f := &Feed{journal: j, log: log, last: last, follow: map[*Follower]bool{}, wake: make(chan struct{}, 1), stop: make(chan struct{}), ended: make(chan struct{})}
	go f.run()
	return f, nil
}

// Tell tells facts. They go into the journal soon, in their order.
func (f *Feed) Tell(facts ...fact.Fact) {
	f.mu.Lock()
	f.told = append(f.told, facts...)
	if over := len(f.told) - waitingTop; over > 0 {
		f.told, f.shown, f.lost = slices.Clone(f.told[over:]), max(0, f.shown-over), f.lost+over
	}
	f.mu.Unlock()
	f.Recorded()
}

// Recorded tells that somebody put facts into the journal himself, with what they tell of.
func (f *Feed) Recorded() {
	select {
	case f.wake <- struct{}{}:
	default: // it will look
	}
}

// Note tells states.
func (f *Feed) Note(states ...fact.State) {
	f.mu.Lock()
	defer f.mu.Unlock()
	for s := range f.follow {
		for _, st := range states {
			s.note(st)
		}
	}
}

// Settle waits until all that was told so far is in the journal and can be had by those who follow, or could not be put there.
func (f *Feed) Settle() {
	met := make(chan struct{})
	f.mu.Lock()
	f.waiting = append(f.waiting, met)
	f.mu.Unlock()
	f.Recorded()
	select {
	case <-met:
	case <-f.ended:
	}
}

// Last is the number of the newest fact.
func (f *Feed) Last() int64 {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.last
}

// Close puts what was told into the journal and ends.
func (f *Feed) Close() {
	close(f.stop)
	<-f.ended
}

func (f *Feed) run() {
	defer close(f.ended)
	for stopping := false; ; {
		if !stopping {
			select {
			case <-f.wake:
			case <-f.stop:
				stopping = true
			}
		}
		f.mu.Lock()
		met := f.waiting
		f.waiting = nil
		f.mu.Unlock()
		err := f.write()
		if err == nil {
			err = f.read()
		}
		closeAll(met)
		f.complain(err)
		if err != nil && !stopping {
			f.show()
			select {
			case <-time.After(again):
				f.Recorded()
			case <-f.stop:
				stopping = true
			}
			continue
		}
		if stopping {
			return
		}
	}
}

// write puts into the journal what was told.
func (f *Feed) write() error {
	ctx := context.Background()
	for {
		f.mu.Lock()
		batch := slices.Clone(f.told[:min(len(f.told), atOnce)])
		lost := f.lost
		f.mu.Unlock()
		if len(batch) == 0 {
			return nil
		}
		if err := f.journal.AddFacts(ctx, batch); err != nil {
			return err
		}
		f.mu.Lock()
		gone := f.lost - lost // while it was written, the begin of the queue went
		f.told = slices.Clone(f.told[max(0, len(batch)-gone):])
		f.shown = max(0, f.shown-len(batch))
		f.mu.Unlock()
	}
}

// read takes what is new in the journal, whoever put it there, and tells the followers.
func (f *Feed) read() error {
	for {
		f.mu.Lock()
		last := f.last
		f.mu.Unlock()
		fresh, err := f.journal.FactsAfter(context.Background(), last, page)
		if err != nil || len(fresh) == 0 {
			return err
		}
		f.mu.Lock()
		f.recent = append(f.recent, fresh...)
		if over := len(f.recent) - remembered; over > 0 {
			f.recent = slices.Clone(f.recent[over:])
		}
		f.last = fresh[len(fresh)-1].Number
		for s := range f.follow {
			s.ring()
		}
		f.mu.Unlock()
	}
}

// show hands what the journal cannot take to those who look on, without a number: it is worth knowing all the same.
func (f *Feed) show() {
	f.mu.Lock()
	defer f.mu.Unlock()
	for _, x := range f.told[f.shown:] {
		for s := range f.follow {
			if s.name == "" && s.wants(x) && len(s.loose) < page {
				s.loose = append(s.loose, x)
				s.ring()
			}
		}
	}
	f.shown = len(f.told)
}

func (f *Feed) complain(err error) {
	f.mu.Lock()
	lost := f.lost
	if err == nil {
		f.lost = 0
	}
	f.mu.Unlock()
	if err == nil && lost > 0 {
		f.log.Error("facts are lost, since they could not be kept for long", "facts", lost)
	}
	if err != nil && !f.failing {
		f.log.Error("what happened could not be kept; it is tried until it can", "err", err)
	}
	f.failing = err != nil
}

func closeAll(list []chan struct{}) {
	for _, c := range list {
		close(c)
	}
}
