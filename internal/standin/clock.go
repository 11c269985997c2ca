package standin

import (
	"context"
	"slices"
	"time"
)

// clock is the world's time: that of the machine, or one that stands until it is moved on. The world's lock guards it.
type clock struct {
	at     time.Time // where a stepped clock stands; zero for the time of the machine
	timers []*timer  // the earliest first
	// stride is for how long traffic flows at one rate, while the clock goes in large steps; 0 for flowStep.
	stride time.Duration
}

// timer is something that is to be done at a time.
type timer struct {
	at   time.Time
	do   func()
	real *time.Timer // nil while the clock is stepped
	done bool
}

func (c *clock) now() time.Time {
	if c.at.IsZero() {
		return time.Now()
	}
	return c.at
}

// stand makes the clock stand at a time.
func (c *clock) stand(at time.Time) { c.at = at }

func (c *clock) end() {
	for _, t := range c.timers {
		t.done = true
		if t.real != nil {
			t.real.Stop()
		}
	}
	c.timers = nil
}

// after calls f, with the lock held, when the world's clock has moved on so far, unless the world is closed by then.
func (w *World) after(d time.Duration, f func()) *timer {
	t := &timer{at: w.clock.now().Add(d), do: f}
	at, _ := slices.BinarySearchFunc(w.clock.timers, t, func(a, b *timer) int { return a.at.Compare(b.at) })
	w.clock.timers = slices.Insert(w.clock.timers, at, t)
	if w.clock.at.IsZero() {
		w.arm(t, d)
	}
	return t
}

// arm lets the machine's clock call for a timer.
func (w *World) arm(t *timer, d time.Duration) {
	t.real = time.AfterFunc(d, func() {
		w.mu.Lock()
		defer w.mu.Unlock()
		w.fire(t)
	})
}

func (w *World) fire(t *timer) {
	if w.closed || t.done {
		return
	}
	w.cancel(t)
	t.do()
}

func (w *World) cancel(t *timer) {
	if t == nil || t.done {
		return
	}
	t.done = true
	if t.real != nil {
		t.real.Stop()
	}
	w.clock.timers = slices.DeleteFunc(w.clock.timers, func(o *timer) bool { return o == t })
}

// Now is the world's time.
func (w *World) Now() time.Time {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.clock.now()
}

// flowStep is for how long at least traffic flows at one rate while the clock is stepped and nothing happens.
const flowStep = 5 * time.Minute

// flowFor is the longest time for which traffic flows at one rate.
func (c *clock) flowFor() time.Duration { return max(c.stride, flowStep) }

// Step moves a stepped clock on: what is due happens in its order, and traffic flows between.
func (w *World) Step(d time.Duration) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.step(w.clock.at.Add(d))
}

func (w *World) step(to time.Time) {
	for w.clock.at.Before(to) {
		next := w.clock.at.Add(min(w.clock.flowFor(), to.Sub(w.clock.at)))
		if ts := w.clock.timers; len(ts) > 0 && ts[0].at.Before(next) {
			next = ts[0].at
		}
		if span := next.Sub(w.clock.at); span > 0 {
			w.clock.at = next
			w.onTime(next)
			w.flow(next, span)
		}
		for ts := w.clock.timers; len(ts) > 0 && !ts[0].at.After(next); ts = w.clock.timers {
			w.fire(ts[0])
		}
	}
}

// Live lets the world live through a time before it starts, in steps, with what happens in it; each is called after each
// step. It is the same world, so that what it counted then goes on from there.
func (w *World) Live(ctx context.Context, from, to time.Time, step func(at time.Time) time.Duration, script []Happening, each func(now time.Time)) error {
	w.mu.Lock()
	w.clock.stand(from)
	w.settle()
	w.beginAsIs()
	w.lived = true
	w.mu.Unlock()
	for at := from; at.Before(to); {
		stride := min(step(at), to.Sub(at))
		at = at.Add(stride)
		for len(script) > 0 && !from.Add(script[0].After).After(at) {
			w.mu.Lock()
			w.step(from.Add(script[0].After))
			w.mu.Unlock()
			if err := w.Throw(script[0].Fault, script[0].Target); err != nil {
				return err
			}
			script = script[1:]
		}
		w.mu.Lock()
		w.clock.stride = stride
		w.step(at)
		w.mu.Unlock()
		each(at)
		if err := ctx.Err(); err != nil {
			return err
		}
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	w.clock.stand(w.opts.Stepped)
	w.clock.stride = 0
	for _, t := range w.clock.timers {
		w.arm(t, time.Until(t.at))
	}
	return nil
}
