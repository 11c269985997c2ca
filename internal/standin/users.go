package standin

import (
	"cmp"
	"context"
	"crypto/subtle"
	"net"
	"slices"
	"strconv"
	"time"

	"github.com/GehirnInc/crypt/sha512_crypt"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/radius"
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

// signIn is who says who may sign in to a device, besides its own users.
type signIn struct {
	servers []string
	secret  string
}

func (c *compiled) compileSignIn(tree *xmlnode.Node) {
	n := tree.Find("management-plane/sign-in")
	if n.TextAt("by") != "radius" {
		return
	}
	for _, s := range n.Child("servers").All("server") {
		c.signIn.servers = append(c.signIn.servers, s.Text)
	}
	c.signIn.secret = n.TextAt("secret")
}

// mayEnter tells whether somebody may come in with a password. Where RADIUS servers are asked, one that answers has the last
// word; where none does, the device's own users may come in. Only servers on this machine answer: the others are made up.
func (d *device) mayEnter(user, password string) bool {
	d.world.mu.Lock()
	by := d.cfg.signIn
	delete(d.lent, user)
	d.world.mu.Unlock()
	c := radius.Client{Secret: []byte(by.secret), Timeout: 2 * time.Second, Name: d.spec.Name}
	for _, server := range by.servers {
		if ip := net.ParseIP(server); ip == nil || !ip.IsLoopback() {
			continue
		}
		answer, err := c.Ask(context.Background(), net.JoinHostPort(server, strconv.Itoa(cmp.Or(d.world.opts.RADIUSPort, 1812))), user, password, "")
		if err != nil {
			continue
		}
		d.world.mu.Lock()
		defer d.world.mu.Unlock()
		if answer.Accepted {
			d.lent[user] = map[bool]string{true: "SYSTEM_ROLE_ADMIN"}[answer.Administrator]
		}
		return answer.Accepted
	}
	o := d.world.opts
	d.world.mu.Lock()
	own := d.cfg.users[o.User].hash != ""
	d.world.mu.Unlock()
	if user == o.User && own { // the password with which it came is no more
		return d.knownPassword(user, password)
	}
	known := subtle.ConstantTimeCompare([]byte(user), []byte(o.User)) & subtle.ConstantTimeCompare([]byte(password), []byte(o.Password))
	return known == 1 || d.knownPassword(user, password)
}

// changing are the operations that change what a device runs.
var changing = []string{"edit-config", "lock", "commit", "cancel-commit", "discard-changes", "validate", "copy-config", "delete-config"}

// mayDo tells why a user may not do something, or nil: those who came in by a password of their own do what their role says, and
// those whom a RADIUS server let in what that says.
func (d *device) mayDo(user, operation string) error {
	if !slices.Contains(changing, operation) {
		return nil
	}
	u := d.cfg.users[user]
	role, lent := d.lent[user]
	if lent && role == "SYSTEM_ROLE_ADMIN" || !lent && (u.hash == "" || u.role == "SYSTEM_ROLE_ADMIN" || user == d.world.opts.User) {
		return nil
	}
	return &netconf.RPCError{Type: "protocol", Tag: netconf.TagAccessDenied, Severity: "error", Message: "the role of " + user + " does not allow " + operation}
}
