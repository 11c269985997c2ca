package between_test

import (
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// What a customer sends is carried untouched over switches and a radio link: ended, and made anew, by command and by console.
func TestACustomersLineIsCarriedApart(t *testing.T) {
	t.Parallel()
	const office, lookout = "192.0.2.10", "192.0.2.20"
	r := rig.StartOnly(t, "th-sw-01", "th-sw-01", "th-rl-01", "gs-rl-01", "gs-sw-01")
	r.AwaitAll(t)
	c := rig.SignedIn(t, r)
	joined := func(vlan int, want bool) (out v1.ServiceVLAN) {
		t.Helper()
		require.Eventually(t, func() bool {
			list, err := r.ServiceVLANs(t.Context())
			require.NoError(t, err)
			for _, v := range list.Items {
				if v.ID == vlan {
					out = v
					return v.Joined == want && r.World.Reaches(lookout, office, "tcp", 443) == want
				}
			}
			return false
		}, rig.WaitLong, rig.WaitStep, "service VLAN %d: %+v", vlan, &out)
		return out
	}
	got := joined(400, true)
	require.Len(t, got.Ports, 2)
	assert.Equal(t, v1.ServicePort{Port: "gs-sw-01:1/1/19", Site: "tern-haven", Description: "Sound Pilots, lookout", Up: true, Part: 1}, got.Ports[0])
	assert.Empty(t, got.Breaks)
	assert.Regexp(t, `400 +gs-sw-01:1/1/19 +tern-haven +up +th-sw-01:2/1/46 +Sound Pilots, lookout`, c.Good("service-vlans").Out)

	for args, says := range map[string]string{
		"0 th-sw-01:2/1/45 gs-sw-01:1/1/18":     "give a number from 1 to 4094",
		"410 th-sw-01:2/1/45 th-sw-01:2/1/45":   "is named twice",
		"410 th-sw-01:2/1/45 gs-sw-01":          "gs-sw-01",
		"410 th-sw-01:2/1/45 gs-sw-01:1/1/99":   "gs-sw-01 has no port 1/1/99",
		"410 th-sw-01:2/1/46 gs-sw-01:1/1/18":   "is in service VLAN 400 already",
		"410 th-sw-01:2/1/48 gs-sw-01:1/1/18":   "leads to another device of yours",
		"410 th-sw-01:2/1/45 nobody:1/1/18":     "nobody",
		"410 th-sw-01:2/1/45 gs-sw-01:1/1/18 x": "is too much",
	} {
		bad := c.Run("", append([]string{"service-vlan", "carry"}, strings.Fields(args)...)...)
		assert.NotZero(t, bad.Code, args)
		assert.Contains(t, bad.Err, says)
	}
	changes, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, changes.Items, "bad input changes nothing")

	// One radio is told to carry it no more: a guard says so, and once it was accepted the line is broken there, in words.
	broken := r.Draft(t, [3]string{"gs-rl-01:radio0", "service-trunk-vlans", "none"})
	checked, err := r.Check(t.Context(), broken.Number)
	require.NoError(t, err)
	assert.Equal(t, []string{"service-vlans:400:apart"}, rig.Findings(checked))
	assert.Contains(t, checked.Findings[0].What, "gs-sw-01:1/1/19 would no longer reach th-sw-01:2/1/46 in service VLAN 400.")
	kept(t, r, broken.Number)
	assert.Equal(t, []string{"th-rl-01:radio0 carries it, and gs-rl-01:radio0 does not."}, joined(400, false).Breaks)
	told := c.Good("service-vlans")
	assert.Contains(t, told.Out+told.Err, "Service VLAN 400: th-rl-01:radio0 carries it, and gs-rl-01:radio0 does not.")
	const parted = "gs-rl-01:radio0 does not carry service VLAN 400, which th-rl-01:radio0 sends it"
	require.Eventually(t, func() bool { return strings.Contains(c.Good("alarms").Out, parted) }, rig.WaitLong, rig.WaitStep)
	// As it is read by an independent client.
	assert.NotContains(t, r.Asked(t, "gs-rl-01", `<switching xmlns="urn:everypost:yang:ep-switching"><port><name>radio0</name></port></switching>`), "<vlan>400</vlan>")
	mended := c.Good("service-vlan", "carry", "400", "th-sw-01:2/1/46", "gs-sw-01:1/1/19", "--why", "as it was").Out
	assert.Contains(t, mended, "gs-rl-01")
	kept(t, r, newest(t, r))
	joined(400, true)
	require.Eventually(t, func() bool { return !strings.Contains(c.Good("alarms").Out, parted) }, rig.WaitLong, rig.WaitStep)
	assert.Contains(t, r.Asked(t, "gs-rl-01", `<switching xmlns="urn:everypost:yang:ep-switching"><port><name>radio0</name></port></switching>`), "<vlan>400</vlan>")
	assert.Contains(t, c.Good("service-vlan", "carry", "400", "th-sw-01:2/1/46", "gs-sw-01:1/1/19").Err, "carried from th-sw-01:2/1/46 to gs-sw-01:1/1/19 already")

	// What would part them is foretold.
	for _, thing := range []string{"gs-rl-01", "th-rl-01:eth0"} {
		require.Eventually(t, func() bool {
			f, err := r.WhatIf(t.Context(), thing)
			return err == nil && len(f.Customers) == 2 && f.Customers[0].ServiceVLAN == 400 && slices.Equal(f.Customers[0].From, []string{"th-sw-01:2/1/46"})
		}, rig.WaitLong, rig.WaitStep, thing)
	}
	assert.Contains(t, c.Good("what-if", "th-rl-01").Out, "gs-sw-01:1/1/19 (service VLAN 400) from th-sw-01:2/1/46")

	// A cable of the customer is pulled, then a cable between.
	require.NoError(t, r.World.Throw(standin.Cut, "th-sw-01:2/1/48"))
	require.Eventually(t, func() bool {
		out := c.Run("", "service-vlans")
		return strings.Contains(out.Out, "none") && strings.Contains(out.Err+out.Out, "is down.")
	}, rig.WaitLong, rig.WaitStep)
	require.NoError(t, r.World.Throw(standin.Mend, "th-sw-01:2/1/48"))
	joined(400, true)

	// Who sees one site sees the ports there; who only looks makes no draft of it.
	near := r.Confine(t, "bram", "administrator", "name = gs-sw-01")
	list, err := near.ServiceVLANs(t.Context())
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	assert.Len(t, list.Items[0].Ports, 1)
	_, err = near.CarryServiceVLAN(t.Context(), 410, v1.ServiceCarryRequest{From: "gs-sw-01:1/1/18", To: "th-sw-01:2/1/45"})
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "th-sw-01")
	_, err = near.EndServiceVLAN(t.Context(), 400)
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "all devices on the way")

	// By the console: it is ended, and another is made.
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/between?view=customers"), browser.Shows("Sound Pilots, lookout"),
		browser.Press("End service VLAN 400"), browser.Shows("takes it off all ports"), rig.InDialog("Put it into a draft"), rig.NoDialog, browser.Shows("service-trunk-vlans"),
	))
	kept(t, r, newest(t, r))
	require.Eventually(t, func() bool {
		list, err := r.ServiceVLANs(t.Context())
		require.NoError(t, err)
		return len(list.Items) == 0 && !r.World.Reaches(lookout, office, "tcp", 443)
	}, rig.WaitLong, rig.WaitStep)
	none := c.Good("service-vlans")
	assert.Contains(t, none.Out+none.Err, "Nothing is carried for others.")
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/between?view=customers"), browser.Shows("Nothing is carried for customers here"),
		browser.Press("Carry a line…"), browser.TypeInto("Service VLAN", "411"), browser.TypeInto("From", "th-sw-01:2/1/46"), browser.TypeInto("To", "gs-sw-01:1/1/99"),
		rig.InDialog("Put it into a draft"), browser.Shows("gs-sw-01 has no port 1/1/99"),
		browser.On(`[...document.querySelectorAll("[role=dialog] input")].find(i => i.value === "gs-sw-01:1/1/99")`, "(e.focus(), e.select())"), chromedp.KeyEvent("gs-sw-01:1/1/19"), rig.InDialog("Put it into a draft"), rig.NoDialog, browser.Shows("service-trunk-vlans"),
	))
	kept(t, r, newest(t, r))
	joined(411, true)
	r.Restart(t)
	joined(411, true)
}

// newest is the number of the draft that was made last.
func newest(t *testing.T, r *rig.Rig) (number int64) {
	t.Helper()
	list, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	for _, c := range list.Items {
		number = max(number, c.Number)
	}
	require.NotZero(t, number)
	return number
}
