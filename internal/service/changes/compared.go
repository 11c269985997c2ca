package changes

import (
	"maps"
	"slices"
	"sync"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/store"
)

// comparisons remembers what changes make different on devices: it is asked for whenever changes are listed, and what a draft
// comes to is most often what its check finds, and the check before the push once more.
type comparisons struct {
	mu sync.Mutex
	by map[comparisonKey]comparison
}

type comparisonKey struct {
	change int64
	device string
}

type comparison struct {
	of    store.ChangeDevice // what was compared: Before, After, Layers
	diffs []Difference
}

// maxComparisons bounds of how many devices of changes they are remembered.
const maxComparisons = 2_000

// on returns what a change makes different on one of its devices.
func (k *comparisons) on(change int64, d store.ChangeDevice) []Difference {
	key := comparisonKey{change, d.Device}
	k.mu.Lock()
	was, ok := k.by[key]
	k.mu.Unlock()
	if ok && sameWork(was.of, d) {
		return was.diffs
	}
	is := comparison{store.ChangeDevice{Device: d.Device, Before: d.Before, After: d.After, Layers: d.Layers}, differences(d)}
	if change == 0 {
		return is.diffs
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.by == nil || len(k.by) >= maxComparisons {
		k.by = map[comparisonKey]comparison{}
	}
	k.by[key] = is
	return is.diffs
}

func differences(d store.ChangeDevice) []Difference {
	plain := intent.Compare(d.Device, d.Before, d.After)
	out := make([]Difference, len(plain))
	for i, one := range plain {
		out[i] = Difference{one, d.Layers[layerKey(one.Port.Port, one.Field)]}
	}
	return out
}

// sameWork tells quickly whether a change does the same on a device.
func sameWork(a, b store.ChangeDevice) bool {
	return a.Device == b.Device && alike(a.Before, b.Before) && alike(a.After, b.After) && maps.Equal(a.Layers, b.Layers)
}

func alike(a, b network.Config) bool { return a.Equal(b) && slices.Equal(a.Features, b.Features) }

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
