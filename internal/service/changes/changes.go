// Package changes leads a change through its life: draft, checked, pushing, on trial, and then kept, undone or failed.
//
// A push is one transaction over all its devices: every device has checked the change before the first one runs it; then
// each runs it on trial, the farthest first, so that no device cuts the way to the next. During the trial the network is
// held against what it was before, and everything is undone if something was lost. Every step is recorded before it is
// done, so that a later life of the service (Resume) can finish what it can prove safe and undo the rest; and a device
// that nobody comes back to undoes the change by itself.
package changes

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"

	"example.net/everypost/internal/core/guard"
	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/topology"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/events"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/store"
)

// The states of a change. Keeping and undoing are short, unless a device is away.
const (
	Draft   = "draft"
	Checked = "checked"
	Pushing = "pushing"
	OnTrial = "on-trial"
	Keeping = "keeping"
	Undoing = "undoing"
	Kept    = "kept"
	Undone  = "undone"
	Failed  = "failed"
)

// The steps of a change on one device.
const (
	StepWaiting   = "waiting"   // nothing was done yet
	StepReady     = "ready"     // the device has checked the change
	StepRunning   = "running"   // the change is being sent; whether it runs is not known
	StepOnTrial   = "on-trial"  // the device runs it
	StepKeeping   = "keeping"   // it is being made permanent; whether it is, is not known
	StepKept      = "kept"      // it is permanent
	StepUndone    = "undone"    // the device went back, and this was read
	StepUntouched = "untouched" // the change never ran there
	StepRefused   = "refused"   // the device said no
)

// Active lists the states in which a worker leads the change.
var Active = []string{Pushing, OnTrial, Keeping, Undoing}

var (
	// ErrState tells that a change is not in a state for what is asked.
	ErrState = errors.New("the change is not in a state for that")
	// ErrBlocked tells that findings are in the way.
	ErrBlocked = errors.New("findings are in the way")
	// ErrBusy tells that another change is being pushed on one of the devices.
	ErrBusy = errors.New("another change is under way on a device of this one")
)

// Limits of a change.
const (
	MaxEdits        = 20_000
	MinTrial        = 10 * time.Second
	MaxTrial        = time.Hour
	DefaultTrial    = 2 * time.Minute
	deviceSlack     = 6 * time.Second // the devices' own time is longer by this, so that the service can undo them together
	keepTime        = 30 * time.Second
	keepMargin      = 5 * time.Second  // between keeping by itself and the end of the trial
	patience        = 3 * time.Second  // for something lost in a trial to come back
	darkPatience    = 20 * time.Second // for a device that went out of sight while its way was changed at both ends
	proposePatience = 20 * time.Second
)

// Fleet is what the package needs of the fleet.
type Fleet interface {
	View(name string) (fleet.View, bool)
	Views() []fleet.View
	Await(ctx context.Context, name string) error
	ReadConfig(ctx context.Context, name string) (network.Config, error)
	Propose(ctx context.Context, name, token string, before, after network.Config) error
	Release(ctx context.Context, name, token string) error
	Trial(ctx context.Context, name, token string, d time.Duration) error
	Extend(ctx context.Context, name, token string, d time.Duration) error
	Keep(ctx context.Context, name, token string) error
	Undo(ctx context.Context, name, token string) error
}

// Store is what the package needs of the store.
type Store interface {
	AddChange(ctx context.Context, c store.Change) (int64, error)
	PutChange(ctx context.Context, c store.Change) error
	DropChange(ctx context.Context, number int64) error
	Change(ctx context.Context, number int64) (store.Change, error)
	Changes(ctx context.Context, q store.ChangeQuery) ([]store.Change, error)
	Sites(ctx context.Context) ([]network.Site, error)
	Devices(ctx context.Context) ([]store.Device, error)
}

// Service is the capability. Make it with New.
type Service struct {
	fleet Fleet
	store Store
	bus   *events.Bus
	log   *slog.Logger

	ctx  context.Context
	stop context.CancelFunc
	wg   sync.WaitGroup

	compared comparisons

	mu      sync.Mutex // one at a time changes the record of changes
	workers map[int64]*worker
	stepped map[string]trialStep // what each device said last of a trial
}

type trialStep struct {
	at   time.Time
	step driver.TrialStep
}

// TrialStepped takes note of what a device says of a trial.
func (s *Service) TrialStepped(device string, at time.Time, step driver.TrialStep) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.stepped[device] = trialStep{at, step}
}

// New returns the service. It works until Close; Resume takes up what an earlier life left.
func New(f Fleet, s Store, bus *events.Bus, log *slog.Logger) *Service {
	ctx, stop := context.WithCancel(context.Background())
	return &Service{fleet: f, store: s, bus: bus, log: log, ctx: ctx, stop: stop, workers: map[int64]*worker{}, stepped: map[string]trialStep{}}
}

// Close stops leading changes, where they are, and waits. They go on at the next Resume.
func (s *Service) Close() {
	s.stop()
	s.wg.Wait()
}

// Get returns a change.
func (s *Service) Get(ctx context.Context, number int64) (store.Change, error) {
	return s.store.Change(ctx, number)
}

// List lists changes, the newest first.
func (s *Service) List(ctx context.Context, q store.ChangeQuery) ([]store.Change, error) {
	return s.store.Changes(ctx, q)
}

// Create makes a draft of edits, which may be none yet.
func (s *Service) Create(ctx context.Context, owner, why string, edits []intent.Edit) (store.Change, error) {
	edits = intent.Add(nil, edits...)
	if err := s.fits(edits); err != nil {
		return store.Change{}, err
	}
	at := now()
	c := store.Change{State: Draft, Why: why, Owner: owner, Edits: edits, CreatedAt: at, UpdatedAt: at}
	note(&c, at, "drafted by %s", owner)
	number, err := s.store.AddChange(ctx, c)
	if err != nil {
		return store.Change{}, err
	}
	c.Number = number
	s.tell(c, "")
	return c, nil
}

// Edit adds edits to a draft. A checked one becomes a draft again.
func (s *Service) Edit(ctx context.Context, number int64, edits []intent.Edit) (store.Change, error) {
	return s.redraft(ctx, number, func(c *store.Change) error {
		c.Edits = intent.Add(c.Edits, edits...)
		return s.fits(c.Edits)
	})
}

// TakeOut takes an edit out of a draft: the one of that port and field.
func (s *Service) TakeOut(ctx context.Context, number int64, port network.PortRef, field string) (store.Change, error) {
	return s.redraft(ctx, number, func(c *store.Change) error {
		n := len(c.Edits)
		c.Edits = slices.DeleteFunc(c.Edits, func(e intent.Edit) bool { return e.Port == port && e.Field == field })
		if len(c.Edits) == n {
			return fmt.Errorf("%w: change %d does not set %s of %s", store.ErrNotFound, number, field, port)
		}
		return nil
	})
}

// Explain sets why a change is made.
func (s *Service) Explain(ctx context.Context, number int64, why string) (store.Change, error) {
	return s.update(ctx, number, []string{Draft, Checked}, func(c *store.Change) error {
		c.Why = why
		return nil
	})
}

func (s *Service) redraft(ctx context.Context, number int64, f func(*store.Change) error) (store.Change, error) {
	return s.update(ctx, number, []string{Draft, Checked}, func(c *store.Change) error {
		if err := f(c); err != nil {
			return err
		}
		c.State, c.Findings, c.Devices, c.Accepted = Draft, nil, nil, nil
		return nil
	})
}

// update changes a change that is in one of the states, and keeps and tells it.
func (s *Service) update(ctx context.Context, number int64, states []string, f func(*store.Change) error) (store.Change, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	c, err := s.store.Change(ctx, number)
	if err != nil {
		return c, err
	}
	if !slices.Contains(states, c.State) {
		return c, fmt.Errorf("%w: change %d is %s, and would have to be %s", ErrState, number, c.State, strings.Join(states, " or "))
	}
	if err := f(&c); err != nil {
		return c, err
	}
	c.UpdatedAt = now()
	if err := s.store.PutChange(ctx, c); err != nil {
		return c, err
	}
	s.tell(c, "")
	return c, nil
}

// Discard throws a draft away.
func (s *Service) Discard(ctx context.Context, number int64) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	c, err := s.store.Change(ctx, number)
	if err != nil {
		return err
	}
	if c.State != Draft && c.State != Checked {
		return fmt.Errorf("%w: change %d is %s, and only a draft can be thrown away", ErrState, number, c.State)
	}
	if err := s.store.DropChange(ctx, number); err != nil {
		return err
	}
	s.bus.Publish(events.Event{At: now(), Kind: events.Change, Change: number, Text: fmt.Sprintf("Change %d was thrown away.", number)})
	return nil
}

// fits tells whether the edits can be made on the devices as they are.
func (s *Service) fits(edits []intent.Edit) error {
	if len(edits) > MaxEdits {
		return fmt.Errorf("a change holds at most %d edits", MaxEdits)
	}
	var errs []error
	for _, device := range intent.Devices(edits) {
		v, ok := s.fleet.View(device)
		switch {
		case !ok:
			errs = append(errs, &intent.EditError{Edit: firstOf(edits, device), Reason: fmt.Sprintf("there is no device %s", device)})
		case !v.Known:
			errs = append(errs, &intent.EditError{Edit: firstOf(edits, device), Reason: fmt.Sprintf("the configuration of %s was never read", device)})
		default:
			_, err := intent.Apply(device, v.Config, edits)
			errs = append(errs, err)
		}
	}
	return errors.Join(errs...)
}

func firstOf(edits []intent.Edit, device string) intent.Edit {
	i := slices.IndexFunc(edits, func(e intent.Edit) bool { return e.Port.Device == device })
	return edits[i]
}

// Differences lists what a change would make different on the network as it is now, or did when it was pushed.
func (s *Service) Differences(c store.Change) []intent.Difference {
	var out []intent.Difference
	if len(c.Devices) > 0 {
		if out, ok := s.compared.get(c); ok {
			return out
		}
		for _, d := range c.Devices {
			out = append(out, intent.Compare(d.Device, d.Before, d.After)...)
		}
		slices.SortStableFunc(out, func(a, b intent.Difference) int { return strings.Compare(a.Port.Device, b.Port.Device) })
		s.compared.put(c, out)
		return out
	}
	for _, device := range intent.Devices(c.Edits) {
		v, _ := s.fleet.View(device)
		if after, err := intent.Apply(device, v.Config, c.Edits); err == nil {
			out = append(out, intent.Compare(device, v.Config, after)...)
		}
	}
	return out
}

// Network is what the guards and the order of a push are worked out from.
type Network struct {
	Configs map[string]network.Config
	States  map[string]network.State
	Links   []topology.Link
	Sites   []network.Site
	SiteOf  map[string]string
	Insides map[string]network.Inside
	Kinds   map[string]network.Kind
	Tags    map[string][]string
	Address map[string]string // host:port
}

// Entries lists the devices through which the management network comes in.
func (n Network) Entries() []string {
	var out []string
	for _, s := range n.Sites {
		if s.Entry != "" {
			out = append(out, s.Entry)
		}
	}
	return out
}

// from tells from which address this machine reaches the devices of a change that would be told from where they may be
// managed. Nothing is sent: the machine is only asked which way it would take.
func (n Network) from(devices []store.ChangeDevice) map[string]netip.Addr {
	out := map[string]netip.Addr{}
	for _, d := range devices {
		address := n.Address[d.Device]
		if address == "" || d.After.Settings["management-from"] == d.Before.Settings["management-from"] {
			continue
		}
		c, err := net.Dial("udp", address)
		if err != nil {
			continue
		}
		if local, ok := c.LocalAddr().(*net.UDPAddr); ok {
			out[d.Device] = local.AddrPort().Addr().Unmap()
		}
		_ = c.Close()
	}
	return out
}

// Network gathers the network as it is known.
func (s *Service) Network(ctx context.Context) (Network, error) {
	n := Network{Configs: map[string]network.Config{}, States: map[string]network.State{}, SiteOf: map[string]string{},
		Insides: map[string]network.Inside{}, Kinds: map[string]network.Kind{}, Tags: map[string][]string{}, Address: map[string]string{}}
	for _, v := range s.fleet.Views() {
		if v.Known {
			n.Configs[v.Name], n.States[v.Name], n.Insides[v.Name], n.Kinds[v.Name] = v.Config, v.State, v.Inside, v.Identity.Kind
		}
	}
	n.Links = topology.Links(n.States, topology.HostNames(n.Configs))
	devices, err := s.store.Devices(ctx)
	if err != nil {
		return n, err
	}
	for _, d := range devices {
		n.SiteOf[d.Name], n.Tags[d.Name] = d.Site, d.Tags
		if !d.CallsHome {
			n.Address[d.Name] = d.Address
		}
	}
	n.Sites, err = s.store.Sites(ctx)
	return n, err
}

// Check works out what a draft would do on the network as it is now, and runs the guards over it.
func (s *Service) Check(ctx context.Context, number int64) (store.Change, error) {
	n, err := s.Network(ctx)
	if err != nil {
		return store.Change{}, err
	}
	return s.update(ctx, number, []string{Draft, Checked}, func(c *store.Change) error { return s.check(c, n) })
}

func (s *Service) check(c *store.Change, n Network) error {
	if err := s.fits(c.Edits); err != nil {
		return err
	}
	c.Devices, c.Accepted = nil, nil
	after := map[string]network.Config{}
	for name, config := range n.Configs {
		after[name] = config
	}
	var findings []guard.Finding
	for _, device := range intent.Devices(c.Edits) {
		a, err := intent.Apply(device, n.Configs[device], c.Edits)
		if err != nil {
			return err
		}
		if a.Equal(n.Configs[device]) {
			continue // nothing to do there
		}
		after[device] = a
		c.Devices = append(c.Devices, store.ChangeDevice{Device: device, Step: StepWaiting, Before: n.Configs[device], After: a})
		if v, _ := s.fleet.View(device); v.Reach != network.ReachConnected {
			findings = append(findings, away(v))
		}
	}
	if len(c.Devices) == 0 {
		return fmt.Errorf("%w: change %d makes no difference: everything is already as it says", ErrState, c.Number)
	}
	entryOf := map[string]string{}
	for _, site := range n.Sites {
		entryOf[site.Name] = site.Entry
	}
	findings = append(findings, guard.Check(guard.Proposal{
		Before: n.Configs, After: after, Links: n.Links, Entries: n.Entries(), Site: n.SiteOf, EntryOf: entryOf,
		States: n.States, Insides: n.Insides, Kinds: n.Kinds, Tags: n.Tags, From: n.from(c.Devices),
	})...)
	order(c, n)
	findings = append(findings, darken(c, n)...)
	c.State, c.Findings = Checked, findings
	note(c, now(), "checked: %s", countFindings(findings))
	return nil
}

func away(v fleet.View) guard.Finding {
	return guard.Finding{
		ID: "in-hand:" + v.Name, Guard: "in-hand", Level: guard.Stop, Ports: []network.PortRef{},
		What: fmt.Sprintf("%s is not connected (%s since %s).", v.Name, v.Reach, v.Since.Format(time.RFC3339)),
		Why:  "A push reaches every device or none.",
		Do:   fmt.Sprintf("Bring %s back, or take it out of the change.", v.Name),
	}
}

func countFindings(findings []guard.Finding) string {
	if len(findings) == 0 {
		return "nothing found"
	}
	n := map[guard.Level]int{}
	for _, f := range findings {
		n[f.Level]++
	}
	var parts []string
	for _, l := range []guard.Level{guard.Stop, guard.Warn, guard.Note} {
		if n[l] > 0 {
			word := string(l)
			if l == guard.Warn {
				word = "warning"
			}
			if n[l] > 1 {
				word += "s"
			}
			parts = append(parts, fmt.Sprintf("%d %s", n[l], word))
		}
	}
	return strings.Join(parts, ", ")
}

// now is the time, as exact as the store keeps it, so that what is answered is what will be read again.
func now() time.Time { return time.Now().UTC().Truncate(time.Microsecond) }

// note adds a line to a change's record.
func note(c *store.Change, at time.Time, format string, args ...any) {
	c.Log = append(c.Log, store.LogLine{At: at, Text: fmt.Sprintf(format, args...)})
}

// tell publishes that a change took a step.
func (s *Service) tell(c store.Change, text string) {
	s.bus.Publish(events.Event{At: now(), Kind: events.Change, Change: c.Number, Text: text})
}
