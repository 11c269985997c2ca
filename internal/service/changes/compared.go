package changes

import (
	"maps"
	"sync"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
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
	diffs   []Difference
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

func (k *comparisons) get(c store.Change) ([]Difference, bool) {
	k.mu.Lock()
	defer k.mu.Unlock()
	was, ok := k.by[c.Number]
	now := of(c)
	return was.diffs, ok && was.devices == now.devices && was.checked == now.checked && now.checked != 0
}

func (k *comparisons) put(c store.Change, diffs []Difference) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.by == nil || len(k.by) >= maxComparisons {
		k.by = map[int64]comparison{}
	}
	one := of(c)
	one.diffs = diffs
	k.by[c.Number] = one
}

// sameWork tells quickly whether a change does the same on a device.
func sameWork(a, b store.ChangeDevice) bool {
	return a.Device == b.Device && a.Before.Equal(b.Before) && a.After.Equal(b.After) && maps.Equal(a.Layers, b.Layers)
}

// same tells whether a configuration is, in the objects that the change touches, as another one.
func same(now network.Config, d store.ChangeDevice, as network.Config) bool {
	now.Features = as.Features // what can be set is judged as when the change was checked
	for _, object := range intent.Objects(d.Before, d.After) {
		// Whether the change touches it is asked last: mostly all is as it should be.
		if !intent.SamePort(now, as, object) && !sameObject(now, as, object) && len(intent.CompareObject(d.Device, d.Before, d.After, object)) > 0 {
			return false
		}
	}
	return true
}
