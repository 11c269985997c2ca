package rig

import (
	"bytes"
	"os"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Terminal runs the built program as a person would, with a home of its own.
type Terminal struct {
	T    *testing.T
	Home string
	Rig  *Rig
}

type Result struct {
	Out, Err string
	Code     int
}

func (c Terminal) Run(stdin string, args ...string) Result {
	c.T.Helper()
	path, err := Program()
	require.NoError(c.T, err)
	cmd := exec.CommandContext(c.T.Context(), path, args...)
	cmd.Env = append(os.Environ(), "HOME="+c.Home, "XDG_CONFIG_HOME="+c.Home, "EVERYPOST_SERVER="+c.Rig.Base, "EVERYPOST_TOKEN=", "TZ=UTC")
	cmd.Stdin = strings.NewReader(stdin)
	var out, complaint bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &complaint
	_ = cmd.Run()
	return Result{out.String(), complaint.String(), cmd.ProcessState.ExitCode()}
}

func (c Terminal) Good(args ...string) Result {
	c.T.Helper()
	r := c.Run("", args...)
	require.Zero(c.T, r.Code, "everypost %s: %s%s", strings.Join(args, " "), r.Out, r.Err)
	return r
}

func SignedIn(t *testing.T, r *Rig) Terminal {
	t.Helper()
	return SignedInAs(t, r, "ada")
}

func SignedInAs(t *testing.T, r *Rig, name string) Terminal {
	t.Helper()
	c := Terminal{T: t, Home: t.TempDir(), Rig: r}
	got := c.Run(Password+"\n", "login", "--user", name)
	require.Zero(t, got.Code, got.Err)
	assert.NotContains(t, got.Out+got.Err, Password)
	return c
}
