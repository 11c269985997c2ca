package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) linksCommand() *cobra.Command {
	var vlan int
	var where string
	cmd := &cobra.Command{
		Use: "links [selector...]", Short: "List the links of devices: cables, bundles, tunnels", ValidArgsFunction: a.completeSelector,
		Long:    "List the links of the devices that a selector picks, from what neighbours report. A bundle is one link, and so is a tunnel.\nWith --vlan the list tells where a VLAN passes and where it is stopped.",
		Example: "  everypost links site = tern-haven\n  everypost links --vlan 50",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if len(args) > 0 && where != "" {
				return usage("give the selector as words or with --where, not both")
			}
			m, err := c.Map(ctx, strings.Join(args, " ")+where, vlan)
			if err != nil {
				return err
			}
			head := []string{"from", "to", "kind", "state", "speed", "remarks"}
			if vlan != 0 {
				head = append(head, fmt.Sprintf("vlan %d", vlan))
			}
			rows := make([][]string, len(m.Lines))
			for i, l := range m.Lines {
				rows[i] = []string{l.A.Device + ":" + l.A.Name, l.B.Device + ":" + l.B.Name, l.Kind, a.shape(l.Health), speedOf(l), remarks(l)}
				if vlan != 0 {
					rows[i] = append(rows[i], strings.TrimSuffix(l.VLAN+": "+l.Why, ": "))
				}
			}
			return a.list(m, head, rows, "There is no link.")
		}),
	}
	cmd.Flags().IntVar(&vlan, "vlan", 0, "tell how this VLAN fares on each link")
	cmd.Flags().StringVar(&where, "where", "", "the selector, instead of words")
	return cmd
}

func speedOf(l v1.Line) string {
	switch {
	case l.SpeedMbps == 0:
		return ""
	case l.SpeedMbps >= 1000 && l.SpeedMbps%1000 == 0:
		return fmt.Sprintf("%d Gbit/s", l.SpeedMbps/1000)
	}
	return fmt.Sprintf("%d Mbit/s", l.SpeedMbps)
}

func remarks(l v1.Line) string {
	var out []string
	if l.Members > 1 {
		out = append(out, fmt.Sprintf("%d of %d cables up", l.Up, l.Members))
	}
	if l.BlockedAt != "" {
		out = append(out, "blocked at "+l.BlockedAt)
	}
	if l.Radio {
		out = append(out, "radio")
	}
	if l.Kind == "tunnel" {
		out = append(out, l.Underlay)
		if l.Up > 0 {
			out = append(out, fmt.Sprintf("%.0f ms, %.1f %% lost", l.DelayMs, l.Loss))
		}
	}
	if l.OneSided {
		out = append(out, "told by one end")
	}
	return strings.Join(out, ", ")
}
