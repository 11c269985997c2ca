package cli

import (
	"bufio"
	"errors"
	"strings"

	"github.com/spf13/cobra"

	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) enrolCommand() *cobra.Command {
	in := v1.Enrolment{}
	cmd := &cobra.Command{
		Use: "enrol ADDRESS", Short: "Take a device under management", Args: cobra.ExactArgs(1),
		Long: `Take a device under management. Its SSH host key is shown first: compare it with what the device itself displays. Once
accepted, the key is pinned, and a device that shows another one is not spoken to. The device's password comes from the
terminal, from standard input, or from EVERYPOST_DEVICE_PASSWORD.`,
		Example: "  everypost enrol 10.20.10.12 --user fleet --site tern-haven\n  everypost enrol 10.20.10.12 --user fleet --site tern-haven --host-key SHA256:... < password.txt",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			probe, err := c.Probe(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			lines := a.typed()
			if in.HostKey, err = a.acceptKey(lines, probe, in.HostKey); err != nil {
				return err
			}
			if in.Password, err = a.devicePassword(lines, "Password of "+in.User+" on the device: "); err != nil {
				return err
			}
			in.Address = probe.Address
			d, err := c.Enrol(cmd.Context(), in)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(d)
			}
			a.say("%s is enrolled: %s %s, serial %s.", d.Name, d.Maker, d.Model, d.Serial)
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&in.User, "user", "", "user name on the device (required)")
	f.StringVar(&in.Site, "site", "", "site at which it stands (required)")
	f.StringVar(&in.Name, "name", "", "name to give it (else its host name)")
	f.StringVar(&in.HostKey, "host-key", "", "fingerprint to accept without being asked")
	_ = cmd.MarkFlagRequired("user")
	_ = cmd.MarkFlagRequired("site")
	return cmd
}

// acceptKey has a person accept the key that an address shows, or holds it against the one that was given.
func (a *app) acceptKey(lines *bufio.Reader, probe v1.ProbeResult, given string) (string, error) {
	if given != "" && given != probe.HostKey {
		return "", &codedError{ExitRefused, errors.New(probe.Address + " shows host key " + probe.HostKey + ", not the one given; nothing was done")}
	}
	if given != "" {
		return given, nil
	}
	a.say("%s shows the host key\n  %s", probe.Address, probe.HostKey)
	answer, err := a.ask(lines, "Is this the key that the device displays? Type yes to accept and pin it: ")
	if err != nil {
		return "", err
	}
	if !strings.EqualFold(answer, "yes") {
		return "", &codedError{ExitRefused, errors.New("the host key was not accepted; nothing was done")}
	}
	return probe.HostKey, nil
}

func (a *app) pinCommand() *cobra.Command {
	var given string
	cmd := &cobra.Command{
		Use: "pin DEVICE", Short: "Accept another host key of a device", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Long: `Accept another host key of a device, after it was replaced or its keys were made anew. A device that shows another key than
the pinned one is not spoken to; find out why it does before you accept it.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			d, err := c.Device(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			probe, err := c.Probe(cmd.Context(), d.Address)
			if err != nil {
				return err
			}
			if probe.HostKey == d.HostKey {
				a.say("%s shows the key that is pinned; nothing was done.", d.Name)
				return nil
			}
			key, err := a.acceptKey(a.typed(), probe, given)
			if err != nil {
				return err
			}
			if err := c.Pin(cmd.Context(), d.Name, key); err != nil {
				return err
			}
			a.say("The key of %s is pinned.", d.Name)
			return nil
		},
	}
	cmd.Flags().StringVar(&given, "host-key", "", "fingerprint to accept without being asked")
	return cmd
}
