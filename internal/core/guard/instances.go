package guard

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

// instancesTouched tells whether a device would be in another region, or in other trees of its region.
func (p Proposal) instancesTouched(device string) bool {
	a, b := p.After[device], p.Before[device]
	if a.Settings["mst-region"] != b.Settings["mst-region"] || a.Settings["mst-revision"] != b.Settings["mst-revision"] {
		return true
	}
	of := setting.ObjectsOf(a, setting.OnInstance)
	return !slices.Equal(of, setting.ObjectsOf(b, setting.OnInstance)) || slices.ContainsFunc(of, func(object string) bool {
		return !maps.Equal(a.Objects[object], b.Objects[object])
	})
}

// instances finds what is wrong with the trees of instances of bridges that hang together.
func (p Proposal) instances(group []string) []Finding {
	var out []Finding
	regions := map[string][]string{}
	for _, d := range group {
		if p.instancesTouched(d) || p.After[d].Settings["stp"] != p.Before[d].Settings["stp"] {
			out = append(out, p.inTwoInstances(d)...)
			out = append(out, p.withoutEffect(d)...)
		}
		if r := topology.Region(p.After[d]); r != "" {
			regions[r] = append(regions[r], d)
		}
	}
	for _, r := range slices.Sorted(maps.Keys(regions)) {
		members := regions[r]
		var numbers []int
		for _, i := range topology.Instances(p.After[members[0]]) {
			numbers = append(numbers, i)
		}
		slices.Sort(numbers)
		for _, i := range slices.Compact(numbers) {
			object := setting.Object(setting.OnInstance, strconv.Itoa(i))
			if !slices.ContainsFunc(members, func(d string) bool { _, had := p.Before[d].Objects[object]; return had }) {
				continue // it is new, and had no root
			}
			out = append(out, p.rootMoves(members, spanned{"the tree of instance " + strconv.Itoa(i), object, "priority"})...)
		}
	}
	return append(out, p.tornRegions(group)...)
}

// inTwoInstances finds VLANs that would be in two instances of a device.
func (p Proposal) inTwoInstances(device string) (out []Finding) {
	in := map[network.VLANID]string{}
	c := p.After[device]
	for _, object := range setting.ObjectsOf(c, setting.OnInstance) {
		set, err := network.ParseVLANSet(c.Objects[object]["instance-vlans"])
		if err != nil {
			continue
		}
		for _, v := range set {
			other, twice := in[v]
			in[v] = object
			if !twice {
				continue
			}
			at := network.PortRef{Device: device, Port: object}
			out = append(out, Finding{
				ID: "spanning-tree-twice:" + at.String(), Guard: "spanning-tree", Level: Stop, Ports: []network.PortRef{at},
				What: fmt.Sprintf("VLAN %s of %s would be in two instances, %s and %s.", v, device, number(other), number(object)),
				Why:  "A VLAN has one spanning tree; the device would refuse it.",
				Do:   fmt.Sprintf("Take VLAN %s out of the list of one: everypost port set %s 'instance-vlans=...'.", v, at),
				Fix:  []intent.Edit{{Port: at, Field: "instance-vlans", Value: cmp.Or(p.Before[device].Objects[object]["instance-vlans"], "none")}},
			})
			break
		}
	}
	return out
}

func number(object string) string {
	return strings.TrimPrefix(object, string(setting.OnInstance)+"/")
}

// withoutEffect finds instances of a device that would have no tree.
func (p Proposal) withoutEffect(device string) []Finding {
	c := p.After[device]
	of := setting.ObjectsOf(c, setting.OnInstance)
	if len(of) == 0 {
		return nil
	}
	f := Finding{ID: "spanning-tree-instances:" + device, Guard: "spanning-tree", Level: Warn, Ports: []network.PortRef{{Device: device, Port: of[0]}}}
	switch {
	case c.Settings["stp"] != "multiple":
		f.What = fmt.Sprintf("The instances of spanning tree of %s would be of no effect: it does not run MSTP.", device)
		f.Why = "Its VLANs stay in the common tree."
		f.Do = fmt.Sprintf("Turn MSTP on: everypost device set %s stp=multiple.", device)
		f.Fix = []intent.Edit{{Port: network.PortRef{Device: device}, Field: "stp", Value: "multiple"}}
	case topology.Region(c) == "":
		f.What = fmt.Sprintf("%s would be a region of its own: its region has no name.", device)
		f.Why = "Its instances end at its own ports, and to all others its VLANs go by the common tree."
		f.Do = fmt.Sprintf("Name the region, the same on all its bridges: everypost device set %s mst-region=NAME.", device)
	default:
		return nil
	}
	return []Finding{f}
}

// tornRegions finds neighbours that would be of one region by its name, and are not as they differ in what is in it.
func (p Proposal) tornRegions(group []string) (out []Finding) {
	said := map[[2]string]bool{}
	for _, l := range p.Links {
		a, b := l.A.Device, l.B.Device
		if !slices.Contains(group, a) || said[[2]string{a, b}] || !p.torn(p.After, a, b) || p.torn(p.Before, a, b) && !p.instancesTouched(a) && !p.instancesTouched(b) {
			continue
		}
		said[[2]string{a, b}] = true
		out = append(out, Finding{
			ID: "spanning-tree-region:" + a + ":" + b, Guard: "spanning-tree", Level: Warn, Ports: []network.PortRef{l.A, l.B},
			What: fmt.Sprintf("%s and %s both say region %s, and would be two: %s.", a, b, p.After[a].Settings["mst-region"], differInRegion(p.After[a], p.After[b])),
			Why:  "Between two regions all VLANs go by the common tree, whatever the instances say, and the links laid out for them stay idle.",
			Do:   fmt.Sprintf("Put the same VLANs into the same instances on %s and %s, with the same mst-revision.", a, b),
		})
	}
	return out
}

func (p Proposal) torn(configs map[string]network.Config, a, b string) bool {
	x, y := topology.Region(configs[a]), topology.Region(configs[b])
	return x != "" && y != "" && x != y && configs[a].Settings["mst-region"] == configs[b].Settings["mst-region"]
}

// differInRegion says what keeps two devices from being of one region.
func differInRegion(a, b network.Config) string {
	if x, y := cmp.Or(a.Settings["mst-revision"], "0"), cmp.Or(b.Settings["mst-revision"], "0"); x != y {
		return fmt.Sprintf("one has revision %s, the other %s", x, y)
	}
	in, other := topology.Instances(a), topology.Instances(b)
	var vlans network.VLANSet
	for _, m := range []map[network.VLANID]int{in, other} {
		for v := range m {
			if in[v] != other[v] {
				vlans = append(vlans, v)
			}
		}
	}
	slices.Sort(vlans)
	vlans = slices.Compact(vlans)
	return fmt.Sprintf("VLAN %s is in other instances on one than on the other", vlans)
}
