package cli

import (
	"fmt"
	"strings"

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
			p("  %s %-22s %-10s %-14s %6.1f ms  jitter %4.1f ms  loss %.1f %%", a.mark(state), t.Name, t.Underlay, t.RemoteSystem, t.DelayMs, t.JitterMs, t.LossPercent)
		}
	}
	if r := in.RadioLink; r != nil {
		p("\nRadio link")
		p("  receives %.1f dBm, %s, %d Mbit/s, %.3f GHz over %.1f km", r.ReceivedDbm, r.Modulation, r.CapacityMbps, r.FrequencyGHz, r.DistanceKm)
	}
	for _, b := range in.Bundles {
		var members []string
		for _, m := range b.Members {
			members = append(members, a.mark(okMark(m.InSync))+" "+m.Port)
		}
		p("\nBundle %s: %s", b.Name, strings.Join(members, ", "))
	}
}

func okMark(ok bool) string {
	if ok {
		return "well"
	}
	return "down"
}
