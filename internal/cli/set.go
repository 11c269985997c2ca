package cli

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

const setHelp = `Nothing is sent to a device before the draft is checked and pushed.

Give settings as SETTING=VALUE; "everypost settings" lists them all. What is not named stays as it is. Each thing is told of
by itself: what cannot have a setting is left out, with the reason, and the exit code is then 3.

Secrets (passwords, communities) are asked for when given as "-", so that they stand in no list of commands. They are kept
sealed and never shown again: a reference stands in their place.

--table reads a table with commas instead (- for standard input): the first column names the things, the others are
settings, and an empty cell leaves a setting as it is.`

func (a *app) portCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "port", Short: "Set up ports"}
	set := &cobra.Command{
		Use: "set [PORT...] SETTING=VALUE...", Short: "Put settings of ports into a draft",
		Long: "Put settings of ports, and of other things that a device holds, into a draft. " + setHelp + `

A bundle is written device:lag1, a VLAN of a device device:vlan/40, and so on for all that a device holds ("everypost settings
--kinds" lists it): present=on makes one, present=off removes it.`,
		Example: `  everypost port set th-sw-02:1/1/7 vlan=40 poe=off --why 'printer moves to ticketing'
  everypost port set --where 'camera and site = tern-haven' poe-priority=critical edge=on
  everypost port set --table ports.csv --why 'new floor plan'
  everypost port set th-sw-02:lag1 present=on protocol=lacp-active trunk-vlans=10-30 --change 12`,
	}
	a.draftsEdits(set, false)
	cmd.AddCommand(set, a.portApartCommand(), a.standingCommand("PORT", "ports"))
	return cmd
}

// deviceSetCommand is "device set": like "port set", for what is set on a device itself.
func (a *app) deviceSetCommand() *cobra.Command {
	set := &cobra.Command{
		Use: "set [DEVICE...] SETTING=VALUE...", Short: "Put settings of devices into a draft",
		Long: "Put settings of devices into a draft. " + setHelp + `

A service of a device is switched with service.NAME=on|off ("everypost device th-sw-02" lists them).`,
		Example: `  everypost device set th-sw-02 th-sw-03 service.web=off --why 'nobody uses their own pages'
  everypost device set --where 'kind = switch' ntp-servers=10.1.10.1,10.1.10.2 time-zone=Europe/London`,
		ValidArgsFunction: a.completeDevices,
	}
	a.draftsEdits(set, true)
	return set
}

// setCommandFor is the command that sets something on a thing.
func setCommandFor(thing string) string {
	if strings.Contains(thing, ":") {
		return "port set"
	}
	return "device set"
}

// draftsEdits makes a command put settings of many things into a draft: things first, then settings.
func (a *app) draftsEdits(cmd *cobra.Command, devices bool) {
	var in v1.BulkRequest
	var where, table string
	var inherit []string
	cmd.RunE = a.asked(func(ctx context.Context, c *client.Client, args []string) error {
		if table != "" {
			if len(args) > 0 || where != "" {
				return usage("--table names the things and their settings: leave out the others")
			}
			rows, err := a.readTable(table)
			if err != nil {
				return err
			}
			in.Rows = rows
			return a.bulk(ctx, c, in)
		}
		row, err := parseRow(args, where != "", len(inherit) > 0)
		if err != nil {
			return err
		}
		if err := a.askSecrets(ctx, c, row.Set); err != nil {
			return err
		}
		row.Inherit = inherit
		if row.Where = where; devices {
			row.Where, row.Devices = "", where
		}
		in.Rows = []v1.BulkRow{row}
		return a.bulk(ctx, c, in)
	})
	f := cmd.Flags()
	f.Var(draftNumber{&in.Change}, "change", "add to this draft instead of making one")
	f.StringVar(&in.Why, "why", "", "why the change is made")
	f.StringVar(&where, "where", "", "a selector of what to set it on, besides what is named")
	f.StringVar(&table, "table", "", "a file with a table of settings, - for standard input")
	f.StringSliceVar(&inherit, "inherit", nil, "settings that are no longer said there, so that what templates and the site say holds")
	_ = cmd.RegisterFlagCompletionFunc("where", func(cmd *cobra.Command, _ []string, word string) ([]string, cobra.ShellCompDirective) {
		return a.completeSelector(cmd, nil, word)
	})
	kind, things := "port", cmd.ValidArgsFunction
	if devices {
		kind = "device"
	}
	cmd.ValidArgsFunction = func(cmd *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
		list, rule := a.completeSettings(cmd, kind, word)
		if things != nil && !slices.ContainsFunc(args, func(s string) bool { return strings.Contains(s, "=") }) {
			more, _ := things(cmd, args, word)
			list = append(list, more...)
		}
		return list, rule
	}
}

// bulk makes the draft and tells what became of each thing.
func (a *app) bulk(ctx context.Context, c *client.Client, in v1.BulkRequest) error {
	answer, err := c.Bulk(ctx, in)
	if err != nil {
		return err
	}
	return a.told(answer)
}

// told tells what became of each thing of a bulk edit.
func (a *app) told(answer v1.BulkAnswer) error {
	n := map[string]int{}
	for _, r := range answer.Results {
		n[r.Outcome]++
	}
	if a.isData() {
		if err := a.data(answer); err != nil {
			return err
		}
	} else {
		a.printBulk(answer, n)
	}
	switch {
	case len(answer.Results) == 0:
		return &codedError{ExitRefused, errors.New("nothing fits the selector: nothing was done")}
	case n["refused"] > 0:
		return &codedError{ExitRefused, fmt.Errorf("%d of %d cannot have that; they were left out", n["refused"], len(answer.Results))}
	}
	return nil
}

// shownDifferences is how many a command shows of a draft.
const shownDifferences = 40

func (a *app) printBulk(answer v1.BulkAnswer, n map[string]int) {
	ch := answer.Change
	if ch != nil {
		shown := *ch
		if len(shown.Differences) > shownDifferences {
			shown.Differences = shown.Differences[:shownDifferences]
		}
		a.printDifferences(shown)
		if more := len(ch.Differences) - len(shown.Differences); more > 0 {
			a.say("and %d more: \"everypost change show %d\".", more, ch.Number)
		}
	}
	left := "\nLeft out"
	for _, r := range answer.Results {
		if r.Outcome == "refused" {
			if left != "" {
				a.say("%s", left)
				left = ""
			}
			a.say("  %s  %s", r.On, r.Why)
		}
	}
	a.say("\n%d set, %d have it already, %d left out.", n["set"], n["unchanged"], n["refused"])
	if ch != nil {
		a.say("In draft %d. Check it with \"everypost change check %d\", throw it away with \"everypost change discard %d\".", ch.Number, ch.Number, ch.Number)
	}
}

// parseRow takes things first and settings after, every setting for every thing.
func parseRow(args []string, picked, inherits bool) (v1.BulkRow, error) {
	row := v1.BulkRow{Set: map[string]string{}}
	first := slices.IndexFunc(args, func(s string) bool { return strings.Contains(s, "=") })
	if first < 0 && inherits {
		first = len(args)
	}
	if first < 0 {
		return row, usage("no setting was given: write SETTING=VALUE after what it is set on, such as vlan=40")
	}
	if first == 0 && !picked {
		return row, usage("nothing was named: write device:port before the settings, such as th-sw-02:1/1/7, or pick with --where")
	}
	row.On = args[:first]
	for _, s := range args[first:] {
		name, value, ok := strings.Cut(s, "=")
		if !ok {
			return row, usage("%q stands after the settings and is none: write SETTING=VALUE", s)
		}
		if _, twice := row.Set[name]; twice {
			return row, usage("%s is given twice", name)
		}
		row.Set[name] = value
	}
	return row, nil
}

// readTable reads a table with commas: a head with settings, and a line for each thing.
func (a *app) readTable(path string) ([]v1.BulkRow, error) {
	from := a.in
	if path != "-" {
		f, err := os.Open(path)
		if err != nil {
			return nil, err
		}
		defer func() { _ = f.Close() }()
		from = f
	}
	r := csv.NewReader(from)
	r.TrimLeadingSpace = true
	head, err := r.Read()
	if err != nil || len(head) < 2 {
		return nil, usage("the table needs a head: port, and the settings of the other columns")
	}
	var out []v1.BulkRow
	for {
		line, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, usage("the table: %v", err)
		}
		row := v1.BulkRow{On: []string{strings.TrimSpace(line[0])}, Set: map[string]string{}}
		for i, cell := range line[1:] {
			if cell = strings.TrimSpace(cell); cell != "" {
				row.Set[strings.TrimSpace(head[i+1])] = cell
			}
		}
		if len(row.Set) > 0 {
			out = append(out, row)
		}
	}
	if len(out) == 0 {
		return nil, usage("the table sets nothing")
	}
	return out, nil
}

// bundleCommand makes bundles of ports.
func (a *app) bundleCommand() *cobra.Command {
	var in v1.BundleRequest
	var number int64
	var why string
	var nearOnly bool
	cmd := &cobra.Command{
		Use: "bundle PORT...", Short: "Put a link aggregation of ports into a draft, with the other end of their cables", Args: cobra.MinimumNArgs(1),
		Long: `Put a link aggregation (IEEE 802.1AX) of ports into a draft. The ports are those of one device, or of a pair that acts as
one. What is at the other end of their cables is bundled too, as far as the neighbours tell, and the bundle takes the VLANs of
the first port. Change it further with "everypost port set device:lag1".`,
		Example: "  everypost bundle th-sw-01:1/1/50 th-sw-01:2/1/50 --why 'two cables to the gates'\n  everypost bundle hh-core-01:1/1/9 hh-core-02:1/1/9 --near-only --name lag12",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			in.Ports, in.Change = args, number
			p, err := c.ProposeBundle(ctx, in)
			if err != nil {
				return err
			}
			if nearOnly {
				p.Edits = slices.DeleteFunc(p.Edits, func(e v1.Edit) bool {
					return slices.ContainsFunc(p.Far, func(end v1.BundleEnd) bool { return strings.HasPrefix(e.Port, end.Device+":") })
				})
				p.Far = nil
			}
			ch, err := a.makeDraft(ctx, c, number, why, p.Edits)
			if err != nil {
				return err
			}
			for _, end := range slices.Concat(p.Near, p.Far) {
				a.say("%s:%s of %s", end.Device, end.Bundle, strings.Join(end.Ports, ", "))
			}
			for _, n := range p.Notes {
				a.say("%s", n)
			}
			return a.showDraft(ch)
		}),
	}
	f := cmd.Flags()
	f.StringVar(&in.Name, "name", "", "of the bundle at this end: lag1, lag2 ... (else the next that is free)")
	f.StringVar(&in.Protocol, "protocol", "lacp-active", "lacp-active, lacp-passive or static")
	f.BoolVar(&nearOnly, "near-only", false, "leave the other end alone")
	f.Var(draftNumber{&number}, "change", "add to this draft instead of making one")
	f.StringVar(&why, "why", "", "why the change is made")
	return cmd
}

// settingsCommand lists what can be set.
func (a *app) settingsCommand() *cobra.Command {
	var kinds bool
	cmd := &cobra.Command{
		Use: "settings [KIND]", Short: "List what can be set, on ports, devices and all that these hold", Args: cobra.MaximumNArgs(1),
		Example: "  everypost settings\n  everypost settings device\n  everypost settings --kinds",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if kinds {
				list, err := c.SettingKinds(ctx)
				if err != nil {
					return err
				}
				rows := make([][]string, len(list.Items))
				for i, k := range list.Items {
					rows[i] = []string{k.Kind, k.Title, "DEVICE:" + k.Prefix + map[bool]string{true: "lag1"}[k.Prefix == ""], k.Form, k.Needs}
				}
				return a.list(list, []string{"kind", "things", "written", "named by", "device needs"}, rows, "")
			}
			list, err := c.Settings(ctx)
			if err != nil {
				return err
			}
			if len(args) == 1 {
				list.Items = slices.DeleteFunc(list.Items, func(s v1.Setting) bool { return !slices.Contains(s.On, args[0]) })
			}
			rows := make([][]string, len(list.Items))
			for i, s := range list.Items {
				rows[i] = []string{strings.Join(s.On, ", "), s.Name, s.Form, s.Default, s.Help}
			}
			return a.list(list, []string{"on", "setting", "value", "default", "meaning"}, rows, "There is nothing of that kind that could be set.")
		}),
	}
	cmd.Flags().BoolVar(&kinds, "kinds", false, "the kinds of things that a device holds")
	return cmd
}

// standingCommand is "port settings" and "device settings": how things stand on all their settings.
func (a *app) standingCommand(thing, things string) *cobra.Command {
	var in v1.StandingRequest
	cmd := &cobra.Command{
		Use: "settings " + thing + "...", Short: "Show all settings of " + things + ", together where there are several",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if in.On = args; len(args) == 0 && in.Where == "" {
				return usage("name what to show, or pick with --where")
			}
			st, err := c.Standing(ctx, in)
			if err != nil {
				return err
			}
			rows := make([][]string, 0, len(st.Items))
			for _, one := range st.Items {
				if one.Applies > 0 {
					rows = append(rows, []string{one.Setting, valuesText(one, st.On)})
				}
			}
			return a.list(st, []string{"setting", "value"}, rows, "Nothing can be set there.")
		}),
	}
	if things == "ports" {
		cmd.Flags().StringVar(&in.Where, "where", "", "a selector of ports, besides those that are named")
	}
	cmd.Flags().Var(draftNumber{&in.Change}, "change", "as they would stand after this draft")
	return cmd
}

// valuesText says one value, or the mix with its counts.
func valuesText(st v1.Standing, on int) string {
	if len(st.Values) == 1 && st.Applies == on {
		return orNothing(st.Values[0].Value)
	}
	parts := make([]string, 0, len(st.Values))
	for _, v := range st.Values {
		parts = append(parts, orNothing(v.Value)+" on "+strconv.Itoa(v.Count))
	}
	text := strings.Join(parts, ", ")
	if left := on - st.Applies; left > 0 {
		text += fmt.Sprintf(", not on %d: %s", left, st.Why)
	}
	return text
}

// completeSettings completes SETTING=VALUE.
func (a *app) completeSettings(cmd *cobra.Command, kind, word string) ([]string, cobra.ShellCompDirective) {
	c, err := a.client()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	list, err := c.Settings(cmd.Context())
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	name, _, typed := strings.Cut(word, "=")
	var out []string
	for _, s := range list.Items {
		switch {
		case kind == "device" && !slices.Contains(s.On, kind), kind != "device" && slices.Equal(s.On, []string{"device"}):
		case typed && s.Name == name:
			for _, choice := range s.Choices {
				out = append(out, name+"="+choice)
			}
		case !typed && strings.HasPrefix(s.Name, name):
			out = append(out, s.Name+"=\t"+s.Help)
		}
	}
	return out, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
}
