package standin

import (
	"net/netip"
	"slices"
	"strconv"
	"time"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// translation gives sessions another address.
type translation struct {
	number      int
	destination bool // else it is of sources
	from, to    []string
	source      []span
	target      []span
	services    []flow
	anyone      bool
	anywhere    bool
	anything    bool
	into        netip.Addr // not valid: what fits keeps its own
	port        int        // 0: the same
}

func (c *compiled) compileTranslations(policy *xmlnode.Node, spans func([]string) []span, flows func([]string) []flow) {
	for _, n := range policy.All("translation") {
		t := translation{destination: n.TextAt("kind") == "destination", from: texts(n.All("from")), to: texts(n.All("to")),
			source: spans(texts(n.All("source"))), target: spans(texts(n.All("destination"))), services: flows(texts(n.All("service"))),
			anyone: len(n.All("source")) == 0, anywhere: len(n.All("destination")) == 0, anything: len(n.All("service")) == 0}
		t.number, _ = strconv.Atoi(n.TextAt("number"))
		t.port, _ = strconv.Atoi(n.TextAt("port"))
		t.into, _ = netip.ParseAddr(n.TextAt("into"))
		c.firewall.hides = c.firewall.hides || !t.destination && t.into.IsValid()
		c.firewall.translations = append(c.firewall.translations, t)
	}
	slices.SortFunc(c.firewall.translations, func(a, b translation) int { return a.number - b.number })
}

func validateTranslations(policy *xmlnode.Node, refer func(path, what, name string), fault func(tag, path, format string, args ...any)) {
	for _, t := range policy.All("translation") {
		path := "/firewall/policy/translation[number='" + t.TextAt("number") + "']"
		kind := t.TextAt("kind")
		switch {
		case kind == "":
			fault(netconf.TagDataMissing, path+"/kind", "it is not said whose address is translated")
		case kind == "destination" && len(t.All("to")) > 0:
			fault(netconf.TagInvalidValue, path+"/to", "where a destination leads is not known before it is translated")
		case kind == "source" && t.TextAt("port") != "":
			fault(netconf.TagInvalidValue, path+"/port", "ports of sources are chosen by the device")
		}
		for _, z := range append(t.All("from"), t.All("to")...) {
			refer(path, "zone", z.Text)
		}
		for _, a := range append(t.All("source"), t.All("destination")...) {
			if !slices.Contains([]byte(a.Text), '/') {
				refer(path, "address", a.Text)
			}
		}
		for _, s := range t.All("service") {
			if _, err := readFlow(s.Text); err != nil {
				refer(path, "service", s.Text)
			}
		}
	}
}

func spanned(list []span, a netip.Addr) bool {
	return slices.ContainsFunc(list, func(s span) bool { return s.low.Compare(a) <= 0 && a.Compare(s.high) <= 0 })
}

func among(list []flow, protocol string, port int) bool {
	return slices.ContainsFunc(list, func(f flow) bool {
		return f.protocol == protocol && (f.high == 0 || port >= f.low && port <= f.high)
	})
}

// translate gives a session between two VLANs another destination, or another source, and tells by which translation: 0 for none.
func (c *compiled) translate(destination bool, q asked) (asked, int) {
	near, far := c.firewall.zoneOf(q.from), c.firewall.zoneOf(q.to)
	for _, t := range c.firewall.translations {
		fits := t.destination == destination && (len(t.from) == 0 || slices.Contains(t.from, near)) && (len(t.to) == 0 || slices.Contains(t.to, far)) &&
			(t.anyone || spanned(t.source, q.source)) && (t.anywhere || spanned(t.target, q.target)) && (t.anything || among(t.services, q.protocol, q.port))
		if !fits {
			continue
		}
		switch {
		case !t.into.IsValid():
		case destination:
			q.target = t.into
			if t.port > 0 {
				q.port = t.port
			}
		default:
			q.source = t.into
		}
		return q, t.number
	}
	return q, 0
}

// translated has the firewall of a site translate, and counts it.
func (w *World) translated(site int, destination bool, q asked, sessions float64, now time.Time) asked {
	g := w.guardians[site]
	if g == nil || len(g.cfg.firewall.translations) == 0 {
		return q
	}
	if near := g.cfg.firewall.zoneOf(q.from); !destination && near == g.cfg.firewall.zoneOf(q.to) && near != "" {
		return q
	}
	out, by := g.cfg.translate(destination, q)
	if by > 0 && sessions > 0 {
		if g.translates == nil {
			g.translates = map[int]*judgement{}
		}
		if g.translates[by] == nil {
			g.translates[by] = &judgement{}
		}
		g.translates[by].sessions += sessions
		g.translates[by].last = now
	}
	return out
}

// ofSite is the site and the VLAN of an address of the company; ok is false for others.
func ofSite(a netip.Addr) (site, vlan int, ok bool) {
	if !a.Is4() {
		return 0, 0, false
	}
	b := a.As4()
	return int(b[1]), int(b[2]), b[0] == 10
}

// lets tells what part of sessions from a VLAN of a site gets through the firewalls on their way, and to whom, from whom.
func (w *World) lets(site int, q asked, what content, sessions float64, now time.Time) (asked, float64) {
	q = w.translated(site, true, q, sessions, now)
	there, far, inside := w.placed(q.target)
	q.to = 0
	if !w.together(site, q.from, q.source, q.target) {
		return q, 0
	}
	if inside && there == site {
		q.to = far
	}
	share := w.judged(site, q, what, sessions, now)
	if share == 0 {
		return q, 0
	}
	q = w.translated(site, false, q, sessions, now)
	if inside && there != site {
		q.from, q.to = 0, far
		return q, min(share, w.judged(there, q, what, sessions, now))
	}
	if g := w.guardians[site]; !inside && g != nil && g.cfg.firewall.hides {
		if _, _, private := ofSite(q.source); private {
			return q, 0
		}
	}
	return q, share
}

func (d *device) translationState(policy *xmlnode.Node) {
	x := in("ep-fw")
	for _, n := range policy.All("translation") {
		number, _ := strconv.Atoi(n.TextAt("number"))
		if j := d.translates[number]; j != nil {
			n.Add(x.count("hits", j.sessions), x.leaf("last-hit", j.last.UTC().Format(time.RFC3339)))
		} else {
			n.Add(x.leaf("hits", "0"))
		}
	}
}
