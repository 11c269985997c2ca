// Package guests_test drives how guests of wireless networks are received: a phone joins, is sent to a page, does what it asks for, and surfs.
package guests_test

import (
	"bytes"
	"fmt"
	"io/fs"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/operation"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/rig"
)

const (
	ap    = "th-ap-01"
	first = "02:a1:60:00:00:03"
	other = "02:a1:60:00:00:04"
	surf  = "http://weather.example/"
	terms = "Be kind to others."
)

// start is a rig whose access point has two phones in the network for passengers, and a portal before it.
func start(t *testing.T, p v1.GuestPortalRequest) *rig.Rig {
	t.Helper()
	plant := standin.TernHaven()
	for i, mac := range []string{first, other} {
		plant.Hosts = append(plant.Hosts, standin.HostSpec{Name: fmt.Sprintf("guest %d", i), MAC: mac, At: ap + ":radio0", RateBps: 400_000, SSID: "Lantern Passengers", IP: fmt.Sprintf("10.20.80.6%d", i), Stays: true})
	}
	w, err := standin.New(plant, standin.Options{User: rig.DeviceUser, Password: rig.DevicePassword})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	r := rig.Start(t, w)
	_, err = r.PutGuestPortal(t.Context(), "landing", p)
	require.NoError(t, err)
	before := phone(r, first)
	page, err := before.Get(t.Context(), surf)
	require.NoError(t, err)
	assert.Equal(t, "The world outside.\n", page.Text, "nobody is sent anywhere yet")
	require.Eventually(t, func() bool { // the stations are known, of which the guard tells
		d, err := r.Device(t.Context(), ap)
		return err == nil && d.Inside != nil && len(d.Inside.Stations) == 2
	}, rig.WaitLong, rig.WaitStep)
	answer, err := r.CarryGuestPortal(t.Context(), "landing", v1.PortalCarryRequest{Network: "passengers"})
	require.NoError(t, err)
	c, err := r.Check(t.Context(), answer.Change.Number)
	require.NoError(t, err)
	require.Equal(t, []string{"wireless:" + ap + ":wlan/passengers:held"}, rig.Findings(c))
	assert.Contains(t, c.Findings[0].What, "2 stations of Lantern Passengers on th-ap-01 would be sent to portal landing")
	_, err = r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60, Accept: rig.Findings(c)})
	require.NoError(t, err)
	r.Until(t, c.Number, "on-trial")
	_, err = r.Keep(t.Context(), c.Number)
	require.NoError(t, err)
	r.Until(t, c.Number, "kept")
	return r
}

func phone(r *rig.Rig, mac string) *standin.Phone { return r.World.Phone(mac) }

// opens has a phone open any page, which brings it to the portal.
func opens(t *testing.T, p *standin.Phone) standin.Page {
	t.Helper()
	page, err := p.Get(t.Context(), surf)
	require.NoError(t, err)
	return page
}

// guestsOf are those who came, by how they stand.
func guestsOf(t *testing.T, c *client.Client) (out []string) {
	t.Helper()
	list, err := c.Guests(t.Context(), client.GuestQuery{})
	require.NoError(t, err)
	for _, g := range list.Items {
		out = append(out, strings.TrimSpace(g.State+" "+g.Name))
	}
	return out
}

// A phone is told of the portal by DHCP (RFC 8910), asks whether it is let through (RFC 8908), is redirected besides, agrees, surfs, and is held again when
// its time is over.
func TestAGuestAgreesAndSurfs(t *testing.T) {
	t.Parallel()
	r := start(t, v1.GuestPortalRequest{Title: "Landing", Look: v1.PortalLook{Terms: terms, Heading: "Welcome <b>aboard</b>"}, Minutes: 90})
	p := phone(r, first)
	told, kind, err := p.Captive(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "application/captive+json", kind)
	assert.True(t, told.Captive)
	assert.True(t, strings.HasPrefix(told.Page, r.Guests.URL+"/landing?"))
	_, err = p.Get(t.Context(), "https://bank.example/")
	require.ErrorContains(t, err, "held at a portal", "nobody gets between a phone and its bank")

	page := opens(t, p)
	assert.Equal(t, "/landing", page.At.Path)
	assert.Contains(t, page.Text, "Welcome <b>aboard</b>", "what people write stays text")
	assert.Contains(t, page.Text, terms)
	no, err := p.Submit(t.Context(), page, nil)
	require.NoError(t, err)
	assert.Equal(t, http.StatusUnprocessableEntity, no.Status)
	assert.Contains(t, no.Text, "Please agree to the terms.")
	assert.True(t, p.Held())
	yes, err := p.Submit(t.Context(), no, map[string]string{"agreed": "yes", "name": "not asked for"})
	require.NoError(t, err)
	assert.Equal(t, http.StatusOK, yes.Status)
	assert.Contains(t, yes.Text, "You are let in until ")
	assert.Nil(t, yes.Form)
	assert.False(t, p.Held())
	assert.Equal(t, "The world outside.\n", opens(t, p).Text)
	assert.True(t, phone(r, other).Held(), "nobody else is")
	told, _, err = p.Captive(t.Context())
	require.NoError(t, err)
	assert.False(t, told.Captive)
	assert.InDelta(t, 90*60, told.Remaining, 60)
	assert.Equal(t, []string{"in"}, guestsOf(t, r.Client))

	// The access point ends it by itself; who has time left is let through again, and who has none asks again.
	admit(t, r, 1)
	require.Eventually(t, p.Held, rig.WaitLong, rig.WaitStep)
	require.Eventually(t, func() bool { // not more often than every other second
		page, err := p.Get(t.Context(), r.Guests.URL+"/landing?"+passOf(t, p).Encode())
		require.NoError(t, err)
		assert.Contains(t, page.Text, "You are let in until ")
		return !p.Held()
	}, rig.WaitLong, rig.WaitStep)
	list, err := r.Client.Guests(t.Context(), client.GuestQuery{Station: first, State: "in"})
	require.NoError(t, err)
	over, err := r.DecideGuest(t.Context(), list.Items[0].Number, v1.GuestVerdict{Act: "end"})
	require.NoError(t, err)
	assert.Equal(t, [2]string{"over", "ada"}, [2]string{over.State, over.EndedBy})
	require.Eventually(t, p.Held, rig.WaitLong, rig.WaitStep)
	assert.Contains(t, opens(t, p).Text, "Your time is over. You may ask again.")
	_, err = r.DecideGuest(t.Context(), over.Number, v1.GuestVerdict{Act: "end"})
	rig.Problem(t, err, http.StatusConflict, v1.ProblemState, "that is over already")
	assert.Contains(t, r.Audited(t, first), "ada decide-guest "+first+" of landing: end done")
}

// admit has the access point let the first phone through for so many seconds.
func admit(t *testing.T, r *rig.Rig, seconds int) {
	t.Helper()
	in, err := operation.New(operation.Admit, map[string]string{"station": first, "for": fmt.Sprint(seconds)})
	require.NoError(t, err)
	_, err = r.Service.Fleet.Operate(t.Context(), ap, in, func(operation.Line) {})
	require.NoError(t, err)
}

// passOf is what the access point says of a phone.
func passOf(t *testing.T, p *standin.Phone) url.Values {
	t.Helper()
	api, err := p.CaptiveAPI()
	require.NoError(t, err)
	u, err := url.Parse(api)
	require.NoError(t, err)
	return u.Query()
}

// A voucher lets one guest in, once; codes are not guessed.
func TestVouchers(t *testing.T) {
	t.Parallel()
	r := start(t, v1.GuestPortalRequest{Title: "Landing", Way: "voucher"})
	many, err := r.MakeVouchers(t.Context(), "landing", v1.VoucherOrder{Count: 1000, Minutes: 60, Label: "press trip"})
	require.NoError(t, err)
	assert.Len(t, many.Codes, 1000)
	for says, bad := range map[string]v1.VoucherOrder{"expected number <= 1000": {Count: 1001}, "<= 527040": {Count: 1, Minutes: 527_041}, "<= 366": {Count: 1, Days: 367}, "length <= 320": {Count: 1, Label: strings.Repeat("a", 321)}, "at most 80": {Count: 1, Label: strings.Repeat("a", 81)}} {
		_, err = r.MakeVouchers(t.Context(), "landing", bad)
		require.ErrorContains(t, err, says)
	}
	p, q := phone(r, first), phone(r, other)
	in, err := p.Submit(t.Context(), opens(t, p), map[string]string{"code": strings.ToLower(strings.ReplaceAll(many.Codes[0], "-", " "))})
	require.NoError(t, err)
	assert.Contains(t, in.Text, "You are let in until ")
	tries := func(code, says string) {
		t.Helper()
		page, err := q.Submit(t.Context(), opens(t, q), map[string]string{"code": code})
		require.NoError(t, err)
		assert.Equal(t, http.StatusUnprocessableEntity, page.Status)
		assert.Contains(t, page.Text, says)
		assert.Equal(t, code, page.Form.Get("code"), "what was typed stays")
		assert.True(t, q.Held())
	}
	tries(many.Codes[0], "That voucher was used, taken back, or its time is over.")
	list, err := r.Vouchers(t.Context(), "landing")
	require.NoError(t, err)
	require.Len(t, list.Items, 1000)
	assert.Equal(t, [3]any{"unused", "press trip", 60}, [3]any{list.Items[0].State, list.Items[0].Label, list.Items[0].Minutes})
	assert.Equal(t, "used", list.Items[999].State)
	last := many.Codes[999]
	assert.Equal(t, last[len(last)-2:], list.Items[0].Ends)
	require.NoError(t, r.TakeVoucher(t.Context(), "landing", list.Items[0].Number))
	rig.Problem(t, r.TakeVoucher(t.Context(), "landing", list.Items[0].Number), http.StatusNotFound, v1.ProblemNotFound, "unused voucher")
	tries(last, "taken back")
	tries("<script>alert(1)</script>"[:20], "it has eight letters and digits")
	for range 8 {
		tries("AAAA-AAAA", "There is no voucher with that code.")
	}
	tries(many.Codes[1], "Too many wrong codes were tried.")
	assert.NotContains(t, fmt.Sprint(r.Audited(t, "vouchers")), many.Codes[1])

	// The codes are in no file of the service.
	r.Halt(t)
	for _, code := range []string{many.Codes[0], many.Codes[1], strings.ReplaceAll(many.Codes[1], "-", "")} {
		assert.False(t, holds(t, r.Dir, code), code)
	}
	r.Open(t)
	tries(many.Codes[0], "That voucher was used")
}

// holds tells whether a file in a folder has a text in it.
func holds(t *testing.T, dir, text string) (is bool) {
	t.Helper()
	require.NoError(t, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := os.ReadFile(path)
		is = is || bytes.Contains(b, []byte(text))
		return err
	}))
	return is
}

// A guest waits until somebody of the house lets him in; who is turned away reads why, and may ask again. A name is text.
func TestAHostLetsGuestsIn(t *testing.T) {
	t.Parallel()
	r := start(t, v1.GuestPortalRequest{Title: "Landing", Way: "host"})
	p := phone(r, first)
	const named = `<img src=x onerror=alert(1)>`
	page, err := p.Submit(t.Context(), opens(t, p), map[string]string{"name": named, "host": "Coral Finch"})
	require.NoError(t, err)
	assert.Contains(t, page.Text, "We asked for you.")
	assert.True(t, p.Held())
	assert.Equal(t, []string{"waiting " + named}, guestsOf(t, r.Client))
	list, err := r.Client.Guests(t.Context(), client.GuestQuery{State: "waiting"})
	require.NoError(t, err)
	one := list.Items[0]
	assert.Equal(t, [4]string{"Coral Finch", "passengers", ap, "tern-haven"}, [4]string{one.Visits, one.Network, one.Device, one.Site})
	_, err = r.DecideGuest(t.Context(), one.Number, v1.GuestVerdict{Act: "turn-away", Why: "Nobody <b>knows</b> you."})
	require.NoError(t, err)
	again := opens(t, p)
	assert.Contains(t, again.Text, "You were not let in: Nobody <b>knows</b> you.")
	page, err = p.Submit(t.Context(), again, map[string]string{"name": "Alma Teal", "host": "Coral Finch"})
	require.NoError(t, err)
	assert.Contains(t, page.Text, "We asked for you.")
	list, err = r.Client.Guests(t.Context(), client.GuestQuery{State: "waiting"})
	require.NoError(t, err)
	in, err := r.DecideGuest(t.Context(), list.Items[0].Number, v1.GuestVerdict{Act: "let-in", Minutes: 30})
	require.NoError(t, err)
	assert.Equal(t, [2]string{"in", "ada"}, [2]string{in.State, in.LetInBy})
	assert.Equal(t, 30.0, in.Until.Sub(*in.InSince).Minutes())
	assert.False(t, p.Held())
}

// Where the access point does not answer, a guest is told so and is let through later; a service that stops in the middle forgets nobody.
func TestAGuestOutlivesFaults(t *testing.T) {
	t.Parallel()
	r := start(t, v1.GuestPortalRequest{Title: "Landing", Look: v1.PortalLook{Terms: terms}})
	p := phone(r, first)
	page := opens(t, p)
	require.NoError(t, r.World.Throw(standin.RefuseCommit, "th-sw-01")) // which has nothing to do with it
	require.NoError(t, r.World.Throw(standin.Hang, ap))
	require.Eventually(t, func() bool {
		d, err := r.Device(t.Context(), ap)
		return err == nil && d.Reach != "connected"
	}, rig.WaitLong, rig.WaitStep)
	in, err := p.Submit(t.Context(), page, map[string]string{"agreed": "yes"})
	require.NoError(t, err)
	assert.Contains(t, in.Text, "You are let in, but the access point does not answer at the moment.")
	assert.Equal(t, []string{"in"}, guestsOf(t, r.Client))
	require.NoError(t, r.World.Throw(standin.Recover, ap))
	r.Restart(t)
	r.AwaitAll(t)
	assert.True(t, p.Held())
	told, _, err := p.Captive(t.Context())
	require.NoError(t, err)
	assert.False(t, told.Captive, "asking is enough")
	assert.False(t, p.Held())
	assert.Equal(t, []string{"in"}, guestsOf(t, r.Client), "it is the same stay")

	// An access point that starts again forgets whom it let through.
	require.NoError(t, r.World.Throw(standin.Reboot, ap))
	require.Eventually(t, p.Held, rig.WaitLong, rig.WaitStep)
	r.AwaitAll(t)
	require.Eventually(t, func() bool {
		_, _, _ = p.Captive(t.Context())
		return !p.Held()
	}, rig.WaitLong, rig.WaitStep)
}
