package changes

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/fact/words"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/store"
)

// wellness is what must not be lost by a change: devices that are connected, links to neighbours that are up, and that what
// joins devices is in order.
type wellness struct {
	devices map[string]bool
	ports   map[network.PortRef]bool
	broken  map[string]string    // troubles of links of the touched devices and their neighbours, by device and key
	inside  map[string]time.Time // when the inside of the touched devices was read
}

// health takes the wellness of the network: all devices, the ports of the touched ones, and their links.
func (s *Service) health(touched, near []string) wellness {
	w := wellness{devices: map[string]bool{}, ports: map[network.PortRef]bool{}, broken: map[string]string{}, inside: map[string]time.Time{}}
	for _, v := range s.fleet.Views() {
		if v.Reach != network.ReachConnected {
			continue
		}
		w.devices[v.Name] = true
		if slices.Contains(near, v.Name) {
			for _, t := range v.Inside.Troubles() {
				if t.OfLinks() {
					w.broken[v.Name+" "+t.Key] = v.Name + ": " + words.English.Trouble(t)
				}
			}
		}
		if slices.Contains(touched, v.Name) {
			w.inside[v.Name] = v.Inside.ObservedAt
			for name, p := range v.State.Ports {
				if p.Oper == network.Up || p.ShutAsMeant() { // by its hours, which are none of this change
					w.ports[network.PortRef{Device: v.Name, Port: name}] = true
				}
			}
		}
	}
	return w
}

// lost says what before had and now lacks, leaving out the ports that the change itself puts out of work.
func (w wellness) lost(now wellness, expected map[network.PortRef]bool) []string {
	var out []string
	for d := range w.devices {
		if !now.devices[d] {
			out = append(out, d+" cannot be reached any more")
		}
	}
	for p := range w.ports {
		if now.devices[p.Device] && !now.ports[p] && !expected[p] {
			out = append(out, p.String()+" lost its link")
		}
	}
	slices.Sort(out)
	return out
}

// worse lists, by key, what is out of order now and was not before.
func (w wellness) worse(now wellness) []string {
	var out []string
	for _, key := range slices.Sorted(maps.Keys(now.broken)) {
		if w.broken[key] == "" {
			out = append(out, key)
		}
	}
	return out
}

// readSince tells whether the insides of all devices that tell of one were read after a moment.
func (w wellness) readSince(at time.Time) bool {
	for _, read := range w.inside {
		if !read.IsZero() && !read.After(at) {
			return false
		}
	}
	return true
}

// near are the devices of the change and those that a cable joins to them.
func (w *worker) near() []string {
	states, configs := map[string]network.State{}, map[string]network.Config{}
	for _, v := range w.s.fleet.Views() {
		states[v.Name], configs[v.Name] = v.State, v.Config
	}
	out := w.names()
	for _, l := range topology.Links(states, topology.HostNames(configs)) {
		for _, end := range [][2]string{{l.A.Device, l.B.Device}, {l.B.Device, l.A.Device}} {
			if slices.Contains(w.touched, end[0]) && !slices.Contains(out, end[1]) {
				out = append(out, end[1])
			}
		}
	}
	return out
}

// linkSettings are settings of a port that may bring its link down when they change.
var linkSettings = []string{"poe-class", "poe-priority", "speed", "duplex", "connector", "schedule", "follow", "bpdu-guard", "loop-protection", "transmitter"}

// putOut lists the ports that the change switches off or takes the power from, or whose link it may bring down otherwise:
// that those lose their link is meant, but not what hangs behind them.
func (w *worker) putOut() map[network.PortRef]bool {
	out := map[network.PortRef]bool{}
	for _, d := range w.c.Devices {
		for name, a := range d.After.Ports {
			b := d.Before.Ports[name]
			meant := b.Enabled && !a.Enabled || b.PoE && !a.PoE || slices.ContainsFunc(linkSettings, func(s string) bool { return a.Settings[s] != b.Settings[s] })
			if meant {
				out[network.PortRef{Device: d.Device, Port: name}] = true
			}
		}
	}
	return out
}

// watch leads a change on trial until somebody decides, its time is over, or something is lost.
func (w *worker) watch(before wellness) {
	sub := w.s.feed.Follow(feed.Wants{Kinds: []fact.Kind{fact.Port, fact.Device}})
	defer sub.Close()
	begun, near := time.Now(), w.near()
	w.s.fleet.LookInside(near...)
	var worse []string
	said := "" // of it
	deadline := time.NewTimer(time.Until(w.c.Deadline))
	defer deadline.Stop()
	look := time.NewTicker(time.Second)
	defer look.Stop()
	well := time.Now()    // since when nothing is lost
	var missing time.Time // since when something is lost
	expected := w.putOut()
	for {
		select {
		case <-w.decided:
			w.obey()
			return
		case <-w.ctx.Done():
			return
		case <-deadline.C:
			why := "Nobody kept it in time."
			if len(worse) > 0 {
				why = "Worse since the change, and nobody kept it in time: " + said
			}
			w.giveUp(why)
			return
		case <-look.C:
		case <-sub.Bell():
			news := false
			for more := true; more; {
				_, more, _ = sub.Take(w.ctx)
				news = news || more
			}
			if !news {
				continue
			}
		}
		is := w.s.health(w.touched, near)
		lost := before.lost(is, expected)
		if now := before.worse(is); !slices.Equal(now, worse) {
			var texts []string
			for _, key := range now {
				texts = append(texts, is.broken[key])
			}
			if worse, said = now, strings.Join(texts, " "); said != "" {
				w.remark("worse since the change, so that it is not kept by itself: "+said, fact.ChangeWorse{What: said})
			} else {
				w.remark("what was worse is in order again")
			}
		}
		switch {
		case len(lost) == 0:
			if !missing.IsZero() || len(worse) > 0 {
				missing, well = time.Time{}, time.Now()
			}
			if w.c.KeepSecs > 0 && is.readSince(begun) && time.Since(well) >= time.Duration(w.c.KeepSecs)*time.Second {
				w.note("all is well: kept by itself")
				if w.take(Keeping, "", "") {
					w.keep()
				} else {
					w.obey()
				}
				return
			}
		case missing.IsZero():
			missing = time.Now()
		case time.Since(missing) >= w.patience():
			w.giveUp("Lost since the change: " + strings.Join(lost, "; ") + ".")
			return
		}
	}
}

// giveUp ends the trial by undoing, unless somebody has just decided.
func (w *worker) giveUp(why string) {
	if w.take(Undoing, why, Undone) {
		w.undo(why, Undone)
	} else {
		w.obey()
	}
}

// take moves the change out of its trial unless somebody has just decided. Why, and what the change is to end as, are
// recorded with it, so that a later life knows.
func (w *worker) take(state, why, endAs string) (took bool) {
	_ = w.insistOn("led on", func() error {
		defer w.s.records.lock(w.c.Number)()
		select {
		case <-w.decided:
			return nil
		default:
		}
		fresh, err := w.s.store.Change(w.ctx, w.c.Number)
		if err != nil || fresh.State != OnTrial {
			return err
		}
		c := w.c
		c.State, c.Outcome, c.EndAs, c.UpdatedAt = state, why, endAs, now()
		if err := w.s.store.PutChange(w.ctx, c); err != nil {
			return err
		}
		w.c, took = c, true
		return nil
	})
	return took
}

// remark notes something on a change that is on trial, unless somebody has just decided.
func (w *worker) remark(line string, what ...fact.Happening) {
	defer w.s.records.lock(w.c.Number)()
	if fresh, err := w.s.store.Change(w.ctx, w.c.Number); err == nil && fresh.State == OnTrial {
		w.note("%s", line)
		_ = w.tryRecord(what...)
	}
}

// obey does what somebody decided.
func (w *worker) obey() {
	if w.ctx.Err() != nil {
		return
	}
	var c store.Change
	if w.insistOn("read", func() (err error) { c, err = w.s.store.Change(w.ctx, w.c.Number); return err }) != nil {
		return
	}
	w.c = c
	if c.State == Keeping {
		w.keep()
		return
	}
	w.undo("", Undone)
}

// resumeTrial takes up a change on trial after a restart: if every device still runs it and there is time left, the trial
// goes on; if not, all is undone.
func (w *worker) resumeTrial() {
	if time.Until(w.c.Deadline) <= 0 {
		w.undo("Its time was over when the service came back.", Undone)
		return
	}
	for i := range w.c.Devices {
		ctx, cancel := context.WithDeadline(w.ctx, w.c.Deadline)
		now, err := w.configOf(ctx, w.c.Devices[i].Device)
		cancel()
		if w.ctx.Err() != nil {
			return
		}
		if err != nil || !same(now, w.c.Devices[i], w.c.Devices[i].After) {
			w.undo(fmt.Sprintf("%s no longer ran it when the service came back.", w.c.Devices[i].Device), Undone)
			return
		}
	}
	w.note("the service came back and goes on with the trial")
	if !w.take(OnTrial, "", "") {
		w.obey()
		return
	}
	w.watch(w.s.health(w.names(), w.near()))
}

// keep makes the change permanent everywhere. First every device is given new time, so that none goes back while another
// is being kept. A device that went back all the same has the rest follow it.
func (w *worker) keep() {
	var mu sync.Mutex
	var reverted []string
	extended := true
	w.each(func(_ int, d store.ChangeDevice) {
		if d.Step != StepOnTrial {
			return // an earlier life was further
		}
		err := w.insist(d.Device, func(ctx context.Context) error { return w.s.fleet.Extend(ctx, d.Device, d.Token, keepTime) })
		if err == nil || w.ctx.Err() != nil {
			return
		}
		mu.Lock()
		extended = false
		mu.Unlock()
		w.note("%s could not be given more time: %v", d.Device, err)
	})
	if w.ctx.Err() != nil {
		return
	}
	if !extended && !w.anyKept() {
		w.undo("A device could not be reached to keep the change.", Undone)
		return
	}
	for i, d := range w.c.Devices {
		if d.Step != StepKept {
			w.set(i, StepKeeping, "")
		}
	}
	if w.record() != nil {
		return
	}
	w.each(func(i int, d store.ChangeDevice) {
		if d.Step == StepKept {
			return
		}
		ok, err := w.keepOn(d)
		switch {
		case err != nil: // the service ends
		case ok:
			w.set(i, StepKept, "")
		default:
			w.set(i, StepUndone, "it went back before it could be kept")
			mu.Lock()
			reverted = append(reverted, d.Device)
			mu.Unlock()
		}
	})
	if w.ctx.Err() != nil {
		return
	}
	slices.Sort(reverted)
	if len(w.c.Devices) == 0 {
		w.end(Kept, "No device is changed by it.")
		return
	}
	if len(reverted) == 0 {
		w.end(Kept, fmt.Sprintf("It runs for good on %s.", w.onWhat()))
		return
	}
	w.putBack(fmt.Sprintf("%s went back before the change could be kept.", strings.Join(reverted, ", ")))
}

func (w *worker) anyKept() bool {
	return slices.ContainsFunc(w.c.Devices, func(d store.ChangeDevice) bool { return d.Step == StepKept || d.Step == StepKeeping })
}

// keepOn keeps the change on one device and finds out, by reading, whether it is kept. It waits for a device that is away.
func (w *worker) keepOn(d store.ChangeDevice) (kept bool, err error) {
	for {
		err := w.insist(d.Device, func(ctx context.Context) error { return w.s.fleet.Keep(ctx, d.Device, d.Token) })
		if w.ctx.Err() != nil {
			return false, w.ctx.Err()
		}
		now, readErr := w.configOf(w.ctx, d.Device)
		if readErr != nil {
			return false, readErr
		}
		runs := same(now, d, d.After)
		if err == nil || errors.Is(err, driver.ErrNoTrial) || !runs {
			return runs, nil
		}
		w.note("%s was not kept yet: %v", d.Device, err)
		if !w.pause() {
			return false, w.ctx.Err()
		}
	}
}

// insist tries something on a device, waiting for the device while it is away, until the device says yes or no.
func (w *worker) insist(device string, do func(context.Context) error) error {
	for {
		ctx, cancel := context.WithTimeout(w.ctx, keepTime)
		err := w.s.fleet.Await(ctx, device)
		if err == nil {
			err = do(ctx)
		}
		outOfTime := ctx.Err() != nil
		cancel()
		var refusal *driver.Refusal
		if err == nil || outOfTime || errors.Is(err, driver.ErrNoTrial) ||
			errors.As(err, &refusal) && !errors.Is(err, driver.ErrBusy) {
			return err
		}
		if !w.pause() {
			return w.ctx.Err()
		}
	}
}

// pause waits a moment before something is tried again.
func (w *worker) pause() bool {
	t := time.NewTimer(300 * time.Millisecond)
	defer t.Stop()
	select {
	case <-t.C:
		return true
	case <-w.ctx.Done():
		return false
	}
}

// undo takes the change back wherever it may run, and proves it by reading. It stays at it while a device is away. why
// says what brought it about and state what the change then is; both are empty when an earlier life began it.
func (w *worker) undo(why, state string) {
	if state != "" {
		w.c.Outcome, w.c.EndAs = why, state
	}
	w.c.State = Undoing
	w.note("undoing. %s", w.c.Outcome)
	// It is undone also where that cannot be recorded: a later life would come to the same.
	_ = w.tryRecord(fact.ChangeUndoing{Why: w.c.Outcome})
	if w.ctx.Err() != nil {
		return
	}
	if w.anyKept() {
		w.putBack(w.c.Outcome)
		return
	}
	w.each(func(i int, d store.ChangeDevice) {
		switch d.Step {
		case StepWaiting, StepReady:
			_ = w.s.fleet.Release(w.ctx, d.Device, d.Token)
			w.set(i, StepUntouched, "")
			return
		case StepUndone, StepUntouched, StepRefused:
			return
		}
		if said, ok := w.undoOn(d); ok {
			w.set(i, StepUndone, said)
			_ = w.tryRecord()
		}
	})
	if w.ctx.Err() != nil {
		return
	}
	w.end(cmp.Or(w.c.EndAs, Undone), strings.TrimSpace(w.c.Outcome+" Everything is as it was before."))
}

// undoOn takes the change back on one device and returns how it came to be undone.
func (w *worker) undoOn(d store.ChangeDevice) (said string, ok bool) {
	for {
		err := w.insist(d.Device, func(ctx context.Context) error { return w.s.fleet.Undo(ctx, d.Device, d.Token) })
		if w.ctx.Err() != nil {
			return "", false
		}
		if err == nil || errors.Is(err, driver.ErrNoTrial) {
			now, readErr := w.configOf(w.ctx, d.Device)
			if readErr != nil {
				return "", false
			}
			switch {
			case same(now, d, d.Before) && err == nil:
				return "undone on the service's word", true
			case same(now, d, d.Before):
				return w.wentBack(d), true
			case err != nil && same(now, d, d.After):
				// No trial is open and the change runs: it was made permanent by somebody else.
				return w.reverse(d), w.ctx.Err() == nil
			case err != nil:
				return "something else was changed there meanwhile; it does not run this change", true
			}
		}
		if !w.pause() {
			return "", false
		}
	}
}

// wentBack says how a device came to run what it ran before without being told to.
func (w *worker) wentBack(d store.ChangeDevice) string {
	w.s.feed.Settle() // it may just have said so
	w.mu.Lock()
	for more := true; more; {
		var item feed.Item
		if item, more, _ = w.heard.Take(w.ctx); more && item.Fact.Code() == (fact.ConfigTimedOut{}).Code() {
			w.timedOut[item.Fact.Subject.OnDevice()] = item.Fact.At
		}
	}
	at, told := w.timedOut[d.Device]
	w.mu.Unlock()
	switch {
	case told:
		return fmt.Sprintf("the device went back by itself at %s", at.UTC().Format("15:04:05 MST"))
	case d.Step == StepRunning:
		return "the device does not run it: it never did, or went back by itself"
	}
	return "the device went back by itself"
}

// putBack writes the old settings to the devices on which the change is already permanent.
func (w *worker) putBack(why string) {
	w.c.State, w.c.Outcome = Undoing, why
	w.note("putting back: %s", why)
	if w.record(fact.ChangeBack{Why: why}) != nil {
		return
	}
	w.each(func(i int, d store.ChangeDevice) {
		if d.Step != StepKept && d.Step != StepKeeping && d.Step != StepOnTrial {
			return
		}
		said := ""
		if now, err := w.configOf(w.ctx, d.Device); err == nil && same(now, d, d.Before) {
			said = "the device went back by itself"
		} else if d.Step == StepOnTrial {
			said, _ = w.undoOn(d)
		} else {
			said = w.reverse(d)
		}
		if w.ctx.Err() == nil {
			w.set(i, StepUndone, said)
		}
	})
	if w.ctx.Err() == nil {
		w.end(Undone, why+" Everything is as it was before.")
	}
}

// reverse makes the opposite change permanent on one device, however long it takes.
func (w *worker) reverse(d store.ChangeDevice) string {
	for {
		err := w.insist(d.Device, func(ctx context.Context) error {
			token := d.Token + "-back"
			if err := w.s.fleet.Propose(ctx, d.Device, token, d.After, d.Before); err != nil {
				return err
			}
			if err := w.s.fleet.Trial(ctx, d.Device, token, keepTime); err != nil {
				return err
			}
			return w.s.fleet.Keep(ctx, d.Device, token)
		})
		if err == nil {
			return "the old settings were written again"
		}
		if !w.pause() {
			return ""
		}
		if now, readErr := w.configOf(w.ctx, d.Device); readErr == nil && same(now, d, d.Before) {
			return "the old settings were written again"
		}
	}
}
