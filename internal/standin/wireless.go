package standin

import (
	"strings"
	"time"

	"example.net/everypost/internal/wire/xmlnode"
)

// networks are the wireless networks of the house with their VLANs.
var networks = []struct {
	ssid string
	vlan int
}{{"Lantern Office", 20}, {"Lantern Crew", 70}, {"Lantern Passengers", 80}}

// accessPointState tells of radios and of the stations that joined.
func (d *device) accessPointState(points *xmlnode.Node, now time.Time) {
	if d.spec.Role != "access-point" {
		return
	}
	x, w := in("oc-ap"), d.world
	radios, ssids := x.node("radios"), x.node("ssids")
	for i, p := range d.spec.Ports {
		if !strings.HasPrefix(p.Name, "radio") {
			continue
		}
		band, channel, width := "FREQ_2GHZ", []int{1, 6, 11}[d.index%3], 20
		if i > 1 {
			band, channel, width = "FREQ_5GHZ", []int{36, 52, 100, 116, 132, 149}[d.index%6], 80
		}
		busy, noise := d.air(p.Name, now)
		radios.Add(x.node("radio", x.leaf("id", p.Name[5:]), x.leaf("operating-frequency", band), x.node("state", x.leaf("id", p.Name[5:]), x.leaf("operating-frequency", band),
			x.leaf("enabled", "true"), x.int("channel", channel), x.int("channel-width", width), x.int("transmit-power", 17+i),
			x.int("total-channel-utilization", busy), x.int("noise-floor", noise))))
	}
	for _, n := range networks {
		clients := x.node("clients")
		for _, h := range w.hostsAt[d.spec.Name] {
			if h.SSID != n.ssid || !d.ports[h.at.port].up {
				continue
			}
			rssi := -58 + int(13*w.noise(h.MAC, now, 4*time.Minute))
			counted := x.node("state", x.count("rx-bytes", h.in), x.count("tx-bytes", h.out))
			connection := x.node("state", x.leaf("client-state", "CLIENT_AUTHENTICATED"), x.leaf("hostname", h.Name), x.leaf("ipv4-address", h.IP))
			if h.System != "" {
				connection.Add(x.leaf("operating-system", h.System))
			}
			clients.Add(x.node("client", x.leaf("mac", h.MAC), x.node("state", x.leaf("mac", h.MAC)),
				x.node("client-rf", x.node("state", x.int("rssi", rssi), x.int("snr", rssi+94), x.leaf("frequency", map[bool]string{true: "FREQ_5GHZ", false: "FREQ_2GHZ"}[h.at.port == "radio1"]))),
				x.node("client-counters", counted), x.node("client-connection", connection)))
		}
		ssids.Add(x.node("ssid", x.leaf("name", n.ssid), x.node("state", x.leaf("name", n.ssid), x.leaf("enabled", "true"), x.int("default-vlan", n.vlan)), clients))
	}
	points.Add(x.node("access-point", x.leaf("hostname", d.cfg.hostname), radios, ssids))
}

// joined is how many stations are at a radio.
func (d *device) joined(radio string) int {
	n := 0
	for _, h := range d.world.hostsAt[d.spec.Name] {
		if h.at.port == radio {
			n++
		}
	}
	return n
}

// air is for how much of the time a radio's channel is taken, in percent, and the noise on it in dBm.
func (d *device) air(radio string, now time.Time) (busy, noise int) {
	taken := 8 + 3*float64(d.joined(radio))*habit("gate", now) + 4*d.wave(radio, now, time.Minute)
	return int(max(1, min(97, taken))), -94 + int(2*d.wave(radio+"n", now, 5*time.Minute))
}

// tunnelsState tells of the overlay of an edge.
func (d *device) tunnelsState(tunnels *xmlnode.Node, _ time.Time) {
	x, w := in("ep-wan"), d.world
	for _, t := range w.tunnelsAt[d.spec.Name] {
		if !w.installed(t.far(d.spec.Name).device) {
			continue
		}
		far := w.devices[t.far(d.spec.Name).device]
		status := "DOWN"
		if t.up {
			status = "UP"
		}
		n := x.node("tunnel", x.leaf("name", t.Name), x.leaf("underlay", t.Underlay), x.leaf("interface", t.near(d.spec.Name).port),
			x.leaf("remote-system-name", far.cfg.hostname), x.leaf("remote-address", far.spec.Loopback), x.leaf("oper-status", status), x.when("last-change", t.changed))
		if t.up {
			n.Add(x.float("delay", t.delayMs, 1), x.float("jitter", t.jitterMs, 1), x.float("loss", t.lossPct, 2))
		}
		tunnels.Add(n)
	}
}

// radioLinkState tells how well the two ends of a radio link hear each other.
func (d *device) radioLinkState(link *xmlnode.Node, now time.Time) {
	if d.spec.Role != "radio-link" {
		return
	}
	x := in("ep-radio")
	dbm := d.world.receivedDbm(d.spec.Name, now)
	name, mbps := modulation(dbm)
	link.Add(x.float("received-level", dbm, 1), x.leaf("modulation", name), x.int("capacity", mbps), x.leaf("frequency", "18.305"), x.leaf("distance", "6.4"))
}

// MakersRegistry says who makes the things of this world, in the form of the IEEE's comma-separated files.
const MakersRegistry = `Registry,Assignment,Organization Name,Organization Address
MA-L,02A110,Curlew Telephones,"3 Bell Lane, Lantern"
MA-L,02A120,Beacon Cameras,"Lens Yard, Kelp Bay"
MA-L,02A130,Gannet Computers,"Inland Park"
MA-L,02A140,Turnstile Works,"The Foundry, Lantern"
MA-L,02A150,Bosun Handhelds,"Dock Road, Kelp Bay"
MA-L,02A160,Plover Mobile,"Inland Park"
MA-L,02A170,Capstan Controls,"Dock Road, Kelp Bay"
MA-L,02F000,Saltmarsh Carriers,"1 Exchange Square"
`
