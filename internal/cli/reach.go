package cli

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) reachCommand() *cobra.Command {
	var in v1.ReachRequest
	cmd := &cobra.Command{
		Use: "reach FROM TO SERVICE", Short: "Find out whether one end reaches another by a service, and which line decides", Args: cobra.ExactArgs(3),
		Long: `Find out whether one end reaches another by a service: step by step through VLANs, access lists, firewalls, routes and tunnels, with the line that
decides. Nothing is sent: it is worked out from what devices run and observe, or with --change from what a draft would make of that. An end is an
address, a hardware address, or the name of an end station or a device. The exit code is 0 where it passes, 3 where it does not or nobody knows.`,
		Example: "  everypost reach 10.2.50.21 10.1.50.10 tcp/554\n  everypost reach guest-ap-01-3 10.2.20.20 tcp/445\n  everypost reach desk-sw-02-1 203.0.113.80 tcp/443 --change 12",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			protocol, port, err := serviceOf(args[2])
			if err != nil {
				return err
			}
			in.From, in.To, in.Protocol, in.Port = args[0], args[1], protocol, port
			r, err := c.Reach(ctx, in)
			if err != nil {
				return err
			}
			rows := make([][]string, len(r.Hops))
			for i, h := range r.Hops {
				vlan := ""
				if h.VLAN > 0 {
					vlan = strconv.Itoa(h.VLAN)
				}
				rows[i] = []string{h.Device, h.In, h.Out, vlan, h.Verdict, h.What, h.Line}
			}
			if err := a.list(r, []string{"device", "in", "out", "vlan", "it", "what", "line"}, rows, ""); err != nil {
				return err
			}
			asked := fmt.Sprintf("%s to %s by %s", r.From, r.To, args[2])
			switch r.Verdict {
			case "passes":
				if !a.isData() {
					a.say("It passes: %s.", asked)
				}
				return nil
			case "stops":
				return &codedError{ExitRefused, fmt.Errorf("it does not pass: %s. %s", asked, r.Why)}
			}
			return &codedError{ExitRefused, errors.New("nobody knows: " + asked + ". " + r.Why)}
		}),
	}
	cmd.Flags().Var(draftNumber{&in.Change}, "change", "as the network would be after this draft")
	return cmd
}

// serviceOf reads tcp/443 or icmp.
func serviceOf(s string) (protocol string, port int, err error) {
	protocol, digits, has := strings.Cut(strings.ToLower(s), "/")
	switch {
	case protocol == "icmp" && !has:
		return protocol, 0, nil
	case protocol == "tcp" || protocol == "udp":
		if n, err := strconv.Atoi(digits); err == nil && n > 0 && n < 65536 {
			return protocol, n, nil
		}
	}
	return "", 0, usage("%q is no service: write tcp/443, udp/53 or icmp", s)
}
