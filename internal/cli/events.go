package cli

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/cli/safe"
)

func (a *app) eventsCommand() *cobra.Command {
	last := 0
	cmd := &cobra.Command{
		Use: "events [selector...]", Short: "Follow what happens until Ctrl-C, or list what happened",
		Long: `Follow what happens until Ctrl-C. With a selector or --last, list what happened instead: the newest at the end.

"everypost fields --of log" lists the properties by which events are picked.`,
		Example: "  everypost events\n  everypost events --last 20\n  everypost events 'event.kind = port and site = tern-haven and event.age < 2h'",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			if err := homeFolder(args); err != nil {
				return err
			}
			if len(args) > 0 || last > 0 {
				if last == 0 {
					last = 200
				}
				list, err := c.Log(cmd.Context(), strings.Join(args, " "), last)
				if err != nil {
					return err
				}
				slices.Reverse(list.Items)
				rows := make([][]string, len(list.Items))
				for i, e := range list.Items {
					at := e.At.Local().Format("2006-01-02 15:04:05")
					if a.format == "csv" {
						at = e.At.UTC().Format(time.RFC3339)
					}
					what := e.Text
					if e.ImportedBy != "" {
						what += " (imported by " + e.ImportedBy + ")"
					}
					rows[i] = []string{at, e.Kind, e.Device, what}
				}
				return a.list(list, []string{"at", "kind", "device", "what"}, rows, "Nothing of that kind happened.")
			}
			err = c.Events(cmd.Context(), 0, func(e v1.Event) bool {
				if e.Text == "" {
					return true
				}
				if a.isData() {
					_ = a.data(e)
				} else {
					_, _ = fmt.Fprintf(a.out, "%s  %s\n", e.At.Local().Format("15:04:05.000"), safe.Line(e.Text))
				}
				return true
			})
			if cmd.Context().Err() != nil {
				return nil
			}
			return err
		},
	}
	countVar(cmd.Flags(), &last, "last", 0, 1, "list the last so many")
	return cmd
}
