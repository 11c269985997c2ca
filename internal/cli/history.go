package cli

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// pastFlags are the flags that name a stretch of time.
type pastFlags struct {
	period, from, to string
	step             time.Duration
}

func (f *pastFlags) add(cmd *cobra.Command) {
	cmd.Flags().StringVar(&f.period, "period", "24h", "how long, up to now: 90m, 24h, 7d")
	cmd.Flags().StringVar(&f.from, "from", "", "begin, instead of a period: 2026-11-20T08:00 or 2026-11-20, in the zone of this machine")
	cmd.Flags().StringVar(&f.to, "to", "", "end; now when left out")
	cmd.Flags().DurationVar(&f.step, "step", 0, "length of a step: 5m; one that fits when left out")
}

func (f *pastFlags) past() (p client.Past, err error) {
	p = client.Past{Period: f.period, Step: f.step}
	if p.From, err = moment("--from", f.from); err != nil {
		return p, err
	}
	p.To, err = moment("--to", f.to)
	return p, err
}

// moment reads a time as people write it.
func moment(flag, s string) (time.Time, error) {
	if s == "" {
		return time.Time{}, nil
	}
	for _, layout := range []string{time.RFC3339, "2006-01-02T15:04:05", "2006-01-02T15:04", "2006-01-02 15:04", "2006-01-02"} {
		if t, err := time.ParseInLocation(layout, s, time.Local); err == nil {
			return t, nil
		}
	}
	return time.Time{}, usage("%s %q: write a time such as 2026-11-20T08:00, or a day", flag, s)
}

func (a *app) historyCommand() *cobra.Command {
	var f pastFlags
	var part string
	var points bool
	cmd := &cobra.Command{
		Use: "history DEVICE|PORT|MAC [metric...]", Short: "Show what was read of a device, a port or a client over a time", Args: cobra.MinimumNArgs(1), ValidArgsFunction: a.completeDevices,
		Long: `Show what was read of a device (th-sw-02), a port (th-sw-02:1/1/7) or a wireless client (its hardware address) over a time:
for each metric the mean, the highest and the last value, and how it ran. --part asks for the tunnels, radios, radio link,
modules or ports of a device instead of itself. --points prints every step; so do -o csv, json and yaml.

Readings are kept for 7 days, points of five minutes for 92 days, points of an hour for two years.`,
		Example: "  everypost history th-sw-02\n  everypost history th-sw-02:1/1/7 rx tx --period 7d\n  everypost history th-edge-01 --part tunnel delay loss --from 2026-11-20 --step 1h -o csv",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			p, err := f.past()
			if err != nil {
				return err
			}
			if !points && a.format == "table" && p.Step == 0 {
				p.Points = 48
			}
			h, err := askHistory(ctx, c, args[0], part, args[1:], p)
			if err != nil {
				return err
			}
			if points || a.format == "csv" {
				return a.printPoints(h)
			}
			return a.printHistory(h, len(args) > 1)
		}),
	}
	f.add(cmd)
	cmd.Flags().StringVar(&part, "part", "", "of the device: port, tunnel, radio, radio-link or module")
	cmd.Flags().BoolVar(&points, "points", false, "print every step")
	_ = cmd.RegisterFlagCompletionFunc("part", cobra.FixedCompletions([]string{"port", "tunnel", "radio", "radio-link", "module"}, cobra.ShellCompDirectiveNoFileComp))
	cmd.AddCommand(a.historyImportCommand(), a.historyMetricsCommand())
	return cmd
}

// askHistory asks for what is named: a client by its address, a port by device:port, else a device.
func askHistory(ctx context.Context, c *client.Client, what, part string, metrics []string, p client.Past) (v1.History, error) {
	device, port, isPort := strings.Cut(what, ":")
	switch {
	case strings.Count(what, ":") == 5:
		h, err := c.ClientHistory(ctx, what, p)
		h.Series = slices.DeleteFunc(h.Series, func(s v1.HistoryLine) bool { return len(metrics) > 0 && !slices.Contains(metrics, s.Metric) })
		return h, err
	case isPort && part != "":
		return v1.History{}, usage("--part is for a device: %s is a port", what)
	case isPort:
		return c.History(ctx, device, "port", []string{port}, metrics, p)
	case part == "":
		part = "device"
	}
	return c.History(ctx, what, part, nil, metrics, p)
}

// figures are what a series comes to.
type figures struct{ mean, low, high, last float64 }

// sumUp sums a series up; ok tells whether anything of it is known.
func sumUp(s v1.HistoryLine) (f figures, ok bool) {
	known := 0
	for i, v := range s.Mean {
		if v == nil {
			continue
		}
		low := *v
		if s.Min != nil && s.Min[i] != nil {
			low = *s.Min[i]
		}
		if known == 0 {
			f.low, f.high = low, *s.Max[i]
		}
		f.low, f.high, f.last = min(f.low, low), max(f.high, *s.Max[i]), *v
		f.mean += *v
		known++
	}
	f.mean /= float64(max(known, 1))
	return f, known > 0
}

func (a *app) printHistory(h v1.History, asked bool) error {
	rows, idle := [][]string{}, []string{}
	for _, s := range h.Series {
		f, known := sumUp(s)
		if !known {
			continue
		}
		if f.high == 0 && f.low == 0 && !asked {
			if !slices.Contains(idle, s.Metric) {
				idle = append(idle, s.Metric)
			}
			continue
		}
		low := ""
		if s.Min != nil {
			low = amount(f.low, s.Unit)
		}
		rows = append(rows, []string{s.Name, s.Metric, amount(f.mean, s.Unit), low, amount(f.high, s.Unit), amount(f.last, s.Unit), spark(s.Mean)})
	}
	head := []string{"of", "metric", "mean", "lowest", "highest", "last", fmt.Sprintf("from %s, a step of %s", h.From.Local().Format("2006-01-02 15:04"), stepWord(h.StepS))}
	if !slices.ContainsFunc(rows, func(r []string) bool { return r[0] != rows[0][0] }) { // all of one thing
		head = head[1:]
		for i := range rows {
			rows[i] = rows[i][1:]
		}
	}
	if err := a.list(h, head, rows, "Nothing was read in that time."); err != nil {
		return err
	}
	if len(idle) > 0 && a.format == "table" {
		a.say("Always 0 somewhere: %s.", strings.Join(idle, ", "))
	}
	return nil
}

// stepWord says how long a step is.
func stepWord(seconds int) string {
	switch {
	case seconds%86400 == 0:
		return fmt.Sprintf("%d d", seconds/86400)
	case seconds%3600 == 0:
		return fmt.Sprintf("%d h", seconds/3600)
	case seconds%60 == 0:
		return fmt.Sprintf("%d min", seconds/60)
	}
	return fmt.Sprintf("%d s", seconds)
}

func (a *app) printPoints(h v1.History) error {
	head := []string{"time"}
	for _, s := range h.Series {
		head = append(head, strings.TrimSpace(s.Name+" "+s.Metric+" "+s.Unit))
	}
	rows := [][]string{}
	for i := range h.Count {
		row, known := []string{h.From.Add(time.Duration(i*h.StepS) * time.Second).Format(time.RFC3339)}, false
		for _, s := range h.Series {
			cell := ""
			if v := s.Mean[i]; v != nil {
				cell, known = strconv.FormatFloat(*v, 'f', -1, 64), true
			}
			row = append(row, cell)
		}
		if known {
			rows = append(rows, row)
		}
	}
	return a.list(h, head, rows, "Nothing was read in that time.")
}

// amount writes a value with its unit; large ones in thousands of it.
func amount(v float64, unit string) string {
	prefix := ""
	if unit == "bit/s" || unit == "frames/s" {
		for _, p := range []string{"k", "M", "G"} {
			if v < 1000 {
				break
			}
			v, prefix = v/1000, p
		}
	}
	digits := 1
	if v >= 100 || v == float64(int64(v)) {
		digits = 0
	}
	return strings.TrimSpace(strconv.FormatFloat(v, 'f', digits, 64) + " " + prefix + unit)
}

// spark draws values in one line, the highest as a full block; what is not known is left out.
func spark(values []*float64) string {
	bars := []rune("▁▂▃▄▅▆▇█")
	low, high, known := 0.0, 0.0, false
	for _, v := range values {
		if v == nil {
			continue
		}
		if !known {
			low, high, known = min(0, *v), *v, true
		}
		low, high = min(low, *v), max(high, *v)
	}
	out := make([]rune, len(values))
	for i, v := range values {
		out[i] = ' '
		if v != nil {
			out[i] = bars[0]
			if high > low {
				out[i] = bars[int((*v-low)/(high-low)*float64(len(bars)-1)+0.5)]
			}
		}
	}
	return string(out)
}

func (a *app) historyMetricsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "metrics", Short: "List what history is kept of", Args: cobra.NoArgs,
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Metrics(ctx)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, m := range list.Items {
				rows[i] = []string{m.Part, m.Name, m.Unit, m.Help}
			}
			return a.list(list.Items, []string{"part", "metric", "unit", "what it is"}, rows, "")
		}),
	}
}

func (a *app) historyImportCommand() *cobra.Command {
	return &cobra.Command{
		Use: "import DEVICE FILE", Short: "Take over what another system kept of a device before it was enrolled", Args: cobra.ExactArgs(2), ValidArgsFunction: a.completeDevices,
		Long: `Take over what another system kept of a device before it was enrolled here. The file is JSON, "-" the input:

  {"points": [{"part": "port", "name": "1/1/7", "metric": "rx", "from": "2026-10-01T00:00:00Z", "step_s": 3600,
               "mean": [1200.5, null, 800], "max": [4000, null, 2500]}],
   "events": [{"at": "2026-10-02T11:04:00Z", "port": "1/1/7", "text": "Lost its link."}]}

Steps are of 300 or 3600 s and begin at whole ones; null is what is not known. What was imported of the same time is replaced.`,
		Example: "  everypost history import th-sw-02 th-sw-02.json",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			var in v1.PastRequest
			if err := a.takeJSON(args[1], &in); err != nil {
				return err
			}
			if len(in.Points)+len(in.Events) == 0 {
				return usage("%s holds neither points nor events", args[1])
			}
			if err := c.ImportHistory(ctx, args[0], in); err != nil {
				return err
			}
			a.say("Took over %d series and %d events of %s.", len(in.Points), len(in.Events), args[0])
			return nil
		}),
	}
}
