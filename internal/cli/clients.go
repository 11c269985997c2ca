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
		example: "  everypost clients client.here = true and site = kelp-bay\n  everypost clients 02:a1:20\n  everypost clients 'client.signal < -75' --sort client.signal\n  everypost clients site = tern-haven --sort -client.down --limit 10",
		header:  []string{"client", "", "name", "maker", "address", "vlan", "where", "signal", "up", "down", "octets", "system", "seen"},
		fetch:   (*client.Client).Clients,
		row: func(x v1.NetworkClient) []string {
			where, signal, state := x.Device+":"+x.Port, "", "off"
			if x.SSID != "" {
				where, signal = x.Device+" "+x.SSID, strconv.Itoa(x.SignalDbm)+" dBm"
			}
			if x.Here {
				state = "well"
			}
			up, down, octets := useOf(x.Use)
			return []string{x.MAC, a.mark(state), x.Name, x.Maker, x.Address, orDash(x.VLAN, ""), where, signal, up, down, octets, x.System, a.when(x.LastSeen)}
		},
	})
}

// useOf is what a client uses, as cells.
func useOf(u *v1.Use) (up, down, octets string) {
	if u == nil {
		return "", "", ""
	}
	if u.UpBps != nil && u.DownBps != nil {
		up, down = amount(*u.UpBps, "bit/s"), amount(*u.DownBps, "bit/s")
	}
	return up, down, octetsText(u.UpOctets + u.DownOctets)
}

// octetsText writes octets in powers of 1000.
func octetsText(n uint64) string {
	v, unit := float64(n), "B"
	for _, next := range []string{"kB", "MB", "GB", "TB", "PB"} {
		if v < 1000 {
			break
		}
		v, unit = v/1000, next
	}
	if unit == "B" {
		return strconv.FormatUint(n, 10) + " B"
	}
	return strconv.FormatFloat(v, 'f', 1, 64) + " " + unit
}

func (a *app) clientCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "client", Short: "Give an end station a name, or block it"}
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
	cmd.AddCommand(a.blockCommands()...)
	cmd.AddCommand(a.limitCommands()...)
	return cmd
}
