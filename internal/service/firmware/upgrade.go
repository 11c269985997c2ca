package firmware

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/firmware"
	"example.net/everypost/internal/core/job"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/operation"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/service/backups"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/store"
)

// What a step does, one after another. By what it did last, and by what the device tells, it goes on in another life.
const (
	doBackUp  = "backing up"
	doSend    = "sending the image"
	doInstall = "installing it"
	doRestart = "restarting"
	doCheck   = "looking whether all is well"
)

// stallTime is for how long nothing may come of sending an image before it is given up.
const stallTime = 2 * time.Minute

// leaveTime is within what time a device goes that was told to restart.
const leaveTime = 5 * time.Second

// Plan implements jobs.Doer: those of the devices that do not run what they are to run, in waves.
func (s *Service) Plan(ctx context.Context, j job.Job, devices []string) ([]job.Step, error) {
	b, err := s.baseline(ctx)
	if err != nil {
		return nil, err
	}
	var steps []job.Step
	cannot := 0
	for _, name := range devices {
		v, ok := s.Fleet.View(name)
		if !ok {
			continue
		}
		step := job.Step{Device: name, State: job.StepWaiting, From: v.Identity.Firmware}
		if j.Kind == job.GoBack {
			spare, ok := slotOf(v, network.SlotStandby)
			if !ok {
				continue
			}
			step.To = spare.Version
		} else {
			standing, i := b.stands(v.Identity)
			if standing == Free || standing == Current {
				continue
			}
			step.To, step.Image = i.Version, i.Number
		}
		if !slices.Contains(v.Can, operation.Boot) {
			cannot++
			continue
		}
		steps = append(steps, step)
	}
	if len(steps) == 0 {
		switch {
		case cannot > 0:
			return nil, fmt.Errorf("%w: none of them takes firmware from here: it has to be upgraded by hand", ErrInvalid)
		case j.Kind == job.GoBack:
			return nil, fmt.Errorf("%w: none of the %d devices that it picks has another firmware to go back to", ErrInvalid, len(devices))
		}
		return nil, fmt.Errorf("%w: each of the %d devices that it picks runs its baseline, or its model is no part of it", ErrInvalid, len(devices))
	}
	return s.inWaves(ctx, steps)
}

// inWaves puts steps in the order in which they are done.
func (s *Service) inWaves(ctx context.Context, steps []job.Step) ([]job.Step, error) {
	n, err := s.Network.Network(ctx)
	if err != nil {
		return nil, err
	}
	graph := topology.NewGraph(n.Links, n.Entries())
	partners := partnersOf(n.Insides, topology.Pairs(n.Configs, n.Links))
	places := make([]firmware.Place, len(steps))
	for i, step := range steps {
		distance, known := graph.Distance(step.Device)
		if !known {
			distance = -1
		}
		places[i] = firmware.Place{Device: step.Device, Distance: distance, Partner: partners[step.Device], Behind: len(graph.Behind(step.Device))}
	}
	waves := firmware.Waves(places)
	for i := range steps {
		steps[i].Wave = waves[steps[i].Device]
	}
	slices.SortStableFunc(steps, func(a, b job.Step) int { return a.Wave - b.Wave })
	return steps, nil
}

// partnersOf finds the device that stands in for each: of a pair of switches, or of a cluster.
func partnersOf(insides map[string]network.Inside, pairs map[string]string) map[string]string {
	of := map[string][]string{}
	for device, in := range insides {
		if in.Cluster != nil && in.Cluster.Name != "" {
			of["cluster "+in.Cluster.Name] = append(of["cluster "+in.Cluster.Name], device)
		}
	}
	for device, pair := range pairs {
		of["pair "+pair] = append(of["pair "+pair], device)
	}
	out := map[string]string{}
	for _, two := range of {
		if len(two) == 2 {
			out[two[0]], out[two[1]] = two[1], two[0]
		}
	}
	return out
}

func slotOf(v fleet.View, state network.SlotState) (network.FirmwareSlot, bool) {
	i := slices.IndexFunc(v.Inside.Slots, func(s network.FirmwareSlot) bool { return s.State == state })
	if i < 0 {
		return network.FirmwareSlot{}, false
	}
	return v.Inside.Slots[i], true
}

// work is a step under way.
type work struct {
	s    *Service
	j    job.Job
	step job.Step
	tell func(job.Step) error
	back func() // tells that it does not restart any more
}

// Do implements jobs.Doer.
func (s *Service) Do(ctx context.Context, j job.Job, step job.Step, tell func(job.Step) error) (job.Step, error) {
	w := &work{s: s, j: j, step: step, tell: tell, back: func() {}}
	if step.Before != nil { // it was told to restart in a life before
		w.back = s.Leases.Restarts(step.Device)
	}
	err := w.do(ctx)
	w.back()
	return w.step, err
}

func (w *work) doing(what string) error {
	w.step.Doing, w.step.Percent = what, 0
	return w.tell(w.step)
}

func (w *work) do(ctx context.Context) error {
	v, err := w.inHand(ctx)
	if err != nil {
		return err
	}
	if w.step.Before != nil && v.Identity.Firmware != w.step.To { // it may have been told to restart a moment ago, and be about to go
		leaving, cancel := context.WithTimeout(ctx, leaveTime)
		_, _ = w.until(leaving, func(now fleet.View) bool { return now.Reach != network.ReachConnected || !now.Since.Equal(v.Since) })
		cancel()
		if v, err = w.inHand(ctx); err != nil {
			return err
		}
	}
	if v.Identity.Firmware == w.step.To {
		if w.step.Before == nil {
			w.step.State, w.step.Note = job.StepUnchanged, "it runs "+w.step.To+" already"
			return nil
		}
		return w.check(ctx)
	}
	if w.step.Before != nil { // it was told to restart in a life before, and is back with something else
		if _, failed := slotOf(v, network.SlotFailed); failed {
			return w.cameBackWith(v)
		}
	}
	if err := w.prepare(ctx, v); err != nil {
		return err
	}
	if err := w.restart(ctx); err != nil {
		return err
	}
	return w.check(ctx)
}

// inHand is the device, once it is connected; with that its inside was read. One that was told to restart is waited for.
func (w *work) inHand(ctx context.Context) (fleet.View, error) {
	name := w.step.Device
	wait := w.s.Look * 120
	if w.step.Before != nil {
		wait = w.s.Back
	}
	ctx, cancel := context.WithTimeout(ctx, wait)
	defer cancel()
	w.s.Fleet.AwaitTry(ctx, name)
	v, err := w.until(ctx, func(v fleet.View) bool {
		return v.Reach == network.ReachConnected || w.step.Before == nil
	})
	if v.Reach != network.ReachConnected {
		return v, &fleet.GoneError{Device: name, Reach: v.Reach, Since: v.Since, Why: v.Why}
	}
	return v, err
}

// until looks at the device until something is so.
func (w *work) until(ctx context.Context, is func(fleet.View) bool) (fleet.View, error) {
	tick := time.NewTicker(w.s.Look)
	defer tick.Stop()
	for {
		v, ok := w.s.Fleet.View(w.step.Device)
		if !ok {
			return v, fleet.ErrUnknown
		}
		if is(v) {
			return v, nil
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return v, context.Cause(ctx)
		}
	}
}

// prepare has the slot that does not run hold what the device is to run.
func (w *work) prepare(ctx context.Context, v fleet.View) error {
	if err := w.doing(doBackUp); err != nil {
		return err
	}
	if _, _, err := w.s.Backups.Take(ctx, w.step.Device, backups.BeforeBoot, w.j.Owner); err != nil {
		return fmt.Errorf("it could not be backed up: %w", err)
	}
	if spare, ok := slotOf(v, network.SlotStandby); ok && spare.Version == w.step.To {
		return nil
	}
	if w.j.Kind == job.GoBack {
		return fmt.Errorf("%s is in no slot any more", w.step.To)
	}
	return w.install(ctx)
}

func (w *work) install(ctx context.Context) error {
	i, err := w.s.Store.Image(ctx, w.step.Image)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return fmt.Errorf("image %d is not in the library any more", w.step.Image)
	case err != nil:
		return err
	case !i.Approved():
		return fmt.Errorf("image %d is not approved any more", w.step.Image)
	}
	f, err := os.Open(w.s.file(i))
	if err != nil {
		return err
	}
	defer func() { _ = f.Close() }()
	if err := w.doing(doSend); err != nil {
		return err
	}
	file := i.SHA256[:16] + ".image"
	sending, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	stalled := time.AfterFunc(stallTime, func() { cancel(fmt.Errorf("the device took nothing more of the image for %s", stallTime)) })
	defer stalled.Stop()
	err = w.s.Fleet.PutFile(sending, w.step.Device, file, f, i.Size, func(sent int64) {
		stalled.Reset(stallTime)
		w.step.Percent = int(100 * sent / max(i.Size, 1))
		if err := w.tell(w.step); err != nil {
			cancel(err)
		}
	})
	if err != nil {
		return err
	}
	if err := w.doing(doInstall); err != nil {
		return err
	}
	return w.operate(ctx, operation.Install, map[string]string{"file": file, "sha256": i.SHA256})
}

func (w *work) operate(ctx context.Context, k operation.Kind, args map[string]string) error {
	r, err := operation.New(k, args)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, r.Longest())
	defer cancel()
	_, err = w.s.Fleet.Operate(ctx, w.step.Device, r, func(operation.Line) {})
	return err
}

// restart has the device start with what is in its other slot, and waits until it is back.
func (w *work) restart(ctx context.Context) error {
	v, ok := w.s.Fleet.View(w.step.Device)
	if !ok {
		return fleet.ErrUnknown
	}
	spare := slices.IndexFunc(v.Inside.Slots, func(s network.FirmwareSlot) bool { return s.State != network.SlotRunning })
	if spare < 0 {
		return errors.New("it tells of no other slot")
	}
	if w.step.Before == nil {
		w.step.Before = healthOf(v)
	}
	if err := w.doing(doRestart); err != nil {
		return err
	}
	w.back()
	w.back = w.s.Leases.Restarts(w.step.Device)
	if err := w.operate(ctx, operation.Boot, map[string]string{"slot": v.Inside.Slots[spare].Name}); err != nil {
		if now, _ := w.s.Fleet.View(w.step.Device); now.Reach == network.ReachConnected && now.Since.Equal(v.Since) {
			return err
		} // it went before it could say so
	}
	back, cancel := context.WithTimeoutCause(ctx, w.s.Back, fmt.Errorf("it did not come back within %s", w.s.Back))
	defer cancel()
	v, err := w.until(back, func(now fleet.View) bool {
		return now.Reach == network.ReachConnected && now.Since.After(v.Since) && now.Identity.BootedAt.After(v.Identity.BootedAt)
	})
	if err != nil {
		return err
	}
	if v.Identity.Firmware != w.step.To {
		return w.cameBackWith(v)
	}
	return nil
}

func (w *work) cameBackWith(v fleet.View) error {
	return fmt.Errorf("%s does not come up: it came back with %s", w.step.To, v.Identity.Firmware)
}

// check holds how the device does against how it did before.
func (w *work) check(ctx context.Context) error {
	if err := w.doing(doCheck); err != nil {
		return err
	}
	settle, cancel := context.WithTimeout(ctx, w.s.Settle)
	defer cancel()
	var worse []string
	_, err := w.until(settle, func(v fleet.View) bool {
		worse = worseThan(*w.step.Before, v)
		return v.Reach == network.ReachConnected && len(worse) == 0
	})
	switch {
	case ctx.Err() != nil:
		return context.Cause(ctx)
	case len(worse) > 0:
		return fmt.Errorf("it runs %s, and is not as well as before: %s", w.step.To, strings.Join(worse, "; "))
	case err != nil:
		return fmt.Errorf("it runs %s, and was gone again", w.step.To)
	}
	w.step.State, w.step.Note = job.StepDone, fmt.Sprintf("it runs %s, before %s", w.step.To, w.step.From)
	return nil
}

func healthOf(v fleet.View) *job.Health {
	h := &job.Health{}
	for name, p := range v.State.Ports {
		switch {
		case p.Oper != network.Up:
		case p.Neighbour != nil:
			h.Up = append(h.Up, name)
		default:
			h.Hosts++
		}
	}
	slices.Sort(h.Up)
	for _, t := range v.Inside.Troubles() {
		h.Troubles = append(h.Troubles, t.Key)
	}
	return h
}

// worseThan says what is worse now.
func worseThan(before job.Health, v fleet.View) (out []string) {
	var down []string
	for _, port := range before.Up {
		if v.State.Ports[port].Oper != network.Up {
			down = append(down, port)
		}
	}
	switch {
	case len(down) == 1:
		out = append(out, "port "+down[0]+" has no link")
	case len(down) > 8:
		out = append(out, fmt.Sprintf("%d ports have no link", len(down)))
	case len(down) > 1:
		out = append(out, "ports "+strings.Join(down, ", ")+" have no link")
	}
	now := healthOf(v)
	if now.Hosts*2 < before.Hosts { // people come and go, not all at once
		out = append(out, fmt.Sprintf("%d ports with clients had a link, and %d have", before.Hosts, now.Hosts))
	}
	for _, t := range now.Troubles {
		if !slices.Contains(before.Troubles, t) {
			out = append(out, "new trouble: "+t)
		}
	}
	return out
}
