package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
)

// compareCommand shows what differs between two moments.
func (a *app) compareCommand() *cobra.Command {
	var period, from, to, where string
	cmd := &cobra.Command{
		Use: "compare [selector...]", Short: "Show what differs between two moments of devices",
		Long:              `Show what differs between two moments of devices: who made it so, and in which change.`,
		Example:           "  everypost compare --period 24h\n  everypost compare site = tern-haven --from 2026-11-20T08:00 --to 2026-11-21T08:00",
		ValidArgsFunction: a.completeSelector,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if len(args) > 0 {
				where = strings.Join(args, " ")
			}
			back, err := span(period)
			if err != nil {
				return err
			}
			begin, err := moment("--from", from)
			if err != nil {
				return err
			}
			end, err := moment("--to", to)
			if err != nil {
				return err
			}
			if begin.IsZero() {
				begin = time.Now().Add(-back)
			}
			cmp, err := c.Compare(ctx, begin, end, where)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(cmp)
			}
			rows := make([][]string, len(cmp.Differences))
			for i, d := range cmp.Differences {
				rows[i] = []string{d.Port, d.Field, a.paint(text.FgRed, orNothing(d.Before)), a.paint(text.FgGreen, orNothing(d.After))}
			}
			if len(rows) > 0 {
				a.table(a.out, []string{"on", "setting", "before", "after"}, rows)
			}
			for _, d := range cmp.Devices {
				for _, s := range d.Steps {
					by := "by " + s.By
					if s.By == "" {
						by = "by nobody that it tells of"
					}
					if s.Change != 0 {
						by = "in change " + strconv.FormatInt(s.Change, 10)
					}
					a.say("%s  %s changed %s", s.At.Local().Format("2006-01-02 15:04:05"), d.Device, by)
				}
				if d.Settings == 0 {
					a.say("%s differs only in what is not among the settings.", d.Device)
				}
			}
			a.say("%d of %d devices differ between %s and %s.", len(cmp.Devices), cmp.Compared, cmp.From.Local().Format("2006-01-02 15:04"), cmp.To.Local().Format("2006-01-02 15:04"))
			return nil
		}),
	}
	f := cmd.Flags()
	f.StringVar(&period, "period", "24h", "how long ago the earlier moment was: 90m, 24h, 7d")
	f.StringVar(&from, "from", "", "the earlier moment, instead of a period: 2026-11-20T08:00 or 2026-11-20, in the zone of this machine")
	f.StringVar(&to, "to", "", "the later moment (else now)")
	f.StringVar(&where, "where", "", "the selector, instead of words")
	return cmd
}

// span reads how long something lasts: 90m, 24h, 7d.
func span(s string) (time.Duration, error) {
	text := s
	if days, ok := strings.CutSuffix(s, "d"); ok {
		if n, err := strconv.Atoi(days); err == nil {
			text = fmt.Sprintf("%dh", 24*n)
		}
	}
	d, err := time.ParseDuration(text)
	if err != nil || d <= 0 {
		return 0, usage("--period %q: write it like 90m, 24h or 7d", s)
	}
	return d, nil
}

// configurationsCommand lists the configurations of a device.
func (a *app) configurationsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "configurations DEVICE", Short: "List the configurations that a device was seen to have", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Configurations(ctx, args[0])
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, s := range list.Items {
				change := ""
				if s.Change != 0 {
					change = strconv.FormatInt(s.Change, 10)
				}
				rows[i] = []string{s.At.Local().Format("2006-01-02 15:04:05"), s.By, change}
			}
			return a.list(list, []string{"since", "by", "change"}, rows, "It was never read.")
		}),
	}
}
