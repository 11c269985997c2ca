package changes

import (
	"sync"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/store"
)

// comparisons remembers what changes make different once that is settled: it is asked for whenever changes are listed.
type comparisons struct {
	mu sync.Mutex
	by map[int64]comparison
}

type comparison struct {
	devices int   // of the change
	checked int64 // when it was checked last, by the lines of its record
	diffs   []intent.Difference
}

// maxComparisons bounds how many are remembered.
const maxComparisons = 200

// of is by what a comparison of a change is known to be still right: what a device was to become is settled by the check.
func of(c store.Change) comparison {
	at := int64(0)
	for _, l := range c.Log {
		if len(l.Text) > 7 && l.Text[:7] == "checked" {
			at = l.At.UnixMicro()
		}
	}
	return comparison{devices: len(c.Devices), checked: at}
}

func (k *comparisons) get(c store.Change) ([]intent.Difference, bool) {
	k.mu.Lock()
	defer k.mu.Unlock()
	was, ok := k.by[c.Number]
	now := of(c)
	return was.diffs, ok && was.devices == now.devices && was.checked == now.checked && now.checked != 0
}

func (k *comparisons) put(c store.Change, diffs []intent.Difference) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.by == nil || len(k.by) >= maxComparisons {
		k.by = map[int64]comparison{}
	}
	one := of(c)
	one.diffs = diffs
	k.by[c.Number] = one
}
