package policy

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

var noon = time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC) // a Monday

// with is a firewall with some rules.
func with(t testing.TB, rules ...string) network.Config {
	t.Helper()
	c := network.Config{Features: []network.Feature{setting.Firewall}, Objects: map[string]network.Settings{
		"security-zone/office": {"zone-vlans": "20"}, "security-zone/guests": {"zone-vlans": "80"}, "security-zone/outside": {"interfaces": "wan1"},
		"address/desks": {"addresses": "10.2.20.0/24"}, "address/inside": {"addresses": "10.0.0.0/8"}, "address/tides": {"addresses": "tides.example.net"},
		"address/all-desks": {"addresses": "10.3.20.7/32", "members": "desks"}, "address/empty": {},
		"service/web": {"services": "tcp/80,tcp/443"}, "service/calls": {"services": "udp/5060-5061", "members": "web"},
		"schedule/night": {"hours": "mon-sun 20:00-24:00"}, "policy/main": {},
	}}
	s, err := setting.Lookup(setting.OnPolicy, "rules")
	require.NoError(t, err)
	text, err := s.Value.Normal(strings.Join(rules, "\n"))
	require.NoError(t, err)
	require.NoError(t, s.Set(&c, "policy/main", text))
	return c
}

func TestTheFirstRuleThatFitsDecides(t *testing.T) {
	p := Of(with(t, "deny from guests to any destination inside", "allow from guests to outside service web", "allow from office to any source all-desks service calls during night",
		"allow from office to outside destination tides until 2026-11-29", "reject from office to outside service tcp/25"))
	ask := func(from, to, source, destination, protocol string, port uint16, at time.Time) string {
		rule, allowed := p.Decide(Session{from, to, netip.MustParseAddr(source), netip.MustParseAddr(destination), protocol, port}, at)
		if rule == nil {
			return fmt.Sprint("none ", allowed)
		}
		return fmt.Sprint(rule.Number, " ", allowed)
	}
	night := noon.Add(9 * time.Hour)
	for _, tc := range []struct{ want, got string }{
		{"10 false", ask("guests", "outside", "10.2.80.9", "10.1.20.30", "tcp", 443, noon)},
		{"20 true", ask("guests", "outside", "10.2.80.9", "203.0.113.80", "tcp", 443, noon)},
		{"none false", ask("guests", "outside", "10.2.80.9", "203.0.113.80", "udp", 443, noon)},
		{"none true", ask("guests", "guests", "10.2.80.9", "10.2.80.10", "tcp", 22, noon)},
		{"none false", ask("office", "outside", "10.2.20.9", "203.0.113.80", "udp", 5060, noon)},
		{"30 true", ask("office", "outside", "10.2.20.9", "203.0.113.80", "udp", 5060, night)},
		{"30 true", ask("office", "outside", "10.3.20.7", "203.0.113.80", "tcp", 80, night)},
		{"none false", ask("office", "outside", "10.3.20.8", "203.0.113.80", "tcp", 80, night)},
		{"50 false", ask("office", "outside", "10.2.20.9", "203.0.113.80", "tcp", 25, noon)},
		{"none false", ask("", "office", "10.2.20.9", "203.0.113.80", "icmp", 0, noon)},
	} {
		assert.Equal(t, tc.want, tc.got)
	}
	assert.Nil(t, Of(network.Config{}))
	assert.Equal(t, [3]string{"office", "outside", ""}, [3]string{p.Zone(20), p.Zone(0), p.Zone(99)})
}

func TestWhatIsWrongWithRules(t *testing.T) {
	for _, tc := range []struct {
		rules []string
		want  string
	}{
		{[]string{"deny from guests to any destination inside", "allow from guests to office destination desks service tcp/445"}, "[{20 shadowed [10]}]"},
		{[]string{"allow from office to outside service web", "allow from office to outside source desks service tcp/443"}, "[{20 redundant [10]}]"},
		{[]string{"allow from office to outside source 10.2.20.0/25", "allow from office to outside source 10.2.20.128/25", "allow from office to outside source desks service web"}, "[{30 redundant [10 20]}]"},
		{[]string{"allow from office to outside source desks service web", "allow from office to outside source inside"}, "[{10 redundant [20]}]"},
		{[]string{"allow from office to outside source desks service web", "deny from office to outside source desks", "allow from office to outside source inside"}, "[]"},
		{[]string{"allow from office to outside source desks service web log on", "allow from office to outside source inside"}, "[]"},
		{[]string{"deny from office to outside source desks during night", "allow from office to outside source desks"}, "[]"},
		{[]string{"allow from any to any"}, "[{10 wide []}]"},
		{[]string{"allow from office to outside until 2026-09-30"}, "[{10 past []}]"},
		{[]string{"allow from office to outside until 2026-11-30"}, "[]"},
		{[]string{"allow from office to outside source empty"}, "[{10 nobody []}]"},
		{[]string{"allow from office to office"}, "[{10 nobody []}]"},
		{[]string{"allow from office to outside", "deny from any to any"}, "[]"},
		{[]string{"deny from guests to office", "allow from office to outside"}, "[{10 redundant []}]"},
		{[]string{"allow from office to outside destination tides", "allow from office to outside destination tides service web"}, "[{20 redundant [10]}]"},
		{[]string{"allow from office to outside destination 0.0.0.0/0", "allow from office to outside destination tides"}, "[]"},
	} {
		assert.Equal(t, tc.want, fmt.Sprint(Of(with(t, tc.rules...)).Analyse(noon, nil)), tc.rules)
	}
	hits := &network.PolicyState{Rules: []network.RuleHits{{Number: 10, LastAt: noon.Add(-40 * 24 * time.Hour)}, {Number: 20, Sessions: 7, LastAt: noon}}}
	p := Of(with(t, "allow from office to outside service web", "allow from guests to outside service web"))
	hits.Since = noon.Add(-50 * 24 * time.Hour)
	assert.Equal(t, "[{10 unused []}]", fmt.Sprint(p.Analyse(noon, hits)))
	hits.Since = noon.Add(-20 * 24 * time.Hour)
	assert.Empty(t, p.Analyse(noon, hits), "it was not counted for so long")
}

func TestWhatAChangeOpensAndCloses(t *testing.T) {
	told := func(before, after []string) (out []string) {
		list, whole := Differ(Of(with(t, before...)), Of(with(t, after...)), noon)
		assert.True(t, whole)
		for _, d := range list {
			out = append(out, d.String())
		}
		return out
	}
	assert.Empty(t, told([]string{"allow from office to outside service web"}, []string{"allow from office to outside service tcp/443", "allow from office to outside service tcp/80"}))
	assert.Equal(t, []string{"opens tcp/443 from guests (any) to outside (any)"},
		told([]string{"allow from guests to outside service tcp/80"}, []string{"allow from guests to outside service web"}))
	assert.Equal(t, []string{"closes any from office (desks) to outside (10.1.0.0/16)"},
		told([]string{"allow from office to outside source desks"}, []string{"deny from office to outside destination 10.1.0.0/16", "allow from office to outside source desks"}))
	assert.Equal(t, []string{"opens web from office (all-desks) to outside (tides)", "closes udp/5060-5061 from guests, office (any) to outside (any)"},
		told([]string{"allow from guests,office to outside service udp/5060-5061"}, []string{"allow from office to outside source all-desks destination tides service web"}))
	assert.Equal(t, []string{"opens web from office (any) to outside (any)"},
		told([]string{"allow from office to outside service web during night"}, []string{"allow from office to outside service web"}), "at other hours")
	assert.Empty(t, told([]string{"allow from office to outside service web during night"}, []string{"allow from office to outside service web during night"}))
	list, _ := Differ(nil, Of(with(t, "allow from any to any")), noon)
	assert.Empty(t, list, "without a policy everything passes")
	list, _ = Differ(nil, Of(with(t)), noon)
	assert.NotEmpty(t, list)
}

// small is a policy over few zones, addresses and services, as masks: what is computed from sets is held against trying each session.
type small struct {
	rules []smallRule
	text  []string
}

type smallRule struct {
	from, to, source, destination, service uint
	allow                                  bool
}

// Of each side the last bit stands for all that no rule names.
var (
	smallZones    = []string{"a", "b", ""}
	smallAddress  = []string{"10.0.0.0/32", "10.0.0.1/32", "10.0.0.2/32", "10.0.0.3/32", ""}
	smallServices = []string{"tcp/1", "tcp/2", "tcp/3", "icmp", ""}
)

func someOf(rng *rand.Rand, of []string) (mask uint, text string) {
	all := uint(1)<<len(of) - 1
	if rng.IntN(4) == 0 {
		return all, "any"
	}
	var names []string
	for i, n := range of[:len(of)-1] {
		if rng.IntN(2) == 0 {
			mask |= 1 << i
			names = append(names, n)
		}
	}
	if names == nil {
		return 1, of[0]
	}
	return mask, strings.Join(names, ",")
}

func smallPolicy(t testing.TB, rng *rand.Rand) (small, *Policy) {
	var s small
	for range 1 + rng.IntN(6) {
		var r smallRule
		texts := make([]string, 5)
		r.from, texts[0] = someOf(rng, smallZones)
		r.to, texts[1] = someOf(rng, smallZones)
		r.source, texts[2] = someOf(rng, smallAddress)
		r.destination, texts[3] = someOf(rng, smallAddress)
		r.service, texts[4] = someOf(rng, smallServices)
		r.allow = rng.IntN(2) == 0
		s.rules = append(s.rules, r)
		s.text = append(s.text, fmt.Sprintf("%s from %s to %s source %s destination %s service %s", map[bool]string{true: "allow", false: "deny"}[r.allow], texts[0], texts[1], texts[2], texts[3], texts[4]))
	}
	c := network.Config{Features: []network.Feature{setting.Firewall}, Objects: map[string]network.Settings{"security-zone/a": {}, "security-zone/b": {}, "policy/main": {}}}
	for i, text := range s.text {
		c.Objects["policy/main"][setting.RowName("rules", i+1)] = strings.NewReplacer(" source any", "", " destination any", "", " service any", "").Replace(text)
	}
	return s, Of(c)
}

// session is one by its bits.
type session struct{ from, to, source, destination, service int }

func each(f func(session)) {
	for from := range smallZones {
		for to := range smallZones {
			for source := range smallAddress {
				for destination := range smallAddress {
					for service := range smallServices {
						if from != to || from == len(smallZones)-1 {
							f(session{from, to, source, destination, service})
						}
					}
				}
			}
		}
	}
}

// decides is the rule that decides, -1 for none, but for one that is left out.
func (s small) decides(x session, without int) int {
	for i, r := range s.rules {
		if i != without && r.from>>x.from&1 == 1 && r.to>>x.to&1 == 1 && r.source>>x.source&1 == 1 && r.destination>>x.destination&1 == 1 && r.service>>x.service&1 == 1 {
			return i
		}
	}
	return -1
}

func (s small) allows(x session, without int) bool {
	i := s.decides(x, without)
	return i >= 0 && s.rules[i].allow
}

func (x session) real() Session {
	address := func(i int) netip.Addr {
		if i == len(smallAddress)-1 {
			return netip.MustParseAddr("2001:db8::1")
		}
		return netip.MustParsePrefix(smallAddress[i]).Addr()
	}
	out := Session{From: smallZones[x.from], To: smallZones[x.to], Source: address(x.source), Destination: address(x.destination)}
	switch x.service {
	case len(smallServices) - 1:
		out.Protocol = "gre"
	case len(smallServices) - 2:
		out.Protocol = "icmp"
	default:
		out.Protocol, out.Port = "tcp", uint16(x.service+1)
	}
	return out
}

func (x session) in(boxes []box, p *Policy) bool {
	real := x.real()
	service := uint64(lastService)
	if real.Protocol != "gre" {
		service = serviceInterval(setting.Service{Protocol: real.Protocol, Ports: setting.PortRange{Low: real.Port, High: real.Port}}).low
	}
	return slices.ContainsFunc(boxes, func(b box) bool {
		return set{b.source}.has(p.point(real.Source)) && set{b.destination}.has(p.point(real.Destination)) && set{b.service}.has(service)
	})
}

func TestSetsEqualTryingEachSession(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 77))
	sets := 10_000
	if testing.Short() {
		sets = 500
	}
	for n := range sets {
		s, p := smallPolicy(t, rng)
		changes := make([]bool, len(s.rules)) // whether it matters that a rule is there
		decides := make([]bool, len(s.rules))
		each(func(x session) {
			i := s.decides(x, -1)
			if i >= 0 {
				decides[i] = true
				changes[i] = changes[i] || s.rules[i].allow != s.allows(x, i)
			}
			if n%50 == 0 {
				rule, allowed := p.Decide(x.real(), noon)
				require.Equal(t, i >= 0 && s.rules[i].allow, allowed, "%v: %v", s.text, x)
				require.Equal(t, i < 0, rule == nil)
			}
		})
		found := map[int]Finding{}
		for _, f := range p.Analyse(noon, nil) {
			found[f.Rule-1] = f
		}
		for i := range s.rules {
			f := found[i]
			switch last := i == len(s.rules)-1; {
			case !decides[i] && f.Fault != Nobody:
				require.Contains(t, []Fault{Shadowed, Redundant}, f.Fault, "rule %d of %v", i+1, s.text)
				require.NotEmpty(t, f.By)
			case decides[i] && f.Fault == Shadowed, changes[i] && f.Fault == Redundant && !slices.ContainsFunc(p.Rules[i:], func(r Rule) bool { return r.wide() }):
				require.Fail(t, "a fault that is none", "%v: rule %d of %v", f, i+1, s.text)
			case !changes[i] && f.Fault == "" && !last && !slices.ContainsFunc(p.Rules[i:], func(r Rule) bool { return r.wide() }):
				require.Fail(t, "it changes nothing and is not found", "rule %d of %v", i+1, s.text)
			}
		}
		if n%10 == 0 {
			other, q := smallPolicy(t, rng)
			over := map[[2]int][]box{}
			for from := range smallZones {
				for to := range smallZones {
					for i := range q.Rules {
						if q.Rules[i].Action == "allow" {
							boxes, ok := q.over(p, i, smallZones[from], smallZones[to], noon)
							require.True(t, ok)
							over[[2]int{from, to}] = append(over[[2]int{from, to}], boxes...)
						}
					}
				}
			}
			each(func(x session) {
				require.Equal(t, other.allows(x, -1) && !s.allows(x, -1), x.in(over[[2]int{x.from, x.to}], q), "%v after %v: %v", other.text, s.text, x)
			})
		}
	}
}

// thousand is a policy of many rules as they grow over years.
func thousand(b testing.TB) *Policy {
	rng := rand.New(rand.NewPCG(1, 2))
	c := with(b)
	for i := range 1000 {
		c.Objects["policy/main"][setting.RowName("rules", i+1)] = fmt.Sprintf("%s from %s to %s source 10.%d.%d.0/24 destination 10.%d.%d.%d/32 service tcp/%d", []string{"allow", "allow", "deny"}[rng.IntN(3)],
			[]string{"office", "guests"}[rng.IntN(2)], "outside", rng.IntN(8), rng.IntN(40), rng.IntN(3), rng.IntN(20), rng.IntN(20), 1+rng.IntN(400))
	}
	return Of(c)
}

func BenchmarkAnalyseAThousandRules(b *testing.B) {
	p := thousand(b)
	for b.Loop() {
		p.Analyse(noon, nil)
	}
}

func BenchmarkDifferenceOfAThousandRules(b *testing.B) {
	p, q := thousand(b), thousand(b)
	q.Rules = q.Rules[1:]
	for b.Loop() {
		Differ(p, q, noon)
	}
}

// What a rule has inspected is part of what it says: one without stands not in for one with it.
func TestInspectionsAreNotTheSame(t *testing.T) {
	p := Of(network.Config{Objects: map[string]network.Settings{
		"security-zone/office": {"zone-vlans": "20"}, "security-zone/outside": {"interfaces": "wan1"}, "inspection/surf": {},
		setting.PolicyObject: {"rules/10": "allow from office to outside service tcp/443", "rules/20": "allow from office to outside service tcp/443 inspect surf",
			"rules/30": "allow from office to outside service tcp/80 inspect surf", "rules/40": "allow from office to outside service tcp/80 inspect surf"},
	}})
	found := p.Analyse(time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC), nil)
	require.Len(t, found, 3)
	assert.Equal(t, Finding{Rule: 20, Fault: Shadowed, By: []int{10}}, found[0])
	assert.Equal(t, Finding{Rule: 30, Fault: Redundant, By: []int{40}}, found[1])
	assert.Equal(t, Finding{Rule: 40, Fault: Redundant, By: []int{30}}, found[2])
}

// A session gets another destination before, and another source after the rules, by the first translation of each kind that fits.
func TestTranslate(t *testing.T) {
	p := Of(network.Config{Objects: map[string]network.Settings{
		"security-zone/office": {"zone-vlans": "20"}, "security-zone/outside": {"interfaces": "wan1"}, "address/inside": {"addresses": "10.0.0.0/8"},
		setting.PolicyObject: {"translations/10": "source from office to outside destination inside into nothing", "translations/20": "source to outside into 198.51.100.2",
			"translations/30": "destination from outside destination 198.51.100.80 service tcp/443 into 10.1.20.30 port 8443", "translations/40": "destination destination 198.51.100.80 into 10.1.20.31"},
	}})
	in := func(from, to, src, dst string, port uint16) Session {
		return Session{from, to, netip.MustParseAddr(src), netip.MustParseAddr(dst), "tcp", port}
	}
	s, by := p.Translate(setting.TranslatesSource, in("office", "outside", "10.1.20.7", "10.2.20.7", 80))
	assert.Equal(t, 10, by.Number)
	assert.Equal(t, "10.1.20.7", s.Source.String(), "it keeps its own")
	s, by = p.Translate(setting.TranslatesSource, in("office", "outside", "10.1.20.7", "203.0.113.80", 80))
	assert.Equal(t, 20, by.Number)
	assert.Equal(t, "198.51.100.2", s.Source.String())
	s, by = p.Translate(setting.TranslatesDestination, in("outside", "", "203.0.113.9", "198.51.100.80", 443))
	assert.Equal(t, 30, by.Number)
	assert.Equal(t, "10.1.20.30:8443", netip.AddrPortFrom(s.Destination, s.Port).String())
	s, by = p.Translate(setting.TranslatesDestination, in("outside", "", "203.0.113.9", "198.51.100.80", 80))
	assert.Equal(t, 40, by.Number)
	assert.Equal(t, "10.1.20.31:80", netip.AddrPortFrom(s.Destination, s.Port).String())
	_, by = p.Translate(setting.TranslatesDestination, in("outside", "", "203.0.113.9", "198.51.100.81", 80))
	assert.Nil(t, by)
	assert.True(t, p.Hides())
	for address, known := range map[string]bool{"203.0.113.9": true, "10.1.2.3": false, "100.64.0.9": false, "192.168.1.1": false, "fd00::1": false, "2001:db8::1": true, "127.0.0.1": false} {
		assert.Equal(t, known, Known(netip.MustParseAddr(address)), address)
	}
}
