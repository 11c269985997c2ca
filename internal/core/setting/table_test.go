package setting

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"example.net/everypost/internal/core/network"
)

// note is a table with a column of many words.
var note = Value{table: &table{one: "Line", most: 3, highest: 100, example: `allow to web log on note "until Friday"`, columns: []Column{
	{Name: "action", Title: "Action", Value: choice("allow", "deny")},
	{Name: "to", Title: "To", Lead: "to", Value: text(40)},
	{Name: "log", Title: "Log", Lead: "log", Default: "off", Value: onOff()},
	{Name: "note", Title: "Note", Lead: "note", Default: "none", Value: text(40)},
}}}

func TestRowsAreReadAndWritten(t *testing.T) {
	for text, want := range map[string]string{
		"allow to web":                                  "allow to web",
		" DENY  to  web  log off ":                      "deny to web",
		`allow to "two words" log yes note "a \" mark"`: `allow to "two words" log on note "a \" mark"`,
		`allow to log note note`:                        `allow to log note note`,
	} {
		cells, err := note.Cells(text)
		require.NoError(t, err, text)
		written, err := note.RowText(cells)
		require.NoError(t, err)
		assert.Equal(t, want, written)
	}
	for text, says := range map[string]string{
		"":                        "the action is missing (allow or deny)",
		"permit to web":           `action: "permit" is not one of allow or deny`,
		"allow web":               `"to" is missing, and after it text of at most 40 characters`,
		"allow to":                `"to" stands at the end`,
		"allow to web on Sundays": `"on" was not expected`,
		`allow to "web`:           "a quote is open",
	} {
		_, err := note.Cells(text)
		assert.ErrorContains(t, err, says, text)
	}
}

// Whatever stands in the cells of a row: its text is read to the same again.
func TestARowIsReadAsItWasWritten(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		want := Cells{"action": rapid.SampledFrom([]string{"allow", "deny"}).Draw(t, "action"), "to": rapid.StringMatching(`[ -~]{1,12}`).Draw(t, "to"),
			"log": rapid.SampledFrom([]string{"on", "off"}).Draw(t, "log"), "note": rapid.StringMatching(`[ -~]{1,12}`).Draw(t, "note")}
		for _, c := range []string{"to", "note"} {
			want[c] = strings.TrimSpace(want[c]) // as of every setting
		}
		if want["to"] == "" || want["note"] == "" {
			t.Skip("an empty note is none")
		}
		text, err := note.RowText(want)
		require.NoError(t, err)
		got, err := note.Cells(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got)
	})
}

func TestATableIsNumbered(t *testing.T) {
	s, err := Lookup(OnACL, "rules")
	require.NoError(t, err)
	for text, want := range map[string]string{
		"permit ip from any to any":                                        "10 permit ip from any to any",
		"permit ip from any to any\n\ndeny ip from any to any":             "10 permit ip from any to any\n20 deny ip from any to any",
		"15 permit ip from any to any\ndeny ip from any to any":            "15 permit ip from any to any\n20 deny ip from any to any",
		"30 deny ip from any to any\n7 permit icmp from 10.1.1.1 to any":   "7 permit icmp from 10.1.1.1/32 to any\n30 deny ip from any to any",
		"permit tcp from any to any port 80-90\n5 deny ip from any to any": "5 deny ip from any to any\n10 permit tcp from any to any port 80-90",
		"permit udp from any port 53 to 10.9.9.9/8\n":                      "10 permit udp from any port 53 to 10.0.0.0/8",
		"": "",
	} {
		got, err := s.Value.Normal(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got)
		again, err := s.Value.Normal(got)
		require.NoError(t, err)
		assert.Equal(t, want, again, "the normal form stays")
	}
	for text, says := range map[string]string{
		"10 permit ip from any to any\n10 deny ip from any to any":   "row 10 is there twice",
		"0 permit ip from any to any":                                `"0" is not the number of a row`,
		"65536 permit ip from any to any":                            `is not the number of a row`,
		"65535 permit ip from any to any\npermit ip from any to any": "row 65540: the highest number of a row is 65535",
		"permit icmp from any to any port 7":                         "row 10: icmp has no ports",
		strings.Repeat("permit ip from any to any\n", 257):           "at most 256 rows",
	} {
		_, err := s.Value.Normal(text)
		assert.ErrorContains(t, err, says)
	}
}

func TestARowIsASetting(t *testing.T) {
	c := network.Config{Features: []network.Feature{AccessLists}, Objects: map[string]network.Settings{"acl/a": {}}}
	row, err := Lookup(OnACL, "rules/20")
	require.NoError(t, err)
	require.NoError(t, row.Set(&c, "acl/a", "deny ip from any to any"))
	assert.Equal(t, network.Settings{"rules/20": "deny ip from any to any"}, c.Objects["acl/a"])
	whole, err := Lookup(OnACL, "rules")
	require.NoError(t, err)
	text, err := whole.Get(c, "acl/a")
	require.NoError(t, err)
	assert.Equal(t, "20 deny ip from any to any", text)
	var names []string
	for _, s := range OfObject(c, "acl/a") {
		names = append(names, s.Name)
	}
	assert.Equal(t, []string{"present", "rules/20"}, names)
	require.NoError(t, row.Set(&c, "acl/a", ""))
	assert.Empty(t, c.Objects["acl/a"])
	for _, name := range []string{"rules/0", "rules/x", "rules/020", "rules/65536", "rules/", "rows/10"} {
		_, err := Lookup(OnACL, name)
		assert.ErrorIs(t, err, ErrUnknown, name)
	}
	var lines []Row
	for n := range 256 {
		lines = append(lines, Row{n + 1, "deny ip from any to any"})
	}
	require.NoError(t, whole.Set(&c, "acl/a", Lines(lines)))
	more, err := Lookup(OnACL, "rules/300")
	require.NoError(t, err)
	assert.ErrorContains(t, more.Set(&c, "acl/a", "deny ip from any to any"), "257 rows")
}

func TestPlacesOfRows(t *testing.T) {
	for _, c := range []struct {
		at   string
		rows []int
		want int
		says string
	}{
		{"last", nil, 10, ""}, {"first", nil, 10, ""}, {"last", []int{10, 20}, 30, ""}, {"last", []int{15}, 20, ""}, {"first", []int{10, 20}, 5, ""},
		{"first", []int{40}, 10, ""}, {"before-20", []int{10, 20}, 15, ""}, {"after-10", []int{10, 40}, 20, ""}, {"after-40", []int{10, 40}, 50, ""},
		{"before-11", []int{10, 11}, 0, "no number free"}, {"first", []int{1}, 0, "no number free"}, {"last", []int{100}, 0, "no number free"},
		{"before-30", []int{10}, 0, "there is no row 30"}, {"last", []int{95}, 100, ""}, {"last", []int{99}, 100, ""},
	} {
		p, err := ParsePlace(c.at)
		require.NoError(t, err)
		n, err := p.Number(c.rows, 100)
		if c.says != "" {
			assert.ErrorContains(t, err, c.says, "%+v", c)
			continue
		}
		require.NoError(t, err, "%+v", c)
		assert.Equal(t, c.want, n, "%+v", c)
	}
	for _, s := range []string{"", "between", "before", "before-0", "before-x", "first-3", "after--1"} {
		_, err := ParsePlace(s)
		assert.ErrorContains(t, err, "is no place", s)
	}
}

// Wherever a row is put, its number is free and stands there; and rows that are numbered anew keep their order.
func TestARowStandsWhereItWasPut(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rows := rapid.SliceOfNDistinct(rapid.IntRange(1, 200), 1, 60, rapid.ID).Draw(t, "rows")
		slices.Sort(rows)
		i := rapid.IntRange(0, len(rows)-1).Draw(t, "at")
		where := rapid.SampledFrom([]string{"first", "last", "before", "after"}).Draw(t, "where")
		text := where
		if where == "before" || where == "after" {
			text = fmt.Sprintf("%s-%d", where, rows[i])
		}
		p, err := ParsePlace(text)
		require.NoError(t, err)
		want := map[string]int{"first": 0, "last": len(rows), "before": i, "after": i + 1}[where]
		if n, err := p.Number(rows, 200); err == nil {
			at, taken := slices.BinarySearch(rows, n)
			assert.False(t, taken)
			assert.Equal(t, want, at)
			assert.LessOrEqual(t, n, 200)
		} else {
			low, high := 0, 201
			if want > 0 {
				low = rows[want-1]
			}
			if want < len(rows) {
				high = rows[want]
			}
			assert.Equal(t, 1, high-low, "there was room")
		}
		to, err := Renumbered(rows, 200)
		require.NoError(t, err)
		for k := 1; k < len(rows); k++ {
			assert.Less(t, to[rows[k-1]], to[rows[k]])
		}
	})
}
