package setting

import (
	"errors"
	"fmt"
	"net/netip"
	"strings"

	"example.net/everypost/internal/core/network"
)

// Tunnels is the feature of edges that join sites by tunnels over what providers carry.
const Tunnels network.Feature = "tunnels"

var tunnelOnly = []Kind{OnTunnel}

// Pre-shared keys of tunnels are so long, in characters: a guess must not pay (RFC 7296 section 2.15).
const (
	leastTunnelSecret = 20
	mostTunnelSecret  = 120
)

// AnyNetwork is what a tunnel carries that carries all.
const AnyNetwork = "any"

// tunnelSettings are those of IKEv2 and IPsec, by the names of RFC 9061 where it has them.
var tunnelSettings = []Setting{
	{Name: "tunnel-port", On: tunnelOnly, Title: "Over", Group: "Tunnel", Help: "the port over which it goes", Default: "none", Needs: Tunnels, Value: onePort()},
	{Name: "tunnel-to", On: tunnelOnly, Title: "Remote address", Group: "Tunnel", Help: "of the port at the other end, as providers carry it", Default: "none", Needs: Tunnels, Value: oneAddress().or("none")},
	{Name: "tunnel-peer", On: tunnelOnly, Title: "Remote identity", Group: "Tunnel", Help: "by which the other end proves who it is: its host name", Default: "none", Needs: Tunnels, Value: text(63)},
	{Name: "tunnel-secret", On: tunnelOnly, Title: "Pre-shared key", Group: "Tunnel", Help: "known to both ends only, 20 to 120 characters", Needs: Tunnels, Value: tunnelSecret()},
	{Name: "tunnel-encryption", On: tunnelOnly, Title: "Encryption", Group: "Protection", Help: "of IKE and of what is carried (RFC 8247, RFC 8221)", Default: "aes-gcm-256", Needs: Tunnels, Value: choice("aes-gcm-256", "aes-gcm-128", "aes-cbc-256", "chacha20-poly1305")},
	{Name: "tunnel-group", On: tunnelOnly, Title: "Key exchange group", Group: "Protection", Help: "by its number (IANA, IKEv2 transform type 4): 19 and 20 are NIST curves, 31 is Curve25519, 14 is of 2,048 bits", Default: "19", Needs: Tunnels, Value: choice("14", "19", "20", "31")},
	{Name: "tunnel-rekey", On: tunnelOnly, Title: "New keys every", Group: "Protection", Help: "how long keys are used", Default: "240", Needs: Tunnels, Value: number(10, 1440, "min")},
	{Name: "tunnel-local", On: tunnelOnly, Title: "Own networks", Group: "What it carries", Help: "from which it carries; any: routes say", Default: AnyNetwork, Needs: Tunnels, Value: networks()},
	{Name: "tunnel-remote", On: tunnelOnly, Title: "Networks beyond", Group: "What it carries", Help: "to which it carries; any: routes say", Default: AnyNetwork, Needs: Tunnels, Value: networks()},
	{Name: "tunnel-start", On: tunnelOnly, Title: "Begins", Group: "Tunnel", Help: "start: at once; on-demand: once something is to be carried; add: when the other end begins", Default: "start", Needs: Tunnels, Value: choice("start", "on-demand", "add")},
}

func onePort() Value {
	v := ports(1)
	v.Form = "a port of the device, such as wan1, or none"
	return v
}

func tunnelSecret() Value {
	v := secret(false)
	v.Min, v.Max, v.Form = leastTunnelSecret, mostTunnelSecret, "a secret of 20 to 120 characters"
	return v
}

// networks are prefixes, or any.
func networks() Value {
	v := list("prefixes such as 10.9.0.0/16", 20, func(s string) (string, error) {
		p, err := netip.ParsePrefix(s)
		if err != nil {
			return "", fmt.Errorf("%q is not a prefix: write it like 10.9.0.0/16", s)
		}
		return p.Masked().String(), nil
	})
	inner := v.normal
	v.Form = "prefixes such as 10.9.0.0/16, or any"
	v.normal = func(s string) (string, error) {
		switch strings.ToLower(strings.TrimSpace(s)) {
		case AnyNetwork:
			return AnyNetwork, nil
		case "", "none":
			return "", errors.New("a tunnel that carries nothing is none: give prefixes such as 10.9.0.0/16, or any")
		}
		return inner(s)
	}
	return v
}

// Tunnel is one as an edge is told of it.
type Tunnel struct {
	Name, Port, Peer            string
	To                          netip.Addr // not valid where it is not said
	Secret                      string     // a reference
	Encryption, Group           string
	Local, Remote               []netip.Prefix // none: any
	Purpose, Start, RekeyMinute string
}

// TunnelsOf are those of a configuration, by name.
func TunnelsOf(c network.Config) (out []Tunnel) {
	for _, object := range ObjectsOf(c, OnTunnel) {
		o := c.Objects[object]
		said := func(name string) string {
			if v := o[name]; v != "" {
				return v
			}
			for _, s := range tunnelSettings {
				if s.Name == name {
					return s.Default
				}
			}
			return ""
		}
		t := Tunnel{Name: strings.TrimPrefix(object, string(OnTunnel)+"/"), Port: strings.TrimPrefix(o["tunnel-port"], "none"), Peer: strings.TrimPrefix(o["tunnel-peer"], "none"), Secret: o["tunnel-secret"],
			Encryption: said("tunnel-encryption"), Group: said("tunnel-group"), RekeyMinute: said("tunnel-rekey"), Start: said("tunnel-start"), Purpose: o["purpose"], Local: prefixesIn(o["tunnel-local"]), Remote: prefixesIn(o["tunnel-remote"])}
		t.To, _ = netip.ParseAddr(o["tunnel-to"])
		out = append(out, t)
	}
	return out
}

func prefixesIn(text string) (out []netip.Prefix) {
	for _, item := range Items(text) {
		if p, err := netip.ParsePrefix(item); err == nil {
			out = append(out, p)
		}
	}
	return out
}

// TunnelObject is what a tunnel is called in a configuration, by its name.
func TunnelObject(name string) string { return Object(OnTunnel, name) }
