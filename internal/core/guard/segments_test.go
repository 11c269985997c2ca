package guard

import (
	"testing"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

func TestSegments(t *testing.T) {
	t.Parallel()
	edge := func(host, net string) network.Config {
		return network.Config{Hostname: host, Features: []network.Feature{setting.Routing, setting.Segments}, VLANs: map[network.VLANID]network.VLAN{20: {ID: 20}, 90: {ID: 90}},
			Objects: map[string]network.Settings{"segment/cranes": {"segment-number": "90"}, "gateway/90": {"gateway-address": net + ".90.1/24", "segment": "cranes"}, "gateway/20": {"gateway-address": net + ".20.1/24"}}}
	}
	house := func() Proposal {
		return Proposal{Before: map[string]network.Config{"a": edge("a", "10.1"), "b": edge("b", "10.2")}}
	}
	id := func(list ...string) (out []string) {
		for _, s := range list {
			out = append(out, "segments:"+s)
		}
		return out
	}
	make := func(device, name string, more ...[3]string) [][3]string {
		return append([][3]string{{device + ":segment/" + name, "present", "on"}}, more...)
	}
	for name, tc := range map[string]guardCase{
		"another number at one end": {edits: [][3]string{{"a:segment/cranes", "segment-number", "91"}}, want: id("a:segment/cranes:other-number"), says: "would have the number 91 at a, and 90 at others"},
		"without a number":          {edits: make("a", "guests"), want: id("a:segment/guests:no-number"), says: "Segment guests of a would have no number."},
		"a number that is taken":    {edits: make("a", "guests", [3]string{"a:segment/guests", "segment-number", "90"}), want: id("a:segment/cranes:same-number", "b:segment/cranes:same-number", "a:segment/guests:same-number"), says: "as segment guests has"},
		"a leak of nothing":         {edits: [][3]string{{"a:segment/cranes", "leaks", "guests"}}, want: id("a:segment/cranes:no-such-leak"), says: "would leak guests, which that edge does not have"},
		"a leak of main":            {edits: [][3]string{{"a:segment/cranes", "leaks", "main,outside"}}},
		"a leak one way": {edits: make("a", "guests", [3]string{"a:segment/guests", "segment-number", "70"}, [3]string{"a:segment/cranes", "leaks", "guests"}), want: id("a:segment/cranes:no-answer"),
			says: "would leak guests, which does not leak it"},
		"a network is put apart": {edits: [][3]string{{"a:gateway/20", "segment", "cranes"}}, want: id("a:gateway/20:apart"), says: "10.1.20.0/24 in VLAN 20 of a would be in segment cranes, and not in main any more."},
		"in no such segment":     {edits: [][3]string{{"a:gateway/20", "segment", "guests"}}, want: id("a:gateway/20:nowhere"), says: "in segment guests, which that edge does not have"},
		"something else":         {edits: [][3]string{{"a:gateway/20", "purpose", "desks"}}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			tc.holds(t, house(), "segments")
		})
	}
}
