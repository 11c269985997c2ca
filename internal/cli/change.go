package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/cli/safe"
)

func (a *app) changesCommand() *cobra.Command {
	var device string
	cmd := &cobra.Command{
		Use: "changes", Short: "List the changes, the newest first", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			list, err := c.Changes(cmd.Context(), device)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, ch := range list.Items {
				what := fmt.Sprintf("%d edits", ch.EditCount)
				if len(ch.Edits) == 1 {
					what = editText(ch.Edits[0])
				}
				rows[i] = []string{strconv.FormatInt(ch.Number, 10), a.state(ch.State), what, ch.Why, ch.Owner, a.when(ch.UpdatedAt)}
			}
			return a.list(list, []string{"change", "state", "what", "why", "owner", "updated"}, rows, "There are no changes yet. Make one with \"everypost port set\".")
		},
	}
	cmd.Flags().StringVar(&device, "device", "", "only changes that touched this device")
	_ = cmd.RegisterFlagCompletionFunc("device", a.completeDevices)
	return cmd
}

// editText says an edit in a word.
func editText(e v1.Edit) string {
	if e.Act != "" {
		return e.Port + " " + e.Act + " " + e.Field
	}
	return e.Port + " " + e.Field + "=" + e.Value
}

func (a *app) changeCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "change", Short: "Look at, check, push, keep or undo a change"}
	cmd.AddCommand(
		a.onChange(&cobra.Command{Use: "show CHANGE", Short: "Show a change: what it makes different, what was found, how far it is"},
			func(ctx context.Context, c *client.Client, n int64) error { return a.orPrint(c.Change(ctx, n)) }),
		a.onChange(&cobra.Command{Use: "check CHANGE", Short: "Check a draft on the network as it is"},
			func(ctx context.Context, c *client.Client, n int64) error { return a.orPrint(c.Check(ctx, n)) }),
		a.pushCommand(), a.approveCommand(), a.withdrawCommand(),
		a.onChange(&cobra.Command{Use: "cancel CHANGE", Short: "Stop a push under way, and undo what runs of it"},
			func(ctx context.Context, c *client.Client, n int64) error {
				return a.toItsEnd(ctx, c, n, c.Cancel, "undone")
			}),
		a.onChange(&cobra.Command{Use: "keep CHANGE", Short: "Keep a change that is on trial, for good"},
			func(ctx context.Context, c *client.Client, n int64) error {
				return a.toItsEnd(ctx, c, n, c.Keep, "kept")
			}),
		a.onChange(&cobra.Command{Use: "undo CHANGE", Short: "Undo a change that is on trial, everywhere"},
			func(ctx context.Context, c *client.Client, n int64) error {
				return a.toItsEnd(ctx, c, n, c.Undo, "undone")
			}),
		a.onChange(&cobra.Command{Use: "take-back CHANGE", Short: "Make a draft that takes a change that was kept back"},
			func(ctx context.Context, c *client.Client, n int64) error { return a.orPrint(c.TakeBack(ctx, n)) }),
		a.discardCommand(),
	)
	return cmd
}

// discardCommand throws drafts away: those that are named, or all of one's own.
func (a *app) discardCommand() *cobra.Command {
	var mine bool
	cmd := &cobra.Command{
		Use: "discard CHANGE...", Short: "Throw drafts away", ValidArgsFunction: a.completeChanges,
		Example: "  everypost change discard 12 13 15-19\n  everypost change discard --mine",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if mine == (len(args) > 0) {
				return usage("name the drafts, such as 12 15-19, or say --mine")
			}
			numbers, err := changeNumbers(args)
			if err != nil {
				return err
			}
			if mine {
				if numbers, err = a.ownDrafts(ctx, c); err != nil {
					return err
				}
				if len(numbers) == 0 {
					a.say("You have no draft.")
					return nil
				}
				if len(numbers) > 1 {
					if err := a.confirm(fmt.Sprintf("Throw your %d drafts away? Type yes: ", len(numbers)), "yes"); err != nil {
						return err
					}
				}
			}
			var failed []error
			for _, n := range numbers {
				if err := c.Discard(ctx, n); err != nil {
					failed = append(failed, err)
					continue
				}
				a.say("Draft %d was thrown away.", n)
			}
			return errors.Join(failed...)
		}),
	}
	cmd.Flags().BoolVar(&mine, "mine", false, "all of your own that are not pushed")
	return cmd
}

// changeNumbers reads numbers of changes, and ranges of them.
func changeNumbers(words []string) ([]int64, error) {
	var out []int64
	for _, w := range words {
		first, last, isRange := strings.Cut(w, "-")
		from, err := changeNumber(first)
		to := from
		if err == nil && isRange {
			to, err = changeNumber(last)
		}
		if err != nil || to < from || to-from > 1000 {
			return nil, usage("%q is no number of a change, and no range such as 15-19", w)
		}
		for n := from; n <= to; n++ {
			out = append(out, n)
		}
	}
	return out, nil
}

// ownDrafts lists the drafts of who is signed in.
func (a *app) ownDrafts(ctx context.Context, c *client.Client) ([]int64, error) {
	me, err := c.WhoAmI(ctx)
	if err != nil {
		return nil, err
	}
	list, err := c.Changes(ctx, "")
	if err != nil {
		return nil, err
	}
	var out []int64
	for _, ch := range list.Items {
		if ch.Owner == me.Name && (ch.State == "draft" || ch.State == "checked") {
			out = append(out, ch.Number)
		}
	}
	return out, nil
}

// confirm asks before what cannot be undone: the answer must be the word.
func (a *app) confirm(question, word string) error {
	answer, err := a.ask(a.typed(), question)
	if err != nil {
		return err
	}
	if answer != word {
		return &codedError{ExitRefused, errors.New("nothing was done")}
	}
	return nil
}

// onChange is the shape of a command that acts on one change.
func (a *app) onChange(cmd *cobra.Command, do func(ctx context.Context, c *client.Client, number int64) error) *cobra.Command {
	cmd.Args, cmd.ValidArgsFunction = cobra.ExactArgs(1), a.completeChanges
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		n, err := changeNumber(args[0])
		if err != nil {
			return err
		}
		c, err := a.client()
		if err != nil {
			return err
		}
		return do(cmd.Context(), c, n)
	}
	return cmd
}

func changeNumber(s string) (int64, error) {
	n, err := strconv.ParseInt(s, 10, 64)
	if err != nil || n < 1 {
		return 0, usage("%q is not the number of a change; \"everypost changes\" lists them", s)
	}
	return n, nil
}

func (a *app) pushCommand() *cobra.Command {
	var accept []string
	var trial time.Duration
	var keep time.Duration
	var noWait, inWindow bool
	var at string
	cmd := &cobra.Command{
		Use: "push CHANGE", Short: "Push a checked change to its devices, on trial",
		Long: `Push a checked change. Every device checks it first; then each runs it on trial, and goes back by itself unless it is kept
in time. The command follows the push until the change is on trial, or undone (exit code 6).

A push can wait for a time (--at), or for the hours of changes (--in-window); where a rule of the house asks for a second
person, it waits for that too. It begins by itself, on what was checked: if the network has changed until then so that the
change comes to something else, it does not.`,
		Example: "  everypost change push 12 --trial 2m\n  everypost change push 12 --keep-after 10s\n  everypost change push 12 --accept management-path:th-sw-02\n  everypost change push 12 --at 02:30 --keep-after 5m",
	}
	a.onChange(cmd, func(ctx context.Context, c *client.Client, n int64) error {
		if trial < 10*time.Second || trial > time.Hour {
			return usage("--trial %s: a trial lasts from 10s to 1h", trial)
		}
		if keep < 0 || keep > 0 && keep < time.Second {
			return usage("--keep-after %s: give a second or more", keep)
		}
		in := v1.PushRequest{Accept: accept, TrialSeconds: int(trial / time.Second), KeepSeconds: int(keep / time.Second), InWindow: inWindow}
		if at != "" {
			t, err := parseWhen(at, time.Now())
			if err != nil {
				return err
			}
			in.At = &t
		}
		ch, err := c.Push(ctx, n, 0, in)
		if err != nil {
			return err
		}
		if noWait {
			return a.orPrint(c.Change(ctx, n))
		}
		if ch.State == "waiting" {
			a.say("Change %d waits for %s. Take it back with \"everypost change withdraw %d\".", n, waitsText(ch), n)
			return nil
		}
		ch, err = c.Follow(ctx, n, a.follower(), func(c v1.Change) bool { return atEnd(c) || keep == 0 && c.State == "on-trial" })
		if err != nil {
			return err
		}
		if ch.State == "on-trial" && ch.Deadline != nil {
			a.say("On trial until %s. Keep it with \"everypost change keep %d\", or undo it with \"everypost change undo %d\".",
				ch.Deadline.Local().Format("15:04:05"), n, n)
		}
		return a.ended(ch, "kept", "on-trial")
	})
	f := cmd.Flags()
	f.StringSliceVar(&accept, "accept", nil, "accept the finding of this id (may be given again)")
	f.DurationVar(&trial, "trial", 2*time.Minute, "how long the devices wait to be told to keep it")
	f.DurationVar(&keep, "keep-after", 0, "have it kept by itself once all has been well for so long (else on your word)")
	f.BoolVar(&noWait, "no-wait", false, "return at once")
	f.StringVar(&at, "at", "", "have it wait until then: 02:30, or \"2026-11-28 02:30\", by this machine's clock")
	f.BoolVar(&inWindow, "in-window", false, "have it wait for the hours that the rules of the house say")
	return cmd
}

func (a *app) orPrint(ch v1.Change, err error) error {
	if err != nil {
		return err
	}
	return a.printChange(ch)
}

func atEnd(c v1.Change) bool { return c.State == "kept" || c.State == "undone" || c.State == "failed" }

// ended reports a change that came to rest, as an error unless it is in one of the good states.
func (a *app) ended(ch v1.Change, good ...string) error {
	if a.isData() {
		if err := a.data(ch); err != nil {
			return err
		}
	}
	if slices.Contains(good, ch.State) {
		if ch.Outcome != "" {
			a.say("Change %d is %s. %s", ch.Number, ch.State, ch.Outcome)
		}
		return nil
	}
	return &codedError{ExitUndone, fmt.Errorf("change %d is %s. %s", ch.Number, ch.State, ch.Outcome)}
}

// follower prints the steps of a change as they come.
func (a *app) follower() func(v1.Change) {
	seen := -1
	return func(c v1.Change) {
		if seen < 0 { // what happened before we came is told by "change show"
			seen = 0
			for i, l := range c.Log {
				if strings.HasPrefix(l.Text, "push started") {
					seen = i
				}
			}
		}
		for _, l := range c.Log[min(seen, len(c.Log)):] {
			a.say("%s  %s", l.At.Local().Format("15:04:05"), l.Text)
		}
		seen = len(c.Log)
	}
}

// toItsEnd says a word about a change and follows it to its end.
func (a *app) toItsEnd(ctx context.Context, c *client.Client, n int64, say func(context.Context, int64) (v1.Change, error), good string) error {
	if _, err := say(ctx, n); err != nil {
		return err
	}
	ch, err := c.Follow(ctx, n, func(v1.Change) {}, atEnd)
	if err != nil {
		return err
	}
	return a.ended(ch, good)
}

func (a *app) completeChanges(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	c, err := a.client()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	list, err := c.Changes(cmd.Context(), "")
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	out := make([]string, len(list.Items))
	for i, ch := range list.Items {
		out[i] = fmt.Sprintf("%d\t%s, %s", ch.Number, ch.State, ch.Why)
	}
	return out, cobra.ShellCompDirectiveNoFileComp
}

func (a *app) state(s string) string {
	if a.format == "csv" {
		return s
	}
	switch s {
	case "on-trial", "pushing", "keeping", "undoing", "waiting":
		return a.paint(text.FgMagenta, "⧗ "+s)
	case "kept":
		return a.paint(text.FgGreen, "● "+s)
	case "failed":
		return a.paint(text.FgRed, "▼ "+s)
	}
	return "○ " + s
}

func (a *app) printChange(ch v1.Change) error {
	switch a.format {
	case "json", "yaml":
		return a.data(ch)
	case "csv":
		return a.list(ch, []string{"port", "field", "before", "after"}, differenceRows(ch), "")
	}
	p := func(format string, args ...any) { _, _ = fmt.Fprintf(a.out, format+"\n", args...) }
	p("Change %d   %s   by %s, %s", ch.Number, a.state(ch.State), ch.Owner, ch.CreatedAt.Local().Format("2006-01-02 15:04"))
	if ch.Why != "" {
		p("%s", ch.Why)
	}
	if ch.Outcome != "" {
		p("%s", ch.Outcome)
	}
	if ch.Waits != nil {
		p("Waits for %s; %s has it pushed.", waitsText(ch), ch.Waits.By)
	} else if len(ch.NeedsApproval) > 0 && len(ch.Approvals) == 0 && ch.State == "checked" {
		p("A second person has to approve it (%s).", strings.Join(ch.NeedsApproval, ", "))
	}
	p("")
	a.printDifferences(ch)
	if len(ch.Devices) > 0 {
		p("\nDevices, in the order in which they run it")
		for _, d := range ch.Devices {
			p("  %-12s %-10s %s", d.Device, d.Step, d.Said)
		}
	}
	a.printOverlaps(ch)
	a.printFindings(ch)
	p("\nRecord")
	for _, l := range ch.Log {
		p("  %s  %s", l.At.Local().Format("15:04:05"), l.Text)
	}
	return nil
}

// printOverlaps says what other open changes set on the same things.
func (a *app) printOverlaps(ch v1.Change) {
	if len(ch.Overlaps) == 0 {
		return
	}
	_, _ = fmt.Fprintln(a.out, "\nAlso set by others")
	by := map[int64][]v1.Overlap{}
	for _, o := range ch.Overlaps {
		by[o.Change] = append(by[o.Change], o)
	}
	for _, number := range slices.Sorted(maps.Keys(by)) {
		of := by[number]
		more := ""
		if n := len(of) - 1; n > 0 {
			more = fmt.Sprintf(" and %d more", n)
		}
		_, _ = fmt.Fprintf(a.out, "  change %d of %s, %s: %s %s=%s%s\n", number, of[0].Owner, of[0].State, of[0].Port, of[0].Field, safe.Line(of[0].Value), more)
	}
}

func (a *app) printFindings(ch v1.Change) {
	if ch.State == "draft" {
		a.say("\nNot checked yet: \"everypost change check %d\".", ch.Number)
		return
	}
	p := func(format string, args ...any) { _, _ = fmt.Fprintf(a.out, format+"\n", args...) }
	if len(ch.Findings) == 0 {
		p("\nThe guards found nothing.")
		return
	}
	p("\nFindings")
	for _, f := range ch.Findings {
		c := map[string]text.Color{"stop": text.FgRed, "warn": text.FgYellow}[f.Level]
		p("  %s  %s", a.paint(c, strings.ToUpper(f.Level)), f.What)
		p("        %s", f.Why)
		p("        %s", f.Remedy)
		if len(f.Fix) > 0 {
			p("        mend with everypost %s --change %d %s", setCommandFor(f.Fix[0].Port), ch.Number, fixText(f.Fix))
		}
		if f.Level == "warn" {
			p("        accept with --accept %s", f.ID)
		}
	}
}

// fixText writes a fix as arguments of port set, where one command can say it.
func fixText(fix []v1.Edit) string {
	var parts []string
	for i, e := range fix {
		if i > 0 && e.Port != fix[0].Port {
			return strings.Join(parts, " ") + " (and the same for " + e.Port + ")"
		}
		if i == 0 {
			parts = append(parts, e.Port)
		}
		parts = append(parts, e.Field+"="+shellWord(e.Value))
	}
	return strings.Join(parts, " ")
}

// shellWord is a text as one argument of a command.
func shellWord(s string) string {
	if strings.ContainsAny(s, " \t\n\"'$&|;<>()*?#\\") {
		return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'"
	}
	return s
}

func differenceRows(ch v1.Change) [][]string {
	rows := make([][]string, len(ch.Differences))
	for i, d := range ch.Differences {
		rows[i] = []string{d.Port, d.Field, d.Before, d.After}
	}
	return rows
}

func (a *app) printDifferences(ch v1.Change) {
	said := a.printSayings(ch)
	switch {
	case len(ch.Differences) == 0 && said:
		a.say("\nNo device is changed by it.")
		return
	case len(ch.Differences) == 0:
		a.say("It makes no difference: everything is already as it says.")
		return
	case said:
		a.say("\nWhat that makes different on devices")
	}
	head := []string{"port", "field", "before", "after"}
	layered := slices.ContainsFunc(ch.Differences, func(d v1.Difference) bool { return d.Layer != "" })
	if layered {
		head = append(head, "by")
	}
	rows := differenceRows(ch)
	for i, r := range rows {
		r[2], r[3] = a.paint(text.FgRed, orNothing(r[2])), a.paint(text.FgGreen, orNothing(r[3]))
		if layered {
			rows[i] = append(r, layerText(cmp.Or(ch.Differences[i].Layer, "device")))
		}
	}
	a.table(a.out, head, rows)
}

// printSayings says what a change has layers say, and things say no more. It tells whether there is any of that.
func (a *app) printSayings(ch v1.Change) bool {
	var rows [][]string
	for _, e := range ch.Edits {
		value := orNothing(e.Value)
		switch {
		case e.Act == "inherit":
			value = "says nothing"
		case e.Act == "restore":
			value = "as intended"
		case !strings.Contains(strings.SplitN(e.Port, ":", 2)[0], "/"):
			continue
		}
		rows = append(rows, []string{e.Port, e.Field, value})
	}
	if len(rows) > 0 {
		a.table(a.out, []string{"layer", "setting", "will be"}, rows)
	}
	return len(rows) > 0
}

// showDraft shows what a draft makes different, and what to do with it.
func (a *app) showDraft(ch v1.Change) error {
	if a.isData() {
		return a.data(ch)
	}
	a.printDifferences(ch)
	a.say("\nIn draft %d. Check it with \"everypost change check %d\", throw it away with \"everypost change discard %d\".", ch.Number, ch.Number, ch.Number)
	return nil
}

func orNothing(s string) string {
	if s == "" {
		return "-"
	}
	return s
}
