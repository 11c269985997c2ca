package cli

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) vlansCommand() *cobra.Command {
	var where string
	cmd := &cobra.Command{
		Use: "vlans", Short: "List the VLANs of the network", Args: cobra.NoArgs,
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.VLANs(ctx, where)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, v := range list.Items {
				missing := ""
				if v.Wanted != "" {
					missing = "everywhere"
					if len(v.Missing) > 0 {
						missing = fmt.Sprintf("not on %d devices", len(v.Missing))
					}
				}
				rows[i] = []string{strconv.Itoa(v.ID), strings.Join(v.Names, ", "), v.Purpose, v.Subnets, strconv.Itoa(v.Devices), strconv.Itoa(v.Access), strconv.Itoa(v.Trunks), strconv.Itoa(v.Clients), missing}
			}
			return a.list(list, []string{"vlan", "name", "purpose", "subnets", "devices", "access", "trunks", "clients", "carried"}, rows, "There are no VLANs.")
		}),
	}
	cmd.Flags().StringVar(&where, "where", "", "a selector: of these devices only")
	return cmd
}

func (a *app) vlanCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "vlan", Short: "Look at a VLAN, say what it is for, make it, rename it, have it carried"}
	cmd.AddCommand(a.vlanShowCommand(), a.vlanDescribeCommand(), a.vlanCarryCommand(), a.vlanMakeCommand("make", "Put the making of a VLAN on devices into a draft", "on"),
		a.vlanMakeCommand("remove", "Put the removal of a VLAN from devices into a draft", "off"))
	return cmd
}

func vlanNumber(s string) (int, error) {
	n, err := strconv.Atoi(s)
	if err != nil || n < 1 || n > 4094 {
		return 0, usage("%q is not a VLAN: give a number from 1 to 4094", s)
	}
	return n, nil
}

func (a *app) vlanShowCommand() *cobra.Command {
	return &cobra.Command{
		Use: "show VLAN", Short: "Show a VLAN, and where it is", Args: cobra.ExactArgs(1),
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			id, err := vlanNumber(args[0])
			if err != nil {
				return err
			}
			v, err := c.VLAN(ctx, id)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(v)
			}
			_, _ = fmt.Fprintf(a.out, "VLAN %d   %s\n", v.ID, strings.Join(v.Names, ", "))
			for _, line := range [][2]string{{"Purpose", v.Purpose}, {"Subnets", v.Subnets}, {"Gateways", v.Gateways}, {"Must be carried to", v.Wanted}} {
				if line[1] != "" {
					_, _ = fmt.Fprintf(a.out, "%s: %s\n", line[0], line[1])
				}
			}
			for _, m := range v.Missing {
				_, _ = fmt.Fprintf(a.out, "Not carried to %s: %s\n", m.Device, m.Why)
			}
			_, _ = fmt.Fprintln(a.out)
			rows := make([][]string, len(v.Places))
			for i, p := range v.Places {
				rows[i] = []string{p.Device, p.Site, p.Name, strconv.Itoa(p.Access), strconv.Itoa(p.Trunks), strconv.Itoa(p.Clients)}
			}
			return a.list(v, []string{"device", "site", "name there", "access", "trunks", "clients"}, rows, "No device knows it.")
		}),
	}
}

func (a *app) vlanDescribeCommand() *cobra.Command {
	var in v1.VLANRecord
	cmd := &cobra.Command{
		Use: "describe VLAN", Short: "Say what a VLAN is for; what is not given stays as it is", Args: cobra.ExactArgs(1),
		Example: "  everypost vlan describe 40 --purpose 'ticket counters and their printers' --subnets 10.2.40.0/24 --gateways 10.2.40.1 --wanted 'site = tern-haven and kind = switch'",
	}
	cmd.RunE = a.asked(func(ctx context.Context, c *client.Client, args []string) error {
		id, err := vlanNumber(args[0])
		if err != nil {
			return err
		}
		list, err := c.VLANs(ctx, "")
		if err != nil {
			return err
		}
		for _, v := range list.Items {
			if v.ID != id {
				continue
			}
			for flag, keep := range map[string]func(){"purpose": func() { in.Purpose = v.Purpose }, "subnets": func() { in.Subnets = v.Subnets },
				"gateways": func() { in.Gateways = v.Gateways }, "wanted": func() { in.Wanted = v.Wanted }} {
				if !cmd.Flags().Changed(flag) {
					keep()
				}
			}
		}
		if err := c.DescribeVLAN(ctx, id, in); err != nil {
			return err
		}
		a.say("VLAN %d is described.", id)
		return nil
	})
	f := cmd.Flags()
	f.StringVar(&in.Purpose, "purpose", "", "what it is for")
	f.StringVar(&in.Subnets, "subnets", "", "its subnets, separated by commas")
	f.StringVar(&in.Gateways, "gateways", "", "its gateways, separated by commas")
	f.StringVar(&in.Wanted, "wanted", "", "a selector of the devices to which it must be carried")
	return cmd
}

func (a *app) vlanCarryCommand() *cobra.Command {
	var number int64
	var why string
	cmd := &cobra.Command{
		Use: "carry VLAN FROM TO", Short: "Put into a draft what has a VLAN carried from one device to another", Args: cobra.ExactArgs(3),
		Long: `Put into a draft what has a VLAN carried from one device to another: every trunk on the ways between them, and no other port;
the VLAN is made on devices that do not have it.`,
		Example: "  everypost vlan carry 90 th-sw-01 th-sw-04 --why 'ramp sensors at the gates'",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			id, err := vlanNumber(args[0])
			if err != nil {
				return err
			}
			if args[1] == args[2] {
				return usage("from %s to %s is no way: name two devices", args[1], args[2])
			}
			p, err := c.CarryVLAN(ctx, id, v1.CarryRequest{From: args[1], To: args[2], Change: number})
			if err != nil {
				return err
			}
			return a.carriage(ctx, c, p, fmt.Sprintf("VLAN %d is carried on all %d links between %s and %s already.", id, len(p.Links), args[1], args[2]), number, why)
		}),
	}
	f := cmd.Flags()
	f.Var(draftNumber{&number}, "change", "add to this draft instead of making one")
	f.StringVar(&why, "why", "", "why the change is made")
	return cmd
}

// carriage puts what it takes to carry something into a draft, or says that nothing is left to do.
func (a *app) carriage(ctx context.Context, c *client.Client, p v1.Carriage, done string, number int64, why string) error {
	for _, n := range p.Notes {
		a.say("%s", n)
	}
	if len(p.Edits) == 0 {
		a.say("%s", done)
		return nil
	}
	return a.draftOf(ctx, c, number, why, p.Edits)
}

// draftOf puts edits into a draft and shows what it makes different.
func (a *app) draftOf(ctx context.Context, c *client.Client, number int64, why string, edits []v1.Edit) error {
	ch, err := a.makeDraft(ctx, c, number, why, edits)
	if err != nil {
		return err
	}
	return a.showDraft(ch)
}

// makeDraft puts edits into a draft, or a new one for number 0.
func (a *app) makeDraft(ctx context.Context, c *client.Client, number int64, why string, edits []v1.Edit) (v1.Change, error) {
	if number != 0 {
		return c.AddEdits(ctx, number, edits)
	}
	return c.MakeChange(ctx, v1.ChangeRequest{Why: why, Edits: edits})
}

// vlanMakeCommand is "vlan make" and "vlan remove".
func (a *app) vlanMakeCommand(verb, short, present string) *cobra.Command {
	var in v1.BulkRequest
	var where, name string
	cmd := &cobra.Command{
		Use: verb + " VLAN [DEVICE...]", Short: short, Args: cobra.MinimumNArgs(1),
		Example: "  everypost vlan " + verb + " 77 th-sw-01 th-sw-02\n  everypost vlan " + verb + " 77 --where 'kind = switch and site = kelp-bay'",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			id, err := vlanNumber(args[0])
			if err != nil {
				return err
			}
			devices := args[1:]
			if where != "" {
				list, err := c.Devices(ctx, client.Query{Where: where})
				if err != nil {
					return err
				}
				for _, d := range list.Items {
					if !slices.Contains(devices, d.Name) {
						devices = append(devices, d.Name)
					}
				}
			}
			if len(devices) == 0 {
				return usage("no device was named, and none fits: name devices, or pick with --where")
			}
			row := v1.BulkRow{Set: map[string]string{"present": present}}
			if name != "" {
				row.Set["name"] = name
			}
			for _, d := range devices {
				row.On = append(row.On, d+":vlan/"+strconv.Itoa(id))
			}
			in.Rows = []v1.BulkRow{row}
			answer, err := c.Bulk(ctx, in)
			if err != nil {
				return err
			}
			if present == "off" && answer.Change == nil && !slices.ContainsFunc(answer.Results, func(r v1.BulkResult) bool { return r.Outcome != "unchanged" }) {
				return &codedError{ExitRefused, fmt.Errorf("VLAN %d is on none of these devices: nothing was done", id)}
			}
			return a.told(answer)
		}),
	}
	f := cmd.Flags()
	f.Var(draftNumber{&in.Change}, "change", "add to this draft instead of making one")
	f.StringVar(&in.Why, "why", "", "why the change is made")
	f.StringVar(&where, "where", "", "a selector of devices, besides those that are named")
	if present == "on" {
		f.StringVar(&name, "name", "", "what the devices are to call it; also renames it where it is")
	}
	return cmd
}
