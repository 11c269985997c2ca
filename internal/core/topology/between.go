package topology

import (
	"slices"

	"example.net/everypost/internal/core/network"
)

// Between returns the links that lie on some way from one device to another that passes no device twice: what traffic
// between them takes, or may take once a link fails. Only links that usable tells of are ways. There are none when no way
// leads there.
//
// With one more link from the one device straight to the other, these are the links that share a biconnected component
// with it (Tarjan 1972).
func Between(links []Link, usable func(Link) bool, from, to string) []Link {
	if from == to {
		return nil
	}
	all := slices.DeleteFunc(slices.Clone(links), func(l Link) bool { return !usable(l) })
	all = append(all, Link{A: network.PortRef{Device: from}, B: network.PortRef{Device: to}})
	s := search{links: all, at: map[string][]int{}, found: map[string]int{}, low: map[string]int{}}
	for i, l := range all {
		s.at[l.A.Device] = append(s.at[l.A.Device], i)
		s.at[l.B.Device] = append(s.at[l.B.Device], i)
	}
	s.visit(from, -1)
	var out []Link
	for i, l := range all[:len(all)-1] {
		if slices.Contains(s.with, i) {
			out = append(out, l)
		}
	}
	return out
}

// search finds the biconnected component that holds the last of the links.
type search struct {
	links []Link
	at    map[string][]int // links by device
	found map[string]int   // when a device was come upon, from 1
	low   map[string]int   // the earliest device that is reached from it otherwise
	stack []int
	with  []int // the links of the component
}

func (s *search) visit(device string, came int) {
	s.found[device] = len(s.found) + 1
	s.low[device] = s.found[device]
	for _, i := range s.at[device] {
		if i == came {
			continue
		}
		_, far := s.links[i].Other(device)
		if at, known := s.found[far.Device]; known {
			if at < s.found[device] {
				s.stack = append(s.stack, i)
				s.low[device] = min(s.low[device], at)
			}
			continue
		}
		s.stack = append(s.stack, i)
		s.visit(far.Device, i)
		s.low[device] = min(s.low[device], s.low[far.Device])
		if s.low[far.Device] < s.found[device] {
			continue
		}
		cut := slices.Index(s.stack, i) // everything from here on is one component
		if slices.Contains(s.stack[cut:], len(s.links)-1) {
			s.with = slices.Clone(s.stack[cut:])
		}
		s.stack = s.stack[:cut]
	}
}

// Gaps lists the ports on the way up from a device that do not carry a VLAN, the nearest first.
func (g *Graph) Gaps(configs map[string]network.Config, device string, v network.VLANID) []network.PortRef {
	var out []network.PortRef
	for _, l := range g.WayUp(device) {
		near, far := l.Other(device)
		device = far.Device
		for _, end := range []network.PortRef{near, far} {
			c, known := configs[end.Device].Ports[end.Port]
			if known && c.Mode != "" && !takes(configs[end.Device], end.Port, v) {
				out = append(out, end)
			}
		}
	}
	return slices.Clip(out)
}
