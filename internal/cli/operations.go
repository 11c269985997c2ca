package cli

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/cli/safe"
)

// lookAtOperation is between looks for what came back of an operation.
const lookAtOperation = 300 * time.Millisecond

func (a *app) pingCommand() *cobra.Command {
	args := map[string]string{}
	cmd := &cobra.Command{
		Use: "ping DEVICE TO", Short: "Have a device ping somebody", Args: cobra.ExactArgs(2), ValidArgsFunction: a.completeDevices,
		Long:    "Have a device send echo requests to an address, or a name that it can find. What comes back is shown while it comes, and kept; Ctrl-C cancels it on the device.",
		Example: "  everypost ping th-sw-02 10.20.40.31\n  everypost ping hh-edge-01 kb-sw-01 --count 20 --size 1400",
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			return a.operate(ctx, c, words[0], "ping", with(args, "to", words[1]))
		}),
	}
	argument(cmd, args, "count", "how many are sent, 1 to 100 (else 5)")
	argument(cmd, args, "size", "octets of data in each, 8 to 9000 (else 56)")
	argument(cmd, args, "vrf", "the routing table by which it goes")
	return cmd
}

func (a *app) tracerouteCommand() *cobra.Command {
	args := map[string]string{}
	cmd := &cobra.Command{
		Use: "traceroute DEVICE TO", Short: "Have a device find the routers on the way to somebody", Args: cobra.ExactArgs(2), ValidArgsFunction: a.completeDevices,
		Example: "  everypost traceroute th-sw-02 10.30.10.12",
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			return a.operate(ctx, c, words[0], "traceroute", with(args, "to", words[1]))
		}),
	}
	argument(cmd, args, "hops", "how far it looks, 1 to 64 (else 30)")
	argument(cmd, args, "vrf", "the routing table by which it goes")
	return cmd
}

// goesCommand makes a command with which a device goes away: what hangs behind it is named, and its name is asked for.
func (a *app) goesCommand(kind, short, long, until string) *cobra.Command {
	yes := false
	cmd := &cobra.Command{
		Use: kind + " DEVICE", Short: short, Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Long: long + " What hangs behind it is named before, and its name has to be typed.", Example: "  everypost " + kind + " th-sw-02",
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			if !yes {
				b, err := c.Behind(ctx, words[0])
				if err != nil {
					return err
				}
				cutOff := ""
				if len(b.Devices) > 0 {
					cutOff = fmt.Sprintf(", with %d behind it (%s)", len(b.Devices), firstOf(b.Devices, 8))
				}
				if b.Clients > 0 {
					cutOff += fmt.Sprintf(" and %d end stations", b.Clients)
				}
				if err := a.confirm(fmt.Sprintf("%s is cut off%s, %s. Type its name to go on: ", words[0], cutOff, until), words[0]); err != nil {
					return err
				}
			}
			return a.operate(ctx, c, words[0], kind, nil)
		}),
	}
	cmd.Flags().BoolVar(&yes, "yes", false, "do not ask")
	return cmd
}

// firstOf lists the first names of a list and tells how many more there are.
func firstOf(names []string, most int) string {
	if len(names) <= most {
		return strings.Join(names, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(names[:most], ", "), len(names)-most)
}

func (a *app) rebootCommand() *cobra.Command {
	return a.goesCommand("reboot", "Have a device start again, and wait until it is back", "Have a device start again with what it has saved, and wait until it is back.", "until it is back")
}

func (a *app) shutDownCommand() *cobra.Command {
	return a.goesCommand("shut-down", "Have a device switch itself off", "Have a device switch itself off. It stays off until somebody switches it on by hand.", "until somebody switches it on by hand")
}

func (a *app) factoryResetCommand() *cobra.Command {
	return a.goesCommand("factory-reset", "Have a device forget its configuration, and start as it left its maker",
		"Have a device forget its configuration, its users and its host key. To have it back as it was, claim its serial number with --replaces and its own name: it asks this service what it is to be.",
		"and loses all that it was set up to")
}

func (a *app) locateCommand() *cobra.Command {
	args := map[string]string{}
	cmd := &cobra.Command{
		Use: "locate DEVICE[:PORT]", Short: "Blink the light of a device or a port", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Long:    "Blink the light of a device, or of a port, so that it is found in its rack. Ctrl-C ends it.",
		Example: "  everypost locate th-sw-02 --for 300\n  everypost locate th-sw-02:1/1/7",
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			device, port, at := strings.Cut(words[0], ":")
			if at {
				return a.operate(ctx, c, device, "locate", with(args, "ports", port))
			}
			return a.operate(ctx, c, device, "locate", args)
		}),
	}
	argument(cmd, args, "for", "seconds for which it blinks, 1 to 3600 (else 60)")
	return cmd
}

func (a *app) throughputCommand() *cobra.Command {
	args := map[string]string{}
	yes, both := false, false
	cmd := &cobra.Command{
		Use: "throughput DEVICE TO", Short: "Measure what goes through from a device to another: rate, delay, loss", Args: cobra.ExactArgs(2), ValidArgsFunction: a.completeDevices,
		Long:    "Have a device send as much as goes through to another one for some seconds, and measure rate, delay and loss. It fills the links on the way.",
		Example: "  everypost throughput th-sw-02 hh-edge-01\n  everypost throughput th-sw-02 th-sw-01 --for 20 --most 500\n  everypost throughput th-sw-02 th-sw-01 --both-ways\n  everypost throughput th-edge-01 hh-edge-01 --over th-cellular-hub1 --both-ways",
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			if !yes {
				if err := a.confirm(fmt.Sprintf("The links from %s to %s are filled meanwhile: what else goes there is slowed down. Type yes to go on: ", words[0], words[1]), "yes"); err != nil {
					return err
				}
			}
			err := a.operate(ctx, c, words[0], "throughput", with(args, "to", words[1]))
			if err != nil || !both {
				return err
			}
			a.say("And back, from %s to %s:", words[1], words[0])
			return a.operate(ctx, c, words[1], "throughput", with(args, "to", words[0]))
		}),
	}
	cmd.Flags().BoolVar(&yes, "yes", false, "do not ask")
	argument(cmd, args, "for", "seconds for which it sends, 1 to 60 (else 5)")
	cmd.Flags().BoolVar(&both, "both-ways", false, "measure the way back after it; TO is then the name of a device")
	argument(cmd, args, "most", "Mbit/s that it sends at most (else all that goes through)")
	argument(cmd, args, "over", "a tunnel between the two edges, by its name: the circuit behind it is measured")
	return cmd
}

func (a *app) wakeCommand() *cobra.Command {
	args := map[string]string{}
	device := ""
	cmd := &cobra.Command{
		Use: "wake MAC", Short: "Wake a station up through the switch at which it was seen", Args: cobra.ExactArgs(1),
		Long: "Send a wake-up frame (Wake-on-LAN) for a station into its VLAN, from the switch at which it was seen last.", Example: "  everypost wake 02:4c:53:20:00:07\n  everypost wake 02:4c:53:20:00:07 --from th-sw-02 --vlan 20",
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			from, said := device, with(args, "mac", words[0])
			if from == "" {
				list, err := c.Clients(ctx, client.Query{Where: fmt.Sprintf("client.mac = %q", words[0]), Limit: 1})
				if err != nil {
					return err
				}
				if len(list.Items) == 0 {
					return fmt.Errorf("nobody of that address was ever seen: name a switch with --from and its VLAN with --vlan")
				}
				from = list.Items[0].Device
				if v := list.Items[0].VLAN; v > 0 && said["vlan"] == "" {
					said["vlan"] = strconv.Itoa(v)
				}
			}
			return a.operate(ctx, c, from, "wake", said)
		}),
	}
	cmd.Flags().StringVar(&device, "from", "", "the switch that sends it (else the one at which it was seen last)")
	argument(cmd, args, "vlan", "in which it is (else the one in which it was seen last)")
	return cmd
}

func with(args map[string]string, name, value string) map[string]string {
	out := maps.Clone(args)
	out[name] = value
	return out
}

// argument is a flag that says something of an operation. The service knows what can be said.
func argument(cmd *cobra.Command, args map[string]string, name, help string) {
	cmd.Flags().Func(name, help, func(s string) error {
		args[name] = s
		return nil
	})
}

// operate has a device do something and shows what comes back until it is over. Who breaks it off cancels it.
func (a *app) operate(ctx context.Context, c *client.Client, device, kind string, args map[string]string) error {
	about, err := a.kindOf(ctx, c, kind)
	if err != nil {
		return err
	}
	shown := 0
	widths := a.operationHead(about.Columns)
	o, err := a.follow(ctx, c, device, v1.OperationRequest{Kind: kind, Args: args}, func(o v1.Operation) {
		if !a.isData() {
			for _, l := range o.Lines[shown:] {
				a.operationLine(about.Columns, widths, l)
			}
			shown = len(o.Lines)
		}
	})
	if err != nil {
		return err
	}
	return a.operationEnd(o)
}

// kindOf is what the service knows of an operation.
func (a *app) kindOf(ctx context.Context, c *client.Client, kind string) (v1.OperationKind, error) {
	kinds, err := c.OperationKinds(ctx)
	if err != nil {
		return v1.OperationKind{}, err
	}
	i := slices.IndexFunc(kinds.Items, func(k v1.OperationKind) bool { return k.Kind == kind })
	if i < 0 {
		return v1.OperationKind{}, fmt.Errorf("the service knows no %s", kind)
	}
	return kinds.Items[i], nil
}

// follow has a device do something, and shows what there is until it is over. Who breaks it off cancels it.
func (a *app) follow(ctx context.Context, c *client.Client, device string, r v1.OperationRequest, show func(v1.Operation)) (v1.Operation, error) {
	o, err := c.StartOperation(ctx, device, r)
	if err != nil {
		return o, err
	}
	for {
		if show(o); o.State != "running" {
			return o, nil
		}
		select {
		case <-time.After(lookAtOperation):
		case <-ctx.Done():
			last, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
			defer cancel()
			if err := c.CancelOperation(last, o.Number); err != nil {
				return o, err
			}
			return o, fmt.Errorf("%s on %s was cancelled", o.Text, device)
		}
		if o, err = c.Operation(ctx, o.Number); err != nil && ctx.Err() == nil {
			return o, err
		}
	}
}

func (a *app) operationHead(columns []v1.OperationColumn) []int {
	widths := make([]int, len(columns))
	var head []string
	for i, c := range columns {
		title := strings.ToLower(c.Title)
		if c.Unit != "" {
			title += " (" + c.Unit + ")"
		}
		widths[i] = max(len(title), map[string]int{"from": 15, "name": 16, "time": 9, "state": 7, "port": 8}[c.Name])
		head = append(head, fmt.Sprintf("%-*s", widths[i], title))
	}
	if !a.isData() {
		_, _ = fmt.Fprintln(a.out, strings.TrimRight(strings.Join(head, "  "), " "))
	}
	return widths
}

func (a *app) operationLine(columns []v1.OperationColumn, widths []int, l v1.OperationLine) {
	var cells []string
	for i, c := range columns {
		cells = append(cells, fmt.Sprintf("%-*s", widths[i], safe.Line(l.Cells[c.Name])))
	}
	_, _ = fmt.Fprintln(a.out, strings.TrimRight(strings.Join(cells, "  "), " "))
}

// summary is what can be said of all lines of an operation together.
func summary(o v1.Operation) string {
	var parts []string
	for _, f := range o.Summary {
		parts = append(parts, strings.ToLower(f.Title)+" "+f.Value)
	}
	return strings.Join(parts, ", ")
}

// operationEnd tells what came of an operation.
func (a *app) operationEnd(o v1.Operation) error {
	if a.isData() {
		if err := a.data(o); err != nil {
			return err
		}
	} else if came := summary(o); came != "" {
		a.say("\n%s.", came)
	}
	if o.State != "done" {
		return fmt.Errorf("%s on %s: %s", o.Text, o.Device, o.Why)
	}
	faults := 0
	for _, l := range o.Lines {
		if l.Cells["fault"] != "" {
			faults++
		}
	}
	if len(o.Lines) > 0 && faults == len(o.Lines) {
		return errors.New("nobody answered")
	}
	return nil
}

// operationsCommand lists what devices were asked to do.
func (a *app) operationsCommand() *cobra.Command {
	last := 50
	cmd := &cobra.Command{
		Use: "operations [DEVICE]", Short: "List what devices were asked to do, the newest first", Args: cobra.MaximumNArgs(1), ValidArgsFunction: a.completeDevices,
		Example: "  everypost operations\n  everypost operations th-sw-02 --last 5",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Operations(ctx, strings.Join(args, ""), last)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, o := range list.Items {
				came := o.Why
				if came == "" {
					came = summary(o)
				}
				rows[i] = []string{strconv.FormatInt(o.Number, 10), o.StartedAt.Local().Format("2006-01-02 15:04:05"), o.Device, o.Text, o.By, o.State, came}
			}
			return a.list(list, []string{"number", "at", "device", "asked", "by", "state", "what came"}, rows, "No device was asked to do anything.")
		}),
	}
	countVar(cmd.Flags(), &last, "last", 50, 1, "list so many")
	return cmd
}

// operationCommand shows and cancels one.
func (a *app) operationCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "operation NUMBER", Short: "Show what a device was asked to do, and what came back", Args: cobra.ExactArgs(1),
		Example: "  everypost operation 12\n  everypost operation cancel 12",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			n, err := operationNumber(args[0])
			if err != nil {
				return err
			}
			o, err := c.Operation(ctx, n)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(o)
			}
			kinds, err := c.OperationKinds(ctx)
			if err != nil {
				return err
			}
			_, _ = fmt.Fprintf(a.out, "%s on %s, by %s, %s: %s\n", o.Text, o.Device, o.By, o.StartedAt.Local().Format("2006-01-02 15:04:05"), o.State)
			for _, k := range kinds.Items {
				if k.Kind == o.Kind {
					widths := a.operationHead(k.Columns)
					for _, l := range o.Lines {
						a.operationLine(k.Columns, widths, l)
					}
				}
			}
			if o.State == "running" {
				return nil
			}
			return a.operationEnd(o)
		}),
	}
	cmd.AddCommand(&cobra.Command{
		Use: "cancel NUMBER", Short: "End what a device was asked to do", Args: cobra.ExactArgs(1), Example: "  everypost operation cancel 12",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			n, err := operationNumber(args[0])
			if err != nil {
				return err
			}
			if err := c.CancelOperation(ctx, n); err != nil {
				return err
			}
			a.say("Operation %d is being cancelled.", n)
			return nil
		}),
	})
	return cmd
}

func operationNumber(s string) (int64, error) {
	n, err := strconv.ParseInt(s, 10, 64)
	if err != nil || n < 1 {
		return 0, usage("%q is not the number of an operation: \"everypost operations\" lists them", s)
	}
	return n, nil
}
