package network

import "time"

// OperStatus is a port's operational state (IF-MIB ifOperStatus, as far as it concerns us).
type OperStatus string

// The states.
const (
	Up         OperStatus = "up"
	Down       OperStatus = "down"        // should be up, has no link
	NotPresent OperStatus = "not-present" // a cage without a module
	Unknown    OperStatus = "unknown"
)

// Counters are a port's totals since boot: octets (IF-MIB ifHCInOctets ...) and frames by kind, in error or dropped.
type Counters struct {
	RxOctets    uint64 `json:"rx_octets"`
	TxOctets    uint64 `json:"tx_octets"`
	RxUnicast   uint64 `json:"rx_unicast"`
	TxUnicast   uint64 `json:"tx_unicast"`
	RxMulticast uint64 `json:"rx_multicast"`
	TxMulticast uint64 `json:"tx_multicast"`
	RxBroadcast uint64 `json:"rx_broadcast"`
	TxBroadcast uint64 `json:"tx_broadcast"`
	RxErrors    uint64 `json:"rx_errors"`
	RxFCSErrors uint64 `json:"rx_fcs_errors"` // frames with a wrong checksum (EtherLike-MIB dot3StatsFCSErrors), counted in RxErrors too
	RxFragments uint64 `json:"rx_fragments"`  // frames shorter than 64 octets with a wrong checksum (RFC 2819 etherStatsFragments)
	Collisions  uint64 `json:"collisions"`    // of a half-duplex port (RFC 2819 etherStatsCollisions)
	RxDiscards  uint64 `json:"rx_discards"`
	TxErrors    uint64 `json:"tx_errors"`
	TxDiscards  uint64 `json:"tx_discards"`
}

// Neighbour is what the other end of a cable says of itself over LLDP (IEEE 802.1AB).
type Neighbour struct {
	SystemName string `json:"system_name"`
	PortID     string `json:"port_id"`
	ChassisID  string `json:"chassis_id"`
	System     string `json:"system_description,omitempty"`
	Address    string `json:"address,omitempty"` // by which it is managed
}

// PortState is what is observed of a port.
type PortState struct {
	Oper       OperStatus `json:"oper"`
	Changed    time.Time  `json:"changed"` // when Oper changed last, by the device's clock; zero when not told
	SpeedMbps  int        `json:"speed_mbps,omitempty"`
	MAC        string     `json:"mac,omitempty"`
	Addresses  []string   `json:"addresses,omitempty"` // of the port itself, with the length of the network
	ShutBy     string     `json:"shut_by,omitempty"`   // what on the device itself keeps it shut: flap-guard, loop-protection, bpdu-guard, schedule, follow
	PoEMilliW  int        `json:"poe_mw,omitempty"`
	PoEMilliV  int        `json:"poe_mv,omitempty"`    // of what it feeds, in mV
	PoEMilliA  int        `json:"poe_ma,omitempty"`    // in mA
	PoEClass   int        `json:"poe_class,omitempty"` // IEEE 802.3bt class 0 to 8
	Counters   Counters   `json:"counters"`
	Rates      Rates      `json:"-"` // since the reading before
	Neighbour  *Neighbour `json:"neighbour,omitempty"`
	ObservedAt time.Time  `json:"observed_at"`
}

// Health is one of the states that the product shows everywhere with the same shape and word.
type Health string

// The states of health.
const (
	Well          Health = "well"
	Degraded      Health = "degraded"
	HealthDown    Health = "down"
	Off           Health = "off"
	HealthUnknown Health = "unknown"
)

// PortHealth judges a port by what is set and what is seen. A free port without a cable is off, not down: it is down
// only when something was there that should be there still, which wanted tells.
func PortHealth(c PortConfig, s PortState, known, wanted bool) Health {
	switch {
	case !c.Enabled, known && s.ShutAsMeant():
		return Off
	case !known || s.Oper == Unknown || s.Oper == "":
		return HealthUnknown
	case s.Oper == Up:
		return Well
	case wanted:
		return HealthDown
	default:
		return Off
	}
}

// ShutAsMeant tells whether the device itself keeps the port shut because somebody wants it so at this time: by its hours, or with
// what it follows. What a guard shuts is a fault.
func (s PortState) ShutAsMeant() bool {
	return s.Oper != Up && (s.ShutBy == "schedule" || s.ShutBy == "follow")
}

// ShutWhy says why the device itself keeps a port shut, to follow its name; "" where it does not.
func (s PortState) ShutWhy() string {
	switch s.ShutBy {
	case "":
		return ""
	case "schedule":
		return "is shut by its schedule"
	case "follow":
		return "is shut because what it follows is down"
	case "flap-guard":
		return "was shut by its flap guard: its link came and went too often"
	case "loop-protection":
		return "was shut by loop protection: its own probe came back"
	case "bpdu-guard":
		return "was shut by its BPDU guard: a bridge was heard there"
	}
	return "was shut by the device: " + s.ShutBy
}

// Power is what a device feeds over its ports.
type Power struct {
	BudgetMilliW int `json:"budget_mw"`
	UsedMilliW   int `json:"used_mw"`
}

// State is what is observed of a device.
type State struct {
	ObservedAt time.Time            `json:"observed_at"`
	Ports      map[string]PortState `json:"ports"`
	Power      *Power               `json:"power,omitempty"`
	Resolved   []Resolved           `json:"-"` // by who routes
}

// Resolved is an address that a device resolved to a hardware address (ARP, RFC 826).
type Resolved struct {
	Address   string `json:"address"`
	MAC       string `json:"mac"`
	Interface string `json:"interface"`
}

// DeviceHealth judges a device by whether it is in hand.
func DeviceHealth(r Reach) Health {
	switch r {
	case ReachConnected:
		return Well
	case ReachWaiting:
		return HealthUnknown
	case ReachRetired:
		return Off
	}
	return HealthDown
}
