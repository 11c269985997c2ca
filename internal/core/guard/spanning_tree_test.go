package guard

import (
	"fmt"
	"testing"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/topology"
)

// chain is switches in a row behind edge e, c1 the root.
func chain(n int) Proposal {
	p := ring()
	vlans := p.Before["s1"].VLANs
	trunk := network.PortConfig{Enabled: true, Mode: network.Trunk, TrunkVLANs: network.VLANSet{10, 20}}
	p.Before = map[string]network.Config{"e": p.Before["e"]}
	p.Links, p.Kinds, p.Tags, p.States = nil, map[string]network.Kind{}, map[string][]string{}, nil
	last := ref("e:1")
	for i := 1; i <= n; i++ {
		name, priority := fmt.Sprintf("c%d", i), "32768"
		if i == 1 {
			priority = "4096"
		}
		p.Before[name] = network.Config{Hostname: name, ManagementVLAN: 10, VLANs: vlans, Features: ring().Before["s1"].Features,
			Ports: map[string]network.PortConfig{"l": trunk, "r": trunk}, Settings: network.Settings{"stp": "rapid", "stp-priority": priority}}
		p.Kinds[name] = network.Switch
		p.Links = append(p.Links, topology.Link{A: last, B: ref(name + ":l")})
		last = ref(name + ":r")
	}
	return p
}

func TestGuardOfHowFarARootIsHeard(t *testing.T) {
	for name, tc := range map[string]guardCase{
		"far enough":        {[][3]string{{"c1", "stp-max-age", "7"}}, nil, "", ""},
		"not far enough":    {[][3]string{{"c1", "stp-max-age", "6"}}, []string{"spanning-tree-age:c1"}, "What c1, the root of the spanning tree, says would be believed 6 bridges away, and c8 is 7 away.", "c1 stp-max-age=7"},
		"not the root":      {[][3]string{{"c2", "stp-max-age", "6"}}, nil, "", ""},
		"a root of the end": {[][3]string{{"c8", "stp-priority", "0"}, {"c8", "stp-max-age", "6"}}, []string{"spanning-tree-age:c8", "spanning-tree-root:c1"}, "", "c8 stp-max-age=8"},
	} {
		t.Run(name, func(t *testing.T) { tc.holds(t, chain(8)) })
	}
}
