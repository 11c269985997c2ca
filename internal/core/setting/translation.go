package setting

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"example.net/everypost/internal/core/network"
)

// translationSetting is the table of what a firewall translates. It stands with the policy, for both are tried on the same sessions.
var translationSetting = Setting{Name: "translations", On: policyOnly, Title: "Translations", Group: "Policy",
	Help:  "of addresses (NAT, RFC 3022), in order: of each direction the first that fits; destinations before the rules are asked, sources after",
	Needs: Firewall, Value: tableOf(translationTable)}

// The kinds of translations.
const (
	TranslatesSource      = "source"
	TranslatesDestination = "destination"
)

var translationTable = table{
	one: "Translation", most: 1000, highest: 65535, example: "destination from outside destination 198.51.100.10 service tcp/443 into 10.1.20.30",
	columns: []Column{
		{Name: "kind", Title: "Of", Value: choice(TranslatesSource, TranslatesDestination), Help: "whose address: of who sends, or of who is sent to"},
		{Name: "from", Title: "From", Lead: "from", Default: "any", Help: "zones, or any", Value: items("names of zones", 20, checkedName).or("any")},
		{Name: "to", Title: "To", Lead: "to", Default: "any", Help: "zones, or any; of sources only", Value: items("names of zones", 20, checkedName).or("any")},
		{Name: "source", Title: "Source", Lead: "source", Default: "any", Help: "who sends: names of addresses, or prefixes", Value: items("names of addresses, or prefixes", 50, nameOrPrefix).or("any")},
		{Name: "destination", Title: "Destination", Lead: "destination", Default: "any", Help: "who is sent to: names of addresses, or prefixes", Value: items("names of addresses, or prefixes", 50, nameOrPrefix).or("any")},
		{Name: "service", Title: "Service", Lead: "service", Default: "any", Help: "names of services, or such as tcp/443", Value: items("names of services, or such as tcp/443", 50, nameOrService).or("any")},
		{Name: "into", Title: "Into", Lead: "into", Help: "the address that it gets, or nothing: it keeps its own, whatever comes after", Value: oneAddress().or("nothing")},
		{Name: "port", Title: "Port", Lead: "port", Default: "same", Help: "the port that it gets; of destinations only", Value: number(1, 65_535, "").or("same")},
		{Name: "note", Title: "Note", Lead: "note", Default: "none", Help: "why it is there", Value: text(120)},
	},
	check: func(c Cells) error {
		switch {
		case c["kind"] == TranslatesDestination && c["to"] != "any":
			return errors.New("a destination is translated before it is known to which zone it goes: leave \"to\" out")
		case c["kind"] == TranslatesSource && c["port"] != "same":
			return errors.New("the port of a source is chosen by the device: leave \"port\" out")
		case c["into"] == "nothing" && c["port"] != "same":
			return errors.New("what is translated into nothing keeps its port: leave \"port\" out")
		case c["kind"] == TranslatesDestination && c["into"] != "nothing" && c["destination"] == "any" && c["service"] == "any":
			return errors.New("that would lead all that comes in to one address: say of which destination, or of which service")
		}
		return nil
	},
}

// oneAddress is an address.
func oneAddress() Value {
	return Value{Type: Text, Form: "an address such as 198.51.100.10", normal: func(s string) (string, error) {
		a, err := netip.ParseAddr(s)
		if err != nil || a.Zone() != "" {
			return "", fmt.Errorf("%q is no address: write it like 198.51.100.10", s)
		}
		return a.String(), nil
	}}
}

// Translation is a row of the translations of a firewall.
type Translation struct {
	Number                       int
	Kind                         string // TranslatesSource or TranslatesDestination
	From, To                     []string
	Source, Destination, Service []string   // empty: any
	Into                         netip.Addr // not valid: it keeps its own
	Port                         uint16     // 0: the same
	Note                         string
}

// ParseTranslation reads a row.
func ParseTranslation(r Row) (Translation, error) {
	c, err := translationTable.parse(r.Text)
	if err != nil {
		return Translation{}, err
	}
	t := Translation{Number: r.Number, Kind: c["kind"], From: c.some("from"), To: c.some("to"), Source: c.some("source"), Destination: c.some("destination"), Service: c.some("service")}
	t.Into, _ = netip.ParseAddr(c["into"])
	if port, err := strconv.ParseUint(c["port"], 10, 16); err == nil {
		t.Port = uint16(port)
	}
	if c["note"] != "none" {
		t.Note = c["note"]
	}
	return t, nil
}

// some are the items of a column, nil for any.
func (c Cells) some(column string) []string {
	if c[column] == "any" {
		return nil
	}
	return Items(c[column])
}

// Translations are those of a firewall, in their order. Rows that cannot be read are left out.
func Translations(c network.Config) []Translation {
	var out []Translation
	for _, row := range RowsOf(c.Objects[PolicyObject], "translations") {
		if t, err := ParseTranslation(row); err == nil {
			out = append(out, t)
		}
	}
	return out
}

func (t Translation) named() map[Kind][]string {
	return namesIn(slices.Concat(t.From, t.To), slices.Concat(t.Source, t.Destination), t.Service)
}

// PolicyTables are the tables of a firewall's policy.
func PolicyTables() []string { return []string{"rules", translationSetting.Name} }

// rowText is what a row of the policy is called.
func rowText(table string, row int) string {
	if table == translationSetting.Name {
		return "translation " + strconv.Itoa(row)
	}
	return "rule " + strconv.Itoa(row) + " of the policy"
}

// namesIn are the names among what is written of zones, addresses and services.
func namesIn(zones, addresses, services []string) map[Kind][]string {
	out := map[Kind][]string{OnSecurityZone: zones}
	for _, a := range addresses {
		if _, err := prefixOf(a); err != nil {
			out[OnAddress] = append(out[OnAddress], a)
		}
	}
	for _, s := range services {
		if _, err := ParseService(s); err != nil && !strings.Contains(s, "/") {
			out[OnService] = append(out[OnService], s)
		}
	}
	return out
}
