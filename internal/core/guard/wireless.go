package guard

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/radio"
	"example.net/everypost/internal/core/setting"
)

// manyNames is how many networks a radio is still good for: each sends beacons, at the slowest rate there is.
const manyNames = 4

// wireless finds networks that nobody could join, or anybody could get through into the house; radios that may not send like that; and says who
// loses the network for a moment.
func wireless(p Proposal) []Finding {
	var out []Finding
	for _, device := range slices.Sorted(maps.Keys(p.After)) {
		before, after := p.Before[device], p.After[device]
		if !after.Has(setting.Wireless) || !p.wirelessDiffers(before, after) {
			continue
		}
		w := airs{p: p, device: device, before: before, after: after, list: setting.WLANs(after)}
		w.networks()
		w.passphrases()
		w.portals()
		w.radios()
		w.stations()
		out = append(out, w.out...)
	}
	return out
}

// wirelessDiffers tells whether anything that guards of wireless look at differs.
func (p Proposal) wirelessDiffers(before, after network.Config) bool {
	return !maps.EqualFunc(before.Objects, after.Objects, maps.Equal[network.Settings, network.Settings]) || setting.Country(before) != setting.Country(after) ||
		!slices.Equal(setting.Radios(before), setting.Radios(after)) || !maps.EqualFunc(before.Ports, after.Ports, network.PortConfig.EqualVLANs)
}

// airs looks at the wireless of one access point.
type airs struct {
	p             Proposal
	device        string
	before, after network.Config
	list          []setting.WLAN
	out           []Finding
}

func (w *airs) say(level Level, object, part, what, why, do string) {
	at := network.PortRef{Device: w.device, Port: object}
	w.out = append(w.out, Finding{ID: "wireless:" + at.String() + ":" + part, Guard: "wireless", Level: level, Ports: []network.PortRef{at}, What: what, Why: why, Do: do})
}

// changed tells whether an object differs from before.
func (w *airs) changed(object string) bool {
	was, had := w.before.Objects[object]
	return !had || !maps.Equal(was, w.after.Objects[object])
}

// had tells whether there was a network of a name.
func (w *airs) had(name string) bool {
	_, had := w.before.Objects[setting.Object(setting.OnWLAN, name)]
	return had
}

func (w *airs) networks() {
	names := map[string]string{}
	for _, n := range w.list {
		object := setting.Object(setting.OnWLAN, n.Name)
		differs := w.changed(object) // what was wrong before is not held against who changes something else
		switch other, taken := names[n.SSID]; {
		case n.SSID == "" && !differs, taken && !differs && !w.changed(setting.Object(setting.OnWLAN, other)):
		case n.SSID == "":
			w.say(Stop, object, "ssid", fmt.Sprintf("Network %s of %s has no name in the air.", n.Name, w.device), "No station could find it.", "Give it one: ssid.")
		case taken:
			w.say(Stop, object, "ssid", fmt.Sprintf("Networks %s and %s of %s have the same name in the air, %q.", other, n.Name, w.device, n.SSID), "Stations could not tell them from each other.", "Give one of them another ssid.")
		}
		if names[n.SSID] = n.Name; !n.Offered {
			continue
		}
		switch {
		case !differs:
		case n.Personal() && n.Passphrase == "":
			w.say(Stop, object, "passphrase", fmt.Sprintf("Network %s of %s asks for a passphrase, and has none.", n.Name, w.device), "Nobody could join.", "Set one: passphrase. Or let anybody in: security owe.")
		case n.Enterprise() && (len(n.RADIUS) == 0 || n.Secret == ""):
			w.say(Stop, object, "radius", fmt.Sprintf("Network %s of %s asks a RADIUS server who may join, and has none or no secret for it.", n.Name, w.device), "Nobody could join.", "Set both: wlan-radius and wlan-radius-secret.")
		}
		if differs && n.Anybody() {
			w.inside(object, n)
		}
		if differs && !n.ForSix() {
			w.notAtSix(object, n)
		}
		w.carried(object, n.VLAN)
		if differs && n.Network.IsValid() {
			w.ownNetwork(object, n)
		}
	}
	offered := func(list []setting.WLAN, r setting.Radio) (n int) {
		for _, o := range list {
			if o.Offered && o.In(string(r.Band)) {
				n++
			}
		}
		return n
	}
	was := setting.WLANs(w.before)
	for _, r := range setting.Radios(w.after) {
		if on := offered(w.list, r); on > manyNames && on > offered(was, r) {
			w.say(Warn, r.Port, "many", fmt.Sprintf("%s would offer %d networks on %s, at %s GHz.", w.device, on, r.Port, r.Band),
				fmt.Sprintf("Each sends ten beacons a second at the slowest rate: more than %d take a good part of the time from all.", manyNames), "Leave some out, or in one band only: bands.")
		}
	}
}

// notAtSix finds networks that are not offered at 6 GHz, for their security, where there is a radio of that band.
func (w *airs) notAtSix(object string, n setting.WLAN) {
	six := slices.ContainsFunc(setting.Radios(w.after), func(r setting.Radio) bool { return r.Band == radio.Band6 && r.On })
	const why = "At 6 GHz nobody may join with what was there before WPA3 (IEEE 802.11ax)."
	const do = "Take owe, wpa2-wpa3-personal, wpa3-personal or wpa3-enterprise: security."
	switch asked := slices.Contains(n.Bands, string(radio.Band6)); {
	case asked && len(n.Bands) == 1:
		w.say(Stop, object, "six", fmt.Sprintf("Network %s of %s would be offered nowhere: it is %s, and for 6 GHz only.", n.Name, w.device, n.Security), why, do)
	case asked:
		w.say(Warn, object, "six", fmt.Sprintf("Network %s of %s would not be offered at 6 GHz: it is %s.", n.Name, w.device, n.Security), why, do)
	case six && len(n.Bands) == 0:
		w.say(Note, object, "six", fmt.Sprintf("Network %s of %s would not be offered at 6 GHz: it is %s.", n.Name, w.device, n.Security), why, do)
	}
}

// ownNetwork finds networks of an access point's own that are too small for who is there, or stand for another one of the house.
func (w *airs) ownNetwork(object string, n setting.WLAN) {
	room := 1<<(32-n.Network.Bits()) - 3
	if count := w.count(func(s network.Station) bool { return s.SSID == n.SSID }); count > room {
		w.say(Warn, object, "room", fmt.Sprintf("%s has room for %d stations of network %s on %s, and %d are there.", n.Network.Masked(), room, n.Name, w.device, count), "Those that come last get no address.", "Take a larger network: station-network.")
	}
	for _, device := range slices.Sorted(maps.Keys(w.p.After)) {
		for _, g := range setting.Gateways(w.p.After[device]) {
			if g.Address.IsValid() && g.Address.Overlaps(n.Network) {
				w.say(Warn, object, "overlaps", fmt.Sprintf("%s of network %s on %s is also in use in VLAN %s of %s.", n.Network.Masked(), n.Name, w.device, g.VLAN, device), "Its stations would look for who is there among themselves, and not find them.", "Take a network that is nowhere else: station-network.")
				return
			}
		}
	}
}

// carried finds VLANs of networks that do not get beyond the access point.
func (w *airs) carried(object string, v network.VLANID) {
	if v == 0 {
		return
	}
	differs := w.changed(object)
	if _, known := w.after.VLANs[v]; !known {
		if _, was := w.before.VLANs[v]; !was && !differs {
			return
		}
		w.say(Stop, object, "vlan", fmt.Sprintf("%s would put stations into VLAN %s, which it does not know.", w.device, v), "The device would refuse it.", fmt.Sprintf("Make the VLAN there first: vlan/%s present=on.", v))
		return
	}
	for _, port := range w.after.PortNames() {
		own := network.PortRef{Device: w.device, Port: port}
		_, far, linked := w.p.linkAt(own)
		if !linked {
			continue
		}
		for _, end := range []network.PortRef{own, far} {
			at := w.p.settable(end)
			was, _ := portOrBundle(w.p.Before[at.Device], at.Port)
			if c, known := portOrBundle(w.p.After[at.Device], at.Port); known && !c.Carries(v) && (differs || was.Carries(v)) {
				w.say(Warn, object, "uplink", fmt.Sprintf("Stations of %s on %s would be in VLAN %s, which %s does not carry.", strings.TrimPrefix(object, string(setting.KindOf(object))+"/"), w.device, v, at),
					"They would join, and reach nobody.", fmt.Sprintf("Carry VLAN %s on %s.", v, at))
			}
		}
		return // one uplink is enough to know
	}
}

func portOrBundle(c network.Config, name string) (network.PortConfig, bool) {
	if p, ok := c.Ports[name]; ok {
		return p, true
	}
	p, ok := c.Bundles[name]
	return p, ok
}

// inside finds networks through which anybody in the street gets into a VLAN in which the house works: one with ports at which people sit.
func (w *airs) inside(object string, n setting.WLAN) {
	if n.VLAN == 0 {
		w.say(Warn, object, "inside", fmt.Sprintf("Anybody could join %s on %s, and would be in the VLAN in which the access point itself is managed.", n.Name, w.device), "Whoever stands in the street gets at the devices.", "Give the network a VLAN of its own: wlan-vlan.")
		return
	}
	site, ports := w.p.Site[w.device], 0
	for device, c := range w.p.After {
		if w.p.Site[device] != site {
			continue
		}
		for _, p := range c.Ports {
			if p.Enabled && p.Mode == network.Access && p.AccessVLAN == n.VLAN {
				ports++
			}
		}
	}
	if ports > 0 {
		w.say(Warn, object, "inside", fmt.Sprintf("Anybody could join %s on %s, and would be in VLAN %s, in which %d ports of the site are.", n.Name, w.device, n.VLAN, ports),
			"Whoever stands in the street is in the same network as what is plugged in there.", "Give the network a VLAN of its own, or let in only whom you know: security.")
	}
}

func (w *airs) passphrases() {
	for _, k := range setting.Passphrases(w.after) {
		object := setting.Object(setting.OnPassphrase, k.Name)
		i := slices.IndexFunc(w.list, func(n setting.WLAN) bool { return n.Name == k.WLAN })
		switch {
		case !w.changed(object) && (i < 0 || !w.changed(setting.Object(setting.OnWLAN, k.WLAN))) && w.had(k.WLAN) == (i >= 0):
		case i < 0:
			w.say(Stop, object, "network", fmt.Sprintf("Passphrase %s of %s opens no network that the device has.", k.Name, w.device), "The device would refuse it.", "Say which: wlan.")
		case !w.list[i].Personal():
			w.say(Stop, object, "network", fmt.Sprintf("Passphrase %s of %s is for %s, which asks for none.", k.Name, w.device, k.WLAN), "Nobody would be asked for it.", "Name a personal network, or take the passphrase out.")
		case k.Reference == "":
			w.say(Stop, object, "passphrase", fmt.Sprintf("Passphrase %s of %s is empty.", k.Name, w.device), "It would let nobody in.", "Set it: passphrase.")
		}
		w.carried(object, k.VLAN)
	}
}

func (w *airs) radios() {
	country := setting.Country(w.after)
	was := setting.Radios(w.before)
	for _, r := range setting.Radios(w.after) {
		if slices.Contains(was, r) && country == setting.Country(w.before) {
			continue
		}
		if err := radio.Check(country, r.Band, r.Channel, r.Width, r.PowerDBm); err != nil && r.On {
			w.say(Stop, r.Port, "channel", fmt.Sprintf("%s:%s would send against the rules: %s.", w.device, r.Port, err), "Whoever runs it is liable for that, and radars and other services are disturbed.", "Take a channel, a width and a power that are allowed there, or leave them to the device: auto.")
		}
	}
}

// stations says who loses the network for a moment, or for good.
func (w *airs) stations() {
	was := setting.WLANs(w.before)
	var lost, again []string
	gone, back := 0, 0
	for _, n := range was {
		count := w.count(func(s network.Station) bool { return s.SSID == n.SSID })
		i := slices.IndexFunc(w.list, func(o setting.WLAN) bool { return o.SSID == n.SSID && o.Offered })
		switch {
		case count == 0 || !n.Offered:
		case i < 0:
			lost, gone = append(lost, n.SSID), gone+count
		case w.list[i].Security != n.Security || w.list[i].Passphrase != n.Passphrase:
			lost, gone = append(lost, n.SSID), gone+count
		case w.list[i].VLAN != n.VLAN || w.list[i].Network != n.Network || !slices.Equal(w.list[i].Bands, n.Bands) || w.list[i].Secret != n.Secret || !slices.Equal(w.list[i].RADIUS, n.RADIUS):
			again, back = append(again, n.SSID), back+count
		}
	}
	if gone > 0 {
		w.say(Warn, "", "lost", fmt.Sprintf("%d stations on %s would lose %s.", gone, w.device, strings.Join(lost, ", ")), "They come back only with what the network then asks for: people have to be told.", "Tell them first, or leave the old network beside the new one for a while.")
	}
	if back > 0 {
		w.say(Note, "", "again", fmt.Sprintf("%d stations on %s would have to join %s again.", back, w.device, strings.Join(again, ", ")), "They are away for some seconds.", "Nothing, if that is a good moment.")
	}
	old := setting.Radios(w.before)
	for _, r := range setting.Radios(w.after) {
		i := slices.IndexFunc(old, func(o setting.Radio) bool { return o.Port == r.Port })
		if i < 0 || old[i] == r {
			continue
		}
		if n := w.count(func(s network.Station) bool { return strings.HasPrefix(s.Band, string(r.Band)) }); n > 0 {
			w.say(Note, r.Port, "again", fmt.Sprintf("%d stations at %s:%s would have to find it on another channel.", n, w.device, r.Port), "They are away for some seconds.", "Nothing, if that is a good moment.")
		}
	}
}

// portals finds networks whose stations would be sent to a page that is not there, and says who would be held at one.
func (w *airs) portals() {
	known, was := setting.PortalsOf(w.after), setting.WLANs(w.before)
	for _, n := range w.list {
		if n.Portal == "" || !n.Offered {
			continue
		}
		object := setting.Object(setting.OnWLAN, n.Name)
		p := slices.IndexFunc(known, func(p setting.Portal) bool { return p.Name == n.Portal })
		if (p < 0 || known[p].Address == "" || known[p].Key == "") && (w.changed(object) || w.changed(setting.Object(setting.OnPortal, n.Portal))) {
			w.say(Stop, object, "portal", fmt.Sprintf("Stations of network %s on %s would be sent to portal %s, of which no address or no key is known there.", n.Name, w.device, n.Portal),
				"They would reach nothing, and could not be let in.", "Set both: portal-address and portal-key. Or let the service do it: put the portal before the network.")
			continue
		}
		before := ""
		if i := slices.IndexFunc(was, func(o setting.WLAN) bool { return o.Name == n.Name }); i >= 0 {
			before = was[i].Portal
		}
		if count := w.count(func(s network.Station) bool { return s.SSID == n.SSID }); count > 0 && before != n.Portal {
			w.say(Warn, object, "held", fmt.Sprintf("%d stations of %s on %s would be sent to portal %s.", count, n.SSID, w.device, n.Portal), "They reach nothing else until they are let in there.", "Nothing, if that is a good moment.")
		}
	}
}

func (w *airs) count(which func(network.Station) bool) int {
	n := 0
	for _, s := range w.p.Insides[w.device].Stations {
		if which(s) {
			n++
		}
	}
	return n
}
