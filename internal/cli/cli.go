// Package cli is the command line: commands over the Go client, and how their output looks. It knows the service only
// through its HTTP interface.
package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"example.net/everypost/internal/api/client"
	"example.net/everypost/internal/cli/safe"
)

// Exit codes.
const (
	ExitOK          = 0
	ExitFailed      = 1 // something else
	ExitUsage       = 2 // the command line is wrong
	ExitRefused     = 3 // the service refused: bad input, findings, a wrong state
	ExitUnreachable = 4 // the service, or a device that is needed, does not answer
	ExitSignIn      = 5 // not signed in, or a right is missing
	ExitUndone      = 6 // a change was pushed and is undone or failed
	ExitDiffers     = 7 // a file, or what is intended, says something else than the devices
)

// codedError is an error that brings its exit code.
type codedError struct {
	code int
	err  error
}

func (e *codedError) Error() string { return e.err.Error() }
func (e *codedError) Unwrap() error { return e.err }

func usage(format string, args ...any) error {
	return &codedError{ExitUsage, fmt.Errorf(format, args...)}
}

// ExitCode turns an error into an exit code. This is the one place where that is decided.
func ExitCode(err error) int {
	var coded *codedError
	var problem *client.Problem
	var away *client.Unreachable
	switch {
	case err == nil:
		return ExitOK
	case errors.As(err, &coded):
		return coded.code
	case errors.As(err, &away):
		return ExitUnreachable
	case errors.As(err, &problem):
		switch problem.Status {
		case 401, 403:
			return ExitSignIn
		case 502, 503, 504:
			return ExitUnreachable
		}
		if problem.Status < 500 {
			return ExitRefused
		}
	}
	return ExitFailed
}

// advice says what to do about an error, or "".
func advice(err error) string {
	var problem *client.Problem
	var away *client.Unreachable
	switch {
	case errors.As(err, &away):
		return "Is the service running there? Start it with \"everypost serve\" (or \"everypost demo\"), or name another with --server."
	case errors.As(err, &problem) && problem.Status == 401:
		return "Sign in with \"everypost login\"."
	case errors.As(err, &problem) && problem.Type == "urn:everypost:problem:findings":
		return "Mend them, or accept warnings by their id with --accept."
	case errors.As(err, &problem) && problem.Type == "urn:everypost:problem:state":
		return "Look at it with \"everypost change show\"."
	}
	return ""
}

// app is what all commands share.
type app struct {
	version string
	in      io.Reader
	typing  *bufio.Reader // what is typed, once it was asked for (typed)
	out     io.Writer
	err     io.Writer

	server  string
	tryRole string
	format  string
	noColor bool
	columns []string // of lists, in order; nil: all
	wide    bool     // lists are not fitted to the terminal
	groupBy string   // the column by whose values a list is grouped
	lines   lineChoice
}

// Root returns the command tree for a version of the program. More commands may be added to it.
func Root(version string) *cobra.Command {
	a := &app{version: version}
	root := &cobra.Command{
		Use:   "everypost",
		Short: "Run the network devices of many sites from one place",
		Long: `Every Post runs the switches, access points, firewalls and edges of many sites from one place.

Commands speak to a service, on this machine unless --server or EVERYPOST_SERVER names another.
Exit codes: 0 done, 1 failed, 2 wrong usage, 3 refused, 4 unreachable, 5 not signed in, 6 change undone, 7 differs.`,
		SilenceUsage: true, SilenceErrors: true, Version: version,
		PersistentPreRunE: func(cmd *cobra.Command, _ []string) error {
			a.in, a.out, a.err = cmd.InOrStdin(), cmd.OutOrStdout(), cmd.ErrOrStderr()
			if run := cmd.RunE; a.lines.wanted() && run != nil {
				s := sieve(a.out, a.lines)
				a.out = s
				cmd.RunE = func(cmd *cobra.Command, args []string) error {
					if err := run(cmd, args); err != nil {
						_ = s.Close()
						return err
					}
					return s.Close()
				}
			}
			return a.checkFormat()
		},
	}
	root.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return &codedError{ExitUsage, err} })
	f := root.PersistentFlags()
	f.StringVar(&a.server, "server", "", "address of the service (EVERYPOST_SERVER; else the one signed in to)")
	f.StringVar(&a.tryRole, "try-role", "", "show what somebody of this role would see; nothing is done")
	f.StringVarP(&a.format, "output", "o", "table", "form of the output: table, json, yaml or csv")
	f.BoolVar(&a.noColor, "no-color", false, "no colours (also NO_COLOR); there are none when the output is not a terminal")
	f.StringSliceVar(&a.columns, "columns", nil, "columns of a list, in this order")
	a.lines.add(f)
	f.BoolVar(&a.wide, "wide", false, "do not fit lists to the width of the terminal")
	_ = root.RegisterFlagCompletionFunc("output", cobra.FixedCompletions([]string{"table", "json", "yaml", "csv"}, cobra.ShellCompDirectiveNoFileComp))
	root.AddCommand(a.templatesCommand(), a.templateCommand(), a.layersCommand(), a.driftCommand(), a.loginCommand(), a.logoutCommand(), a.sitesCommand(), a.siteCommand(), a.fieldsCommand(), a.devicesCommand(), a.deviceCommand(), a.portsCommand(), a.clientsCommand(), a.clientCommand(),
		a.portCommand(), a.settingsCommand(), a.rowsCommand(), a.policiesCommand(), a.policyCommand(), a.reachCommand(), a.promisesCommand(), a.promiseCommand(), a.alarmsCommand(), a.noticesCommand(), a.noticeCommand(), a.deliveriesCommand(), a.mailServerCommand(), a.alarmCommand(), a.alarmRulesCommand(), a.alarmRuleCommand(), a.pingCommand(), a.tracerouteCommand(), a.cableTestCommand(), a.bounceCommand(), a.powerCycleCommand(), a.whereCommand(), a.dayCommand(), a.topCommand(), a.volumeCommand(), a.liveCommand(), a.watchCommand(), a.captureCommand(), a.framesCommand(), a.filesCommand(), a.fileCommand(), a.supportCommand(), a.clearCountersCommand(), a.reopenCommand(), a.locateCommand(), a.loopbackCommand(), a.throughputCommand(), a.wakeCommand(), a.rebootCommand(), a.shutDownCommand(), a.factoryResetCommand(), a.jobsCommand(), a.jobCommand(), a.backupsCommand(), a.backupCommand(), a.firmwareCommand(), a.changePasswordsCommand(), a.wirelessCommand(), a.radiosCommand(), a.refusedCommand(), a.joiningCommand(), a.blockedCommand(), a.limitedCommand(), a.guestsCommand(), a.guestCommand(), a.portalsCommand(), a.portalCommand(), a.vouchersCommand(), a.voucherCommand(), a.disconnectCommand(), a.whatIfCommand(), a.singlePointsCommand(), a.pathsCommand(), a.circuitsCommand(), a.circuitCommand(), a.tunnelsCommand(), a.tunnelCommand(), a.steeringCommand(), a.segmentsCommand(), a.segmentCommand(), a.routersCommand(), a.radioLinksCommand(), a.radioLinkCommand(), a.operationsCommand(), a.operationCommand(), a.bundleCommand(), a.compareCommand(), a.exportCommand(), a.draftCommand(), a.vlansCommand(), a.vlanCommand(), a.serviceVLANsCommand(), a.serviceVLANCommand(), a.changesCommand(), a.changeCommand(), a.enrolCommand(), a.discoverCommand(), a.foundCommand(), a.acceptCommand(), a.eventsCommand(), a.auditCommand(),
		a.linksCommand(), a.historyCommand(), a.certificatesCommand(), a.certificateCommand(), a.renewCertificatesCommand(), a.authorityCommand(), a.applicationsCommand(), a.routesCommand(), a.leasesCommand(), a.terminalCommand(), a.terminalsCommand(), a.groupsCommand(), a.groupCommand(), a.changeRulesCommand(), a.changeRuleCommand(), a.setupCommand(), a.claimCommand(), a.claimsCommand(), a.usersCommand(), a.userCommand(), a.rolesCommand(), a.roleCommand(), a.sessionsCommand(), a.sessionCommand(), a.tokensCommand(), a.tokenCommand(), a.passwordCommand(), a.whoamiCommand(), a.versionCommand())
	arrange(root)
	return root
}

// Run runs the command tree and returns the exit code, having said on standard error what went wrong, why, and what next.
func Run(ctx context.Context, root *cobra.Command) int {
	explain(root)
	arrange(root) // some came later
	cmd, err := root.ExecuteContextC(ctx)
	if err == nil {
		return ExitOK
	}
	code := ExitCode(err)
	if code == ExitFailed && isUsage(err) {
		code = ExitUsage
	}
	_, _ = fmt.Fprintf(root.ErrOrStderr(), "everypost: %s\n", safe.Lines(err.Error()))
	if a := advice(err); a != "" {
		_, _ = fmt.Fprintln(root.ErrOrStderr(), a)
	} else if code == ExitUsage {
		_, _ = fmt.Fprintf(root.ErrOrStderr(), "See \"%s --help\".\n", cmd.CommandPath())
	}
	return code
}

// isUsage recognises the complaints of the command library, which have no type.
func isUsage(err error) bool {
	for _, start := range []string{"unknown command", "accepts ", "requires ", "required flag", "invalid argument"} {
		if len(err.Error()) >= len(start) && err.Error()[:len(start)] == start {
			return true
		}
	}
	return false
}

// client returns a client that is signed in.
func (a *app) client() (*client.Client, error) {
	saved, err := loadLogin()
	if err != nil {
		return nil, err
	}
	c := &client.Client{Base: a.address(saved), Token: os.Getenv("EVERYPOST_TOKEN"), TryRole: a.tryRole}
	if !a.isData() { // a program gets texts as they are
		c.Clean = safe.Lines
	}
	if c.Token == "" && saved.Server == c.Base {
		c.Token = saved.Token
	}
	if c.Token == "" {
		return nil, &codedError{ExitSignIn, fmt.Errorf("not signed in to %s: sign in with \"everypost login\", or set EVERYPOST_TOKEN", c.Base)}
	}
	return c, nil
}

const defaultServer = "http://127.0.0.1:8490"

func (a *app) address(saved login) string {
	for _, s := range []string{a.server, os.Getenv("EVERYPOST_SERVER"), saved.Server} {
		if s != "" {
			return s
		}
	}
	return defaultServer
}

func (a *app) say(format string, args ...any) { _, _ = fmt.Fprintf(a.err, format+"\n", args...) }

// isTerminal tells whether a stream is one.
func isTerminal(v any) bool {
	f, ok := v.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

// ago says how long ago something was, in one unit.
func ago(t time.Time) string {
	if t.IsZero() {
		return "never"
	}
	d := time.Since(t)
	switch {
	case d < 2*time.Second:
		return "now"
	case d < 2*time.Minute:
		return fmt.Sprintf("%d s", int(d.Seconds()))
	case d < 2*time.Hour:
		return fmt.Sprintf("%d min", int(d.Minutes()))
	case d < 48*time.Hour:
		return fmt.Sprintf("%d h", int(d.Hours()))
	}
	return fmt.Sprintf("%d d", int(d.Hours()/24))
}

// agoWords says it in a sentence.
func agoWords(t time.Time) string {
	if time.Since(t) < 2*time.Second {
		return "just now"
	}
	return ago(t) + " ago"
}
