// Package troubles tells what goes wrong inside devices, and when it is over: it compares each reading of the inside of a device with the one before.
package troubles

import (
	"context"
	"slices"
	"sync"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/fleet"
)

// Fleet tells how a device was read last.
type Fleet interface {
	View(name string) (fleet.View, bool)
}

// Service is the capability. Make it with New; Close ends it.
type Service struct {
	fleet Fleet
	feed  *feed.Feed
	stop  context.CancelFunc
	wg    sync.WaitGroup
	known map[string]known // by device; of the goroutine
}

type known struct {
	at   time.Time // of the reading
	list []network.Trouble
	move uint64    // the last move of traffic
	boot time.Time // since when moves are counted
}

// New returns the service, which works until Close.
func New(f Fleet, fd *feed.Feed) *Service {
	ctx, stop := context.WithCancel(context.Background())
	s := &Service{fleet: f, feed: fd, stop: stop, known: map[string]known{}}
	news := fd.Follow(feed.Wants{Kinds: []fact.Kind{fact.Fleet}, States: []fact.Kind{fact.Readings}})
	s.wg.Go(func() {
		defer news.Close()
		for {
			item, err := news.Next(ctx)
			if err != nil {
				if ctx.Err() != nil {
					return
				}
				continue
			}
			s.hear(item)
		}
	})
	return s
}

// Close ends it and waits.
func (s *Service) Close() {
	s.stop()
	s.wg.Wait()
}

func (s *Service) hear(item feed.Item) {
	if item.Fact != nil {
		if name, freed := fact.NameFreed(*item.Fact); freed {
			delete(s.known, name)
		}
		return
	}
	if v, ok := s.fleet.View(item.State.Device); ok {
		s.feed.Tell(s.compare(v)...)
	}
}

// compare returns what went wrong since the reading before, and what is over.
func (s *Service) compare(v fleet.View) (out []fact.Fact) {
	at := v.Inside.ObservedAt
	before, was := s.known[v.Name]
	if !at.After(before.at) {
		return nil
	}
	now := v.Inside.Troubles()
	if v.Identity.BootedAt.After(before.boot) {
		before.move = 0
	}
	is := known{at: at, list: now, boot: v.Identity.BootedAt, move: before.move} // the moves of a device that does not steer for a while are not told again
	for _, m := range movesOf(v) {
		is.move = max(is.move, m.Number)
	}
	s.known[v.Name] = is
	has := func(list []network.Trouble, key string) bool {
		return slices.ContainsFunc(list, func(t network.Trouble) bool { return t.Key == key })
	}
	for _, t := range now {
		if !has(before.list, t.Key) {
			out = append(out, fact.Of(at, fact.TheDevice(v.Name), fact.DeviceTrouble{Trouble: t}))
		}
	}
	for _, t := range before.list {
		if was && !has(now, t.Key) {
			out = append(out, fact.Of(at, fact.TheDevice(v.Name), fact.DeviceTroubleOver{Trouble: t}))
		}
	}
	if was {
		out = append(out, moved(v, before)...)
	}
	return out
}

func movesOf(v fleet.View) []network.Move {
	if v.Inside.Steered == nil {
		return nil
	}
	return v.Inside.Steered.Moves
}

// moved are the moves of traffic since the reading before.
func moved(v fleet.View, before known) (out []fact.Fact) {
	ways := map[int]string{}
	for _, w := range setting.Ways(v.Config) {
		ways[w.Number] = w.Fit()
	}
	for _, m := range movesOf(v) {
		if m.Number > before.move {
			out = append(out, fact.Of(m.At, fact.TheDevice(v.Name), fact.DeviceSteered{Way: m.Way, Remote: m.Remote, From: m.From, To: m.To, Why: m.Why, Delay: m.DelayMs, Jitter: m.JitterMs, Percent: m.LossPercent, Traffic: ways[m.Way]}))
		}
	}
	return out
}
