package setting

import (
	"fmt"
	"strconv"

	"example.net/everypost/internal/core/network"
)

// About tells of a kind of object that a device holds.
type About struct {
	Kind  Kind
	Title string          // of several: Access lists
	One   string          // of one: access list
	Needs network.Feature // what a device must have to hold one, "" for nothing
	Form  string          // how one is named
	Own   bool            // it tells one device from all others: no layer below devices speaks of it

	highest int // of those that are named by a number from lowest; 0: by a name
	lowest  int
}

// Kinds lists the kinds of objects that a device holds besides its ports, in the order in which people think of them.
func Kinds() []About { return kinds }

// AboutKind tells of a kind; of ports and devices nothing.
func AboutKind(k Kind) About {
	for _, a := range kinds {
		if a.Kind == k {
			return a
		}
	}
	return About{Kind: k}
}

const nameForm = "a name of small letters, digits and hyphens"

var kinds = []About{
	{Kind: OnBundle, Own: true, Title: "Bundles", One: "bundle", Needs: Bundles, Form: "lag and a number: lag1"},
	{Kind: OnVLAN, Title: "VLANs", One: "VLAN", Form: "its number, 1 to 4094"},
	{Kind: OnACL, Title: "Access lists", One: "access list", Needs: AccessLists, Form: nameForm},
	{Kind: OnClass, Title: "Traffic classes", One: "traffic class", Needs: TrafficClasses, Form: "its number, 0 to 7", highest: 7},
	{Kind: OnSchedule, Title: "Schedules", One: "schedule", Needs: Schedules, Form: nameForm},
	{Kind: OnMirror, Title: "Mirrors", One: "mirror", Needs: Mirrors, Form: nameForm},
	{Kind: OnMember, Own: true, Title: "Stack members", One: "stack member", Needs: Stacking, Form: "its number, 1 to 16", lowest: 1, highest: 16},
	{Kind: OnPair, Own: true, Title: "Pairs", One: "pair", Needs: Pairs, Form: nameForm + ", the same on both"},
	{Kind: OnRing, Title: "Rings", One: "ring", Needs: Rings, Form: nameForm + ", the same on all"},
	{Kind: OnFabric, Own: true, Title: "Fabrics", One: "fabric", Needs: Zoning, Form: nameForm},
	{Kind: OnZone, Own: true, Title: "Zones", One: "zone", Needs: Zoning, Form: nameForm},
	{Kind: OnUser, Title: "Users of the device", One: "user", Needs: LocalUsers, Form: nameForm},
	{Kind: OnCommunity, Title: "SNMP communities", One: "SNMP community", Needs: SNMP, Form: nameForm + ", not the secret word itself"},
	{Kind: OnSNMPUser, Title: "SNMP users", One: "SNMP user", Needs: SNMP, Form: nameForm},
	{Kind: OnReceiver, Title: "Trap receivers", One: "trap receiver", Needs: SNMP, Form: nameForm},
	{Kind: OnInput, Title: "Contact inputs", One: "contact input", Needs: ContactInputs, Form: "its number, 1 to 16", lowest: 1, highest: 16},
}

// checkName tells why the name of an object of a kind is not a valid one, or nil.
func (a About) checkName(name string) error {
	if a.highest == 0 {
		return network.CheckName(name)
	}
	n, err := strconv.Atoi(name)
	if err != nil || n < a.lowest || n > a.highest || strconv.Itoa(n) != name {
		return fmt.Errorf("%q is not the number of a %s: it is one from %d to %d", name, a.One, a.lowest, a.highest)
	}
	return nil
}
