package peers

import (
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// SFTP has OpenSSH's client do something at a server of files, and returns what it said.
func SFTP(t testing.TB, address, user, password string, commands ...string) string {
	t.Helper()
	host, port, err := net.SplitHostPort(address)
	require.NoError(t, err)
	tell := filepath.Join(t.TempDir(), "password")
	require.NoError(t, os.WriteFile(tell, []byte("#!/bin/sh\necho '"+password+"'\n"), 0o700))
	cmd := exec.CommandContext(t.Context(), "sftp", "-q", "-P", port, "-oStrictHostKeyChecking=no", "-oUserKnownHostsFile=/dev/null", "-oLogLevel=ERROR", user+"@"+host)
	cmd.Env = append(os.Environ(), "SSH_ASKPASS="+tell, "SSH_ASKPASS_REQUIRE=force")
	cmd.Stdin = strings.NewReader(strings.Join(commands, "\n") + "\n")
	said, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", said)
	return string(said)
}
