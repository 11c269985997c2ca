package setting

import "example.net/everypost/internal/core/network"

var instanceOnly = []Kind{OnInstance}

// spanningSettings say which VLANs have a spanning tree of their own.
var spanningSettings = []Setting{
	{Name: "instance-vlans", On: instanceOnly, Title: "VLANs", Group: "Instance", Help: "whose tree it is; the same on all bridges of the region, all others are in the common tree (IEEE 802.1Q 13.5)", Default: "none", Needs: SpanningTree, Value: vlans().or("none")},
	{Name: "priority", On: instanceOnly, Title: "Priority", Group: "Instance", Help: "of the bridge in this tree: the lowest becomes its root", Default: "32768", Needs: SpanningTree, Value: steps(0, 61_440, 4096)},
}

// Spans tells whether a device takes part in spanning tree.
func Spans(c network.Config) bool {
	stp := c.Settings["stp"]
	return stp == "rapid" || stp == "multiple"
}
