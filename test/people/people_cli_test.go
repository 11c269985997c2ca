package people_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/rig"
)

// The work of an administrator who gives somebody rights, by command line; and what that person then has.
func TestPeopleByCommandLine(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := rig.SignedIn(t, r)
	c.Good("role", "set", "pier-hand", "--title", "connects things", "--rule", "allow see on sites, devices, ports", "--rule", "allow change on ports where port.mode = access")
	assert.Contains(t, c.Good("roles").Out, "pier-hand")
	shown := c.Good("role", "show", "pier-hand").Out
	assert.Contains(t, shown, "allow change on ports where port.mode = access")
	assert.Contains(t, shown, "everywhere")
	assert.Contains(t, c.Good("role", "meanings").Out, "draft, push, keep and undo changes of ports")
	bad := c.Run("", "role", "set", "x", "--rule", "allow see on gadgets")
	assert.Equal(t, 3, bad.Code)
	assert.Contains(t, bad.Err, "there is no feature `gadgets`: there are sites, devices")
	assert.Equal(t, 2, c.Run("", "role", "set", "x").Code)
	assert.Equal(t, 3, c.Run("", "role", "show", "x").Code)

	made := c.Run(rig.Password+"\n", "user", "make", "wren", "--full-name", "Wren Shoal", "--role", "pier-hand", "--only", "name = th-sw-02")
	require.Zero(t, made.Code, made.Err)
	assert.NotContains(t, made.Err, rig.Password)
	assert.Equal(t, 2, c.Run("x\n", "user", "make", "x").Code, "without a role")
	assert.Equal(t, 3, c.Run("short\n", "user", "make", "x", "--role", "viewer").Code)
	assert.Contains(t, c.Good("users").Out, "name = th-sw-02")
	assert.Contains(t, c.Good("--try-role", "pier-hand", "rights").Out, "port.mode = access")
	tried := c.Run("", "--try-role", "pier-hand", "role", "remove", "pier-hand")
	assert.Equal(t, 5, tried.Code)
	assert.Contains(t, tried.Err, "nothing is done until you stop")
	assert.Equal(t, 3, c.Run("", "role", "remove", "pier-hand").Code, "somebody has it")

	wren := rig.SignedInAs(t, r, "wren")
	assert.Contains(t, wren.Good("rights").Err, "Wren Shoal (wren), role pier-hand, only where name = th-sw-02")
	devices := wren.Good("devices", "-o", "csv").Out
	assert.Contains(t, devices, "th-sw-02")
	assert.NotContains(t, devices, "th-sw-01")
	wren.Good("port", "set", rig.Printer, "vlan=40")
	denied := wren.Run("", "port", "set", "th-sw-01:1/1/7", "vlan=40")
	assert.Equal(t, 3, denied.Code)
	assert.Contains(t, denied.Err, "device th-sw-01: not found")
	assert.Equal(t, 5, wren.Run("", "users").Code)
	changed := wren.Run(rig.Password+"\ngulls at the ferry rail\n", "password")
	require.Zero(t, changed.Code, changed.Err)
	secret := wren.Good("token", "make", "a script", "--see-only", "--days", "2").Out
	assert.Regexp(t, `^ept_\w+\n$`, secret)
	assert.Contains(t, wren.Good("tokens").Out, "a script")
	assert.Contains(t, c.Good("tokens", "--user", "wren").Out, "a script")
	c.Good("token", "drop", "--user", "wren", "4")
	assert.Equal(t, 2, c.Run("", "token", "drop", "three").Code)

	c.Good("user", "set", "wren", "--role", "viewer", "--only", "")
	assert.Equal(t, 5, wren.Run("", "devices").Code, "a token ends with the role that it was made for")
	c.Good("role", "remove", "pier-hand")
	last := c.Run("", "user", "set", "ada", "--role", "viewer")
	assert.Equal(t, 3, last.Code)
	assert.Contains(t, last.Err, "nobody would be left")
	reset := c.Run("another pass phrase\n", "user", "password", "wren")
	require.Zero(t, reset.Code, reset.Err)
	c.Good("user", "remove", "wren")
	assert.Equal(t, 5, wren.Run("", "devices").Code)
	assert.Contains(t, c.Good("audit", "remove-user").Out, "wren")
}

// The work of a technician who swaps a switch and claims another, by command line.
func TestClaimsByCommandLine(t *testing.T) {
	t.Parallel()
	r := rig.StartWharf(t)
	c := rig.SignedIn(t, r)
	assert.Contains(t, c.Good("claims").Err, "No device is expected")
	sheet := filepath.Join(t.TempDir(), "delivery.csv")
	require.NoError(t, os.WriteFile(sheet, []byte("serial,name,site,like,tags,rack\n"+rig.NewSerial+","+rig.NewSwitch+",tern-haven,th-sw-02,quay wet,Q1\nbad one,x,tern-haven,,,\n"), 0o600))
	some := c.Run("", "claim", "--file", sheet)
	assert.Equal(t, 3, some.Code)
	assert.Contains(t, some.Err, "bad one: ")
	assert.Contains(t, some.Err, "1 of 2 are claimed")
	assert.Contains(t, c.Good("claims").Out, "not heard of yet")
	c.Good("claim", "drop", rig.NewSerial)
	assert.Equal(t, 3, c.Run("", "claim", "drop", rig.NewSerial).Code)
	assert.Equal(t, 2, c.Run("", "claim").Code)
	assert.Equal(t, 2, c.Run("", "claim", "X1", "--file", sheet).Code)
	assert.Equal(t, 2, c.Run("", "claim", rig.NewSerial, "--name", rig.NewSwitch, "--site", "tern-haven", "--set", "vlan=40").Code)
	assert.Contains(t, c.Run("serial,colour\nA1,red\n", "claim", "--file", "-").Err, `there is no column "colour"`)

	c.Good("claim", rig.NewSerial, "--name", rig.NewSwitch, "--site", "tern-haven", "--like", "th-sw-02", "--set", "1/1/7:vlan=40", "--tag", "quay")
	require.NoError(t, r.World.Throw(standin.Unpack, rig.NewSwitch))
	r.Connected(t, rig.NewSwitch)
	assert.Contains(t, c.Good("devices", "tag = quay").Out, rig.NewSerial)
	c.Good("device", "rename", rig.NewSwitch, "th-sw-10")
	r.Connected(t, "th-sw-10")
	assert.Contains(t, c.Good("links", "name = th-sw-10").Out, "th-sw-02:1/1/26")
	vlans := c.Good("links", "name = th-sw-10", "--vlan", "50").Out
	assert.Contains(t, vlans, "carried")

	whole := c.Good("device", "configuration", "th-sw-10").Out
	assert.Contains(t, whole, "<hostname>"+rig.NewSwitch+"</hostname>")
	part := c.Good("device", "configuration", "th-sw-10", "--section", "lldp", "--defaults").Out
	assert.Contains(t, part, "<enabled>true</enabled>")
	assert.NotContains(t, part, "hostname")
	assert.Regexp(t, `(?s)^ +\d+ .*access-vlan>40<`, c.Good("device", "configuration", "th-sw-10", "--find", "access-vlan>40<", "--around", "1").Out)
	assert.Contains(t, c.Good("device", "configuration", "th-sw-10", "--find", "walrus").Err, "No line has")
	assert.Equal(t, 2, c.Run("", "device", "configuration", "th-sw-10", "--section", "walrus").Code)
}

func TestGroupsByCommandLine(t *testing.T) {
	t.Parallel()
	r := rig.Start(t, rig.World(t))
	c := rig.SignedIn(t, r)
	c.Good("group", "set", "switches", "--title", "All switches", "--pick", "kind = switch")
	c.Good("group", "set", "watched", "--member", "th-sw-01,th-fw-01")
	c.Good("group", "add", "watched", "th-sw-02")
	c.Good("group", "take-out", "watched", "th-fw-01")
	list := c.Good("groups").Out
	assert.Contains(t, list, "All switches")
	assert.Contains(t, list, "by hand")
	devices := c.Good("devices", "group = watched and group = switches", "-o", "csv").Out
	assert.Contains(t, devices, "th-sw-02")
	assert.NotContains(t, devices, "th-fw-01")
	refused := c.Run("", "group", "add", "switches", "th-fw-01")
	assert.Equal(t, 3, refused.Code)
	assert.Contains(t, refused.Err, "those that its selector picks")
	c.Good("group", "delete", "watched")
	assert.Empty(t, c.Good("devices", "group = watched", "-o", "csv").Out[len("device,health,site,kind,model,serial,firmware,address,ports up,seen\n"):])
	assert.Contains(t, c.Run("", "__complete", "group", "delete", "").Out, "switches")
}
