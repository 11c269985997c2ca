package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) radioLinksCommand() *cobra.Command {
	return &cobra.Command{
		Use: "radio-links [selector...]", Short: "List the radio links between sites with both ends, and why those are down that are", ValidArgsFunction: a.completeSelector,
		Example: "  everypost radio-links\n  everypost radio-links site = grey-skerry",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.RadioLinks(ctx, strings.Join(args, " "))
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, l := range list.Items {
				far, state := "not known here", "up"
				if l.Far != nil {
					far = l.Far.Device + ":" + l.Far.Port
				}
				if !l.Up {
					state = "down"
				}
				n := l.Near
				rows[i] = []string{n.Device + ":" + n.Port, far, state, megahertz(n.TxMHz), megahertz(n.RxMHz), megahertz(n.SeparationMHz), decibels(n.ReceivedDbm), decibels(n.ExpectedDbm), n.Modulation, strconv.Itoa(n.CapacityMbps)}
			}
			header := []string{"from", "to", "state", "sends MHz", "hears MHz", "channel MHz", "level dBm", "clear air", "modulation", "Mbit/s"}
			if err := a.list(list, header, rows, "No device there is an end of a radio link."); err != nil || a.isData() {
				return err
			}
			for _, l := range list.Items {
				if !l.Up && len(l.Why) > 0 {
					_, _ = fmt.Fprintf(a.out, "The radio link of %s is down. %s\n", l.Near.Device, strings.Join(l.Why, " "))
				}
			}
			return nil
		}),
	}
}

func (a *app) radioLinkCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "radio-link", Short: "Look at a radio link, set both its ends, and tell how much of it is used"}
	cmd.AddCommand(a.radioLinkShowCommand(), a.radioLinkSetCommand(), a.radioLinkUseCommand(), a.radioLicenceCommand())
	return cmd
}

func (a *app) radioLinkShowCommand() *cobra.Command {
	var period string
	cmd := &cobra.Command{
		Use: "show DEVICE", Short: "Show a radio link with both its ends, and how it fared", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Long: `Show a radio link with both its ends: how they are set, what they hear beside what clear air would let them hear (ITU-R P.525), and how they fared:
lowest and highest level, errored, severely errored and unavailable seconds (ITU-T G.828).`,
		Example: "  everypost radio-link show gs-rl-01\n  everypost radio-link show gs-rl-01 --period 30d",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			page, err := c.RadioLink(ctx, args[0], period)
			if err != nil {
				return err
			}
			return a.radioLink(page)
		}),
	}
	cmd.Flags().StringVar(&period, "period", "24h", "over how long a time it fared: 90m, 24h, 30d")
	return cmd
}

func (a *app) radioLinkUseCommand() *cobra.Command {
	var period string
	cmd := &cobra.Command{
		Use: "use DEVICE", Short: "Tell how much of a radio link was used and how well it served, as a page for its customer", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Long:    `Tell how much of a radio link was used and how well it served, as a page that can be handed to its customer: no names of devices, no frequencies.`,
		Example: "  everypost radio-link use gs-rl-01 --period 30d > use.txt",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			page, err := c.RadioLink(ctx, args[0], period)
			if err != nil {
				return err
			}
			return a.radioLinkUse(page)
		}),
	}
	cmd.Flags().StringVar(&period, "period", "30d", "over how long a time: 24h, 30d")
	return cmd
}

// mostPower reads the power of a licence, nil for none.
func mostPower(text string) (*float64, error) {
	if text == "" || text == "none" {
		return nil, nil //nolint:nilnil // no limit is a licence too
	}
	dBm, err := strconv.ParseFloat(text, 64)
	if err != nil || !(dBm >= -60 && dBm <= 60) {
		return nil, usage("--most-power %s is no power: give dBm from -60 to 60, such as 20, or none", text)
	}
	return &dBm, nil
}

func (a *app) radioLicenceCommand() *cobra.Command {
	var in v1.RadioLicence
	var mostText string
	var forget bool
	cmd := &cobra.Command{
		Use: "licence DEVICE", Short: "Say by what right a device sends over its radio link; what is not said stays as it is", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Long: `Say by what right a device sends over its radio link. It is kept here, and nothing is sent to the device: guards stop a change with which it would send otherwise, and
an alarm tells that it does, or that the licence ends. What is sent must be within the width about the frequency, both in MHz. Of a new licence they are what the device
sends now, if they are left out.`,
		Example: "  everypost radio-link licence gs-rl-01 --number SH-4471 --authority 'Sound Harbour Board' --ends 2027-06-30\n  everypost radio-link licence gs-rl-01 --frequency 19315 --width 110 --polarization vertical --most-power 20\n  everypost radio-link licence gs-rl-01 --forget",
	}
	f := cmd.Flags()
	f.StringVar(&in.Number, "number", "", "by which the authority knows it")
	f.StringVar(&in.Authority, "authority", "", "who gave it")
	f.Float64Var(&in.TxMHz, "frequency", 0, "centre of the channel, in MHz")
	f.Float64Var(&in.WidthMHz, "width", 0, "width of the channel, in MHz")
	f.StringVar(&in.Polarization, "polarization", "", "horizontal or vertical; either when it is empty")
	f.StringVar(&mostText, "most-power", "", "power at the transmitter, in dBm; none where the licence does not limit it")
	f.StringVar(&in.Ends, "ends", "", "the last day: 2027-06-30")
	f.StringVar(&in.Notes, "notes", "", "what else is to be known")
	f.BoolVar(&forget, "forget", false, "no licence is known any more")
	cmd.RunE = a.asked(func(ctx context.Context, c *client.Client, args []string) error {
		device := args[0]
		if forget {
			if err := c.RemoveRadioLicence(ctx, device); err != nil {
				return err
			}
			a.say("No licence of %s is known any more.", device)
			return nil
		}
		most, err := mostPower(mostText)
		if err != nil {
			return err
		}
		page, err := c.RadioLink(ctx, device, "24h")
		if err != nil {
			return err
		}
		near := page.Link.Near
		was := v1.RadioLicence{TxMHz: near.TxMHz, WidthMHz: near.SeparationMHz}
		if near.Licence != nil {
			was = *near.Licence
		}
		for name, put := range map[string]func(){"number": func() { was.Number = in.Number }, "authority": func() { was.Authority = in.Authority }, "frequency": func() { was.TxMHz = in.TxMHz }, "width": func() { was.WidthMHz = in.WidthMHz },
			"polarization": func() { was.Polarization = in.Polarization }, "most-power": func() { was.MostDbm = most }, "ends": func() { was.Ends = in.Ends }, "notes": func() { was.Notes = in.Notes }} {
			if f.Changed(name) {
				put()
			}
		}
		if was.Number == "" {
			return usage("say by which number the authority knows it: --number SH-4471")
		}
		out, err := c.PutRadioLicence(ctx, device, was)
		if err != nil {
			return err
		}
		if a.isData() {
			return a.data(out)
		}
		a.say("%s sends by licence %s.", device, out.Near.Licence.Number)
		for _, b := range out.Near.Breach {
			a.say("%s", b)
		}
		return nil
	})
	return cmd
}

func (a *app) radioLinkSetCommand() *cobra.Command {
	var in v1.RadioLinkRequest
	cmd := &cobra.Command{
		Use: "set DEVICE NAME=VALUE...", Short: "Put into a draft how both ends of a radio link send and hear", Args: cobra.MinimumNArgs(2), ValidArgsFunction: a.completeDevices,
		Long: `Put into a draft how both ends of a radio link send and hear. What one end is to send on, the other is to hear on; the rest is set alike at both. Frequencies
are in MHz, levels and powers in dBm.

  tx-frequency, rx-frequency, channel-separation, polarization, power-mode (fixed, automatic), nominal-power, level-least, level-most,
  modulation-lowest, modulation-highest

What each end has for itself is set at its port: "everypost port set DEVICE:radio0 transmitter=off" mutes one, "everypost port set DEVICE:eth0
follow=radio0" shuts its wire while the air is down.`,
		Example: "  everypost radio-link set gs-rl-01 tx-frequency=19370 rx-frequency=18360\n  everypost radio-link set gs-rl-01 power-mode=automatic level-least=-50 level-most=-45",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			in.Set = map[string]string{}
			for _, text := range args[1:] {
				name, value, ok := strings.Cut(text, "=")
				if !ok {
					return usage("%q is no setting: write it like tx-frequency=19370", text)
				}
				in.Set[name] = value
			}
			answer, err := c.SetRadioLink(ctx, args[0], in)
			if err != nil {
				return err
			}
			return a.told(answer)
		}),
	}
	f := cmd.Flags()
	f.Var(draftNumber{&in.Change}, "change", "add to this draft instead of making one")
	f.StringVar(&in.Why, "why", "", "why, for who reads the history")
	return cmd
}

func megahertz(f float64) string {
	if f == 0 {
		return ""
	}
	return strconv.FormatFloat(f, 'f', -1, 64)
}

func decibels(f *float64) string {
	if f == nil {
		return ""
	}
	return strconv.FormatFloat(*f, 'f', 1, 64)
}

// radioLink shows one link.
func (a *app) radioLink(page v1.RadioLinkPage) error {
	if a.isData() {
		return a.data(page)
	}
	var out strings.Builder
	ends := []v1.RadioLinkEnd{page.Link.Near}
	if page.Link.Far != nil {
		ends = append(ends, *page.Link.Far)
	}
	header := []string{""}
	for _, e := range ends {
		header = append(header, e.Device+":"+e.Port)
	}
	each := func(title string, of func(e v1.RadioLinkEnd) string) []string {
		row := []string{title}
		for _, e := range ends {
			row = append(row, of(e))
		}
		return row
	}
	a.table(&out, header, [][]string{
		each("state", func(e v1.RadioLinkEnd) string {
			switch {
			case e.Away:
				return "away"
			case !e.Sends:
				return "muted"
			case !e.Up:
				return "down"
			}
			return "up"
		}),
		each("sends on", func(e v1.RadioLinkEnd) string { return megahertz(e.TxMHz) + " MHz" }),
		each("hears on", func(e v1.RadioLinkEnd) string { return megahertz(e.RxMHz) + " MHz" }),
		each("channel", func(e v1.RadioLinkEnd) string { return megahertz(e.SeparationMHz) + " MHz, " + e.Polarization }),
		each("power", func(e v1.RadioLinkEnd) string {
			return strings.TrimSpace(decibels(e.SentDbm) + " of " + decibels(&e.NominalDbm) + " dBm, " + e.PowerMode)
		}),
		each("level", func(e v1.RadioLinkEnd) string {
			if e.ReceivedDbm == nil {
				return "nothing is heard"
			}
			return decibels(e.ReceivedDbm) + " dBm"
		}),
		each("in clear air", func(e v1.RadioLinkEnd) string {
			if e.ExpectedDbm == nil {
				return ""
			}
			return decibels(e.ExpectedDbm) + " dBm"
		}),
		each("needs", func(e v1.RadioLinkEnd) string {
			if e.NeedDbm == nil {
				return ""
			}
			return decibels(e.NeedDbm) + " dBm for " + e.Lowest
		}),
		each("modulation", func(e v1.RadioLinkEnd) string { return e.Modulation + " (" + e.Lowest + " to " + e.Highest + ")" }),
		each("licence", func(e v1.RadioLinkEnd) string {
			if e.Licence == nil {
				return "none is known"
			}
			return e.Licence.Number
		}),
		each("carries", func(e v1.RadioLinkEnd) string { return strconv.Itoa(e.CapacityMbps) + " Mbit/s" }),
	})
	for _, w := range page.Link.Why {
		fmt.Fprintln(&out, "Down: "+w)
	}
	for _, e := range ends {
		for _, b := range e.Breach {
			fmt.Fprintln(&out, b)
		}
	}
	if page.Left != nil {
		fmt.Fprintf(&out, "\n%.0f Mbit/s are left beside the busiest %s of the last %s.\n", *page.Left, lengthText(page.Fared[0].StepS), page.Period)
	}
	fmt.Fprintf(&out, "\nHow it fared, the last %s\n", page.Period)
	rows := make([][]string, len(page.Fared))
	for i, f := range page.Fared {
		rows[i] = []string{f.Device, decibels(f.LowestDbm), decibels(f.HighestDbm), fmt.Sprintf("%.0f", f.CapacityMbps), fmt.Sprintf("%.0f", f.ErroredS), fmt.Sprintf("%.0f", f.SeverelyS), fmt.Sprintf("%.0f", f.UnavailableS),
			availability(f), fmt.Sprintf("%.1f", f.RxPeakMbps), fmt.Sprintf("%.1f", f.RxMostMbps)}
	}
	a.table(&out, []string{"end", "lowest dBm", "highest", "least Mbit/s", "errored s", "severely s", "unavailable s", "available", "peak in Mbit/s", "95 %"}, rows)
	_, err := fmt.Fprint(a.out, out.String())
	return err
}

// lengthText is a number of seconds as people say it.
func lengthText(s int) string {
	text := (time.Duration(s) * time.Second).String()
	if strings.HasSuffix(text, "m0s") {
		text = strings.TrimSuffix(text, "0s")
	}
	return strings.TrimSuffix(text, "h0m") + map[bool]string{true: "h"}[strings.HasSuffix(text, "h0m")]
}

// availability is told to as many digits as it takes; nothing where no second was counted.
func availability(f v1.RadioLinkFared) string {
	if f.CountedS == 0 {
		return ""
	}
	return strconv.FormatFloat(100*f.Availability, 'f', 4, 64) + " %"
}

// radioLinkUse is the page for a customer.
func (a *app) radioLinkUse(page v1.RadioLinkPage) error {
	if a.isData() {
		return a.data(page)
	}
	var out strings.Builder
	near, f := page.Link.Near, page.Fared[0]
	title := "Radio link of " + near.Site
	if far := page.Link.Far; far != nil {
		title = "Radio link between " + near.Site + " and " + far.Site
	}
	fmt.Fprintf(&out, "%s\nThe last %s, up to %s\n\n", title, page.Period, time.Now().Format("2 January 2006, 15:04 MST"))
	row := func(what, format string, args ...any) {
		fmt.Fprintf(&out, "%-34s %s\n", what, fmt.Sprintf(format, args...))
	}
	row("State", "%s", map[bool]string{true: "up", false: "down"}[page.Link.Up])
	row("Available", "%s", availability(f))
	row("Unavailable", "%s", (time.Duration(f.UnavailableS) * time.Second).String())
	row("Seconds with errors", "%.0f", f.ErroredS)
	row("Carries now", "%d Mbit/s", near.CapacityMbps)
	row("Least that it carried", "%.0f Mbit/s", f.CapacityMbps)
	row("Busiest "+lengthText(f.StepS)+", to "+near.Site, "%.1f Mbit/s", f.RxPeakMbps)
	row("Busiest "+lengthText(f.StepS)+", from "+near.Site, "%.1f Mbit/s", f.TxPeakMbps)
	row("95 % of the time, at most", "%.1f and %.1f Mbit/s", f.RxMostMbps, f.TxMostMbps)
	if page.Left != nil {
		row("Left", "%.0f Mbit/s", *page.Left)
	}
	fmt.Fprintf(&out, "\nAvailability and seconds with errors are counted as ITU-T G.828 has them. Rates are means of %s.\n", lengthText(f.StepS))
	_, err := fmt.Fprint(a.out, out.String())
	return err
}
