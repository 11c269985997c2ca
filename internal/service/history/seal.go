package history

import (
	"context"
	"time"

	"example.net/everypost/internal/core/series"
	"example.net/everypost/internal/store"
)

// sealAfter is how long after its end a bucket is packed: readings may still be on their way.
const sealAfter = 10 * time.Second

// table is readings of a source, one column for each series.
type table struct {
	times   []int64
	columns map[int64][]int64 // by thing*MaxSlots+slot
}

// column returns the values of a series, with Absent where it was not read.
func (t *table) column(thing int64, slot int) []int64 {
	c := t.columns[thing*series.MaxSlots+int64(slot)]
	for len(c) < len(t.times) && c != nil {
		c = append(c, series.Absent)
	}
	return c
}

// add puts a row into the table. slots tells how many metrics each thing of the layout has. Of a thing that stands in a layout twice,
// as older logs may have it, the first counts.
func (t *table) add(at int64, layout []int64, slots []int, values []int64) {
	n := len(t.times)
	t.times = append(t.times, at)
	for i, thing := range layout {
		for slot := range slots[i] {
			key := thing*series.MaxSlots + int64(slot)
			c := t.columns[key]
			for len(c) < n {
				c = append(c, series.Absent)
			}
			if len(c) == n {
				t.columns[key] = append(c, values[0])
			}
			values = values[1:]
		}
	}
}

// tables reads the log of a source, each bucket into a table of its own. A row that is damaged, or leans on one that could
// not be kept, is left out with those that lean on it: there is a gap.
func (h *Service) tables(ctx context.Context, source int64, things map[int64]series.Thing) (map[int64]*table, error) {
	rows, err := h.store.SampleLog(ctx, source)
	if err != nil {
		return nil, err
	}
	out := map[int64]*table{}
	var layout, values []int64
	var slots []int
	width := 0
	for _, r := range rows {
		before := values
		if r.Layout != nil {
			before = nil
			if layout, err = readLayout(r.Layout); err != nil {
				layout = nil
				continue
			}
			slots, width = slots[:0:0], 0
			for _, id := range layout {
				n := len(series.Metrics(things[id].Part))
				slots = append(slots, n)
				width += n
			}
		} else if layout == nil {
			continue
		}
		if values, err = series.ReadRow(before, r.Data, width); err != nil {
			layout = nil
			continue
		}
		t := out[r.Bucket]
		if t == nil {
			t = &table{columns: map[int64][]int64{}}
			out[r.Bucket] = t
		}
		if n := len(t.times); n == 0 || r.At > t.times[n-1] {
			t.add(r.At, layout, slots, values)
		}
	}
	return out, nil
}

func (h *Service) thingsOf(ctx context.Context, source int64) (byID map[int64]series.Thing, clock int64, err error) {
	known, err := h.store.Things(ctx, source)
	byID = make(map[int64]series.Thing, len(known))
	for _, t := range known {
		byID[t.ID] = t.Thing
		if t.Part == series.Clock {
			clock = t.ID
		}
	}
	return byID, clock, err
}

// SealOne packs one bucket of one source that is over, and tells whether there was one. It is for the writer alone, and for
// tests that have stopped it.
func (h *Service) SealOne(ctx context.Context) (bool, error) {
	over := series.Raw.Bucket(h.now().Add(-sealAfter).UnixMilli())
	source, bucket, err := h.store.Unsealed(ctx, over)
	if err != nil || source == 0 {
		return false, err
	}
	things, clock, err := h.thingsOf(ctx, source)
	if err != nil {
		return false, err
	}
	all, err := h.tables(ctx, source, things)
	if err != nil {
		return false, err
	}
	if all[bucket] == nil { // nothing of it can be read, and that must not keep the rest from being packed for ever
		return true, h.store.PutChunks(ctx, nil, source, bucket)
	}
	chunks, err := h.pack(ctx, all[bucket], bucket, things, kindOf(things), clock)
	if err != nil {
		return false, err
	}
	return true, h.store.PutChunks(ctx, chunks, source, bucket)
}

// kindOf tells by its things what a source that is read is.
func kindOf(things map[int64]series.Thing) series.Source {
	for _, t := range things {
		if t.Part != series.Clock {
			return t.Part.Source()
		}
	}
	return series.FromInside
}

// pack makes the packed columns of a bucket: the readings, and the points that follow from them.
func (h *Service) pack(ctx context.Context, t *table, bucket int64, things map[int64]series.Thing, kind series.Source, clock int64) (map[int64][]byte, error) {
	chunks := map[int64][]byte{series.Key(series.Raw, bucket, clock, 0): series.Encode(t.times)}
	from := bucket * series.Raw.BucketLength()
	var rolled []points
	for _, l := range series.Levels() {
		span := series.Span{From: from, Step: l.Step(), Count: int(series.Raw.BucketLength() / l.Step())}
		rolled = append(rolled, newPointsOf(l, span, t.times, kind, clock))
	}
	for id, thing := range things {
		for _, m := range series.Metrics(thing.Part) {
			values := t.column(id, m.Slot())
			if values == nil {
				continue
			}
			if !elides(kind) || !series.Zero([][]int64{values}) {
				chunks[series.Key(series.Raw, bucket, id, m.Slot())] = series.Encode(values)
			}
			for i := range rolled {
				rolled[i].roll(id, m, t.times, values)
			}
		}
	}
	for i := range rolled {
		if err := rolled[i].mergeInto(ctx, h.store, chunks); err != nil {
			return nil, err
		}
	}
	return chunks, nil
}

// elides tells whether columns of a source that are nothing but zeros are not kept: most ports of a switch are idle. Ports
// do not come and go, so that what is not there can be told from what was not read.
func elides(kind series.Source) bool { return kind == series.FromState }

// fillAbsent tells whether a column of points says by itself where nothing was read; else it is zero there.
func fillAbsent(kind series.Source, m *series.Metric) bool {
	return kind == series.FromBefore || kind == series.FromInside && !m.Counter
}

// points are new points of one level for the things of a source.
type points struct {
	level  series.Level
	span   series.Span
	clock  int64
	kind   series.Source
	new    map[int64]newPoints // by key
	covers []int64
}

type newPoints struct {
	columns [][]int64
	absent  bool // where nothing was read, as against zero
}

func newPointsOf(l series.Level, span series.Span, times []int64, kind series.Source, clock int64) points {
	return points{level: l, span: span, clock: clock, kind: kind, new: map[int64]newPoints{}, covers: series.Covered(times, span)}
}

func (p *points) key(thing int64, slot int) int64 {
	return series.Key(p.level, p.level.Bucket(p.span.From), thing, slot)
}

func (p *points) roll(thing int64, m *series.Metric, times, values []int64) {
	p.set(thing, m, series.Roll(m, times, values, p.span))
}

func (p *points) set(thing int64, m *series.Metric, r series.Rolled) {
	p.new[p.key(thing, m.Slot())] = newPoints{r.Columns(m), fillAbsent(p.kind, m)}
}

// mergeInto puts the points to those that are kept of their bucket.
func (p *points) mergeInto(ctx context.Context, s *store.Store, chunks map[int64][]byte) error {
	p.new[p.key(p.clock, 0)] = newPoints{columns: [][]int64{p.covers}}
	var keys []int64
	for k := range p.new {
		if chunks[k] == nil {
			keys = append(keys, k)
		}
	}
	old, err := s.Chunks(ctx, keys)
	if err != nil {
		return err
	}
	for k := range p.new {
		if b := chunks[k]; b != nil {
			old[k] = b // it is to be written already
		}
	}
	bucket := p.level.Span(p.level.Bucket(p.span.From))
	at := int((p.span.From - bucket.From) / bucket.Step)
	for k, n := range p.new {
		if elides(p.kind) && series.Zero(n.columns) && old[k] == nil && k != p.key(p.clock, 0) {
			continue
		}
		columns, err := unpackPoints(old[k], len(n.columns), at+p.span.Count, n.absent)
		if err != nil {
			return err
		}
		for i := range columns {
			copy(columns[i][at:], n.columns[i])
		}
		chunks[k] = series.Join(columns)
	}
	return nil
}

// unpackPoints unpacks n columns of at least a length. What there is not is zero, or Absent.
func unpackPoints(b []byte, n, length int, absent bool) ([][]int64, error) {
	columns := make([][]int64, n)
	if b != nil {
		var err error
		if columns, err = series.Split(b, n); err != nil {
			return nil, err
		}
	}
	for i := range columns {
		for len(columns[i]) < length {
			fill := int64(0)
			if absent {
				fill = series.Absent
			}
			columns[i] = append(columns[i], fill)
		}
	}
	return columns, nil
}
