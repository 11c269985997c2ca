package network

import (
	"slices"
	"strings"
	"time"
)

// Inside is what is observed inside a device. It is read less often than its ports.
type Inside struct {
	ObservedAt time.Time      `json:"observed_at"`
	Hardware   Hardware       `json:"hardware"`
	MACs       []Learned      `json:"macs,omitempty"`
	Bundles    []Bundle       `json:"bundles,omitempty"`
	Spanning   *SpanningTree  `json:"spanning,omitempty"` // nil: it runs none
	Radios     []RadioState   `json:"radios,omitempty"`
	Heard      []Heard        `json:"heard,omitempty"`   // radios that its own hear
	Refused    []Refused      `json:"refused,omitempty"` // stations that tried to join and did not
	Stations   []Station      `json:"stations,omitempty"`
	Tunnels    []Tunnel       `json:"tunnels,omitempty"`
	Steered    *Steered       `json:"steered,omitempty"`
	RadioLink  *RadioLinkRead `json:"radio_link,omitempty"`
	Cluster    *Cluster       `json:"cluster,omitempty"`
	Sessions   int            `json:"sessions,omitempty"` // that a firewall holds
	Page       string         `json:"page,omitempty"`     // address of the device's own page, where it tells it
	Services   []RunService   `json:"services,omitempty"`
	Licences   []Licence      `json:"licences,omitempty"`

	Certificates []Certificate `json:"certificates,omitempty"`

	Slots []FirmwareSlot `json:"slots,omitempty"`
	VRFs  []VRF          `json:"vrfs,omitempty"`
	Clock *Clock         `json:"clock,omitempty"` // nil: it does not tell the time

	Rings      []RingState      `json:"rings,omitempty"`
	Pair       *PairState       `json:"pair,omitempty"`
	Classes    []ClassCount     `json:"classes,omitempty"`
	Controller *ControllerState `json:"controller,omitempty"`
	Intruders  []DHCPIntruder   `json:"dhcp_intruders,omitempty"`
	Logins     []StorageLogin   `json:"logins,omitempty"`
	Contacts   []ContactState   `json:"contacts,omitempty"`
	Lists      []ListHits       `json:"lists,omitempty"`
	Policy     *PolicyState     `json:"policy,omitempty"` // nil: it decides nothing
	Blocked    []Blocked        `json:"blocked,omitempty"`
	Pools      []Pool           `json:"pools,omitempty"`
	Leases     []Lease          `json:"leases,omitempty"`
}

// RunService is something that a device offers over the network, and that can be switched on and off.
type RunService struct {
	Name    string `json:"name"`
	Enabled bool   `json:"enabled"`
	Running bool   `json:"running"`
	Port    int    `json:"port,omitempty"` // TCP; 0: none of its own
	About   string `json:"about,omitempty"`
}

// FirmwareSlot is a place for firmware in a device.
type FirmwareSlot struct {
	Name    string    `json:"name"`
	State   SlotState `json:"state"`
	Version string    `json:"version,omitempty"`
}

// SlotState is how a slot stands.
type SlotState string

// The states of slots.
const (
	SlotRunning SlotState = "running"
	SlotStandby SlotState = "standby" // what is in it can be booted
	SlotFailed  SlotState = "failed"  // what is in it did not come up
	SlotEmpty   SlotState = "empty"
)

// Clock is how the clock of a device stands.
type Clock struct {
	AheadSeconds int    `json:"ahead_seconds"`    // of the service's own clock, when it was read; negative: behind it
	Server       string `json:"server,omitempty"` // by which it is set (RFC 5905); none where it runs by itself
	Stratum      int    `json:"stratum,omitempty"`
}

// ClockTolerance is by how many seconds a clock may differ and be called right: it is told in whole seconds, and takes a moment
// to be read.
const ClockTolerance = 2

// clockFar is by how many seconds a clock that is wrong is a trouble: the times of its log are no longer to be held against those
// of others.
const clockFar = 10

// Right reports whether the clock is.
func (c Clock) Right() bool { return max(c.AheadSeconds, -c.AheadSeconds) <= ClockTolerance }

// Licence is a right to use a device or a part of what it can do.
type Licence struct {
	Name string    `json:"name"`
	Ends time.Time `json:"ends"` // the begin of the day, UTC, on which it is no longer good; zero: never
}

// LicenceSoon is how long before its end a licence is to be seen to.
const LicenceSoon = 30 * 24 * time.Hour

// VRF is a table of routes of its own (virtual routing and forwarding; "default" where a device has one only).
type VRF struct {
	Name   string  `json:"name"`
	Routes []Route `json:"routes,omitempty"`
	BGP    *BGP    `json:"bgp,omitempty"`
	OSPF   *OSPF   `json:"ospf,omitempty"`
}

// Route is a way to a prefix that a device uses.
type Route struct {
	Prefix    string `json:"prefix"`
	Via       string `json:"via,omitempty"`       // the next hop; "" for what is directly connected
	Interface string `json:"interface,omitempty"` // out of which it goes
	Origin    string `json:"origin"`              // connected, static, bgp ...
	From      string `json:"from,omitempty"`      // the VRF from which it was leaked; "" where it is of its own
}

// BGP is the border gateway protocol (RFC 4271) in a VRF.
type BGP struct {
	AS         uint32         `json:"as"`
	RouterID   string         `json:"router_id"`
	Neighbours []BGPNeighbour `json:"neighbours,omitempty"`
}

// BGPNeighbour is who a device exchanges routes with.
type BGPNeighbour struct {
	Address     string    `json:"address"`
	Description string    `json:"description,omitempty"`
	AS          uint32    `json:"as"`
	State       string    `json:"state"` // idle, connect, active, opensent, openconfirm or established (RFC 4271 section 8.2.2)
	Since       time.Time `json:"since"` // of established; zero when it is not, or not told
	Received    int       `json:"received_prefixes"`
	Sent        int       `json:"sent_prefixes"`
	Fault       string    `json:"fault,omitempty"` // why it is not established, as the device tells: a code
}

// OSPF is open shortest path first (RFC 2328) in a VRF.
type OSPF struct {
	RouterID   string          `json:"router_id"`
	Interfaces []OSPFInterface `json:"interfaces,omitempty"`
}

// OSPFInterface is a network in which a device speaks OSPF.
type OSPFInterface struct {
	Name       string          `json:"name"`
	Area       string          `json:"area"`
	Fault      string          `json:"fault,omitempty"` // why packets were dropped lately: a code
	Neighbours []OSPFNeighbour `json:"neighbours,omitempty"`
}

// OSPFNeighbour is a router that is heard there.
type OSPFNeighbour struct {
	RouterID string    `json:"router_id"`
	Address  string    `json:"address,omitempty"`
	State    string    `json:"state"` // down, attempt, init, two_way, exstart, exchange, loading or full (RFC 2328 section 10.1)
	Since    time.Time `json:"since"` // of full; zero when it is not, or not told
}

// Hardware is the box and what is in it.
type Hardware struct {
	CPUPercent   float64  `json:"cpu_percent"`
	MemoryUsed   int64    `json:"memory_used_bytes"`
	MemoryTotal  int64    `json:"memory_total_bytes"` // 0: not told
	FlashUsed    int64    `json:"flash_used_bytes,omitempty"`
	FlashTotal   int64    `json:"flash_total_bytes,omitempty"` // 0: not told
	Temperature  float64  `json:"temperature_celsius"`
	HasSensors   bool     `json:"has_sensors"` // whether the numbers above were told
	Fans         []Fan    `json:"fans,omitempty"`
	Supplies     []Supply `json:"supplies,omitempty"`
	Transceivers []Module `json:"transceivers,omitempty"`
}

// Fan is a fan.
type Fan struct {
	Name string `json:"name"`
	RPM  int    `json:"rpm"`
	OK   bool   `json:"ok"`
}

// Supply is a power supply.
type Supply struct {
	Name  string  `json:"name"`
	Watts float64 `json:"watts"` // that it gives
	OK    bool    `json:"ok"`
}

// Module is a transceiver in a cage with its readings, and the limits that its maker gives for them.
type Module struct {
	Port        string  `json:"port"`
	Maker       string  `json:"maker"`
	Model       string  `json:"model"`
	Serial      string  `json:"serial"`
	Form        string  `json:"form"` // SFP+, QSFP28 ...
	Temperature float64 `json:"temperature_celsius"`
	TxDbm       float64 `json:"tx_dbm"`
	RxDbm       float64 `json:"rx_dbm"`
	BiasMA      float64 `json:"bias_ma"`
	Limits      Limits  `json:"limits"`
}

// Limits are where a module's readings become a warning; a pair of zeros is not told.
type Limits struct {
	TxLow           float64 `json:"tx_low_dbm"`
	TxHigh          float64 `json:"tx_high_dbm"`
	RxLow           float64 `json:"rx_low_dbm"`
	RxHigh          float64 `json:"rx_high_dbm"`
	TemperatureHigh float64 `json:"temperature_high_celsius"`
}

// Learned is an entry of a MAC table.
type Learned struct {
	MAC  string `json:"mac"`
	VLAN VLANID `json:"vlan"`
	Port string `json:"port"` // or a bundle
}

// Bundle is a link aggregation (IEEE 802.1AX) as it is.
type Bundle struct {
	Name      string         `json:"name"`
	Up        bool           `json:"up"`
	SpeedMbps int            `json:"speed_mbps"`
	Members   []BundleMember `json:"members"`
}

// BundleMember is a port of a bundle.
type BundleMember struct {
	Port    string `json:"port"`
	InSync  bool   `json:"in_sync"`           // LACP agreed to use it
	Partner string `json:"partner,omitempty"` // system id of the other end
}

// SpanningTree is what a bridge knows of the common spanning tree (IEEE 802.1Q clause 13), and of those of instances.
type SpanningTree struct {
	Tree
	Instances map[int]Tree `json:"instances,omitempty"`
}

// In is the tree of an instance, 0 for the common one; where the bridge tells of no such instance, that is the common one too.
func (s SpanningTree) In(instance int) Tree {
	if t, ok := s.Instances[instance]; ok {
		return t
	}
	return s.Tree
}

// Tree is one spanning tree, as a bridge sees it.
type Tree struct {
	Priority     int                     `json:"priority"`
	Address      string                  `json:"address"`
	RootPriority int                     `json:"root_priority"`
	RootAddress  string                  `json:"root_address"`
	RootCost     int                     `json:"root_cost"`
	Ports        map[string]SpanningPort `json:"ports,omitempty"`
}

// SpanningPort is the part of a port.
type SpanningPort struct {
	State string `json:"state"` // forwarding, blocking, learning, listening, disabled
	Role  string `json:"role"`  // root, designated, alternate, backup
}

// Blocks tells whether nothing passes the port (IEEE 802.1Q 13.12: an alternate or backup port).
func (p SpanningPort) Blocks() bool {
	return p.State == "blocking" || p.Role == "alternate" || p.Role == "backup"
}

// RadioState is a radio of an access point.
type RadioState struct {
	ID          string `json:"id"`
	Band        string `json:"band"` // 2.4 GHz, 5 GHz, 6 GHz
	Channel     int    `json:"channel"`
	WidthMHz    int    `json:"width_mhz"`
	PowerDbm    int    `json:"power_dbm"`
	BusyPercent int    `json:"busy_percent"` // of the time that the channel is taken
	NoiseDbm    int    `json:"noise_dbm"`
}

// Heard is a radio that one of an access point hears, of whomever it is.
type Heard struct {
	Radio     string `json:"radio"` // which hears it
	BSSID     string `json:"bssid"`
	SSID      string `json:"ssid"`
	Channel   int    `json:"channel"`
	WidthMHz  int    `json:"width_mhz"`
	SignalDbm int    `json:"signal_dbm"`
}

// Refused is a station that tried to join a wireless network and did not.
type Refused struct {
	MAC       string    `json:"mac"`
	WLAN      string    `json:"wlan"`
	Radio     string    `json:"radio"`
	SignalDbm int       `json:"signal_dbm"`
	Last      time.Time `json:"last"` // when it tried last
	Tries     int       `json:"tries"`
	Step      string    `json:"step"` // how far it came: association, authentication, key
	Why       string    `json:"why"`  // what was in the way
}

// Station is a client that joined a wireless network.
type Station struct {
	MAC       string `json:"mac"`
	SSID      string `json:"ssid"`
	Band      string `json:"band"`
	VLAN      VLANID `json:"vlan,omitempty"`
	Name      string `json:"name,omitempty"` // that it gave itself
	Address   string `json:"address,omitempty"`
	System    string `json:"system,omitempty"` // operating system
	SignalDbm int    `json:"signal_dbm"`
	RxOctets  uint64 `json:"rx_octets"` // that the access point received from it since it joined
	TxOctets  uint64 `json:"tx_octets"` // that the access point sent to it since it joined
	// Since the reading before; RatesKnown tells whether there was one in which it was there.
	RxBps      float64 `json:"rx_bps"`
	TxBps      float64 `json:"tx_bps"`
	RatesKnown bool    `json:"rates_known,omitempty"`
}

// RateStations works out what goes to and from the stations, from the reading before. One that joined anew meanwhile counts
// from zero again, and nothing is known of it.
func (i *Inside) RateStations(before Inside) {
	span := i.ObservedAt.Sub(before.ObservedAt)
	if span <= 0 || span > maxRateSpan {
		return
	}
	old := make(map[string]Station, len(before.Stations))
	for _, s := range before.Stations {
		old[s.MAC] = s
	}
	for n := range i.Stations {
		s := &i.Stations[n]
		was, known := old[s.MAC]
		if !known || s.RxOctets < was.RxOctets || s.TxOctets < was.TxOctets {
			continue
		}
		s.RxBps, s.TxBps, s.RatesKnown = 8*float64(s.RxOctets-was.RxOctets)/span.Seconds(), 8*float64(s.TxOctets-was.TxOctets)/span.Seconds(), true
	}
}

// Steered is which tunnels the traffic of an edge goes over, and how it moved lately.
type Steered struct {
	Flows []Flow `json:"flows,omitempty"`
	Moves []Move `json:"moves,omitempty"`
}

// Flow is traffic of a way to another edge.
type Flow struct {
	Way    int       `json:"way"` // 0: what no way fits
	Remote string    `json:"remote"`
	Tunnel string    `json:"tunnel,omitempty"` // "": none
	Second string    `json:"second,omitempty"`
	Since  time.Time `json:"since"`
	Why    string    `json:"why,omitempty"` // first, limit, down, return or lost
	Octets uint64    `json:"octets,omitempty"`
}

// Move is traffic that took another tunnel.
type Move struct {
	Number      uint64    `json:"number"`
	At          time.Time `json:"at"`
	Way         int       `json:"way"`
	Remote      string    `json:"remote"`
	From        string    `json:"from,omitempty"`
	To          string    `json:"to,omitempty"` // "": none
	Why         string    `json:"why"`
	DelayMs     float64   `json:"delay_ms,omitempty"` // of the tunnel that it left
	JitterMs    float64   `json:"jitter_ms,omitempty"`
	LossPercent float64   `json:"loss_percent,omitempty"`
}

// Tunnel is an overlay tunnel of an edge.
type Tunnel struct {
	Name          string    `json:"name"`
	Underlay      string    `json:"underlay"`
	Port          string    `json:"port"`
	RemoteSystem  string    `json:"remote_system"`
	RemoteAddress string    `json:"remote_address"`
	Up            bool      `json:"up"`
	Fault         string    `json:"fault,omitempty"` // why it is not up, as the edge sees it; "" where it does not say
	Changed       time.Time `json:"changed"`
	DelayMs       float64   `json:"delay_ms"`
	JitterMs      float64   `json:"jitter_ms"`
	LossPercent   float64   `json:"loss_percent"`
	// Sent and Received are each way apart; nil where the edge measures there and back only.
	Sent     *OneWay `json:"sent,omitempty"`
	Received *OneWay `json:"received,omitempty"`
}

// OneWay is what a tunnel is like in one direction (RFC 7679, RFC 3393, RFC 7680).
type OneWay struct {
	DelayMs     float64 `json:"delay_ms"`
	JitterMs    float64 `json:"jitter_ms"`
	LossPercent float64 `json:"loss_percent"`
}

// RadioLinkRead is how one end of a radio link hears the other.
type RadioLinkRead struct {
	ReceivedDbm  float64 `json:"received_dbm"` // 0 where nothing is heard
	Modulation   string  `json:"modulation"`
	CapacityMbps int     `json:"capacity_mbps"`
	FrequencyGHz float64 `json:"frequency_ghz"`
	DistanceKm   float64 `json:"distance_km"`
	// What it should receive in clear air (ITU-R P.525), from what the other end sends and both antennas; nil where that is not told.
	ExpectedDbm *float64 `json:"expected_dbm,omitempty"`

	Port       string           `json:"port,omitempty"` // the end that it is
	Sends      bool             `json:"sends"`
	SentDbm    float64          `json:"sent_dbm,omitempty"`
	GainDbi    float64          `json:"gain_dbi,omitempty"` // of its antenna
	FarGainDbi float64          `json:"far_gain_dbi,omitempty"`
	LowestMHz  float64          `json:"lowest_mhz,omitempty"` // that the hardware can send and hear; 0 where it is not told
	HighestMHz float64          `json:"highest_mhz,omitempty"`
	Errors     *RadioLinkErrors `json:"errors,omitempty"` // nil where it does not count
}

// RadioLinkErrors are seconds counted since the device started (ITU-T G.828).
type RadioLinkErrors struct {
	Seconds     uint64 `json:"seconds"` // all, the unavailable ones among them
	Errored     uint64 `json:"errored"`
	Severely    uint64 `json:"severely"` // of the errored ones
	Unavailable uint64 `json:"unavailable"`
	BlockErrors uint64 `json:"block_errors"`
}

// Cluster is several boxes that act as one.
type Cluster struct {
	Kind       string          `json:"kind"` // stack, mlag or high-availability
	Name       string          `json:"name"`
	PeerBundle string          `json:"peer_bundle,omitempty"`
	Members    []ClusterMember `json:"members"`
}

// ClusterMember is one box of a cluster.
type ClusterMember struct {
	Name   string `json:"name"`
	Role   string `json:"role"`
	Model  string `json:"model"`
	Serial string `json:"serial"`
}

// Adjacency is another device that a device knows of, and the address by which that is managed.
type Adjacency struct {
	System  string `json:"system"`
	Address string `json:"address"`
	Via     string `json:"via"` // the port or tunnel
}

// Adjacencies lists the other devices that a device tells of: over LLDP, and at the other end of tunnels.
func Adjacencies(ports map[string]PortState, tunnels []Tunnel) []Adjacency {
	var out []Adjacency
	for name, p := range ports {
		if n := p.Neighbour; n != nil && n.Address != "" {
			out = append(out, Adjacency{System: n.SystemName, Address: n.Address, Via: name})
		}
	}
	for _, t := range tunnels {
		if t.RemoteAddress != "" {
			out = append(out, Adjacency{System: t.RemoteSystem, Address: t.RemoteAddress, Via: t.Name})
		}
	}
	return out
}

// Limits beyond which something inside a device is in trouble, where it gives none itself.
const (
	hotCelsius  = 75.0
	busyPercent = 95.0
	lossyTunnel = 5.0 // percent
	faintDbm    = -57 // what a radio link receives: below it, it carries much less than in clear air
)

// Trouble is something that is wrong inside a device.
type Trouble struct {
	Key  string         `json:"key"`            // what it is, the same as long as it lasts
	Code string         `json:"code"`           // of what kind it is
	Args map[string]any `json:"args,omitempty"` // names, and readings of the moment: texts and numbers
}

// troubles collects what is wrong.
type troubles []Trouble

// say adds one: its key, its code and the names and values of its arguments.
func (t *troubles) say(key, code string, args ...any) {
	of := map[string]any{}
	for i := 0; i < len(args); i += 2 {
		of[args[i].(string)] = args[i+1]
	}
	*t = append(*t, Trouble{key, code, of})
}

// OfLinks tells whether the trouble is with what joins devices: a bundle, a tunnel, a ring, a pair, a session of a routing
// protocol. A change can bring such about; it makes no fan stop.
func (t Trouble) OfLinks() bool {
	kind, _, _ := strings.Cut(t.Key, " ")
	switch kind {
	case "bundle", "tunnel", "loss", "bgp", "ospf", "ring", "pair", "keepalive", "controller":
		return true
	}
	return false
}

// troubles are sessions with routers that do not stand.
func (v VRF) troubles(say func(key, code string, args ...any)) {
	if v.BGP != nil {
		for _, n := range v.BGP.Neighbours {
			if n.State != "established" {
				say("bgp "+v.Name+" "+n.Address, "bgp", "with", strings.TrimSpace(n.Description+" "+n.Address), "state", n.State)
			}
		}
	}
	if v.OSPF == nil {
		return
	}
	for _, i := range v.OSPF.Interfaces {
		full := slices.ContainsFunc(i.Neighbours, func(n OSPFNeighbour) bool { return n.State == "full" || n.State == "two_way" })
		if i.Fault != "" || !full {
			say("ospf "+v.Name+" "+i.Name, "ospf", "interface", i.Name, "area", i.Area)
		}
	}
}

// Troubles says what is wrong inside a device, the worst first. Nothing is said of what was not read.
func (i Inside) Troubles() []Trouble {
	var out troubles
	say := out.say
	for _, s := range i.Hardware.Supplies {
		if !s.OK {
			say("supply "+s.Name, "supply", "name", s.Name)
		}
	}
	for _, f := range i.Hardware.Fans {
		if !f.OK {
			say("fan "+f.Name, "fan", "name", f.Name)
		}
	}
	i.standingTroubles(&out)
	if i.Hardware.Temperature > hotCelsius {
		say("hot", "hot", "celsius", i.Hardware.Temperature, "limit", float64(hotCelsius))
	}
	if i.Hardware.CPUPercent > busyPercent {
		say("busy", "busy", "percent", i.Hardware.CPUPercent)
	}
	for _, m := range i.Hardware.Transceivers {
		if low := m.Limits.RxLow; low != 0 && m.RxDbm < low && m.RxDbm > -35 { // below that there is no light at all: the link tells
			say("module "+m.Port, "module", "port", m.Port, "dbm", m.RxDbm, "limit", low)
		}
	}
	if c := i.Clock; c != nil && max(c.AheadSeconds, -c.AheadSeconds) > clockFar {
		code := "clock-ahead"
		if c.AheadSeconds < 0 {
			code = "clock-behind"
		}
		say("clock", code, "seconds", max(c.AheadSeconds, -c.AheadSeconds), "server", c.Server)
	}
	for _, b := range i.Bundles {
		lost := 0
		for _, m := range b.Members {
			if !m.InSync {
				lost++
			}
		}
		if lost > 0 {
			say("bundle "+b.Name, "bundle", "lost", lost, "of", len(b.Members), "name", b.Name)
		}
	}
	for _, t := range i.Tunnels {
		switch {
		case !t.Up:
			say("tunnel "+t.Name, "tunnel", "name", t.Name, "to", t.RemoteSystem)
		case t.LossPercent > lossyTunnel:
			say("loss "+t.Name, "loss", "name", t.Name, "to", t.RemoteSystem, "percent", t.LossPercent)
		}
	}
	for _, v := range i.VRFs {
		v.troubles(say)
	}
	for _, l := range i.Licences {
		if !l.Ends.IsZero() && !l.Ends.After(i.ObservedAt) {
			say("licence "+l.Name, "licence", "name", l.Name, "on", l.Ends.Format(time.DateOnly))
		}
	}
	for _, c := range i.Certificates {
		if st := c.Standing(i.ObservedAt); st != CertificateGood {
			say("certificate "+c.Name, "certificate-"+string(st), "name", c.Name, "on", c.NotAfter.Format(time.DateOnly))
		}
	}
	if r := i.RadioLink; r != nil && r.ReceivedDbm < faintDbm {
		say("radio link", "radio-link", "dbm", r.ReceivedDbm, "mbps", r.CapacityMbps)
	}
	return out
}
