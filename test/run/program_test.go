package run_test

import (
	"bytes"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"math/big"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/client"
	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/rig"
)

// output collects what a process says, for reading while it runs.
type output struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (o *output) Write(b []byte) (int, error) {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.b.Write(b)
}

func (o *output) String() string {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.b.String()
}

func freeAddress(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { _ = l.Close() }()
	return l.Addr().String()
}

// TestDemo starts the demo as a person does, signs in, changes something, kills the service under it, stops all of it by
// Ctrl-C, and finds everything again at the next start.
func TestDemo(t *testing.T) {
	t.Parallel()
	path, err := rig.Program()
	require.NoError(t, err)
	data, listen, control := t.TempDir(), freeAddress(t), freeAddress(t)
	home, bootstrap := freeAddress(t), freeAddress(t)
	_, devicePort, _ := net.SplitHostPort(freeAddress(t))
	run := func() (*exec.Cmd, *output) {
		out := &output{}
		cmd := exec.Command(path, "demo", "--data", data, "--listen", listen, "--control", control, "--device-port", devicePort, "--page-port", "0", "--history", "0",
			"--call-home-listen", home, "--bootstrap-listen", bootstrap, "--quiet")
		cmd.Stdout, cmd.Stderr = out, out
		require.NoError(t, cmd.Start())
		t.Cleanup(func() { _ = cmd.Process.Kill() })
		require.Eventually(t, func() bool { return strings.Contains(out.String(), "Ctrl-C stops it") }, 2*rig.WaitLong, rig.WaitStep, "%s", out)
		return cmd, out
	}
	stop := func(cmd *exec.Cmd, out *output) {
		require.NoError(t, cmd.Process.Signal(os.Interrupt))
		require.NoError(t, cmd.Wait(), out.String())
		_, err := net.DialTimeout("tcp", listen, time.Second)
		assert.Error(t, err, "the service is stopped too")
	}

	cmd, out := run()
	assert.Contains(t, out.String(), "http://"+listen)
	assert.Contains(t, out.String(), "ada (administrator)")
	c := &client.Client{Base: "http://" + listen}
	token, err := c.SignInToken(t.Context(), v1.TokenSignIn{SignIn: v1.SignIn{Name: "ada", Password: "lanterns over the sound"}, TokenRequest: v1.TokenRequest{Label: "test"}})
	require.NoError(t, err)
	c.Token = token.Secret
	installed := len(slices.DeleteFunc(standin.LanternSound().Devices, func(d standin.DeviceSpec) bool { return d.Crated }))
	connected := func() bool {
		list, err := c.Devices(t.Context(), client.Query{Where: "reach = connected"})
		return err == nil && len(list.Items) == installed
	}
	require.Eventually(t, connected, rig.WaitLong, rig.WaitStep)

	change, err := c.MakeChange(t.Context(), v1.ChangeRequest{Edits: []v1.Edit{{Port: rig.Printer, Field: "vlan", Value: "40"}}})
	require.NoError(t, err)
	_, err = c.Check(t.Context(), change.Number)
	require.NoError(t, err)
	_, err = c.Push(t.Context(), change.Number, 0, v1.PushRequest{})
	require.NoError(t, err)
	at := func(state string) func() bool {
		return func() bool {
			got, err := c.Change(t.Context(), change.Number)
			return err == nil && got.State == state
		}
	}
	require.Eventually(t, at("on-trial"), rig.WaitLong, rig.WaitStep)
	_, err = c.Keep(t.Context(), change.Number)
	require.NoError(t, err)
	require.Eventually(t, at("kept"), rig.WaitLong, rig.WaitStep)

	killServing(t, listen)
	require.Eventually(t, connected, rig.WaitLong, rig.WaitStep, "the demo starts the service again")

	require.NoError(t, exec.Command(path, "demo", "fault", "--control", control, "cut", "th-sw-02:1/1/14").Run())
	bad := exec.Command(path, "demo", "fault", "--control", control, "cut", "th-sw-02:9/9/9")
	complaint, err := bad.CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(complaint), `th-sw-02 has no port "9/9/9"`)

	stop(cmd, out)
	cmd, out = run()
	require.Eventually(t, connected, rig.WaitLong, rig.WaitStep)
	d, err := c.Device(t.Context(), "th-sw-02")
	require.NoError(t, err)
	for _, p := range d.PortList {
		if p.Ref == rig.Printer {
			assert.Equal(t, 40, p.AccessVLAN, "the device kept it, and the service knows it")
		}
	}
	stop(cmd, out)
}

// killServing kills the process that serves at an address, as a power cut would.
func killServing(t *testing.T, listen string) {
	t.Helper()
	lines, err := filepath.Glob("/proc/[0-9]*/cmdline")
	require.NoError(t, err)
	for _, line := range lines {
		b, err := os.ReadFile(line)
		if err != nil || !strings.Contains(string(b), "\x00serve\x00--listen\x00"+listen+"\x00") {
			continue
		}
		pid, err := strconv.Atoi(strings.Split(line, "/")[2])
		require.NoError(t, err)
		require.NoError(t, syscall.Kill(pid, syscall.SIGKILL))
		return
	}
	require.Fail(t, "nothing serves at "+listen)
}

func TestOneProcessAloneUsesAFolder(t *testing.T) {
	t.Parallel()
	r := rig.Shared(t)
	path, err := rig.Program()
	require.NoError(t, err)
	out, err := exec.Command(path, "serve", "--listen", "127.0.0.1:0", "--data", r.Dir).CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "is in use by another everypost")
}

func TestServesOverTLS(t *testing.T) {
	t.Parallel()
	path, err := rig.Program()
	require.NoError(t, err)
	dir, listen := t.TempDir(), freeAddress(t)
	cert, key := certificate(t, dir)
	cmd := exec.Command(path, "serve", "--listen", listen, "--data", filepath.Join(dir, "data"), "--tls-cert", cert, "--tls-key", key)
	cmd.Env = append(os.Environ(), "EVERYPOST_FIRST_USER=ada", "EVERYPOST_FIRST_PASSWORD="+rig.Password)
	out := &output{}
	cmd.Stdout, cmd.Stderr = out, out
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { _ = cmd.Process.Kill() })
	pem, err := os.ReadFile(cert)
	require.NoError(t, err)
	roots := x509.NewCertPool()
	roots.AppendCertsFromPEM(pem)
	web := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: roots}}}
	require.Eventually(t, func() bool {
		resp, err := web.Get("https://" + listen + "/readyz")
		if err != nil {
			return false
		}
		_ = resp.Body.Close()
		return resp.StatusCode == http.StatusOK
	}, rig.WaitLong, rig.WaitStep, "%s", out)
	resp, err := web.Post("https://"+listen+"/api/v1/session", "application/json", strings.NewReader(`{"name":"ada","password":"`+rig.Password+`"}`))
	require.NoError(t, err)
	defer func() { _ = resp.Body.Close() }()
	require.Len(t, resp.Cookies(), 1)
	assert.True(t, resp.Cookies()[0].Secure)
	require.NoError(t, cmd.Process.Signal(syscall.SIGTERM))
	require.NoError(t, cmd.Wait(), out.String())
	assert.NotContains(t, out.String(), rig.Password)
}

// certificate makes a certificate for 127.0.0.1 and returns its files.
func certificate(t *testing.T, dir string) (cert, key string) {
	t.Helper()
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{SerialNumber: big.NewInt(1), NotAfter: time.Now().Add(time.Hour), IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, IsCA: true, BasicConstraintsValid: true}
	der, err := x509.CreateCertificate(rand.Reader, template, template, &private.PublicKey, private)
	require.NoError(t, err)
	keyDER, err := x509.MarshalPKCS8PrivateKey(private)
	require.NoError(t, err)
	cert, key = filepath.Join(dir, "cert.pem"), filepath.Join(dir, "key.pem")
	require.NoError(t, os.WriteFile(cert, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), 0o600))
	require.NoError(t, os.WriteFile(key, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: keyDER}), 0o600))
	return cert, key
}

func TestPagesAndTheirHeaders(t *testing.T) {
	t.Parallel()
	r := rig.Shared(t)
	get := func(path string) *http.Response {
		resp, err := http.Get(r.Base + path)
		require.NoError(t, err)
		t.Cleanup(func() { _ = resp.Body.Close() })
		return resp
	}
	for _, path := range []string{"/", "/devices/th-sw-02", "/no/such/page"} {
		resp := get(path)
		assert.Equal(t, http.StatusOK, resp.StatusCode, path)
		assert.Equal(t, "no-cache", resp.Header.Get("Cache-Control"), path)
		assert.Contains(t, resp.Header.Get("Content-Security-Policy"), "default-src 'none'; script-src 'self'")
		assert.Equal(t, "DENY", resp.Header.Get("X-Frame-Options"))
		assert.Equal(t, "nosniff", resp.Header.Get("X-Content-Type-Options"))
	}
	resp := get("/api/v1/no-such-thing")
	assert.Equal(t, http.StatusNotFound, resp.StatusCode)
	assert.Contains(t, resp.Header.Get("Content-Type"), "application/problem+json")
	assert.Equal(t, http.StatusOK, get("/healthz").StatusCode)
	assert.Equal(t, http.StatusUnauthorized, get("/metrics").StatusCode)
	assert.Equal(t, http.StatusUnauthorized, get("/api/v1/openapi.json").StatusCode)

	req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, r.Base+"/metrics", nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+r.Token)
	metrics, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer func() { _ = metrics.Body.Close() }()
	var b bytes.Buffer
	_, _ = b.ReadFrom(metrics.Body)
	assert.Contains(t, b.String(), `everypost_devices{reach="connected"} 5`)
}

func TestStreamGoesOnWhereItWas(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	// collect waits for the begin of the stream, and so many facts about changes.
	collect := func(after uint64, n int) (begin v1.Event, got []v1.Event) {
		t.Helper()
		ctx, cancel := context.WithTimeout(t.Context(), rig.WaitLong)
		defer cancel()
		err := r.Events(ctx, after, func(e v1.Event) bool {
			switch {
			case e.Kind == "reset":
				begin = e
			case e.Kind == "change" && e.Code != "":
				got = append(got, e)
			}
			return len(got) < n
		})
		require.NoError(t, err)
		return begin, got
	}
	start, _ := collect(0, 0)
	assert.Equal(t, "reset", start.Kind, "who comes new reads everything")
	for range 3 {
		require.NoError(t, r.Discard(t.Context(), r.Draft(t, [3]string{rig.Printer, "vlan", "40"}).Number))
	}
	begin, got := collect(start.Seq, 3)
	assert.Equal(t, start.Seq, begin.Seq)
	assert.Equal(t, "change.discarded", got[0].Code)
	assert.Equal(t, "Change 1 was thrown away.", got[0].Text)
	_, again := collect(got[0].Seq, 2)
	assert.Equal(t, got[1:], again, "what came after the last one heard comes again")
	r.Restart(t)
	_, again = collect(got[0].Seq, 2)
	assert.Equal(t, got[1:], again, "also after a restart of the service")
	other, _ := collect(1_700_000_000_000_000, 0)
	assert.Equal(t, "reset", other.Kind, "a number of another life")
	assert.Greater(t, other.Seq, got[2].Seq-1)

	list, err := r.Log(t.Context(), "event.kind = change", 10)
	require.NoError(t, err)
	require.Len(t, list.Items, 3)
	assert.Equal(t, "change.discarded", list.Items[0].Code)
	assert.EqualValues(t, 3, list.Items[0].Change, "the newest first")
	list, err = r.Log(t.Context(), `event.text ~ "*thrown away*"`, 10)
	require.NoError(t, err)
	assert.Len(t, list.Items, 3, "it is found by what is said of it")
}

func TestStreamEndsWithItsToken(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	ended := make(chan error, 1)
	listening := make(chan struct{})
	go func() {
		ended <- r.Events(t.Context(), 0, func(e v1.Event) bool {
			if e.Kind == "reset" {
				close(listening)
			}
			return true
		})
	}()
	<-listening
	tokens, err := r.Service.Store.Tokens(t.Context(), "ada")
	require.NoError(t, err)
	require.NoError(t, r.Service.Store.DropToken(t.Context(), "ada", tokens[0].ID))
	select {
	case err := <-ended:
		require.Error(t, err)
	case <-time.After(rig.WaitLong):
		require.Fail(t, "who is no longer signed in still listens")
	}
}
