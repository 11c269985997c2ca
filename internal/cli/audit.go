package cli

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
)

func (a *app) auditCommand() *cobra.Command {
	last := 100
	cmd := &cobra.Command{
		Use: "audit [text...]", Short: "List who did what to what, when",
		Long:    "List who did what to what, when: the last entries in which the text stands, the newest at the end.",
		Example: "  everypost audit\n  everypost audit retire-device -o csv\n  everypost audit verify",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			list, err := c.Audit(cmd.Context(), strings.Join(args, " "), last)
			if err != nil {
				return err
			}
			slices.Reverse(list.Items)
			rows := make([][]string, len(list.Items))
			for i, e := range list.Items {
				at := e.At.Local().Format("2006-01-02 15:04:05")
				if a.format == "csv" {
					at = e.At.UTC().Format(time.RFC3339Nano)
				}
				rows[i] = []string{strconv.FormatInt(e.ID, 10), at, e.User, e.Action, e.Object, e.Detail}
			}
			return a.list(list, []string{"entry", "at", "user", "action", "object", "detail"}, rows, "Nothing of that kind was done.")
		},
	}
	countVar(cmd.Flags(), &last, "last", last, 1, "the last so many, at most 10000")
	cmd.AddCommand(&cobra.Command{
		Use: "verify", Short: "Hold every entry against the chain of hashes", Args: cobra.NoArgs,
		Long: `Hold every entry against the chain of hashes. An entry that was changed, put in or taken out breaks the chain: the exit code
is then 1. The head that is printed can be noted elsewhere: as long as it still comes up, nothing before it was changed.`,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			v, err := c.VerifyAudit(cmd.Context())
			if err != nil {
				return err
			}
			if v.Broken != 0 {
				return &codedError{ExitFailed, fmt.Errorf("the audit log was changed: entry %d does not follow from the one before it. Compare it with a backup", v.Broken)}
			}
			if a.isData() {
				return a.data(v)
			}
			a.say("The %d entries of the audit log follow from each other.", v.Entries)
			_, err = fmt.Fprintf(a.out, "head %s\n", v.Head)
			return err
		},
	})
	return cmd
}
