package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/cli/safe"
)

func (a *app) alarmsCommand() *cobra.Command {
	var q client.AlarmQuery
	cmd := &cobra.Command{
		Use: "alarms [selector...]", Short: "List what is out of order, the worst first",
		Long: `List what is out of order, the worst first. A selector picks the devices. What follows from something else that is out of order stands
under that: --all lists it too.`,
		Example:           "  everypost alarms\n  everypost alarms site = tern-haven --all\n  everypost alarms --over --limit 20",
		ValidArgsFunction: a.completeSelector,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if len(args) > 0 {
				q.Where = strings.Join(args, " ")
			}
			list, err := c.Alarms(ctx, q)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, one := range list.Items {
				rows[i] = []string{strconv.FormatInt(one.Number, 10), a.severity(one.Severity), one.Resource, one.Text, ago(one.RaisedAt), followText(one), handText(one)}
			}
			return a.list(list, []string{"alarm", "severity", "resource", "what", "since", "follow", "in hand"}, rows, "Nothing is out of order.")
		}),
	}
	f := cmd.Flags()
	f.BoolVar(&q.Over, "over", false, "those that are cleared or closed, the newest first")
	f.BoolVar(&q.All, "all", false, "those that follow from others too")
	countVar(f, &q.Limit, "limit", 200, 1, "list so many")
	return cmd
}

func (a *app) severity(s string) string {
	return a.paint(map[string]text.Color{"critical": text.FgRed, "major": text.FgRed, "minor": text.FgYellow, "warning": text.FgYellow}[s], s)
}

func followText(one v1.Alarm) string {
	var parts []string
	if one.Cause != 0 {
		parts = append(parts, fmt.Sprintf("from %d", one.Cause))
	}
	if one.Followers > 0 {
		parts = append(parts, fmt.Sprintf("%d more", one.Followers))
	}
	return strings.Join(parts, ", ")
}

// handText says who has an alarm in hand, and how it stands.
func handText(one v1.Alarm) string {
	var parts []string
	if one.State != "open" {
		parts = append(parts, one.State)
	}
	if one.Count > 1 {
		parts = append(parts, fmt.Sprintf("raised %d times", one.Count))
	}
	if one.AckedBy != "" {
		parts = append(parts, "seen by "+one.AckedBy)
	}
	if one.AssignedTo != "" {
		parts = append(parts, "given to "+one.AssignedTo)
	}
	if one.Silence != nil {
		parts = append(parts, "silent until "+one.Silence.Local().Format("2006-01-02 15:04"))
	}
	return strings.Join(parts, ", ")
}

func (a *app) alarmCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "alarm NUMBER", Short: "Show an alarm: what is wrong, what comes of it, what to do, and what was done", Args: cobra.ExactArgs(1),
		Example: "  everypost alarm 12\n  everypost alarm acknowledge 12 --text 'on my way'\n  everypost alarm silence 12 --minutes 120",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			n, err := alarmNumber(args[0])
			if err != nil {
				return err
			}
			one, err := c.Alarm(ctx, n)
			if err != nil {
				return err
			}
			return a.printAlarm(one)
		}),
	}
	act := func(use, short, example string, args int, flags func(*cobra.Command, *v1.AlarmAct), take func(*v1.AlarmAct, []string)) {
		var in v1.AlarmAct
		sub := &cobra.Command{
			Use: use, Short: short, Args: cobra.ExactArgs(args), Example: "  everypost alarm " + example,
			RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
				n, err := alarmNumber(words[0])
				if err != nil {
					return err
				}
				if in.Act, _, _ = strings.Cut(use, " "); take != nil {
					take(&in, words[1:])
				}
				one, err := c.ActOnAlarm(ctx, n, in)
				if err != nil {
					return err
				}
				return a.printAlarm(one)
			}),
		}
		if flags != nil {
			flags(sub, &in)
		}
		cmd.AddCommand(sub)
	}
	said := func(help string) func(*cobra.Command, *v1.AlarmAct) {
		return func(sub *cobra.Command, in *v1.AlarmAct) { sub.Flags().StringVar(&in.Text, "text", "", help) }
	}
	act("acknowledge NUMBER", "Say that you have seen it", "acknowledge 12 --text 'on my way'", 1, said("what you say of it"), nil)
	act("unacknowledge NUMBER", "Take your word back that you have seen it", "unacknowledge 12", 1, said("why"), nil)
	act("assign NUMBER USER", "Give it to somebody; \"\" gives it to nobody", "assign 12 coral", 2, said("what you say of it"), func(in *v1.AlarmAct, words []string) { in.To = words[0] })
	act("note NUMBER TEXT", "Say something of it", "note 12 'the provider knows'", 2, nil, func(in *v1.AlarmAct, words []string) { in.Text = words[0] })
	act("close NUMBER", "Close it by hand although it stands; it opens again when it comes back", "close 12 --text 'the port is not used any more'", 1, said("why"), nil)
	act("silence NUMBER", "Want to hear nothing of it for a time", "silence 12 --minutes 120", 1, func(sub *cobra.Command, in *v1.AlarmAct) {
		countVar(sub.Flags(), &in.Minutes, "minutes", 60, 0, "for how long; 0 ends it")
	}, nil)
	to := ""
	over := &cobra.Command{
		Use: "hand-over NUMBER", Short: "Write all that is known of an incident as one text, for somebody else", Args: cobra.ExactArgs(1), Example: "  everypost alarm hand-over 12\n  everypost alarm hand-over 12 --to fibre.md",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			n, err := alarmNumber(args[0])
			if err != nil {
				return err
			}
			text, err := c.HandOver(ctx, n)
			if err != nil {
				return err
			}
			if to == "" {
				_, err := fmt.Fprint(a.out, safe.Lines(string(text)))
				return err
			}
			if err := writeNew(to, text); err != nil {
				return err
			}
			a.say("Alarm %d is written to %s.", n, to)
			return nil
		}),
	}
	over.Flags().StringVar(&to, "to", "", "write it to this file")
	cmd.AddCommand(over, &cobra.Command{
		Use: "import FILE", Short: "Take over alarms that another system kept of devices from before they were enrolled", Args: cobra.ExactArgs(1),
		Long: `Take over alarms that another system kept of devices from before they were enrolled here: all of a file, or none. Nobody is told of them. The file is
JSON, "-" the input:

  {"alarms": [{"type": "link-down", "device": "gs-sw-01", "port": "1/1/25", "severity": "major", "args": {"to": "gs-sw-02:1/1/9"},
               "raised_at": "2026-10-02T22:12:00Z", "cleared_at": "2026-10-02T23:36:00Z", "acked_by": "bram",
               "notes": [{"at": "2026-10-02T22:31:00Z", "by": "bram", "text": "Coral looks at it in the morning."}]},
              {"type": "device-gone", "device": "gs-sw-02", "severity": "critical", "args": {"why": ""},
               "raised_at": "2026-10-02T22:12:00Z", "cleared_at": "2026-10-02T23:37:00Z", "follows": 1}]}

"follows" is the place in the list, from 1, of the alarm that it follows from, which stands before it.`,
		Example: "  everypost alarm import night.json\n  everypost alarms --over",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			var in v1.PastAlarms
			if err := a.takeJSON(args[0], &in); err != nil {
				return err
			}
			if len(in.Alarms) == 0 {
				return usage("%s holds no alarms", args[0])
			}
			if err := c.ImportAlarms(ctx, in); err != nil {
				return err
			}
			a.say("Took over %d alarms.", len(in.Alarms))
			return nil
		}),
	})
	return cmd
}

func alarmNumber(s string) (int64, error) {
	n, err := strconv.ParseInt(s, 10, 64)
	if err != nil || n < 1 {
		return 0, usage("%q is not the number of an alarm: \"everypost alarms\" lists them", s)
	}
	return n, nil
}

func (a *app) printAlarm(one v1.AlarmDetail) error {
	if a.isData() {
		return a.data(one)
	}
	p := func(format string, args ...any) { _, _ = fmt.Fprintf(a.out, format+"\n", args...) }
	stood := "since " + one.RaisedAt.Local().Format("2006-01-02 15:04:05")
	if one.ClearedAt != nil {
		stood = fmt.Sprintf("it stood from %s until %s", one.RaisedAt.Local().Format("2006-01-02 15:04:05"), one.ClearedAt.Local().Format("2006-01-02 15:04:05"))
	}
	p("Alarm %d   %s   %s, %s", one.Number, a.severity(one.Severity), one.State, stood)
	p("%s", one.Text)
	if one.Effect != "" {
		p("  %s", one.Effect)
		p("  %s", one.Remedy)
	}
	if one.Cause != 0 {
		p("It follows from alarm %d.", one.Cause)
	}
	switch {
	case one.Change != 0:
		p("Change %d of %s was made there shortly before.", one.Change, one.ChangedBy)
	case one.ChangedBy != "":
		p("%s changed something there shortly before.", one.ChangedBy)
	}
	if hand := handText(one.Alarm); hand != "" {
		p("%s%s.", strings.ToUpper(hand[:1]), hand[1:])
	}
	if one.ClosedWhy != "" {
		p("%s closed it: %s", one.ClosedBy, one.ClosedWhy)
	}
	if len(one.Follow) > 0 {
		p("\nWhat follows from it")
		for _, f := range one.Follow {
			p("  %4d  %-8s  %s", f.Number, f.Severity, f.Text)
		}
	}
	if len(one.Notes) > 0 {
		p("\nWhat was done")
		for _, n := range one.Notes {
			p("  %s  %s %s", n.At.Local().Format("2006-01-02 15:04"), n.By, n.Text)
		}
	}
	return nil
}
