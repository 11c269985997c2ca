package cli

import (
	"context"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
)

func (a *app) applicationsCommand() *cobra.Command {
	var q client.ApplicationQuery
	cmd := &cobra.Command{
		Use: "applications [selector...]", Short: "List which applications were used, as firewalls recognize them", ValidArgsFunction: a.completeSelector,
		Long: `List which applications were used in the last hours, as firewalls recognize them: how many stations, sessions, what was denied, octets. The selector picks the firewalls
that are asked.`,
		Example: "  everypost applications\n  everypost applications --by site --hours 4\n  everypost applications site = tern-haven --by client --application file-sharing\n  everypost applications --by wireless",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			q.Where = strings.Join(args, " ")
			list, err := c.Applications(ctx, q)
			if err != nil {
				return err
			}
			columns := []string{"application", "category"}
			switch q.By {
			case "site":
				columns = append(columns, "site")
			case "network":
				columns = append(columns, "site", "network")
			case "wireless":
				columns = []string{"wireless network", "category"}
			case "client":
				columns = append(columns, "site", "network", "station")
			}
			rows := make([][]string, len(list.Items))
			for i, u := range list.Items {
				row := []string{u.Application, u.Category}
				switch q.By {
				case "site":
					row = append(row, u.Site)
				case "network":
					row = append(row, u.Site, u.Network)
				case "wireless":
					row = []string{u.SSID, u.Category}
				case "client":
					row = append(row, u.Site, u.Network, named(u.Address, u.Name))
				}
				rows[i] = append(row, strconv.Itoa(u.Clients), strconv.FormatUint(u.Sessions, 10), strconv.FormatUint(u.Denied, 10), octetsText(u.UpOctets), octetsText(u.DownOctets))
			}
			if err := a.list(list, append(columns, "stations", "sessions", "denied", "up", "down"), rows, "No firewall there tells of applications that were used."); err != nil || a.isData() {
				return err
			}
			if list.Since != nil {
				a.say("Counted since %s.", list.Since.Local().Format("2 Jan 15:04"))
			}
			for _, u := range list.Unread {
				a.say("%s did not tell: %s", u.Device, u.Why)
			}
			return nil
		}),
	}
	f := cmd.Flags()
	f.StringVar(&q.By, "by", "application", "what is added up: application, site, network (security zone), client or wireless (categories in each wireless network)")
	f.StringVar(&q.Application, "application", "", "only of this one")
	f.IntVar(&q.Hours, "hours", 24, "in the last hours, 1 to 24")
	f.IntVar(&q.Limit, "limit", 200, "list so many, at most 1000")
	return cmd
}
