package cli

import (
	"cmp"
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// printInside tells what is inside a device: what is wrong first.
func (a *app) printInside(d v1.DeviceDetail) {
	p := func(format string, args ...any) { _, _ = fmt.Fprintf(a.out, format+"\n", args...) }
	for i, t := range d.Troubles {
		if i == 0 {
			p("")
		}
		p("  %s %s", a.mark("degraded"), t)
	}
	in := d.Inside
	if in == nil {
		return
	}
	if c := in.Cluster; c != nil {
		p("\n%s %s", strings.ToUpper(c.Kind[:1])+c.Kind[1:], c.Name)
		for _, m := range c.Members {
			p("  %-12s %-10s %-8s %s", m.Name, m.Role, m.Model, m.Serial)
		}
	}
	if h := in.Hardware; h.HasSensors {
		p("\nHardware")
		p("  processor   %-24s temperature %.0f °C", fmt.Sprintf("%.0f %% busy", h.CPUPercent), h.Temperature)
		if h.MemoryTotal > 0 {
			p("  memory      %d of %d MiB used", h.MemoryUsed>>20, h.MemoryTotal>>20)
		}
		if h.FlashTotal > 0 {
			p("  flash       %d of %d MiB used", h.FlashUsed>>20, h.FlashTotal>>20)
		}
		for _, s := range h.Supplies {
			p("  %s %-10s %.0f W", a.mark(okMark(s.OK)), s.Name, s.Watts)
		}
		for _, f := range h.Fans {
			p("  %s %-10s %d rpm", a.mark(okMark(f.OK)), f.Name, f.RPM)
		}
		for _, m := range h.Transceivers {
			p("  %-12s %s %s, serial %s, sends %.1f dBm, receives %.1f dBm", m.Port, m.Maker, m.Model, m.Serial, m.TxDbm, m.RxDbm)
		}
	}
	if c := in.Clock; c != nil {
		p("\nClock\n  %s %s", a.mark(okMark(c.Right())), clockWord(*c))
	}
	if len(in.Services) > 0 {
		p("\nServices")
		for _, s := range in.Services {
			state, word := "well", ""
			switch {
			case !s.Enabled:
				state, word = "off", "switched off"
			case !s.Running:
				state, word = "down", "does not answer"
			case s.Port > 0:
				word = fmt.Sprintf("TCP port %d", s.Port)
			}
			p("  %s %-10s %-16s %s", a.mark(state), s.Name, word, s.About)
		}
	}
	if len(in.Licences) > 0 {
		p("\nLicences")
		for _, l := range in.Licences {
			p("  %s %-20s %s", a.mark(licenceMark(l.Ends)), l.Name, licenceWord(l.Ends))
		}
	}
	for _, v := range in.VRFs {
		p("\nVRF %s: %d routes (everypost routes %s --vrf %s)", v.Name, len(v.Routes), d.Name, v.Name)
		if v.BGP == nil {
			continue
		}
		p("  BGP, AS %d, router %s", v.BGP.AS, v.BGP.RouterID)
		for _, n := range v.BGP.Neighbours {
			p("  %s %-14s %-14s AS %-6d %-12s %d prefixes received, %d sent", a.mark(okMark(n.State == "established")), n.Address, n.Description, n.AS, n.State, n.Received, n.Sent)
		}
	}
	if len(in.Radios) > 0 {
		p("\nRadios")
		for _, r := range in.Radios {
			p("  radio%s  %-8s channel %-4d %3d MHz  %2d dBm  %2d %% busy  noise %d dBm", r.ID, r.Band, r.Channel, r.WidthMHz, r.PowerDbm, r.BusyPercent, r.NoiseDbm)
		}
		p("  %d stations", len(in.Stations))
	}
	if len(in.Tunnels) > 0 {
		p("\nTunnels")
		for _, t := range in.Tunnels {
			state := map[bool]string{true: "well", false: "down"}[t.Up]
			how := "down since " + ago(t.Changed) + " ago"
			if t.Up {
				how = fmt.Sprintf("%6.1f ms  jitter %4.1f ms  loss %.1f %%", t.DelayMs, t.JitterMs, t.LossPercent)
			}
			p("  %s %-22s %-10s %-14s %s", a.mark(state), t.Name, t.Underlay, t.RemoteSystem, how)
		}
	}
	if r := in.RadioLink; r != nil {
		p("\nRadio link")
		if r.ReceivedDbm == 0 {
			p("  hears nothing on %.3f GHz, over %.1f km", r.FrequencyGHz, r.DistanceKm)
		} else {
			p("  receives %.1f dBm, %s, %d Mbit/s, %.3f GHz over %.1f km", r.ReceivedDbm, cmp.Or(r.Modulation, "not to be read"), r.CapacityMbps, r.FrequencyGHz, r.DistanceKm)
		}
		if r.ExpectedDbm != nil && r.ReceivedDbm != 0 {
			p("  in clear air it would receive %.1f dBm (ITU-R P.525): %.1f dB are missing", *r.ExpectedDbm, max(*r.ExpectedDbm-r.ReceivedDbm, 0))
		}
	}
	a.printStanding(d)
	for _, b := range in.Bundles {
		var members []string
		for _, m := range b.Members {
			members = append(members, a.mark(okMark(m.InSync))+" "+m.Port)
		}
		p("\nBundle %s: %s", b.Name, strings.Join(members, ", "))
	}
}

// clockWord says how a clock stands and by what it is set.
func clockWord(c v1.Clock) string {
	word := "right"
	if !c.Right() {
		word = fmt.Sprintf("%d s %s", max(c.AheadSeconds, -c.AheadSeconds), map[bool]string{true: "ahead", false: "behind"}[c.AheadSeconds > 0])
	}
	if c.Server == "" {
		return word + ", set by no server"
	}
	return fmt.Sprintf("%s, set by %s (stratum %d)", word, c.Server, c.Stratum)
}

func okMark(ok bool) string {
	if ok {
		return "well"
	}
	return "down"
}

// licenceMark and licenceWord say how long a licence is still good.
func licenceMark(ends time.Time) string {
	switch left := time.Until(ends); {
	case ends.IsZero() || left > v1.LicenceSoon:
		return "well"
	case left > 0:
		return "degraded"
	}
	return "down"
}

func licenceWord(ends time.Time) string {
	if ends.IsZero() {
		return "without end"
	}
	days := int(time.Until(ends).Hours() / 24)
	if days < 0 {
		return "ended on " + ends.Format("2006-01-02")
	}
	return fmt.Sprintf("until %s, %d days", ends.Format("2006-01-02"), days)
}

func (a *app) leasesCommand() *cobra.Command {
	var vlan int
	cmd := &cobra.Command{
		Use: "leases DEVICE", Short: "List the addresses that a device gave out (DHCP), and how many are left", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Long: `List the addresses that a device gave out, and how many are left in each VLAN. Where it is the gateway and what it gives out is set as other things are:
"everypost port set th-edge-01:gateway/20 dhcp-ranges=10.2.20.100-10.2.20.199", reservations with "everypost rows".`,
		Example: "  everypost leases th-edge-01\n  everypost leases th-edge-01 --vlan 20\n  everypost rows add th-edge-01:gateway/20 '02:4c:53:20:00:07 gets 10.2.20.7 note \"the printer\"'",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			d, err := c.Device(ctx, args[0])
			if err != nil {
				return err
			}
			columns, none := []string{"vlan", "network", "address", "station", "calls itself", "until"}, args[0]+" tells of no addresses that it gave out there."
			in := d.Inside
			if in == nil {
				return a.list([]any{}, columns, nil, args[0]+" was not read yet.")
			}
			list := in.Leases[:0:0]
			var rows [][]string
			for _, l := range in.Leases {
				if vlan != 0 && int(l.VLAN) != vlan {
					continue
				}
				until := l.Ends.Local().Format("2 Jan 15:04")
				if l.Reserved {
					until = "reserved"
				}
				list = append(list, l)
				rows = append(rows, []string{strings.TrimPrefix(l.VLAN.String(), "0"), l.Network, l.Address, l.MAC, l.Name, until})
			}
			if err := a.list(list, columns, rows, none); err != nil || a.isData() {
				return err
			}
			for _, p := range in.Pools {
				if vlan == 0 || int(p.VLAN) == vlan {
					where := "in VLAN " + p.VLAN.String()
					if p.Network != "" {
						where = "for stations of " + p.Network + ", who are seen beyond as " + p.Outside + ","
					}
					a.say("%d of %d %s are free.", p.Free, p.Size, where)
				}
			}
			return nil
		}),
	}
	cmd.Flags().IntVar(&vlan, "vlan", 0, "only those of this VLAN")
	return cmd
}
