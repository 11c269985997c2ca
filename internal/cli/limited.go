package cli

import (
	"cmp"
	"context"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) limitedCommand() *cobra.Command {
	return &cobra.Command{
		Use: "limited [selector...]", Short: "List stations that access points let send and receive no more than a rate", ValidArgsFunction: a.completeSelector,
		Example: "  everypost limited\n  everypost client limit 02:a1:60:02:00:1f 2M --until 2026-12-31 --why 'films in the waiting room'",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.LimitedStations(ctx, strings.Join(args, " "))
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, l := range list.Items {
				rows[i] = []string{named(l.MAC, l.Name), l.Rate, cmp.Or(l.Until, "for good"), l.Purpose, firstOf(l.Devices, 4)}
			}
			return a.list(list.Items, []string{"station", "limited to", "until", "why", "by"}, rows, "No station is limited.")
		}),
	}
}

// limitCommands put the limit of a station into a draft, and its end.
func (a *app) limitCommands() []*cobra.Command {
	var in v1.LimitRequest
	limit := &cobra.Command{
		Use: "limit MAC RATE", Short: "Put into a draft that a station may send and receive no more than a rate", Args: cobra.ExactArgs(2),
		Long: `Put into a draft that access points let a station send and receive no more than a rate, each, at whichever of them it is: into the template limited-stations, which
is made where there is none. Of the limit of its wireless network and this one the lower holds. It is in force once the draft is pushed.`,
		Example: "  everypost client limit 02:a1:60:02:00:1f 2M --until 2026-12-31 --why 'films in the waiting room'",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			in.Rate = args[1]
			answer, err := c.Limit(ctx, args[0], in)
			if err != nil {
				return err
			}
			return a.told(answer)
		}),
	}
	f := limit.Flags()
	f.StringVar(&in.Until, "until", "", "the last day, such as 2026-12-31 (else for good)")
	f.StringVar(&in.Why, "why", "", "why it is limited")
	f.StringVar(&in.Where, "where", "", "a selector of the access points that limit (else all)")
	f.Var(draftNumber{&in.Change}, "change", "add to this draft instead of making one")

	free := v1.LimitRequest{Free: true}
	unlimit := &cobra.Command{
		Use: "unlimit MAC", Short: "Put into a draft that a limited station may send and receive as much as it likes", Args: cobra.ExactArgs(1),
		Example: "  everypost client unlimit 02:a1:60:02:00:1f",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			answer, err := c.Limit(ctx, args[0], free)
			if err != nil {
				return err
			}
			return a.told(answer)
		}),
	}
	unlimit.Flags().Var(draftNumber{&free.Change}, "change", "add to this draft instead of making one")
	return []*cobra.Command{limit, unlimit}
}
