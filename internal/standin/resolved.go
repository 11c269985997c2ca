package standin

import (
	"cmp"
	"fmt"
	"maps"
	"slices"

	"example.net/everypost/internal/wire/xmlnode"
)

// resolvedState tells which addresses an edge, which routes between the VLANs of its site, resolved to which hardware
// addresses (ARP, RFC 826): those of the stations whose frames come that far.
func (d *device) resolvedState(interfaces *xmlnode.Node) {
	if d.spec.Role != "edge" {
		return
	}
	found := map[int][]*host{}
	for _, h := range d.world.hosts {
		at := d.world.devices[h.at.device]
		if h.IP == "" || at.spec.Site != d.spec.Site || !at.ports[h.at.port].up {
			continue
		}
		if vlan := h.joined(at.cfg); vlan != 0 && d.world.gatewayOf(h.at.device, vlan) == d.spec.Name {
			found[vlan] = append(found[vlan], h)
		}
	}
	x, ip := in("oc-if"), in("oc-ip")
	for _, vlan := range slices.Sorted(maps.Keys(found)) {
		neighbors := ip.node("neighbors")
		slices.SortFunc(found[vlan], func(a, b *host) int { return cmp.Compare(a.IP, b.IP) })
		told := map[string]bool{}
		for _, h := range found[vlan] {
			address, mac := h.IP, h.MAC
			if h.seen.IsValid() {
				address, mac = h.seen.String(), d.world.devices[h.at.device].chassisMAC()
			}
			if told[address] {
				continue
			}
			told[address] = true
			neighbors.Add(ip.node("neighbor", ip.leaf("ip", address), ip.node("state", ip.leaf("ip", address), ip.leaf("link-layer-address", mac), ip.leaf("origin", "DYNAMIC"))))
		}
		name := fmt.Sprintf("vlan%d", vlan)
		var i *xmlnode.Node
		for _, c := range interfaces.All("interface") {
			if c.TextAt("name") == name {
				i = c
			}
		}
		if i == nil {
			i = x.node("interface", x.leaf("name", name), x.node("state", x.leaf("name", name), x.leaf("oper-status", "UP")))
			interfaces.Add(i)
		}
		i.Ensure(namespaces["oc-vlan"], "routed-vlan").Ensure(namespaces["oc-ip"], "ipv4").Add(neighbors)
	}
}

// gatewayOf is the device at which the way of a VLAN ends, seen from another, or "".
func (w *World) gatewayOf(device string, vlan int) string {
	way := w.ways[vlan]
	if way == nil {
		way = w.spread(vlan)
		w.ways[vlan] = way
	}
	at := room{device, vlan}
	for range len(way) + 1 {
		e, known := way[at]
		if !known {
			return ""
		}
		if e.by == nil {
			return at.device
		}
		at = e.from
	}
	return ""
}
