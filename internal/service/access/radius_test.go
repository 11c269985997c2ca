package access

import (
	"bytes"
	"context"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"layeh.com/radius"
)

const sharedSecret = "between the lanterns"

// freeradius starts an independent server that knows Wren; protected says whether its answers carry a Message-Authenticator.
func freeradius(t *testing.T, protected bool) string {
	t.Helper()
	path, err := exec.LookPath("freeradius")
	if err != nil {
		if os.Getenv("CI") != "" {
			t.Fatal("freeradius is not installed")
		}
		t.Skip("freeradius is not installed: make test-deps")
	}
	l, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	port := l.LocalAddr().(*net.UDPAddr).Port
	require.NoError(t, l.Close())
	dir := t.TempDir()
	reply := "update reply {\n Message-Authenticator := 0x00\n }"
	if !protected {
		reply = ""
	}
	config := fmt.Sprintf(`prefix = /usr
sysconfdir = %[1]s
localstatedir = %[1]s
logdir = %[1]s
raddbdir = %[1]s
radacctdir = %[1]s
run_dir = %[1]s
libdir = /usr/lib/freeradius
max_request_time = 30
max_requests = 1024
security {
 max_attributes = 200
 reject_delay = 0
 status_server = no
}
client localhost {
 ipaddr = 127.0.0.1
 secret = "%[2]s"
 require_message_authenticator = yes
}
modules {
 pap {
 }
 files {
  filename = %[1]s/users
 }
}
server default {
 listen {
  type = auth
  ipaddr = 127.0.0.1
  port = %[3]d
 }
 authorize {
  files
  pap
 }
 authenticate {
  Auth-Type PAP {
   pap
  }
 }
 post-auth {
  %[4]s
  Post-Auth-Type REJECT {
   %[4]s
  }
 }
}
`, dir, sharedSecret, port, reply)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "radiusd.conf"), []byte(config), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "users"), []byte("wren Cleartext-Password := \"gulls at the rail\"\n"), 0o600))
	cmd := exec.Command(path, "-f", "-l", "stdout", "-d", dir, "-n", "radiusd")
	var out lockedBuffer
	cmd.Stdout, cmd.Stderr = &out, &out
	require.NoError(t, cmd.Start())
	t.Cleanup(func() {
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
	})
	require.Eventually(t, func() bool { return strings.Contains(out.String(), "Ready to process requests") }, 20*time.Second, 20*time.Millisecond, "%s", &out)
	return fmt.Sprintf("127.0.0.1:%d", port)
}

type lockedBuffer struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (l *lockedBuffer) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.b.Write(p)
}

func (l *lockedBuffer) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.b.String()
}

func TestSignInByRADIUS(t *testing.T) {
	s, _ := service(t)
	require.ErrorIs(t, s.AddUser(t.Context(), User{Name: "wren", Role: "viewer", Elsewhere: true}, ""), ErrInvalid, "the service knows no server")
	silent, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { _ = silent.Close() }()
	server := freeradius(t, true)
	s.UseRADIUS(&RADIUS{Servers: []string{silent.LocalAddr().String(), server}, Secret: []byte(sharedSecret), Timeout: 300 * time.Millisecond})
	require.ErrorIs(t, s.AddUser(t.Context(), User{Name: "wren", Role: "viewer", Elsewhere: true}, password), ErrInvalid)
	require.NoError(t, s.AddUser(t.Context(), User{Name: "wren", Role: "viewer", Elsewhere: true}, ""))

	p, _, err := s.SignIn(t.Context(), "wren", "gulls at the rail", "192.0.2.7")
	require.NoError(t, err, "the first server is silent, the second answers")
	assert.Equal(t, "viewer", p.Role)
	_, err = s.Check(t.Context(), "wren", "gulls at the rai", "here")
	require.ErrorIs(t, err, ErrSignIn)
	_, err = s.Check(t.Context(), "wren", "", "here")
	require.ErrorIs(t, err, ErrSignIn)
	_, err = s.Check(t.Context(), "ada", password, "here")
	require.NoError(t, err, "a password that is kept here needs no server")
	require.ErrorIs(t, s.ChangePassword(t.Context(), "wren", "gulls at the rail", password, "here", ""), ErrInvalid)
	require.ErrorIs(t, s.ResetPassword(t.Context(), "wren", password), ErrInvalid)
	_, err = s.Check(t.Context(), "wren", password, "here")
	require.ErrorIs(t, err, ErrSignIn, "the refused password opens nothing")

	s.UseRADIUS(&RADIUS{Servers: []string{silent.LocalAddr().String()}, Secret: []byte(sharedSecret), Timeout: 50 * time.Millisecond})
	_, err = s.Check(t.Context(), "wren", "gulls at the rail", "here")
	require.ErrorIs(t, err, ErrElsewhere)
	s.UseRADIUS(nil)
	_, err = s.Check(t.Context(), "wren", "gulls at the rail", "here")
	assert.ErrorIs(t, err, ErrSignIn)
}

// Those who wait for a dead server keep nobody out whose password is kept here.
func TestDeadServerHoldsUpNobodyElse(t *testing.T) {
	s, _ := service(t)
	silent, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	s.UseRADIUS(&RADIUS{Servers: []string{silent.LocalAddr().String()}, Secret: []byte(sharedSecret), Timeout: time.Minute})
	waiting, giveUp := context.WithCancel(t.Context())
	var all sync.WaitGroup
	for i := range cap(s.hashing) {
		name := fmt.Sprintf("wren%d", i)
		require.NoError(t, s.AddUser(t.Context(), User{Name: name, Role: "viewer", Elsewhere: true}, ""))
		all.Go(func() {
			_, err := s.Check(waiting, name, "gulls at the rail", name)
			assert.Error(t, err)
		})
		_, _, err := silent.ReadFrom(make([]byte, 4096))
		require.NoError(t, err, "the question has been asked")
	}
	soon, cancel := context.WithTimeout(t.Context(), 20*time.Second)
	defer cancel()
	_, err = s.Check(soon, "ada", password, "there")
	assert.NoError(t, err)
	giveUp()
	all.Wait()
	require.NoError(t, silent.Close())
}

func TestAnswersThatAreNotProtectedAreRefusedUnlessAskedFor(t *testing.T) {
	r := &RADIUS{Servers: []string{freeradius(t, false)}, Secret: []byte(sharedSecret)}
	_, err := r.check(t.Context(), "wren", "gulls at the rail", "")
	require.ErrorIs(t, err, ErrElsewhere)
	require.ErrorContains(t, err, "Message-Authenticator")
	r.Bare = true
	accepted, err := r.check(t.Context(), "wren", "gulls at the rail", "")
	require.NoError(t, err)
	assert.True(t, accepted)
}

// Somebody on the way who does not know the secret cannot say yes.
func TestForgedAnswerIsNotTaken(t *testing.T) {
	l, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(t.Context())
	var wg sync.WaitGroup
	defer wg.Wait()
	defer func() { _ = l.Close() }()
	defer cancel()
	wg.Go(func() {
		b := make([]byte, 4096)
		for ctx.Err() == nil {
			n, from, err := l.ReadFrom(b)
			if err != nil {
				return
			}
			request, err := radius.Parse(b[:n], []byte("another secret"))
			if err != nil {
				continue
			}
			if answer, err := request.Response(radius.CodeAccessAccept).Encode(); err == nil {
				_, _ = l.WriteTo(answer, from)
			}
		}
	})
	r := &RADIUS{Servers: []string{l.LocalAddr().String()}, Secret: []byte(sharedSecret), Timeout: 200 * time.Millisecond, Bare: true}
	accepted, err := r.check(t.Context(), "wren", "gulls at the rail", "")
	require.Error(t, err)
	assert.False(t, accepted)
}

func TestParseServers(t *testing.T) {
	got, err := ParseServers([]string{"10.0.0.5", "radius.example.net:11812"})
	require.NoError(t, err)
	assert.Equal(t, []string{"10.0.0.5:1812", "radius.example.net:11812"}, got)
	_, err = ParseServers([]string{":1812"})
	assert.ErrorIs(t, err, ErrInvalid)
}
