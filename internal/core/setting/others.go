package setting

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
)

var (
	deviceOnly = []Kind{OnDevice}
	vlanOnly   = []Kind{OnVLAN}
	bundleOnly = []Kind{OnBundle}
)

// all is every setting there is.
var all = slices.Concat(presence, portSettings, bundleSettings, vlanSettings, deviceSettings, objectSettings, classSettings, redundancySettings, spanningSettings, storageSettings,
	signInSettings, snmpSettings, inputSettings, firewallSettings, inspectionSettings, webCategorySettings, routingSettings, wirelessSettings, blockedSettings, limitedSettings, tunnelSettings, steeringSettings, segmentSettings, routerSettings, radioLinkSettings, serviceSettings, described, templateSettings)

// presence makes and removes objects.
var presence = []Setting{{
	Name: Present, On: slices.Concat([]Kind{OnBundle, OnVLAN}, objectKinds, []Kind{OnTemplate}), Title: "There", Group: "Object", Help: "whether the device has it: on makes it, off removes it", Default: "off", Value: onOff(),
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

func add(c *network.Config, object string) error {
	k := KindOf(object)
	if needs := AboutKind(k).Needs; !c.Has(needs) {
		return fmt.Errorf("the device has no %s", needs)
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
		if user := userOf(*c, k, strings.TrimPrefix(object, string(k)+"/")); user != "" {
			return fmt.Errorf("cannot be removed while %s uses it", user)
		}
		if user := policyUserOf(*c, k, strings.TrimPrefix(object, string(k)+"/")); user != "" {
			return fmt.Errorf("cannot be removed while %s uses it", user)
		}
		delete(c.Objects, object)
	}
	return nil
}

// userOf names what refers to an object: a port, a bundle, a VLAN or another object; "" for nothing. The names of all kinds
// are of the same settings, so that they need not be told one by one.
func userOf(c network.Config, k Kind, name string) string {
	refers := func(on Kind, settings network.Settings) bool {
		return slices.ContainsFunc(naming[k], func(s *Setting) bool { return slices.Contains(s.On, on) && settings[s.Name] == name })
	}
	for port, p := range c.Ports {
		if refers(OnPort, p.Settings) {
			return port
		}
	}
	for bundle, p := range c.Bundles {
		if refers(OnBundle, p.Settings) {
			return bundle
		}
	}
	for id, v := range c.VLANs {
		if refers(OnVLAN, v.Settings) {
			return "VLAN " + id.String()
		}
	}
	for object, settings := range c.Objects {
		if refers(KindOf(object), settings) {
			return strings.Replace(object, "/", " ", 1)
		}
	}
	return ""
}

// naming are the settings of which the value is the name of an object, by the kind of that.
var naming = func() map[Kind][]*Setting {
	out := map[Kind][]*Setting{}
	for _, s := range slices.Concat(portSettings, vlanSettings, storageSettings, snmpSettings, wirelessSettings, segmentSettings) {
		if s.Value.Type == Name {
			out[s.Value.Of] = append(out[s.Value.Of], &s)
		}
	}
	return out
}()

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
	{Name: "acl-in", On: vlanOnly, Title: "Access list in", Group: "VLAN", Help: "the access list that all that comes in from its ports must pass", Default: "none", Needs: AccessLists, Value: named(OnACL)},
	{Name: "dhcp-snooping", On: vlanOnly, Title: "DHCP snooping", Group: "VLAN", Help: "DHCP servers are heard only through trusted ports", Default: "off", Needs: DHCPSnooping, Value: onOff()},
}

var objectSettings = []Setting{
	{Name: "hours", On: []Kind{OnSchedule}, Title: "Hours", Group: "Schedule", Help: "when ports of the schedule work, by the device's clock", Needs: Schedules, Value: hours()},
	{Name: "sources", On: []Kind{OnMirror}, Title: "Sources", Group: "Mirror", Help: "the ports of which frames are copied", Default: "none", Needs: Mirrors, Value: ports(16)},
	{Name: "direction", On: []Kind{OnMirror}, Title: "Direction", Group: "Mirror", Help: "what of them is copied", Default: "both", Needs: Mirrors, Value: choice("both", "in", "out")},
	{Name: "to", On: []Kind{OnMirror}, Title: "To", Group: "Mirror", Help: "the port at which the copies come out", Default: "none", Needs: Mirrors, Value: ports(1)},
	{Name: "rules", On: []Kind{OnACL}, Title: "Rules", Group: "Access list", Help: "in order, the first that fits decides; what none fits is dropped", Needs: AccessLists, Value: tableOf(ruleTable)},
}

// templateSettings are what a template is for and what it picks. No device is told of them.
var templateSettings = []Setting{
	{Name: "title", On: []Kind{OnTemplate}, Title: "Title", Group: "Template", Help: "what people call it", Value: text(80)},
	{Name: "for", On: []Kind{OnTemplate}, Title: "For", Group: "Template", Help: "whether it speaks of devices or of ports", Default: "ports", Value: choice("ports", "devices")},
	{Name: "pick", On: []Kind{OnTemplate}, Title: "Picks", Group: "Template", Help: "a selector of the devices or ports that follow it; none while it is empty", Value: text(2000)},
	{Name: "order", On: []Kind{OnTemplate}, Title: "Order", Group: "Template", Help: "of two templates that speak of the same, the one of the higher order holds", Default: "100", Value: number(1, 999, "")},
}

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

// OfObject lists the settings of an object of a configuration: those of a device with its services, those of tables row by row.
func OfObject(c network.Config, object string) []*Setting {
	k := KindOf(object)
	out := ofKinds[k]
	if len(tablesOf[k]) > 0 {
		settings, _ := tablesOf[k][0].settings(c, object)
		return append(out, Rows(k, settings)...)
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

// ofKinds are the settings of each kind of objects, without tables: their rows are told of. The lists have no room: who appends
// to one makes another.
var ofKinds = func() map[Kind][]*Setting {
	out := map[Kind][]*Setting{}
	for i := range all {
		for _, k := range all[i].On {
			if all[i].Value.Type != Table {
				out[k] = slices.Clip(append(out[k], &all[i]))
			}
		}
	}
	return out
}()
