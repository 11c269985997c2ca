package standin

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

// ownNetwork is the network in which an access point has the stations of one that it offers; the zero value: none.
type ownNetwork struct {
	address netip.Prefix // of the access point
	lease   time.Duration
}

func compileOwnNetwork(n *xmlnode.Node) (o ownNetwork) {
	o.address, _ = netip.ParsePrefix(n.TextAt("address"))
	minutes, err := strconv.Atoi(n.TextAt("lease"))
	if err != nil {
		minutes = 1440
	}
	o.lease = time.Duration(minutes) * time.Minute
	return o
}

// size is how many addresses it can give out.
func (o ownNetwork) size() int { return 1<<(32-o.address.Bits()) - 3 }

// hidden is the network of a host's own access point in which it is; ok is false for one that is in the VLAN itself.
func (d *device) hidden(h *host) (n *networkConfig, ok bool) {
	if h.SSID == "" || !d.cfg.wireless.hides {
		return nil, false
	}
	s := d.cfg.inAir(h)
	return s.network, s.vlan != 0 && s.network != nil && s.network.own.address.IsValid()
}

// outside is the address that an access point has in a VLAN, with which its stations are seen there.
func (d *device) outside(vlan int) netip.Addr {
	own, err := netip.ParseAddr(d.spec.ManagementIP)
	if vlan == d.cfg.management || err != nil {
		return own
	}
	return netip.AddrFrom4([4]byte{10, byte(d.spec.SiteNet), byte(vlan), 200 + own.As4()[3]%54})
}

// giveOwn has the stations of an access point that are in networks of its own have addresses of them: each keeps the one that it has.
func (d *device) giveOwn(give func(h *host, address, outside netip.Addr)) {
	if !d.cfg.wireless.hides {
		return
	}
	w := d.world
	taken := map[netip.Addr]bool{}
	kept := map[string]netip.Addr{}
	var list []*host
	for _, h := range w.hostsAt[d.spec.Name] {
		n, ok := d.hidden(h)
		if !ok {
			continue
		}
		list = append(list, h)
		if a, had := d.given[h.MAC]; had && n.own.address.Contains(a) && n.own.address.Contains(a.Next()) && a != n.own.address.Addr() {
			kept[h.MAC], taken[a] = a, true
		}
	}
	slices.SortFunc(list, func(a, b *host) int { return int(hashOf(a.MAC)%97) - int(hashOf(b.MAC)%97) })
	for _, h := range list {
		n, _ := d.hidden(h)
		address, has := kept[h.MAC]
		for a := n.own.address.Masked().Addr().Next(); !has && n.own.address.Contains(a.Next()); a = a.Next() {
			if !taken[a] && a != n.own.address.Addr() {
				address, has = a, true
				kept[h.MAC], taken[a] = a, true
			}
		}
		give(h, address, d.outside(d.cfg.inAir(h).vlan)) // who comes too late has none
	}
	d.given = kept
}

// ownNetworkState tells who has which address of a network of the access point's own.
func (d *device) ownNetworkState(n *xmlnode.Node, now time.Time) {
	x := in("ep-wl")
	i := slices.IndexFunc(d.cfg.wireless.networks, func(c networkConfig) bool { return c.name == n.TextAt("name") })
	if i < 0 || !d.cfg.wireless.networks[i].own.address.IsValid() {
		return
	}
	c := d.cfg.wireless.networks[i]
	to := n.Child("station-network")
	given := 0
	for _, h := range d.world.hostsAt[d.spec.Name] {
		if of, ok := d.hidden(h); !ok || of.name != c.name || h.IP == "" || !d.ports[h.at.port].up {
			continue
		}
		given++
		since := time.Duration(hashOf(h.MAC)%1000) * c.own.lease / 2000
		to.Add(x.node("lease-given", x.leaf("address", h.IP), x.leaf("mac", h.MAC), x.leaf("name", h.Name), x.leaf("ends", now.Add(c.own.lease-since).Truncate(time.Minute).UTC().Format(time.RFC3339))))
	}
	vlan := c.vlan
	if vlan == 0 {
		vlan = d.cfg.management
	}
	to.Add(x.leaf("outside", fmt.Sprint(d.outside(vlan))), x.int("size", c.own.size()), x.int("free", max(c.own.size()-given, 0)))
}
