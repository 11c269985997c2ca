package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) pathsCommand() *cobra.Command {
	each := false
	cmd := &cobra.Command{
		Use: "paths [selector...]", Short: "List the tunnels between sites: delay, jitter, loss, and how calls over them are", ValidArgsFunction: a.completeSelector,
		Long: `List the tunnels between sites as each of their ends measures them: delay there and back, jitter, loss, and how well people understand each other over them
(R and the mean opinion score, ITU-T G.107; the category of ITU-T G.109). The selector picks the edges.`,
		Example: "  everypost paths\n  everypost paths site = tern-haven\n  everypost paths site = tern-haven --each-way",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Paths(ctx, strings.Join(args, " "))
			if err != nil {
				return err
			}
			if each {
				return a.pathsEachWay(list)
			}
			rows := make([][]string, len(list.Items))
			for i, p := range list.Items {
				rows[i] = []string{p.Device, p.Tunnel, p.Far, p.Port, p.Underlay, fmt.Sprintf("%.1f", p.DelayMs), fmt.Sprintf("%.1f", p.JitterMs), fmt.Sprintf("%.2f", p.LossPercent), fmt.Sprintf("%.1f", p.Rating), fmt.Sprintf("%.2f", p.Opinion), p.Category}
				if p.Rating == 0 {
					rows[i] = []string{p.Device, p.Tunnel, p.Far, p.Port, p.Underlay, "", "", "", "", "", p.Category}
				}
			}
			return a.list(list, []string{"edge", "tunnel", "to", "over", "by", "delay ms", "jitter ms", "loss %", "R", "MOS", "calls"}, rows, "No edge there has a tunnel.")
		}),
	}
	cmd.Flags().BoolVar(&each, "each-way", false, "what is sent and what is received apart, where edges measure that (RFC 5357)")
	return cmd
}

// pathsEachWay lists tunnels with two lines each: what is sent, and what is received.
func (a *app) pathsEachWay(list v1.List[v1.Path]) error {
	var rows [][]string
	for _, p := range list.Items {
		for _, w := range []struct {
			name string
			way  *v1.PathWay
		}{{"to", p.Sent}, {"from", p.Received}} {
			row := []string{p.Device, p.Tunnel, w.name, p.Far, p.Port, "", "", "", "", "", "not measured"}
			if p.Rating == 0 {
				row[10] = p.Category
			}
			if w.way != nil {
				row = []string{p.Device, p.Tunnel, w.name, p.Far, p.Port, fmt.Sprintf("%.1f", w.way.DelayMs), fmt.Sprintf("%.1f", w.way.JitterMs), fmt.Sprintf("%.2f", w.way.LossPercent), fmt.Sprintf("%.1f", w.way.Rating), fmt.Sprintf("%.2f", w.way.Opinion), w.way.Category}
			}
			rows = append(rows, row)
		}
	}
	return a.list(list, []string{"edge", "tunnel", "way", "far", "over", "delay ms", "jitter ms", "loss %", "R", "MOS", "calls"}, rows, "No edge there has a tunnel.")
}

func (a *app) circuitsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "circuits [selector...]", Short: "List the lines of providers that lead out of sites, and how much of them is used", ValidArgsFunction: a.completeSelector,
		Example: "  everypost circuits\n  everypost circuit set th-edge-01:wan2 --provider 'Skylark Mobile' --kind cellular --cap 50",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Circuits(ctx, strings.Join(args, " "))
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, x := range list.Items {
				rows[i] = []string{x.Device + ":" + x.Port, x.Site, x.Provider, x.Kind, orderedText(x.CircuitRequest), useText(x.DownBps, x.DownMbps), useText(x.UpBps, x.UpMbps), gigabytes(x.MonthOctets), gigabytes(x.MonthForeseen), capText(x), x.Contract}
			}
			return a.list(list, []string{"at", "site", "provider", "kind", "ordered", "down", "up", "month GB", "foreseen GB", "cap", "contract"}, rows, "No circuit is known there: \"everypost circuit set\" says what one is.")
		}),
	}
}

func orderedText(c v1.CircuitRequest) string {
	if c.DownMbps+c.UpMbps == 0 {
		return ""
	}
	return fmt.Sprintf("%g/%g Mbit/s", c.DownMbps, c.UpMbps)
}

// useText is a rate, and what part of the ordered one it is.
func useText(bps, mbps float64) string {
	if mbps == 0 {
		return fmt.Sprintf("%.1f Mbit/s", bps/1e6)
	}
	return fmt.Sprintf("%.1f Mbit/s (%.0f %%)", bps/1e6, bps/1e4/mbps)
}

func gigabytes(octets *float64) string {
	if octets == nil {
		return ""
	}
	return fmt.Sprintf("%.1f", *octets/1e9)
}

func capText(c v1.Circuit) string {
	if c.CapGB == 0 {
		return ""
	}
	return strings.TrimSpace(fmt.Sprintf("%g GB %s", c.CapGB, c.Standing))
}

func (a *app) circuitCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "circuit", Short: "Say what lines of providers there are"}
	at := func(text string) (device, port string, err error) {
		device, port, ok := strings.Cut(text, ":")
		if !ok || device == "" || port == "" {
			return "", "", usage("%q is no port: write it like th-edge-01:wan2", text)
		}
		return device, port, nil
	}
	var in v1.CircuitRequest
	set := &cobra.Command{
		Use: "set DEVICE:PORT", Short: "Say what the circuit at a port is; what is not said stays as it is", Args: cobra.ExactArgs(1),
		Example: "  everypost circuit set th-edge-01:wan2 --provider 'Skylark Mobile' --kind cellular --down 100 --up 30 --cap 50 --contract SM-20441",
	}
	f := set.Flags()
	f.StringVar(&in.Provider, "provider", "", "whose it is")
	f.StringVar(&in.Kind, "kind", "other", "fibre, copper, cable, cellular, satellite, radio or other")
	f.StringVar(&in.Contract, "contract", "", "by which the provider knows it")
	f.Float64Var(&in.DownMbps, "down", 0, "Mbit/s as ordered")
	f.Float64Var(&in.UpMbps, "up", 0, "Mbit/s as ordered")
	f.Float64Var(&in.CapGB, "cap", 0, "GB of both ways in a month; 0 for none")
	f.StringVar(&in.Notes, "notes", "", "what else is to be known")
	f.StringVar(&in.HandedAt, "handed-at", "", "the port at which the provider hands it over, where that is not at the edge itself: th-sw-01:2/1/47")
	set.RunE = a.asked(func(ctx context.Context, c *client.Client, args []string) error {
		device, port, err := at(args[0])
		if err != nil {
			return err
		}
		list, err := c.Circuits(ctx, "")
		if err != nil {
			return err
		}
		was := v1.CircuitRequest{Device: device, Port: port, Kind: in.Kind}
		if i := slices.IndexFunc(list.Items, func(x v1.Circuit) bool { return x.Device == device && x.Port == port }); i >= 0 {
			was = list.Items[i].CircuitRequest
		}
		for name, put := range map[string]func(){"provider": func() { was.Provider = in.Provider }, "kind": func() { was.Kind = in.Kind }, "contract": func() { was.Contract = in.Contract }, "down": func() { was.DownMbps = in.DownMbps },
			"up": func() { was.UpMbps = in.UpMbps }, "cap": func() { was.CapGB = in.CapGB }, "notes": func() { was.Notes = in.Notes }, "handed-at": func() { was.HandedAt = in.HandedAt }} {
			if f.Changed(name) {
				put()
			}
		}
		out, err := c.PutCircuit(ctx, was)
		if err != nil {
			return err
		}
		if a.isData() {
			return a.data(out)
		}
		a.say("The circuit at %s:%s is that of %s.", out.Device, out.Port, out.Provider)
		return nil
	})
	cmd.AddCommand(set, &cobra.Command{Use: "remove DEVICE:PORT", Short: "Forget the circuit at a port", Args: cobra.ExactArgs(1), Example: "  everypost circuit remove th-edge-01:wan2",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			device, port, err := at(args[0])
			if err != nil {
				return err
			}
			if err := c.RemoveCircuit(ctx, device, port); err != nil {
				return err
			}
			a.say("No circuit is known at %s any more.", args[0])
			return nil
		})})
	return cmd
}
