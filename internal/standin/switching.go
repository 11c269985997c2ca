package standin

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

// switching is what a configuration says of a switch besides its ports.
type switching struct {
	schedules    map[string][]weekSpan
	mirrors      []mirror
	lists        map[string][]listRule
	bundles      map[string]bundleConfig
	loopEvery    time.Duration  // between probes of loop protection
	loopRecovery time.Duration  // 0: never by itself
	radius       bool           // somebody can say who may plug in
	vlanLists    map[int]string // access lists of VLANs
	snoops       map[int]bool   // VLANs in which DHCP servers are heard through trusted ports only
	igmp         map[int]bool   // VLANs in which multicast goes where somebody listens
	zone         *time.Location
}

// portSwitching is what it says of a port.
type portSwitching struct {
	fixedMbps            int    // 0: negotiated
	duplex               string // "", FULL or HALF
	mtu                  int
	connector            string
	voice, guest         int
	service              int        // the service VLAN of what is in no VLAN of the port, 0 for none (IEEE 802.1ad)
	services             []vlanSpan // those that pass with their service tag
	access               string
	classLimit, priority int // priority 0 is the highest
	throughReboot        bool
	schedule             string
	follow               []string
	followAfter          time.Duration
	flaps                int // 0: no guard
	flapWindow, flapHold time.Duration
	isolation            string
	stormLimit           float64 // frames a second, of broadcast; 0 for none
	rateIn, rateOut      float64 // bit/s; 0 for none
	dscp                 string  // trusted where empty
	energySaving         bool
	dhcpTrust, loopGuard bool
	bpduGuard, rootGuard bool
	noEdge               bool   // it waits before it forwards, whatever is plugged in
	list                 string // the access list that what comes in must pass
}

type mirror struct {
	sources []string
	in, out bool
	to      string
}

// listRule is an entry of an access list.
type listRule struct {
	sequence int
	permit   bool
	protocol string // "" for all
	from, to netip.Prefix
}

type bundleConfig struct {
	static, passive bool
	minLinks        int
}

// link reads what stands with the interface itself.
func (p *portConfig) link(i *xmlnode.Node) {
	config := i.Find("ethernet/config")
	p.duplex = config.TextAt("duplex-mode")
	if config.TextAt("auto-negotiate") == "false" {
		speed := config.TextAt("port-speed")
		speed = speed[strings.LastIndexByte(speed, ':')+1:]
		for mbps, name := range speedNames {
			if name == speed {
				p.fixedMbps = mbps
			}
		}
	}
	p.mtu, _ = strconv.Atoi(i.TextAt("config/mtu"))
	p.priority = 2
}

func seconds(s string, otherwise int) time.Duration {
	n, err := strconv.Atoi(s)
	if err != nil {
		n = otherwise
	}
	return time.Duration(n) * time.Second
}

func (c *compiled) compileSwitching(tree *xmlnode.Node) {
	sw := tree.Child("switching")
	c.zone = time.UTC
	if z, err := time.LoadLocation(tree.TextAt("system/clock/config/timezone-name")); err == nil {
		c.zone = z
	}
	c.radius = len(sw.Child("authentication").All("radius-server")) > 0
	c.loopEvery, c.loopRecovery = seconds(sw.TextAt("loop-protection/interval"), 5), seconds(sw.TextAt("loop-protection/recovery"), 300)
	if sw.TextAt("loop-protection/recovery") == "never" {
		c.loopRecovery = 0
	}
	c.schedules, c.lists, c.bundles, c.snoops, c.igmp = map[string][]weekSpan{}, map[string][]listRule{}, map[string]bundleConfig{}, map[int]bool{}, map[int]bool{}
	c.vlanLists = map[int]string{}
	for _, s := range sw.All("schedule") {
		c.schedules[s.TextAt("name")], _ = readHours(s.TextAt("hours"))
	}
	for _, m := range sw.All("mirror") {
		direction := m.TextAt("direction")
		one := mirror{in: direction != "out", out: direction != "in", to: m.TextAt("to/port")}
		for _, p := range m.Child("sources").All("port") {
			one.sources = append(one.sources, p.Text)
		}
		c.mirrors = append(c.mirrors, one)
	}
	for _, v := range sw.All("vlan") {
		id, _ := strconv.Atoi(v.TextAt("id"))
		if l := v.TextAt("access-list"); l != "" {
			c.vlanLists[id] = l
		}
		c.snoops[id], c.igmp[id] = v.TextAt("dhcp-snooping") == "true", v.TextAt("igmp-snooping") == "true"
	}
	c.compileLists(tree)
	for _, i := range tree.Child("interfaces").All("interface") {
		if a := i.Child("aggregation"); a != nil {
			b := bundleConfig{static: a.TextAt("config/lag-type") == "STATIC"}
			b.minLinks, _ = strconv.Atoi(a.TextAt("config/min-links"))
			c.bundles[i.TextAt("name")] = b
		}
	}
	for _, i := range tree.Find("lacp/interfaces").All("interface") {
		b := c.bundles[i.TextAt("name")]
		b.passive = i.TextAt("config/lacp-mode") == "PASSIVE"
		c.bundles[i.TextAt("name")] = b
	}
	for _, n := range sw.All("port") {
		if p, ok := c.ports[n.TextAt("name")]; ok {
			p.read(n)
			c.ports[n.TextAt("name")] = p
		}
	}
	for _, i := range tree.Find("stp/interfaces").All("interface") {
		if p, ok := c.ports[i.TextAt("name")]; ok {
			p.bpduGuard, p.rootGuard = i.TextAt("config/bpdu-guard") == "true", i.TextAt("config/guard") == "ROOT"
			p.noEdge = strings.HasSuffix(i.TextAt("config/edge-port"), "EDGE_DISABLE")
			c.ports[i.TextAt("name")] = p
		}
	}
}

func (p *portConfig) read(n *xmlnode.Node) {
	number := func(at string) float64 {
		f, _ := strconv.ParseFloat(n.TextAt(at), 64)
		return f
	}
	p.connector, p.access, p.schedule, p.isolation = n.TextAt("connector"), n.TextAt("access-control"), n.TextAt("schedule"), n.TextAt("isolation")
	p.voice, p.guest = int(number("voice-vlan")), int(number("guest-vlan"))
	p.service = int(number("service-vlan"))
	for _, v := range n.Child("service-trunk").All("vlan") {
		if low, high, err := vlanRange(strings.TrimSpace(v.Text)); err == nil {
			p.services = append(p.services, vlanSpan{low, high})
		}
	}
	p.classLimit, p.throughReboot = int(number("power/class-limit")), n.TextAt("power/through-reboot") == "true"
	if i := slices.Index([]string{"critical", "high"}, n.TextAt("power/priority")); i >= 0 {
		p.priority = i
	}
	for _, f := range n.Child("follow").All("port") {
		p.follow = append(p.follow, f.Text)
	}
	p.followAfter = seconds(n.TextAt("follow-delay"), 3)
	p.flaps, p.flapWindow, p.flapHold = int(number("flap-guard/changes")), seconds(n.TextAt("flap-guard/window"), 10), seconds(n.TextAt("flap-guard/hold"), 300)
	p.dscp, p.energySaving = n.TextAt("dscp"), n.TextAt("energy-saving") == "true"
	p.stormLimit = number("storm-limits/broadcast")
	p.rateIn, p.rateOut = number("rate-limits/in")*1000, number("rate-limits/out")*1000
	p.dhcpTrust, p.loopGuard = n.TextAt("dhcp-trust") == "true", n.TextAt("loop-protection") == "true"
}

func (c *compiled) compileLists(tree *xmlnode.Node) {
	for _, set := range tree.Find("acl/acl-sets").All("acl-set") {
		all := set.Child("acl-entries").All("acl-entry")
		slices.SortStableFunc(all, func(a, b *xmlnode.Node) int {
			x, _ := strconv.Atoi(a.TextAt("sequence-id"))
			y, _ := strconv.Atoi(b.TextAt("sequence-id"))
			return x - y
		})
		var list []listRule
		for _, e := range all {
			protocol := e.TextAt("ipv4/config/protocol")
			sequence, _ := strconv.Atoi(e.TextAt("sequence-id"))
			r := listRule{sequence: sequence, permit: strings.HasSuffix(e.TextAt("actions/config/forwarding-action"), "ACCEPT"), protocol: protocol[strings.LastIndexByte(protocol, ':')+1:]}
			r.from, _ = netip.ParsePrefix(e.TextAt("ipv4/config/source-address"))
			r.to, _ = netip.ParsePrefix(e.TextAt("ipv4/config/destination-address"))
			list = append(list, r)
		}
		c.lists[set.TextAt("name")] = list
	}
	for _, i := range tree.Find("acl/interfaces").All("interface") {
		if p, ok := c.ports[i.TextAt("id")]; ok {
			p.list = i.TextAt("ingress-acl-sets/ingress-acl-set/set-name")
			c.ports[i.TextAt("id")] = p
		}
	}
}

// passes tells which entry of an access list decides on frames between two addresses, by its sequence number, and whether it
// lets them pass. What none fits is dropped, by entry -1.
func passes(list []listRule, from, to netip.Addr) (entry int, permit bool) {
	for _, r := range list {
		fits := (!r.from.IsValid() || r.from.Contains(from)) && (!r.to.IsValid() || r.to.Contains(to))
		if fits && (r.protocol == "" || r.protocol == "IP_TCP") { // stations speak TCP here
			return r.sequence, r.permit
		}
	}
	return -1, false
}

// weekSpan is a span of minutes on some days of the week.
type weekSpan struct{ first, last, begin, end int }

// readHours reads "mon-fri 06:00-19:00, sat 08:00-12:00".
func readHours(text string) ([]weekSpan, error) {
	days := []string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}
	var out []weekSpan
	for part := range strings.SplitSeq(text, ",") {
		var s weekSpan
		var h1, m1, h2, m2 int
		words := strings.Fields(part)
		if len(words) != 2 {
			return nil, fmt.Errorf("%q are no hours", text)
		}
		first, last, isRange := strings.Cut(words[0], "-")
		if !isRange {
			last = first
		}
		s.first, s.last = slices.Index(days, first), slices.Index(days, last)
		if _, err := fmt.Sscanf(words[1], "%d:%d-%d:%d", &h1, &m1, &h2, &m2); err != nil || s.first < 0 || s.last < 0 {
			return nil, fmt.Errorf("%q are no hours", text)
		}
		s.begin, s.end = h1*60+m1, h2*60+m2
		out = append(out, s)
	}
	return out, nil
}

// open tells whether a time is in one of the spans.
func open(spans []weekSpan, at time.Time) bool {
	day, minute := int(at.Weekday()), at.Hour()*60+at.Minute()
	for _, s := range spans {
		inDays := day >= s.first && day <= s.last
		if s.last < s.first {
			inDays = day >= s.first || day <= s.last
		}
		if inDays && minute >= s.begin && minute < s.end {
			return true
		}
	}
	return false
}
