package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/service/archive"
)

// archiveCommands put all that a service keeps into one file, and bring it back.
func archiveCommands() []*cobra.Command {
	dir, apart := "", false
	save := &cobra.Command{
		Use: "save FILE", Short: "Put all that a service keeps into one file, while it works", Args: cobra.ExactArgs(1),
		Long: `Put all that a service keeps into one file: its database as it is at this moment, the key of its secrets, its certificate and its firmware. The
service may work meanwhile. Who has the file has the secrets: keep it as you keep the folder, or leave the key out and keep it apart.`,
		Example: "  everypost serve save /srv/safe/everypost-2026-11-29 --data /var/lib/everypost",
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := saveTo(cmd.Context(), dir, args[0], !apart); err != nil {
				return err
			}
			_, err := fmt.Fprintf(cmd.OutOrStdout(), "All that the service in %s keeps is in %s.\n", dir, args[0])
			return err
		},
	}
	restore := &cobra.Command{
		Use: "restore FILE", Short: "Bring what was saved back into an empty folder", Args: cobra.ExactArgs(1),
		Example: "  everypost serve restore /srv/safe/everypost-2026-11-29 --data /var/lib/everypost",
		RunE: func(cmd *cobra.Command, args []string) error {
			f, err := os.Open(args[0])
			if err != nil {
				return err
			}
			defer func() { _ = f.Close() }()
			about, err := archive.Restore(cmd.Context(), f, dir)
			if err != nil {
				return err
			}
			_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s holds what was saved on %s. Start it with \"everypost serve --data %s\".\n", dir, about.At.Local().Format("2 January 2006 15:04"), dir)
			return err
		},
	}
	save.Flags().BoolVar(&apart, "without-key", false, "leave the key of the secrets out: it is kept apart, and put back into the folder before the service is started")
	for _, c := range []*cobra.Command{save, restore} {
		c.Flags().StringVar(&dir, "data", "var/everypost", "folder of the service")
	}
	return []*cobra.Command{save, restore}
}

// saveTo writes an archive to a file, whole or not at all.
func saveTo(ctx context.Context, dir, file string, key bool) (err error) {
	f, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			err = errors.Join(err, os.Remove(file))
		}
	}()
	if err := archive.Write(ctx, dir, io.Writer(f), key, version, time.Now()); err != nil {
		return errors.Join(err, f.Close())
	}
	return errors.Join(f.Sync(), f.Close())
}
