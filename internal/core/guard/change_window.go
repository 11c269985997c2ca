package guard

import (
	"fmt"
	"slices"
	"time"

	"example.net/everypost/internal/core/network"
)

// Window is the hours in which changes of some devices are made, by a rule of the house.
type Window struct {
	Rule    string
	Devices []string // of the proposal, that the rule picks
	Hours   string   // with their time zone, for people
	Open    bool     // now
	Next    time.Time
}

// changeWindow finds changes that would be made outside of the hours that were agreed on. It warns: what is broken cannot
// always wait, and who accepts it is written down.
func changeWindow(p Proposal) []Finding {
	var out []Finding
	for _, w := range p.Windows {
		if w.Open {
			continue
		}
		f := Finding{
			ID: "change-window:" + w.Rule, Guard: "change-window", Level: Warn,
			What: fmt.Sprintf("It is outside of the hours in which changes of %s are made (%s).", some(w.Devices), w.Hours),
			Why:  fmt.Sprintf("The rule %s says so: at other times somebody may be in the middle of something.", w.Rule),
			Do:   "Have the push wait for these hours, or accept this.",
		}
		for _, d := range w.Devices {
			f.Ports = append(f.Ports, network.PortRef{Device: d})
		}
		if len(f.Ports) > 20 {
			f.Ports = f.Ports[:20]
		}
		out = append(out, f)
	}
	return out
}

// some names a few of many devices.
func some(devices []string) string {
	if len(devices) <= 3 {
		return join(slices.Clone(devices))
	}
	return fmt.Sprintf("%s, %s and %d more", devices[0], devices[1], len(devices)-2)
}
