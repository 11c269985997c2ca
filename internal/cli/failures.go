package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) whatIfCommand() *cobra.Command {
	return &cobra.Command{
		Use: "what-if THING", Short: "Tell what is lost when a device, a link, a tunnel, a circuit or a power supply fails, and what takes its place", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Long: `Tell what is lost when something fails, and what takes its place; nothing is changed. A port stands for its link, or for the circuit behind it; a power supply is named like one. What is away already
is not lost again. Redundant links that spanning tree or a ring holds back count as there.`,
		Example: "  everypost what-if th-sw-01\n  everypost what-if th-sw-01:1/1/49\n  everypost what-if th-edge-01:wan1\n  everypost what-if tunnel/th-fibre-hub1\n  everypost what-if hh-core-01:psu1",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			f, err := c.WhatIf(ctx, args[0])
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(f)
			}
			a.say("If %s fails:", whatFails(f))
			for _, line := range [][2]string{
				{"not reached any more", strings.Join(f.Devices, ", ")}, {"without a tunnel to other sites", strings.Join(f.CutOff, ", ")}, {"end stations cut off", strconv.Itoa(f.Clients)},
				{"taken over by", strings.Join(f.Opens, "; ")}, {"tunnels that are left", strings.Join(f.Over, ", ")}, {"fed by", strings.Join(f.Powered, ", ")}, {"customers apart", customersApart(f)},
			} {
				if line[1] != "" && line[1] != "0" {
					_, _ = fmt.Fprintf(a.out, "  %-32s %s\n", line[0], line[1])
				}
			}
			if len(f.Devices)+len(f.CutOff)+len(f.Customers)+f.Clients == 0 {
				_, _ = fmt.Fprintln(a.out, "  nothing else is lost")
			}
			return nil
		}),
	}
}

// customersApart tells which ports to customers do not reach each other any more.
func customersApart(f v1.Failure) string {
	parts := make([]string, len(f.Customers))
	for i, c := range f.Customers {
		if parts[i] = fmt.Sprintf("%s (service VLAN %d)", c.Port, c.ServiceVLAN); len(c.From) > 0 {
			parts[i] += " from " + strings.Join(c.From, ", ")
		}
	}
	return strings.Join(parts, "; ")
}

// whatFails says a thing for people.
func whatFails(f v1.Failure) string {
	switch f.Kind {
	case "link":
		return "the link " + strings.Join(f.Ends, " to ")
	case "supply":
		return "power supply " + f.What
	case "circuit":
		return "the circuit at " + f.What
	case "tunnel":
		_, name, _ := strings.Cut(f.What, "/")
		return "tunnel " + name + " (" + strings.Join(f.Ends, " to ") + ")"
	}
	return f.What
}

func (a *app) singlePointsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "single-points [selector...]", Short: "List the single points of failure: what takes others with it when it fails", ValidArgsFunction: a.completeSelector,
		Example: "  everypost single-points\n  everypost single-points site = kelp-bay",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.SinglePoints(ctx, strings.Join(args, " "))
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, f := range list.Items {
				rows[i] = []string{f.Kind, strings.Join(f.Ends, " "), strconv.Itoa(len(f.Devices)), firstOf(f.Devices, 4), strings.Join(f.CutOff, ", "), strconv.Itoa(f.Clients)}
			}
			return a.list(list, []string{"what", "where", "devices", "not reached any more", "without a tunnel", "end stations"}, rows, "Nothing there takes others with it when it fails.")
		}),
	}
}
