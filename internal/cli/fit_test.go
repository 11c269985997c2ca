package cli

import (
	"strings"
	"testing"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// However narrow the terminal is, no line of a list is longer, and the first column is always there.
func TestListsFitTheTerminal(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		columns := rapid.IntRange(1, 12).Draw(t, "columns")
		cell := rapid.StringMatching(`[a-z ]{0,60}`)
		header := rapid.SliceOfN(rapid.StringMatching(`[a-z]{1,12}`), columns, columns).Draw(t, "header")
		rows := rapid.SliceOfN(rapid.SliceOfN(cell, columns, columns), 0, 5).Draw(t, "rows")
		width := rapid.IntRange(40, 200).Draw(t, "width")
		h, r, left := fitted(header, rows, width)
		require.NotEmpty(t, h)
		require.Len(t, left, columns-len(h))
		total := between * len(h)
		for i := range h {
			w := text.StringWidthWithoutEscSequences(h[i])
			for _, row := range r {
				w = max(w, text.StringWidthWithoutEscSequences(row[i]))
			}
			total += w
		}
		if len(h) > 1 {
			require.LessOrEqual(t, total, width)
		}
		if len(left) == 0 && width >= 200 && columns == 1 {
			require.Equal(t, header, h)
		}
	})
}

func TestListsAreArranged(t *testing.T) {
	a, out := plain()
	header, rows := []string{"device", "site", "kind"}, [][]string{{"a", "north", "switch"}, {"b", "south", "edge"}, {"c", "north", "edge"}}
	a.columns, a.groupBy = []string{"Kind", "device"}, "site"
	require.NoError(t, a.list(nil, header, rows, ""))
	assert.Equal(t, "north (2)\nkind    device\n────────────────\nswitch  a\nedge    c\n\nsouth (1)\nkind  device\n──────────────\nedge  b\n", out.String())
	a, _ = plain()
	a.columns = []string{"colour"}
	err := a.list(nil, header, rows, "")
	require.ErrorContains(t, err, `there is no column "colour": there are device, site, kind`)
	assert.Equal(t, ExitUsage, ExitCode(err))
	a, out = plain()
	a.format, a.columns = "csv", []string{"device"}
	require.NoError(t, a.list(nil, header, [][]string{{"=cmd|x", "", ""}}, ""))
	assert.Equal(t, "device\n'=cmd|x\n", out.String())
}

// said runs a command line and returns the exit code and what was said.
func said(t *testing.T, args ...string) (int, string) {
	t.Helper()
	t.Setenv("HOME", t.TempDir())
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	t.Setenv("EVERYPOST_TOKEN", "ept_none")
	root := Root("test")
	var out strings.Builder
	root.SetOut(&out)
	root.SetErr(&out)
	root.SetIn(strings.NewReader(""))
	root.SetArgs(append([]string{"--server", "http://127.0.0.1:1"}, args...))
	return Run(t.Context(), root), out.String()
}

// What is wrong with a command line is said first, then how it is written, then where to read on.
func TestWrongCommandLines(t *testing.T) {
	for line, want := range map[string]string{
		"vlan frob":                      `"everypost vlan" has no command "frob"`,
		"vlan cary":                      `did you mean "carry"? It has: carry, describe`,
		"device show":                    "DEVICE is missing: write everypost device show DEVICE",
		"vlan carry 90 th-sw-01":         "TO is missing: write everypost vlan carry VLAN FROM TO",
		"vlan carry 90 a a":              "from a to a is no way",
		"sites extra":                    "127.0.0.1:1",
		"claims extra":                   `"extra" is too much: everypost claims takes nothing after it`,
		"device show a b":                `"b" is too much: write everypost device show DEVICE`,
		"events --last -1":               "write a whole number from 1",
		"devices --limit x":              "write a whole number from 0",
		"port set a:1 vlan=4 --change x": "write the number of a draft",
		"devices name ~ /root":           "looks like a home folder",
		"claim HY24-1":                   "give its --name and --site",
		"change discard":                 "name the drafts",
		"change discard 5-2":             "no range such as 15-19",
		"change show x":                  `"x"`,
		"enrol":                          "ADDRESS is missing",
	} {
		code, text := said(t, strings.Fields(line)...)
		assert.Contains(t, text, want, line)
		if !strings.Contains(want, "127.0.0.1") {
			assert.Equal(t, ExitUsage, code, "%s: %s", line, text)
			assert.Regexp(t, `See "everypost [a-z].*--help"\.\n$`, text, line)
		}
	}
	code, text := said(t, "vlan")
	assert.Equal(t, ExitOK, code)
	assert.Contains(t, text, "Available Commands")
}
