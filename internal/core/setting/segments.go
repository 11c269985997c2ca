package setting

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"example.net/everypost/internal/core/network"
)

// Segments is the feature of edges that keep several tables of routes (VRF, virtual routing and forwarding) apart, and carry each of them between sites.
const Segments network.Feature = "segments"

// Names of tables that are there without being made: the one in which all is that is in no segment, and the one of the providers.
const (
	MainSegment    = "main"
	OutsideSegment = "outside"
)

var segmentOnly = []Kind{OnSegment}

var segmentSettings = []Setting{
	{Name: "segment-number", On: segmentOnly, Title: "Number", Group: "Segment", Help: "by which it is known between sites: alike at all edges", Needs: Segments, Value: number(1, 16_777_215, "")},
	{Name: "leaks", On: segmentOnly, Title: "Leaks", Group: "Segment", Help: "tables of which it uses the routes too: segments of the edge; main, all that is in none; outside, the providers", Default: "none", Needs: Segments,
		Value: list("names of segments such as main", 16, segmentName).or("none")},
	{Name: "leak-prefixes", On: segmentOnly, Title: "Of these only", Group: "Segment", Help: "routes within these prefixes only; all when there is none", Default: "none", Needs: Segments, Value: prefixes(50)},
	{Name: "segment", On: gatewayOnly, Title: "Segment", Group: "Gateway", Help: "in which the network of the VLAN is: it reaches what is in the same one, here and at other sites, and what that leaks", Default: "none", Needs: Segments, Value: named(OnSegment)},
}

func segmentName(s string) (string, error) {
	s = strings.ToLower(s)
	return s, network.CheckName(s)
}

func checkSegment(name string) error {
	if name == MainSegment || name == OutsideSegment || name == "default" {
		return fmt.Errorf("%q is there already: choose another name", name)
	}
	return network.CheckName(name)
}

// Segment is a table of routes that an edge keeps apart.
type Segment struct {
	Name   string
	Number int // 0: not said
	Leaks  []string
	Within []netip.Prefix // of what is leaked; nil: all
}

// SegmentsOf are those of a device, by name.
func SegmentsOf(c network.Config) (out []Segment) {
	for _, object := range ObjectsOf(c, OnSegment) {
		s := Segment{Name: strings.TrimPrefix(object, string(OnSegment)+"/"), Leaks: Items(c.Objects[object]["leaks"]), Within: prefixesIn(c.Objects[object]["leak-prefixes"])}
		s.Number, _ = strconv.Atoi(c.Objects[object]["segment-number"])
		out = append(out, s)
	}
	return out
}

// SegmentOf is the segment in which a device has a VLAN; MainSegment where it is in none.
func SegmentOf(c network.Config, v network.VLANID) string {
	if s := c.Objects[GatewayObject(v)]["segment"]; s != "" && s != "none" {
		return s
	}
	return MainSegment
}

// IsSegment tells whether a table of a device is that of a segment of its own.
func IsSegment(c network.Config, table string) bool {
	_, is := c.Objects[Object(OnSegment, table)]
	return is
}

// InSegment are the networks of a device in a segment, by VLAN.
func InSegment(c network.Config, name string) (out []Gateway) {
	return slices.DeleteFunc(Gateways(c), func(g Gateway) bool { return SegmentOf(c, g.VLAN) != name })
}
