package cli

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) captureCommand() *cobra.Command {
	args := map[string]string{}
	var look framesLook
	cmd := &cobra.Command{
		Use: "capture PORT...", Short: "Capture what passes ports, and show it frame by frame", Args: cobra.MinimumNArgs(1),
		Long: `Capture what passes ports, and show it frame by frame. Ports are written device:port; those of several devices are captured at the same time and
merged. It ends by count, time or size, or with Ctrl-C: what was captured until then is shown and kept.`,
		Example: `  everypost capture th-sw-02:1/1/17 --filter 'udp port 5004' --count 100
  everypost capture th-sw-01:1/1/49 th-sw-02:1/1/25 --for 10 --to both-ends.pcapng`,
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			ports := map[string][]string{}
			for _, w := range words {
				d, p, ok := strings.Cut(w, ":")
				if !ok || p == "" {
					return usage("%q is not a port: write device:port, such as th-sw-02:1/1/7", w)
				}
				ports[d] = append(ports[d], p)
			}
			var begun []v1.Operation
			for _, d := range slices.Sorted(maps.Keys(ports)) {
				o, err := c.StartOperation(ctx, d, v1.OperationRequest{Kind: "capture", Args: with(args, "ports", strings.Join(ports[d], ","))})
				if err != nil {
					a.cancelAll(ctx, c, begun)
					return err
				}
				begun = append(begun, o)
			}
			of, err := a.awaitCaptures(ctx, c, begun)
			if len(of) == 0 {
				return err
			}
			last, cancel := context.WithTimeout(context.WithoutCancel(ctx), time.Minute)
			defer cancel()
			return errors.Join(err, a.showFrames(last, c, of, look))
		}),
	}
	argument(cmd, args, "filter", "which frames, in the syntax of pcap-filter, such as 'tcp port 554 and host 10.20.50.7'")
	argument(cmd, args, "count", "frames after which it ends, 1 to 10000 (else 1000)")
	argument(cmd, args, "for", "seconds after which it ends, 1 to 600 (else 30)")
	argument(cmd, args, "length", "octets that are kept of each frame, 64 to 1518 (else 256)")
	argument(cmd, args, "size", "KiB after which it ends, 1 to 8192 (else 4096)")
	look.add(cmd)
	return cmd
}

func (a *app) framesCommand() *cobra.Command {
	var look framesLook
	cmd := &cobra.Command{
		Use: "frames NUMBER...", Short: "Show what was captured, of one capture or of several merged", Args: cobra.RangeArgs(1, 8),
		Long:    "Show the frames of captures by their numbers, which \"everypost operations\" lists. Those of several are merged in the order of time.",
		Example: "  everypost frames 12\n  everypost frames 12 13 --find arp\n  everypost frames 12 --to gate.pcapng",
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			of := make([]int64, len(words))
			for i, w := range words {
				n, err := operationNumber(w)
				if err != nil {
					return err
				}
				of[i] = n
			}
			return a.showFrames(ctx, c, of, look)
		}),
	}
	look.add(cmd)
	return cmd
}

// framesLook says how captured frames are shown.
type framesLook struct {
	to, find string
	last     int
}

func (l *framesLook) add(cmd *cobra.Command) {
	cmd.Flags().StringVar(&l.to, "to", "", "write them to this file besides (pcapng)")
	cmd.Flags().StringVar(&l.find, "find", "", "only frames in whose line this stands")
	countVar(cmd.Flags(), &l.last, "limit", 200, 1, "show so many")
}

func (a *app) showFrames(ctx context.Context, c *client.Client, of []int64, look framesLook) error {
	if look.to != "" {
		file, err := c.CaptureFile(ctx, of)
		if err != nil {
			return err
		}
		if err := writeNew(look.to, file); err != nil {
			return err
		}
		a.say("Written to %s, %d octets.", look.to, len(file))
	}
	frames, err := c.Frames(ctx, client.FramesQuery{Of: of, Find: look.find, Limit: min(look.last, 1000)})
	if err != nil {
		return err
	}
	rows := make([][]string, len(frames.Items))
	for i, f := range frames.Items {
		vlan := ""
		if f.VLAN > 0 {
			vlan = strconv.Itoa(f.VLAN)
		}
		rows[i] = []string{f.At.Local().Format("15:04:05.000000"), f.On, f.Way, f.From, f.To, f.Protocol, vlan, strconv.Itoa(f.Octets), f.Info}
	}
	if err := a.list(frames, []string{"at", "on", "way", "from", "to", "protocol", "vlan", "octets", "what"}, rows, "No frame was captured that matches."); err != nil {
		return err
	}
	if frames.Total > len(frames.Items) {
		a.say("%d of %d frames: --limit shows more, --to writes all to a file.", len(frames.Items), frames.Total)
	}
	return nil
}

// awaitCaptures waits until captures are over and returns the numbers of those that left something. Who breaks it off ends them.
func (a *app) awaitCaptures(ctx context.Context, c *client.Client, begun []v1.Operation) (of []int64, failed error) {
	for broken := false; ; {
		going, frames := 0, 0
		for i, o := range begun {
			if o.State == "running" {
				now, err := c.Operation(context.WithoutCancel(ctx), o.Number)
				if err != nil {
					return nil, err
				}
				begun[i], o = now, now
			}
			if o.State == "running" {
				going++
			}
			if len(o.Lines) > 0 {
				n, _ := strconv.Atoi(o.Lines[len(o.Lines)-1].Cells["frames"])
				frames += n
			}
		}
		if going == 0 {
			break
		}
		if !a.isData() {
			_, _ = fmt.Fprintf(a.err, "\r%d frames ", frames)
		}
		select {
		case <-time.After(lookAtOperation):
		case <-ctx.Done():
			if !broken {
				broken = true
				a.cancelAll(ctx, c, begun)
			}
			time.Sleep(lookAtOperation)
		}
	}
	if !a.isData() {
		_, _ = fmt.Fprint(a.err, "\r             \r")
	}
	for _, o := range begun {
		switch {
		case o.State == "done" || o.State == "cancelled":
			of = append(of, o.Number)
		default:
			failed = errors.Join(failed, fmt.Errorf("%s on %s: %s", o.Text, o.Device, o.Why))
		}
	}
	return of, failed
}

func (a *app) cancelAll(ctx context.Context, c *client.Client, all []v1.Operation) {
	last, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
	defer cancel()
	for _, o := range all {
		_ = c.CancelOperation(last, o.Number)
	}
}

// writeNew writes a file that is not there yet.
func writeNew(path string, content []byte) error {
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if errors.Is(err, os.ErrExist) {
		return fmt.Errorf("%s is there already: name another file, or remove it", path)
	}
	if err != nil {
		return err
	}
	_, err = f.Write(content)
	return errors.Join(err, f.Close())
}

func (a *app) filesCommand() *cobra.Command {
	return &cobra.Command{
		Use: "files DEVICE", Short: "List the files that a device has", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices, Example: "  everypost files th-sw-02",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.DeviceFiles(ctx, args[0])
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, f := range list.Items {
				rows[i] = []string{f.Name, strconv.FormatInt(f.Octets, 10), f.ChangedAt.Local().Format("2006-01-02 15:04:05")}
			}
			return a.list(list, []string{"file", "octets", "changed"}, rows, args[0]+" has no files.")
		}),
	}
}

func (a *app) fileCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "file", Short: "Fetch, send and remove files of a device"}
	to := ""
	fetch := &cobra.Command{
		Use: "fetch DEVICE FILE", Short: "Fetch a file of a device", Args: cobra.ExactArgs(2), ValidArgsFunction: a.completeDevices, Example: "  everypost file fetch th-sw-02 notes.txt --to notes.txt",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			content, err := c.DeviceFile(ctx, args[0], args[1])
			if err != nil {
				return err
			}
			where := to
			if where == "" {
				where = filepath.Base(args[1])
			}
			if err := writeNew(where, content); err != nil {
				return err
			}
			a.say("%s of %s is in %s, %d octets.", args[1], args[0], where, len(content))
			return nil
		}),
	}
	fetch.Flags().StringVar(&to, "to", "", "where it is written (else here, by its own name)")
	yes := false
	remove := &cobra.Command{
		Use: "remove DEVICE FILE", Short: "Remove a file of a device", Args: cobra.ExactArgs(2), ValidArgsFunction: a.completeDevices, Example: "  everypost file remove th-sw-02 notes.txt",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if !yes {
				if err := a.confirm(fmt.Sprintf("%s is removed from %s for good. Type yes to go on: ", args[1], args[0]), "yes"); err != nil {
					return err
				}
			}
			if err := c.RemoveDeviceFile(ctx, args[0], args[1]); err != nil {
				return err
			}
			a.say("%s is removed from %s.", args[1], args[0])
			return nil
		}),
	}
	remove.Flags().BoolVar(&yes, "yes", false, "do not ask")
	cmd.AddCommand(fetch, &cobra.Command{
		Use: "send DEVICE FILE", Short: "Send a file to a device, in the place of one of its name", Args: cobra.ExactArgs(2), ValidArgsFunction: a.completeDevices, Example: "  everypost file send th-sw-02 notes.txt",
		Long: "Send a file of at most 4 MB to a device. Firmware goes by \"everypost firmware\".",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			content, err := os.ReadFile(args[1])
			if err != nil {
				return err
			}
			if err := c.PutDeviceFile(ctx, args[0], filepath.Base(args[1]), content); err != nil {
				return err
			}
			a.say("%s has %s, %d octets.", args[0], filepath.Base(args[1]), len(content))
			return nil
		}),
	}, remove)
	return cmd
}

func (a *app) supportCommand() *cobra.Command {
	to := ""
	cmd := &cobra.Command{
		Use: "support [DEVICE]", Short: "Write all that is known of a device, or of the service, as one file (ZIP), without secrets", Args: cobra.MaximumNArgs(1), ValidArgsFunction: a.completeDevices,
		Long: `Write all that is known of a device as one file for who made it: what it is, what it runs (without secrets), its alarms, events and tests.
Without a device it is of the service itself: what it logged last, its figures, how far it has which devices in hand, and what it is doing now.`,
		Example: "  everypost support th-sw-02\n  everypost support th-sw-02 --to case-4411.zip\n  everypost support",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			of, name := "the service", "everypost"
			fetch := c.OwnSupport
			if len(args) == 1 {
				of, name = args[0], filepath.Base(args[0])
				fetch = func(ctx context.Context) ([]byte, error) { return c.Support(ctx, args[0]) }
			}
			file, err := fetch(ctx)
			if err != nil {
				return err
			}
			where := to
			if where == "" {
				where = "support-" + name + ".zip"
			}
			if err := writeNew(where, file); err != nil {
				return err
			}
			a.say("What is known of %s is in %s, %d octets.", of, where, len(file))
			return nil
		}),
	}
	cmd.Flags().StringVar(&to, "to", "", "where it is written (else here, named after the device)")
	return cmd
}
