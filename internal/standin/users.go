package standin

import (
	"slices"

	"github.com/GehirnInc/crypt/sha512_crypt"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// localUser is somebody whom the device itself knows.
type localUser struct{ role, hash string }

func (c *compiled) compileUsers(tree *xmlnode.Node) {
	c.users = map[string]localUser{}
	for _, u := range tree.Find("system/aaa/authentication/users").All("user") {
		c.keys[u.TextAt("username")] = u.TextAt("config/ssh-key")
		c.users[u.TextAt("username")] = localUser{u.TextAt("config/role"), u.TextAt("config/password-hashed")}
	}
}

// knownPassword tells whether a user of the device may come in with a password.
func (d *device) knownPassword(user, password string) bool {
	d.world.mu.Lock()
	hash := d.cfg.users[user].hash
	d.world.mu.Unlock()
	return hash != "" && sha512_crypt.New().Verify(hash, []byte(password)) == nil
}

// changing are the operations that change what a device runs.
var changing = []string{"edit-config", "lock", "commit", "cancel-commit", "discard-changes", "validate", "copy-config", "delete-config"}

// mayDo tells why a user may not do something, or nil: those who came in by a password of their own do what their role says.
func (d *device) mayDo(user, operation string) error {
	u := d.cfg.users[user]
	if u.hash == "" || u.role == "SYSTEM_ROLE_ADMIN" || user == d.world.opts.User || !slices.Contains(changing, operation) {
		return nil
	}
	return &netconf.RPCError{Type: "protocol", Tag: netconf.TagAccessDenied, Severity: "error", Message: "the role of " + user + " does not allow " + operation}
}
