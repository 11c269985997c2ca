package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
)

func (a *app) whereCommand() *cobra.Command {
	return &cobra.Command{
		Use: "where MAC|ADDRESS|NAME", Short: "Find an end station: its port, and the way to its gateway with what is out of order on it", Args: cobra.MinimumNArgs(1),
		Long: `Find an end station by its hardware address, its IP address, or a part of its name: at which port it is, or was last, and the way from there to where
its site is entered, device by device: which ports do not carry its VLAN, and what is out of order.`,
		Example: "  everypost where 10.20.50.30\n  everypost where 02:4c:53:20:00:07\n  everypost where ticket-printer",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			what := strings.Join(args, " ")
			where := strconv.Quote(what)
			switch {
			case strings.Count(what, ":") == 5:
				where = "client.mac = " + strings.ToLower(what)
			case strings.Count(what, ".") == 3 && strings.Trim(what, "0123456789.") == "":
				where = "client.address = " + what
			}
			list, err := c.Clients(ctx, client.Query{Where: where, Limit: 20})
			if err != nil {
				return err
			}
			switch len(list.Items) {
			case 0:
				return fmt.Errorf("no end station fits %q: \"everypost clients\" lists them", what)
			case 1:
			default:
				rows := make([][]string, len(list.Items))
				for i, one := range list.Items {
					rows[i] = []string{one.MAC, one.Name, one.Address, one.Device, one.Port}
				}
				if err := a.list(list, []string{"mac", "name", "address", "device", "port"}, rows, ""); err != nil {
					return err
				}
				return fmt.Errorf("%d end stations fit %q: name one by its hardware address", list.Total, what)
			}
			w, err := c.ClientWay(ctx, list.Items[0].MAC)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(w)
			}
			s, at := w.Client, w.Client.Device
			if s.Port != "" {
				at += ":" + s.Port
			}
			if s.SSID != "" {
				at += " by " + s.SSID
			}
			state := "is at"
			if !s.Here {
				state = "was last seen " + ago(s.LastSeen) + " ago at"
			}
			name := strings.TrimSpace(s.Name + " " + s.MAC + " " + s.Address)
			_, _ = fmt.Fprintf(a.out, "%s %s %s, VLAN %d, site %s\n", name, state, at, s.VLAN, s.Site)
			rows := make([][]string, len(w.Hops))
			for i, h := range w.Hops {
				rows[i] = []string{h.Device, h.In, h.Out, h.Reach, strings.Join(h.NotCarried, ", "), strings.Join(h.Alarms, " ")}
			}
			if err := a.list(w, []string{"device", "in by", "out by", "reach", "vlan not carried", "out of order"}, rows, "The device at which it is, is not known."); err != nil {
				return err
			}
			switch {
			case w.Hidden:
				a.say("The way goes on where you may not see it.")
			case !w.Whole:
				a.say("The way is not whole.")
			}
			return nil
		}),
	}
}
