package upkeep_test

import (
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// What another system kept of a device from before it was enrolled is listed in its place in time, compared, searched and restored; secrets in it are
// sealed, and what could not have been is refused.
func TestConfigurationsFromBeforeAreTakenOver(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	cli, dir := rig.SignedIn(t, r), t.TempDir()
	now := last(t, r, "th-sw-02")
	document := strings.Replace(string(r.World.Running("th-sw-02").Indented()), "Office desk 2", "Old wicket", 1)
	require.Contains(t, document, "Old wicket")
	document = strings.Replace(document, "</data>", `<switching xmlns="urn:everypost:yang:ep-switching"><authentication><secret>lamp oil and wicks</secret></authentication></switching></data>`, 1)
	file := func(name, text string) string {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		return path
	}
	old := file("old.xml", document)
	said := cli.Good("backup", "import", "th-sw-02", old, "--taken", "2026-10-12T08:00", "--changed-by", "coral", "--model", "H24P")
	assert.Contains(t, said.Err+said.Out, "of th-sw-02, of 12 Oct 2026 08:00")
	list, err := r.Backups(t.Context(), client.BackupQuery{Where: "name = th-sw-02", Limit: 10})
	require.NoError(t, err)
	require.Len(t, list.Items, 2)
	assert.Equal(t, now.Number, list.Items[0].Number, "the newest comes first")
	assert.True(t, list.Items[0].Last)
	past := list.Items[1]
	assert.Equal(t, [4]any{"import", "ada", "coral", "H24P"}, [4]any{past.Why, past.By, past.ChangedBy, past.Model})
	one, err := r.Backups(t.Context(), client.BackupQuery{Where: "name = th-sw-02", Limit: 1})
	require.NoError(t, err)
	assert.NotEmpty(t, one.Next)
	content, err := r.BackupContent(t.Context(), past.Number)
	require.NoError(t, err)
	assert.Contains(t, string(content), "Old wicket")
	assert.NotContains(t, string(content), "lamp oil", "secrets are sealed")
	differences, err := r.CompareBackup(t.Context(), past.Number, 0)
	require.NoError(t, err)
	assert.True(t, slices.ContainsFunc(differences.Items, func(d v1.Difference) bool {
		return d.Field == "description" && d.Before == "Old wicket" && d.After == "Office desk 2"
	}), "%v", differences.Items)
	draft, err := r.RestoreBackup(t.Context(), past.Number, v1.BackupRestore{})
	require.NoError(t, err)
	assert.NotEmpty(t, draft.Edits)
	assert.Contains(t, cli.Good("backups", "name", "=", "th-sw-02").Out, "changed by coral, taken over by ada")

	for says, args := range map[string][]string{
		"is kept already":            {"th-sw-02", old, "--taken", "2026-10-12T08:00"},
		"was enrolled at":            {"th-sw-02", old, "--taken", time.Now().Add(time.Hour).Format("2006-01-02T15:04")},
		"older than 20 years":        {"th-sw-02", old, "--taken", "1999-01-01"},
		"no document":                {"th-sw-02", file("words.txt", "hostname th-sw-02"), "--taken", "2026-10-13"},
		"neither interfaces":         {"th-sw-02", file("other.xml", "<recipe><flour/></recipe>"), "--taken", "2026-10-13"},
		"write a time such as":       {"th-sw-02", old, "--taken", "last week"},
		"no such file":               {"th-sw-02", filepath.Join(dir, "nowhere.xml"), "--taken", "2026-10-13"},
		"device th-sw-99: not found": {"th-sw-99", old, "--taken", "2026-10-13"},
		"it is no such file":         {"th-sw-02", file("large.xml", strings.Repeat("x", 4_000_001)), "--taken", "2026-10-13"},
		"\"taken\" not set":          {"th-sw-02", old},
	} {
		bad := cli.Run("", append([]string{"backup", "import"}, args...)...)
		assert.NotZero(t, bad.Code, says)
		assert.Contains(t, bad.Err, says)
	}
	in := v1.BackupImport{TakenAt: time.Now().AddDate(0, -1, 0), Document: document}
	_, err = r.As(t, "vera", "operator").ImportBackup(t.Context(), "th-sw-02", in)
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "administer")
	_, err = r.Confine(t, "bram", "administrator", "name = th-sw-01").ImportBackup(t.Context(), "th-sw-02", in)
	rig.Problem(t, err, http.StatusNotFound, v1.ProblemNotFound, "")
	assert.Contains(t, strings.Join(r.Audited(t, ""), "\n"), "import-backup")

	r.Restart(t)
	again, err := r.Backups(t.Context(), client.BackupQuery{Where: "name = th-sw-02", Limit: 10})
	require.NoError(t, err)
	assert.Len(t, again.Items, 2)
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(chromedp.Navigate(r.Base+"/backups?all=1"), browser.Shows("taken over by ada"), browser.Press("Take over…"), browser.Shows("Take over a configuration"),
		browser.TypeInto("Device", "th-sw-02"), chromedp.SetUploadFiles(`input[type=file]`, []string{old}),
		browser.On(`document.querySelector("input[type=datetime-local]")`, `Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(e, "2026-09-01T08:00"), e.dispatchEvent(new Event("input", {bubbles: true}))`),
		rig.InDialog("Take it over"), rig.NoDialog))
	assert.Empty(t, b.Complaints)
	final, err := r.Backups(t.Context(), client.BackupQuery{Where: "name = th-sw-02", Limit: 10})
	require.NoError(t, err)
	assert.Len(t, final.Items, 3)
}
