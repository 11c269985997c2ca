package cli

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
)

func TestExitCodes(t *testing.T) {
	for want, errs := range map[int][]error{
		ExitOK:          {nil},
		ExitFailed:      {errors.New("x"), &client.Problem{Status: 500}},
		ExitUsage:       {usage("x"), fmt.Errorf("around: %w", usage("x"))},
		ExitRefused:     {&client.Problem{Status: 409}, &client.Problem{Status: 422}, &client.Problem{Status: 404}, &client.Problem{Status: 412}, &client.Problem{Status: 429}},
		ExitUnreachable: {&client.Unreachable{Base: "x", Err: errors.New("y")}, &client.Problem{Status: 502}},
		ExitSignIn:      {&client.Problem{Status: 401}, &client.Problem{Status: 403}},
		ExitUndone:      {&codedError{ExitUndone, errors.New("x")}},
	} {
		for _, err := range errs {
			assert.Equal(t, want, ExitCode(err), "%v", err)
		}
	}
}

func TestThingsComeFirstAndSettingsAfter(t *testing.T) {
	got, err := parseRow([]string{"a:1", "a:2", "vlan=40", "description=x=y z"}, false, false)
	require.NoError(t, err)
	assert.Equal(t, v1.BulkRow{On: []string{"a:1", "a:2"}, Set: map[string]string{"vlan": "40", "description": "x=y z"}}, got)
	got, err = parseRow([]string{"vlan=40"}, true, false)
	require.NoError(t, err)
	assert.Empty(t, got.On)
	for _, args := range [][]string{{"a:1", "a:2"}, {"vlan=40"}, {"a:1", "vlan=40", "a:2"}, {"a:1", "vlan=40", "vlan=50"}} {
		_, err := parseRow(args, false, false)
		assert.Equal(t, ExitUsage, ExitCode(err), "%v", args)
	}
}

func TestATableLeavesEmptyCellsAsTheyAre(t *testing.T) {
	a, _ := plain()
	a.in = strings.NewReader("port, vlan, description\na:1, 40, \"desk, left\"\na:2,,printer\na:3,,\n")
	rows, err := a.readTable("-")
	require.NoError(t, err)
	assert.Equal(t, []v1.BulkRow{{On: []string{"a:1"}, Set: map[string]string{"vlan": "40", "description": "desk, left"}}, {On: []string{"a:2"}, Set: map[string]string{"description": "printer"}}}, rows)
	for _, text := range []string{"", "port\n", "port,vlan\na:1\n", "port,vlan\na:1,\n"} {
		a.in = strings.NewReader(text)
		_, err := a.readTable("-")
		assert.Equal(t, ExitUsage, ExitCode(err), "%q", text)
	}
	_, err = a.readTable("/nowhere/at-all.csv")
	assert.Error(t, err)
}

func plain() (*app, *bytes.Buffer) {
	var out bytes.Buffer
	return &app{out: &out, err: &out, format: "table"}, &out
}

func TestFaceOfOneRowAndOfTwo(t *testing.T) {
	a, _ := plain()
	d := v1.DeviceDetail{PortList: []v1.Port{{Port: "1", Health: "well"}, {Port: "2", Health: "down"}, {Port: "3", Health: "off"}, {Port: "up", Health: "unknown"}},
		Face: []v1.FacePort{{Port: "1", Label: "1"}, {Port: "2", Label: "2", Row: 1}, {Port: "3", Label: "3", Column: 1}, {Port: "up", Label: "up", Column: 2, Group: 1}}}
	assert.Equal(t, strings.Join([]string{
		"   1  3   up",
		"   ●  ○    ◇",
		"   ▼",
		"   2",
	}, "\n")+"\n", a.face(d))
	assert.Empty(t, a.face(v1.DeviceDetail{}))
}

func TestWordsOfATable(t *testing.T) {
	for want, p := range map[string]v1.Port{
		"20":                 {Mode: "access", AccessVLAN: 20},
		"10,20":              {Mode: "trunk", TrunkVLANs: "10,20"},
		"10 untagged, 20-22": {Mode: "trunk", NativeVLAN: 10, TrunkVLANs: "20-22"},
		"":                   {},
	} {
		assert.Equal(t, want, vlanText(p))
	}
	for want, p := range map[string]v1.Port{"": {}, "100 Mb/s": {SpeedMbps: 100}, "1 Gb/s": {SpeedMbps: 1000}, "2.5 Gb/s": {SpeedMbps: 2500}, "10 Gb/s": {SpeedMbps: 10000}} {
		assert.Equal(t, want, speed(p))
	}
	for want, p := range map[string]v1.Port{"": {}, "off": {HasPoE: true}, "on": {HasPoE: true, PoE: true}, "11.8 W": {HasPoE: true, PoE: true, PoEMilliW: 11800}} {
		assert.Equal(t, want, poeText(p))
	}
}

func TestAgo(t *testing.T) {
	now := time.Now()
	for want, at := range map[string]time.Time{
		"never": {}, "now": now, "30 s": now.Add(-30 * time.Second), "5 min": now.Add(-5 * time.Minute), "3 h": now.Add(-3 * time.Hour), "4 d": now.Add(-100 * time.Hour),
	} {
		assert.Equal(t, want, ago(at))
	}
}

func TestListInEveryForm(t *testing.T) {
	list := v1.List[v1.Token]{Items: []v1.Token{{ID: 1, Label: "a, \"b\""}}, Total: 1}
	rows := [][]string{{"1", "a, \"b\""}}
	for format, want := range map[string]string{
		"table": "id  label\n",
		"csv":   "id,label\n1,\"a, \"\"b\"\"\"\n",
		"json":  `"label": "a, \"b\""`,
		"yaml":  "items:\n- id: 1\n",
	} {
		a, out := plain()
		a.format = format
		require.NoError(t, a.list(list, []string{"id", "label"}, rows, "none"))
		assert.Contains(t, out.String(), want, format)
	}
	a, out := plain()
	require.NoError(t, a.list(v1.List[v1.Token]{Items: []v1.Token{}}, []string{"id"}, nil, "There is none."))
	assert.Equal(t, "There is none.\n", out.String())
	a, out = plain()
	a.format = "json"
	require.NoError(t, a.list(v1.List[v1.Token]{Items: []v1.Token{}}, []string{"id"}, nil, "There is none."))
	assert.JSONEq(t, `{"items":[],"total":0}`, out.String(), "for a program nothing is a list too")
}

func TestChangeAsText(t *testing.T) {
	a, out := plain()
	at := time.Date(2026, 3, 1, 12, 0, 0, 0, time.Local)
	require.NoError(t, a.printChange(v1.Change{
		Number: 7, State: "checked", Why: "because", Owner: "ada", CreatedAt: at,
		Differences: []v1.Difference{{Port: "a:1", Field: "description", Before: "", After: "x"}},
		Devices:     []v1.ChangeDevice{{Device: "a", Step: "waiting"}},
		Findings:    []v1.Finding{{ID: "g:a", Level: "warn", What: "What.", Why: "Why.", Remedy: "Do.", Fix: []v1.Edit{{Port: "a:1", Field: "vlan", Value: "1"}, {Port: "b:1", Field: "vlan", Value: "1"}}}},
		Log:         []v1.LogLine{{At: at, Text: "drafted by ada"}},
	}))
	for _, text := range []string{"Change 7   ○ checked   by ada, 2026-03-01 12:00", "because", "a:1   description  -       x", "WARN  What.", "Why.", "Do.",
		"mend with everypost port set --change 7 a:1 vlan=1 (and the same for b:1)", "accept with --accept g:a", "12:00:00  drafted by ada"} {
		assert.Contains(t, out.String(), text)
	}
}

func TestFollowerTellsEachStepOnceAndNotWhatWasBefore(t *testing.T) {
	a, out := plain()
	follow := a.follower()
	line := func(s string) v1.LogLine { return v1.LogLine{Text: s} }
	follow(v1.Change{Log: []v1.LogLine{line("drafted"), line("push started by ada")}})
	follow(v1.Change{Log: []v1.LogLine{line("drafted"), line("push started by ada"), line("runs")}})
	assert.NotContains(t, out.String(), "drafted")
	assert.Equal(t, 1, strings.Count(out.String(), "push started"))
	assert.Equal(t, 1, strings.Count(out.String(), "runs"))
}

func TestColoursOnlyOnATerminal(t *testing.T) {
	a, _ := plain()
	assert.Equal(t, "● well", a.shape("well"))
	a.format = "csv"
	assert.Equal(t, "well", a.shape("well"))
	assert.Equal(t, "kept", a.state("kept"))
}

func TestEveryCommandExplainsItself(t *testing.T) {
	var walk func(c *cobra.Command)
	walk = func(c *cobra.Command) {
		assert.NotEmpty(t, c.Short, c.CommandPath())
		assert.False(t, strings.HasSuffix(c.Short, "."), "%s: lines in a list have no full stop", c.CommandPath())
		for _, sub := range c.Commands() {
			walk(sub)
		}
	}
	walk(Root("1"))
}

// Help shows the commands by the order of work, and none outside of it.
func TestHelpIsByTheOrderOfWork(t *testing.T) {
	t.Parallel()
	root := Root("test")
	for _, name := range []string{"serve", "demo"} { // as the program adds them
		root.AddCommand(&cobra.Command{Use: name, Short: name, Run: func(*cobra.Command, []string) {}})
	}
	var out strings.Builder
	root.SetOut(&out)
	root.SetArgs([]string{"--help"})
	require.Zero(t, Run(t.Context(), root))
	help := out.String()
	assert.NotContains(t, help, "Additional Commands")
	last := 0
	for _, a := range areas {
		at := strings.Index(help, "\n"+a.title+"\n")
		require.Greater(t, at, last, a.title)
		last = at
		for _, name := range a.commands {
			at := strings.Index(help, "\n  "+name+" ")
			assert.Greater(t, at, last, "%s has its place under %q", name, a.title)
			last = at
		}
	}
}
