package cli

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// rowsCommand shows and edits tables of which the order counts, such as the rules of an access list.
func (a *app) rowsCommand() *cobra.Command {
	var in v1.StandingRequest
	var table string
	cmd := &cobra.Command{
		Use: "rows TARGET", Short: "Show and edit tables of which the order counts, such as the rules of an access list",
		Long: `Show a table of which the order counts, such as the rules of an access list, row by row.

Every row is a setting of its own, TABLE/NUMBER, and rows stand in the order of their numbers. So two people can change different
rows of one table, templates and sites can say some rows and devices others, and a row that somebody else changed meanwhile is
found when the draft is checked.`,
		Example: `  everypost rows th-sw-02:acl/desks
  everypost rows add th-sw-02:acl/desks 'permit tcp from 10.20.40.0/24 to any port 443' --at before-20 --why 'tills pay by card'
  everypost rows move th-sw-02:acl/desks 30 --at first`,
		Args: cobra.ExactArgs(1),
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			name, err := tableOf(ctx, c, args[0], table)
			if err != nil {
				return err
			}
			in.On = args
			st, err := c.Standing(ctx, in)
			if err != nil {
				return err
			}
			st.Items = slices.DeleteFunc(st.Items, func(s v1.Standing) bool { return !strings.HasPrefix(s.Setting, name+"/") })
			var rows [][]string
			for _, s := range st.Items {
				if len(s.Values) == 0 || s.Values[0].Value == "" {
					continue
				}
				layer := ""
				if len(s.Layers) > 0 {
					layer = s.Layers[0].Value
				}
				rows = append(rows, []string{strings.TrimPrefix(s.Setting, name+"/"), s.Values[0].Value, layer})
			}
			return a.list(st, []string{"row", name, "from"}, rows, fmt.Sprintf("%s has no %s.", args[0], name))
		}),
	}
	cmd.Flags().Var(draftNumber{&in.Change}, "change", "as it would stand after this draft")
	cmd.PersistentFlags().StringVar(&table, "table", "", "which table, where a thing has several; the one that it is for when left out")
	cmd.AddCommand(
		a.stepCommand(&table, &cobra.Command{Use: "add TARGET ROW", Short: "Put a new row into a table", Args: cobra.ExactArgs(2),
			Example: "  everypost rows add th-sw-02:acl/desks 'deny ip from any to 10.20.50.0/24' --at first"},
			func(args []string) ([]v1.TableStep, error) { return []v1.TableStep{{Act: "add", Text: args[0]}}, nil }),
		a.stepCommand(&table, &cobra.Command{Use: "move TARGET NUMBER", Short: "Put a row to another place", Args: cobra.ExactArgs(2),
			Example: "  everypost rows move th-sw-02:acl/desks 30 --at before-10"}, eachRow("move")),
		a.stepCommand(&table, &cobra.Command{Use: "remove TARGET NUMBER...", Short: "Take rows out", Args: cobra.MinimumNArgs(2),
			Example: "  everypost rows remove th-sw-02:acl/desks 20 30"}, eachRow("remove")),
		a.stepCommand(&table, &cobra.Command{Use: "renumber TARGET", Short: "Number the rows 10, 20, 30 in the order that they have", Args: cobra.ExactArgs(1),
			Example: "  everypost rows renumber th-sw-02:acl/desks"},
			func([]string) ([]v1.TableStep, error) { return []v1.TableStep{{Act: "renumber"}}, nil }))
	return cmd
}

func eachRow(act string) func(args []string) ([]v1.TableStep, error) {
	return func(args []string) (out []v1.TableStep, err error) {
		for _, s := range args {
			n, err := strconv.Atoi(s)
			if err != nil {
				return nil, usage("%q is not the number of a row: give one such as 20", s)
			}
			out = append(out, v1.TableStep{Act: act, Row: n})
		}
		return out, nil
	}
}

// stepCommand makes a command put steps on the rows of a table into a draft.
func (a *app) stepCommand(table *string, cmd *cobra.Command, steps func(args []string) ([]v1.TableStep, error)) *cobra.Command {
	var in v1.BulkRequest
	var at string
	cmd.Long = cmd.Short + `. It goes into a draft: nothing is sent to a device before that is checked and pushed.`
	cmd.RunE = a.asked(func(ctx context.Context, c *client.Client, args []string) error {
		name, err := tableOf(ctx, c, args[0], *table)
		if err != nil {
			return err
		}
		row := v1.BulkRow{On: args[:1]}
		if row.Steps, err = steps(args[1:]); err != nil {
			return err
		}
		for i := range row.Steps {
			row.Steps[i].Table, row.Steps[i].At = name, at
		}
		in.Rows = []v1.BulkRow{row}
		return a.bulk(ctx, c, in)
	})
	f := cmd.Flags()
	if strings.HasPrefix(cmd.Use, "add") || strings.HasPrefix(cmd.Use, "move") {
		f.StringVar(&at, "at", "last", "where it goes: first, last, before-NUMBER or after-NUMBER")
	}
	f.Var(draftNumber{&in.Change}, "change", "add to this draft instead of making one")
	f.StringVar(&in.Why, "why", "", "why the change is made")
	return cmd
}

// tableOf finds the table of a thing that is meant.
func tableOf(ctx context.Context, c *client.Client, target, wanted string) (string, error) {
	_, object, _ := strings.Cut(target, ":")
	kind, _, named := strings.Cut(object, "/")
	if object == "" {
		kind = "device"
	} else if !named {
		kind = "port"
	}
	all, err := c.Settings(ctx)
	if err != nil {
		return "", err
	}
	var names []string
	for _, s := range all.Items {
		if s.Type == "table" && slices.Contains(s.On, kind) {
			names = append(names, s.Name)
		}
	}
	switch {
	case slices.Contains(names, wanted):
		return wanted, nil
	case len(names) > 0 && wanted == "":
		return names[0], nil // the one that a thing is for stands first
	case len(names) == 0:
		return "", usage("%s has no table: \"everypost settings\" tells what has", target)
	}
	return "", usage("%s has the tables %s: name one with --table", target, strings.Join(names, ", "))
}
