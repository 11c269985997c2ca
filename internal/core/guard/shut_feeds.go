package guard

import (
	"fmt"
	"slices"
	"strings"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
)

// shutFeeds finds ports that would be shut, or lose their power, and that feed something which matters: an access point, a
// link to another device, a device that is tagged critical.
func shutFeeds(p Proposal) []Finding {
	var out []Finding
	for _, ref := range p.changed {
		before, after := p.Before[ref.Device].Ports[ref.Port], p.After[ref.Device].Ports[ref.Port]
		field := ""
		switch {
		case before.Enabled && !after.Enabled:
			field = "enabled"
		case before.PoE && !after.PoE:
			field = "poe"
		case before.Settings["schedule"] == "" && after.Settings["schedule"] != "":
			field = "schedule"
		}
		_, far, linked := p.linkAt(ref)
		if field == "" || !linked || p.graph.FarToNear([]string{ref.Device, far.Device})[0] != far.Device {
			continue // the way up is for managementPath to tell
		}
		kind := p.Kinds[far.Device]
		critical := slices.Contains(p.Tags[far.Device], "critical")
		if field == "poe" && kind != network.AccessPoint && kind != network.RadioLink && !critical {
			continue // what is at the other end has power of its own
		}
		what := map[string]string{"enabled": "would be shut", "poe": "would give no more power", "schedule": "would work by the hour only"}[field]
		whom := "a link to another device"
		if kind == network.AccessPoint {
			whom = "an access point"
		} else if kind == network.RadioLink {
			whom = "a radio link"
		}
		if critical {
			whom += ", which is tagged critical"
		}
		out = append(out, Finding{
			ID: "feeds:" + ref.String(), Guard: "feeds", Level: Warn, Ports: []network.PortRef{ref, far},
			What: fmt.Sprintf("%s %s: %s is behind it, %s.", ref, what, far.Device, whom),
			Why:  fmt.Sprintf("%s would stop working, and all that depends on it.", far.Device),
			Do:   fmt.Sprintf("Leave %s as it is, or accept this.", ref),
			Fix:  []intent.Edit{{Port: ref, Field: field, Value: map[string]string{"enabled": "on", "poe": "on", "schedule": "none"}[field]}},
		})
	}
	return out
}

// classMilliW is what a port must be ready to give to each class (IEEE 802.3bt table 145-11).
var classMilliW = []int{15_400, 4000, 7000, 15_400, 30_000, 45_000, 60_000, 75_000, 90_000}

// powerBudget finds devices that would be asked for more power than they have, and says who would lose it.
func powerBudget(p Proposal) []Finding {
	var out []Finding
	for _, device := range intent.Devices(editsOf(p.changed)) {
		state, after := p.States[device], p.After[device]
		if state.Power == nil || state.Power.BudgetMilliW == 0 {
			continue
		}
		type user struct {
			port           string
			milliW, urgent int
		}
		var users []user
		total, more := 0, false
		for _, name := range after.PortNames() {
			a, b := after.Ports[name], p.Before[device].Ports[name]
			if !a.PoE || !a.Enabled {
				continue
			}
			u := user{name, state.Ports[name].PoEMilliW, slices.Index([]string{"critical", "high"}, a.Settings["poe-priority"])}
			if u.urgent < 0 {
				u.urgent = 2
			}
			if !b.PoE || !b.Enabled { // what will be asked for is not known: be ready for what the port may give
				u.milliW, more = classMilliW[min(atoi(a.Settings["poe-class"]), 8)], true
			}
			if total += u.milliW; u.milliW > 0 {
				users = append(users, u)
			}
		}
		if !more || total <= state.Power.BudgetMilliW {
			continue
		}
		slices.SortStableFunc(users, func(a, b user) int { return a.urgent - b.urgent })
		left := state.Power.BudgetMilliW
		var losers []network.PortRef
		for _, u := range users {
			if u.milliW > left {
				losers = append(losers, network.PortRef{Device: device, Port: u.port})
				continue
			}
			left -= u.milliW
		}
		out = append(out, Finding{
			ID: "power-budget:" + device, Guard: "power-budget", Level: Warn, Ports: losers,
			What: fmt.Sprintf("%s could be asked for %.1f W and has %.1f W: %s would have none.", device, float64(total)/1000, float64(state.Power.BudgetMilliW)/1000, shorten(losers, 6)),
			Why:  "Power goes to the ports of the highest priority first, and what is left over gets none.",
			Do:   "Feed fewer ports, limit their class, or give those that matter a higher priority.",
		})
	}
	return out
}

func editsOf(refs []network.PortRef) []intent.Edit {
	out := make([]intent.Edit, len(refs))
	for i, r := range refs {
		out[i].Port = r
	}
	return out
}

// mirrorDestination finds mirrors that would send copies where something else is.
func mirrorDestination(p Proposal) []Finding {
	var out []Finding
	for device, after := range p.After {
		for object, m := range after.Objects {
			to := m["to"]
			if !strings.HasPrefix(object, "mirror/") || to == "" || p.Before[device].Objects[object]["to"] == to {
				continue
			}
			ref := network.PortRef{Device: device, Port: to}
			level, why := Level(""), ""
			_, far, linked := p.linkAt(ref)
			switch {
			case linked:
				level, why = Stop, fmt.Sprintf("%s is behind it.", far.Device)
			case after.Ports[to].LAG != "":
				level, why = Stop, fmt.Sprintf("It is in %s.", after.Ports[to].LAG)
			case after.Ports[to].Enabled && p.States[device].Ports[to].Oper == network.Up && p.Before[device].Ports[to].Description != "":
				level, why = Warn, fmt.Sprintf("Something is plugged in: %q.", p.Before[device].Ports[to].Description)
			default:
				continue
			}
			out = append(out, Finding{
				ID: "mirror:" + ref.String(), Guard: "mirror", Level: level, Ports: []network.PortRef{ref},
				What: fmt.Sprintf("The copies of %s would go to %s, which is in use. %s", strings.TrimPrefix(object, "mirror/"), ref, why),
				Why:  "The port would be flooded with frames that are not meant for it.",
				Do:   "Send them to a free port.",
			})
		}
	}
	slices.SortFunc(out, func(a, b Finding) int { return strings.Compare(a.ID, b.ID) })
	return out
}
