package peers

import (
	"io"
	"net"
	"net/mail"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Letter is a mail as an independent server took it.
type Letter struct{ From, To, Subject, Body string }

// Mail starts an independent mail server. It returns its address, and what reads the mail that it took so far.
func Mail(t testing.TB) (address string, letters func() []Letter) {
	t.Helper()
	python := "/usr/bin/python3" // the one that has Debian's packages
	if err := exec.Command(python, "-c", "import aiosmtpd").Run(); err != nil {
		if os.Getenv("CI") != "" {
			t.Fatal("python3-aiosmtpd is not installed")
		}
		t.Skip("python3-aiosmtpd is not installed: make test-deps")
	}
	box := filepath.Join(t.TempDir(), "box")
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	address = l.Addr().String()
	require.NoError(t, l.Close())
	cmd := exec.Command(python, "-m", "aiosmtpd", "-n", "-l", address, "-c", "aiosmtpd.handlers.Mailbox", box)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() {
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
	})
	require.Eventually(t, func() bool {
		c, err := net.Dial("tcp", address)
		if err == nil {
			_ = c.Close()
		}
		return err == nil
	}, 2*time.Minute, 20*time.Millisecond)
	return address, func() (out []Letter) {
		files, err := filepath.Glob(filepath.Join(box, "new", "*"))
		require.NoError(t, err)
		for _, f := range files {
			r, err := os.Open(f)
			require.NoError(t, err)
			m, err := mail.ReadMessage(r)
			require.NoError(t, err)
			body, err := io.ReadAll(m.Body)
			require.NoError(t, err)
			require.NoError(t, r.Close())
			out = append(out, Letter{m.Header.Get("From"), m.Header.Get("To"), m.Header.Get("Subject"), string(body)})
		}
		return out
	}
}
