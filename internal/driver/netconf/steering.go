package netconf

import (
	"math"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/wire/xmlnode"
)

// readSteered reads which tunnels traffic goes over, nil of a device that does not steer.
func readSteered(n *xmlnode.Node) *network.Steered {
	if n == nil {
		return nil
	}
	out := &network.Steered{}
	for _, f := range n.All("flow") {
		out.Flows = append(out.Flows, network.Flow{Way: number(f, "way"), Remote: f.TextAt("remote-system-name"), Tunnel: f.TextAt("tunnel"), Second: f.TextAt("second-tunnel"),
			Since: epoch(f.TextAt("since")), Why: f.TextAt("cause"), Octets: min(counter(f, "octets"), math.MaxInt64)})
	}
	for _, m := range n.All("move") {
		out.Moves = append(out.Moves, network.Move{Number: counter(m, "number"), At: epoch(m.TextAt("time")), Way: number(m, "way"), Remote: m.TextAt("remote-system-name"), From: m.TextAt("from"), To: m.TextAt("to"),
			Why: m.TextAt("cause"), DelayMs: decimal(m, "delay"), JitterMs: decimal(m, "jitter"), LossPercent: decimal(m, "loss")})
	}
	return out
}
