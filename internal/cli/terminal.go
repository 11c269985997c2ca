package cli

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"regexp"
	"strconv"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"example.net/everypost/internal/api/client"
)

// leaveKey ends a terminal from this side, whatever the device does: Ctrl-].
const leaveKey = 0x1d

// endOfInput is typed when the input ends: Ctrl-D.
const endOfInput = 0x04

func (a *app) terminalCommand() *cobra.Command {
	return &cobra.Command{
		Use: "terminal DEVICE", Short: "Open a terminal on a device", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Long: `Open a terminal on a device, through the service. What is typed there is done by the device at once, without draft or trial.
What the device shows is recorded under your name.

Leave with the device's own command, or with Ctrl-]. When the input is no terminal, its lines are typed, and what the device
shows is printed.`,
		Example: "  everypost terminal th-sw-02\n  printf 'about\\nexit\\n' | everypost terminal th-sw-02",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			columns, rows := 100, 30
			in, raw := a.in.(*os.File)
			raw = raw && term.IsTerminal(int(in.Fd()))
			if raw {
				if w, h, err := term.GetSize(int(in.Fd())); err == nil {
					columns, rows = w, h
				}
			}
			t, err := c.OpenTerminal(ctx, args[0], columns, rows)
			if err != nil {
				return err
			}
			defer func() { _ = t.Close() }()
			ctx, cancel := context.WithCancel(ctx)
			defer cancel()
			if raw {
				a.say("Terminal %d on %s; Ctrl-] leaves it.", t.Number, args[0])
				before, err := term.MakeRaw(int(in.Fd()))
				if err != nil {
					return err
				}
				defer func() { _ = term.Restore(int(in.Fd()), before) }()
				go followSize(ctx, t, in, columns, rows)
			}
			go typeAll(ctx, t, a.in, raw)
			err = t.Show(ctx, a.out)
			if raw {
				_, _ = fmt.Fprint(a.err, "\r\n")
			}
			if t.Ended != "" && err == nil {
				_, _ = fmt.Fprintf(a.err, "Terminal %d ended: %s.\r\n", t.Number, t.Ended)
			}
			return err
		}),
	}
}

// typeAll types what comes from the input. From a pipe, ends of lines become the key Enter.
func typeAll(ctx context.Context, t *client.Terminal, in io.Reader, raw bool) {
	b := make([]byte, 4096)
	for {
		n, err := in.Read(b)
		typed := b[:n]
		if raw {
			if leave := bytes.IndexByte(typed, leaveKey); leave >= 0 {
				_ = t.Close()
				return
			}
		} else {
			typed = bytes.ReplaceAll(typed, []byte("\n"), []byte("\r"))
		}
		if n > 0 && t.Type(ctx, typed) != nil {
			return
		}
		if err != nil {
			_ = t.Type(ctx, []byte{endOfInput})
			return
		}
	}
}

// followSize tells the device when the window gets another size.
func followSize(ctx context.Context, t *client.Terminal, in *os.File, columns, rows int) {
	tick := time.NewTicker(500 * time.Millisecond)
	defer tick.Stop()
	for {
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
		if w, h, err := term.GetSize(int(in.Fd())); err == nil && (w != columns || h != rows) {
			columns, rows = w, h
			_ = t.Resize(ctx, columns, rows)
		}
	}
}

func (a *app) terminalsCommand() *cobra.Command {
	var device string
	last := 50
	cmd := &cobra.Command{
		Use: "terminals", Short: "List the terminals that were opened on devices", Args: cobra.NoArgs,
		Example: "  everypost terminals --device th-sw-02\n  everypost terminals record 12",
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Terminals(ctx, device, last)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, t := range list.Items {
				length := "open"
				if t.EndedAt != nil {
					length = t.EndedAt.Sub(t.OpenedAt).Round(time.Second).String()
				}
				rows[i] = []string{strconv.FormatInt(t.Number, 10), t.OpenedAt.Local().Format("2006-01-02 15:04:05"), t.Device, t.User, length, strconv.FormatInt(t.Shown, 10), t.Why}
			}
			return a.list(list.Items, []string{"number", "opened", "device", "by", "for", "octets", "ended because"}, rows, "No terminal was opened.")
		}),
	}
	cmd.Flags().StringVar(&device, "device", "", "only those on this device")
	countVar(cmd.Flags(), &last, "last", last, 1, "the last so many")
	_ = cmd.RegisterFlagCompletionFunc("device", a.completeDevices)
	cmd.AddCommand(&cobra.Command{
		Use: "record NUMBER", Short: "Print what was shown in a terminal", Args: cobra.ExactArgs(1),
		Long: "Print what was shown in a terminal, without what only moves the cursor or colours it.",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			number, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil || number < 1 {
				return usage("%q is no number of a terminal: see \"everypost terminals\"", args[0])
			}
			record, err := c.TerminalRecord(ctx, number)
			if err != nil {
				return err
			}
			_, err = fmt.Fprintf(a.out, "%s\n", plainText(record))
			return err
		}),
	})
	return cmd
}

// controls are the sequences of ECMA-48 (CSI, OSC and the short ones) and single control characters but line ends and tabs.
var controls = regexp.MustCompile("\x1b\\[[0-?]*[ -/]*[@-~]|\x1b\\][^\x07\x1b]*(?:\x07|\x1b\\\\)|\x1b[ -/]*[0-~]|[\x00-\x08\x0b-\x1f\x7f]")

// plainText is what a terminal showed as lines of text.
func plainText(record []byte) []byte { return controls.ReplaceAll(record, nil) }
