package standin

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What a customer sends gets from his one port to his other, and to nobody else; what is on the way is counted, and a link less takes it away.
func TestACustomersFramesAreCarriedApart(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	const office, lookout = "192.0.2.10", "192.0.2.20"
	talks := func() bool { return w.Reaches(lookout, office, "tcp", 443) }
	got := func(device, port string) (in, out float64) {
		w.locked(func() {
			c := w.devices[device].ports[port].counters
			in, out = c.inOctets, c.outOctets
		})
		return in, out
	}
	w.Step(time.Minute)
	assert.True(t, talks())
	assert.False(t, w.Reaches(lookout, "10.4.20.21", "tcp", 443), "none of the house")
	assert.False(t, w.Reaches(lookout, tides, "tcp", 443), "nor the world outside")
	sent, received := got("gs-sw-01", "1/1/19")
	out, in := got("th-sw-01", "2/1/46")
	assert.Greater(t, sent, 1e5)
	assert.InDelta(t, sent, in, 1, "what goes in at the one end comes out at the other")
	assert.InDelta(t, received, out, 1)
	w.locked(func() {
		for _, d := range []string{"gs-sw-01", "gs-rl-01", "th-rl-01", "th-sw-01"} {
			for _, l := range w.devices[d].macTable() {
				assert.NotContains(t, []string{"02:f0:02:04:00:01", "02:f0:02:04:00:02"}, l.mac, "%s lists stations of its own VLANs", d)
			}
		}
	})

	at := func(port string) string { return "ep-sw:switching/port[" + port + "]/" }
	for name, tc := range map[string]struct{ device, line, back string }{
		"another service VLAN":  {"gs-sw-01", at("1/1/19") + "service-vlan 401", at("1/1/19") + "service-vlan 400"},
		"a port that is closed": {"th-sw-01", "oc-if:interfaces/interface[2/1/46]/config/enabled false", "oc-if:interfaces/interface[2/1/46]/config/enabled true"},
	} {
		configure(t, w, tc.device, tc.line)
		assert.False(t, talks(), name)
		was, _ := got("th-sw-01", "2/1/46")
		_, before := got("th-sw-01", "2/1/46")
		w.Step(time.Minute)
		now, after := got("th-sw-01", "2/1/46")
		assert.InDelta(t, was+before, now+after, 1, name)
		configure(t, w, tc.device, tc.back)
		w.Step(10 * time.Second)
		assert.True(t, talks(), name)
	}
	require.NoError(t, w.Throw(Downpour, "th-rl-01"))
	assert.False(t, talks(), "in the rain")
	require.NoError(t, w.Throw(Recover, "th-rl-01"))
	assert.True(t, talks())
}

// A radio link carries what is not its own untouched: a VLAN that it does not know passes, one that only one end takes does not.
func TestARadioLinkCarriesAllUntouched(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	const vlan = 222
	reaches := func() (there bool) {
		w.locked(func() { _, there = w.around(room{"gs-sw-01", vlan})[room{"th-sw-01", vlan}] })
		return there
	}
	for device, port := range map[string]string{"gs-sw-01": "1/1/23", "th-sw-01": "2/1/48"} {
		configure(t, w, device, "oc-netin:network-instances/network-instance[default]/vlans/vlan[222]/config/vlan-id 222",
			"oc-if:interfaces/interface["+port+"]/oc-eth:ethernet/oc-vlan:switched-vlan/config/trunk-vlans 222")
	}
	assert.False(t, reaches(), "neither radio knows it")
	for i, device := range []string{"gs-rl-01", "th-rl-01"} {
		configure(t, w, device, "ep-sw:switching/port[eth0]/service-vlan 500", "ep-sw:switching/port[radio0]/service-trunk/vlan 500")
		assert.Equal(t, i == 1, reaches(), device)
	}
	assert.True(t, w.Reaches("192.0.2.20", "192.0.2.10", "tcp", 443), "what has a service tag already goes by that")
	w.locked(func() {
		assert.True(t, w.managed()["gs-rl-01"], "its own VLAN stays its own")
		assert.True(t, w.managed()["gs-sw-01"])
	})
}

func TestTagsOfAPort(t *testing.T) {
	t.Parallel()
	customer := portConfig{portSwitching: portSwitching{service: 400}}
	mixed := portConfig{untagged: 20, tagged: []vlanSpan{{30, 39}}, portSwitching: portSwitching{service: 400, services: []vlanSpan{{500, 501}}}}
	for name, tc := range map[string]struct {
		p             portConfig
		service, vlan int
		inside        int
	}{
		"a customer's own tag":             {customer, 0, 20, stacked(400, 20)},
		"no tag at all":                    {customer, 0, 0, stacked(400, 0)},
		"a service tag that is none there": {customer, 400, 20, 0},
		"untagged where the port has one":  {mixed, 0, 0, 20},
		"tagged for the port":              {mixed, 0, 31, 31},
		"tagged otherwise":                 {mixed, 0, 40, stacked(400, 40)},
		"tagged for what is untagged":      {mixed, 0, 20, 0},
		"a service tag that passes":        {mixed, 501, 31, stacked(501, 31)},
		"one that does not":                {mixed, 502, 31, 0},
	} {
		assert.Equal(t, tc.inside, tc.p.takes(tc.service, tc.vlan), name)
		if tc.inside == 0 {
			continue
		}
		service, vlan, ok := tc.p.sends(tc.inside)
		assert.True(t, ok, name)
		assert.Equal(t, [2]int{tc.service, tc.vlan}, [2]int{service, vlan}, "%s: it goes out as it came in", name)
	}
	for name, inside := range map[string]int{"the port's own VLAN, from elsewhere": stacked(400, 31), "its untagged one": stacked(400, 20), "no tag, which here is VLAN 20": stacked(400, 0),
		"another service": stacked(600, 1), "a VLAN it has not": 77} {
		_, _, ok := mixed.sends(inside)
		assert.False(t, ok, name)
	}
}
