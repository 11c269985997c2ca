package netconf

import (
	"cmp"
	"net/netip"
	"slices"
	"strconv"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/wire/xmlnode"
)

// maxIntruders is how many are told of: with more of them it is one trouble all the same.
const maxIntruders = 64

// readStanding reads what ep-switching, ep-storage, ep-management and openconfig-acl tell of what is set with them.
func readStanding(in *network.Inside, data *xmlnode.Node) {
	sw := data.Child("switching")
	for _, r := range sw.All("ring") {
		if state := r.TextAt("state"); state != "" {
			in.Rings = append(in.Rings, network.RingState{Name: r.TextAt("name"), ActsAs: r.TextAt("acts-as"), State: state, Blocked: r.TextAt("blocked"), Changes: number(r, "changes")})
		}
	}
	if p := sw.Child("pair"); p != nil {
		in.Pair = &network.PairState{Name: p.TextAt("name"), Joined: p.TextAt("state") == "joined", Keepalive: map[string]string{"true": "heard", "false": "lost"}[p.TextAt("keepalive-heard")]}
	}
	for _, c := range sw.All("class") {
		if n, err := strconv.Atoi(c.TextAt("number")); err == nil {
			in.Classes = append(in.Classes, network.ClassCount{Class: n, Sent: counter(c, "sent"), Dropped: counter(c, "dropped")})
		}
	}
	for _, d := range sw.All("dhcp-intruder") {
		vlan, err := network.ParseVLAN(d.TextAt("vlan"))
		if port := d.TextAt("port"); err == nil && port != "" && len(in.Intruders) < maxIntruders {
			in.Intruders = append(in.Intruders, network.DHCPIntruder{VLAN: vlan, Port: port, MAC: d.TextAt("mac"), Address: d.TextAt("address"), Blocked: d.TextAt("blocked") == "true"})
		}
	}
	if c := sw.Child("controller"); c.TextAt("address") != "" {
		in.Controller = &network.ControllerState{Address: c.TextAt("address"), Connected: c.TextAt("state") == "connected", Since: epoch(c.TextAt("last-change"))}
	}
	for _, l := range data.Child("storage").All("login") {
		login := network.StorageLogin{Port: l.TextAt("port"), Name: l.TextAt("name"), Address: l.TextAt("address"), Kind: l.TextAt("kind"), Sees: []string{}}
		for _, s := range l.All("sees") {
			login.Sees = append(login.Sees, s.Text)
		}
		in.Logins = append(in.Logins, login)
	}
	for _, c := range data.Child("management-plane").All("contact-input") {
		contact := c.TextAt("contact")
		in.Contacts = append(in.Contacts, network.ContactState{Number: c.TextAt("number"), Text: c.TextAt("text"), Severity: cmp.Or(c.TextAt("severity"), "warning"),
			Contact: contact, Alarm: contact != "" && contact == cmp.Or(c.TextAt("alarm-when"), "open")})
	}
	for _, set := range data.Find("acl/acl-sets").All("acl-set") {
		entries := set.Child("acl-entries").All("acl-entry")
		slices.SortStableFunc(entries, func(a, b *xmlnode.Node) int { return number(a, "sequence-id") - number(b, "sequence-id") })
		hits := network.ListHits{Name: set.TextAt("name"), Rows: make([]network.RowHits, len(entries))}
		for i, e := range entries {
			hits.Rows[i] = network.RowHits{Row: number(e, "sequence-id"), Frames: counter(e.Child("state"), "matched-packets")}
		}
		in.Lists = append(in.Lists, hits)
	}
}

// maxLeases is of how many addresses that a device gave out is told.
const maxLeases = 20_000

// readLeases reads what ep-routing and ep-wireless tell of addresses that were given out.
func readLeases(in *network.Inside, data *xmlnode.Node) {
	for _, g := range data.Child("routing").All("gateway") {
		vlan, err := network.ParseVLAN(g.TextAt("vlan"))
		server := g.Child("dhcp-server")
		if err != nil || server.TextAt("size") == "" {
			continue
		}
		readPool(in, server, network.Pool{VLAN: vlan})
	}
	for _, n := range data.Child("wireless").All("network") {
		own := n.Child("station-network")
		if own.TextAt("size") == "" {
			continue
		}
		p := network.Pool{Network: short(n.TextAt("name"))}
		p.VLAN, _ = network.ParseVLAN(n.TextAt("vlan"))
		if outside, err := netip.ParseAddr(own.TextAt("outside")); err == nil {
			p.Outside = outside.String()
		}
		readPool(in, own, p)
	}
}

// readPool reads how many addresses can be given out somewhere, and who has which.
func readPool(in *network.Inside, server *xmlnode.Node, p network.Pool) {
	p.Size, p.Free = max(number(server, "size"), 0), max(number(server, "free"), 0)
	in.Pools = append(in.Pools, p)
	for _, l := range server.All("lease-given") {
		a, err := netip.ParseAddr(l.TextAt("address"))
		if err != nil || len(in.Leases) == maxLeases {
			continue
		}
		lease := network.Lease{VLAN: p.VLAN, Network: p.Network, Address: a.String(), MAC: l.TextAt("mac"), Name: short(l.TextAt("name")), Reserved: l.TextAt("reserved") == "true"}
		if t, err := time.Parse(time.RFC3339, l.TextAt("ends")); err == nil {
			lease.Ends = t.UTC()
		}
		in.Leases = append(in.Leases, lease)
	}
}
