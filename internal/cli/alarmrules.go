package cli

import (
	"context"
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) alarmRulesCommand() *cobra.Command {
	return &cobra.Command{
		Use: "alarm-rules", Short: "List the rules of the house for alarms", Args: cobra.NoArgs, Example: "  everypost alarm-rules",
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.AlarmRules(ctx)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, r := range list.Items {
				state := "holds"
				if r.Off {
					state = "off"
				}
				rows[i] = []string{r.Name, ruleText(r.AlarmRuleRequest), r.Severity, r.Pick, state}
			}
			return a.list(list, []string{"rule", "alarm when", "severity", "of", "state"}, rows, "There are no rules of the house, only the ready ones: \"everypost alarm-rule set\" makes one.")
		}),
	}
}

// ruleText says when a rule has an alarm.
func ruleText(r v1.AlarmRuleRequest) string {
	text := fmt.Sprintf("%s.%s is %s", r.Part, r.Metric, r.Is)
	if r.Is != "absent" {
		text += " " + quantityText(r.Limit)
		if r.Back != r.Limit {
			text += ", until " + quantityText(r.Back)
		}
	}
	if r.ForSeconds > 0 {
		text += fmt.Sprintf(", for %s", time.Duration(r.ForSeconds)*time.Second)
	}
	return text
}

// ruleFlags are what a rule says, as flags.
type ruleFlags struct {
	in                 v1.AlarmRuleRequest
	reading            string
	above, below, back string
	absent             bool
	lasting            time.Duration
}

func (f *ruleFlags) add(s *pflag.FlagSet) {
	s.StringVar(&f.reading, "reading", "", "what is read, such as port.tx or device.temperature: \"everypost history metrics\" lists them")
	s.StringVar(&f.in.Pick, "where", "", "a selector: of ports for a reading of ports, else of devices")
	s.StringVar(&f.above, "above", "", "it is an alarm above this, such as 70 or 8G, in the unit of the reading")
	s.StringVar(&f.below, "below", "", "it is an alarm below this")
	s.BoolVar(&f.absent, "absent", false, "it is an alarm where there is no reading of what had one")
	s.StringVar(&f.back, "back", "", "it is over at this value only (else at the limit)")
	s.DurationVar(&f.lasting, "for", 0, "how long it must be so, such as 10m")
	s.StringVar(&f.in.Severity, "severity", "minor", "critical, major, minor or warning")
	s.StringVar(&f.in.Effect, "effect", "", "what comes of it, as the alarm says it")
	s.StringVar(&f.in.Remedy, "remedy", "", "what to do, as the alarm says it")
	s.BoolVar(&f.in.Off, "off", false, "keep it, and have it raise nothing")
}

// rule is what the flags come to.
func (f *ruleFlags) rule() (v1.AlarmRuleRequest, error) {
	r, said := f.in, 0
	var ok bool
	if r.Part, r.Metric, ok = strings.Cut(f.reading, "."); !ok {
		return r, usage("%q is no reading: write part.reading, such as port.tx", f.reading)
	}
	for is, text := range map[string]string{"above": f.above, "below": f.below} {
		if text == "" {
			continue
		}
		said++
		n, err := quantity(text)
		if err != nil {
			return r, err
		}
		r.Is, r.Limit, r.Back = is, n, n
	}
	if f.absent {
		r.Is = "absent"
		said++
	}
	if said != 1 {
		return r, usage("say one of --above, --below and --absent")
	}
	if f.back != "" {
		n, err := quantity(f.back)
		if err != nil {
			return r, err
		}
		r.Back = n
	}
	r.ForSeconds = int(f.lasting / time.Second)
	return r, nil
}

// quantity reads a number that may end in k, M or G.
func quantity(s string) (float64, error) {
	digits, factor := s, 1.0
	for suffix, by := range map[string]float64{"k": 1e3, "M": 1e6, "G": 1e9} {
		if rest, is := strings.CutSuffix(s, suffix); is {
			digits, factor = rest, by
		}
	}
	n, err := strconv.ParseFloat(digits, 64)
	if err != nil {
		return 0, usage("%q is no number: write it like 70, 2.5 or 8G", s)
	}
	return n * factor, nil
}

// quantityText writes a number as quantity reads it, with three digits or so.
func quantityText(n float64) string {
	for _, s := range []struct {
		by     float64
		suffix string
	}{{1e9, "G"}, {1e6, "M"}, {1e3, "k"}} {
		if math.Abs(n) >= s.by {
			return strconv.FormatFloat(math.Round(n/s.by*100)/100, 'f', -1, 64) + s.suffix
		}
	}
	return strconv.FormatFloat(math.Round(n*100)/100, 'f', -1, 64)
}

func (a *app) alarmRuleCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "alarm-rule", Short: "Make, try and remove rules of the house for alarms"}
	var made, tried ruleFlags
	yes := false
	set := &cobra.Command{
		Use: "set RULE", Short: "Make a rule, or replace it; it is told before how often it would have had alarms", Args: cobra.ExactArgs(1),
		Long: `Make a rule for alarms, or replace it: of what is picked, one reading, and when that is out of order. Before, it is told when the rule would have
had alarms in the last seven days. With --back, an alarm is over only at that value; with --for, it must be so for that long.`,
		Example: `  everypost alarm-rule set busy-uplinks --reading port.tx --where 'port.up = true' --above 8G --back 6G --for 10m
  everypost alarm-rule set warm-rooms --reading device.temperature --where 'tag = attic' --above 55 --severity major --remedy 'Open the hatch.'
  everypost alarm-rule set dark-fibre --reading module.received --absent --for 5m`,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			r, err := made.rule()
			if err != nil {
				return err
			}
			if !yes {
				t, err := c.TryAlarmRule(ctx, r)
				if err != nil {
					return err
				}
				a.say("%s", trialText(t))
				if err := a.confirm("Type yes to set it: ", "yes"); err != nil {
					return err
				}
			}
			out, err := c.PutAlarmRule(ctx, args[0], r)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(out)
			}
			a.say("Rule %s is set: %s.", out.Name, ruleText(out.AlarmRuleRequest))
			return nil
		}),
	}
	made.add(set.Flags())
	set.Flags().BoolVar(&yes, "yes", false, "do not ask")
	_ = set.MarkFlagRequired("reading")
	try := &cobra.Command{
		Use: "try", Short: "Show when a rule would have had alarms in the last seven days", Args: cobra.NoArgs,
		Example: "  everypost alarm-rule try --reading device.cpu --above 60 --for 30m",
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			r, err := tried.rule()
			if err != nil {
				return err
			}
			t, err := c.TryAlarmRule(ctx, r)
			if err != nil {
				return err
			}
			rows := make([][]string, len(t.Times))
			for i, e := range t.Times {
				until := "now"
				if e.To != nil {
					until = e.To.Local().Format("2006-01-02 15:04")
				}
				worst := quantityText(e.Worst)
				if r.Is == "absent" {
					worst = ""
				}
				rows[i] = []string{e.From.Local().Format("2006-01-02 15:04"), until, e.Device, e.Thing, worst}
			}
			if err := a.list(t, []string{"from", "until", "device", "of", "worst"}, rows, "It would have had no alarm."); err != nil {
				return err
			}
			a.say("%s", trialText(t))
			return nil
		}),
	}
	tried.add(try.Flags())
	_ = try.MarkFlagRequired("reading")
	cmd.AddCommand(set, try, &cobra.Command{
		Use: "remove RULE", Short: "Remove a rule; its alarms are over", Args: cobra.ExactArgs(1), Example: "  everypost alarm-rule remove warm-rooms",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if err := c.RemoveAlarmRule(ctx, args[0]); err != nil {
				return err
			}
			a.say("Rule %s is removed.", args[0])
			return nil
		}),
	})
	return cmd
}

// trialText sums up when a rule would have had alarms.
func trialText(t v1.AlarmRuleTrial) string {
	more := ""
	if t.More {
		more = "; it picks more than were looked at"
	}
	return fmt.Sprintf("In the last 7 days: %d alarms, of %d readings looked at in steps of %s%s.", t.Total, t.Things, time.Duration(t.StepSeconds)*time.Second, more)
}
