package settings_test

import (
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// closedNow are hours that are not now, whenever the test runs; openNow are all.
func closedNow() string {
	return strings.ToLower(time.Now().UTC().AddDate(0, 0, 3).Weekday().String()[:3]) + " 01:00-02:00"
}

const openNow = "mon-sun 00:00-24:00"

func TestRulesOfTheHouseHoldChangesUp(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	_, err := r.PutChangeRule(t.Context(), v1.ChangeRule{Name: "night", Pick: "name = th-sw-02", Hours: closedNow(), Approval: true})
	require.NoError(t, err)
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"})
	assert.Equal(t, []string{"change-window:night"}, rig.Findings(c))
	assert.Equal(t, []string{"night"}, c.NeedsApproval)
	_, err = r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60})
	rig.Problem(t, err, http.StatusConflict, v1.ProblemBlocked, "a finding is in the way")
	c, err = r.Push(t.Context(), c.Number, 0, v1.PushRequest{TrialSeconds: 60, InWindow: true})
	require.NoError(t, err)
	require.Equal(t, "waiting", c.State)
	assert.True(t, c.Waits.Approval)

	// It waits over a restart, for the word of somebody else, and for its hours.
	r.Restart(t)
	r.AwaitAll(t)
	_, err = r.Approve(t.Context(), c.Number, v1.ApproveRequest{})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "ada had a hand in change")
	bram := r.As(t, "bram", "operator")
	c, err = bram.Approve(t.Context(), c.Number, v1.ApproveRequest{Why: "seen"})
	require.NoError(t, err)
	assert.Equal(t, "waiting", c.State)
	viewer := r.As(t, "erin", "viewer")
	_, err = viewer.Approve(t.Context(), c.Number, v1.ApproveRequest{})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "")
	_, err = viewer.PutChangeRule(t.Context(), v1.ChangeRule{Name: "night", Hours: openNow})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "")
	vlan, _ := r.Runs(rig.Printer)
	assert.Equal(t, "20", vlan)
	_, err = r.PutChangeRule(t.Context(), v1.ChangeRule{Name: "night", Pick: "name = th-sw-02", Hours: openNow, Approval: true})
	require.NoError(t, err)
	r.Until(t, c.Number, "on-trial")
	vlan, _ = r.Runs(rig.Printer)
	assert.Equal(t, "40", vlan)
	_, err = r.Undo(t.Context(), c.Number)
	require.NoError(t, err)
	r.Until(t, c.Number, "undone")

	for says, rule := range map[string]v1.ChangeRule{
		"says in which hours": {Name: "x"}, "are no hours": {Name: "x", Hours: "mon 9-5"}, "not a time zone": {Name: "x", Hours: openNow, Zone: "Sound/Lantern"},
		"unknown field": {Name: "x", Pick: "prot = 3", Approval: true}, "not a valid name": {Name: "X", Approval: true},
	} {
		_, err = r.PutChangeRule(t.Context(), rule)
		assert.ErrorContains(t, err, says)
	}
	require.NoError(t, r.DropChangeRule(t.Context(), "night"))
	rig.Problem(t, r.DropChangeRule(t.Context(), "night"), http.StatusNotFound, v1.ProblemNotFound, "night")
}

func TestWaitingByCommand(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	term := rig.SignedIn(t, r)
	assert.Contains(t, term.Good("change-rules").Err, "There is no rule")
	term.Good("change-rule", "set", "core", "--title", "Four eyes", "--pick", "kind = switch", "--approval")
	assert.Regexp(t, `core +Four eyes +second person +kind = switch`, term.Good("change-rules").Out)
	term.Good("port", "set", rig.Printer, "vlan=40")
	assert.Contains(t, term.Good("change", "check", "1").Out, "A second person has to approve it (core).")
	assert.Contains(t, term.Good("change", "push", "1").Err, "Change 1 waits for the approval of a second person")
	assert.Contains(t, term.Good("change", "show", "1").Out, "Waits for the approval of a second person")
	assert.Equal(t, 3, term.Run("", "change", "discard", "1").Code, "what waits is first taken back")
	assert.Contains(t, term.Good("change", "withdraw", "1", "--why", "not yet").Out, "checked")
	assert.Contains(t, term.Good("change", "push", "1", "--at", "03:00").Err, "03:00")
	assert.Equal(t, 2, term.Run("", "change", "push", "1", "--at", "soon").Code)
	term.Good("change", "withdraw", "1")
	require.NoError(t, r.AddUser(t.Context(), v1.NewUser{Name: "dunstan", UserRequest: v1.UserRequest{Role: "security-officer"}, Password: rig.Password}))
	assert.Contains(t, rig.SignedInAs(t, r, "dunstan").Good("change", "approve", "1", "--why", "as agreed").Out, "dunstan approved it: as agreed")
	assert.Contains(t, term.Good("change", "push", "1", "--keep-after", "1s").Err, "Change 1 is kept")
	term.Good("change-rule", "remove", "core")
}

func TestWaitingByConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	r.As(t, "bram", "operator")
	c := r.Draft(t, [3]string{rig.Printer, "vlan", "40"})
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/changes?view=rules"), browser.Shows("There is no rule"), browser.Press("New rule"),
		browser.TypeInto("Name", "gates"), browser.TypeInto("Devices", "name = th-sw-02"), browser.TypeInto("Hours", "mon 9-5"), rig.InDialog("Keep the rule"), browser.Shows("are no hours"),
		chromedp.Evaluate(`document.querySelector("[role=dialog] input[placeholder^=mon]").select()`, nil), browser.TypeInto("Hours", closedNow()),
		chromedp.Click(`[role=dialog] input[type=checkbox]`), rig.InDialog("Keep the rule"), browser.Shows("a second person approves"),
		chromedp.Navigate(r.Base+"/changes?tray=1"), browser.Shows("Change 1"),
	))
	_, err := r.Check(t.Context(), c.Number)
	require.NoError(t, err)
	require.NoError(t, b.Run(
		browser.Shows("outside of the hours"), browser.Shows("asks for a second person"), browser.Shows("You had a hand in it"),
		browser.Choose("Begin", "window"), browser.Press("Have it wait"), rig.InDialog("Have it wait"), browser.Shows("Waits to be pushed"), browser.Shows("for the approval of a second person"),
	))
	other := rig.NewBrowser(t)
	require.NoError(t, other.Run(browser.SignIn(r.Base, "bram", rig.Password), browser.Shows("Tern Haven"), chromedp.Navigate(r.Base+"/changes?tray=1"), browser.Shows("Waits to be pushed"),
		chromedp.SendKeys(`input[aria-label="A word for the record"]`, "as agreed"), browser.Press("Approve it"), browser.Shows("approved by bram")))
	require.NoError(t, b.Run(browser.Shows("approved by bram"), browser.Press("Take it back"), browser.Shows("Push to 1 device"), browser.Shows("Throw away")))
}

const siteAnswers = `
system:
  time-zone: Europe/London
  ntp-servers: 10.1.10.1
vlans:
  - id: 77
    name: lockers
links: true
root: th-sw-01
ports:
  - on: [th-sw-02:1/1/23, th-sw-02:1/1/24]
    set: {description: "Locker #", vlan: "77", enabled: "on"}
`

func TestASiteIsSetUpByCommand(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	term := rig.SignedIn(t, r)
	file := filepath.Join(t.TempDir(), "answers.yaml")
	require.NoError(t, os.WriteFile(file, []byte(siteAnswers), 0o600))
	shown := term.Run("", "setup", "--site", "tern-haven", "--answers", file, "--dry-run")
	assert.Equal(t, 7, shown.Code, "something would be different")
	for _, want := range []string{`th-sw-02:1/1/24 +description +spare +Locker 2`, `th-sw-02:1/1/25 +trunk-vlans`, `th-sw-01 +stp-priority`, `th-fw-01:vlan/77 +name +- +lockers`} {
		assert.Regexp(t, want, shown.Out)
	}
	list, err := r.Changes(t.Context(), "")
	require.NoError(t, err)
	assert.Empty(t, list.Items, "nothing was made")
	term.Good("setup", "--site", "tern-haven", "--answers", file, "--yes", "--why", "lockers for the crew")
	c, err := r.Check(t.Context(), 1)
	require.NoError(t, err)
	_, err = r.Push(t.Context(), 1, 0, v1.PushRequest{TrialSeconds: 60, KeepSeconds: 1, Accept: rig.Findings(c)})
	require.NoError(t, err)
	r.Until(t, 1, "kept")
	assert.Contains(t, term.Good("setup", "--site", "tern-haven", "--answers", file, "--dry-run").Err, "Everything is already as it says")

	// Step by step, with mistakes.
	kept := filepath.Join(t.TempDir(), "kept.yaml")
	typed := "Bram Oar\n\nEurope/London\n\n\n\n" + "x\n78 stores\n\n" + "n\n\n" + "nonsense\nth-sw-02:1/1/22 description=\"Store room\" vlan=78\n\n" + "yes\n"
	asked := term.Run(typed, "setup", "th-sw-02", "--keep-answers", kept)
	require.Zero(t, asked.Code, asked.Err)
	assert.Contains(t, asked.Err, `"x" is no number of a VLAN`)
	assert.Contains(t, asked.Err, "name ports, and then settings")
	assert.Regexp(t, `th-sw-02:1/1/22 +description +Gate 2 +Store room`, asked.Out)
	assert.Contains(t, asked.Err, "In draft 2.")
	b, err := os.ReadFile(kept)
	require.NoError(t, err)
	assert.Contains(t, string(b), "stores")
	assert.Equal(t, 2, term.Run("", "setup").Code)
	assert.Equal(t, 2, term.Run("Bram\n", "setup", "th-sw-02").Code, "the input ended")
	nobody := term.Run("", "setup", "nobody", "--answers", kept)
	assert.Equal(t, 3, nobody.Code, nobody.Err)
	viewer := r.As(t, "erin", "viewer")
	_, err = viewer.Setup(t.Context(), v1.SetupRequest{Devices: []string{"th-sw-02"}, System: map[string]string{"contact": "x"}})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "")
	_, err = r.Setup(t.Context(), v1.SetupRequest{Devices: []string{"th-sw-02"}, System: map[string]string{"time-zone": "../etc"}})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, "time-zone")
}

func TestADeviceIsSetUpByConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/th-sw-02?tab=settings"), browser.Shows("Step by step…"),
		chromedp.Evaluate(`[...document.querySelectorAll("a")].find(a => a.innerText.startsWith("Step by step")).click()`, nil), browser.Shows("1 device will be set up"),
		browser.Press("System"), browser.TypeInto("Contact", "Coral Finch"),
		chromedp.Navigate(r.Base+"/setup?device=th-sw-02&step=3"), browser.Shows("made on every one"),
		browser.Press("A VLAN"), browser.Type(`input[aria-label=Number]`, "77"), browser.Type(`input[aria-label=Name]`, "lockers"),
		browser.Press("Links"), browser.Shows("Root of spanning tree"), chromedp.Click(`nav[aria-label=Steps] li:nth-child(5) button`), browser.Press("Some ports"),
		browser.Type(`input[aria-label=Ports]`, "th-sw-02:1/1/23 th-sw-02:1/1/24"), browser.Type(`input[aria-label=Description]`, "Locker #"), browser.Type(`input[aria-label=VLAN]`, "77"),
		browser.Press("Summary"), browser.Shows("Coral Finch"), browser.Shows("Locker 2"), browser.TypeInto("Why", "lockers"),
		browser.Press("Put into a new draft"), browser.Shows("Change 1"),
	))
	c, err := r.Change(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, "lockers", c.Why)
	var got []string
	for _, d := range c.Differences {
		got = append(got, d.Port+" "+d.Field+"="+d.After)
	}
	assert.Contains(t, got, "th-sw-02 contact=Coral Finch", "what was typed before the page was loaded anew")
	assert.Contains(t, got, "th-sw-02:vlan/77 name=lockers")
	assert.Contains(t, got, "th-sw-02:1/1/24 vlan=77")
}
