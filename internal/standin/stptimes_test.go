package standin

import (
	"fmt"
	"net"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/dns/dnsmessage"
)

// A port that is no edge listens, and then learns, before who is plugged into it is heard; for as long as the root says.
func TestAPortThatIsNoEdgeWaitsBeforeItForwards(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	d := w.devices["th-sw-02"]
	desk := portOfA(t, w, "th-sw-02", "desk")
	h := w.station("th-sw-02:" + desk)
	replug := func() {
		require.NoError(t, w.Throw(Cut, "th-sw-02:"+desk))
		require.NoError(t, w.Throw(Mend, "th-sw-02:"+desk))
	}
	state := func() string { return d.stpWord(d.ports[desk], w.clock.now()) }
	replug()
	assert.Equal(t, []any{20, "FORWARDING"}, []any{h.joined(d.cfg), state()}, "one that hears no bridge forwards at once")

	edge := "oc-stp:stp/interfaces/interface[" + desk + "]/config/edge-port "
	configure(t, w, "th-sw-02", edge+"oc-stp-types:EDGE_DISABLE")
	replug()
	assert.Equal(t, []any{0, "LISTENING"}, []any{h.joined(d.cfg), state()})
	w.Step(16 * time.Second)
	assert.Equal(t, []any{0, "LEARNING"}, []any{h.joined(d.cfg), state()})
	require.NoError(t, w.Throw(Cut, "th-sw-02:"+desk))
	w.Step(16 * time.Second)
	require.NoError(t, w.Throw(Mend, "th-sw-02:"+desk))
	assert.Equal(t, "LISTENING", state(), "it begins anew with its link")
	w.Step(31 * time.Second)
	assert.Equal(t, []any{20, "FORWARDING"}, []any{h.joined(d.cfg), state()})

	root := w.nodes[w.tree.root[w.nodeOf("th-sw-02")]][0]
	configure(t, w, "th-sw-02", "oc-stp:stp/rstp/config/forwarding-delay 30")
	configure(t, w, root, "oc-stp:stp/rstp/config/forwarding-delay 4")
	replug()
	w.Step(9 * time.Second)
	assert.Equal(t, 20, h.joined(d.cfg), "the time of the root counts")
	rstp := d.stateTree(w.clock.now(), nil).Find("stp/rstp/state")
	assert.Equal(t, []string{"2", "20", "4"}, []string{rstp.TextAt("hello-time"), rstp.TextAt("max-age"), rstp.TextAt("forwarding-delay")})
}

// What a root says is believed only so many bridges away: those beyond have a root of their own.
func TestARootIsHeardOnlySoFar(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	const length = 9
	at := func(i int) string { return fmt.Sprintf("row-%d", i) }
	plant := Plant{Entries: []string{at(0)}}
	for i := range length {
		spec := w.devices["th-sw-02"].spec
		spec.Name, spec.Serial, spec.Loopback = at(i), at(i), "127.0.0.1"
		plant.Devices = append(plant.Devices, spec)
		if i > 0 {
			plant.Cables = append(plant.Cables, CableSpec{A: at(i-1) + ":1/1/25", B: at(i) + ":1/1/26"})
		}
	}
	row, err := New(plant, Options{User: "fleet", Password: "tidewater-lamp", Stepped: noon})
	require.NoError(t, err)
	row.locked(row.settle)
	rootOf := func(i int) string { return row.tree.root[row.nodeOf(at(i))] }
	configure(t, row, at(0), "oc-stp:stp/rstp/config/bridge-priority 4096")
	require.Equal(t, row.nodeOf(at(0)), rootOf(length-1))
	configure(t, row, at(0), "oc-stp:stp/rstp/config/max-age 6")
	assert.Equal(t, row.nodeOf(at(0)), rootOf(6))
	assert.NotEqual(t, row.nodeOf(at(0)), rootOf(7))
	assert.Equal(t, rootOf(7), rootOf(8))
}

func TestTheManagementHasATableOfRoutesOfItsOwn(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	routes := func() (names []string) {
		for _, i := range w.devices["hh-core-02"].stateTree(w.clock.now(), nil).Child("network-instances").All("network-instance") {
			if i.Child("afts") != nil {
				names = append(names, i.TextAt("name")+" "+i.TextAt("afts/ipv4-unicast/ipv4-entry/prefix")+" "+i.TextAt("afts/next-hops/next-hop/interface-ref/state/interface"))
			}
		}
		return names
	}
	configure(t, w, "hh-core-02", "ep-mg:management-plane/own-port/port mgmt0")
	assert.Empty(t, routes())
	configure(t, w, "hh-core-02", "ep-mg:management-plane/vrf apart")
	assert.Equal(t, []string{"apart 10.1.10.0/24 mgmt0"}, routes())
}

func TestADeviceAsksItsNameServers(t *testing.T) {
	t.Parallel()
	server, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = server.Close() })
	go serveNames(server)
	w := steppedWorld(t, Options{NamesPort: server.LocalAddr().(*net.UDPAddr).Port})
	lookup := func(name string) string { return w.devices["th-sw-02"].lookup(t.Context(), name) }
	assert.Contains(t, lookup("harbour.example.net"), "knows no name server")
	configure(t, w, "th-sw-02", "oc-sys:system/dns/servers/server[10.1.1.1]/config/address 10.1.1.1")
	assert.Contains(t, lookup("harbour.example.net"), "No name server answers: 10.1.1.1")
	configure(t, w, "th-sw-02", "oc-sys:system/dns/servers/server[127.0.0.1]/config/address 127.0.0.1")
	assert.Equal(t, "harbour.example.net is at 10.1.20.7\n", lookup("harbour.example.net"))
	assert.Equal(t, "127.0.0.1 knows no shoal.example.net\n", lookup("shoal.example.net"))
}

// serveNames knows one host.
func serveNames(c net.PacketConn) {
	buf := make([]byte, 1500)
	for {
		n, from, err := c.ReadFrom(buf)
		if err != nil {
			return
		}
		var m dnsmessage.Message
		if m.Unpack(buf[:n]) != nil || len(m.Questions) != 1 {
			continue
		}
		q := m.Questions[0]
		m.Response, m.Additionals = true, nil
		switch {
		case q.Name.String() != "harbour.example.net.":
			m.RCode = dnsmessage.RCodeNameError
		case q.Type == dnsmessage.TypeA:
			m.Answers = []dnsmessage.Resource{{Header: dnsmessage.ResourceHeader{Name: q.Name, Type: q.Type, Class: q.Class, TTL: 60}, Body: &dnsmessage.AResource{A: [4]byte{10, 1, 20, 7}}}}
		}
		if out, err := m.Pack(); err == nil {
			_, _ = c.WriteTo(out, from)
		}
	}
}
