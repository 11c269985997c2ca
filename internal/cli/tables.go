package cli

import (
	"context"
	"maps"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// tableOf is a command that lists a table of a device, of which a text may be looked for.
func (a *app) tableOf(use, short, empty string, header []string, rows func(v1.DeviceDetail) [][]string) *cobra.Command {
	var find string
	cmd := &cobra.Command{
		Use: use + " DEVICE", Short: short, Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Example: "  everypost device " + use + " th-sw-02\n  everypost device " + use + " th-sw-02 --find 1/1/7 -o csv",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			d, err := c.Device(ctx, args[0])
			if err != nil {
				return err
			}
			list := slices.DeleteFunc(rows(d), func(r []string) bool {
				return find != "" && !slices.ContainsFunc(r, func(cell string) bool { return strings.Contains(strings.ToLower(cell), strings.ToLower(find)) })
			})
			out := make([]map[string]string, len(list)) // for programs: rows by the names of columns
			for i, r := range list {
				out[i] = map[string]string{}
				for k, cell := range r {
					out[i][strings.ReplaceAll(header[k], " ", "_")] = cell
				}
			}
			return a.list(v1.List[map[string]string]{Items: out, Total: len(out)}, header, list, empty)
		}),
	}
	cmd.Flags().StringVar(&find, "find", "", "only rows in which this text stands")
	return cmd
}

// tableCommands list what a device has learned.
func (a *app) tableCommands() []*cobra.Command {
	return []*cobra.Command{
		a.tableOf("mac-table", "List the hardware addresses that a device has learned, and behind which port", "It has learned none, or does not tell.",
			[]string{"mac", "vlan", "port"}, func(d v1.DeviceDetail) (out [][]string) {
				if d.Inside != nil {
					for _, m := range d.Inside.MACs {
						out = append(out, []string{m.MAC, m.VLAN.String(), m.Port})
					}
				}
				return out
			}),
		a.tableOf("arp", "List the addresses that a device has resolved (ARP)", "It has resolved none, or does not tell.",
			[]string{"address", "mac", "interface"}, func(d v1.DeviceDetail) (out [][]string) {
				for _, r := range d.Resolved {
					out = append(out, []string{r.Address, r.MAC, r.Interface})
				}
				return out
			}),
		a.tableOf("spanning-tree", "List how a device's ports take part in spanning tree", "It runs no spanning tree, or does not tell.",
			[]string{"tree", "port", "role", "state", "root", "root cost"}, spanningRows),
	}
}

// spanningRows are the ports of a device in each of its trees, the common one first.
func spanningRows(d v1.DeviceDetail) (out [][]string) {
	if d.Inside == nil || d.Inside.Spanning == nil {
		return nil
	}
	s := d.Inside.Spanning
	for _, i := range append([]int{0}, slices.Sorted(maps.Keys(s.Instances))...) {
		t, name := s.In(i), "common"
		if i > 0 {
			name = "instance " + strconv.Itoa(i)
		}
		root := strconv.Itoa(t.RootPriority) + "/" + t.RootAddress
		if t.RootAddress == t.Address {
			root = "itself"
		}
		for _, p := range d.PortList {
			if at, ok := t.Ports[p.Port]; ok {
				out = append(out, []string{name, p.Port, at.Role, at.State, root, strconv.Itoa(t.RootCost)})
			}
		}
	}
	return out
}
