package setting

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
)

// Features of devices by which they take settings of their own.
const (
	SystemBasics network.Feature = "system settings" // contact, place, clock, names, logs
	Management   network.Feature = "management access"
)

var (
	deviceOnly = []Kind{OnDevice}
	vlanOnly   = []Kind{OnVLAN}
	bundleOnly = []Kind{OnBundle}
)

// all is every setting there is.
var all = slices.Concat(presence, portSettings, bundleSettings, vlanSettings, deviceSettings, objectSettings)

// presence makes and removes objects.
var presence = []Setting{{
	Name: Present, On: slices.Concat([]Kind{OnBundle, OnVLAN}, objectKinds), Title: "There", Group: "Object", Help: "whether the device has it: on makes it, off removes it", Default: "off", Value: onOff(),
	get: func(c network.Config, object string) (string, error) { return word(exists(c, object)), nil },
	set: func(c *network.Config, object, value string) error {
		switch there := exists(*c, object); {
		case value == "on" && !there:
			return add(c, object)
		case value == "off" && there:
			return drop(c, object)
		}
		return nil
	},
}}

func exists(c network.Config, object string) bool {
	switch KindOf(object) {
	case OnBundle:
		_, ok := c.Bundles[object]
		return ok
	case OnVLAN:
		_, ok := vlanOf(c, object)
		return ok
	}
	_, ok := c.Objects[object]
	return ok
}

var featureOf = map[Kind]network.Feature{OnBundle: Bundles, OnSchedule: Schedules, OnMirror: Mirrors, OnACL: AccessLists}

func add(c *network.Config, object string) error {
	k := KindOf(object)
	if !c.Has(featureOf[k]) {
		return fmt.Errorf("the device has no %s", featureOf[k])
	}
	switch k {
	case OnBundle:
		if c.Bundles == nil {
			c.Bundles = map[string]network.PortConfig{}
		}
		c.Bundles[object] = network.PortConfig{Enabled: true, Mode: network.Trunk}
	case OnVLAN:
		id, err := network.ParseVLAN(strings.TrimPrefix(object, string(OnVLAN)+"/"))
		if err != nil {
			return err
		}
		if c.VLANs == nil {
			return errors.New("the device has no VLANs")
		}
		c.VLANs[id] = network.VLAN{ID: id}
	default:
		if c.Objects == nil {
			c.Objects = map[string]network.Settings{}
		}
		c.Objects[object] = network.Settings{}
	}
	return nil
}

func drop(c *network.Config, object string) error {
	switch k := KindOf(object); k {
	case OnBundle:
		if members := c.Members(object); len(members) > 0 {
			return fmt.Errorf("cannot be removed while ports are in it: %s", strings.Join(members, ", "))
		}
		delete(c.Bundles, object)
	case OnVLAN:
		v, _ := vlanOf(*c, object)
		if v.ID == c.ManagementVLAN {
			return errors.New("cannot be removed: the device is managed in it")
		}
		for name, p := range c.Ports {
			if p.Untagged() == v.ID {
				return fmt.Errorf("cannot be removed while ports are in it, such as %s", name)
			}
		}
		delete(c.VLANs, v.ID)
	default:
		for name, p := range c.Ports {
			for _, s := range portSettings {
				if s.Value.Type == Name && s.Value.Of == k && p.Settings[s.Name] == strings.TrimPrefix(object, string(k)+"/") {
					return fmt.Errorf("cannot be removed while %s uses it", name)
				}
			}
		}
		delete(c.Objects, object)
	}
	return nil
}

var bundleSettings = []Setting{
	{Name: "protocol", On: bundleOnly, Title: "Protocol", Group: "Bundle", Help: "LACP (IEEE 802.1AX), which begins by itself or waits for the other end; or static, without one", Default: "lacp-active", Needs: Bundles, Value: choice("lacp-active", "lacp-passive", "static")},
	{Name: "lacp-rate", On: bundleOnly, Title: "LACP rate", Group: "Bundle", Help: "how often the other end tells that it is there: every second, or every 30", Default: "slow", Needs: Bundles, Value: choice("slow", "fast")},
	{Name: "min-links", On: bundleOnly, Title: "Least links", Group: "Bundle", Help: "the bundle is down with fewer members than that", Default: "1", Needs: Bundles, Value: number(1, 16, "")},
}

var vlanSettings = []Setting{
	{Name: "name", On: vlanOnly, Title: "Name", Group: "VLAN", Help: "what people call it", Value: text(32),
		get: func(c network.Config, object string) (string, error) {
			v, ok := vlanOf(c, object)
			if !ok {
				return "", missing(OnVLAN, object)
			}
			return v.Name, nil
		},
		set: func(c *network.Config, object, value string) error {
			v, ok := vlanOf(*c, object)
			if !ok {
				return missing(OnVLAN, object)
			}
			v.Name = value
			c.VLANs[v.ID] = v
			return nil
		}},
	{Name: "igmp-snooping", On: vlanOnly, Title: "IGMP snooping", Group: "VLAN", Help: "multicast goes only where somebody listens (RFC 4541)", Default: "off", Needs: IGMPSnooping, Value: onOff()},
	{Name: "igmp-querier", On: vlanOnly, Title: "IGMP querier", Group: "VLAN", Help: "asks who listens, where no router does", Default: "off", Needs: IGMPSnooping, Value: onOff()},
	{Name: "dhcp-snooping", On: vlanOnly, Title: "DHCP snooping", Group: "VLAN", Help: "DHCP servers are heard only through trusted ports", Default: "off", Needs: DHCPSnooping, Value: onOff()},
}

var deviceSettings = []Setting{
	{Name: "contact", On: deviceOnly, Title: "Contact", Group: "System", Help: "who looks after the device (SNMPv2-MIB sysContact)", Needs: SystemBasics, Value: text(120)},
	{Name: "location", On: deviceOnly, Title: "Place", Group: "System", Help: "where it stands (SNMPv2-MIB sysLocation)", Needs: SystemBasics, Value: text(120)},
	{Name: "banner", On: deviceOnly, Title: "Banner", Group: "System", Help: "what who logs in is told first", Needs: SystemBasics, Value: text(200)},
	{Name: "time-zone", On: deviceOnly, Title: "Time zone", Group: "System", Help: "of the IANA database: Europe/London", Default: "UTC", Needs: SystemBasics, Value: timeZone()},
	{Name: "ntp-servers", On: deviceOnly, Title: "NTP servers", Group: "System", Help: "by which it sets its clock (RFC 5905)", Default: "none", Needs: SystemBasics, Value: addresses(8)},
	{Name: "dns-servers", On: deviceOnly, Title: "DNS servers", Group: "System", Help: "which it asks for names", Default: "none", Needs: SystemBasics, Value: addresses(3)},
	{Name: "syslog-servers", On: deviceOnly, Title: "Syslog servers", Group: "System", Help: "to which it sends its log (RFC 5424)", Default: "none", Needs: SystemBasics, Value: addresses(4)},
	{Name: "radius-servers", On: deviceOnly, Title: "RADIUS servers", Group: "System", Help: "which it asks who may plug in (RFC 2865)", Default: "none", Needs: PortAccess, Value: addresses(3)},
	{Name: "management-from", On: deviceOnly, Title: "Management from", Group: "System", Help: "the addresses that may reach the management", Default: "none", Needs: Management, Value: prefixes(16)},
	{Name: "stp-priority", On: deviceOnly, Title: "Priority", Group: "Spanning tree", Help: "of the bridge: the lowest becomes the root (IEEE 802.1Q 13.26.3)", Default: "32768", Needs: SpanningTree, Value: steps(0, 61_440, 4096)},
	{Name: "stp", On: deviceOnly, Title: "Spanning tree", Group: "Spanning tree", Help: "rapid spanning tree (IEEE 802.1Q clause 13)", Default: "off", Needs: SpanningTree, Value: choice("rapid", "off")},
	{Name: "stp-hello", On: deviceOnly, Title: "Hello", Group: "Spanning tree", Help: "between messages of the root", Default: "2", Needs: SpanningTree, Value: number(1, 10, "s")},
	{Name: "stp-max-age", On: deviceOnly, Title: "Max age", Group: "Spanning tree", Help: "for how long a message is good", Default: "20", Needs: SpanningTree, Value: number(6, 40, "s")},
	{Name: "stp-forward-delay", On: deviceOnly, Title: "Forward delay", Group: "Spanning tree", Help: "how long a port listens, and learns, before it forwards", Default: "15", Needs: SpanningTree, Value: number(4, 30, "s")},
	{Name: "loop-interval", On: deviceOnly, Title: "Loop probe every", Group: "Spanning tree", Help: "between probes of loop protection", Default: "5", Needs: LoopGuard, Value: number(1, 60, "s")},
	{Name: "loop-recovery", On: deviceOnly, Title: "Loop recovery", Group: "Spanning tree", Help: "until a port that was shut for a loop is tried again", Default: "300", Needs: LoopGuard, Value: number(1, 86_400, "s").or("never")},
}

var objectSettings = []Setting{
	{Name: "hours", On: []Kind{OnSchedule}, Title: "Hours", Group: "Schedule", Help: "when ports of the schedule work, by the device's clock", Needs: Schedules, Value: hours()},
	{Name: "sources", On: []Kind{OnMirror}, Title: "Sources", Group: "Mirror", Help: "the ports of which frames are copied", Default: "none", Needs: Mirrors, Value: ports(16)},
	{Name: "direction", On: []Kind{OnMirror}, Title: "Direction", Group: "Mirror", Help: "what of them is copied", Default: "both", Needs: Mirrors, Value: choice("both", "in", "out")},
	{Name: "to", On: []Kind{OnMirror}, Title: "To", Group: "Mirror", Help: "the port at which the copies come out", Default: "none", Needs: Mirrors, Value: ports(1)},
	{Name: "rules", On: []Kind{OnACL}, Title: "Rules", Group: "Access list", Help: "in order, the first that fits decides; what none fits is dropped", Needs: AccessLists, Value: rules(256, func(s string) (string, error) {
		r, err := ParseRule(s)
		return r.String(), err
	})},
}

func timeZone() Value {
	return Value{Type: Text, Form: "a time zone such as Europe/London", normal: func(s string) (string, error) {
		if !zoneName.MatchString(s) {
			return "", fmt.Errorf("%q is not a time zone: write it like Europe/London", s)
		}
		return s, nil
	}}
}

var zoneName = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_+/-]{0,62}$`)

// servicePrefix leads the settings of devices that switch their services.
const servicePrefix = "service."

var serviceName = regexp.MustCompile(`^[a-z][a-z0-9-]{0,39}$`)

// service is the setting that switches a service of a device.
func service(full string) (*Setting, error) {
	name := strings.TrimPrefix(full, servicePrefix)
	if !serviceName.MatchString(name) {
		return nil, fmt.Errorf("%w %q of a device: a service is written service.NAME, such as service.web", ErrUnknown, full)
	}
	known := func(c network.Config) error {
		if _, ok := c.Services[name]; ok {
			return nil
		}
		var names []string
		for n := range c.Services {
			names = append(names, n)
		}
		if slices.Sort(names); len(names) == 0 {
			return errors.New("has no services that can be switched")
		}
		return fmt.Errorf("has no service %s: there are %s", name, strings.Join(names, ", "))
	}
	return &Setting{
		Name: full, On: deviceOnly, Title: name, Group: "Services", Help: "whether the device offers it", Value: onOff(),
		get: func(c network.Config, _ string) (string, error) { return word(c.Services[name]), known(c) },
		set: func(c *network.Config, _, value string) error {
			if err := known(*c); err != nil {
				return err
			}
			c.Services[name] = value == "on"
			return nil
		},
	}, nil
}

// OfObject lists the settings of an object of a configuration, those of a device with its services.
func OfObject(c network.Config, object string) []*Setting {
	var out []*Setting
	k := KindOf(object)
	for i := range all {
		if slices.Contains(all[i].On, k) {
			out = append(out, &all[i])
		}
	}
	if k == OnDevice {
		var names []string
		for n := range c.Services {
			names = append(names, n)
		}
		slices.Sort(names)
		for _, n := range names {
			if s, err := service(servicePrefix + n); err == nil {
				out = append(out, s)
			}
		}
	}
	return out
}
