package intent

import (
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

// Setup is what is asked of somebody who sets up devices for the first time: one, or all of a small site.
type Setup struct {
	Devices []string
	System  map[string]string         // settings of the devices themselves, as far as each can have them
	VLANs   map[network.VLANID]string // their names; made on every device that has VLANs
	Links   bool                      // have the links among the devices, and from them to others, carry the VLANs
	Root    string                    // of spanning tree, "" to leave it
	Ports   []SetupPorts
}

// SetupPorts is ports that are for one thing. A # in the description is the number of the port among them, from 1.
type SetupPorts struct {
	On  []network.PortRef
	Set map[string]string
}

// SetupRow sets the same on several things.
type SetupRow struct {
	On  []network.PortRef
	Set map[string]string
}

// rootPriority is that of the bridge that is to be the root.
const rootPriority = "4096"

// Rows works out what is to be set, in an order in which it can be read, and tells what cannot be had.
func (s Setup) Rows(configs map[string]network.Config, links []topology.Link) (rows []SetupRow, notes []string, err error) {
	in := map[string]bool{}
	for _, d := range s.Devices {
		if _, known := configs[d]; !known {
			return nil, nil, fmt.Errorf("there is no device %s, or its configuration was never read", d)
		}
		in[d] = true
	}
	if s.Root != "" && !in[s.Root] {
		return nil, nil, fmt.Errorf("%s is to be the root of spanning tree, and is not among the devices", s.Root)
	}
	notes = s.system(configs, &rows)
	for _, v := range slices.Sorted(maps.Keys(s.VLANs)) {
		row := SetupRow{Set: map[string]string{setting.Present: "on", "name": s.VLANs[v]}}
		for _, d := range s.Devices {
			if configs[d].VLANs != nil {
				row.On = append(row.On, network.PortRef{Device: d, Port: setting.Object(setting.OnVLAN, v.String())})
			}
		}
		if len(row.On) > 0 {
			rows = append(rows, row)
		}
	}
	if s.Links && len(s.VLANs) > 0 {
		more, told := s.trunks(configs, links, in)
		rows, notes = append(rows, more...), append(notes, told...)
	}
	if s.Root != "" {
		rows = append(rows, SetupRow{[]network.PortRef{{Device: s.Root}}, map[string]string{"stp-priority": rootPriority}})
	}
	for _, p := range s.Ports {
		if !strings.Contains(p.Set["description"], "#") {
			rows = append(rows, SetupRow(p))
			continue
		}
		for i, on := range p.On {
			set := maps.Clone(p.Set)
			set["description"] = strings.ReplaceAll(set["description"], "#", strconv.Itoa(i+1))
			rows = append(rows, SetupRow{[]network.PortRef{on}, set})
		}
	}
	return rows, notes, nil
}

// system sets what devices have of settings of their own, those with the same together.
func (s Setup) system(configs map[string]network.Config, rows *[]SetupRow) (notes []string) {
	byNames := map[string]SetupRow{}
	for _, d := range s.Devices {
		set := map[string]string{}
		for name, value := range s.System {
			if one, err := setting.Lookup(setting.OnDevice, name); err == nil && !configs[d].Has(one.Needs) {
				notes = append(notes, fmt.Sprintf("%s has no %s: %s is left out there.", d, one.Needs, name))
				continue
			}
			set[name] = value
		}
		if len(set) == 0 {
			continue
		}
		key := strings.Join(slices.Sorted(maps.Keys(set)), " ")
		row := byNames[key]
		row.Set, row.On = set, append(row.On, network.PortRef{Device: d})
		byNames[key] = row
	}
	for _, key := range slices.Sorted(maps.Keys(byNames)) {
		*rows = append(*rows, byNames[key])
	}
	slices.Sort(notes)
	return notes
}

// trunks has links carry the VLANs: on a trunk they are put to those that it carries, and a link between two of the devices
// that is none yet becomes one. What it carries untagged stays so.
func (s Setup) trunks(configs map[string]network.Config, links []topology.Link, in map[string]bool) (rows []SetupRow, notes []string) {
	done := map[network.PortRef]bool{}
	for _, l := range links {
		if !in[l.A.Device] && !in[l.B.Device] {
			continue
		}
		for _, end := range []network.PortRef{l.A, l.B} {
			c, known := configs[end.Device]
			p := c.Ports[end.Port]
			at := end
			if p.LAG != "" {
				at.Port = p.LAG
			}
			switch {
			case !known || p.Mode == "" || done[at]:
			case p.Mode == network.Access && !(in[l.A.Device] && in[l.B.Device]):
				notes = append(notes, fmt.Sprintf("%s leads to another device and is an access port: it is left as it is.", end))
			default:
				tagged := slices.Clone(p.TrunkVLANs)
				for v := range s.VLANs {
					if _, there := c.VLANs[v]; v != p.Untagged() && (there || in[end.Device]) {
						tagged = append(tagged, v)
					}
				}
				set := map[string]string{"trunk-vlans": network.NewVLANSet(tagged...).String()}
				if p.Mode == network.Access {
					set["mode"] = string(network.Trunk)
				}
				done[at] = true
				rows = append(rows, SetupRow{[]network.PortRef{at}, set})
			}
		}
	}
	return rows, notes
}
