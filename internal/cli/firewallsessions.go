package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// policySessionsCommands are about the sessions that firewalls let begin.
func (a *app) policySessionsCommands() []*cobra.Command {
	return []*cobra.Command{a.policySessionsCommand(), a.policyEndCommand(), a.policyBlockCommand(), a.policyUnblockCommand(), a.policyOverrideCommand(), a.policyEndOverrideCommand()}
}

func (a *app) policySessionsCommand() *cobra.Command {
	var q client.SessionQuery
	blocked := false
	cmd := &cobra.Command{
		Use: "sessions DEVICE", Short: "List the sessions that a firewall let begin and that go on", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Long: `List the sessions that a firewall let begin and that go on, the newest first, as the firewall tells them at the moment: who with whom, by which rule, as
what they are seen beyond it where it translates them, and what it takes them for.`,
		Example: "  everypost policy sessions th-fw-01 --source 10.2.80.0/24\n  everypost policy sessions hh-fw-01 --destination 10.1.20.30 --port 443\n  everypost policy sessions th-fw-01 --blocked",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.FirewallSessions(ctx, args[0], q)
			if err != nil {
				return err
			}
			if blocked {
				rows := make([][]string, len(list.Blocked))
				for i, b := range list.Blocked {
					rows[i] = []string{b.Address, b.Name, b.Until.Local().Format("2 Jan 15:04"), strconv.FormatUint(b.Refused, 10)}
				}
				return a.list(list, []string{"blocked", "name", "until", "refused"}, rows, args[0]+" blocks nobody.")
			}
			rows := make([][]string, len(list.Items))
			for i, s := range list.Items {
				rows[i] = []string{s.ID, s.Protocol, named(s.Source, s.SourceName), named(s.Destination, s.DestinationName), seenText(s), zonesText(s), strconv.Itoa(s.Rule), s.Application, agoWords(s.Began),
					octetsText(s.UpOctets), octetsText(s.DownOctets)}
			}
			if err := a.list(list, []string{"id", "by", "source", "destination", "seen beyond as", "zones", "rule", "application", "began", "up", "down"}, rows, args[0]+" has no such session."); err != nil {
				return err
			}
			if list.Total > len(list.Items) && !a.isData() {
				a.say("These are %d of %d: ask for fewer (--source, --destination, --port, --rule), or give --limit.", len(list.Items), list.Total)
			}
			return nil
		}),
	}
	f := cmd.Flags()
	f.StringVar(&q.Source, "source", "", "from there: an address, a prefix, or the name of an end station")
	f.StringVar(&q.Destination, "destination", "", "to there: the same")
	f.StringVar(&q.Protocol, "protocol", "", "tcp, udp or icmp")
	f.IntVar(&q.Port, "port", 0, "to this port")
	f.IntVar(&q.Rule, "rule", 0, "that this rule let begin")
	f.IntVar(&q.Limit, "limit", 100, "list so many, at most 1000")
	f.BoolVar(&blocked, "blocked", false, "who may reach nothing through it for a time instead")
	return cmd
}

func named(address, name string) string {
	if name == "" {
		return address
	}
	return address + " " + name
}

func seenText(s v1.FirewallSession) string {
	switch {
	case s.SeenSource != "" && s.SeenDestination != "":
		return s.SeenSource + " to " + s.SeenDestination
	case s.SeenDestination != "":
		return "to " + s.SeenDestination
	}
	return s.SeenSource
}

func zonesText(s v1.FirewallSession) string { return s.From + " to " + s.To }

func (a *app) policyEndCommand() *cobra.Command {
	yes := false
	cmd := &cobra.Command{
		Use: "end DEVICE SESSION...", Short: "End sessions of a firewall", Args: cobra.MinimumNArgs(2), ValidArgsFunction: a.completeDevices,
		Long:    "End sessions of a firewall: what belongs to them passes no more, and who takes part begins anew or gives up. To keep somebody away, block the source.",
		Example: "  everypost policy end th-fw-01 8f31c07a",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if !yes {
				if err := a.confirm(fmt.Sprintf("Who takes part in these %d sessions begins anew, or gives up. Type yes to go on: ", len(args)-1), "yes"); err != nil {
					return err
				}
			}
			return a.operate(ctx, c, args[0], "end-session", map[string]string{"session": strings.Join(args[1:], ",")})
		}),
	}
	cmd.Flags().BoolVar(&yes, "yes", false, "do not ask")
	return cmd
}

func (a *app) policyBlockCommand() *cobra.Command {
	args := map[string]string{}
	yes := false
	cmd := &cobra.Command{
		Use: "block DEVICE ADDRESS", Short: "Let a source reach nothing through a firewall for a time", Args: cobra.ExactArgs(2), ValidArgsFunction: a.completeDevices,
		Long: `Let a source reach nothing through a firewall for a time, and end its sessions. It is for the moment: the firewall forgets it when it starts again. To keep
somebody away for good, make a rule.`,
		Example: "  everypost policy block th-fw-01 10.2.80.161 --for 30\n  everypost policy unblock th-fw-01 10.2.80.161",
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			if !yes {
				if err := a.confirm(fmt.Sprintf("%s reaches nothing through %s until the time is over. Type yes to go on: ", words[1], words[0]), "yes"); err != nil {
					return err
				}
			}
			return a.operate(ctx, c, words[0], "block-source", with(args, "source", words[1]))
		}),
	}
	argument(cmd, args, "for", "minutes after which it ends by itself, 1 to 43200 (else 60)")
	cmd.Flags().BoolVar(&yes, "yes", false, "do not ask")
	return cmd
}

func (a *app) policyUnblockCommand() *cobra.Command {
	return &cobra.Command{
		Use: "unblock DEVICE ADDRESS", Short: "Let a source that was blocked reach what it may again", Args: cobra.ExactArgs(2), ValidArgsFunction: a.completeDevices,
		Example: "  everypost policy unblock th-fw-01 10.2.80.161",
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			return a.operate(ctx, c, words[0], "unblock-source", map[string]string{"source": words[1]})
		}),
	}
}

func (a *app) policyOverrideCommand() *cobra.Command {
	args := map[string]string{}
	cmd := &cobra.Command{
		Use: "override DEVICE ADDRESS CATEGORY", Short: "Let a station see a category that an inspection blocks, for a time and in your name", Args: cobra.ExactArgs(3), ValidArgsFunction: a.completeDevices,
		Long: `Let a station see a category that an inspection blocks until somebody overrides it (web-override). Who let it is kept by the firewall and in the record of operations;
the firewall forgets it when it starts again.`,
		Example: "  everypost policy override th-fw-01 10.2.20.31 news --for 60\n  everypost policy end-override th-fw-01 10.2.20.31 news\n  everypost policy th-fw-01 --overrides",
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			args["source"], args["category"] = words[1], words[2]
			return a.operate(ctx, c, words[0], "override", args)
		}),
	}
	argument(cmd, args, "for", "minutes after which it ends by itself, 1 to 1440 (else 30)")
	return cmd
}

func (a *app) policyEndOverrideCommand() *cobra.Command {
	return &cobra.Command{
		Use: "end-override DEVICE ADDRESS CATEGORY", Short: "Have a category be blocked for a station again", Args: cobra.ExactArgs(3), ValidArgsFunction: a.completeDevices,
		Example: "  everypost policy end-override th-fw-01 10.2.20.31 news",
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			return a.operate(ctx, c, words[0], "end-override", map[string]string{"source": words[1], "category": words[2]})
		}),
	}
}
