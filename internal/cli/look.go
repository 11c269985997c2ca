package cli

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) sitesCommand() *cobra.Command {
	return &cobra.Command{
		Use: "sites", Short: "List the sites with the health of their devices", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			list, err := c.Sites(cmd.Context())
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, s := range list.Items {
				rows[i] = []string{s.Name, s.Title, strconv.Itoa(s.Devices.Total), strconv.Itoa(s.Devices.Well), strconv.Itoa(s.Devices.Down),
					strconv.Itoa(s.Devices.Unknown), fmt.Sprintf("%d of %d", s.Ports.Well, s.Ports.Total), s.Entry}
			}
			return a.list(list, []string{"site", "title", "devices", "well", "down", "unknown", "ports up", "entry"}, rows, "There are no sites yet.")
		},
	}
}

func (a *app) devicesCommand() *cobra.Command {
	var site string
	cmd := &cobra.Command{
		Use: "devices [words...]", Short: "List the devices in which all the words are found",
		Example: "  everypost devices\n  everypost devices switch H24P -o csv",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			list, err := c.Devices(cmd.Context(), strings.Join(args, " "), site)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, d := range list.Items {
				rows[i] = []string{d.Name, a.shape(d.Health), d.Site, d.Kind, d.Maker + " " + d.Model, d.Serial, d.Firmware, d.Address,
					fmt.Sprintf("%d of %d", d.Ports.Well, d.Ports.Total), a.when(d.SeenAt)}
			}
			return a.list(list, []string{"device", "health", "site", "kind", "model", "serial", "firmware", "address", "ports up", "seen"}, rows, "No device fits.")
		},
	}
	cmd.Flags().StringVar(&site, "site", "", "only devices of this site")
	return cmd
}

func (a *app) deviceCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "device", Short: "Look at one device, or accept its new host key"}
	cmd.AddCommand(a.pinCommand())
	cmd.AddCommand(&cobra.Command{
		Use: "show DEVICE", Short: "Show a device: its face, particulars and links", Args: cobra.ExactArgs(1),
		ValidArgsFunction: a.completeDevices,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			d, err := c.Device(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			switch a.format {
			case "json", "yaml":
				return a.data(d)
			case "csv":
				return a.printPorts(v1.List[v1.Port]{Items: d.PortList, Total: len(d.PortList)})
			}
			a.printDevice(d)
			return nil
		},
	})
	return cmd
}

func (a *app) printDevice(d v1.DeviceDetail) {
	p := func(format string, args ...any) { _, _ = fmt.Fprintf(a.out, format+"\n", args...) }
	p("%s   %s %s, %s at %s", d.Name, d.Maker, d.Model, d.Kind, d.Site)
	state := fmt.Sprintf("%s, %s since %s", a.shape(d.Health), d.Reach, d.Since.Local().Format("2006-01-02 15:04:05"))
	if d.Why != "" {
		state += " (" + d.Why + ")"
	}
	p("%s\n", state)
	_, _ = fmt.Fprint(a.out, a.face(d))
	p("")
	p("  serial      %-24s firmware   %s", d.Serial, d.Firmware)
	p("  address     %-24s management %s", d.Address, orDash(d.ManagementVLAN, "VLAN "))
	p("  booted      %-24s seen       %s", ago(d.BootedAt)+" ago", sinceNow(d.SeenAt))
	p("  ports up    %-24s %s", fmt.Sprintf("%d of %d", d.Ports.Well, d.Ports.Total), powerLine(d.Power))
	p("  host key    %s", d.HostKey)
	first := true
	for _, port := range d.PortList {
		if port.Peer == nil {
			continue
		}
		if first {
			p("\nLinks")
			first = false
		}
		peer := port.Peer.Device
		if peer == "" {
			peer = port.Peer.System
		}
		p("  %s %-10s %s:%s", a.mark(port.Health), port.Port, peer, port.Peer.Port)
	}
}

func sinceNow(t time.Time) string {
	s := ago(t)
	if s == "now" || s == "never" {
		return s
	}
	return s + " ago"
}

func orDash(v int, prefix string) string {
	if v == 0 {
		return "-"
	}
	return prefix + strconv.Itoa(v)
}

func powerLine(p *v1.Power) string {
	if p == nil {
		return ""
	}
	return fmt.Sprintf("PoE        %s of %s used", watts(p.UsedMilliW), watts(p.BudgetMilliW))
}

func watts(mw int) string { return strconv.FormatFloat(float64(mw)/1000, 'f', 1, 64) + " W" }

// face draws the front of a device: groups of ports beside each other, with the number above or below the shape.
func (a *app) face(d v1.DeviceDetail) string {
	health := map[string]string{}
	for _, p := range d.PortList {
		health[p.Port] = p.Health
	}
	groups := map[int][]v1.FacePort{}
	last := 0
	width := 2
	for _, f := range d.Face {
		groups[f.Group] = append(groups[f.Group], f)
		last = max(last, f.Group)
		width = max(width, len(f.Label))
	}
	var lines [4]strings.Builder // labels of the top row, shapes of both rows, labels of the bottom row
	pad := func(s string, n int) string { return strings.Repeat(" ", max(0, width-n)) + s + " " }
	for g := range last + 1 {
		ports := groups[g]
		if len(ports) == 0 {
			continue
		}
		first, end := ports[0].Column, ports[0].Column
		at := map[[2]int]v1.FacePort{}
		for _, f := range ports {
			first, end = min(first, f.Column), max(end, f.Column)
			at[[2]int{f.Column, f.Row}] = f
		}
		for col := first; col <= end; col++ {
			for rowNo := range 2 {
				f, ok := at[[2]int{col, rowNo}]
				label, shape := pad("", 0), pad("", 0)
				if ok {
					label, shape = pad(f.Label, len(f.Label)), pad(a.mark(health[f.Port]), 1)
				}
				lines[rowNo*3].WriteString(label)
				lines[1+rowNo].WriteString(shape)
			}
		}
		for i := range lines {
			lines[i].WriteString("  ")
		}
	}
	var out strings.Builder
	for i := range lines {
		if s := strings.TrimRight(lines[i].String(), " "); s != "" {
			out.WriteString("  " + s + "\n")
		}
	}
	return out.String()
}

func (a *app) portsCommand() *cobra.Command {
	var device string
	cmd := &cobra.Command{
		Use: "ports [words...]", Short: "List the ports in which all the words are found",
		Long:    "List the ports in which all the words are found: in their name, description, VLAN (written vlan40), state, neighbour or MAC address.",
		Example: "  everypost ports --device th-sw-02\n  everypost ports camera down\n  everypost ports vlan40 -o csv",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			list, err := c.Ports(cmd.Context(), strings.Join(args, " "), device)
			if err != nil {
				return err
			}
			return a.printPorts(list)
		},
	}
	cmd.Flags().StringVar(&device, "device", "", "only ports of this device")
	_ = cmd.RegisterFlagCompletionFunc("device", a.completeDevices)
	return cmd
}

func (a *app) printPorts(list v1.List[v1.Port]) error {
	rows := make([][]string, len(list.Items))
	for i, p := range list.Items {
		rows[i] = []string{p.Ref, a.shape(p.Health), p.Description, p.Mode, vlanText(p), speed(p), poeText(p), peerText(p.Peer), a.when(p.ChangedAt)}
	}
	return a.list(list, []string{"port", "state", "description", "mode", "vlan", "speed", "poe", "neighbour", "since"}, rows, "No port fits.")
}

func vlanText(p v1.Port) string {
	switch p.Mode {
	case "access":
		return strconv.Itoa(p.AccessVLAN)
	case "trunk":
		if p.NativeVLAN == 0 {
			return p.TrunkVLANs
		}
		return fmt.Sprintf("%d untagged, %s", p.NativeVLAN, p.TrunkVLANs)
	}
	return ""
}

func speed(p v1.Port) string {
	switch {
	case p.SpeedMbps == 0:
		return ""
	case p.SpeedMbps >= 1000 && p.SpeedMbps%1000 == 0:
		return fmt.Sprintf("%d Gb/s", p.SpeedMbps/1000)
	case p.SpeedMbps >= 1000:
		return fmt.Sprintf("%.1f Gb/s", float64(p.SpeedMbps)/1000)
	}
	return fmt.Sprintf("%d Mb/s", p.SpeedMbps)
}

func poeText(p v1.Port) string {
	switch {
	case !p.HasPoE:
		return ""
	case !p.PoE:
		return "off"
	case p.PoEMilliW == 0:
		return "on"
	}
	return watts(p.PoEMilliW)
}

func peerText(p *v1.Peer) string {
	if p == nil {
		return ""
	}
	return p.System + ":" + p.Port
}

func (a *app) eventsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "events", Short: "Follow what happens, until Ctrl-C", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			err = c.Events(cmd.Context(), 0, func(e v1.Event) bool {
				if e.Text == "" {
					return true
				}
				if a.isData() {
					_ = a.data(e)
				} else {
					_, _ = fmt.Fprintf(a.out, "%s  %s\n", e.At.Local().Format("15:04:05.000"), e.Text)
				}
				return true
			})
			if cmd.Context().Err() != nil {
				return nil
			}
			return err
		},
	}
}

func (a *app) completeDevices(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	c, err := a.client()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	list, err := c.Devices(cmd.Context(), "", "")
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	out := make([]string, len(list.Items))
	for i, d := range list.Items {
		out[i] = d.Name + "\t" + d.Maker + " " + d.Model
	}
	return out, cobra.ShellCompDirectiveNoFileComp
}
