package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/cli/safe"
)

func (a *app) liveCommand() *cobra.Command {
	times := 0
	cmd := &cobra.Command{
		Use: "live DEVICE[:PORT[,PORT...]]", Short: "Look at a device or ports of it, second by second", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Long:    "Look at a device or ports of it, second by second, until Ctrl-C: the device is read each second while somebody looks on. Of a device the totals of its ports are shown.",
		Example: "  everypost live th-sw-02:1/1/25\n  everypost live th-sw-02:1/1/17,1/1/18 --times 10\n  everypost live hh-core-01",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			device, list, some := strings.Cut(args[0], ":")
			var ports []string
			if some {
				ports = strings.Split(list, ",")
			}
			a.liveHead(some)
			n := 0
			err := c.Live(ctx, device, ports, func(r v1.LiveReading) bool {
				if a.isData() {
					_ = a.data(r)
				} else {
					a.liveLines(r, some)
				}
				n++
				return times == 0 || n < times
			})
			if ctx.Err() != nil {
				return nil
			}
			return err
		}),
	}
	countVar(cmd.Flags(), &times, "times", 0, 1, "end after so many readings")
	return cmd
}

func (a *app) liveHead(ports bool) {
	switch {
	case a.isData():
	case ports:
		_, _ = fmt.Fprintf(a.out, "%-8s  %-10s  %-4s  %10s  %10s  %9s  %9s  %8s  %8s\n", "at", "port", "link", "in", "out", "frames in", "out", "errors/s", "drops/s")
	default:
		_, _ = fmt.Fprintf(a.out, "%-8s  %5s  %6s  %6s  %8s  %8s  %10s  %10s  %8s  %8s\n", "at", "cpu", "memory", "heat", "fed", "ports up", "in", "out", "errors/s", "drops/s")
	}
}

func (a *app) liveLines(r v1.LiveReading, ports bool) {
	at := r.At.Local().Format("15:04:05")
	if ports {
		for _, p := range r.Ports {
			link := "down"
			if p.Up {
				link = "up"
			}
			_, _ = fmt.Fprintf(a.out, "%-8s  %-10s  %-4s  %10s  %10s  %9.0f  %9.0f  %8.1f  %8.1f\n", at, safe.Line(p.Port), link, quantityText(p.RxBps), quantityText(p.TxBps), p.RxFps, p.TxFps, p.Errors, p.Discards)
		}
		return
	}
	up, in, out, errs, drops := 0, 0.0, 0.0, 0.0, 0.0
	for _, p := range r.Ports {
		if p.Up {
			up++
		}
		in, out, errs, drops = in+p.RxBps, out+p.TxBps, errs+p.Errors, drops+p.Discards
	}
	_, _ = fmt.Fprintf(a.out, "%-8s  %5s  %6s  %6s  %8s  %8s  %10s  %10s  %8.1f  %8.1f\n", at, percent(r.Device.CPUPercent), percent(r.Device.MemoryPercent), degrees(r.Device.TemperatureCelsius),
		fmt.Sprintf("%.1f W", float64(r.Device.PoEMilliW)/1000), fmt.Sprintf("%d/%d", up, len(r.Ports)), quantityText(in), quantityText(out), errs, drops)
}

func percent(v *float64) string {
	if v == nil {
		return "-"
	}
	return fmt.Sprintf("%.0f %%", *v)
}

func degrees(v *float64) string {
	if v == nil {
		return "-"
	}
	return fmt.Sprintf("%.0f °C", *v)
}
