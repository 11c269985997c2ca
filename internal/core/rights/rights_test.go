package rights

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/catalog"
	"example.net/everypost/internal/core/network"
)

func rules(t require.TestingT, texts ...string) []Rule {
	out := make([]Rule, len(texts))
	for i, text := range texts {
		r, err := ParseRule(text)
		require.NoError(t, err, text)
		out[i] = r
	}
	return out
}

func where(t *testing.T, g Grants, v Verb, f Feature) string {
	t.Helper()
	e, some := g.Of(v, f)
	if !some {
		return "nowhere"
	}
	if e.String() == "" {
		return "everywhere"
	}
	return e.String()
}

func TestRulesComeTo(t *testing.T) {
	for name, tc := range map[string]struct {
		rules []string
		only  string
		want  map[need]string
	}{
		"nothing": {want: map[need]string{{See, Devices}: "nowhere"}},
		"everything": {rules: []string{"allow everything on everything"},
			want: map[need]string{{See, Audit}: "everywhere", {Administer, People}: "everywhere", {Change, Ports}: "everywhere", {Change, Audit}: "nowhere"}},
		"verbs stand alone": {rules: []string{"allow operate on devices"}, want: map[need]string{{See, Devices}: "nowhere", {Operate, Devices}: "everywhere"}},
		"a place": {rules: []string{"allow see on everything where site = kelp-bay"},
			want: map[need]string{{See, Devices}: "site = kelp-bay", {See, Ports}: "site = kelp-bay", {See, Audit}: "nowhere", {See, Groups}: "nowhere"}},
		"two places": {rules: []string{"allow see on devices where site = kelp-bay", "allow see on devices where kind = switch"},
			want: map[need]string{{See, Devices}: "site = kelp-bay or kind = switch"}},
		"here and everywhere": {rules: []string{"allow see on devices where site = kelp-bay", "allow see on everything"}, want: map[need]string{{See, Devices}: "everywhere"}},
		"a denial wins":       {rules: []string{"deny see on audit", "allow see on everything"}, want: map[need]string{{See, Audit}: "nowhere", {See, Devices}: "everywhere"}},
		"a denial of a place": {rules: []string{"allow everything on everything", "deny change on ports where tag = critical"},
			want: map[need]string{{Change, Ports}: "not tag = critical", {See, Ports}: "everywhere"}},
		"what is denied of devices is not denied of their sites": {rules: []string{"allow see on everything", "deny see on everything where kind = firewall"},
			want: map[need]string{{See, Devices}: "not kind = firewall", {See, Ports}: "not kind = firewall", {See, Clients}: "not kind = firewall", {See, Sites}: "everywhere", {See, People}: "everywhere"}},
		"a confined person": {rules: []string{"allow everything on everything"}, only: "site = kelp-bay",
			want: map[need]string{{See, Devices}: "site = kelp-bay", {Administer, People}: "nowhere", {Operate, Discovery}: "nowhere", {See, Groups}: "everywhere", {Operate, Groups}: "nowhere"}},
		"a confined person of a confined role": {rules: []string{"allow see on devices where kind = switch or kind = edge"}, only: "site = kelp-bay",
			want: map[need]string{{See, Devices}: "(kind = switch or kind = edge) and site = kelp-bay"}},
	} {
		t.Run(name, func(t *testing.T) {
			only, err := ParseWhere(tc.only)
			require.NoError(t, err)
			g, err := Compile(rules(t, tc.rules...), only)
			require.NoError(t, err)
			for n, want := range tc.want {
				assert.Equal(t, want, where(t, g, n.verb, n.feature), "%s %s", n.verb, n.feature)
			}
		})
	}
}

func TestRulesThatAreRefused(t *testing.T) {
	for text, want := range map[string]string{
		"permit see on devices":                      "a rule reads like",
		"allow see":                                  "a rule reads like",
		"allow look on devices":                      "there is no verb `look`: there are see, change, operate, administer",
		"allow see on gadgets":                       "there is no feature `gadgets`",
		"allow change on audit":                      "there is nothing to change on audit",
		"allow see on audit where site = kelp-bay":   "lie nowhere in the network",
		"allow see on devices where side = kelp-bay": "unknown field `side`",
		"allow see on devices where gate camera":     "a bare word in it",
		"allow see on devices where group = cameras": "must not depend on who may edit groups",
		"deny see on sites where kind = firewall":    "cannot ask for properties of their parts",
	} {
		_, err := ParseRule(text)
		assert.ErrorContains(t, err, want, text)
	}
}

func TestRuleIsReadAsItIsWritten(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		r := Rule{Effect: rapid.SampledFrom([]Effect{Allow, Deny}).Draw(t, "effect"),
			Where: rapid.SampledFrom([]string{"", "site = kelp-bay", `name = "on where"`}).Draw(t, "where")}
		r.Verbs = append(r.Verbs, rapid.SliceOfNDistinct(rapid.SampledFrom(Verbs()), 0, 3, func(v Verb) Verb { return v }).Draw(t, "verbs")...)
		placed := rapid.SliceOfNDistinct(rapid.SampledFrom([]Feature{Devices, Ports, Clients}), 0, 3, func(f Feature) Feature { return f }).Draw(t, "features")
		r.Features = append(r.Features, placed...)
		if r.Check() != nil {
			return
		}
		again, err := ParseRule(r.String())
		require.NoError(t, err)
		assert.Equal(t, r, again)
	})
}

func TestReadyRolesAreGood(t *testing.T) {
	for _, r := range Ready() {
		require.NoError(t, r.Check(), r.Name)
		g, err := Compile(r.Rules, nil)
		require.NoError(t, err)
		assert.NotEmpty(t, g.List(), r.Name)
		assert.Subset(t, g.List(), g.OnlySee().List())
		for _, grant := range g.OnlySee().List() {
			assert.Equal(t, See, grant.Verb)
		}
	}
}

func TestRoleCheck(t *testing.T) {
	good := Role{Name: "pier-hand", Rules: rules(t, "allow see on devices")}
	require.NoError(t, good.Check())
	for want, change := range map[string]func(*Role){
		"small letters":      func(r *Role) { r.Name = "Pier Hand" },
		"may do nothing":     func(r *Role) { r.Rules = nil },
		"rule 1: there is":   func(r *Role) { r.Rules = []Rule{{Effect: Allow, Verbs: []Verb{"look"}}} },
		"at most 50 rules":   func(r *Role) { r.Rules = make([]Rule, 51) },
		"at most 200 charac": func(r *Role) { r.Title = string(make([]rune, 201)) },
	} {
		bad := good
		change(&bad)
		assert.ErrorContains(t, bad.Check(), want)
	}
}

// What a list shows within a grant is what the grant holds of one by one.
func TestListsShowWhatIsGranted(t *testing.T) {
	var n catalog.Net
	n.SetSites([]network.Site{{Name: "kelp-bay"}, {Name: "northgate"}})
	for i, d := range []struct{ name, site, tag string }{{"kb-sw-01", "kelp-bay", ""}, {"kb-sw-02", "kelp-bay", "critical"}, {"ng-sw-01", "northgate", ""}} {
		r := catalog.Record{Name: d.name, Address: "10.0.0." + string(rune('1'+i)) + ":830"}
		if d.tag != "" {
			r.Tags = []string{d.tag}
		}
		n.Put(catalog.NewDevice(r, catalog.Sight{Reach: network.ReachConnected, Config: network.Config{Ports: map[string]network.PortConfig{"1": {Mode: network.Access, AccessVLAN: 90}, "2": {}}}},
			n.Site(d.site), func(string) string { return "" }))
	}
	g, err := Compile(rules(t, "allow see on everything where site = kelp-bay", "deny see on everything where tag = critical", "deny see on ports where port.vlan = 90"), nil)
	require.NoError(t, err)
	within, some := g.Of(See, Devices)
	require.True(t, some)
	got := n.Devices(catalog.Query{Within: within, Limit: 10})
	require.Len(t, got.Rows, 1)
	assert.Equal(t, "kb-sw-01", got.Rows[0].Name)
	assert.Equal(t, 1, got.All, "what one may not see does not count")

	ports, _ := g.Of(See, Ports)
	list := n.Ports(catalog.Query{Within: ports, Limit: 10})
	require.Len(t, list.Rows, 1)
	assert.Equal(t, "2", list.Rows[0].Ref.Port)
	vlan, err := catalog.Network.Parse("port.vlan = 90")
	require.NoError(t, err)
	assert.Zero(t, n.Ports(catalog.Query{Within: ports, Where: vlan, Limit: 10}).Total, "what is hidden cannot be asked for")

	sites, _ := g.Of(See, Sites)
	assert.Equal(t, 1, n.Sites(catalog.Query{Within: sites, Limit: 10}).All)
	for _, name := range []string{"kb-sw-01", "kb-sw-02", "ng-sw-01"} {
		d, _ := n.Device(name)
		assert.Equal(t, name == "kb-sw-01", n.HoldsDevice(d, within, time.Time{}), name)
	}
}
