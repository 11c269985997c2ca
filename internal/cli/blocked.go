package cli

import (
	"context"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) blockedCommand() *cobra.Command {
	return &cobra.Command{
		Use: "blocked [selector...]", Short: "List stations of which devices let nothing pass", ValidArgsFunction: a.completeSelector,
		Long:    "List stations that are blocked: of which switches and access points let nothing pass, whatever else they are allowed. The selector picks the devices.",
		Example: "  everypost blocked\n  everypost client block 02:a1:60:02:00:1f --until 2026-12-31 --why 'lost on the quay'",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.BlockedStations(ctx, strings.Join(args, " "))
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, b := range list.Items {
				until := b.Until
				if until == "" {
					until = "for good"
				}
				rows[i] = []string{named(b.MAC, b.Name), until, b.Purpose, firstOf(b.Devices, 4)}
			}
			return a.list(list, []string{"station", "until", "why", "by"}, rows, "No station is blocked.")
		}),
	}
}

// blockCommands put the blocking of a station into a draft, and its end.
func (a *app) blockCommands() []*cobra.Command {
	var in v1.BlockRequest
	block := &cobra.Command{
		Use: "block MAC", Short: "Put into a draft that nothing of a station passes", Args: cobra.ExactArgs(1),
		Long: `Put into a draft that switches and access points let nothing of a station pass, wherever it turns up: into the template blocked-stations, which is made where
there is none. It is in force once the draft is pushed.`,
		Example: "  everypost client block 02:a1:60:02:00:1f --until 2026-12-31 --why 'lost on the quay'",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			answer, err := c.Block(ctx, args[0], in)
			if err != nil {
				return err
			}
			return a.told(answer)
		}),
	}
	f := block.Flags()
	f.StringVar(&in.Until, "until", "", "the last day, such as 2026-12-31 (else for good)")
	f.StringVar(&in.Why, "why", "", "why it is blocked")
	f.StringVar(&in.Where, "where", "", "a selector of the devices that block (else all switches and access points)")
	f.Var(draftNumber{&in.Change}, "change", "add to this draft instead of making one")

	out := v1.BlockRequest{Passes: true}
	unblock := &cobra.Command{
		Use: "unblock MAC", Short: "Put into a draft that a blocked station passes again", Args: cobra.ExactArgs(1),
		Example: "  everypost client unblock 02:a1:60:02:00:1f",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			answer, err := c.Block(ctx, args[0], out)
			if err != nil {
				return err
			}
			return a.told(answer)
		}),
	}
	unblock.Flags().Var(draftNumber{&out.Change}, "change", "add to this draft instead of making one")
	return []*cobra.Command{block, unblock}
}
