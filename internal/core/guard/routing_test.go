package guard

import (
	"testing"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// atTheEdge is an edge that gives out addresses in one VLAN and routes in two.
func atTheEdge() Proposal {
	return Proposal{
		Now: time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC), Kinds: map[string]network.Kind{}, Site: map[string]string{},
		Insides: map[string]network.Inside{"th-edge-01": {Leases: []network.Lease{{VLAN: 20, Address: "10.2.20.21"}, {VLAN: 20, Address: "10.2.20.22"}, {VLAN: 30, Address: "10.2.30.21"}}}},
		Before: map[string]network.Config{"th-edge-01": {Hostname: "th-edge-01", Features: []network.Feature{setting.Routing}, Ports: map[string]network.PortConfig{},
			VLANs: map[network.VLANID]network.VLAN{20: {ID: 20}, 30: {ID: 30}, 40: {ID: 40}}, Objects: map[string]network.Settings{
				"gateway/20":  {"gateway-address": "10.2.20.1/24", "dhcp-server": "on", "dhcp-ranges": "10.2.20.20-10.2.20.99", "reservations/10": "02:4c:53:20:00:07 gets 10.2.20.7"},
				"gateway/30":  {"gateway-address": "10.2.30.1/24"},
				"route/annex": {"route-prefix": "10.9.0.0/16", "route-via": "10.2.20.77"},
			}}},
	}
}

func TestGuardsOfRouting(t *testing.T) {
	const edge, office = "th-edge-01:", "th-edge-01:gateway/20"
	for name, tc := range map[string]guardCase{
		"nothing":          {edits: [][3]string{{office, "purpose", "desks"}}},
		"overlap":          {edits: [][3]string{{edge + "gateway/40", "present", "on"}, {edge + "gateway/40", "gateway-address", "10.2.20.129/25"}}, want: []string{"routing:th-edge-01:gateway/40:overlap"}, says: "overlaps 10.2.20.1/24 in VLAN 20"},
		"range elsewhere":  {edits: [][3]string{{office, "dhcp-ranges", "10.2.21.20-10.2.21.99"}}, want: []string{"routing:th-edge-01:gateway/20:range"}, says: "is not in the network of VLAN 20"},
		"range of itself":  {edits: [][3]string{{office, "dhcp-ranges", "10.2.20.1-10.2.20.99"}}, want: []string{"routing:th-edge-01:gateway/20:own"}, says: "holds th-edge-01 itself, at 10.2.20.1"},
		"ranges overlap":   {edits: [][3]string{{office, "dhcp-ranges", "10.2.20.20-10.2.20.99,10.2.20.99-10.2.20.120"}}, want: []string{"routing:th-edge-01:gateway/20:ranges"}, says: "Two ranges of VLAN 20"},
		"no address":       {edits: [][3]string{{edge + "gateway/30", "gateway-address", "dhcp"}, {edge + "gateway/30", "dhcp-server", "on"}}, want: []string{"routing:th-edge-01:gateway/30:no-address", "routing:th-edge-01:gateway/30:lost"}, says: "where it has none itself"},
		"nothing to give":  {edits: [][3]string{{edge + "gateway/30", "dhcp-server", "on"}}, want: []string{"routing:th-edge-01:gateway/30:no-range"}, says: "has none to give"},
		"reserved apart":   {edits: [][3]string{{office, "reservations/20", "02:4c:53:20:00:08 gets 10.2.30.8"}}, want: []string{"routing:th-edge-01:gateway/20:reservation-20"}, says: "is not in the network of VLAN 20"},
		"reserved itself":  {edits: [][3]string{{office, "reservations/20", "02:4c:53:20:00:08 gets 10.2.20.1"}}, want: []string{"routing:th-edge-01:gateway/20:reservation-20"}, says: "gives away the address of th-edge-01 itself"},
		"reserved twice":   {edits: [][3]string{{office, "reservations/20", "02:4c:53:20:00:07 gets 10.2.20.8"}}, want: []string{"routing:th-edge-01:gateway/20:reservation-20"}, says: "Reservations 10 and 20"},
		"a route half":     {edits: [][3]string{{edge + "route/dock", "present", "on"}, {edge + "route/dock", "route-prefix", "10.8.0.0/16"}}, want: []string{"routing:th-edge-01:route/dock:ends"}, says: "does not say to where, or by whom"},
		"a route nowhere":  {edits: [][3]string{{edge + "route/annex", "route-via", "10.9.0.1"}}, want: []string{"routing:th-edge-01:route/annex:via"}, says: "is in no network of th-edge-01"},
		"the gateway gone": {edits: [][3]string{{office, "present", "off"}, {edge + "route/annex", "present", "off"}}, want: []string{"routing:th-edge-01:gateway/20:lost"}, says: "would be the gateway of VLAN 20 at 10.2.20.1 no more"},
		"another address":  {edits: [][3]string{{edge + "gateway/30", "gateway-address", "10.2.30.2/24"}}, want: []string{"routing:th-edge-01:gateway/30:lost"}, says: "at 10.2.30.1 no more"},
	} {
		t.Run(name, func(t *testing.T) { tc.holds(t, atTheEdge()) })
	}
}
