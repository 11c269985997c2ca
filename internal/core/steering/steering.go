// Package steering decides over which tunnel traffic between two sites goes: by the order of a rule, as long as its limits are kept; and what that comes to
// over a time that was measured.
package steering

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/network"
)

// Any in the order of a rule stands for all tunnels, as the device lists them.
const Any = "any"

// Limits are what traffic bears at most; 0 stands for no limit.
type Limits struct{ DelayMs, JitterMs, LossPercent float64 }

// Rule is how some traffic is carried.
type Rule struct {
	Over   []string // what circuits are called or are of (fibre, cellular), or ports of the edge; nil for any
	Limits Limits
	Within time.Duration // how long a limit may be broken before the traffic moves
	Back   time.Duration // how long a better way must be good before the traffic moves back
	Twice  bool          // each packet goes over two ways
	Only   bool          // nothing but Over is used, even where nothing else is left
}

// Path is a tunnel to the other site as it is measured at a moment.
type Path struct {
	Tunnel, Underlay, Port         string
	Up                             bool
	DelayMs, JitterMs, LossPercent float64
}

// Why traffic goes where it goes.
const (
	First  = "first"  // it is the first in order
	Limit  = "limit"  // what it went over before broke a limit
	Down   = "down"   // what it went over before is down
	Return = "return" // a better way was good again for long enough, or there is one again at all
	Lost   = "lost"   // there is no way left
)

// State is what traffic goes over, and since when. Its zero value has not begun.
type State struct {
	Tunnel string // "": none
	Second string // of traffic that goes twice
	Since  time.Time
	Why    string

	broken time.Time            // since when a limit is broken
	good   map[string]time.Time // since when tunnels that come before keep the limits
}

// Move is a change of ways.
type Move struct {
	At       time.Time
	From, To string // "": none
	Why      string
	Was      Path // the way it left, as it was measured
}

// Keeps tells whether a path is up and within limits.
func (l Limits) Keeps(p Path) bool {
	over := func(v, most float64) bool { return most > 0 && v > most }
	return p.Up && !over(p.DelayMs, l.DelayMs) && !over(p.JitterMs, l.JitterMs) && !over(p.LossPercent, l.LossPercent)
}

// Order are the paths in the order in which a rule takes them; those that it does not name come last, or not at all.
func (r Rule) Order(paths []Path) []Path {
	if len(r.Over) == 0 {
		return slices.Clone(paths)
	}
	place := func(p Path) int {
		i := slices.IndexFunc(r.Over, func(s string) bool { return strings.EqualFold(s, p.Port) || strings.EqualFold(s, p.Underlay) })
		if i < 0 {
			return len(r.Over)
		}
		return i
	}
	out := slices.Clone(paths)
	if r.Only {
		out = slices.DeleteFunc(out, func(p Path) bool { return place(p) == len(r.Over) })
	}
	slices.SortStableFunc(out, func(a, b Path) int { return cmp.Compare(place(a), place(b)) })
	return out
}

// named is how many of the ordered paths a rule names: the others are used only where none of these is up.
func (r Rule) named(ordered []Path) int {
	if len(r.Over) == 0 {
		return len(ordered)
	}
	n := 0
	for _, p := range ordered {
		if slices.ContainsFunc(r.Over, func(s string) bool { return strings.EqualFold(s, p.Port) || strings.EqualFold(s, p.Underlay) }) {
			n++
		}
	}
	return n
}

// usable are the paths that are up, in order: those that are named, else the others. What traffic goes over stays among them until there is a better one for
// long enough.
func (r Rule) usable(paths []Path, now string) []Path {
	ordered := r.Order(paths)
	up := func(list []Path) []Path {
		return slices.DeleteFunc(slices.Clone(list), func(p Path) bool { return !p.Up })
	}
	n := r.named(ordered)
	if some := up(ordered[:n]); len(some) > 0 {
		return append(some, slices.DeleteFunc(up(ordered[n:]), func(p Path) bool { return p.Tunnel != now })...)
	}
	return up(ordered[n:])
}

// Step tells what traffic goes over after the paths were measured once more, and how it moved, if it did.
func (r Rule) Step(s State, at time.Time, paths []Path) (State, *Move) {
	ways := r.usable(paths, s.Tunnel)
	now := slices.IndexFunc(ways, func(p Path) bool { return p.Tunnel == s.Tunnel })
	to, why := now, ""
	switch {
	case len(ways) == 0:
		why = Lost
	case now < 0:
		to, why = r.best(ways, -1), Down
		switch {
		case s.Why == Lost:
			why = Return
		case s.Tunnel == "":
			why = First
		}
	case !r.Limits.Keeps(ways[now]):
		if s.broken.IsZero() {
			s.broken = at
		}
		if other := r.best(ways, now); at.Sub(s.broken) >= r.Within && other != now && r.Limits.Keeps(ways[other]) {
			to, why = other, Limit
		}
	default:
		s.broken = time.Time{}
		if i := s.returns(r, at, ways[:now]); i >= 0 {
			to, why = i, Return
		}
	}
	return s.moved(r, at, paths, ways, to, why)
}

// best is the first way that keeps the limits and is not one; else the first that is not it; else it.
func (r Rule) best(ways []Path, not int) int {
	other := not
	for i, p := range ways {
		if i == not {
			continue
		}
		if r.Limits.Keeps(p) {
			return i
		}
		if other == not {
			other = i
		}
	}
	return other
}

// returns is which of the better ways was good for long enough, -1 for none. It notes since when each is.
func (s *State) returns(r Rule, at time.Time, better []Path) int {
	good := map[string]time.Time{}
	found := -1
	for i, p := range better {
		if !r.Limits.Keeps(p) {
			continue
		}
		since, was := s.good[p.Tunnel]
		if !was {
			since = at
		}
		good[p.Tunnel] = since
		if found < 0 && at.Sub(since) >= r.Back {
			found = i
		}
	}
	s.good = good
	return found
}

// moved is the state with traffic on a way.
func (s State) moved(r Rule, at time.Time, paths, ways []Path, to int, why string) (State, *Move) {
	var move *Move
	tunnel := ""
	if to >= 0 && to < len(ways) {
		tunnel = ways[to].Tunnel
	}
	if why != "" && (tunnel != s.Tunnel || s.Why == "") {
		if s.Why != "" || why == Lost {
			m := Move{At: at, From: s.Tunnel, To: tunnel, Why: why}
			if i := slices.IndexFunc(paths, func(p Path) bool { return p.Tunnel == s.Tunnel }); i >= 0 {
				m.Was = paths[i]
			}
			move = &m
		}
		s = State{Tunnel: tunnel, Since: at, Why: why}
	}
	s.Second = ""
	if r.Twice && tunnel != "" && len(ways) > 1 {
		s.Second = ways[r.best(ways, to)].Tunnel
	}
	return s, move
}

// Felt is what the traffic of a state feels of the paths: of two that carry the same packets the sooner one, and only what both lose is lost. up is whether
// there is a way at all.
func (s State) Felt(paths []Path) (felt Path, up bool) {
	for _, p := range paths {
		switch {
		case !p.Up || p.Tunnel != s.Tunnel && (p.Tunnel != s.Second || s.Second == ""):
		case !up:
			felt, up = p, true
		default:
			loss := felt.LossPercent * p.LossPercent / 100
			if p.DelayMs < felt.DelayMs {
				felt = p
			}
			felt.LossPercent = loss
		}
	}
	return felt, up
}

// To are the paths of an edge as it measures them, by the edge at the other end.
func To(tunnels []network.Tunnel) map[string][]Path {
	out := map[string][]Path{}
	for _, t := range tunnels {
		out[t.RemoteSystem] = append(out[t.RemoteSystem], Path{Tunnel: t.Name, Underlay: t.Underlay, Port: t.Port, Up: t.Up, DelayMs: t.DelayMs, JitterMs: t.JitterMs, LossPercent: t.LossPercent})
	}
	return out
}

// Names tells whether a rule speaks of any of some paths, up or not.
func (r Rule) Names(paths []Path) bool { return len(r.Over) == 0 || r.named(paths) > 0 }
