package netconf_test

import (
	"context"
	"crypto/ed25519"
	"crypto/rand"
	"encoding/pem"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

const sysNS = "urn:ietf:params:xml:ns:yang:ietf-system"

// netconfd starts Debian's NETCONF server behind an sshd of its own, as an independent peer of our client.
func netconfd(t *testing.T) *netconf.Conn {
	t.Helper()
	for _, program := range []string{"/usr/sbin/netconfd", "/usr/sbin/netconf-subsystem", "/usr/sbin/sshd", "/usr/bin/unshare"} {
		if _, err := os.Stat(program); err != nil {
			if os.Getenv("CI") != "" {
				require.NoError(t, err, "CI has every peer")
			}
			t.Skipf("%s is not installed: make test-deps", program)
		}
	}
	dir := t.TempDir()
	file := func(name, content string, mode os.FileMode) string {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, []byte(content), mode))
		return path
	}
	port := freePort(t)
	_, key, err := ed25519.GenerateKey(rand.Reader)
	require.NoError(t, err)
	block, err := ssh.MarshalPrivateKey(key, "")
	require.NoError(t, err)
	signer, err := ssh.NewSignerFromKey(key)
	require.NoError(t, err)
	hostKey := file("host", string(pem.EncodeToMemory(block)), 0o600)
	authorized := file("authorized", string(ssh.MarshalAuthorizedKey(signer.PublicKey())), 0o600)
	socket := filepath.Join(dir, "ncx.sock")
	sshd := file("sshd_config", fmt.Sprintf("ListenAddress 127.0.0.1:%d\nHostKey %s\nAuthorizedKeysFile %s\nStrictModes no\nUsePAM no\nPasswordAuthentication no\nPidFile none\nSubsystem netconf \"/usr/sbin/netconf-subsystem --ncxserver-sockname=%d@%s\"\n",
		port, hostKey, authorized, port, socket), 0o600)
	startup := file("startup.xml", `<config xmlns="urn:ietf:params:xml:ns:netconf:base:1.0"/>`, 0o600)
	require.NoError(t, os.MkdirAll("/run/sshd", 0o755))

	start := func(name string, args ...string) {
		cmd := exec.Command(name, args...)
		out, err := os.Create(filepath.Join(dir, filepath.Base(name)+".out"))
		require.NoError(t, err)
		cmd.Stdout, cmd.Stderr = out, out
		cmd.Env = append(os.Environ(), "PATH=/usr/sbin:/usr/bin:/sbin:/bin")
		require.NoError(t, cmd.Start())
		t.Cleanup(func() {
			_ = cmd.Process.Kill()
			_ = cmd.Wait()
			_ = out.Close()
		})
	}
	// Its modules touch the machine (the host name): keep them in a namespace of their own.
	start("/usr/bin/unshare", "--uts", "--net", "/usr/sbin/netconfd", "--superuser=root", fmt.Sprintf("--port=%d", port), "--ncxserver-sockname="+socket,
		"--startup="+startup, "--target=candidate", "--module=ietf-system", "--log="+filepath.Join(dir, "log"), "--log-level=info")
	start("/usr/sbin/sshd", "-D", "-e", "-f", sshd)

	t.Cleanup(func() {
		if t.Failed() {
			for _, name := range []string{"log", "netconfd.out", "sshd.out", "unshare.out"} {
				b, _ := os.ReadFile(filepath.Join(dir, name))
				t.Logf("%s:\n%s", name, b[max(0, len(b)-6000):])
			}
		}
	})
	var conn *netconf.Conn
	require.EventuallyWithT(t, func(c *assert.CollectT) {
		_, err := os.Stat(socket)
		if !assert.NoError(c, err) {
			return
		}
		ctx, cancel := context.WithTimeout(t.Context(), 5*time.Second)
		defer cancel()
		conn, err = netconf.Dial(ctx, fmt.Sprintf("127.0.0.1:%d", port), netconf.SSHOptions{
			User: "root", Auth: []ssh.AuthMethod{ssh.PublicKeys(signer)}, HostKey: ssh.FixedHostKey(signer.PublicKey()),
		})
		assert.NoError(c, err)
	}, 20*time.Second, 100*time.Millisecond)
	t.Cleanup(func() { _ = conn.Close() })
	return conn
}

func freePort(t *testing.T) int {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { _ = l.Close() }()
	return l.Addr().(*net.TCPAddr).Port
}

func contact(text string) []*xmlnode.Node {
	return []*xmlnode.Node{xmlnode.New(sysNS, "system", xmlnode.Leaf(sysNS, "contact", text))}
}

func TestAgainstNetconfd(t *testing.T) {
	conn := netconfd(t)
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	events := make(chan string, 100)
	open := func(o netconf.Options) *netconf.Session {
		s, err := conn.Open(ctx, o)
		require.NoError(t, err)
		t.Cleanup(func() { _ = s.Close() })
		// This server lets a request that comes in one piece with our hello lie until more comes: ask until it answers.
		require.Eventually(t, func() bool {
			brief, cancel := context.WithTimeout(ctx, 2*time.Second)
			defer cancel()
			_, err := s.GetConfig(brief, netconf.Running, []*xmlnode.Node{xmlnode.New(sysNS, "system")}, netconf.DefaultsExplicit)
			return err == nil
		}, 20*time.Second, 10*time.Millisecond)
		return s
	}
	s := open(netconf.Options{})
	running := func(s *netconf.Session) string {
		d, err := s.GetConfig(ctx, netconf.Running, []*xmlnode.Node{xmlnode.New(sysNS, "system")}, netconf.DefaultsExplicit)
		require.NoError(t, err)
		return d.TextAt("system/contact")
	}
	for _, c := range []string{netconf.CapBase11, netconf.CapCandidate, netconf.CapConfirmedCommit, netconf.CapNotification} {
		assert.True(t, s.Peer().Has(c), c)
	}
	watcher := open(netconf.Options{Notify: func(n netconf.Notification) { events <- n.Content.Name }})
	require.NoError(t, watcher.Subscribe(ctx, time.Time{}))

	t.Run("edit and commit", func(t *testing.T) {
		require.NoError(t, s.Lock(ctx, netconf.Candidate))
		require.NoError(t, s.EditConfig(ctx, netconf.Candidate, contact("Ada <ada@example.net> & co")))
		require.NoError(t, s.Commit(ctx, ""))
		require.NoError(t, s.Unlock(ctx, netconf.Candidate))
		assert.Equal(t, "Ada <ada@example.net> & co", running(s))
	})
	t.Run("a lock is refused with a tag", func(t *testing.T) {
		require.NoError(t, s.Lock(ctx, netconf.Candidate))
		assert.True(t, netconf.IsTag(open(netconf.Options{}).Lock(ctx, netconf.Candidate), netconf.TagLockDenied))
		require.NoError(t, s.Unlock(ctx, netconf.Candidate))
	})
	t.Run("a confirmed commit is cancelled", func(t *testing.T) {
		require.NoError(t, s.EditConfig(ctx, netconf.Candidate, contact("Bram")))
		require.NoError(t, s.CommitConfirmed(ctx, time.Minute, "trial-1", ""))
		assert.Equal(t, "Bram", running(s))
		require.NoError(t, s.CancelCommit(ctx, "trial-1"))
		assert.Equal(t, "Ada <ada@example.net> & co", running(s))
	})
	t.Run("a confirmed commit is confirmed from another session", func(t *testing.T) {
		require.NoError(t, s.EditConfig(ctx, netconf.Candidate, contact("Coral")))
		require.NoError(t, s.CommitConfirmed(ctx, time.Minute, "trial-2", ""))
		require.NoError(t, open(netconf.Options{}).Commit(ctx, "trial-2"))
		assert.Equal(t, "Coral", running(s))
	})
	t.Run("events are told", func(t *testing.T) {
		var seen []string
		for !strings.Contains(strings.Join(seen, " "), "netconf-confirmed-commit") {
			select {
			case e := <-events:
				seen = append(seen, e)
			case <-time.After(10 * time.Second):
				require.Fail(t, "no event of the confirmed commit", "seen %v", seen)
			}
		}
		assert.Contains(t, seen, "netconf-config-change")
	})
	t.Run("it ends", func(t *testing.T) { assert.NoError(t, s.CloseSession(ctx)) })
}
