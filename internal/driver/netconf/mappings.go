package netconf

import (
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/wire/netconf"
)

// mappings are all settings that stand in leaves of their own. OpenConfig's where it has them, else those of ep-switching
// and ep-device.
var mappings = slices.Concat(
	of(setting.OnPort, "if:interfaces/interface[name=%]/eth:ethernet/config/",
		at("duplex", "duplex-mode", words("full", "FULL", "half", "HALF")),
		at("flow-control", "enable-flow-control", flag), at("speed", "port-speed", identity("oc-eth", nsEthernet, speedWords))),
	of(setting.OnPort, "if:interfaces/interface[name=%]/config/", at("mtu", "mtu", asIs)),
	of(setting.OnBundle, "if:interfaces/interface[name=%]/config/", at("mtu", "mtu", asIs)),
	of(setting.OnPort, "sw:switching/port[name=%]/", onPorts, []leafOf{
		at("connector", "connector", asIs), at("energy-saving", "energy-saving", flag), at("voice-vlan", "voice-vlan", asIs),
		at("poe-class", "power/class-limit", asIs), at("poe-priority", "power/priority", asIs), at("poe-through-reboot", "power/through-reboot", flag),
		at("schedule", "schedule", asIs), at("follow", "follow/port", several), at("follow-delay", "follow-delay", asIs),
		at("flap-changes", "flap-guard/changes", asIs), at("flap-window", "flap-guard/window", asIs), at("flap-hold", "flap-guard/hold", asIs),
		at("access-control", "access-control", asIs), at("guest-vlan", "guest-vlan", asIs), at("dscp", "dscp", asIs),
	}),
	of(setting.OnBundle, "sw:switching/port[name=%]/", onPorts),
	of(setting.OnPort, "stp:stp/interfaces/interface[name=%]/config/", onBridges),
	of(setting.OnBundle, "stp:stp/interfaces/interface[name=%]/config/", onBridges),
	of(setting.OnPort, "mg:management-plane/membership[interface=%]/", at("vrf", "vrf", asIs)),
	of(setting.OnPort, "acl:acl/interfaces/interface[id=%]/ingress-acl-sets/", at("acl-in", "ingress-acl-set", ingress)),
	of(setting.OnBundle, "acl:acl/interfaces/interface[id=%]/ingress-acl-sets/", at("acl-in", "ingress-acl-set", ingress)),
	of(setting.OnBundle, "if:interfaces/interface[name=%]/lag:aggregation/config/", at("min-links", "min-links", asIs)),
	of(setting.OnBundle, "lacp:lacp/interfaces/interface[name=%]/config/", at("lacp-rate", "interval", words("slow", "SLOW", "fast", "FAST"))),
	of(setting.OnVLAN, "sw:switching/vlan[id=%]/",
		at("igmp-snooping", "igmp-snooping", flag), at("igmp-querier", "igmp-querier", flag), at("dhcp-snooping", "dhcp-snooping", flag),
		at("acl-in", "access-list", asIs)),
	of(setting.OnSchedule, objectLists[setting.OnSchedule]+"/", at("hours", "hours", asIs)),
	of(setting.OnClass, objectLists[setting.OnClass]+"/", at("class-dscp", "code-points/dscp", several), at("scheduling", "scheduling", asIs), at("share", "share", asIs),
		at("bandwidth", "bandwidth", asIs), purpose),
	of(setting.OnMember, objectLists[setting.OnMember]+"/", at("priority", "priority", asIs), at("serial", "serial", asIs)),
	of(setting.OnPair, objectLists[setting.OnPair]+"/", at("peer-bundle", "peer-bundle", asIs), at("keepalive", "keepalive/address", several), at("priority", "priority", asIs)),
	of(setting.OnRing, objectLists[setting.OnRing]+"/", at("ring-role", "role", asIs), at("ring-ports", "ports/port", several), at("ring-vlan", "vlan", asIs),
		at("recovery", "recovery", asIs), purpose),
	of(setting.OnInstance, objectLists[setting.OnInstance]+"/config/", at("instance-vlans", "vlan", vlanRanges), at("priority", "bridge-priority", asIs)),
	of(setting.OnFabric, objectLists[setting.OnFabric]+"/", at("fabric-ports", "ports/port", several), purpose),
	of(setting.OnZone, objectLists[setting.OnZone]+"/", at("fabric", "fabric", asIs), at("zone-ports", "ports/port", several), at("active", "active", flag), purpose),
	of(setting.OnUser, objectLists[setting.OnUser]+"/config/", at("role", "role", words("viewer", "viewer", "operator", "operator", "administrator", "SYSTEM_ROLE_ADMIN")),
		at("password", "password-hashed", asIs)),
	of(setting.OnCommunity, objectLists[setting.OnCommunity]+"/", at("secret", "secret", asIs), at("access", "access", asIs), at("from", "from/prefix", several)),
	of(setting.OnSNMPUser, objectLists[setting.OnSNMPUser]+"/", at("access", "access", asIs), at("auth", "auth", asIs), at("auth-secret", "auth-secret", asIs),
		at("privacy", "privacy", asIs), at("privacy-secret", "privacy-secret", asIs)),
	of(setting.OnReceiver, objectLists[setting.OnReceiver]+"/", at("address", "to/address", several), at("severity", "severity", asIs), at("community", "community", asIs),
		at("snmp-user", "user", asIs), purpose),
	of(setting.OnInput, objectLists[setting.OnInput]+"/", at("text", "text", asIs), at("severity", "severity", asIs), at("alarm-when", "alarm-when", asIs)),
	of(setting.OnMirror, objectLists[setting.OnMirror]+"/", at("sources", "sources/port", several), at("direction", "direction", asIs), at("to", "to/port", several)),
	of(setting.OnSecurityZone, objectLists[setting.OnSecurityZone]+"/", at("zone-vlans", "vlans/vlan", vlanRanges), at("interfaces", "interfaces/interface", several),
		at("flood-tcp", "flood-limits/tcp", asIs), at("flood-udp", "flood-limits/udp", asIs), at("flood-icmp", "flood-limits/icmp", asIs), purpose),
	of(setting.OnAddress, objectLists[setting.OnAddress]+"/", at("addresses", "values/value", several), at("members", "members/member", several), purpose),
	of(setting.OnService, objectLists[setting.OnService]+"/", at("services", "values/value", several), at("members", "members/member", several), purpose),
	of(setting.OnInspection, objectLists[setting.OnInspection]+"/", at("web-block", "web-blocked/category", several), at("web-override", "web-overridable/category", several), at("web-log", "web-logged/category", several), at("application-block", "application-blocked/application", several),
		at("application-limit", "application-limits/limit", several), at("file-limit", "file-limit", asIs), at("file-exceptions", "file-exceptions/address", several), at("intrusion", "intrusion", asIs),
		at("mail-senders", "mail-senders/sender", several), at("mail-lists", "mail-lists/list", several), at("mail-words", "mail-words/word", several), purpose),
	of(setting.OnWebCategory, objectLists[setting.OnWebCategory]+"/", at("category-names", "names/name", several), purpose),
	of(setting.OnGateway, objectLists[setting.OnGateway]+"/", at("gateway-address", "address", asIs), at("dhcp-server", "dhcp-server/enabled", flag), at("dhcp-ranges", "dhcp-server/ranges/range", several),
		at("dhcp-lease", "dhcp-server/lease", asIs), at("dhcp-dns", "dhcp-server/name-servers/name-server", several), at("segment", "segment", asIs),
		at("ospf-area", "ospf/area", asIs), at("ospf-cost", "ospf/cost", asIs), at("ospf-secret", "ospf/secret", asIs), at("ospf-passive", "ospf/passive", flag), purpose),
	of(setting.OnSegment, objectLists[setting.OnSegment]+"/", at("segment-number", "number", asIs), at("leaks", "leaks/from", several), at("leak-prefixes", "leaks/prefix", several), purpose),
	of(setting.OnBGPPeer, objectLists[setting.OnBGPPeer]+"/", at("peer-address", "address", asIs), at("peer-as", "as", asIs), at("peer-secret", "secret", asIs), at("hold-time", "hold-time", asIs),
		at("announces", "announces/prefix", several), at("accepts", "accepts/prefix", several), purpose),
	of(setting.OnRoute, objectLists[setting.OnRoute]+"/", at("route-prefix", "prefix", asIs), at("route-via", "via", asIs), at("distance", "distance", asIs), purpose),
	of(setting.OnPort, "wl:wireless/radio[name=%]/", at("channel", "channel", asIs), at("channel-width", "channel-width", asIs), at("radio-power", "transmit-power", asIs)),
	of(setting.OnPort, "rl:radio-link/carrier-termination[name=%]/", at("transmitter", "tx-enabled", flag), at("tx-frequency", "tx-frequency", megahertz), at("rx-frequency", "rx-frequency", megahertz),
		at("channel-separation", "channel-separation", megahertz), at("polarization", "polarization", asIs), at("power-mode", "power-mode", words("fixed", "rtpc", "automatic", "atpc")), at("nominal-power", "maximum-nominal-power", tenths),
		at("level-least", "atpc-lower-threshold", tenths), at("level-most", "atpc-upper-threshold", tenths), at("modulation-lowest", "selected-min-acm", modulationWords), at("modulation-highest", "selected-max-acm", modulationWords)),
	of(setting.OnWLAN, objectLists[setting.OnWLAN]+"/", at("ssid", "ssid", asIs), at("offered", "enabled", flag), at("hidden", "hidden", flag), at("bands", "bands/band", several), at("offered-hours", "hours", asIs),
		at("security", "security", asIs), at("passphrase", "passphrase", asIs), at("wlan-radius", "radius/servers/server", several), at("wlan-radius-secret", "radius/secret", asIs), at("wlan-vlan", "vlan", asIs),
		at("station-isolation", "isolation", flag), at("station-network", "station-network/address", asIs), at("station-lease", "station-network/lease", asIs), at("station-dns", "station-network/name-servers/name-server", several),
		at("station-rate", "station-rate", rateLeaf), at("portal", "portal", asIs), purpose),
	of(setting.OnPortal, objectLists[setting.OnPortal]+"/", at("portal-address", "address", asIs), at("portal-key", "key", asIs), purpose),
	of(setting.OnPassphrase, objectLists[setting.OnPassphrase]+"/", at("wlan", "network", asIs), at("passphrase", "passphrase", asIs), at("wlan-vlan", "vlan", asIs), at("until", "until", asIs), purpose),
	of(setting.OnLimited, objectLists[setting.OnLimited]+"/", at("limited-to", "rate", rateLeaf), at("until", "until", asIs), purpose),
	of(setting.OnBlocked, objectLists[setting.OnBlocked]+"/", at("until", "until", asIs), purpose),
	of(setting.OnTunnel, objectLists[setting.OnTunnel]+"/", at("tunnel-port", "interface", asIs), at("tunnel-to", "remote-address", asIs), at("tunnel-peer", "remote-identity", asIs), at("tunnel-secret", "pre-shared-key", asIs),
		at("tunnel-encryption", "encryption", asIs), at("tunnel-group", "dh-group", asIs), at("tunnel-rekey", "rekey-time", asIs), at("tunnel-start", "autostartup", asIs),
		at("tunnel-local", "local-subnets/subnet", several), at("tunnel-remote", "remote-subnets/subnet", several), purpose),
	of(setting.OnDevice, "", at("country", "wl:wireless/country", asIs),
		at("contact", "dev:about/contact", asIs), at("location", "dev:about/location", asIs), at("banner", "sys:system/config/login-banner", asIs),
		at("time-zone", "sys:system/clock/config/timezone-name", asIs),
		at("ntp-servers", "sys:system/ntp/servers/server", enabling("sys:system/ntp/config/enabled", keyed("address"))), at("dns-servers", "sys:system/dns/servers/server", keyed("address")),
		at("syslog-servers", "sys:system/logging/remote-servers/remote-server", keyed("host")),
		at("radius-servers", "sw:switching/authentication/radius-server", several),
		at("radius-secret", "sw:switching/authentication/secret", asIs), at("controller", "sw:switching/controller/address", several),
		at("management-port", "mg:management-plane/own-port/port", several), at("management-vrf", "mg:management-plane/vrf", asIs),
		at("management-in", "mg:management-plane/allowed/vlan", vlanRanges),
		at("sign-in", "mg:management-plane/sign-in/by", asIs), at("sign-in-servers", "mg:management-plane/sign-in/servers/server", several),
		at("sign-in-secret", "mg:management-plane/sign-in/secret", asIs), at("snmp", "mg:management-plane/snmp/versions", asIs),
		at("management-from", "dev:management/allowed/from", several),
		at("stp", "stp:stp/global/config/enabled-protocol", memberOf(identity("oc-stp-types", nsSpanningTypes, words("rapid", "RSTP", "multiple", "MSTP")))),
		at("stp-priority", "stp:stp/rstp/config/bridge-priority", asIs), at("stp-hello", "stp:stp/rstp/config/hello-time", asIs),
		at("stp-max-age", "stp:stp/rstp/config/max-age", asIs), at("stp-forward-delay", "stp:stp/rstp/config/forwarding-delay", asIs),
		at("mst-region", "stp:stp/mstp/config/name", asIs), at("mst-revision", "stp:stp/mstp/config/revision", asIs),
		at("loop-interval", "sw:switching/loop-protection/interval", asIs), at("loop-recovery", "sw:switching/loop-protection/recovery", asIs)),
)

// objectLists are the lists in which the objects of a kind stand that have no model of their own in this package.
var objectLists = map[setting.Kind]string{
	setting.OnSchedule: "sw:switching/schedule[name=%]", setting.OnMirror: "sw:switching/mirror[name=%]", setting.OnClass: "sw:switching/class[number=%]",
	setting.OnMember: "sw:switching/stack/member[number=%]", setting.OnPair: "sw:switching/pair[name=%]", setting.OnRing: "sw:switching/ring[name=%]",
	setting.OnInstance: "stp:stp/mstp/mst-instances/mst-instance[mst-id=%]", setting.OnFabric: "zs:storage/fabric[name=%]", setting.OnZone: "zs:storage/zone[name=%]", setting.OnUser: "sys:system/aaa/authentication/users/user[username=%]",
	setting.OnCommunity: "mg:management-plane/snmp/community[name=%]", setting.OnSNMPUser: "mg:management-plane/snmp/user[name=%]",
	setting.OnReceiver: "mg:management-plane/snmp/receiver[name=%]", setting.OnInput: "mg:management-plane/contact-input[number=%]",
	setting.OnSecurityZone: "fw:firewall/zone[name=%]", setting.OnAddress: "fw:firewall/address[name=%]", setting.OnService: "fw:firewall/service[name=%]", setting.OnPolicy: "fw:firewall/policy[name=%]",
	setting.OnInspection: "fw:firewall/inspection[name=%]", setting.OnWebCategory: "fw:firewall/web-category[name=%]", setting.OnGateway: "rt:routing/gateway[vlan=%]", setting.OnRoute: "rt:routing/static-route[name=%]",
	setting.OnWLAN: "wl:wireless/network[name=%]", setting.OnPassphrase: "wl:wireless/passphrase[name=%]", setting.OnPortal: "wl:wireless/portal[name=%]", setting.OnLimited: "wl:wireless/limited[station=%]", setting.OnBlocked: "dev:stations/blocked[station=%]",
	setting.OnTunnel: "wan:ikev2/conn-entry[name=%]", setting.OnSteering: "wan:steering/choice[name=%]", setting.OnSegment: "rt:routing/segment[name=%]", setting.OnBGPPeer: "rt:routing/bgp-peer[name=%]",
}

var purpose = at("purpose", "purpose", asIs)

// vlanRanges are VLANs as a leaf-list of numbers and ranges: 20, 30..35.
var vlanRanges = codec{
	list: true,
	read: func(l []string) string { return strings.ReplaceAll(strings.Join(l, ","), "..", "-") },
	write: func(v string) []string {
		out := strings.Split(v, ",")
		for i := range out {
			out[i] = strings.Replace(out[i], "-", "..", 1)
		}
		return out
	},
}

type leafOf struct {
	name, rest string
	codec      codec
}

func at(name, rest string, c codec) leafOf { return leafOf{name, rest, c} }

// onPorts are settings that ports and bundles have alike.
var onPorts = []leafOf{
	at("isolation", "isolation", asIs), at("broadcast-limit", "storm-limits/broadcast", asIs), at("multicast-limit", "storm-limits/multicast", asIs),
	at("unknown-limit", "storm-limits/unknown-unicast", asIs), at("rate-in", "rate-limits/in", rateLeaf), at("rate-out", "rate-limits/out", rateLeaf),
	at("dhcp-trust", "dhcp-trust", flag), at("loop-protection", "loop-protection", flag),
	at("service-vlan", "service-vlan", asIs), at("service-trunk-vlans", "service-trunk/vlan", vlanRanges),
}

var onBridges = []leafOf{
	at("edge", "edge-port", identity("oc-stp-types", nsSpanningTypes, words("auto", "EDGE_AUTO", "on", "EDGE_ENABLE", "off", "EDGE_DISABLE"))),
	at("bpdu-guard", "bpdu-guard", flag), at("root-guard", "guard", words("on", "ROOT")),
}

var speedWords = words("10M", "SPEED_10MB", "100M", "SPEED_100MB", "1G", "SPEED_1GB", "2.5G", "SPEED_2500MB", "5G", "SPEED_5GB", "10G", "SPEED_10GB",
	"25G", "SPEED_25GB", "40G", "SPEED_40GB", "100G", "SPEED_100GB")

// ingress is the one access list of IPv4 that what comes in must pass.
var ingress = codec{read: asIs.read, write: setting.Items, keyed: "set-name", extra: map[string]string{"type": ipv4List}}

func enabling(path string, c codec) codec {
	c.enables = path
	return c
}

// rateLeaf is a rate in kbit/s.
var rateLeaf = codec{
	read: func(l []string) string { return l[0] + "k" },
	write: func(v string) []string {
		n, err := setting.ParseRate(v)
		if err != nil {
			return nil
		}
		return []string{strings.TrimSuffix(itoa(n), "000")}
	},
}

// of makes the mappings of a kind that stand below one path.
func of(k setting.Kind, below string, groups ...any) []mapping {
	var out []mapping
	add := func(l leafOf) { out = append(out, newMapping(k, l.name, below+l.rest, l.codec)) }
	for _, g := range groups {
		switch g := g.(type) {
		case leafOf:
			add(g)
		case []leafOf:
			for _, l := range g {
				add(l)
			}
		}
	}
	return out
}

// featuresOf are the features that a device announces, by its modules (RFC 6020 section 5.6.4) and the features of ours.
func featuresOf(peer netconf.Hello) []network.Feature {
	var out []network.Feature
	for _, c := range peer.Capabilities {
		_, query, _ := strings.Cut(c, "?")
		module, features := moduleOf(query)
		if f, ok := moduleFeatures[module]; ok {
			out = append(out, f)
		}
		if slices.Contains(ownModules, module) {
			for f := range strings.SplitSeq(features, ",") {
				if known, ok := ownFeatures[f]; ok {
					out = append(out, known)
				}
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// moduleOf reads which module a capability announces, and with which features.
func moduleOf(query string) (module, features string) {
	for part := range strings.SplitSeq(query, "&") {
		switch name, value, _ := strings.Cut(part, "="); name {
		case "module":
			module = value
		case "features":
			features = value
		}
	}
	return module, features
}

var ownModules = []string{"ep-switching", "ep-device", "ep-management", "ep-firewall", "ep-wireless", "ep-wan", "ep-routing"}

var moduleFeatures = map[string]network.Feature{
	"openconfig-spanning-tree": setting.SpanningTree, "openconfig-if-aggregate": setting.Bundles, "openconfig-acl": setting.AccessLists,
	"openconfig-system": setting.SystemBasics, "ep-storage": setting.Zoning, "ep-firewall": setting.Firewall, "ep-routing": setting.Routing, "ep-wireless": setting.Wireless, "ep-wan": setting.Tunnels, "ep-radio-link": setting.RadioCarriers,
}

var ownFeatures = map[string]network.Feature{
	"link-modes": setting.LinkModes, "voice-vlan": setting.VoiceVLAN, "provider-bridging": setting.ProviderBridging, "isolation": setting.Isolation, "storm-limits": setting.StormLimits,
	"rate-limits": setting.RateLimits, "dhcp-snooping": setting.DHCPSnooping, "loop-protection": setting.LoopGuard,
	"access-control": setting.PortAccess, "power-priorities": setting.PowerBudget, "schedules": setting.Schedules, "mirrors": setting.Mirrors,
	"dscp": setting.DSCPMarks, "link-tracking": setting.LinkTracking, "igmp-snooping": setting.IGMPSnooping, "allowed-management": setting.Management,
	"traffic-classes": setting.TrafficClasses, "stacking": setting.Stacking, "pairs": setting.Pairs, "rings": setting.Rings, "controllers": setting.Controllers,
	"own-port": setting.OwnPort, "local-users": setting.LocalUsers, "sign-in": setting.SignIn, "snmp": setting.SNMP, "contact-inputs": setting.ContactInputs, "inspection": setting.Inspection, "flood-limits": setting.FloodLimits, "mail-inspection": setting.MailInspection, "web-categories": setting.WebCategories, "blocked-stations": setting.Blocking, "limited-stations": setting.Limiting, "portals": setting.Portals, "station-networks": setting.StationNetworks, "steering": setting.Steering, "segments": setting.Segments, "routing-protocols": setting.RoutingProtocols,
}
