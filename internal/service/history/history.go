// Package history keeps what is read of devices over time, and tells it again.
//
// Each reading becomes a row of a log in the store within a second; when its two hours are over, the rows of a source are
// packed into columns, and rolled into points of five minutes and of an hour, in one transaction. So nothing but the last
// second can be lost, and what is asked for is there once: in the log or packed. The package must never slow down who reads
// devices: when the store cannot follow, readings are left out, and there is a gap.
package history

import (
	"cmp"
	"context"
	"encoding/binary"
	"errors"
	"log/slog"
	"slices"
	"sync"
	"time"

	"example.net/everypost/internal/core/fact"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/series"
	"example.net/everypost/internal/service/feed"
	"example.net/everypost/internal/service/fleet"
	"example.net/everypost/internal/store"
)

// Every is how often readings of a source are kept when nothing else is said, unless it is read less often.
const Every = 30 * time.Second

const (
	queued     = 4096          // readings that the store may be behind
	written    = 512           // in one transaction
	writeEvery = time.Second   // what may be lost when the process is killed
	sealEvery  = time.Second   // between two sources that are packed
	sweepEvery = 6 * time.Hour // between looks for what is too old
)

// Service is the capability. Make it with New; Close ends it.
type Service struct {
	store *store.Store
	log   *slog.Logger
	now   func() time.Time
	every time.Duration

	clientsAt func(device string) int // how many end stations are there now

	mu      sync.Mutex
	sources map[sourceKey]*source

	rows   chan store.LogRow
	stop   context.CancelFunc
	wg     sync.WaitGroup
	missed bool // a reading was left out and that was told
}

type sourceKey struct {
	device string
	kind   series.Source
}

// source is what is remembered of a source between two readings.
type source struct {
	mu     sync.Mutex
	id     int64
	things map[series.Thing]int64
	layout []int64 // of the reading before
	values []int64
	at     int64 // milliseconds
	bucket int64
	whole  bool // the next row must not lean on the one before
}

// New returns the service. now tells the time by which buckets end; every is how often readings are kept, Every when it is
// 0.
func New(s *store.Store, f Fleet, clientsAt func(device string) int, fd *feed.Feed, log *slog.Logger, now func() time.Time, every time.Duration) *Service {
	ctx, stop := context.WithCancel(context.Background())
	h := &Service{store: s, log: log, now: now, every: cmp.Or(every, Every), sources: map[sourceKey]*source{}, rows: make(chan store.LogRow, queued), stop: stop,
		clientsAt: clientsAt}
	h.wg.Go(func() { h.write(ctx) })
	news := fd.Follow(feed.Wants{Kinds: []fact.Kind{fact.Fleet}, States: []fact.Kind{fact.Readings}})
	h.wg.Go(func() { h.hear(ctx, f, news) })
	return h
}

// Close writes what is waiting and ends.
func (h *Service) Close() {
	h.stop()
	h.wg.Wait()
}

// Fleet tells how a device was read last.
type Fleet interface {
	View(name string) (fleet.View, bool)
}

// hear keeps the readings of devices as they are read, until ctx ends.
func (h *Service) hear(ctx context.Context, f Fleet, news *feed.Follower) {
	defer news.Close()
	for {
		item, err := news.Next(ctx)
		switch {
		case ctx.Err() != nil:
			return
		case err != nil:
		case item.State != nil:
			if v, ok := f.View(item.State.Device); ok {
				h.Read(v)
			}
		default:
			if name, freed := fact.NameFreed(*item.Fact); freed {
				h.letGo(name)
			}
		}
	}
}

// Read keeps a reading of a device.
func (h *Service) Read(v fleet.View) {
	h.take(v.Name, series.FromState, v.State.ObservedAt, func() []series.Reading { return series.Ports(v.State) })
	h.take(v.Name, series.FromInside, v.Inside.ObservedAt, func() []series.Reading {
		clients := int64(series.Absent)
		if v.Identity.Kind == network.Switch || v.Identity.Kind == network.AccessPoint {
			clients = int64(h.clientsAt(v.Name))
		}
		return series.Inside(v.Inside, v.State.Power, clients)
	})
}

func (h *Service) source(k sourceKey) *source {
	h.mu.Lock()
	defer h.mu.Unlock()
	s := h.sources[k]
	if s == nil {
		s = &source{things: map[series.Thing]int64{}}
		h.sources[k] = s
	}
	return s
}

// letGo forgets what is remembered of the readings of a device: its name may be another's from now on.
func (h *Service) letGo(device string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for _, kind := range []series.Source{series.FromState, series.FromInside, series.FromBefore} {
		delete(h.sources, sourceKey{device, kind})
	}
}

// take keeps a reading that is due.
func (h *Service) take(device string, kind series.Source, at time.Time, read func() []series.Reading) {
	ms := at.UnixMilli()
	if at.IsZero() {
		return
	}
	s := h.source(sourceKey{device, kind})
	s.mu.Lock()
	defer s.mu.Unlock()
	if ms-s.at < (h.every - h.every/10).Milliseconds() { // polls do not come to the second
		return
	}
	readings := read()
	if len(readings) == 0 {
		return
	}
	if err := h.append(s, device, kind, ms, readings); err != nil {
		h.log.Error("a reading could not be kept", "device", device, "err", err)
	}
}

// append makes a row of a reading and hands it to the writer. A bucket begins with the last reading of the one before, so
// that what a counter grew across the border is not lost.
func (h *Service) append(s *source, device string, kind series.Source, at int64, readings []series.Reading) error {
	layout, values, err := h.lay(s, device, kind, readings)
	if err != nil {
		return err
	}
	bucket := series.Raw.Bucket(at)
	fresh := s.whole || s.layout == nil || !slices.Equal(layout, s.layout)
	if !fresh && bucket != s.bucket {
		if !h.queue(store.LogRow{Source: s.id, Bucket: bucket, At: s.at, Layout: packLayout(s.layout), Data: series.Row(nil, s.values)}) {
			s.whole = true
			return nil
		}
	}
	row := store.LogRow{Source: s.id, Bucket: bucket, At: at}
	if fresh {
		row.Layout, row.Data = packLayout(layout), series.Row(nil, values)
	} else {
		row.Data = series.Row(s.values, values)
	}
	s.whole = !h.queue(row)
	if !s.whole {
		s.layout, s.values, s.at, s.bucket = layout, values, at, bucket
	}
	return nil
}

func (h *Service) queue(r store.LogRow) bool {
	select {
	case h.rows <- r:
		return true
	default:
		h.mu.Lock()
		told := h.missed
		h.missed = true
		h.mu.Unlock()
		if !told {
			h.log.Warn("the store cannot follow: readings are left out")
		}
		return false
	}
}

// lay puts readings into a row: which things, and the values of all of them. A thing that a device tells of twice in one reading,
// such as a client that it has on two radios for a moment, is taken once.
func (h *Service) lay(s *source, device string, kind series.Source, readings []series.Reading) (layout, values []int64, err error) {
	var unknown []series.Thing
	for _, r := range readings {
		if _, ok := s.things[r.Thing]; !ok {
			unknown = append(unknown, r.Thing)
		}
	}
	if len(unknown) > 0 || s.id == 0 {
		if err := h.meet(s, device, kind, unknown); err != nil {
			return nil, nil, err
		}
	}
	laid := make(map[int64]bool, len(readings))
	for _, r := range readings {
		if id := s.things[r.Thing]; !laid[id] {
			laid[id] = true
			layout = append(layout, id)
			values = append(values, r.Values...)
		}
	}
	return layout, values, nil
}

// meet learns the numbers of things, and of the source itself.
func (h *Service) meet(s *source, device string, kind series.Source, unknown []series.Thing) error {
	ctx := context.Background()
	if s.id == 0 {
		id, err := h.store.SourceOf(ctx, device, kind)
		if err != nil {
			return err
		}
		known, err := h.store.Things(ctx, id)
		if err != nil {
			return err
		}
		s.id = id
		for _, t := range known {
			s.things[t.Thing] = t.ID
		}
		unknown = append(unknown, series.Thing{Part: series.Clock})
	}
	unknown = slices.DeleteFunc(unknown, func(t series.Thing) bool { return s.things[t] != 0 })
	if len(unknown) == 0 {
		return nil
	}
	ids, err := h.store.AddThings(ctx, s.id, unknown)
	if err != nil {
		return err
	}
	for i, t := range unknown {
		s.things[t] = ids[i]
	}
	return nil
}

func packLayout(things []int64) []byte {
	var out []byte
	before := int64(0)
	for _, t := range things {
		out = binary.AppendVarint(out, t-before)
		before = t
	}
	return out
}

var errLayout = errors.New("a row of the log of readings is damaged")

func readLayout(b []byte) ([]int64, error) {
	out := []int64{}
	before := int64(0)
	for len(b) > 0 {
		d, n := binary.Varint(b)
		if n <= 0 {
			return nil, errLayout
		}
		before += d
		out, b = append(out, before), b[n:]
	}
	return out, nil
}

// write puts readings into the store, many at once, until ctx ends; and then the rest. Between, it packs what is over and
// drops what is too old: so no reading of a bucket can come after the bucket was packed.
func (h *Service) write(ctx context.Context) {
	tick := time.NewTicker(writeEvery)
	defer tick.Stop()
	sweep := time.NewTicker(sweepEvery)
	defer sweep.Stop()
	var batch []store.LogRow
	flush := func() {
		if len(batch) == 0 {
			return
		}
		if err := h.store.AppendSamples(context.WithoutCancel(ctx), batch); err != nil {
			h.log.Error("readings could not be kept", "err", err)
			h.forgetRows() // what comes next must not lean on what is not there
		}
		batch = nil
	}
	for {
		select {
		case r := <-h.rows:
			if batch = append(batch, r); len(batch) >= written {
				flush()
			}
		case <-tick.C:
			flush()
			if len(h.rows) == 0 {
				_, err := h.SealOne(ctx)
				h.complain(ctx, err)
			}
		case <-sweep.C:
			h.complain(ctx, h.Sweep(ctx))
		case <-ctx.Done():
			for {
				select {
				case r := <-h.rows:
					batch = append(batch, r)
				default:
					flush()
					return
				}
			}
		}
	}
}

func (h *Service) complain(ctx context.Context, err error) {
	if err != nil && ctx.Err() == nil {
		h.log.Error("readings could not be packed", "err", err)
	}
}

func (h *Service) forgetRows() {
	h.mu.Lock()
	all := make([]*source, 0, len(h.sources))
	for _, s := range h.sources {
		all = append(all, s)
	}
	h.mu.Unlock()
	for _, s := range all {
		s.mu.Lock()
		s.whole = true
		s.mu.Unlock()
	}
}

// Sweep drops what was kept for its time.
func (h *Service) Sweep(ctx context.Context) error {
	for _, l := range append(series.Levels(), series.Raw) {
		first := l.Bucket(h.now().Add(-l.Keep()).UnixMilli())
		if err := h.store.DropChunks(ctx, series.Key(l, 0, 0, 0), series.Key(l, first, 0, 0)); err != nil {
			return err
		}
	}
	return nil
}
