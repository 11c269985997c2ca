package cli

import (
	"context"
	"fmt"
	"os"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) firmwareCommand() *cobra.Command {
	miss := false
	cmd := &cobra.Command{
		Use: "firmware [selector...]", Short: "List what firmware devices run, and whether it is what they are to run",
		Long: `List what firmware devices run, and whether it is what they are to run: the baseline says so for each model. Images come into the library with
"firmware add", are approved, and then made the baseline; "firmware upgrade" has devices run it.`,
		Example:           "  everypost firmware --miss\n  everypost firmware site = tern-haven\n  everypost firmware add h-4.2.0.image\n  everypost firmware upgrade kind = switch --plan",
		ValidArgsFunction: a.completeSelector,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.DeviceFirmware(ctx, strings.Join(args, " "), miss)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, d := range list.Items {
				rows[i] = []string{d.Device, d.Maker + " " + d.Model, d.Runs, a.standing(d.Standing), d.Baseline, otherSlot(d)}
			}
			return a.list(list, []string{"device", "model", "runs", "standing", "baseline", "other slot"}, rows, "Every device runs what it is to run.")
		}),
	}
	cmd.Flags().BoolVar(&miss, "miss", false, "only those that do not run what they are to run")
	cmd.AddCommand(a.imagesCommand(), a.addImageCommand())
	trust := false
	onImage := func(act, short string, do func(ctx context.Context, c *client.Client, n int64) error) *cobra.Command {
		return &cobra.Command{Use: act + " NUMBER", Short: short, Args: cobra.ExactArgs(1), Example: "  everypost firmware " + act + " 3",
			RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
				n, err := numberOf(args[0], "image", "firmware images")
				if err != nil {
					return err
				}
				return do(ctx, c, n)
			})}
	}
	approve := onImage("approve", "Have devices be given an image", func(ctx context.Context, c *client.Client, n int64) error {
		i, err := c.ActOnImage(ctx, n, v1.ImageAct{Act: "approve", Trust: trust})
		if err != nil {
			return err
		}
		a.say("Image %d, %s %s, is approved. \"everypost firmware baseline set MODEL %d\" has a model run it.", i.Number, i.Maker, i.Version, i.Number)
		return nil
	})
	approve.Flags().BoolVar(&trust, "trust", false, "trust its signature from now on, although others of the maker bear another one")
	withdraw := onImage("withdraw", "Have devices be given an image no more", func(ctx context.Context, c *client.Client, n int64) error {
		if _, err := c.ActOnImage(ctx, n, v1.ImageAct{Act: "withdraw"}); err != nil {
			return err
		}
		a.say("Image %d is approved no more.", n)
		return nil
	})
	remove := onImage("remove", "Forget an image", func(ctx context.Context, c *client.Client, n int64) error {
		if err := c.RemoveImage(ctx, n); err != nil {
			return err
		}
		a.say("Image %d is removed.", n)
		return nil
	})
	cmd.AddCommand(approve, withdraw, remove, a.baselineCommand(),
		a.rolloutCommand("upgrade", "upgrade", "Have devices run their baseline: wave by wave, with a backup before and a look at their health after"),
		a.rolloutCommand("go-back", "go-back", "Have devices run the firmware of their other slot again"))
	return cmd
}

func (a *app) standing(s string) string {
	return a.paint(map[string]text.Color{"current": text.FgGreen, "behind": text.FgYellow, "ahead": text.FgYellow}[s], s)
}

func otherSlot(d v1.DeviceFirmware) string {
	if !d.Able {
		return "not from here"
	}
	for _, s := range d.Slots {
		if s.State != "running" {
			return strings.TrimSpace(s.Version + " " + map[string]string{"failed": "does not come up", "empty": "empty"}[string(s.State)])
		}
	}
	return ""
}

func (a *app) imagesCommand() *cobra.Command {
	return &cobra.Command{Use: "images", Short: "List the images in the library", Args: cobra.NoArgs, Example: "  everypost firmware images",
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Images(ctx)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, m := range list.Items {
				rows[i] = []string{strconv.FormatInt(m.Number, 10), m.Maker, strings.Join(m.Models, ", "), m.Version, sizeText(m.SizeOctets), approvedText(m), m.AddedBy, m.Notes}
			}
			return a.list(list, []string{"image", "maker", "models", "version", "size", "approved", "added by", "notes"}, rows, "The library is empty: \"everypost firmware add FILE\" adds an image.")
		})}
}

func approvedText(i v1.Image) string {
	switch {
	case i.ApprovedAt != nil:
		return "by " + i.ApprovedBy
	case i.Trusted:
		return "no"
	}
	return "no, and its signature is new"
}

func sizeText(octets int64) string {
	if octets < 1_000_000 {
		return fmt.Sprintf("%.0f kB", float64(octets)/1000)
	}
	return fmt.Sprintf("%.1f MB", float64(octets)/1e6)
}

func (a *app) addImageCommand() *cobra.Command {
	return &cobra.Command{Use: "add FILE", Short: "Add an image to the library", Args: cobra.ExactArgs(1), Example: "  everypost firmware add h-4.2.0.image",
		Long: "Add an image to the library. Its checksum and signature are checked; devices are given it only after it is approved.",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			f, err := os.Open(args[0])
			if err != nil {
				return usage("%v", err)
			}
			defer func() { _ = f.Close() }()
			i, err := c.AddImage(ctx, f)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(i)
			}
			known := "its signature is one that is trusted"
			if !i.Trusted {
				known = "its signature is new: compare it with what " + i.Maker + " tells before you approve it"
			}
			a.say("Image %d is %s %s for %s.\nIt is signed by %s: %s.", i.Number, i.Maker, i.Version, strings.Join(i.Models, ", "), i.Signer, known)
			return nil
		})}
}

func (a *app) baselineCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "baseline", Short: "List which firmware each model is to run", Args: cobra.NoArgs,
		Example: "  everypost firmware baseline\n  everypost firmware baseline set H24P 3\n  everypost firmware baseline drop Halyard H24P",
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Baseline(ctx)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, e := range list.Items {
				rows[i] = []string{e.Maker, e.Model, e.Version, strconv.FormatInt(e.Image, 10), a.when(e.SetAt), e.SetBy}
			}
			return a.list(list, []string{"maker", "model", "version", "image", "since", "by"}, rows, "No model has a baseline: \"everypost firmware baseline set MODEL IMAGE\" gives it one.")
		})}
	set := &cobra.Command{Use: "set MODEL IMAGE", Short: "Say which image a model is to run", Args: cobra.ExactArgs(2), Example: "  everypost firmware baseline set H24P 3",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			n, err := numberOf(args[1], "image", "firmware images")
			if err != nil {
				return err
			}
			images, err := c.Images(ctx)
			if err != nil {
				return err
			}
			maker := "any"
			for _, i := range images.Items {
				if i.Number == n {
					maker = i.Maker
				}
			}
			e, err := c.PutBaseline(ctx, maker, args[0], n)
			if err != nil {
				return err
			}
			a.say("%s %s is to run %s. Nothing is upgraded yet: \"everypost firmware upgrade\" does it.", e.Maker, e.Model, e.Version)
			return nil
		})}
	drop := &cobra.Command{Use: "drop MAKER MODEL", Short: "Have a model be no part of the baseline", Args: cobra.ExactArgs(2), Example: "  everypost firmware baseline drop Halyard H24P",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if err := c.DropBaseline(ctx, args[0], args[1]); err != nil {
				return err
			}
			a.say("%s %s may run what it runs.", args[0], args[1])
			return nil
		})}
	cmd.AddCommand(set, drop)
	return cmd
}

// rolloutCommand has many devices run other firmware.
func (a *app) rolloutCommand(use, kind, short string) *cobra.Command {
	var w jobWhen
	plan, yes := false, false
	args := map[string]string{}
	cmd := &cobra.Command{Use: use + " [selector...]", Short: short, ValidArgsFunction: a.completeSelector,
		Long: short + `. The first wave is one device, on which least hangs, as a trial; then far before near, so that none that fails cuts
off one that is still to come, and never a device together with the one that stands in for it. After --stop-after failures nothing more is begun.`,
		Example: "  everypost firmware " + use + " kind = switch --plan\n  everypost firmware " + use + " site = tern-haven --at 02:00 --zone Europe/London",
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			where := strings.Join(words, " ")
			p, err := c.PlanJob(ctx, v1.JobRequest{Kind: kind, Where: where, Args: args})
			if err != nil {
				return err
			}
			rows := make([][]string, len(p.Steps))
			for i, step := range p.Steps {
				rows[i] = []string{strconv.Itoa(step.Wave), step.Device, step.From, step.To}
			}
			if plan || !a.isData() {
				if err := a.list(p, []string{"wave", "device", "runs", "is to run"}, rows, ""); err != nil || plan {
					return err
				}
			}
			if !yes {
				n := strconv.Itoa(len(p.Steps))
				if err := a.confirm(fmt.Sprintf("\n%s Type the number of devices to go on: ", p.Disturbs), n); err != nil {
					return err
				}
			}
			return a.makeJob(ctx, c, kind, where, args, &w)
		})}
	w.flags(cmd.Flags())
	cmd.Flags().BoolVar(&plan, "plan", false, "only show what would be done, and in which waves")
	cmd.Flags().BoolVar(&yes, "yes", false, "do not ask")
	argument(cmd, args, "stop-after", "failures, after which nothing more is begun (1)")
	argument(cmd, args, "at-once", "devices that are worked on at the same time (8)")
	return cmd
}
