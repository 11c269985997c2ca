package rig

import (
	"bytes"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
)

// Program is the built program; it is built once for all tests.
var Program = sync.OnceValues(func() (string, error) {
	if path := os.Getenv("EVERYPOST_PROGRAM"); path != "" { // it is built already
		return path, nil
	}
	dir, err := os.MkdirTemp("", "everypost-test")
	if err != nil {
		return "", err
	}
	path := filepath.Join(dir, "everypost")
	out, err := exec.Command("go", "build", "-o", path, "example.net/everypost/cmd/everypost").CombinedOutput()
	if err != nil {
		return "", fmt.Errorf("build: %w\n%s", err, out)
	}
	atEnd(func() { _ = os.RemoveAll(dir) })
	return path, nil
})

// Process is a service in a process of its own, which can be killed.
type Process struct {
	*client.Client
	T      *testing.T
	Dir    string
	Listen string
	Cmd    *exec.Cmd
	Log    bytes.Buffer
}

// StartProcess starts a service that has all devices of a world in hand.
func StartProcess(t *testing.T, w *standin.World) *Process {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	p := &Process{T: t, Dir: t.TempDir(), Listen: l.Addr().String(), Client: &client.Client{Base: "http://" + l.Addr().String()}}
	require.NoError(t, l.Close())
	p.Start()
	t.Cleanup(p.Kill)
	token, err := p.SignInToken(t.Context(), v1.TokenSignIn{SignIn: v1.SignIn{Name: "ada", Password: Password}, TokenRequest: v1.TokenRequest{Label: "test"}})
	require.NoError(t, err)
	p.Token = token.Secret
	require.NoError(t, p.PutSite(t.Context(), "tern-haven", v1.SiteRequest{Title: "Tern Haven terminal", Entry: "th-edge-01"}))
	for _, name := range w.Devices() {
		probe, err := p.Probe(t.Context(), w.Address(name))
		require.NoError(t, err)
		_, err = p.Enrol(t.Context(), v1.Enrolment{Address: probe.Address, User: DeviceUser, Password: DevicePassword, HostKey: probe.HostKey, Site: "tern-haven"})
		require.NoError(t, err)
	}
	p.AwaitDevices(len(w.Devices()))
	return p
}

// Start starts the process.
func (p *Process) Start() {
	p.T.Helper()
	path, err := Program()
	require.NoError(p.T, err)
	p.Cmd = exec.Command(path, "serve", "--listen", p.Listen, "--data", p.Dir)
	p.Cmd.Env = append(os.Environ(), "EVERYPOST_FIRST_USER=ada", "EVERYPOST_FIRST_PASSWORD="+Password)
	p.Cmd.Stderr = &p.Log
	require.NoError(p.T, p.Cmd.Start())
	require.Eventually(p.T, func() bool {
		resp, err := http.Get(p.Base + "/readyz")
		if err != nil {
			return false
		}
		_ = resp.Body.Close()
		return resp.StatusCode == http.StatusOK
	}, time.Minute, 10*time.Millisecond)
}

// Kill ends the process as a power cut would.
func (p *Process) Kill() {
	_ = p.Cmd.Process.Kill()
	_ = p.Cmd.Wait()
}

// AwaitDevices waits until so many devices are in hand.
func (p *Process) AwaitDevices(n int) {
	p.T.Helper()
	require.Eventually(p.T, func() bool {
		list, err := p.Devices(p.T.Context(), client.Query{Where: "reach = connected"})
		return err == nil && len(list.Items) == n
	}, time.Minute, 20*time.Millisecond)
}
