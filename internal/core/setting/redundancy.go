package setting

import "example.net/everypost/internal/core/network"

// Features of devices that stand in for each other.
const (
	Stacking network.Feature = "stacking"
	Pairs    network.Feature = "pairs" // of switches to which others are bundled (MLAG)
	Rings    network.Feature = "ring redundancy"
)

var memberOnly, pairOnly, ringOnly = []Kind{OnMember}, []Kind{OnPair}, []Kind{OnRing}

// redundancySettings make stacks, pairs and rings.
var redundancySettings = []Setting{
	{Name: "priority", On: memberOnly, Title: "Priority", Group: "Member", Help: "the highest leads the stack, the next stands by", Default: "128", Needs: Stacking, Value: number(1, 255, "")},
	{Name: "serial", On: memberOnly, Title: "Serial number", Group: "Member", Help: "of the box that is to be this member", Needs: Stacking, Value: text(32)},
	{Name: "peer-bundle", On: pairOnly, Title: "Peer bundle", Group: "Pair", Help: "the bundle to the other switch of the pair", Default: "none", Needs: Pairs, Value: Value{Type: Name, Of: OnBundle, Form: "lag1, lag2 ...", normal: checkBundle}.or("none")},
	{Name: "keepalive", On: pairOnly, Title: "Keepalive", Group: "Pair", Help: "the address of the other, by which each knows that the other lives when the bundle is down", Default: "none", Needs: Pairs, Value: addresses(1)},
	{Name: "priority", On: pairOnly, Title: "Priority", Group: "Pair", Help: "the lower leads", Default: "32768", Needs: Pairs, Value: number(0, 65_535, "")},
	{Name: "ring-role", On: ringOnly, Title: "Role", Group: "Ring", Help: "one manager opens and closes the ring, clients tell it of their links; several candidates agree on who manages (IEC 62439-2 MRM, MRC, MRA)", Default: "client", Needs: Rings, Value: choice("client", "manager", "candidate")},
	{Name: "ring-ports", On: ringOnly, Title: "Ports", Group: "Ring", Help: "the two by which it is in the ring; the manager blocks the second while the ring is closed", Default: "none", Needs: Rings, Value: ports(2)},
	{Name: "ring-vlan", On: ringOnly, Title: "VLAN", Group: "Ring", Help: "in which the ring's own frames go", Default: "none", Needs: Rings, Value: vlan().or("none")},
	{Name: "recovery", On: ringOnly, Title: "Recovery", Group: "Ring", Help: "the longest that the ring takes to heal (IEC 62439-2 profiles)", Default: "200", Needs: Rings, Value: Value{Type: Choice, Unit: "ms", Choices: []string{"30", "200", "500"}, Form: "30, 200 or 500 ms", normal: choice("30", "200", "500").normal}},
}
