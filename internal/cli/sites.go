package cli

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) sitesCommand() *cobra.Command {
	return listCommand(a, listing[v1.Site]{
		use: "sites", short: "List the sites with the health of their devices", empty: "No site fits.",
		example: "  everypost sites\n  everypost sites 'kind = firewall and health = down'",
		header:  []string{"site", "title", "devices", "well", "in trouble", "unknown", "ports up", "entry"},
		fetch:   (*client.Client).Sites,
		row: func(s v1.Site) []string {
			return []string{s.Name, s.Title, strconv.Itoa(s.Devices.Total), strconv.Itoa(s.Devices.Well), strconv.Itoa(s.Devices.Degraded + s.Devices.Down),
				strconv.Itoa(s.Devices.Unknown), fmt.Sprintf("%d of %d", s.Ports.Well, s.Ports.Total), s.Entry}
		},
	})
}

func (a *app) siteCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "site", Short: "Make, change, merge or remove a site"}
	cmd.AddCommand(a.siteSetCommand(), a.siteLayerCommand(),
		&cobra.Command{
			Use: "merge SITE INTO", Short: "Move all devices of a site to another, and remove the one", Args: cobra.ExactArgs(2), ValidArgsFunction: a.completeSites,
			RunE: func(cmd *cobra.Command, args []string) error {
				c, err := a.client()
				if err != nil {
					return err
				}
				if err := c.MergeSite(cmd.Context(), args[0], args[1]); err != nil {
					return err
				}
				a.say("%s is now part of %s.", args[0], args[1])
				return nil
			},
		},
		&cobra.Command{
			Use: "remove SITE", Short: "Remove a site that holds no devices", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeSites,
			RunE: func(cmd *cobra.Command, args []string) error {
				c, err := a.client()
				if err != nil {
					return err
				}
				if err := c.RemoveSite(cmd.Context(), args[0]); err != nil {
					return err
				}
				a.say("%s is removed.", args[0])
				return nil
			},
		})
	return cmd
}

func (a *app) siteSetCommand() *cobra.Command {
	var in v1.SiteRequest
	var position string
	cmd := &cobra.Command{
		Use: "set SITE", Short: "Make a site, or change what is said of it", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeSites,
		Long:    "Make a site, or change what is said of it. What no flag names stays as it is.",
		Example: "  everypost site set sandpiper --title \"MV Sandpiper\" --code SP --time-zone Etc/UTC\n  everypost site set tern-haven --position 54.51,-3.62",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			list, err := c.Sites(cmd.Context(), client.Query{Where: "site = \"" + strings.ReplaceAll(args[0], "\"", "") + "\""})
			if err != nil {
				return err
			}
			set := cmd.Flags().Changed
			var now v1.SiteRequest
			switch {
			case len(list.Items) == 1:
				now = list.Items[0].SiteRequest
			case !set("title"):
				return &codedError{ExitRefused, fmt.Errorf("there is no site %s: give --title to make it", args[0])}
			}
			for flag, field := range map[string][2]*string{
				"title": {&now.Title, &in.Title}, "code": {&now.Code, &in.Code}, "address": {&now.Address, &in.Address}, "contact": {&now.Contact, &in.Contact},
				"time-zone": {&now.TimeZone, &in.TimeZone}, "notes": {&now.Notes, &in.Notes}, "entry": {&now.Entry, &in.Entry},
			} {
				if set(flag) {
					*field[0] = *field[1]
				}
			}
			if set("position") {
				if now.Position, err = parsePosition(position); err != nil {
					return err
				}
			}
			if err := c.PutSite(cmd.Context(), args[0], now); err != nil {
				return err
			}
			a.say("%s is kept.", args[0])
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&in.Title, "title", "", "its name as people say it")
	f.StringVar(&in.Code, "code", "", "what it is called on labels")
	f.StringVar(&in.Address, "address", "", "postal address")
	f.StringVar(&position, "position", "", "latitude,longitude in degrees, north and east positive; empty to forget it")
	f.StringVar(&in.TimeZone, "time-zone", "", "of the IANA database, such as Europe/London")
	f.StringVar(&in.Contact, "contact", "", "who to ask there")
	f.StringVar(&in.Notes, "notes", "", "notes")
	f.StringVar(&in.Entry, "entry", "", "device through which the management network comes in")
	_ = cmd.RegisterFlagCompletionFunc("entry", a.completeDevices)
	return cmd
}

// parsePosition reads "54.51,-3.62".
func parsePosition(s string) (*v1.Position, error) {
	if s == "" {
		return nil, nil
	}
	north, east, ok := strings.Cut(s, ",")
	latitude, err := strconv.ParseFloat(strings.TrimSpace(north), 64)
	longitude, err2 := strconv.ParseFloat(strings.TrimSpace(east), 64)
	if !ok || err != nil || err2 != nil {
		return nil, usage("--position %s: write latitude,longitude in degrees, such as 54.51,-3.62", s)
	}
	return &v1.Position{Latitude: latitude, Longitude: longitude}, nil
}

func (a *app) completeSites(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	c, err := a.client()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	list, err := c.Sites(cmd.Context(), client.Query{})
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	out := make([]string, len(list.Items))
	for i, s := range list.Items {
		out[i] = s.Name + "\t" + s.Title
	}
	return out, cobra.ShellCompDirectiveNoFileComp
}
