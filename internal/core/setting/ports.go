package setting

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
)

// Features of switches by which they take settings of ports.
const (
	LinkModes    network.Feature = "link modes"    // speed, duplex, flow control, MTU, energy saving
	VoiceVLAN    network.Feature = "voice VLAN"    // announced by LLDP-MED
	Isolation    network.Feature = "isolation"     // of ports from each other
	StormLimits  network.Feature = "storm limits"  // on broadcast, multicast and unknown unicast
	RateLimits   network.Feature = "rate limits"   // in and out
	DHCPSnooping network.Feature = "DHCP snooping" // of servers on ports that are not trusted
	SpanningTree network.Feature = "spanning tree" // IEEE 802.1Q clause 13
	LoopGuard    network.Feature = "loop protection"
	PortAccess   network.Feature = "port access control" // IEEE 802.1X
	PowerBudget  network.Feature = "power priorities"
	Schedules    network.Feature = "schedules"
	Mirrors      network.Feature = "mirrors"
	DSCPMarks    network.Feature = "DSCP marking"
	AccessLists  network.Feature = "access lists"
	LinkTracking network.Feature = "link tracking" // a port that follows its uplinks, flap guard
	Bundles      network.Feature = "link aggregation"
	IGMPSnooping network.Feature = "IGMP snooping"
)

// isBundleName tells the name of a bundle: lag and a number from 1 to 9999.
func isBundleName(s string) bool {
	number, ok := strings.CutPrefix(s, "lag")
	return ok && len(number) > 0 && len(number) <= 4 && number[0] != '0' && strings.Trim(number, "0123456789") == ""
}

var (
	portOnly  = []Kind{OnPort}
	portLike  = []Kind{OnPort, OnBundle}
	errRouted = errors.New("is not a switched port, so it has no VLANs")
)

func switched(p network.PortConfig) error {
	if p.Mode == "" {
		return errRouted
	}
	return nil
}

func isRouted(p network.PortConfig) error {
	if p.Mode != "" {
		return errors.New("is a switched port: it is in VLANs")
	}
	return nil
}

func feeds(p network.PortConfig) error {
	if !p.HasPoE {
		return errors.New("cannot feed power")
	}
	return nil
}

func combo(p network.PortConfig) error {
	if !p.Combo {
		return errors.New("has only one connector")
	}
	return nil
}

// ofVLANs makes the settings that a member of a bundle has from it.
func ofVLANs(s Setting, get func(network.PortConfig) (string, error), set func(*network.PortConfig, string) error) Setting {
	return field(s, func(p network.PortConfig) (string, error) {
		if p.LAG != "" {
			return "", fmt.Errorf("is a member of %s: VLANs are set on the bundle", p.LAG)
		}
		if p.Mode == "" {
			return "", errRouted
		}
		return get(p)
	}, set)
}

// field makes a setting that has a field of its own.
func field(s Setting, get func(network.PortConfig) (string, error), set func(*network.PortConfig, string) error) Setting {
	s.get = func(c network.Config, object string) (string, error) {
		p, ok := portOf(c, object)
		if !ok {
			return "", missing(KindOf(object), object)
		}
		return get(p)
	}
	s.set = func(c *network.Config, object, value string) error {
		p, ok := portOf(*c, object)
		if !ok {
			return missing(KindOf(object), object)
		}
		if _, err := get(p); err != nil {
			return err
		}
		if err := set(&p, value); err != nil {
			return err
		}
		putPort(c, object, p)
		return nil
	}
	return s
}

func word(on bool) string {
	if on {
		return "on"
	}
	return "off"
}

func vlanWord(v network.VLANID) string {
	if v == 0 {
		return "none"
	}
	return v.String()
}

var portSettings = []Setting{
	field(Setting{Name: "description", On: portLike, Title: "Description", Group: "Port", Help: "what the port is for, as shown on the device", Value: text(64)},
		func(p network.PortConfig) (string, error) { return p.Description, nil },
		func(p *network.PortConfig, v string) error { p.Description = v; return nil }),
	field(Setting{Name: "enabled", On: portLike, Title: "Port", Group: "Port", Help: "whether the port works at all (its administrative state)", Default: "on", Value: onOff()},
		func(p network.PortConfig) (string, error) { return word(p.Enabled), nil },
		func(p *network.PortConfig, v string) error { p.Enabled = v == "on"; return nil }),
	field(Setting{Name: "bundle", On: portOnly, rank: 1, Title: "Bundle", Group: "Port", Help: "the link aggregation of which it is a member (IEEE 802.1AX)", Default: "none", Needs: Bundles,
		Value: Value{Type: Name, Of: OnBundle, Form: "lag1, lag2 ...", normal: checkBundle}.or("none")},
		func(p network.PortConfig) (string, error) {
			if p.LAG == "" {
				return "none", switched(p)
			}
			return p.LAG, nil
		},
		func(p *network.PortConfig, v string) error {
			if p.LAG = v; v == "none" {
				p.LAG = ""
			}
			return nil
		}),
	ofVLANs(Setting{Name: "mode", On: portLike, rank: 2, Title: "Mode", Group: "Port", Help: "access: one untagged VLAN; trunk: tagged VLANs and a native one (IEEE 802.1Q)", Value: choice("access", "trunk")},
		func(p network.PortConfig) (string, error) { return string(p.Mode), nil },
		func(p *network.PortConfig, v string) error {
			switch to := network.PortMode(v); {
			case p.Mode == to:
			case to == network.Access: // the untagged VLAN stays what it was; the tagged ones go with the trunk
				p.AccessVLAN, p.NativeVLAN, p.TrunkVLANs, p.Mode = p.NativeVLAN, 0, nil, to
			default:
				p.NativeVLAN, p.AccessVLAN, p.Mode = p.AccessVLAN, 0, to
			}
			return nil
		}),
	ofVLANs(Setting{Name: "vlan", On: portLike, rank: 3, Title: "VLAN (access)", Group: "Port", Help: "the VLAN of an access port", Value: vlan()},
		func(p network.PortConfig) (string, error) {
			if p.Mode != network.Access {
				return "", errors.New("is not an access port: set native-vlan or trunk-vlans, or mode=access first")
			}
			if p.AccessVLAN == 0 {
				return "", nil
			}
			return p.AccessVLAN.String(), nil
		},
		func(p *network.PortConfig, v string) (err error) {
			p.AccessVLAN, err = network.ParseVLAN(v)
			return err
		}),
	ofVLANs(Setting{Name: "native-vlan", On: portLike, rank: 3, Title: "Native VLAN (trunk)", Group: "Port", Help: "the untagged VLAN of a trunk port", Value: vlan().or("none")}, trunkOnly(func(p network.PortConfig) string { return vlanWord(p.NativeVLAN) }),
		func(p *network.PortConfig, v string) (err error) {
			if p.NativeVLAN = 0; v != "none" {
				p.NativeVLAN, err = network.ParseVLAN(v)
			}
			return err
		}),
	ofVLANs(Setting{Name: "trunk-vlans", On: portLike, rank: 3, Title: "Tagged VLANs (trunk)", Group: "Port", Help: "the tagged VLANs of a trunk port, all of them", Value: vlans().or("none")},
		trunkOnly(func(p network.PortConfig) string {
			if len(p.TrunkVLANs) == 0 {
				return "none"
			}
			return p.TrunkVLANs.String()
		}),
		func(p *network.PortConfig, v string) (err error) {
			if p.TrunkVLANs = nil; v != "none" {
				p.TrunkVLANs, err = network.ParseVLANSet(v)
			}
			return err
		}),
	{Name: "voice-vlan", On: portOnly, rank: 3, Title: "Voice VLAN", Group: "Port", Help: "the VLAN for phones, announced to them by LLDP-MED (ANSI/TIA-1057)", Default: "none", Needs: VoiceVLAN, Value: vlan().or("none"), when: switched},

	field(Setting{Name: "poe", On: portOnly, Title: "PoE", Group: "Port", Help: "whether the port feeds power (IEEE 802.3bt)", Default: "on", Value: onOff()},
		func(p network.PortConfig) (string, error) { return word(p.PoE), feeds(p) },
		func(p *network.PortConfig, v string) error { p.PoE = v == "on"; return nil }),
	{Name: "poe-class", On: portOnly, Title: "Class limit", Group: "Power", Help: "the highest class of device that is fed (IEEE 802.3bt)", Default: "automatic", Needs: PowerBudget, Value: number(1, 8, "").or("automatic"), when: feeds},
	{Name: "poe-priority", On: portOnly, Title: "Priority", Group: "Power", Help: "who keeps power when the budget is short (POWER-ETHERNET-MIB pethPsePortPowerPriority)", Default: "low", Needs: PowerBudget, Value: choice("critical", "high", "low"), when: feeds},
	{Name: "poe-through-reboot", On: portOnly, Title: "Through reboot", Group: "Power", Help: "keep feeding while the device restarts", Default: "off", Needs: PowerBudget, Value: onOff(), when: feeds},

	{Name: "speed", On: portOnly, Title: "Speed", Group: "Link", Help: "negotiated (IEEE 802.3 clause 28), or fixed", Default: "auto", Needs: LinkModes, Value: choice("auto", "10M", "100M", "1G", "2.5G", "5G", "10G", "25G", "40G", "100G").caseless()},
	{Name: "duplex", On: portOnly, Title: "Duplex", Group: "Link", Help: "negotiated, or fixed", Default: "auto", Needs: LinkModes, Value: choice("auto", "full", "half")},
	{Name: "flow-control", On: portOnly, Title: "Flow control", Group: "Link", Help: "pause frames (IEEE 802.3 annex 31B)", Default: "off", Needs: LinkModes, Value: onOff()},
	{Name: "mtu", On: portLike, Title: "MTU", Group: "Link", Help: "the largest frame in octets, without its header", Default: "default", Needs: LinkModes, Value: number(576, 9600, "octets").or("default")},
	{Name: "connector", On: portOnly, Title: "Connector", Group: "Link", Help: "which of two connectors works", Default: "auto", Needs: LinkModes, Value: choice("auto", "copper", "fibre"), when: combo},
	{Name: "energy-saving", On: portOnly, Title: "Energy saving", Group: "Link", Help: "sleep between frames (IEEE 802.3az)", Default: "off", Needs: LinkModes, Value: onOff()},
	{Name: "schedule", On: portOnly, Title: "Schedule", Group: "Link", Help: "the hours in which the port works", Default: "none", Needs: Schedules, Value: named(OnSchedule)},
	{Name: "follow", On: portOnly, Title: "Follow", Group: "Link", Help: "goes down when all of these ports are down", Default: "none", Needs: LinkTracking, Value: ports(8), fits: notItself},
	{Name: "follow-delay", On: portOnly, Title: "Follow after", Group: "Link", Help: "how long they must be down", Default: "3", Needs: LinkTracking, Value: number(0, 300, "s")},
	{Name: "flap-changes", On: portOnly, Title: "Flap guard", Group: "Link", Help: "shut after so many changes of the link in the flap window", Default: "none", Needs: LinkTracking, Value: number(2, 100, "changes").or("none")},
	{Name: "flap-window", On: portOnly, Title: "Flap window", Group: "Link", Help: "the time in which changes are counted", Default: "10", Needs: LinkTracking, Value: number(1, 3600, "s")},
	{Name: "flap-hold", On: portOnly, Title: "Flap hold", Group: "Link", Help: "how long it stays shut", Default: "300", Needs: LinkTracking, Value: number(1, 86_400, "s")},

	{Name: "isolation", On: portLike, Title: "Isolation", Group: "Protection", Help: "ports of one group of isolation exchange no frames with each other", Default: "none", Needs: Isolation, Value: number(1, 64, "").or("none"), when: switched},
	{Name: "broadcast-limit", On: portLike, Title: "Broadcast", Group: "Protection", Help: "broadcast frames that are let in", Default: "none", Needs: StormLimits, Value: number(1, 1_000_000, "frames/s").or("none"), when: switched},
	{Name: "multicast-limit", On: portLike, Title: "Multicast", Group: "Protection", Help: "multicast frames that are let in", Default: "none", Needs: StormLimits, Value: number(1, 1_000_000, "frames/s").or("none"), when: switched},
	{Name: "unknown-limit", On: portLike, Title: "Unknown unicast", Group: "Protection", Help: "frames to unknown addresses that are let in", Default: "none", Needs: StormLimits, Value: number(1, 1_000_000, "frames/s").or("none"), when: switched},
	{Name: "rate-in", On: portLike, Title: "Rate in", Group: "Protection", Help: "what is let in, the rest is dropped", Default: "none", Needs: RateLimits, Value: rate().or("none")},
	{Name: "rate-out", On: portLike, Title: "Rate out", Group: "Protection", Help: "what is sent, the rest is dropped", Default: "none", Needs: RateLimits, Value: rate().or("none")},
	{Name: "dhcp-trust", On: portLike, Title: "DHCP trust", Group: "Protection", Help: "DHCP servers may answer through it, in VLANs that snoop", Default: "off", Needs: DHCPSnooping, Value: onOff(), when: switched},
	{Name: "edge", On: portLike, Title: "Edge", Group: "Protection", Help: "forwards at once, for what is no bridge (IEEE 802.1Q operEdge)", Default: "auto", Needs: SpanningTree, Value: choice("auto", "on", "off"), when: switched},
	{Name: "bpdu-guard", On: portLike, Title: "BPDU guard", Group: "Protection", Help: "shuts when a bridge is heard on it", Default: "off", Needs: SpanningTree, Value: onOff(), when: switched},
	{Name: "root-guard", On: portLike, Title: "Root guard", Group: "Protection", Help: "never takes it as the way to a root", Default: "off", Needs: SpanningTree, Value: onOff(), when: switched},
	{Name: "loop-protection", On: portLike, Title: "Loop protection", Group: "Protection", Help: "shuts when its own probe comes back", Default: "off", Needs: LoopGuard, Value: onOff(), when: switched},
	{Name: "access-control", On: portOnly, Title: "Access control", Group: "Protection", Help: "who plugs in must be let in by RADIUS (IEEE 802.1X)", Default: "off", Needs: PortAccess, Value: choice("off", "802.1x", "mac", "802.1x-or-mac"), when: switched},
	{Name: "guest-vlan", On: portOnly, Title: "Guest VLAN", Group: "Protection", Help: "where who is not let in is put instead", Default: "none", Needs: PortAccess, Value: vlan().or("none"), when: switched},
	{Name: "acl-in", On: portLike, rank: 3, Title: "Access list in", Group: "Protection", Help: "the access list that what comes in must pass", Default: "none", Needs: AccessLists, Value: named(OnACL), when: switched},
	{Name: "vrf", On: portOnly, Title: "VRF", Group: "Traffic", Help: "the VRF in which a routed port is, where that is not the one that all use", Default: "none", Needs: OwnPort, Value: label("the name of a VRF").or("none"), when: isRouted},
	{Name: "dscp", On: portOnly, Title: "DSCP", Group: "Traffic", Help: "trust what frames say, ignore it, or write a class of your own (RFC 2474)", Default: "trust", Needs: DSCPMarks, Value: number(0, 63, "").or("trust", "ignore"), when: switched},
}

func notItself(object, value string) error {
	if slices.Contains(Items(value), object) {
		return errors.New("cannot follow itself")
	}
	return nil
}

func checkBundle(s string) (string, error) {
	if !isBundleName(s) {
		return "", fmt.Errorf("%q is not the name of a bundle: write lag and a number, such as lag1", s)
	}
	return s, nil
}

func trunkOnly(get func(network.PortConfig) string) func(network.PortConfig) (string, error) {
	return func(p network.PortConfig) (string, error) {
		if p.Mode != network.Trunk {
			return "", errors.New("is not a trunk port: set vlan, or mode=trunk first")
		}
		return get(p), nil
	}
}
