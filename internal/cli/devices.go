package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func (a *app) devicesCommand() *cobra.Command {
	return listCommand(a, listing[v1.Device]{
		use: "devices", short: "List devices", empty: "No device fits.",
		example: "  everypost devices\n  everypost devices switch H24P -o csv\n  everypost devices --where 'firmware < 4.2 and not tag = spare' --sort -up\n  everypost devices --count kind,health",
		header:  []string{"device", "health", "site", "kind", "model", "serial", "firmware", "address", "ports up", "seen"},
		fetch:   (*client.Client).Devices,
		row: func(d v1.Device) []string {
			return []string{d.Name, a.shape(d.Health), d.Site, d.Kind, d.Maker + " " + d.Model, d.Serial, d.Firmware, d.Address,
				fmt.Sprintf("%d of %d", d.Ports.Well, d.Ports.Total), a.when(d.SeenAt)}
		},
	})
}

func (a *app) deviceCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "device", Short: "Look at one device, describe it, or take it out of service"}
	cmd.AddCommand(a.tableCommands()...)
	cmd.AddCommand(a.pinCommand(), a.devicePasswordCommand(), a.describeCommand(),
		a.configurationCommand(), a.configurationsCommand(), a.controlCommand(), a.copyCommand(), a.deviceSetCommand(), a.readyCommand(), a.standingCommand("DEVICE", "devices"),
		&cobra.Command{
			Use: "rename DEVICE NAME", Short: "Give a device another name; its own host name stays", Args: cobra.ExactArgs(2), ValidArgsFunction: a.completeDevices,
			RunE: a.asked(func(ctx context.Context, c *client.Client, args []string) error {
				if err := c.Rename(ctx, args[0], args[1]); err != nil {
					return err
				}
				a.say("%s is now %s.", args[0], args[1])
				return nil
			}),
		},
		a.deviceVerb("retire", "Take a device out of service; what is kept of it stays", "%s is retired.",
			func(ctx context.Context, c *client.Client, name string) error { return c.Retire(ctx, name) }),
		a.deviceVerb("reinstate", "Take a retired device into service again", "%s is in service again.",
			func(ctx context.Context, c *client.Client, name string) error { return c.Reinstate(ctx, name) }),
		a.forgetCommand())
	cmd.AddCommand(&cobra.Command{
		Use: "show DEVICE", Short: "Show a device: its face, particulars and links", Args: cobra.ExactArgs(1),
		ValidArgsFunction: a.completeDevices,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			d, err := c.Device(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			switch a.format {
			case "json", "yaml":
				return a.data(d)
			case "csv":
				return printListing(a, a.portListing(), v1.List[v1.Port]{Items: d.PortList, Total: len(d.PortList)})
			}
			a.printDevice(d)
			return nil
		},
	})
	return cmd
}

// deviceVerb is a command that does one thing with one device.
func (a *app) deviceVerb(verb, short, said string, do func(context.Context, *client.Client, string) error) *cobra.Command {
	return &cobra.Command{
		Use: verb + " DEVICE", Short: short, Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			if err := do(cmd.Context(), c, args[0]); err != nil {
				return err
			}
			a.say(said, args[0])
			return nil
		},
	}
}

func (a *app) describeCommand() *cobra.Command {
	var in v1.DeviceDescription
	var position string
	var tags, noTags []string
	cmd := &cobra.Command{
		Use: "describe DEVICE", Short: "Say where a device is, and what people know of it", Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeDevices,
		Long:    "Say where a device is, and what people know of it. What no flag names stays as it is.",
		Example: "  everypost device describe th-sw-02 --building Terminal --floor 1 --rack R2 --unit 12 --tag critical",
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.client()
			if err != nil {
				return err
			}
			d, err := c.Device(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			now := v1.DeviceDescription{Site: d.Site, Particulars: d.Particulars}
			set := cmd.Flags().Changed
			for flag, field := range map[string][2]*string{
				"site": {&now.Site, &in.Site}, "contact": {&now.Contact, &in.Contact}, "building": {&now.Building, &in.Building}, "floor": {&now.Floor, &in.Floor},
				"rack": {&now.Rack, &in.Rack}, "page": {&now.Page, &in.Page}, "notes": {&now.Notes, &in.Notes},
			} {
				if set(flag) {
					*field[0] = *field[1]
				}
			}
			if set("unit") {
				now.RackUnit = in.RackUnit
			}
			if set("position") {
				if now.Position, err = parsePosition(position); err != nil {
					return err
				}
			}
			now.Tags = retag(now.Tags, tags, noTags)
			if err := c.Describe(cmd.Context(), args[0], now); err != nil {
				return err
			}
			a.say("What is said of %s is kept.", args[0])
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&in.Site, "site", "", "the site at which it is")
	f.StringVar(&in.Contact, "contact", "", "who to ask about it")
	f.StringVar(&in.Building, "building", "", "the building in which it stands")
	f.StringVar(&in.Floor, "floor", "", "the floor")
	f.StringVar(&in.Rack, "rack", "", "the rack")
	f.IntVar(&in.RackUnit, "unit", 0, "the lowest rack unit it takes, counted from 1 at the bottom")
	f.StringVar(&position, "position", "", "latitude,longitude in degrees, if it is not where its site is")
	f.StringVar(&in.Page, "page", "", "address of its own page, where it does not tell it itself")
	f.StringVar(&in.Notes, "notes", "", "notes")
	f.StringSliceVar(&tags, "tag", nil, "a tag to add; may be given several times")
	f.StringSliceVar(&noTags, "no-tag", nil, "a tag to take off")
	_ = cmd.RegisterFlagCompletionFunc("site", a.completeSites)
	return cmd
}

// retag adds tags and takes tags off.
func retag(now, add, off []string) []string {
	var out []string
	for _, t := range append(append([]string{}, now...), add...) {
		drop := false
		for _, o := range off {
			drop = drop || strings.EqualFold(o, t)
		}
		if !drop {
			out = append(out, t)
		}
	}
	return out
}

func (a *app) printDevice(d v1.DeviceDetail) {
	p := func(format string, args ...any) { _, _ = fmt.Fprintf(a.out, format+"\n", args...) }
	p("%s   %s %s, %s at %s", d.Name, d.Maker, d.Model, d.Kind, d.Site)
	state := fmt.Sprintf("%s, %s since %s", a.shape(d.Health), d.Reach, d.Since.Local().Format("2006-01-02 15:04:05"))
	if d.Why != "" {
		state += " (" + d.Why + ")"
	}
	p("%s\n", state)
	_, _ = fmt.Fprint(a.out, a.face(d))
	p("")
	p("  serial      %-24s firmware   %s", d.Serial, d.Firmware)
	p("  address     %-24s management %s", d.Address, orDash(d.ManagementVLAN, "VLAN "))
	p("  booted      %-24s seen       %s", bootedWord(d.BootedAt), sinceNow(d.SeenAt))
	p("  ports up    %-24s %s", fmt.Sprintf("%d of %d", d.Ports.Well, d.Ports.Total), powerLine(d.Power))
	p("  host key    %s", d.HostKey)
	a.printInside(d)
	first := true
	for _, port := range d.PortList {
		if port.Peer == nil {
			continue
		}
		if first {
			p("\nLinks")
			first = false
		}
		peer := port.Peer.Device
		if peer == "" {
			peer = port.Peer.System
		}
		p("  %s %-10s %s:%s", a.mark(port.Health), port.Port, peer, port.Peer.Port)
	}
}

func sinceNow(t time.Time) string {
	s := ago(t)
	if s == "now" || s == "never" {
		return s
	}
	return s + " ago"
}

func orDash(v int, prefix string) string {
	if v == 0 {
		return "-"
	}
	return prefix + strconv.Itoa(v)
}

func powerLine(p *v1.Power) string {
	if p == nil {
		return ""
	}
	return fmt.Sprintf("PoE        %s of %s used", watts(p.UsedMilliW), watts(p.BudgetMilliW))
}

func watts(mw int) string { return strconv.FormatFloat(float64(mw)/1000, 'f', 1, 64) + " W" }

// face draws the front of a device: groups of ports beside each other, with the number above or below the shape.
func (a *app) face(d v1.DeviceDetail) string {
	health := map[string]string{}
	for _, p := range d.PortList {
		health[p.Port] = p.Health
	}
	units := 1
	for _, f := range d.Face {
		units = max(units, f.Unit)
	}
	var out strings.Builder
	for unit := 1; unit <= units; unit++ {
		if units > 1 {
			out.WriteString(fmt.Sprintf("  unit %d\n", unit))
		}
		a.unitFace(&out, d.Face, unit, health)
	}
	return out.String()
}

// unitFace draws the front of one box.
func (a *app) unitFace(out *strings.Builder, face []v1.FacePort, unit int, health map[string]string) {
	groups := map[int][]v1.FacePort{}
	last := 0
	width := 2
	for _, f := range face {
		if max(1, f.Unit) != unit {
			continue
		}
		groups[f.Group] = append(groups[f.Group], f)
		last = max(last, f.Group)
		width = max(width, len(f.Label))
	}
	var lines [4]strings.Builder // labels of the top row, shapes of both rows, labels of the bottom row
	pad := func(s string, n int) string { return strings.Repeat(" ", max(0, width-n)) + s + " " }
	for g := range last + 1 {
		ports := groups[g]
		if len(ports) == 0 {
			continue
		}
		first, end := ports[0].Column, ports[0].Column
		at := map[[2]int]v1.FacePort{}
		for _, f := range ports {
			first, end = min(first, f.Column), max(end, f.Column)
			at[[2]int{f.Column, f.Row}] = f
		}
		for col := first; col <= end; col++ {
			for rowNo := range 2 {
				f, ok := at[[2]int{col, rowNo}]
				label, shape := pad("", 0), pad("", 0)
				if ok {
					label, shape = pad(f.Label, len(f.Label)), pad(a.mark(health[f.Port]), 1)
				}
				lines[rowNo*3].WriteString(label)
				lines[1+rowNo].WriteString(shape)
			}
		}
		for i := range lines {
			lines[i].WriteString("  ")
		}
	}
	for i := range lines {
		if s := strings.TrimRight(lines[i].String(), " "); s != "" {
			out.WriteString("  " + s + "\n")
		}
	}
}

func (a *app) completeDevices(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	c, err := a.client()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	list, err := c.Devices(cmd.Context(), client.Query{})
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	out := make([]string, len(list.Items))
	for i, d := range list.Items {
		out[i] = d.Name + "\t" + d.Maker + " " + d.Model
	}
	return out, cobra.ShellCompDirectiveNoFileComp
}

// bootedWord says how long a device runs.
func bootedWord(at time.Time) string {
	if at.IsZero() {
		return "not known"
	}
	return agoWords(at)
}

// forgetCommand forgets a device, which cannot be undone.
func (a *app) forgetCommand() *cobra.Command {
	var sure bool
	cmd := a.deviceVerb("forget", "Forget a retired device with its configurations", "%s is forgotten.",
		func(ctx context.Context, c *client.Client, name string) error {
			d, err := c.Device(ctx, name)
			if err != nil {
				return err
			}
			if !sure && d.Reach == "retired" { // what is in service is refused, without a question {
				if err := a.confirm(fmt.Sprintf("All that is kept of %s goes, and does not come back. Type its name to forget it: ", name), name); err != nil {
					return err
				}
			}
			return c.Forget(ctx, name)
		})
	cmd.Flags().BoolVar(&sure, "yes", false, "do not ask")
	return cmd
}
