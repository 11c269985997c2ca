package cli

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) policiesCommand() *cobra.Command {
	return &cobra.Command{
		Use: "policies [selector...]", Short: "List the firewalls with what they let pass", ValidArgsFunction: a.completeSelector,
		Example: "  everypost policies\n  everypost policies site = tern-haven",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.Policies(ctx, strings.Join(args, " "))
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, p := range list.Items {
				rules := strconv.Itoa(p.Rules)
				if !p.Decides {
					rules = "none: everything passes"
				}
				rows[i] = []string{p.Device, p.Site, rules, strconv.FormatUint(p.Sessions, 10), strconv.FormatUint(p.Unmatched, 10), faultsText(p.Faults)}
			}
			return a.list(list, []string{"device", "site", "rules", "decided on", "fitted none", "what is wrong"}, rows, "No firewall there can be told what to let pass.")
		}),
	}
}

// faultsText says how many rules have which fault.
func faultsText(faults map[string]int) string {
	var out []string
	for _, f := range []string{"wide", "shadowed", "nobody", "past", "redundant", "unused", "too-large"} {
		if n := faults[f]; n > 0 {
			out = append(out, fmt.Sprintf("%d %s", n, f))
		}
	}
	return strings.Join(out, ", ")
}

func (a *app) policyCommand() *cobra.Command {
	var names, translations, found, floods, overrides bool
	cmd := &cobra.Command{
		Use: "policy DEVICE", Short: "Show what a firewall lets pass, how often each rule decided, and what is wrong with it", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Long: `Show the rules of a firewall in their order: the first that fits a session decides, and what none fits is denied. "decided" is how many sessions
each decided on since the device came up. What is wrong with a rule is worked out from all rules: shadowed (others decide before it, and otherwise),
redundant (without it the same would pass), wide (it lets everybody reach everything), past (its last day is over), nobody (what it names is nothing),
unused (it decided on nothing for 30 days). Rules are edited with "everypost rows"; names with "everypost port set DEVICE:address/NAME addresses=...".`,
		Example: "  everypost policy th-fw-01\n  everypost policy th-fw-01 --names\n  everypost policy hh-fw-01 --translations\n  everypost rows add th-fw-01:policy/main 'deny from guests to office' --at first\n  everypost policy effect 12",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			p, err := c.Policy(ctx, args[0])
			if err != nil {
				return err
			}
			if names {
				return a.policyNames(p)
			}
			if translations {
				return a.policyTranslations(p)
			}
			if found {
				return a.policyFound(p)
			}
			if floods {
				return a.policyFloods(p)
			}
			if overrides {
				return a.policyOverrides(p)
			}
			rows := make([][]string, len(p.List))
			for i, r := range p.List {
				sessions, last := a.hits(r.Sessions, r.LastAt)
				rows[i] = []string{strconv.Itoa(r.Number), r.Action, anyOf(r.From), anyOf(r.To), anyOf(r.Source), anyOf(r.Destination), anyOf(r.Service), limitsText(r), sessions, last, faultText(r), r.Note}
			}
			empty := fmt.Sprintf("%s has no rules: it denies everything.", p.Device)
			if !p.Decides {
				empty = fmt.Sprintf("%s has no policy: it lets everything pass.", p.Device)
			}
			return a.list(p, []string{"rule", "action", "from", "to", "source", "destination", "service", "only", "decided", "last", "wrong", "note"}, rows, empty)
		}),
	}
	cmd.Flags().BoolVar(&names, "names", false, "the zones, addresses and services that it knows by name, and who uses them")
	cmd.Flags().BoolVar(&translations, "translations", false, "what it translates (NAT): of destinations before the rules are asked, of sources after")
	cmd.Flags().BoolVar(&found, "found", false, "what its inspections found in sessions that were let begin")
	cmd.Flags().BoolVar(&floods, "floods", false, "what the flood limits of its zones dropped")
	cmd.Flags().BoolVar(&overrides, "overrides", false, "who may see for a time what its inspections block")
	cmd.MarkFlagsMutuallyExclusive("names", "translations", "found", "floods", "overrides")
	cmd.AddCommand(a.policySessionsCommands()...)
	cmd.AddCommand(a.webListCommand())
	cmd.AddCommand(&cobra.Command{
		Use: "effect CHANGE", Short: "Show what a change lets firewalls pass, and what it has them stop", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeChanges,
		Example: "  everypost policy effect 12",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			n, err := changeNumber(args[0])
			if err != nil {
				return err
			}
			d, err := c.ChangePolicy(ctx, n)
			if err != nil {
				return err
			}
			rows := make([][]string, len(d.Items))
			for i, x := range d.Items {
				rows[i] = []string{x.Device, map[bool]string{true: "opens", false: "closes"}[x.Opens], x.From, x.Source, x.To, x.Destination, x.Service, strconv.Itoa(x.Rule)}
			}
			if err := a.list(d, []string{"device", "it", "from", "source", "to", "destination", "service", "by rule"}, rows, "It lets pass what passes now, and nothing else."); err != nil {
				return err
			}
			if !d.Whole && !a.isData() {
				a.say("There is more than can be told.")
			}
			return nil
		}),
	})
	return cmd
}

// hits says how often something did, and when last.
func (a *app) hits(sessions *uint64, at *time.Time) (n, last string) {
	if sessions != nil {
		n = strconv.FormatUint(*sessions, 10)
	}
	if at != nil {
		last = a.when(*at)
	}
	return n, last
}

// policyTranslations lists what a firewall translates.
func (a *app) policyTranslations(p v1.Policy) error {
	rows := make([][]string, len(p.Translations))
	for i, t := range p.Translations {
		sessions, last := a.hits(t.Sessions, t.LastAt)
		rows[i] = []string{strconv.Itoa(t.Number), t.Kind, anyOf(t.From), anyOf(t.To), anyOf(t.Source), anyOf(t.Destination), anyOf(t.Service), intoText(t), sessions, last, t.Note}
	}
	return a.list(p, []string{"number", "of", "from", "to", "source", "destination", "service", "into", "did", "last", "note"}, rows, p.Device+" translates nothing.")
}

// policyFound lists what the inspections of a firewall found.
func (a *app) policyFound(p v1.Policy) error {
	rows := make([][]string, len(p.Found))
	for i, f := range p.Found {
		_, last := a.hits(nil, f.LastAt)
		rows[i] = []string{f.Inspection, f.What, strconv.FormatUint(f.Blocked, 10), strconv.FormatUint(f.Limited, 10), strconv.FormatUint(f.Logged, 10), last}
	}
	return a.list(p, []string{"inspection", "found", "blocked", "limited", "logged", "last"}, rows, "The inspections of "+p.Device+" found nothing.")
}

// policyFloods lists what the limits of zones dropped.
func (a *app) policyFloods(p v1.Policy) error {
	rows := make([][]string, len(p.Floods))
	for i, f := range p.Floods {
		_, last := a.hits(nil, f.LastAt)
		now := "over"
		if f.Rate > 0 {
			now = strconv.FormatUint(f.Rate, 10) + "/s"
		}
		rows[i] = []string{f.Zone, f.Protocol, now, strconv.FormatUint(f.Dropped, 10), f.Source, last}
	}
	return a.list(p, []string{"zone", "protocol", "drops now", "dropped", "source", "last"}, rows, "The flood limits of "+p.Device+" dropped nothing.")
}

// policyOverrides lists who may see for a time what inspections block.
func (a *app) policyOverrides(p v1.Policy) error {
	rows := make([][]string, len(p.Overrides))
	for i, o := range p.Overrides {
		rows[i] = []string{o.Source, o.Category, o.By, o.Until.Local().Format("2 Jan 15:04"), strconv.FormatUint(o.Passed, 10)}
	}
	return a.list(p, []string{"station", "category", "let by", "until", "passed"}, rows, "Nobody may see what the inspections of "+p.Device+" block.")
}

// webListCommand takes in what is in which category.
func (a *app) webListCommand() *cobra.Command {
	var in v1.WebListRequest
	cmd := &cobra.Command{
		Use: "categories NAME FILE", Short: "Put a list of what is in which category into a draft, for firewalls that a selector picks", Args: cobra.ExactArgs(2),
		Long: `Put a list of what is in which category into a draft, as a template web-NAME that the firewalls of --where follow, now and whoever comes later. A line of the file is a
domain, which stands for all below it, and a category; what follows # is a comment; "-" is standard input. A list that is taken in again takes the place of the one
before. Inspections block, log or let override a category by its name.`,
		Example: "  everypost policy categories house lists/house.txt --where 'kind = firewall'\n  printf 'tides.example.net sport\\n' | everypost policy categories house - --where 'site = northgate and kind = firewall'",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) (err error) {
			in.Name = args[0]
			if in.Text, err = a.smallFile(args[1], 2_000_000); err != nil {
				return err
			}
			answer, err := c.TakeInWebList(ctx, in)
			if err != nil {
				return err
			}
			return a.told(answer)
		}),
	}
	f := cmd.Flags()
	f.StringVar(&in.Where, "where", "kind = firewall", "a selector of the firewalls that follow it")
	f.Int64Var(&in.Change, "change", 0, "put it into this draft instead of a new one")
	f.StringVar(&in.Why, "why", "", "what a new draft is for")
	return cmd
}

func intoText(t v1.PolicyTranslation) string {
	switch {
	case t.Into == "":
		return "its own"
	case t.Port > 0:
		return t.Into + " port " + strconv.Itoa(t.Port)
	}
	return t.Into
}

func anyOf(list []string) string {
	if len(list) == 0 {
		return "any"
	}
	return strings.Join(list, ",")
}

func limitsText(r v1.PolicyRule) string {
	var out []string
	if r.Inspect != "" {
		out = append(out, "inspect "+r.Inspect)
	}
	if r.During != "" {
		out = append(out, "during "+r.During)
	}
	if r.Until != "" {
		out = append(out, "until "+r.Until)
	}
	return strings.Join(out, ", ")
}

func faultText(r v1.PolicyRule) string {
	if len(r.By) == 0 {
		return r.Fault
	}
	by := make([]string, len(r.By))
	for i, n := range r.By {
		by[i] = strconv.Itoa(n)
	}
	return r.Fault + " by " + strings.Join(by, ",")
}

// valueLead is what stands before the values of what a firewall knows by name.
var valueLead = map[string]string{"zone-vlans": "VLAN ", "flood-tcp": "TCP at most ", "flood-udp": "UDP at most ", "flood-icmp": "ICMP at most ", "mail-senders": "no mail from ", "mail-lists": "no mail of who is in ", "mail-words": "no mail with ", "members": "with ", "category-names": "", "web-block": "blocks ", "web-override": "blocks until overridden ", "web-log": "logs ", "application-block": "blocks ", "application-limit": "limits ", "file-limit": "files over ",
	"intrusion": "attacks from "}

// policyNames lists what a firewall knows by name.
func (a *app) policyNames(p v1.Policy) error {
	var rows [][]string
	for _, n := range p.Names {
		var values []string
		for _, key := range []string{"zone-vlans", "interfaces", "flood-tcp", "flood-udp", "flood-icmp", "mail-senders", "mail-lists", "mail-words", "addresses", "services", "members", "category-names", "web-block", "web-override", "web-log", "application-block", "application-limit", "file-limit", "intrusion"} {
			if v := n.Values[key]; v != "" && v != "none" {
				values = append(values, valueLead[key]+v)
			}
		}
		used := slices.Clone(n.UsedBy)
		if len(used) > 3 {
			used = append(used[:3], fmt.Sprintf("%d more", len(n.UsedBy)-3))
		}
		rows = append(rows, []string{n.Kind, n.Name, strings.Join(values, ", "), strings.Join(used, ", "), n.Purpose})
	}
	return a.list(p, []string{"kind", "name", "is", "used by", "purpose"}, rows, p.Device+" knows nothing by name.")
}
