// Package segment tells of tables of routes (VRF) that edges keep apart, across all edges: what is in which, what is leaked, and where edges disagree.
package segment

import (
	"cmp"
	"maps"
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// Edge is what one edge has of a segment.
type Edge struct {
	Device   string
	Told     setting.Segment
	Networks []setting.Gateway // that are in it
}

// Segment is a table of routes across edges, by its name.
type Segment struct {
	Name   string
	Number int // by which most edges know it; 0: none does
	Edges  []Edge
	Faults []Fault
}

// What may be wrong with a segment.
const (
	NoNumber    = "no-number"    // an edge does not say one: it goes to no other site
	OtherNumber = "other-number" // an edge knows it by another: it does not meet there
	SameNumber  = "same-number"  // another segment has that number somewhere: the two are one between sites
	NoSuchLeak  = "no-such-leak" // an edge leaks a table that it does not have
	NoAnswer    = "no-answer"    // it leaks a segment that does not leak it: what is asked is not answered
)

// Fault is something wrong with a segment at an edge.
type Fault struct {
	Code, Device string
	Number       int    // that the edge has
	Other        string // the other segment, or the table
}

// Across lists the segments of all edges, by name.
func Across(configs map[string]network.Config) (out []Segment) {
	found := map[string]*Segment{}
	numbers := map[int][]string{} // names, by number
	for _, device := range slices.Sorted(maps.Keys(configs)) {
		for _, told := range setting.SegmentsOf(configs[device]) {
			s := found[told.Name]
			if s == nil {
				s = &Segment{Name: told.Name}
				found[told.Name] = s
			}
			s.Edges = append(s.Edges, Edge{Device: device, Told: told, Networks: setting.InSegment(configs[device], told.Name)})
			if told.Number > 0 && !slices.Contains(numbers[told.Number], told.Name) {
				numbers[told.Number] = append(numbers[told.Number], told.Name)
			}
		}
	}
	for _, name := range slices.Sorted(maps.Keys(found)) {
		s := found[name]
		s.Number = mostCommon(s.Edges)
		for _, e := range s.Edges {
			s.Faults = append(s.Faults, faultsOf(*s, e, configs[e.Device], numbers)...)
		}
		out = append(out, *s)
	}
	return out
}

func mostCommon(edges []Edge) (number int) {
	count := map[int]int{}
	for _, e := range edges {
		if e.Told.Number > 0 {
			count[e.Told.Number]++
		}
	}
	for _, n := range slices.Sorted(maps.Keys(count)) {
		if count[n] > count[number] {
			number = n
		}
	}
	return number
}

func faultsOf(s Segment, e Edge, c network.Config, numbers map[int][]string) (out []Fault) {
	add := func(code, other string) { out = append(out, Fault{code, e.Device, e.Told.Number, other}) }
	switch {
	case e.Told.Number == 0:
		add(NoNumber, "")
	case e.Told.Number != s.Number:
		add(OtherNumber, "")
	}
	for _, other := range numbers[e.Told.Number] {
		if other != s.Name {
			add(SameNumber, other)
		}
	}
	for _, from := range e.Told.Leaks {
		switch other := setting.SegmentsOf(c); {
		case from == setting.MainSegment || from == setting.OutsideSegment:
		case !setting.IsSegment(c, from):
			add(NoSuchLeak, from)
		default:
			at := slices.IndexFunc(other, func(o setting.Segment) bool { return o.Name == from })
			if !slices.Contains(other[at].Leaks, s.Name) {
				add(NoAnswer, from)
			}
		}
	}
	return out
}

// FreeNumber is one that no segment has: that of a VLAN where that is free.
func FreeNumber(segments []Segment, vlan network.VLANID) int {
	taken := map[int]bool{}
	for _, s := range segments {
		for _, e := range s.Edges {
			taken[e.Told.Number] = true
		}
	}
	n := cmp.Or(int(vlan), 1)
	for taken[n] {
		n++
	}
	return n
}

// Wish is a segment that is to be at edges.
type Wish struct {
	Name     string
	Number   string // in normal form
	VLANs    []network.VLANID
	Leaks    string // in normal form; "" where nothing is to be said of them
	Prefixes string
	Purpose  string
}

// Row is what something of an edge is to be told.
type Row struct {
	On  network.PortRef
	Set map[string]string
}

// Rows are what an edge is to be told for a segment with those of its networks that are in the VLANs; none of an edge that has no network in them.
func (w Wish) Rows(device string, c network.Config) (out []Row) {
	for _, g := range setting.Gateways(c) {
		if slices.Contains(w.VLANs, g.VLAN) {
			out = append(out, Row{network.PortRef{Device: device, Port: setting.GatewayObject(g.VLAN)}, map[string]string{"segment": w.Name}})
		}
	}
	if len(out) == 0 {
		return nil
	}
	set := map[string]string{setting.Present: "on", "segment-number": w.Number}
	for name, value := range map[string]string{"leaks": w.Leaks, "leak-prefixes": w.Prefixes, "purpose": w.Purpose} {
		if value != "" {
			set[name] = value
		}
	}
	return append([]Row{{network.PortRef{Device: device, Port: setting.Object(setting.OnSegment, w.Name)}, set}}, out...)
}
