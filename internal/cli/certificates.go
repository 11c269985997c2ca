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

func (a *app) certificatesCommand() *cobra.Command {
	return &cobra.Command{
		Use: "certificates [selector...]", Short: "List the certificates of devices, those that end first before the others", ValidArgsFunction: a.completeSelector,
		Example: "  everypost certificates\n  everypost certificates kind = firewall",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Certificates(ctx, strings.Join(args, " "))
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, x := range list.Items {
				by := x.Issuer
				switch {
				case x.House:
					by = "the authority of the house"
				case x.Issuer == x.Subject:
					by = "itself"
				}
				rows[i] = []string{x.Device, x.Name, x.NotAfter.Local().Format("2 Jan 2006"), x.Standing, by, strings.Join(x.Names, ", "), strings.Join(x.UsedBy, ", "), x.Fingerprint[:min(16, len(x.Fingerprint))]}
			}
			return a.list(list, []string{"device", "certificate", "until", "it is", "signed by", "good for", "shown by", "fingerprint"}, rows, "No device there tells of certificates.")
		}),
	}
}

func (a *app) authorityCommand() *cobra.Command {
	return &cobra.Command{
		Use: "authority", Short: "Print the certificate of the authority of the house, for whatever is to trust it", Args: cobra.NoArgs,
		Long: `Print the certificate of the authority of the house (PEM): give it to browsers and programs that are to trust what it signed. What is said of it goes to standard
error. Compare the fingerprint where you give it to others.`,
		Example: "  everypost authority > house.pem\n  everypost authority -o json",
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			x, err := c.Authority(ctx)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(x)
			}
			_, _ = fmt.Fprint(a.out, x.Certificate)
			a.say("%s, until %s; it has signed %d. SHA-256 %s", x.Subject, x.NotAfter.Local().Format("2 Jan 2006"), x.Signed, x.Fingerprint)
			return nil
		}),
	}
}

func (a *app) renewCertificatesCommand() *cobra.Command {
	var w jobWhen
	within, good, plan, yes := 30, 365, false, false
	cmd := &cobra.Command{
		Use: "renew-certificates [selector...]", Short: "Give devices other certificates, signed by the authority of the house, where theirs end soon", ValidArgsFunction: a.completeSelector,
		Long: `Give devices other certificates, signed by the authority of the house, where theirs end soon. Each device makes a new key, which never leaves it; the certificate is good
for its name and its address. What is done is shown before; with --every it is done again and again.`,
		Example: "  everypost renew-certificates --plan\n  everypost renew-certificates kind = firewall --within 60\n  everypost renew-certificates --every 'FREQ=WEEKLY;BYDAY=TU;BYHOUR=9' --yes",
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			where, args := strings.Join(words, " "), map[string]string{"within": strconv.Itoa(within), "valid-for": strconv.Itoa(good)}
			p, err := c.PlanJob(ctx, v1.JobRequest{Kind: "renew", Where: where, Args: args})
			if err != nil {
				return err
			}
			if plan || !yes {
				rows := make([][]string, len(p.Steps))
				for i, s := range p.Steps {
					rows[i] = []string{s.Device, s.From, s.To}
				}
				if err := a.list(p, []string{"device", "has", "gets"}, rows, ""); err != nil || plan {
					return err
				}
				if err := a.confirm("\nWho is to trust the new ones must trust the authority of the house. Type the number of devices to go on: ", strconv.Itoa(len(p.Steps))); err != nil {
					return err
				}
			}
			return a.makeJob(ctx, c, "renew", where, args, &w)
		}),
	}
	f := cmd.Flags()
	f.IntVar(&within, "within", within, "days: certificates that end later are left alone")
	f.IntVar(&good, "good-for", good, "days for which the new ones are good")
	f.BoolVar(&plan, "plan", false, "show what would be done, and do nothing")
	f.BoolVar(&yes, "yes", false, "do not ask")
	w.flags(f)
	return cmd
}
