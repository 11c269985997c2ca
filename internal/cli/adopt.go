package cli

import (
	"bufio"
	"errors"
	"os"
	"strings"

	"github.com/spf13/cobra"

	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) adoptCommand() *cobra.Command {
	in := v1.Adoption{}
	cmd := &cobra.Command{
		Use: "adopt ADDRESS", Short: "Take a device under management", Args: cobra.ExactArgs(1),
		Long: `Take a device under management. Its SSH host key is shown first: compare it with what the device itself displays. Once
accepted, the key is pinned, and a device that shows another one is not spoken to. The device's password comes from the
terminal, from standard input, or from EVERYPOST_DEVICE_PASSWORD.`,
		Example: "  everypost adopt 10.20.10.12 --user fleet --site tern-haven\n  everypost adopt 10.20.10.12 --user fleet --site tern-haven --host-key SHA256:... < password.txt",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			probe, err := c.Probe(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			lines := bufio.NewReader(a.in)
			switch {
			case in.HostKey == "":
				a.say("%s shows the host key\n  %s", probe.Address, probe.HostKey)
				answer, err := a.ask(lines, "Is this the key that the device displays? Type yes to accept and pin it: ")
				if err != nil {
					return err
				}
				if !strings.EqualFold(answer, "yes") {
					return &codedError{ExitRefused, errors.New("the host key was not accepted; nothing was done")}
				}
				in.HostKey = probe.HostKey
			case in.HostKey != probe.HostKey:
				return &codedError{ExitRefused, errors.New(probe.Address + " shows host key " + probe.HostKey + ", not the one given; nothing was done")}
			}
			if in.Password = os.Getenv("EVERYPOST_DEVICE_PASSWORD"); in.Password == "" {
				if in.Password, err = a.askPassword(lines, "Password of "+in.User+" on the device: "); err != nil {
					return err
				}
			}
			in.Address = probe.Address
			d, err := c.Adopt(cmd.Context(), in)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(d)
			}
			a.say("%s is adopted: %s %s, serial %s.", d.Name, d.Maker, d.Model, d.Serial)
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&in.User, "user", "", "user name on the device")
	f.StringVar(&in.Site, "site", "", "site at which it stands")
	f.StringVar(&in.Name, "name", "", "name to give it (else its host name)")
	f.StringVar(&in.HostKey, "host-key", "", "fingerprint to accept without being asked")
	_ = cmd.MarkFlagRequired("user")
	_ = cmd.MarkFlagRequired("site")
	return cmd
}
