package standin

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"example.net/everypost/internal/wire/xmlnode"
)

// Plant says which devices, cables and hosts a world has when it is built.
type Plant struct {
	Devices []DeviceSpec
	Cables  []CableSpec
	Hosts   []HostSpec
	Tunnels []TunnelSpec
	Foreign []ForeignSpec
	Routers []RouterSpec
	Entries []string // devices through which the management network comes in
}

// DeviceSpec is a device as it leaves the box and was first set up.
type DeviceSpec struct {
	Name, Site, Role        string // Role: switch, access-point, firewall, edge, radio-link
	Maker, Model            string
	Serial, Firmware        string
	Loopback                string // the address on which its agent listens
	SiteNet                 int    // the second part of the addresses of its site: 20 for 10.20.0.0/16
	ManagementIP            string // its address in the made-up network
	ManagementVLAN          int    // 0: on a port of its own, untagged
	BudgetMilliW            int
	VLANs                   []int
	Ports                   []PortSpec
	LAGs                    []LAGSpec
	FedBy                   string // the port that must feed it power; "" for mains
	DrawMilliW, BootSeconds int
	BridgePriority          int      // IEEE 802.1D; 32768 when 0
	Cluster                 *Cluster // what it is a part of, or is made of
	Supplies                int      // power supplies; 1 when 0
	Zones                   []ZoneSpec
	Ways                    []WaySpec     // which tunnels traffic of an edge goes over
	Segments                []SegmentSpec // tables of routes that an edge keeps apart
	BGPPeers                []BGPPeerSpec
	OSPF                    map[int]OSPFSpec  // by VLAN
	Blocked                 map[string]string // stations of which nothing passes, and why
	Firewall                *FirewallSpec
	NTP                     string // the server that sets its clock; "" for none
	NoTrial                 bool   // it cannot go back by itself from what it was told
	Crated                  bool   // in its crate, to be unpacked later: it comes by itself then

	tunnels []tunnelConfig // that it was first told of
}

// Cluster is several boxes that act as one: a stack, which is one device of several members; a pair of switches to which
// others are bundled (MLAG); a pair of firewalls of which one waits.
type Cluster struct {
	Kind    string // stack, mlag or high-availability
	Name    string // the same on all parts
	Members []ClusterMember
	PeerLAG string // of mlag: the bundle to the other
}

// ClusterMember is one box.
type ClusterMember struct{ Name, Role, Model, Serial string }

// PortSpec is a port and its first configuration.
type PortSpec struct {
	Name, Description string
	Mode              string // ACCESS, TRUNK, or "" for a port that is not switched
	Untagged          int
	Tagged            []string
	PoE               bool
	SpeedMbps         int
	Disabled          bool
	Service           int    // the service VLAN of what others send into it
	Services          []int  // those that pass with their service tag
	LAG               string // the bundle of which it is a member
	Cage              bool
	Carrier           *CarrierSpec // an end of a radio link
	Combo             bool         // has a cage besides its copper connector, of which one works
}

// FirewallSpec is what a firewall was first told.
type FirewallSpec struct {
	Zones               []SecurityZoneSpec
	Addresses, Services []GroupSpec
	Rules               []RuleSpec
	Translations        []TranslationSpec
	Inspections         []InspectionSpec
}

// InspectionSpec is what a firewall looks for in sessions.
type InspectionSpec struct {
	Name, Purpose                         string
	Blocked, Logged, Applications, Limits []string
	FileLimit                             int
	Intrusion                             string
}

// TranslationSpec is a translation of addresses; lists that are empty stand for all, an empty address for its own.
type TranslationSpec struct {
	Number                                 int
	Kind                                   string
	From, To, Source, Destination, Service []string
	Into                                   string
	Port                                   int
	Note                                   string
}

// SecurityZoneSpec is a zone of a firewall.
type SecurityZoneSpec struct {
	Name, Purpose string
	VLANs         []int
	Interfaces    []string
}

// GroupSpec is an address or a service that is known by a name.
type GroupSpec struct {
	Name, Purpose   string
	Values, Members []string
}

// RuleSpec is a rule of a policy; lists that are empty stand for all.
type RuleSpec struct {
	Number                                 int
	Action                                 string
	From, To, Source, Destination, Service []string
	Until, Note                            string
	Log                                    bool
	Inspect                                string
}

func (f *FirewallSpec) tree() *xmlnode.Node {
	x := in("ep-fw")
	fw := x.node("firewall")
	some := func(n *xmlnode.Node, name string, values []string) {
		for _, v := range values {
			n.Add(x.leaf(name, v))
		}
	}
	box := func(n *xmlnode.Node, name, leaf string, values []string) {
		if len(values) > 0 {
			inner := x.node(name)
			some(inner, leaf, values)
			n.Add(inner)
		}
	}
	for _, z := range f.Zones {
		n := x.node("zone", x.leaf("name", z.Name), x.leaf("purpose", z.Purpose))
		vlans := make([]string, len(z.VLANs))
		for i, v := range z.VLANs {
			vlans[i] = strconv.Itoa(v)
		}
		box(n, "vlans", "vlan", vlans)
		box(n, "interfaces", "interface", z.Interfaces)
		fw.Add(n)
	}
	group := func(name string, list []GroupSpec) {
		for _, g := range list {
			n := x.node(name, x.leaf("name", g.Name), x.leaf("purpose", g.Purpose))
			box(n, "values", "value", g.Values)
			box(n, "members", "member", g.Members)
			fw.Add(n)
		}
	}
	group("address", f.Addresses)
	group("service", f.Services)
	fits := func(n *xmlnode.Node, from, to, source, destination, service []string) {
		some(n, "from", from)
		some(n, "to", to)
		some(n, "source", source)
		some(n, "destination", destination)
		some(n, "service", service)
	}
	for _, i := range f.Inspections {
		n := x.node("inspection", x.leaf("name", i.Name), x.leaf("purpose", i.Purpose))
		box(n, "web-blocked", "category", i.Blocked)
		box(n, "web-logged", "category", i.Logged)
		box(n, "application-blocked", "application", i.Applications)
		box(n, "application-limits", "limit", i.Limits)
		if i.FileLimit > 0 {
			n.Add(x.int("file-limit", i.FileLimit))
		}
		if i.Intrusion != "" {
			n.Add(x.leaf("intrusion", i.Intrusion))
		}
		fw.Add(n)
	}
	policy := x.node("policy", x.leaf("name", "main"))
	for _, r := range f.Rules {
		n := x.node("rule", x.leaf("number", strconv.Itoa(r.Number)), x.leaf("action", r.Action))
		fits(n, r.From, r.To, r.Source, r.Destination, r.Service)
		if r.Until != "" {
			n.Add(x.leaf("until", r.Until))
		}
		if r.Inspect != "" {
			n.Add(x.leaf("inspect", r.Inspect))
		}
		if r.Log {
			n.Add(x.leaf("log", "true"))
		}
		if r.Note != "" {
			n.Add(x.leaf("note", r.Note))
		}
		policy.Add(n)
	}
	for _, t := range f.Translations {
		n := x.node("translation", x.leaf("number", strconv.Itoa(t.Number)), x.leaf("kind", t.Kind))
		fits(n, t.From, t.To, t.Source, t.Destination, t.Service)
		if t.Into != "" {
			n.Add(x.leaf("into", t.Into))
		}
		if t.Port > 0 {
			n.Add(x.int("port", t.Port))
		}
		if t.Note != "" {
			n.Add(x.leaf("note", t.Note))
		}
		policy.Add(n)
	}
	return fw.Add(policy)
}

// ZoneSpec is ports of a storage switch that see each other, in a fabric.
type ZoneSpec struct {
	Fabric, Name, Purpose string
	Ports                 []string
}

// LAGSpec is a bundle of ports (IEEE 802.1AX) with LACP.
type LAGSpec struct {
	Name, Description string
	Mode              string
	Untagged          int
	Tagged            []string
}

// CableSpec joins two ports, each named device:port.
type CableSpec struct{ A, B string }

// HostSpec is an end station on a port, or in the air at a radio.
type HostSpec struct {
	Name, MAC, At string
	DrawMilliW    int // of PoE, 0: it runs on mains
	Class         int
	RateBps       int    // what it sends and receives on average
	SSID          string // of the wireless network that it looks for, "" for a wired one
	Stays         bool   // it is always there, and does not wander
	Credential    string // what it knows to join that: a passphrase, or by what a RADIUS server knows it
	IP, System    string // its address, and its operating system where that shows
	With          string // the name of the one with whom it alone talks, in a network of their own
	For           string // the port of an edge (device:port) for which it is the provider, where that is elsewhere
}

// TunnelSpec is an overlay tunnel between two edges, each over one of its ports.
type TunnelSpec struct {
	Name, A, B string // device:port
	Underlay   string // fibre, cellular, satellite or wifi
	DelayMs    float64
	JitterMs   float64
	LossPct    float64
}

// WaySpec is how an edge carries some traffic to other sites; what is empty is left to the device.
type WaySpec struct {
	Number                                      int
	Application, Over                           []string
	Delay, Jitter, Loss, Back, Else, Send, Note string
}

// SegmentSpec is a table of routes that an edge keeps apart, with the VLANs that are in it.
type SegmentSpec struct {
	Name, Purpose string
	Number        int
	VLANs         []int
	Leaks         []string
}

// ForeignSpec is a gateway of another house: nobody here can set it up, and it has its own idea of the tunnel.
type ForeignSpec struct {
	Name, Address     string // what it calls itself, and where it is
	Key               string
	Encryption, Group string
	Own, Beyond       []string // the networks that it has, and those that it expects
	Tunnel, At        string   // what the tunnel to it is called here, and from which port it goes (device:port); "" for none
	DelayMs           float64
}

var vlanNames = map[int]string{
	10: "management", 20: "office", 30: "voice", 40: "ticketing", 50: "cameras", 60: "gates and displays",
	70: "crew Wi-Fi", 80: "passenger Wi-Fi", 90: "cranes and ramps", 95: "line to Grey Skerry", 99: "quarantine",
}

// timeServer sets the clocks of devices.
const timeServer = "10.1.10.5"

// TernHaven is the terminal with its two switches, access point, firewall and edge.
func TernHaven() Plant {
	all := []int{10, 20, 30, 40, 50, 60, 70, 80, 99}
	tagged := []string{"10", "20", "30", "40", "50", "60", "70", "80", "99"}
	trunk := func(name, description string, speed int) PortSpec {
		return PortSpec{Name: name, Description: description, Mode: "TRUNK", Tagged: tagged, SpeedMbps: speed}
	}
	var p Plant
	p.Entries = []string{"th-edge-01"}

	edge := DeviceSpec{Name: "th-edge-01", Site: "tern-haven", Role: "edge", Maker: "Causeway", Model: "E50", Serial: "CW5-20871",
		Firmware: "6.2.1", Loopback: "127.20.0.1", ManagementIP: "10.20.10.1", SiteNet: 20, ManagementVLAN: 10, VLANs: all}
	edge.Ports = []PortSpec{
		{Name: "wan1", Description: "Saltmarsh Fibre, circuit SF-4471", SpeedMbps: 1000},
		{Name: "wan2", Description: "Gannet Mobile, standby", SpeedMbps: 1000},
		trunk("lan1", "th-sw-01 1/1/48", 1000),
		{Name: "lan2", Mode: "ACCESS", Untagged: 10, SpeedMbps: 1000},
		{Name: "lan3", Mode: "ACCESS", Untagged: 99, SpeedMbps: 1000, Disabled: true},
		{Name: "lan4", Mode: "ACCESS", Untagged: 99, SpeedMbps: 1000, Disabled: true},
	}

	fw := DeviceSpec{Name: "th-fw-01", Site: "tern-haven", Role: "firewall", Maker: "Seawall", Model: "S200", Serial: "SW2-11830",
		Firmware: "9.0.4", Loopback: "127.20.0.2", ManagementIP: "10.20.10.2", SiteNet: 20, ManagementVLAN: 10, VLANs: all}
	fw.Ports = []PortSpec{trunk("lan1", "inside, th-sw-01 1/1/47", 1000)}
	for i := 2; i <= 8; i++ {
		fw.Ports = append(fw.Ports, PortSpec{Name: "lan" + strconv.Itoa(i), SpeedMbps: 1000, Disabled: i > 4})
	}
	fw.Ports = append(fw.Ports, PortSpec{Name: "wan1", SpeedMbps: 10000}, PortSpec{Name: "wan2", SpeedMbps: 10000})

	sw1 := DeviceSpec{Name: "th-sw-01", Site: "tern-haven", Role: "switch", Maker: "Halyard", Model: "H48P", Serial: "HY48-03317",
		Firmware: "4.1.6", Loopback: "127.20.0.11", ManagementIP: "10.20.10.11", SiteNet: 20, ManagementVLAN: 10, BudgetMilliW: 740_000, VLANs: all}
	for i := 1; i <= 46; i++ {
		sw1.Ports = append(sw1.Ports, accessPort(i))
	}
	sw1.Ports = append(sw1.Ports, trunk("1/1/47", "th-fw-01 inside", 1000), trunk("1/1/48", "th-edge-01 lan1", 1000),
		trunk("1/1/49", "th-sw-02 uplink", 10000), trunk("1/1/50", "spare uplink", 10000),
		trunk("1/1/51", "", 10000), trunk("1/1/52", "", 10000))

	sw2 := DeviceSpec{Name: "th-sw-02", Site: "tern-haven", Role: "switch", Maker: "Halyard", Model: "H24P", Serial: "HY24-11902",
		Firmware: "4.1.6", Loopback: "127.20.0.12", ManagementIP: "10.20.10.12", SiteNet: 20, ManagementVLAN: 10, BudgetMilliW: 370_000, VLANs: all}
	for i := 1; i <= 24; i++ {
		sw2.Ports = append(sw2.Ports, accessPort(i))
	}
	sw2.Ports[0] = PortSpec{Name: "1/1/1", Description: "th-ap-01, departures hall", Mode: "TRUNK", Untagged: 10, Tagged: []string{"20", "70", "80"}, PoE: true, SpeedMbps: 1000}
	sw2.Ports = append(sw2.Ports, trunk("1/1/25", "uplink to th-sw-01 1/1/49", 10000), trunk("1/1/26", "", 10000),
		trunk("1/1/27", "", 10000), trunk("1/1/28", "", 10000))

	ap := DeviceSpec{Name: "th-ap-01", Site: "tern-haven", Role: "access-point", Maker: "Foghorn", Model: "A2", Serial: "FH2-48120",
		Firmware: "2.7.0", Loopback: "127.20.0.21", ManagementIP: "10.20.10.21", SiteNet: 20, ManagementVLAN: 10, VLANs: []int{10, 20, 70, 80},
		FedBy: "th-sw-02:1/1/1", DrawMilliW: 11_800, BootSeconds: 2}
	ap.Ports = []PortSpec{{Name: "eth0", Description: "uplink", Mode: "TRUNK", Untagged: 10, Tagged: []string{"20", "70", "80"}, SpeedMbps: 1000},
		{Name: "radio0", SpeedMbps: 574}, {Name: "radio1", SpeedMbps: 2402}}

	p.Devices = []DeviceSpec{edge, fw, sw1, sw2, ap}
	p.Cables = []CableSpec{
		{"th-edge-01:lan1", "th-sw-01:1/1/48"}, {"th-fw-01:lan1", "th-sw-01:1/1/47"},
		{"th-sw-01:1/1/49", "th-sw-02:1/1/25"}, {"th-sw-02:1/1/1", "th-ap-01:eth0"},
	}
	p.ternHavenHosts()
	for i := range p.Devices {
		p.Devices[i].NTP = timeServer
	}
	return p
}

// accessPort follows the house's plan for a floor switch: office, phones, tickets, cameras, gates, then spare ports.
func accessPort(i int) PortSpec {
	s := PortSpec{Name: "1/1/" + strconv.Itoa(i), Mode: "ACCESS", Untagged: 20, PoE: true, SpeedMbps: 1000}
	switch {
	case i == 7:
		s.Description = "Ticket office printer"
	case i <= 9:
		s.Description = fmt.Sprintf("Office desk %d", i)
	case i <= 13:
		s.Untagged, s.Description = 30, fmt.Sprintf("Phone %d", 200+i)
	case i <= 16:
		s.Untagged, s.Description = 40, fmt.Sprintf("Ticket counter %d", i-13)
	case i <= 20:
		s.Untagged, s.Description = 50, fmt.Sprintf("Camera quay %d", i-16)
	case i <= 22:
		s.Untagged, s.Description = 60, fmt.Sprintf("Gate %d", i-20)
	default:
		s.Untagged, s.Description, s.Disabled = 99, "spare", true
	}
	return s
}

func (p *Plant) ternHavenHosts() {
	n := 0
	host := func(name, at string, draw, class, rate int) {
		n++
		p.Hosts = append(p.Hosts, HostSpec{Name: name, MAC: fmt.Sprintf("02:4c:53:20:00:%02x", n), At: at, DrawMilliW: draw, Class: class, RateBps: rate})
	}
	host("saltmarsh-ntu", "th-edge-01:wan1", 0, 0, 48_000_000)
	for _, sw := range []string{"th-sw-01", "th-sw-02"} {
		at := func(i int) string { return sw + ":1/1/" + strconv.Itoa(i) }
		for _, i := range []int{2, 3, 5, 6} {
			host("desk-"+strconv.Itoa(i), at(i), 0, 0, 900_000)
		}
		host("ticket-printer", at(7), 0, 0, 12_000)
		for i := 10; i <= 13; i++ {
			host("phone-"+strconv.Itoa(200+i), at(i), 3_900+100*i, 2, 90_000)
		}
		for i := 14; i <= 16; i++ {
			host("counter-"+strconv.Itoa(i-13), at(i), 0, 0, 400_000)
		}
		for i := 17; i <= 19; i++ {
			host("camera-"+strconv.Itoa(i-16), at(i), 8_200+60*i, 3, 4_200_000)
		}
		host("gate-1", at(21), 18_500, 4, 60_000)
	}
}

// config builds the first configuration of a device.
func (s DeviceSpec) config() *xmlnode.Node {
	ns := namespaces
	leaf := func(prefix, name, text string) *xmlnode.Node { return xmlnode.Leaf(ns[prefix], name, text) }
	node := func(prefix, name string, children ...*xmlnode.Node) *xmlnode.Node {
		return xmlnode.New(ns[prefix], name, children...)
	}
	identity := func(prefix, uri, value string) *xmlnode.Node {
		return leaf("oc-if", "type", prefix+":"+value).SetAttr("xmlns", prefix, uri)
	}
	const ianaIf = "urn:ietf:params:xml:ns:yang:iana-if-type"

	interfaces := node("oc-if", "interfaces")
	for _, p := range s.Ports {
		c := node("oc-if", "config", leaf("oc-if", "name", p.Name), identity("ianaift", ianaIf, "ethernetCsmacd"))
		if p.Description != "" {
			c.Add(leaf("oc-if", "description", p.Description))
		}
		c.Add(leaf("oc-if", "enabled", strconv.FormatBool(!p.Disabled)))
		eth := node("oc-eth", "ethernet")
		if p.Mode != "" && p.LAG == "" {
			eth.Add(switchedVLAN(p.Mode, p.Untagged, p.Tagged))
		}
		if p.LAG != "" {
			eth.Add(node("oc-eth", "config", leaf("oc-lag", "aggregate-id", p.LAG)))
		}
		if p.PoE {
			eth.Add(node("oc-poe", "poe", node("oc-poe", "config", leaf("oc-poe", "enabled", "true"))))
		}
		if p.Combo {
			eth.Add(node("ep-sw", "connectors", leaf("ep-sw", "count", "2")))
		}
		interfaces.Add(node("oc-if", "interface", leaf("oc-if", "name", p.Name), c, eth))
	}
	lacp := node("oc-lacp", "interfaces")
	for _, l := range s.LAGs {
		interfaces.Add(node("oc-if", "interface", leaf("oc-if", "name", l.Name),
			node("oc-if", "config", leaf("oc-if", "name", l.Name), identity("ianaift", ianaIf, "ieee8023adLag"), leaf("oc-if", "description", l.Description), leaf("oc-if", "enabled", "true")),
			node("oc-lag", "aggregation", node("oc-lag", "config", leaf("oc-lag", "lag-type", "LACP")), switchedVLAN(l.Mode, l.Untagged, l.Tagged))))
		lacp.Add(node("oc-lacp", "interface", leaf("oc-lacp", "name", l.Name),
			node("oc-lacp", "config", leaf("oc-lacp", "name", l.Name), leaf("oc-lacp", "interval", "FAST"), leaf("oc-lacp", "lacp-mode", "ACTIVE"))))
	}
	if s.ManagementVLAN != 0 {
		name, v := "vlan"+strconv.Itoa(s.ManagementVLAN), strconv.Itoa(s.ManagementVLAN)
		address := node("oc-ip", "address", leaf("oc-ip", "ip", s.ManagementIP),
			node("oc-ip", "config", leaf("oc-ip", "ip", s.ManagementIP), leaf("oc-ip", "prefix-length", "24")))
		interfaces.Add(node("oc-if", "interface", leaf("oc-if", "name", name),
			node("oc-if", "config", leaf("oc-if", "name", name), identity("ianaift", ianaIf, "l3ipvlan"),
				leaf("oc-if", "description", "management"), leaf("oc-if", "enabled", "true")),
			node("oc-vlan", "routed-vlan", node("oc-vlan", "config", leaf("oc-vlan", "vlan", v)),
				node("oc-ip", "ipv4", node("oc-ip", "addresses", address)))))
	}
	vlans := node("oc-netin", "vlans")
	for _, v := range s.VLANs {
		id := strconv.Itoa(v)
		vlans.Add(node("oc-netin", "vlan", leaf("oc-netin", "vlan-id", id),
			node("oc-netin", "config", leaf("oc-netin", "vlan-id", id), leaf("oc-netin", "name", vlanNames[v]), leaf("oc-netin", "status", "ACTIVE"))))
	}
	services := node("ep-dev", "services")
	for _, name := range serviceNames {
		services.Add(node("ep-dev", "service", leaf("ep-dev", "name", name), leaf("ep-dev", "enabled", "true")))
	}
	out := xmlnode.New("", "data", services,
		s.system(),
		node("oc-lldp", "lldp", node("oc-lldp", "config", leaf("oc-lldp", "enabled", "true"))),
		interfaces,
		node("oc-netin", "network-instances", node("oc-netin", "network-instance", leaf("oc-netin", "name", "default"),
			node("oc-netin", "config", leaf("oc-netin", "name", "default")), vlans)))
	if len(s.LAGs) > 0 {
		out.Add(node("oc-lacp", "lacp", lacp))
	}
	switching := node("ep-sw", "switching", serviceNodes(s.Ports)...)
	if c := s.Cluster; c != nil && c.Kind == "mlag" {
		pair := node("ep-sw", "pair", leaf("ep-sw", "name", c.Name), leaf("ep-sw", "peer-bundle", c.PeerLAG))
		for i, m := range c.Members {
			if m.Name == s.Name {
				pair.Add(leaf("ep-sw", "priority", strconv.Itoa(4096*(i+1))))
			}
		}
		switching.Add(pair)
	}
	if len(switching.Children) > 0 {
		out.Add(switching)
	}
	if len(s.Zones) > 0 {
		out.Add(s.storage())
	}
	if s.Role == "edge" && s.ManagementIP != "" {
		out.Add(s.gatewayNodes())
	}
	if len(s.tunnels) > 0 {
		out.Add(tunnelNodes(s.tunnels))
		if len(s.Ways) > 0 {
			out.Add(steeringNodes(s.Ways))
		}
	}
	if carriers := carrierNodes(s.Ports); len(carriers.Children) > 0 {
		out.Add(carriers)
	}
	if len(s.Blocked) > 0 {
		stations := node("ep-dev", "stations")
		for _, mac := range slices.Sorted(maps.Keys(s.Blocked)) {
			stations.Add(node("ep-dev", "blocked", leaf("ep-dev", "station", strings.ReplaceAll(mac, ":", "-")), leaf("ep-dev", "purpose", s.Blocked[mac])))
		}
		out.Add(stations)
	}
	if s.Role == "access-point" && s.ManagementIP != "" {
		out.Add(s.wirelessNodes())
	}
	if s.Firewall != nil {
		out.Add(s.Firewall.tree())
	}
	if s.Role == "switch" {
		priority := s.BridgePriority
		if priority == 0 {
			priority = 32768
		}
		out.Add(node("oc-stp", "stp", node("oc-stp", "global", node("oc-stp", "config", leaf("oc-stp", "enabled-protocol", "oc-stp-types:RSTP").
			SetAttr("xmlns", "oc-stp-types", "http://openconfig.net/yang/spanning-tree/types"))),
			node("oc-stp", "rstp", node("oc-stp", "config", leaf("oc-stp", "bridge-priority", strconv.Itoa(priority))))))
	}
	return out
}

func (s DeviceSpec) system() *xmlnode.Node {
	x := in("oc-sys")
	out := x.node("system", x.node("config", x.leaf("hostname", s.Name)))
	if s.NTP != "" {
		out.Add(x.node("ntp", x.node("config", x.leaf("enabled", "true")),
			x.node("servers", x.node("server", x.leaf("address", s.NTP), x.node("config", x.leaf("address", s.NTP))))))
	}
	return out
}

// storage has all ports but the management's in the fabrics of the zones.
func (s DeviceSpec) storage() *xmlnode.Node {
	x := in("ep-st")
	storage := x.node("storage")
	fabrics := map[string]bool{}
	for _, z := range s.Zones {
		if fabrics[z.Fabric] {
			continue
		}
		fabrics[z.Fabric] = true
		ports := x.node("ports")
		for _, p := range s.Ports {
			if p.Cage && p.Mode == "ACCESS" {
				ports.Add(x.leaf("port", p.Name))
			}
		}
		storage.Add(x.node("fabric", x.leaf("name", z.Fabric), ports))
	}
	for _, z := range s.Zones {
		ports := x.node("ports")
		for _, p := range z.Ports {
			ports.Add(x.leaf("port", p))
		}
		storage.Add(x.node("zone", x.leaf("name", z.Name), x.leaf("purpose", z.Purpose), x.leaf("fabric", z.Fabric), ports))
	}
	return storage
}

func switchedVLAN(mode string, untagged int, tagged []string) *xmlnode.Node {
	ns := namespaces["oc-vlan"]
	sv := xmlnode.New(ns, "config", xmlnode.Leaf(ns, "interface-mode", mode))
	if mode == "ACCESS" {
		sv.Add(xmlnode.Leaf(ns, "access-vlan", strconv.Itoa(untagged)))
	} else if untagged != 0 {
		sv.Add(xmlnode.Leaf(ns, "native-vlan", strconv.Itoa(untagged)))
	}
	for _, t := range tagged {
		sv.Add(xmlnode.Leaf(ns, "trunk-vlans", t))
	}
	return xmlnode.New(ns, "switched-vlan", sv)
}
