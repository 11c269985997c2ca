package cli

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// First aid takes at most so many ports, and asks so many devices at once.
const (
	firstAidPorts  = 2000
	firstAidAtOnce = 8
)

// onPortsCommand makes a command that has devices do something at ports of theirs: those that are named, or those that a selector picks.
func (a *app) onPortsCommand(kind, short, disturbs string, example string, flags func(cmd *cobra.Command, args map[string]string)) *cobra.Command {
	args := map[string]string{}
	yes, where := false, ""
	cmd := &cobra.Command{
		Use: kind + " [PORT...]", Short: short,
		Long: short + ". " + disturbs + ` Ports are written device:port, or picked by a selector with --where. With ports of several devices, each device does it by itself,
and what became of it is told of each. What came back is kept; Ctrl-C cancels it on the devices.`,
		Example: example + "\n  everypost " + kind + " --where 'name = th-sw-02 and port.poe.watts > 5'",
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			ports, err := a.portsOf(ctx, c, words, where)
			if err != nil {
				return err
			}
			if !yes {
				if err := a.confirm(a.whoLoses(ctx, c, disturbs, ports, where != ""), "yes"); err != nil {
					return err
				}
			}
			if len(ports) == 1 {
				for device, list := range ports {
					return a.operate(ctx, c, device, kind, with(args, "ports", strings.Join(list, ",")))
				}
			}
			return a.operateAll(ctx, c, kind, args, ports)
		}),
	}
	cmd.Flags().BoolVar(&yes, "yes", false, "do not ask")
	cmd.Flags().StringVar(&where, "where", "", "a selector of ports, instead of naming them")
	_ = cmd.RegisterFlagCompletionFunc("where", func(cmd *cobra.Command, _ []string, word string) ([]string, cobra.ShellCompDirective) {
		return a.completeSelector(cmd, nil, word)
	})
	if flags != nil {
		flags(cmd, args)
	}
	return cmd
}

// portsOf are the ports that are named or picked, by device.
func (a *app) portsOf(ctx context.Context, c *client.Client, words []string, where string) (map[string][]string, error) {
	switch {
	case (len(words) == 0) == (where == ""):
		return nil, usage("name the ports, or pick them with --where: one of the two")
	case where != "":
		list, err := c.Ports(ctx, client.Query{Where: where, Sort: "name,port", Limit: firstAidPorts + 1})
		if err != nil {
			return nil, err
		}
		if len(list.Items) == 0 {
			return nil, &codedError{ExitRefused, errors.New("the selector picks no port: nothing was done")}
		}
		for _, p := range list.Items {
			words = append(words, p.Device+":"+p.Port)
		}
	}
	if len(words) > firstAidPorts {
		return nil, &codedError{ExitRefused, fmt.Errorf("these are more than %d ports: pick fewer", firstAidPorts)}
	}
	out := map[string][]string{}
	for _, w := range words {
		device, port, ok := strings.Cut(w, ":")
		if !ok || device == "" || port == "" {
			return nil, usage("%q is not a port: write device:port, such as th-sw-02:1/1/7", w)
		}
		if !slices.Contains(out[device], port) {
			out[device] = append(out[device], port)
		}
	}
	return out, nil
}

// whoLoses asks whether to go on, and says at how many ports of how many devices, and which end stations are there.
func (a *app) whoLoses(ctx context.Context, c *client.Client, disturbs string, ports map[string][]string, picked bool) string {
	n := 0
	var there []string
	for _, device := range slices.Sorted(maps.Keys(ports)) {
		n += len(ports[device])
		list, err := c.Clients(ctx, client.Query{Where: fmt.Sprintf("name = %q", device)})
		if err != nil {
			continue // who may not see them is not told of them
		}
		for _, s := range list.Items {
			if s.Here && slices.Contains(ports[device], s.Port) {
				name := s.Name
				if name == "" {
					name = s.MAC
				}
				there = append(there, name)
			}
		}
	}
	said := disturbs
	if n > 1 || picked {
		said += fmt.Sprintf(" It is done at %d ports of %d devices.", n, len(ports))
	}
	if len(there) > 0 {
		said += fmt.Sprintf(" There now: %s.", firstOf(there, 8))
	}
	return said + " Type yes to go on: "
}

// operateAll has several devices do something at ports of theirs, some at once, and tells of each what became of it.
func (a *app) operateAll(ctx context.Context, c *client.Client, kind string, args map[string]string, ports map[string][]string) error {
	about, err := a.kindOf(ctx, c, kind)
	if err != nil {
		return err
	}
	devices := slices.Sorted(maps.Keys(ports))
	done, errs := make([]v1.Operation, len(devices)), make([]error, len(devices))
	slots := make(chan struct{}, firstAidAtOnce)
	var wg sync.WaitGroup
	for i, device := range devices {
		slots <- struct{}{}
		wg.Go(func() {
			defer func() { <-slots }()
			done[i], errs[i] = a.follow(ctx, c, device, v1.OperationRequest{Kind: kind, Args: with(args, "ports", strings.Join(ports[device], ","))}, func(v1.Operation) {})
		})
	}
	wg.Wait()
	header := []string{"device"}
	for _, col := range about.Columns {
		header = append(header, strings.ToLower(col.Title))
	}
	var rows [][]string
	var answers []v1.Operation
	failed := 0
	for i, device := range devices {
		why := done[i].Why
		if errs[i] != nil {
			why = errs[i].Error()
		}
		if errs[i] == nil {
			answers = append(answers, done[i])
		}
		for _, l := range done[i].Lines {
			row := []string{device}
			for _, col := range about.Columns {
				row = append(row, l.Cells[col.Name])
			}
			rows = append(rows, row)
		}
		if errs[i] != nil || done[i].State != "done" {
			failed++
			a.say("%s: it was not done: %s", device, why)
		}
	}
	if err := a.list(answers, header, rows, "Nothing came back."); err != nil {
		return err
	}
	if failed > 0 {
		return fmt.Errorf("%d of %d devices did not do it", failed, len(devices))
	}
	return nil
}

func (a *app) cableTestCommand() *cobra.Command {
	return a.onPortsCommand("cable-test", "Measure the pairs of copper cables by what they reflect", "The links of the ports drop for some two seconds.",
		"  everypost cable-test th-sw-02:1/1/3 th-sw-02:1/1/4", nil)
}

func (a *app) bounceCommand() *cobra.Command {
	return a.onPortsCommand("bounce", "Take the link of ports down and up again", "What hangs on the ports is cut off for some seconds.", "  everypost bounce th-sw-02:1/1/7 --for 5",
		func(cmd *cobra.Command, args map[string]string) {
			argument(cmd, args, "for", "seconds for which they are down, 1 to 60 (else 3)")
		})
}

func (a *app) powerCycleCommand() *cobra.Command {
	return a.onPortsCommand("power-cycle", "Take power from ports and give it again", "What the ports feed is switched off and has to start again.", "  everypost power-cycle th-sw-02:1/1/1",
		func(cmd *cobra.Command, args map[string]string) {
			argument(cmd, args, "for", "seconds for which they have none, 1 to 60 (else 5)")
		})
}

func (a *app) clearCountersCommand() *cobra.Command {
	return a.onPortsCommand("clear-counters", "Count the octets, frames and errors of ports from nought again", "What the device counted at the ports is lost; the histories that are kept here are not.",
		"  everypost clear-counters th-sw-02:1/1/25", nil)
}

func (a *app) reopenCommand() *cobra.Command {
	return a.onPortsCommand("reopen", "Open ports again that a guard of the device shut", "What made the guard shut them may go on.", "  everypost reopen th-sw-02:1/1/9", nil)
}

func (a *app) loopbackCommand() *cobra.Command {
	return a.onPortsCommand("loopback", "Send test frames round inside a port", "The port carries nothing else meanwhile, and is as before when the time is over.", "  everypost loopback th-sw-02:1/1/25 --for 5",
		func(cmd *cobra.Command, args map[string]string) {
			argument(cmd, args, "for", "seconds after which it ends by itself, 1 to 300 (else 10)")
		})
}
