package changes

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"

	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/store"
)

// cancelled undoes the change where somebody stopped its push.
func (w *worker) cancelled() bool {
	select {
	case by := <-w.stopped:
		w.c.EndedBy = by
		w.undo(by+" stopped the push.", Undone)
		return true
	default:
		return false
	}
}

// levels are the devices of the change that run it at once, by their places, one level after another.
func (w *worker) levels() [][]int {
	var out [][]int
	for i, d := range w.c.Devices {
		if i == 0 || d.Level != w.c.Devices[i-1].Level {
			out = append(out, nil)
		}
		out[len(out)-1] = append(out[len(out)-1], i)
	}
	return out
}

// runLevel has the devices of a level run the change, all at once. Those of the last one are read back each as soon as it runs
// it, since nothing comes after that could change what they run. It reports whether the push goes on; where it does not, the
// change is being undone, or the service ends.
func (w *worker) runLevel(level []int, last bool) bool {
	for _, i := range level {
		w.set(i, StepRunning, "")
	}
	if w.c.Deadline.IsZero() { // of the trial, which begins with the first device that runs it
		w.c.Deadline = now().Add(w.trial())
	}
	if w.record() != nil {
		return false
	}
	devices := slices.Clone(w.c.Devices)
	errs := make([]error, len(level))
	var wg sync.WaitGroup
	for k, i := range level {
		wg.Go(func() {
			if errs[k] = w.runOn(devices[i]); errs[k] == nil {
				w.set(i, StepOnTrial, "")
				w.note("%s runs it on trial", devices[i].Device)
				if last {
					w.prove(devices[i])
				}
			}
		})
	}
	wg.Wait()
	if w.ctx.Err() != nil {
		return false
	}
	why, state := "", ""
	for k, i := range level {
		d, err := devices[i], errs[k]
		var refusal *driver.Refusal
		switch {
		case err == nil:
		case errors.As(err, &refusal):
			w.set(i, StepRefused, refusal.Words)
			if state != Failed { // a device's own no is the better reason
				why, state = fmt.Sprintf("%s refused to run the change: %s.", d.Device, refusal.Words), Failed
			}
		case d.Dark:
			w.set(i, StepRunning, "out of sight until the other end of its way has the change too")
			w.note("%s went out of sight when it was to run the change, as was to be expected; going on with the others", d.Device)
		default:
			w.note("%s did not answer when it was to run the change: %v", d.Device, err)
			w.set(i, StepRunning, fmt.Sprintf("out of reach; unless it comes back before, it goes back by itself by %s",
				time.Now().Add(w.trial()+deviceSlack).UTC().Format("15:04:05 MST")))
			if why == "" {
				why, state = fmt.Sprintf("%s was lost when it ran the change.", d.Device), Undone
			}
		}
	}
	if state != "" {
		w.undo(why, state)
		return false
	}
	return true
}

// runOn has a device run the change. From one that goes out of sight by it the answer is not waited for as long.
func (w *worker) runOn(d store.ChangeDevice) error {
	ctx := w.ctx
	if d.Dark {
		var cancel context.CancelFunc
		ctx, cancel = context.WithTimeout(ctx, patience)
		defer cancel()
	}
	return w.s.fleet.Trial(ctx, d.Device, d.Token, w.trial()+deviceSlack)
}
