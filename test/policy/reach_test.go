package policy_test

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/race"
	"example.net/everypost/internal/testing/rig"
)

var services = []struct {
	protocol string
	port     int
}{{"tcp", 443}, {"tcp", 554}, {"tcp", 445}, {"tcp", 3389}, {"udp", 5060}, {"udp", 53}, {"icmp", 0}}

// stations are those of which an address is known, that are there.
func stations(t *testing.T, r *rig.Rig) (out []v1.NetworkClient) {
	t.Helper()
	require.Eventually(t, func() bool {
		list, err := r.Clients(t.Context(), client.Query{Limit: 1000})
		require.NoError(t, err)
		out = nil
		for _, c := range list.Items {
			if c.Here && c.Address != "" {
				out = append(out, c)
			}
		}
		return len(out) > 60
	}, rig.WaitLong, rig.WaitStep)
	return out
}

// asker asks whether stations reach each other, and holds the answers against what a frame does in the simulated world.
type asker struct {
	r                *rig.Rig
	rng              *rand.Rand
	abroad, senders  []string // addresses of nobody who is seen as a station, to whom and by whom is sent
	answers, outside map[bool]int
}

// threeSites starts the firewalls, edges and switches of three sites, each with its own.
func threeSites(t *testing.T, seed uint64) *asker {
	t.Helper()
	r := rig.StartPart(t, "hh-edge-01", "northgate", "harbour-house", "oyster-landing")
	r.AwaitAll(t)
	devices, err := r.Devices(t.Context(), client.Query{Limit: 100})
	require.NoError(t, err)
	for _, d := range devices.Items {
		site := map[string]string{"ng": "northgate", "hh": "harbour-house", "ol": "oyster-landing"}[d.Name[:2]]
		require.NoError(t, r.PutSite(t.Context(), site, v1.SiteRequest{Title: site, Entry: d.Name[:2] + "-edge-01"}))
		require.NoError(t, r.Describe(t.Context(), d.Name, v1.DeviceDescription{Site: site}))
	}
	// one that is nobody's, two to which firewalls answer, and one behind a router
	abroad := []string{"203.0.113.80", "198.51.100.80", "198.51.100.81", "172.20.16.10"}
	return &asker{r: r, rng: rand.New(rand.NewPCG(15, seed)), answers: map[bool]int{}, outside: map[bool]int{}, abroad: abroad, senders: abroad}
}

// ask asks so many questions of a network. Where both see it in motion, a question is asked again.
func (a *asker) ask(t *testing.T, questions int, what string) {
	t.Helper()
	list := stations(t, a.r)
	pick := func(outside int, abroad []string) v1.NetworkClient {
		if a.rng.IntN(outside) == 0 {
			address := abroad[a.rng.IntN(len(abroad))]
			return v1.NetworkClient{MAC: address, Address: address}
		}
		return list[a.rng.IntN(len(list))]
	}
	for range questions {
		from, to, s := pick(6, a.senders), pick(4, a.abroad), services[a.rng.IntN(len(services))]
		if from.MAC == to.MAC {
			continue
		}
		var got v1.Reach
		assert.Eventually(t, func() bool {
			var err error
			got, err = a.r.Reach(t.Context(), v1.ReachRequest{From: from.MAC, To: to.MAC, Protocol: s.protocol, Port: s.port})
			require.NoError(t, err)
			return (got.Verdict == "passes") == a.r.World.Reaches(from.Address, to.Address, s.protocol, s.port)
		}, rig.WaitLong, rig.WaitStep, "%s: %s to %s by %s/%d", what, from.Address, to.Address, s.protocol, s.port)
		if t.Failed() {
			for _, h := range got.Hops {
				t.Log(h)
			}
			t.Fatalf("%s, %s", got.Verdict, got.Why)
		}
		a.answers[got.Verdict == "passes"]++
		if from.MAC == from.Address || to.MAC == to.Address {
			a.outside[got.Verdict == "passes"]++
		}
	}
}

// The answer to whether one station reaches another equals what a frame does in the simulated world, which shares no code with it: as the network
// is, after cables were cut, and after VLANs and rules were changed.
func TestReachEqualsWhatAFrameDoes(t *testing.T) {
	t.Parallel()
	a := threeSites(t, 7)
	r := a.r
	a.ask(t, race.Fewer(120, 25), "as it is")
	r.PushAndKeep(t, r.Draft(t, [3]string{"ng-fw-01:policy/main", "rules/55", "allow from office,voice to any log on"}, [3]string{"ol-fw-01:policy/main", "rules/55", "allow from outside to voice,office"}))
	a.ask(t, race.Fewer(80, 15), "more rules")
	require.NoError(t, r.World.Throw(standin.Cut, "ng-sw-01:1/1/49"))
	a.ask(t, race.Fewer(60, 12), "a cable cut")
	desk := ""
	for _, c := range stations(t, r) {
		if c.VLAN == 20 && strings.HasPrefix(c.Device, "ol-") {
			desk = c.Address
		}
	}
	require.NotEmpty(t, desk)
	r.PushAndKeep(t, r.Draft(t, [3]string{"ol-fw-01:policy/main", "translations/40", "destination from outside destination 198.51.100.81 service tcp/445 into " + desk + " port 3389"},
		[3]string{"ol-fw-01:policy/main", "translations/5", "source from crew,guests into nothing"},
		[3]string{"hh-fw-01:policy/main", "translations/5", "destination from office destination 203.0.113.80 into 10.1.20.30"}))
	a.ask(t, race.Fewer(120, 25), "more translations")
	require.NoError(t, r.World.Throw(standin.PowerLoss, "ng-edge-01"))
	a.ask(t, race.Fewer(60, 12), "an edge dead, and its tunnels")
	some := race.Fewer(10, 1)
	assert.Greater(t, a.outside[true], some, "some pass to and from outside")
	assert.Greater(t, a.outside[false], some, "some do not")
	assert.Greater(t, a.answers[true], some, "some pass")
	assert.Greater(t, a.answers[false], some, "some do not")
}

// So it is on networks as they come: each with rules and translations by chance on the firewalls, and with a cable of a switch cut.
func TestReachOnNetworksAsTheyCome(t *testing.T) {
	t.Parallel()
	a := threeSites(t, 50)
	a.senders = a.abroad[:3] // of who is behind a router that is cut off nothing is known; the world takes him for somebody in the internet
	var cables []string
	for _, c := range a.r.World.Cables() {
		if strings.Contains(c[0], "-sw-") && strings.Contains(c[1], "-sw-") {
			cables = append(cables, c[0])
		}
	}
	require.NotEmpty(t, cables)
	slices.Sort(cables)
	for n := range race.Fewer(12, 2) {
		var edits [][3]string
		for _, fw := range []string{"ng-fw-01", "hh-fw-01", "ol-fw-01"} {
			edits = append(edits, [3]string{fw + ":policy/main", "rules/" + strconv.Itoa(51+a.rng.IntN(9)), a.rule()})
			if a.rng.IntN(3) == 0 {
				edits = append(edits, [3]string{fw + ":policy/main", "rules/" + strconv.Itoa(1+a.rng.IntN(9)), a.rule()})
			}
		}
		said := fmt.Sprintf("network %d, with %q", n, edits)
		pushAll(t, a.r, a.r.Draft(t, edits...).Number)
		cable := cables[a.rng.IntN(len(cables))]
		require.NoError(t, a.r.World.Throw(standin.Cut, cable))
		a.ask(t, race.Fewer(50, 12), said+" and without "+cable)
		require.NoError(t, a.r.World.Throw(standin.Mend, cable))
		a.r.AwaitAll(t)
	}
	assert.NotZero(t, a.answers[true])
	assert.NotZero(t, a.answers[false])
}

// rule is a rule by chance.
func (a *asker) rule() string {
	zones := []string{"any", "outside", "office", "voice", "office,voice", "crew,guests", "tickets", "cameras"}
	one := func(list []string) string { return list[a.rng.IntN(len(list))] }
	out := one([]string{"allow", "allow", "deny", "reject"}) + " from " + one(zones) + " to " + one(zones)
	if a.rng.IntN(3) == 0 {
		out += " destination " + one([]string{"10.1.0.0/16", "10.3.20.0/24", "10.7.0.0/16", "203.0.113.0/24"})
	}
	if a.rng.IntN(2) == 0 {
		s := services[a.rng.IntN(len(services)-1)]
		out += fmt.Sprintf(" service %s/%d", s.protocol, s.port)
	}
	return out
}

// A question is asked of a draft before anything is sent; of what nobody saw it is said that nobody knows; what is no question is refused.
func TestReachOfADraft(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	list := stations(t, r)
	var phone, desk v1.NetworkClient
	for _, c := range list {
		switch c.VLAN {
		case 30:
			phone = c
		case 20:
			desk = c
		}
	}
	in := v1.ReachRequest{From: phone.Address, To: desk.MAC, Protocol: "tcp", Port: 80}
	got, err := r.Reach(t.Context(), in)
	require.NoError(t, err)
	assert.Equal(t, "stops", got.Verdict)
	assert.Contains(t, got.Why, "ng-fw-01: no rule fits it from voice to office")
	c := r.Draft(t, [3]string{policy, "rules/15", "allow from voice to office service web"})
	in.Change = c.Number
	got, err = r.Reach(t.Context(), in)
	require.NoError(t, err)
	assert.Equal(t, "passes", got.Verdict)
	decides := got.Hops[len(got.Hops)-1]
	for _, h := range got.Hops {
		if h.Object != "" {
			decides = h
		}
	}
	assert.Equal(t, v1.ReachHop{Device: "ng-fw-01", Verdict: "passes", What: "rule 15 lets it pass from voice to office", Object: "policy/main", Table: "rules", Row: 15, Line: "allow from voice to office service web"}, decides)
	in.Change = 0
	in.To = "10.9.9.9"
	got, err = r.Reach(t.Context(), in)
	require.NoError(t, err)
	assert.NotEqual(t, "passes", got.Verdict)
	for says, bad := range map[string]v1.ReachRequest{
		"name the port of tcp":   {From: phone.Address, To: desk.Address, Protocol: "tcp"},
		"is called so":           {From: "nobody", To: desk.Address, Protocol: "icmp"},
		"end station 02:00:00":   {From: "02:00:00:00:00:01", To: desk.Address, Protocol: "icmp"},
		"expected value to be":   {From: phone.Address, To: desk.Address, Protocol: "gre"},
		"expected number <= 655": {From: phone.Address, To: desk.Address, Protocol: "tcp", Port: 70000},
		"change 999":             {From: phone.Address, To: desk.Address, Protocol: "tcp", Port: 80, Change: 999},
	} {
		_, err := r.Reach(t.Context(), bad)
		require.Error(t, err, says)
		assert.Contains(t, err.Error(), says)
	}
	// Who may not see the firewall is not told what it says.
	near := r.Confine(t, "bram", "operator", "name in (ng-sw-01,ng-sw-02,ng-edge-01)")
	got, err = near.Reach(t.Context(), v1.ReachRequest{From: phone.MAC, To: desk.MAC, Protocol: "tcp", Port: 80})
	require.NoError(t, err)
	assert.Equal(t, [2]string{"stops", "it ends at what you may not see"}, [2]string{got.Verdict, got.Why})
	for _, h := range got.Hops {
		assert.NotContains(t, h.Device+h.What+h.Line, "ng-fw-01")
	}
	away := r.Confine(t, "esker", "operator", "name = ng-ap-01")
	_, err = away.Reach(t.Context(), v1.ReachRequest{From: phone.MAC, To: desk.MAC, Protocol: "tcp", Port: 80})
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "end station")

	said := rig.SignedIn(t, r)
	out := said.Run("", "reach", phone.Address, desk.Address, "tcp/80")
	assert.Equal(t, 3, out.Code)
	assert.Contains(t, out.Err, "no rule fits it from voice to office")
	assert.Contains(t, said.Run("", "reach", phone.Address, desk.Address, "tcp/80", "--change", "1").Err, "It passes")
	assert.Equal(t, 2, said.Run("", "reach", phone.Address, desk.Address, "http").Code)
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/policies?view=reach&from="+phone.Address), browser.Shows("Can one reach the other?"),
		browser.Type(`input[placeholder="10.1.50.10"]`, desk.Address), browser.Replace(`input[aria-label="Port"]`, "80"), browser.Press("Can it?"), browser.Shows("It does not pass"),
		browser.Press("as draft 1 makes it"), browser.Press("Can it?"), browser.Shows("rule 15 lets it pass from voice to office"),
	))
	assert.Empty(t, b.Complaints)
}
