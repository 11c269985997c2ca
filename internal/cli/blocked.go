package cli

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

// blockedTemplate is the template in which stations are blocked by command and in the console.
const blockedTemplate = "blocked-stations"

func (a *app) blockedCommand() *cobra.Command {
	return &cobra.Command{
		Use: "blocked [selector...]", Short: "List stations of which devices let nothing pass", ValidArgsFunction: a.completeSelector,
		Long:    "List stations that are blocked: of which switches and access points let nothing pass, whatever else they are allowed. The selector picks the devices.",
		Example: "  everypost blocked\n  everypost client block 02:a1:60:02:00:1f --until 2026-12-31 --why 'lost on the quay'",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			list, err := c.BlockedStations(ctx, strings.Join(args, " "))
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, b := range list.Items {
				until := b.Until
				if until == "" {
					until = "for good"
				}
				rows[i] = []string{named(b.MAC, b.Name), until, b.Purpose, firstOf(b.Devices, 4)}
			}
			return a.list(list, []string{"station", "until", "why", "by"}, rows, "No station is blocked.")
		}),
	}
}

var stationAddress = regexp.MustCompile(`^[0-9a-f]{2}(-[0-9a-f]{2}){5}$`)

// blockedObject is what a blocked station is called in a configuration.
func blockedObject(mac string) (string, error) {
	name := strings.ToLower(strings.ReplaceAll(strings.TrimSpace(mac), ":", "-"))
	if !stationAddress.MatchString(name) {
		return "", usage("%q is not the hardware address of a station: it looks like 02:4c:53:20:00:07", mac)
	}
	return "blocked/" + name, nil
}

// blockCommands put the blocking of a station into a draft, and its end.
func (a *app) blockCommands() []*cobra.Command {
	var in v1.BulkRequest
	var until, where string
	block := &cobra.Command{
		Use: "block MAC", Short: "Put into a draft that nothing of a station passes", Args: cobra.ExactArgs(1),
		Long: `Put into a draft that switches and access points let nothing of a station pass, wherever it turns up: into the template ` + blockedTemplate + `, which is made
where there is none. It is in force once the draft is pushed.`,
		Example: "  everypost client block 02:a1:60:02:00:1f --until 2026-12-31 --why 'lost on the quay'",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			object, err := blockedObject(args[0])
			if err != nil {
				return err
			}
			template, set := "template/"+blockedTemplate, map[string]string{"present": "on"}
			if until != "" {
				set["until"] = until
			}
			if in.Why != "" {
				set["purpose"] = in.Why
			}
			in.Rows = nil
			self := map[string]string{"present": "on", "title": "Blocked stations", "for": "devices", "pick": "kind in (switch, access-point)"}
			if where != "" {
				self["pick"] = where
			}
			templates, err := c.Templates(ctx, in.Change)
			if err != nil {
				return err
			}
			if where != "" || !slices.ContainsFunc(templates.Items, func(t v1.Template) bool { return t.Name == blockedTemplate }) {
				in.Rows = append(in.Rows, v1.BulkRow{On: []string{template + ":self"}, Set: self})
			}
			in.Rows = append(in.Rows, v1.BulkRow{On: []string{template + ":" + object}, Set: set})
			answer, err := c.Bulk(ctx, in)
			if err != nil {
				return err
			}
			return a.told(answer)
		}),
	}
	f := block.Flags()
	f.StringVar(&until, "until", "", "the last day, such as 2026-12-31 (else for good)")
	f.StringVar(&in.Why, "why", "", "why it is blocked")
	f.StringVar(&where, "where", "", "a selector of the devices that block (else all switches and access points)")
	f.Var(draftNumber{&in.Change}, "change", "add to this draft instead of making one")

	var out v1.BulkRequest
	unblock := &cobra.Command{
		Use: "unblock MAC", Short: "Put into a draft that a blocked station passes again", Args: cobra.ExactArgs(1),
		Example: "  everypost client unblock 02:a1:60:02:00:1f",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			object, err := blockedObject(args[0])
			if err != nil {
				return err
			}
			off := map[string]string{"present": "off"}
			out.Rows = []v1.BulkRow{{On: []string{"template/" + blockedTemplate + ":" + object}, Set: off}}
			answer, err := c.Bulk(ctx, out)
			if err != nil || answer.Change != nil {
				if err != nil {
					return err
				}
				return a.told(answer)
			}
			list, err := c.BlockedStations(ctx, "") // devices may say it themselves
			if err != nil {
				return err
			}
			row := v1.BulkRow{Set: off}
			for _, b := range list.Items {
				if own, _ := blockedObject(b.MAC); own == object {
					for _, d := range b.Devices {
						row.On = append(row.On, d+":"+object)
					}
				}
			}
			if len(row.On) == 0 {
				return &codedError{ExitRefused, fmt.Errorf("%s is not blocked: \"everypost blocked\" lists who is", args[0])}
			}
			out.Rows = []v1.BulkRow{row}
			if answer, err = c.Bulk(ctx, out); err != nil {
				return err
			}
			return a.told(answer)
		}),
	}
	unblock.Flags().Var(draftNumber{&out.Change}, "change", "add to this draft instead of making one")
	unblock.Flags().StringVar(&out.Why, "why", "", "why the change is made")
	return []*cobra.Command{block, unblock}
}
