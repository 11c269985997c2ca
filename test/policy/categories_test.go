package policy_test

import (
	"net/http"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// A list of the house says what is in which category, whatever firewalls take it for: inspections go by it; one that is taken in again takes its place.
func TestAListSaysWhatIsInACategory(t *testing.T) {
	t.Parallel()
	r := northgate(t)
	cli, dir := rig.SignedIn(t, r), t.TempDir()
	list := func(text string) string {
		path := filepath.Join(dir, "house.txt")
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		return path
	}
	into := func(args ...string) v1.Change {
		cli.Good(append([]string{"policy", "categories", "house"}, args...)...)
		all, err := r.Changes(t.Context(), "")
		require.NoError(t, err)
		c, err := r.Check(t.Context(), all.Items[0].Number)
		require.NoError(t, err)
		return c
	}
	r.PushAndKeep(t, r.Draft(t, [3]string{"ng-fw-01:inspection/surfing", "web-block", "sport"}))
	r.PushAndKeep(t, into(list("example.net sport # and all below it\nbets.example.net gambling\n"), "--where", "name = ng-fw-01"))
	foundOf(t, r, "category sport", func(f v1.InspectionFound) bool { return f.Blocked > 0 })
	assert.Contains(t, r.Asked(t, "ng-fw-01", `<firewall xmlns="urn:everypost:yang:ep-firewall"><web-category/></firewall>`), "<name>sport</name><names><name>example.net</name></names>")
	assert.Contains(t, cli.Good("policy", "ng-fw-01", "--names").Out, "bets.example.net")

	bad := cli.Run("", "policy", "categories", "house", list("tides.example.net sport\nnowhere sport\n"))
	assert.NotZero(t, bad.Code)
	assert.Contains(t, bad.Err, "line 2: \"nowhere\" is no domain")
	_, err := r.As(t, "vera", "viewer").TakeInWebList(t.Context(), v1.WebListRequest{Name: "house", Where: "kind = firewall", Text: "a.example.net sport"})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "change")
	_, err = r.TakeInWebList(t.Context(), v1.WebListRequest{Name: "no/name", Where: "kind = firewall", Text: "a.example.net sport"})
	require.ErrorContains(t, err, "name")

	r.PushAndKeep(t, into(list("bets.example.net gambling\n"), "--where", "name = ng-fw-01"))
	assert.NotContains(t, r.Asked(t, "ng-fw-01", `<firewall xmlns="urn:everypost:yang:ep-firewall"><web-category/></firewall>`), "sport")
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(chromedp.Navigate(r.Base+"/policies?firewall=ng-fw-01&names=web-category"), browser.Shows("gambling"), browser.Press("Take in a list…"), browser.TypeInto("Name", "crew"),
		chromedp.SetUploadFiles(`input[type=file]`, []string{list("crew.example.net internal\n")}), rig.InDialog("Into the draft"), rig.NoDialog, browser.Shows("crew.example.net")))
	assert.Empty(t, b.Complaints)
}
