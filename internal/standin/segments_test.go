package standin

import (
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"example.net/everypost/internal/wire/xmlnode"
)

// What is in a segment reaches what is in it at other sites, and nothing else but what is leaked, there and back.
func TestSegmentsKeepApart(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	step := func() {
		for range 3 {
			w.Step(time.Second)
		}
	}
	step()
	at := func(site, vlan int) netip.Addr { return netip.AddrFrom4([4]byte{10, byte(site), byte(vlan), 30}) }
	together := func(site, vlan, there, far int) bool {
		w.mu.Lock()
		defer w.mu.Unlock()
		return w.together(site, vlan, at(site, vlan), at(there, far))
	}
	outside := netip.MustParseAddr("203.0.113.80")
	out := func(site, vlan int) bool {
		w.mu.Lock()
		defer w.mu.Unlock()
		return w.together(site, vlan, at(site, vlan), outside)
	}
	assert.True(t, together(6, 90, 1, 90), "cranes of Kelp Bay and the server of the docks")
	assert.True(t, together(6, 20, 1, 20), "desks")
	assert.False(t, together(6, 20, 6, 90), "desks and cranes of one site")
	assert.False(t, together(6, 90, 1, 20), "cranes and the booking server")
	assert.True(t, out(6, 20))
	assert.False(t, out(6, 90), "cranes and the world outside")

	// Another number at one end is another segment.
	number := func(n string) {
		configure(t, w, "kb-edge-01", "ep-rt:routing/segment[cranes]/number "+n)
		step()
	}
	number("91")
	assert.False(t, together(6, 90, 1, 90))
	number("90")
	assert.True(t, together(6, 90, 1, 90))

	leaks := func(from string) {
		configure(t, w, "kb-edge-01", "ep-rt:routing/segment[cranes]/leaks/from "+from)
		step()
	}
	leaks("main")
	assert.True(t, together(6, 90, 6, 20), "leaked, and answered: what is in none uses what leaks it")
	assert.True(t, together(6, 90, 1, 20), "at the other site the whole site is known by its main table")
	assert.True(t, together(1, 20, 6, 90))
	assert.False(t, together(1, 90, 6, 20), "there the cranes leak nothing")
	leaks("outside")
	assert.True(t, out(6, 90))
}

func TestSegmentsThatADeviceRefuses(t *testing.T) {
	t.Parallel()
	x := in("ep-rt")
	segment := func(name, number string, more ...*xmlnode.Node) *xmlnode.Node {
		return x.node("segment", append([]*xmlnode.Node{x.leaf("name", name), x.leaf("number", number)}, more...)...)
	}
	for name, tc := range map[string]struct {
		nodes []*xmlnode.Node
		says  string
	}{
		"main":              {[]*xmlnode.Node{segment("main", "7")}, "there is a table main already"},
		"one number twice":  {[]*xmlnode.Node{segment("a", "7"), segment("b", "7")}, "a has the number 7 already"},
		"a leak of nothing": {[]*xmlnode.Node{segment("a", "7", x.node("leaks", x.leaf("from", "b")))}, "there is no other table b"},
		"a leak of itself":  {[]*xmlnode.Node{segment("a", "7", x.node("leaks", x.leaf("from", "a")))}, "there is no other table a"},
		"in none that is":   {[]*xmlnode.Node{x.node("gateway", x.leaf("vlan", "20"), x.leaf("segment", "a"))}, "there is no segment a"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			assert.ErrorContains(t, validate(xmlnode.New("", "data", x.node("routing", tc.nodes...))), tc.says)
		})
	}
}
