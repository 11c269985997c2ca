package policy

import (
	"slices"
	"time"

	"example.net/everypost/internal/core/network"
)

// Fault is what is wrong with a rule.
type Fault string

// The faults.
const (
	Shadowed  Fault = "shadowed"  // rules before it decide on all that it speaks of, and not as it says
	Redundant Fault = "redundant" // without it the same would pass
	Wide      Fault = "wide"      // it lets everybody reach everything
	Past      Fault = "past"      // the last day on which it holds is over
	Nobody    Fault = "nobody"    // what it names is nothing
	Unused    Fault = "unused"    // it decided on nothing for so long
	TooLarge  Fault = "too-large" // it falls into too many pieces to be looked at
)

// Finding is a fault of a rule.
type Finding struct {
	Rule  int // its number
	Fault Fault
	By    []int // rules that decide in its place, in their order; none: that nothing fits
}

// UnusedAfter is for how long a rule decides on nothing before it is called unused.
const UnusedAfter = 30 * 24 * time.Hour

// Analyse finds what is wrong with the rules, at a time of the device's own clock, in their order. hits is how they decided, nil where that is not
// known; rules that hold only at times hide no others.
func (p *Policy) Analyse(now time.Time, hits *network.PolicyState) []Finding {
	if p == nil {
		return nil
	}
	var out []Finding
	for i := range p.Rules {
		r := &p.Rules[i]
		switch f := p.faultOf(i, now); {
		case f.Fault != "":
			f.Rule = r.Number
			out = append(out, f)
		case r.unused(now, hits):
			out = append(out, Finding{Rule: r.Number, Fault: Unused})
		}
	}
	return out
}

func (r *Rule) unused(now time.Time, hits *network.PolicyState) bool {
	if hits == nil || hits.Since.IsZero() || now.Sub(hits.Since) < UnusedAfter || !slices.ContainsFunc(hits.Rules, func(h network.RuleHits) bool { return h.Sessions > 0 }) {
		return false // it did not count for so long, or stands by for another
	}
	at := slices.IndexFunc(hits.Rules, func(h network.RuleHits) bool { return h.Number == r.Number })
	return at >= 0 && now.Sub(hits.Rules[at].LastAt) >= UnusedAfter
}

func (p *Policy) faultOf(i int, now time.Time) Finding {
	r := &p.Rules[i]
	pairs := p.pairsOf(r)
	mine, ok := r.boxes()
	switch {
	case r.past(now):
		return Finding{Fault: Past}
	case len(pairs) == 0 || len(mine) == 0 && ok:
		return Finding{Fault: Nobody}
	case !ok:
		return Finding{Fault: TooLarge}
	}
	by, other, left := map[int]bool{}, false, make([][]box, len(pairs))
	empty := true
	for n, pair := range pairs {
		rest := mine
		for k := range p.Rules[:i] {
			o := &p.Rules[k]
			if !o.always() || !o.applies(pair[0], pair[1]) {
				continue
			}
			theirs, ok := o.boxes()
			if !ok || !anyMeets(rest, theirs) {
				continue
			}
			if rest, ok = lessAll(rest, theirs); !ok {
				return Finding{Fault: TooLarge}
			}
			by[o.Number] = true
			other = other || (o.Action == "allow") != (r.Action == "allow") || o.Inspect != r.Inspect
			if len(rest) == 0 {
				break
			}
		}
		left[n] = rest
		empty = empty && len(rest) == 0
	}
	switch {
	case empty && other:
		return Finding{Fault: Shadowed, By: sorted(by)}
	case empty:
		return Finding{Fault: Redundant, By: sorted(by)}
	case r.wide():
		return Finding{Fault: Wide}
	case r.Log || !r.always():
		return Finding{}
	}
	return p.saidLater(i, pairs, left)
}

// wide tells whether a rule lets everybody reach everything.
func (r *Rule) wide() bool {
	return r.Action == "allow" && r.From == nil && r.To == nil && r.Source == nil && r.Destination == nil && r.Service == nil
}

// saidLater tells whether the rules after one would decide as it does on all that is left to it. One that lets everybody reach everything does not
// count: it is what should go.
func (p *Policy) saidLater(i int, pairs [][2]int, left [][]box) Finding {
	r, by := &p.Rules[i], map[int]bool{}
	for n, pair := range pairs {
		rest := left[n]
		for k := i + 1; k < len(p.Rules) && len(rest) > 0; k++ {
			o := &p.Rules[k]
			theirs, ok := o.boxes()
			switch {
			case o.wide() || !o.applies(pair[0], pair[1]) || ok && !anyMeets(rest, theirs):
				continue
			case !ok || !o.always() || o.Action != r.Action || o.Inspect != r.Inspect:
				return Finding{}
			}
			if rest, ok = lessAll(rest, theirs); !ok {
				return Finding{}
			}
			by[o.Number] = true
		}
		if len(rest) > 0 && r.Action != "deny" { // what none fits is denied
			return Finding{}
		}
	}
	if r.Action == "deny" && i == len(p.Rules)-1 {
		return Finding{} // the last row says so in plain sight, which is good
	}
	return Finding{Fault: Redundant, By: sorted(by)}
}

// pairsOf are the pairs of zones on which a rule can decide.
func (p *Policy) pairsOf(r *Rule) (out [][2]int) {
	for from := range len(p.zones) + 1 {
		for to := range len(p.zones) + 1 {
			if (from != to || from == 0) && r.applies(from, to) {
				out = append(out, [2]int{from, to})
			}
		}
	}
	return out
}

func sorted(m map[int]bool) []int {
	out := make([]int, 0, len(m))
	for n := range m {
		out = append(out, n)
	}
	slices.Sort(out)
	return out
}
