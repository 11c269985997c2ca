package standin

import (
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/wire/xmlnode"
)

// told are the sessions that a firewall tells of, asked with leaves of read-sessions.
func told(t *testing.T, w *World, device string, leaves ...*xmlnode.Node) []*xmlnode.Node {
	t.Helper()
	out, err := w.devices[device].readSessions(xmlnode.New(namespaces["ep-fw"], "read-sessions", leaves...))
	require.NoError(t, err)
	return out[1:]
}

// Sessions are those of stations that speak through the firewall; one that is ended is silent for a while, and begins anew under another number.
func TestSessionsFollowTheirStations(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	w.Step(time.Minute)
	x := in("ep-fw")
	all := told(t, w, "th-fw-01")
	calls := told(t, w, "th-fw-01", x.leaf("port", "5060"))
	require.NotEmpty(t, calls)
	assert.Greater(t, len(all), len(calls))
	one := calls[0]
	source, id := one.TextAt("source"), one.TextAt("id")
	assert.Equal(t, id, told(t, w, "th-fw-01", x.leaf("source", source+"/32"))[0].TextAt("id"), "it is the same as long as it goes on")
	assert.Empty(t, told(t, w, "th-fw-01", x.leaf("source", "192.0.2.0/24")))
	assert.Len(t, told(t, w, "th-fw-01", x.leaf("most", "2")), 2)

	d, now := w.devices["th-fw-01"], w.clock.now()
	for _, s := range w.sessionTable(d, now) {
		if s.id == id {
			d.cutOff(s, now)
		}
	}
	assert.Empty(t, told(t, w, "th-fw-01", x.leaf("source", source+"/32")))
	w.Step(againAfter + time.Second)
	again := told(t, w, "th-fw-01", x.leaf("source", source+"/32"))
	require.Len(t, again, 1)
	assert.NotEqual(t, id, again[0].TextAt("id"))

	d.blocked = map[netip.Addr]*blockedSource{netip.MustParseAddr(source): {until: w.clock.now().Add(time.Hour)}}
	assert.Empty(t, told(t, w, "th-fw-01", x.leaf("source", source+"/32")))
	w.Step(2 * time.Minute)
	assert.Positive(t, d.blocked[netip.MustParseAddr(source)].refused)
	w.Step(time.Hour)
	assert.NotEmpty(t, told(t, w, "th-fw-01", x.leaf("source", source+"/32")), "the time is over")
}

// What an inspection limits is slowed down, and what it blocks is silent; both are counted.
func TestInspectionsHoldBack(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	sent := func(span time.Duration) float64 {
		p := w.devices["th-edge-01"].ports["lan1"]
		before := p.counters.outOctets + p.counters.inOctets
		w.Step(span)
		return p.counters.outOctets + p.counters.inOctets - before
	}
	surfing := "ep-fw:firewall/inspection[surfing]/"
	free := sent(10 * time.Minute)
	configure(t, w, "th-fw-01", surfing+"application-limits/limit tide-tables=64k", surfing+"application-limits/limit booking=64k")
	slow := sent(10 * time.Minute)
	assert.Less(t, slow, free)
	configure(t, w, "th-fw-01", surfing+"application-blocked/application tide-tables")
	assert.Less(t, sent(10*time.Minute), slow)
	d := w.devices["th-fw-01"]
	assert.Positive(t, d.found[[2]string{"surfing", "application tide-tables"}].blocked)
	assert.Positive(t, d.found[[2]string{"surfing", "application tide-tables"}].limited)
	for text, good := range map[string]bool{"tide-tables=64k": true, "a=1G": true, "=64k": false, "a=": false, "a=k": false, "a=5": false, "a": false} {
		_, _, err := readLimit(text)
		assert.Equal(t, good, err == nil, text)
	}
}

// A VLAN without a gateway is not led out of its site, nor does one get an address there.
func TestAVLANWithoutAGateway(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	d := w.devices["ng-edge-01"]
	leases := func() (n int) {
		for _, g := range d.stateTree(w.clock.now(), nil).Child("routing").All("gateway") {
			n += len(g.Child("dhcp-server").All("lease-given"))
		}
		return n
	}
	desk := w.station("ng-sw-01:" + portOfA(t, w, "ng-sw-01", "desk"))
	require.NotNil(t, desk)
	assert.True(t, w.Reaches(desk.IP, tides, "tcp", 443))
	before := leases()
	assert.Positive(t, before)
	reserved := "ep-rt:routing/gateway[20]/reservation[10]/"
	configure(t, w, "ng-edge-01", reserved+"mac "+desk.MAC, reserved+"address 10.7.20.9")
	w.mu.Lock()
	w.settle()
	w.mu.Unlock()
	assert.Equal(t, "10.7.20.9", desk.IP)
	assert.Equal(t, before, leases(), "it is given another one, not one more")
	configure(t, w, "ng-edge-01", "ep-rt:routing/gateway[20]/address dhcp", "ep-rt:routing/gateway[20]/dhcp-server/enabled false")
	w.mu.Lock()
	w.settle()
	w.mu.Unlock()
	assert.False(t, w.Reaches(desk.IP, tides, "tcp", 443))
	assert.NotEqual(t, "10.7.20.9", desk.IP, "nobody gives it out any more")
	assert.Less(t, leases(), before)
}
