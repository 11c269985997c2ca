package main

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/wire/image"
)

// demoRate is how many octets of files the devices of the demo take each second.
const demoRate = 6_000_000

// imageCommand writes firmware as a maker of the made-up world would release it.
func imageCommand() *cobra.Command {
	broken, size, notes := false, 4_000_000, ""
	cmd := &cobra.Command{
		Use: "image MAKER MODEL[,MODEL...] VERSION FILE", Short: "Write firmware for the simulated devices, signed by its maker", Args: cobra.ExactArgs(4),
		Example: "  everypost demo image Halyard H24P,H48P 4.3.0 h-4.3.0.image\n  everypost demo image Halyard H24P 4.3.1 bad.image --broken",
		RunE: func(cmd *cobra.Command, args []string) error {
			f, err := os.OpenFile(args[3], os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
			if err != nil {
				return err
			}
			defer func() { _ = f.Close() }()
			h := image.Header{Maker: args[0], Models: strings.Split(args[1], ","), Version: args[2], Notes: notes}
			if err := standin.MakeImage(f, h, size, broken); err != nil {
				return err
			}
			_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s holds %s %s for %s.\n", args[3], h.Maker, h.Version, args[1])
			return err
		},
	}
	cmd.Flags().BoolVar(&broken, "broken", false, "it is well signed, and does not come up")
	cmd.Flags().IntVar(&size, "size", size, "octets of its software")
	cmd.Flags().StringVar(&notes, "notes", "", "what the maker says of it")
	return cmd
}

// demoImages are the firmware of the company's library. What has models to run it is approved.
var demoImages = []struct {
	header image.Header
	size   int
	run    []string
}{
	{image.Header{Maker: "Halyard", Models: []string{"H8", "H24P", "H48P"}, Version: "4.1.6", Notes: "As delivered."}, 1_500_000, []string{"H8", "H24P"}},
	{image.Header{Maker: "Seawall", Models: []string{"S200", "S800"}, Version: "9.0.4", Notes: "As delivered."}, 2_000_000, []string{"S200", "S800"}},
	{image.Header{Maker: "Halyard", Models: []string{"H8", "H24P", "H48P"}, Version: "4.2.0", Notes: "Mends a loss of PoE after a restart. Spanning tree comes up a second sooner."}, 6_000_000, []string{"H48P"}},
	{image.Header{Maker: "Foghorn", Models: []string{"A2", "A5", "A6"}, Version: "2.8.0", Notes: "Enhanced open (OWE) on all bands."}, 4_000_000, nil},
}

// furnishUpkeep has the company's library, its baseline, its nightly backup, and an upgrade of which the trial is done.
func furnishUpkeep(ctx context.Context, c *client.Client) error {
	for _, d := range demoImages {
		var file bytes.Buffer
		if err := standin.MakeImage(&file, d.header, d.size, false); err != nil {
			return err
		}
		i, err := c.AddImage(ctx, &file)
		if err != nil {
			return err
		}
		if len(d.run) == 0 {
			continue
		}
		if _, err := c.ActOnImage(ctx, i.Number, v1.ImageAct{Act: "approve"}); err != nil {
			return err
		}
		for _, model := range d.run {
			if _, err := c.PutBaseline(ctx, d.header.Maker, model, i.Number); err != nil {
				return err
			}
		}
	}
	if _, err := c.MakeJob(ctx, v1.JobRequest{Kind: "backup", Title: "Nightly backup", When: v1.JobWhen{Rule: "FREQ=DAILY;BYHOUR=2", CatchUp: true}}); err != nil {
		return err
	}
	return beginRollout(ctx, c)
}

// beginRollout upgrades the large switches, and pauses after the first, which is the trial.
func beginRollout(ctx context.Context, c *client.Client) error {
	patience := time.NewTimer(90 * time.Second)
	defer patience.Stop()
	j, err := c.MakeJob(ctx, v1.JobRequest{Kind: "upgrade", Title: "Large switches to 4.2.0", Where: "model = H48P", Args: map[string]string{"at-once": "1"}})
	if err != nil {
		return err
	}
	if _, err := c.ActOnJobRun(ctx, j.Last.Number, "pause"); err != nil { // what is begun goes on
		return err
	}
	for {
		run, err := c.JobRun(ctx, j.Last.Number)
		if err != nil || run.EndedAt != nil || run.Counts["running"] == 0 && run.Counts["done"] > 0 {
			return err
		}
		if run.Counts["running"] == 0 { // the pause came before the first step
			if _, err := c.ActOnJobRun(ctx, run.Number, "resume"); err != nil {
				return err
			}
			continue
		}
		if run.State != "paused" {
			if _, err := c.ActOnJobRun(ctx, run.Number, "pause"); err != nil {
				return err
			}
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-patience.C:
			return nil // on a slow machine it ends later
		case <-time.After(200 * time.Millisecond):
		}
	}
}
