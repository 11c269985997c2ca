// Package backups keeps what devices run. A configuration that a device is seen to have is kept by the inventory whenever it changes; a backup by hand or
// by a job reads the device anew, and keeps that it is still so. Of what is kept, this package lists, searches, compares, drops what is too old, and
// makes changes that bring a device back to it.
package backups

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"time"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/job"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/store"
)

// Why a backup was taken, besides that the device changed.
const (
	ByHand     = "hand"
	ByJob      = "job"
	BeforeBoot = "upgrade" // the device is about to get other firmware
)

// ErrInvalid tells that something is asked that cannot be.
var ErrInvalid = errors.New("that cannot be done with a backup")

// Fleet is what the package needs of the fleet.
type Fleet interface {
	View(name string) (fleet.View, bool)
	AwaitTry(ctx context.Context, name string)
	ReadDocument(ctx context.Context, name string) (network.Config, []byte, error)
	ReadPast(ctx context.Context, name string, document []byte) (network.Config, []byte, error)
}

// Keeper keeps what was read.
type Keeper interface {
	KeepConfig(v fleet.View, document []byte)
}

// Service is the capability. Make it with New; Close ends it.
type Service struct {
	fleet  Fleet
	keeper Keeper
	store  *store.Store
	log    *slog.Logger
	now    func() time.Time
	stop   context.CancelFunc
	ended  chan struct{}
}

// firstWait is how long a step waits for the first try to reach its device.
const firstWait = time.Minute

// pruneEvery is between looks for what is too old.
const pruneEvery = time.Hour

// New returns the service.
func New(f Fleet, k Keeper, s *store.Store, log *slog.Logger, now func() time.Time) *Service {
	ctx, stop := context.WithCancel(context.Background())
	x := &Service{fleet: f, keeper: k, store: s, log: log, now: now, stop: stop, ended: make(chan struct{})}
	go x.prune(ctx)
	return x
}

// Close ends it.
func (s *Service) Close() {
	s.stop()
	<-s.ended
}

func (s *Service) prune(ctx context.Context) {
	defer close(s.ended)
	tick := time.NewTicker(pruneEvery)
	defer tick.Stop()
	for {
		if err := s.Prune(ctx); err != nil && ctx.Err() == nil {
			s.log.Error("old backups could not be dropped", "err", err)
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
	}
}

// Prune drops backups that are too old.
func (s *Service) Prune(ctx context.Context) error {
	r, err := s.store.BackupRule(ctx)
	if err != nil {
		return err
	}
	n, err := s.store.PruneBackups(ctx, s.now().AddDate(0, 0, -r.Days), r.Least)
	if n > 0 {
		s.log.Info("old backups were dropped", "number", n)
	}
	return err
}

// Rule says how long backups are kept.
func (s *Service) Rule(ctx context.Context) (store.BackupRule, error) { return s.store.BackupRule(ctx) }

// SetRule says how long backups are kept from now on.
func (s *Service) SetRule(ctx context.Context, r store.BackupRule) error {
	if r.Days < 1 || r.Days > 3660 || r.Least < 1 || r.Least > 1000 {
		return fmt.Errorf("%w: they can be kept 1 to 3660 days, and at least the last 1 to 1000 of each device", ErrInvalid)
	}
	return s.store.PutBackupRule(ctx, r)
}

// Take reads what a device runs and keeps it, and reports whether it is another than was kept last.
func (s *Service) Take(ctx context.Context, device, why, by string) (b store.Backup, fresh bool, err error) {
	v, ok := s.fleet.View(device)
	if !ok {
		return b, false, fleet.ErrUnknown
	}
	before, err := s.store.Backups(ctx, store.BackupQuery{Devices: []string{device}, Limit: 1})
	if err != nil {
		return b, false, err
	}
	config, document, err := s.fleet.ReadDocument(ctx, device)
	if err != nil {
		return b, false, err
	}
	at := s.now().UTC()
	v.Config = config
	s.keeper.KeepConfig(v, document)
	number, err := s.store.ConfirmBackup(ctx, device, document, at, why, by, v.Identity.Model, v.Identity.Firmware)
	if errors.Is(err, store.ErrNotFound) {
		return b, false, fmt.Errorf("%s was changed while it was read: back it up again", device)
	}
	if err != nil {
		return b, false, err
	}
	b, err = s.store.Backup(ctx, number)
	return b, len(before) == 0 || before[0].Number != number, err
}

// Past is a configuration that a device had before it was enrolled, as it was kept elsewhere.
type Past struct {
	Device, By      string // By changed the device to it, where that is known
	At              time.Time
	Model, Firmware string
	Document        []byte // in the device's own form
}

// Import takes over what was kept of a device elsewhere. It must be of the time before the device was enrolled: what it ran since is known here.
func (s *Service) Import(ctx context.Context, p Past, enrolled time.Time, by string) (b store.Backup, err error) {
	switch {
	case p.At.IsZero() || !p.At.Before(enrolled):
		return b, fmt.Errorf("%w: %s was enrolled at %s, and what it ran since is kept: say a time before that", ErrInvalid, p.Device, enrolled.UTC().Format(time.RFC3339))
	case p.At.Before(enrolled.AddDate(-20, 0, 0)):
		return b, fmt.Errorf("%w: it is older than 20 years: is the date right?", ErrInvalid)
	}
	config, sealed, err := s.fleet.ReadPast(ctx, p.Device, p.Document)
	if errors.Is(err, fleet.ErrUnknown) || errors.Is(err, fleet.ErrCannot) {
		return b, err
	}
	if err != nil {
		return b, fmt.Errorf("%w: %w", ErrInvalid, err)
	}
	number, err := s.store.AddPast(ctx, store.Snapshot{Device: p.Device, TakenAt: p.At.UTC(), Config: config, Document: sealed, By: p.By, Model: p.Model, Firmware: p.Firmware, KeptBy: by})
	if errors.Is(err, store.ErrExists) {
		return b, fmt.Errorf("a configuration of %s of that moment is kept already: %w", p.Device, err)
	}
	if err != nil {
		return b, err
	}
	return s.store.Backup(ctx, number)
}

// Plan implements jobs.Doer: backups disturb nobody, so they are all of one wave.
func (s *Service) Plan(_ context.Context, _ job.Job, devices []string) ([]job.Step, error) {
	out := make([]job.Step, len(devices))
	for i, d := range devices {
		out[i] = job.Step{Device: d, State: job.StepWaiting}
	}
	return out, nil
}

// Do implements jobs.Doer.
func (s *Service) Do(ctx context.Context, j job.Job, step job.Step, tell func(job.Step) error) (job.Step, error) {
	step.Doing = "reading what it runs"
	if err := tell(step); err != nil {
		return step, err
	}
	first, cancel := context.WithTimeout(ctx, firstWait)
	s.fleet.AwaitTry(first, step.Device)
	cancel()
	b, fresh, err := s.Take(ctx, step.Device, ByJob, j.Owner)
	if err != nil {
		return step, err
	}
	step.To = fmt.Sprint(b.Number)
	if fresh {
		step.State, step.Note = job.StepDone, fmt.Sprintf("kept as backup %d", b.Number)
	} else {
		step.State, step.Note = job.StepUnchanged, fmt.Sprintf("it still runs backup %d", b.Number)
	}
	return step, nil
}

// List lists backups, the newest first.
func (s *Service) List(ctx context.Context, q store.BackupQuery) ([]store.Backup, error) {
	return s.store.Backups(ctx, q)
}

// Get returns one.
func (s *Service) Get(ctx context.Context, number int64) (store.Backup, error) {
	return s.store.Backup(ctx, number)
}

// Content returns what one holds, in the device's own form.
func (s *Service) Content(ctx context.Context, number int64) ([]byte, error) {
	c, err := s.store.BackupContent(ctx, number)
	return c.Document, err
}

// Pin has a backup never be dropped, or be as others, and keeps what is said of it.
func (s *Service) Pin(ctx context.Context, number int64, pinned bool, note string) error {
	if len([]rune(note)) > 500 {
		return fmt.Errorf("%w: what is said of it is longer than 500 characters", ErrInvalid)
	}
	return s.store.PinBackup(ctx, number, pinned, note)
}

// Hit is a line of a backup in which words were found.
type Hit struct {
	Backup int64
	Line   int // from 1
	Text   string
}

// Bounds of a search.
const (
	maxHits    = 500 // in all
	maxHitsOf  = 20  // in one backup
	maxHitText = 200
)

// Search finds the lines that hold a text, in whatever case, in these backups. more tells that there are further lines.
func (s *Service) Search(ctx context.Context, numbers []int64, text string) (hits []Hit, more bool, err error) {
	if n := len([]rune(text)); n < 2 || n > 200 {
		return nil, false, fmt.Errorf("%w: write 2 to 200 characters to look for", ErrInvalid)
	}
	wanted := []byte(strings.ToLower(text))
	err = s.store.EachBackup(ctx, numbers, func(number int64, document []byte) bool {
		if !bytes.Contains(bytes.ToLower(document), wanted) {
			return ctx.Err() == nil
		}
		line, of := 0, 0
		for l := range bytes.Lines(document) {
			line++
			if !bytes.Contains(bytes.ToLower(l), wanted) {
				continue
			}
			if of == maxHitsOf || len(hits) == maxHits {
				more = true
				break
			}
			of++
			hits = append(hits, Hit{number, line, cut(strings.TrimSpace(string(l)))})
		}
		return ctx.Err() == nil && len(hits) < maxHits
	})
	return hits, more || len(hits) == maxHits, errors.Join(err, ctx.Err())
}

func cut(s string) string {
	if r := []rune(s); len(r) > maxHitText {
		return string(r[:maxHitText]) + "..."
	}
	return s
}

// Compare tells what differs between a backup and another one, or what its device runs now where other is 0.
func (s *Service) Compare(ctx context.Context, number, other int64) ([]intent.Difference, error) {
	a, err := s.store.BackupContent(ctx, number)
	if err != nil {
		return nil, err
	}
	after, err := s.other(ctx, a.Device, other)
	if err != nil {
		return nil, err
	}
	return intent.Compare(a.Device, a.Config, after), nil
}

func (s *Service) other(ctx context.Context, device string, number int64) (network.Config, error) {
	if number != 0 {
		b, err := s.store.BackupContent(ctx, number)
		return b.Config, err
	}
	v, ok := s.fleet.View(device)
	if !ok || !v.Known {
		return network.Config{}, fmt.Errorf("%w: what %s runs was never read", ErrInvalid, device)
	}
	return v.Config, nil
}

// Parts of what is restored.
const (
	Whole    = "whole"
	Policies = "policies" // access lists, and where they are in force
)

// Restore returns the edits that bring a device to what a backup holds: the one that it is of, or another of the same model.
func (s *Service) Restore(ctx context.Context, number int64, onto, part string) ([]intent.Edit, error) {
	b, err := s.store.Backup(ctx, number)
	if err != nil {
		return nil, err
	}
	c, err := s.store.BackupContent(ctx, number)
	if err != nil {
		return nil, err
	}
	if onto == "" {
		onto = b.Device
	}
	v, ok := s.fleet.View(onto)
	switch {
	case !ok || !v.Known:
		return nil, fmt.Errorf("%w: what %s runs was never read", ErrInvalid, onto)
	case part != Whole && part != Policies:
		return nil, fmt.Errorf("%w: restore whole or policies, not %q", ErrInvalid, part)
	case part == Whole && b.Model != "" && b.Model != v.Identity.Model:
		return nil, fmt.Errorf("%w: backup %d is of a %s, and %s is a %s: only its policies can be restored there", ErrInvalid, number, b.Model, onto, v.Identity.Model)
	}
	want := c.Config
	if len(want.Features) == 0 { // it was kept before it was known what devices can be told
		want.Features = v.Config.Features
	}
	var edits []intent.Edit
	for _, d := range intent.Compare(onto, v.Config, want) {
		if part == Policies && !setting.Policies(d.Port.Port, d.Field) || onto != b.Device && tellsApart(d) {
			continue
		}
		if e, err := intent.New(d.Port, d.Field, d.After); err == nil {
			edits = intent.Add(edits, e)
		} // what does not apply any more is set by what makes it so: the mode, the bundle, present=off
	}
	if len(edits) == 0 {
		return nil, fmt.Errorf("%w: %s has all that backup %d says already", ErrInvalid, onto, number)
	}
	return edits, nil
}

// tellsApart tells whether a difference is of what tells one device from all others: another one does not get it.
func tellsApart(d intent.Difference) bool {
	s, err := setting.Lookup(setting.KindOf(d.Port.Port), d.Field)
	return err == nil && s.Own && setting.IsDevice(d.Port.Port)
}
