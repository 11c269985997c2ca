// Package firmware is what devices run inside: which versions they are to run, and in which order they are brought there.
package firmware

import (
	"cmp"
	"slices"
)

// Place is where a device stands in the network, as far as it counts for the order in which devices are upgraded.
type Place struct {
	Device   string
	Distance int    // links from where the management network comes in; -1 where it is not known
	Partner  string // the device that does its work while it restarts: of a pair or a cluster
	Behind   int    // devices whose only way leads through it
}

// Waves says in which wave, from 0, each device is upgraded: the first is one device alone, the one on which least hangs, as a trial; then the farther
// before the nearer, so that a device that fails cuts off none that is still to come; and never a device together with its partner.
func Waves(places []Place) map[string]int {
	order := slices.Clone(places)
	slices.SortFunc(order, func(a, b Place) int {
		return cmp.Or(cmp.Compare(unknownFirst(b.Distance), unknownFirst(a.Distance)), cmp.Compare(a.Behind, b.Behind), cmp.Compare(a.Device, b.Device))
	})
	out := map[string]int{}
	if len(order) == 0 {
		return out
	}
	trial := order[0]
	for _, p := range order {
		if p.Behind < trial.Behind {
			trial = p
		}
	}
	out[trial.Device] = 0
	wave, last, begun := 0, 0, false
	for i := 0; i < len(order); {
		j := i
		for j < len(order) && order[j].Distance == order[i].Distance {
			j++
		}
		level := order[i:j]
		i = j
		later := 0
		for _, p := range level {
			if p.Device == trial.Device {
				continue
			}
			if !begun || level[0].Distance != last {
				wave++
				begun, last = true, level[0].Distance
			}
			at := wave
			if w, done := out[p.Partner]; p.Partner != "" && done && w == at {
				at, later = wave+1, 1
			}
			out[p.Device] = at
		}
		wave += later
	}
	return out
}

// unknownFirst has devices of which the place is not known come before all others: the way to them must not be cut by chance.
func unknownFirst(distance int) int {
	if distance < 0 {
		return 1 << 30
	}
	return distance
}
