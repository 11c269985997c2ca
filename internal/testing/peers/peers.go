// Package peers starts independent programs that tests hold ours against. A test whose program is not installed is skipped with a
// word; in CI, which has them all, it fails.
package peers

import (
	"bytes"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"math/big"
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
	return freeRADIUS(t, t.TempDir(), secret, users, protected, "", "")
}

// FreeRADIUSForStations starts one that lets stations join by EAP-TTLS besides, as radius.example.net, and tells by which authority it is known.
func FreeRADIUSForStations(t testing.TB, secret, users string) (listens string, authority *x509.Certificate) {
	t.Helper()
	dir := t.TempDir()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	template := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "radius.example.net"}, DNSNames: []string{"radius.example.net"},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(24 * time.Hour), IsCA: true, BasicConstraintsValid: true,
		KeyUsage: x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}}
	der, err := x509.CreateCertificate(rand.Reader, template, template, key.Public(), key)
	require.NoError(t, err)
	authority, err = x509.ParseCertificate(der)
	require.NoError(t, err)
	private, err := x509.MarshalECPrivateKey(key)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "server.pem"), pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "server.key"), pem.EncodeToMemory(&pem.Block{Type: "EC PRIVATE KEY", Bytes: private}), 0o600))
	module := fmt.Sprintf(` eap {
  default_eap_type = md5
  timer_expire = 60
  max_sessions = 1024
  md5 {
  }
  tls-config ours {
   private_key_file = %[1]s/server.key
   certificate_file = %[1]s/server.pem
   ca_file = %[1]s/server.pem
   tls_min_version = "1.2"
   tls_max_version = "1.2"
   fragment_size = 400
  }
  ttls {
   tls = ours
   default_eap_type = md5
   virtual_server = default
   use_tunneled_reply = yes
   copy_request_to_tunnel = no
  }
 }
`, dir)
	return freeRADIUS(t, dir, secret, users, true, module, "  eap {\n   ok = return\n  }\n"), authority
}

func freeRADIUS(t testing.TB, dir, secret, users string, protected bool, module, first string) string {
	t.Helper()
	path := Program(t, "freeradius")
	port := FreePort(t)
	reply, method := "update reply {\n Message-Authenticator := 0x00\n }", ""
	if !protected {
		reply = ""
	}
	if module != "" {
		method = "  eap\n"
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
%[5]s}
server default {
 listen {
  type = auth
  ipaddr = 127.0.0.1
  port = %[3]d
 }
 authorize {
%[6]s  files
  pap
 }
 authenticate {
  Auth-Type PAP {
   pap
  }
%[7]s }
 post-auth {
  %[4]s
  Post-Auth-Type REJECT {
   %[4]s
  }
 }
}
`, dir, secret, port, reply, module, first, method)
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
