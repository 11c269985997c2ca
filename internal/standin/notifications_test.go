package standin

import (
	"net"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/testing/peers"
)

func TestWhatHappensIsToldBySyslog(t *testing.T) {
	t.Parallel()
	server, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = server.Close() })
	w := steppedWorld(t, Options{SyslogPort: server.LocalAddr().(*net.UDPAddr).Port})
	next := func() string {
		b := make([]byte, 2000)
		require.NoError(t, server.SetReadDeadline(time.Now().Add(10*time.Second)))
		n, _, err := server.ReadFrom(b)
		require.NoError(t, err)
		return string(b[:n])
	}
	configure(t, w, "th-sw-02", "oc-sys:system/logging/remote-servers/remote-server[127.0.0.1]", "oc-sys:system/logging/remote-servers/remote-server[127.0.0.1]/config/host 127.0.0.1")
	assert.Regexp(t, `^<190>1 \S+Z th-sw-02 H24P - CONFIG - the configuration was changed by itself$`, next())
	require.NoError(t, w.Throw(Cut, "th-sw-02:1/1/25"))
	assert.Regexp(t, `^<188>1 \S+Z th-sw-02 H24P - LINKDOWN - the link of 1/1/25 is down$`, next())
	require.NoError(t, w.Throw(Mend, "th-sw-02:1/1/25"))
	assert.Contains(t, next(), "LINKUP")
}

// The traps are those of IF-MIB, as an independent receiver reads them; by severity, and none by default.
func TestTrapsAreToldByTheirSeverity(t *testing.T) {
	t.Parallel()
	port := peers.FreePort(t)
	out := peers.Traps(t, port, "authCommunity log herring-gull-7\n")
	w := steppedWorld(t, Options{TrapPort: port})
	snmp := "ep-mg:management-plane/snmp/"
	told := func(text string) bool {
		b, _ := os.ReadFile(out)
		return strings.Contains(string(b), text)
	}
	flip := func() {
		require.NoError(t, w.Throw(Cut, "th-sw-02:1/1/25"))
		require.NoError(t, w.Throw(Mend, "th-sw-02:1/1/25"))
	}
	configure(t, w, "th-sw-02", snmp+"versions v2c", snmp+"community[watch]/secret herring-gull-7", snmp+"receiver[watch]/to/address 127.0.0.1", snmp+"receiver[watch]/community watch")
	flip() // which it is not told
	configure(t, w, "th-sw-02", snmp+"receiver[watch]/severity minor")
	require.Eventually(t, func() bool { flip(); return told(oidLinkDown) }, 20*time.Second, 50*time.Millisecond, "the loss of a link is a minor matter")
	assert.True(t, told(`"1/1/25"`), "the port is named (ifName)")
	assert.False(t, told(oidLinkUp), "its return is told only to who wants all")
	configure(t, w, "th-sw-02", snmp+"receiver[watch]/severity all")
	require.Eventually(t, func() bool { flip(); return told(oidLinkUp) }, 20*time.Second, 50*time.Millisecond)
}

func TestFramesThatAreTooLargeGetLost(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	near, far := endpoint{"th-sw-02", "1/1/25"}, endpoint{"th-sw-01", "1/1/49"}
	configure(t, w, "th-sw-02", "oc-if:interfaces/interface[1/1/25]/config/mtu 9000")
	before := w.at(far).counters.inErrors
	w.Step(time.Minute)
	assert.Greater(t, w.at(far).counters.inErrors, before)
	configure(t, w, "th-sw-01", "oc-if:interfaces/interface[1/1/49]/config/mtu 9000")
	before = w.at(far).counters.inErrors
	w.Step(time.Minute)
	assert.Equal(t, before, w.at(far).counters.inErrors)
	assert.Zero(t, w.at(near).counters.inErrors)
}

func TestMulticastGoesWhereSomebodyListens(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	gate, display := portOfA(t, w, "th-sw-04", "gate"), portOfA(t, w, "th-sw-04", "display")
	sent := func(port string) float64 {
		p := w.devices["th-sw-04"].ports[port]
		before := p.counters.outMulticast
		w.Step(time.Minute)
		return p.counters.outMulticast - before
	}
	assert.Greater(t, sent(gate), 2000.0, "it goes everywhere")
	configure(t, w, "th-sw-04", "ep-sw:switching/vlan[60]/igmp-snooping true")
	assert.Less(t, sent(gate), 200.0)
	assert.Greater(t, sent(display), 2000.0)
}

func TestWhoIsIsolatedIsNotMisled(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	desk, printer := portOfA(t, w, "th-sw-02", "desk"), portOfA(t, w, "th-sw-02", "printer")
	require.NoError(t, w.Throw(RogueDHCP, "th-sw-02:"+printer))
	require.True(t, w.misled(w.station("th-sw-02:"+desk)))
	configure(t, w, "th-sw-02", "ep-sw:switching/port["+printer+"]/isolation 1", "ep-sw:switching/port["+desk+"]/isolation 1")
	assert.False(t, w.misled(w.station("th-sw-02:"+desk)))
}

// A clock that no server sets goes wrong by and by; it is right as soon as one does.
func TestAClockThatNoServerSetsGoesWrong(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	d := w.devices["kb-sw-04"]
	at := func() time.Duration {
		told, err := time.Parse(time.RFC3339, d.stateTree(w.clock.now(), nil).TextAt("system/state/current-datetime"))
		require.NoError(t, err)
		return told.Sub(w.clock.now().Truncate(time.Second)).Abs()
	}
	before := at()
	assert.Greater(t, before, 5*time.Second)
	w.Step(8 * time.Hour)
	assert.Greater(t, at(), before)
	ntp := "oc-sys:system/ntp/"
	configure(t, w, "kb-sw-04", ntp+"servers/server[10.1.1.1]/config/address 10.1.1.1")
	assert.Greater(t, at(), before, "it is not switched on")
	configure(t, w, "kb-sw-04", ntp+"config/enabled true")
	assert.LessOrEqual(t, at(), time.Second)
	assert.Equal(t, "3", d.stateTree(w.clock.now(), nil).TextAt("system/ntp/servers/server/state/stratum"))
}
