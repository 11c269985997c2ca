package rig

import (
	"bytes"
	"io"
	"os"
	"os/exec"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/testing/peers"
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
	cmd.Env = c.env()
	cmd.Stdin = strings.NewReader(stdin)
	var out, complaint bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &complaint
	_ = cmd.Run()
	return Result{out.String(), complaint.String(), cmd.ProcessState.ExitCode()}
}

func (c Terminal) env() []string {
	return append(os.Environ(), "HOME="+c.Home, "XDG_CONFIG_HOME="+c.Home, "EVERYPOST_SERVER="+c.Rig.Base, "EVERYPOST_TOKEN=", "TZ=UTC", "TERM=xterm-256color")
}

// Screen is a program that has a whole screen to itself.
type Screen struct {
	t    *testing.T
	keys io.WriteCloser
	mu   sync.Mutex
	seen bytes.Buffer
	done chan error
}

// OnScreen runs the built program in a terminal of its own, until it is left by a key or the test ends.
func (c Terminal) OnScreen(args ...string) *Screen {
	c.T.Helper()
	path, err := Program()
	require.NoError(c.T, err)
	cmd := exec.CommandContext(c.T.Context(), peers.Program(c.T, "script"), "-qfec", strings.Join(append([]string{path}, args...), " "), "/dev/null")
	cmd.Env = c.env()
	s := &Screen{t: c.T, done: make(chan error, 1)}
	cmd.Stdout, cmd.Stderr = s, s
	s.keys, err = cmd.StdinPipe()
	require.NoError(c.T, err)
	require.NoError(c.T, cmd.Start())
	go func() { s.done <- cmd.Wait() }()
	return s
}

// Write takes what the program draws.
func (s *Screen) Write(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.seen.Write(p)
}

// Shows waits until a text was drawn since the last time that one was waited for.
func (s *Screen) Shows(text string) {
	s.t.Helper()
	require.Eventually(s.t, func() bool {
		s.mu.Lock()
		defer s.mu.Unlock()
		i := strings.Index(s.seen.String(), text)
		if i >= 0 {
			s.seen.Next(i + len(text))
		}
		return i >= 0
	}, WaitLong, WaitStep, "%q is not drawn", text)
}

// Type presses keys.
func (s *Screen) Type(keys string) {
	s.t.Helper()
	_, err := io.WriteString(s.keys, keys)
	require.NoError(s.t, err)
}

// Ends waits until the program has ended well.
func (s *Screen) Ends() {
	s.t.Helper()
	select {
	case err := <-s.done:
		require.NoError(s.t, err)
	case <-time.After(WaitLong):
		s.t.Fatal("it does not end")
	}
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
