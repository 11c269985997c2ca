package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// awaitDelivery is how long a test of a notice is awaited.
const awaitDelivery = 30 * time.Second

func (a *app) noticesCommand() *cobra.Command {
	return &cobra.Command{
		Use: "notices", Short: "List who is told of alarms, and how", Args: cobra.NoArgs, Example: "  everypost notices",
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Notices(ctx)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, n := range list.Items {
				to := strings.Join(slices.Concat(n.People, n.Mail), ", ")
				if n.Webhook != "" {
					to = n.Webhook
				}
				when := n.Hours
				if n.Zone != "" {
					when += " " + n.Zone
				}
				after := ""
				if n.After > 0 {
					after = fmt.Sprintf("%d min", n.After)
				}
				rows[i] = []string{n.Name, to, n.Severity, n.Pick, when, after}
			}
			return a.list(list, []string{"notice", "tells", "from", "of", "hours", "not acknowledged for"}, rows, "Nobody is told of alarms: \"everypost notice set\" makes a notice.")
		}),
	}
}

func (a *app) noticeCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "notice", Short: "Say who is told of alarms, and try it"}
	var in v1.NoticeRequest
	set := &cobra.Command{
		Use: "set NOTICE", Short: "Make a notice, or replace it", Args: cobra.ExactArgs(1),
		Long: `Make a notice, or replace it: who is told of which alarms, by mail or by a webhook.

Users get mail at the addresses that "everypost user set USER --mail" gave them, and only of alarms that they may see.

An alarm is told once, and once more when it is over; what follows from another alarm is not told by itself. With --after, only what nobody
acknowledged for so many minutes is told: that is how it goes on to somebody else. A webhook is a page to which JSON is posted, signed in the
form of Standard Webhooks; the secret for that is printed once, when it is made.`,
		Example: `  everypost notice set night --mail duty@lantern.example --severity major --hours 'mon-sun 18:00-24:00, mon-sun 00:00-07:00' --zone Europe/London
  everypost notice set kelp-bay --user coral
  everypost notice set chief --mail chief@lantern.example --severity critical --after 15
  everypost notice set desk --webhook https://desk.lantern.example/alarms --where 'site = tern-haven'`,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			out, err := c.PutNotice(ctx, args[0], in)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(out)
			}
			a.say("Notice %s is set. Try it with \"everypost notice test %s\".", out.Name, out.Name)
			if out.Secret != "" {
				a.say("It is signed with this secret, which is not shown again:")
				_, _ = fmt.Fprintln(a.out, out.Secret)
			}
			return nil
		}),
	}
	f := set.Flags()
	f.StringSliceVar(&in.Mail, "mail", nil, "addresses that get mail")
	f.StringSliceVar(&in.People, "user", nil, "users who get mail at their own addresses, of what they may see")
	f.StringVar(&in.Webhook, "webhook", "", "address of a page to which it is posted")
	f.StringVar(&in.Severity, "severity", "minor", "the least: critical, major, minor or warning")
	f.StringVar(&in.Pick, "where", "", "a selector of the devices that it is about")
	f.StringVar(&in.Hours, "hours", "", "when it tells, such as 'mon-fri 06:00-19:00'")
	f.StringVar(&in.Zone, "zone", "", "time zone of the hours, such as Europe/London")
	countVar(f, &in.After, "after", 0, 0, "minutes: only of what nobody acknowledged for so long")
	_ = set.RegisterFlagCompletionFunc("user", a.completeUsers)
	cmd.AddCommand(set,
		&cobra.Command{
			Use: "test NOTICE", Short: "Have a notice tell something for a test, and wait for what becomes of it", Args: cobra.ExactArgs(1), Example: "  everypost notice test night",
			RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
				d, err := c.TestNotice(ctx, args[0])
				if err != nil {
					return err
				}
				for begin := time.Now(); d.State == "waiting"; {
					if time.Since(begin) > awaitDelivery {
						return errors.New("it was not sent yet: \"everypost deliveries\" tells what becomes of it")
					}
					select {
					case <-time.After(300 * time.Millisecond):
					case <-ctx.Done():
						return context.Cause(ctx)
					}
					list, err := c.Deliveries(ctx, 100)
					if err != nil {
						return err
					}
					if i := slices.IndexFunc(list.Items, func(o v1.Delivery) bool { return o.Number == d.Number }); i >= 0 {
						d = list.Items[i]
					}
				}
				if a.isData() {
					return a.data(d)
				}
				if d.State != "sent" {
					return fmt.Errorf("it was not sent: %s", d.Said)
				}
				a.say("It was sent.")
				return nil
			}),
		},
		&cobra.Command{
			Use: "remove NOTICE", Short: "Remove a notice, and what it was yet to tell", Args: cobra.ExactArgs(1), Example: "  everypost notice remove night",
			RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
				if err := c.RemoveNotice(ctx, args[0]); err != nil {
					return err
				}
				a.say("Notice %s is removed.", args[0])
				return nil
			}),
		})
	return cmd
}

func (a *app) deliveriesCommand() *cobra.Command {
	last := 50
	cmd := &cobra.Command{
		Use: "deliveries", Short: "List what was told of alarms and is to be, the newest first", Args: cobra.NoArgs, Example: "  everypost deliveries --last 20",
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Deliveries(ctx, last)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, d := range list.Items {
				about := ""
				if d.Alarm != 0 {
					about = strconv.FormatInt(d.Alarm, 10)
				}
				state := d.State
				if d.Next != nil {
					state += " until " + d.Next.Local().Format("15:04:05")
				}
				rows[i] = []string{d.CreatedAt.Local().Format("2006-01-02 15:04:05"), d.Notice, about, d.Kind, state, strconv.Itoa(d.Tries), d.Said}
			}
			return a.list(list, []string{"at", "notice", "alarm", "what", "state", "tries", "why"}, rows, "Nothing was told yet.")
		}),
	}
	countVar(cmd.Flags(), &last, "last", 50, 1, "list so many")
	return cmd
}

func (a *app) mailServerCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "mail-server", Short: "Show by which mail is sent", Args: cobra.NoArgs, Example: "  everypost mail-server\n  everypost mail-server set mail.lantern.example:587 --from everypost@lantern.example --user everypost",
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			m, err := c.MailServer(ctx)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(m)
			}
			if m.Address == "" {
				a.say("There is no mail server: \"everypost mail-server set\" sets one.")
				return nil
			}
			return a.list(m, []string{"server", "from", "tls", "user"}, [][]string{{m.Address, m.From, m.TLS, m.User}}, "")
		}),
	}
	var in v1.MailServerRequest
	set := &cobra.Command{
		Use: "set HOST:PORT", Short: "Set by which mail is sent; the password is asked for", Args: cobra.ExactArgs(1),
		Example: "  everypost mail-server set mail.lantern.example:587 --from everypost@lantern.example --user everypost",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			in.Address = args[0]
			if in.User != "" {
				password, err := a.askPassword(a.typed(), fmt.Sprintf("Password of %s at %s: ", in.User, in.Address))
				if err != nil {
					return err
				}
				in.Password = password
			}
			if _, err := c.PutMailServer(ctx, in); err != nil {
				return err
			}
			a.say("Mail is sent by %s.", in.Address)
			return nil
		}),
	}
	f := set.Flags()
	f.StringVar(&in.From, "from", "", "address of mail of who sends")
	f.StringVar(&in.TLS, "tls", "starttls", "starttls, tls or none")
	f.StringVar(&in.User, "user", "", "who signs in there; nobody when left out")
	_ = set.MarkFlagRequired("from")
	cmd.AddCommand(set)
	return cmd
}
