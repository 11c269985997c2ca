package alarms_test

import (
	"archive/zip"
	"fmt"
	"io"
	"net/http"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// until waits until the open alarms are as they should be.
func until(t *testing.T, r *rig.Rig, q client.AlarmQuery, is func([]v1.Alarm) bool) (list []v1.Alarm) {
	t.Helper()
	var saw []string // what there was, whenever it was something else
	begin := time.Now()
	require.Eventually(t, func() bool {
		asked := time.Now()
		all, err := r.Alarms(t.Context(), q)
		list = all.Items
		now := ""
		for _, a := range list {
			now += fmt.Sprintf("%d %s %s, cause %d, followers %d; ", a.Number, a.Type, a.Resource, a.Cause, a.Followers)
		}
		if took := time.Since(asked); len(saw) == 0 || !strings.HasSuffix(saw[len(saw)-1], now) || took > 5*time.Second {
			saw = append(saw, fmt.Sprintf("after %s, asked for %s: %v %s", asked.Sub(begin).Round(time.Second), took.Round(time.Second), err, now))
		}
		return err == nil && is(list)
	}, rig.WaitLong, rig.WaitStep, "%q", &saw)
	return list
}

// cut starts a rig in which the cable of a switch is cut, and returns the alarm of its link.
func cut(t *testing.T) (*rig.Rig, v1.Alarm) {
	r := rig.Start(t, rig.World(t), rig.Attentive)
	require.NoError(t, r.World.Throw(standin.Cut, "th-sw-02:1/1/25"))
	list := until(t, r, client.AlarmQuery{}, func(list []v1.Alarm) bool { return len(list) == 1 && list[0].Followers == 2 })
	return r, list[0]
}

// A cut cable is one alarm, whatever hangs behind it; it is over when the cable is mended; and the service finds it again after a restart.
func TestACutCableIsOneAlarm(t *testing.T) {
	t.Parallel()
	r, a := cut(t)
	assert.Equal(t, [3]string{"link-down", "major", "th-sw-01:1/1/49 has no link to th-sw-02:1/1/25."}, [3]string{a.Type, a.Severity, a.Text})
	assert.NotEmpty(t, a.Remedy)
	one, err := r.Alarm(t.Context(), a.Number)
	require.NoError(t, err)
	var gone []string
	for _, f := range one.Follow {
		gone = append(gone, f.Resource)
	}
	assert.ElementsMatch(t, []string{"th-sw-02", "th-ap-01"}, gone)
	counts, err := r.AlarmCounts(t.Context(), "")
	require.NoError(t, err)
	assert.Equal(t, v1.AlarmCounts{Major: 1}, counts, "what follows is not counted")
	m, err := r.Map(t.Context(), "", 0)
	require.NoError(t, err)
	for _, d := range m.Devices {
		assert.Equal(t, map[string]string{"th-sw-01": "major"}[d.Name], d.Alarm, "on the map the cause is marked, not what follows: %s", d.Name)
	}

	r.Restart(t)
	again := until(t, r, client.AlarmQuery{}, func(list []v1.Alarm) bool { return len(list) > 0 })
	require.Len(t, again, 1)
	assert.Equal(t, a.Number, again[0].Number)
	require.NoError(t, r.World.Throw(standin.Mend, "th-sw-02:1/1/25"))
	until(t, r, client.AlarmQuery{All: true}, func(list []v1.Alarm) bool { return len(list) == 0 })
	over, err := r.Alarms(t.Context(), client.AlarmQuery{Over: true, All: true})
	require.NoError(t, err)
	require.Len(t, over.Items, 3)
	for _, a := range over.Items {
		assert.Equal(t, "cleared", a.State)
		assert.Equal(t, 1, a.Count, "%s was raised once, over the restart too", a.Resource)
	}
	log, err := r.Log(t.Context(), "event.kind = alarm", 50)
	require.NoError(t, err)
	assert.Len(t, log.Items, 6, "three raised and three cleared")
}

// A change that breaks something is named by the alarm of what it broke.
func TestAnAlarmNamesTheChangeBefore(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t), rig.Attentive)
	c := r.Draft(t, [3]string{rig.Printer, "description", "Printer at the wicket"})
	r.PushAndKeep(t, c)
	require.NoError(t, r.World.Throw(standin.Cut, "th-sw-02:1/1/25"))
	list := until(t, r, client.AlarmQuery{}, func(list []v1.Alarm) bool { return len(list) == 1 })
	assert.Equal(t, [2]any{c.Number, "ada"}, [2]any{list[0].Change, list[0].ChangedBy})
	viewer := r.As(t, "coral", "viewer")
	seen, err := viewer.Alarm(t.Context(), list[0].Number)
	require.NoError(t, err)
	assert.Equal(t, c.Number, seen.Change)
}

func TestWhoMayDoWhatAboutAlarms(t *testing.T) {
	t.Parallel()
	r, a := cut(t)
	viewer, afar := r.As(t, "coral", "viewer"), r.Confine(t, "esker", "operator", "site = harbour-house")
	near := r.Confine(t, "bram", "operator", "name = th-sw-02")
	_, err := viewer.ActOnAlarm(t.Context(), a.Number, v1.AlarmAct{Act: "acknowledge"})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "operate alarms")
	list, err := afar.Alarms(t.Context(), client.AlarmQuery{All: true})
	require.NoError(t, err)
	assert.Empty(t, list.Items)
	counts, err := afar.AlarmCounts(t.Context(), "")
	require.NoError(t, err)
	assert.Zero(t, counts)
	_, err = afar.Alarm(t.Context(), a.Number)
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "")
	_, err = afar.ActOnAlarm(t.Context(), a.Number, v1.AlarmAct{Act: "acknowledge"})
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "")
	// Who is bound to the switch sees that it is gone, and not what lies elsewhere.
	list, err = near.Alarms(t.Context(), client.AlarmQuery{All: true})
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	assert.Equal(t, [2]any{"th-sw-02", int64(0)}, [2]any{list.Items[0].Resource, list.Items[0].Cause})

	for says, in := range map[string]v1.AlarmAct{"say why it is closed": {Act: "close"}, "the note is empty": {Act: "note"}, `there is no user "nobody"`: {Act: "assign", To: "nobody"}} {
		_, err := r.ActOnAlarm(t.Context(), a.Number, in)
		rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, says)
	}
	done, err := r.ActOnAlarm(t.Context(), a.Number, v1.AlarmAct{Act: "assign", To: "coral", Text: "your site"})
	require.NoError(t, err)
	assert.Equal(t, "coral", done.AssignedTo)
	_, err = r.ActOnAlarm(t.Context(), a.Number, v1.AlarmAct{Act: "silence", Minutes: 60})
	require.NoError(t, err)
	counts, err = r.AlarmCounts(t.Context(), "")
	require.NoError(t, err)
	assert.Zero(t, counts, "a silent one is not counted")
	assert.Contains(t, strings.Join(r.Audited(t, ""), "\n"), "ada assign-alarm")
}

func TestAlarmsByCommand(t *testing.T) {
	t.Parallel()
	r, a := cut(t)
	c := rig.SignedIn(t, r)
	n := strconv.FormatInt(a.Number, 10)
	assert.Regexp(t, n+` +major +th-sw-01:1/1/49 +th-sw-01:1/1/49 has no link to th-sw-02:1/1/25\. .*2 more`, c.Good("alarms").Out)
	assert.Contains(t, c.Good("alarms", "--all").Out, "from "+n)
	assert.Contains(t, c.Good("alarms", "name = th-fw-01").Err, "Nothing is out of order.")
	out := c.Good("alarm", "acknowledge", n, "--text", "on my way").Out
	assert.Contains(t, out, "Seen by ada.")
	assert.Contains(t, out, "ada acknowledged it: on my way")
	assert.Contains(t, c.Good("alarm", "assign", n, "ada").Out, "given to ada")
	assert.Contains(t, c.Good("alarm", "silence", n, "--minutes", "30").Out, "silent until")
	bad := c.Run("", "alarm", "close", n)
	assert.Equal(t, 3, bad.Code)
	assert.Contains(t, bad.Err, "say why it is closed although it stands")
	assert.Contains(t, c.Good("alarm", "close", n, "--text", "known").Out, "ada closed it: known")
	assert.Contains(t, c.Good("alarms", "--over").Out, "closed")
	over := c.Run("", "alarm", "acknowledge", n)
	assert.Equal(t, 3, over.Code)
	assert.Equal(t, 2, c.Run("", "alarm", "first").Code)
	assert.Contains(t, c.Good("alarm", n, "-o", "json").Out, `"closed_why": "known"`)
}

func TestAlarmsByConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t), rig.Attentive)
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(chromedp.Navigate(r.Base+"/alarms"), browser.Shows("Nothing is out of order")))
	require.NoError(t, r.World.Throw(standin.Cut, "th-sw-02:1/1/25"))
	require.NoError(t, b.Run(
		browser.Shows("and 2 that follow from it"), browser.Until(`document.querySelector("nav[aria-label=Areas]").innerText.includes("major")`),
		browser.Press("Alarm "), browser.Shows("Follows from it"), browser.Shows("To do:"),
		browser.Type(`[aria-label="What you say of it"]`, "on my way"), browser.Press("I have seen it"), browser.Shows("acknowledged it: on my way"), browser.Shows("Seen by ada"),
		browser.Press("Take it"), browser.Shows("given to ada"),
		chromedp.Reload(), browser.Shows("acknowledged it: on my way"),
		browser.Type(`[aria-label="What you say of it"]`, "known"), browser.Press("Close by hand"), browser.Shows("closed it: known"),
		browser.Press("Over"), browser.Shows("closed"),
		chromedp.Navigate(r.Base+"/devices/th-sw-02"), browser.Shows("th-sw-02 cannot be reached"),
	))
	assert.Empty(t, b.Complaints)
}

// Things are picked by the alarms on them: devices and sites by any, ports by their own; and not by who may not see alarms.
func TestThingsArePickedByTheirAlarms(t *testing.T) {
	t.Parallel()
	r, a := cut(t)
	picked := func(c *client.Client, where string) []string {
		list, err := c.Devices(t.Context(), client.Query{Where: where})
		require.NoError(t, err, where)
		return rig.Names(list)
	}
	assert.Equal(t, []string{"th-ap-01", "th-sw-01", "th-sw-02"}, picked(r.Client, "alarm.number > 0"))
	assert.Equal(t, []string{"th-ap-01", "th-sw-02"}, picked(r.Client, "alarm.severity = critical and alarm.age < 1h"))
	assert.Equal(t, []string{"th-edge-01", "th-fw-01"}, picked(r.Client, "not alarm.number > 0"))
	assert.Equal(t, []string{"th-sw-01"}, picked(r.Client, "alarm.type = link-down and alarm.acknowledged = false"))
	ports, err := r.Ports(t.Context(), client.Query{Where: "alarm.severity = major"})
	require.NoError(t, err)
	require.Len(t, ports.Items, 1)
	assert.Equal(t, "th-sw-01:1/1/49", ports.Items[0].Ref)
	_, err = r.ActOnAlarm(t.Context(), a.Number, v1.AlarmAct{Act: "acknowledge"})
	require.NoError(t, err)
	assert.Empty(t, picked(r.Client, "alarm.type = link-down and alarm.acknowledged = false"))
	_, err = r.Devices(t.Context(), client.Query{Sort: "alarm.severity"})
	assert.ErrorContains(t, err, "is a property of a alarm")

	require.NoError(t, r.PutRole(t.Context(), "blind", v1.RoleRequest{Title: "sees no alarms", Rules: []v1.Rule{{Sentence: "allow see on devices, ports, sites"}}}))
	blind := r.As(t, "coral", "blind")
	_, err = blind.Devices(t.Context(), client.Query{Where: "alarm.number > 0"})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "see alarms")
	c := rig.SignedIn(t, r)
	assert.Contains(t, c.Good("fields").Out, "alarm.acknowledged")
}

// An incident is handed over as one text, and a device as one file without secrets; each as far as one may see it.
func TestAnIncidentIsHandedOver(t *testing.T) {
	t.Parallel()
	r, a := cut(t)
	_, err := r.ActOnAlarm(t.Context(), a.Number, v1.AlarmAct{Act: "note", Text: "the digger <script>alert(1)</script> was there"})
	require.NoError(t, err)
	c := rig.SignedIn(t, r)
	text := c.Good("alarm", "hand-over", strconv.FormatInt(a.Number, 10)).Out
	for _, says := range []string{fmt.Sprintf("# Alarm %d: th-sw-01:1/1/49 has no link to th-sw-02:1/1/25.", a.Number), "th-sw-01:1/1/49 has no link to th-sw-02:1/1/25.", "th-sw-02 cannot be reached", "the digger &lt;script&gt;", "th-sw-01:1/1/49 lost its link", "## What was tried"} {
		assert.Contains(t, text, says)
	}
	near := r.Confine(t, "bram", "operator", "name = th-sw-01")
	part, err := near.HandOver(t.Context(), a.Number)
	require.NoError(t, err)
	assert.NotContains(t, string(part), "th-ap-01")
	assert.NotContains(t, string(part), "th-sw-02 is gone")
	afar := r.Confine(t, "esker", "operator", "site = harbour-house")
	rig.Problem(t, rig.Second(afar.HandOver(t.Context(), a.Number)), http.StatusNotFound, v1.ProblemNotFound, "")

	file := filepath.Join(t.TempDir(), "case.zip")
	c.Good("support", "th-sw-01", "--to", file)
	z, err := zip.OpenReader(file)
	require.NoError(t, err)
	defer func() { _ = z.Close() }()
	var names []string
	for _, f := range z.File {
		names = append(names, strings.TrimPrefix(f.Name, "support-th-sw-01/"))
		in, err := f.Open()
		require.NoError(t, err)
		content, err := io.ReadAll(in)
		require.NoError(t, err)
		assert.NotEmpty(t, content, f.Name)
		assert.NotContains(t, string(content), rig.DevicePassword, f.Name)
	}
	assert.ElementsMatch(t, []string{"device.json", "alarms.json", "tests.json", "events.json", "service.json", "configuration.xml"}, names)
	rig.Problem(t, rig.Second(afar.Support(t.Context(), "th-sw-01")), http.StatusNotFound, v1.ProblemNotFound, "")
	require.NoError(t, r.PutRole(t.Context(), "bare", v1.RoleRequest{Title: "sees no configuration", Rules: []v1.Rule{{Sentence: "allow see on devices, ports, sites"}}}))
	rig.Problem(t, rig.Second(r.As(t, "coral", "bare").Support(t.Context(), "th-sw-01")), http.StatusForbidden, v1.ProblemForbidden, "see configuration")
}

// Somebody who gives out addresses is an alarm that names where; once the VLAN is snooped, a warning; and over when it is gone.
func TestWhoGivesOutAddressesIsAnAlarm(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t), rig.Attentive)
	port := strings.TrimPrefix(rig.Printer, "th-sw-02:")
	require.NoError(t, r.World.Throw(standin.RogueDHCP, "th-sw-02:"+port))
	list := until(t, r, client.AlarmQuery{}, func(list []v1.Alarm) bool { return len(list) == 1 })
	assert.Equal(t, [2]string{"rogue-dhcp", "major"}, [2]string{list[0].Type, list[0].Severity})
	assert.Contains(t, list[0].Text, "behind "+port+" gives out addresses in VLAN 20")
	page, err := r.Devices(t.Context(), client.Query{Where: "alarm.type = rogue-dhcp"})
	require.NoError(t, err)
	require.Len(t, page.Items, 1)

	r.PushAndKeep(t, r.Draft(t, [3]string{"th-sw-02:vlan/20", "dhcp-snooping", "on"}))
	list = until(t, r, client.AlarmQuery{}, func(list []v1.Alarm) bool { return len(list) == 1 && list[0].Type == "rogue-dhcp-blocked" })
	assert.Equal(t, "warning", list[0].Severity)
	require.NoError(t, r.World.Throw(standin.Mend, "th-sw-02:"+port))
	until(t, r, client.AlarmQuery{}, func(list []v1.Alarm) bool { return len(list) == 0 })
}
