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

func (a *app) routesCommand() *cobra.Command {
	var vrf, to string
	cmd := &cobra.Command{
		Use: "routes [DEVICE | selector...]", Short: "List the routes that devices use, of all their tables (VRF), in one list", ValidArgsFunction: a.completeDevices,
		Example: "  everypost routes th-edge-01\n  everypost routes kind = edge --to 10.9.0.7\n  everypost routes th-edge-01 --vrf underlay -o csv",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			where, one := strings.Join(args, " "), ""
			if len(args) == 1 && !strings.ContainsAny(args[0], "=<>~*() ") {
				one = args[0]
				if _, err := c.Device(ctx, one); err != nil {
					return err
				}
				where = "name = " + strconv.Quote(one)
			}
			list, err := c.Routes(ctx, where, vrf, to)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, r := range list.Items {
				rows[i] = []string{r.VRF, r.Prefix, r.Via, r.Interface, r.Origin, r.From}
				if one == "" {
					rows[i] = append([]string{r.Device}, rows[i]...)
				}
			}
			header := []string{"vrf", "prefix", "via", "out of", "origin", "leaked from"}
			if one == "" {
				header = append([]string{"device"}, header...)
			}
			if err := a.list(list.Items, header, rows, "No device there tells of such routes."); err != nil || a.isData() {
				return err
			}
			if list.Total > len(list.Items) {
				a.say("%d more are not shown: say which with a selector, --vrf or --to.", list.Total-len(list.Items))
			}
			return nil
		}),
	}
	cmd.Flags().StringVar(&vrf, "vrf", "", "only those of this VRF")
	cmd.Flags().StringVar(&to, "to", "", "only those that lead to this address")
	return cmd
}

func (a *app) segmentsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "segments [selector...]", Short: "List the segments (VRF) across edges: what is in which, what is leaked, and where edges disagree", ValidArgsFunction: a.completeSelector,
		Example: "  everypost segments\n  everypost segments site = kelp-bay",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Segments(ctx, strings.Join(args, " "))
			if err != nil {
				return err
			}
			var rows [][]string
			for _, s := range list.Items {
				for _, e := range s.Edges {
					var networks []string
					for _, n := range e.Networks {
						networks = append(networks, strings.TrimSpace(fmt.Sprintf("%s (VLAN %d)", n.Network, n.VLAN)))
					}
					rows = append(rows, []string{s.Name, strconv.Itoa(e.Number), e.Device, strings.Join(networks, ", "), leaksText(e), strconv.Itoa(e.Routes)})
				}
			}
			if err := a.list(list, []string{"segment", "number", "edge", "networks", "leaks", "routes"}, rows, "No edge there keeps a segment: \"everypost segment make\" begins."); err != nil || a.isData() {
				return err
			}
			for _, s := range list.Items {
				for _, f := range s.Faults {
					_, _ = fmt.Fprintf(a.out, "Segment %s: %s\n", s.Name, f)
				}
			}
			return nil
		}),
	}
}

func leaksText(e v1.SegmentEdge) string {
	text := strings.Join(e.Leaks, ", ")
	if len(e.Within) > 0 {
		text += " within " + strings.Join(e.Within, ", ")
	}
	return text
}

func (a *app) segmentCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "segment", Short: "Keep networks of many edges apart from all else"}
	cmd.AddCommand(a.segmentMakeCommand())
	return cmd
}

func (a *app) segmentMakeCommand() *cobra.Command {
	var in v1.SegmentRequest
	var vlans []int
	cmd := &cobra.Command{
		Use: "make NAME", Short: "Put into a draft that the networks of VLANs are in a segment, at all edges that have them", Args: cobra.ExactArgs(1),
		Long: `Put into a draft that the networks of VLANs are in a segment, at all edges that have them or at those that a selector picks. What is in a segment reaches what is in
it at other sites, and nothing else but what it leaks.

The segment is made where it is not there yet. At one edge it is a setting as others are: "everypost port set th-edge-01:segment/cameras leaks=main",
"everypost port set th-edge-01:gateway/50 segment=none".`,
		Example: "  everypost segment make cameras --vlans 50\n  everypost segment make guests --vlans 70 --leaks outside --edges 'tag = terminal'",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			in.Name, in.VLANs = args[0], vlans
			if len(vlans) == 0 {
				return usage("say of which VLANs the networks are in it: --vlans 50,51")
			}
			answer, err := c.MakeSegment(ctx, in)
			if err != nil {
				return err
			}
			return a.told(answer)
		}),
	}
	f := cmd.Flags()
	f.IntSliceVar(&vlans, "vlans", nil, "VLANs of which the networks are in it")
	f.IntVar(&in.Number, "number", 0, "by which it is known between sites; a free one when left out")
	f.StringVar(&in.Edges, "edges", "", "a selector: at which edges; all that have the VLANs when left out")
	f.StringSliceVar(&in.Leaks, "leaks", nil, "tables of which it uses the routes too: segments, main, outside")
	f.StringSliceVar(&in.Prefixes, "only", nil, "of these only routes within these prefixes")
	f.StringVar(&in.Purpose, "purpose", "", "what it is for")
	f.Var(draftNumber{&in.Change}, "change", "add to this draft instead of making one")
	f.StringVar(&in.Why, "why", "", "why, for who reads the history")
	return cmd
}
