package cli

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// portApartCommand keeps ports from each other, as rooms of guests that all see the way out and nobody else.
func (a *app) portApartCommand() *cobra.Command {
	var in v1.BulkRequest
	where := ""
	cmd := &cobra.Command{
		Use: "apart [PORT...]", Short: "Put into a draft that ports see the uplink, and not each other",
		Long: `Put into a draft that ports see the uplink and whatever else is on the device, and not each other: as rooms of guests, or cameras. On each device they become one
group of isolation that no other port of it is in. Ports that lead to another device are refused: it would be cut off from the others.`,
		Example: "  everypost port apart th-sw-02:1/1/3 th-sw-02:1/1/4 th-sw-02:1/1/5\n  everypost port apart --where 'port.vlan = 50 and site = tern-haven and kind = switch'",
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			ports, err := a.portsOf(ctx, c, words, where)
			if err != nil {
				return err
			}
			in.Rows = nil
			for _, device := range slices.Sorted(maps.Keys(ports)) {
				list, err := c.Ports(ctx, client.Query{Where: fmt.Sprintf("name = %q", device)})
				if err != nil {
					return err
				}
				taken := map[string]bool{}
				row := v1.BulkRow{}
				for _, p := range list.Items {
					switch {
					case !slices.Contains(ports[device], p.Port):
						taken[p.Isolation] = true
					case p.Peer != nil && p.Peer.Device != "":
						return &codedError{ExitRefused, fmt.Errorf("%s leads to %s: name only ports at which stations are; nothing was done", p.Ref, p.Peer.Device)}
					}
				}
				for _, p := range ports[device] {
					row.On = append(row.On, device+":"+p)
				}
				group := 1
				for taken[strconv.Itoa(group)] {
					group++
				}
				row.Set = map[string]string{"isolation": strconv.Itoa(group)}
				in.Rows = append(in.Rows, row)
			}
			answer, err := c.Bulk(ctx, in)
			if err != nil {
				return err
			}
			return a.told(answer)
		}),
	}
	f := cmd.Flags()
	f.StringVar(&where, "where", "", "a selector of ports, instead of naming them")
	f.Var(draftNumber{&in.Change}, "change", "add to this draft instead of making one")
	f.StringVar(&in.Why, "why", "", "why the change is made")
	return cmd
}
