package guests_test

import (
	"context"
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/guest"
	"example.net/everypost/internal/testing/rig"
)

// Nobody is let in but who was sent by an access point; the door answers nothing else.
func TestTheDoorKnowsNobody(t *testing.T) {
	t.Parallel()
	r := start(t, v1.GuestPortalRequest{Title: "Landing", Look: v1.PortalLook{Terms: terms}})
	ask := func(method, path, body string) (int, string, http.Header) {
		t.Helper()
		req, err := http.NewRequestWithContext(t.Context(), method, r.Guests.URL+path, strings.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer func() { _ = resp.Body.Close() }()
		text, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		return resp.StatusCode, string(text), resp.Header
	}
	pass := passOf(t, phone(r, first))
	forged := url.Values{}
	for k, v := range pass {
		forged[k] = v
	}
	forged.Set("station", other)
	for path, status := range map[string]int{
		"/landing": http.StatusForbidden, "/landing?" + forged.Encode(): http.StatusForbidden, "/landing/api?" + forged.Encode(): http.StatusForbidden, "/landing/api": http.StatusForbidden,
		"/harbour?" + pass.Encode(): http.StatusNotFound, "/landing/logo.png": http.StatusNotFound, "/": http.StatusNotFound, "/api/v1/devices": http.StatusNotFound, "/landing/../../etc/passwd": http.StatusNotFound,
		"/style.css": http.StatusOK, "/style.css?of=landing": http.StatusOK, "/landing?" + pass.Encode(): http.StatusOK,
	} {
		got, text, h := ask(http.MethodGet, path, "")
		assert.Equal(t, status, got, "%s: %s", path, text)
		assert.Contains(t, h.Get("Content-Security-Policy"), "default-src 'none'", path)
		assert.Contains(t, h.Get("Content-Security-Policy"), "frame-ancestors 'none'", path)
		assert.Empty(t, h.Values("Set-Cookie"))
	}
	forged.Set("agreed", "yes")
	status, text, _ := ask(http.MethodPost, "/landing", forged.Encode())
	assert.Equal(t, http.StatusForbidden, status)
	assert.Contains(t, text, "This page is too old.")
	pass.Set("agreed", "yes")
	status, _, _ = ask(http.MethodPost, "/landing", pass.Encode()+"&x="+strings.Repeat("a", 20_000))
	assert.Equal(t, http.StatusBadRequest, status, "what is too large is not read")
	status, _, _ = ask(http.MethodDelete, "/landing", "")
	assert.Equal(t, http.StatusMethodNotAllowed, status)
	assert.Empty(t, guestsOf(t, r.Client))
	assert.True(t, phone(r, first).Held())
	// A device that there is not sends nobody.
	key, err := r.Service.Guests.Key(t.Context(), "landing")
	require.NoError(t, err)
	now := r.Service.StartedAt.Add(10 * 60e9)
	status, _, _ = ask(http.MethodGet, "/landing?"+guest.Pass{Station: first, Network: "passengers", At: "th-ap-99", Until: now}.Sign(key).Encode(), "")
	assert.Equal(t, http.StatusForbidden, status)
	status, _, _ = ask(http.MethodGet, "/landing?"+guest.Pass{Station: first, Network: "passengers", At: ap, Until: now}.Sign(key).Encode(), "")
	assert.Equal(t, http.StatusOK, status)
}

// An access point is who it says that it is, whatever people here call it.
func TestAnAccessPointOfAnotherName(t *testing.T) {
	t.Parallel()
	r := start(t, v1.GuestPortalRequest{Title: "Landing", Look: v1.PortalLook{Terms: terms}})
	require.NoError(t, r.Rename(t.Context(), ap, "pier-ap"))
	r.AwaitAll(t)
	p := phone(r, first)
	in, err := p.Submit(t.Context(), opens(t, p), map[string]string{"agreed": "yes"})
	require.NoError(t, err)
	assert.Contains(t, in.Text, "You are let in until ")
	assert.False(t, p.Held())
	list, err := r.Client.Guests(t.Context(), client.GuestQuery{})
	require.NoError(t, err)
	assert.Equal(t, "pier-ap", list.Items[0].Device)
}

// Who is turned away may ask again, but not without end.
func TestAGuestWhoKeepsAsking(t *testing.T) {
	t.Parallel()
	r := start(t, v1.GuestPortalRequest{Title: "Landing", Way: "host"})
	p := phone(r, first)
	for range 20 {
		page, err := p.Submit(t.Context(), opens(t, p), map[string]string{"name": "Alma Teal", "host": "Coral Finch"})
		require.NoError(t, err)
		require.Contains(t, page.Text, "We asked for you.")
		list, err := r.Client.Guests(t.Context(), client.GuestQuery{State: "waiting"})
		require.NoError(t, err)
		_, err = r.DecideGuest(t.Context(), list.Items[0].Number, v1.GuestVerdict{Act: "turn-away"})
		require.NoError(t, err)
	}
	page, err := p.Submit(t.Context(), opens(t, p), map[string]string{"name": "Alma Teal", "host": "Coral Finch"})
	require.NoError(t, err)
	assert.Contains(t, page.Text, "You asked very often.")
	assert.Len(t, guestsOf(t, r.Client), 20)
}

// Who may see guests sees those at his places only; deciding takes its own right, and portals the whole network.
func TestWhoMaySeeGuests(t *testing.T) {
	t.Parallel()
	r := start(t, v1.GuestPortalRequest{Title: "Landing", Way: "voucher"})
	codes, err := r.MakeVouchers(t.Context(), "landing", v1.VoucherOrder{Count: 1})
	require.NoError(t, err)
	p := phone(r, first)
	_, err = p.Submit(t.Context(), opens(t, p), map[string]string{"code": codes.Codes[0]})
	require.NoError(t, err)
	list, err := r.Client.Guests(t.Context(), client.GuestQuery{})
	require.NoError(t, err)
	number := list.Items[0].Number
	ctx := context.Background()
	afar, near, viewer := r.Confine(t, "esker", "operator", "site = harbour-house"), r.Confine(t, "bram", "operator", "site = tern-haven"), r.As(t, "coral", "viewer")
	assert.Empty(t, guestsOf(t, afar))
	_, err = afar.DecideGuest(ctx, number, v1.GuestVerdict{Act: "end"})
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "not found")
	portals, err := afar.GuestPortals(ctx)
	require.NoError(t, err)
	assert.Empty(t, portals.Items[0].Devices)
	assert.Zero(t, portals.Items[0].Inside)
	_, err = afar.Vouchers(ctx, "landing")
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "receives guests at places where you have not the right to see guests")
	_, err = afar.MakeVouchers(ctx, "landing", v1.VoucherOrder{Count: 1})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "operate guests")
	_, err = r.Confine(t, "gorse", "administrator", "site = harbour-house").CarryGuestPortal(ctx, "landing", v1.PortalCarryRequest{Network: "passengers", Off: true})
	require.ErrorContains(t, err, "no access point offers")

	assert.Equal(t, []string{"in"}, guestsOf(t, near))
	_, err = near.MakeVouchers(ctx, "landing", v1.VoucherOrder{Count: 1})
	require.NoError(t, err)
	_, err = near.PutGuestPortal(ctx, "landing", v1.GuestPortalRequest{Way: "host"})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "administer guests")
	assert.Equal(t, []string{"in"}, guestsOf(t, viewer))
	_, err = viewer.DecideGuest(ctx, number, v1.GuestVerdict{Act: "end"})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "operate guests")
	require.ErrorContains(t, r.RemoveGuestPortal(ctx, "landing"), "1 access points send stations to it, such as th-ap-01")
	_, text := r.Asks(t, r.Token, http.MethodGet, "/api/v1/devices/"+ap+"/configuration", "")
	key, err := r.Service.Guests.Key(ctx, "landing")
	require.NoError(t, err)
	assert.NotContains(t, text, key)
}
