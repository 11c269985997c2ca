package reach

import (
	"cmp"
	"fmt"
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

type place struct {
	device string
	tags   topology.Tags
}

// walk follows a VLAN from one device to another over links that are up and not blocked.
func (a *asking) walk(from string, vlan network.VLANID, to string) bool {
	if from == to {
		return true
	}
	came := map[place]topology.Link{}
	start := place{from, topology.Tags{VLAN: vlan}}
	queue, seen := []place{start}, map[place]bool{start: true}
	before := map[place]place{}
	refused := ""
	for len(queue) > 0 {
		here := queue[0]
		queue = queue[1:]
		if here.device == to && here.tags.Service == 0 {
			a.answer.Outage = false
			a.told(start, here, came, before)
			return true
		}
		for _, l := range a.n.linksAt[here.device] {
			near, far := l.Other(here.device)
			tags, passes := topology.Pass(a.n.Configs, near, far, here.tags)
			next := place{far.Device, tags}
			switch why := a.closed(near, far, network.VLANID(cmp.Or(here.tags.Service, here.tags.VLAN))); {
			case why != "":
				if refused == "" {
					refused, a.answer.Outage = why, true
				}
				continue
			case !passes:
				if far.Device == to || refused == "" {
					refused, a.answer.Outage = a.notCarried(near, far, here.tags), false
				}
				continue
			}
			if !seen[next] {
				seen[next], came[next], before[next] = true, l, here
				queue = append(queue, next)
			}
		}
	}
	what := fmt.Sprintf("VLAN %d does not get to %s", vlan, to)
	if refused != "" {
		what += ": " + refused
	}
	a.end(Hop{Device: from, VLAN: vlan, Verdict: Stops, What: what})
	return false
}

// told tells the devices of a way that was found.
func (a *asking) told(start, last place, came map[place]topology.Link, before map[place]place) {
	var way []Hop
	for at := last; at != start; at = before[at] {
		near, far := came[at].Other(before[at].device)
		what := fmt.Sprintf("VLAN %d is carried from %s", at.tags.VLAN, near)
		switch {
		case at.tags.Service != 0 && at.tags.VLAN == 0:
			what = fmt.Sprintf("what has no tag is carried untouched from %s, in service VLAN %d", near, at.tags.Service)
		case at.tags.Service != 0:
			what = fmt.Sprintf("VLAN %d is carried untouched from %s, in service VLAN %d", at.tags.VLAN, near, at.tags.Service)
		}
		way = append(way, Hop{Device: at.device, In: far.Port, VLAN: at.tags.VLAN, Verdict: Passes, What: what})
	}
	slices.Reverse(way)
	for _, h := range way {
		a.hop(h)
	}
}

// closed tells why nothing of a VLAN passes a link, "" where it does.
func (a *asking) closed(near, far network.PortRef, vlan network.VLANID) string {
	for _, end := range []network.PortRef{near, far} {
		if a.n.Gone[end.Device] {
			return end.Device + " is not in hand"
		}
		if c, known := a.n.Configs[end.Device].Ports[end.Port]; known && !c.Enabled {
			return end.String() + " is switched off"
		}
		if st, known := a.n.States[end.Device].Ports[end.Port]; known && st.Oper != network.Up {
			return end.String() + " has no link"
		}
		if st := a.n.Insides[end.Device].Spanning; st != nil {
			name := cmp.Or(a.n.Configs[end.Device].Ports[end.Port].LAG, end.Port)
			ports := st.In(topology.Instances(a.n.Configs[end.Device])[vlan]).Ports
			if ports[name].Blocks() || ports[end.Port].Blocks() {
				return "spanning tree blocks " + end.String()
			}
		}
	}
	return ""
}

func (a *asking) notCarried(near, far network.PortRef, t topology.Tags) string {
	if t.Service != 0 {
		for _, end := range []network.PortRef{near, far} {
			if s := setting.ServiceAt(a.n.Configs[end.Device], end.Port); s.Own != t.Service && !s.Trunk.Has(t.Service) {
				return fmt.Sprintf("%s does not carry service VLAN %d, in which it is", end, t.Service)
			}
		}
	}
	for _, end := range []network.PortRef{near, far} {
		if c, known := a.n.Configs[end.Device].Ports[end.Port]; known && !c.Carries(t.VLAN) {
			return fmt.Sprintf("%s does not carry it", end)
		}
	}
	return fmt.Sprintf("%s and %s do not agree on it", near, far)
}
