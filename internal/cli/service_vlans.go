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

func (a *app) serviceVLANsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "service-vlans", Short: "List the service VLANs, in which devices carry untouched what customers send", Args: cobra.NoArgs,
		Long: `List the service VLANs (IEEE 802.1ad), in which devices carry untouched what somebody else sends: at which ports it comes in and goes out,
and which of these reach each other.`,
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.ServiceVLANs(ctx)
			if err != nil {
				return err
			}
			var rows [][]string
			for _, v := range list.Items {
				for _, p := range v.Ports {
					rows = append(rows, []string{strconv.Itoa(v.ID), p.Port, p.Site, map[bool]string{true: "up", false: "down"}[p.Up], reachesOthers(v, p), p.Description})
				}
			}
			if err := a.list(list, []string{"service vlan", "port", "site", "link", "reaches", "description"}, rows, "Nothing is carried for others."); err != nil || a.isData() {
				return err
			}
			for _, v := range list.Items {
				for _, b := range v.Breaks {
					a.say("Service VLAN %d: %s", v.ID, b)
				}
			}
			return nil
		}),
	}
}

// reachesOthers tells which other ports of its service VLAN one reaches.
func reachesOthers(v v1.ServiceVLAN, p v1.ServicePort) string {
	others, near := 0, []string{}
	for _, o := range v.Ports {
		if o.Port == p.Port {
			continue
		}
		if others++; o.Part == p.Part {
			near = append(near, o.Port)
		}
	}
	switch {
	case others == 0:
		return "it is the only one"
	case len(near) == 0:
		return "none"
	case len(near) == others && others > 2:
		return fmt.Sprintf("all %d others", others)
	}
	return strings.Join(near, ", ")
}

func (a *app) serviceVLANCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "service-vlan", Short: "Carry what a customer sends untouched between two ports, and end it"}
	cmd.AddCommand(a.serviceVLANCarryCommand(), a.serviceVLANEndCommand())
	return cmd
}

func (a *app) serviceVLANCarryCommand() *cobra.Command {
	var number int64
	var why string
	cmd := &cobra.Command{
		Use: "carry VLAN DEVICE:PORT DEVICE:PORT", Short: "Put into a draft what carries all that is sent into one port to another, untouched", Args: cobra.ExactArgs(3),
		Long: `Put into a draft what carries all that is sent into one port to another, untouched, with its tags (IEEE 802.1ad). Both ports are put into the service
VLAN, and into no VLAN of yours; every port on the ways between passes it. It may have the number of a VLAN of yours: they do not meet.

Between the wires of a radio link it carries untouched all that is in no VLAN of the radios themselves: "everypost service-vlan carry 500 th-rl-01:eth0 gs-rl-01:eth0".`,
		Example: "  everypost service-vlan carry 400 th-sw-01:2/1/46 gs-sw-01:1/1/19 --why 'the pilots have a line to their lookout'",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			id, err := vlanNumber(args[0])
			if err != nil {
				return err
			}
			p, err := c.CarryServiceVLAN(ctx, id, v1.ServiceCarryRequest{From: args[1], To: args[2], Change: number})
			if err != nil {
				return err
			}
			return a.carriage(ctx, c, p, fmt.Sprintf("Service VLAN %d is carried from %s to %s already.", id, args[1], args[2]), number, why)
		}),
	}
	f := cmd.Flags()
	f.Var(draftNumber{&number}, "change", "add to this draft instead of making one")
	f.StringVar(&why, "why", "", "why the change is made")
	return cmd
}

func (a *app) serviceVLANEndCommand() *cobra.Command {
	var why string
	cmd := &cobra.Command{
		Use: "end VLAN", Short: "Put into a draft what takes a service VLAN off all ports", Args: cobra.ExactArgs(1),
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			id, err := vlanNumber(args[0])
			if err != nil {
				return err
			}
			p, err := c.EndServiceVLAN(ctx, id)
			if err != nil {
				return err
			}
			return a.carriage(ctx, c, p, fmt.Sprintf("No port is in service VLAN %d.", id), 0, why)
		}),
	}
	cmd.Flags().StringVar(&why, "why", "", "why the change is made")
	return cmd
}
