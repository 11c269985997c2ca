// Package snapshots tells which configurations devices were seen to have, and what differs between two moments.
package snapshots

import (
	"context"
	"errors"
	"time"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/store"
)

const (
	// kept is how many configurations of a device are listed.
	kept = 200
	// lag is how long after a change a device may be read.
	lag = 3 * time.Second
)

// Service is the capability. Make it with New.
type Service struct{ store *store.Store }

// New returns the service.
func New(s *store.Store) *Service { return &Service{store: s} }

// Snapshot says when a device was first seen to have a configuration.
type Snapshot struct {
	At     time.Time
	By     string // who the device says changed it
	Change int64  // that was under way then, or 0
}

// Compared is a device whose configuration differs between two moments.
type Compared struct {
	Device      string
	From, To    time.Time // when what it had then was first seen
	Differences []intent.Difference
	Steps       []Snapshot // in between, the newest first
}

// List lists the configurations that a device was seen to have, the newest first.
func (s *Service) List(ctx context.Context, device string) ([]Snapshot, error) {
	list, err := s.store.Snapshots(ctx, device, kept)
	if err != nil {
		return nil, err
	}
	pushed, err := s.store.ChangeHeads(ctx, store.ChangeQuery{Device: device, Limit: kept})
	if err != nil {
		return nil, err
	}
	out := make([]Snapshot, len(list))
	for i, snap := range list {
		out[i] = Snapshot{At: snap.TakenAt, By: snap.By}
		for _, c := range pushed {
			end := c.EndedAt
			if end.IsZero() {
				end = time.Now()
			}
			if !c.PushedAt.IsZero() && !snap.TakenAt.Before(c.PushedAt) && snap.TakenAt.Before(end.Add(lag)) {
				out[i].Change = c.Number
				break
			}
		}
	}
	return out, nil
}

// Compare tells which of the devices differ between two moments, and how many were read until then at all.
func (s *Service) Compare(ctx context.Context, devices []string, from, to time.Time) (differ []Compared, read int, err error) {
	for _, device := range devices {
		one, err := s.compare(ctx, device, from, to)
		if errors.Is(err, store.ErrNotFound) {
			continue // it was never read
		}
		if err != nil {
			return nil, 0, err
		}
		read++
		if one != nil {
			differ = append(differ, *one)
		}
	}
	return differ, read, nil
}

// compare returns nil where nothing differs.
func (s *Service) compare(ctx context.Context, device string, from, to time.Time) (*Compared, error) {
	before, err := s.store.SnapshotAt(ctx, device, from)
	if err != nil {
		return nil, err
	}
	after, err := s.store.SnapshotAt(ctx, device, to)
	if err != nil {
		return nil, err
	}
	if before.TakenAt.Equal(after.TakenAt) || string(before.Document) == string(after.Document) {
		return nil, nil
	}
	if len(before.Config.Features) == 0 { // it was kept before it was known what devices can be told
		before.Config.Features = after.Config.Features
	}
	out := &Compared{Device: device, From: before.TakenAt, To: after.TakenAt, Differences: intent.Compare(device, before.Config, after.Config)}
	all, err := s.List(ctx, device)
	if err != nil {
		return nil, err
	}
	for _, step := range all {
		if step.At.After(before.TakenAt) && !step.At.After(after.TakenAt) {
			out.Steps = append(out.Steps, step)
		}
	}
	return out, nil
}
