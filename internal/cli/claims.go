package cli

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) claimsCommand() *cobra.Command {
	return &cobra.Command{
		Use: "claims", Short: "List the devices that are expected, and how far they are", Args: cobra.NoArgs,
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Claims(ctx)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, d := range list.Items {
				as := d.Like
				if d.Replaces != "" {
					as = "replaces " + d.Replaces
				}
				said := d.Said
				if said == "" {
					said = map[string]string{"expected": "not heard of yet", "asked": "asked what it is to be", "told": "will call home"}[d.Step]
				}
				rows[i] = []string{d.Serial, d.Name, d.Site, as, said, d.By, a.when(d.At)}
			}
			return a.list(list, []string{"serial", "name", "site", "like", "state", "claimed by", "claimed"}, rows, "No device is expected.")
		}),
	}
}

func (a *app) claimCommand() *cobra.Command {
	var c v1.Claim
	var file string
	var sets []string
	cmd := &cobra.Command{
		Use: "claim [SERIAL]", Short: "Claim a device by its serial number, before it arrives", Args: cobra.MaximumNArgs(1),
		Long: `Claim a device by its serial number, before it arrives. Switched on, it asks the service what it is to be, becomes that, and
calls home. It can be like a device that is there, take the place of one (--replaces), and have ports set besides.

With --file many are claimed: comma-separated lines with a head line that names the columns, of serial, name, site, like,
replaces, tags, building, floor, rack, contact and notes. "-" reads them from the input.`,
		Example: "  everypost claim HY24-82113 --name mp-sw-02 --site marram-point --like fu-sw-01 --set 1/1/7:vlan=40\n  everypost claim HY24-82114 --replaces th-sw-04\n  everypost claim --file delivery.csv",
		RunE: a.asked(func(ctx context.Context, api *client.Client, args []string) error {
			claims := []v1.Claim{}
			switch {
			case file != "" && len(args) > 0:
				return usage("give a serial number or a file, not both")
			case file != "":
				var err error
				if claims, err = a.readClaims(file); err != nil {
					return err
				}
			case len(args) == 0:
				return usage("give the serial number, or a file with --file")
			default:
				c.Serial = args[0]
				if c.Replaces == "" && (c.Name == "" || c.Site == "") {
					return usage("what the device is to be is missing: give its --name and --site, or the device that it --replaces")
				}
				for _, s := range sets {
					e, err := parseSet(c.Name, s)
					if err != nil {
						return err
					}
					c.Edits = append(c.Edits, e)
				}
				claims = append(claims, c)
			}
			return a.claimAll(ctx, api, claims)
		}),
	}
	f := cmd.Flags()
	f.StringVar(&c.Name, "name", "", "its name")
	f.StringVar(&c.Site, "site", "", "the site at which it will be")
	f.StringVar(&c.Like, "like", "", "the device whose configuration it gets, without what its ports are for")
	f.StringVar(&c.Replaces, "replaces", "", "the device whose name, place and whole configuration it gets")
	f.StringArrayVar(&sets, "set", nil, "a port to set besides: 1/1/7:vlan=40; give the flag again for more")
	f.StringSliceVar(&c.Tags, "tag", nil, "tags")
	f.StringVar(&c.Rack, "rack", "", "the rack")
	f.StringVar(&c.Notes, "notes", "", "notes")
	f.StringVar(&file, "file", "", "file with many claims; - for the input")
	_ = cmd.RegisterFlagCompletionFunc("site", a.completeSites)
	_ = cmd.RegisterFlagCompletionFunc("like", a.completeDevices)
	_ = cmd.RegisterFlagCompletionFunc("replaces", a.completeDevices)
	cmd.AddCommand(&cobra.Command{
		Use: "drop SERIAL", Short: "Take a claim back", Args: cobra.ExactArgs(1),
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if err := c.DropClaim(ctx, args[0]); err != nil {
				return err
			}
			a.say("%s is no longer claimed.", args[0])
			return nil
		}),
	})
	return cmd
}

// parseSet reads an edit of a port of the device that will have a name: 1/1/7:vlan=40.
func parseSet(device, text string) (v1.Edit, error) {
	left, value, ok := strings.Cut(text, "=")
	colon := strings.LastIndexByte(left, ':')
	if !ok || colon < 1 {
		return v1.Edit{}, usage("--set %q: write port:field=value, such as 1/1/7:vlan=40", text)
	}
	return v1.Edit{Port: device + ":" + left[:colon], Field: left[colon+1:], Value: value}, nil
}

// claimAll claims devices and says what came of each. Some that were refused make the exit code tell.
func (a *app) claimAll(ctx context.Context, c *client.Client, claims []v1.Claim) error {
	results, err := c.Claim(ctx, claims)
	if err != nil {
		return err
	}
	if a.isData() {
		if err := a.data(results); err != nil {
			return err
		}
	}
	refused := 0
	for _, r := range results.Items {
		if r.Problem != "" {
			refused++
			a.say("%s: %s", r.Serial, r.Problem)
		}
	}
	a.say("%d of %d are claimed.", len(claims)-refused, len(claims))
	if refused > 0 {
		return &codedError{ExitRefused, fmt.Errorf("%d could not be claimed", refused)}
	}
	return nil
}

// readClaims reads claims as comma-separated lines.
func (a *app) readClaims(file string) ([]v1.Claim, error) {
	in := a.in
	if file != "-" {
		f, err := os.Open(file)
		if err != nil {
			return nil, err
		}
		defer func() { _ = f.Close() }()
		in = f
	}
	r := csv.NewReader(in)
	r.TrimLeadingSpace = true
	head, err := r.Read()
	if err != nil {
		return nil, fmt.Errorf("%s: the head line cannot be read: %w", file, err)
	}
	var out []v1.Claim
	for {
		row, err := r.Read()
		if errors.Is(err, io.EOF) {
			return out, nil
		}
		if err != nil {
			return nil, fmt.Errorf("%s: %w", file, err)
		}
		var c v1.Claim
		tags := ""
		fields := map[string]*string{"serial": &c.Serial, "name": &c.Name, "site": &c.Site, "like": &c.Like, "replaces": &c.Replaces, "tags": &tags,
			"building": &c.Building, "floor": &c.Floor, "rack": &c.Rack, "contact": &c.Contact, "notes": &c.Notes}
		for i, name := range head {
			to := fields[strings.ToLower(strings.TrimSpace(name))]
			if to == nil {
				return nil, usage("%s: there is no column %q: there are serial, name, site, like, replaces, tags, building, floor, rack, contact, notes", file, name)
			}
			*to = strings.TrimSpace(row[i])
		}
		c.Tags = strings.Fields(tags)
		out = append(out, c)
	}
}
