package topology

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"example.net/everypost/internal/core/network"
)

// row is bridges in a row, b0 with the best identity, each with a port to the one before (l) and after (r).
func row(n int) (map[string]network.Config, []Link, Bridges) {
	configs, b := map[string]network.Config{}, Bridges{Address: map[string]string{}}
	var links []Link
	for i := range n {
		name := fmt.Sprintf("b%d", i)
		trunk := network.PortConfig{Enabled: true, Mode: network.Trunk, TrunkVLANs: network.VLANSet{10}}
		configs[name] = network.Config{Settings: network.Settings{"stp": "rapid"}, Ports: map[string]network.PortConfig{"l": trunk, "r": trunk}}
		b.Address[name] = fmt.Sprintf("02:00:00:00:00:%02x", i)
		if i > 0 {
			links = append(links, Link{A: network.PortRef{Device: fmt.Sprintf("b%d", i-1), Port: "r"}, B: network.PortRef{Device: name, Port: "l"}})
		}
	}
	return configs, links, b
}

func with(c network.Config, port, name, value string) network.Config {
	c = c.Clone()
	if port == "" {
		c.Settings = c.Settings.With(name, value, "")
		return c
	}
	p := c.Ports[port]
	p.Settings = p.Settings.With(name, value, "")
	c.Ports[port] = p
	return c
}

func closedAt(configs map[string]network.Config, links []Link, b Bridges) (out []string) {
	closed := SpanningTrees(configs, links, func(Link) bool { return true }, b)
	for _, l := range links {
		if closed.Blocks(l, 10) {
			out = append(out, l.B.Device)
		}
	}
	return out
}

// A port that guards against roots is closed as soon as a better one is heard on it, whoever the guard would have be the root; on a
// port that leads away from the root it does nothing.
func TestAPortThatGuardsAgainstTheRootIsClosed(t *testing.T) {
	configs, links, b := row(4)
	assert.Empty(t, closedAt(configs, links, b))
	configs["b2"] = with(configs["b2"], "r", "root-guard", "on")
	assert.Empty(t, closedAt(configs, links, b), "the root is not heard there")
	configs["b2"] = with(configs["b2"], "l", "root-guard", "on")
	assert.Equal(t, []string{"b2"}, closedAt(configs, links, b))
	configs["b2"] = with(configs["b2"], "", "stp", "off")
	assert.Empty(t, closedAt(configs, links, b), "one that runs no spanning tree guards nothing")
}

// What a root says is believed so many bridges away. Those beyond have a root of their own, and the link between is open: both of its
// ends take themselves for the better one.
func TestARootIsBelievedOnlySoFar(t *testing.T) {
	configs, links, b := row(10)
	ring := Link{A: network.PortRef{Device: "b9", Port: "r"}, B: network.PortRef{Device: "b0", Port: "l"}}
	all := append(links, ring)
	assert.Len(t, closedAt(configs, all, b), 1, "a ring is cut once")
	configs["b0"] = with(configs["b0"], "", "stp-max-age", "4")
	assert.Empty(t, closedAt(configs, links, b))
	assert.Empty(t, closedAt(configs, all, b), "nobody hears that there is a loop: that is why the time must be long enough")
}
