package feed

import (
	"context"
	"errors"
	"slices"
	"sync"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/store"
)

// Wants says what a follower wants.
type Wants struct {
	Kinds  []fact.Kind // of facts; nil for all
	States []fact.Kind // of states; nil for none
}

// Everything is all facts and all states.
var Everything = Wants{States: append(fact.Kinds(), fact.Readings, fact.Operation)}

// Item is what a follower gets: a fact, or a state.
type Item struct {
	Fact  *fact.Fact
	State *fact.State
}

// Follower reads the feed at its own pace.
type Follower struct {
	feed  *Feed
	name  string
	asked Wants
	bell  chan struct{}

	// under the lock of the feed
	at     int64 // the number of the last fact that it had, or that is none of its
	states map[fact.State]bool
	order  []fact.State // of states
	loose  []fact.Fact  // that the journal cannot take now

	page []fact.Fact // read from the journal; of the one who calls Next
}

// Follow follows from now on.
func (f *Feed) Follow(w Wants) *Follower {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.add(&Follower{asked: w, at: f.last})
}

// FollowAfter follows from after a fact on. missed tells that some are not to be had any more, or that nothing has such a number; it follows from now
// on then.
func (f *Feed) FollowAfter(ctx context.Context, w Wants, number int64) (s *Follower, missed bool) {
	oldest, newest, err := f.journal.FactBounds(ctx)
	f.mu.Lock()
	defer f.mu.Unlock()
	if missed = err != nil || number < oldest-1 || number > max(newest, f.last); missed {
		number = f.last
	}
	return f.add(&Follower{asked: w, at: number}), missed
}

func (f *Feed) add(s *Follower) *Follower {
	s.feed, s.states, s.bell = f, map[fact.State]bool{}, make(chan struct{}, 1)
	s.ring() // there may be some already
	f.follow[s] = true
	return s
}

// Behind is how many numbers it is behind.
func (s *Follower) Behind() int64 {
	s.feed.mu.Lock()
	defer s.feed.mu.Unlock()
	return s.feed.last - s.at
}

// Close ends it.
func (s *Follower) Close() {
	s.feed.mu.Lock()
	defer s.feed.mu.Unlock()
	delete(s.feed.follow, s)
}

// Bell rings when there may be something to be had by Next. It is for those who wait for other things besides.
func (s *Follower) Bell() <-chan struct{} { return s.bell }

func (s *Follower) ring() {
	select {
	case s.bell <- struct{}{}:
	default:
	}
}

func (s *Follower) wants(f fact.Fact) bool {
	return s.asked.Kinds == nil || slices.Contains(s.asked.Kinds, f.Code().Kind())
}

func (s *Follower) note(st fact.State) {
	if s.states[st] || !slices.Contains(s.asked.States, st.Kind) {
		return
	}
	s.states[st] = true
	s.order = append(s.order, st)
	s.ring()
}

// Next waits for what comes next: facts in their order, states where there is no fact.
func (s *Follower) Next(ctx context.Context) (Item, error) {
	for {
		if item, ok, err := s.Take(ctx); ok || err != nil {
			return item, err
		}
		select {
		case <-s.bell:
		case <-ctx.Done():
			return Item{}, ctx.Err()
		case <-s.feed.ended:
			return Item{}, errEnded
		}
	}
}

var errEnded = errors.New("the feed has ended")

// Take is Next without waiting: ok tells whether there was something.
func (s *Follower) Take(ctx context.Context) (item Item, ok bool, err error) {
	for {
		if len(s.page) > 0 {
			f := s.page[0]
			s.page = s.page[1:]
			s.had(f.Number)
			if s.wants(f) {
				return Item{Fact: &f}, true, nil
			}
			continue
		}
		item, ok, far := s.fromMemory()
		if !far {
			return item, ok, nil
		}
		at := s.At()
		if s.page, err = s.feed.journal.FactsAfter(ctx, at, page); err != nil {
			return Item{}, false, err
		}
		if len(s.page) == 0 { // what was there is forgotten meanwhile
			s.had(s.feed.Last())
		}
	}
}

// At is the number of the last fact that it had, or that is none of its.
func (s *Follower) At() int64 {
	s.feed.mu.Lock()
	defer s.feed.mu.Unlock()
	return s.at
}

func (s *Follower) had(number int64) {
	s.feed.mu.Lock()
	defer s.feed.mu.Unlock()
	s.at = max(s.at, number)
}

// fromMemory takes what is next from what the feed remembers; far tells that it remembers no longer.
func (s *Follower) fromMemory() (item Item, ok, far bool) {
	f := s.feed
	f.mu.Lock()
	defer f.mu.Unlock()
	if s.at < f.last {
		if len(f.recent) == 0 || f.recent[0].Number > s.at+1 {
			return Item{}, false, true
		}
		i, _ := slices.BinarySearchFunc(f.recent, s.at+1, func(x fact.Fact, n int64) int { return int(x.Number - n) })
		for _, x := range f.recent[i:] {
			s.at = x.Number
			if s.wants(x) {
				return Item{Fact: &x}, true, false
			}
		}
	}
	if len(s.loose) > 0 {
		x := s.loose[0]
		s.loose = s.loose[1:]
		return Item{Fact: &x}, true, false
	}
	if len(s.order) > 0 {
		st := s.order[0]
		s.order = s.order[1:]
		delete(s.states, st)
		return Item{State: &st}, true, false
	}
	return Item{}, false, false
}

// Durable has a function deal with every fact that is wanted, in order and each at least once, over restarts: how far it has come is kept under a
// name. One that it cannot deal with is tried again until it can. A name that is new begins with what happens from now on. It works until ctx ends; the
// wait group tells that it has.
func (f *Feed) Durable(ctx context.Context, wg *sync.WaitGroup, name string, w Wants, do func(context.Context, fact.Fact) error) error {
	at, err := f.journal.Follower(ctx, name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return err // it is not to begin anew for that
	}
	if err != nil {
		at = f.Last()
		if err := f.journal.PutFollower(ctx, name, at); err != nil {
			return err
		}
	}
	f.mu.Lock()
	s := f.add(&Follower{name: name, asked: Wants{Kinds: w.Kinds}, at: at})
	f.mu.Unlock()
	wg.Go(func() {
		defer s.Close()
		for ctx.Err() == nil {
			item, err := s.Next(ctx)
			if errors.Is(err, errEnded) {
				return
			}
			for err == nil && ctx.Err() == nil {
				if err = do(ctx, *item.Fact); err == nil {
					err = f.journal.PutFollower(ctx, name, item.Fact.Number)
					break
				}
				f.log.Warn("what happened could not be dealt with; it is tried again", "by", name, "fact", item.Fact.Number, "err", err)
				err = nil
				pause(ctx)
			}
			if err != nil {
				pause(ctx)
			}
		}
	})
	return nil
}

func pause(ctx context.Context) {
	t := time.NewTimer(again)
	defer t.Stop()
	select {
	case <-t.C:
	case <-ctx.Done():
	}
}
