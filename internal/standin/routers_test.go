package standin

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/wire/xmlnode"
)

const yardPeer = "ep-rt:routing/bgp-peer[yard]/"

// A router and an edge exchange routes as far as they agree, and stations at all sites reach what is behind it as long as there is a way there and back.
func TestRoutersOfASiteExchangeRoutes(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	step := func() {
		for range 3 {
			w.Step(time.Second)
		}
	}
	step()
	desk := func(site string) string {
		for _, h := range w.hosts {
			if w.devices[h.at.device].spec.Site == site && (hasWord(h.Name, "dock-desk") || hasWord(h.Name, "desk")) && h.port.up && h.joined(w.devices[h.at.device].cfg) == 20 {
				return h.IP
			}
		}
		return ""
	}
	dock, far := desk("kelp-bay"), desk("northgate")
	require.NotEmpty(t, dock)
	require.NotEmpty(t, far)
	reaches := func(from, to string) bool { return w.Reaches(from, to, "tcp", 443) }
	bgp := func() (e exchange) {
		w.locked(func() { e = w.devices["kb-edge-01"].exchanges["bgp yard"] })
		return e
	}
	has := func(device, segment, prefix string) (via string) {
		w.locked(func() {
			for _, r := range w.devices[device].table(segment) {
				if r.prefix == prefix {
					via = r.origin + " " + r.via
				}
			}
		})
		return via
	}
	assert.True(t, bgp().up)
	assert.Equal(t, "BGP 10.6.20.5", has("kb-edge-01", "", "172.20.8.0/22"))
	assert.Equal(t, "BGP "+w.devices["kb-edge-01"].spec.ManagementIP, has("hh-edge-01", "", "172.20.8.0/22"), "passed on to other sites")
	assert.Empty(t, has("kb-edge-01", "cranes", "172.20.8.0/22"), "and to no segment")
	assert.True(t, reaches(dock, yardOffice))
	assert.False(t, reaches(dock, "172.20.8.11"), "where nobody is")
	assert.True(t, reaches(far, "172.20.16.10"), "by OSPF at Northgate")
	assert.Equal(t, "OSPF 10.7.20.5", has("ng-edge-01", "", "172.20.16.0/22"))

	for name, tc := range map[string]struct{ line, fault string }{
		"another secret": {yardPeer + "secret quite another one", "authentication"},
		"another AS":     {yardPeer + "as 64901", "bad-peer-as"},
		"nobody there":   {yardPeer + "address 10.6.20.99", "no-answer"},
		"in no network":  {yardPeer + "address 10.66.20.5", "no-network"},
	} {
		configure(t, w, "kb-edge-01", tc.line)
		step()
		assert.Equal(t, tc.fault, bgp().fault, name)
		assert.Empty(t, has("hh-edge-01", "", "172.20.8.0/22"), name)
		assert.False(t, reaches(dock, yardOffice), name)
		configure(t, w, "kb-edge-01", yardPeer+"secret keel on the blocks", yardPeer+"as 64900", yardPeer+"address 10.6.20.5")
		step()
		assert.True(t, bgp().up, name)
	}

	// What is not announced has no answer; what is not accepted has no way.
	configure(t, w, "kb-edge-01", "ep-rt:routing/bgp-peer[other]/name other", "ep-rt:routing/bgp-peer[other]/as 64900")
	step()
	w.locked(func() { assert.Equal(t, "incomplete", w.devices["kb-edge-01"].exchanges["bgp other"].fault) })
	require.NoError(t, w.Throw(Cut, "kb-sw-02:1/1/8"))
	step()
	assert.Equal(t, "no-answer", bgp().fault)
	assert.False(t, reaches(dock, yardOffice))

	configure(t, w, "ng-edge-01", "ep-rt:routing/gateway[20]/ospf/area 0.0.0.7")
	step()
	w.locked(func() {
		assert.Equal(t, "area-mismatch", w.devices["ng-edge-01"].exchanges["ospf landlord-router"].fault)
	})
	assert.False(t, reaches(far, "172.20.16.10"))
	configure(t, w, "ng-edge-01", "ep-rt:routing/gateway[20]/ospf/area 0.0.0.0", "ep-rt:routing/gateway[20]/ospf/secret not the secret")
	step()
	w.locked(func() {
		assert.Equal(t, "authentication", w.devices["ng-edge-01"].exchanges["ospf landlord-router"].fault)
	})
	configure(t, w, "ng-edge-01", "ep-rt:routing/gateway[20]/ospf/secret doors and lifts", "ep-rt:routing/gateway[20]/ospf/passive true")
	step()
	w.locked(func() { assert.Empty(t, w.devices["ng-edge-01"].exchanges) })
}

// A router that is told too little of the company answers only whom it knows.
func TestWhatIsNotAnnouncedIsNotAnswered(t *testing.T) {
	t.Parallel()
	p := LanternSound()
	for i := range p.Devices {
		if p.Devices[i].Name == "kb-edge-01" {
			p.Devices[i].BGPPeers[0].Announces = []string{"10.1.0.0/16"}
		}
	}
	w := steppedPlant(t, p, Options{})
	w.Step(time.Second)
	w.locked(func() {
		r := w.routers[0]
		require.Equal(t, "yard-router", r.Host)
		assert.True(t, w.knows(r, prefixesOf([]string{"10.1.20.7/32"})[0].Addr()))
		assert.False(t, w.knows(r, prefixesOf([]string{"10.6.20.7/32"})[0].Addr()))
	})
}

func TestRoutersThatADeviceRefuses(t *testing.T) {
	t.Parallel()
	w := lantern(t)
	x := in("ep-rt")
	for says, leaf := range map[string]*xmlnode.Node{
		"that is yard already": x.leaf("address", "10.6.20.5"),
		"8 to 80 characters":   x.leaf("secret", "short"),
		"4294967296":           x.leaf("as", "4294967296"),
	} {
		peer := x.node("bgp-peer", x.leaf("name", "zz"), leaf)
		assert.ErrorContains(t, w.Edit("kb-edge-01", "somebody", []*xmlnode.Node{x.node("routing", peer)}), says)
	}
}
