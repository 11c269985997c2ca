package standin

import (
	"strconv"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

// stpTimes are those of a bridge. All bridges of a tree live by those of its root (IEEE 802.1Q clause 13.25).
type stpTimes struct {
	maxAge, hello int
	forward       time.Duration // how long a port listens, and learns
}

func (t *stpTimes) read(config *xmlnode.Node) {
	if n, err := strconv.Atoi(config.TextAt("max-age")); err == nil {
		t.maxAge = n
	}
	if n, err := strconv.Atoi(config.TextAt("hello-time")); err == nil {
		t.hello = n
	}
	if n, err := strconv.Atoi(config.TextAt("forwarding-delay")); err == nil {
		t.forward = time.Duration(n) * time.Second
	}
}

// timesOf are the times by which a bridge lives: those of its root.
func (w *World) timesOf(node string) stpTimes {
	if w.tree != nil && len(w.nodes[w.tree.root[node]]) > 0 {
		node = w.tree.root[node]
	}
	return w.timesAt(node)
}

// timesAt are those that a bridge itself is set to.
func (w *World) timesAt(node string) stpTimes {
	_, by := w.bestOf(node)
	return w.devices[by].cfg.times
}

// listens has a port whose link came up wait before it forwards, where it is no edge of the network and no bridge is at its other
// end that would agree with it at once: it listens, and then learns, as long as the root says.
func (d *device) listens(p *portSim, now time.Time) {
	w := d.world
	if p.learning != nil {
		w.cancel(p.learning)
		p.learning = nil
	}
	p.forwards = time.Time{}
	if !p.up || !d.cfg.stp || !d.cfg.ports[p.spec.Name].noEdge || w.bridged(endpoint{d.spec.Name, p.spec.Name}) {
		return
	}
	wait := 2 * w.timesOf(w.nodeOf(d.spec.Name)).forward
	p.forwards = now.Add(wait)
	p.learning = w.after(wait, func() {
		p.forwards, p.learning = time.Time{}, nil
		w.settle()
	})
}

// bridged tells whether a cable leads from a port to another bridge.
func (w *World) bridged(at endpoint) bool {
	for _, c := range w.cablesAt[at.device] {
		far := c.b
		if c.b == at {
			far = c.a
		}
		if (c.a == at || c.b == at) && w.devices[far.device].cfg.stp {
			return true
		}
	}
	return false
}

// stpWord is how far a port is on its way to forwarding.
func (d *device) stpWord(p *portSim, now time.Time) string {
	switch {
	case p.forwards.IsZero():
		return "FORWARDING"
	case p.forwards.Sub(now) > d.world.timesOf(d.world.nodeOf(d.spec.Name)).forward:
		return "LISTENING"
	}
	return "LEARNING"
}
