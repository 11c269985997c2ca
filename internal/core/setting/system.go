package setting

import (
	"errors"
	"fmt"
	"net/netip"
	"regexp"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
)

// Features of devices by which they take settings of their own.
const (
	SystemBasics  network.Feature = "system settings" // contact, place, clock, names, logs
	Management    network.Feature = "management access"
	OwnPort       network.Feature = "management port" // a port and a VRF for nothing but management
	LocalUsers    network.Feature = "local users"
	SignIn        network.Feature = "sign-in by RADIUS" // of administrators
	SNMP          network.Feature = "SNMP"
	ContactInputs network.Feature = "contact inputs"
	Controllers   network.Feature = "process controllers"
)

var deviceSettings = []Setting{
	{Name: "hostname", On: deviceOnly, Own: true, Title: "Host name", Group: "System", Help: "what the device calls itself, and what its neighbours know it by (SNMPv2-MIB sysName)", Needs: SystemBasics, Value: hostName(),
		get: func(c network.Config, _ string) (string, error) { return c.Hostname, nil },
		set: func(c *network.Config, _, value string) error { c.Hostname = value; return nil }},
	{Name: "contact", On: deviceOnly, Title: "Contact", Group: "System", Help: "who looks after the device (SNMPv2-MIB sysContact)", Needs: SystemBasics, Value: text(120)},
	{Name: "location", On: deviceOnly, Title: "Place", Group: "System", Help: "where it stands (SNMPv2-MIB sysLocation)", Needs: SystemBasics, Value: text(120)},
	{Name: "banner", On: deviceOnly, Title: "Banner", Group: "System", Help: "what who logs in is told first", Needs: SystemBasics, Value: text(200)},
	{Name: "time-zone", On: deviceOnly, Title: "Time zone", Group: "System", Help: "of the IANA database: Europe/London", Default: "UTC", Needs: SystemBasics, Value: timeZone()},
	{Name: "ntp-servers", On: deviceOnly, Title: "NTP servers", Group: "System", Help: "by which it sets its clock (RFC 5905)", Default: "none", Needs: SystemBasics, Value: addresses(8)},
	{Name: "dns-servers", On: deviceOnly, Title: "DNS servers", Group: "System", Help: "which it asks for names", Default: "none", Needs: SystemBasics, Value: addresses(3)},
	{Name: "syslog-servers", On: deviceOnly, Title: "Syslog servers", Group: "System", Help: "to which it sends its log (RFC 5424)", Default: "none", Needs: SystemBasics, Value: addresses(4)},
	{Name: "radius-servers", On: deviceOnly, Title: "RADIUS servers", Group: "System", Help: "which it asks who may plug in (RFC 2865)", Default: "none", Needs: PortAccess, Value: addresses(3)},
	{Name: "radius-secret", On: deviceOnly, Title: "RADIUS secret", Group: "System", Help: "that it shares with them", Needs: PortAccess, Value: secret(false)},
	{Name: "management-vlan", On: deviceOnly, rank: 1, Title: "Management VLAN", Group: "Management", Help: "the VLAN in which the device has its own address", Value: vlan(), get: managementVLAN, set: setManagementVLAN},
	{Name: "management-address", On: deviceOnly, Own: true, Title: "Management address", Group: "Management", Help: "the device's own address in that VLAN; a push goes on at the new one", Value: interfaceAddress(), get: managementAddress, set: setManagementAddress},
	{Name: "management-port", On: deviceOnly, Title: "Management port", Group: "Management", Help: "a port that carries nothing but the management", Default: "none", Needs: OwnPort, Value: ports(1)},
	{Name: "management-vrf", On: deviceOnly, Title: "Management VRF", Group: "Management", Help: "a VRF of its own for the management, where nothing else may be", Default: "none", Needs: OwnPort, Value: label("the name of a VRF").or("none")},
	{Name: "management-from", On: deviceOnly, Title: "Management from", Group: "Management", Help: "the addresses that may reach the management; none for all", Default: "none", Needs: Management, Value: prefixes(16)},
	{Name: "management-in", On: deviceOnly, Title: "Management in", Group: "Management", Help: "the VLANs from which the management may be reached", Default: "any", Needs: Management, Value: vlans().or("any")},
	{Name: "stp-priority", On: deviceOnly, Title: "Priority", Group: "Spanning tree", Help: "of the bridge: the lowest becomes the root (IEEE 802.1Q 13.26.3)", Default: "32768", Needs: SpanningTree, Value: steps(0, 61_440, 4096)},
	{Name: "stp", On: deviceOnly, Title: "Spanning tree", Group: "Spanning tree", Help: "rapid: one tree for all VLANs (RSTP); multiple: a tree for each instance besides (MSTP; IEEE 802.1Q clause 13)", Default: "off", Needs: SpanningTree, Value: choice("rapid", "multiple", "off")},
	{Name: "mst-region", On: deviceOnly, Title: "Region", Group: "Spanning tree", Help: "of MSTP: bridges of the same name, revision and instances are one region; without a name a bridge is a region of its own", Default: "none", Needs: SpanningTree, Value: label("the name of a region").or("none")},
	{Name: "mst-revision", On: deviceOnly, Title: "Revision", Group: "Spanning tree", Help: "of the region's instances: the same on all its bridges", Default: "0", Needs: SpanningTree, Value: number(0, 65_535, "")},
	{Name: "stp-hello", On: deviceOnly, Title: "Hello", Group: "Spanning tree", Help: "between messages of the root", Default: "2", Needs: SpanningTree, Value: number(1, 10, "s")},
	{Name: "stp-max-age", On: deviceOnly, Title: "Max age", Group: "Spanning tree", Help: "for how long a message is good", Default: "20", Needs: SpanningTree, Value: number(6, 40, "s")},
	{Name: "stp-forward-delay", On: deviceOnly, Title: "Forward delay", Group: "Spanning tree", Help: "how long a port listens, and learns, before it forwards", Default: "15", Needs: SpanningTree, Value: number(4, 30, "s")},
	{Name: "loop-interval", On: deviceOnly, Title: "Loop probe every", Group: "Spanning tree", Help: "between probes of loop protection", Default: "5", Needs: LoopGuard, Value: number(1, 60, "s")},
	{Name: "loop-recovery", On: deviceOnly, Title: "Loop recovery", Group: "Spanning tree", Help: "until a port that was shut for a loop is tried again", Default: "300", Needs: LoopGuard, Value: number(1, 86_400, "s").or("never")},
	{Name: "controller", On: deviceOnly, Title: "Controller", Group: "Industrial", Help: "the process controller that should be connected through the device", Default: "none", Needs: Controllers, Value: addresses(1)},
}

// managementVLAN reads the VLAN of the device's own address.
func managementVLAN(c network.Config, _ string) (string, error) {
	if c.ManagementVLAN == 0 {
		return "", errors.New("is managed in no VLAN")
	}
	return c.ManagementVLAN.String(), nil
}

func setManagementVLAN(c *network.Config, object, value string) error {
	if _, err := managementVLAN(*c, object); err != nil {
		return err
	}
	id, err := network.ParseVLAN(value)
	if err != nil {
		return err
	}
	if _, ok := c.VLANs[id]; !ok {
		return fmt.Errorf("there is no VLAN %s on the device: make it first", id)
	}
	c.ManagementVLAN = id
	return nil
}

// timeZone is the name of a zone of the IANA time zone database, as RFC 7317 (timezone-name) has it.
func timeZone() Value {
	return Value{Type: Text, Form: "a time zone such as Europe/London", normal: func(s string) (string, error) {
		zones := strings.Fields(timeZones)
		if i := slices.IndexFunc(zones, func(z string) bool { return strings.EqualFold(z, s) }); i >= 0 {
			return zones[i], nil
		}
		hint := "write it like Europe/London"
		if i := slices.IndexFunc(zones, func(z string) bool { return strings.EqualFold(z[strings.LastIndexByte(z, '/')+1:], s) }); i >= 0 {
			hint = "did you mean " + zones[i] + "?"
		} else if near := nearest(s, zones); near != "" {
			hint = "did you mean " + near + "?"
		}
		return "", fmt.Errorf("%q is not a time zone: %s", s, hint)
	}}
}

func managementAddress(c network.Config, _ string) (string, error) {
	if c.ManagementAddress == "" {
		return "", errors.New("has no address of its own in a VLAN: it is on a port, or given by DHCP")
	}
	return c.ManagementAddress, nil
}

func setManagementAddress(c *network.Config, object, value string) error {
	if _, err := managementAddress(*c, object); err != nil {
		return err
	}
	c.ManagementAddress = value
	return nil
}

// interfaceAddress is the address of an interface with the length of its prefix.
func interfaceAddress() Value {
	return Value{Type: Text, Max: 50, Form: "an address with its prefix such as 10.20.10.12/24", normal: func(s string) (string, error) {
		p, err := netip.ParsePrefix(s)
		if err != nil || p.Addr().IsMulticast() || p.Addr().IsUnspecified() || p.Bits() < p.Addr().BitLen() && p.Addr() == p.Masked().Addr() {
			return "", fmt.Errorf("%q is not the address of an interface: write it like 10.20.10.12/24", s)
		}
		return p.String(), nil
	}}
}

// label is a short name that devices take as it is.
func label(form string) Value {
	return Value{Type: Text, Max: 32, Form: form, normal: func(s string) (string, error) {
		if !labelName.MatchString(s) {
			return "", fmt.Errorf("%q is not a name: use at most 32 letters, digits, hyphens, dots and underscores", s)
		}
		return s, nil
	}}
}

var labelName = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9._-]{0,31}$`)

// hostName is a name as hosts have it (RFC 1123 section 2.1), one label.
func hostName() Value {
	return Value{Type: Text, Max: 63, Form: "a name of at most 63 letters, digits and hyphens", normal: func(s string) (string, error) {
		if err := network.CheckHostName(s); err != nil {
			return "", err
		}
		return s, nil
	}}
}

var (
	userOnly, communityOnly, snmpUserOnly = []Kind{OnUser}, []Kind{OnCommunity}, []Kind{OnSNMPUser}
	receiverOnly, inputOnly               = []Kind{OnReceiver}, []Kind{OnInput}
)

// severities are those of alarms (ITU-T X.733), the gravest first.
var severities = []string{"critical", "major", "minor", "warning"}

// signInSettings say who may sign in to the device itself.
var signInSettings = []Setting{
	{Name: "sign-in", On: deviceOnly, Title: "Sign-in", Group: "Sign-in", Help: "who says who may sign in to the device: its own users, or RADIUS servers and its own users where none answers", Default: "local", Needs: SignIn, Value: choice("local", "radius")},
	{Name: "sign-in-servers", On: deviceOnly, Title: "RADIUS servers", Group: "Sign-in", Help: "which it asks who may sign in to it (RFC 2865)", Default: "none", Needs: SignIn, Value: addresses(3)},
	{Name: "sign-in-secret", On: deviceOnly, Title: "RADIUS secret", Group: "Sign-in", Help: "that it shares with them", Needs: SignIn, Value: secret(false)},
	{Name: "role", On: userOnly, Title: "Role", Group: "User", Help: "viewers look, operators do what changes no settings, administrators everything", Default: "viewer", Needs: LocalUsers, Value: choice("viewer", "operator", "administrator")},
	{Name: "password", On: userOnly, Title: "Password", Group: "User", Help: "kept on the device as a hash", Needs: LocalUsers, Value: secret(true)},
}

var snmpSettings = []Setting{
	{Name: "snmp", On: deviceOnly, Title: "SNMP", Group: "SNMP", Help: "the versions that the device answers (RFC 3411)", Default: "off", Needs: SNMP, Value: choice("off", "v2c", "v3", "v2c-and-v3")},
	{Name: "secret", On: communityOnly, Title: "Community", Group: "Community", Help: "the word by which who asks is known (RFC 3584)", Needs: SNMP, Value: secret(false)},
	{Name: "access", On: communityOnly, Title: "Access", Group: "Community", Help: "whether who asks may also set", Default: "read", Needs: SNMP, Value: choice("read", "read-write")},
	{Name: "access", On: snmpUserOnly, Title: "Access", Group: "SNMP user", Help: "whether who asks may also set", Default: "read", Needs: SNMP, Value: choice("read", "read-write")},
	{Name: "from", On: communityOnly, Title: "From", Group: "Community", Help: "the addresses from which it is good; none for all", Default: "none", Needs: SNMP, Value: prefixes(8)},
	{Name: "auth", On: snmpUserOnly, Title: "Authentication", Group: "SNMP user", Help: "how messages are proven to be the user's (RFC 3414, RFC 7860)", Default: "sha-256", Needs: SNMP, Value: choice("sha-256", "sha-1", "none")},
	{Name: "auth-secret", On: snmpUserOnly, Title: "Authentication secret", Group: "SNMP user", Help: "at least eight characters", Needs: SNMP, Value: secret(false)},
	{Name: "privacy", On: snmpUserOnly, Title: "Privacy", Group: "SNMP user", Help: "how messages are hidden (RFC 3826)", Default: "aes", Needs: SNMP, Value: choice("aes", "none")},
	{Name: "privacy-secret", On: snmpUserOnly, Title: "Privacy secret", Group: "SNMP user", Help: "at least eight characters", Needs: SNMP, Value: secret(false)},
	{Name: "address", On: receiverOnly, Title: "Address", Group: "Receiver", Help: "where traps are sent", Default: "none", Needs: SNMP, Value: addresses(1)},
	{Name: "severity", On: receiverOnly, Title: "Severity", Group: "Receiver", Help: "the least that it is told; none while nobody says so", Default: "none", Needs: SNMP, Value: choice(append(slices.Clone(severities), "all", "none")...)},
	{Name: "community", On: receiverOnly, Title: "Community", Group: "Receiver", Help: "with which it is told, by SNMPv2c", Default: "none", Needs: SNMP, Value: named(OnCommunity)},
	{Name: "snmp-user", On: receiverOnly, Title: "SNMP user", Group: "Receiver", Help: "as whom it is told, by SNMPv3; before the community where both are set", Default: "none", Needs: SNMP, Value: named(OnSNMPUser)},
}

// inputSettings are of inputs to which contacts are wired: of a door, of a smoke detector.
var inputSettings = []Setting{
	{Name: "text", On: inputOnly, Title: "Text", Group: "Contact input", Help: "what it means when it is in alarm: Cabinet door open", Needs: ContactInputs, Value: text(64)},
	{Name: "severity", On: inputOnly, Title: "Severity", Group: "Contact input", Help: "how grave that is", Default: "warning", Needs: ContactInputs, Value: choice(severities...)},
	{Name: "alarm-when", On: inputOnly, Title: "In alarm when", Group: "Contact input", Help: "whether the contact is open or closed when all is not well", Default: "open", Needs: ContactInputs, Value: choice("open", "closed")},
}
