package guard

import (
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/steering"
)

// steer finds ways of edges that lead nowhere or are never reached, and tells what would move.
func steer(p Proposal) []Finding {
	var out []Finding
	p.objectsOf(setting.OnSteering, func(at network.PortRef, _ string, before, after network.Settings) {
		if maps.Equal(before, after) {
			return
		}
		s := steers{p: p, at: at, was: setting.Ways(p.Before[at.Device]), is: setting.Ways(p.After[at.Device]), to: steering.To(p.Insides[at.Device].Tunnels)}
		for i := range s.is {
			s.one(i)
		}
		out = append(out, s.out...)
	})
	return out
}

type steers struct {
	p       Proposal
	at      network.PortRef
	was, is []setting.Way
	to      map[string][]steering.Path
	out     []Finding
}

func (s *steers) say(level Level, w setting.Way, part, what, why, do string) {
	s.out = append(s.out, Finding{ID: fmt.Sprintf("steering:%s:%s:%d", s.at.Device, part, w.Number), Guard: "steering", Level: level, Ports: []network.PortRef{s.at}, What: what, Why: why, Do: do})
}

func (s *steers) one(i int) {
	w, device := s.is[i], s.at.Device
	k := slices.IndexFunc(s.was, func(o setting.Way) bool { return o.Number == w.Number })
	if k >= 0 && s.was[k].Text == w.Text {
		return
	}
	for _, earlier := range s.is[:i] {
		if fitsAll(earlier, w) {
			s.say(Warn, w, "unreached", fmt.Sprintf("Way %d of %s would never decide: way %d before it fits all that it fits.", w.Number, device, earlier.Number), "What it says would not be done.", fmt.Sprintf("Put it before way %d, or take it out.", earlier.Number))
			return
		}
	}
	if len(s.to) == 0 {
		return // nothing is known of its tunnels yet
	}
	over := strings.Join(w.Rule.Over, ",")
	known := slices.ContainsFunc(slices.Collect(maps.Values(s.to)), w.Rule.Names)
	switch {
	case !known && w.Rule.Only:
		s.say(Warn, w, "nowhere", fmt.Sprintf("Way %d of %s would go nowhere: no tunnel of it is over %s.", w.Number, device, over), "What it fits is dropped.", "Name circuits that it has: "+s.circuits()+". Or leave \"else drop\" out.")
		return
	case !known:
		s.say(Warn, w, "nowhere", fmt.Sprintf("Way %d of %s names no circuit that it has: no tunnel of it is over %s.", w.Number, device, over), "It goes over any tunnel, as without the way.", "Name circuits that it has: "+s.circuits()+".")
		return
	case w.Rule.Twice && !slices.ContainsFunc(slices.Collect(maps.Values(s.to)), func(paths []steering.Path) bool { return len(paths) > 1 }):
		s.say(Note, w, "once", fmt.Sprintf("Way %d of %s would send once: it has one tunnel to each edge.", w.Number, device), "Sending twice needs two.", "Give it a second circuit.")
	}
	s.moves(w, k)
}

// moves tells what would take another tunnel, as the paths are now.
func (s *steers) moves(w setting.Way, was int) {
	before := steering.Rule{}
	if was >= 0 {
		before = s.was[was].Rule
	}
	var moved []string
	for _, peer := range slices.Sorted(maps.Keys(s.to)) {
		from, _ := before.Step(steering.State{}, time.Time{}, s.to[peer])
		to, _ := w.Rule.Step(steering.State{}, time.Time{}, s.to[peer])
		switch {
		case from.Tunnel == to.Tunnel:
		case to.Tunnel == "":
			moved = append(moved, fmt.Sprintf("to %s over nothing", peer))
		default:
			moved = append(moved, fmt.Sprintf("to %s over %s", peer, to.Tunnel))
		}
	}
	if len(moved) == 0 {
		return
	}
	rest := ""
	if most := 4; len(moved) > most {
		moved, rest = moved[:most], fmt.Sprintf(" and %d more", len(moved)-most)
	}
	fit := w.Fit()
	if fit == "" {
		fit = "all else"
	}
	s.say(Note, w, "moves", fmt.Sprintf("%s: %s would go another way: %s%s.", s.at.Device, fit, strings.Join(moved, ", "), rest), "That is how the tunnels are at this moment.", "Before you push it, look at what it would have done in the last 24 h: \"everypost steering "+s.at.Device+"\" with --change and the number of this draft; in the console, Between sites, Steering.")
}

func (s *steers) circuits() string {
	var out []string
	for _, paths := range s.to {
		for _, p := range paths {
			for _, name := range []string{p.Underlay, p.Port} {
				if name != "" && !slices.Contains(out, name) {
					out = append(out, name)
				}
			}
		}
	}
	slices.Sort(out)
	return strings.Join(out, ", ")
}

// fitsAll tells whether a way fits all that another one fits.
func fitsAll(a, b setting.Way) bool {
	within := func(wide, narrow []string) bool {
		return len(wide) == 0 || len(narrow) > 0 && !slices.ContainsFunc(narrow, func(s string) bool { return !slices.Contains(wide, s) })
	}
	nets := len(a.To) == 0 || len(b.To) > 0 && !slices.ContainsFunc(b.To, func(n netip.Prefix) bool {
		return !slices.ContainsFunc(a.To, func(w netip.Prefix) bool { return w.Bits() <= n.Bits() && w.Contains(n.Addr()) })
	})
	return nets && within(a.Applications, b.Applications) && within(a.Services, b.Services) && within(a.DSCP, b.DSCP)
}
