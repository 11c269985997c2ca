package cli

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// setupCommand asks what there is to know of devices that are set up for the first time.
func (a *app) setupCommand() *cobra.Command {
	var in v1.SetupRequest
	var answers, keep string
	var yes bool
	cmd := &cobra.Command{
		Use: "setup [DEVICE...]", Short: "Set up a device, or a whole small site, step by step, and put it into a draft", ValidArgsFunction: a.completeDevices,
		Long: `Ask for what there is to know when devices are set up for the first time: names and clock, VLANs, links, what the ports are for.
Every question has an answer that leaves things as they are. At the end all is shown as one difference, and put into one draft,
which is checked and pushed like any other.

--answers reads the answers from a file instead; --keep-answers writes down those that were given, for the next site.`,
		Example: "  everypost setup --site marram-point\n  everypost setup mp-sw-01 --keep-answers pier.yaml\n  everypost setup --site kelp-bay --answers pier.yaml --dry-run",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			in.Devices = args
			if answers != "" {
				if err := a.readAnswers(answers, &in); err != nil {
					return err
				}
			}
			if len(in.Devices) == 0 && in.Site == "" {
				return usage("name the devices, or a site with --site")
			}
			if answers == "" {
				if err := a.interview(&in); err != nil {
					return err
				}
			}
			return a.setUp(ctx, c, in, keep, yes)
		}),
	}
	f := cmd.Flags()
	f.StringVar(&in.Site, "site", "", "all devices of a site, besides those that are named")
	f.StringVar(&answers, "answers", "", "a file with the answers, - for standard input")
	f.StringVar(&keep, "keep-answers", "", "write the answers to this file")
	f.BoolVar(&in.DryRun, "dry-run", false, "only show what would be different; exit code 7 if anything is")
	f.BoolVarP(&yes, "yes", "y", false, "make the draft without asking")
	f.Var(draftNumber{&in.Change}, "change", "add to this draft instead of making one")
	f.StringVar(&in.Why, "why", "", "why the change is made")
	_ = cmd.RegisterFlagCompletionFunc("site", a.completeSites)
	return cmd
}

// setUp shows what the answers come to, and makes the draft.
func (a *app) setUp(ctx context.Context, c *client.Client, in v1.SetupRequest, keep string, yes bool) error {
	only := in.DryRun
	in.DryRun = true
	shown, err := c.Setup(ctx, in)
	if err != nil {
		return err
	}
	if a.isData() && only {
		if err := a.data(shown); err != nil {
			return err
		}
	} else {
		a.printSetup(shown)
	}
	if keep != "" {
		if err := writeAnswers(keep, in); err != nil {
			return err
		}
		a.say("The answers are in %s.", keep)
	}
	if len(shown.Differences) == 0 {
		a.say("Everything is already as it says.")
		return nil
	}
	if only {
		return &codedError{ExitDiffers, fmt.Errorf("%d settings would be different", len(shown.Differences))}
	}
	if !yes {
		word, err := a.answer(a.typed(), fmt.Sprintf("Put these %d differences into a draft? [yes]: ", len(shown.Differences)))
		if err != nil {
			return err
		}
		if word != "" && !strings.HasPrefix(strings.ToLower(word), "y") {
			a.say("Nothing was done.")
			return nil
		}
	}
	in.DryRun = false
	made, err := c.Setup(ctx, in)
	if err != nil {
		return err
	}
	if a.isData() {
		return a.data(made)
	}
	if made.Change != nil {
		a.say("In draft %d. Check it with \"everypost change check %d\".", made.Change.Number, made.Change.Number)
	}
	return nil
}

func (a *app) printSetup(shown v1.SetupAnswer) {
	diffs := v1.Change{Differences: shown.Differences}
	if len(diffs.Differences) > shownDifferences {
		diffs.Differences = diffs.Differences[:shownDifferences]
	}
	a.printDifferences(diffs)
	if more := len(shown.Differences) - len(diffs.Differences); more > 0 {
		a.say("and %d more.", more)
	}
	for _, n := range shown.Notes {
		a.say("%s", n)
	}
	for _, r := range shown.Results {
		if r.Outcome == "refused" {
			a.say("left out: %s  %s", r.On, r.Why)
		}
	}
}

func (a *app) readAnswers(path string, in *v1.SetupRequest) error {
	var text []byte
	var err error
	if path == "-" {
		text, err = io.ReadAll(io.LimitReader(a.in, 1<<20))
	} else {
		text, err = os.ReadFile(path)
	}
	if err != nil {
		return err
	}
	given := *in
	*in = v1.SetupRequest{}
	document, err := jsonOf(text, "system", "set")
	if err != nil {
		return usage("%s: %v", path, err)
	}
	d := json.NewDecoder(bytes.NewReader(document))
	d.DisallowUnknownFields()
	if err := d.Decode(in); err != nil {
		return usage("%s: %v", path, err)
	}
	if len(given.Devices) > 0 || given.Site != "" { // who is named on the command line is meant
		in.Devices, in.Site = given.Devices, given.Site
	}
	in.Change, in.DryRun = given.Change, given.DryRun
	if given.Why != "" {
		in.Why = given.Why
	}
	return nil
}

// writeAnswers keeps what is good for other devices too.
func writeAnswers(path string, in v1.SetupRequest) error {
	in.Change, in.DryRun = 0, false
	document, err := json.Marshal(in)
	if err != nil {
		return err
	}
	text, err := yamlOf(document)
	if err != nil {
		return err
	}
	return os.WriteFile(path, text, 0o600)
}

// answer asks a question that may be left without an answer.
func (a *app) answer(in *bufio.Reader, question string) (string, error) {
	_, _ = fmt.Fprint(a.err, question)
	s, err := in.ReadString('\n')
	if err != nil && !(errors.Is(err, io.EOF) && s != "") {
		return "", usage("the input ended before all was asked: give the answers in a file with --answers")
	}
	return strings.TrimSpace(s), nil
}

// interview asks step by step.
func (a *app) interview(in *v1.SetupRequest) error {
	lines := a.typed()
	a.in = lines // what is left is for the question at the end
	var failed error
	ask := func(question string) string {
		if failed != nil {
			return ""
		}
		s, err := a.answer(lines, question)
		failed = err
		return s
	}
	in.System = map[string]string{}
	_, _ = fmt.Fprintln(a.err, "An empty answer leaves a thing as it is.\n\n1 of 4: the devices themselves")
	for _, q := range []struct{ name, question string }{
		{"contact", "  Who looks after them: "}, {"location", "  Where they stand: "}, {"time-zone", "  Time zone (Europe/London): "}, {"ntp-servers", "  NTP servers: "},
		{"dns-servers", "  DNS servers: "}, {"syslog-servers", "  Syslog servers: "},
	} {
		if v := ask(q.question); v != "" {
			in.System[q.name] = v
		}
	}
	_, _ = fmt.Fprintln(a.err, "\n2 of 4: VLANs, such as 20 office; an empty line ends")
	for failed == nil {
		line := ask("  VLAN: ")
		if line == "" {
			break
		}
		id, name, _ := strings.Cut(line, " ")
		n, err := strconv.Atoi(id)
		if err != nil {
			_, _ = fmt.Fprintf(a.err, "  %q is no number of a VLAN: write it like 20 office\n", id)
			continue
		}
		in.VLANs = append(in.VLANs, v1.VLAN{ID: n, Name: strings.TrimSpace(name)})
	}
	_, _ = fmt.Fprintln(a.err, "\n3 of 4: links")
	if len(in.VLANs) > 0 {
		in.Links = strings.HasPrefix(strings.ToLower(ask("  Have the links among them carry these VLANs? [no]: ")), "y")
	}
	in.Root = ask("  Root of spanning tree: ")
	_, _ = fmt.Fprintln(a.err, "\n4 of 4: ports, such as mp-sw-01:1/1/1 mp-sw-01:1/1/2 description=\"Camera #\" vlan=50; an empty line ends")
	for failed == nil {
		line := ask("  Ports: ")
		if line == "" {
			break
		}
		p, err := parsePorts(line)
		if err != nil {
			_, _ = fmt.Fprintf(a.err, "  %v\n", err)
			continue
		}
		in.Ports = append(in.Ports, p)
	}
	return failed
}

// parsePorts reads ports and settings as a shell would: words, of which some are quoted.
func parsePorts(line string) (v1.SetupPorts, error) {
	var words []string
	var word strings.Builder
	quoted := false
	for _, r := range line + " " {
		switch {
		case r == '"':
			quoted = !quoted
		case r == ' ' && !quoted:
			if word.Len() > 0 {
				words = append(words, word.String())
				word.Reset()
			}
		default:
			word.WriteRune(r)
		}
	}
	first := slices.IndexFunc(words, func(s string) bool { return strings.Contains(s, "=") })
	if quoted || first < 1 {
		return v1.SetupPorts{}, errors.New("name ports, and then settings: mp-sw-01:1/1/1 vlan=50")
	}
	row, err := parseRow(words, false, false)
	return v1.SetupPorts{On: row.On, Set: row.Set}, err
}
