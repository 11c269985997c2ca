package settings_test

import (
	"cmp"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

const desks = "th-sw-02:acl/desks"

// withList starts a rig of which a switch has an access list of two rules.
func withList(t *testing.T) *rig.Rig {
	r := rig.Start(t, rig.World(t))
	r.KeepRows(t, v1.BulkRow{On: []string{desks}, Set: map[string]string{"present": "on", "rules": "deny tcp from any to 10.20.50.0/24\npermit ip from 10.20.0.0/16 to any"}})
	return r
}

// sequence is the sequence numbers of the list as the device has them.
func sequence(t *testing.T, r *rig.Rig) (out []string) {
	text := r.Asked(t, "th-sw-02", `<acl xmlns="http://openconfig.net/yang/acl"><acl-sets/></acl>`)
	for part := range strings.SplitSeq(text, "<acl-entry><sequence-id>") {
		if id, _, ok := strings.Cut(part, "</sequence-id>"); ok && !strings.Contains(id, "<") {
			out = append(out, id)
		}
	}
	slices.SortFunc(out, func(a, b string) int { return cmp.Or(len(a)-len(b), strings.Compare(a, b)) })
	return out
}

// Two people change one list: what does not touch is merged, what does is told; and the device gets the rows that differ.
func TestTwoPeopleChangeOneList(t *testing.T) {
	t.Parallel()
	r := withList(t)
	assert.Equal(t, []string{"10", "20"}, sequence(t, r))
	bram := r.As(t, "bram", "administrator")
	mine, err := r.Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{{On: []string{desks}, Steps: []v1.TableStep{
		{Table: "rules", Act: "add", Text: "permit tcp from 10.20.40.0/24 to any port 443", At: "before-20"}, {Table: "rules", Act: "move", Row: 20, At: "first"}}}}})
	require.NoError(t, err)
	his, err := bram.Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{{On: []string{desks}, Steps: []v1.TableStep{
		{Table: "rules", Act: "add", Text: "deny udp from any to any", At: "before-20"}, {Table: "rules", Act: "add", Text: "deny icmp from any to any"}}}}})
	require.NoError(t, err)
	for _, d := range mine.Change.Differences {
		assert.Equal(t, desks, d.Port)
		assert.Contains(t, []string{"rules/5", "rules/15", "rules/20"}, d.Field)
	}
	seen, err := bram.Change(t.Context(), his.Change.Number)
	require.NoError(t, err)
	require.Len(t, seen.Overlaps, 1, "told before anybody pushes")
	assert.Equal(t, "rules/15", seen.Overlaps[0].Field)

	checked, err := r.Check(t.Context(), mine.Change.Number)
	require.NoError(t, err)
	r.PushAndKeep(t, checked)
	assert.Equal(t, []string{"5", "10", "15"}, sequence(t, r))
	met, err := bram.Check(t.Context(), his.Change.Number)
	require.NoError(t, err)
	var stop *v1.Finding
	for i, f := range met.Findings {
		if f.Guard == "row-changed" {
			require.Nil(t, stop, "the other row is in nobody's way")
			stop = &met.Findings[i]
		}
	}
	require.NotNil(t, stop)
	assert.Equal(t, "stop", stop.Level)
	assert.Contains(t, stop.What, `Row 15 of th-sw-02:acl/desks was changed by somebody else. There was none when it was drafted, and it is "permit tcp from 10.20.40.0/24 to any port 443" now.`)
	_, err = bram.Push(t.Context(), met.Number, 0, v1.PushRequest{})
	rig.Problem(t, err, http.StatusConflict, v1.ProblemBlocked, "")

	// Set all the same, it is.
	fix := stop.Fix[0]
	_, err = bram.Bulk(t.Context(), v1.BulkRequest{Change: met.Number, Rows: []v1.BulkRow{{On: []string{fix.Port}, Set: map[string]string{fix.Field: fix.Value}}}})
	require.NoError(t, err)
	met, err = bram.Check(t.Context(), met.Number)
	require.NoError(t, err)
	for _, f := range met.Findings {
		assert.NotEqual(t, "row-changed", f.Guard)
	}
	r.PushAndKeep(t, met)
	d, err := r.Device(t.Context(), "th-sw-02")
	require.NoError(t, err)
	for _, o := range d.Objects {
		if o.Name == "acl/desks" {
			assert.Equal(t, map[string]string{"rules/5": "permit ip from 10.20.0.0/16 to any", "rules/10": "deny tcp from any to 10.20.50.0/24",
				"rules/15": "deny udp from any to any", "rules/30": "deny icmp from any to any"}, o.Known)
		}
	}
	assert.Equal(t, []string{"5", "10", "15", "30"}, sequence(t, r))

	_, err = r.Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{{On: []string{desks}, Set: map[string]string{"rules/40": "permit all"}}}})
	rig.Problem(t, err, http.StatusUnprocessableEntity, v1.ProblemInvalid, "protocol")
	_, err = r.As(t, "coral", "viewer").Bulk(t.Context(), v1.BulkRequest{Rows: []v1.BulkRow{{On: []string{desks}, Steps: []v1.TableStep{{Table: "rules", Act: "renumber"}}}}})
	rig.Problem(t, err, http.StatusForbidden, v1.ProblemForbidden, "")
}

func TestRowsByCommand(t *testing.T) {
	t.Parallel()
	r := withList(t)
	c := rig.SignedIn(t, r)
	assert.Contains(t, c.Good("rows", desks).Out, "20   permit ip from 10.20.0.0/16 to any")
	assert.Contains(t, c.Good("rows", "add", desks, "permit udp from any to any port 53", "--at", "first", "--why", "names").Out, "rules/5")
	assert.Contains(t, c.Good("rows", "move", desks, "20", "--at", "before-10", "--change", "2").Out, "rules/7")
	assert.Contains(t, c.Good("rows", "renumber", desks, "--change", "2").Out, "rules/30")
	assert.Contains(t, c.Good("rows", "remove", desks, "30", "--change", "2").Err, "1 set")
	out := c.Good("rows", desks, "--change", "2").Out
	assert.Regexp(t, `(?s)10 +permit udp from any to any port 53.*20 +permit ip from 10.20.0.0/16`, out)
	assert.NotContains(t, out, "30")
	assert.NotContains(t, c.Good("rows", desks).Out, "udp", "nothing is sent before it is pushed")

	bad := c.Run("", "rows", "move", desks, "77", "--change", "2")
	assert.Equal(t, 3, bad.Code)
	assert.Contains(t, bad.Err, "there is no row 77")
	bad = c.Run("", "rows", "remove", desks, "first")
	assert.Equal(t, 2, bad.Code)
	assert.Contains(t, bad.Err, `"first" is not the number of a row`)
	bad = c.Run("", "rows", "th-sw-02:1/1/7")
	assert.Equal(t, 2, bad.Code)
	assert.Contains(t, bad.Err, "has no table")
}

func TestRowsByConsole(t *testing.T) {
	t.Parallel()
	r := withList(t)
	b := rig.OpenConsole(t, r)
	cell := func(label, value string) chromedp.Action {
		return browser.On(`document.querySelector("[aria-label='`+label+`']")`, `Object.getOwnPropertyDescriptor(Object.getPrototypeOf(e), "value").set.call(e, "`+value+`"),
			e.dispatchEvent(new Event("input", {bubbles: true})), e.dispatchEvent(new Event("change", {bubbles: true}))`)
	}
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/th-sw-02?tab=settings&object=acl/desks"), browser.Shows("10.20.50.0/24"),
		browser.Press("Add a row after 10"), cell("Action of row 15", "deny"), cell("Protocol of row 15", "udp"), cell("Port of row 15 (to-port)", "99999"), browser.Press("Done"),
		browser.Press("Put into a new draft"), browser.Shows(`"99999" is not a port`), // nothing typed is lost
		browser.Press("Change row 15"), cell("Port of row 15 (to-port)", "53"), browser.Press("Done"),
		browser.Press("Move row 20 up"), browser.Press("Take row 10 out"), browser.Press("Put into a new draft"), browser.Shows("Change 2"),
	))
	c, err := r.Change(t.Context(), 2)
	require.NoError(t, err)
	var said []string
	for _, e := range c.Edits {
		said = append(said, e.Field+"="+e.Value)
	}
	assert.ElementsMatch(t, []string{"rules/10=", "rules/15=permit ip from 10.20.0.0/16 to any", "rules/20=deny udp from any to any port 53"}, said)
	assert.Empty(t, b.Complaints)
}
