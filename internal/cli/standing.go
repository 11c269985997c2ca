package cli

import (
	"fmt"
	"strconv"
	"strings"

	v1 "example.net/everypost/internal/api/v1"
)

// printStanding tells how rings, pairs, classes, zones, contacts and access lists of a device fare.
func (a *app) printStanding(d v1.DeviceDetail) {
	p := func(format string, args ...any) { _, _ = fmt.Fprintf(a.out, format+"\n", args...) }
	in := d.Inside
	for _, r := range in.Rings {
		blocked := ""
		if r.Blocked != "" {
			blocked = ", blocks " + r.Blocked
		}
		p("\nRing %s: %s %s; this switch is %s%s; opened or closed %d times", r.Name, a.mark(map[string]string{"closed": "well", "open": "degraded"}[r.State]), r.State, r.ActsAs, blocked, r.Changes)
	}
	if c := in.Pair; c != nil {
		p("\nPair %s: %s %s%s", c.Name, a.mark(okMark(c.Joined)), map[bool]string{true: "joined", false: "alone"}[c.Joined], map[bool]string{true: ", keepalive " + c.Keepalive}[c.Keepalive != ""])
	}
	if c := in.Controller; c != nil {
		p("\nProcess controller %s: %s %s since %s", c.Address, a.mark(okMark(c.Connected)), map[bool]string{true: "connected", false: "lost"}[c.Connected], a.when(c.Since))
	}
	for i, c := range in.Contacts {
		if i == 0 {
			p("\nContact inputs")
		}
		p("  %s %-4s %-30s %s, %s", a.mark(map[bool]string{true: "degraded", false: "well"}[c.Alarm]), c.Number, orNothing(c.Text), c.Contact, c.Severity)
	}
	for i, c := range in.Classes {
		if i == 0 {
			p("\nTraffic classes")
		}
		p("  %d  %12d frames sent  %10d dropped", c.Class, c.Sent, c.Dropped)
	}
	for i, l := range in.Logins {
		if i == 0 {
			p("\nPlugged in (%d)", len(in.Logins))
		}
		p("  %-8s %-22s %-8s %-24s sees %s", l.Port, l.Name, l.Kind, l.Address, orNothing(strings.Join(l.Sees, ", ")))
	}
	for _, l := range in.Lists {
		p("\nAccess list %s", l.Name)
		for _, r := range l.Rows {
			p("  %5d  %-60s %12d frames", r.Row, ruleOf(d, l.Name, r.Row), r.Frames)
		}
	}
}

// ruleOf is a rule of an access list of a device.
func ruleOf(d v1.DeviceDetail, list string, number int) string {
	for _, o := range d.Objects {
		if rule := o.Known["rules/"+strconv.Itoa(number)]; rule != "" && strings.HasSuffix(o.Name, "/"+list) {
			return rule
		}
	}
	return "a rule that cannot be told"
}
