package standin

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

var allVLANs = []int{10, 20, 30, 40, 50, 60, 70, 80, 90, 99}

var allTagged = []string{"10", "20", "30", "40", "50", "60", "70", "80", "90", "99"}

// yard builds a plant site by site.
type yard struct {
	plant   Plant
	devices map[string]*DeviceSpec
	order   []string
	site    string
	code    string
	net     int    // of the site: 127.20.net.host
	block   string // of the site's addresses, where it is not 127.20.net
	host    int
	macs    int
	serials int
}

func (y *yard) at(site, code string, net int) { y.site, y.code, y.net, y.host = site, code, net, 0 }

// add puts a device of a model at the site: th-sw-01.
func (y *yard) add(kind, modelName string, number int) *DeviceSpec {
	m := models[modelName]
	y.host++
	y.serials++
	name := fmt.Sprintf("%s-%s-%02d", y.code, kind, number)
	address := fmt.Sprintf("127.20.%d.%d", y.net, y.host)
	if y.block != "" {
		address = fmt.Sprintf("%s.%d", y.block, y.host)
	}
	d := &DeviceSpec{Name: name, Site: y.site, Role: m.role, Maker: m.maker, Model: modelName, Serial: serial(m.serial, y.serials),
		Firmware: m.firmware, Loopback: address, ManagementIP: address, SiteNet: y.net, ManagementVLAN: 10, BudgetMilliW: m.budget, VLANs: allVLANs, Ports: m.ports(),
		DrawMilliW: m.draw, BootSeconds: 2, Supplies: m.supplies}
	y.devices[name] = d
	y.order = append(y.order, name)
	return d
}

// serial makes serial numbers that look like chance and do not repeat.
func serial(prefix string, n int) string {
	return fmt.Sprintf("%s-%05d", prefix, 10_000+(n*7919)%89_999)
}

func (d *DeviceSpec) port(name string) *PortSpec {
	for i := range d.Ports {
		if d.Ports[i].Name == name {
			return &d.Ports[i]
		}
	}
	panic(fmt.Sprintf("standin: %s has no port %s", d.Name, name))
}

// trunk sets a port up to carry VLANs, all unless some are named.
func (d *DeviceSpec) trunk(port, description string, tagged ...string) *PortSpec {
	if len(tagged) == 0 {
		tagged = allTagged
	}
	p := d.port(port)
	p.Mode, p.Untagged, p.Tagged, p.Description, p.Disabled = "TRUNK", 0, tagged, description, false
	return p
}

// link joins two switches, edges, firewalls or radios with a trunk.
func (y *yard) link(a, portA, b, portB string) {
	y.devices[a].trunk(portA, b+" "+portB)
	y.devices[b].trunk(portB, a+" "+portA)
	y.plant.Cables = append(y.plant.Cables, CableSpec{a + ":" + portA, b + ":" + portB})
}

// bundle joins ports of two devices to a link aggregation: pairs of ports, near and far.
func (y *yard) bundle(a, lagA, b, lagB string, pairs ...[2]string) {
	for _, p := range pairs {
		y.link(a, p[0], b, p[1])
		y.devices[a].port(p[0]).LAG, y.devices[b].port(p[1]).LAG = lagA, lagB
	}
	y.devices[a].lag(lagA, b+" "+lagB)
	y.devices[b].lag(lagB, a+" "+lagA)
}

func (d *DeviceSpec) lag(name, description string) {
	for _, l := range d.LAGs {
		if l.Name == name {
			return
		}
	}
	d.LAGs = append(d.LAGs, LAGSpec{Name: name, Description: description, Mode: "TRUNK", Tagged: allTagged})
}

// accessPoint hangs an access point on a port of a switch, which feeds it.
func (y *yard) accessPoint(modelName string, number int, sw, port, where string) {
	d := y.add("ap", modelName, number)
	tagged := []string{"20", "70", "80"}
	d.trunk("eth0", "uplink", tagged...).Untagged = 10
	y.devices[sw].trunk(port, d.Name+", "+where, tagged...).Untagged = 10
	d.FedBy = sw + ":" + port
	d.VLANs = []int{10, 20, 70, 80}
	y.plant.Cables = append(y.plant.Cables, CableSpec{d.FedBy, d.Name + ":eth0"})
}

// stations plugs hosts of a kind into the next free copper ports of a switch.
type stations struct {
	kind  string // of the name: phone, desk, camera ...
	label string // of the port: Phone %d
	vlan  int
	count int
	draw  int // mW
	class int
	rate  int // bit/s
}

func (y *yard) plug(sw string, groups ...stations) {
	d := y.devices[sw]
	next := 0
	free := func() *PortSpec {
		for ; next < len(d.Ports); next++ {
			p := &d.Ports[next]
			if !p.Cage && p.Description == "" && p.Mode == "ACCESS" {
				return p
			}
		}
		return nil
	}
	for _, g := range groups {
		for i := range g.count {
			p := free()
			if p == nil {
				return
			}
			p.Untagged, p.Description, p.Disabled = g.vlan, g.labelOf(i+1), false
			if g.rate == 0 { // prepared, and nothing plugged in
				continue
			}
			y.station(g, p.Name, d, i+1, nil)
		}
	}
}

// wireless lets stations join an access point.
func (y *yard) wireless(ap string, office, crew, passengers int) {
	d := y.devices[ap]
	for n, count := range []int{office, crew, passengers} {
		for i := range count {
			g := stations{kind: []string{"laptop", "handheld", "guest"}[n], rate: []int{700_000, 60_000, 350_000}[n]}
			y.station(g, []string{"radio1", "radio1", "radio0"}[(i+n)%3], d, i+1, &offers[n])
		}
	}
}

var systems = []string{"Petrel 12", "Petrel 11", "Shearwater 7", "Kittiwake 3.1", ""}

func (y *yard) station(g stations, port string, d *DeviceSpec, n int, air *offer) {
	y.macs++
	vlan, ssid, credential := g.vlan, "", ""
	if air != nil {
		vlan, ssid, credential = air.vlan, air.ssid, air.credential
	}
	oui := map[string]string{"phone": "02:a1:10", "camera": "02:a1:20", "desk": "02:a1:30", "gate": "02:a1:40", "laptop": "02:a1:30", "handheld": "02:a1:50", "guest": "02:a1:60"}[g.kind]
	if oui == "" {
		oui = "02:a1:70"
	}
	h := HostSpec{Name: fmt.Sprintf("%s-%s-%d", g.kind, strings.TrimPrefix(d.Name, y.code+"-"), n), MAC: fmt.Sprintf("%s:%02x:%02x:%02x", oui, (y.net+y.macs>>16)&0xff, y.macs>>8&0xff, y.macs&0xff),
		At: d.Name + ":" + port, DrawMilliW: g.draw, Class: g.class, RateBps: g.rate + g.rate*(y.macs%7)/10, SSID: ssid, Credential: credential,
		IP: fmt.Sprintf("10.%d.%d.%d", y.net, vlan, 20+y.macs%220)}
	if g.kind != "camera" && g.kind != "gate" && g.kind != "phone" {
		h.System = systems[y.macs%len(systems)]
	}
	if g.draw > 0 {
		h.DrawMilliW += g.draw * (y.macs % 5) / 40
	}
	y.plant.Hosts = append(y.plant.Hosts, h)
}

// underlay gives an edge a way out over a port, and tunnels over it to both hubs.
func (y *yard) underlay(edge, port, kind, description string, delay, jitter, loss float64) {
	d := y.devices[edge]
	p := d.port(port)
	p.Description, p.Disabled = description, false
	y.provider(edge, port)
	d.Ways = usualWays
	for i := range 2 {
		hub := fmt.Sprintf("hh-edge-%02d", i+1)
		y.devices[hub].Ways = usualWays
		name := fmt.Sprintf("%s-%s-hub%d", strings.TrimSuffix(edge, "-edge-01"), kind, i+1)
		if slices.ContainsFunc(y.plant.Tunnels, func(t TunnelSpec) bool { return t.Name == name }) { // a second line of the kind
			name = strings.Replace(name, kind, kind+"2", 1)
		}
		y.plant.Tunnels = append(y.plant.Tunnels, TunnelSpec{Name: name, A: edge + ":" + port, B: hub + ":wan1",
			Underlay: kind, DelayMs: delay, JitterMs: jitter, LossPct: loss})
	}
}

// lineOver gives an edge a way out by a line that its provider hands over elsewhere, at the first of the ports that are named: it comes over those between, as a VLAN of
// its own, to the last one, into which the edge is plugged.
func (y *yard) lineOver(edge, port string, vlan int, description string, over []string) {
	for i, at := range over {
		e := endpointIn(at)
		d := y.devices[e.device]
		if !slices.Contains(d.VLANs, vlan) {
			d.VLANs = slices.Insert(slices.Clone(d.VLANs), 0, vlan)
			slices.Sort(d.VLANs)
		}
		p := d.port(e.port)
		if i > 0 && i < len(over)-1 {
			p.Tagged = append(slices.Clone(p.Tagged), strconv.Itoa(vlan))
			continue
		}
		p.Mode, p.Untagged, p.Disabled = "ACCESS", vlan, false
		p.Description = map[bool]string{true: "Line to Grey Skerry, from Saltmarsh Fibre", false: edge + " " + port}[i == 0]
	}
	y.plant.Cables = append(y.plant.Cables, CableSpec{over[len(over)-1], edge + ":" + port})
	y.underlay(edge, port, "fibre", description, 11, 0.8, 0)
	provider := &y.plant.Hosts[len(y.plant.Hosts)-1]
	provider.At, provider.For, provider.MAC = over[0], edge+":"+port, fmt.Sprintf("02:f0:01:%02x:00:01", y.net)
	y.macs-- // it has one of another kind
}

// customer carries what a customer sends between the first and the last of the ports that are named, in a service VLAN over those between.
func (y *yard) customer(service int, name string, over []string) {
	last := len(over) - 1
	for i, at := range over {
		e := endpointIn(at)
		p := y.devices[e.device].port(e.port)
		if i > 0 && i < last {
			p.Services = append(p.Services, service)
			continue
		}
		p.Mode, p.Untagged, p.Tagged, p.Disabled, p.Service = "TRUNK", 0, nil, false, service
		p.Description = name + ", " + map[bool]string{true: "office", false: "lookout"}[i == 0]
	}
	y.plant.Hosts = append(y.plant.Hosts,
		HostSpec{Name: "pilots-office", MAC: fmt.Sprintf("02:f0:02:%02x:00:01", y.net), At: over[0], IP: "192.0.2.10"},
		HostSpec{Name: "pilots-lookout", MAC: fmt.Sprintf("02:f0:02:%02x:00:02", y.net), At: over[last], IP: "192.0.2.20", RateBps: 2_400_000, With: "pilots-office"})
}

// usualWays are how edges carry what goes to other sites: calls over what is quick enough, cameras never over what is paid by volume.
var usualWays = []WaySpec{
	{Number: 10, Application: []string{"voice"}, Over: []string{"fibre", "wifi", "cellular", "satellite"}, Delay: "150", Jitter: "30", Loss: "1", Note: "telephones"},
	{Number: 20, Application: []string{"video"}, Over: []string{"fibre", "wifi"}, Else: "drop", Note: "cameras, never over what is paid by volume"},
}

// usualSegments keep what moves heavy things away from all else.
var usualSegments = []SegmentSpec{{Name: "cranes", Purpose: "cranes and ramps", Number: 90, VLANs: []int{90}}}

// provider is what a wide-area port is plugged into.
func (y *yard) provider(edge, port string) {
	y.macs++
	y.plant.Hosts = append(y.plant.Hosts, HostSpec{Name: "provider-" + edge + "-" + port, MAC: fmt.Sprintf("02:f0:00:%02x:%02x:%02x", y.net, y.macs>>8&0xff, y.macs&0xff), At: edge + ":" + port, RateBps: 9_000_000})
}

var (
	desks     = stations{"desk", "Office desk %d", 20, 0, 0, 0, 900_000}
	phones    = stations{"phone", "Phone %d", 30, 0, 3_900, 2, 90_000}
	counters  = stations{"counter", "Ticket counter %d", 40, 0, 0, 0, 400_000}
	cameras   = stations{"camera", "Camera %d", 50, 0, 8_200, 3, 4_200_000}
	gates     = stations{"gate", "Gate %d", 60, 0, 18_500, 4, 60_000}
	displays  = stations{"display", "Boarding display %d", 60, 0, 12_500, 3, 250_000}
	cranes    = stations{"crane", "Crane controller %d", 90, 0, 0, 0, 120_000}
	sensors   = stations{"sensor", "Ramp sensor %d", 90, 0, 2_600, 1, 8_000}
	dockDesks = stations{"dock-desk", "Dock office desk %d", 20, 0, 0, 0, 300_000}
	prepared  = stations{"", "Prepared %d", 20, 0, 0, 0, 0}
	printer   = stations{"printer", "Ticket office printer", 20, 0, 0, 0, 12_000}
)

// labelOf is the description of the port of the nth of them.
func (s stations) labelOf(n int) string {
	if strings.Contains(s.label, "%d") {
		return fmt.Sprintf(s.label, n)
	}
	return s.label
}

func (s stations) of(n int) stations { s.count = n; return s }

// LanternSound is the whole company: Lantern Sound Ferries.
func LanternSound() Plant {
	const unset = "kb-sw-04"
	y := &yard{devices: map[string]*DeviceSpec{}}
	y.harbourHouse()
	y.ternHaven()
	y.oysterLanding()
	y.greySkerry()
	y.marramPoint()
	y.kelpBay()
	y.northgate()
	for i, v := range []struct {
		name, code string
		delay      float64
	}{{"fulmar", "fu", 590}, {"guillemot", "gu", 612}, {"razorbill", "rz", 601}, {"turnstone", "tu", 588}} {
		y.vessel(v.name, v.code, 30+i, v.delay)
	}
	y.vessel("sandpiper", "sp", 34, 595)
	for name, d := range y.devices {
		d.Crated = strings.HasPrefix(name, "sp-")
	}
	for _, d := range y.devices {
		if d.Role == "firewall" {
			d.Firewall = housePolicy(d.SiteNet, d.Model)
		}
		if d.Role == "edge" {
			d.Segments = usualSegments
		}
	}
	y.plant.Foreign = []ForeignSpec{{Name: "customs-gate", Address: "203.0.113.40", Key: "declared at the northern quay", Encryption: "aes-cbc-256", Group: "20",
		Own: []string{"10.77.0.0/24"}, Beyond: []string{"10.1.40.0/24"}, DelayMs: 14, Tunnel: "customs", At: "hh-edge-01:wan1"}}
	for name, d := range y.devices { // one was forgotten when the others were told
		if d.NTP = timeServer; name == unset {
			d.NTP = ""
		}
	}
	y.at("tern-haven", "th", 20)
	untold := offers[1]
	untold.credential = lastYears
	y.station(stations{kind: "handheld", rate: 60_000}, "radio1", y.devices["th-ap-05"], 9, &untold)
	y.plant.Hosts[len(y.plant.Hosts)-1].Stays = true // who does not get in stays and tries
	y.station(stations{kind: "guest", rate: 350_000}, "radio0", y.devices["th-ap-02"], 30, &offers[2])
	lost := &y.plant.Hosts[len(y.plant.Hosts)-1]
	lost.Stays = true
	for name, d := range y.devices {
		if strings.HasPrefix(name, "th-ap-") || strings.HasPrefix(name, "th-sw-") {
			d.Blocked = map[string]string{lost.MAC: "a gangway scanner that was lost"}
		}
	}
	y.at("kelp-bay", "kb", 6)
	y.plug("kb-sw-05", dockDesks.of(2))
	for _, name := range y.order {
		y.plant.Devices = append(y.plant.Devices, *y.devices[name])
	}
	y.plant.Entries = []string{"hh-core-01"}
	return y.plant
}

func (y *yard) harbourHouse() {
	y.at("harbour-house", "hh", 1)
	cores := []ClusterMember{}
	for i := range 2 {
		d := y.add("core", "H32C", i+1)
		d.BridgePriority = 4096 * (i + 1)
		cores = append(cores, ClusterMember{d.Name, []string{"primary", "secondary"}[i], d.Model, d.Serial})
	}
	for _, m := range cores {
		y.devices[m.Name].Cluster = &Cluster{Kind: "mlag", Name: "hh-core", Members: cores, PeerLAG: "lag1"}
	}
	y.bundle("hh-core-01", "lag1", "hh-core-02", "lag1", [2]string{"1/1/31", "1/1/31"}, [2]string{"1/1/32", "1/1/32"})
	stack := y.add("sw", "H48P", 1)
	stack.Cluster = &Cluster{Kind: "stack", Name: "hh-sw-01", Members: []ClusterMember{{"1", "leader", "H48P", stack.Serial}}}
	for member := 2; member <= 3; member++ {
		stack.Ports = append(stack.Ports, switchPorts(member, 48, 1000, 4, 10_000, true)...)
		y.serials++
		stack.Cluster.Members = append(stack.Cluster.Members, ClusterMember{strconv.Itoa(member), []string{"", "", "deputy", "member"}[member], "H48P", serial("HY48", y.serials)})
	}
	stack.BudgetMilliW *= 3
	y.bundle("hh-sw-01", "lag1", "hh-core-01", "lag11", [2]string{"1/1/49", "1/1/1"})
	y.bundle("hh-sw-01", "lag1", "hh-core-02", "lag11", [2]string{"2/1/49", "1/1/1"})
	for i := range 2 {
		core := fmt.Sprintf("hh-core-%02d", i+1)
		fw := y.add("fw", "S800", i+1)
		y.link(core, "1/1/2", fw.Name, "lan17")
		edge := y.add("edge", "E500", i+1)
		y.link(core, "1/1/3", edge.Name, "lan1")
		edge.port("wan1").Description = []string{"Saltmarsh Fibre, circuit SF-1001", "Gannet Mobile backbone, circuit GM-77"}[i]
		y.provider(edge.Name, "wan1")
		st := y.add("st", "H16S", i+1)
		y.link(core, "1/1/4", st.Name, "1/1/16")
		y.storage(st)
	}
	firewalls := []ClusterMember{{"hh-fw-01", "active", "S800", y.devices["hh-fw-01"].Serial}, {"hh-fw-02", "standby", "S800", y.devices["hh-fw-02"].Serial}}
	for _, m := range firewalls {
		y.devices[m.Name].Cluster = &Cluster{Kind: "high-availability", Name: "hh-fw", Members: firewalls}
	}
	y.link("hh-fw-01", "lan16", "hh-fw-02", "lan16")
	for i, where := range []string{"ground floor", "first floor"} {
		y.accessPoint("A2", i+1, "hh-sw-01", strconv.Itoa(i+1)+"/1/1", where)
		y.wireless(fmt.Sprintf("hh-ap-%02d", i+1), 12, 2, 0)
	}
	y.plug("hh-sw-01", desks.of(48), phones.of(40), prepared.of(12))
}

// storage plugs hosts and arrays into a storage switch. Those of booking and of payroll were zoned; what came since waits.
func (y *yard) storage(d *DeviceSpec) {
	side := d.Name[len(d.Name)-1:]
	for i, name := range []string{"booking", "booking", "payroll", "cameras"} {
		p := d.port("1/1/" + strconv.Itoa(i+1))
		p.Untagged, p.Description, p.Disabled = 20, fmt.Sprintf("Host %s %d", name, i+1), false
		y.station(stations{kind: "host-" + name, vlan: 20, rate: 30_000_000}, p.Name, d, i+1, nil)
	}
	for i := range 2 {
		p := d.port("1/1/" + strconv.Itoa(13+i))
		p.Untagged, p.Description, p.Disabled = 20, fmt.Sprintf("Array %d, port %s", i+1, side), false
		y.station(stations{kind: "array", vlan: 20, rate: 90_000_000}, p.Name, d, i+1, nil)
	}
	fabric := "side-" + side
	d.Zones = []ZoneSpec{
		{fabric, "booking-1", "tickets and timetables", []string{"1/1/1", "1/1/13"}}, {fabric, "booking-2", "tickets and timetables", []string{"1/1/2", "1/1/13"}},
		{fabric, "payroll", "wages", []string{"1/1/3", "1/1/14"}},
	}
}

func (y *yard) ternHaven() {
	y.at("tern-haven", "th", 2)
	edge := y.add("edge", "E50", 1)
	fw := y.add("fw", "S200", 1)
	dist := y.add("sw", "H48P", 1)
	dist.BridgePriority = 8192
	dist.Ports = append(dist.Ports, switchPorts(2, 48, 1000, 4, 10_000, true)...)
	dist.BudgetMilliW *= 2
	y.serials++
	dist.Cluster = &Cluster{Kind: "stack", Name: dist.Name, Members: []ClusterMember{{"1", "leader", "H48P", dist.Serial}, {"2", "deputy", "H48P", serial("HY48", y.serials)}}}
	y.link("th-sw-01", "1/1/47", fw.Name, "lan1")
	y.link("th-sw-01", "1/1/48", edge.Name, "lan1")
	for n := 2; n <= 5; n++ {
		y.add("sw", "H24P", n)
	}
	y.link("th-sw-01", "1/1/49", "th-sw-02", "1/1/25")
	y.bundle("th-sw-01", "lag3", "th-sw-03", "lag1", [2]string{"1/1/50", "1/1/25"}, [2]string{"2/1/50", "1/1/26"})
	// Two switches that are joined to each other besides: spanning tree blocks one of the three.
	y.link("th-sw-01", "1/1/51", "th-sw-04", "1/1/25")
	y.link("th-sw-01", "2/1/51", "th-sw-05", "1/1/25")
	y.link("th-sw-04", "1/1/26", "th-sw-05", "1/1/26")
	radio := y.add("rl", "R18", 1)
	radio.trunk("radio0", "to Grey Skerry")
	y.link("th-sw-01", "2/1/48", radio.Name, "eth0")
	radio.FedBy = "th-sw-01:2/1/48"
	for i, where := range []string{"departures hall", "ticket hall", "gates north", "gates south", "quay", "car deck lanes", "offices", "workshop"} {
		m := "A2"
		if i == 4 || i == 5 {
			m = "A5"
		}
		y.accessPoint(m, i+1, fmt.Sprintf("th-sw-%02d", 2+i%4), "1/1/"+strconv.Itoa(1+i/4), where)
		y.wireless(fmt.Sprintf("th-ap-%02d", i+1), []int{0, 1, 0, 0, 0, 0, 7, 1}[i], 3, []int{16, 9, 8, 8, 5, 4, 0, 0}[i])
	}
	y.plug("th-sw-01", desks.of(16), phones.of(12), cameras.of(6), prepared.of(8))
	y.plug("th-sw-02", desks.of(4), printer.of(1), phones.of(4), counters.of(3), cameras.of(4), gates.of(1), prepared.of(2))
	y.plug("th-sw-03", counters.of(4), phones.of(4), displays.of(4), cameras.of(2))
	y.plug("th-sw-04", gates.of(6), displays.of(3), cameras.of(4))
	y.plug("th-sw-05", gates.of(6), displays.of(3), cameras.of(4), prepared.of(3))
	y.underlay("th-edge-01", "wan1", "fibre", "Saltmarsh Fibre, circuit SF-4471", 8, 0.6, 0)
	y.underlay("th-edge-01", "cell0", "cellular", "Gannet Mobile, standby", 41, 9, 0.2)
}

// small is a terminal with an edge, a firewall and some access switches in a row below the first.
func (y *yard) small(switches []string) {
	edge, fw := y.add("edge", "E50", 1), y.add("fw", "S200", 1)
	for i, m := range switches {
		y.add("sw", m, i+1)
	}
	first := y.code + "-sw-01"
	y.devices[first].BridgePriority = 8192
	cage := map[string]int{"H24P": 25, "H48P": 49, "H8": 9}
	y.link(first, "1/1/"+strconv.Itoa(cage[switches[0]]-1), edge.Name, "lan1")
	y.link(first, "1/1/"+strconv.Itoa(cage[switches[0]]-2), fw.Name, "lan1")
	for i := 1; i < len(switches); i++ {
		y.link(first, "1/1/"+strconv.Itoa(cage[switches[0]]+i-1), fmt.Sprintf("%s-sw-%02d", y.code, i+1), "1/1/"+strconv.Itoa(cage[switches[i]]))
	}
}

func (y *yard) oysterLanding() {
	y.at("oyster-landing", "ol", 3)
	y.small([]string{"H48P", "H24P", "H24P"})
	for i, where := range []string{"waiting room", "café", "ramp", "office"} {
		y.accessPoint(map[bool]string{true: "A5", false: "A2"}[i == 2], i+1, fmt.Sprintf("ol-sw-%02d", 1+i%3), "1/1/"+strconv.Itoa(1+i/3), where)
		y.wireless(fmt.Sprintf("ol-ap-%02d", i+1), []int{0, 0, 0, 6}[i], 2, []int{12, 9, 4, 0}[i])
	}
	y.plug("ol-sw-01", desks.of(10), phones.of(8), counters.of(4), cameras.of(6), prepared.of(8))
	y.plug("ol-sw-02", gates.of(5), displays.of(4), cameras.of(4))
	y.plug("ol-sw-03", phones.of(4), cameras.of(6), gates.of(2))
	y.underlay("ol-edge-01", "wan1", "fibre", "Saltmarsh Fibre, circuit SF-5120", 11, 0.8, 0)
	y.underlay("ol-edge-01", "cell0", "cellular", "Gannet Mobile, standby", 46, 11, 0.3)
}

func (y *yard) greySkerry() {
	y.at("grey-skerry", "gs", 4)
	y.add("edge", "E50", 1)
	y.add("sw", "H24P", 1)
	y.add("sw", "H8", 2)
	y.link("gs-sw-01", "1/1/24", "gs-edge-01", "lan1")
	y.link("gs-sw-01", "1/1/25", "gs-sw-02", "1/1/9")
	radio := y.add("rl", "R18", 1)
	y.link("gs-sw-01", "1/1/23", radio.Name, "eth0")
	radio.FedBy = "gs-sw-01:1/1/23"
	if air := radio.port("radio0"); air != nil { // it hears what the other end sends
		air.Carrier = &CarrierSpec{TxKHz: 19_315_000, RxKHz: 18_305_000, PowerDbm: 18}
	}
	y.link("th-rl-01", "radio0", radio.Name, "radio0")
	y.accessPoint("A2", 1, "gs-sw-01", "1/1/1", "waiting room")
	y.accessPoint("A5", 2, "gs-sw-02", "1/1/1", "slipway")
	y.wireless("gs-ap-01", 2, 2, 9)
	y.wireless("gs-ap-02", 0, 1, 4)
	y.plug("gs-sw-01", desks.of(3), phones.of(3), counters.of(2), cameras.of(4), gates.of(2), displays.of(2))
	y.plug("gs-sw-02", cameras.of(3), sensors.of(2))
	y.lineOver("gs-edge-01", "wan1", 95, "Saltmarsh Fibre, circuit SF-4490, by radio from Tern Haven", []string{"th-sw-01:2/1/47", "th-sw-01:2/1/48", "th-rl-01:eth0", "th-rl-01:radio0", "gs-rl-01:radio0", "gs-rl-01:eth0", "gs-sw-01:1/1/23", "gs-sw-01:1/1/20"})
	y.customer(400, "Sound Pilots", []string{"th-sw-01:2/1/46", "th-sw-01:2/1/48", "th-rl-01:eth0", "th-rl-01:radio0", "gs-rl-01:radio0", "gs-rl-01:eth0", "gs-sw-01:1/1/23", "gs-sw-01:1/1/19"})
	y.underlay("gs-edge-01", "cell0", "cellular", "Gannet Mobile, standby for the radio link", 52, 14, 0.6)
}

func (y *yard) marramPoint() {
	y.at("marram-point", "mp", 5)
	y.add("edge", "E50", 1)
	y.add("sw", "H12R", 1)
	y.link("mp-sw-01", "1/1/9", "mp-edge-01", "lan1")
	y.accessPoint("A5", 1, "mp-sw-01", "1/1/1", "pier head")
	y.wireless("mp-ap-01", 0, 2, 5)
	y.plug("mp-sw-01", cameras.of(4), sensors.of(2))
	y.underlay("mp-edge-01", "wan1", "fibre", "Saltmarsh Fibre, circuit SF-6003", 14, 1.1, 0)
}

func (y *yard) kelpBay() {
	y.at("kelp-bay", "kb", 6)
	edge, fw := y.add("edge", "E50", 1), y.add("fw", "S200", 1)
	for n := 1; n <= 5; n++ {
		y.add("sw", "H12R", n)
	}
	y.devices["kb-sw-01"].BridgePriority = 8192
	for n := range 5 { // the ring: cage 9 to the next one's cage 10
		y.link(fmt.Sprintf("kb-sw-%02d", n+1), "1/1/9", fmt.Sprintf("kb-sw-%02d", (n+1)%5+1), "1/1/10")
	}
	y.link("kb-sw-01", "1/1/11", edge.Name, "lan1")
	y.link("kb-sw-01", "1/1/12", fw.Name, "lan1")
	for i, where := range []string{"dock office", "crane 1", "paint hall"} {
		y.accessPoint(map[bool]string{true: "A2", false: "A5"}[i == 0], i+1, fmt.Sprintf("kb-sw-%02d", i+1), "1/1/1", where)
		y.wireless(fmt.Sprintf("kb-ap-%02d", i+1), []int{4, 0, 0}[i], 4, 0)
	}
	for n := 1; n <= 5; n++ {
		y.plug(fmt.Sprintf("kb-sw-%02d", n), cranes.of(2), sensors.of(2), cameras.of(2))
	}
	y.router("kb-sw-02", "Router of the yard", RouterSpec{Host: "yard-router", RouterID: "172.20.8.1", Prefix: "172.20.8.0/22", Behind: []string{yardOffice}, Secret: "keel on the blocks", AS: 64900, Expects: 64512 + y.net})
	y.underlay("kb-edge-01", "wan1", "fibre", "Saltmarsh Fibre, circuit SF-7710", 9, 0.7, 0)
	y.underlay("kb-edge-01", "cell0", "cellular", "Gannet Mobile, standby", 44, 10, 0.2)
}

// router plugs a router of others into a free port of a switch, in VLAN 20, and has the edge of the site know it.
func (y *yard) router(sw, label string, r RouterSpec) {
	d, edge := y.devices[sw], y.devices[y.code+"-edge-01"]
	i := slices.IndexFunc(d.Ports, func(p PortSpec) bool { return !p.Cage && p.Description == "" && p.Mode == "ACCESS" })
	p := &d.Ports[i]
	p.Untagged, p.Description, p.Disabled = 20, label, false
	y.plant.Hosts = append(y.plant.Hosts, HostSpec{Name: r.Host, MAC: fmt.Sprintf("02:a1:80:00:00:%02x", y.net), At: sw + ":" + p.Name, RateBps: 40_000, IP: fmt.Sprintf("10.%d.20.5", y.net)})
	y.plant.Routers = append(y.plant.Routers, r)
	if r.AS > 0 {
		edge.BGPPeers = append(edge.BGPPeers, BGPPeerSpec{Name: strings.TrimSuffix(r.Host, "-router"), Purpose: label, Address: fmt.Sprintf("10.%d.20.5", y.net), Secret: r.Secret, AS: r.AS, Announces: []string{"10.0.0.0/8"}, Accepts: []string{"172.20.0.0/16"}})
		return
	}
	edge.OSPF = map[int]OSPFSpec{20: {r.Area, r.Secret}}
}

func (y *yard) northgate() {
	y.at("northgate", "ng", 7)
	y.small([]string{"H48P", "H48P"})
	for i := range 2 {
		y.accessPoint("A6", i+1, fmt.Sprintf("ng-sw-%02d", i+1), "1/1/1", []string{"call floor", "canteen"}[i])
		y.wireless(fmt.Sprintf("ng-ap-%02d", i+1), 8, 0, 0)
	}
	y.plug("ng-sw-01", phones.of(30), desks.of(12))
	y.plug("ng-sw-02", phones.of(30), desks.of(12))
	y.router("ng-sw-02", "The landlord's router", RouterSpec{Host: "landlord-router", RouterID: "172.20.16.1", Prefix: "172.20.16.0/22", Behind: []string{"172.20.16.10"}, Secret: "doors and lifts", Area: "0.0.0.0"})
	y.underlay("ng-edge-01", "wan1", "fibre", "Saltmarsh Fibre, circuit SF-8142", 6, 0.4, 0)
	y.underlay("ng-edge-01", "wan2", "fibre", "Inland Cable, circuit IC-19", 13, 1.9, 0.1)
}

func (y *yard) vessel(site, code string, net int, delay float64) {
	y.at(site, code, net)
	y.add("edge", "E50", 1)
	y.add("sw", "H24P", 1)
	y.link(code+"-sw-01", "1/1/24", code+"-edge-01", "lan1")
	for i, where := range []string{"saloon", "bridge"} {
		y.accessPoint("A2", i+1, code+"-sw-01", "1/1/"+strconv.Itoa(i+1), where)
	}
	y.wireless(code+"-ap-01", 0, 2, 14)
	y.wireless(code+"-ap-02", 1, 3, 0)
	y.plug(code+"-sw-01", phones.of(3), counters.of(1), cameras.of(6), displays.of(3))
	y.underlay(code+"-edge-01", "wan1", "satellite", "Polestar Satellite", delay, 22, 0.9)
	y.underlay(code+"-edge-01", "wan2", "wifi", "Shore Wi-Fi", 19, 6, 0.4)
	y.underlay(code+"-edge-01", "cell0", "cellular", "Gannet Mobile", 58, 16, 0.7)
}

// housePolicy is what the firewalls of the company let pass. Like most that were written over years it has rules that were meant for a while, one
// that another one hides, and one that is wider than anybody wanted.
func housePolicy(siteNet int, model string) *FirewallSpec {
	outside := map[string]string{"S200": "wan1", "S800": "lan20"}[model]
	prefix := func(vlan int) string { return fmt.Sprintf("10.%d.%d.0/24", siteNet, vlan) }
	f := &FirewallSpec{
		Zones: []SecurityZoneSpec{
			{"office", "desks and printers", []int{20}, nil}, {"voice", "telephones", []int{30}, nil}, {"tickets", "ticket counters", []int{40}, nil},
			{"cameras", "cameras and their recorders", []int{50}, nil}, {"boarding", "gates and displays", []int{60}, nil}, {"crew", "crew Wi-Fi", []int{70}, nil},
			{"guests", "passenger Wi-Fi", []int{80}, nil}, {"docks", "cranes and ramps", []int{90}, nil}, {"outside", "other sites, and the internet", nil, []string{outside}},
		},
		Addresses: []GroupSpec{
			{"inside", "all of the company", []string{"10.0.0.0/8"}, nil}, {"booking", "tickets and timetables", []string{"10.1.20.30"}, nil},
			{"call-servers", "who switches calls", []string{"10.1.30.10-10.1.30.11"}, nil}, {"recorders", "who keeps what cameras see", []string{"10.1.50.10"}, nil},
			{"dock-servers", "who steers cranes", []string{"10.1.90.10"}, nil}, {"tide-tables", "outside", []string{"tides.example.net"}, nil},
			{"desks", "desks of this site", []string{prefix(20)}, nil}, {"counters", "ticket counters of this site", []string{prefix(40)}, nil},
			{"boarding-halls", "gates and displays of this site", []string{prefix(60)}, nil}, {"ticketing", "whoever sells and checks tickets", nil, []string{"counters", "boarding-halls"}},
		},
		Services: []GroupSpec{
			{"web", "pages", []string{"tcp/80", "tcp/443"}, nil}, {"calls", "telephony", []string{"udp/5060-5061", "udp/16384-32767"}, nil},
			{"video", "streams of cameras", []string{"tcp/554"}, nil}, {"crane-control", "process control", []string{"tcp/502"}, nil},
			{"file-sharing", "", []string{"tcp/445"}, nil}, {"remote-desks", "", []string{"tcp/3389"}, nil}, {"names", "the domain name system", []string{"udp/53", "tcp/53"}, nil},
		},
		Rules: []RuleSpec{
			{10, "allow", []string{"voice"}, []string{"outside"}, nil, []string{"call-servers"}, []string{"calls"}, "", "telephones register and speak", false, ""},
			{20, "allow", []string{"cameras"}, []string{"outside"}, nil, []string{"recorders"}, []string{"video"}, "", "recording", false, ""},
			{30, "allow", []string{"tickets", "boarding"}, []string{"outside"}, []string{"ticketing"}, []string{"booking"}, []string{"web"}, "", "tickets are sold and checked", false, ""},
			{40, "allow", []string{"office", "crew"}, []string{"outside"}, nil, []string{"booking"}, []string{"web"}, "", "", false, ""},
			{50, "allow", []string{"docks"}, []string{"outside"}, nil, []string{"dock-servers"}, []string{"crane-control"}, "", "cranes are steered from the house", false, ""},
			{60, "deny", []string{"guests"}, []string{"any"}, nil, []string{"inside"}, nil, "", "passengers reach nothing of ours", true, ""},
			{70, "allow", []string{"guests", "crew", "office"}, []string{"outside"}, nil, nil, []string{"web", "names"}, "", "the internet", false, ""},
		},
	}
	f.Rules[5].To, f.Rules[6].Inspect = nil, "surfing"
	f.Inspections = []InspectionSpec{{Name: "surfing", Purpose: "what nobody surfs to on our lines", Blocked: []string{"gambling", "violence"}, Logged: []string{"news"}, Applications: []string{"file-sharing"},
		Limits: []string{"tide-tables=2M"}, FileLimit: 200, Intrusion: "high"}}
	f.Translations = []TranslationSpec{
		{Number: 10, Kind: "source", To: []string{"outside"}, Destination: []string{"inside"}, Note: "other sites know us by our own addresses"},
		{Number: 20, Kind: "source", To: []string{"outside"}, Into: fmt.Sprintf("198.51.100.%d", 10+siteNet), Note: "the internet knows us by this one"},
	}
	switch siteNet {
	case 1: // the servers stand here
		f.Translations = append(f.Translations, TranslationSpec{Number: 30, Kind: "destination", From: []string{"outside"}, Destination: []string{"198.51.100.80/32"}, Service: []string{"tcp/443"},
			Into: "10.1.20.30", Note: "passengers book from home"})
		f.Rules = append(f.Rules, RuleSpec{Number: 140, Action: "allow", From: []string{"outside"}, To: []string{"office"}, Destination: []string{"booking"}, Service: []string{"tcp/443"}, Note: "passengers book from home"})
		f.Rules = append(f.Rules, RuleSpec{100, "allow", []string{"outside"}, []string{"office"}, []string{"inside"}, []string{"booking"}, []string{"web"}, "", "all sites sell and check tickets", false, ""},
			RuleSpec{110, "allow", []string{"outside"}, []string{"voice"}, []string{"inside"}, []string{"call-servers"}, []string{"calls"}, "", "", false, ""},
			RuleSpec{120, "allow", []string{"outside"}, []string{"cameras"}, []string{"inside"}, []string{"recorders"}, []string{"video"}, "", "", false, ""},
			RuleSpec{130, "allow", []string{"outside"}, []string{"docks"}, []string{"inside"}, []string{"dock-servers"}, []string{"crane-control"}, "", "", false, ""})
	case 2: // what was meant for a while, and what another rule decides before
		f.Rules = append(f.Rules, RuleSpec{80, "allow", []string{"outside"}, []string{"docks", "office"}, nil, nil, []string{"remote-desks"}, "2026-09-30", "the crane maker looks after his cranes, until the end of September", true, ""},
			RuleSpec{90, "allow", []string{"guests"}, []string{"office"}, nil, []string{"desks"}, []string{"file-sharing"}, "", "the printer of the ticket office, for passengers", false, ""})
	case 6: // somebody was in a hurry
		f.Rules = append(f.Rules, RuleSpec{Number: 80, Action: "allow", Note: "until it works"})
	case 7:
		f.Rules = append(f.Rules, RuleSpec{80, "allow", []string{"office"}, []string{"outside"}, []string{"desks"}, nil, []string{"web"}, "", "the call floor reads the news", false, ""})
	}
	return f
}
