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

// steeringWhys are why traffic goes over a tunnel, in words.
var steeringWhys = map[string]string{"first": "first in order", "limit": "the one before broke a limit", "down": "the one before went down", "return": "it was good again", "lost": "none is left"}

func (a *app) steeringCommand() *cobra.Command {
	var draft int64
	var period string
	cmd := &cobra.Command{
		Use: "steering [EDGE | selector...]", Short: "Tell which tunnels traffic between sites goes over, and why", ValidArgsFunction: a.completeSelector,
		Long: `Tell which tunnels the traffic between sites goes over, by which way and why. Of one edge: how it is told to carry it, how traffic moved, and what
its ways would have come to for calls in the last 24 hours, as the edge measured its tunnels then. With a draft, its ways are gone through instead.

Ways are set by rows of steering/main: the first that fits decides.`,
		Example: `  everypost steering
  everypost steering th-edge-01
  everypost rows add th-edge-01:steering/main 'application voice over fibre,cellular delay 150 loss 1'
  everypost steering th-edge-01 --change 7`,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			where := strings.Join(args, " ")
			if len(args) == 1 && !strings.ContainsAny(args[0], "=<>~*() ") {
				one, err := c.Steering(ctx, args[0], draft, period)
				if err != nil {
					return err
				}
				return a.steering(one, period)
			}
			if draft > 0 {
				return usage("a draft is gone through for one edge: name it")
			}
			list, err := c.SteeredFlows(ctx, where)
			if err != nil {
				return err
			}
			return a.list(list, append([]string{"edge"}, flowHeader...), flowRows(list.Items, true), "No edge there steers its traffic: \"everypost rows add EDGE:steering/main ROW\" begins.")
		}),
	}
	cmd.Flags().Var(draftNumber{&draft}, "change", "go through the ways of this draft instead of those that run")
	cmd.Flags().StringVar(&period, "period", "24h", "how long a time is gone through: 90m, 24h, 7d")
	return cmd
}

var flowHeader = []string{"way", "traffic", "to", "over", "since", "why", "carried"}

func flowRows(list []v1.SteeredFlow, edge bool) [][]string {
	rows := make([][]string, len(list))
	for i, f := range list {
		over := f.Tunnel
		switch {
		case over == "":
			over = "nothing"
		case f.Second != "":
			over += " and " + f.Second
		}
		since := ""
		if f.Since != nil {
			since = ago(*f.Since)
		}
		rows[i] = []string{wayNumber(f.Way), trafficText(f.Way, f.Traffic), f.Far, over, since, steeringWhys[f.Why], octetsText(f.Octets)}
		if edge {
			rows[i] = append([]string{f.Device}, rows[i]...)
		}
	}
	return rows
}

func wayNumber(number int) string {
	if number == 0 {
		return ""
	}
	return fmt.Sprint(number)
}

func trafficText(way int, traffic string) string {
	switch {
	case traffic != "":
		return traffic
	case way == 0:
		return "all else"
	}
	return "all"
}

// steering shows that of one edge.
func (a *app) steering(s v1.Steering, period string) error {
	if a.isData() {
		return a.data(s)
	}
	if a.format == "csv" { // of what are many rows
		return a.list(s, flowHeader, flowRows(s.Flows, false), "")
	}
	if !s.Steers {
		a.say("%s cannot steer: it sends everything over its first tunnel that is up.", s.Device)
		return nil
	}
	var out strings.Builder
	head := func(title string) {
		if out.Len() > 0 {
			out.WriteByte('\n')
		}
		fmt.Fprintln(&out, title)
	}
	if s.Draft > 0 {
		head(fmt.Sprintf("Ways, as draft %d makes them", s.Draft))
	} else {
		head("Ways")
	}
	for _, w := range s.Ways {
		fmt.Fprintf(&out, "  %5d  %s\n", w.Number, w.Text)
	}
	if len(s.Ways) == 0 {
		fmt.Fprintln(&out, "  None: everything goes over the first tunnel that is up.")
	}
	if len(s.Flows) > 0 {
		head("Now")
		a.table(&out, flowHeader, flowRows(s.Flows, false))
	}
	if len(s.Moves) > 0 {
		head("Moved lately")
		var rows [][]string
		for _, m := range s.Moves[:min(len(s.Moves), 15)] {
			rows = append(rows, moveRow(m))
		}
		a.table(&out, moveHeader, rows)
	}
	if len(s.Replays) > 0 {
		head("What calls by these ways would have been in the last " + period)
		var rows [][]string
		for _, r := range s.Replays {
			rows = append(rows, replayRow(r))
		}
		a.table(&out, []string{"way", "traffic", "to", "MOS", "without", "bad for", "without", "moves", "over"}, rows)
	}
	return a.show(out.String())
}

var moveHeader = []string{"when", "way", "traffic", "to", "from", "onto", "why", "it was at"}

func moveRow(m v1.SteeringMove) []string {
	onto := m.To
	if onto == "" {
		onto = "nothing"
	}
	was := ""
	if m.From != "" && m.Why == "limit" {
		was = fmt.Sprintf("%.0f ms, %.0f ms jitter, %.1f %% loss", m.DelayMs, m.JitterMs, m.LossPercent)
	}
	return []string{m.At.Local().Format("2006-01-02 15:04:05"), wayNumber(m.Way), trafficText(m.Way, m.Traffic), m.Far, m.From, onto, steeringWhys[m.Why], was}
}

func replayRow(r v1.SteeringReplay) []string {
	row := []string{wayNumber(r.Way), trafficText(r.Way, r.Traffic), r.Far, "not measured", "", "", "", "", ""}
	if r.With == nil || r.Without == nil {
		return row
	}
	bad := func(c *v1.SteeringCalls) string {
		if c.BadS == 0 {
			return "never"
		}
		return fmt.Sprintf("%d min", (c.BadS+59)/60)
	}
	var over []string
	for tunnel, part := range r.Over {
		if tunnel == "" {
			tunnel = "nothing"
		}
		over = append(over, fmt.Sprintf("%s %.0f %%", tunnel, 100*part))
	}
	slices.SortFunc(over, func(x, y string) int { return strings.Compare(x, y) })
	copy(row[3:], []string{fmt.Sprintf("%.2f", r.With.Opinion), fmt.Sprintf("%.2f", r.Without.Opinion), bad(r.With), bad(r.Without), fmt.Sprint(r.Moved), strings.Join(over, ", ")})
	return row
}
