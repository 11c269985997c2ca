package setting

import (
	"errors"
	"fmt"
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/steering"
)

// Steering is the feature of edges that choose for each kind of traffic which tunnel it goes over.
const Steering network.Feature = "steering"

// MainSteering is the name of the one steering that an edge has.
const MainSteering = "main"

// SteeringObject is the object of an edge's steering.
var SteeringObject = Object(OnSteering, MainSteering)

// waysTable is the name of the table of an edge's steering.
const waysTable = "ways"

// WayName is the setting of a row of the steering of an edge.
func WayName(number int) string { return RowName(waysTable, number) }

var steeringSettings = []Setting{
	{Name: waysTable, On: []Kind{OnSteering}, Title: "Ways", Group: "Steering", Help: "in order, the first that fits decides; what none fits goes over the first tunnel that is up", Needs: Steering, Value: tableOf(steeringTable)},
}

var steeringTable = table{
	one: "Way", most: 200, highest: 65535, example: "application voice over fibre,cellular delay 150 loss 1",
	columns: []Column{
		{Name: "application", Title: "Application", Lead: "application", Default: "any", Help: "categories as the device knows them, such as voice or video", Value: items("categories of applications", 20, category).or("any")},
		{Name: "service", Title: "Service", Lead: "service", Default: "any", Help: "protocols with their destination ports, such as tcp/443", Value: items("services such as tcp/443", 20, serviceItem).or("any")},
		{Name: "dscp", Title: "DSCP", Lead: "dscp", Default: "any", Help: "code points (RFC 2474): 46 is expedited forwarding", Value: someCodePoints().or("any")},
		{Name: "to", Title: "To", Lead: "to", Default: "any", Help: "networks of other sites; site:NAME stands for all of one", Value: items("prefixes such as 10.9.0.0/16", 20, prefixText).or("any")},
		{Name: "over", Title: "Over", Lead: "over", Help: "kinds of circuits or ports of the edge, the best first: fibre, wifi, cellular, satellite, wan1; any: as the device lists its tunnels",
			Value: items("kinds of circuits, or ports", 8, circuitOrPort).or("any")},
		{Name: "delay", Title: "Delay", Lead: "delay", Default: "none", Help: "there and back, at most", Value: number(1, 5000, "ms").or("none")},
		{Name: "jitter", Title: "Jitter", Lead: "jitter", Default: "none", Help: "at most", Value: number(1, 1000, "ms").or("none")},
		{Name: "loss", Title: "Loss", Lead: "loss", Default: "none", Help: "of packets, at most", Value: decimals(0.01, 50, 2, "%").or("none")},
		{Name: "within", Title: "Leaves after", Lead: "within", Default: "5", Help: "how long a limit may be broken", Value: number(1, 600, "s")},
		{Name: "back", Title: "Returns after", Lead: "back", Default: "60", Help: "how long a better way must be good again", Value: number(1, 3600, "s")},
		{Name: "send", Title: "Sends", Lead: "send", Default: "once", Help: "twice: each packet over two tunnels, the sooner one counts", Value: choice("once", "twice")},
		{Name: "else", Title: "Else", Lead: "else", Default: "any", Help: "where none of these is up; drop: it goes nowhere", Value: choice("any", "drop")},
		{Name: "note", Title: "Note", Lead: "note", Default: "none", Help: "why it is there", Value: text(120)},
	},
	check: func(c Cells) error {
		switch {
		case c["over"] == "any" && c["else"] == "drop":
			return errors.New("over any leaves nothing else: leave \"else\" out")
		case c["within"] != "5" && c["delay"] == "none" && c["jitter"] == "none" && c["loss"] == "none":
			return errors.New("there is no limit that could be broken: give a delay, a jitter or a loss, or leave \"within\" out")
		}
		return nil
	},
}

var (
	categoryForm = regexp.MustCompile(`^[a-z][a-z0-9-]{0,39}$`)
	circuitForm  = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9/._-]{0,39}$`)
)

func category(s string) (string, error) {
	if s = strings.ToLower(s); !categoryForm.MatchString(s) {
		return "", fmt.Errorf("%q is no category: write it like voice or process-control", s)
	}
	return s, nil
}

func circuitOrPort(s string) (string, error) {
	if !circuitForm.MatchString(s) {
		return "", fmt.Errorf("%q is no kind of circuit and no port: write it like fibre, cellular or wan1", s)
	}
	return s, nil
}

func prefixText(s string) (string, error) {
	p, err := prefixOf(s)
	if err != nil {
		return "", fmt.Errorf("%q is not a prefix: write it like 10.9.0.0/16", s)
	}
	return p.String(), nil
}

func someCodePoints() Value {
	return items("numbers from 0 to 63", 64, func(s string) (string, error) {
		n, err := strconv.Atoi(s)
		if err != nil || n < 0 || n > 63 {
			return "", fmt.Errorf("%q is no DSCP: it is a number from 0 to 63", s)
		}
		return strconv.Itoa(n), nil
	})
}

// decimal reads a number with at most so many digits after the point.
func decimal(s string, most int) (f float64, ok bool) {
	f, err := strconv.ParseFloat(s, 64)
	_, digits, _ := strings.Cut(s, ".")
	return f, err == nil && len(digits) <= most && !strings.ContainsAny(s, "eExX_+")
}

// NamesWays tells whether a name is that of the rows of steering, or of one of them.
func NamesWays(name string) bool { return name == waysTable || strings.HasPrefix(name, waysTable+"/") }

// atSite is how a row speaks of all networks of a site.
var atSite = regexp.MustCompile(`\bsite:([A-Za-z0-9-]+)`)

// ToSites puts the networks of sites in the place of site:NAME in the text of rows; what is between quotation marks stays as it is.
func ToSites(text string, networks func(site string) []netip.Prefix) (string, error) {
	var unknown []string
	parts := strings.Split(text, `"`)
	for i := 0; i < len(parts); i += 2 {
		parts[i] = atSite.ReplaceAllStringFunc(parts[i], func(word string) string {
			site := strings.ToLower(strings.TrimPrefix(word, "site:"))
			var out []string
			for _, p := range networks(site) {
				out = append(out, p.String())
			}
			if len(out) == 0 {
				unknown = append(unknown, site)
			}
			return strings.Join(out, ",")
		})
	}
	if len(unknown) > 0 {
		return "", fmt.Errorf("no device of site %s tells of a network there: write its prefixes", strings.Join(unknown, ", "))
	}
	return strings.Join(parts, `"`), nil
}

// Networks are those in which a device has an address as their gateway, in order.
func Networks(c network.Config) (out []netip.Prefix) {
	for _, g := range Gateways(c) {
		if g.Address.IsValid() {
			out = append(out, g.Address.Masked())
		}
	}
	slices.SortFunc(out, netip.Prefix.Compare)
	return slices.Compact(out)
}

// Way is a row of the steering of an edge.
type Way struct {
	Number                       int
	Applications, Services, DSCP []string // nil: any
	To                           []netip.Prefix
	Rule                         steering.Rule
	Note, Text                   string
}

// ParseWay reads a row.
func ParseWay(r Row) (Way, error) {
	c, err := steeringTable.parse(r.Text)
	if err != nil {
		return Way{}, err
	}
	w := Way{Number: r.Number, Text: r.Text, Applications: c.some("application"), DSCP: c.some("dscp"), Services: c.some("service"), To: prefixesIn(c["to"])}
	limit := func(name string) float64 { f, _ := strconv.ParseFloat(c[name], 64); return f }
	seconds := func(name string) time.Duration { return time.Duration(limit(name)) * time.Second }
	w.Rule = steering.Rule{Over: c.some("over"), Limits: steering.Limits{DelayMs: limit("delay"), JitterMs: limit("jitter"), LossPercent: limit("loss")},
		Within: seconds("within"), Back: seconds("back"), Twice: c["send"] == "twice", Only: c["else"] == "drop"}
	if c["note"] != "none" {
		w.Note = c["note"]
	}
	return w, nil
}

// Fit is which traffic a way is for, in the words of its row; "" for all.
func (w Way) Fit() string {
	var out []string
	for _, part := range []struct {
		lead string
		list []string
	}{{"application", w.Applications}, {"service", w.Services}, {"dscp", w.DSCP}} {
		if len(part.list) > 0 {
			out = append(out, part.lead+" "+strings.Join(part.list, ","))
		}
	}
	if len(w.To) > 0 {
		list := make([]string, len(w.To))
		for i, p := range w.To {
			list[i] = p.String()
		}
		out = append(out, "to "+strings.Join(list, ","))
	}
	return strings.Join(out, " ")
}

// Ways are those of an edge, in their order. Rows that cannot be read are left out.
func Ways(c network.Config) (out []Way) {
	for _, row := range RowsOf(c.Objects[SteeringObject], waysTable) {
		if w, err := ParseWay(row); err == nil {
			out = append(out, w)
		}
	}
	return out
}
