// Package guard checks a proposed network: what would go wrong if the edits were made. One file holds one guard; a guard
// looks at the whole network, before and after, and returns findings in plain words with a remedy.
package guard

import (
	"cmp"
	"maps"
	"net/netip"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/radiolink"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

// Level is how grave a finding is.
type Level string

// The levels.
const (
	Stop Level = "stop" // cannot be pushed
	Warn Level = "warn" // can be pushed once somebody has accepted it by name
	Note Level = "note" // good to know
)

// Finding is what a guard has to say.
type Finding struct {
	// ID names the finding stably, for accepting it: guard:object.
	ID    string            `json:"id"`
	Guard string            `json:"guard"`
	Level Level             `json:"level"`
	Ports []network.PortRef `json:"ports"`
	What  string            `json:"what"`   // what is wrong
	Why   string            `json:"why"`    // why it matters
	Do    string            `json:"remedy"` // what to do
	// Fix holds edits that would mend it, where that is mechanical.
	Fix []intent.Edit `json:"fix,omitempty"`
}

// Proposal is the network before and after a set of edits. Both maps hold every device of which the configuration is
// known, not only the edited ones.
type Proposal struct {
	Before, After map[string]network.Config
	Links         []topology.Link
	// Entries are the devices through which the management network comes in.
	Entries []string
	// Site tells the site of a device, and EntryOf the entry of a site, where somebody has said so.
	Site    map[string]string
	EntryOf map[string]string

	// States, Insides, Kinds and Tags are what is seen of devices, and said of them.
	States  map[string]network.State
	Insides map[string]network.Inside
	Kinds   map[string]network.Kind
	Tags    map[string][]string
	// From is the address from which the service reaches a device, as far as it is known.
	From map[string]netip.Addr
	// SignsInAs is the user as whom the service signs in to a device, as far as it is known.
	SignsInAs map[string]string
	// Licences are the rights of ends of radio links to send, as far as they are known.
	Licences []radiolink.Licence
	// Now is when the change would be made, by the clock of its devices as far as that is known.
	Now time.Time
	// Windows are the hours that rules of the house say for the devices of the change.
	Windows []Window

	graph   *topology.Graph
	changed []network.PortRef // the ports that differ, in order
	linkOf  map[network.PortRef]topology.Link
}

var guards = []func(Proposal) []Finding{managementPath, managementFrom, managedService, vlanExists, vlanCarried, linkEnds, bundleMembers, shutFeeds,
	powerBudget, spanningTree, mirrorDestination, accessLists, rings, pairs, bundleEnds, zones, managementVRF, signIn, snmp, hostNames, managementAddress, trafficClasses, references, firewalls, routing, tunnels, steer, segments, peerings, radioLinks, serviceVLANs, wireless, blocked, changeWindow}

// Check runs all guards. The gravest findings come first, those of one level in the order of the guards.
func Check(p Proposal) []Finding {
	p.graph, p.changed = topology.NewGraph(p.Links, p.Entries), p.changedPorts()
	p.linkOf = make(map[network.PortRef]topology.Link, 2*len(p.Links))
	for _, l := range p.Links {
		p.linkOf[l.A], p.linkOf[l.B] = l, l
	}
	var out []Finding
	for _, g := range guards {
		out = append(out, g(p)...)
	}
	weight := map[Level]int{Stop: 0, Warn: 1, Note: 2}
	slices.SortStableFunc(out, func(a, b Finding) int { return weight[a.Level] - weight[b.Level] })
	return out
}

// Blocked returns the findings that keep a change from being pushed when the given ones are accepted.
func Blocked(findings []Finding, accepted []string) []Finding {
	var out []Finding
	for _, f := range findings {
		if f.Level == Stop || f.Level == Warn && !slices.Contains(accepted, f.ID) {
			out = append(out, f)
		}
	}
	return out
}

// objectsOf calls f for the objects of a kind that a device would have, where the device or one of them differs from before.
func (p Proposal) objectsOf(k setting.Kind, f func(at network.PortRef, name string, before, after network.Settings)) {
	prefix := setting.Object(k, "")
	for _, device := range slices.Sorted(maps.Keys(p.After)) {
		before, after := p.Before[device].Objects, p.After[device].Objects
		for _, object := range slices.Sorted(maps.Keys(after)) {
			if name, ok := strings.CutPrefix(object, prefix); ok {
				f(network.PortRef{Device: device, Port: object}, name, before[object], after[object])
			}
		}
	}
}

// differs tells whether objects of a kind differ from before, on any device.
func (p Proposal) differs(k setting.Kind) bool {
	prefix := setting.Object(k, "")
	for device, after := range p.After {
		before := p.Before[device]
		for _, pair := range [][2]network.Config{{before, after}, {after, before}} {
			for object, s := range pair[1].Objects {
				if o, had := pair[0].Objects[object]; strings.HasPrefix(object, prefix) && (!had || !maps.Equal(o, s)) {
					return true
				}
			}
		}
	}
	return false
}

// changedPorts lists the ports that differ, in order.
func (p Proposal) changedPorts() []network.PortRef {
	var out []network.PortRef
	for device, after := range p.After {
		before := p.Before[device]
		bundle := func(name string) bool {
			return name != "" && !after.Bundles[name].Equal(before.Bundles[name])
		}
		for name, port := range after.Ports {
			if !port.Equal(before.Ports[name]) || bundle(port.LAG) {
				out = append(out, network.PortRef{Device: device, Port: name})
			}
		}
	}
	slices.SortFunc(out, compareRefs)
	return out
}

func compareRefs(a, b network.PortRef) int {
	return cmp.Or(cmp.Compare(a.Device, b.Device), network.ComparePorts(a.Port, b.Port))
}

// used lists the VLANs that a port is in.
func used(c network.PortConfig) []network.VLANID {
	var out []network.VLANID
	if !c.Enabled {
		return nil
	}
	if v := c.Untagged(); v != 0 {
		out = append(out, v)
	}
	if c.Mode == network.Trunk {
		out = append(out, c.TrunkVLANs...)
	}
	return out
}

// settable is where a setting of a port is set: on the port, or on its bundle.
func (p Proposal) settable(ref network.PortRef) network.PortRef {
	if lag := p.After[ref.Device].Ports[ref.Port].LAG; lag != "" {
		return network.PortRef{Device: ref.Device, Port: lag}
	}
	return ref
}

// linkAt is the link of which a port is an end.
func (p Proposal) linkAt(ref network.PortRef) (topology.Link, network.PortRef, bool) {
	l, ok := p.linkOf[ref]
	if !ok {
		return l, network.PortRef{}, false
	}
	_, far := l.Other(ref.Device)
	return l, far, true
}
