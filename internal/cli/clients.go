package cli

import (
	"strconv"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) clientsCommand() *cobra.Command {
	return listCommand(a, listing[v1.NetworkClient]{
		use: "clients", short: "List end stations, wired and wireless", empty: "No client fits.",
		example: "  everypost clients client.here = true and site = kelp-bay\n  everypost clients 02:a1:20\n  everypost clients 'client.signal < -75' --sort client.signal",
		header:  []string{"client", "", "name", "maker", "address", "vlan", "where", "signal", "system", "seen"},
		fetch:   (*client.Client).Clients,
		row: func(x v1.NetworkClient) []string {
			where, signal, state := x.Device+":"+x.Port, "", "off"
			if x.SSID != "" {
				where, signal = x.Device+" "+x.SSID, strconv.Itoa(x.SignalDbm)+" dBm"
			}
			if x.Here {
				state = "well"
			}
			return []string{x.MAC, a.mark(state), x.Name, x.Maker, x.Address, orDash(x.VLAN, ""), where, signal, x.System, a.when(x.LastSeen)}
		},
	})
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
