package guard

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// managementFrom finds devices that would let themselves be managed from other places only than where the service is.
func managementFrom(p Proposal) []Finding {
	var out []Finding
	for device, after := range p.After {
		allowed := after.Settings["management-from"]
		if allowed == "" || allowed == p.Before[device].Settings["management-from"] {
			continue
		}
		from, known := p.From[device]
		inside := slices.ContainsFunc(setting.Items(allowed), func(s string) bool {
			prefix, err := netip.ParsePrefix(s)
			return err == nil && known && prefix.Contains(from)
		})
		if inside {
			continue
		}
		at := network.PortRef{Device: device}
		f := Finding{
			ID: "management-from:" + device, Guard: "management-from", Level: Stop, Ports: []network.PortRef{at},
			What: fmt.Sprintf("%s would let itself be managed from %s only, and the service comes from %s.", device, allowed, from),
			Why:  "The device would be lost to this service, and nobody could let it in again from here.",
			Do:   fmt.Sprintf("Let in %s too.", from),
			Fix:  []intent.Edit{{Port: at, Field: "management-from", Value: allowed + "," + netip.PrefixFrom(from, max(from.BitLen(), 0)).String()}},
		}
		if !known {
			f.Level, f.Fix = Warn, nil
			f.What = fmt.Sprintf("%s would let itself be managed from %s only, and it is not known from where this service reaches it.", device, allowed)
			f.Do = "Make sure that the service is among them; the trial will tell."
		}
		out = append(out, f)
	}
	out = append(out, managementIn(p)...)
	slices.SortFunc(out, func(a, b Finding) int { return strings.Compare(a.ID, b.ID) })
	return out
}

// managementIn finds devices that would not let themselves be managed from the VLAN in which they are managed.
func managementIn(p Proposal) []Finding {
	var out []Finding
	for device, after := range p.After {
		vlan, _ := after.ManagedBy()
		allowed, before := after.Settings["management-in"], p.Before[device]
		if was, _ := before.ManagedBy(); allowed == "" || vlan == 0 || allowed == before.Settings["management-in"] && vlan == was {
			continue
		}
		set, err := network.ParseVLANSet(allowed)
		if err != nil || set.Has(vlan) {
			continue
		}
		at := network.PortRef{Device: device}
		out = append(out, Finding{
			ID: "management-from:" + device + ":vlan", Guard: "management-from", Level: Stop, Ports: []network.PortRef{at},
			What: fmt.Sprintf("%s would let itself be managed from VLAN %s only, and is managed in VLAN %s.", device, allowed, vlan),
			Why:  "The device would be lost to this service, and nobody could let it in again from here.",
			Do:   fmt.Sprintf("Let in VLAN %s too.", vlan),
			Fix:  []intent.Edit{{Port: at, Field: "management-in", Value: network.NewVLANSet(append(set, vlan)...).String()}},
		})
	}
	return out
}
