package segment_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/segment"
	"example.net/everypost/internal/core/setting"
)

func edge(objects map[string]network.Settings) network.Config {
	return network.Config{Features: []network.Feature{setting.Routing, setting.Segments}, Objects: objects}
}

func gateway(prefix, segment string) network.Settings {
	return network.Settings{"gateway-address": prefix, "segment": segment}
}

func TestSegmentsAcrossEdges(t *testing.T) {
	t.Parallel()
	list := segment.Across(map[string]network.Config{
		"a": edge(map[string]network.Settings{"segment/cranes": {"segment-number": "90", "leaks": "main,guests"}, "segment/guests": {"segment-number": "70"}, "gateway/90": gateway("10.1.90.1/24", "cranes"), "gateway/20": gateway("10.1.20.1/24", "none")}),
		"b": edge(map[string]network.Settings{"segment/cranes": {"segment-number": "90"}, "segment/gates": {"segment-number": "70"}, "gateway/90": gateway("10.2.90.1/24", "cranes")}),
		"c": edge(map[string]network.Settings{"segment/cranes": {"segment-number": "91", "leaks": "nothing"}}),
		"d": edge(map[string]network.Settings{"segment/cranes": {}}),
	})
	assert.Len(t, list, 3)
	cranes := list[0]
	assert.Equal(t, "cranes", cranes.Name)
	assert.Equal(t, 90, cranes.Number, "as most have it")
	assert.Len(t, cranes.Edges, 4)
	assert.Equal(t, network.VLANID(90), cranes.Edges[0].Networks[0].VLAN)
	assert.Equal(t, []segment.Fault{{Code: segment.NoAnswer, Device: "a", Number: 90, Other: "guests"}, {Code: segment.OtherNumber, Device: "c", Number: 91}, {Code: segment.NoSuchLeak, Device: "c", Number: 91, Other: "nothing"},
		{Code: segment.NoNumber, Device: "d"}}, cranes.Faults)
	assert.Equal(t, []segment.Fault{{Code: segment.SameNumber, Device: "b", Number: 70, Other: "guests"}}, list[1].Faults)
	assert.Equal(t, 92, segment.FreeNumber(list, 90))
	assert.Equal(t, 50, segment.FreeNumber(list, 50))
	assert.Equal(t, 1, segment.FreeNumber(nil, 0))
}

func TestASegmentIsWished(t *testing.T) {
	t.Parallel()
	c := edge(map[string]network.Settings{"gateway/50": gateway("10.1.50.1/24", ""), "gateway/20": gateway("10.1.20.1/24", "")})
	w := segment.Wish{Name: "cameras", Number: "50", VLANs: []network.VLANID{50, 51}, Leaks: "main"}
	assert.Equal(t, []segment.Row{{On: network.PortRef{Device: "a", Port: "segment/cameras"}, Set: map[string]string{"present": "on", "segment-number": "50", "leaks": "main"}},
		{On: network.PortRef{Device: "a", Port: "gateway/50"}, Set: map[string]string{"segment": "cameras"}}}, w.Rows("a", c))
	assert.Empty(t, segment.Wish{Name: "cameras", VLANs: []network.VLANID{60}}.Rows("a", c), "it has no network there")
}
