package changes

import (
	"context"
	"slices"
	"sync"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/store"
)

// recent is a store that remembers the changes that were read or written last as they are kept, so that a call on one that
// has thousands of edits need not decode it anew. Nobody else may write changes.
type recent struct {
	Store
	mu     sync.Mutex
	writes uint64 // how many are done: what was read before one and comes after it may be old
	order  []int64
	by     map[int64]store.Change
}

// maxRecent bounds how many are remembered.
const maxRecent = 12

func remember(s Store) *recent { return &recent{Store: s, by: map[int64]store.Change{}} }

// own is a change whose lists may be written without anybody else seeing it. Edits are never written in place.
func own(c store.Change) store.Change {
	c.Devices, c.Log, c.Findings, c.Accepted = slices.Clone(c.Devices), slices.Clone(c.Log), slices.Clone(c.Findings), slices.Clone(c.Accepted)
	c.Editors, c.Approvals, c.Edits = slices.Clone(c.Editors), slices.Clone(c.Approvals), slices.Clip(c.Edits)
	return c
}

// take remembers a change as it is kept.
func (r *recent) take(c store.Change) {
	if i := slices.Index(r.order, c.Number); i >= 0 {
		r.order = slices.Delete(r.order, i, i+1)
	} else if len(r.order) == maxRecent {
		delete(r.by, r.order[0])
		r.order = slices.Delete(r.order, 0, 1)
	}
	r.order = append(r.order, c.Number)
	r.by[c.Number] = own(c)
}

// forget drops a change of which it is not known how it is kept.
func (r *recent) forget(number int64) {
	if i := slices.Index(r.order, number); i >= 0 {
		r.order = slices.Delete(r.order, i, i+1)
	}
	delete(r.by, number)
}

// wrote takes note of a change that was written, or may have been.
func (r *recent) wrote(c store.Change, err error) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.writes++
	if err != nil {
		r.forget(c.Number)
		return err
	}
	r.take(c)
	return nil
}

func (r *recent) Change(ctx context.Context, number int64) (store.Change, error) {
	r.mu.Lock()
	c, ok := r.by[number]
	writes := r.writes
	r.mu.Unlock()
	if ok {
		return own(c), nil
	}
	c, err := r.Store.Change(ctx, number)
	if err != nil {
		return c, err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.writes == writes {
		r.take(c)
	}
	return c, nil
}

func (r *recent) AddChange(ctx context.Context, c store.Change) (int64, error) {
	number, err := r.Store.AddChange(ctx, c)
	c.Number = number
	return number, r.wrote(c, err)
}

func (r *recent) PutChange(ctx context.Context, c store.Change) error {
	return r.wrote(c, r.Store.PutChange(ctx, c))
}

func (r *recent) PutSteps(ctx context.Context, c store.Change) error {
	return r.wrote(c, r.Store.PutSteps(ctx, c))
}

func (r *recent) PutKept(ctx context.Context, c store.Change, l intent.Layers) error {
	return r.wrote(c, r.Store.PutKept(ctx, c, l))
}

func (r *recent) DropChange(ctx context.Context, number int64) error {
	err := r.Store.DropChange(ctx, number)
	r.mu.Lock()
	defer r.mu.Unlock()
	r.writes++
	r.forget(number)
	return err
}
