package access

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"time"

	"example.net/everypost/internal/store"
)

// Bounds of what is written down of those who are refused: so many entries a minute, then one for the rest of it.
const (
	refusedEach  = 20 // entries
	refusedNames = 5  // of names and addresses that the sum tells
	refusedEvery = time.Minute
)

// refusals writes down who was refused, one by one as long as they are few, and summed up where somebody guesses.
type refusals struct {
	store *store.Store
	now   func() time.Time

	mu      sync.Mutex
	since   time.Time
	written int
	more    int
	names   []string
	places  []string
	timer   *time.Timer
}

func newRefusals(s *store.Store, now func() time.Time) *refusals {
	return &refusals{store: s, now: now}
}

func (r *refusals) note(ctx context.Context, name, from string, why error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	now := r.now()
	if r.since.IsZero() || now.Sub(r.since) >= refusedEvery {
		r.sum()
		r.since, r.written = now, 0
	}
	name = shorten(name, 64)
	if r.written < refusedEach && !errors.Is(why, ErrSlowDown) {
		r.written++
		r.write(context.WithoutCancel(ctx), store.AuditEntry{At: now, User: name, Action: "sign-in", Object: from, Detail: "refused: " + why.Error()})
		return
	}
	r.more++
	r.names, r.places = mention(r.names, name), mention(r.places, from)
	if r.timer == nil {
		r.timer = time.AfterFunc(refusedEvery, func() {
			r.mu.Lock()
			defer r.mu.Unlock()
			r.sum()
		})
	}
}

func mention(list []string, s string) []string {
	if len(list) <= refusedNames && !slices.Contains(list, s) {
		list = append(list, s)
	}
	return list
}

// sum writes one entry for all that were not written. It is called with the lock held.
func (r *refusals) sum() {
	if r.timer != nil {
		r.timer.Stop()
		r.timer = nil
	}
	if r.more == 0 {
		return
	}
	say := func(list []string) string {
		if len(list) > refusedNames {
			return strings.Join(list[:refusedNames], ", ") + " and others"
		}
		return strings.Join(list, ", ")
	}
	r.write(context.Background(), store.AuditEntry{At: r.now(), Action: "sign-in", Object: say(r.places),
		Detail: fmt.Sprintf("refused: %d more attempts since %s, as %s", r.more, r.since.UTC().Format(time.TimeOnly), say(r.names))})
	r.more, r.names, r.places = 0, nil, nil
}

func (r *refusals) write(ctx context.Context, e store.AuditEntry) {
	if err := r.store.Audit(ctx, e); err != nil {
		slog.Error("a refused sign-in could not be recorded", "from", e.Object, "err", err)
	}
}

func (r *refusals) close() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.sum()
}
