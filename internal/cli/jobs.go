package cli

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// lookAtRun is between looks how far a run is.
const lookAtRun = 400 * time.Millisecond

func (a *app) jobsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "jobs", Short: "List work on many devices: what is still to be done first", Args: cobra.NoArgs,
		Example: "  everypost jobs\n  everypost jobs -o csv",
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Jobs(ctx)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, j := range list.Items {
				rows[i] = []string{strconv.FormatInt(j.Number, 10), j.Title, j.State, j.Text, nextText(j), lastText(j.Last), jobOn(j), j.Owner}
			}
			return a.list(list, []string{"job", "title", "state", "when", "next", "last", "devices", "owner"}, rows, "There are no jobs yet: \"everypost backup\" makes one with --every.")
		}),
	}
}

// jobOn says what a job is about.
func jobOn(j v1.Job) string {
	if targets := j.Args["targets"]; targets != "" {
		return targets
	}
	return orAll(j.Where)
}

func nextText(j v1.Job) string {
	if j.NextAt == nil {
		return ""
	}
	return j.NextAt.Local().Format("2 Jan 15:04")
}

// lastText says how a run stands or ended.
func lastText(r *v1.JobRun) string {
	if r == nil {
		return ""
	}
	all, through := 0, 0
	for state, n := range r.Counts {
		all += n
		if state != "waiting" && state != "running" {
			through += n
		}
	}
	switch {
	case r.EndedAt == nil:
		return fmt.Sprintf("%s, %d of %d", r.State, through, all)
	case r.Counts["failed"] > 0:
		return fmt.Sprintf("%s %s, %d of %d failed", r.State, agoWords(*r.EndedAt), r.Counts["failed"], all)
	}
	return r.State + " " + agoWords(*r.EndedAt)
}

// jobWhen are the flags that say when a job is done.
type jobWhen struct {
	at, every, zone, hours, title string
	catchUp                       bool
}

func (w *jobWhen) flags(f *pflag.FlagSet) {
	f.StringVar(&w.at, "at", "", "not now but then: 2026-12-01T02:00, or 02:00 for the next time it is so late")
	f.StringVar(&w.every, "every", "", "again and again: hour, day, week, or a rule of RFC 5545 such as FREQ=DAILY;BYHOUR=2")
	f.StringVar(&w.zone, "zone", "", "time zone of --at, --every and --hours: Europe/London (else this machine's)")
	f.StringVar(&w.hours, "hours", "", "work is begun only then: \"mon-fri 22:00-24:00\"")
	f.StringVar(&w.title, "title", "", "what it is called")
	f.BoolVar(&w.catchUp, "catch-up", false, "do it later where the service does not run when it is due")
}

// said tells whether it is to be done otherwise than now and once.
func (w *jobWhen) said() bool { return w.at != "" || w.every != "" || w.hours != "" }

func (w *jobWhen) when(now time.Time) (v1.JobWhen, error) {
	out := v1.JobWhen{Zone: w.zone, Hours: w.hours, CatchUp: w.catchUp}
	place := time.Local
	if out.Zone == "" {
		if out.Zone = place.String(); out.Zone == "Local" {
			out.Zone = "UTC"
		}
	}
	if l, err := time.LoadLocation(out.Zone); err == nil {
		place = l
	} else {
		return out, usage("--zone %s is no time zone: write one such as Europe/London", w.zone)
	}
	if w.at != "" {
		at, err := momentOf(w.at, now.In(place))
		if err != nil {
			return out, err
		}
		out.At = &at
	}
	switch rule := strings.ToLower(w.every); rule {
	case "":
	case "hour":
		out.Rule = "FREQ=HOURLY"
	case "day":
		out.Rule = "FREQ=DAILY"
	case "week":
		out.Rule = "FREQ=WEEKLY"
	default:
		if !strings.Contains(rule, "freq=") {
			return out, usage("--every %s: write hour, day, week, or a rule such as FREQ=DAILY;BYHOUR=2", w.every)
		}
		out.Rule = w.every
	}
	return out, nil
}

// momentOf reads a moment, or a time of day: then it is the next time that it is so late.
func momentOf(s string, now time.Time) (time.Time, error) {
	if t, err := time.ParseInLocation("15:04", s, now.Location()); err == nil {
		at := time.Date(now.Year(), now.Month(), now.Day(), t.Hour(), t.Minute(), 0, 0, now.Location())
		if !at.After(now) {
			at = at.AddDate(0, 0, 1)
		}
		return at, nil
	}
	for _, form := range []string{"2006-01-02T15:04", "2006-01-02 15:04", time.RFC3339} {
		if t, err := time.ParseInLocation(form, s, now.Location()); err == nil {
			return t, nil
		}
	}
	return time.Time{}, usage("--at %q is no moment: write 2026-12-01T02:00, or 02:00", s)
}

// makeJob makes a job and, where it is done now, follows it to its end.
func (a *app) makeJob(ctx context.Context, c *client.Client, kind, where string, args map[string]string, w *jobWhen) error {
	when, err := w.when(time.Now())
	if err != nil {
		return err
	}
	j, err := c.MakeJob(ctx, v1.JobRequest{Kind: kind, Title: w.title, Where: where, Args: args, When: when})
	if err != nil {
		return err
	}
	if j.Last == nil {
		if a.isData() {
			return a.data(j)
		}
		a.say("Job %d is made. It is done %s, next %s.", j.Number, j.Text, nextText(j))
		return nil
	}
	return a.followRun(ctx, c, j.Last.Number)
}

// followRun shows how a run goes on until it is over. Who breaks it off leaves it going on.
func (a *app) followRun(ctx context.Context, c *client.Client, number int64) error {
	shown := map[string]string{}
	for {
		r, err := c.JobRun(ctx, number)
		if err != nil {
			if ctx.Err() != nil {
				return fmt.Errorf("it goes on: \"everypost job run %d\" shows how far it is, \"everypost job cancel %d\" ends it", number, number)
			}
			return err
		}
		if !a.isData() {
			for _, step := range r.Steps {
				line := stepText(step)
				if shown[step.Device] != line && step.State != "waiting" {
					_, _ = fmt.Fprintf(a.out, "%-16s %s\n", step.Device, line)
				}
				shown[step.Device] = line
			}
		}
		switch {
		case r.EndedAt != nil:
			return a.runEnd(r)
		case r.State == "waiting" && a.isData():
			return a.data(r)
		case r.State == "waiting":
			a.say("Run %d waits for its hours. \"everypost job run %d\" shows how far it is, \"everypost job cancel %d\" ends it.", number, number, number)
			return nil
		}
		select {
		case <-time.After(lookAtRun):
		case <-ctx.Done():
		}
	}
}

func stepText(step v1.JobStep) string {
	switch {
	case step.State == "running" && step.Percent > 0:
		return fmt.Sprintf("%s, %d %%", step.Doing, step.Percent/25*25) // four lines of it are enough
	case step.State == "running" && step.Doing != "":
		return step.Doing
	case step.State == "failed" && step.Doing != "":
		return "failed, " + step.Doing + ": " + step.Note
	case step.Note != "":
		return step.State + ": " + step.Note
	}
	return step.State
}

func (a *app) runEnd(r v1.JobRunDetail) error {
	if a.isData() {
		if err := a.data(r); err != nil {
			return err
		}
	} else {
		a.say("\nRun %d is %s: %s.", r.Number, r.State, countsText(r.Counts))
	}
	if r.State == "done" {
		return nil
	}
	why := r.Why
	if why == "" {
		why = fmt.Sprintf("%d of %d devices failed: \"everypost job retry %d\" does them again", r.Counts["failed"], len(r.Steps), r.Number)
	}
	return errors.New(why)
}

func countsText(counts map[string]int) string {
	var parts []string
	for _, state := range []string{"done", "unchanged", "running", "waiting", "failed", "skipped"} {
		if n := counts[state]; n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", n, state))
		}
	}
	if len(parts) == 0 {
		return "nothing was done"
	}
	return strings.Join(parts, ", ")
}

func (a *app) jobCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "job NUMBER", Short: "Show a job and its runs", Args: cobra.ExactArgs(1),
		Example: "  everypost job 3\n  everypost job run 12\n  everypost job hold 3",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			n, err := numberOf(args[0], "job", "jobs")
			if err != nil {
				return err
			}
			j, err := c.Job(ctx, n)
			if err != nil {
				return err
			}
			runs, err := c.JobRuns(ctx, n, 50)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(map[string]any{"job": j, "runs": runs.Items})
			}
			a.say("Job %d   %s   %s, of %s", j.Number, j.Title, j.State, j.Owner)
			a.say("It is done %s, on %s.%s\n", j.Text, jobOn(j), map[bool]string{true: " Next " + nextText(j) + "."}[j.NextAt != nil])
			rows := make([][]string, len(runs.Items))
			for i, r := range runs.Items {
				ended := ""
				if r.EndedAt != nil {
					ended = r.EndedAt.Sub(r.BegunAt).Round(time.Second).String()
				}
				rows[i] = []string{strconv.FormatInt(r.Number, 10), a.runState(r.State), r.BegunAt.Local().Format("2 Jan 15:04:05"), ended, countsText(r.Counts), r.Why}
			}
			return a.list(runs, []string{"run", "state", "begun", "took", "devices", "why"}, rows, "It was not done yet.")
		}),
	}
	run := &cobra.Command{
		Use: "run NUMBER", Short: "Show a run of a job: what came of it on each device", Args: cobra.ExactArgs(1), Example: "  everypost job run 12",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			n, err := numberOf(args[0], "run", "job NUMBER")
			if err != nil {
				return err
			}
			r, err := c.JobRun(ctx, n)
			if err != nil {
				return err
			}
			rows := make([][]string, len(r.Steps))
			for i, step := range r.Steps {
				what := step.Note
				if step.State == "running" || step.State == "failed" {
					what = strings.TrimSuffix(strings.TrimPrefix(step.Doing+": "+step.Note, ": "), ": ")
				}
				rows[i] = []string{step.Device, strconv.Itoa(step.Wave), a.runState(step.State), what}
			}
			if !a.isData() {
				a.say("Run %d of job %d   %s   begun %s%s", r.Number, r.Job, r.State, r.BegunAt.Local().Format("2006-01-02 15:04:05"), map[bool]string{true: "\n" + r.Why}[r.Why != ""])
			}
			return a.list(r, []string{"device", "wave", "state", "what"}, rows, "It had nothing to do.")
		}),
	}
	cmd.AddCommand(run)
	for _, one := range [][2]string{{"begin", "Do a job now"}, {"hold", "Have a job not be done when it is due"}, {"release", "Have a job be done again when it is due"}} {
		act, short := one[0], one[1]
		cmd.AddCommand(&cobra.Command{Use: act + " NUMBER", Short: short, Args: cobra.ExactArgs(1), Example: "  everypost job " + act + " 3",
			RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
				n, err := numberOf(args[0], "job", "jobs")
				if err != nil {
					return err
				}
				j, err := c.ActOnJob(ctx, n, act)
				if err != nil {
					return err
				}
				if act == "begin" {
					return a.followRun(ctx, c, j.Last.Number)
				}
				a.say("Job %d is %s.", j.Number, j.State)
				return nil
			})})
	}
	for _, one := range [][2]string{{"pause", "Have a run begin nothing more for now"}, {"resume", "Have a run go on"}, {"cancel", "End a run: what is under way ends where it can"},
		{"retry", "Do again what failed in a run, or was not begun there"}} {
		act, short := one[0], one[1]
		cmd.AddCommand(&cobra.Command{Use: act + " RUN", Short: short, Args: cobra.ExactArgs(1), Example: "  everypost job " + act + " 12",
			RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
				n, err := numberOf(args[0], "run", "job NUMBER")
				if err != nil {
					return err
				}
				r, err := c.ActOnJobRun(ctx, n, act)
				if err != nil {
					return err
				}
				if act == "retry" || act == "resume" {
					return a.followRun(ctx, c, r.Number)
				}
				a.say("Run %d: %s was asked for; it is %s.", r.Number, act, r.State)
				return nil
			})})
	}
	cmd.AddCommand(&cobra.Command{Use: "remove NUMBER", Short: "Forget a job and its runs", Args: cobra.ExactArgs(1), Example: "  everypost job remove 3",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			n, err := numberOf(args[0], "job", "jobs")
			if err != nil {
				return err
			}
			if err := c.RemoveJob(ctx, n); err != nil {
				return err
			}
			a.say("Job %d is removed.", n)
			return nil
		})})
	return cmd
}

func (a *app) runState(s string) string {
	return a.paint(map[string]text.Color{"done": text.FgGreen, "failed": text.FgRed, "missed": text.FgRed, "running": text.FgMagenta, "skipped": text.FgYellow, "paused": text.FgYellow, "cancelled": text.FgYellow}[s], s)
}

func numberOf(s, of, listed string) (int64, error) {
	n, err := strconv.ParseInt(s, 10, 64)
	if err != nil || n < 1 {
		return 0, usage("%q is not the number of a %s: \"everypost %s\" lists them", s, of, listed)
	}
	return n, nil
}
