package standin

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"
)

// station is something with an address: a device, or a host.
type station struct {
	name, ip string
	room     room  // where its frames come in
	host     *host // nil for a device
	device   *device
}

// wayPoint is who forwards a packet, or gets it: what lies between it and the one before.
type wayPoint struct {
	name, ip                   string
	delayMs, jitterMs, lossPct float64
}

// find looks up who has an address, or a name.
func (w *World) find(to string) (station, bool) {
	is := func(name, ip string) bool {
		return ip == to && ip != "" || strings.EqualFold(name, to) || strings.EqualFold(strings.ReplaceAll(name, " ", "-"), to)
	}
	for _, d := range w.devices {
		if !d.crated && (is(d.cfg.hostname, d.spec.ManagementIP) || is(d.spec.Name, "")) {
			return station{d.cfg.hostname, d.spec.ManagementIP, room{d.spec.Name, d.cfg.management}, nil, d}, true
		}
	}
	for _, h := range w.hosts {
		if is(h.Name, h.IP) {
			return station{h.Name, h.IP, room{h.at.device, h.joined(w.devices[h.at.device].cfg)}, h, w.devices[h.at.device]}, true
		}
	}
	return station{}, false
}

// answers tells whether a station is there to answer.
func (w *World) answers(s station) bool {
	if h := s.host; h != nil {
		return !h.cut && !h.away && !h.asleep && h.port.up
	}
	return s.device.powered && !s.device.booting && !s.device.hung
}

// around is the rooms that frames of a room reach without being routed.
func (w *World) around(r room) rooms {
	by := rooms{}
	w.flood(w.enter(nil, by, r, entry{}), by, func(room) []room { return nil })
	return by
}

// way is the routers that a packet of a device to somebody passes, and who gets it; and why it does not get there.
func (w *World) way(d *device, to station) (points []wayPoint, fault string) {
	local := w.around(room{d.spec.Name, d.cfg.management})
	end := wayPoint{name: to.name, ip: to.ip}
	if _, near := local[to.room]; near && w.answers(to) {
		return append(points, end), ""
	}
	gateway := w.gatewayAmong(d, local)
	if gateway == nil {
		return nil, "no way to its gateway"
	}
	if gateway != d {
		points = append(points, wayPoint{name: gateway.cfg.hostname, ip: gateway.spec.ManagementIP})
	}
	edges, tunnels := w.overlay(gateway, to.device.spec.SiteNet)
	if edges == nil {
		return points, "no route to it"
	}
	for i, e := range edges {
		t := tunnels[i]
		points = append(points, wayPoint{e.cfg.hostname, e.spec.ManagementIP, t.delayMs, t.jitterMs, t.lossPct})
	}
	last := gateway
	if len(edges) > 0 {
		last = edges[len(edges)-1]
	}
	if to.device == last && to.host == nil {
		return points, ""
	}
	if _, there := w.around(room{last.spec.Name, to.room.vlan})[to.room]; !there || !w.answers(to) {
		return points, "no answer"
	}
	return append(points, end), ""
}

// gatewayAmong is the edge that routes for a device.
func (w *World) gatewayAmong(d *device, local rooms) *device {
	if d.spec.Role == "edge" {
		return d
	}
	for _, name := range w.gateways {
		if _, near := local[room{name, d.cfg.management}]; near {
			return w.devices[name]
		}
	}
	return nil
}

// overlay is the edges and tunnels by which one edge reaches a site; none where it is its own.
func (w *World) overlay(from *device, siteNet int) (edges []*device, by []*tunnel) {
	type step struct {
		edges []*device
		by    []*tunnel
	}
	seen := map[*device]bool{from: true}
	queue := []step{{[]*device{}, []*tunnel{}}}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		here := from
		if n := len(at.edges); n > 0 {
			here = at.edges[n-1]
		}
		if here.spec.SiteNet == siteNet {
			return at.edges, at.by
		}
		for _, t := range w.tunnelsAt[here.spec.Name] {
			far := w.devices[t.far(here.spec.Name).device]
			if !t.up || seen[far] || !far.powered || far.booting || far.hung {
				continue
			}
			seen[far] = true
			queue = append(queue, step{append(slices.Clone(at.edges), far), append(slices.Clone(at.by), t)})
		}
	}
	return nil, nil
}

// roundTrip is what a packet takes to the last of some points and back at a moment in ms, and whether it gets lost.
func (w *World) roundTrip(points []wayPoint, at time.Time) (ms float64, lost bool) {
	ms = 0.25
	for i, p := range points {
		name := fmt.Sprintf("%s/%d", p.name, i)
		ms += 0.2 + 0.15*(1+w.noise(name, at, time.Second)) + p.delayMs + p.jitterMs*w.noise(name+"j", at, 700*time.Millisecond)
		lost = lost || 100*chance(name, at.UnixMilli()) < p.lossPct
	}
	return max(ms, 0.1), lost
}

// isAddress tells an address from a name.
func isAddress(s string) bool {
	_, err := netip.ParseAddr(s)
	return err == nil
}
