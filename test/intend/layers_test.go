package intend_test

import (
	"net/http"
	"slices"
	"strconv"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// stands tells how a thing stands on a setting.
func stands(t testing.TB, r *rig.Rig, on, setting string, change int64) v1.Standing {
	t.Helper()
	st, err := r.Standing(t.Context(), v1.StandingRequest{On: []string{on}, Change: change})
	require.NoError(t, err)
	at := slices.IndexFunc(st.Items, func(s v1.Standing) bool { return s.Setting == setting })
	require.GreaterOrEqual(t, at, 0)
	return st.Items[at]
}

func TestATemplateReachesAllThatItPicks(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := r.Cameras(t, map[string]string{"poe-priority": "critical", "vlan": "50"})
	for _, d := range c.Differences {
		assert.Equal(t, "poe-priority template/camera", d.Field+" "+d.Layer, "the VLAN is as it says already")
	}
	assert.NotEmpty(t, c.Differences)
	assert.Contains(t, r.Independently(t, "th-sw-02:1/1/17"), "50")
	priority := stands(t, r, "th-sw-02:1/1/17", "poe-priority", 0)
	assert.Equal(t, []v1.Count{{Value: "critical", Count: 1}}, priority.Values)
	assert.Equal(t, []v1.Saying{{Layer: "default", Value: "low"}, {Layer: "template/camera", Value: "critical", Change: c.Number}}, priority.Says)

	r.KeepRows(t, v1.BulkRow{On: []string{"th-sw-02:1/1/17"}, Set: map[string]string{"poe-priority": "high"}})
	tpl, err := r.Template(t.Context(), "camera", 0)
	require.NoError(t, err)
	assert.Equal(t, 1, tpl.Others)
	at := slices.IndexFunc(tpl.Picked, func(p v1.Picked) bool { return p.On == "th-sw-02:1/1/17" })
	assert.Equal(t, []v1.Other{{Setting: "poe-priority", Value: "high", Layer: "device"}}, tpl.Picked[at].Others)

	r.Restart(t)
	r.AwaitAll(t)
	assert.Equal(t, "device", stands(t, r, "th-sw-02:1/1/17", "poe-priority", 0).Layers[0].Value, "a restart forgets nothing")
	r.KeepRows(t, v1.BulkRow{On: []string{"th-sw-02:1/1/17"}, Inherit: []string{"poe-priority"}})
	assert.Equal(t, []v1.Count{{Value: "critical", Count: 1}}, stands(t, r, "th-sw-02:1/1/17", "poe-priority", 0).Values)

	// What a port is called brings along what ports of that name are to be.
	named, err := r.Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{{On: []string{"th-sw-02:1/1/2"}, Set: map[string]string{"description": "Camera 88"}}}})
	require.NoError(t, err)
	assert.Equal(t, "template/camera", stands(t, r, "th-sw-02:1/1/2", "poe-priority", named.Change.Number).Layers[0].Value)
	assert.Equal(t, "device", stands(t, r, "th-sw-02:1/1/2", "vlan", named.Change.Number).Layers[0].Value, "the port was in a VLAN of its own when it was found")

	back, err := r.TakeBack(t.Context(), c.Number)
	require.NoError(t, err)
	assert.Len(t, back.Edits, 1, "a template is taken back as a whole: %v", back.Edits)
	assert.Equal(t, v1.Edit{Port: "template/camera:self", Field: "present", Value: "off"}, back.Edits[0])
}

func TestAWrongTemplateIsRefused(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	self := func(set map[string]string) v1.BulkRow {
		return v1.BulkRow{On: []string{"template/x:self"}, Set: set}
	}
	for says, rows := range map[string][]v1.BulkRow{
		"there is no template x":         {{On: []string{"template/x:port"}, Set: map[string]string{"edge": "on"}}},
		"unknown field":                  {self(map[string]string{"present": "on", "pick": "prot = 3"})},
		"cannot pick by links":           {self(map[string]string{"present": "on", "pick": "link.mbps > 1"})},
		"is for ports, and speaks of":    {self(map[string]string{"present": "on"}), {On: []string{"template/x"}, Set: map[string]string{"contact": "a"}}},
		"is for devices, and speaks of":  {self(map[string]string{"present": "on", "for": "devices"}), {On: []string{"template/x:port"}, Set: map[string]string{"edge": "on"}}},
		"there is no site atlantis":      {{On: []string{"site/atlantis"}, Set: map[string]string{"contact": "a"}}},
		"single ports are set up on":     {{On: []string{"template/x:1/1/7"}, Set: map[string]string{"vlan": "40"}}},
		"is neither on nor off":          {{On: []string{"template/x:port"}, Set: map[string]string{"enabled": "perhaps"}}},
		"bundles are set up on each dev": {{On: []string{"site/tern-haven:lag1"}, Set: map[string]string{"protocol": "static"}}},
	} {
		_, err := r.Bulk(t.Context(), v1.BulkRequest{Rows: rows})
		assert.ErrorContains(t, err, says)
	}
	list, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, list.Items, "nothing came of it")
}

func TestWhoMayChangeATemplate(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	r.Cameras(t, map[string]string{"poe-priority": "high"})
	rows := []v1.BulkRow{{On: []string{"template/camera:port"}, Set: map[string]string{"poe-priority": "low"}}}
	tech := r.As(t, "coral", "technician")
	_, err := tech.Bulk(t.Context(), v1.BulkRequest{Rows: rows})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "change templates")
	confined := r.Confine(t, "dora", "administrator", "site = tern-haven")
	_, err = confined.Bulk(t.Context(), v1.BulkRequest{Rows: rows})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "of the whole network")
	_, err = confined.Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{{On: []string{"site/tern-haven"}, Set: map[string]string{"contact": "Dora"}}}})
	require.NoError(t, err, "her own site she may")
	elsewhere := r.Confine(t, "egon", "administrator", "site = harbour-house")
	_, err = elsewhere.Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{{On: []string{"site/tern-haven"}, Set: map[string]string{"contact": "Egon"}}}})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "tern-haven")
}

func TestWhatSomebodyChangesOnTheSpotIsDrift(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	term := rig.SignedIn(t, r)
	stands(t, r, rig.Printer, "vlan", 0) // the switch was read, and is intended to run that
	require.NoError(t, r.World.Throw(standin.Tinker, rig.Printer))
	d := r.Drifted(t, "th-sw-02", 2)
	for _, one := range d.Differences {
		assert.Equal(t, "night-shift", one.By, one.Setting)
		assert.WithinDuration(t, time.Now(), one.Since, 30*time.Second)
	}
	assert.Equal(t, "20", d.Differences[1].Intended)
	out := term.Run("", "drift")
	assert.Equal(t, 7, out.Code)
	assert.Contains(t, out.Out, "night-shift")

	// Back to what is intended, by a draft.
	c, err := r.RestoreDrift(t.Context(), v1.RestoreRequest{On: []string{rig.Printer}})
	require.NoError(t, err)
	checked, err := r.Check(t.Context(), c.Number)
	require.NoError(t, err)
	r.PushAndKeep(t, checked)
	r.Drifted(t, "th-sw-02", 0)
	vlan, _ := r.Runs(rig.Printer)
	assert.Equal(t, "20", vlan)

	// What a change of our own tries is no drift.
	tried := r.Draft(t, [3]string{rig.Printer, "vlan", "40"})
	_, err = r.Push(t.Context(), tried.Number, 0, v1.PushRequest{TrialSeconds: 60})
	require.NoError(t, err)
	r.Until(t, tried.Number, "on-trial")
	assert.Equal(t, "trial", stands(t, r, rig.Printer, "vlan", 0).Layers[0].Value)
	assert.Regexp(t, `vlan +40 +on trial +itself: 20`, term.Good("layers", rig.Printer).Out)
	_, err = r.Undo(t.Context(), tried.Number)
	require.NoError(t, err)
	r.Until(t, tried.Number, "undone")
	assert.Equal(t, "device", stands(t, r, rig.Printer, "vlan", 0).Layers[0].Value)
	assert.Equal(t, 0, term.Run("", "drift").Code)

	// Once more, and this time it is to stay.
	require.NoError(t, r.World.Throw(standin.Tinker, rig.Printer))
	r.Drifted(t, "th-sw-02", 2)
	r.Restart(t)
	r.AwaitAll(t)
	assert.Equal(t, "night-shift", r.Drifted(t, "th-sw-02", 2).Differences[0].By, "also after a restart")
	term = rig.SignedIn(t, r)
	term.Good("drift", "accept", "th-sw-02", "1/1/7")
	r.Drifted(t, "th-sw-02", 0)
	assert.Equal(t, "device", stands(t, r, rig.Printer, "vlan", 0).Layers[0].Value)
	_, err = r.AcceptDrift(t.Context(), "th-sw-02", nil)
	rig.Problem(t, err, http.StatusConflict, v1.ProblemInUse, "nothing there")
	assert.NotEmpty(t, r.Audited(t, "accept-drift"))
}

func TestWhoChangesADevice(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	r.Cameras(t, map[string]string{"poe-priority": "high"})
	term := rig.SignedIn(t, r)
	term.Good("device", "control", "th-sw-02", "watched")
	_, err := r.MakeChange(t.Context(), v1.ChangeRequest{Edits: []v1.Edit{{Port: rig.Printer, Field: "vlan", Value: "40"}}})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, "only watched")
	answer, err := r.Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{{On: []string{rig.Printer}, Set: map[string]string{"vlan": "40"}}}})
	require.NoError(t, err)
	assert.Contains(t, answer.Results[0].Why, "only watched")

	// A template goes on without it.
	c := r.KeepRows(t, v1.BulkRow{On: []string{"template/camera:port"}, Set: map[string]string{"poe-priority": "critical"}})
	for _, d := range c.Differences {
		assert.NotContains(t, d.Port, "th-sw-02:")
	}
	require.NoError(t, r.SetControl(t.Context(), "th-sw-02", "here"))
	d := r.Drifted(t, "th-sw-02", 4)
	assert.Equal(t, "template/camera", d.Differences[0].Layer, "what it missed is told")

	require.NoError(t, r.SetControl(t.Context(), "th-sw-02", "local"))
	assert.Equal(t, "local", r.Drifted(t, "th-sw-02", 4).Control)
	rig.Problem(t, rig.Second(r.RestoreDrift(t.Context(), v1.RestoreRequest{On: []string{"th-sw-02"}})), http.StatusUnprocessableEntity, v1.ProblemInvalid, "local control")
	device, err := r.Device(t.Context(), "th-sw-02")
	require.NoError(t, err)
	assert.Equal(t, "local 4", device.Control+" "+strconv.Itoa(device.Drift))
}

func TestSettingsOfOneDeviceForOthers(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	r.KeepRows(t, v1.BulkRow{On: []string{"th-sw-02"}, Set: map[string]string{"contact": "Ada", "ntp-servers": "10.1.10.1"}},
		v1.BulkRow{On: []string{"th-sw-02:acl/desks"}, Set: map[string]string{"present": "on", "rules": "deny tcp from any to 10.20.50.0/24\npermit ip from 10.20.0.0/16 to any"}})
	answer, err := r.CopySettings(t.Context(), v1.CopyRequest{From: "th-sw-02", To: []string{"th-sw-01"}, Parts: []string{"device", "lists"}})
	require.NoError(t, err)
	var got []string
	for _, d := range answer.Change.Differences {
		got = append(got, d.Port+" "+d.Field+" "+d.After)
	}
	assert.Equal(t, []string{"th-sw-01 ntp-servers 10.1.10.1", "th-sw-01:acl/desks present on", "th-sw-01:acl/desks rules/10 deny tcp from any to 10.20.50.0/24",
		"th-sw-01:acl/desks rules/20 permit ip from 10.20.0.0/16 to any"}, got, "who looks after it is its own")
	_, err = r.CopySettings(t.Context(), v1.CopyRequest{From: "th-sw-02", To: []string{"th-sw-02"}})
	assert.ErrorContains(t, err, "onto itself")
}

func TestTemplatesByCommand(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	term := rig.SignedIn(t, r)
	made := term.Good("template", "set", "camera", "--title", "Cameras", "--pick", `port.description ~ "Camera*"`, "vlan=60", "edge=on")
	assert.Contains(t, made.Out, "template/camera:port")
	assert.Contains(t, made.Err, "camera picks ")
	assert.Contains(t, made.Err, "a stronger layer speaks", "the VLAN is said by each port")
	out := term.Good("template", "set", "camera", "--change", "1", "--take-over").Out
	assert.Contains(t, out, "says nothing")
	assert.Regexp(t, `th-sw-02:1/1/17 +vlan +50 +60 +template camera`, out)
	assert.Contains(t, term.Good("templates", "--change", "1").Out, "Cameras")
	term.Good("change", "check", "1")
	assert.Contains(t, term.Good("layers", "th-sw-02:1/1/17", "--change", "1").Out, "template camera")
	term.Good("change", "discard", "1")

	out = term.Good("site", "layer", "tern-haven", "contact=Terminal office").Out
	assert.Regexp(t, `th-sw-02 +contact +- +Terminal office +site tern-haven`, out)
	assert.Contains(t, term.Good("site", "layer", "tern-haven").Err, "Nothing is said")
	assert.Equal(t, 2, term.Run("", "template", "set", "camera", "--on", "vlan/30", "name=x").Code)
	missing := term.Run("", "template", "show", "nothing")
	assert.Contains(t, missing.Err, "template nothing")
	assert.NotEqual(t, 0, missing.Code)
}

func TestTemplatesAndDriftByConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/templates"), browser.Shows("There are no templates yet"),
		browser.Press("Make a template"), browser.TypeInto("Title", "Cameras"), browser.TypeInto("Picks", "prot = 3 "), browser.Shows("unknown field"),
		chromedp.Evaluate(`document.querySelector("[role=dialog] textarea").select()`, nil), browser.Type("[role=dialog] textarea", `port.description ~ "Camera*"`), browser.Press("Put into a new draft"), browser.Shows("Change 1"), browser.Shows("Nothing is set in it yet"),
		browser.TypeInto("VLAN (access)", "60"), browser.Press("Add to draft 1"), browser.Shows("a stronger layer speaks"),
		browser.Press("Power"), browser.Choose("Priority", "critical"), browser.Press("Add to draft 1"), browser.Shows("poe-priority"),
		browser.Press("Applies to"), browser.Shows("vlan 50 (itself)"), browser.Press("Have all of them follow it"), browser.Shows("follows in all"),
		browser.Press("Check"), browser.Shows("Push to "), browser.Press("Push to "), rig.InDialog("Push"), browser.Shows("Every device was read back"), browser.Press("Keep"), browser.Shows("It runs for good"),
		// Where each setting of a port comes from.
		chromedp.Navigate(r.Base+"/devices/th-sw-02?sel=1%2F1%2F17&settings=Layers"),
		browser.Until(`[...document.querySelectorAll("table th")].some(h => h.innerText.trim() === "cameras")`),
	))
	vlan, _ := r.Runs("th-sw-02:1/1/17")
	assert.Equal(t, "60", vlan)
	require.NoError(t, r.World.Throw(standin.Tinker, "th-sw-02:1/1/17"))
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/drift"), browser.Shows("night-shift"), browser.Press("Put all back…"), browser.Shows("Change 2"), browser.Shows("as intended"),
		browser.Press("Accept all as intended"), browser.Shows("Everything runs as intended"),
		chromedp.Navigate(r.Base+"/devices/th-sw-02?tab=settings"), browser.Shows("Copy to others…"), browser.Choose("Changed", "local"), browser.Shows("It is under local control"),
		browser.Choose("Changed", "here"), browser.Shows("Contact"),
		chromedp.Navigate(r.Base+"/sites"), browser.Shows("Tern Haven terminal"), browser.Press("Settings"), browser.TypeInto("Contact", "Terminal office"), browser.Press("Add to draft 2"),
	))
	require.Eventually(t, func() bool {
		c, err := r.Change(t.Context(), 2)
		return err == nil && slices.ContainsFunc(c.Edits, func(e v1.Edit) bool { return e.Port == "site/tern-haven" && e.Value == "Terminal office" })
	}, rig.WaitLong, rig.WaitStep)
}
