package cli

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// devicePassword is one that a person types, or that stands in the environment.
func (a *app) devicePassword(in *bufio.Reader, question string) (string, error) {
	if p := os.Getenv("EVERYPOST_DEVICE_PASSWORD"); p != "" {
		return p, nil
	}
	return a.askPassword(in, question)
}

// changePasswordsCommand gives many devices other passwords.
func (a *app) changePasswordsCommand() *cobra.Command {
	var w jobWhen
	same, plan, yes := false, false, false
	args := map[string]string{}
	cmd := &cobra.Command{
		Use: "change-passwords [selector...]", Short: "Give devices another password for the user as whom the service logs in",
		Long: `Give devices another password for the user as whom the service logs in. Each device gets one of its own that is made up for it, sealed, and shown to
nobody; or with --same all get one that you type. A device runs it on trial until the service was let in by it; a device that does not take it keeps the
old one. Users of your own are changed by drafts: "everypost settings user".`,
		Example: "  everypost change-passwords --plan site = tern-haven\n  everypost change-passwords kind = switch\n  everypost change-passwords --same --at 02:00 site = tern-haven\n" +
			"  everypost change-passwords --every 'FREQ=MONTHLY;BYMONTHDAY=1;BYHOUR=3' --yes",
		ValidArgsFunction: a.completeSelector,
		RunE: a.asked(func(ctx context.Context, c *client.Client, words []string) error {
			where := strings.Join(words, " ")
			p, err := c.PlanJob(ctx, v1.JobRequest{Kind: "passwords", Where: where, Args: args})
			if err != nil {
				return err
			}
			if plan || !a.isData() {
				rows := make([][]string, len(p.Steps))
				for i, step := range p.Steps {
					rows[i] = []string{step.Device, step.From, step.To}
				}
				if err := a.list(p, []string{"device", "user", "comes to"}, rows, ""); err != nil || plan {
					return err
				}
			}
			in := a.typed()
			if same {
				if args["password"], err = a.devicePassword(in, "New password of all of them: "); err != nil {
					return err
				}
			}
			if !yes {
				if err := a.confirm(fmt.Sprintf("\nThe old passwords of %d devices go. Type the number of devices to go on: ", len(p.Steps)), strconv.Itoa(len(p.Steps))); err != nil {
					return err
				}
			}
			return a.makeJob(ctx, c, "passwords", where, args, &w)
		})}
	w.flags(cmd.Flags())
	f := cmd.Flags()
	f.BoolVar(&same, "same", false, "all get one that you type, or that stands in EVERYPOST_DEVICE_PASSWORD")
	f.BoolVar(&plan, "plan", false, "only show which devices it is about")
	f.BoolVar(&yes, "yes", false, "do not ask")
	argument(cmd, args, "stop-after", "failures, after which nothing more is begun (1)")
	argument(cmd, args, "at-once", "devices that are worked on at the same time (8)")
	return cmd
}

// devicePasswordCommand tells the service a password that somebody gave a device.
func (a *app) devicePasswordCommand() *cobra.Command {
	user := ""
	cmd := &cobra.Command{
		Use: "password DEVICE", Short: "Say by which password the service logs in, where somebody changed it on the device", Args: cobra.ExactArgs(1),
		Example:           "  everypost device password th-sw-02\n  everypost device password th-sw-02 --user keeper < password.txt",
		ValidArgsFunction: a.completeDevices,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			password, err := a.devicePassword(a.typed(), "Password on "+args[0]+": ")
			if err != nil {
				return err
			}
			if err := c.SetDeviceLogin(ctx, args[0], v1.DeviceLogin{User: user, Password: password}); err != nil {
				return err
			}
			a.say("%s let the service in by it, and it is kept.", args[0])
			return nil
		})}
	cmd.Flags().StringVar(&user, "user", "", "user name on the device (else as before)")
	return cmd
}
