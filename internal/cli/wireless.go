package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) wirelessCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "wireless [selector...]", Short: "List the wireless networks, and who uses them", ValidArgsFunction: a.completeSelector,
		Long:    "List the wireless networks that access points offer, those of one name together. The selector picks access points.",
		Example: "  everypost wireless\n  everypost wireless site = tern-haven",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.WirelessNetworks(ctx, strings.Join(args, " "))
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, n := range list.Items {
				vlans := slices.Clone(n.VLANs)
				for k, v := range vlans {
					if v == "" {
						vlans[k] = "own"
					}
				}
				on := strconv.Itoa(n.Offered)
				if len(n.Devices) != n.Offered {
					on += " of " + strconv.Itoa(len(n.Devices))
				}
				rows[i] = []string{n.Name, n.SSID, n.Security, strings.Join(vlans, ", "), strings.Join(n.Bands, ", "), on, strconv.Itoa(n.Stations), amount(n.UpBps, "bit/s"), amount(n.DownBps, "bit/s"), strings.Join(n.Differs, ", ")}
			}
			return a.list(list, []string{"network", "name in the air", "security", "VLAN", "bands", "points", "stations", "up", "down", "differs in"}, rows, "No access point there offers a network.")
		}),
	}
	cmd.AddCommand(a.wirelessOfferCommand(), a.wirelessCodeCommand())
	return cmd
}

// wirelessOfferCommand puts a network into a draft, as a template that access points follow.
func (a *app) wirelessOfferCommand() *cobra.Command {
	var in v1.BulkRequest
	var where, ssid, security, vlan, bands, hours, radius, rate, own, purpose string
	apart, hidden := false, false
	cmd := &cobra.Command{
		Use: "offer NETWORK", Short: "Put a wireless network into a draft, for all access points that a selector picks", Args: cobra.ExactArgs(1),
		Long: `Put a wireless network into a draft: as a template of its own, wlan-NETWORK, that the access points of --where follow, now and whoever comes later. A network
of that template is changed by the same command. The passphrase of a personal network, and the secret that is shared with RADIUS servers, are asked for.`,
		Example: `  everypost wireless offer crew --ssid 'Lantern Crew' --vlan 70 --where 'kind = access-point'
  everypost wireless offer pier --ssid 'Lantern Pier' --security owe --vlan 80 --apart --where 'site = marram-point and kind = access-point'
  everypost wireless offer desks --ssid 'Lantern Desks' --security wpa3-enterprise --radius 10.1.10.6 --vlan 20 --where 'site = harbour-house and kind = access-point'`,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			name := args[0]
			if ssid == "" {
				ssid = name
			}
			set := map[string]string{"present": "on", "ssid": ssid, "security": security}
			for field, value := range map[string]string{"wlan-vlan": vlan, "bands": bands, "offered-hours": hours, "wlan-radius": radius, "station-rate": rate, "station-network": own, "purpose": purpose} {
				if value != "" {
					set[field] = value
				}
			}
			for field, on := range map[string]bool{"station-isolation": apart, "hidden": hidden} {
				if on {
					set[field] = "on"
				}
			}
			in1 := a.typed()
			ask := func(field, question string) (err error) {
				set[field], err = a.askPassword(in1, question)
				if err == nil && set[field] == "" {
					err = errors.New("it is empty: nothing was done")
				}
				return err
			}
			var err error
			switch {
			case strings.HasSuffix(security, "-personal"):
				err = ask("passphrase", "Passphrase of "+ssid+": ")
			case strings.HasSuffix(security, "-enterprise"):
				err = ask("wlan-radius-secret", "Secret shared with "+radius+": ")
			}
			if err != nil {
				return err
			}
			template := "template/wlan-" + name
			in.Rows = []v1.BulkRow{
				{On: []string{template + ":self"}, Set: map[string]string{"present": "on", "title": "Wireless network " + ssid, "for": "devices", "pick": where}},
				{On: []string{template + ":wlan/" + name}, Set: set},
			}
			answer, err := c.Bulk(ctx, in)
			if err != nil {
				return err
			}
			return a.told(answer)
		}),
	}
	f := cmd.Flags()
	f.StringVar(&where, "where", "", "a selector of the access points that offer it")
	f.StringVar(&ssid, "ssid", "", "what stations call it, 1 to 32 octets (else NETWORK)")
	f.StringVar(&security, "security", "wpa2-wpa3-personal", "who may join: open, owe, wpa2-personal, wpa2-wpa3-personal, wpa3-personal, wpa2-enterprise or wpa3-enterprise")
	f.StringVar(&vlan, "vlan", "", "in which its stations are (else that of the access point)")
	f.StringVar(&bands, "bands", "", "in which it is offered, such as 5 (else all)")
	f.StringVar(&hours, "hours", "", "when it is offered, such as 'mon-fri 06:00-19:00' (else always)")
	f.StringVar(&radius, "radius", "", "addresses of the RADIUS servers of an enterprise network")
	f.StringVar(&own, "network", "", "stations get addresses of this network from the access point, which hides them behind its own: 192.168.80.1/24")
	f.StringVar(&rate, "rate", "", "what each station may send and receive at most, such as 5M")
	f.StringVar(&purpose, "purpose", "", "what it is for")
	f.BoolVar(&apart, "apart", false, "its stations do not reach each other")
	f.BoolVar(&hidden, "hidden", false, "beacons leave its name out")
	f.Var(draftNumber{&in.Change}, "change", "add to this draft instead of making one")
	f.StringVar(&in.Why, "why", "", "why the change is made")
	_ = cmd.MarkFlagRequired("where")
	return cmd
}

func (a *app) wirelessCodeCommand() *cobra.Command {
	return &cobra.Command{
		Use: "code NETWORK", Short: "Print the code (QR) by which a phone joins a network", Args: cobra.ExactArgs(1),
		Long: `Print the code by which a phone joins a network, to be read off the terminal or printed. The service never tells a passphrase: it is asked for, goes into the
code, and is kept nowhere.`,
		Example: "  everypost wireless code crew",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.WirelessNetworks(ctx, "")
			if err != nil {
				return err
			}
			i := slices.IndexFunc(list.Items, func(n v1.WirelessNetwork) bool { return n.Name == args[0] || n.SSID == args[0] })
			if i < 0 {
				return &codedError{ExitRefused, fmt.Errorf("there is no wireless network %s: \"everypost wireless\" lists them", args[0])}
			}
			n := list.Items[i]
			if strings.HasSuffix(n.Security, "-enterprise") {
				return &codedError{ExitRefused, fmt.Errorf("%s asks a RADIUS server who may join: no code can hold that", n.Name)}
			}
			in := v1.JoinCodeRequest{SSID: n.SSID, Security: n.Security}
			if strings.HasSuffix(n.Security, "-personal") {
				if in.Passphrase, err = a.askPassword(a.typed(), "Passphrase of "+n.SSID+": "); err != nil {
					return err
				}
			}
			code, err := c.JoinCode(ctx, in)
			switch {
			case err != nil:
				return err
			case a.isData():
				return a.data(code)
			}
			_, _ = fmt.Fprint(a.out, drawCode(code.Rows))
			return nil
		}),
	}
}

// drawCode draws a code with two rows in a line, light on dark turned round so that it reads on a dark terminal and on paper alike, with the four modules
// around it that readers need (ISO/IEC 18004 section 6.3.8).
func drawCode(rows []string) string {
	const quiet = 4
	dark := func(x, y int) bool {
		return y >= 0 && y < len(rows) && x >= 0 && x < len(rows[y]) && rows[y][x] == '#'
	}
	var b strings.Builder
	for y := -quiet; y < len(rows)+quiet; y += 2 {
		b.WriteString("\x1b[30;107m")
		for x := -quiet; x < len(rows)+quiet; x++ {
			b.WriteRune([]rune(" ▀▄█")[bit(dark(x, y))+2*bit(dark(x, y+1))])
		}
		b.WriteString("\x1b[0m\n")
	}
	return b.String()
}

func bit(on bool) int {
	if on {
		return 1
	}
	return 0
}

func (a *app) radiosCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "radios [selector...]", Short: "List the radios of access points: channels, how busy they are, and whom they hear", ValidArgsFunction: a.completeSelector,
		Long:    "List the radios of access points: how they send, for how much of the time their channels are taken, and whom they hear loudest. The selector picks access points.",
		Example: "  everypost radios site = tern-haven\n  everypost port set th-ap-01:radio1 channel=44 channel-width=40",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Radios(ctx, strings.Join(args, " "))
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, r := range list.Items {
				channel := strconv.Itoa(r.Channel)
				switch {
				case !r.On:
					channel = "off"
				case r.OwnChoice:
					channel += " (own)"
				}
				loudest := ""
				if len(r.Heard) > 0 {
					h := r.Heard[0]
					name := h.Ours
					if name == "" {
						name = h.SSID
					}
					loudest = fmt.Sprintf("%d: %s %d dBm", len(r.Heard), name, h.SignalDbm)
				}
				rows[i] = []string{r.Device + ":" + r.Port, r.Site, r.Band, channel, strconv.Itoa(r.WidthMHz), strconv.Itoa(r.PowerDbm), strconv.Itoa(r.BusyPercent), strconv.Itoa(r.Stations), loudest}
			}
			return a.list(list, []string{"radio", "site", "GHz", "channel", "MHz", "dBm", "busy %", "stations", "hears"}, rows, "There is no radio of an access point.")
		}),
	}
	cmd.AddCommand(a.radioPlanCommand())
	return cmd
}

func (a *app) radioPlanCommand() *cobra.Command {
	band, draft := "5", false
	var number int64
	cmd := &cobra.Command{
		Use: "plan [selector...]", Short: "Find out on which channels radios would disturb each other least, and put that into a draft", ValidArgsFunction: a.completeSelector,
		Long: `Find out on which channels the radios of a band would disturb each other least, from what they hear of each other and of strangers, and from how many stations
are at each. Nothing is changed; with --draft it is put into a draft.`,
		Example: "  everypost radios plan site = tern-haven\n  everypost radios plan site = tern-haven --band 2.4 --draft",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			p, err := c.PlanChannels(ctx, strings.Join(args, " "), band)
			if err != nil {
				return err
			}
			var rows [][]string
			in := v1.BulkRequest{Change: number, Why: "channels that disturb each other less"}
			for _, m := range p.Items {
				after := "stays"
				if m.After != m.Before {
					after = strconv.Itoa(m.After)
					in.Rows = append(in.Rows, v1.BulkRow{On: []string{m.Device + ":" + m.Port}, Set: map[string]string{"channel": after}})
				}
				rows = append(rows, []string{m.Device + ":" + m.Port, strconv.Itoa(m.WidthMHz), strconv.Itoa(m.Before), after, fmt.Sprintf("%.0f", m.BusyBefore), fmt.Sprintf("%.0f", m.BusyAfter), strconv.Itoa(m.Stations)})
			}
			if err := a.list(p, []string{"radio", "MHz", "channel", "planned", "busy %", "then", "stations"}, rows, "There is no radio of that band there."); err != nil || len(p.Items) == 0 {
				return err
			}
			a.say("In the mean the channels are taken for %.1f %% of the time, and would be for %.1f %%.", p.BusyBefore, p.BusyAfter)
			switch {
			case !draft:
				return nil
			case len(in.Rows) == 0:
				a.say("No move is worth it: there is nothing for a draft.")
				return nil
			}
			answer, err := c.Bulk(ctx, in)
			if err != nil {
				return err
			}
			return a.told(answer)
		}),
	}
	cmd.Flags().StringVar(&band, "band", "5", "2.4, 5 or 6, in GHz")
	cmd.Flags().BoolVar(&draft, "draft", false, "put the moves into a draft")
	cmd.Flags().Var(draftNumber{&number}, "change", "add to this draft instead of making one")
	return cmd
}

func (a *app) refusedCommand() *cobra.Command {
	return &cobra.Command{
		Use: "refused [selector...]", Short: "List stations that tried to join a wireless network and did not, and why", ValidArgsFunction: a.completeSelector,
		Long:    "List stations that tried to join a wireless network within the last hour and did not, with what was in the way. The selector picks access points.",
		Example: "  everypost refused site = tern-haven\n  everypost joining 02:a1:50:14:01:3e",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Refusals(ctx, strings.Join(args, " "))
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, r := range list.Items {
				rows[i] = []string{named(r.MAC, r.Name), r.SSID, r.Device + ":" + r.Radio, strconv.Itoa(r.SignalDbm), strconv.Itoa(r.Tries), r.Last.Local().Format("15:04:05"), r.Says}
			}
			return a.list(list, []string{"station", "network", "at", "dBm", "tries", "last", "why"}, rows, "Everybody who tried got in.")
		}),
	}
}

func (a *app) joiningCommand() *cobra.Command {
	return &cobra.Command{
		Use: "joining MAC", Short: "Show step by step how a station joins the wireless network, and where it stops", Args: cobra.ExactArgs(1),
		Long:    "Show step by step how a station joins the wireless network: whether it is heard, taken, let in, carried in its VLAN, and addressed. It exits with 7 where it stops.",
		Example: "  everypost joining 02:a1:50:14:01:3e",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Joining(ctx, args[0])
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			stops := ""
			for i, s := range list.Items {
				says := s.Says
				if s.Do != "" {
					says += " " + s.Do
				}
				rows[i] = []string{s.Name, map[string]string{"done": "✓", "failed": "✗", "unknown": "–"}[s.State], says}
				if s.State == "failed" && stops == "" {
					stops = s.Name
				}
			}
			if err := a.list(list, []string{"step", "", "what is known"}, rows, ""); err != nil {
				return err
			}
			if stops != "" {
				return &codedError{ExitDiffers, fmt.Errorf("%s does not get beyond %q", args[0], stops)}
			}
			return nil
		}),
	}
}
