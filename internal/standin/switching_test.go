package standin

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// configure edits what a device runs, a line each: a path with the keys of lists, and a value: ep-sw:switching/port[1/1/7]/schedule night.
// A path that ends in a list makes the entry.
func configure(t *testing.T, w *World, device string, lines ...string) {
	t.Helper()
	config := xmlnode.New(netconf.BaseNS, "config")
	for _, line := range lines {
		path, value, leaf := strings.Cut(line, " ")
		at, space, s := config, "", schema
		steps := splitPath(path)
		for i, step := range steps {
			if prefix, rest, ok := strings.Cut(step, ":"); ok && namespaces[prefix] != "" {
				space, step = namespaces[prefix], rest
			}
			name, key, isList := strings.Cut(strings.TrimSuffix(step, "]"), "[")
			s = s.children[name]
			require.NotNil(t, s, "%s has no %s", path, name)
			var n *xmlnode.Node
			if leaf && i == len(steps)-1 {
				n = xmlnode.Leaf(space, name, value)
			} else if n = xmlnode.New(space, name); isList {
				for j, k := range strings.Split(key, ",") {
					n.Add(xmlnode.Leaf(space, s.keys[j], k))
				}
			}
			at.Add(n)
			at = n
		}
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	d := w.devices[device]
	tree := d.running
	for _, c := range config.Children {
		one := xmlnode.New(netconf.BaseNS, "config", c)
		next, err := edit(tree, one, netconf.EditMerge)
		require.NoError(t, err)
		tree = next
	}
	require.NoError(t, validate(tree))
	d.run(tree, nil)
}

// splitPath splits at slashes that stand in no brackets.
func splitPath(path string) []string {
	var out []string
	depth, from := 0, 0
	for i, r := range path {
		switch {
		case r == '[':
			depth++
		case r == ']':
			depth--
		case r == '/' && depth == 0:
			out = append(out, path[from:i])
			from = i + 1
		}
	}
	return append(out, path[from:])
}

// station finds a host by where it is plugged in.
func (w *World) station(at string) *host {
	for _, h := range w.hosts {
		if h.At == at && h.SSID == "" {
			return h
		}
	}
	return nil
}

func (w *World) shutBy(at string) string {
	e, _ := w.endpoint(at)
	return w.keptShut(w.devices[e.device], w.at(e))
}

// portOfA is the first port of a device with a station of a kind.
func portOfA(t *testing.T, w *World, device, kind string) string {
	t.Helper()
	for _, p := range w.devices[device].spec.Ports {
		if h := w.station(device + ":" + p.Name); h != nil && hasWord(h.Name, kind) {
			return p.Name
		}
	}
	require.Fail(t, "there is no "+kind+" on "+device)
	return ""
}

func TestAPhoneLandsInTheVoiceVLANAndADeskDoesNot(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	phone, desk := portOfA(t, w, "th-sw-02", "phone"), portOfA(t, w, "th-sw-02", "desk")
	for _, port := range []string{phone, desk} {
		configure(t, w, "th-sw-02", "oc-if:interfaces/interface["+port+"]/oc-eth:ethernet/oc-vlan:switched-vlan/config/access-vlan 20",
			"ep-sw:switching/port["+port+"]/voice-vlan 30")
	}
	d := w.devices["th-sw-02"]
	assert.Equal(t, 30, w.station("th-sw-02:"+phone).joined(d.cfg))
	assert.Equal(t, 20, w.station("th-sw-02:"+desk).joined(d.cfg))
}

func TestALoopIsCutByLoopProtectionAndTriedAgain(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	const port = "th-sw-02:1/1/20"
	configure(t, w, "th-sw-02", "oc-if:interfaces/interface[1/1/20]/config/enabled true")
	storm := func() float64 {
		before := w.at(endpoint{"th-sw-02", "1/1/20"}).counters.inBroadcast
		w.Step(10 * time.Second)
		return w.at(endpoint{"th-sw-02", "1/1/20"}).counters.inBroadcast - before
	}
	tree := w.devices["th-sw-02"].running.Clone()
	tree.Remove(tree.Child("stp"))
	w.locked(func() { w.devices["th-sw-02"].run(tree, nil) })
	require.NoError(t, w.Throw(Loop, port))
	assert.Greater(t, storm(), 100_000.0, "without any protection frames run in a circle")

	configure(t, w, "th-sw-02", "ep-sw:switching/port[1/1/20]/storm-limits/broadcast 500")
	assert.InDelta(t, 5000, storm(), 600, "a storm limit lets some through")

	configure(t, w, "th-sw-02", "ep-sw:switching/port[1/1/20]/loop-protection true", "ep-sw:switching/loop-protection/recovery 60")
	assert.Equal(t, "loop-protection", w.shutBy(port))
	assert.Zero(t, storm())
	require.NoError(t, w.Throw(Mend, port))
	w.Step(2 * time.Minute)
	assert.Empty(t, w.shutBy(port), "it is tried again, and the loop is gone")
}

func TestSpanningTreeBlocksALoopAndBPDUGuardShutsIt(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	configure(t, w, "th-sw-02", "oc-if:interfaces/interface[1/1/20]/config/enabled true")
	require.NoError(t, w.Throw(Loop, "th-sw-02:1/1/20"))
	assert.True(t, w.tree.blocked[endpoint{"th-sw-02", "1/1/20"}])
	configure(t, w, "th-sw-02", "oc-stp:stp/interfaces/interface[1/1/20]/config/bpdu-guard true")
	assert.Equal(t, "bpdu-guard", w.shutBy("th-sw-02:1/1/20"))
	configure(t, w, "th-sw-02", "oc-if:interfaces/interface[1/1/20]/config/enabled false")
	require.NoError(t, w.Throw(Mend, "th-sw-02:1/1/20"))
	configure(t, w, "th-sw-02", "oc-if:interfaces/interface[1/1/20]/config/enabled true")
	assert.Empty(t, w.shutBy("th-sw-02:1/1/20"), "switching it off and on lets it try again")
}

func TestTheRootMovesWithPriorityButNotOverARootGuard(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	root := func(device string) string { return w.tree.root[w.nodeOf(device)] }
	require.Equal(t, "th-sw-01", root("th-sw-02"))
	configure(t, w, "th-sw-02", "oc-stp:stp/rstp/config/bridge-priority 0")
	assert.Equal(t, "th-sw-02", root("th-sw-01"))
	configure(t, w, "th-sw-01", "oc-stp:stp/interfaces/interface[1/1/49]/config/guard ROOT")
	assert.Equal(t, "th-sw-01", root("th-sw-01"), "what is behind the guarded port is not believed")
}

func TestPowerGoesByPriorityWhenItIsShort(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	d := w.devices["th-sw-02"]
	camera, phone := portOfA(t, w, "th-sw-02", "camera"), portOfA(t, w, "th-sw-02", "phone")
	fed := func(port string) bool { return d.ports[port].feeding > 0 }
	w.locked(func() {
		d.spec.BudgetMilliW = d.ports["1/1/1"].feeding + d.ports["1/1/2"].feeding + 9100 // two access points and one camera
		w.settle()
	})
	assert.True(t, fed(phone), "in the order of ports while none is more important")
	configure(t, w, "th-sw-02", "ep-sw:switching/port["+camera+"]/power/priority critical")
	assert.True(t, fed(camera))
	assert.False(t, fed(phone))
	assert.False(t, w.at(endpoint{"th-sw-02", phone}).up, "a phone without power has no link")
	configure(t, w, "th-sw-02", "ep-sw:switching/port["+camera+"]/power/class-limit 2")
	assert.False(t, fed(camera), "it asks for class 3")
}

func TestPowerThroughAReboot(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	configure(t, w, "th-sw-02", "ep-sw:switching/port[1/1/1]/power/through-reboot true")
	require.NoError(t, w.Throw(Reboot, "th-sw-02"))
	assert.True(t, w.devices["th-ap-01"].powered)
	assert.False(t, w.devices["th-ap-05"].powered)
	w.Step(time.Minute)
	assert.True(t, w.devices["th-ap-05"].powered)
}

func TestAMirroredPortSeesTheTraffic(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	camera := portOfA(t, w, "th-sw-02", "camera")
	configure(t, w, "th-sw-02", "oc-if:interfaces/interface[1/1/20]/config/enabled true", "ep-sw:switching/mirror[tap]/sources/port "+camera, "ep-sw:switching/mirror[tap]/to/port 1/1/20")
	before := w.devices["th-sw-02"].ports[camera].counters
	w.Step(time.Minute)
	after := w.devices["th-sw-02"].ports[camera].counters
	passed := after.inOctets - before.inOctets + after.outOctets - before.outOctets
	assert.Greater(t, passed, 1e6)
	assert.InEpsilon(t, passed, w.devices["th-sw-02"].ports["1/1/20"].counters.outOctets, 0.001)
}

func TestRateLimitsAndAccessListsDropWhatIsTooMuch(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	d, camera := w.devices["th-sw-02"], portOfA(t, w, "th-sw-02", "camera")
	sent := func() float64 {
		before := d.ports[camera].counters.inOctets
		w.Step(time.Minute)
		return (d.ports[camera].counters.inOctets - before) * 8 / 60
	}
	require.Greater(t, sent(), 2e6)
	configure(t, w, "th-sw-02", "ep-sw:switching/port["+camera+"]/rate-limits/in 512")
	assert.InDelta(t, 512_000, sent(), 1000)
	assert.Positive(t, d.ports[camera].counters.inDiscards)

	list := "oc-acl:acl/acl-sets/acl-set[cameras,ACL_IPV4]/acl-entries/"
	configure(t, w, "th-sw-02", list+"acl-entry[10]/actions/config/forwarding-action DROP", list+"acl-entry[10]/ipv4/config/source-address 10.2.0.0/16",
		"oc-acl:acl/interfaces/interface["+camera+"]/ingress-acl-sets/ingress-acl-set[cameras,ACL_IPV4]")
	assert.Zero(t, sent())
	assert.Positive(t, d.hits[listEntry{"cameras", 10}], "the entry counts what it decided on")
	configure(t, w, "th-sw-02", list+"acl-entry[5]/actions/config/forwarding-action ACCEPT")
	assert.Positive(t, sent(), "the first that fits decides")
}

func TestASchedulePutsAPortOutOfWorkByTheHour(t *testing.T) {
	t.Parallel()
	w := steppedPlant(t, TernHaven(), Options{}) // a Monday at noon
	camera := portOfA(t, w, "th-sw-02", "camera")
	at := endpoint{"th-sw-02", camera}
	configure(t, w, "th-sw-02", "ep-sw:switching/schedule[office]/hours mon-fri 06:00-19:00", "ep-sw:switching/port["+camera+"]/schedule office")
	assert.True(t, w.at(at).up)
	w.Step(8 * time.Hour)
	assert.False(t, w.at(at).up)
	assert.Equal(t, "schedule", w.shutBy("th-sw-02:"+camera))
	w.Step(11 * time.Hour)
	assert.True(t, w.at(at).up, "on Tuesday morning")
	configure(t, w, "th-sw-02", "oc-sys:system/clock/config/timezone-name Pacific/Auckland")
	w.Step(time.Hour)
	assert.False(t, w.at(at).up, "by the device's own clock")
}

func TestAPortFollowsItsUplinksAfterAWhile(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	desk := portOfA(t, w, "th-sw-02", "desk")
	at := endpoint{"th-sw-02", desk}
	configure(t, w, "th-sw-02", "ep-sw:switching/port["+desk+"]/follow/port 1/1/25", "ep-sw:switching/port["+desk+"]/follow-delay 5")
	require.NoError(t, w.Throw(Cut, "th-sw-02:1/1/25"))
	w.Step(3 * time.Second)
	assert.True(t, w.at(at).up)
	w.Step(3 * time.Second)
	assert.False(t, w.at(at).up)
	assert.Equal(t, "follow", w.shutBy("th-sw-02:"+desk))
	require.NoError(t, w.Throw(Mend, "th-sw-02:1/1/25"))
	assert.True(t, w.at(at).up)
}

func TestAFlappingPortIsShutForAWhile(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	camera := portOfA(t, w, "th-sw-02", "camera")
	configure(t, w, "th-sw-02", "ep-sw:switching/port["+camera+"]/flap-guard/changes 4", "ep-sw:switching/port["+camera+"]/flap-guard/hold 120")
	require.NoError(t, w.Throw(Flap, "th-sw-02:"+camera))
	w.Step(10 * time.Second)
	assert.Equal(t, "flap-guard", w.shutBy("th-sw-02:"+camera))
	w.Step(2 * time.Minute)
	assert.Empty(t, w.shutBy("th-sw-02:"+camera))
	assert.True(t, w.at(endpoint{"th-sw-02", camera}).up)
}

func TestWhoIsNotLetInIsAGuest(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	d, desk, camera := w.devices["th-sw-02"], portOfA(t, w, "th-sw-02", "desk"), portOfA(t, w, "th-sw-02", "camera")
	joined := func(port string) int { return w.station("th-sw-02:" + port).joined(d.cfg) }
	for _, p := range []string{desk, camera} {
		configure(t, w, "th-sw-02", "ep-sw:switching/port["+p+"]/access-control 802.1x", "ep-sw:switching/port["+p+"]/guest-vlan 99")
	}
	assert.Equal(t, []int{99, 99}, []int{joined(desk), joined(camera)}, "nobody can be asked")
	configure(t, w, "th-sw-02", "ep-sw:switching/authentication/radius-server 10.1.10.5")
	assert.Equal(t, []int{20, 99}, []int{joined(desk), joined(camera)}, "a camera cannot say who it is")
	configure(t, w, "th-sw-02", "ep-sw:switching/port["+camera+"]/access-control 802.1x-or-mac")
	assert.Equal(t, 50, joined(camera))
}

func TestLinksComeUpAtASpeedThatBothEndsHave(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	at, up := endpoint{"th-sw-02", "1/1/25"}, "oc-if:interfaces/interface[1/1/25]/oc-eth:ethernet/config/"
	configure(t, w, "th-sw-02", up+"auto-negotiate false", up+"port-speed oc-eth:SPEED_1GB")
	assert.True(t, w.at(at).up)
	assert.Equal(t, 1000, w.devices["th-sw-01"].speedOf("1/1/49"))
	configure(t, w, "th-sw-02", up+"port-speed oc-eth:SPEED_40GB")
	assert.False(t, w.at(at).up, "it has 10 Gbit/s at most")
	combo := endpoint{"gs-sw-02", "1/1/7"}
	configure(t, w, "gs-sw-02", "oc-if:interfaces/interface[1/1/7]/config/enabled true")
	require.NoError(t, w.Throw(Loop, "gs-sw-02:1/1/7")) // something is plugged in, by copper
	assert.True(t, w.at(combo).up)
	configure(t, w, "gs-sw-02", "ep-sw:switching/port[1/1/7]/connector fibre")
	assert.False(t, w.at(combo).up, "its cable is in the copper connector")
}

func TestBundlesThatDoNotComeTogetherForwardNothing(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	var c *cable
	for _, one := range w.cablesAt["th-sw-03"] {
		if one.a.port == "1/1/50" || one.b.port == "1/1/50" {
			c = one
		}
	}
	require.NotNil(t, c)
	mode := func(device, bundle, mode string) {
		configure(t, w, device, "oc-lacp:lacp/interfaces/interface["+bundle+"]/config/lacp-mode "+mode)
	}
	require.True(t, w.forwards(c))
	mode("th-sw-01", "lag3", "PASSIVE")
	assert.True(t, w.forwards(c))
	mode("th-sw-03", "lag1", "PASSIVE")
	assert.False(t, w.forwards(c), "both wait for the other")
	static := "oc-if:interfaces/interface[%]/oc-lag:aggregation/config/lag-type STATIC"
	configure(t, w, "th-sw-01", strings.Replace(static, "%", "lag3", 1))
	assert.False(t, w.forwards(c), "one speaks LACP, the other does not")
	configure(t, w, "th-sw-03", strings.Replace(static, "%", "lag1", 1))
	assert.True(t, w.forwards(c))
}

func TestADeviceLetsItselfBeManagedFromWhereItIsTold(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	d := w.devices["th-sw-02"]
	configure(t, w, "th-sw-02", "ep-dev:management/allowed/from 10.9.0.0/16")
	assert.False(t, d.letsManage())
	configure(t, w, "th-sw-02", "ep-dev:management/allowed/from 127.0.0.0/8")
	assert.True(t, d.letsManage())
}
