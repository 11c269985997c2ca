package store

import (
	"cmp"
	"slices"
	"sync"
)

// recent remembers changes as they are kept, so that one that has thousands of edits need not be decoded for every question.
type recent struct {
	mu     sync.Mutex
	writes uint64  // how many are done: what was read before one and comes after it may be old
	order  []int64 // who was asked for longest ago first
	weight int
	most   int // that weight may be, maxWeight when 0
	by     map[int64]Change
}

// maxWeight bounds what is remembered: some 100 MB, most of it configurations before and after.
const maxWeight = 200_000

// weigh is how much a change takes, in edits.
func weigh(c Change) int { return 10 + len(c.Edits) + len(c.Log) + 100*len(c.Devices) }

// own is a change whose lists may be written without anybody else seeing it. What the lists hold is never written in place.
func own(c Change) Change {
	c.Edits, c.Devices, c.Log, c.Findings = slices.Clone(c.Edits), slices.Clone(c.Devices), slices.Clone(c.Log), slices.Clone(c.Findings)
	c.Accepted, c.Editors, c.Approvals = slices.Clone(c.Accepted), slices.Clone(c.Editors), slices.Clone(c.Approvals)
	return c
}

// get returns what is remembered, or how many writes there were when it was asked for.
func (r *recent) get(number int64) (c Change, ok bool, writes uint64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	c, ok = r.by[number]
	if !ok {
		return c, false, r.writes
	}
	r.order = append(slices.DeleteFunc(r.order, func(n int64) bool { return n == number }), number)
	return own(c), true, r.writes
}

// read takes a change that was read; after so many writes, which must be all.
func (r *recent) read(c Change, writes uint64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.writes == writes {
		r.take(c)
	}
}

// wrote takes a change that was written; one that may be written or not is forgotten.
func (r *recent) wrote(c Change, err error) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.writes++
	if r.forget(c.Number); err == nil {
		r.take(c)
	}
	return err
}

// lose forgets changes that were written in ways of which it cannot tell what they are now: one, or all.
func (r *recent) lose(numbers ...int64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.writes++
	if len(numbers) == 0 {
		r.order, r.weight = nil, 0
		clear(r.by)
	}
	for _, n := range numbers {
		r.forget(n)
	}
}

func (r *recent) take(c Change) {
	r.forget(c.Number)
	most := cmp.Or(r.most, maxWeight)
	if weigh(c) > most/2 {
		return
	}
	for r.weight+weigh(c) > most {
		r.forget(r.order[0])
	}
	if r.by == nil {
		r.by = map[int64]Change{}
	}
	r.order, r.weight = append(r.order, c.Number), r.weight+weigh(c)
	r.by[c.Number] = own(c)
}

func (r *recent) forget(number int64) {
	if c, ok := r.by[number]; ok {
		r.weight -= weigh(c)
		delete(r.by, number)
		r.order = slices.DeleteFunc(r.order, func(n int64) bool { return n == number })
	}
}
