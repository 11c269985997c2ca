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
	var past pastFlags
	cmd := listCommand(a, listing[v1.Link]{
		use: "links", short: "List the links of devices: cables, bundles, tunnels", empty: "There is no such link.",
		example: "  everypost links site = tern-haven\n  everypost links link.health = degraded or link.use > 60 --sort -link.use\n  everypost links --vlan 50\n  everypost links --period 7d",
		header:  []string{"from", "to", "kind", "state", "speed", "there", "back", "use", "remarks"},
		fetch:   (*client.Client).Links,
		row: func(l v1.Link) []string {
			there, back, use := "", "", ""
			if l.ABps+l.BBps > 0 {
				there, back, use = amount(l.ABps, "bit/s"), amount(l.BBps, "bit/s"), fmt.Sprintf("%.1f %%", l.Use)
			}
			return []string{endOf(l.A), endOf(l.B), l.Kind, a.shape(l.Health), speedOf(l.Line), there, back, use, remarks(l.Line)}
		},
	})
	cmd.Long += "\n\nThe list is drawn from what neighbours report. A bundle is one link, and so is a tunnel. With --vlan it tells where a VLAN\npasses and where it is stopped; with --period how much was used, the busiest first."
	cmd.Flags().IntVar(&vlan, "vlan", 0, "tell how this VLAN fares on each link")
	past.add(cmd)
	now := cmd.RunE
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		used := cmd.Flags().Changed("period") || cmd.Flags().Changed("from")
		where, _ := cmd.Flags().GetString("where")
		limit, _ := cmd.Flags().GetInt("limit")
		where = strings.Join(args, " ") + where
		switch {
		case vlan != 0 && used:
			return usage("give --vlan or a period, not both")
		case vlan != 0:
			return a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
				return a.vlanOnLinks(ctx, c, where, vlan)
			})(cmd, nil)
		case used:
			return a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
				return a.linksUsed(ctx, c, where, limit, past)
			})(cmd, nil)
		}
		return now(cmd, args)
	}
	return cmd
}

func endOf(e v1.LineEnd) string { return e.Device + ":" + e.Name }

func (a *app) vlanOnLinks(ctx context.Context, c *client.Client, where string, vlan int) error {
	m, err := c.Map(ctx, where, vlan)
	if err != nil {
		return err
	}
	rows := make([][]string, len(m.Lines))
	for i, l := range m.Lines {
		rows[i] = []string{endOf(l.A), endOf(l.B), l.Kind, a.shape(l.Health), speedOf(l), remarks(l), strings.TrimSuffix(l.VLAN+": "+l.Why, ": ")}
	}
	return a.list(m, []string{"from", "to", "kind", "state", "speed", "remarks", fmt.Sprintf("vlan %d", vlan)}, rows, "There is no link.")
}

// linksUsed lists how much of links was used over a time.
func (a *app) linksUsed(ctx context.Context, c *client.Client, where string, limit int, past pastFlags) error {
	p, err := past.past()
	if err != nil {
		return err
	}
	if limit == 0 {
		limit = 1000
	}
	list, err := c.LinkUse(ctx, where, limit, p)
	if err != nil {
		return err
	}
	rows := make([][]string, len(list.Items))
	for i, l := range list.Items {
		rows[i] = []string{endOf(l.A), endOf(l.B), l.Kind, amount(l.MeanAB, "bit/s"), amount(l.MeanBA, "bit/s"), fmt.Sprintf("%.1f %%", l.UseMean), amount(max(l.PeakAB, l.PeakBA), "bit/s"), fmt.Sprintf("%.1f %%", l.UsePeak)}
	}
	return a.list(list, []string{"from", "to", "kind", "mean there", "mean back", "mean use", "peak", "peak use"}, rows, "Nothing was read in that time.")
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
