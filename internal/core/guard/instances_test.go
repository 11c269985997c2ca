package guard

import (
	"testing"

	"example.net/everypost/internal/core/network"
)

// isles is a row of bridges of one region, VLAN 20 in an instance of which c2 is the root.
func isles(n int) Proposal {
	p := chain(n)
	for name, c := range p.Before {
		if name == "e" {
			continue
		}
		priority := "32768"
		if name == "c2" {
			priority = "4096"
		}
		c.Settings = c.Settings.With("stp", "multiple", "off").With("mst-region", "isles", "none")
		c.Objects = map[string]network.Settings{"mst-instance/1": network.Settings{"instance-vlans": "20"}.With("priority", priority, "32768")}
		p.Before[name] = c
	}
	return p
}

func TestGuardOfInstances(t *testing.T) {
	for name, tc := range map[string]guardCase{
		"nothing of it":           {[][3]string{{"c3", "description", ""}}[:0], nil, "", ""},
		"a better root":           {[][3]string{{"c3:mst-instance/1", "priority", "0"}}, []string{"spanning-tree-root:c2:mst-instance/1"}, "The root of the tree of instance 1 would move from c2 to c3.", "c3:mst-instance/1 priority=32768"},
		"the common one too":      {[][3]string{{"c3", "stp-priority", "0"}}, []string{"spanning-tree-root:c1"}, "The root of the spanning tree would move from c1 to c3.", "c3 stp-priority=32768"},
		"another revision":        {[][3]string{{"c4", "mst-revision", "3"}}, []string{"spanning-tree-region:c3:c4"}, "c3 and c4 both say region isles, and would be two: one has revision 0, the other 3.", ""},
		"other VLANs":             {[][3]string{{"c4:mst-instance/1", "instance-vlans", "10,20"}}, []string{"spanning-tree-region:c3:c4"}, "would be two: VLAN 10 is in other instances on one than on the other.", ""},
		"another name on purpose": {[][3]string{{"c4", "mst-region", "shore"}}, nil, "", ""},
		"no name":                 {[][3]string{{"c4", "mst-region", "none"}}, []string{"spanning-tree-instances:c4"}, "c4 would be a region of its own: its region has no name.", ""},
		"one tree again": {[][3]string{{"c4", "stp", "rapid"}}, []string{"spanning-tree-instances:c4"}, "The instances of spanning tree of c4 would be of no effect: it does not run MSTP.",
			"c4 stp=multiple"},
		"twice": {[][3]string{{"c4:mst-instance/2", "present", "on"}, {"c4:mst-instance/2", "instance-vlans", "20"}}, []string{"spanning-tree-twice:c4:mst-instance/2", "spanning-tree-region:c3:c4"},
			"VLAN 20 of c4 would be in two instances, 1 and 2.", "c4:mst-instance/2 instance-vlans=none"},
		"a region is one for how far a root is heard": {[][3]string{{"c1", "stp-max-age", "6"}}, nil, "", ""},
	} {
		t.Run(name, func(t *testing.T) { tc.holds(t, isles(4), "spanning-tree") })
	}
	t.Run("and without it there are too many", func(t *testing.T) {
		guardCase{[][3]string{{"c1", "stp-max-age", "6"}}, nil, "", ""}.holds(t, isles(9), "spanning-tree")
		guardCase{[][3]string{{"c1", "stp-max-age", "6"}}, []string{"spanning-tree-age:c1"}, "", ""}.holds(t, chain(9), "spanning-tree")
	})
}
