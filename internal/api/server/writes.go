package server

import (
	"context"
	"sync"
	"time"
)

// writes knows whether what is done can be recorded. It finds out by writing, no more often than needed.
type writes struct {
	try func(context.Context) error
	now func() time.Time

	mu   sync.Mutex
	good time.Time // when a write last succeeded; zero after one that failed
}

// goodFor is for how long a write that succeeded is taken for a sign that the next will.
const goodFor = 2 * time.Second

// actTime bounds the look whether an act can be recorded: a slow disk is no full one.
const actTime = 10 * time.Second

// broken tells whether nothing can be recorded now.
func (w *writes) broken(ctx context.Context) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.now().Sub(w.good) < goodFor {
		return false
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), actTime)
	defer cancel()
	if w.try(ctx) != nil {
		return true
	}
	w.good = w.now()
	return false
}

// failed has the next act look.
func (w *writes) failed() {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.good = time.Time{}
}
