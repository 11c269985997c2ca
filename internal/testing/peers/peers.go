// Package peers starts independent programs that tests hold ours against. A test whose program is not installed is skipped with a
// word; in CI, which has them all, it fails.
package peers

import (
	"bytes"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Program finds a program.
func Program(t testing.TB, name string) string {
	t.Helper()
	path, err := exec.LookPath(name)
	if err != nil && os.Getenv("CI") != "" {
		t.Fatal(name + " is not installed")
	}
	if err != nil {
		t.Skip(name + " is not installed: make test-deps")
	}
	return path
}

// netconf gives scripts a session m with the device whose address is their first argument. The library frames its own hello as
// RFC 6242 has what follows it where the device's hello comes before it was sent, which no device can read: then it begins anew.
const netconf = `
import sys
from ncclient import manager
from ncclient.operations.errors import TimeoutExpiredError
def session(password):
    host, port = sys.argv[1].rsplit(":", 1)
    for _ in range(5):
        m = manager.connect(host=host, port=int(port), username="fleet", password=password, hostkey_verify=False, allow_agent=False, look_for_keys=False, timeout=20)
        try:
            m.get_config("running", filter=("subtree", '<nothing xmlns="urn:nothing"/>'))
            return m
        except TimeoutExpiredError:
            m._session.close()
    raise SystemExit("no session")
m = session(%q)
`

// NETCONF returns a command that runs a script of an independent client: in it, m is a session with the device at an address,
// sys.argv[2] and so on are the arguments.
func NETCONF(t testing.TB, address, password, script string, args ...string) *exec.Cmd {
	t.Helper()
	python := "/usr/bin/python3" // the one that has Debian's packages
	if err := exec.Command(python, "-c", "import ncclient").Run(); err != nil {
		if os.Getenv("CI") != "" {
			t.Fatal("python3-ncclient is not installed")
		}
		t.Skip("python3-ncclient is not installed: make test-deps")
	}
	return exec.Command(python, append([]string{"-c", fmt.Sprintf(netconf, password) + script, address}, args...)...)
}

// SNMP runs a program that asks by SNMP, and returns what it says.
func SNMP(t testing.TB, program string, args ...string) string {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(dir, "cert_indexes"), 0o700)) // which it would tell of
	cmd := exec.Command(Program(t, program), append([]string{"-On", "-m", "", "-t", "1", "-r", "4"}, args...)...)
	cmd.Env = append(os.Environ(), "SNMP_PERSISTENT_DIR="+dir)
	out, _ := cmd.CombinedOutput()
	return strings.TrimSpace(string(out))
}

// Traps starts a program that takes traps, by its configuration, and returns the file into which it writes them.
func Traps(t testing.TB, port int, config string) (file string) {
	t.Helper()
	dir := t.TempDir()
	settings, out := filepath.Join(dir, "trapd.conf"), filepath.Join(dir, "out")
	require.NoError(t, os.WriteFile(settings, []byte(config), 0o600))
	cmd := exec.Command(Program(t, "snmptrapd"), "-f", "-n", "-C", "-c", settings, "-m", "", "-On", "-Lf", out, fmt.Sprintf("udp:127.0.0.1:%d", port))
	cmd.Env = append(os.Environ(), "SNMP_PERSISTENT_DIR="+dir)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() {
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
	})
	return out
}

// FreePort returns a port for UDP that nobody has.
func FreePort(t testing.TB) int {
	t.Helper()
	l, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { require.NoError(t, l.Close()) }()
	return l.LocalAddr().(*net.UDPAddr).Port
}

// FreeRADIUS starts a server that shares a secret with this machine and knows users as its file of users says; protected says
// whether its answers carry a Message-Authenticator. It returns where it listens.
func FreeRADIUS(t testing.TB, secret, users string, protected bool) string {
	t.Helper()
	path := Program(t, "freeradius")
	port := FreePort(t)
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
`, dir, secret, port, reply)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "radiusd.conf"), []byte(config), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "users"), []byte(users), 0o600))
	cmd := exec.Command(path, "-f", "-l", "stdout", "-d", dir, "-n", "radiusd")
	var out lockedBuffer
	cmd.Stdout, cmd.Stderr = &out, &out
	require.NoError(t, cmd.Start())
	t.Cleanup(func() {
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
	})
	require.Eventually(t, func() bool { return strings.Contains(out.String(), "Ready to process requests") }, 2*time.Minute, 20*time.Millisecond, "%s", &out)
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
