package upkeep_test

import (
	"net/http"
	"os"
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

// ended waits until a run is over.
func ended(t *testing.T, r *client.Client, number int64) v1.JobRunDetail {
	t.Helper()
	var run v1.JobRunDetail
	require.Eventually(t, func() bool {
		var err error
		run, err = r.JobRun(t.Context(), number)
		return err == nil && run.EndedAt != nil
	}, rig.WaitLong, rig.WaitStep, "run %d is not over", number)
	return run
}

// last is the last backup of a device.
func last(t *testing.T, r *rig.Rig, device string) v1.Backup {
	t.Helper()
	list, err := r.Backups(t.Context(), client.BackupQuery{Where: "name = " + device, Last: true, Limit: 10})
	require.NoError(t, err)
	require.Len(t, list.Items, 1)
	return list.Items[0]
}

// A device is brought back to what it ran, by a backup that was taken before, with the guards and the trial of any change.
func TestADeviceIsBroughtBackToABackup(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	then, err := r.TakeBackup(t.Context(), "th-sw-02")
	require.NoError(t, err)
	assert.Equal(t, [3]any{"hand", "ada", true}, [3]any{then.Why, then.By, then.Last})
	assert.NotEmpty(t, then.Firmware)
	r.PushAndKeep(t, r.Draft(t, [3]string{rig.Printer, "description", "Gone to the wicket"}, [3]string{rig.Printer, "vlan", "30"}))
	require.Eventually(t, func() bool { return last(t, r, "th-sw-02").Number != then.Number }, rig.WaitLong, rig.WaitStep, "what changed is kept by itself")

	differences, err := r.CompareBackup(t.Context(), then.Number, 0)
	require.NoError(t, err)
	var what []string
	for _, d := range differences.Items {
		what = append(what, d.Port+" "+d.Field)
	}
	assert.ElementsMatch(t, []string{rig.Printer + " description", rig.Printer + " vlan"}, what)
	c, err := r.RestoreBackup(t.Context(), then.Number, v1.BackupRestore{})
	require.NoError(t, err)
	assert.Contains(t, c.Why, "restores backup "+strconv.FormatInt(then.Number, 10))
	c, err = r.Check(t.Context(), c.Number)
	require.NoError(t, err)
	r.PushAndKeep(t, c)
	vlan, _ := r.Runs(rig.Printer)
	assert.Equal(t, "20", vlan)
	require.Eventually(t, func() bool {
		differences, err := r.CompareBackup(t.Context(), then.Number, 0)
		return err == nil && len(differences.Items) == 0
	}, rig.WaitLong, rig.WaitStep)
	_, err = r.RestoreBackup(t.Context(), then.Number, v1.BackupRestore{})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, "has all that backup")
	_, err = r.RestoreBackup(t.Context(), then.Number, v1.BackupRestore{Onto: "th-fw-01"})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, "only its policies can be restored there")
	_, err = r.RestoreBackup(t.Context(), then.Number, v1.BackupRestore{Onto: "nothing"})
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "nothing")
}

// A job backs up what it can: who does not answer fails alone, is said why, and is done again by itself once it is back; and a restart in the
// middle loses nothing.
func TestAJobBacksUpManyDevices(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t), rig.Attentive)
	require.NoError(t, r.World.Throw(standin.Hang, "th-ap-01"))
	j, err := r.MakeJob(t.Context(), v1.JobRequest{Kind: "backup", Title: "All of it"})
	require.NoError(t, err)
	require.NotNil(t, j.Last)
	r.Restart(t)
	run := ended(t, r.Client, j.Last.Number)
	assert.Equal(t, "failed", run.State)
	states := map[string]string{}
	for _, step := range run.Steps {
		states[step.Device] = step.State
		if step.Device == "th-ap-01" {
			assert.NotEmpty(t, step.Note, "it is said why")
		}
	}
	assert.Equal(t, "failed", states["th-ap-01"])
	delete(states, "th-ap-01")
	for device, state := range states {
		assert.Equal(t, "unchanged", state, device)
	}
	require.NoError(t, r.World.Throw(standin.Recover, "th-ap-01"))
	r.Connected(t, "th-ap-01")
	again, err := r.ActOnJobRun(t.Context(), run.Number, "retry")
	require.NoError(t, err)
	run = ended(t, r.Client, again.Number)
	assert.Equal(t, "done", run.State)
	assert.Len(t, run.Steps, 1)
	log, err := r.Log(t.Context(), "event.kind = job", 50)
	require.NoError(t, err)
	assert.Len(t, log.Items, 4, "two began and two ended")
	assert.Contains(t, strings.Join(r.Audited(t, ""), "\n"), "ada make-job")
}

func TestWhoMayDoWhatAboutJobsAndBackups(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	viewer, near := r.As(t, "coral", "viewer"), r.Confine(t, "bram", "operator", "name = th-sw-02")
	afar := r.Confine(t, "esker", "operator", "site = harbour-house")
	b := last(t, r, "th-sw-01")
	j, err := r.MakeJob(t.Context(), v1.JobRequest{Kind: "backup"})
	require.NoError(t, err)
	ended(t, r.Client, j.Last.Number)

	_, err = viewer.TakeBackup(t.Context(), "th-sw-01")
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "operate backups")
	_, err = viewer.MakeJob(t.Context(), v1.JobRequest{Kind: "backup"})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "")
	_, err = viewer.PutBackupRule(t.Context(), v1.BackupRule{Days: 1, Least: 1})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "administer backups")

	// Who is bound to one switch sees and backs up that one only.
	list, err := near.Backups(t.Context(), client.BackupQuery{Limit: 100})
	require.NoError(t, err)
	for _, one := range list.Items {
		assert.Equal(t, "th-sw-02", one.Device)
	}
	assert.NotEmpty(t, list.Items)
	for name, ask := range map[string]func() error{
		"get":     func() error { _, err := near.Backup(t.Context(), b.Number); return err },
		"content": func() error { _, err := near.BackupContent(t.Context(), b.Number); return err },
		"compare": func() error { _, err := near.CompareBackup(t.Context(), b.Number, 0); return err },
		"compare with": func() error {
			_, err := near.CompareBackup(t.Context(), last(t, r, "th-sw-02").Number, b.Number)
			return err
		},
		"pin":     func() error { _, err := near.PinBackup(t.Context(), b.Number, v1.BackupPin{Pinned: true}); return err },
		"restore": func() error { _, err := near.RestoreBackup(t.Context(), b.Number, v1.BackupRestore{}); return err },
		"onto": func() error {
			_, err := near.RestoreBackup(t.Context(), last(t, r, "th-sw-02").Number, v1.BackupRestore{Onto: "th-sw-01"})
			return err
		},
		"job":    func() error { _, err := near.Job(t.Context(), j.Number); return err },
		"run":    func() error { _, err := near.JobRun(t.Context(), j.Last.Number); return err },
		"begin":  func() error { _, err := near.ActOnJob(t.Context(), j.Number, "begin"); return err },
		"remove": func() error { return near.RemoveJob(t.Context(), j.Number) },
	} {
		var p *client.Problem
		require.ErrorAs(t, ask(), &p, name)
		assert.Equal(t, http.StatusNotFound, p.Status, name)
	}
	hits, err := near.SearchBackups(t.Context(), "hostname", "", true)
	require.NoError(t, err)
	for _, h := range hits.Items {
		assert.Equal(t, "th-sw-02", h.Device)
	}
	mine, err := near.MakeJob(t.Context(), v1.JobRequest{Kind: "backup"})
	require.NoError(t, err)
	run := ended(t, near, mine.Last.Number)
	require.Len(t, run.Steps, 1)
	assert.Equal(t, "th-sw-02", run.Steps[0].Device)
	_, err = afar.MakeJob(t.Context(), v1.JobRequest{Kind: "backup"})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, "picks no device")
	jobs, err := near.Jobs(t.Context())
	require.NoError(t, err)
	assert.Len(t, jobs.Items, 1, "only his own")
	_, err = r.ActOnJob(t.Context(), mine.Number, "begin")
	require.NoError(t, err, "who may everywhere may begin it")
}

func TestWhatIsNoJobIsRefused(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	for says, in := range map[string]v1.JobRequest{
		"recurrence rule (RFC 5545)": {Kind: "backup", When: v1.JobWhen{Rule: "each night"}},
		"time zone":                  {Kind: "backup", When: v1.JobWhen{Zone: "Nowhere/Atall"}},
		"picks no device":            {Kind: "backup", Where: "site = fulmar"},
		`takes no "colour"`:          {Kind: "backup", Args: map[string]string{"colour": "red"}},
	} {
		_, err := r.MakeJob(t.Context(), in)
		rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, says)
	}
	_, err := r.MakeJob(t.Context(), v1.JobRequest{Kind: "backup", Where: "knd = switch"})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemSelector, "did you mean `kind`?")
	jobs, err := r.Jobs(t.Context())
	require.NoError(t, err)
	assert.Empty(t, jobs.Items, "nothing is left of them")
	for path, body := range map[string]string{
		"/api/v1/jobs":                 `{"kind":"polish"}`,
		"/api/v1/jobs/1/acts":          `{"act":"dance"}`,
		"/api/v1/backups/1/restore":    `{"part":"half"}`,
		"/api/v1/devices/x/operations": `{}`,
	} {
		assert.Equal(t, http.StatusUnprocessableEntity, r.Call(t, r.Token, http.MethodPost, path, body), path)
	}
	assert.Equal(t, http.StatusNotFound, r.Call(t, r.Token, http.MethodPost, "/api/v1/jobs/99/acts", `{"act":"begin"}`))
	assert.Equal(t, http.StatusNotFound, r.Call(t, r.Token, http.MethodGet, "/api/v1/backups/999", ""))
	j, err := r.MakeJob(t.Context(), v1.JobRequest{Kind: "backup", When: v1.JobWhen{At: ptr(time.Now().Add(time.Hour))}})
	require.NoError(t, err)
	_, err = r.ActOnJob(t.Context(), j.Number, "retry")
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, "is of a run")
	held, err := r.ActOnJob(t.Context(), j.Number, "hold")
	require.NoError(t, err)
	assert.Equal(t, "held", held.State)
	assert.Nil(t, held.NextAt)
}

func ptr[T any](v T) *T { return &v }

func TestJobsAndBackupsByCommand(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := rig.SignedIn(t, r)
	done := c.Good("backup", "kind = switch")
	assert.Regexp(t, `th-sw-02 +unchanged: it still runs backup \d+`, done.Out)
	assert.Contains(t, done.Err, "is done: 2 unchanged")
	assert.Contains(t, c.Good("backup", "--every", "FREQ=DAILY;BYHOUR=2", "--zone", "Europe/London", "--title", "Nightly").Err, "It is done every day at 02:00 (Europe/London)")
	assert.Regexp(t, `2 +Nightly +active +every day at 02:00 \(Europe/London\) +\d+ \w+ \d\d:00`, c.Good("jobs").Out)
	assert.Contains(t, c.Good("job", "hold", "2").Err, "is held")
	assert.Contains(t, c.Good("job", "release", "2").Err, "is active")
	assert.Contains(t, c.Good("job", "begin", "2").Err, "is done")
	assert.Contains(t, c.Good("job", "2").Out, "done")
	assert.Regexp(t, `th-fw-01 +1 +unchanged`, c.Good("job", "run", "2").Out)
	for _, bad := range [][]string{{"job", "first"}, {"backup", "--every", "often"}, {"backup", "--at", "soon"}, {"backup", "--zone", "Nowhere/Atall"}, {"backup", "show", "0"}} {
		assert.Equal(t, 2, c.Run("", bad...).Code, "%v", bad)
	}
	assert.Equal(t, 3, c.Run("", "job", "99").Code)

	b := last(t, r, "th-sw-02")
	n := strconv.FormatInt(b.Number, 10)
	assert.Regexp(t, n+` +th-sw-02 .*job of ada`, c.Good("backups", "--last").Out)
	assert.Contains(t, c.Good("backup", "show", n).Out, "<hostname>th-sw-02</hostname>")
	file := filepath.Join(t.TempDir(), "x.xml")
	c.Good("backup", "show", n, "--file", file)
	content, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Contains(t, string(content), "<hostname>th-sw-02</hostname>")
	assert.NotContains(t, string(content), rig.DevicePassword)
	assert.Regexp(t, n+` +th-sw-02 +\d+ +<hostname>th-sw-02</hostname>`, c.Good("backups", "--find", "th-sw-02</host").Out)
	assert.Contains(t, c.Good("backups", "--find", "no such line").Err, "holds \"no such line\"")
	assert.Contains(t, c.Good("backup", "compare", n).Err, "No setting differs.")
	assert.Contains(t, c.Good("backup", "pin", n, "--note", "as accepted").Err, "is pinned")
	assert.Contains(t, c.Good("backups", "--last").Out, "pinned: as accepted")
	assert.Contains(t, c.Good("backup", "rule", "--days", "90").Out, "90 days")
	assert.Contains(t, c.Good("backup", "rule").Out, "90 days")
	r.PushAndKeep(t, r.Draft(t, [3]string{rig.Printer, "description", "Gone"}))
	require.Eventually(t, func() bool { return last(t, r, "th-sw-02").Number != b.Number }, rig.WaitLong, rig.WaitStep)
	assert.Regexp(t, rig.Printer+` +description +\S+.* +Gone`, c.Good("backup", "compare", n).Out)
	assert.Contains(t, c.Good("backup", "restore", n).Out, "restores backup "+n)
	day := time.Now().UTC().AddDate(0, 0, 2).Format("Mon")
	assert.Contains(t, c.Good("backup", "--hours", strings.ToLower(day)+" 00:00-24:00", "--zone", "UTC").Err, "waits for its hours")
	assert.Contains(t, c.Good("job", "remove", "2").Err, "is removed")
	assert.Equal(t, 3, c.Run("", "job", "2").Code)
}

func TestJobsAndBackupsByConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/jobs"), browser.Shows("There are no jobs yet"),
		browser.Press("New job"), browser.TypeInto("Title", "Nightly"), browser.Choose("When", "daily"), browser.Press("Make the job"),
		browser.Shows("every day at 02:00"), browser.Shows("Nightly"),
		browser.Press("Do it now"), browser.Shows("Run 1"), browser.Shows("unchanged"), browser.Until(`document.querySelector("section[aria-label=Steps]").innerText.includes("th-sw-02")`),
		browser.Press("Hold"), browser.Shows("It is held"), chromedp.Reload(), browser.Shows("It is held"), browser.Press("Release"), browser.Shows("Next "),
		browser.Press("Remove…"), browser.Shows("Remove job 1?"), browser.On(`[...document.querySelectorAll("[role=dialog] button")].find(b => b.innerText === "Remove")`, "e.click()"), browser.Shows("There are no jobs yet"),
	))
	n := last(t, r, "th-sw-02").Number
	r.PushAndKeep(t, r.Draft(t, [3]string{rig.Printer, "description", "Gone to the wicket"}))
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/backups?backup="+strconv.FormatInt(n, 10)), browser.Shows("Backup "+strconv.FormatInt(n, 10)+" of th-sw-02"),
		browser.Shows("Gone to the wicket"),
		browser.Type(`[aria-label="Note"]`, "as accepted"), browser.Press("Keep the note"), browser.Press("never drop it"), browser.Until(`document.querySelector("input[type=checkbox]").checked`),
		browser.Press("Restore…"), browser.TypeInto("Onto", "th-fw-01"), browser.Press("Make the draft"), browser.Shows("only its policies can be restored"),
		browser.Replace("[role=dialog] input", "th-sw-02"), browser.Press("Make the draft"), browser.Shows("Take out"),
		chromedp.Navigate(r.Base+"/backups"), browser.Type(`input[placeholder="10.1.10.5"]`, "th-fw-01</host"), browser.Shows("1 line in"), browser.Shows("<hostname>th-fw-01</hostname>"),
	))
	pinned, err := r.Backup(t.Context(), n)
	require.NoError(t, err)
	assert.Equal(t, [2]any{true, "as accepted"}, [2]any{pinned.Pinned, pinned.Note})
	assert.Empty(t, b.Complaints)
}
