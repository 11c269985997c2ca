package cli

import (
	"cmp"
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
)

func (a *app) routersCommand() *cobra.Command {
	return &cobra.Command{
		Use: "routers [selector...]", Short: "List the routers of sites with which edges exchange routes (BGP, OSPF): how each is, and why nothing is exchanged", ValidArgsFunction: a.completeSelector,
		Long: `List the routers of sites with which edges exchange routes, by BGP or OSPF: how each is, how many routes go by it, and why nothing is exchanged.

Each is a setting of its edge. By BGP the router is a thing of its own, of which the edge says what it announces to it and what it accepts from it; by OSPF a VLAN is put
into an area.`,
		Example: `  everypost routers
  everypost routers site = kelp-bay
  everypost port set kb-edge-01:bgp-peer/yard present=on peer-address=10.6.20.5 peer-as=64900 announces=10.0.0.0/8 accepts=172.20.8.0/22
  everypost port set ng-edge-01:gateway/20 ospf-area=0.0.0.0`,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Routers(ctx, strings.Join(args, " "))
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, r := range list.Items {
				in := "area " + r.Area
				if r.Protocol == "bgp" {
					in = "AS " + strconv.FormatUint(uint64(r.AS), 10)
				}
				state, since := "down", ""
				if r.Up {
					state = "up"
				}
				if r.Since != nil {
					since = a.when(*r.Since)
				}
				rows[i] = []string{r.Device, r.Protocol, r.Name, cmp.Or(r.Address, "none heard"), in, cmp.Or(r.VRF, "-"), state, since, strconv.Itoa(r.Routes)}
			}
			if err := a.list(list.Items, []string{"edge", "by", "name", "router", "in", "vrf", "state", "since", "routes"}, rows,
				"No edge there exchanges routes with a router of its site."); err != nil || a.isData() {
				return err
			}
			for _, r := range list.Items {
				if r.Why != "" {
					_, _ = fmt.Fprintf(a.out, "%s %s: %s\n", r.Device, r.Name, r.Why)
				}
			}
			return nil
		}),
	}
}
