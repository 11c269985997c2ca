package standin

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/wire/xmlnode"
)

// goes is the tunnel that traffic of a way to an edge goes over, and why.
func (w *World) goes(edge, peer string, way int) (tunnel, cause string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	s := w.devices[edge].steered[steeredTo{way, peer}]
	if s == nil {
		return "not chosen", ""
	}
	if s.tunnel != nil {
		tunnel = s.tunnel.names[s.tunnel.end(edge)]
	}
	return tunnel, s.cause
}

// A brown-out moves calls after the seconds that were set, and they go back after others; cameras that are not to use what is paid by volume go nowhere
// where nothing else is left.
func TestTrafficGoesByItsWay(t *testing.T) {
	t.Parallel()
	w := steppedWorld(t, Options{})
	const edge, hub = "th-edge-01", "hh-edge-01"
	pass := func(seconds int) {
		for range seconds {
			w.Step(time.Second)
		}
	}
	pass(10)
	over := func(way int) [2]string { a, b := w.goes(edge, hub, way); return [2]string{a, b} }
	require.Equal(t, [2]string{"th-fibre-hub1", "first"}, over(10))
	w.mu.Lock()
	carried, out := w.devices[edge].steered[steeredTo{20, hub}].octets, w.devices[edge].ports["wan1"].counters.outOctets
	w.mu.Unlock()
	assert.Positive(t, carried, "cameras send to the recorder of the other site")
	assert.GreaterOrEqual(t, out, carried)

	require.NoError(t, w.Throw(BrownOut, edge+":wan1"))
	pass(4)
	assert.Equal(t, "th-fibre-hub1", over(10)[0])
	pass(4)
	assert.Equal(t, [2]string{"th-cellular-hub1", "limit"}, over(10))
	assert.Equal(t, "th-fibre-hub1", over(20)[0], "cameras have no limits")
	assert.Equal(t, "th-fibre-hub1", over(0)[0])
	require.NoError(t, w.Throw(Mend, edge+":wan1"))
	pass(58)
	assert.Equal(t, "th-cellular-hub1", over(10)[0])
	pass(5)
	assert.Equal(t, [2]string{"th-fibre-hub1", "return"}, over(10))

	require.NoError(t, w.Throw(Cut, edge+":wan1"))
	pass(2)
	assert.Equal(t, [2]string{"th-cellular-hub1", "down"}, over(10))
	assert.Equal(t, [2]string{"", "lost"}, over(20))
	assert.Equal(t, "th-cellular-hub1", over(0)[0])
	w.mu.Lock()
	d := w.devices[edge]
	state := in("ep-wan").node("steered")
	d.steeredState(state, w.clock.now())
	w.mu.Unlock()
	var moves []string
	for _, m := range state.All("move") {
		if m.TextAt("remote-system-name") == hub {
			moves = append(moves, m.TextAt("way")+" "+m.TextAt("from")+" "+m.TextAt("to")+" "+m.TextAt("cause"))
		}
	}
	assert.Equal(t, []string{"10 th-fibre-hub1 th-cellular-hub1 limit", "10 th-cellular-hub1 th-fibre-hub1 return", "10 th-fibre-hub1 th-cellular-hub1 down", "20 th-fibre-hub1  lost"}, moves)
	require.NoError(t, w.Throw(Mend, edge+":wan1"))
	pass(2)
	assert.Equal(t, [2]string{"th-fibre-hub1", "return"}, over(20))
}

func TestWaysThatAnEdgeRefuses(t *testing.T) {
	t.Parallel()
	w := lantern(t)
	x := in("ep-wan")
	for says, leaves := range map[string][]*xmlnode.Node{
		"nothing else than all": {x.leaf("else", "drop")},
		"is no service":         {x.leaf("over", "fibre"), x.leaf("service", "telephones")},
		"is none of":            {x.leaf("over", "fibre"), x.leaf("send", "thrice")},
		"no percentage":         {x.leaf("over", "fibre"), x.leaf("loss", "90")},
	} {
		way := x.node("way", append([]*xmlnode.Node{x.leaf("number", "30")}, leaves...)...)
		assert.ErrorContains(t, w.Edit("ng-edge-01", "somebody", []*xmlnode.Node{x.node("steering", x.node("choice", x.leaf("name", "main"), way))}), says)
	}
	assert.Error(t, w.Throw(BrownOut, "th-sw-01:1/1/1"), "no provider is behind it")
}
