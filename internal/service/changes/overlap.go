package changes

import (
	"cmp"
	"context"
	"slices"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/store"
)

// Overlap is a setting that two open changes set on the same thing.
type Overlap struct {
	Change int64 // the other one
	Owner  string
	State  string
	Port   network.PortRef
	Field  string
	Value  string // what the other one sets
}

// maxOverlaps bounds what is told of one change.
const maxOverlaps = 50

// Overlaps tells what other open changes set on the same things as each of some open changes.
func (s *Service) Overlaps(ctx context.Context, changes []store.Change) (map[int64][]Overlap, error) {
	numbers := make([]int64, len(changes))
	for i, c := range changes {
		numbers[i] = c.Number
	}
	others, err := s.store.Changes(ctx, store.ChangeQuery{States: append([]string{Draft, Checked, Waiting}, Active...), Limit: 1000, Except: numbers})
	if err != nil {
		return nil, err
	}
	open := slices.Concat(changes, others)
	slices.SortFunc(open, func(a, b store.Change) int { return cmp.Compare(b.Number, a.Number) })
	type key struct {
		port  network.PortRef
		field string
	}
	type word struct {
		change *store.Change
		edit   intent.Edit
	}
	said := map[key][]word{}
	for i := range open {
		for _, e := range open[i].Edits {
			k := key{e.Port, e.Field}
			said[k] = append(said[k], word{&open[i], e})
		}
	}
	out := map[int64][]Overlap{}
	for _, c := range changes {
		for _, e := range c.Edits {
			for _, other := range said[key{e.Port, e.Field}] {
				if other.change.Number != c.Number && len(out[c.Number]) < maxOverlaps {
					out[c.Number] = append(out[c.Number], Overlap{other.change.Number, other.change.Owner, other.change.State, e.Port, e.Field, other.edit.Value})
				}
			}
		}
	}
	return out, nil
}
