package test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"os"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
)

// terminal runs the built program as a person would, with a home of its own.
type terminal struct {
	t    *testing.T
	home string
	rig  *rig
}

type result struct {
	out, err string
	code     int
}

func (c terminal) run(stdin string, args ...string) result {
	c.t.Helper()
	path, err := program()
	require.NoError(c.t, err)
	cmd := exec.CommandContext(c.t.Context(), path, args...)
	cmd.Env = append(os.Environ(), "HOME="+c.home, "XDG_CONFIG_HOME="+c.home, "EVERYPOST_SERVER="+c.rig.Base, "EVERYPOST_TOKEN=", "TZ=UTC")
	cmd.Stdin = strings.NewReader(stdin)
	var out, complaint bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &complaint
	_ = cmd.Run()
	return result{out.String(), complaint.String(), cmd.ProcessState.ExitCode()}
}

func (c terminal) good(args ...string) result {
	c.t.Helper()
	r := c.run("", args...)
	require.Zero(c.t, r.code, "everypost %s: %s%s", strings.Join(args, " "), r.out, r.err)
	return r
}

func signedIn(t *testing.T, r *rig) terminal {
	t.Helper()
	return signedInAs(t, r, "ada")
}

func signedInAs(t *testing.T, r *rig, name string) terminal {
	t.Helper()
	c := terminal{t: t, home: t.TempDir(), rig: r}
	got := c.run(password+"\n", "login", "--user", name)
	require.Zero(t, got.code, got.err)
	assert.NotContains(t, got.out+got.err, password)
	return c
}

func TestStoryByCommandLine(t *testing.T) {
	t.Parallel()
	c := signedIn(t, startRig(t, startWorld(t)))
	assert.Contains(t, c.good("sites").out, "Tern Haven terminal")
	assert.Contains(t, c.good("devices").out, "th-sw-02")

	face := c.good("device", "show", "th-sw-02").out
	assert.Contains(t, face, "1  3  5  7  9 11")
	assert.Contains(t, face, "th-sw-01:1/1/49")
	assert.NotContains(t, face, "\x1b[", "no colours where there is no terminal")

	assert.Contains(t, c.good("settings", "port").out, "1 to 4094")
	set := c.good("port", "set", printer, "vlan=40", "poe=off", "--why", "printer moves to ticketing")
	assert.Contains(t, set.err, "In draft 1.")
	assert.Contains(t, c.good("change", "check", "1").out, "The guards found nothing.")
	push := c.good("change", "push", "1", "--trial", "30s")
	assert.Contains(t, push.err, "th-sw-02 was read back and runs it")
	assert.Contains(t, push.err, "On trial until")
	vlan, poe := c.rig.runs(printer)
	assert.Equal(t, []string{"40", "false"}, []string{vlan, poe})
	assert.Contains(t, c.good("change", "keep", "1").err, "Change 1 is kept")
	show := c.good("change", "show", "1").out
	for _, text := range []string{"printer moves to ticketing", "● kept", "th-sw-02:1/1/7  vlan   20      40", "ada said keep"} {
		assert.Contains(t, show, text)
	}

	c.good("port", "set", printer, "vlan=20")
	c.good("change", "check", "2")
	assert.Contains(t, c.good("change", "push", "2", "--keep-after", "1s").err, "Change 2 is kept")

	require.NoError(t, c.rig.world.Throw(standin.Cut, printer))
	require.Eventually(t, func() bool { return strings.Contains(c.good("ports", "port.health = down").out, printer) }, waitLong, waitStep)
}

func TestPushThatIsUndoneHasAnExitCode(t *testing.T) {
	t.Parallel()
	c := signedIn(t, startRig(t, startWorld(t)))
	c.good("port", "set", "th-sw-02:1/1/25", "trunk-vlans=20,30")
	check := c.good("change", "check", "1").out
	assert.Contains(t, check, "accept with --accept management-path:th-sw-02")
	refused := c.run("", "change", "push", "1")
	assert.Equal(t, 3, refused.code)
	assert.Contains(t, refused.err, "accept warnings by their id")
	args := []string{"change", "push", "1", "--trial", "10s"}
	for line := range strings.Lines(check) {
		if _, id, ok := strings.Cut(line, "accept with --accept "); ok {
			args = append(args, "--accept", strings.TrimSpace(id))
		}
	}
	undone := c.run("", args...)
	assert.Equal(t, 6, undone.code, undone.err)
	assert.Contains(t, undone.err, "th-sw-02 was lost when it ran the change")
	assert.Contains(t, c.good("change", "show", "1").out, "went back by itself at")
}

func TestNewHostKeyByCommandLine(t *testing.T) {
	t.Parallel()
	c := signedIn(t, startRig(t, startWorld(t)))
	assert.Contains(t, c.good("device", "pin", "th-sw-02").err, "nothing was done")
	require.NoError(t, c.rig.world.Throw(standin.NewHostKey, "th-sw-02"))
	require.Eventually(t, func() bool { return strings.Contains(c.good("devices", "reach = refused").out, "th-sw-02") }, waitLong, waitStep)
	assert.Equal(t, 3, c.run("no\n", "device", "pin", "th-sw-02").code)
	got := c.run("yes\n", "device", "pin", "th-sw-02")
	assert.Zero(t, got.code, got.err)
	require.Eventually(t, func() bool { return strings.Contains(c.good("devices", "reach = connected").out, "th-sw-02") }, waitLong, waitStep)
}

func TestFormsOfOutput(t *testing.T) {
	t.Parallel()
	c := signedIn(t, startRig(t, startWorld(t)))
	var list v1.List[v1.Port]
	require.NoError(t, json.Unmarshal([]byte(c.good("ports", "name = th-sw-02", "-o", "json").out), &list))
	assert.Len(t, list.Items, 28)
	rows, err := csv.NewReader(strings.NewReader(c.good("ports", "name = th-sw-02", "-o", "csv").out)).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, 29)
	assert.Equal(t, "well", rows[1][1], "words alone, for programs")
	assert.Contains(t, c.good("device", "show", "th-ap-01", "-o", "yaml").out, "\nserial: FH2-48120\n")
	none := c.good("devices", "nothing-like-this")
	assert.Empty(t, none.out)
	assert.Contains(t, none.err, "No device fits.")
}

func TestMistakesOnTheCommandLine(t *testing.T) {
	t.Parallel()
	c := signedIn(t, startRig(t, startWorld(t)))
	for name, tc := range map[string]struct {
		args []string
		code int
		says string
	}{
		"unknown command":      {[]string{"devces"}, 2, "unknown command"},
		"unknown flag":         {[]string{"devices", "--frobnicate"}, 2, "unknown flag"},
		"unknown form":         {[]string{"devices", "-o", "xml"}, 2, "table, json, yaml or csv"},
		"missing argument":     {[]string{"device", "show"}, 2, "DEVICE is missing"},
		"no setting":           {[]string{"port", "set", printer, "40"}, 2, "write SETTING=VALUE"},
		"no port":              {[]string{"port", "set", "vlan=40", "poe=off"}, 2, "write device:port"},
		"setting before port":  {[]string{"port", "set", printer, "vlan=40", "th-sw-02:1/1/8"}, 2, "stands after the settings"},
		"no number":            {[]string{"change", "show", "twelve"}, 2, "is not the number of a change"},
		"too short a trial":    {[]string{"change", "push", "1", "--trial", "1s"}, 2, "from 10s to 1h"},
		"unknown device":       {[]string{"device", "show", "th-sw-09"}, 3, "device th-sw-09: not found"},
		"unknown change":       {[]string{"change", "show", "99"}, 3, "change 99: not found"},
		"VLAN 4095":            {[]string{"port", "set", printer, "vlan=4095"}, 3, "give a number from 1 to 4094"},
		"unknown port":         {[]string{"port", "set", "th-sw-02:1/1/99", "vlan=40"}, 3, "has no port 1/1/99"},
		"unreachable service":  {[]string{"devices", "--server", "http://127.0.0.1:1"}, 5, "not signed in to http://127.0.0.1:1"},
		"unreachable device":   {[]string{"enrol", "127.0.0.1:1", "--user", "x", "--site", "tern-haven"}, 4, "connection refused"},
		"key is not the given": {[]string{"enrol", c.rig.world.Address("th-sw-02"), "--user", "x", "--site", "tern-haven", "--host-key", "SHA256:x"}, 3, "not the one given"},
		"key is not accepted":  {[]string{"enrol", c.rig.world.Address("th-sw-02"), "--user", "x", "--site", "tern-haven"}, 3, "was not accepted"},
	} {
		t.Run(name, func(t *testing.T) {
			got := c.run("no\n", tc.args...)
			assert.Equal(t, tc.code, got.code, got.err)
			assert.Contains(t, got.err, tc.says)
			assert.Empty(t, got.out)
		})
	}
	t.Run("service that does not answer", func(t *testing.T) {
		c.rig.halt(t)
		got := c.run("", "devices")
		assert.Equal(t, 4, got.code)
		assert.Contains(t, got.err, "Is the service running there?")
	})
}

func TestLoginIsKeptForThisUserAlone(t *testing.T) {
	t.Parallel()
	c := signedIn(t, startRig(t, startWorld(t)))
	info, err := os.Stat(c.home + "/everypost/login.yaml")
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	c.good("logout")
	assert.Equal(t, 5, c.run("", "devices").code)
	assert.Equal(t, 5, c.run("wrong wrong wrong\n", "login", "--user", "ada").code)
}
