package cli

import (
	"fmt"
	"strconv"

	"github.com/spf13/cobra"

	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) portsCommand() *cobra.Command {
	var pick picking
	cmd := &cobra.Command{
		Use: "ports [selector...]", Short: "List ports",
		Example: "  everypost ports name = th-sw-02\n  everypost ports camera port.up = false\n  everypost ports --where 'port.poe.watts > 10' --sort -port.poe.watts -o csv",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			q, err := pick.read(args)
			if err != nil {
				return err
			}
			list, err := c.Ports(cmd.Context(), q)
			if err != nil {
				return err
			}
			if done, err := counted(a, q, list); done {
				return err
			}
			defer more(a, list)
			return a.printPorts(list)
		},
	}
	return pick.flags(a, cmd)
}

func (a *app) printPorts(list v1.List[v1.Port]) error {
	rows := make([][]string, len(list.Items))
	for i, p := range list.Items {
		rows[i] = []string{p.Ref, a.shape(p.Health), p.Description, p.Mode, vlanText(p), speed(p), poeText(p), peerText(p.Peer), a.when(p.ChangedAt)}
	}
	return a.list(list, []string{"port", "state", "description", "mode", "vlan", "speed", "poe", "neighbour", "since"}, rows, "No port fits.")
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
