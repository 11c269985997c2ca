// Package firmware keeps what devices are to run inside: a library of images, which of them are approved, and the baseline, which says what each model is
// to run. It has devices run it, as jobs: far before near, never both of a pair, with a backup before and a look at their health after.
package firmware

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/operation"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/service/changes"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/service/leases"
	"example.net/everypost/internal/store"
	"example.net/everypost/internal/wire/image"
)

var (
	// ErrInvalid tells that something is asked that cannot be.
	ErrInvalid = errors.New("that cannot be done with firmware")
	// ErrSigner tells that an image bears a signature that nobody trusts yet.
	ErrSigner = errors.New("its signature is not one that is trusted")
)

// Fleet is what the package needs of the fleet.
type Fleet interface {
	View(name string) (fleet.View, bool)
	AwaitTry(ctx context.Context, name string)
	PutFile(ctx context.Context, name, file string, from io.ReaderAt, size int64, tell func(int64)) error
	Operate(ctx context.Context, name string, r operation.Request, tell func(operation.Line)) (file string, err error)
}

// Backups keeps what a device runs.
type Backups interface {
	Take(ctx context.Context, device, why, by string) (b store.Backup, fresh bool, err error)
}

// Network tells how the devices hang together.
type Network interface {
	Network(ctx context.Context) (changes.Network, error)
}

// Timing is how long things may take.
type Timing struct {
	Back    time.Duration // until a device that restarts is back; 20 minutes when 0
	Settle  time.Duration // until its links are up again; 3 minutes when 0
	Look    time.Duration // between looks; half a second when 0
	Folder  time.Duration // between looks into the folder of others; a minute when 0
	Address time.Duration // between looks at the address of others; an hour when 0
}

// Parts are what the service is made of.
type Parts struct {
	Dir     string  // where the images lie
	Folder  string  // of others, from which new images are taken; "" for none
	From    Address // of others besides
	Store   *store.Store
	Fleet   Fleet
	Backups Backups
	Network Network
	Leases  *leases.Leases
	Log     *slog.Logger
	Now     func() time.Time
	Timing
}

// Service is the capability. Make it with New; Close ends it.
type Service struct {
	Parts
	stop context.CancelFunc
	wg   sync.WaitGroup
}

// MaxFile is how large the file of an image may be.
const MaxFile = image.MaxSize + 64<<10

// maxImages is how many there may be.
const maxImages = 500

// New returns the service, and removes what an earlier life left half done in the folder.
func New(ctx context.Context, p Parts) (*Service, error) {
	p.Back, p.Settle, p.Look = cmp.Or(p.Back, 20*time.Minute), cmp.Or(p.Settle, 3*time.Minute), cmp.Or(p.Look, 500*time.Millisecond)
	p.Timing.Folder, p.Timing.Address = cmp.Or(p.Timing.Folder, time.Minute), cmp.Or(p.Timing.Address, time.Hour)
	own, stop := context.WithCancel(context.Background())
	s := &Service{Parts: p, stop: stop}
	if err := os.MkdirAll(p.Dir, 0o700); err != nil {
		return nil, err
	}
	known, err := p.Store.Images(ctx)
	if err != nil {
		return nil, err
	}
	files, err := os.ReadDir(p.Dir)
	if err != nil {
		return nil, err
	}
	for _, f := range files {
		if !slices.ContainsFunc(known, func(i store.Image) bool { return s.file(i) == filepath.Join(p.Dir, f.Name()) }) {
			if err := os.Remove(filepath.Join(p.Dir, f.Name())); err != nil {
				p.Log.Warn("a file that is of no image could not be removed", "file", f.Name(), "err", err)
			}
		}
	}
	if p.Folder != "" {
		s.wg.Go(func() { s.watchFolder(own) })
	}
	if p.From.URL != "" {
		c, list, err := p.From.client()
		if err != nil {
			s.Close()
			return nil, err
		}
		s.wg.Go(func() { s.watchAddress(own, c, list) })
	}
	return s, nil
}

// Close ends it.
func (s *Service) Close() {
	s.stop()
	s.wg.Wait()
}

func (s *Service) file(i store.Image) string { return filepath.Join(s.Dir, i.SHA256+".image") }

// Add reads an image and keeps it. Nobody is given it before it is approved.
func (s *Service) Add(ctx context.Context, r io.Reader, by string) (store.Image, error) {
	if all, err := s.Store.Images(ctx); err != nil || len(all) >= maxImages {
		return store.Image{}, errors.Join(err, fmt.Errorf("%w: there are %d images: remove some", ErrInvalid, len(all)))
	}
	f, err := os.CreateTemp(s.Dir, ".incoming-")
	if err != nil {
		return store.Image{}, err
	}
	defer func() {
		_ = f.Close()
		_ = os.Remove(f.Name()) // once it is kept it has another name
	}()
	sum := sha256.New()
	h, err := image.Read(io.TeeReader(untilDone{ctx, r}, io.MultiWriter(f, sum)), io.Discard)
	if errors.Is(err, image.ErrInvalid) {
		return store.Image{}, fmt.Errorf("%w: %w", ErrInvalid, err)
	}
	if err != nil {
		return store.Image{}, err
	}
	size, err := f.Seek(0, io.SeekCurrent)
	if err != nil {
		return store.Image{}, err
	}
	if err := f.Sync(); err != nil {
		return store.Image{}, err
	}
	i := store.Image{Maker: h.Maker, Models: h.Models, Version: h.Version, Size: size, SHA256: hex.EncodeToString(sum.Sum(nil)), Signer: h.Signer(), Notes: h.Notes,
		AddedAt: s.now(), AddedBy: by}
	if i.Number, err = s.Store.AddImage(ctx, i); errors.Is(err, store.ErrExists) {
		return i, fmt.Errorf("%w: this very image is in the library", store.ErrExists)
	}
	if err != nil {
		return i, err
	}
	if err := os.Rename(f.Name(), s.file(i)); err != nil {
		return i, errors.Join(err, s.Store.RemoveImage(context.WithoutCancel(ctx), i.Number))
	}
	return i, nil
}

// untilDone reads until a context ends.
type untilDone struct {
	ctx context.Context
	r   io.Reader
}

func (u untilDone) Read(p []byte) (int, error) {
	if err := u.ctx.Err(); err != nil {
		return 0, err
	}
	return u.r.Read(p)
}

func (s *Service) now() time.Time { return s.Now().UTC().Truncate(time.Microsecond) }

// Image is one of the library, and whether its signature is one that is trusted for its maker.
func (s *Service) Image(ctx context.Context, number int64) (i store.Image, trusted bool, err error) {
	if i, err = s.Store.Image(ctx, number); err != nil {
		return i, false, err
	}
	signers, err := s.Store.Signers(ctx, i.Maker)
	return i, slices.Contains(signers, i.Signer), err
}

// Approve has devices be given an image. The first signer of a maker is trusted with the first image that is approved; another one is only with trust.
func (s *Service) Approve(ctx context.Context, number int64, by string, trust bool) error {
	i, err := s.Store.Image(ctx, number)
	if err != nil {
		return err
	}
	if i.Approved() {
		return fmt.Errorf("%w: image %d is approved", ErrInvalid, number)
	}
	signers, err := s.Store.Signers(ctx, i.Maker)
	if err != nil {
		return err
	}
	if len(signers) > 0 && !slices.Contains(signers, i.Signer) && !trust {
		return fmt.Errorf("%w: image %d is signed by %s, and those of %s were signed by %s: ask %s whether it has a new key, and if so approve it with trust (--trust)", ErrSigner,
			number, i.Signer, i.Maker, strings.Join(signers, ", "), i.Maker)
	}
	i.ApprovedAt, i.ApprovedBy = s.now(), by
	return s.Store.PutImage(ctx, i, true)
}

// Withdraw has devices be given an image no more.
func (s *Service) Withdraw(ctx context.Context, number int64) error {
	i, err := s.Store.Image(ctx, number)
	if err != nil {
		return err
	}
	if err := s.unused(ctx, i); err != nil {
		return err
	}
	i.ApprovedAt, i.ApprovedBy = time.Time{}, ""
	return s.Store.PutImage(ctx, i, false)
}

func (s *Service) unused(ctx context.Context, i store.Image) error {
	base, err := s.Store.Baseline(ctx)
	if err != nil {
		return err
	}
	for _, e := range base {
		if e.Image == i.Number {
			return fmt.Errorf("%w: image %d is what %s %s is to run", store.ErrInUse, i.Number, e.Maker, e.Model)
		}
	}
	return nil
}

// Remove forgets an image.
func (s *Service) Remove(ctx context.Context, number int64) error {
	i, err := s.Store.Image(ctx, number)
	if err != nil {
		return err
	}
	if err := s.unused(ctx, i); err != nil {
		return err
	}
	if err := s.Store.RemoveImage(ctx, number); err != nil {
		return err
	}
	if err := os.Remove(s.file(i)); err != nil { // the next life removes it
		s.Log.Warn("the file of a removed image could not be removed", "err", err)
	}
	return nil
}

// SetBaseline says which image a model is to run.
func (s *Service) SetBaseline(ctx context.Context, maker, model string, number int64, by string) (store.BaselineEntry, error) {
	i, err := s.Store.Image(ctx, number)
	if err != nil {
		return store.BaselineEntry{}, err
	}
	at := slices.IndexFunc(i.Models, func(m string) bool { return strings.EqualFold(m, model) })
	switch {
	case at < 0 || !strings.EqualFold(i.Maker, maker):
		return store.BaselineEntry{}, fmt.Errorf("%w: image %d is for %s %s, not for %s %s", ErrInvalid, number, i.Maker, strings.Join(i.Models, ", "), maker, model)
	case !i.Approved():
		return store.BaselineEntry{}, fmt.Errorf("%w: image %d is not approved: approve it first", ErrInvalid, number)
	}
	e := store.BaselineEntry{Maker: i.Maker, Model: i.Models[at], Image: number, SetAt: s.now(), SetBy: by}
	return e, s.Store.PutBaseline(ctx, e)
}

// Standing is how the firmware of a device stands towards the baseline.
type Standing string

// The standings.
const (
	Current Standing = "current" // it runs what it is to run
	Behind  Standing = "behind"  // it runs something older
	Ahead   Standing = "ahead"   // it runs something newer
	Free    Standing = "free"    // its model is no part of the baseline
	Unknown Standing = "unknown" // it does not tell what it runs
)

// baseline is the baseline with its images, ready for asking.
type baseline map[[2]string]store.Image

func key(maker, model string) [2]string {
	return [2]string{strings.ToLower(maker), strings.ToLower(model)}
}

// Baseline returns what each model is to run.
func (s *Service) Baseline(ctx context.Context) ([]store.BaselineEntry, map[int64]store.Image, error) {
	entries, err := s.Store.Baseline(ctx)
	if err != nil {
		return nil, nil, err
	}
	all, err := s.Store.Images(ctx)
	of := map[int64]store.Image{}
	for _, i := range all {
		of[i.Number] = i
	}
	return entries, of, err
}

func (s *Service) baseline(ctx context.Context) (baseline, error) {
	entries, images, err := s.Baseline(ctx)
	out := baseline{}
	for _, e := range entries {
		out[key(e.Maker, e.Model)] = images[e.Image]
	}
	return out, err
}

// Stands tells how a device stands.
func (b baseline) stands(id network.Identity) (Standing, store.Image) {
	i, ok := b[key(id.Maker, id.Model)]
	switch {
	case !ok:
		return Free, i
	case id.Firmware == "":
		return Unknown, i
	}
	switch c := selector.CompareVersions(id.Firmware, i.Version); {
	case c < 0:
		return Behind, i
	case c > 0:
		return Ahead, i
	}
	return Current, i
}

// Device is how the firmware of a device stands.
type Device struct {
	Name     string
	Identity network.Identity
	Slots    []network.FirmwareSlot
	Standing Standing
	Image    store.Image // that it is to run; none where it is Free
	Able     bool        // whether it can be upgraded from here
}

// Devices tells how the firmware of devices stands, first of those that do not run what they are to run.
func (s *Service) Devices(ctx context.Context, names []string) ([]Device, error) {
	b, err := s.baseline(ctx)
	if err != nil {
		return nil, err
	}
	var out []Device
	for _, name := range names {
		if v, ok := s.Fleet.View(name); ok {
			d := Device{Name: name, Identity: v.Identity, Slots: v.Inside.Slots, Able: slices.Contains(v.Can, operation.Install)}
			d.Standing, d.Image = b.stands(v.Identity)
			out = append(out, d)
		}
	}
	order := []Standing{Behind, Ahead, Unknown, Current, Free}
	slices.SortFunc(out, func(a, b Device) int {
		return cmp.Or(slices.Index(order, a.Standing)-slices.Index(order, b.Standing), strings.Compare(a.Name, b.Name))
	})
	return out, nil
}
