package catalog

import (
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/selector"
	"example.net/everypost/internal/core/topology"
)

// Link is a link as one of the devices at its ends has it. Each has two: one for each end.
type Link struct {
	topology.Line
	Device, Far *Device      // never nil
	Own, Other  topology.End // of Device, of Far
	Health      network.Health
	Radio       bool    // it goes through the air
	RxBps       float64 // as Device counts; both 0 when not known
	TxBps       float64
	RatesKnown  bool
	vlans       []selector.Datum
	text        string
	twin        *Link
}

// First tells whether it is the end by which the link is listed.
func (l *Link) First() bool { return l.Own.Device == l.A.Device && l.Own.Name == l.A.Name }

// UsePercent is how much of its speed the busier direction takes.
func (l *Link) UsePercent() float64 {
	return network.Rates{RxBps: l.RxBps, TxBps: l.TxBps}.UsePercent(l.SpeedMbps)
}

// VLANs lists the VLANs that pass the link.
func (l *Link) VLANs() []network.VLANID {
	out := make([]network.VLANID, len(l.vlans))
	for i, v := range l.vlans {
		out[i] = network.VLANID(v.Number)
	}
	return out
}

// LineHealth judges a line: degraded when a part of a bundle is down. One end that says so is enough for it to be down; that
// it is up nobody knows while the other is away.
func LineHealth(l topology.Line) network.Health {
	switch {
	case l.Down == l.Members:
		return network.HealthDown
	case l.Unknown:
		return network.HealthUnknown
	case l.Up == 0:
		return network.HealthDown
	case l.Up < l.Members:
		return network.Degraded
	}
	return network.Well
}

// Relink draws the links anew from the devices as they are.
func (n *Net) Relink(nameOf func(system string) string) {
	seen := make(map[string]topology.Seen, len(n.devices))
	for _, d := range n.devices {
		seen[d.Name] = topology.Seen{Config: d.Config, State: d.State, Inside: d.Inside, Away: d.Reach != network.ReachConnected}
	}
	n.links = map[string][]*Link{}
	for _, line := range topology.Lines(seen, nameOf) {
		a, _ := n.Device(line.A.Device)
		b, _ := n.Device(line.B.Device)
		if a == nil || b == nil {
			continue
		}
		vlans := carried(seen, line)
		first, second := newLink(line, a, b, line.A, line.B, vlans), newLink(line, b, a, line.B, line.A, vlans)
		first.twin, second.twin = second, first
		n.links[a.Name] = append(n.links[a.Name], first)
		n.links[b.Name] = append(n.links[b.Name], second)
	}
}

func newLink(line topology.Line, d, far *Device, own, other topology.End, vlans []selector.Datum) *Link {
	l := &Link{Line: line, Device: d, Far: far, Own: own, Other: other, Health: LineHealth(line), vlans: vlans,
		Radio: d.Identity.Kind == network.RadioLink && far.Identity.Kind == network.RadioLink}
	if line.Kind != topology.Tunnel && !line.Unknown {
		for _, port := range own.Ports {
			if r := d.State.Ports[port].Rates; r.Span > 0 {
				l.RxBps, l.TxBps, l.RatesKnown = l.RxBps+r.RxBps, l.TxBps+r.TxBps, true
			}
		}
	}
	l.text = fold(own.Device+":"+own.Name, other.Device+":"+other.Name, line.Underlay, d.Site.Name, d.Site.Title, far.Site.Name, far.Site.Title)
	return l
}

// carried lists the VLANs that pass a line.
func carried(seen map[string]topology.Seen, l topology.Line) []selector.Datum {
	if l.Kind == topology.Tunnel {
		return nil
	}
	var out []selector.Datum
	own := seen[l.A.Device].Config.Ports[l.A.Ports[0]]
	for _, v := range vlansOf(own) {
		if how, _ := topology.VLANOn(seen, l, network.VLANID(v.Number)); how == topology.Carried {
			out = append(out, v)
		}
	}
	return out
}

// BindLink gives the rows that an end of a link determines.
func BindLink(l *Link) selector.Rows {
	return selector.Rows{selector.Site: l.Device.Site, selector.Device: l.Device, selector.Link: l}
}

// Links answers a query for links, each once. It matches when one of its ends does; there are only those of which both ends
// are there for who asks.
func (n *Net) Links(q Query) Result[*Link] {
	out := Result[*Link]{}
	within, matches := n.tests(selector.Link, q)
	counts := newCounters(q.Counts)
	page := newPager(q.Order, BindLink, q.Offset, q.Limit)
	for l := range partsOf(n.devices, n.links) {
		if !l.First() {
			continue
		}
		own, far := BindLink(l), BindLink(l.twin)
		if !within(&own) || !within(&far) {
			continue
		}
		out.All++
		if !matches(&own) && !matches(&far) {
			continue
		}
		out.Total++
		for _, c := range counts {
			c.add(&own)
		}
		page.add(l, &own)
	}
	out.Counts, out.Rows = countsOf(counts), page.rows()
	return out
}

// relatedLinks lists the links of a device, or of a port where one is filled in.
func (n *Net) relatedLinks(rows *selector.Rows) []any {
	d, ok := rows[selector.Device].(*Device)
	if !ok {
		return nil
	}
	p, _ := rows[selector.Port].(*Port)
	var out []any
	for _, l := range n.links[d.Name] {
		if p == nil || slices.Contains(l.Own.Ports, p.Ref.Port) {
			out = append(out, l)
		}
	}
	return out
}

// SpeaksOfLinks tells whether a query asks for anything of links.
func (q Query) SpeaksOfLinks() bool {
	for _, e := range []selector.Expr{q.Where, q.Within} {
		if e != nil && slices.Contains(selector.NounsOf(e), selector.Link) {
			return true
		}
	}
	return false
}

func linkFields() []*selector.Field {
	f := func(name string, t selector.Type, help string, get func(*Link) selector.Datum) *selector.Field {
		return &selector.Field{Name: name, Noun: selector.Link, Type: t, Help: help, Get: of(get)}
	}
	words := func(name, help string, get func(*Link) string) *selector.Field {
		return f(name, selector.Text, help, func(l *Link) selector.Datum { return selector.Of(get(l)) })
	}
	choice := func(name, help string, choices []string, get func(*Link) string) *selector.Field {
		out := words(name, help, get)
		out.Type, out.Choices = selector.Choice, choices
		return out
	}
	yes := func(name, help string, get func(*Link) bool) *selector.Field {
		return f(name, selector.Flag, help, func(l *Link) selector.Datum { return selector.OfFlag(get(l)) })
	}
	rate := func(name, help string, get func(*Link) float64) *selector.Field {
		return f(name, selector.Number, help, func(l *Link) selector.Datum {
			if !l.RatesKnown {
				return selector.Datum{}
			}
			return selector.OfNumber(get(l))
		})
	}
	measured := func(name, help string, get func(*Link) float64) *selector.Field {
		return f(name, selector.Number, help, func(l *Link) selector.Datum {
			if l.Kind != topology.Tunnel || l.Up == 0 || l.Unknown {
				return selector.Datum{}
			}
			return selector.OfNumber(get(l))
		})
	}
	return []*selector.Field{
		words("", "", func(l *Link) string { return l.text }),
		words("link", "the device's end of the link, as device:port, device:bundle or device:tunnel", func(l *Link) string { return l.Own.Device + ":" + l.Own.Name }),
		words("link.to", "the other end of the link", func(l *Link) string { return l.Other.Device + ":" + l.Other.Name }),
		words("link.to.site", "site of the other end of the link", func(l *Link) string { return l.Far.Site.Name }),
		choice("link.kind", "whether the link is one cable, a bundle of several, or a tunnel", []string{topology.Cable, topology.Bundle, topology.Tunnel}, func(l *Link) string { return l.Kind }),
		choice("link.health", "health of the link; a bundle of which a part is down is degraded", healths, func(l *Link) string { return string(l.Health) }),
		f("link.mbps", selector.Number, "speed of what of the link is up, in Mbit/s", func(l *Link) selector.Datum { return some(l.SpeedMbps) }),
		f("link.members", selector.Number, "cables of the link", func(l *Link) selector.Datum { return selector.OfNumber(l.Members) }),
		f("link.missing", selector.Number, "cables of the link that are down", func(l *Link) selector.Datum { return selector.OfNumber(l.Members - l.Up) }),
		yes("link.blocked", "whether spanning tree lets nothing pass the link", func(l *Link) bool { return l.Blocked != nil }),
		yes("link.radio", "whether the link goes through the air", func(l *Link) bool { return l.Radio }),
		yes("link.onesided", "whether one end only tells of the other", func(l *Link) bool { return l.OneSided }),
		rate("link.use", "how much of the link's speed the busier direction takes, in percent", (*Link).UsePercent),
		rate("link.rx", "what the device receives over the link, in bit/s", func(l *Link) float64 { return l.RxBps }),
		rate("link.tx", "what the device sends over the link, in bit/s", func(l *Link) float64 { return l.TxBps }),
		{Name: "link.vlan", Noun: selector.Link, Type: selector.Number, Many: true, Help: "VLANs that pass the link", GetMany: func(row any) []selector.Datum { return row.(*Link).vlans }},
		words("link.underlay", "what the tunnel goes over", func(l *Link) string { return l.Underlay }),
		measured("link.delay", "delay over a tunnel that is up, in ms", func(l *Link) float64 { return l.DelayMs }),
		measured("link.loss", "frames lost over a tunnel that is up, in percent", func(l *Link) float64 { return l.Loss }),
	}
}
