package cli

import (
	"fmt"
	"strconv"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) portsCommand() *cobra.Command { return listCommand(a, a.portListing()) }

func (a *app) portListing() listing[v1.Port] {
	return listing[v1.Port]{
		use: "ports", short: "List ports", empty: "No port fits.",
		example: "  everypost ports name = th-sw-02\n  everypost ports camera port.up = false\n  everypost ports --where 'port.poe.watts > 10' --sort -port.poe.watts -o csv",
		header:  []string{"port", "state", "description", "mode", "vlan", "speed", "in", "out", "poe", "neighbour", "since"},
		fetch:   (*client.Client).Ports,
		row: func(p v1.Port) []string {
			return []string{p.Ref, a.shape(p.Health), p.Description, p.Mode, vlanText(p), speed(p), rateOf(p.Rates, false), rateOf(p.Rates, true), poeText(p), peerText(p.Peer), a.when(p.ChangedAt)}
		},
	}
}

// rateOf is what goes over a port now, in one direction.
func rateOf(r *v1.Rates, sent bool) string {
	if r == nil {
		return ""
	}
	bps := r.RxBps
	if sent {
		bps = r.TxBps
	}
	for _, u := range []struct {
		by   float64
		unit string
	}{{1e9, "Gb/s"}, {1e6, "Mb/s"}, {1e3, "kb/s"}} {
		if bps >= u.by {
			return fmt.Sprintf("%.1f %s", bps/u.by, u.unit)
		}
	}
	return fmt.Sprintf("%.0f b/s", bps)
}

func vlanText(p v1.Port) string {
	switch p.Mode {
	case "access":
		return strconv.Itoa(p.AccessVLAN)
	case "trunk":
		if p.NativeVLAN == 0 {
			return p.TrunkVLANs
		}
		return fmt.Sprintf("%d untagged, %s", p.NativeVLAN, p.TrunkVLANs)
	}
	return ""
}

func speed(p v1.Port) string {
	switch {
	case p.SpeedMbps == 0:
		return ""
	case p.SpeedMbps >= 1000 && p.SpeedMbps%1000 == 0:
		return fmt.Sprintf("%d Gb/s", p.SpeedMbps/1000)
	case p.SpeedMbps >= 1000:
		return fmt.Sprintf("%.1f Gb/s", float64(p.SpeedMbps)/1000)
	}
	return fmt.Sprintf("%d Mb/s", p.SpeedMbps)
}

func poeText(p v1.Port) string {
	switch {
	case !p.HasPoE:
		return ""
	case !p.PoE:
		return "off"
	case p.PoEMilliW == 0:
		return "on"
	}
	return watts(p.PoEMilliW)
}

func peerText(p *v1.Peer) string {
	if p == nil {
		return ""
	}
	return p.System + ":" + p.Port
}
