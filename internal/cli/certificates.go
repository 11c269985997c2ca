package cli

import (
	"context"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/cli/safe"
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

func (a *app) certificateCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "certificate", Short: "Give a device a certificate that another authority signed",
		Long: `Give a device a certificate that another authority signed. Either the device makes the key, and a request of which you have a certificate made; or you bring
both. A key that you bring goes to the device and is kept nowhere else.`,
		Example: "  everypost certificate request hh-fw-01 > hh-fw-01.csr\n  everypost certificate import hh-fw-01 signed.pem\n  everypost certificate import hh-fw-01 signed.pem --key hh-fw-01.key",
	}
	place := "web"
	var names []string
	request := &cobra.Command{
		Use: "request DEVICE", Short: "Have a device make a new key, and print a request for a certificate of it", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Long:    "Have a device make a new key, and print a request for a certificate of it (PKCS #10, PEM). What it uses stays in use until it is given the new one.",
		Example: "  everypost certificate request hh-fw-01 > hh-fw-01.csr\n  everypost certificate request hh-fw-01 --good-for fw.harbour.example.net,10.1.10.3",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			x, err := c.RequestCertificate(ctx, args[0], place, names)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(x)
			}
			_, err = fmt.Fprint(a.out, x.Request)
			return err
		}),
	}
	request.Flags().StringSliceVar(&names, "good-for", nil, "names and addresses for which it is to be good (default: its name and its address)")
	key, yes := "", false
	imported := &cobra.Command{
		Use: "import DEVICE FILE", Short: "Have a device use a certificate", Args: cobra.ExactArgs(2), ValidArgsFunction: a.completeDevices,
		Long:    "Have a device use a certificate. The file (PEM) begins with the device's own, those of who signed it follow. What it is, and what speaks against it, is shown before.",
		Example: "  everypost certificate import hh-fw-01 signed.pem\n  everypost certificate import hh-fw-01 signed.pem --key hh-fw-01.key --yes",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			var in v1.CertificateFiles
			var err error
			if in.Chain, err = a.smallFile(args[1], maxCertificates); err != nil {
				return err
			}
			if key != "" {
				if in.Key, err = a.smallFile(key, maxCertificates); err != nil {
					return err
				}
			}
			plan, err := c.ImportCertificate(ctx, args[0], place, in, true)
			if err != nil {
				return err
			}
			if !yes {
				x := plan.Certificate
				a.say("%s, signed by %s, good for %s until %s; SHA-256 %s", safe.Line(x.Subject), safe.Line(x.Issuer), safe.Line(strings.Join(x.Names, ", ")), x.NotAfter.Local().Format("2 Jan 2006"), x.Fingerprint)
				for _, d := range plan.Doubts {
					a.say("! %s", safe.Line(d))
				}
				if err := a.confirm(fmt.Sprintf("Type %s to have it used there: ", args[0]), args[0]); err != nil {
					return err
				}
			}
			done, err := c.ImportCertificate(ctx, args[0], place, in, false)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(done)
			}
			a.say("%s uses it, until %s.", args[0], done.Certificate.NotAfter.Local().Format("2 Jan 2006"))
			return nil
		}),
	}
	imported.Flags().StringVar(&key, "key", "", "file of its private key (PEM); leave it out where the device made the key")
	imported.Flags().BoolVar(&yes, "yes", false, "do not ask")
	for _, sub := range []*cobra.Command{request, imported} {
		sub.Flags().StringVar(&place, "place", place, "the place in the device that holds it")
		cmd.AddCommand(sub)
	}
	return cmd
}

// maxCertificates is how large files of certificates are, in octets.
const maxCertificates = 64 << 10

// smallFile reads a file of text that is not larger than it should be, in octets; "-" is standard input.
func (a *app) smallFile(name string, most int) (string, error) {
	r := a.in
	if name != "-" {
		f, err := os.Open(name)
		if err != nil {
			return "", err
		}
		defer func() { _ = f.Close() }()
		r = f
	}
	text, err := io.ReadAll(io.LimitReader(r, int64(most)+1))
	if err == nil && len(text) > most {
		err = fmt.Errorf("%s is larger than %d KiB: it is no such file", name, most>>10)
	}
	return string(text), err
}
