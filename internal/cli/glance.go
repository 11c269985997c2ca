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
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) dayCommand() *cobra.Command {
	by := "site"
	cmd := &cobra.Command{
		Use: "day [selector...]", Short: "Show how sites, devices, ports or paths fared in the last 24 hours", ValidArgsFunction: a.completeSelector,
		Long: `Show how sites, devices or ports fared in the last 24 hours, by the alarms on them: a sign for each half hour, ! for critical and major, + for minor,
- for warnings, and . where nothing was out of order. A selector picks the devices. Of ports those are shown that had any.
Of paths, which are the tunnels of edges, it is how calls over them would have been (ITU-T G.107): ! where one was down or R below 50, + below 70,
- where it was down for a part.`,
		Example: "  everypost day\n  everypost day site = tern-haven --by device\n  everypost day --by port\n  everypost day --by path site = tern-haven",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			ask := func(where string) (v1.Strips, error) { return c.Strips(ctx, by, where) }
			if by == "path" {
				ask = func(where string) (v1.Strips, error) { return c.PathStrips(ctx, where) }
			}
			s, err := ask(strings.Join(args, " "))
			if err != nil {
				return err
			}
			rows := make([][]string, len(s.Items))
			for i, one := range s.Items {
				name := one.Name
				if by == "path" {
					name = one.Device + " " + one.Name
				}
				rows[i] = []string{name, a.strip(one.Steps)}
			}
			last := s.From.Add(time.Duration(len(firstSteps(s))*s.StepSeconds) * time.Second)
			head := fmt.Sprintf("%s to %s", s.From.Local().Format("Mon 15:04"), last.Local().Format("Mon 15:04"))
			return a.list(s, []string{by, head}, rows, "Nothing is there to be shown.")
		}),
	}
	cmd.Flags().StringVar(&by, "by", "site", "site, device, port or path")
	_ = cmd.RegisterFlagCompletionFunc("by", cobra.FixedCompletions([]string{"site", "device", "port", "path"}, cobra.ShellCompDirectiveNoFileComp))
	return cmd
}

func firstSteps(s v1.Strips) []string {
	if len(s.Items) == 0 {
		return nil
	}
	return s.Items[0].Steps
}

// strip draws a day, two steps a sign.
func (a *app) strip(steps []string) string {
	ranks := []string{"", "warning", "minor", "major", "critical"}
	signs := []string{".", "-", "+", "!", "!"}
	colours := []text.Color{text.Reset, text.FgYellow, text.FgYellow, text.FgRed, text.FgRed}
	var out strings.Builder
	for i := 0; i < len(steps); i += 2 {
		worst := 0
		for _, s := range steps[i:min(i+2, len(steps))] {
			for rank, word := range ranks {
				if word == s {
					worst = max(worst, rank)
				}
			}
		}
		if worst == 0 {
			out.WriteString(signs[0])
			continue
		}
		out.WriteString(a.paint(colours[worst], signs[worst]))
	}
	return out.String()
}

func (a *app) topCommand() *cobra.Command {
	var f pastFlags
	q := client.TopQuery{}
	peak, least := false, false
	cmd := &cobra.Command{
		Use: "top READING [selector...]", Short: "List what ranks highest by a reading over a time", Args: cobra.MinimumNArgs(1),
		Long: `List what ranks highest by a reading over a time: port.use (of its speed, in percent), or any of those that "everypost history metrics" lists, such as
device.cpu, device.memory, device.temperature, device.poe_draw, device.clients, port.rx_errors. A selector picks the devices.`,
		Example: "  everypost top port.use\n  everypost top device.temperature site = harbour-house --period 7d --peak\n  everypost top radio-link.received --least",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			p, err := f.past()
			if err != nil {
				return err
			}
			var ok bool
			if q.Part, q.Metric, ok = strings.Cut(args[0], "."); !ok {
				return usage("%q is no reading: write part.reading, such as port.use or device.cpu", args[0])
			}
			q.Where = strings.Join(args[1:], " ")
			switch {
			case peak && least:
				return usage("--peak and --least exclude each other")
			case peak:
				q.Order = "peak"
			case least:
				q.Order = "least"
			}
			t, err := c.Top(ctx, q, p)
			if err != nil {
				return err
			}
			rows := make([][]string, len(t.Items))
			for i, r := range t.Items {
				name := r.Device
				if r.Name != "" {
					name += ":" + r.Name
				}
				rows[i] = []string{strconv.Itoa(i + 1), name, amount(r.Mean, t.Unit), amount(r.Peak, t.Unit), r.Text}
			}
			if err := a.list(t, []string{"rank", "of", "mean", "peak", "description"}, rows, "Nothing was read in this time."); err != nil {
				return err
			}
			if t.More {
				a.say("Only the first devices were looked at: narrow it with a selector.")
			}
			return nil
		}),
	}
	f.add(cmd)
	cmd.Flags().BoolVar(&peak, "peak", false, "rank by the highest value, not by the mean")
	cmd.Flags().BoolVar(&least, "least", false, "the lowest mean first")
	countVar(cmd.Flags(), &q.Limit, "limit", 10, 1, "list so many")
	return cmd
}

func (a *app) volumeCommand() *cobra.Command {
	var f pastFlags
	by, zone := "day", ""
	cmd := &cobra.Command{
		Use: "volume PORT", Short: "List how much went through a port, by hour, day or month", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Long:    "List how much went through a port, by hour, day or month. An hour that was read in part counts as if all of it were.",
		Example: "  everypost volume th-edge-01:wan1 --period 30d\n  everypost volume th-edge-01:wan2 --by month --period 365d --zone Europe/London",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			device, port, ok := strings.Cut(args[0], ":")
			if !ok {
				return usage("%q is not a port: write device:port, such as th-edge-01:wan1", args[0])
			}
			p, err := f.past()
			if err != nil {
				return err
			}
			where := time.Local
			if zone != "" {
				if where, err = time.LoadLocation(zone); err != nil {
					return usage("%q is not a time zone: write it like Europe/London", zone)
				}
			} else if zone = where.String(); zone == "Local" {
				zone, where = "UTC", time.UTC
			}
			v, err := c.Volumes(ctx, device, port, by, zone, p)
			if err != nil {
				return err
			}
			layout := map[string]string{"hour": "2006-01-02 15:04", "day": "2006-01-02", "month": "2006-01"}[by]
			rows := make([][]string, len(v.Items))
			var in, out float64
			for i, one := range v.Items {
				rows[i] = []string{one.From.In(where).Format(layout), octetsText(uint64(one.RxOctets)), octetsText(uint64(one.TxOctets)), octetsText(uint64(one.RxOctets + one.TxOctets))}
				if !one.Known {
					rows[i] = []string{one.From.In(where).Format(layout), "-", "-", "-"}
				}
				in, out = in+one.RxOctets, out+one.TxOctets
			}
			if err := a.list(v, []string{by, "received", "sent", "both"}, rows, "Nothing was read in this time."); err != nil {
				return err
			}
			if len(rows) > 0 {
				a.say("%s received, %s sent.", octetsText(uint64(in)), octetsText(uint64(out)))
			}
			return nil
		}),
	}
	f.add(cmd)
	cmd.Flags().StringVar(&by, "by", "day", "hour, day or month")
	cmd.Flags().StringVar(&zone, "zone", "", "time zone of days and months, such as Europe/London (else that of this machine, or UTC)")
	_ = cmd.RegisterFlagCompletionFunc("by", cobra.FixedCompletions([]string{"hour", "day", "month"}, cobra.ShellCompDirectiveNoFileComp))
	return cmd
}
