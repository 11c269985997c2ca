package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) groupsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "groups", Short: "List the groups, and what they come to now", Args: cobra.NoArgs,
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Groups(ctx)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, g := range list.Items {
				picked := g.Pick
				if picked == "" {
					picked = "by hand"
				}
				rows[i] = []string{g.Name, g.Title, strconv.Itoa(g.Devices.Total), strconv.Itoa(g.Devices.Degraded + g.Devices.Down), strconv.Itoa(g.Ports),
					strconv.Itoa(g.Clients), picked}
			}
			return a.list(list, []string{"group", "title", "devices", "in trouble", "ports", "clients", "picked"}, rows, "There is no group.")
		}),
	}
}

func (a *app) groupCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "group", Short: "Make, change or delete a group of devices",
		Long: "Make, change or delete a group of devices. A group is a word of selectors: everypost ports group = cameras.",
	}
	var in v1.GroupRequest
	set := &cobra.Command{
		Use: "set GROUP", Short: "Make a group, or replace it", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeGroups,
		Example: "  everypost group set cameras --title \"Camera switches\" --pick \"port.vlan = 50 and kind = switch\"\n  everypost group set night-watch --member th-sw-01 --member hh-core-01",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if err := c.PutGroup(ctx, args[0], in); err != nil {
				return err
			}
			a.say("%s is kept.", args[0])
			return nil
		}),
	}
	set.Flags().StringVar(&in.Title, "title", "", "what the group is for")
	set.Flags().StringVar(&in.Pick, "pick", "", "a selector: the group is what it picks")
	set.Flags().StringSliceVar(&in.Members, "member", nil, "a device of a group that is picked by hand; give the flag again for more")
	_ = set.RegisterFlagCompletionFunc("member", a.completeDevices)
	_ = set.RegisterFlagCompletionFunc("pick", func(cmd *cobra.Command, _ []string, word string) ([]string, cobra.ShellCompDirective) {
		return a.completeSelector(cmd, nil, word)
	})
	members := func(use, short, done string, request func([]string) v1.MembersRequest) *cobra.Command {
		return &cobra.Command{
			Use: use + " GROUP DEVICE...", Short: short, Args: cobra.MinimumNArgs(2),
			ValidArgsFunction: func(cmd *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
				if len(args) == 0 {
					return a.completeGroups(cmd, args, word)
				}
				return a.completeDevices(cmd, args, word)
			},
			RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
				if err := c.ChangeMembers(ctx, args[0], request(args[1:])); err != nil {
					return err
				}
				a.say(done, strings.Join(args[1:], ", "), args[0])
				return nil
			}),
		}
	}
	cmd.AddCommand(set,
		members("add", "Add devices to a group that is picked by hand", "%s: now in %s.", func(d []string) v1.MembersRequest { return v1.MembersRequest{Add: d} }),
		members("take-out", "Take devices out of a group that is picked by hand", "%s: no longer in %s.", func(d []string) v1.MembersRequest { return v1.MembersRequest{Remove: d} }),
		&cobra.Command{
			Use: "delete GROUP", Short: "Delete a group; its members stay", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeGroups,
			RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
				if err := c.DropGroup(ctx, args[0]); err != nil {
					return err
				}
				a.say("The group %s is deleted.", args[0])
				return nil
			}),
		})
	return cmd
}

func (a *app) completeGroups(cmd *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	c, err := a.client()
	if err != nil || len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	list, err := c.Groups(cmd.Context())
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	out := make([]string, len(list.Items))
	for i, g := range list.Items {
		out[i] = fmt.Sprintf("%s\t%s", g.Name, g.Title)
	}
	return out, cobra.ShellCompDirectiveNoFileComp
}
