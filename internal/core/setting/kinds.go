package setting

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"example.net/everypost/internal/core/network"
)

// About tells of a kind of thing that can be set up: it is described here, and nowhere else is there a list of kinds.
type About struct {
	Kind     Kind
	Title    string          // of several: Access lists
	One      string          // of one: access list
	Needs    network.Feature // what a device must have to hold one, "" for nothing
	Form     string          // how one is named
	Section  string          // the part of a file of settings in which they stand
	CopiedAs string          // the part of a device as which they are copied to others; "" for not at all
	Own      bool            // it tells one device from all others: no layer below devices speaks of it
	Fixed    bool            // it is there whether it is set up or not: it is neither made nor removed
	Plain    bool            // it is named by its name alone, without its kind
	OfPorts  bool            // who may see and change ports may see and change it
	Members  bool            // ports can be members of it

	place   int    // of its section in a file
	only    string // the only name that one can have; "" for any
	highest int    // of those that are named by a number from lowest; 0: by a name
	lowest  int
	check   func(name string) error // of those that are named in a form of their own; nil for the others
}

// Prefix is what stands before the name of one.
func (a About) Prefix() string {
	if a.Plain {
		return ""
	}
	return string(a.Kind) + "/"
}

// Object is what one of a name is called.
func (a About) Object(name string) string { return a.Prefix() + name }

// Kinds lists the kinds of things that a device holds besides its ports, in the order in which people think of them.
func Kinds() []About {
	return slices.DeleteFunc(slices.Clone(kinds), func(a About) bool { return a.Fixed })
}

// Sections lists all kinds in the order in which they stand in files.
func Sections() []About { return sections }

var sections = slices.SortedFunc(slices.Values(kinds), func(a, b About) int { return cmp.Compare(a.place, b.place) })

// AboutKind tells of a kind.
func AboutKind(k Kind) About {
	for _, a := range kinds {
		if a.Kind == k {
			return a
		}
	}
	return About{Kind: k}
}

// IsPort tells whether a thing is a port.
func IsPort(object string) bool { return KindOf(object) == OnPort }

// IsDevice tells whether a thing is the device itself.
func IsDevice(object string) bool { return object == "" }

// Login is what a user of the device itself is called.
func Login(user string) string { return Object(OnUser, user) }

// Refers is the kind of thing that values of the form name; "" for none.
func (v Value) Refers() Kind {
	if v.Type == VLAN {
		return OnVLAN
	}
	return v.Of
}

// Called is what people call a thing besides its name, where it has such.
func Called(c network.Config, object string) string {
	if KindOf(object) == OnVLAN {
		if id, err := network.ParseVLAN(strings.TrimPrefix(object, string(OnVLAN)+"/")); err == nil {
			return c.VLANs[id].Name
		}
	}
	return ""
}

const nameForm = "a name of small letters, digits and hyphens"

var kinds = []About{
	{Kind: OnDevice, Section: "settings", place: 1, CopiedAs: "device", Title: "Devices", One: "device", Fixed: true, Plain: true},
	{Kind: OnPort, Section: "ports", place: 4, CopiedAs: "ports", Title: "Ports", One: "port", Fixed: true, Plain: true, OfPorts: true},
	{Kind: OnBundle, Section: "bundles", place: 3, Own: true, Title: "Bundles", One: "bundle", Needs: Bundles, Form: "lag and a number: lag1", Plain: true, OfPorts: true, Members: true},
	{Kind: OnVLAN, Section: "vlans", place: 2, CopiedAs: "vlans", Title: "VLANs", One: "VLAN", Form: "its number, 1 to 4094"},
	{Kind: OnACL, Section: "access-lists", place: 7, CopiedAs: "lists", Title: "Access lists", One: "access list", Needs: AccessLists, Form: nameForm},
	{Kind: OnClass, Section: "traffic-classes", place: 8, CopiedAs: "lists", Title: "Traffic classes", One: "traffic class", Needs: TrafficClasses, Form: "its number, 0 to 7", highest: 7},
	{Kind: OnSchedule, Section: "schedules", place: 5, CopiedAs: "lists", Title: "Schedules", One: "schedule", Needs: Schedules, Form: nameForm},
	{Kind: OnMirror, Section: "mirrors", place: 6, CopiedAs: "lists", Title: "Mirrors", One: "mirror", Needs: Mirrors, Form: nameForm},
	{Kind: OnMember, Section: "stack-members", place: 9, Own: true, Title: "Stack members", One: "stack member", Needs: Stacking, Form: "its number, 1 to 16", lowest: 1, highest: 16},
	{Kind: OnPair, Section: "pairs", place: 10, Own: true, Title: "Pairs", One: "pair", Needs: Pairs, Form: nameForm + ", the same on both"},
	{Kind: OnRing, Section: "rings", place: 11, Title: "Rings", One: "ring", Needs: Rings, Form: nameForm + ", the same on all"},
	{Kind: OnInstance, Section: "mst-instances", place: 35, CopiedAs: "lists", Title: "MST instances", One: "MST instance", Needs: SpanningTree, Form: "its number, 1 to 4094", lowest: 1, highest: 4094},
	{Kind: OnFabric, Section: "fabrics", place: 12, Own: true, Title: "Fabrics", One: "fabric", Needs: Zoning, Form: nameForm},
	{Kind: OnZone, Section: "zones", place: 13, Own: true, Title: "Zones", One: "zone", Needs: Zoning, Form: nameForm},
	{Kind: OnUser, Section: "users", place: 14, CopiedAs: "sign-in", Title: "Users of the device", One: "user", Needs: LocalUsers, Form: nameForm},
	{Kind: OnCommunity, Section: "snmp-communities", place: 15, CopiedAs: "sign-in", Title: "SNMP communities", One: "SNMP community", Needs: SNMP, Form: nameForm + ", not the secret word itself"},
	{Kind: OnSNMPUser, Section: "snmp-users", place: 16, CopiedAs: "sign-in", Title: "SNMP users", One: "SNMP user", Needs: SNMP, Form: nameForm},
	{Kind: OnReceiver, Section: "trap-receivers", place: 17, CopiedAs: "sign-in", Title: "Trap receivers", One: "trap receiver", Needs: SNMP, Form: nameForm},
	{Kind: OnInput, Section: "contact-inputs", place: 18, Title: "Contact inputs", One: "contact input", Needs: ContactInputs, Form: "its number, 1 to 16", lowest: 1, highest: 16},
	{Kind: OnSecurityZone, Section: "security-zones", place: 19, CopiedAs: "policy", Title: "Security zones", One: "security zone", Needs: Firewall, Form: nameForm},
	{Kind: OnAddress, Section: "addresses", place: 20, CopiedAs: "policy", Title: "Addresses", One: "address", Needs: Firewall, Form: nameForm},
	{Kind: OnService, Section: "services", place: 21, CopiedAs: "policy", Title: "Services", One: "service", Needs: Firewall, Form: nameForm},
	{Kind: OnInspection, Section: "inspections", place: 25, CopiedAs: "policy", Title: "Inspections", One: "inspection", Needs: Inspection, Form: nameForm},
	{Kind: OnWebCategory, Section: "web-categories", place: 36, CopiedAs: "policy", Title: "Web categories", One: "web category", Needs: WebCategories, Form: nameForm},
	{Kind: OnPolicy, Section: "policies", place: 22, CopiedAs: "policy", Title: "Policies", One: "policy", Needs: Firewall, Form: MainPolicy, only: MainPolicy},
	{Kind: OnGateway, Section: "gateways", place: 23, Title: "Gateways", One: "gateway", Needs: Routing, Form: "the number of its VLAN, 1 to 4094", lowest: 1, highest: 4094},
	{Kind: OnRoute, Section: "routes", place: 24, Title: "Static routes", One: "static route", Needs: Routing, Form: nameForm},
	{Kind: OnWLAN, Section: "wireless-networks", place: 26, CopiedAs: "wireless", Title: "Wireless networks", One: "wireless network", Needs: Wireless, Form: nameForm},
	{Kind: OnBlocked, Section: "blocked-stations", place: 28, CopiedAs: "wireless", Title: "Blocked stations", One: "blocked station", Needs: Blocking, Form: "its hardware address, written 02-4c-53-20-00-07", check: checkBlocked},
	{Kind: OnPortal, Section: "portals", place: 29, CopiedAs: "wireless", Title: "Guest portals", One: "guest portal", Needs: Portals, Form: nameForm},
	{Kind: OnTunnel, Section: "tunnels", place: 30, Own: true, Title: "Tunnels", One: "tunnel", Needs: Tunnels, Form: nameForm + ", best the same at both ends"},
	{Kind: OnSteering, Section: "steering", place: 31, CopiedAs: "steering", Title: "Steering", One: "steering", Needs: Steering, Form: MainSteering, only: MainSteering},
	{Kind: OnSegment, Section: "segments", place: 32, CopiedAs: "segments", Title: "Segments", One: "segment", Needs: Segments, Form: nameForm + ", the same at all edges", check: checkSegment},
	{Kind: OnLimited, Section: "limited-stations", place: 34, CopiedAs: "wireless", Title: "Limited stations", One: "limited station", Needs: Limiting, Form: "its hardware address, written 02-4c-53-20-00-07", check: checkBlocked},
	{Kind: OnBGPPeer, Section: "bgp-peers", place: 33, Own: true, Title: "BGP peers", One: "BGP peer", Needs: RoutingProtocols, Form: nameForm},
	{Kind: OnPassphrase, Section: "passphrases", place: 27, CopiedAs: "wireless", Title: "Further passphrases", One: "passphrase", Needs: Wireless, Form: nameForm + ": who has it"},
}

// CopiedParts lists the parts of a device that are copied to others.
func CopiedParts() (out []string) {
	for _, a := range Sections() {
		if a.CopiedAs != "" && !slices.Contains(out, a.CopiedAs) {
			out = append(out, a.CopiedAs)
		}
	}
	return out
}

// checkName tells why the name of an object of a kind is not a valid one, or nil.
func (a About) checkName(name string) error {
	if a.only != "" && name != a.only {
		return fmt.Errorf("%q is no %s of a device: it has but one, %s", name, a.One, a.only)
	}
	if a.check != nil {
		return a.check(name)
	}
	if a.highest == 0 {
		return network.CheckName(name)
	}
	n, err := strconv.Atoi(name)
	if err != nil || n < a.lowest || n > a.highest || strconv.Itoa(n) != name {
		return fmt.Errorf("%q is not the number of a %s: it is one from %d to %d", name, a.One, a.lowest, a.highest)
	}
	return nil
}
