package cli

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) discoverCommand() *cobra.Command {
	in := v1.DiscoveryRequest{Hops: 8}
	var w jobWhen
	cmd := &cobra.Command{
		Use: "discover TARGET...", Short: "Look for devices, and for their neighbours", Args: cobra.MinimumNArgs(1),
		Long: `Look for devices at addresses, prefixes and ranges, and from there at their neighbours, as LLDP and tunnels tell of them.
What is found waits to be accepted: see "everypost found" and "everypost accept". Ctrl-C cancels the search. With --at or
--every it is a job: see "everypost jobs".

The service logs in to what answers with the user and the password given (from the terminal, standard input or
EVERYPOST_DEVICE_PASSWORD): search only where you would also type them.`,
		Example: "  everypost discover 10.20.1.1 --user fleet\n  everypost discover 10.20.1.0/24 10.20.2.10-10.20.2.40 --user fleet --hops 0\n" +
			"  everypost discover 10.20.0.0/20 --user fleet --every 'FREQ=WEEKLY;BYDAY=SU;BYHOUR=4' --title 'What is new in town'",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			if in.Password, err = a.devicePassword(a.typed(), "Password of "+in.User+" on the devices: "); err != nil {
				return err
			}
			if w.said() {
				return a.makeJob(cmd.Context(), c, "search", "", map[string]string{"targets": strings.Join(args, " "), "user": in.User, "password": in.Password,
					"hops": strconv.Itoa(in.Hops), "port": strconv.Itoa(in.Port)}, &w)
			}
			in.Targets = args
			d, err := c.Discover(cmd.Context(), in)
			if err != nil {
				return err
			}
			last := ""
			d, err = c.FollowDiscovery(cmd.Context(), d.Number, func(d v1.Discovery) {
				if line := progressLine(d); line != last && !a.isData() {
					a.say("%s", line)
					last = line
				}
			})
			if cmd.Context().Err() != nil {
				ctx, cancel := context.WithTimeout(context.WithoutCancel(cmd.Context()), 5*time.Second)
				defer cancel()
				_ = c.CancelDiscovery(ctx, d.Number)
				return fmt.Errorf("the search is cancelled; what was found so far is kept")
			}
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(d)
			}
			for _, address := range sortedKeys(d.Refused) {
				a.say("%s does not let the service in: %s", address, d.Refused[address])
			}
			if d.Cut {
				a.say("The search met its bound of 10000 addresses: there may be more.")
			}
			if d.Found > 0 {
				a.say("Look at what was found with \"everypost found\", and take it into service with \"everypost accept\".")
			}
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&in.User, "user", "", "user name on the devices")
	f.IntVar(&in.Hops, "hops", in.Hops, "how far neighbours are followed; 0: not at all")
	f.IntVar(&in.Port, "port", 830, "where a target says no port")
	w.flags(f)
	_ = cmd.MarkFlagRequired("user")
	return cmd
}

func sortedKeys(m map[string]string) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

func progressLine(d v1.Discovery) string {
	s := fmt.Sprintf("Search %d is %s: %d addresses asked, %d waiting; %d devices found", d.Number, d.State, d.Asked, d.Queued, d.Found)
	for _, part := range []struct {
		n    int
		what string
	}{{d.Known, "known already"}, {d.Silent, "silent"}, {len(d.Refused), "refused"}} {
		if part.n > 0 {
			s += ", " + strconv.Itoa(part.n) + " " + part.what
		}
	}
	return s + "."
}

func (a *app) foundCommand() *cobra.Command {
	return &cobra.Command{
		Use: "found", Short: "List the devices that were found and wait to be accepted", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			list, err := c.Found(cmd.Context())
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, f := range list.Items {
				rows[i] = []string{f.Hostname, f.Kind, f.Maker + " " + f.Model, f.Serial, f.Address, f.Site, f.Via, f.HostKey}
			}
			return a.list(list, []string{"host name", "kind", "model", "serial", "address", "site", "told of by", "host key"}, rows, "Nothing waits to be accepted.")
		},
	}
}

func (a *app) acceptCommand() *cobra.Command {
	var site string
	var everything, yes, dismiss bool
	cmd := &cobra.Command{
		Use: "accept [ADDRESS|HOSTNAME...]", Short: "Take found devices into service",
		Long: `Take found devices into service. Their host keys are shown first: compare them with what the devices themselves
display, or accept them with --yes. Each goes to the site that is proposed unless --site names one.`,
		Example: "  everypost accept th-sw-02\n  everypost accept --all --yes\n  everypost accept 10.20.1.40:830 --dismiss",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			list, err := c.Found(cmd.Context())
			if err != nil {
				return err
			}
			chosen, err := choose(list.Items, args, everything)
			if err != nil {
				return err
			}
			if dismiss {
				addresses := make([]string, len(chosen))
				for i, f := range chosen {
					addresses[i] = f.Address
				}
				if err := c.Dismiss(cmd.Context(), addresses); err != nil {
					return err
				}
				a.say("%d found devices are forgotten.", len(chosen))
				return nil
			}
			acceptances := make([]v1.DeviceAcceptance, len(chosen))
			for i, f := range chosen {
				acceptances[i] = v1.DeviceAcceptance{Address: f.Address, HostKey: f.HostKey, Site: site}
				if !yes {
					a.say("%-16s %-24s %s", f.Hostname, f.Address, f.HostKey)
				}
			}
			if !yes {
				a.say("Are these the keys that the devices display? Type yes to take the %d devices into service:", len(chosen))
				line, _ := a.typed().ReadString('\n')
				if strings.TrimSpace(line) != "yes" {
					return &codedError{ExitRefused, fmt.Errorf("nothing was accepted")}
				}
			}
			results, err := c.Accept(cmd.Context(), acceptances)
			if err != nil {
				return err
			}
			return a.accepted(results)
		},
	}
	f := cmd.Flags()
	f.StringVar(&site, "site", "", "site at which they stand")
	f.BoolVar(&everything, "all", false, "all that were found")
	f.BoolVar(&yes, "yes", false, "accept the host keys without being asked")
	f.BoolVar(&dismiss, "dismiss", false, "forget them instead")
	_ = cmd.RegisterFlagCompletionFunc("site", a.completeSites)
	return cmd
}

func choose(found []v1.FoundDevice, args []string, everything bool) ([]v1.FoundDevice, error) {
	if everything != (len(args) == 0) {
		return nil, usage("name the devices to accept, or give --all")
	}
	if everything {
		if len(found) == 0 {
			return nil, &codedError{ExitRefused, fmt.Errorf("nothing waits to be accepted")}
		}
		return found, nil
	}
	var out []v1.FoundDevice
	for _, arg := range args {
		i := slices.IndexFunc(found, func(f v1.FoundDevice) bool { return f.Address == arg || f.Hostname == arg })
		if i < 0 {
			return nil, &codedError{ExitRefused, fmt.Errorf("%s was not found: see \"everypost found\"", arg)}
		}
		out = append(out, found[i])
	}
	return out, nil
}

func (a *app) accepted(results v1.List[v1.AcceptResult]) error {
	var rows [][]string
	failed := 0
	for _, r := range results.Items {
		if r.Problem != "" {
			failed++
		}
		rows = append(rows, []string{r.Address, r.Device, r.Problem})
	}
	if err := a.list(results, []string{"address", "device", "problem"}, rows, ""); err != nil {
		return err
	}
	if failed > 0 {
		return &codedError{ExitRefused, fmt.Errorf("%d of %d devices were not accepted", failed, len(results.Items))}
	}
	return nil
}
