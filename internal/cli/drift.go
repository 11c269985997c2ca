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

func (a *app) driftCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "drift [DEVICE...]", Short: "Show what devices run other than intended, since when, and who set it", ValidArgsFunction: a.completeDevices,
		Long: `Show what devices run other than intended: what somebody changed on the device itself, or what a template or site came to
say since. Take it as what is intended with "drift accept", or have the devices go back with "drift restore". The exit code is 7
when something differs.`,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			for _, name := range args { // one that there is not does not run as intended
				if _, err := c.Device(ctx, name); err != nil {
					return err
				}
			}
			list, err := c.Drift(ctx)
			if err != nil {
				return err
			}
			list.Items = slices.DeleteFunc(list.Items, func(d v1.Drift) bool { return len(args) > 0 && !slices.Contains(args, d.Device) })
			list.Total = len(list.Items)
			var rows [][]string
			for _, d := range list.Items {
				for _, one := range d.Differences {
					rows = append(rows, []string{one.On, one.Setting, orNothing(one.Intended), layerText(one.Layer), orNothing(one.Runs), a.when(one.Since), one.By})
				}
			}
			if err := a.list(list, []string{"on", "setting", "intended", "by", "runs", "since", "set by"}, rows, "Everything runs as intended."); err != nil {
				return err
			}
			if len(rows) > 0 {
				return &codedError{ExitDiffers, fmt.Errorf("%d settings on %d devices differ from what is intended", len(rows), len(list.Items))}
			}
			return nil
		}),
	}
	var in v1.RestoreRequest
	restore := &cobra.Command{
		Use: "restore TARGET...", Short: "Make a draft that has devices, or single ports, run what is intended again", Args: cobra.MinimumNArgs(1), ValidArgsFunction: a.completeDevices,
		Example: "  everypost drift restore th-sw-02\n  everypost drift restore th-sw-02:1/1/7",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			in.On = args
			ch, err := c.RestoreDrift(ctx, in)
			if err != nil {
				return err
			}
			return a.showDraft(ch)
		}),
	}
	draftFlags(restore, &in.Change, &in.Why)
	cmd.AddCommand(restore, &cobra.Command{
		Use: "accept DEVICE [OBJECT...]", Short: "Take what a device runs as what is intended; nothing is sent", Args: cobra.MinimumNArgs(1), ValidArgsFunction: a.completeDevices,
		Example: "  everypost drift accept th-sw-02\n  everypost drift accept th-sw-02 1/1/7 vlan/77",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			left, err := c.AcceptDrift(ctx, args[0], args[1:])
			if err != nil {
				return err
			}
			if n := len(left.Differences); n > 0 {
				a.say("What was named is intended from now on; %d settings of %s still differ.", n, args[0])
				return nil
			}
			a.say("What %s runs is intended from now on.", args[0])
			return nil
		}),
	})
	return cmd
}

// controlCommand sets who changes a device.
func (a *app) controlCommand() *cobra.Command {
	return &cobra.Command{
		Use: "control DEVICE here|watched|local", Short: "Set who changes a device: this service, nobody from here, or people on the spot", Args: cobra.ExactArgs(2), ValidArgsFunction: a.completeDevices,
		Long: `Set who changes a device. here: by drafts, and what others change is told as drift. watched: it is only looked at. local:
it is handed to people on the spot until it is taken back; what they changed is then there to be accepted or restored.`,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if err := c.SetControl(ctx, args[0], args[1]); err != nil {
				return err
			}
			a.say("%s", map[string]string{"here": args[0] + " is changed from here.", "watched": args[0] + " is only watched.", "local": args[0] + " is under local control."}[args[1]])
			return nil
		}),
	}
}

// copyCommand puts settings of one device into a draft for others.
func (a *app) copyCommand() *cobra.Command {
	var in v1.CopyRequest
	cmd := &cobra.Command{
		Use: "copy FROM [TO...]", Short: "Put the settings of a device into a draft for others", Args: cobra.MinimumNArgs(1), ValidArgsFunction: a.completeDevices,
		Long: `Put the settings of a device into a draft for others: those of the device itself, its VLANs, its ports onto the ports of the
same names, and its schedules, mirrors and access lists. What tells one device or port from another stays as it is: names,
descriptions, places, the priority in the spanning tree, bundles and their members.`,
		Example: "  everypost device copy gs-sw-01 gs-sw-02\n  everypost device copy th-sw-02 --where 'site = tern-haven and kind = switch and not name in (th-sw-01, th-sw-02)' --parts vlans,lists",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			in.From, in.To = args[0], args[1:]
			if len(in.To) == 0 && in.Where == "" {
				return usage("name the devices that are to get them, or pick with --where")
			}
			answer, err := c.CopySettings(ctx, in)
			if err != nil {
				return err
			}
			return a.told(answer)
		}),
	}
	cmd.Flags().StringVar(&in.Where, "where", "", "a selector of devices, besides those that are named")
	cmd.Flags().StringSliceVar(&in.Parts, "parts", nil, "only these: "+strings.Join([]string{"device", "vlans", "ports", "lists", "sign-in"}, ", "))
	draftFlags(cmd, &in.Change, &in.Why)
	return cmd
}
