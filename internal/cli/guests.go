package cli

import (
	"context"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) guestsCommand() *cobra.Command {
	var q client.GuestQuery
	cmd := &cobra.Command{
		Use: "guests", Short: "List guests of wireless networks: who came, and who asks to be let in", Args: cobra.NoArgs,
		Example: "  everypost guests\n  everypost guests --state waiting\n  everypost guest let-in 42",
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Guests(ctx, q)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, g := range list.Items {
				rows[i] = []string{strconv.FormatInt(g.Number, 10), g.State, g.Name, g.Visits, g.Station, g.Portal, g.Device, shortTime(g.AskedAt), untilText(g.Until), decidedText(g)}
			}
			return a.list(list, []string{"number", "is", "name", "visits", "station", "portal", "at", "came", "until", "by"}, rows, "No guest came.")
		}),
	}
	f := cmd.Flags()
	f.StringVar(&q.Portal, "portal", "", "of one portal")
	f.StringVar(&q.Station, "station", "", "of one station, by its hardware address")
	f.StringVar(&q.State, "state", "", "those that stand so: waiting, in, over or turned-away")
	f.IntVar(&q.Days, "days", 7, "that came within so many days, 1 to 90")
	return cmd
}

func shortTime(t time.Time) string { return t.Local().Format("2 Jan 15:04") }

func untilText(t *time.Time) string {
	if t == nil {
		return ""
	}
	return shortTime(*t)
}

func decidedText(g v1.GuestStay) string {
	text := g.LetInBy
	if g.EndedBy != "" {
		text = strings.TrimPrefix(text+", ended by "+g.EndedBy, ", ")
	}
	if g.Why != "" {
		text += ": " + g.Why
	}
	return text
}

func (a *app) guestCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "guest", Short: "Let a guest in who waits, turn him away, or end his time"}
	var in v1.GuestVerdict
	act := func(use, short, example, verb, done string) *cobra.Command {
		return &cobra.Command{Use: use + " NUMBER", Short: short, Args: cobra.ExactArgs(1), Example: example,
			RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
				number, err := strconv.ParseInt(args[0], 10, 64)
				if err != nil {
					return usage("%q is no number: \"everypost guests\" lists them", args[0])
				}
				in.Act = verb
				g, err := c.DecideGuest(ctx, number, in)
				if err != nil {
					return err
				}
				if a.isData() {
					return a.data(g)
				}
				a.say(done, named(g.Station, g.Name), untilText(g.Until))
				return nil
			})}
	}
	in1 := act("let-in", "Let a guest in who waits", "  everypost guest let-in 42\n  everypost guest let-in 42 --minutes 60", "let-in", "%s is let in until %s.")
	in1.Flags().IntVar(&in.Minutes, "minutes", 0, "for which he is let in (else as the portal says)")
	away := act("turn-away", "Turn a guest away who waits", "  everypost guest turn-away 42 --why 'Nobody of that name works here.'", "turn-away", "%s was turned away at %s.")
	away.Flags().StringVar(&in.Why, "why", "", "why; the guest reads it")
	cmd.AddCommand(in1, away, act("end", "End the time of a guest who is let in", "  everypost guest end 42", "end", "The time of %s was over at %s."))
	return cmd
}

func (a *app) portalsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "portals", Short: "List the pages on which guests are received", Args: cobra.NoArgs, Example: "  everypost portals",
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.GuestPortals(ctx)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, p := range list.Items {
				rows[i] = []string{p.Name, p.Title, wayText[p.Way], minutesText(p.Minutes), kbpsText(p.RateKbps), strings.Join(p.Networks, ", "), strconv.Itoa(len(p.Devices)), strconv.Itoa(p.Inside), strconv.Itoa(p.Waiting), p.Address}
			}
			return a.list(list, []string{"portal", "title", "guests", "let in for", "rate", "networks", "points", "in", "waiting", "address"}, rows, "There is no portal yet: \"everypost portal set\" makes one.")
		}),
	}
}

var wayText = map[string]string{"agree": "agree to terms", "voucher": "have a voucher", "host": "are let in"}

func minutesText(n int) string {
	switch {
	case n%1440 == 0:
		return fmt.Sprintf("%d d", n/1440)
	case n%60 == 0:
		return fmt.Sprintf("%d h", n/60)
	}
	return fmt.Sprintf("%d min", n)
}

func kbpsText(n int) string {
	switch {
	case n == 0:
		return ""
	case n%1000 == 0:
		return fmt.Sprintf("%d Mbit/s", n/1000)
	}
	return fmt.Sprintf("%d kbit/s", n)
}

func (a *app) portalCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "portal", Short: "Make pages on which guests are received, and put them before wireless networks"}
	cmd.AddCommand(a.portalSetCommand(), a.portalCarryCommand(), a.portalPictureCommand(),
		&cobra.Command{Use: "remove NAME", Short: "Remove a page, with its vouchers", Args: cobra.ExactArgs(1), Example: "  everypost portal remove landing",
			RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
				if err := c.RemoveGuestPortal(ctx, args[0]); err != nil {
					return err
				}
				a.say("Portal %s is gone.", args[0])
				return nil
			})})
	return cmd
}

func (a *app) portalSetCommand() *cobra.Command {
	var p v1.GuestPortalRequest
	terms := ""
	cmd := &cobra.Command{
		Use: "set NAME", Short: "Make a page, or change what is said of it", Args: cobra.ExactArgs(1),
		Long: `Make a page on which guests of wireless networks are received, or change one: what is not said stays as it is. It receives nobody until it is put before a
network: everypost portal carry.`,
		Example: "  everypost portal set landing --title 'Lantern Sound Ferries' --way agree --minutes 240 --terms-file terms.txt\n  everypost portal set landing --rate 4000 --accent '#0b5d7a'",
	}
	f := cmd.Flags()
	f.StringVar(&p.Title, "title", "", "what it is called")
	f.StringVar(&p.Way, "way", "agree", "what a guest must do: agree (to the terms), voucher (have one) or host (wait until somebody lets him in)")
	f.IntVar(&p.Minutes, "minutes", 240, "for which a guest is let in")
	f.IntVar(&p.RateKbps, "rate", 0, "what a guest may send and receive at most, in kbit/s; 0: as the network says")
	f.BoolVar(&p.AsksForName, "name", false, "guests must say their name")
	f.StringVar(&p.Look.Heading, "heading", "", "what stands above")
	f.StringVar(&p.Look.Text, "text", "", "what stands below it")
	f.StringVar(&terms, "terms-file", "", "file with the terms, plain text; - reads them from standard input")
	f.StringVar(&p.Look.Button, "button", "", "what stands on the button")
	f.StringVar(&p.Look.Accent, "accent", "", "colour of the button, such as #0b5d7a")
	f.StringVar(&p.Look.Ground, "ground", "", "colour behind the page")
	cmd.RunE = a.asked(func(ctx context.Context, c *client.Client, args []string) error {
		list, err := c.GuestPortals(ctx)
		if err != nil {
			return err
		}
		if terms != "" {
			text, err := a.readText(terms)
			if err != nil {
				return err
			}
			p.Look.Terms = text
		}
		was := v1.GuestPortalRequest{Way: p.Way, Minutes: p.Minutes}
		if i := slices.IndexFunc(list.Items, func(x v1.GuestPortal) bool { return x.Name == args[0] }); i >= 0 {
			was = list.Items[i].GuestPortalRequest
		}
		for name, put := range map[string]func(){
			"title": func() { was.Title = p.Title }, "way": func() { was.Way = p.Way }, "minutes": func() { was.Minutes = p.Minutes }, "rate": func() { was.RateKbps = p.RateKbps }, "name": func() { was.AsksForName = p.AsksForName },
			"heading": func() { was.Look.Heading = p.Look.Heading }, "text": func() { was.Look.Text = p.Look.Text }, "terms-file": func() { was.Look.Terms = p.Look.Terms }, "button": func() { was.Look.Button = p.Look.Button },
			"accent": func() { was.Look.Accent = p.Look.Accent }, "ground": func() { was.Look.Ground = p.Look.Ground },
		} {
			if f.Changed(name) {
				put()
			}
		}
		out, err := c.PutGuestPortal(ctx, args[0], was)
		if err != nil {
			return err
		}
		if a.isData() {
			return a.data(out)
		}
		a.say("Portal %s: guests %s, for %s.", out.Name, wayText[out.Way], minutesText(out.Minutes))
		if len(out.Devices) == 0 {
			a.say("It receives nobody yet: put it before a network with \"everypost portal carry %s --network NAME\".", out.Name)
		}
		return nil
	})
	return cmd
}

// readText reads a file, or standard input.
func (a *app) readText(file string) (string, error) {
	if file == "-" {
		b, err := io.ReadAll(io.LimitReader(a.in, 1<<20))
		return string(b), err
	}
	b, err := os.ReadFile(file)
	return string(b), err
}

func (a *app) portalCarryCommand() *cobra.Command {
	var in v1.PortalCarryRequest
	cmd := &cobra.Command{
		Use: "carry NAME --network NETWORK", Short: "Put into a draft that stations of a wireless network are received on a page", Args: cobra.ExactArgs(1),
		Long: `Put into a draft that stations of a wireless network are received on a page: until they are let in they reach nothing else. It goes into the templates that say
what the network is, and onto the access points that say so themselves.`,
		Example: "  everypost portal carry landing --network passengers\n  everypost portal carry landing --network passengers --where 'site = tern-haven'\n  everypost portal carry landing --network passengers --off",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			answer, err := c.CarryGuestPortal(ctx, args[0], in)
			if err != nil {
				return err
			}
			return a.told(answer)
		}),
	}
	f := cmd.Flags()
	f.StringVar(&in.Network, "network", "", "the network, by its name on the access points")
	f.StringVar(&in.Where, "where", "", "a selector of the access points (else wherever the network is offered)")
	f.BoolVar(&in.Off, "off", false, "its stations are sent to no page any more")
	f.StringVar(&in.Why, "why", "", "why")
	f.Var(draftNumber{&in.Change}, "change", "add to this draft instead of making one")
	_ = cmd.MarkFlagRequired("network")
	return cmd
}

func (a *app) portalPictureCommand() *cobra.Command {
	return &cobra.Command{
		Use: "picture NAME [FILE]", Short: "Put a picture onto a page (PNG or JPEG); without a file, take it off", Args: cobra.RangeArgs(1, 2), Example: "  everypost portal picture landing lantern.png",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) (err error) {
			var picture []byte
			if len(args) == 2 {
				if picture, err = os.ReadFile(args[1]); err != nil {
					return err
				}
				if len(picture) == 0 {
					return usage("%s is empty", args[1])
				}
			}
			if err := c.PutPortalPicture(ctx, args[0], picture); err != nil {
				return err
			}
			a.say("Portal %s has %s.", args[0], map[bool]string{true: "that picture", false: "no picture"}[len(picture) > 0])
			return nil
		}),
	}
}

func (a *app) vouchersCommand() *cobra.Command {
	return &cobra.Command{
		Use: "vouchers PORTAL", Short: "List the vouchers of a page for guests; their codes are not kept", Args: cobra.ExactArgs(1), Example: "  everypost vouchers landing",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Vouchers(ctx, args[0])
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, v := range list.Items {
				rows[i] = []string{strconv.FormatInt(v.Number, 10), "…" + v.Ends, v.State, v.Label, minutesText(v.Minutes), v.MadeBy, shortTime(v.MadeAt), shortTime(v.GoodTo), untilText(v.UsedAt)}
			}
			return a.list(list, []string{"number", "code", "is", "for", "lets in for", "made by", "made", "good to", "used"}, rows, "There are no vouchers.")
		}),
	}
}

func (a *app) voucherCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "voucher", Short: "Make vouchers for guests, or take them back"}
	var in v1.VoucherOrder
	make1 := &cobra.Command{
		Use: "make PORTAL", Short: "Make vouchers, each of which lets one guest in; their codes are shown this once", Args: cobra.ExactArgs(1),
		Example: "  everypost voucher make landing --count 20 --minutes 1440 --label 'press trip'",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			codes, err := c.MakeVouchers(ctx, args[0], in)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(codes)
			}
			for _, code := range codes.Codes {
				_, _ = fmt.Fprintln(a.out, code)
			}
			a.say("Each lets one guest in. They are not kept: write them down now.")
			return nil
		}),
	}
	f := make1.Flags()
	f.IntVar(&in.Count, "count", 1, "how many, 1 to 1000")
	f.IntVar(&in.Minutes, "minutes", 0, "for which each lets in (else as the portal says)")
	f.IntVar(&in.Days, "days", 30, "within which they must be used")
	f.StringVar(&in.Label, "label", "", "whom they are for")
	take := &cobra.Command{
		Use: "take PORTAL NUMBER", Short: "Take a voucher back that nobody used", Args: cobra.ExactArgs(2), Example: "  everypost voucher take landing 17",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			number, err := strconv.ParseInt(args[1], 10, 64)
			if err != nil {
				return usage("%q is no number: \"everypost vouchers %s\" lists them", args[1], args[0])
			}
			if err := c.TakeVoucher(ctx, args[0], number); err != nil {
				return err
			}
			a.say("Voucher %d of %s lets nobody in any more.", number, args[0])
			return nil
		}),
	}
	cmd.AddCommand(make1, take)
	return cmd
}

func (a *app) disconnectCommand() *cobra.Command {
	device, yes := "", false
	cmd := &cobra.Command{
		Use: "disconnect MAC", Short: "Take a station off the air; it may join again", Args: cobra.ExactArgs(1),
		Long:    "Take a station off the air, at the access point at which it is. It may join again, which takes some seconds. To keep it away: everypost client block.",
		Example: "  everypost disconnect 02:a1:60:02:00:1f",
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			at := device
			if at == "" {
				list, err := c.Clients(ctx, client.Query{Where: fmt.Sprintf("client.mac = %q", words[0]), Limit: 1})
				if err != nil {
					return err
				}
				if len(list.Items) == 0 {
					return fmt.Errorf("nobody of that address was ever seen: name an access point with --at")
				}
				at = list.Items[0].Device
			}
			if !yes {
				if err := a.confirm(fmt.Sprintf("%s is cut off at %s until it has joined again. Type yes to go on: ", words[0], at), "yes"); err != nil {
					return err
				}
			}
			return a.operate(ctx, c, at, "disconnect", map[string]string{"station": words[0]})
		}),
	}
	cmd.Flags().StringVar(&device, "at", "", "the access point (else the one at which it was seen last)")
	cmd.Flags().BoolVar(&yes, "yes", false, "do not ask")
	return cmd
}
