package standin

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/testing/peers"
)

// runningWorld is a world whose devices listen.
func runningWorld(t *testing.T, o Options) *World {
	t.Helper()
	o.User, o.Password = "fleet", "tidewater-lamp"
	w, err := New(LanternSound(), o)
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	return w
}

// askedOf asks a device by SNMP with an independent manager; the last of the arguments is what is asked.
func askedOf(t *testing.T, w *World, device, program string, args ...string) string {
	t.Helper()
	last := len(args) - 1
	return peers.SNMP(t, program, append(append(slices.Clone(args[:last]), w.Address(device)), strings.Fields(args[last])...)...)
}

func TestADeviceIsAskedBySNMPAsItIsSetUp(t *testing.T) {
	t.Parallel()
	w := runningWorld(t, Options{})
	const snmp, name = "ep-mg:management-plane/snmp/", ".1.3.6.1.2.1.1.5.0"
	ask := func(oid string) string {
		return askedOf(t, w, "th-sw-02", "snmpget", "-v2c", "-c", "herring-gull-7", oid)
	}
	require.Contains(t, ask(name), "Timeout", "it answers nothing while it is off")
	configure(t, w, "th-sw-02", snmp+"versions v2c", snmp+"community[watch]/secret herring-gull-7", "ep-dev:about/contact the harbour office")
	assert.Equal(t, name+` = STRING: "th-sw-02"`, ask(name))
	assert.Equal(t, `.1.3.6.1.2.1.1.4.0 = STRING: "the harbour office"`, ask(".1.3.6.1.2.1.1.4.0"))
	port := portOfA(t, w, "th-sw-02", "printer")
	index := strings.TrimPrefix(port, "1/1/")
	status := ".1.3.6.1.2.1.2.2.1.8." + index
	assert.Equal(t, status+" = INTEGER: 1", ask(status))
	require.NoError(t, w.Throw(Cut, "th-sw-02:"+port))
	assert.Equal(t, status+" = INTEGER: 2", ask(status))
	require.NoError(t, w.Throw(Mend, "th-sw-02:"+port))
	walked := askedOf(t, w, "th-sw-02", "snmpbulkwalk", "-v2c", "-c", "herring-gull-7", ".1.3.6.1.2.1.31.1.1.1.1")
	assert.Equal(t, len(w.devices["th-sw-02"].spec.Ports), strings.Count(walked, "STRING"), "ifName of every port")

	set := func(args string) string {
		return askedOf(t, w, "th-sw-02", "snmpset", "-v2c", "-c", "herring-gull-7", args)
	}
	assert.Contains(t, set(".1.3.6.1.2.1.2.2.1.7."+index+" i 2"), "noAccess")
	configure(t, w, "th-sw-02", snmp+"community[watch]/access read-write")
	assert.Contains(t, set(".1.3.6.1.2.1.2.2.1.7."+index+" i 3"), "wrongValue")
	assert.Contains(t, set(".1.3.6.1.2.1.2.2.1.7.999 i 2"), "noCreation")
	assert.Contains(t, set(".1.3.6.1.2.1.31.1.1.1.18."+index+" s tickets"), "tickets")
	set(".1.3.6.1.2.1.2.2.1.7." + index + " i 2")
	assert.False(t, w.PortUp("th-sw-02:"+port), "a port is shut by a manager")
	log := w.devices["th-sw-02"].log
	assert.Contains(t, string(log[len(log)-2].event.Bytes())+string(log[len(log)-1].event.Bytes()), "<username>community 127.0.0.1</username>", "and who did it is told")

	configure(t, w, "th-sw-02", snmp+"community[watch]/from/prefix 10.0.0.0/8")
	assert.Contains(t, ask(name), "Timeout", "it is not asked from there")
}

func TestADeviceIsAskedAndTellsAsAUserOfSNMPv3(t *testing.T) {
	t.Parallel()
	port := peers.FreePort(t)
	w := runningWorld(t, Options{TrapPort: port})
	const snmp, name = "ep-mg:management-plane/snmp/", ".1.3.6.1.2.1.1.5.0"
	configure(t, w, "th-sw-02", snmp+"versions v3", snmp+"user[watch]/auth-secret herring-gull-7", snmp+"user[watch]/privacy-secret kittiwake-22",
		snmp+"receiver[log]/to/address 127.0.0.1", snmp+"receiver[log]/user watch", snmp+"receiver[log]/severity minor")
	args := []string{"-v3", "-u", "watch", "-l", "authPriv", "-a", "SHA-256", "-A", "herring-gull-7", "-x", "AES", "-X", "kittiwake-22", name}
	assert.Equal(t, name+` = STRING: "th-sw-02"`, askedOf(t, w, "th-sw-02", "snmpget", args...))
	args[8] = "herring-gull-8"
	assert.Contains(t, askedOf(t, w, "th-sw-02", "snmpget", args...), "Authentication failure")

	out := peers.Traps(t, port, fmt.Sprintf("createUser -e 0x%x watch SHA-256 herring-gull-7 AES kittiwake-22\nauthUser log watch\n", w.devices["th-sw-02"].engineID()))
	require.Eventually(t, func() bool {
		require.NoError(t, w.Throw(Cut, "th-sw-02:1/1/25"))
		require.NoError(t, w.Throw(Mend, "th-sw-02:1/1/25"))
		b, _ := os.ReadFile(out)
		return strings.Contains(string(b), oidLinkDown) && strings.Contains(string(b), `"1/1/25"`)
	}, 20*time.Second, 100*time.Millisecond)
}
