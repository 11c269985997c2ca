package standin

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
	"time"

	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// offer is a wireless network of the house as its access points are first told of it. Stations that know a credential have it from people.
type offer struct {
	name, purpose, ssid string
	vlan                int
	security            string
	credential          string // the passphrase; of an enterprise one, what the RADIUS server of the house takes
	apart               bool
}

// offers are the wireless networks of the house.
var offers = []offer{
	{"office", "laptops of people who work here", "Lantern Office", 20, "wpa2-enterprise", Staff, false},
	{"crew", "handhelds on quays and vessels", "Lantern Crew", 70, "wpa2-wpa3-personal", "tide and timber", false},
	{"passengers", "whoever waits for a ferry", "Lantern Passengers", 80, "open", "", true},
}

// lastYears is the passphrase that the crew's network had before: one handheld was not told of the new one.
const lastYears = "lamps and ropes"

// Staff is by what people who work here are known to the RADIUS server of the house.
const Staff = "a person of the house"

// houseRADIUS says who may join enterprise networks; it is answered for by the world.
const houseRADIUS = "10.1.10.6"

// wirelessConfig is what a configuration says of wireless networks (ep-wireless).
type wirelessConfig struct {
	radios   map[string]radioConfig
	networks []networkConfig
	portals  map[string]portalConfig
	hides    bool // some network has its stations in one of the access point's own
	timed    bool // it depends on the hour, or on the day
}

// radioConfig is how a radio is told to send; 0 is for it to choose.
type radioConfig struct {
	band                  string
	channel, width, power int
}

type networkConfig struct {
	name, ssid, security string
	enabled, apart       bool
	bands                []string
	hours                []weekSpan // none: always
	servers              []string
	secret               string // that they share
	vlan, kbps           int
	own                  ownNetwork
	portal               string // on which its stations are received, "" for none
	passphrases          []passphraseConfig
}

type passphraseConfig struct {
	text  string
	vlan  int
	until time.Time // zero: for good
}

func (c *compiled) compileWireless(tree *xmlnode.Node) {
	wl := tree.Child("wireless")
	c.wireless.radios = map[string]radioConfig{}
	c.compilePortals(wl)
	for _, n := range wl.All("radio") {
		r := radioConfig{band: n.TextAt("band")}
		r.channel, _ = strconv.Atoi(n.TextAt("channel"))
		r.width, _ = strconv.Atoi(n.TextAt("channel-width"))
		r.power, _ = strconv.Atoi(n.TextAt("transmit-power"))
		c.wireless.radios[n.TextAt("name")] = r
	}
	for _, n := range wl.All("network") {
		w := networkConfig{name: n.TextAt("name"), ssid: n.TextAt("ssid"), security: cmp.Or(n.TextAt("security"), "wpa2-wpa3-personal"), enabled: n.TextAt("enabled") != "false",
			apart: n.TextAt("isolation") == "true", bands: texts(n.Child("bands").All("band")), servers: texts(n.Find("radius/servers").All("server"))}
		w.vlan, _ = strconv.Atoi(n.TextAt("vlan"))
		w.secret = n.TextAt("radius/secret")
		w.portal = n.TextAt("portal")
		w.own = compileOwnNetwork(n.Child("station-network"))
		c.wireless.hides = c.wireless.hides || w.own.address.IsValid()
		w.kbps, _ = strconv.Atoi(n.TextAt("station-rate"))
		if hours := n.TextAt("hours"); hours != "" {
			w.hours, _ = readHours(hours)
			c.wireless.timed = true
		}
		if p := n.TextAt("passphrase"); p != "" {
			w.passphrases = append(w.passphrases, passphraseConfig{text: p})
		}
		for _, p := range wl.All("passphrase") {
			if p.TextAt("network") != w.name {
				continue
			}
			one := passphraseConfig{text: p.TextAt("passphrase")}
			one.vlan, _ = strconv.Atoi(p.TextAt("vlan"))
			if day, err := time.Parse(time.DateOnly, p.TextAt("until")); err == nil {
				one.until = day.AddDate(0, 0, 1)
				c.wireless.timed = true
			}
			w.passphrases = append(w.passphrases, one)
		}
		c.wireless.networks = append(c.wireless.networks, w)
	}
}

func validateWireless(tree *xmlnode.Node, vlans map[string]bool, fault func(tag, path, format string, args ...any)) {
	wl := tree.Child("wireless")
	validatePortals(wl, fault)
	names, ssids := map[string]bool{}, map[string]string{}
	for _, n := range wl.All("network") {
		name := n.TextAt("name")
		path := "/wireless/network[name='" + name + "']"
		names[name] = true
		if ssid := n.TextAt("ssid"); ssid != "" { // one that lacks what it needs is kept, and offered to nobody
			if other := ssids[ssid]; other != "" {
				fault(netconf.TagInvalidValue, path+"/ssid", "%q is that of network %s already", ssid, other)
			}
			ssids[ssid] = name
		}
		if v := n.TextAt("vlan"); v != "" && !vlans[v] {
			fault(netconf.TagDataMissing, path+"/vlan", "VLAN %s is not defined on this device", v)
		}
	}
	for _, p := range wl.All("passphrase") {
		path := "/wireless/passphrase[name='" + p.TextAt("name") + "']"
		if n := p.TextAt("network"); n != "" && !names[n] {
			fault(netconf.TagDataMissing, path+"/network", "there is no network %s on this device", n)
		}
		if v := p.TextAt("vlan"); v != "" && !vlans[v] {
			fault(netconf.TagDataMissing, path+"/vlan", "VLAN %s is not defined on this device", v)
		}
	}
}

// in tells whether a network is offered in a band now: at 6 GHz none of before WPA3.
func (n networkConfig) in(band string, at time.Time) bool {
	if band == "6" && slices.Contains([]string{"open", "wpa2-personal", "wpa2-enterprise"}, n.security) {
		return false
	}
	return n.enabled && (len(n.bands) == 0 || slices.Contains(n.bands, band)) && (len(n.hours) == 0 || open(n.hours, at))
}

// refusal is why a station that hears a network does not get in: how far it came, and what was in the way.
type refusal struct{ step, why string }

// admits tells into which VLAN a network takes a station, or why not.
func (n networkConfig) admits(h *host, at time.Time, blocked bool) (vlan int, no refusal) {
	knows := h.Credential
	switch {
	case blocked:
		return 0, refusal{"association", "blocked"}
	case n.security == "open", n.security == "owe":
		if knows != "" { // it knows the network as one that asks for something, and does not fall for less
			return 0, refusal{"association", "security"}
		}
		return n.vlan, refusal{}
	case n.enterprise():
		return n.letsIn(h)
	case n.security == "wpa3-personal" && hasWord(h.Name, "handheld"): // which are of before SAE
		return 0, refusal{"association", "security"}
	}
	ended := false
	for _, p := range n.passphrases {
		if p.text != knows {
			continue
		}
		if !p.until.IsZero() && !at.Before(p.until) {
			ended = true
			continue
		}
		return cmp.Or(p.vlan, n.vlan), refusal{}
	}
	if ended {
		return 0, refusal{"key", "ended-passphrase"}
	}
	return 0, refusal{"key", "wrong-passphrase"}
}

// hears is the network that a station looks for, as a radio offers it; nil where it does not.
func (c *compiled) hears(h *host) *networkConfig {
	band := c.wireless.radios[h.at.port].band
	for i, n := range c.wireless.networks {
		if n.ssid == h.SSID && n.in(band, c.at) {
			return &c.wireless.networks[i]
		}
	}
	return nil
}

// inAir is how a station in the air stands at a radio: it holds as long as that runs the same configuration, and where that looks at the clock, until it was
// looked at again.
type inAir struct {
	c       *compiled
	port    string
	at      time.Time
	vlan    int            // in which it is, 0 for none
	network *networkConfig // that it hears, nil for none
	no      refusal
}

// inAir works out how a station stands at the radio at which it is, or knows it from before: it is asked for with each frame.
func (c *compiled) inAir(h *host) *inAir {
	if s := &h.air; s.c == c && s.port == h.at.port && (!c.wireless.timed || s.at.Equal(c.at)) {
		return s
	}
	s := inAir{c: c, port: h.at.port, at: c.at, network: c.hears(h)}
	if s.network != nil {
		if s.vlan, s.no = s.network.admits(h, c.at, c.blocks(h)); s.no == (refusal{}) && s.vlan == 0 {
			s.vlan = c.management
		}
	}
	h.air = s
	return &h.air
}

// tellTime lets devices know the hour, by which they offer networks and block stations.
func (w *World) tellTime(now time.Time) {
	for _, d := range w.devices {
		d.cfg.at = now.In(d.cfg.zone)
	}
}

func (c *compiled) compileBlocked(tree *xmlnode.Node) {
	c.blocked = map[string]time.Time{}
	for _, n := range tree.Child("stations").All("blocked") {
		until := time.Time{}
		if day, err := time.Parse(time.DateOnly, n.TextAt("until")); err == nil {
			until, c.wireless.timed = day.AddDate(0, 0, 1), true
		}
		c.blocked[strings.ReplaceAll(n.TextAt("station"), "-", ":")] = until
	}
	c.limited = map[string]stationLimit{}
	for _, n := range tree.Child("wireless").All("limited") {
		l := stationLimit{}
		l.kbps, _ = strconv.Atoi(n.TextAt("rate"))
		if day, err := time.Parse(time.DateOnly, n.TextAt("until")); err == nil {
			l.until = day.AddDate(0, 0, 1)
		}
		c.limited[strings.ReplaceAll(n.TextAt("station"), "-", ":")] = l
	}
}

// blocks tells whether nothing of a station passes.
func (c *compiled) blocks(h *host) bool {
	if len(c.blocked) == 0 {
		return false
	}
	until, is := c.blocked[h.MAC]
	return is && (until.IsZero() || c.at.Before(until))
}

// accessPointState tells of radios and of the stations that joined.
func (d *device) accessPointState(points *xmlnode.Node, now time.Time) {
	if d.spec.Role != "access-point" {
		return
	}
	x, w := in("oc-ap"), d.world
	radios, ssids := x.node("radios"), x.node("ssids")
	for _, p := range d.spec.Ports {
		band, known := d.bandOf(p.Name)
		if !known {
			continue
		}
		sends := d.sends(p.Name)
		busy, noise := d.air(p.Name, now)
		radios.Add(x.node("radio", x.leaf("id", p.Name[5:]), x.leaf("operating-frequency", frequency[band]), x.node("state", x.leaf("id", p.Name[5:]), x.leaf("operating-frequency", frequency[band]),
			x.leaf("enabled", strconv.FormatBool(d.ports[p.Name].up)), x.int("channel", sends.channel), x.int("channel-width", sends.width), x.int("transmit-power", sends.power),
			x.int("total-channel-utilization", busy), x.int("noise-floor", noise))))
	}
	for _, n := range d.cfg.wireless.networks {
		clients := x.node("clients")
		for _, h := range w.hostsAt[d.spec.Name] {
			vlan := h.joined(d.cfg)
			if h.SSID != n.ssid || vlan == 0 || !d.ports[h.at.port].up {
				continue
			}
			rssi := h.heard(w, now)
			counted := x.node("state", x.count("rx-bytes", h.in), x.count("tx-bytes", h.out))
			connection := x.node("state", x.leaf("client-state", "CLIENT_AUTHENTICATED"), x.leaf("hostname", h.Name), x.leaf("ipv4-address", h.IP))
			if h.System != "" {
				connection.Add(x.leaf("operating-system", h.System))
			}
			if vlan != n.vlan {
				connection.Add(in("ep-wl").int("vlan", vlan))
			}
			band, _ := d.bandOf(h.at.port)
			clients.Add(x.node("client", x.leaf("mac", h.MAC), x.node("state", x.leaf("mac", h.MAC)),
				x.node("client-rf", x.node("state", x.int("rssi", rssi), x.int("snr", rssi+94), x.leaf("frequency", frequency[band]))),
				x.node("client-counters", counted), x.node("client-connection", connection)))
		}
		ssids.Add(x.node("ssid", x.leaf("name", n.ssid), x.node("state", x.leaf("name", n.ssid), x.leaf("enabled", strconv.FormatBool(n.enabled)), x.int("default-vlan", cmp.Or(n.vlan, d.cfg.management))), clients))
	}
	points.Add(x.node("access-point", x.leaf("hostname", d.cfg.hostname), radios, ssids))
}

// heard is how loud a station is heard, in dBm.
func (h *host) heard(w *World, now time.Time) int {
	return -58 + int(13*w.noise(h.MAC, now, 4*time.Minute))
}

// wirelessState tells what radios hear of others, and who tried to join and did not.
func (d *device) wirelessState(wl *xmlnode.Node, now time.Time) {
	x := in("ep-wl")
	for _, n := range wl.All("network") {
		d.ownNetworkState(n, now)
	}
	for _, r := range wl.All("radio") {
		for _, n := range d.neighbours(r.TextAt("name")) {
			r.Add(x.node("neighbour", x.leaf("bssid", n.bssid), x.leaf("ssid", n.ssid), x.int("channel", n.channel), x.int("channel-width", n.width), x.int("signal", n.dBm)))
		}
	}
	for _, h := range d.world.hostsAt[d.spec.Name] {
		if h.SSID == "" || !d.ports[h.at.port].up {
			continue
		}
		if s := d.cfg.inAir(h); s.no.why != "" {
			n, no := s.network, s.no
			every := 20 * time.Second // it tries again and again
			last := now.Truncate(every)
			wl.Add(x.node("refused", x.leaf("mac", h.MAC), x.leaf("network", n.name), x.leaf("radio", h.at.port), x.int("signal", h.heard(d.world, now)), x.leaf("last", last.UTC().Format(time.RFC3339)),
				x.int("tries", int(min(now.Sub(now.Truncate(time.Hour)), time.Hour)/every)+1), x.leaf("step", no.step), x.leaf("why", no.why)))
		}
	}
}

// wirelessNodes are the country, the radios and the networks of which an access point is first told.
func (s DeviceSpec) wirelessNodes() *xmlnode.Node {
	x := in("ep-wl")
	wl := x.node("wireless", x.leaf("country", "GB"))
	for i, p := range s.Ports {
		if strings.HasPrefix(p.Name, "radio") {
			wl.Add(x.node("radio", x.leaf("name", p.Name), x.leaf("band", []string{"2.4", "5", "6"}[min(i-1, 2)])))
		}
	}
	for _, o := range offers {
		if !slices.Contains(s.VLANs, o.vlan) {
			continue
		}
		n := x.node("network", x.leaf("name", o.name), x.leaf("purpose", o.purpose), x.leaf("ssid", o.ssid), x.leaf("security", o.security), x.int("vlan", o.vlan))
		switch {
		case strings.HasSuffix(o.security, "-personal"):
			n.Add(x.leaf("passphrase", o.credential))
		case strings.HasSuffix(o.security, "-enterprise"):
			n.Add(x.node("radius", x.node("servers", x.leaf("server", houseRADIUS)), x.leaf("secret", "between the lanterns")))
		}
		if o.apart {
			n.Add(x.leaf("isolation", "true"))
		}
		wl.Add(n)
	}
	return wl
}
