package alarm

import (
	"slices"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/topology"
)

// Causes tells of open alarms which other one each follows from, by number: a device that is cut off from the link that is down on its
// way, or from the device that is gone there; a link from the device at its end that is gone altogether; a tunnel or a BGP session from
// the device that it leads to; one end of a radio link from the other. What follows from nothing that is known is not among them.
//
// Whether a device died or its one cable was cut looks alike from afar. Where all links of a device are down that lead to the rest of the
// network, and there are several, the device is taken to be the cause, else the link.
func Causes(open []Alarm, links []*catalog.Link, entries []string) map[int64]int64 {
	gone := map[string]int64{}
	down := map[string]int64{} // by end of a link
	radio := map[string]int64{}
	for _, a := range open {
		switch a.Type {
		case DeviceGone:
			gone[a.Subject.Name] = a.Number
		case LinkDown, TunnelDown:
			down[a.Subject.String()] = a.Number
			down[a.Name] = a.Number
		case radioLink:
			radio[a.Subject.Name] = a.Number
		}
	}
	graph, at := graphOf(links, entries)
	dead := map[string]bool{}
	for device := range gone {
		up := slices.DeleteFunc(slices.Clone(at[device]), func(l topology.Link) bool { return behind(graph, l, device) })
		dead[device] = len(up) > 1 && allDown(up, device, gone, down)
	}
	out := map[int64]int64{}
	follows := func(number, cause int64) {
		if cause != 0 && cause != number && out[cause] != number {
			out[number] = cause
		}
	}
	for _, a := range open {
		switch a.Type {
		case DeviceGone:
			follows(a.Number, causeOfGone(a.Subject.Name, graph, gone, down, dead))
		case LinkDown, TunnelDown, LinkPart:
			for _, end := range []string{a.Subject.OnDevice(), deviceOf(a.Name)} {
				if dead[end] {
					follows(a.Number, gone[end])
				}
			}
			if a.Type == TunnelDown {
				for _, end := range []string{a.Subject.OnDevice(), deviceOf(a.Name)} {
					follows(a.Number, gone[end])
				}
			}
		default:
			for _, key := range []string{"to", "with"} { // a session, or the loss of a tunnel
				if name, ok := a.Args[key].(string); ok {
					follows(a.Number, gone[name])
				}
			}
		}
	}
	for _, l := range links { // what is bad in the air is so at both ends: the one that was told first stands for it
		if l.Radio {
			a, b := radio[l.A.Device], radio[l.B.Device]
			if a != 0 && b != 0 && out[a] == 0 && out[b] == 0 {
				follows(max(a, b), min(a, b))
			}
		}
	}
	return rooted(out)
}

// rooted has what follows from something that follows itself follow from the first of them.
func rooted(causes map[int64]int64) map[int64]int64 {
	out := make(map[int64]int64, len(causes))
	for number, cause := range causes {
		for range len(causes) {
			next, more := causes[cause]
			if !more || next == number {
				break
			}
			cause = next
		}
		out[number] = cause
	}
	return out
}

func graphOf(links []*catalog.Link, entries []string) (*topology.Graph, map[string][]topology.Link) {
	var all []topology.Link
	at := map[string][]topology.Link{}
	for _, l := range links {
		one := topology.Link{A: network.PortRef{Device: l.A.Device, Port: l.A.Name}, B: network.PortRef{Device: l.B.Device, Port: l.B.Name}}
		all = append(all, one)
		at[one.A.Device], at[one.B.Device] = append(at[one.A.Device], one), append(at[one.B.Device], one)
	}
	return topology.NewGraph(all, entries), at
}

func deviceOf(end string) string {
	for i := range len(end) {
		if end[i] == ':' {
			return end[:i]
		}
	}
	return end
}

// behind tells whether what is at the other end of a link of a device is farther from the entry than the device.
func behind(graph *topology.Graph, l topology.Link, device string) bool {
	_, far := l.Other(device)
	own, known := graph.Distance(device)
	its, seen := graph.Distance(far.Device)
	return known && seen && its > own
}

// allDown tells whether all links of a device are down, or lead to devices that are gone too.
func allDown(links []topology.Link, device string, gone, down map[string]int64) bool {
	for _, l := range links {
		_, far := l.Other(device)
		if down[l.A.String()] == 0 && down[l.B.String()] == 0 && gone[far.Device] == 0 {
			return false
		}
	}
	return true
}

// causeOfGone walks from the entry towards a device that is gone: what is broken first there is why.
func causeOfGone(device string, graph *topology.Graph, gone, down map[string]int64, dead map[string]bool) int64 {
	way := graph.WayUp(device)
	at := device
	path := make([]string, 0, len(way)) // the devices on the way, nearest to the device first
	for _, l := range way {
		_, far := l.Other(at)
		path = append(path, far.Device)
		at = far.Device
	}
	for i := len(way) - 1; i >= 0; i-- {
		far := path[i] // nearer to the entry than the link
		if number := gone[far]; number != 0 {
			return number
		}
		if number := down[way[i].A.String()]; number != 0 && !(i == 0 && dead[device]) {
			return number
		}
	}
	return 0
}
