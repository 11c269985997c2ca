package standin

import (
	"strconv"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

// appUse is what a station used of an application in one hour.
type appUse struct {
	hour             int64 // since 1970; what is of another day is over
	sessions, denied float64
	up, down         float64
}

const hoursKept = 24

// used counts what a conversation used, or was denied, in the hour of a moment.
func (s *saying) used(now time.Time, sessions float64, let bool, up, down float64) {
	hour := now.Unix() / 3600
	u := &s.hours[hour%hoursKept]
	if u.hour != hour {
		*u = appUse{hour: hour}
	}
	if !let {
		u.denied += sessions
		return
	}
	u.sessions += sessions
	u.up += up
	u.down += down
}

// readApplications answers read-applications. It is called with the lock held.
func (d *device) readApplications(op *xmlnode.Node) []*xmlnode.Node {
	hours := hoursKept
	if n, err := strconv.Atoi(op.TextAt("hours")); err == nil && n > 0 {
		hours = min(n, hoursKept)
	}
	x, now := in("ep-fw"), d.world.clock.now()
	this := now.Unix() / 3600
	since := time.Unix((this-int64(hours)+1)*3600, 0)
	if since.Before(d.world.began) {
		since = d.world.began
	}
	if since.Before(d.booted) {
		since = d.booted
	}
	out := []*xmlnode.Node{x.leaf("counted-since", since.UTC().Format(time.RFC3339))}
	d.world.guard()
	if d.world.guardians[d.spec.SiteNet] != d {
		return out
	}
	for _, h := range d.world.hosts {
		at := d.world.devices[h.at.device]
		if at.spec.SiteNet != d.spec.SiteNet {
			continue
		}
		for i := range h.says {
			s := &h.says[i]
			total := appUse{}
			for _, u := range s.hours {
				if u.hour > this-int64(hours) && u.hour*3600 >= since.Unix()/3600*3600 {
					total.sessions, total.denied, total.up, total.down = total.sessions+u.sessions, total.denied+u.denied, total.up+u.up, total.down+u.down
				}
			}
			if s.application == "" || total.sessions+total.denied == 0 {
				continue
			}
			n := x.node("use", x.leaf("application", s.application), x.leaf("source", s.source.String()), x.leaf("category", s.category))
			if zone := d.cfg.firewall.zoneOf(h.joined(at.cfg)); zone != "" {
				n.Add(x.leaf("from", zone))
			}
			out = append(out, n.Add(x.count("sessions", total.sessions), x.count("denied", total.denied), x.count("up-octets", total.up), x.count("down-octets", total.down)))
		}
	}
	return out
}
