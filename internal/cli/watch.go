package cli

import (
	"context"
	"errors"
	"slices"

	tea "charm.land/bubbletea/v2"
	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/cli/safe"
	"example.net/everypost/internal/cli/watch"
)

// watched is the service as the watch asks it.
type watched struct {
	c     *client.Client
	where string
}

func (w watched) Alarms(ctx context.Context) ([]v1.Alarm, error) {
	list, err := w.c.Alarms(ctx, client.AlarmQuery{Where: w.where, Limit: 200})
	return list.Items, err
}

func (w watched) Alarm(ctx context.Context, number int64) (v1.AlarmDetail, error) {
	return w.c.Alarm(ctx, number)
}

func (w watched) Act(ctx context.Context, number int64, act string) error {
	_, err := w.c.ActOnAlarm(ctx, number, v1.AlarmAct{Act: act})
	return err
}

func (w watched) Log(ctx context.Context) ([]v1.Event, error) {
	list, err := w.c.Log(ctx, w.where, 100)
	slices.Reverse(list.Items)
	return list.Items, err
}

func (w watched) Follow(ctx context.Context, f func(v1.Event)) error {
	return w.c.Events(ctx, 0, func(e v1.Event) bool {
		f(e)
		return true
	})
}

func (a *app) watchCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "watch", Short: "Watch on the whole screen: what is out of order, and what happens", Args: cobra.NoArgs,
		Long: `Watch on the whole screen: what is out of order, the worst first, and below it what happens. Arrows pick an alarm, enter shows it in full,
"a" acknowledges it, "q" leaves.`,
		Example: "  everypost watch",
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			if !isTerminal(a.out) || !isTerminal(a.in) {
				return errors.New("the watch needs a terminal: \"everypost alarms\" and \"everypost events\" tell the same in lines")
			}
			me, err := c.WhoAmI(ctx)
			if err != nil {
				return err
			}
			m := watch.New(ctx, watched{c: c}, watch.Options{Title: safe.Line(me.Name) + " at " + c.Base, Colour: a.colour()})
			return watch.Run(ctx, m, tea.WithInput(a.in), tea.WithOutput(a.out))
		}),
	}
	return cmd
}
