package cli

import (
	"strconv"

	"github.com/spf13/cobra"
)

func (a *app) clientsCommand() *cobra.Command {
	var pick picking
	cmd := &cobra.Command{
		Use: "clients [selector...]", Short: "List end stations, wired and wireless",
		Example: "  everypost clients client.here = true and site = kelp-bay\n  everypost clients 02:a1:20\n  everypost clients 'client.signal < -75' --sort client.signal",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			q, err := pick.read(args)
			if err != nil {
				return err
			}
			list, err := c.Clients(cmd.Context(), q)
			if err != nil {
				return err
			}
			if done, err := counted(a, q, list); done {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, x := range list.Items {
				where, signal := x.Device+":"+x.Port, ""
				if x.SSID != "" {
					where, signal = x.Device+" "+x.SSID, strconv.Itoa(x.SignalDbm)+" dBm"
				}
				state := "well"
				if !x.Here {
					state = "off"
				}
				rows[i] = []string{x.MAC, a.mark(state), x.Name, x.Maker, x.Address, orDash(x.VLAN, ""), where, signal, x.System, a.when(x.LastSeen)}
			}
			defer more(a, list)
			return a.list(list, []string{"client", "", "name", "maker", "address", "vlan", "where", "signal", "system", "seen"}, rows, "No client fits.")
		},
	}
	return pick.flags(a, cmd)
}

func (a *app) clientCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "client", Short: "Give an end station a name"}
	cmd.AddCommand(&cobra.Command{
		Use: "name MAC NAME", Short: "Give a client a name; an empty one takes it back", Args: cobra.ExactArgs(2),
		Example: "  everypost client name 02:a1:20:02:00:1f \"Quay camera 3\"",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			if err := c.NameClient(cmd.Context(), args[0], args[1]); err != nil {
				return err
			}
			a.say("%s is now called %q.", args[0], args[1])
			return nil
		},
	})
	return cmd
}
