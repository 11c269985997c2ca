package cli

import (
	"context"
	"fmt"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/cli/safe"
)

func (a *app) backupsCommand() *cobra.Command {
	var q client.BackupQuery
	var find string
	all := false
	cmd := &cobra.Command{
		Use: "backups [selector...]", Short: "List the configurations of devices that are kept, the newest first",
		Long: `List the configurations of devices that are kept, the newest first. One is kept whenever a device is seen to have changed; a backup by hand or by
a job reads the device anew, and tells that it is still so. --find looks for a text in them: in the last of each device, or with --all in all.`,
		Example:           "  everypost backups --last\n  everypost backups name = th-sw-02\n  everypost backups --find ntp-server --all",
		ValidArgsFunction: a.completeSelector,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			q.Where = strings.Join(args, " ")
			if find != "" {
				return a.findInBackups(ctx, c, find, q.Where, all)
			}
			list, err := c.Backups(ctx, q)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, b := range list.Items {
				rows[i] = []string{strconv.FormatInt(b.Number, 10), b.Device, a.when(b.TakenAt), confirmedText(a, b), whyText(b), strings.TrimSpace(b.Model + " " + b.Firmware), pinText(b)}
			}
			return a.list(list, []string{"backup", "device", "taken", "still so", "why", "device was", "note"}, rows, "Nothing is kept yet.")
		}),
	}
	f := cmd.Flags()
	f.BoolVar(&q.Last, "last", false, "only the last of each device")
	countVar(f, &q.Limit, "limit", 200, 1, "list so many")
	f.StringVar(&find, "find", "", "the lines that hold this text")
	f.BoolVar(&all, "all", false, "with --find: in all that are kept, not only the last of each device")
	return cmd
}

func confirmedText(a *app, b v1.Backup) string {
	if b.ConfirmedAt == nil {
		return ""
	}
	return a.when(*b.ConfirmedAt)
}

func whyText(b v1.Backup) string {
	switch b.Why {
	case "hand":
		return "by " + b.By
	case "job":
		return "job of " + b.By
	case "upgrade":
		return "before an upgrade"
	case "import":
		if b.ChangedBy != "" {
			return "changed by " + b.ChangedBy + ", taken over by " + b.By
		}
		return "taken over by " + b.By
	}
	if b.ChangedBy != "" {
		return "changed by " + b.ChangedBy
	}
	return "as it was seen"
}

func pinText(b v1.Backup) string {
	if b.Pinned {
		return strings.TrimSuffix("pinned: "+b.Note, ": ")
	}
	return b.Note
}

func (a *app) findInBackups(ctx context.Context, c *client.Client, text, where string, all bool) error {
	hits, err := c.SearchBackups(ctx, text, where, all)
	if err != nil {
		return err
	}
	rows := make([][]string, len(hits.Items))
	for i, h := range hits.Items {
		rows[i] = []string{strconv.FormatInt(h.Backup, 10), h.Device, strconv.Itoa(h.Line), h.Text}
	}
	if err := a.list(hits, []string{"backup", "device", "line", "text"}, rows, fmt.Sprintf("None of %d backups holds %q.", hits.Searched, text)); err != nil {
		return err
	}
	if hits.More && !a.isData() {
		a.say("There are further lines: ask for fewer devices, or for a longer text.")
	}
	return nil
}

// importBackupCommand takes over what was kept elsewhere.
func (a *app) importBackupCommand() *cobra.Command {
	var in v1.BackupImport
	taken := ""
	cmd := &cobra.Command{
		Use: "import DEVICE FILE", Short: "Take over a configuration that was kept elsewhere, from before the device was enrolled", Args: cobra.ExactArgs(2), ValidArgsFunction: a.completeDevices,
		Long: `Take over a configuration that was kept elsewhere, from before the device was enrolled. The file is in the device's own form, as "everypost backup show" prints it; "-" is
standard input. Its secrets are sealed. It is listed, searched, compared and restored as all others.`,
		Example: "  everypost backup import th-sw-02 th-sw-02-october.xml --taken 2026-10-12T08:00\n  everypost backup import th-sw-02 - --taken 2026-10-12T08:00 --changed-by bram < old.xml",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) (err error) {
			if in.TakenAt, err = moment("--taken", taken); err != nil {
				return err
			}
			if in.Document, err = a.smallFile(args[1], 4_000_000); err != nil {
				return err
			}
			b, err := c.ImportBackup(ctx, args[0], in)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(b)
			}
			a.say("It is backup %d of %s, of %s.", b.Number, b.Device, b.TakenAt.Local().Format("2 Jan 2006 15:04"))
			return nil
		}),
	}
	f := cmd.Flags()
	f.StringVar(&taken, "taken", "", "when the device had it, in the zone of this machine: 2026-10-12T08:00 or 2026-10-12")
	f.StringVar(&in.ChangedBy, "changed-by", "", "who changed the device to it")
	f.StringVar(&in.Model, "model", "", "of the device then")
	f.StringVar(&in.Firmware, "firmware", "", "of the device then")
	_ = cmd.MarkFlagRequired("taken")
	return cmd
}

func (a *app) backupCommand() *cobra.Command {
	var w jobWhen
	cmd := &cobra.Command{
		Use: "backup [selector...]", Short: "Read what devices run and keep it, now or again and again",
		Example: "  everypost backup name = th-sw-02\n  everypost backup --every 'FREQ=DAILY;BYHOUR=2' --zone Europe/London --title 'Nightly backup'\n" +
			"  everypost backup show 41\n  everypost backup restore 41",
		ValidArgsFunction: a.completeSelector,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			return a.makeJob(ctx, c, "backup", strings.Join(args, " "), nil, &w)
		}),
	}
	w.flags(cmd.Flags())
	onBackup := func(use, short, example string, do func(ctx context.Context, c *client.Client, number int64) error) *cobra.Command {
		return &cobra.Command{Use: use + " NUMBER", Short: short, Args: cobra.ExactArgs(1), Example: "  everypost backup " + example,
			RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
				n, err := numberOf(args[0], "backup", "backups")
				if err != nil {
					return err
				}
				return do(ctx, c, n)
			})}
	}
	file := ""
	show := onBackup("show", "Print what a backup holds, in the device's own form", "show 41 --file th-sw-02.xml", func(ctx context.Context, c *client.Client, n int64) error {
		content, err := c.BackupContent(ctx, n)
		if err != nil {
			return err
		}
		if file != "" {
			if err := os.WriteFile(file, content, 0o600); err != nil {
				return err
			}
			a.say("Backup %d is in %s.", n, file)
			return nil
		}
		if isTerminal(a.out) {
			content = []byte(safe.Lines(string(content)))
		}
		_, err = a.out.Write(content)
		return err
	})
	show.Flags().StringVar(&file, "file", "", "write it there")
	var with int64
	compare := onBackup("compare", "List what differs between a backup and another, or what its device runs now", "compare 41 --with 38", func(ctx context.Context, c *client.Client, n int64) error {
		list, err := c.CompareBackup(ctx, n, with)
		if err != nil {
			return err
		}
		rows := make([][]string, len(list.Items))
		for i, d := range list.Items {
			rows[i] = []string{d.Port, d.Field, d.Before, d.After}
		}
		return a.list(list, []string{"on", "setting", "in the backup", map[bool]string{true: "now", false: "in the other"}[with == 0]}, rows, "No setting differs.")
	})
	compare.Flags().Int64Var(&with, "with", 0, "another backup (else what the device runs now)")
	var in v1.BackupRestore
	policies := false
	restore := onBackup("restore", "Make a draft that brings a device to what a backup holds; check and push it as any other", "restore 41 --onto th-sw-09", func(ctx context.Context, c *client.Client, n int64) error {
		if policies {
			in.Part = "policies"
		}
		ch, err := c.RestoreBackup(ctx, n, in)
		if err != nil {
			return err
		}
		if err := a.printChange(ch); err != nil || a.isData() {
			return err
		}
		a.say("\nCheck it with \"everypost change check %d\", and push it with \"everypost change push %d\". What is not among the settings stays as it is.", ch.Number, ch.Number)
		return nil
	})
	restore.Flags().StringVar(&in.Onto, "onto", "", "another device of the same model")
	restore.Flags().BoolVar(&policies, "policies", false, "only access lists, and where they are in force")
	var pin v1.BackupPin
	off := false
	pinned := onBackup("pin", "Have a backup never be dropped, and say something of it", "pin 41 --note 'as it was accepted'", func(ctx context.Context, c *client.Client, n int64) error {
		pin.Pinned = !off
		b, err := c.PinBackup(ctx, n, pin)
		if err != nil {
			return err
		}
		a.say("Backup %d of %s is %s.", b.Number, b.Device, map[bool]string{true: "pinned", false: "as others"}[b.Pinned])
		return nil
	})
	pinned.Flags().StringVar(&pin.Note, "note", "", "what is said of it")
	pinned.Flags().BoolVar(&off, "off", false, "have it be as others")
	rule := v1.BackupRule{}
	retention := &cobra.Command{Use: "rule", Short: "Show or say how long backups are kept", Args: cobra.NoArgs, Example: "  everypost backup rule --days 365 --least 10",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			now, err := c.BackupRule(cmd.Context())
			if err != nil {
				return err
			}
			if cmd.Flags().Changed("days") || cmd.Flags().Changed("least") {
				if cmd.Flags().Changed("days") {
					now.Days = rule.Days
				}
				if cmd.Flags().Changed("least") {
					now.Least = rule.Least
				}
				if now, err = c.PutBackupRule(cmd.Context(), now); err != nil {
					return err
				}
			}
			if a.isData() {
				return a.data(now)
			}
			_, err = fmt.Fprintf(a.out, "A backup is kept for %d days after another replaced it, and the last %d of each device however old; those that are pinned always.\n", now.Days, now.Least)
			return err
		}}
	countVar(retention.Flags(), &rule.Days, "days", 365, 1, "days, after another replaced it")
	countVar(retention.Flags(), &rule.Least, "least", 10, 1, "of each device, however old")
	cmd.AddCommand(show, compare, restore, pinned, retention, a.importBackupCommand())
	return cmd
}
