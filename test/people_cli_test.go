package test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/standin"
)

// The work of an administrator who gives somebody rights, by command line; and what that person then has.
func TestPeopleByCommandLine(t *testing.T) {
	t.Parallel()
	r := startRig(t, startWorld(t))
	c := signedIn(t, r)
	c.good("role", "set", "pier-hand", "--title", "connects things", "--rule", "allow see on sites, devices, ports", "--rule", "allow change on ports where port.mode = access")
	assert.Contains(t, c.good("roles").out, "pier-hand")
	shown := c.good("role", "show", "pier-hand").out
	assert.Contains(t, shown, "allow change on ports where port.mode = access")
	assert.Contains(t, shown, "everywhere")
	assert.Contains(t, c.good("role", "meanings").out, "draft, push, keep and undo changes of ports")
	bad := c.run("", "role", "set", "x", "--rule", "allow see on gadgets")
	assert.Equal(t, 3, bad.code)
	assert.Contains(t, bad.err, "there is no feature `gadgets`: there are sites, devices")
	assert.Equal(t, 2, c.run("", "role", "set", "x").code)
	assert.Equal(t, 3, c.run("", "role", "show", "x").code)

	made := c.run(password+"\n", "user", "make", "wren", "--full-name", "Wren Shoal", "--role", "pier-hand", "--only", "name = th-sw-02")
	require.Zero(t, made.code, made.err)
	assert.NotContains(t, made.err, password)
	assert.Equal(t, 2, c.run("x\n", "user", "make", "x").code, "without a role")
	assert.Equal(t, 3, c.run("short\n", "user", "make", "x", "--role", "viewer").code)
	assert.Contains(t, c.good("users").out, "name = th-sw-02")
	assert.Contains(t, c.good("--try-role", "pier-hand", "rights").out, "port.mode = access")
	tried := c.run("", "--try-role", "pier-hand", "role", "remove", "pier-hand")
	assert.Equal(t, 5, tried.code)
	assert.Contains(t, tried.err, "nothing is done until you stop")
	assert.Equal(t, 3, c.run("", "role", "remove", "pier-hand").code, "somebody has it")

	wren := signedInAs(t, r, "wren")
	assert.Contains(t, wren.good("rights").err, "Wren Shoal (wren), role pier-hand, only where name = th-sw-02")
	devices := wren.good("devices", "-o", "csv").out
	assert.Contains(t, devices, "th-sw-02")
	assert.NotContains(t, devices, "th-sw-01")
	wren.good("port", "set", printer, "vlan=40")
	denied := wren.run("", "port", "set", "th-sw-01:1/1/7", "vlan=40")
	assert.Equal(t, 3, denied.code)
	assert.Contains(t, denied.err, "device th-sw-01: not found")
	assert.Equal(t, 5, wren.run("", "users").code)
	changed := wren.run(password+"\ngulls at the ferry rail\n", "password")
	require.Zero(t, changed.code, changed.err)
	secret := wren.good("token", "make", "a script", "--see-only", "--days", "2").out
	assert.Regexp(t, `^ept_\w+\n$`, secret)
	assert.Contains(t, wren.good("tokens").out, "a script")
	assert.Contains(t, c.good("tokens", "--user", "wren").out, "a script")
	c.good("token", "drop", "--user", "wren", "4")
	assert.Equal(t, 2, c.run("", "token", "drop", "three").code)

	c.good("user", "set", "wren", "--role", "viewer", "--only", "")
	assert.Equal(t, 5, wren.run("", "devices").code, "a token ends with the role that it was made for")
	c.good("role", "remove", "pier-hand")
	last := c.run("", "user", "set", "ada", "--role", "viewer")
	assert.Equal(t, 3, last.code)
	assert.Contains(t, last.err, "nobody would be left")
	reset := c.run("another pass phrase\n", "user", "password", "wren")
	require.Zero(t, reset.code, reset.err)
	c.good("user", "remove", "wren")
	assert.Equal(t, 5, wren.run("", "devices").code)
	assert.Contains(t, c.good("audit", "remove-user").out, "wren")
}

// The work of a technician who swaps a switch and claims another, by command line.
func TestClaimsByCommandLine(t *testing.T) {
	t.Parallel()
	r := startWharf(t)
	c := signedIn(t, r)
	assert.Contains(t, c.good("claims").err, "No device is expected")
	sheet := filepath.Join(t.TempDir(), "delivery.csv")
	require.NoError(t, os.WriteFile(sheet, []byte("serial,name,site,like,tags,rack\n"+newSerial+","+newSwitch+",tern-haven,th-sw-02,quay wet,Q1\nbad one,x,tern-haven,,,\n"), 0o600))
	some := c.run("", "claim", "--file", sheet)
	assert.Equal(t, 3, some.code)
	assert.Contains(t, some.err, "bad one: ")
	assert.Contains(t, some.err, "1 of 2 are claimed")
	assert.Contains(t, c.good("claims").out, "not heard of yet")
	c.good("claim", "drop", newSerial)
	assert.Equal(t, 3, c.run("", "claim", "drop", newSerial).code)
	assert.Equal(t, 2, c.run("", "claim").code)
	assert.Equal(t, 2, c.run("", "claim", "X1", "--file", sheet).code)
	assert.Equal(t, 2, c.run("", "claim", newSerial, "--name", newSwitch, "--site", "tern-haven", "--set", "vlan=40").code)
	assert.Contains(t, c.run("serial,colour\nA1,red\n", "claim", "--file", "-").err, `there is no column "colour"`)

	c.good("claim", newSerial, "--name", newSwitch, "--site", "tern-haven", "--like", "th-sw-02", "--set", "1/1/7:vlan=40", "--tag", "quay")
	require.NoError(t, r.world.Throw(standin.Unpack, newSwitch))
	r.connected(t, newSwitch)
	assert.Contains(t, c.good("devices", "tag = quay").out, newSerial)
	c.good("device", "rename", newSwitch, "th-sw-10")
	r.connected(t, "th-sw-10")
	assert.Contains(t, c.good("links", "name = th-sw-10").out, "th-sw-02:1/1/26")
	vlans := c.good("links", "name = th-sw-10", "--vlan", "50").out
	assert.Contains(t, vlans, "carried")

	whole := c.good("device", "configuration", "th-sw-10").out
	assert.Contains(t, whole, "<hostname>"+newSwitch+"</hostname>")
	part := c.good("device", "configuration", "th-sw-10", "--section", "lldp", "--defaults").out
	assert.Contains(t, part, "<enabled>true</enabled>")
	assert.NotContains(t, part, "hostname")
	assert.Regexp(t, `(?s)^ +\d+ .*access-vlan>40<`, c.good("device", "configuration", "th-sw-10", "--find", "access-vlan>40<", "--around", "1").out)
	assert.Contains(t, c.good("device", "configuration", "th-sw-10", "--find", "walrus").err, "No line has")
	assert.Equal(t, 2, c.run("", "device", "configuration", "th-sw-10", "--section", "walrus").code)
}

func TestGroupsByCommandLine(t *testing.T) {
	t.Parallel()
	r := startRig(t, startWorld(t))
	c := signedIn(t, r)
	c.good("group", "set", "switches", "--title", "All switches", "--pick", "kind = switch")
	c.good("group", "set", "watched", "--member", "th-sw-01,th-fw-01")
	c.good("group", "add", "watched", "th-sw-02")
	c.good("group", "take-out", "watched", "th-fw-01")
	list := c.good("groups").out
	assert.Contains(t, list, "All switches")
	assert.Contains(t, list, "by hand")
	devices := c.good("devices", "group = watched and group = switches", "-o", "csv").out
	assert.Contains(t, devices, "th-sw-02")
	assert.NotContains(t, devices, "th-fw-01")
	refused := c.run("", "group", "add", "switches", "th-fw-01")
	assert.Equal(t, 3, refused.code)
	assert.Contains(t, refused.err, "those that its selector picks")
	c.good("group", "delete", "watched")
	assert.Empty(t, c.good("devices", "group = watched", "-o", "csv").out[len("device,health,site,kind,model,serial,firmware,address,ports up,seen\n"):])
	assert.Contains(t, c.run("", "__complete", "group", "delete", "").out, "switches")
}
