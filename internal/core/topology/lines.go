package topology

import (
	"cmp"
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// Seen is what lines are drawn from, for each device.
type Seen struct {
	Config network.Config
	State  network.State
	Inside network.Inside
	Away   bool // the device is away, so that the rest is only the last known
}

// Line kinds.
const (
	Cable  = "cable"
	Bundle = "bundle" // cables that are one link (IEEE 802.1AX)
	Tunnel = "tunnel" // over an underlay
)

// End is one end of a line.
type End struct {
	Device string
	Name   string   // of the port, the bundle or the tunnel
	Ports  []string // of a bundle its members, else the one port
}

// Line is a link as people draw it: a bundle is one, a tunnel is one.
type Line struct {
	Kind      string
	A, B      End
	Up        int // of Members
	Down      int // of Members: those that an end which is in hand says are down
	Members   int
	SpeedMbps int  // of the members that are up
	Blocked   *End // the end that spanning tree blocks, or nil
	OneSided  bool // only one end reports the other
	Unknown   bool // an end is away

	Underlay      string // of a tunnel
	DelayMs, Loss float64
}

// Lines draws the links between known devices: cables of one bundle as one line, tunnels once for both ends.
func Lines(devices map[string]Seen, nameOf func(systemName string) string) []Line {
	states := make(map[string]network.State, len(devices))
	for name, d := range devices {
		states[name] = d.State
	}
	type key struct{ deviceA, nameA, deviceB, nameB string }
	lines := map[key]*Line{}
	for _, l := range Links(states, nameOf) {
		if _, known := devices[l.B.Device]; !known {
			continue
		}
		a, b := devices[l.A.Device], devices[l.B.Device]
		k := key{l.A.Device, bundleOf(a, l.A.Port), l.B.Device, bundleOf(b, l.B.Port)}
		line := lines[k]
		if line == nil {
			line = &Line{Kind: Cable, A: End{Device: k.deviceA, Name: k.nameA}, B: End{Device: k.deviceB, Name: k.nameB}, Unknown: a.Away || b.Away}
			lines[k] = line
		}
		line.add(l, a, b)
	}
	out := make([]Line, 0, len(lines))
	for _, l := range lines {
		if l.Blocked = blockedAt(devices, l); l.Members > 1 || l.A.Name != l.A.Ports[0] || l.B.Name != l.B.Ports[0] {
			l.Kind = Bundle
		}
		out = append(out, *l)
	}
	out = append(out, tunnels(devices, nameOf)...)
	slices.SortFunc(out, func(x, y Line) int {
		return cmp.Or(cmp.Compare(x.A.Device, y.A.Device), network.ComparePorts(x.A.Name, y.A.Name), cmp.Compare(x.B.Device, y.B.Device), network.ComparePorts(x.B.Name, y.B.Name))
	})
	return out
}

func bundleOf(d Seen, port string) string { return cmp.Or(d.Config.Ports[port].LAG, port) }

func (l *Line) add(link Link, a, b Seen) {
	l.Members++
	l.A.Ports, l.B.Ports = append(l.A.Ports, link.A.Port), append(l.B.Ports, link.B.Port)
	l.OneSided = l.OneSided || link.OneSided
	pa, pb := a.State.Ports[link.A.Port], b.State.Ports[link.B.Port]
	if !a.Away && pa.Oper != network.Up || !b.Away && pb.Oper != network.Up {
		l.Down++
		return
	}
	if pa.Oper == network.Up && (pb.Oper == network.Up || b.Away) {
		l.Up++
		l.SpeedMbps += cmp.Or(min(pa.SpeedMbps, pb.SpeedMbps), max(pa.SpeedMbps, pb.SpeedMbps))
	}
}

// blockedAt finds the end of a line at which spanning tree lets nothing pass, in whatever tree.
func blockedAt(devices map[string]Seen, l *Line) *End {
	for _, e := range []End{l.A, l.B} {
		st := devices[e.Device].Inside.Spanning
		if st == nil || l.Up == 0 || !st.Ports[e.Name].Blocks() {
			continue
		}
		open := false
		for _, t := range st.Instances {
			p, known := t.Ports[e.Name]
			open = open || known && !p.Blocks()
		}
		if !open {
			return &e
		}
	}
	return nil
}

// BlockedFor finds the end of a line at which spanning tree lets nothing of a VLAN pass.
func BlockedFor(devices map[string]Seen, l Line, v network.VLANID) *End {
	for _, e := range []End{l.A, l.B} {
		d := devices[e.Device]
		if st := d.Inside.Spanning; st != nil && l.Up > 0 && st.In(Instances(d.Config)[v]).Ports[e.Name].Blocks() {
			return &e
		}
	}
	return nil
}

func tunnels(devices map[string]Seen, nameOf func(string) string) []Line {
	type key struct{ name, a, b string }
	seen := map[key]*Line{}
	var order []key
	for device, d := range devices {
		for _, t := range d.Inside.Tunnels {
			far := nameOf(t.RemoteSystem)
			if _, known := devices[far]; !known || far == device {
				continue
			}
			k := key{t.Name, min(device, far), max(device, far)}
			l := seen[k]
			if l == nil {
				l = &Line{Kind: Tunnel, A: End{Device: k.a, Name: t.Name}, B: End{Device: k.b, Name: t.Name}, Members: 1, Underlay: t.Underlay, OneSided: true, Up: 1}
				seen[k] = l
				order = append(order, k)
			} else {
				l.OneSided = false
			}
			if !t.Up {
				l.Up = 0
				if !d.Away {
					l.Down = 1
				}
			}
			end := &l.A
			if device == k.b {
				end = &l.B
			}
			end.Ports = []string{t.Port}
			l.Unknown = l.Unknown || d.Away
			l.DelayMs, l.Loss = max(l.DelayMs, t.DelayMs), max(l.Loss, t.LossPercent)
		}
	}
	out := make([]Line, len(order))
	for i, k := range order {
		out[i] = *seen[k]
	}
	return out
}

// How a VLAN fares on a line.
const (
	Carried = "carried" // it passes
	Stopped = "stopped" // one end carries it, and it does not get through
	Absent  = "absent"  // neither end carries it
	Held    = "held"    // spanning tree holds it back, to cut a loop
)

// VLANOn tells how a VLAN fares on a line that is no tunnel, and why it is stopped.
func VLANOn(devices map[string]Seen, l Line, v network.VLANID) (how, why string) {
	if l.Kind == Tunnel {
		return Absent, ""
	}
	configs := map[string]network.Config{l.A.Device: devices[l.A.Device].Config, l.B.Device: devices[l.B.Device].Config}
	a, b := network.PortRef{Device: l.A.Device, Port: l.A.Ports[0]}, network.PortRef{Device: l.B.Device, Port: l.B.Ports[0]}
	switch onA, onB := takes(configs[a.Device], a.Port, v), takes(configs[b.Device], b.Port, v); {
	case !onA && !onB:
		return Absent, ""
	case !onA:
		return Stopped, l.A.Device + " " + l.A.Name + " does not carry it"
	case !onB:
		return Stopped, l.B.Device + " " + l.B.Name + " does not carry it"
	case !sameOn(configs, a, b, v):
		return Stopped, "the ends do not agree on its tag"
	case l.Up == 0:
		return Stopped, "the link is down"
	}
	if at := BlockedFor(devices, l, v); at != nil {
		return Held, "spanning tree blocks " + at.Device + " " + at.Name
	}
	return Carried, ""
}

// takes tells whether frames of a VLAN pass a port, by themselves or untouched.
func takes(c network.Config, port string, v network.VLANID) bool {
	return c.Ports[port].Carries(v) || c.Ports[port].Enabled && setting.ServiceAt(c, port).Own != 0
}

// sameOn tells whether the ends of a link take frames of a VLAN for the same: for those of that VLAN, or one end for what it carries untouched.
func sameOn(configs map[string]network.Config, a, b network.PortRef, v network.VLANID) bool {
	for _, way := range [][2]network.PortRef{{a, b}, {b, a}} {
		if !configs[way[0].Device].Ports[way[0].Port].Carries(v) {
			continue // it comes from there as what another brought
		}
		if t, ok := Pass(configs, way[0], way[1], Tags{VLAN: v}); !ok || t.Service == 0 && t.VLAN != v {
			return false
		}
	}
	return true
}
