package reach

import (
	"cmp"
	"fmt"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// leaves tells whether a session comes in at all: its port, and the access lists that it must pass there.
func (a *asking) leaves() bool {
	from := a.q.From
	c := a.n.Configs[from.Device]
	at := Hop{Device: from.Device, In: from.Port, VLAN: from.VLAN, Verdict: Passes}
	if from.Port == "" {
		at.What = fmt.Sprintf("%s is in VLAN %d", from.Name, from.VLAN)
		a.hop(at)
		return true
	}
	port := c.Ports[from.Port]
	if !port.Enabled {
		at.Verdict, at.What = Stops, "the port is switched off"
		a.end(at)
		return false
	}
	if st, known := a.n.States[from.Device].Ports[from.Port]; known && st.Oper != network.Up {
		a.answer.Outage = true
		at.Verdict, at.What = Stops, "the port has no link"
		a.end(at)
		return false
	}
	lists := []string{port.Settings["acl-in"], c.Bundles[port.LAG].Settings["acl-in"], c.VLANs[from.VLAN].Settings["acl-in"]}
	for _, list := range lists {
		if list == "" || list == "none" {
			continue
		}
		object := setting.Object(setting.OnACL, list)
		row, rule, permit := a.decided(setting.RowsOf(c.Objects[object], "rules"))
		h := at
		h.Object, h.Row, h.Line = object, row, rule
		if !permit {
			h.Verdict, h.What = Stops, fmt.Sprintf("access list %s drops it: %s", list, orNothing(rule))
			a.end(h)
			return false
		}
		h.What = fmt.Sprintf("access list %s lets it pass", list)
		a.hop(h)
	}
	at.What = fmt.Sprintf("%s comes in, in VLAN %d", from.Name, from.VLAN)
	a.hop(at)
	return true
}

func orNothing(rule string) string { return cmp.Or(rule, "no rule of it fits") }

// decided finds the rule of an access list that decides.
func (a *asking) decided(rows []setting.Row) (row int, text string, permit bool) {
	ports := func(r setting.PortRange, p uint16) bool {
		return r == (setting.PortRange{}) || p >= r.Low && p <= r.High
	}
	for _, one := range rows {
		r, err := setting.ParseRule(one.Text)
		if err != nil || r.Protocol != "ip" && r.Protocol != a.q.Protocol || r.FromPort != (setting.PortRange{}) {
			continue // whence it is sent is any port
		}
		if (!r.From.IsValid() || r.From.Contains(a.q.From.Address)) && (!r.To.IsValid() || r.To.Contains(a.q.To.Address)) && ports(r.ToPort, a.q.Port) {
			return one.Number, one.Text, r.Permit
		}
	}
	return 0, "", false
}
