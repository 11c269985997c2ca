// Package peering tells of routers of a site with which edges exchange routes: how each of them is, and why nothing is exchanged.
package peering

import (
	"net/netip"
	"slices"
	"strings"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// Protocols by which routes are exchanged.
const (
	BGP  = "bgp"
	OSPF = "ospf"
)

// Why nothing is exchanged, or less than was meant. The first are those that devices tell, by the names of ep-routing.
const (
	Incomplete     = "incomplete"     // address or AS is not said
	NoNetwork      = "no-network"     // its address is in no network of the device
	NoAnswer       = "no-answer"      // nothing answers there
	Authentication = "authentication" // the secrets are not alike
	BadAS          = "bad-peer-as"    // the AS of one is not what the other was told
	AreaMismatch   = "area-mismatch"
	Away           = "away"              // the device is not in hand: nothing is known of it now
	Silent         = "silent"            // no router is heard there
	Waiting        = "waiting"           // it does not stand yet, and the device does not say why
	NothingTaken   = "nothing-accepted"  // it stands, and no route of the router is taken
	NothingTold    = "nothing-announced" // it stands, and the router is told nothing
)

// Neighbour is a router with which a device exchanges routes, or is told to.
type Neighbour struct {
	Device, Protocol string
	Name             string // of the BGP peer; of OSPF the interface
	Object           string // that says so: bgp-peer/yard, gateway/20
	VRF, Interface   string
	Address          string // "" where none is heard
	RouterID         string // of OSPF
	AS               uint32 // of BGP
	Area             string // of OSPF
	State            string // by the names of RFC 4271 and RFC 2328; "" where the device does not tell
	Up               bool
	Since            time.Time
	Received, Sent   int // prefixes, of BGP
	Routes           int // in use that go by it
	Why              string
}

// AwayNow is one of a device that is not in hand: nothing is known of how they are now.
func (n Neighbour) AwayNow() Neighbour {
	n.Up, n.Since, n.State, n.Why = false, time.Time{}, "", Away
	return n
}

// Of lists those of a device: BGP peers by name, then networks in which it speaks OSPF, with who is heard there.
func Of(device string, c network.Config, in network.Inside) []Neighbour {
	return append(peers(device, c, in), heard(device, c, in)...)
}

func peers(device string, c network.Config, in network.Inside) (out []Neighbour) {
	for _, p := range setting.BGPPeers(c) {
		n := Neighbour{Device: device, Protocol: BGP, Name: p.Name, Object: setting.Object(setting.OnBGPPeer, p.Name), AS: p.AS}
		if p.Address.IsValid() {
			n.Address = p.Address.String()
			if g, ok := gatewayFor(c, p.Address); ok {
				n.Interface, n.VRF = "vlan"+g.VLAN.String(), setting.SegmentOf(c, g.VLAN)
			}
		}
		fault := ""
		for _, v := range in.VRFs {
			if v.BGP == nil {
				continue
			}
			for _, seen := range v.BGP.Neighbours {
				if n.Address != "" && seen.Address == n.Address {
					n.VRF, n.State, n.Up, n.Since, n.Received, n.Sent, fault = v.Name, seen.State, seen.State == "established", seen.Since, seen.Received, seen.Sent, seen.Fault
					n.Routes = routesBy(v, n.Address)
				}
			}
		}
		switch {
		case p.AS == 0 || n.Address == "":
			n.Why = Incomplete
		case n.Interface == "":
			n.Why = NoNetwork
		case n.Up && n.Received > 0 && len(p.Accepts) == 0:
			n.Why = NothingTaken
		case n.Up && len(p.Announces) == 0:
			n.Why = NothingTold
		case !n.Up:
			n.Why = told(fault, Waiting)
		}
		out = append(out, n)
	}
	return out
}

func heard(device string, c network.Config, in network.Inside) (out []Neighbour) {
	for _, g := range setting.Gateways(c) {
		area, passive := setting.OSPFOf(c, g.VLAN)
		if area == "" || passive {
			continue
		}
		none := Neighbour{Device: device, Protocol: OSPF, Name: "vlan" + g.VLAN.String(), Object: setting.GatewayObject(g.VLAN), Interface: "vlan" + g.VLAN.String(), Area: area, VRF: setting.SegmentOf(c, g.VLAN), Why: Silent}
		found := false
		for _, v := range in.VRFs {
			i, is := interfaceOf(v, none.Interface)
			if !is {
				continue
			}
			none.VRF, none.Why = v.Name, told(i.Fault, none.Why)
			for _, seen := range i.Neighbours {
				n := none
				n.Address, n.RouterID, n.State, n.Since, n.Up, n.Why = seen.Address, seen.RouterID, seen.State, seen.Since, seen.State == "full" || seen.State == "two_way", ""
				n.Routes = routesBy(v, seen.Address)
				if !n.Up {
					n.Why = told(i.Fault, Waiting)
				}
				out, found = append(out, n), true
			}
		}
		if !found {
			out = append(out, none)
		}
	}
	return out
}

// told is the fault that a device tells, or something else where it tells none that is known here.
func told(fault, or string) string {
	if slices.Contains([]string{Incomplete, NoNetwork, NoAnswer, Authentication, BadAS, AreaMismatch}, fault) {
		return fault
	}
	return or
}

func interfaceOf(v network.VRF, name string) (network.OSPFInterface, bool) {
	if v.OSPF == nil {
		return network.OSPFInterface{}, false
	}
	i := slices.IndexFunc(v.OSPF.Interfaces, func(i network.OSPFInterface) bool { return i.Name == name })
	if i < 0 {
		return network.OSPFInterface{}, false
	}
	return v.OSPF.Interfaces[i], true
}

func routesBy(v network.VRF, address string) (n int) {
	for _, r := range v.Routes {
		if address != "" && r.Via == address {
			n++
		}
	}
	return n
}

// gatewayFor is the network of a device in which an address is.
func gatewayFor(c network.Config, a netip.Addr) (setting.Gateway, bool) {
	for _, g := range setting.Gateways(c) {
		if g.Address.IsValid() && g.Address.Contains(a) {
			return g, true
		}
	}
	return setting.Gateway{}, false
}

// At is the router of an address among those of a device, and whether it is told a route to somebody, as far as the device says that: OSPF tells all.
func At(list []Neighbour, c network.Config, address string, source netip.Addr) (n Neighbour, told, is bool) {
	i := slices.IndexFunc(list, func(n Neighbour) bool { return n.Address == address && address != "" })
	if i < 0 {
		return Neighbour{}, false, false
	}
	n = list[i]
	if n.Protocol == OSPF {
		return n, true, true
	}
	for _, p := range setting.BGPPeers(c) {
		if p.Name == n.Name {
			told = p.Announces.Has(netip.PrefixFrom(source, source.BitLen()))
		}
	}
	return n, told, true
}

// Network is the VLAN of an interface such as vlan20.
func Network(name string) (network.VLANID, bool) {
	rest, is := strings.CutPrefix(name, "vlan")
	v, err := network.ParseVLAN(rest)
	if !is || err != nil {
		return 0, false
	}
	return v, true
}
