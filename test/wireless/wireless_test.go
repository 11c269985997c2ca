// Package wireless_test drives wireless networks: who joins them, who does not and why, and on which channels radios send.
package wireless_test

import (
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
	"example.net/everypost/internal/testing/rig"
)

// The stations of the rig's access point, and what they know.
const (
	ap       = "th-ap-01"
	laptop   = "02:a1:30:00:00:01" // is known to the RADIUS server of the house
	handheld = "02:a1:50:00:00:02" // knows the passphrase of the crew
	guest    = "02:a1:60:00:00:03" // knows nothing
	crane    = "02:a1:70:00:00:04" // knows another passphrase
)

// start is a rig of which the access point has stations.
func start(t *testing.T) *rig.Rig { return startWith(t, standin.Options{}) }

func startWith(t *testing.T, o standin.Options) *rig.Rig {
	t.Helper()
	plant := standin.TernHaven()
	host := func(name, mac, radio, ssid, knows, ip string) {
		plant.Hosts = append(plant.Hosts, standin.HostSpec{Name: name, MAC: mac, At: ap + ":" + radio, RateBps: 400_000, SSID: ssid, Credential: knows, IP: ip, Stays: true})
	}
	host("laptop 1", laptop, "radio1", "Lantern Office", standin.Staff, "10.20.20.61")
	host("handheld 2", handheld, "radio1", "Lantern Crew", "tide and timber", "10.20.70.62")
	host("guest 3", guest, "radio0", "Lantern Passengers", "", "10.20.80.63")
	host("crane 4", crane, "radio1", "Lantern Crew", "hook and chain", "10.20.70.64")
	o.User, o.Password = rig.DeviceUser, rig.DevicePassword
	w, err := standin.New(plant, o)
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	return rig.Start(t, w)
}

// at waits until the stations of the access point, by hardware address, are in these VLANs.
func at(t *testing.T, r *rig.Rig, want map[string]int) {
	t.Helper()
	var got map[string]int
	require.Eventually(t, func() bool {
		d, err := r.Device(t.Context(), ap)
		require.NoError(t, err)
		got = map[string]int{}
		if d.Inside != nil {
			for _, s := range d.Inside.Stations {
				got[s.MAC] = int(s.VLAN)
			}
		}
		return assert.ObjectsAreEqual(want, got)
	}, rig.WaitLong, rig.WaitStep, "%v and not %v", &got, want)
}

// why waits until a station is refused, and tells why.
func why(t *testing.T, r *rig.Rig, mac, want string) {
	t.Helper()
	var got string
	require.Eventually(t, func() bool {
		list, err := r.Refusals(t.Context(), "")
		require.NoError(t, err)
		got = ""
		for _, x := range list.Items {
			if x.MAC == mac {
				got = x.Why
			}
		}
		return got == want
	}, rig.WaitLong, rig.WaitStep, "%s: %s and not %s", mac, &got, want)
}

// push puts what is set into force, whatever the guards warn of, and returns what they said.
func push(t *testing.T, r *rig.Rig, on string, set map[string]string) (said []string) {
	t.Helper()
	answer, err := r.Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{{On: []string{on}, Set: set}}})
	require.NoError(t, err)
	require.NotNil(t, answer.Change, "%v", answer.Results)
	c, err := r.Check(t.Context(), answer.Change.Number)
	require.NoError(t, err)
	var accept []string
	for _, f := range c.Findings {
		require.NotEqual(t, "stop", f.Level, f.What)
		said = append(said, f.ID)
		if f.Level == "warn" {
			accept = append(accept, f.ID)
		}
	}
	_, err = r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60, Accept: accept})
	require.NoError(t, err)
	r.Until(t, c.Number, "on-trial")
	_, err = r.Keep(t.Context(), c.Number)
	require.NoError(t, err)
	r.Until(t, c.Number, "kept")
	return said
}

// Stations join with what a network asks for, for every kind of security, and not without; why not is told.
func TestWhoJoins(t *testing.T) {
	t.Parallel()
	r := start(t)
	everybody := map[string]int{laptop: 20, handheld: 70, guest: 80}
	at(t, r, everybody)
	why(t, r, crane, "wrong-passphrase")
	crew := ap + ":wlan/crew"

	// A further passphrase lets in whom it is for, into a VLAN of its own, until its last day.
	push(t, r, ap+":passphrase/crane", map[string]string{"present": "on", "wlan": "crew", "passphrase": "hook and chain", "wlan-vlan": "20"})
	at(t, r, map[string]int{laptop: 20, handheld: 70, guest: 80, crane: 20})
	push(t, r, ap+":passphrase/crane", map[string]string{"until": "2020-12-31"})
	at(t, r, everybody)
	why(t, r, crane, "ended-passphrase")

	// Another passphrase loses who has the old one, and that is told before.
	said := push(t, r, crew, map[string]string{"passphrase": "hook and chain"})
	assert.Contains(t, said, "wireless:"+ap+":lost")
	at(t, r, map[string]int{laptop: 20, guest: 80, crane: 70})
	why(t, r, handheld, "wrong-passphrase")
	push(t, r, crew, map[string]string{"passphrase": "tide and timber", "security": "wpa3-personal"})
	why(t, r, handheld, "security")
	at(t, r, map[string]int{laptop: 20, guest: 80})
	push(t, r, crew, map[string]string{"security": "wpa2-personal"})
	at(t, r, everybody)
	push(t, r, ap+":passphrase/crane", map[string]string{"present": "off"})
	push(t, r, crew, map[string]string{"security": "owe"})
	why(t, r, handheld, "security") // who knows a network as one that asks does not fall for less
	push(t, r, crew, map[string]string{"security": "wpa2-wpa3-personal"})

	// Nobody says who may join where no RADIUS server answers.
	push(t, r, ap+":wlan/office", map[string]string{"wlan-radius": "10.1.10.99"})
	why(t, r, laptop, "no-answer")
	push(t, r, ap+":wlan/office", map[string]string{"wlan-radius": "10.1.10.99,10.1.10.6", "security": "wpa3-enterprise"})
	at(t, r, everybody)

	// In one band only, and not at all.
	push(t, r, ap+":wlan/passengers", map[string]string{"bands": "5"})
	at(t, r, map[string]int{laptop: 20, handheld: 70})
	push(t, r, ap+":wlan/passengers", map[string]string{"bands": "all", "offered": "off"})
	push(t, r, ap+":wlan/office", map[string]string{"wlan-vlan": "70"})
	at(t, r, map[string]int{laptop: 70, handheld: 70})
	// Its radio is off.
	push(t, r, ap+":radio1", map[string]string{"enabled": "off"})
	at(t, r, map[string]int{})
}

func TestWirelessByCommand(t *testing.T) {
	t.Parallel()
	r := start(t)
	c := rig.SignedIn(t, r)
	at(t, r, map[string]int{laptop: 20, handheld: 70, guest: 80})
	list := c.Good("wireless").Out
	assert.Regexp(t, `crew +Lantern Crew +wpa2-wpa3-personal +70 +2\.4, 5 +1 +1 `, list)
	assert.Regexp(t, `office +Lantern Office +wpa2-enterprise +20 +2\.4, 5 +1 +1 `, list)
	assert.Regexp(t, `th-ap-01:radio1 +tern-haven +5 +\d+ \(own\) +80 +19 `, c.Good("radios").Out)
	assert.Contains(t, c.Good("wireless", "site = nowhere").Err, "No access point there offers a network.")

	assert.Regexp(t, crane+` +\S*.*Lantern Crew +th-ap-01:radio1 .*It has another passphrase than the network\.`, c.Good("refused").Out)
	stops := c.Run("", "joining", strings.ToUpper(crane))
	assert.Equal(t, 7, stops.Code)
	assert.Contains(t, stops.Err, `does not get beyond "let-in"`)
	assert.Regexp(t, `let-in +✗ +It has another passphrase`, stops.Out)
	assert.Regexp(t, `addressed +✓ +It has the address 10\.20\.70\.62\.`, c.Good("joining", handheld).Out)
	assert.Equal(t, 3, c.Run("", "joining", "the laptop").Code)

	// A network for all access points that a selector picks, as a template.
	made := c.Run("pier lamps 7\n", "wireless", "offer", "pier", "--ssid", "Lantern Pier", "--vlan", "70", "--rate", "5M", "--apart", "--where", "kind = access-point")
	require.Equal(t, 0, made.Code, made.Err)
	changes, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	ch, err := r.Check(t.Context(), changes.Items[0].Number)
	require.NoError(t, err)
	r.PushAndKeep(t, ch)
	assert.Regexp(t, `pier +Lantern Pier +wpa2-wpa3-personal +70 `, c.Good("wireless").Out)
	assert.Regexp(t, `wlan-pier .*kind = access-point`, c.Good("templates").Out)
	assert.NotContains(t, c.Good("template", "show", "wlan-pier").Out, "pier lamps 7")

	code := c.Run("pier lamps 7\n", "wireless", "code", "pier", "-o", "json")
	assert.Contains(t, code.Out, `WIFI:T:WPA;S:Lantern Pier;P:pier lamps 7;;`)
	assert.Contains(t, c.Good("wireless", "code", "passengers").Out, "█")
	no := c.Run("", "wireless", "code", "office")
	assert.Equal(t, 3, no.Code)
	assert.Contains(t, no.Err, "no code can hold that")

	for said, args := range map[string][]string{
		"at most 32 octets, this one has 33":  {"port", "set", ap + ":wlan/crew", "ssid=" + strings.Repeat("⚓", 11)},
		"8 to 63 characters, this one has 7":  {"port", "set", ap + ":wlan/crew", "passphrase=lamp-7."},
		"printable characters of ASCII only":  {"port", "set", ap + ":wlan/crew", "passphrase=lämpchen am kai"},
		"is not one of open, owe":             {"port", "set", ap + ":wlan/crew", "security=wep"},
		"is no band: there are 2.4, 5 and 6":  {"port", "set", ap + ":wlan/crew", "bands=7"},
		`the rules of "XX" are not known`:     {"port", "set", ap, "country=xx"},
		"is no radio of an access point":      {"port", "set", ap + ":eth0", "channel=6"},
		"is not a number from 1 to 233":       {"port", "set", ap + ":radio1", "channel=900"},
		"the device has no wireless networks": {"port", "set", "th-sw-01:wlan/crew", "present=on"},
		`unknown field`:                       {"radios", "plan", "colour = red"},
	} {
		bad := c.Run("", args...)
		assert.NotEqual(t, 0, bad.Code, said)
		assert.Contains(t, bad.Err+bad.Out, said)
	}
	for part, set := range map[string]map[string]string{
		"wireless:th-ap-01:wlan/dock:ssid": {"present": "on", "ssid": "Lantern Crew", "security": "owe", "wlan-vlan": "80"},
		"wireless:th-ap-01:wlan/dock:vlan": {"present": "on", "ssid": "Dock", "security": "owe", "wlan-vlan": "77"},
	} {
		answer, err := r.Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{{On: []string{ap + ":wlan/dock"}, Set: set}}})
		require.NoError(t, err)
		bad, err := r.Check(t.Context(), answer.Change.Number)
		require.NoError(t, err)
		require.NotEmpty(t, bad.Findings)
		assert.Equal(t, "stop "+part, bad.Findings[0].Level+" "+bad.Findings[0].ID)
	}
}

// Who may see what of the air: a confined person neither sees access points elsewhere nor who is refused at them.
func TestWhoMaySeeTheAir(t *testing.T) {
	t.Parallel()
	r := start(t)
	why(t, r, crane, "wrong-passphrase")
	afar := r.Confine(t, "esker", "operator", "site = harbour-house")
	networks, err := afar.WirelessNetworks(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, networks.Items)
	refusals, err := afar.Refusals(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, refusals.Items)
	plan, err := afar.PlanChannels(t.Context(), "", "5")
	require.NoError(t, err)
	assert.Empty(t, plan.Items)
	steps, err := afar.Joining(t.Context(), crane)
	require.NoError(t, err)
	assert.Contains(t, steps.Items[0].Says, "No access point has it", "as if there were none")
	require.NoError(t, r.PutRole(t.Context(), "bare", v1.RoleRequest{Title: "sees devices only", Rules: []v1.Rule{{Sentence: "allow see on devices, sites"}}}))
	bare := r.As(t, "coral", "bare")
	_, err = bare.Refusals(t.Context(), "")
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "see clients")
	radios, err := bare.Radios(t.Context(), "")
	require.NoError(t, err)
	assert.Len(t, radios.Items, 2)
	_, text := r.Asks(t, r.Token, http.MethodGet, "/api/v1/devices/"+ap+"/configuration", "")
	assert.NotContains(t, text, "tide and timber")
}

// A blocked station gets nowhere, in the air and on a wire, until it passes again; a device of the house is not blocked.
func TestABlockedStationGetsNowhere(t *testing.T) {
	t.Parallel()
	r := start(t)
	c := rig.SignedIn(t, r)
	at(t, r, map[string]int{laptop: 20, handheld: 70, guest: 80})
	assert.Contains(t, c.Good("blocked").Err, "No station is blocked.")
	const wired = "02:4c:53:20:00:02" // at th-sw-01:1/1/2
	here := func(mac string) bool {
		list, err := r.Clients(t.Context(), client.Query{Where: "client.mac = " + strconv.Quote(mac)})
		require.NoError(t, err)
		return len(list.Items) == 1 && list.Items[0].Here
	}
	require.Eventually(t, func() bool { return here(wired) }, rig.WaitLong, rig.WaitStep)
	keep := func() {
		changes, err := r.Changes(t.Context(), "")
		require.NoError(t, err)
		ch, err := r.Check(t.Context(), changes.Items[0].Number)
		require.NoError(t, err)
		r.PushAndKeep(t, ch)
	}
	c.Good("client", "block", strings.ToUpper(handheld), "--why", "lost on the quay")
	keep()
	c.Good("client", "block", wired, "--until", "2099-12-31")
	keep()
	at(t, r, map[string]int{laptop: 20, guest: 80})
	why(t, r, handheld, "blocked")
	require.Eventually(t, func() bool { return !here(wired) }, rig.WaitLong, rig.WaitStep, "who is blocked is not seen")
	list := c.Good("blocked").Out
	assert.Regexp(t, handheld+`.* for good +lost on the quay +th-ap-01, th-sw-01, th-sw-02`, list)
	assert.Regexp(t, wired+`.* 2099-12-31 `, list)
	afar, err := r.Confine(t, "esker", "operator", "site = harbour-house").BlockedStations(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, afar.Items)

	c.Good("client", "unblock", wired)
	keep()
	require.Eventually(t, func() bool { return here(wired) }, rig.WaitLong, rig.WaitStep)
	assert.Equal(t, 3, c.Run("", "client", "unblock", wired).Code)

	bad := c.Run("", "client", "block", "the laptop")
	assert.Equal(t, 3, bad.Code)
	assert.Contains(t, bad.Err, "is not the hardware address of a station")
	assert.Contains(t, c.Run("", "client", "block", "01:00:5e:00:00:01").Err, "is not the hardware address of a station", "a group is none")
	d, err := r.Device(t.Context(), "th-sw-02")
	require.NoError(t, err)
	i := slices.IndexFunc(d.PortList, func(p v1.Port) bool { return p.Port == "1/1/25" })
	answer, err := r.Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{{On: []string{"th-sw-01:blocked/" + strings.ReplaceAll(d.PortList[i].MAC, ":", "-")}, Set: map[string]string{"present": "on"}}}})
	require.NoError(t, err)
	own, err := r.Check(t.Context(), answer.Change.Number)
	require.NoError(t, err)
	require.NotEmpty(t, own.Findings)
	assert.Equal(t, "stop", own.Findings[0].Level)
	assert.Contains(t, own.Findings[0].What, "which is th-sw-02:1/1/25")

	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/wireless?view=blocked"), browser.Shows("lost on the quay"), browser.Press("Let it pass"), browser.Shows("blocked/"+strings.ReplaceAll(handheld, ":", "-")),
	))
}

// One station is limited, at whichever access point it is: nobody else is, and it is let go again.
func TestOneStationIsLimited(t *testing.T) {
	t.Parallel()
	r := start(t)
	c := rig.SignedIn(t, r)
	at(t, r, map[string]int{laptop: 20, handheld: 70, guest: 80})
	assert.Contains(t, c.Good("limited").Err, "No station is limited.")
	bps := func(mac string) float64 {
		list, err := r.Clients(t.Context(), client.Query{Where: "client.mac = " + strconv.Quote(mac)})
		require.NoError(t, err)
		if len(list.Items) == 0 {
			return 0
		}
		if a := list.Items[0].Use; a != nil && a.UpBps != nil && a.DownBps != nil {
			return *a.UpBps + *a.DownBps
		}
		return 0
	}
	const much = 100_000
	require.Eventually(t, func() bool { return bps(laptop) > much && bps(guest) > much }, rig.WaitLong, rig.WaitStep)
	keep := func() {
		changes, err := r.Changes(t.Context(), "")
		require.NoError(t, err)
		ch, err := r.Check(t.Context(), changes.Items[0].Number)
		require.NoError(t, err)
		r.PushAndKeep(t, ch)
	}
	for says, args := range map[string][]string{"is not the hardware address of a station": {"the laptop", "2M"}, "is no rate": {laptop, "fast"}, "is no day": {laptop, "2M", "--until", "soon"}} {
		bad := c.Run("", append([]string{"client", "limit"}, args...)...)
		assert.NotZero(t, bad.Code, says)
		assert.NotEmpty(t, bad.Err, says)
	}
	_, err := r.Limit(t.Context(), laptop, v1.LimitRequest{})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, "rate: say what it may send")
	changes, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, changes.Items, "bad input changes nothing")

	c.Good("client", "limit", strings.ToUpper(laptop), "64k", "--why", "films in the waiting room")
	keep()
	require.Eventually(t, func() bool { b := bps(laptop); return b > 0 && b < 135_000 && bps(guest) > much }, rig.WaitLong, rig.WaitStep)
	assert.Regexp(t, laptop+`.* 64k +for good +films in the waiting room +th-ap-01`, c.Good("limited").Out)
	afar, err := r.Confine(t, "esker", "operator", "site = harbour-house").LimitedStations(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, afar.Items)
	_, err = r.As(t, "vera", "viewer").Limit(t.Context(), laptop, v1.LimitRequest{Rate: "1M"})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "change")

	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(chromedp.Navigate(r.Base+"/wireless?view=blocked"), browser.Shows("films in the waiting room"), browser.Press("Limit it no more"), browser.Shows("limited/"+strings.ReplaceAll(laptop, ":", "-"))))
	keep()
	require.Eventually(t, func() bool { return bps(laptop) > 140_000 }, rig.WaitLong, rig.WaitStep)
	assert.Equal(t, 3, c.Run("", "client", "unlimit", laptop).Code)
	assert.Empty(t, b.Complaints)
}

func TestWirelessByConsole(t *testing.T) {
	t.Parallel()
	r := start(t)
	why(t, r, crane, "wrong-passphrase")
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/wireless"), browser.Shows("Lantern Passengers"), browser.Shows("Not let in (1)"),
		browser.Press("Offer a network"), browser.Shows("it picks 1 devices"),
		browser.TypeInto("Name in the air", "Lantern Pier"), browser.TypeInto("Passphrase", "pier lamps 7"), browser.TypeInto("VLAN", "70"),
		browser.Press("Put it into a draft"), browser.Shows("wlan-lantern-pier"), browser.Until(`!document.body.innerText.includes("pier lamps 7")`),
		chromedp.Navigate(r.Base+"/wireless?view=refused"), browser.Press(crane), browser.Shows("It has another passphrase than the network."), browser.Shows("not got to"),
		chromedp.Navigate(r.Base+"/wireless?view=radios"), browser.Shows("th-ap-01:radio1"), browser.Press("Plan channels"), browser.Shows("No move is worth it."),
		chromedp.Navigate(r.Base+"/wireless"), browser.Shows("Lantern Passengers"), browser.On(`[...document.querySelectorAll("tr, [role=row]")].find(e => e.innerText.includes("Lantern Passengers"))?.querySelectorAll("button")[1]`, `e.click()`),
		browser.Until(`document.querySelector("svg[aria-label='Code to join Lantern Passengers'] path")`),
	))
}

// A channel plan for a place, put into force, leaves its radios more of their time, as they tell themselves.
func TestAChannelPlanIsPutIntoForce(t *testing.T) {
	t.Parallel()
	r := rig.StartPart(t, "ng-edge-01", "northgate")
	r.AwaitAll(t)
	busy := func() (sum int, channels map[string]int) {
		list, err := r.Radios(t.Context(), "")
		require.NoError(t, err)
		channels = map[string]int{}
		for _, x := range list.Items {
			if x.Band == "2.4" {
				sum += x.BusyPercent
				channels[x.Device] = x.Channel
			}
		}
		return sum, channels
	}
	require.Eventually(t, func() bool { n, _ := busy(); return n > 0 }, rig.WaitLong, rig.WaitStep)
	plan, err := r.PlanChannels(t.Context(), "", "2.4")
	require.NoError(t, err)
	require.NotEmpty(t, plan.Items)
	moves := map[string]int{}
	for _, m := range plan.Items {
		if m.After != m.Before {
			moves[m.Device] = m.After
		}
	}
	require.NotEmpty(t, moves)
	assert.Less(t, plan.BusyAfter, plan.BusyBefore)
	before, _ := busy()

	c := rig.SignedIn(t, r)
	said := c.Good("radios", "plan", "--band", "2.4", "--draft")
	assert.Contains(t, said.Err, "In the mean the channels are taken for")
	changes, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	ch, err := r.Check(t.Context(), changes.Items[0].Number)
	require.NoError(t, err)
	r.PushAndKeep(t, ch)
	var after int
	require.Eventually(t, func() bool {
		n, channels := busy()
		for device, channel := range moves {
			if channels[device] != channel {
				return false
			}
		}
		after = n
		return true
	}, rig.WaitLong, rig.WaitStep)
	t.Logf("busy: %d before, %d after", before, after)
	assert.Contains(t, c.Good("radios", "plan", "--band", "2.4", "--draft").Err, "No move is worth it")
}
