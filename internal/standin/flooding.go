package standin

import (
	"cmp"
	"maps"
	"net/netip"
	"slices"
	"strconv"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

const (
	floodRate  = 4000             // sessions a second that begins who floods
	halfOpen   = 30 * time.Second // how long a firewall waits for one that is never answered
	tableSize  = 64_000           // sessions that a firewall can hold at once
	floodTells = 10 * time.Second // for how long after the last one it is said that there is a flood
)

// flood is what was dropped of one protocol in a zone, as a source began more than it may.
type flood struct {
	dropped float64
	rate    float64 // a second, of late
	source  netip.Addr
	last    time.Time
}

type floodKey struct{ zone, protocol string }

// compileFloodLimits reads how many sessions a source of a zone may begin in a second.
func compileFloodLimits(zone *xmlnode.Node) map[string]float64 {
	out := map[string]float64{}
	for _, protocol := range []string{"tcp", "udp", "icmp"} {
		if n, err := strconv.Atoi(zone.TextAt("flood-limits/" + protocol)); err == nil {
			out[protocol] = float64(n)
		}
	}
	return out
}

// floods has firewalls decide on what those begin who flood: each a session to another port of whom it talks to.
func (w *World) floods(span time.Duration, now time.Time) {
	for _, name := range w.firewalls {
		g := w.devices[name]
		g.halfOpen = 0
	}
	for _, h := range w.hosts {
		if h.port == nil || h.SSID != "" || !h.port.guard.flooding || !h.port.up || h.cut || h.away || h.asleep {
			continue
		}
		d := w.devices[h.at.device]
		g := w.guardians[d.spec.SiteNet]
		vlan := h.joined(d.cfg)
		source, err := netip.ParseAddr(h.IP)
		if g == nil || err != nil || vlan == 0 || g.blocks(source, now) != nil {
			continue
		}
		passes := g.holdBack(vlan, "tcp", source, floodRate, span, now)
		g.halfOpen += passes * halfOpen.Seconds()
	}
}

// holdBack tells how many sessions a second of a source get through the limit of its zone, and counts the others.
func (d *device) holdBack(vlan int, protocol string, source netip.Addr, rate float64, span time.Duration, now time.Time) float64 {
	zone := d.cfg.firewall.zoneOf(vlan)
	limit, limited := d.cfg.firewall.floodLimits[zone][protocol]
	if !limited || rate <= limit {
		return rate
	}
	if d.flooded == nil {
		d.flooded = map[floodKey]*flood{}
	}
	key := floodKey{zone, protocol}
	f := d.flooded[key]
	if f == nil {
		f = &flood{}
		d.flooded[key] = f
	}
	f.dropped += (rate - limit) * span.Seconds()
	f.rate, f.source, f.last = rate-limit, source, now
	return limit
}

// roomFor is the part of new sessions that a firewall has room for.
func (d *device) roomFor() float64 {
	if d.halfOpen <= tableSize {
		return 1
	}
	return tableSize / d.halfOpen
}

func (d *device) floodState(zone *xmlnode.Node, now time.Time) {
	x := in("ep-fw")
	keys := slices.SortedFunc(maps.Keys(d.flooded), func(a, b floodKey) int { return cmp.Compare(a.protocol, b.protocol) })
	for _, k := range keys {
		if k.zone != zone.TextAt("name") {
			continue
		}
		f := d.flooded[k]
		rate := f.rate
		if now.Sub(f.last) > floodTells {
			rate = 0
		}
		zone.Add(x.node("flood", x.leaf("protocol", k.protocol), x.count("dropped", f.dropped), x.count("rate", rate), x.leaf("source", f.source.String()), x.leaf("last", f.last.UTC().Format(time.RFC3339))))
	}
}
