package guard

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/segment"
	"example.net/everypost/internal/core/setting"
)

// segments finds tables of routes in which edges disagree, and tells what is put apart from what.
func segments(p Proposal) []Finding {
	if !p.differs(setting.OnSegment) && !p.differs(setting.OnGateway) {
		return nil
	}
	var out []Finding
	say := func(level Level, at network.PortRef, part, what, why, do string) {
		out = append(out, Finding{ID: "segments:" + at.String() + ":" + part, Guard: "segments", Level: level, Ports: []network.PortRef{at}, What: what, Why: why, Do: do})
	}
	was := map[segment.Fault]bool{}
	for _, s := range segment.Across(p.Before) {
		for _, f := range s.Faults {
			was[f] = true
		}
	}
	for _, s := range segment.Across(p.After) {
		for _, f := range s.Faults {
			if was[f] {
				continue // what was wrong before is not held against who changes something else
			}
			at := network.PortRef{Device: f.Device, Port: setting.Object(setting.OnSegment, s.Name)}
			switch f.Code {
			case segment.NoNumber:
				say(Warn, at, f.Code, fmt.Sprintf("Segment %s of %s would have no number.", s.Name, f.Device), "What is in it would reach no other site.", "Say by which number it is known between sites: segment-number.")
			case segment.OtherNumber:
				say(Warn, at, f.Code, fmt.Sprintf("Segment %s would have the number %d at %s, and %d at others.", s.Name, f.Number, f.Device, s.Number), "What is in it would not reach what is in it there.", fmt.Sprintf("Give it the number %d.", s.Number))
			case segment.SameNumber:
				say(Warn, at, f.Code, fmt.Sprintf("Segment %s of %s would have the number %d, as segment %s has.", s.Name, f.Device, f.Number, f.Other), "Between sites the two would be one.", "Give one of them another number.")
			case segment.NoSuchLeak:
				say(Stop, at, f.Code, fmt.Sprintf("Segment %s of %s would leak %s, which that edge does not have.", s.Name, f.Device, f.Other), "The device refuses it.", "Name main, outside, or a segment of the edge.")
			case segment.NoAnswer:
				say(Warn, at, f.Code, fmt.Sprintf("Segment %s of %s would leak %s, which does not leak it.", s.Name, f.Device, f.Other), "What is asked from it there would not be answered.", fmt.Sprintf("Have %s leak %s too.", f.Other, s.Name))
			}
		}
	}
	p.putApart(say)
	return out
}

// putApart tells which networks go from one segment to another, and that one which is not there is named.
func (p Proposal) putApart(say func(level Level, at network.PortRef, part, what, why, do string)) {
	for _, device := range slices.Sorted(maps.Keys(p.After)) {
		before, after := p.Before[device], p.After[device]
		if maps.EqualFunc(before.Objects, after.Objects, maps.Equal[network.Settings, network.Settings]) {
			continue
		}
		for _, g := range setting.Gateways(after) {
			from, to := setting.SegmentOf(before, g.VLAN), setting.SegmentOf(after, g.VLAN)
			at := network.PortRef{Device: device, Port: setting.GatewayObject(g.VLAN)}
			switch {
			case to != setting.MainSegment && !setting.IsSegment(after, to):
				say(Stop, at, "nowhere", fmt.Sprintf("VLAN %s of %s would be in segment %s, which that edge does not have.", g.VLAN, device, to), "The device refuses it.", "Make the segment there in the same draft.")
			case from != to && g.Address.IsValid():
				say(Note, at, "apart", fmt.Sprintf("%s in VLAN %s of %s would be in segment %s, and not in %s any more.", g.Address.Masked(), g.VLAN, device, to, from),
					fmt.Sprintf("It reaches what is in %s%s, and nothing else.", to, leaksText(after, to)), "Look whether that is meant: \"everypost reach\" answers it once it runs.")
			}
		}
	}
}

func leaksText(c network.Config, name string) string {
	for _, s := range setting.SegmentsOf(c) {
		if s.Name == name && len(s.Leaks) > 0 {
			return " and what that leaks of " + strings.Join(s.Leaks, ", ")
		}
	}
	return ""
}
