package people_test

import (
	"bytes"
	"context"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/coder/websocket"
	"github.com/coder/websocket/wsjson"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/browser"
	"example.net/everypost/internal/testing/rig"
)

// lastTerminal is the terminal that was opened last, when it has ended and its record is kept.
func lastTerminal(t testing.TB, r *rig.Rig) v1.TerminalSession {
	t.Helper()
	var out v1.TerminalSession
	require.Eventually(t, func() bool {
		list, err := r.Terminals(t.Context(), "", 1)
		require.NoError(t, err)
		if len(list.Items) == 1 && list.Items[0].EndedAt != nil {
			out = list.Items[0]
		}
		return out.Number != 0
	}, rig.WaitLong, rig.WaitStep)
	return out
}

func TestATerminalShowsAndIsRecorded(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := rig.SignedIn(t, r)
	shown := c.Run("about\nexit\n", "terminal", "th-sw-02")
	require.Zero(t, shown.Code, shown.Err)
	assert.Contains(t, shown.Out, r.World.Serials()["th-sw-02"], "it is that device")
	assert.Contains(t, shown.Err, "Terminal 1 ended: the device ended it.")

	last := lastTerminal(t, r)
	assert.Equal(t, "th-sw-02", last.Device)
	assert.Equal(t, "ada", last.User)
	record, err := r.TerminalRecord(t.Context(), last.Number)
	require.NoError(t, err)
	assert.Equal(t, int64(len(record)), last.Shown)
	assert.Contains(t, string(record), r.World.Serials()["th-sw-02"])
	assert.Contains(t, c.Good("terminals").Out, "the device ended it")
	plain := c.Good("terminals", "record", "1").Out
	assert.Contains(t, plain, "th-sw-02> about")
	assert.NotContains(t, plain, "\x1b")
	require.Eventually(t, func() bool { return len(r.Audited(t, "terminal")) == 2 }, rig.WaitLong, rig.WaitStep)
	log := strings.Join(r.Audited(t, "terminal"), "\n")
	assert.Contains(t, log, "ada open-terminal th-sw-02 terminal 1")
	assert.Contains(t, log, "ada end-terminal th-sw-02 terminal 1, after")
	assert.Equal(t, 3, c.Run("", "terminals", "record", "99").Code)
	assert.Equal(t, 2, c.Run("", "terminals", "record", "first").Code)
}

func TestATerminalIsOnlyForWhoMay(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	viewer := r.As(t, "isla", "viewer")
	_, err := viewer.OpenTerminal(t.Context(), "th-sw-02", 80, 24)
	assert.ErrorContains(t, err, "has not the right to operate terminals")
	_, err = viewer.Terminals(t.Context(), "", 10)
	assert.ErrorContains(t, err, "right")
	require.NoError(t, r.AddUser(t.Context(), v1.NewUser{Name: "coral", UserRequest: v1.UserRequest{FullName: "Coral Finch", Role: "technician", Only: "name = th-sw-01"}, Password: rig.Password}))
	coral := &client.Client{Base: r.Base, Token: r.TokenOf(t, "coral")}
	_, err = coral.OpenTerminal(t.Context(), "th-sw-02", 80, 24)
	assert.ErrorContains(t, err, "not found", "what is hidden is not there")
	_, err = (&client.Client{Base: r.Base}).OpenTerminal(t.Context(), "th-sw-02", 80, 24)
	assert.ErrorContains(t, err, "signed in")
	_, err = (&client.Client{Base: r.Base, Token: r.Token, TryRole: "viewer"}).OpenTerminal(t.Context(), "th-sw-02", 80, 24)
	assert.ErrorContains(t, err, "you are trying")
	assert.Contains(t, strings.Join(r.Audited(t, "open-terminal"), "\n"), "isla open-terminal th-sw-02 refused")

	own, err := coral.OpenTerminal(t.Context(), "th-sw-01", 80, 24)
	require.NoError(t, err)
	var shown bytes.Buffer
	ended := make(chan error, 1)
	go func() { ended <- own.Show(context.WithoutCancel(t.Context()), &shown) }()
	require.Less(t, r.Call(t, r.Token, http.MethodDelete, "/api/v1/users/coral", ""), 300)
	select {
	case err := <-ended:
		require.NoError(t, err)
	case <-time.After(rig.WaitLong):
		require.Fail(t, "the terminal of somebody who is gone stays open")
	}
	assert.Contains(t, own.Ended, "taken back")
}

func TestATerminalEndsWithTheDeviceAndTheService(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	open := func() (*client.Terminal, chan error) {
		term, err := r.OpenTerminal(t.Context(), "th-sw-02", 80, 24)
		require.NoError(t, err)
		ended := make(chan error, 1)
		go func() { ended <- term.Show(context.WithoutCancel(t.Context()), new(bytes.Buffer)) }()
		return term, ended
	}
	term, ended := open()
	require.NoError(t, r.World.Throw(standin.Reboot, "th-sw-02"))
	select {
	case <-ended:
		assert.NotEmpty(t, term.Ended)
	case <-time.After(rig.WaitLong):
		require.Fail(t, "the device is gone and the terminal is not")
	}
	_, err := r.OpenTerminal(t.Context(), "th-sw-02", 80, 24)
	assert.Error(t, err, "the device boots")
	r.AwaitAll(t)
	term, ended = open()
	r.Restart(t)
	<-ended
	assert.NotEmpty(t, term.Ended)
	assert.Equal(t, "the service stopped", lastTerminal(t, r).Why, "its record is kept")
}

// A page in a browser of somebody who is signed in must not be able to open a terminal.
func TestATerminalIsNotOpenedFromElsewhere(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	dial := func(h http.Header) (*websocket.Conn, *http.Response, error) {
		return websocket.Dial(t.Context(), r.Base+"/api/v1/devices/th-sw-02/terminal", &websocket.DialOptions{HTTPHeader: h})
	}
	cookie := cookie(t, r)
	_, resp, err := dial(http.Header{"Cookie": {cookie}, "Origin": {"https://elsewhere.example.net"}})
	require.Error(t, err)
	assert.Equal(t, http.StatusForbidden, resp.StatusCode)

	ws, _, err := dial(http.Header{"Cookie": {cookie}})
	require.NoError(t, err)
	defer func() { _ = ws.CloseNow() }()
	require.NoError(t, wsjson.Write(t.Context(), ws, v1.TerminalFrame{Columns: 80, Rows: 24}))
	var f v1.TerminalFrame
	require.NoError(t, wsjson.Read(t.Context(), ws, &f))
	assert.Contains(t, f.Ended, "token of the session", "a cookie alone opens nothing")
	list, err := r.Terminals(t.Context(), "", 10)
	require.NoError(t, err)
	assert.Empty(t, list.Items)
}

// cookie signs in as the console does, and returns its cookie.
func cookie(t testing.TB, r *rig.Rig) string {
	t.Helper()
	resp, err := http.Post(r.Base+"/api/v1/session", "application/json", strings.NewReader(`{"name":"ada","password":"`+rig.Password+`"}`))
	require.NoError(t, err)
	defer func() { _ = resp.Body.Close() }()
	require.Equal(t, http.StatusOK, resp.StatusCode)
	return strings.SplitN(resp.Header.Get("Set-Cookie"), ";", 2)[0]
}

func TestATerminalInTheConsole(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	b := rig.OpenConsole(t, r)
	require.NoError(t, b.Run(
		chromedp.Navigate(r.Base+"/devices/th-sw-02?tab=terminal"), browser.Press("Open a terminal"),
		browser.Shows("Terminal 1 on th-sw-02"),
		browser.Until(`document.querySelector(".xterm-helper-textarea") === document.activeElement`),
		browser.Type(".xterm-helper-textarea", "about\n"),
		browser.Until(`document.querySelector(".xterm").innerText.includes("serial")`),
		browser.Type(".xterm-helper-textarea", "exit\n"),
		browser.Shows("It ended: the device ended it."),
		browser.Press("Open another"),
		browser.Shows("Terminal 2 on th-sw-02"),
		chromedp.Navigate(r.Base+"/people?tab=terminals"),
		browser.Shows("2 terminals"),
		browser.Press("1"),
		browser.Shows("th-sw-02> about"),
	))
}

// askPass is a program that gives OpenSSH the password of the stand-ins.
func askPass(t testing.TB) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "askpass")
	require.NoError(t, os.WriteFile(file, []byte("#!/bin/sh\necho '"+rig.DevicePassword+"'\n"), 0o700))
	return file
}

// OpenSSH gets a terminal on a stand-in: what it offers is what the standard asks for.
func TestStandInTerminalsAnswerAnotherClient(t *testing.T) {
	t.Parallel()
	w := rig.World(t)
	if _, err := exec.LookPath("ssh"); err != nil {
		t.Skip("OpenSSH is not installed")
	}
	host, port, _ := strings.Cut(w.Address("th-sw-02"), ":")
	cmd := exec.CommandContext(t.Context(), "ssh", "-tt", "-p", port, "-o", "StrictHostKeyChecking=no", "-o", "UserKnownHostsFile=/dev/null", "-o", "LogLevel=ERROR",
		"-o", "PreferredAuthentications=password", "-o", "PubkeyAuthentication=no", rig.DeviceUser+"@"+host)
	cmd.Env = append(cmd.Environ(), "SSH_ASKPASS="+askPass(t), "SSH_ASKPASS_REQUIRE=force")
	cmd.Stdin = strings.NewReader("about\rexit\r")
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", out)
	assert.Contains(t, string(out), w.Serials()["th-sw-02"])
}
