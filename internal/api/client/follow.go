package client

import (
	"context"
	"errors"
	"sync"
	"time"

	v1 "example.net/everypost/internal/api/v1"
)

// progress returns how far a change is, without its edits and differences.
func (c *Client) progress(ctx context.Context, number int64) (v1.Change, error) {
	return get[v1.Change](ctx, c, changePath(number, "")+brief, nil)
}

// followWait is how long at most a change is not asked for while its steps are followed.
const followWait = 2 * time.Second

// Follow calls f with a change now and at each step until done says so, and returns it then. What f and done are given is
// without edits and differences. It lives through a restart of the service.
func (c *Client) Follow(ctx context.Context, number int64, f func(v1.Change), done func(v1.Change) bool) (v1.Change, error) {
	listening, end := context.WithCancel(ctx)
	stepped := make(chan struct{}, 1)
	var wg sync.WaitGroup
	wg.Go(func() { c.wake(listening, number, stepped) })
	defer wg.Wait()
	defer end()
	var last int64
	for {
		ch, err := c.progress(ctx, number)
		var away *Unreachable
		if err != nil && !errors.As(err, &away) {
			return ch, err
		}
		if err == nil && ch.Revision != last {
			last = ch.Revision
			f(ch)
		}
		if err == nil && done(ch) {
			return c.Change(ctx, number)
		}
		select {
		case <-stepped:
		case <-time.After(followWait): // stands in for the stream while the service is away
		case <-ctx.Done():
			return ch, context.Cause(ctx)
		}
	}
}

// wake tells of steps of a change until ctx ends; also when it is not sure whether there was one.
func (c *Client) wake(ctx context.Context, number int64, stepped chan<- struct{}) {
	for ctx.Err() == nil {
		_ = c.Events(ctx, 0, func(e v1.Event) bool {
			if e.Kind == "reset" || e.Kind == "change" && e.Change == number {
				select {
				case stepped <- struct{}{}:
				default: // it is told already
				}
			}
			return true
		})
		select {
		case <-time.After(200 * time.Millisecond):
		case <-ctx.Done():
		}
	}
}
