package cli

import (
	"context"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// picking is what every list of the network takes on the command line: a selector in words, an order, or a count.
type picking struct{ query client.Query }

const pickingHelp = `A selector picks by properties: kind = switch and site in (tern-haven, oyster-landing). Bare words are
looked for in names, descriptions, addresses, serial numbers and tags. "everypost fields" lists the properties.
Where the shell would take a character for itself, put the selector in quotes.`

// listing is a list of the network as a command.
type listing[T any] struct {
	use, short, example, empty string
	header                     []string
	fetch                      func(*client.Client, context.Context, client.Query) (v1.List[T], error)
	row                        func(T) []string
}

// listCommand makes the command of a listing.
func listCommand[T any](a *app, l listing[T]) *cobra.Command {
	var pick picking
	cmd := &cobra.Command{
		Use: l.use + " [selector...]", Short: l.short, Example: l.example,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			q, err := pick.read(args)
			if err != nil {
				return err
			}
			list, err := l.fetch(c, cmd.Context(), q)
			if err != nil {
				return err
			}
			if done, err := counted(a, q, list); done {
				return err
			}
			defer more(a, list)
			return printListing(a, l, list)
		},
	}
	return pick.flags(a, cmd)
}

func printListing[T any](a *app, l listing[T], list v1.List[T]) error {
	rows := make([][]string, len(list.Items))
	for i, item := range list.Items {
		rows[i] = l.row(item)
	}
	return a.list(list, l.header, rows, l.empty)
}

// flags adds the flags, and completion of the selector.
func (p *picking) flags(a *app, cmd *cobra.Command) *cobra.Command {
	cmd.Long = cmd.Short + ".\n\n" + pickingHelp
	f := cmd.Flags()
	f.StringVar(&p.query.Where, "where", "", "the selector, instead of words")
	f.StringVar(&p.query.Sort, "sort", "", "fields to sort by; a minus turns one round: -port.poe.watts,name")
	f.StringVar(&a.groupBy, "group-by", "", "a column by whose values the list is grouped")
	f.StringVar(&p.query.Count, "count", "", "count by the values of these fields instead of listing: kind,health")
	countVar(f, &p.query.Limit, "limit", 0, 0, "at most so many; 0 is all")
	cmd.ValidArgsFunction = a.completeSelector
	_ = cmd.RegisterFlagCompletionFunc("where", func(cmd *cobra.Command, _ []string, word string) ([]string, cobra.ShellCompDirective) {
		return a.completeSelector(cmd, nil, word)
	})
	_ = cmd.RegisterFlagCompletionFunc("sort", a.completeFields)
	_ = cmd.RegisterFlagCompletionFunc("count", a.completeFields)
	return cmd
}

// read returns the query of a command line.
func (p *picking) read(args []string) (client.Query, error) {
	q := p.query
	if err := homeFolder(append(strings.Fields(q.Where), args...)); err != nil {
		return q, err
	}
	if len(args) > 0 {
		if q.Where != "" {
			return q, usage("give the selector as words or with --where, not both")
		}
		q.Where = strings.Join(args, " ")
	}
	if q.Count != "" && q.Limit == 0 {
		q.Limit = 1 // the items are not looked at
	}
	return q, nil
}

// counted prints counts, if they were asked for.
func counted[T any](a *app, q client.Query, list v1.List[T]) (bool, error) {
	if q.Count == "" {
		return false, nil
	}
	if a.isData() {
		return true, a.data(list.Counts)
	}
	var rows [][]string
	for name := range strings.SplitSeq(q.Count, ",") {
		for _, c := range list.Counts[strings.ToLower(strings.TrimSpace(name))] {
			value := c.Value
			if value == "" && a.format == "table" {
				value = "-"
			}
			rows = append(rows, []string{strings.TrimSpace(name), value, strconv.Itoa(c.Count)})
		}
	}
	return true, a.list(list.Counts, []string{"field", "value", "count"}, rows, "Nothing fits.")
}

// more tells when a list was cut.
func more[T any](a *app, list v1.List[T]) {
	if list.Next != "" && a.format == "table" {
		a.say("%d of %d are shown; --limit 0 shows all.", len(list.Items), list.Total)
	}
}

// completeSelector completes a selector that is given in words, or as one word in quotes.
func (a *app) completeSelector(cmd *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
	c, err := a.client()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	text := strings.Join(append(append([]string{}, args...), word), " ")
	got, err := c.Complete(cmd.Context(), text, len([]rune(text)))
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	// What is completed is a part of the last word: what stands before it there stays.
	kept := []rune(word)
	kept = kept[:max(0, len(kept)-(got.To-got.From))]
	out := make([]string, len(got.Candidates))
	for i, x := range got.Candidates {
		out[i] = string(kept) + x.Text
		if x.Help != "" {
			out[i] += "\t" + x.Help
		}
	}
	return out, cobra.ShellCompDirectiveNoFileComp
}

func (a *app) completeFields(cmd *cobra.Command, _ []string, word string) ([]string, cobra.ShellCompDirective) {
	c, err := a.client()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	list, err := c.Fields(cmd.Context(), "network")
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	before := word[:strings.LastIndexAny(word, ",-")+1]
	out := make([]string, len(list.Items))
	for i, f := range list.Items {
		out[i] = before + f.Name + "\t" + f.Help
	}
	return out, cobra.ShellCompDirectiveNoFileComp | cobra.ShellCompDirectiveNoSpace
}

func (a *app) fieldsCommand() *cobra.Command {
	of := "network"
	cmd := &cobra.Command{
		Use: "fields", Short: "List the properties by which things are picked, sorted and counted", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			list, err := c.Fields(cmd.Context(), of)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, f := range list.Items {
				help := f.Help
				if len(f.Choices) > 0 {
					help += ": " + strings.Join(f.Choices, ", ")
				}
				rows[i] = []string{f.Name, f.Type, strings.Join(f.Operators, " "), help}
			}
			return a.list(list, []string{"field", "type", "operators", "meaning"}, rows, "")
		},
	}
	cmd.Flags().StringVar(&of, "of", of, "network: as it is now; log: what happened, for \"everypost events\"")
	_ = cmd.RegisterFlagCompletionFunc("of", cobra.FixedCompletions([]string{"network", "log"}, cobra.ShellCompDirectiveNoFileComp))
	return cmd
}
