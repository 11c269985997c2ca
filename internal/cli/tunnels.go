package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) tunnelsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "tunnels [selector...]", Short: "List the tunnels between sites with both ends, and why those are down that are", ValidArgsFunction: a.completeSelector,
		Example: "  everypost tunnels\n  everypost tunnels site = tern-haven",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Tunnels(ctx, strings.Join(args, " "))
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, t := range list.Items {
				far := t.Peer
				switch {
				case t.Far != nil:
					far = t.Far.Device + ":" + t.Far.Port
				case t.Foreign:
					far = strings.TrimSpace(t.Peer+" "+t.To) + ", not known here"
				}
				state := "up"
				if !t.Up {
					state = "down"
				}
				rows[i] = []string{t.Name, t.Near.Device + ":" + t.Near.Port, far, state, t.Encryption, t.Group, networksText(t.Near.Remote)}
			}
			if err := a.list(list, []string{"tunnel", "from", "to", "state", "encryption", "group", "networks beyond"}, rows, "No edge there has a tunnel: \"everypost tunnel join\" makes one."); err != nil || a.isData() {
				return err
			}
			for _, t := range list.Items {
				if !t.Up && len(t.Why) > 0 {
					_, _ = fmt.Fprintf(a.out, "%s at %s is down. %s\n", t.Name, t.Near.Device, strings.Join(t.Why, " "))
				}
			}
			return nil
		}),
	}
}

func networksText(list []string) string {
	if len(list) == 0 {
		return "any"
	}
	return strings.Join(list, ", ")
}

func (a *app) tunnelCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "tunnel", Short: "Join sites by tunnels: both ends in one draft"}
	cmd.AddCommand(a.tunnelJoinCommand(), a.tunnelSpokesCommand(), a.tunnelMeshCommand(), a.tunnelRemoveCommand(), a.tunnelSheetCommand())
	return cmd
}

// planned is a command that puts tunnels into a draft.
func (a *app) planned(cmd *cobra.Command, in *v1.TunnelPlanRequest, fill func(args []string) error) *cobra.Command {
	f := cmd.Flags()
	f.StringVar(&in.Encryption, "encryption", "", "aes-gcm-256 (when left out), aes-gcm-128, aes-cbc-256 or chacha20-poly1305")
	f.StringVar(&in.Group, "group", "", "of the key exchange, by its number: 19 (when left out), 20, 31 or 14")
	f.StringVar(&in.Purpose, "purpose", "", "what it is for")
	f.Var(draftNumber{&in.Change}, "change", "add to this draft instead of making one")
	f.StringVar(&in.Why, "why", "", "why, for who reads the history")
	f.BoolVar(&in.Try, "try", false, "only tell which tunnels these would be")
	cmd.RunE = a.asked(func(ctx context.Context, c *client.Client, args []string) error {
		if err := fill(args); err != nil {
			return err
		}
		out, err := c.PlanTunnels(ctx, *in)
		if err != nil {
			return err
		}
		if out.Answer != nil {
			return a.told(*out.Answer)
		}
		rows := make([][]string, len(out.Tunnels))
		for i, t := range out.Tunnels {
			rows[i] = []string{t.Name, t.A, t.B}
		}
		if err := a.list(out, []string{"tunnel", "from", "to"}, rows, "All of these tunnels are there already: nothing was drafted."); err != nil || a.isData() {
			return err
		}
		if len(out.Tunnels) > 0 && out.There > 0 {
			a.say("%d more of what was asked for are there already.", out.There)
		}
		return nil
	})
	return cmd
}

func (a *app) tunnelJoinCommand() *cobra.Command {
	in := &v1.TunnelPlanRequest{}
	cmd := &cobra.Command{
		Use: "join EDGE[:PORT] EDGE[:PORT]", Short: "Put into a draft that two edges are joined by a tunnel", Args: cobra.ExactArgs(2),
		Long: `Put into a draft that two edges are joined by a tunnel (IPsec, kept by IKEv2). Both ends are set, with a new key that nobody sees. A port that is not named is the
first that leads to a provider.`,
		Example: "  everypost tunnel join th-edge-01:wan1 ol-edge-01:wan1\n  everypost tunnel join th-edge-01 ol-edge-01 --name quay --encryption aes-gcm-128 --group 31",
	}
	cmd.Flags().StringVar(&in.Name, "name", "", "of the tunnel; chosen when left out")
	return a.planned(cmd, in, func(args []string) error { in.A, in.B = args[0], args[1]; return nil })
}

func (a *app) tunnelSpokesCommand() *cobra.Command {
	in := &v1.TunnelPlanRequest{}
	cmd := &cobra.Command{
		Use: "spokes --hubs SELECTOR selector...", Short: "Put into a draft that each edge of a selector has a tunnel to each hub", ValidArgsFunction: a.completeSelector,
		Example: "  everypost tunnel spokes --hubs 'site = harbour-house' site = fulmar --try\n  everypost tunnel spokes --hubs 'site = harbour-house' --over wan2 kind = edge",
	}
	cmd.Flags().StringVar(&in.Hubs, "hubs", "", "a selector of the hubs")
	cmd.Flags().StringSliceVar(&in.Over, "over", nil, "names of ports over which tunnels may go; any when left out")
	return a.planned(cmd, in, func(args []string) error {
		if in.Spokes = strings.Join(args, " "); in.Hubs == "" || in.Spokes == "" {
			return usage("say which edges are hubs (--hubs SELECTOR), and which are their spokes (a selector at the end)")
		}
		return nil
	})
}

func (a *app) tunnelMeshCommand() *cobra.Command {
	in := &v1.TunnelPlanRequest{}
	cmd := &cobra.Command{
		Use: "mesh selector...", Short: "Put into a draft that each edge of a selector has a tunnel to each other", ValidArgsFunction: a.completeSelector,
		Example: "  everypost tunnel mesh 'site = tern-haven or site = oyster-landing or site = northgate' --try",
	}
	cmd.Flags().StringSliceVar(&in.Over, "over", nil, "names of ports over which tunnels may go; any when left out")
	return a.planned(cmd, in, func(args []string) error {
		if in.Mesh = strings.Join(args, " "); in.Mesh == "" {
			return usage("say which edges: a selector such as site = tern-haven")
		}
		return nil
	})
}

func (a *app) tunnelRemoveCommand() *cobra.Command {
	var in v1.TunnelRemoval
	cmd := &cobra.Command{
		Use: "remove EDGE NAME", Short: "Put into a draft that both ends of a tunnel are taken away", Args: cobra.ExactArgs(2), Example: "  everypost tunnel remove th-edge-01 quay",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			in.Device, in.Name = args[0], args[1]
			out, err := c.RemoveTunnel(ctx, in)
			if err != nil {
				return err
			}
			return a.told(out)
		}),
	}
	cmd.Flags().Var(draftNumber{&in.Change}, "change", "add to this draft instead of making one")
	cmd.Flags().StringVar(&in.Why, "why", "", "why, for who reads the history")
	return cmd
}

func (a *app) tunnelSheetCommand() *cobra.Command {
	return &cobra.Command{
		Use: "sheet EDGE NAME", Short: "Print what who sets up the other end of a tunnel has to know", Args: cobra.ExactArgs(2), Example: "  everypost tunnel sheet hh-edge-01 customs",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			out, err := c.TunnelSheet(ctx, args[0], args[1])
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(out)
			}
			p := func(format string, args ...any) { _, _ = fmt.Fprintf(a.out, format+"\n", args...) }
			p("Tunnel %s, as the other end of %s sets it up", out.Name, out.Device)
			width := 0
			for _, l := range out.Lines {
				width = max(width, len(l.What))
			}
			for _, l := range slices.DeleteFunc(out.Lines, func(l v1.TunnelSheetRow) bool { return l.Value == "" }) {
				p("  %-*s  %s", width, l.What, l.Value)
			}
			p("%s", out.Caution)
			return nil
		}),
	}
}
