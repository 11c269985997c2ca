package layers

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/store"
)

// Drift is what a device runs other than intended.
type Drift struct {
	Device      string
	Control     network.Control
	Differences []Difference
}

// Difference is one setting that a device runs other than intended.
type Difference struct {
	On             network.PortRef
	Field          string
	Intended, Runs string
	Layer          string    // that says what is intended
	Since          time.Time // since when the device is known to run it
	By             string    // who set it, where the device told
}

// Look has devices looked at, soon; none stands for all.
func (s *Service) Look(devices ...string) {
	if len(devices) == 0 {
		for _, v := range s.fleet.Views() {
			devices = append(devices, v.Name)
		}
	}
	s.mu.Lock()
	for _, d := range devices {
		s.dirty[d] = true
	}
	s.mu.Unlock()
	select {
	case s.wake <- struct{}{}:
	default:
	}
}

// Everything is looked at again now and then, for what templates pick may change without any device being set otherwise: a
// camera is plugged in.
const (
	sweep       = 30 * time.Second
	sweepDevice = 30 * time.Millisecond // longer, where there are many
)

// look looks at what was read, until the service ends.
func (s *Service) look() {
	again := time.NewTimer(sweep)
	defer again.Stop()
	for {
		select {
		case <-s.ctx.Done():
			return
		case <-again.C:
			s.Look()
			again.Reset(max(sweep, time.Duration(len(s.fleet.Views()))*sweepDevice))
			continue
		case <-s.news.Bell():
			s.hear()
			continue
		case <-s.wake:
		}
		t := time.NewTimer(s.delay)
		select {
		case <-s.ctx.Done():
			t.Stop()
			return
		case <-t.C:
		}
		s.mu.Lock()
		devices := slices.Sorted(maps.Keys(s.dirty))
		clear(s.dirty)
		s.mu.Unlock()
		if err := s.judge(s.ctx, devices); err != nil && s.ctx.Err() == nil {
			s.log.Error("it could not be found out whether devices run what is intended", "err", err)
		}
	}
}

// judge finds out whether devices run what is intended, and tells where that changed. One at a time does: what was found out
// last is what is known, and never what somebody else began to look at before.
func (s *Service) judge(ctx context.Context, devices []string) error {
	s.judging.Lock()
	defer s.judging.Unlock()
	devices = slices.DeleteFunc(devices, func(d string) bool {
		v, ok := s.fleet.View(d)
		if ok && v.Known && !read(v) {
			s.Look(d) // in a moment
		}
		return !ok || !read(v) || s.leases.Held(d)
	})
	if len(devices) == 0 {
		return nil
	}
	stage, err := s.Stage(ctx, devices)
	if err != nil {
		return err
	}
	for _, name := range devices {
		v, ok := s.fleet.View(name)
		if !ok || stage.Layers.Devices[name] == nil {
			continue
		}
		now := s.driftOf(ctx, stage, v)
		s.mu.Lock()
		was := s.drifts[name]
		if len(now.Differences) == 0 {
			delete(s.drifts, name)
		} else {
			s.drifts[name] = now
		}
		s.mu.Unlock()
		s.tell(was, now)
	}
	return nil
}

// read tells whether a device was read as a whole: what templates pick may ask for its neighbours.
func read(v fleet.View) bool { return v.Known && !v.State.ObservedAt.IsZero() }

// driftOf holds what a device runs against what is intended.
func (s *Service) driftOf(ctx context.Context, stage intent.Stage, v fleet.View) Drift {
	spot := stage.Spots[v.Name]
	out := Drift{Device: v.Name, Control: s.Control(v.Name)}
	s.mu.Lock()
	known := s.drifts[v.Name].Differences
	s.mu.Unlock()
	fresh, own := false, s.ownUser(v.Name)
	for _, d := range intent.Compare(v.Name, stage.Layers.Intended(spot, v.Config), v.Config) {
		if d.Port.Port == own {
			continue
		}
		one := Difference{On: d.Port, Field: d.Field, Intended: d.Before, Runs: d.After}
		if set, err := setting.Lookup(setting.KindOf(d.Port.Port), d.Field); err == nil {
			_, one.Layer, _ = stage.Layers.Holds(spot, d.Port.Port, set)
		}
		at := slices.IndexFunc(known, func(k Difference) bool { return k.On == one.On && k.Field == one.Field && k.Runs == one.Runs })
		if at >= 0 {
			one.Since, one.By = known[at].Since, known[at].By
		}
		fresh = fresh || one.Since.IsZero() // it is new, or what it was read from was not kept yet
		out.Differences = append(out.Differences, one)
	}
	if fresh {
		s.trace(ctx, v, out.Differences)
	}
	return out
}

// ownUser is the user, as an object, that a claimed device was given for the service itself to log in: it is on the device
// whatever is intended, and nobody is to be led to remove it. It is "" for a device that was enrolled with a user of its own.
func (s *Service) ownUser(device string) string {
	if d, ok := s.inventory.Kept(device); ok && d.CallsHome {
		return setting.Login(d.User)
	}
	return ""
}

// traced is how many configurations of a device are looked through for when it came to run something.
const traced = 20

// trace finds out since when, and by whom, a device runs what it does, from the configurations that were kept of it.
func (s *Service) trace(ctx context.Context, v fleet.View, differences []Difference) {
	list, err := s.store.Snapshots(ctx, v.Name, traced)
	if err != nil {
		s.log.Error("the configurations of a device cannot be read", "device", v.Name, "err", err)
		return
	}
	kept, _ := s.inventory.Kept(v.Name)
	open := map[int]bool{}
	for i, d := range differences {
		open[i] = d.Since.IsZero()
	}
	for _, snap := range list {
		if !slices.ContainsFunc(slices.Collect(maps.Values(open)), func(b bool) bool { return b }) {
			break
		}
		full, err := s.store.SnapshotAt(ctx, v.Name, snap.TakenAt)
		if err != nil {
			continue
		}
		full.Config.Features = v.Config.Features
		for i, d := range differences {
			if !open[i] {
				continue
			}
			if !runs(full.Config, d) {
				open[i] = false
				continue
			}
			differences[i].Since, differences[i].By = snap.TakenAt, snap.By
			if snap.By == kept.User {
				differences[i].By = ""
			}
		}
	}
}

func runs(c network.Config, d Difference) bool {
	s, err := setting.Lookup(setting.KindOf(d.On.Port), d.Field)
	if err != nil {
		return false
	}
	value, err := s.Get(c, d.On.Port)
	return err == nil && value == d.Runs || err != nil && d.Runs == ""
}

// tell tells that a device came to run other than intended, or what is intended again.
func (s *Service) tell(was, now Drift) {
	if len(was.Differences) == 0 && len(now.Differences) == 0 || slices.Equal(was.Differences, now.Differences) {
		return
	}
	device := cmp.Or(now.Device, was.Device)
	s.feed.Note(fact.State{Kind: fact.Drift, Device: device})
	var what fact.Happening
	switch {
	case now.Control == network.ControlLocal: // that is what it was handed over for
		return
	case len(now.Differences) == 0:
		what = fact.DriftEnded{}
	default:
		var by []string
		for _, d := range now.Differences {
			if d.By != "" && !slices.Contains(by, d.By) {
				by = append(by, d.By)
			}
		}
		parts, more := some(now.Differences)
		what = fact.DriftBegan{Differs: parts, More: more, By: by}
	}
	s.feed.Tell(fact.Of(time.Now().UTC(), fact.TheDevice(device), what))
}

// said is how many differences are told in a sentence.
const said = 3

// Say says differences in a line.
func Say(list []Difference) string {
	parts, more := some(list)
	if more > 0 {
		parts = append(parts, fmt.Sprintf("and %d more", more))
	}
	return strings.Join(parts, "; ")
}

// some are the first differences in words, and how many more there are.
func some(list []Difference) (parts []string, more int) {
	for i, d := range list {
		if i == said {
			return parts, len(list) - said
		}
		where := d.On.Port
		if where != "" {
			where += " "
		}
		parts = append(parts, fmt.Sprintf("%s%s is %s, not %s", where, d.Field, orNothing(d.Runs), orNothing(d.Intended)))
	}
	return parts, 0
}

func orNothing(s string) string {
	if s == "" {
		return "nothing"
	}
	return s
}

// Drifts lists the devices that run other than intended, by name.
func (s *Service) Drifts() []Drift {
	s.mu.Lock()
	defer s.mu.Unlock()
	out := slices.Collect(maps.Values(s.drifts))
	slices.SortFunc(out, func(a, b Drift) int { return strings.Compare(a.Device, b.Device) })
	return out
}

// Drifted tells how many settings of devices differ from what is intended. Those that are under local control are meant to.
func (s *Service) Drifted() map[string]int {
	out := map[string]int{}
	for _, d := range s.Drifts() {
		if d.Control != network.ControlLocal {
			out[d.Device] = len(d.Differences)
		}
	}
	return out
}

// DriftOf returns what a device runs other than intended.
func (s *Service) DriftOf(device string) Drift {
	s.mu.Lock()
	defer s.mu.Unlock()
	d := s.drifts[device]
	d.Device = device
	return d
}

// ErrNoDrift tells that a device runs what is intended.
var ErrNoDrift = errors.New("there is nothing there that runs other than intended")

// Accept takes what a device runs as what is intended: all that differs, or only some objects. Nothing is sent. It returns what
// it took.
func (s *Service) Accept(ctx context.Context, device string, objects []string) ([]Difference, error) {
	if s.leases.Held(device) {
		return nil, fmt.Errorf("a change is under way on %s: keep or undo it first: %w", device, store.ErrInUse)
	}
	return s.accept(ctx, device, objects)
}

// AcceptHeld is Accept of some objects for whoever holds the device, and so knows what it comes to run.
func (s *Service) AcceptHeld(ctx context.Context, device string, objects ...string) error {
	_, err := s.accept(ctx, device, objects)
	return err
}

func (s *Service) accept(ctx context.Context, device string, objects []string) ([]Difference, error) {
	v, ok := s.fleet.View(device)
	if !ok || !v.Known {
		return nil, fmt.Errorf("device %s: %w", device, store.ErrNotFound)
	}
	stage, err := s.Stage(ctx, []string{device})
	if err != nil {
		return nil, err
	}
	found := s.driftOf(ctx, stage, v)
	var edits []intent.Edit
	taken := slices.DeleteFunc(slices.Clone(found.Differences), func(d Difference) bool {
		return len(objects) > 0 && !slices.Contains(objects, d.On.Port)
	})
	if len(taken) == 0 {
		return nil, fmt.Errorf("%s: %w", device, ErrNoDrift)
	}
	for _, d := range taken {
		if e, err := intent.New(d.On, d.Field, d.Runs); err == nil {
			edits = append(edits, e)
		}
	}
	// What is accepted may take a port out of a template, or into one: of the rest, too, it is to be as it runs.
	after := s.After(ctx, stage, edits, 0)
	for _, d := range intent.Compare(device, after.Layers.Intended(after.Spots[device], v.Config), v.Config) {
		if e, err := intent.New(d.Port, d.Field, d.After); err == nil && slices.ContainsFunc(taken, func(t Difference) bool { return t.On == d.Port }) {
			edits = intent.Add(edits, e)
		}
	}
	runs := map[string]network.Config{device: v.Config}
	err = s.Settle(ctx, Settlement{Edits: edits, Was: runs, Runs: runs},
		func(l intent.Layers, _ []intent.Edit) error { return s.store.PutLayers(ctx, l) })
	if err != nil {
		return nil, err
	}
	return taken, s.judge(ctx, []string{device})
}

// SetControl sets who changes a device.
func (s *Service) SetControl(ctx context.Context, device string, c network.Control, by string) error {
	if s.leases.Held(device) {
		return fmt.Errorf("a change is under way on %s: keep or undo it first: %w", device, store.ErrInUse)
	}
	if err := s.inventory.SetControl(ctx, device, c, by); err != nil {
		return err
	}
	return s.judge(ctx, []string{device})
}
