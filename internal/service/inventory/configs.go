package inventory

import (
	"context"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/store"
)

// configs keeps the configurations that devices are read to have, several at once where many are read at once, so that whoever
// had them read need not wait for it.
type configs struct {
	queue chan configRead
	ended chan struct{}
}

type configRead struct {
	view fleet.View
	snap store.Snapshot
	met  chan<- struct{} // closed when all before are kept; of nothing that was read
}

const (
	waitingConfigs = 256 // more have whoever reads wait
	keptTogether   = 16
)

// Seen implements fleet.Observer.
func (s *Service) Seen(v fleet.View) { s.index.see(v) }

// ConfigRead implements fleet.Observer.
func (s *Service) ConfigRead(v fleet.View, document []byte, by string) {
	s.index.see(v)
	s.configs.queue <- configRead{view: v, snap: store.Snapshot{Device: v.Name, TakenAt: time.Now().UTC(), By: by, Config: v.Config, Document: document,
		Model: v.Identity.Model, Firmware: v.Identity.Firmware}}
}

// KeepConfig keeps what a device was read to run, and returns when it is kept.
func (s *Service) KeepConfig(v fleet.View, document []byte) {
	s.ConfigRead(v, document, "")
	met := make(chan struct{})
	s.configs.queue <- configRead{met: met}
	<-met
}

// drain waits until the configurations that were read so far are kept, and what else was seen.
func (s *Service) drain() {
	met := make(chan struct{})
	s.configs.queue <- configRead{met: met}
	<-met
	s.ledger.drain()
}

// Close keeps what was read and is not kept yet. Nobody may read any more by then.
func (s *Service) Close() {
	close(s.configs.queue)
	<-s.configs.ended
	s.ledger.close()
}

// keepConfigs works until Close.
func (s *Service) keepConfigs() {
	defer close(s.configs.ended)
	for first := range s.configs.queue {
		batch := []configRead{first}
		for more := true; more && len(batch) < keptTogether; {
			select {
			case next, ok := <-s.configs.queue:
				if more = ok; ok {
					batch = append(batch, next)
				}
			default:
				more = false
			}
		}
		s.keepBatch(batch)
	}
}

func (s *Service) keepBatch(batch []configRead) {
	var snaps []store.Snapshot
	for _, r := range batch {
		if r.met == nil {
			snaps = append(snaps, r.snap)
		}
	}
	changed := s.keepSnapshots(snaps)
	for _, r := range batch {
		if r.met != nil {
			close(r.met)
			continue
		}
		s.feed.Note(fact.State{Kind: fact.Config, Device: r.view.Name})
		if changed[0] {
			s.tellChanged(r.snap)
		}
		changed = changed[1:]
	}
}

// keepSnapshots keeps configurations and reports which are others than before. One that cannot be kept, as of a device that is
// forgotten meanwhile, takes no other with it.
func (s *Service) keepSnapshots(snaps []store.Snapshot) []bool {
	changed, err := s.store.AddSnapshots(context.Background(), snaps)
	if err == nil {
		return changed
	}
	changed = make([]bool, len(snaps))
	for i, snap := range snaps {
		if changed[i], err = s.store.AddSnapshot(context.Background(), snap); err != nil {
			s.log.Error("a configuration could not be kept", "device", snap.Device, "err", err)
		}
	}
	return changed
}

// tellChanged tells that a device runs something else than it did, and who made it so.
func (s *Service) tellChanged(snap store.Snapshot) {
	kept, _ := s.index.record(snap.Device)
	s.tell(snap.Device, fact.ConfigChanged{By: snap.By, Own: snap.By != "" && snap.By == kept.User})
}
