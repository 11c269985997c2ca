package cli

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) approveCommand() *cobra.Command {
	var in v1.ApproveRequest
	cmd := a.onChange(&cobra.Command{
		Use: "approve CHANGE", Short: "Approve a change of somebody else, where a rule asks for a second person",
		Long: `Approve a change. Who has drafted it, put edits in or had it pushed cannot approve it. A push that waits for nothing else begins.
The approval is of the change as it is: when it is edited, or comes to something else on the network, it has to be given again.`,
	}, func(ctx context.Context, c *client.Client, n int64) error { return a.orPrint(c.Approve(ctx, n, in)) })
	cmd.Flags().StringVar(&in.Why, "why", "", "a word for the record")
	return cmd
}

func (a *app) withdrawCommand() *cobra.Command {
	var in v1.WhyRequest
	cmd := a.onChange(&cobra.Command{Use: "withdraw CHANGE", Short: "Take a change back that waits to be pushed"},
		func(ctx context.Context, c *client.Client, n int64) error { return a.orPrint(c.Withdraw(ctx, n, in)) })
	cmd.Flags().StringVar(&in.Why, "why", "", "a word for the record")
	return cmd
}

func (a *app) changeRulesCommand() *cobra.Command {
	return &cobra.Command{
		Use: "change-rules", Short: "List the rules of the house: the hours of changes, and which need a second person", Args: cobra.NoArgs,
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.ChangeRules(ctx)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, r := range list.Items {
				rows[i] = []string{r.Name, r.Title, strings.TrimSpace(r.Hours + " " + r.Zone), map[bool]string{true: "second person"}[r.Approval], orAll(r.Pick)}
			}
			return a.list(list, []string{"rule", "title", "hours", "approval", "of"}, rows, "There is no rule: changes are pushed at any time, by whoever may.")
		}),
	}
}

func orAll(pick string) string {
	if pick == "" {
		return "all devices"
	}
	return pick
}

func (a *app) changeRuleCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "change-rule", Short: "Make, change or remove a rule of the house for changes"}
	var in v1.ChangeRule
	set := &cobra.Command{
		Use: "set RULE", Short: "Make a rule, or replace it", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeRules,
		Long: `Make a rule of the house for changes, or replace it. --hours has the guards warn of a change of these devices that is pushed at
another time ("change push --in-window" waits for it); --approval has every push wait until a second person approved it.`,
		Example: "  everypost change-rule set vessels --title 'Ships in port only' --pick 'site in (fulmar, guillemot)' --hours 'mon-sun 01:00-04:30' --zone Europe/London\n" +
			"  everypost change-rule set core --pick 'tag = critical' --approval",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			in.Name = args[0]
			r, err := c.PutChangeRule(ctx, in)
			if err != nil {
				return err
			}
			a.say("The rule %s holds for changes of %s.", r.Name, orAll(r.Pick))
			return nil
		}),
	}
	f := set.Flags()
	f.StringVar(&in.Title, "title", "", "what it is for")
	f.StringVar(&in.Pick, "pick", "", "a selector of devices (else all)")
	f.StringVar(&in.Hours, "hours", "", "in which changes are made: mon-fri 06:00-19:00, sat 08:00-12:00")
	f.StringVar(&in.Zone, "zone", "", "time zone of the hours, such as Europe/London (else UTC)")
	f.BoolVar(&in.Approval, "approval", false, "a second person has to approve")
	_ = set.RegisterFlagCompletionFunc("pick", func(cmd *cobra.Command, _ []string, word string) ([]string, cobra.ShellCompDirective) {
		return a.completeSelector(cmd, nil, word)
	})
	cmd.AddCommand(set, &cobra.Command{
		Use: "remove RULE", Short: "Remove a rule", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeRules,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if err := c.DropChangeRule(ctx, args[0]); err != nil {
				return err
			}
			a.say("The rule %s is removed.", args[0])
			return nil
		}),
	})
	return cmd
}

func (a *app) completeRules(cmd *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	c, err := a.client()
	if err != nil || len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	list, err := c.ChangeRules(cmd.Context())
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	out := make([]string, len(list.Items))
	for i, r := range list.Items {
		out[i] = r.Name + "\t" + r.Title
	}
	return out, cobra.ShellCompDirectiveNoFileComp
}

// parseWhen reads when a push is to begin: a time of today or tomorrow, or one with its date.
func parseWhen(text string, now time.Time) (time.Time, error) {
	for _, form := range []string{time.RFC3339, "2006-01-02T15:04", "2006-01-02 15:04"} {
		if t, err := time.ParseInLocation(form, text, now.Location()); err == nil {
			return t, nil
		}
	}
	t, err := time.ParseInLocation("15:04", text, now.Location())
	if err != nil {
		return t, usage("--at %q: give a time such as 02:30, or with its date such as \"2026-11-28 02:30\"", text)
	}
	at := time.Date(now.Year(), now.Month(), now.Day(), t.Hour(), t.Minute(), 0, 0, now.Location())
	if !at.After(now) {
		at = at.AddDate(0, 0, 1)
	}
	return at, nil
}

// waitsText says for what a change waits.
func waitsText(ch v1.Change) string {
	w := ch.Waits
	var parts []string
	if w.Approval {
		parts = append(parts, fmt.Sprintf("the approval of a second person (everypost change approve %d)", ch.Number))
	}
	if w.At != nil && w.At.After(time.Now()) {
		parts = append(parts, w.At.Local().Format("2006-01-02 15:04"))
	}
	if w.InWindow {
		for _, one := range ch.Windows {
			text := "the hours of " + one.Rule + " (" + one.Hours
			if one.Next != nil && one.Next.After(time.Now()) {
				text += ", next " + one.Next.Local().Format("2006-01-02 15:04")
			}
			parts = append(parts, text+")")
		}
	}
	if len(parts) == 0 {
		return "its turn"
	}
	return strings.Join(parts, " and ")
}

// readyCommand is "device ready".
func (a *app) readyCommand() *cobra.Command {
	var in v1.BulkRequest
	var where string
	cmd := &cobra.Command{
		Use: "ready [SET] [DEVICE...]", Short: "Put settings that are often wanted together into a draft; without a name, list them",
		Example: "  everypost device ready\n  everypost device ready voice-first --where 'kind = switch and site = northgate'",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.ReadySettings(ctx)
			if err != nil {
				return err
			}
			if len(args) == 0 {
				rows := make([][]string, len(list.Items))
				for i, r := range list.Items {
					rows[i] = []string{r.Name, r.Title, r.Help}
				}
				return a.list(list, []string{"set", "title", "what it is"}, rows, "There is none.")
			}
			devices := args[1:]
			if where != "" {
				picked, err := c.Devices(ctx, client.Query{Where: where})
				if err != nil {
					return err
				}
				for _, d := range picked.Items {
					devices = append(devices, d.Name)
				}
			}
			if len(devices) == 0 {
				return usage("name devices after the set, or pick with --where")
			}
			for _, r := range list.Items {
				if r.Name == args[0] {
					in.Rows = readyRows(r, devices)
					return a.bulk(ctx, c, in)
				}
			}
			return usage("there is no set %q: \"everypost device ready\" lists them", args[0])
		}),
	}
	cmd.Flags().StringVar(&where, "where", "", "a selector of devices, besides those that are named")
	cmd.Flags().Var(draftNumber{&in.Change}, "change", "add to this draft instead of making one")
	cmd.Flags().StringVar(&in.Why, "why", "", "why the change is made")
	_ = cmd.RegisterFlagCompletionFunc("where", func(cmd *cobra.Command, _ []string, word string) ([]string, cobra.ShellCompDirective) {
		return a.completeSelector(cmd, nil, word)
	})
	return cmd
}

// readyRows sets a ready set on devices.
func readyRows(r v1.ReadySettings, devices []string) []v1.BulkRow {
	out := make([]v1.BulkRow, len(r.Rows))
	for i, row := range r.Rows {
		on := make([]string, len(devices))
		for j, d := range devices {
			if on[j] = d; row.Object != "" {
				on[j] += ":" + row.Object
			}
		}
		out[i] = v1.BulkRow{On: on, Set: row.Set}
	}
	return out
}

// askSecrets asks for secrets that were given as "-", so that they stand in no list of commands.
func (a *app) askSecrets(ctx context.Context, c *client.Client, set map[string]string) error {
	asks := false
	for _, v := range set {
		asks = asks || v == "-"
	}
	if !asks {
		return nil
	}
	list, err := c.Settings(ctx)
	if err != nil {
		return err
	}
	lines := a.typed()
	for _, s := range list.Items {
		if s.Type == "secret" && set[s.Name] == "-" {
			if set[s.Name], err = a.askPassword(lines, s.Title+": "); err != nil {
				return err
			}
		}
	}
	return nil
}
