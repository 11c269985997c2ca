package standin

import (
	"cmp"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

// inspection is what a firewall looks for in the sessions that a rule lets begin.
type inspection struct {
	name            string
	blocked, logged map[string]bool    // categories
	applications    map[string]bool    // that are blocked
	overridable     map[string]bool    // categories that are blocked until somebody lets a station see them
	limits          map[string]float64 // bit/s of a station, by application

	senders, lists, words map[string]bool // of mail
}

// content is what sessions are, as a firewall finds out once they go on; the zero value is nothing that is known.
type content struct {
	application, category string
	web                   bool
	bps                   float64 // of the station in it
	letter                *letter // what is delivered
}

// finding is how often an inspection found something, and what it did.
type finding struct {
	blocked, limited, logged float64
	last                     time.Time
}

// content tells what a conversation is that has so many octets in a span.
func (c conversation) content(octets float64, span time.Duration) content {
	return content{application: c.application, category: c.category, web: c.port == 443 || c.port == 80, bps: 8 * octets / span.Seconds()}
}

// readLimit reads tide-tables=2M.
func readLimit(s string) (application string, bps float64, err error) {
	application, rate, ok := strings.Cut(s, "=")
	if !ok || application == "" || rate == "" {
		return "", 0, fmt.Errorf("%q is no application with a rate", s)
	}
	n, err := strconv.ParseFloat(rate[:len(rate)-1], 64)
	unit := map[byte]float64{'k': 1e3, 'M': 1e6, 'G': 1e9}[rate[len(rate)-1]]
	if err != nil || unit == 0 || n <= 0 {
		return "", 0, fmt.Errorf("%q has no rate", s)
	}
	return application, n * unit, nil
}

func (c *compiled) compileInspections(fw *xmlnode.Node) {
	c.firewall.inspections, c.firewall.categories = map[string]*inspection{}, map[string]string{}
	for _, n := range fw.All("web-category") {
		for _, name := range texts(n.Child("names").All("name")) {
			c.firewall.categories[name] = n.TextAt("name")
		}
	}
	words := func(n *xmlnode.Node, leaf string) map[string]bool {
		out := map[string]bool{}
		for _, t := range texts(n.All(leaf)) {
			out[t] = true
		}
		return out
	}
	for _, n := range fw.All("inspection") {
		i := &inspection{name: n.TextAt("name"), blocked: words(n.Child("web-blocked"), "category"), logged: words(n.Child("web-logged"), "category"),
			applications: words(n.Child("application-blocked"), "application"), overridable: words(n.Child("web-overridable"), "category"), limits: map[string]float64{},
			senders: words(n.Child("mail-senders"), "sender"), lists: words(n.Child("mail-lists"), "list"), words: words(n.Child("mail-words"), "word")}
		for _, l := range texts(n.Child("application-limits").All("limit")) {
			if application, bps, err := readLimit(l); err == nil {
				i.limits[application] = bps
			}
		}
		c.firewall.inspections[i.name] = i
	}
}

// categoryOf is the category of what is asked for: as the firewall was told of its name, or of a domain above that, or else as it takes it for.
func (f *firewall) categoryOf(target netip.Addr, own string) string {
	if len(f.categories) == 0 {
		return own
	}
	for name, address := range knownNames {
		if address != target.String() {
			continue
		}
		for domain := name; domain != ""; _, domain, _ = strings.Cut(domain, ".") {
			if told, is := f.categories[domain]; is {
				return told
			}
		}
	}
	return own
}

// inspect tells what part of sessions gets through an inspection, and counts what it finds.
func (d *device) inspect(name string, what content, source, target netip.Addr, sessions float64, now time.Time) float64 {
	i := d.cfg.firewall.inspections[name]
	if i == nil || what.application == "" {
		return 1
	}
	what.category = d.cfg.firewall.categoryOf(target, what.category)
	found := func(thing string) *finding {
		if d.found == nil {
			d.found = map[[2]string]*finding{}
		}
		key := [2]string{name, thing}
		f := d.found[key]
		if f == nil {
			f = &finding{}
			d.found[key] = f
		}
		if sessions > 0 {
			f.last = now
		}
		return f
	}
	if why := i.refuses(what.letter); why != "" {
		found("mail " + why).blocked += sessions
		return 0
	}
	switch {
	case i.applications[what.application]:
		found("application " + what.application).blocked += sessions
		return 0
	case what.web && i.blocked[what.category]:
		found("category " + what.category).blocked += sessions
		return 0
	case what.web && i.overridable[what.category]:
		if !d.overrides(source, what.category, sessions, now) {
			found("category " + what.category).blocked += sessions
			return 0
		}
		found("category " + what.category).logged += sessions
	case what.web && i.logged[what.category]:
		found("category " + what.category).logged += sessions
	}
	if limit := i.limits[what.application]; limit > 0 && what.bps > limit {
		found("application " + what.application).limited += sessions
		return limit / what.bps
	}
	return 1
}

// inspectionState tells what inspections found.
func (d *device) inspectionState(fw *xmlnode.Node) {
	x := in("ep-fw")
	keys := slices.SortedFunc(maps.Keys(d.found), func(a, b [2]string) int { return cmp.Or(strings.Compare(a[0], b[0]), strings.Compare(a[1], b[1])) })
	for _, n := range fw.All("inspection") {
		for _, k := range keys {
			f := d.found[k]
			if k[0] != n.TextAt("name") || f.last.IsZero() {
				continue
			}
			n.Add(x.node("found", x.leaf("what", k[1]), x.count("blocked", f.blocked), x.count("limited", f.limited), x.count("logged", f.logged), x.leaf("last", f.last.UTC().Format(time.RFC3339))))
		}
	}
}
