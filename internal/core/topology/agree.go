package topology

import (
	"cmp"
	"fmt"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/radiolink"
	"example.net/everypost/internal/core/setting"
)

// Mismatch is a setting on which the two ends of a link do not agree.
type Mismatch struct {
	Field string // of both ends
	A, B  string // what each end has, in normal form
	Cuts  bool   // nothing passes the link
	What  string // in a sentence without an end, to follow "On the link from a to b, "
}

// Mismatches lists the settings of which the ends of a link must be told alike and are not, except for the VLANs that they
// carry tagged. An end of which nothing is known agrees with everything, and so does one that does not work.
func Mismatches(a, b network.Config, l Link) []Mismatch {
	pa, knownA := a.Ports[l.A.Port]
	pb, knownB := b.Ports[l.B.Port]
	if !knownA || !knownB || !pa.Enabled || !pb.Enabled {
		return nil
	}
	var out []Mismatch
	differ := func(field string, cuts bool, va, vb, what string) {
		out = append(out, Mismatch{field, va, vb, cuts, what})
	}
	protocolA, protocolB := protocolOf(a, pa), protocolOf(b, pb)
	switch {
	case protocolA == "" && protocolB == "static", protocolA == "static" && protocolB == "":
	case (protocolA == "") != (protocolB == ""):
		differ("bundle", true, cmp.Or(pa.LAG, "none"), cmp.Or(pb.LAG, "none"), "one end bundles the port with LACP and the other does not, so that it forwards nothing")
	case (protocolA == "static") != (protocolB == "static"):
		differ("protocol", true, protocolA, protocolB, "one end speaks LACP and the other bundles without a protocol, so that they do not come together")
	case protocolA == "lacp-passive" && protocolB == "lacp-passive":
		differ("protocol", true, protocolA, protocolB, "both ends wait for the other to begin with LACP")
	}
	if sa, sb := pa.Settings["speed"], pb.Settings["speed"]; sa != "" && sb != "" && sa != sb {
		differ("speed", true, sa, sb, fmt.Sprintf("the ends are fixed to different speeds, %s and %s", sa, sb))
	}
	if da, db := pa.Settings["duplex"], pb.Settings["duplex"]; da != db {
		differ("duplex", false, cmp.Or(da, "auto"), cmp.Or(db, "auto"), "one end has its duplex fixed and the other has it otherwise: frames get lost in collisions that only one of them sees")
	}
	if ma, mb := pa.Settings["mtu"], pb.Settings["mtu"]; ma != mb {
		differ("mtu", false, cmp.Or(ma, "default"), cmp.Or(mb, "default"), "the ends take frames of different size, and the larger ones get lost")
	}
	if ua, ub := pa.Untagged(), pb.Untagged(); ua != ub && pa.Mode != "" && pb.Mode != "" {
		differ("native-vlan", false, vlanText(ua), vlanText(ub), fmt.Sprintf("untagged frames are in VLAN %s at one end and in %s at the other", vlanText(ua), vlanText(ub)))
	}
	return out
}

func vlanText(v network.VLANID) string {
	if v == 0 {
		return "none"
	}
	return v.String()
}

// protocolOf is how a port is bundled: "", static, lacp-active or lacp-passive.
func protocolOf(c network.Config, p network.PortConfig) string {
	if p.LAG == "" {
		return ""
	}
	return cmp.Or(c.Bundles[p.LAG].Settings["protocol"], "lacp-active")
}

// Passes tells whether a link can pass anything, as its ends are set up.
func Passes(configs map[string]network.Config, l Link) bool {
	a, b := configs[l.A.Device], configs[l.B.Device]
	for _, end := range []struct {
		c    network.Config
		port string
	}{{a, l.A.Port}, {b, l.B.Port}} {
		p, known := end.c.Ports[end.port]
		if bundle, bundled := end.c.Bundles[p.LAG]; known && (!p.Enabled || bundled && !bundle.Enabled) {
			return false
		}
	}
	for _, m := range Mismatches(a, b, l) {
		if m.Cuts {
			return false
		}
	}
	near, air := setting.CarrierAt(a, l.A.Port)
	far, alsoAir := setting.CarrierAt(b, l.B.Port)
	return !air || !alsoAir || radiolink.Fits(near, far)
}
