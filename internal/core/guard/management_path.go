package guard

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

// managementPath finds devices that the service could reach before and could not reach after. It warns and does not stop:
// every push is on trial, so that such a device undoes the change by itself, and there are reasons to do it (moving the
// management network is one). A device at a site whose entry nobody has named cannot be judged, which is said.
func managementPath(p Proposal) []Finding {
	lost := map[string]bool{} // whether the links that may be down are, or are not
	for _, down := range []bool{true, false} {
		before, after := p.reach(p.Before, down), p.reach(p.After, down)
		for device := range before {
			lost[device] = lost[device] || !after[device]
		}
	}
	var cut []string
	for _, device := range slices.Sorted(maps.Keys(lost)) {
		if lost[device] {
			cut = append(cut, device)
		}
	}
	var out []Finding
	if len(cut) > 0 {
		out = append(out, p.cutOff(cut))
	}
	unjudged := map[string]bool{}
	for _, ref := range p.changed {
		if site := p.Site[ref.Device]; p.EntryOf[site] == "" && !unjudged[site] {
			unjudged[site] = true
			out = append(out, Finding{
				ID: "management-path:" + site, Guard: "management-path", Level: Note, Ports: []network.PortRef{ref},
				What: fmt.Sprintf("It is not known where the management network comes into site %s.", site),
				Why:  "So it cannot be told beforehand whether this change cuts the way to a device there. The trial will tell.",
				Do:   "Name the site's entry device.",
			})
		}
	}
	return out
}

// reach tells which devices the management reaches over the links that work and that the spanning tree leaves open. down tells
// that links which may be down are.
func (p Proposal) reach(configs map[string]network.Config, down bool) map[string]bool {
	works := make(map[topology.Link]bool, len(p.Links))
	for _, l := range p.Links {
		works[l] = topology.Passes(configs, l) && !(down && p.unsure(configs, l, 0))
	}
	trees := topology.SpanningTrees(configs, p.Links, func(l topology.Link) bool { return works[l] }, p.bridges(configs))
	return p.graph.ReachOver(configs, func(l topology.Link, v network.VLANID) bool { return works[l] && !trees.Blocks(l, v) })
}

// unsure tells whether a link may be down, as one of its ends is set up: fixed to a speed that it does not have, working by
// the hour, following ports that are down, or shut by a guard for what is at the other end. deep is how many ports follow each
// other already.
func (p Proposal) unsure(configs map[string]network.Config, l topology.Link, deep int) bool {
	for _, ends := range [][2]network.PortRef{{l.A, l.B}, {l.B, l.A}} {
		near, far := ends[0], ends[1]
		c := configs[near.Device]
		port := c.Ports[near.Port]
		bundle := c.Bundles[port.LAG].Settings
		state, seen := p.States[near.Device]
		speed := speedMbps[port.Settings["speed"]]
		follows := setting.Items(port.Settings["follow"])
		switch {
		case port.Settings["schedule"] != "":
			return true
		case speed > 0 && (!seen || speed > state.Ports[near.Port].SpeedMbps):
			return true
		case port.Settings["connector"] == "fibre" || port.Settings["connector"] == "copper":
			return true
		case len(follows) > 0 && !slices.ContainsFunc(follows, func(f string) bool {
			return f != near.Port && p.staysUp(configs, network.PortRef{Device: near.Device, Port: f}, deep)
		}):
			return true
		case (port.Settings["bpdu-guard"] == "on" || bundle["bpdu-guard"] == "on") && setting.Spans(c) && setting.Spans(configs[far.Device]):
			return true
		case port.LAG != "" && bundle["min-links"] != "" && atoi(bundle["min-links"]) > len(c.Members(port.LAG)):
			return true
		}
	}
	return false
}

// maxFollow is how many ports may follow each other before that is not looked into any more.
const maxFollow = 4

// staysUp tells whether a port that others follow has a link, and would keep it.
func (p Proposal) staysUp(configs map[string]network.Config, ref network.PortRef, deep int) bool {
	if deep == maxFollow || p.States[ref.Device].Ports[ref.Port].Oper != network.Up || !configs[ref.Device].Ports[ref.Port].Enabled {
		return false
	}
	l, _, linked := p.linkAt(ref)
	return !linked || topology.Passes(configs, l) && !p.unsure(configs, l, deep+1)
}

// speedMbps are the values of the setting speed in Mbit/s.
var speedMbps = map[string]int{"10M": 10, "100M": 100, "1G": 1000, "2.5G": 2500, "5G": 5000, "10G": 10_000, "25G": 25_000, "40G": 40_000, "100G": 100_000}

// bridges is what is known of the bridges, and of the speed of links with what is fixed.
func (p Proposal) bridges(configs map[string]network.Config) topology.Bridges {
	b := topology.Bridges{Address: map[string]string{}, Pair: map[string]string{}}
	for device, inside := range p.Insides {
		if inside.Spanning != nil {
			b.Address[device] = inside.Spanning.Address
		}
		if inside.Cluster != nil && inside.Cluster.Kind == "mlag" && !configs[device].Has(setting.Pairs) {
			b.Pair[device] = inside.Cluster.Name
		}
	}
	maps.Copy(b.Pair, topology.Pairs(configs, p.Links))
	b.SpeedMbps = func(l topology.Link) int {
		speed := min(p.States[l.A.Device].Ports[l.A.Port].SpeedMbps, p.States[l.B.Device].Ports[l.B.Port].SpeedMbps)
		for _, end := range []network.PortRef{l.A, l.B} {
			if fixed := speedMbps[configs[end.Device].Ports[end.Port].Settings["speed"]]; fixed > 0 {
				speed = min(speed, fixed)
			}
		}
		return speed
	}
	return b
}

// cutOff says which changed ports cut off the devices, the nearest device first: it is the one that goes back by itself.
func (p Proposal) cutOff(devices []string) Finding {
	near := p.graph.FarToNear(devices)
	slices.Reverse(near)
	vlan := p.Before[near[0]].ManagementVLAN
	f := Finding{
		ID: "management-path:" + near[0], Guard: "management-path", Level: Warn,
		Why: "The service would lose the way to it: on trial the device goes back by itself, and until then it cannot be watched or changed.",
	}
	var places []string
	if moved, fix := p.managedElsewhere(near[0]); moved != "" {
		f.What = fmt.Sprintf("%s could not be reached any more: it would be managed %s, where nothing leads to from here.", join(near), moved)
		f.Do, f.Fix, f.Ports = "Lead a way there first, or leave it as it is.", fix, []network.PortRef{{Device: near[0]}}
		return f
	}
	for _, ref := range p.changed {
		b, a := p.Before[ref.Device].Ports[ref.Port], p.After[ref.Device].Ports[ref.Port]
		if !p.graph.OnLink(ref) || a.EqualVLANs(b) && a.Enabled == b.Enabled && maps.Equal(a.Settings, b.Settings) && a.LAG == b.LAG {
			continue
		}
		f.Ports = append(f.Ports, ref)
		places = append(places, ref.String())
		for _, d := range intent.Compare(ref.Device, onePort(p.Before[ref.Device], ref.Port, b), onePort(p.After[ref.Device], ref.Port, a)) {
			if d.Before != "" && d.Field != "description" && d.Field != "poe" {
				f.Fix = intent.Add(f.Fix, intent.Edit{Port: p.settable(ref), Field: d.Field, Value: d.Before})
			}
		}
	}
	where := orElse(places, "its way")
	f.What = fmt.Sprintf("%s could not be reached any more: management VLAN %s would be cut on %s.", join(near), vlan, where)
	f.Do = fmt.Sprintf("Leave VLAN %s on %s, or accept this and let the trial prove it.", vlan, where)
	return f
}

// managedElsewhere says where a device would be managed, where that is not as before, and what takes it back.
func (p Proposal) managedElsewhere(device string) (where string, fix []intent.Edit) {
	before, after := p.Before[device], p.After[device]
	vlanBefore, portBefore := before.ManagedBy()
	vlan, port := after.ManagedBy()
	at := network.PortRef{Device: device}
	switch {
	case port != portBefore:
		fix = append(fix, intent.Edit{Port: at, Field: "management-port", Value: cmp.Or(portBefore, "none")})
		if port != "" {
			return "on its port " + port, fix
		}
		return "in VLAN " + vlan.String(), fix
	case vlan != vlanBefore:
		return "in VLAN " + vlan.String(), append(fix, intent.Edit{Port: at, Field: "management-vlan", Value: vlanBefore.String()})
	}
	return "", nil
}

func onePort(of network.Config, name string, c network.PortConfig) network.Config {
	return network.Config{Features: of.Features, Ports: map[string]network.PortConfig{name: c}}
}

func orElse(places []string, otherwise string) string {
	if len(places) == 0 {
		return otherwise
	}
	return join(places)
}

// join lists things as one says them: a, b and c.
func join(things []string) string {
	if len(things) < 2 {
		return strings.Join(things, "")
	}
	return strings.Join(things[:len(things)-1], ", ") + " and " + things[len(things)-1]
}
