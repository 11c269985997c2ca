// Package setting is everything that can be set: on devices, ports, bundles of ports, VLANs and what else a device holds.
// For each setting it knows the name, what it means, how a value is written, what it is when nobody sets it, and what a
// device must be able to do for it; and it reads and writes the setting in a configuration.
//
// A value is a text in the setting's normal form, everywhere: in edits, differences, files and on the wire of our own
// interface. That keeps one list of settings, from which forms, help, files and the drivers' tables follow.
package setting

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
)

// Kind is what a setting is set on.
type Kind string

// The kinds. Objects of the last ones are named kind/name: vlan/40.
const (
	OnDevice   Kind = "device"
	OnPort     Kind = "port"
	OnBundle   Kind = "bundle"
	OnVLAN     Kind = "vlan"
	OnSchedule Kind = "schedule"
	OnMirror   Kind = "mirror"
	OnACL      Kind = "acl"
	OnClass    Kind = "class"        // of traffic, by its number
	OnMember   Kind = "member"       // of a stack, by its number
	OnPair     Kind = "pair"         // of switches that act as one towards others
	OnRing     Kind = "ring"         // of industrial switches
	OnInstance Kind = "mst-instance" // of spanning tree, by its number
	OnFabric   Kind = "fabric"       // of a storage switch
	OnZone     Kind = "zone"         // of a fabric
	OnUser     Kind = "user"         // of the device itself
	OnTemplate Kind = "template"     // a template itself: see Self

	OnCommunity Kind = "community" // of SNMP
	OnSNMPUser  Kind = "snmp-user"
	OnReceiver  Kind = "receiver" // of traps
	OnInput     Kind = "input"    // to which a contact is wired

	OnSecurityZone Kind = "security-zone" // of a firewall
	OnAddress      Kind = "address"       // known by a name, or a group of such
	OnService      Kind = "service"       // known by a name, or a group of such
	OnPolicy       Kind = "policy"        // what a firewall lets pass
	OnWebCategory  Kind = "web-category"  // what is asked for, by names
	OnInspection   Kind = "inspection"    // what of that is stopped after all

	OnGateway Kind = "gateway" // what a device is in a VLAN, by its number
	OnRoute   Kind = "route"   // that was told to a device

	OnWLAN       Kind = "wlan"       // a wireless network that an access point offers
	OnPassphrase Kind = "passphrase" // a further one of such a network
	OnPortal     Kind = "portal"     // on which guests of such a network are received
	OnBlocked    Kind = "blocked"    // a station of which nothing passes, by its hardware address
	OnLimited    Kind = "limited"    // a station that may send and receive so much, by its hardware address

	OnTunnel   Kind = "tunnel"   // to another site
	OnSteering Kind = "steering" // which tunnel traffic goes over
	OnSegment  Kind = "segment"  // a table of routes that an edge keeps apart
	OnBGPPeer  Kind = "bgp-peer" // a router of the site with which routes are exchanged
)

// Objects of layers below devices: Self is a template itself, what it is for and what it picks; EachPort stands for every
// port that a template picks.
const (
	Self     = "self"
	EachPort = "port"
)

// objectKinds are those of objects that people make and remove, besides bundles and VLANs.
var objectKinds = func() []Kind {
	var out []Kind
	for _, a := range kinds {
		if !a.Plain && a.Kind != OnVLAN {
			out = append(out, a.Kind)
		}
	}
	return out
}()

// Present is the setting by which bundles, VLANs and other objects are made and removed.
const Present = "present"

// Setting is something that can be set.
type Setting struct {
	Name    string // as typed: vlan
	On      []Kind
	Title   string // as on a form: VLAN
	Group   string // of settings that stand together on a form
	Help    string // what it means, one line
	Default string // what holds when nobody sets it, in normal form; "" where it is for each device to say
	Value   Value
	Needs   network.Feature // what the device must have, "" for nothing
	Own     bool            // it tells one device from all others: no layer below devices speaks of it, and it is not copied
	rank    int             // of what is set at once: the lower first

	// fits tells why a value cannot be that of an object, or nil.
	fits func(object, value string) error
	// when tells why the setting makes no sense on a port or bundle, or nil.
	when func(network.PortConfig) error
	// get and set reach a field of its own; nil for what is kept among Settings. An error of get says why there is none.
	get func(c network.Config, object string) (string, error)
	set func(c *network.Config, object, value string) error
}

// ErrUnknown is wrapped when a setting is named that there is not.
var ErrUnknown = errors.New("unknown setting")

// Of lists the settings of a kind, in the order in which people think of them.
func Of(k Kind) []Setting {
	var out []Setting
	for _, s := range all {
		if slices.Contains(s.On, k) {
			out = append(out, s)
		}
	}
	return out
}

// All lists every setting.
func All() []Setting { return slices.Clone(all) }

var byKind = func() map[Kind]map[string]*Setting {
	out := map[Kind]map[string]*Setting{}
	for i := range all {
		for _, k := range all[i].On {
			if out[k] == nil {
				out[k] = map[string]*Setting{}
			}
			out[k][all[i].Name] = &all[i]
		}
	}
	return out
}()

// Lookup finds a setting of a kind.
func Lookup(k Kind, name string) (*Setting, error) {
	if s := byKind[k][name]; s != nil {
		return s, nil
	}
	if k == OnDevice && strings.HasPrefix(name, servicePrefix) {
		return service(name)
	}
	if table, number, isRow := strings.Cut(name, "/"); isRow {
		if t := byKind[k][table]; t != nil && t.Value.Type == Table {
			return t.row(number)
		}
	}
	if elsewhere := kindsWith(name); elsewhere != "" {
		return nil, fmt.Errorf("%w %q of a %s: it is set on a %s", ErrUnknown, name, k, elsewhere)
	}
	var known []string
	for _, s := range Of(k) {
		known = append(known, s.Name)
	}
	if near := nearest(name, known); near != "" {
		return nil, fmt.Errorf("%w %q of a %s: did you mean %s?", ErrUnknown, name, k, near)
	}
	return nil, fmt.Errorf("%w %q of a %s: the list of settings tells what there is", ErrUnknown, name, k)
}

// kindsWith says which kinds have a setting of a name.
func kindsWith(name string) string {
	if strings.HasPrefix(name, servicePrefix) {
		return string(OnDevice)
	}
	var out []string
	for _, s := range all {
		if s.Name == name {
			for _, k := range s.On {
				out = append(out, string(k))
			}
		}
	}
	return join(out)
}

// Policies tells whether a setting of an object is of an access list, or says where one is in force.
func Policies(object, field string) bool {
	switch KindOf(object) {
	case OnACL, OnSecurityZone, OnAddress, OnService, OnPolicy, OnInspection:
		return true
	}
	return field == "acl-in" || field == "acl-out"
}

// KindOf tells what an object is by its name: "" is the device itself, vlan/40 a VLAN, lag1 a bundle, anything else a port.
func KindOf(object string) Kind {
	switch object {
	case "":
		return OnDevice
	case Self:
		return OnTemplate
	}
	if kind, _, ok := strings.Cut(object, "/"); ok {
		if k := Kind(kind); k == OnVLAN || slices.Contains(objectKinds, k) {
			return k
		}
	}
	if isBundleName(object) {
		return OnBundle
	}
	return OnPort
}

// Object is the name of an object of a kind.
func Object(k Kind, name string) string { return string(k) + "/" + name }

// CheckObject tells why the name of an object is not a valid one, or nil.
func CheckObject(object string) error {
	kind, name, ok := strings.Cut(object, "/")
	k := KindOf(object)
	switch {
	case k == OnVLAN:
		_, err := network.ParseVLAN(name)
		return err
	case ok && slices.Contains(objectKinds, Kind(kind)):
		return AboutKind(k).checkName(name)
	}
	return nil
}

// Get reads a setting of an object of a configuration. An error says why the object has none.
func (s *Setting) Get(c network.Config, object string) (string, error) {
	if !c.Has(s.Needs) {
		return "", fmt.Errorf("the device has no %s", s.Needs)
	}
	if s.get != nil {
		return s.get(c, object)
	}
	settings, err := s.settings(c, object)
	if err != nil {
		return "", err
	}
	if s.Value.Type == Table {
		return Lines(RowsOf(settings, s.Name)), nil
	}
	if v, ok := settings[s.Name]; ok {
		return v, nil
	}
	return s.Default, nil
}

// AlikeOnPort tells quickly that a setting of a port is the same in two configurations of a device. Where it says no, they must
// be read.
func (s *Setting) AlikeOnPort(a, b network.PortConfig) bool {
	if s.get != nil {
		return false
	}
	va, hasA := a.Settings[s.Name]
	vb, hasB := b.Settings[s.Name]
	return hasA == hasB && va == vb && (s.when == nil || (s.when(a) == nil) == (s.when(b) == nil))
}

// settings finds where the setting of an object is kept.
func (s *Setting) settings(c network.Config, object string) (network.Settings, error) {
	switch k := KindOf(object); k {
	case OnDevice:
		return c.Settings, nil
	case OnPort, OnBundle:
		p, ok := portOf(c, object)
		if !ok {
			return nil, missing(k, object)
		}
		if s.when != nil {
			if err := s.when(p); err != nil {
				return nil, err
			}
		}
		return p.Settings, nil
	case OnVLAN:
		v, ok := vlanOf(c, object)
		if !ok {
			return nil, missing(k, object)
		}
		return v.Settings, nil
	default:
		o, ok := c.Objects[object]
		if !ok {
			return nil, missing(k, object)
		}
		return o, nil
	}
}

func missing(k Kind, object string) error {
	if k == OnPort || k == OnBundle {
		return fmt.Errorf("the device has no %s %s", k, object)
	}
	return fmt.Errorf("there is no %s", strings.Replace(object, "/", " ", 1))
}

// Set writes a value, which must be in normal form, into an object of a configuration. What is changed is replaced, never
// written into: configurations share their parts.
func (s *Setting) Set(c *network.Config, object, value string) error {
	if !c.Has(s.Needs) {
		return fmt.Errorf("the device has no %s", s.Needs)
	}
	if s.fits != nil {
		if err := s.fits(object, value); err != nil {
			return err
		}
	}
	if s.set != nil {
		return s.set(c, object, value)
	}
	settings, err := s.settings(*c, object)
	if err != nil {
		return err
	}
	switch s.Value.Type {
	case Table:
		settings = withTable(settings, s.Name, value)
	case TableRow:
		settings = settings.With(s.Name, value, s.Default)
		err = s.fullTable(settings)
	default:
		settings = settings.With(s.Name, value, s.Default)
	}
	if err != nil {
		return err
	}
	switch KindOf(object) {
	case OnDevice:
		c.Settings = settings
	case OnPort, OnBundle:
		p, _ := portOf(*c, object)
		p.Settings = settings
		putPort(c, object, p)
	case OnVLAN:
		v, _ := vlanOf(*c, object)
		v.Settings = settings
		c.VLANs[v.ID] = v
	default:
		c.Objects[object] = settings
	}
	return nil
}

// Rank orders settings that are set at once: the lower first.
func (s *Setting) Rank() int { return s.rank }

// HasDefault tells whether something holds when nobody sets it. Where not, it is for each device to say.
func (s *Setting) HasDefault() bool {
	return s.Default != "" || s.Value.Type == Text || s.Value.Type == Secret || s.Value.Type == TableRow
}

func portOf(c network.Config, object string) (network.PortConfig, bool) {
	if p, ok := c.Ports[object]; ok {
		return p, true
	}
	p, ok := c.Bundles[object]
	return p, ok
}

func putPort(c *network.Config, object string, p network.PortConfig) {
	if _, ok := c.Ports[object]; ok {
		c.Ports[object] = p
	} else {
		c.Bundles[object] = p
	}
}

func vlanOf(c network.Config, object string) (network.VLAN, bool) {
	id, err := network.ParseVLAN(strings.TrimPrefix(object, string(OnVLAN)+"/"))
	v, ok := c.VLANs[id]
	return v, err == nil && ok
}

// Objects lists the objects of a configuration: the device, its ports, bundles, VLANs and what else it holds, each kind in
// the order of people.
func Objects(c network.Config) []string {
	out := append([]string{""}, c.PortNames()...)
	rest := make([]string, 0, len(c.Bundles)+len(c.VLANs)+len(c.Objects))
	for name := range c.Bundles {
		rest = append(rest, name)
	}
	for id := range c.VLANs {
		rest = append(rest, Object(OnVLAN, id.String()))
	}
	for name := range c.Objects {
		rest = append(rest, name)
	}
	slices.SortFunc(rest, network.ComparePorts)
	return append(out, rest...)
}

// ObjectsOf lists the objects of some kinds that a configuration holds besides ports, bundles and VLANs, in the order of people.
func ObjectsOf(c network.Config, kinds ...Kind) (out []string) {
	for name := range c.Objects {
		if slices.Contains(kinds, KindOf(name)) {
			out = append(out, name)
		}
	}
	slices.SortFunc(out, network.ComparePorts)
	return out
}

// nearest finds what was probably meant, or "".
func nearest(name string, known []string) string {
	best, least := "", len(name)/3+1
	for _, k := range known {
		if d := distance(name, k); d <= least {
			best, least = k, d-1
		}
	}
	return best
}

// distance is how many letters must be changed, added or left out (Levenshtein).
func distance(a, b string) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := range len(a) {
		diagonal := row[0]
		row[0] = i + 1
		for j := range len(b) {
			cost := 1
			if a[i] == b[j] {
				cost = 0
			}
			diagonal, row[j+1] = row[j+1], min(row[j]+1, row[j+1]+1, diagonal+cost)
		}
	}
	return row[len(b)]
}

// Features lists everything that a device can have, in order.
func Features() []network.Feature {
	var out []network.Feature
	for _, s := range all {
		if s.Needs != "" {
			out = append(out, s.Needs)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}
