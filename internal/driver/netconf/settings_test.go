package netconf

import (
	"context"
	"slices"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/standin"
)

// aSwitch is a session to one switch of a simulated world.
func aSwitch(t *testing.T) (driver.Session, *standin.World) {
	t.Helper()
	w, err := standin.New(standin.LanternSound(), standin.Options{User: "admin", Password: "secret"})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	s, err := Connector{}.Connect(t.Context(), driver.Target{Address: w.Address("gs-sw-02"), User: "admin", Password: "secret",
		HostKey: ssh.FingerprintSHA256(w.HostKey("gs-sw-02"))})
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s, w
}

// somethingElse is a value of a setting that is good on the switch and not the one it has.
func somethingElse(s setting.Setting, now string) string {
	candidates := map[string][]string{
		"follow": {"1/1/9"}, "sources": {"1/1/3,1/1/4"}, "to": {"1/1/5"}, "hours": {"mon-fri 06:00-19:00, sat 08:00-12:00"},
		"rules":     {"permit tcp from 10.4.50.0/24 to any port 443\ndeny udp from any port 67-68 to 10.4.1.1/32\npermit ip from any to any"},
		"time-zone": {"Europe/London"}, "ntp-servers": {"10.1.1.1,10.1.1.2"}, "dns-servers": {"10.1.1.3"}, "syslog-servers": {"10.1.1.4"},
		"radius-servers": {"10.1.1.5"}, "management-from": {"10.0.0.0/8,127.0.0.0/8"}, "schedule": {"office"}, "acl-in": {"guests"}, "bundle": {"lag1"},
		"vlan": {"30"}, "native-vlan": {"30"}, "trunk-vlans": {"20,30"},
	}[s.Name]
	if candidates == nil {
		switch s.Value.Type {
		case setting.Text:
			candidates = []string{"Something <else> & more"}
		case setting.VLAN:
			candidates = []string{"30", "40"}
		case setting.Rate:
			candidates = []string{"1500k", "20M"}
		case setting.Number:
			candidates = []string{strconv.Itoa(s.Value.Min), strconv.Itoa(s.Value.Max - s.Value.Max%4096), strconv.Itoa(s.Value.Max)}
		default:
			candidates = s.Value.Choices
		}
	}
	for _, c := range candidates {
		if v, err := s.Value.Normal(c); err == nil && v != now && v != s.Default {
			return v
		}
	}
	return s.Default
}

// Every setting that the switch has, set by the driver on the device, is read back as it was set, alone and with all others;
// and taken back to what it was, it leaves the device as it was.
func TestEverySettingIsReadBackAsItWasSet(t *testing.T) {
	s, w := aSwitch(t)
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	writer := s.(driver.Writer)
	read := func() network.Config {
		c, err := s.ReadConfig(ctx)
		require.NoError(t, err)
		return c.Config
	}
	run := func(before, after network.Config, what string) {
		p, err := writer.Propose(ctx, before, after)
		require.NoError(t, err, what)
		require.NoError(t, p.Trial(ctx, "test", time.Minute), what)
		require.NoError(t, writer.Keep(ctx, "test"), what)
	}
	first := read()
	edit := func(object, name, value string) intent.Edit {
		e, err := intent.New(network.PortRef{Device: "gs-sw-02", Port: object}, name, value)
		require.NoError(t, err)
		return e
	}
	var making []intent.Edit
	for _, object := range []string{"lag1", "vlan/123", "schedule/office", "mirror/tap", "acl/guests"} {
		making = append(making, edit(object, setting.Present, "on"))
	}
	objects, err := intent.Apply("gs-sw-02", first, making)
	require.NoError(t, err)
	run(first, objects, "making objects")
	require.Empty(t, intent.Compare("gs-sw-02", objects, read()))

	seen := map[string]bool{}
	var all []intent.Edit
	now := objects
	for _, object := range []string{"", "1/1/7", "1/1/1", "lag1", "vlan/123", "schedule/office", "mirror/tap", "acl/guests"} {
		kind := setting.KindOf(object)
		for _, s := range setting.Of(kind) {
			was, err := s.Get(now, object)
			if s.Name == setting.Present || s.Name == "bundle" || err != nil || object == "1/1/1" && seen["port "+s.Name] {
				continue
			}
			value := somethingElse(s, was)
			require.NotEqual(t, was, value, "no other value for %s of %s", s.Name, object)
			e := edit(object, s.Name, value)
			after, err := intent.Apply("gs-sw-02", now, []intent.Edit{e})
			require.NoError(t, err, e)
			run(now, after, e.String())
			assert.Empty(t, intent.Compare("gs-sw-02", after, read()), e)
			run(after, now, "back from "+e.String())
			assert.Empty(t, intent.Compare("gs-sw-02", now, read()), "back from %s", e)
			seen[string(kind)+" "+s.Name] = true
			if s.Name != "mode" && s.Name != "stp" && s.Name != "enabled" {
				all = append(all, e)
			}
		}
	}
	for _, s := range setting.All() {
		for _, k := range s.On {
			name := string(k) + " " + s.Name
			if s.Name != setting.Present && !slices.Contains([]string{"port bundle", "bundle vlan"}, name) {
				assert.True(t, seen[name], "%s was not tried", name)
			}
		}
	}
	together, err := intent.Apply("gs-sw-02", now, all)
	require.NoError(t, err)
	run(now, together, "all together")
	assert.Empty(t, intent.Compare("gs-sw-02", together, read()))
	bundled, err := intent.Apply("gs-sw-02", together, []intent.Edit{edit("1/1/10", "bundle", "lag1")})
	require.NoError(t, err)
	run(together, bundled, "a member of the bundle")
	assert.Empty(t, intent.Compare("gs-sw-02", bundled, read()))
	run(bundled, first, "back to the first")
	assert.Empty(t, intent.Compare("gs-sw-02", first, read()))
	assert.NotNil(t, w.Running("gs-sw-02"))
}
