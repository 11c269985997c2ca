package topology

import (
	"cmp"
	"slices"

	"example.net/everypost/internal/core/network"
)

// Failing is a network of which something may fail.
type Failing struct {
	Configs map[string]network.Config
	Links   []Link
	Entries []string        // by which it is reached
	Gone    map[string]bool // devices that are away already
	Tunnels []Line          // between edges
	Held    map[Link]bool   // links that spanning tree or a ring holds back now
	// Handed are lines of providers that are handed over elsewhere: by the port of the edge, at which port.
	Handed map[network.PortRef]network.PortRef
	// Supplies are the power supplies of devices that give power now.
	Supplies map[string][]string
}

// Thing is something that may fail: one of these is said.
type Thing struct {
	Device string
	Port   network.PortRef // a link, by one of its ends; a circuit, by the port of an edge
	Tunnel string          // by its name
	Supply string          // of the device, by its name
}

// Loss is what is lost when something fails, and what takes its place.
type Loss struct {
	Devices []string // that are not reached any more; what fails is left out
	CutOff  []string // edges that have no tunnel any more
	Opens   []Link   // that were held back until then
	Over    []string // tunnels that are left to edges which lose one
	Powered []string // supplies that go on feeding the device of which one fails
	Apart   []Apart  // ports to customers that do not reach each other any more
}

// Any tells whether anything is lost.
func (l Loss) Any() bool { return len(l.Devices)+len(l.CutOff) > 0 }

// fails tells which links and tunnels are gone with a thing.
func (t Thing) fails(l Link) bool {
	return t.Device != "" && (l.A.Device == t.Device || l.B.Device == t.Device) || t.Port != network.PortRef{} && (l.A == t.Port || l.B == t.Port)
}

func (t Thing) ends(l Line) bool {
	over := func(e End) bool { return e.Device == t.Port.Device && slices.Contains(e.Ports, t.Port.Port) }
	return t.Tunnel != "" && l.A.Name == t.Tunnel || t.Device != "" && (l.A.Device == t.Device || l.B.Device == t.Device) || t.Port.Port != "" && (over(l.A) || over(l.B))
}

// reach is which devices are reached over the links that open tells of, without one of them.
func (f Failing) reach(without string, open func(Link) bool) map[string]bool {
	entries := slices.DeleteFunc(slices.Clone(f.Entries), func(e string) bool { return e == without || f.Gone[e] })
	return NewGraph(f.Links, entries).ReachOver(f.Configs, func(l Link, _ network.VLANID) bool {
		return !f.Gone[l.A.Device] && !f.Gone[l.B.Device] && Passes(f.Configs, l) && open(l)
	})
}

// Without works out what is lost when a thing fails. Links that are held back open where they are needed; what is away already is not lost again.
func (f Failing) Without(t Thing) Loss {
	if t.Supply != "" {
		give := f.Supplies[t.Device]
		left := slices.DeleteFunc(slices.Clone(give), func(s string) bool { return s == t.Supply })
		if len(left) > 0 || len(give) == 0 { // without any it is a device that tells of none, or has no power already
			return Loss{Devices: []string{}, CutOff: []string{}, Opens: []Link{}, Over: []string{}, Powered: left}
		}
		t = Thing{Device: t.Device}
	}
	out := f.without(t, f.now())
	out.Apart = f.apart(t)
	return out
}

// now is which devices are reached as it is.
func (f Failing) now() map[string]bool { return f.reach("", func(Link) bool { return true }) }

func (f Failing) without(t Thing, before map[string]bool) Loss {
	out := Loss{Devices: []string{}, CutOff: []string{}, Opens: []Link{}, Over: []string{}}
	after := f.reach(t.Device, func(l Link) bool { return !t.fails(l) })
	for d := range before {
		if d != t.Device && !after[d] {
			out.Devices = append(out.Devices, d)
		}
	}
	slices.Sort(out.Devices)
	still := after
	if len(f.Held) > 0 {
		still = f.reach(t.Device, func(l Link) bool { return !t.fails(l) && !f.Held[l] })
	}
	for _, l := range f.Links {
		if f.Held[l] && !t.fails(l) && after[l.A.Device] && after[l.B.Device] && still[l.A.Device] != still[l.B.Device] {
			out.Opens = append(out.Opens, l)
		}
	}
	f.overlay(t, &out)
	return out
}

// overlay works out which edges have no tunnel any more, and over which ones those go on that lose one.
func (f Failing) overlay(t Thing, out *Loss) {
	left, lose := map[string][]string{}, map[string]bool{}
	for _, l := range f.Tunnels {
		for _, e := range []End{l.A, l.B} {
			switch {
			case l.Up == 0 || e.Device == t.Device || f.Gone[e.Device]:
			case t.ends(l) || f.takesLine(t, l):
				lose[e.Device] = true
			default:
				left[e.Device] = append(left[e.Device], l.A.Name)
			}
		}
	}
	for edge := range lose {
		if len(left[edge]) == 0 {
			out.CutOff = append(out.CutOff, edge)
		}
	}
	anEdge := slices.ContainsFunc(f.Tunnels, func(l Line) bool { return l.A.Device == t.Device || l.B.Device == t.Device })
	out.Over = append(out.Over, t.goesOn(anEdge, left, lose)...)
	slices.Sort(out.CutOff)
	slices.Sort(out.Over)
	out.Over = slices.Compact(out.Over)
}

// goesOn are the tunnels over which traffic goes on: of the edge whose circuit fails; where a tunnel fails, or something over which a line comes, of the end that has
// fewer left; of all who lose one where an edge fails.
func (t Thing) goesOn(anEdge bool, left map[string][]string, lose map[string]bool) (out []string) {
	if lose[t.Port.Device] {
		return left[t.Port.Device]
	}
	first := true
	for edge := range lose {
		switch {
		case anEdge:
			out = append(out, left[edge]...)
		case first || len(left[edge]) < len(out):
			out = left[edge]
		}
		first = false
	}
	return out
}

// Point is a single thing that takes others with it.
type Point struct {
	Thing
	Loss
}

// Points finds the single points of failure: devices, links and tunnels that take others with them, each in the part of the network that hangs together
// with it. What takes most comes first.
func (f Failing) Points() []Point {
	var out []Point
	add := func(part Failing, now map[string]bool, t Thing) {
		if l := part.without(t, now); l.Any() {
			out = append(out, Point{t, l})
		}
	}
	for _, part := range f.parts() {
		now := part.now()
		for _, d := range part.devices() {
			if !f.Gone[d] {
				add(part, now, Thing{Device: d})
			}
		}
		for _, l := range part.Links {
			if !f.Held[l] {
				add(part, now, Thing{Port: l.A})
			}
		}
	}
	for _, l := range f.Tunnels {
		add(Failing{Tunnels: f.Tunnels, Gone: f.Gone, Handed: f.Handed}, nil, Thing{Tunnel: l.A.Name})
	}
	slices.SortStableFunc(out, func(a, b Point) int {
		return cmp.Or(len(b.Devices)+len(b.CutOff)-len(a.Devices)-len(a.CutOff), cmp.Compare(a.name(), b.name()))
	})
	return slices.CompactFunc(out, func(a, b Point) bool { return a.Thing == b.Thing })
}

func (t Thing) name() string { return cmp.Or(t.Device, t.Tunnel, t.Port.String()) }

func (f Failing) devices() []string {
	var out []string
	for d := range f.Configs {
		out = append(out, d)
	}
	slices.Sort(out)
	return out
}

// parts are what hangs together by links: how one fares is nothing to the others, but for the tunnels.
func (f Failing) parts() []Failing {
	of := map[string]int{}
	at := map[string][]string{}
	for _, l := range f.Links {
		at[l.A.Device], at[l.B.Device] = append(at[l.A.Device], l.B.Device), append(at[l.B.Device], l.A.Device)
	}
	n := 0
	for _, d := range f.devices() {
		if _, known := of[d]; known {
			continue
		}
		of[d] = n
		for queue := []string{d}; len(queue) > 0; queue = queue[1:] {
			for _, o := range at[queue[0]] {
				if _, known := of[o]; !known {
					of[o] = n
					queue = append(queue, o)
				}
			}
		}
		n++
	}
	out := make([]Failing, n)
	for i := range out {
		out[i] = Failing{Configs: map[string]network.Config{}, Gone: f.Gone, Held: map[Link]bool{}, Tunnels: f.Tunnels, Handed: f.Handed}
	}
	for d, i := range of {
		if c, known := f.Configs[d]; known {
			out[i].Configs[d] = c
		}
	}
	for _, e := range f.Entries {
		if i, known := of[e]; known {
			out[i].Entries = append(out[i].Entries, e)
		}
	}
	for _, l := range f.Links {
		i := of[l.A.Device]
		if out[i].Links = append(out[i].Links, l); f.Held[l] {
			out[i].Held[l] = true
		}
	}
	return out
}
