package standin

import "strconv"

// model is what a device of a model has when it leaves the box.
type model struct {
	maker, role string
	budget      int // mW
	supplies    int
	draw        int // mW, where it is fed over its cable
	serial      string
	firmware    string
	ports       func() []PortSpec
}

func portsOf(prefix string, first, count, mbps int, poe, cage bool) []PortSpec {
	out := make([]PortSpec, count)
	for i := range out {
		out[i] = PortSpec{Name: prefix + strconv.Itoa(first+i), Mode: "ACCESS", Untagged: 99, PoE: poe, Cage: cage, SpeedMbps: mbps, Disabled: !cage}
	}
	return out
}

func routed(list []PortSpec) []PortSpec {
	for i := range list {
		list[i].Mode, list[i].Untagged, list[i].Disabled = "", 0, false
	}
	return list
}

// combo gives ports a second connector.
func combo(list []PortSpec, which ...int) []PortSpec {
	for _, i := range which {
		list[i].Combo = true
	}
	return list
}

// withOwnPort adds a port for nothing but management.
func withOwnPort(list []PortSpec) []PortSpec {
	return append(list, routed(portsOf("mgmt", 0, 1, 1000, false, false))...)
}

func switchPorts(member, copper, copperSpeed, cages, cageSpeed int, poe bool) []PortSpec {
	prefix := strconv.Itoa(member) + "/1/"
	return append(portsOf(prefix, 1, copper, copperSpeed, poe, false), portsOf(prefix, copper+1, cages, cageSpeed, false, true)...)
}

// models are the makes of this world.
var models = map[string]model{
	"H8":   {"Halyard", "switch", 120_000, 1, 0, "HY08", "4.1.6", func() []PortSpec { return combo(switchPorts(1, 8, 1000, 2, 10_000, true), 6, 7) }},
	"H24P": {"Halyard", "switch", 370_000, 2, 0, "HY24", "4.1.6", func() []PortSpec { return switchPorts(1, 24, 1000, 4, 10_000, true) }},
	"H48P": {"Halyard", "switch", 740_000, 2, 0, "HY48", "4.1.6", func() []PortSpec { return switchPorts(1, 48, 1000, 4, 10_000, true) }},
	"H12R": {"Halyard", "switch", 180_000, 2, 0, "HY12", "3.8.2", func() []PortSpec { return switchPorts(1, 8, 1000, 4, 1000, true) }},
	"H32C": {"Halyard", "switch", 0, 2, 0, "HY32", "5.0.3", func() []PortSpec { return withOwnPort(switchPorts(1, 0, 0, 32, 100_000, false)) }},
	"H16S": {"Halyard", "switch", 0, 2, 0, "HY16", "2.2.0", func() []PortSpec { return withOwnPort(switchPorts(1, 0, 0, 16, 25_000, false)) }},
	"A2": {"Foghorn", "access-point", 0, 0, 11_800, "FH2", "2.7.0", func() []PortSpec {
		return append(portsOf("eth", 0, 1, 1000, false, false), routed([]PortSpec{{Name: "radio0", SpeedMbps: 574}, {Name: "radio1", SpeedMbps: 2402}})...)
	}},
	"A5": {"Foghorn", "access-point", 0, 0, 19_400, "FH5", "2.7.0", func() []PortSpec {
		return append(portsOf("eth", 0, 1, 1000, false, false), routed([]PortSpec{{Name: "radio0", SpeedMbps: 574}, {Name: "radio1", SpeedMbps: 2402}})...)
	}},
	"A6": {"Foghorn", "access-point", 0, 0, 21_600, "FH6", "2.7.0", func() []PortSpec {
		return append(portsOf("eth", 0, 1, 2500, false, false), routed([]PortSpec{{Name: "radio0", SpeedMbps: 574}, {Name: "radio1", SpeedMbps: 2402}, {Name: "radio2", SpeedMbps: 4804}})...)
	}},
	"S200": {"Seawall", "firewall", 0, 1, 0, "SW2", "9.0.4", func() []PortSpec {
		return routed(append(portsOf("lan", 1, 8, 1000, false, false), portsOf("wan", 1, 2, 10_000, false, true)...))
	}},
	"S800": {"Seawall", "firewall", 0, 2, 0, "SW8", "9.0.4", func() []PortSpec {
		return routed(append(portsOf("lan", 1, 16, 1000, false, false), portsOf("lan", 17, 4, 100_000, false, true)...))
	}},
	"E50": {"Causeway", "edge", 0, 1, 0, "CW5", "6.2.1", func() []PortSpec {
		return append(routed(append(portsOf("wan", 1, 2, 1000, false, false), PortSpec{Name: "cell0", SpeedMbps: 100})), portsOf("lan", 1, 4, 1000, false, false)...)
	}},
	"E500": {"Causeway", "edge", 0, 2, 0, "CW50", "6.2.1", func() []PortSpec {
		return append(routed(portsOf("wan", 1, 4, 10_000, false, true)), portsOf("lan", 1, 8, 100_000, false, true)...)
	}},
	"R18": {"Heliograph", "radio-link", 0, 1, 23_000, "HG18", "1.4.0", func() []PortSpec {
		return append(portsOf("eth", 0, 1, 1000, false, false), PortSpec{Name: "radio0", SpeedMbps: 1000, Carrier: &CarrierSpec{TxKHz: 18_305_000, RxKHz: 19_315_000, PowerDbm: 18}})
	}},
}
