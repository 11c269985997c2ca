package standin

import (
	"net"
	"strconv"
	"testing"
	"time"

	"github.com/GehirnInc/crypt/sha512_crypt"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"

	"example.net/everypost/internal/testing/peers"
	"example.net/everypost/internal/wire/netconf"
)

// enters tells whether a device lets somebody in.
func enters(t *testing.T, w *World, device, user, password string) bool {
	t.Helper()
	c, err := ssh.Dial("tcp", w.Address(device), &ssh.ClientConfig{User: user, Auth: []ssh.AuthMethod{ssh.Password(password)}, HostKeyCallback: ssh.FixedHostKey(w.HostKey(device)), Timeout: 10 * time.Second})
	if err != nil {
		require.ErrorContains(t, err, "unable to authenticate")
		return false
	}
	require.NoError(t, c.Close())
	return true
}

// An independent server says who may sign in to a device, and what he may do there.
func TestWhoSignsInToADeviceIsSaidByRADIUS(t *testing.T) {
	t.Parallel()
	server := peers.FreeRADIUS(t, "between the lanterns", `wren Cleartext-Password := "gulls at the rail"
	Service-Type = Administrative-User
night Cleartext-Password := "slack water"
	Service-Type = NAS-Prompt-User
fleet Cleartext-Password := "tidewater-lamp"
	Service-Type = Administrative-User
`, true)
	_, port, err := net.SplitHostPort(server)
	require.NoError(t, err)
	number, err := strconv.Atoi(port)
	require.NoError(t, err)
	w := runningWorld(t, Options{RADIUSPort: number})
	hash, err := sha512_crypt.New().Generate([]byte("tide tables"), nil)
	require.NoError(t, err)
	const own, signIn = "oc-sys:system/aaa/authentication/users/user[night]/config/", "ep-mg:management-plane/sign-in/"
	configure(t, w, "th-sw-02", own+"username night", own+"password-hashed "+hash, own+"role SYSTEM_ROLE_ADMIN")
	assert.False(t, enters(t, w, "th-sw-02", "wren", "gulls at the rail"), "the device does not know her")
	assert.True(t, enters(t, w, "th-sw-02", "night", "tide tables"))

	configure(t, w, "th-sw-02", signIn+"by radius", signIn+"servers/server 127.0.0.1", signIn+"secret between the lanterns")
	assert.True(t, enters(t, w, "th-sw-02", "wren", "gulls at the rail"))
	assert.False(t, enters(t, w, "th-sw-02", "wren", "gulls"))
	assert.False(t, enters(t, w, "th-sw-02", "night", "tide tables"), "the server has the last word")
	assert.True(t, enters(t, w, "th-sw-02", "night", "slack water"))
	assert.True(t, enters(t, w, "th-sw-02", "fleet", "tidewater-lamp"))
	w.locked(func() {
		d := w.devices["th-sw-02"]
		assert.NoError(t, d.mayDo("wren", "edit-config"))
		assert.NoError(t, d.mayDo("night", "get"))
		assert.True(t, netconf.IsTag(d.mayDo("night", "edit-config"), netconf.TagAccessDenied), "the server does not say that he may change anything")
	})

	configure(t, w, "th-sw-02", signIn+"secret between the shoals")
	assert.False(t, enters(t, w, "th-sw-02", "wren", "gulls at the rail"), "no answer of another secret is believed")
	assert.True(t, enters(t, w, "th-sw-02", "night", "tide tables"), "where no server answers, the device's own users come in")
	assert.True(t, enters(t, w, "th-sw-02", "fleet", "tidewater-lamp"))
}
