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

func (a *app) templatesCommand() *cobra.Command {
	var change int64
	cmd := &cobra.Command{
		Use: "templates", Short: "List the templates of settings, the weakest first", Args: cobra.NoArgs,
		RunE: a.asked(func(ctx context.Context, c *client.Client, _ []string) error {
			list, err := c.Templates(ctx, change)
			if err != nil {
				return err
			}
			rows := make([][]string, len(list.Items))
			for i, t := range list.Items {
				rows[i] = []string{strconv.Itoa(t.Order), t.Name, t.Title, t.For, t.Pick, strconv.Itoa(t.Picks), strconv.Itoa(len(t.Says)), strconv.Itoa(t.Others)}
			}
			return a.list(list, []string{"order", "template", "title", "for", "picks what", "picked", "says", "stronger"}, rows, "There are no templates. Make one with \"everypost template set\".")
		}),
	}
	cmd.Flags().Var(draftNumber{&change}, "change", "as this draft would make them")
	return cmd
}

func (a *app) templateCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "template", Short: "Look at, make, change and remove templates of settings"}
	cmd.AddCommand(a.templateShowCommand(), a.templateSetCommand(), a.templateRemoveCommand())
	return cmd
}

func (a *app) templateShowCommand() *cobra.Command {
	var change int64
	cmd := &cobra.Command{
		Use: "show TEMPLATE", Short: "Show what a template says, what it picks, and where stronger layers speak", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeTemplates,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			t, err := c.Template(ctx, args[0], change)
			if err != nil {
				return err
			}
			if a.isData() {
				return a.data(t)
			}
			_, _ = fmt.Fprintf(a.out, "%s   %s\nFor %s: %s\nOrder %d. It picks %d %s on %d devices.\n\n", t.Name, t.Title, t.For, orNothing(t.Pick), t.Order, t.Picks, t.For, t.Devices)
			if err := a.list(t, []string{"on", "setting", "value", "change"}, wordRows(t.Says), "It says nothing yet."); err != nil {
				return err
			}
			var rows [][]string
			for _, p := range t.Picked {
				for _, o := range p.Others {
					rows = append(rows, []string{p.On + separated(o.Object), o.Setting, o.Value, layerText(o.Layer)})
				}
			}
			if len(rows) > 0 {
				_, _ = fmt.Fprintln(a.out, "\nSaid by stronger layers")
				return a.list(t, []string{"on", "setting", "holds", "by"}, rows, "")
			}
			return nil
		}),
	}
	cmd.Flags().Var(draftNumber{&change}, "change", "as this draft would make it")
	return cmd
}

func separated(object string) string {
	if object == "" {
		return ""
	}
	return ":" + object
}

func wordRows(says []v1.Word) [][]string {
	rows := make([][]string, len(says))
	for i, w := range says {
		on := w.Object
		switch on {
		case "":
			on = "device"
		case "port":
			on = "each port"
		}
		rows[i] = []string{on, w.Setting, orNothing(w.Value), numberOr(w.Change)}
	}
	return rows
}

func numberOr(n int64) string {
	if n == 0 {
		return ""
	}
	return strconv.FormatInt(n, 10)
}

func layerText(layer string) string {
	switch layer {
	case "device":
		return "itself"
	case "default":
		return "default"
	case "trial":
		return "on trial"
	}
	return strings.Replace(layer, "/", " ", 1)
}

// draftFlags are those of commands that put something into a draft.
func draftFlags(cmd *cobra.Command, change *int64, why *string) {
	cmd.Flags().Var(draftNumber{change}, "change", "add to this draft instead of making one")
	cmd.Flags().StringVar(why, "why", "", "why the change is made")
}

func (a *app) templateSetCommand() *cobra.Command {
	var in v1.BulkRequest
	var on string
	var unset []string
	var takeOver bool
	own := map[string]*string{}
	cmd := &cobra.Command{
		Use: "set TEMPLATE [SETTING=VALUE...]", Short: "Put a template, or what it says, into a draft; one that is not there is made", ValidArgsFunction: a.completeTemplates,
		Args: cobra.MinimumNArgs(1),
		Long: `Put a template, or what it says, into a draft. One that is not there is made. The draft shows every device and port that it
would touch; nothing is sent before that is checked and pushed.

A template for ports speaks of every port that it picks; one for devices of the device, or with --on of a VLAN, schedule,
mirror or access list that each of them is to have. What a device or port was given itself is stronger than any template;
--take-over has all that it picks follow the template instead.`,
		Example: `  everypost template set camera --pick 'port.description ~ "*camera*"' poe-priority=critical edge=on
  everypost template set switches --for devices --pick 'kind = switch' ntp-servers=10.1.10.1,10.1.10.2
  everypost template set switches --on vlan/30 present=on name=voice
  everypost template set camera vlan=50 --take-over
  everypost template set camera --unset edge`,
	}
	cmd.RunE = a.asked(func(ctx context.Context, c *client.Client, args []string) error {
		name := args[0]
		self := v1.BulkRow{On: []string{"template/" + name + ":self"}, Set: map[string]string{}}
		list, err := c.Templates(ctx, in.Change)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(list.Items, func(t v1.Template) bool { return t.Name == name })
		if at < 0 {
			self.Set["present"] = "on"
		}
		for flag, value := range own {
			if cmd.Flags().Changed(flag) {
				self.Set[flag] = *value
			}
		}
		kind := *own["for"]
		if kind == "" && at >= 0 {
			kind = list.Items[at].For
		}
		row := v1.BulkRow{Set: map[string]string{}, Inherit: unset}
		switch {
		case kind == "devices" && on == "":
			row.On = []string{"template/" + name}
		case kind == "devices":
			row.On = []string{"template/" + name + ":" + on}
		case on != "":
			return usage("--on is for templates for devices: one for ports speaks of every port that it picks")
		default:
			row.On = []string{"template/" + name + ":port"}
		}
		for _, s := range args[1:] {
			setting, value, ok := strings.Cut(s, "=")
			if !ok {
				return usage("%q is no setting: write SETTING=VALUE", s)
			}
			row.Set[setting] = value
		}
		in.Rows = nil
		if len(self.Set) > 0 {
			in.Rows = append(in.Rows, self)
		}
		if len(row.Set)+len(row.Inherit) > 0 {
			in.Rows = append(in.Rows, row)
		}
		if len(in.Rows) == 0 && !takeOver {
			return usage("nothing was said of the template: give settings, or --pick, --title, --order, --unset")
		}
		if takeOver {
			return a.takeOver(ctx, c, in, name)
		}
		answer, err := c.Bulk(ctx, in)
		if err != nil {
			return err
		}
		if err := a.told(answer); err != nil || answer.Change == nil {
			return err
		}
		return a.sayPicks(ctx, c, name, answer.Change.Number)
	})
	f := cmd.Flags()
	for flag, help := range map[string]string{"pick": "a selector of the devices or ports that follow it", "for": "devices or ports (else ports)", "title": "what people call it",
		"order": "from 1 to 999: of two templates that speak of the same, the one of the higher order holds (else 100)"} {
		own[flag] = f.String(flag, "", help)
	}
	f.StringVar(&on, "on", "", "of a template for devices: what of them it speaks of, such as vlan/30")
	f.StringSliceVar(&unset, "unset", nil, "settings of which it is to say nothing any more")
	f.BoolVar(&takeOver, "take-over", false, "have what it picks follow it also where it was given something itself")
	draftFlags(cmd, &in.Change, &in.Why)
	return cmd
}

// sayPicks says how much a template picks, and how much of that follows it.
func (a *app) sayPicks(ctx context.Context, c *client.Client, name string, change int64) error {
	t, err := c.Template(ctx, name, change)
	if err != nil || a.isData() {
		return err
	}
	a.say("%s picks %d %s on %d devices.", name, t.Picks, t.For, t.Devices)
	if t.Others > 0 {
		a.say("Of %d settings of these a stronger layer speaks: \"everypost template show %s --change %d\" lists them, --take-over has those follow that are said by the device itself.", t.Others, name, change)
	}
	return nil
}

// takeOver drafts a template, and that what it picks says nothing itself of what the template speaks of.
func (a *app) takeOver(ctx context.Context, c *client.Client, in v1.BulkRequest, name string) error {
	number := in.Change
	if len(in.Rows) > 0 {
		answer, err := c.Bulk(ctx, in)
		if err != nil {
			return err
		}
		if answer.Change != nil {
			number = answer.Change.Number
		}
	}
	t, err := c.Template(ctx, name, number)
	if err != nil {
		return err
	}
	rows := followRows(t)
	if len(rows) == 0 {
		a.say("All that it picks follows it.")
		if number == 0 {
			return nil
		}
		return a.orPrint(c.Change(ctx, number))
	}
	return a.bulk(ctx, c, v1.BulkRequest{Change: number, Why: in.Why, Rows: rows})
}

// followRows has everything that a template picks and that says otherwise itself say nothing of it.
func followRows(t v1.Template) []v1.BulkRow {
	var rows []v1.BulkRow
	for _, p := range t.Picked {
		on := map[string][]string{}
		for _, o := range p.Others {
			if o.Layer == "device" {
				on[p.On+separated(o.Object)] = append(on[p.On+separated(o.Object)], o.Setting)
			}
		}
		for target, settings := range on {
			rows = append(rows, v1.BulkRow{On: []string{target}, Inherit: settings})
		}
	}
	return rows
}

func (a *app) templateRemoveCommand() *cobra.Command {
	var in v1.BulkRequest
	cmd := &cobra.Command{
		Use: "remove TEMPLATE", Short: "Put the removal of a template into a draft: what only it said goes from devices", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeTemplates,
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if _, err := c.Template(ctx, args[0], in.Change); err != nil {
				return err
			}
			in.Rows = []v1.BulkRow{{On: []string{"template/" + args[0] + ":self"}, Set: map[string]string{"present": "off"}}}
			return a.bulk(ctx, c, in)
		}),
	}
	draftFlags(cmd, &in.Change, &in.Why)
	return cmd
}

func (a *app) completeTemplates(cmd *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return a.completeSettings(cmd, "port", word)
	}
	c, err := a.client()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	list, err := c.Templates(cmd.Context(), 0)
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	var out []string
	for _, t := range list.Items {
		out = append(out, t.Name+"\t"+t.Title)
	}
	return out, cobra.ShellCompDirectiveNoFileComp
}

// siteLayerCommand shows, or drafts, what is said for all devices of a site.
func (a *app) siteLayerCommand() *cobra.Command {
	var in v1.BulkRequest
	var on string
	var unset []string
	cmd := &cobra.Command{
		Use: "layer SITE [SETTING=VALUE...]", Short: "Show what is said for all devices of a site, or put it into a draft", Args: cobra.MinimumNArgs(1), ValidArgsFunction: a.completeSites,
		Example: "  everypost site layer tern-haven\n  everypost site layer tern-haven time-zone=Europe/London\n  everypost site layer kelp-bay --on vlan/90 present=on name=cranes",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			if len(args) == 1 && len(unset) == 0 {
				l, err := c.SiteLayer(ctx, args[0])
				if err != nil {
					return err
				}
				return a.list(l, []string{"on", "setting", "value", "change"}, wordRows(l.Says), "Nothing is said for all devices of "+args[0]+".")
			}
			row := v1.BulkRow{On: []string{"site/" + args[0] + separated(on)}, Set: map[string]string{}, Inherit: unset}
			for _, s := range args[1:] {
				name, value, ok := strings.Cut(s, "=")
				if !ok {
					return usage("%q is no setting: write SETTING=VALUE", s)
				}
				row.Set[name] = value
			}
			in.Rows = []v1.BulkRow{row}
			return a.bulk(ctx, c, in)
		}),
	}
	cmd.Flags().StringVar(&on, "on", "", "what of the devices it speaks of, such as vlan/30")
	cmd.Flags().StringSliceVar(&unset, "unset", nil, "settings of which the site is to say nothing any more")
	draftFlags(cmd, &in.Change, &in.Why)
	return cmd
}

// layersCommand shows what each layer says of one thing.
func (a *app) layersCommand() *cobra.Command {
	var in v1.StandingRequest
	var all bool
	cmd := &cobra.Command{
		Use: "layers TARGET", Short: "Show which layer each setting of a port, device or other object comes from, and what the others say", Args: cobra.ExactArgs(1),
		Long: `Show which layer each setting comes from: the default, a template, the site, or the thing itself. The last one that speaks
holds. What stands at its default everywhere is left out; --all shows it too.`,
		Example: "  everypost layers th-sw-02:1/1/7\n  everypost layers th-sw-02\n  everypost layers th-sw-02:vlan/40",
		RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
			in.On = args
			st, err := c.Standing(ctx, in)
			if err != nil {
				return err
			}
			var rows [][]string
			for _, one := range st.Items {
				if one.Applies == 0 || !all && len(one.Says) <= 1 && layerOf(one) == "default" {
					continue
				}
				rows = append(rows, []string{one.Setting, orNothing(one.Values[0].Value), layerText(layerOf(one)), othersText(one)})
			}
			return a.list(st, []string{"setting", "value", "from", "the others say"}, rows, "Everything stands at its default.")
		}),
	}
	cmd.Flags().BoolVar(&all, "all", false, "also what stands at its default everywhere")
	cmd.Flags().Var(draftNumber{&in.Change}, "change", "as after this draft")
	return cmd
}

func layerOf(st v1.Standing) string {
	if len(st.Layers) == 0 {
		return "nobody"
	}
	return st.Layers[0].Value
}

// othersText says what the layers that do not hold say, the strongest first.
func othersText(st v1.Standing) string {
	var out []string
	for i, say := range slices.Backward(st.Says) {
		if i == len(st.Says)-1 && !slices.Contains([]string{"drift", "trial"}, layerOf(st)) {
			continue // it holds
		}
		out = append(out, layerText(say.Layer)+": "+orNothing(say.Value))
	}
	return strings.Join(out, ", ")
}
