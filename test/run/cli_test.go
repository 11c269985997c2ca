package run_test

import (
	"encoding/csv"
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/rig"
)

func TestStoryByCommandLine(t *testing.T) {
	t.Parallel()
	c := rig.SignedIn(t, rig.Start(t, rig.World(t)))
	assert.Contains(t, c.Good("sites").Out, "Tern Haven terminal")
	assert.Contains(t, c.Good("devices").Out, "th-sw-02")

	face := c.Good("device", "show", "th-sw-02").Out
	assert.Contains(t, face, "1  3  5  7  9 11")
	assert.Contains(t, face, "th-sw-01:1/1/49")
	assert.NotContains(t, face, "\x1b[", "no colours where there is no terminal")

	assert.Contains(t, c.Good("settings", "port").Out, "1 to 4094")
	set := c.Good("port", "set", rig.Printer, "vlan=40", "poe=off", "--why", "printer moves to ticketing")
	assert.Contains(t, set.Err, "In draft 1.")
	assert.Contains(t, c.Good("change", "check", "1").Out, "The guards found nothing.")
	push := c.Good("change", "push", "1", "--trial", "30s")
	assert.Contains(t, push.Err, "th-sw-02 was read back and runs it")
	assert.Contains(t, push.Err, "On trial until")
	vlan, poe := c.Rig.Runs(rig.Printer)
	assert.Equal(t, []string{"40", "false"}, []string{vlan, poe})
	assert.Contains(t, c.Good("change", "keep", "1").Err, "Change 1 is kept")
	show := c.Good("change", "show", "1").Out
	for _, text := range []string{"printer moves to ticketing", "● kept", "th-sw-02:1/1/7  vlan   20      40", "ada said keep"} {
		assert.Contains(t, show, text)
	}

	c.Good("port", "set", rig.Printer, "vlan=20")
	c.Good("change", "check", "2")
	assert.Contains(t, c.Good("change", "push", "2", "--keep-after", "1s").Err, "Change 2 is kept")

	require.NoError(t, c.Rig.World.Throw(standin.Cut, rig.Printer))
	require.Eventually(t, func() bool { return strings.Contains(c.Good("ports", "port.health = down").Out, rig.Printer) }, rig.WaitLong, rig.WaitStep)
}

func TestPushThatIsUndoneHasAnExitCode(t *testing.T) {
	t.Parallel()
	c := rig.SignedIn(t, rig.Start(t, rig.World(t), rig.Attentive))
	c.Good("port", "set", "th-sw-02:1/1/25", "trunk-vlans=20,30")
	check := c.Good("change", "check", "1").Out
	assert.Contains(t, check, "accept with --accept management-path:th-sw-02")
	refused := c.Run("", "change", "push", "1")
	assert.Equal(t, 3, refused.Code)
	assert.Contains(t, refused.Err, "accept warnings by their id")
	args := []string{"change", "push", "1", "--trial", "25s"}
	for line := range strings.Lines(check) {
		if _, id, ok := strings.Cut(line, "accept with --accept "); ok {
			args = append(args, "--accept", strings.TrimSpace(id))
		}
	}
	undone := c.Run("", args...)
	assert.Equal(t, 6, undone.Code, undone.Err)
	assert.Contains(t, undone.Err, "th-sw-02 was lost when it ran the change")
	assert.Contains(t, c.Good("change", "show", "1").Out, "went back by itself at")
}

func TestNewHostKeyByCommandLine(t *testing.T) {
	t.Parallel()
	c := rig.SignedIn(t, rig.Start(t, rig.World(t)))
	assert.Contains(t, c.Good("device", "pin", "th-sw-02").Err, "nothing was done")
	require.NoError(t, c.Rig.World.Throw(standin.NewHostKey, "th-sw-02"))
	require.Eventually(t, func() bool { return strings.Contains(c.Good("devices", "reach = refused").Out, "th-sw-02") }, rig.WaitLong, rig.WaitStep)
	assert.Equal(t, 3, c.Run("no\n", "device", "pin", "th-sw-02").Code)
	got := c.Run("yes\n", "device", "pin", "th-sw-02")
	assert.Zero(t, got.Code, got.Err)
	require.Eventually(t, func() bool { return strings.Contains(c.Good("devices", "reach = connected").Out, "th-sw-02") }, rig.WaitLong, rig.WaitStep)
}

func TestFormsOfOutput(t *testing.T) {
	t.Parallel()
	c := rig.SignedIn(t, rig.Shared(t))
	var list v1.List[v1.Port]
	require.NoError(t, json.Unmarshal([]byte(c.Good("ports", "name = th-sw-02", "-o", "json").Out), &list))
	assert.Len(t, list.Items, 28)
	rows, err := csv.NewReader(strings.NewReader(c.Good("ports", "name = th-sw-02", "-o", "csv").Out)).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, 29)
	assert.Equal(t, "well", rows[1][1], "words alone, for programs")
	assert.Contains(t, c.Good("device", "show", "th-ap-01", "-o", "yaml").Out, "\nserial: FH2-48120\n")
	none := c.Good("devices", "nothing-like-this")
	assert.Empty(t, none.Out)
	assert.Contains(t, none.Err, "No device fits.")
}

func TestMistakesOnTheCommandLine(t *testing.T) {
	t.Parallel()
	c := rig.SignedIn(t, rig.Start(t, rig.World(t)))
	for name, tc := range map[string]struct {
		args []string
		code int
		says string
	}{
		"unknown command":      {[]string{"devces"}, 2, "unknown command"},
		"unknown flag":         {[]string{"devices", "--frobnicate"}, 2, "unknown flag"},
		"unknown form":         {[]string{"devices", "-o", "xml"}, 2, "table, json, yaml or csv"},
		"missing argument":     {[]string{"device", "show"}, 2, "DEVICE is missing"},
		"no setting":           {[]string{"port", "set", rig.Printer, "40"}, 2, "write SETTING=VALUE"},
		"no port":              {[]string{"port", "set", "vlan=40", "poe=off"}, 2, "write device:port"},
		"setting before port":  {[]string{"port", "set", rig.Printer, "vlan=40", "th-sw-02:1/1/8"}, 2, "stands after the settings"},
		"no number":            {[]string{"change", "show", "twelve"}, 2, "is not the number of a change"},
		"too short a trial":    {[]string{"change", "push", "1", "--trial", "1s"}, 2, "from 10s to 1h"},
		"unknown device":       {[]string{"device", "show", "th-sw-09"}, 3, "device th-sw-09: not found"},
		"unknown change":       {[]string{"change", "show", "99"}, 3, "change 99: not found"},
		"VLAN 4095":            {[]string{"port", "set", rig.Printer, "vlan=4095"}, 3, "give a number from 1 to 4094"},
		"unknown port":         {[]string{"port", "set", "th-sw-02:1/1/99", "vlan=40"}, 3, "has no port 1/1/99"},
		"unreachable service":  {[]string{"devices", "--server", "http://127.0.0.1:1"}, 5, "not signed in to http://127.0.0.1:1"},
		"unreachable device":   {[]string{"enrol", "127.0.0.1:1", "--user", "x", "--site", "tern-haven"}, 4, "connection refused"},
		"key is not the given": {[]string{"enrol", c.Rig.World.Address("th-sw-02"), "--user", "x", "--site", "tern-haven", "--host-key", "SHA256:x"}, 3, "not the one given"},
		"key is not accepted":  {[]string{"enrol", c.Rig.World.Address("th-sw-02"), "--user", "x", "--site", "tern-haven"}, 3, "was not accepted"},
	} {
		t.Run(name, func(t *testing.T) {
			got := c.Run("no\n", tc.args...)
			assert.Equal(t, tc.code, got.Code, got.Err)
			assert.Contains(t, got.Err, tc.says)
			assert.Empty(t, got.Out)
		})
	}
	t.Run("service that does not answer", func(t *testing.T) {
		c.Rig.Halt(t)
		got := c.Run("", "devices")
		assert.Equal(t, 4, got.Code)
		assert.Contains(t, got.Err, "Is the service running there?")
	})
}

func TestLoginIsKeptForThisUserAlone(t *testing.T) {
	t.Parallel()
	c := rig.SignedIn(t, rig.Shared(t))
	info, err := os.Stat(c.Home + "/everypost/login.yaml")
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	c.Good("logout")
	assert.Equal(t, 5, c.Run("", "devices").Code)
	assert.Equal(t, 5, c.Run("wrong wrong wrong\n", "login", "--user", "ada").Code)
}
