package cli

import (
	"context"
	"fmt"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) promisesCommand() *cobra.Command {
	return &cobra.Command{
		Use: "promises", Short: "List what must always, or must never, reach what, and how that stands", Args: cobra.NoArgs, Example: "  everypost promises",
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Promises(ctx)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, p := range list.Items {
				rows[i] = []string{p.Name, p.Standing, mustText(p.PromiseRequest), p.From, p.To, promisedBy(p.PromiseRequest), breachText(p)}
			}
			return a.list(list, []string{"promise", "is", "it must", "from", "to", "by", "why"}, rows, "Nothing is promised yet: \"everypost promise set\" does.")
		}),
	}
}

func mustText(p v1.PromiseRequest) string {
	if p.Never {
		return "never"
	}
	return "always"
}

func promisedBy(p v1.PromiseRequest) string {
	if p.Protocol == "icmp" {
		return p.Protocol
	}
	return fmt.Sprintf("%s/%d", p.Protocol, p.Port)
}

func breachText(p v1.Promise) string {
	if len(p.Breaches) == 0 {
		return p.Why
	}
	b := p.Breaches[0]
	text := fmt.Sprintf("%s to %s: %s", b.From, b.To, b.Why)
	if more := len(p.Breaches) - 1; more > 0 {
		text += fmt.Sprintf(", and %d more", more)
	}
	return text
}

func (a *app) promiseCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "promise", Short: "Promise that something always, or never, reaches something"}
	var in v1.PromiseRequest
	always, never := "", ""
	said := func() (err error) {
		by := always
		switch {
		case (always == "") == (never == ""):
			return usage("say one of --always and --never, with the service: --never tcp/445")
		case never != "":
			by, in.Never = never, true
		}
		in.Protocol, in.Port, err = serviceOf(by)
		return err
	}
	flags := func(c *cobra.Command) *cobra.Command {
		f := c.Flags()
		f.StringVar(&in.From, "from", "", "a selector of end stations, or an address")
		f.StringVar(&in.To, "to", "", "the same")
		f.StringVar(&always, "always", "", "it must always reach it by this: tcp/554")
		f.StringVar(&never, "never", "", "it must never reach it by this: tcp/445")
		f.StringVar(&in.Title, "title", "", "what it is called")
		return c
	}
	stands := func(p v1.Promise) error {
		if a.isData() {
			return a.data(p)
		}
		a.say("It is %s, between %d pairs of ends.", p.Standing, p.Asked)
		for _, b := range p.Breaches {
			_, _ = fmt.Fprintf(a.out, "%s to %s: %s\n", b.From, b.To, b.Why)
		}
		if p.Why != "" {
			a.say("%s.", p.Why)
		}
		return nil
	}
	cmd.AddCommand(
		flags(&cobra.Command{Use: "set NAME", Short: "Promise something, or change a promise", Args: cobra.ExactArgs(1),
			Long: `Promise that something always, or never, reaches something. A draft that would break a promise is stopped, with the line named; one that is broken
from elsewhere is an alarm. What is gone or has no link breaks no promise: that is an outage.`,
			Example: "  everypost promise set recording --title 'Cameras are recorded' --from 'client.vlan = 50' --to 10.1.50.10 --always tcp/554\n  everypost promise set guests --from 'client.vlan = 80' --to 'client.vlan = 20' --never tcp/445",
			RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
				if err := said(); err != nil {
					return err
				}
				p, err := c.PutPromise(ctx, args[0], in)
				if err != nil {
					return err
				}
				return stands(p)
			})}),
		flags(&cobra.Command{Use: "try", Short: "Find out how a promise would stand; nothing is kept", Args: cobra.NoArgs,
			Example: "  everypost promise try --from 'client.vlan = 80' --to 'client.vlan = 20' --never tcp/445",
			RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
				if err := said(); err != nil {
					return err
				}
				p, err := c.TryPromise(ctx, in)
				if err != nil {
					return err
				}
				return stands(p)
			})}),
		&cobra.Command{Use: "remove NAME", Short: "Promise something no more", Args: cobra.ExactArgs(1), Example: "  everypost promise remove guests",
			RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
				if err := c.RemovePromise(ctx, args[0]); err != nil {
					return err
				}
				a.say("%s is not promised any more.", args[0])
				return nil
			})},
	)
	return cmd
}
