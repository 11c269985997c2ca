package netconf

import (
	"cmp"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/wire/xmlnode"
)

// ownService is the service of a device (ep-device) by which this driver speaks to it.
const ownService = "netconf"

// Namespaces of the models that the driver reads and writes.
const (
	nsInterfaces = "http://openconfig.net/yang/interfaces"
	nsEthernet   = "http://openconfig.net/yang/interfaces/ethernet"
	nsVLAN       = "http://openconfig.net/yang/vlan"
	nsPoE        = "http://openconfig.net/yang/poe"
	nsInstance   = "http://openconfig.net/yang/network-instance"
	nsLLDP       = "http://openconfig.net/yang/lldp"
	nsSystem     = "http://openconfig.net/yang/system"
	nsPlatform   = "http://openconfig.net/yang/platform"
	nsLACP       = "http://openconfig.net/yang/lacp"
	nsSpanning   = "http://openconfig.net/yang/spanning-tree"
	nsWireless   = "http://openconfig.net/yang/wifi/access-points"
	nsDevice     = "urn:everypost:yang:ep-device"
	nsSwitching  = "urn:everypost:yang:ep-switching"
	nsAggregate  = "http://openconfig.net/yang/interfaces/aggregate"
	nsACL        = "http://openconfig.net/yang/acl"
	nsWAN        = "urn:everypost:yang:ep-wan"
	nsStorage    = "urn:everypost:yang:ep-storage"
	nsFirewall   = "urn:everypost:yang:ep-firewall"
	nsRouting    = "urn:everypost:yang:ep-routing"
	nsAir        = "urn:everypost:yang:ep-wireless"
	nsManagement = "urn:everypost:yang:ep-management"
	nsRadioLink  = "urn:everypost:yang:ep-radio-link"

	nsIanaIf        = "urn:ietf:params:xml:ns:yang:iana-if-type"
	nsSpanningTypes = "http://openconfig.net/yang/spanning-tree/types"
)

func sections(pairs ...string) []*xmlnode.Node {
	var out []*xmlnode.Node
	for i := 0; i < len(pairs); i += 2 {
		out = append(out, xmlnode.New(pairs[i], pairs[i+1]))
	}
	return out
}

var (
	insideSections = append(sections(nsPlatform, "components", nsLACP, "lacp", nsSpanning, "stp", nsWireless, "access-points", nsDevice, "device",
		nsWAN, "tunnels", nsWAN, "steered", nsRadioLink, "radio-link", nsDevice, "services", nsStorage, "storage", nsFirewall, "firewall", nsRouting, "routing", nsAir, "wireless"),
		xmlnode.New(nsManagement, "management-plane", xmlnode.New(nsManagement, "contact-input")),
		xmlnode.New(nsSystem, "system", xmlnode.New(nsSystem, "state", xmlnode.New(nsSystem, "current-datetime")), xmlnode.New(nsSystem, "ntp", xmlnode.New(nsSystem, "servers"))),
		xmlnode.New(nsACL, "acl", xmlnode.New(nsACL, "acl-sets")),
		xmlnode.New(nsSwitching, "switching", xmlnode.New(nsSwitching, "class"), xmlnode.New(nsSwitching, "pair"), xmlnode.New(nsSwitching, "ring"), xmlnode.New(nsSwitching, "controller"), xmlnode.New(nsSwitching, "dhcp-intruder")),
		xmlnode.New(nsInstance, "network-instances", xmlnode.New(nsInstance, "network-instance", xmlnode.New(nsInstance, "name"), xmlnode.New(nsInstance, "fdb"),
			xmlnode.New(nsInstance, "afts"), xmlnode.New(nsInstance, "protocols"))))
	stateSections = sections(nsInterfaces, "interfaces", nsLLDP, "lldp", nsDevice, "device", nsSwitching, "switching")
	selfSections  = []*xmlnode.Node{xmlnode.New(nsSystem, "system"), xmlnode.New(nsPlatform, "components"), xmlnode.New(nsDevice, "device")}
)

// readConfig turns a configuration document into the model. Interfaces that are neither ports nor bundles (VLAN interfaces
// and other logical ones) are left out, but for telling the management VLAN.
func readConfig(data *xmlnode.Node, features []network.Feature) network.Config {
	c := network.Config{
		Hostname: data.TextAt("system/config/hostname"), Features: features,
		VLANs: map[network.VLANID]network.VLAN{}, Ports: map[string]network.PortConfig{},
	}
	for _, instance := range data.Child("network-instances").All("network-instance") {
		for _, v := range instance.Child("vlans").All("vlan") {
			if id, err := network.ParseVLAN(v.TextAt("vlan-id")); err == nil {
				c.VLANs[id] = network.VLAN{ID: id, Name: v.TextAt("config/name")}
			}
		}
	}
	for _, i := range data.Child("interfaces").All("interface") {
		if routed := i.Child("routed-vlan"); routed != nil {
			if id, err := network.ParseVLAN(routed.TextAt("config/vlan")); err == nil && i.TextAt("config/enabled") != "false" &&
				(routed.Find("ipv4/addresses/address") != nil || routed.TextAt("ipv4/config/dhcp-client") == "true") && c.ManagementVLAN == 0 {
				c.ManagementVLAN, c.ManagementInterface = id, i.TextAt("name")
				if a := routed.Find("ipv4/addresses/address/config"); a != nil && a.TextAt("ip") != "" {
					c.ManagementAddress = a.TextAt("ip") + "/" + cmp.Or(a.TextAt("prefix-length"), "32")
				}
			}
			continue
		}
		switch {
		case isPort(i):
			c.Ports[i.TextAt("name")] = readPort(i)
		case i.Child("aggregation") != nil:
			if c.Bundles == nil {
				c.Bundles = map[string]network.PortConfig{}
			}
			b := network.PortConfig{Description: i.TextAt("config/description"), Enabled: i.TextAt("config/enabled") != "false"}
			readVLANs(&b, i.Find("aggregation/switched-vlan/config"))
			c.Bundles[i.TextAt("name")] = b
		}
	}
	for _, r := range data.Child("wireless").All("radio") {
		if p, known := c.Ports[r.TextAt("name")]; known {
			p.Band = r.TextAt("band")
			c.Ports[r.TextAt("name")] = p
		}
	}
	for _, r := range data.Child("radio-link").All("carrier-termination") {
		if p, known := c.Ports[r.TextAt("name")]; known {
			p.Carrier = true
			c.Ports[r.TextAt("name")] = p
		}
	}
	for _, s := range data.Child("services").All("service") {
		if c.Services == nil {
			c.Services = map[string]bool{}
		}
		c.Services[s.TextAt("name")] = s.TextAt("enabled") != "false" // the model's default is true
		if s.TextAt("name") == ownService {
			c.ManagedOver = ownService
		}
	}
	for name, p := range c.Ports {
		if b, ok := c.Bundles[p.LAG]; ok { // what its bundle forwards, it forwards
			p.Mode, p.AccessVLAN, p.NativeVLAN, p.TrunkVLANs = b.Mode, b.AccessVLAN, b.NativeVLAN, b.TrunkVLANs
			c.Ports[name] = p
		}
	}
	for _, kind := range slices.Sorted(maps.Keys(objectLists)) {
		outer, _ := newPath(objectLists[kind]).list()
		entries(data, outer, func(key string, _ *xmlnode.Node) { addObject(&c, setting.Object(kind, key)) })
	}
	readAccessLists(data, &c)
	readTables(data, &c)
	readProtocols(data, &c)
	readSettings(data, &c)
	return c
}

func addObject(c *network.Config, object string) {
	if setting.CheckObject(object) != nil {
		return // of a name that we could not say
	}
	if c.Objects == nil {
		c.Objects = map[string]network.Settings{}
	}
	c.Objects[object] = network.Settings{}
}

func isPort(i *xmlnode.Node) bool {
	return strings.HasSuffix(i.TextAt("config/type"), "ethernetCsmacd") && i.TextAt("name") != ""
}

func readPort(i *xmlnode.Node) network.PortConfig {
	eth := i.Child("ethernet")
	p := network.PortConfig{Description: i.TextAt("config/description"), Enabled: i.TextAt("config/enabled") != "false", LAG: eth.TextAt("config/aggregate-id"),
		Combo: eth.Child("connectors") != nil}
	readVLANs(&p, eth.Find("switched-vlan/config"))
	if poe := eth.Child("poe"); poe != nil {
		p.HasPoE = true
		p.PoE = poe.TextAt("config/enabled") != "false" // the model's default is true
	}
	return p
}

func readVLANs(p *network.PortConfig, sv *xmlnode.Node) {
	switch sv.TextAt("interface-mode") {
	case "ACCESS":
		p.Mode = network.Access
		p.AccessVLAN, _ = network.ParseVLAN(sv.TextAt("access-vlan"))
	case "TRUNK":
		p.Mode = network.Trunk
		p.NativeVLAN, _ = network.ParseVLAN(sv.TextAt("native-vlan"))
		var list []string
		for _, t := range sv.All("trunk-vlans") {
			list = append(list, strings.ReplaceAll(t.Text, "..", "-"))
		}
		p.TrunkVLANs, _ = network.ParseVLANSet(strings.Join(list, ","))
	}
}

// writeConfig returns the edit that takes a device from one configuration to another, or nil when they are the same. What
// does not differ is not named.
func writeConfig(before, after network.Config) []*xmlnode.Node {
	e := newEdit()
	for id, a := range after.VLANs {
		if b, had := before.VLANs[id]; !had || a.Name != b.Name {
			writeVLAN(e, a)
		}
	}
	for _, name := range slices.Sorted(maps.Keys(after.Bundles)) {
		b, had := before.Bundles[name]
		if a := after.Bundles[name]; !had || !a.Equal(b) {
			writeBundle(e, name, b, a, !had)
		}
	}
	for _, name := range after.PortNames() {
		if b, a := before.Ports[name], after.Ports[name]; !a.Equal(b) {
			writePort(e, name, b, a)
		}
	}
	for _, object := range setting.Objects(after) {
		if k := setting.KindOf(object); k == setting.OnPort && after.Ports[object].Equal(before.Ports[object]) {
			continue
		} else if _, had := before.Objects[object]; !had && objectLists[k] != "" {
			e.at(newPath(objectLists[k]).steps, keyOfObject(object))
		}
		writeSettings(e, object, before, after)
	}
	writeAccessLists(e, before, after)
	writeTables(e, before, after)
	writeProtocols(e, before, after)
	writeServices(e, before.Services, after.Services)
	writeSelf(e, before, after)
	writeRemovals(e, before, after)
	return e.root.Children
}

// writeSelf writes by what name the device goes, and in which VLAN it is managed.
func writeSelf(e *edit, before, after network.Config) {
	if after.Hostname != before.Hostname {
		e.put(newPath("sys:system/config/hostname"), "", after.Hostname)
	}
	if after.ManagementAddress != before.ManagementAddress && after.ManagementAddress != "" && before.ManagementInterface != "" {
		writeAddress(e, before.ManagementInterface, before.ManagementAddress, after.ManagementAddress)
	}
	if after.ManagementVLAN != before.ManagementVLAN && after.ManagementVLAN != 0 && before.ManagementInterface != "" {
		e.put(newPath("if:interfaces/interface[name=%]/vlan:routed-vlan/config/vlan"), before.ManagementInterface, after.ManagementVLAN.String())
	}
}

// writeAddress puts one address of an interface in the place of another.
func writeAddress(e *edit, of, before, after string) {
	addresses := e.at(newPath("if:interfaces/interface[name=%]/vlan:routed-vlan/ip:ipv4/addresses").steps, of)
	entry := func(prefix string) (*xmlnode.Node, string, string) {
		ip, length, _ := strings.Cut(prefix, "/")
		return xmlnode.New(nsIP, "address", xmlnode.Leaf(nsIP, "ip", ip)), ip, length
	}
	old, oldIP, _ := entry(before)
	made, ip, length := entry(after)
	if oldIP != ip {
		addresses.Add(remove(old))
	}
	addresses.Add(made.Add(xmlnode.New(nsIP, "config", xmlnode.Leaf(nsIP, "ip", ip), xmlnode.Leaf(nsIP, "prefix-length", length))))
}

func writeServices(e *edit, before, after map[string]bool) {
	for _, name := range slices.Sorted(maps.Keys(after)) {
		if was, had := before[name]; had && was != after[name] {
			e.put(newPath("dev:services/service[name=%]/enabled"), name, strconv.FormatBool(after[name]))
		}
	}
}

// writeRemovals takes away what is not there any more, with what hangs on it.
func writeRemovals(e *edit, before, after network.Config) {
	for _, id := range slices.Sorted(maps.Keys(before.VLANs)) {
		if _, has := after.VLANs[id]; !has {
			remove(vlanEntry(e, id))
			e.take(newPath("sw:switching/vlan[id=%]"), id.String())
		}
	}
	for _, name := range slices.Sorted(maps.Keys(before.Bundles)) {
		if _, has := after.Bundles[name]; !has {
			for _, p := range []string{"if:interfaces/interface[name=%]", "lacp:lacp/interfaces/interface[name=%]", "sw:switching/port[name=%]", "stp:stp/interfaces/interface[name=%]", "acl:acl/interfaces/interface[id=%]"} {
				e.take(newPath(p), name)
			}
		}
	}
	for _, object := range slices.Sorted(maps.Keys(before.Objects)) {
		if _, has := after.Objects[object]; has {
			continue
		}
		if list := objectLists[setting.KindOf(object)]; list != "" {
			e.take(newPath(list), keyOfObject(object))
		}
	}
}

func vlanEntry(e *edit, id network.VLANID) *xmlnode.Node {
	instance := e.at(newPath("netin:network-instances/network-instance[name=%]").steps, "default")
	vlans := instance.Ensure(nsInstance, "vlans")
	entry := xmlnode.New(nsInstance, "vlan", xmlnode.Leaf(nsInstance, "vlan-id", id.String()))
	vlans.Add(entry)
	return entry
}

func writeVLAN(e *edit, v network.VLAN) {
	config := xmlnode.New(nsInstance, "config", xmlnode.Leaf(nsInstance, "vlan-id", v.ID.String()))
	name := xmlnode.Leaf(nsInstance, "name", v.Name)
	if v.Name == "" {
		remove(name)
	}
	vlanEntry(e, v.ID).Add(config.Add(name))
}

// writeBundle writes what a bundle is, besides its settings.
func writeBundle(e *edit, name string, b, a network.PortConfig, isNew bool) {
	entry := e.at(newPath("if:interfaces/interface[name=%]").steps, name)
	if isNew {
		entry.Add(xmlnode.New(nsInterfaces, "config", xmlnode.Leaf(nsInterfaces, "name", name),
			xmlnode.Leaf(nsInterfaces, "type", "ianaift:ieee8023adLag").SetAttr("xmlns", "ianaift", nsIanaIf)))
		b.Enabled = true // the model's default
	}
	writeBasics(entry, b, a)
	aggregation := entry.Ensure(nsAggregate, "aggregation")
	if !a.EqualVLANs(b) {
		aggregation.Ensure(nsVLAN, "switched-vlan").Add(writeVLANs(a))
	}
}

// writeBasics writes what ports and bundles have in their container config.
func writeBasics(entry *xmlnode.Node, b, a network.PortConfig) {
	if a.Description != b.Description {
		d := xmlnode.Leaf(nsInterfaces, "description", a.Description)
		if a.Description == "" {
			remove(d)
		}
		entry.Ensure(nsInterfaces, "config").Add(d)
	}
	if a.Enabled != b.Enabled {
		entry.Ensure(nsInterfaces, "config").Add(xmlnode.Leaf(nsInterfaces, "enabled", strconv.FormatBool(a.Enabled)))
	}
}

// writePort writes what of a port is no setting of the table.
func writePort(e *edit, name string, b, a network.PortConfig) {
	entry := e.at(newPath("if:interfaces/interface[name=%]").steps, name)
	writeBasics(entry, b, a)
	ethernet := func() *xmlnode.Node { return entry.Ensure(nsEthernet, "ethernet") }
	switch {
	case a.LAG != "" && a.LAG != b.LAG: // the VLANs are the bundle's from now on
		ethernet().Ensure(nsEthernet, "config").Add(xmlnode.Leaf(nsAggregate, "aggregate-id", a.LAG))
		ethernet().Add(remove(xmlnode.New(nsVLAN, "switched-vlan")))
	case a.LAG == "" && b.LAG != "":
		ethernet().Ensure(nsEthernet, "config").Add(remove(xmlnode.New(nsAggregate, "aggregate-id")))
		ethernet().Add(xmlnode.New(nsVLAN, "switched-vlan", writeVLANs(a)))
	case a.LAG == "" && !a.EqualVLANs(b):
		ethernet().Add(xmlnode.New(nsVLAN, "switched-vlan", writeVLANs(a)))
	}
	if was, is := b.Settings["speed"], a.Settings["speed"]; was != is && (was == "" || is == "") {
		ethernet().Ensure(nsEthernet, "config").Add(xmlnode.Leaf(nsEthernet, "auto-negotiate", strconv.FormatBool(is == "")))
	}
	if a.PoE != b.PoE {
		ethernet().Add(xmlnode.New(nsPoE, "poe", xmlnode.New(nsPoE, "config", xmlnode.Leaf(nsPoE, "enabled", strconv.FormatBool(a.PoE)))))
	}
}

// writeVLANs replaces the whole of a port's VLAN settings: the device may hold a list of tagged VLANs as ranges that
// cannot be taken out one by one.
func writeVLANs(p network.PortConfig) *xmlnode.Node {
	leaf := xmlnode.Leaf
	c := replace(xmlnode.New(nsVLAN, "config"))
	if p.Mode == network.Access {
		c.Add(leaf(nsVLAN, "interface-mode", "ACCESS"))
		if p.AccessVLAN != 0 {
			c.Add(leaf(nsVLAN, "access-vlan", p.AccessVLAN.String()))
		}
		return c
	}
	c.Add(leaf(nsVLAN, "interface-mode", "TRUNK"))
	if p.NativeVLAN != 0 {
		c.Add(leaf(nsVLAN, "native-vlan", p.NativeVLAN.String()))
	}
	for _, v := range p.TrunkVLANs {
		c.Add(leaf(nsVLAN, "trunk-vlans", v.String()))
	}
	return c
}

func readState(data *xmlnode.Node, now time.Time) network.State {
	st := network.State{ObservedAt: now, Ports: map[string]network.PortState{}}
	for _, i := range data.Child("interfaces").All("interface") {
		if isPort(i) {
			st.Ports[i.TextAt("name")] = readPortState(i, now)
		}
		for _, n := range i.Find("routed-vlan/ipv4/neighbors").All("neighbor") {
			st.Resolved = append(st.Resolved, network.Resolved{Address: n.TextAt("ip"), MAC: strings.ToLower(n.TextAt("state/link-layer-address")), Interface: i.TextAt("name")})
		}
	}
	for _, i := range data.Find("lldp/interfaces").All("interface") {
		name := i.TextAt("name")
		p, ok := st.Ports[name]
		n := i.Find("neighbors/neighbor/state")
		if !ok || n == nil {
			continue
		}
		p.Neighbour = &network.Neighbour{SystemName: n.TextAt("system-name"), PortID: n.TextAt("port-id"),
			ChassisID: n.TextAt("chassis-id"), System: n.TextAt("system-description"), Address: n.TextAt("management-address")}
		st.Ports[name] = p
	}
	for _, n := range data.Child("switching").All("port") {
		if p, ok := st.Ports[n.TextAt("name")]; ok {
			p.ShutBy, p.PoEMilliV, p.PoEMilliA, p.Counters.Collisions = n.TextAt("shut-by"), number(n, "power/voltage"), number(n, "power/current"), counter(n, "collisions")
			st.Ports[n.TextAt("name")] = p
		}
	}
	if ps := data.Find("device/power-sourcing"); ps != nil {
		st.Power = &network.Power{BudgetMilliW: number(ps, "budget"), UsedMilliW: number(ps, "used")}
	}
	return st
}

var speeds = map[string]int{
	"SPEED_10MB": 10, "SPEED_100MB": 100, "SPEED_1GB": 1000, "SPEED_2500MB": 2500, "SPEED_5GB": 5000, "SPEED_10GB": 10_000,
	"SPEED_25GB": 25_000, "SPEED_40GB": 40_000, "SPEED_50GB": 50_000, "SPEED_100GB": 100_000,
}

func readPortState(i *xmlnode.Node, now time.Time) network.PortState {
	s := i.Child("state")
	p := network.PortState{Oper: operStatus(s.TextAt("oper-status")), Changed: epoch(s.TextAt("last-change")), ObservedAt: now}
	eth := i.Child("ethernet")
	p.MAC = eth.TextAt("state/mac-address")
	speed := eth.TextAt("state/negotiated-port-speed")
	p.SpeedMbps = speeds[speed[strings.LastIndexByte(speed, ':')+1:]]
	if poe := eth.Find("poe/state"); poe != nil {
		if watts, err := strconv.ParseFloat(poe.TextAt("power-used"), 64); err == nil && watts >= 0 && watts < 1e6 {
			p.PoEMilliW = int(watts*1000 + 0.5)
		}
		p.PoEClass = number(poe, "power-class")
	}
	for _, a := range i.Find("subinterfaces/subinterface/ipv4/addresses").All("address") {
		if ip := a.TextAt("state/ip"); ip != "" {
			p.Addresses = append(p.Addresses, ip+"/"+cmp.Or(a.TextAt("state/prefix-length"), "32"))
		}
	}
	c := s.Child("counters")
	p.Counters = network.Counters{
		RxOctets: counter(c, "in-octets"), TxOctets: counter(c, "out-octets"), RxUnicast: counter(c, "in-unicast-pkts"), TxUnicast: counter(c, "out-unicast-pkts"),
		RxMulticast: counter(c, "in-multicast-pkts"), TxMulticast: counter(c, "out-multicast-pkts"), RxBroadcast: counter(c, "in-broadcast-pkts"),
		TxBroadcast: counter(c, "out-broadcast-pkts"), RxErrors: counter(c, "in-errors"), RxFCSErrors: counter(c, "in-fcs-errors"), RxFragments: counter(eth.Find("state/counters"), "in-fragment-frames"),
		RxDiscards: counter(c, "in-discards"), TxErrors: counter(c, "out-errors"), TxDiscards: counter(c, "out-discards"),
	}
	return p
}

func operStatus(s string) network.OperStatus {
	switch s {
	case "UP":
		return network.Up
	case "DOWN", "LOWER_LAYER_DOWN", "DORMANT":
		return network.Down
	case "NOT_PRESENT":
		return network.NotPresent
	}
	return network.Unknown
}

// epoch reads oc-types:timeticks64: nanoseconds since 1970. A time that cannot be is not known.
func epoch(s string) time.Time {
	ns, err := strconv.ParseInt(s, 10, 64)
	if err != nil || ns <= 0 {
		return time.Time{}
	}
	return driver.Believed(time.Unix(0, ns).UTC(), time.Now())
}

func number(n *xmlnode.Node, name string) int {
	v, _ := strconv.Atoi(n.TextAt(name))
	return v
}

func counter(n *xmlnode.Node, name string) uint64 {
	v, _ := strconv.ParseUint(n.TextAt(name), 10, 64)
	return v
}

func readIdentity(data *xmlnode.Node) network.Identity {
	id := network.Identity{
		Hostname: data.TextAt("system/config/hostname"), BootedAt: epoch(data.TextAt("system/state/boot-time")),
		Kind: network.OtherKind,
	}
	if h := data.TextAt("system/state/hostname"); h != "" {
		id.Hostname = h
	}
	for _, c := range data.Child("components").All("component") {
		if s := c.Child("state"); strings.HasSuffix(s.TextAt("type"), "CHASSIS") {
			id.Maker, id.Model = s.TextAt("mfg-name"), s.TextAt("model-name")
			id.Serial, id.Firmware = s.TextAt("serial-no"), s.TextAt("software-version")
		}
	}
	switch k := network.Kind(data.TextAt("device/role")); k {
	case network.Switch, network.AccessPoint, network.Firewall, network.Edge, network.RadioLink:
		id.Kind = k
	}
	return id
}
