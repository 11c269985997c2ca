package standin

import (
	"cmp"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"time"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// override lets a station see a category that an inspection blocks, for a time.
type override struct {
	by     string
	until  time.Time
	passed float64
}

type overrideKey struct {
	source   netip.Addr
	category string
}

// override lets a station see a category for a time, or (0) has it be blocked again.
func (d *device) override(t *task, source, category, by string, span time.Duration) error {
	address, err := netip.ParseAddr(source)
	if err != nil {
		return netconf.NewRPCError(netconf.TagInvalidValue, "", "%q is no address", source)
	}
	known := false
	for _, i := range d.cfg.firewall.inspections {
		known = known || i.overridable[category]
	}
	if !known {
		return netconf.NewRPCError(netconf.TagInvalidValue, "", "no inspection of this device lets %q be overridden", category)
	}
	key := overrideKey{address, category}
	d.once(t, func() {
		now := d.world.clock.now()
		if span == 0 {
			if _, is := d.overridden[key]; !is {
				d.say(t, "step", fmt.Sprintf("%s is blocked for %s as it was", category, address))
				return
			}
			delete(d.overridden, key)
			d.say(t, "step", fmt.Sprintf("%s is blocked for %s again", category, address))
			return
		}
		if d.overridden == nil {
			d.overridden = map[overrideKey]*override{}
		}
		d.overridden[key] = &override{by: by, until: now.Add(span)}
		d.say(t, "step", fmt.Sprintf("%s may see %s until %s", address, category, now.Add(span).UTC().Format("2 Jan 15:04 UTC")))
	})
	return nil
}

// overrides tells whether somebody let a station see a category, and counts what it sees.
func (d *device) overrides(source netip.Addr, category string, sessions float64, now time.Time) bool {
	o := d.overridden[overrideKey{source, category}]
	if o == nil || !now.Before(o.until) {
		return false
	}
	o.passed += sessions
	return true
}

func (d *device) overrideState(fw *xmlnode.Node, now time.Time) {
	x := in("ep-fw")
	keys := slices.SortedFunc(maps.Keys(d.overridden), func(a, b overrideKey) int {
		return cmp.Or(a.source.Compare(b.source), cmp.Compare(a.category, b.category))
	})
	for _, k := range keys {
		o := d.overridden[k]
		if !now.Before(o.until) {
			delete(d.overridden, k)
			continue
		}
		fw.Add(x.node("override", x.leaf("source", k.source.String()), x.leaf("category", k.category), x.leaf("by", o.by), x.leaf("until", o.until.UTC().Format(time.RFC3339)), x.count("passed", o.passed)))
	}
}
