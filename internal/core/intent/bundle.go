package intent

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

// BundleEnd is one device's part of a bundle.
type BundleEnd struct {
	Device string
	Bundle string // its name there
	Ports  []string
}

// Bundle is a link aggregation that could be made of ports: the near ends, those at the other end of the cables, and the
// edits that make it.
type Bundle struct {
	Near, Far []BundleEnd // one each, or two where a pair of switches acts as one (MLAG)
	Notes     []string    // what is left out or open
	Edits     []Edit
}

// ProposeBundle works out a bundle of ports. The other end follows from what the neighbours tell. pairs are the devices that
// act as one, by the name of the other; near is the name of the bundle at the near end, "" for the next that is free there.
func ProposeBundle(configs map[string]network.Config, links []topology.Link, pairs map[string]string, ports []network.PortRef, near, protocol string) (Bundle, error) {
	if len(ports) == 0 {
		return Bundle{}, errors.New("no port was named")
	}
	if near != "" && setting.KindOf(near) != setting.OnBundle {
		return Bundle{}, fmt.Errorf("%q is not the name of a bundle: write lag and a number, such as lag1", near)
	}
	var b Bundle
	nearPorts := map[string][]string{}
	for _, ref := range ports {
		if err := fit(configs, ref); err != nil {
			return Bundle{}, err
		}
		nearPorts[ref.Device] = append(nearPorts[ref.Device], ref.Port)
	}
	if err := oneOrPair(nearPorts, pairs); err != nil {
		return Bundle{}, err
	}
	farPorts := map[string][]string{}
	for _, ref := range ports {
		far, ok := across(links, ref)
		switch {
		case !ok:
			b.Notes = append(b.Notes, fmt.Sprintf("It is not known what %s leads to.", ref))
		case fit(configs, far) != nil:
			b.Notes = append(b.Notes, fmt.Sprintf("The other end of %s is left out: %v.", ref, fit(configs, far)))
		default:
			farPorts[far.Device] = append(farPorts[far.Device], far.Port)
		}
	}
	if len(farPorts) > 0 && oneOrPair(farPorts, pairs) != nil {
		b.Notes = append(b.Notes, fmt.Sprintf("The ports lead to several devices (%s): set up the other ends by hand.", strings.Join(slices.Sorted(maps.Keys(farPorts)), ", ")))
		farPorts = nil
	}
	if near == "" {
		near = freeBundle(configs, slices.Sorted(maps.Keys(nearPorts)))
	}
	b.Near = ends(nearPorts, near)
	b.Far = ends(farPorts, freeBundle(configs, slices.Sorted(maps.Keys(farPorts))))
	first := configs[ports[0].Device].Ports[ports[0].Port]
	for _, end := range slices.Concat(b.Near, b.Far) {
		other := b.Far
		if slices.ContainsFunc(b.Far, func(e BundleEnd) bool { return e.Device == end.Device }) {
			other = b.Near
		}
		b.Edits = append(b.Edits, bundleEdits(end, other, first, protocol)...)
	}
	return b, nil
}

// fit tells why a port cannot be put into a bundle.
func fit(configs map[string]network.Config, ref network.PortRef) error {
	c, known := configs[ref.Device]
	p, has := c.Ports[ref.Port]
	switch {
	case !known:
		return fmt.Errorf("%s is not in hand", ref.Device)
	case !has:
		return fmt.Errorf("%s has no port %s", ref.Device, ref.Port)
	case !c.Has(setting.Bundles):
		return fmt.Errorf("%s has no link aggregation", ref.Device)
	case p.LAG != "":
		return fmt.Errorf("%s is in %s already", ref, p.LAG)
	case p.Mode == "":
		return fmt.Errorf("%s is not a switched port", ref)
	}
	return nil
}

// oneOrPair tells whether ports are on one device, or on a pair that acts as one.
func oneOrPair(ports map[string][]string, pairs map[string]string) error {
	devices := slices.Sorted(maps.Keys(ports))
	if len(devices) == 1 || len(devices) == 2 && pairs[devices[0]] == devices[1] {
		return nil
	}
	return fmt.Errorf("a bundle is made of ports of one device, or of a pair that acts as one: these are on %s", strings.Join(devices, ", "))
}

// across finds the port at the other end of a port's cable.
func across(links []topology.Link, ref network.PortRef) (network.PortRef, bool) {
	for _, l := range links {
		switch ref {
		case l.A:
			return l.B, true
		case l.B:
			return l.A, true
		}
	}
	return network.PortRef{}, false
}

// freeBundle is the first name that is free on all devices.
func freeBundle(configs map[string]network.Config, devices []string) string {
	for n := 1; ; n++ {
		name := "lag" + strconv.Itoa(n)
		if !slices.ContainsFunc(devices, func(d string) bool { _, taken := configs[d].Bundles[name]; return taken }) {
			return name
		}
	}
}

func ends(ports map[string][]string, bundle string) []BundleEnd {
	var out []BundleEnd
	for _, device := range slices.Sorted(maps.Keys(ports)) {
		list := slices.Clone(ports[device])
		slices.SortFunc(list, network.ComparePorts)
		out = append(out, BundleEnd{device, bundle, slices.Compact(list)})
	}
	return out
}

// bundleEdits makes one end, with the VLANs of a port.
func bundleEdits(end BundleEnd, other []BundleEnd, like network.PortConfig, protocol string) []Edit {
	at := network.PortRef{Device: end.Device, Port: end.Bundle}
	edit := func(field, value string) Edit { return Edit{Port: at, Field: field, Value: value} }
	out := []Edit{edit(setting.Present, "on"), edit("protocol", protocol), edit("mode", string(like.Mode))}
	if len(other) > 0 {
		var to []string
		for _, o := range other {
			to = append(to, o.Device)
		}
		out = append(out, edit("description", strings.Join(to, " and ")+" "+other[0].Bundle))
	}
	if like.Mode == network.Access {
		out = append(out, edit("vlan", like.AccessVLAN.String()))
	} else {
		native, tagged := "none", "none"
		if like.NativeVLAN != 0 {
			native = like.NativeVLAN.String()
		}
		if len(like.TrunkVLANs) > 0 {
			tagged = like.TrunkVLANs.String()
		}
		out = append(out, edit("native-vlan", native), edit("trunk-vlans", tagged))
	}
	for _, p := range end.Ports {
		out = append(out, Edit{Port: network.PortRef{Device: end.Device, Port: p}, Field: "bundle", Value: end.Bundle})
	}
	return out
}
