package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// exportCommand writes the settings of devices as a file.
func (a *app) exportCommand() *cobra.Command {
	var into, where string
	cmd := &cobra.Command{
		Use: "export [selector...]", Short: "Write the settings of devices as a file",
		Long: `Write the settings of devices as a file (YAML): by device, what is not at its default. "everypost draft from" turns such a
file into a draft, and a file that is exported and drafted again makes no difference.

--into writes over a file, and keeps the comments that people wrote into it.`,
		Example:           "  everypost export site = tern-haven > tern-haven.yaml\n  everypost export name = th-sw-02 --into th-sw-02.yaml",
		ValidArgsFunction: a.completeSelector,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			in := v1.ExportRequest{Where: where}
			if len(args) > 0 {
				if where != "" {
					return usage("give the selector in words, or with --where")
				}
				in.Where = strings.Join(args, " ")
			}
			if into != "" {
				old, err := os.ReadFile(into)
				if err != nil && !errors.Is(err, os.ErrNotExist) {
					return err
				}
				in.Over = string(old)
			}
			c.Clean = nil // what is kept is kept as it is
			file, err := c.ExportSettings(ctx, in)
			if err != nil {
				return err
			}
			if into == "" {
				_, err = io.WriteString(a.out, file.Text)
				return err
			}
			if err := writeBeside(into, file.Text); err != nil {
				return err
			}
			a.say("The settings of %d devices are in %s.", file.Devices, into)
			return nil
		}),
	}
	cmd.Flags().StringVar(&into, "into", "", "the file to write, over what it holds")
	cmd.Flags().StringVar(&where, "where", "", "the selector, instead of words")
	return cmd
}

// writeBeside writes a file so that at any moment the old or the new one is there, whole.
func writeBeside(path, text string) error {
	mode := os.FileMode(0o644)
	if info, err := os.Stat(path); err == nil {
		mode = info.Mode().Perm()
	}
	beside := path + ".new"
	if err := os.WriteFile(beside, []byte(text), mode); err != nil {
		return err
	}
	return os.Rename(beside, path)
}

func (a *app) draftCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "draft", Short: "Make drafts"}
	var in v1.FileRequest
	from := &cobra.Command{
		Use: "from FILE", Short: "Turn a file of settings into a draft, and show what it makes different", Args: cobra.ExactArgs(1),
		Long: `Turn a file of settings (- for standard input) into a draft, and show what it makes different. What the file does not name
stays as it is; with --whole it goes back to its default, on the devices that the file names.

--dry-run stops there. The exit code is 0 when nothing differs, and 7 when something does.`,
		Example: "  everypost draft from tern-haven.yaml --dry-run\n  everypost draft from tern-haven.yaml --why 'as reviewed'",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			text, err := a.readFile(args[0])
			if err != nil {
				return err
			}
			in.Text = text
			answer, err := c.DraftFromFile(ctx, in)
			if err != nil {
				return err
			}
			if a.isData() {
				if err := a.data(answer); err != nil {
					return err
				}
			} else if len(answer.Differences) == 0 {
				a.say("Nothing differs: all %d things are as the file says.", answer.Objects)
			} else {
				a.printDifferences(v1.Change{Differences: answer.Differences})
			}
			switch {
			case answer.Change != nil:
				n := answer.Change.Number
				a.say("\nIn draft %d. Check it with \"everypost change check %d\", throw it away with \"everypost change discard %d\".", n, n, n)
			case len(answer.Differences) > 0:
				return &codedError{ExitDiffers, fmt.Errorf("%d settings differ", len(answer.Differences))}
			}
			return nil
		}),
	}
	f := from.Flags()
	f.BoolVar(&in.DryRun, "dry-run", false, "make no draft")
	f.BoolVar(&in.Whole, "whole", false, "take what the file does not name back to its default")
	f.Var(draftNumber{&in.Change}, "change", "add to this draft instead of making one")
	f.StringVar(&in.Why, "why", "", "why the change is made")
	cmd.AddCommand(from)
	return cmd
}

// readFile reads a file, or - standard input.
func (a *app) readFile(path string) (string, error) {
	if path == "-" {
		b, err := io.ReadAll(io.LimitReader(a.in, 9<<20))
		return string(b), err
	}
	b, err := os.ReadFile(path)
	return string(b), err
}
