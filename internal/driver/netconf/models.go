package netconf

import (
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/wire/xmlnode"
)

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
	nsWAN        = "urn:everypost:yang:ep-wan"
	nsRadioLink  = "urn:everypost:yang:ep-radio-link"
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
		nsWAN, "tunnels", nsRadioLink, "radio-link", nsDevice, "services"),
		xmlnode.New(nsInstance, "network-instances", xmlnode.New(nsInstance, "network-instance", xmlnode.New(nsInstance, "name"), xmlnode.New(nsInstance, "fdb"),
			xmlnode.New(nsInstance, "afts"), xmlnode.New(nsInstance, "protocols"))))
	stateSections = sections(nsInterfaces, "interfaces", nsLLDP, "lldp", nsDevice, "device")
	selfSections  = []*xmlnode.Node{xmlnode.New(nsSystem, "system"), xmlnode.New(nsPlatform, "components"), xmlnode.New(nsDevice, "device")}
)

// readConfig turns a configuration document into the model. Interfaces that are no ports (VLAN interfaces and other
// logical ones) are left out, but for telling the management VLAN.
func readConfig(data *xmlnode.Node) network.Config {
	c := network.Config{
		Hostname: data.TextAt("system/config/hostname"),
		VLANs:    map[network.VLANID]network.VLAN{}, Ports: map[string]network.PortConfig{},
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
				c.ManagementVLAN = id
			}
			continue
		}
		if isPort(i) {
			c.Ports[i.TextAt("name")] = readPort(i)
		}
	}
	for _, s := range data.Child("services").All("service") {
		if c.Services == nil {
			c.Services = map[string]bool{}
		}
		c.Services[s.TextAt("name")] = s.TextAt("enabled") != "false" // the model's default is true
	}
	for _, i := range data.Child("interfaces").All("interface") {
		lag := i.TextAt("ethernet/config/aggregate-id")
		p, ok := c.Ports[i.TextAt("name")]
		if lag == "" || !ok {
			continue
		}
		p.LAG = lag // what its bundle forwards, it forwards
		for _, b := range data.Child("interfaces").All("interface") {
			if b.TextAt("name") == lag {
				readVLANs(&p, b.Find("aggregation/switched-vlan/config"))
			}
		}
		c.Ports[i.TextAt("name")] = p
	}
	return c
}

func isPort(i *xmlnode.Node) bool {
	return strings.HasSuffix(i.TextAt("config/type"), "ethernetCsmacd") && i.TextAt("name") != ""
}

func readPort(i *xmlnode.Node) network.PortConfig {
	p := network.PortConfig{Description: i.TextAt("config/description"), Enabled: i.TextAt("config/enabled") != "false"}
	eth := i.Child("ethernet")
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

// writeConfig returns the edit that takes a device from one configuration to another, or nil when they are the same.
func writeConfig(before, after network.Config) []*xmlnode.Node {
	return append(writePorts(before, after), writeServices(before.Services, after.Services)...)
}

func writeServices(before, after map[string]bool) []*xmlnode.Node {
	services := xmlnode.New(nsDevice, "services")
	for _, name := range slices.Sorted(maps.Keys(after)) {
		if was, had := before[name]; had && was != after[name] {
			services.Add(xmlnode.New(nsDevice, "service", xmlnode.Leaf(nsDevice, "name", name), xmlnode.Leaf(nsDevice, "enabled", strconv.FormatBool(after[name]))))
		}
	}
	if len(services.Children) == 0 {
		return nil
	}
	return []*xmlnode.Node{services}
}

// writePorts returns the edit that takes the ports from before to after. What does not differ is not named.
func writePorts(before, after network.Config) []*xmlnode.Node {
	interfaces := xmlnode.New(nsInterfaces, "interfaces")
	for _, name := range after.PortNames() {
		b, a := before.Ports[name], after.Ports[name]
		if a.Equal(b) {
			continue
		}
		interfaces.Add(writePort(name, b, a))
	}
	if len(interfaces.Children) == 0 {
		return nil
	}
	return []*xmlnode.Node{interfaces}
}

func writePort(name string, b, a network.PortConfig) *xmlnode.Node {
	leaf := xmlnode.Leaf
	config := xmlnode.New(nsInterfaces, "config")
	if a.Description != b.Description {
		d := leaf(nsInterfaces, "description", a.Description)
		if a.Description == "" {
			remove(d)
		}
		config.Add(d)
	}
	if a.Enabled != b.Enabled {
		config.Add(leaf(nsInterfaces, "enabled", strconv.FormatBool(a.Enabled)))
	}
	eth := xmlnode.New(nsEthernet, "ethernet")
	vlansA, vlansB := a, b
	vlansA.Description, vlansA.Enabled, vlansA.PoE = b.Description, b.Enabled, b.PoE
	if !vlansA.Equal(vlansB) {
		eth.Add(xmlnode.New(nsVLAN, "switched-vlan", writeVLANs(a)))
	}
	if a.PoE != b.PoE {
		eth.Add(xmlnode.New(nsPoE, "poe", xmlnode.New(nsPoE, "config", leaf(nsPoE, "enabled", strconv.FormatBool(a.PoE)))))
	}
	i := xmlnode.New(nsInterfaces, "interface", leaf(nsInterfaces, "name", name))
	if len(config.Children) > 0 {
		i.Add(config)
	}
	if len(eth.Children) > 0 {
		i.Add(eth)
	}
	return i
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
	c := s.Child("counters")
	p.Counters = network.Counters{
		RxOctets: counter(c, "in-octets"), TxOctets: counter(c, "out-octets"), RxUnicast: counter(c, "in-unicast-pkts"), TxUnicast: counter(c, "out-unicast-pkts"),
		RxMulticast: counter(c, "in-multicast-pkts"), TxMulticast: counter(c, "out-multicast-pkts"), RxBroadcast: counter(c, "in-broadcast-pkts"),
		TxBroadcast: counter(c, "out-broadcast-pkts"), RxErrors: counter(c, "in-errors"), RxFCSErrors: counter(c, "in-fcs-errors"),
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

// epoch reads oc-types:timeticks64: nanoseconds since 1970.
func epoch(s string) time.Time {
	ns, err := strconv.ParseInt(s, 10, 64)
	if err != nil || ns <= 0 {
		return time.Time{}
	}
	return time.Unix(0, ns).UTC()
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
