package standin

import (
	"fmt"
	"hash/fnv"
	"math"
	"strings"
	"time"
)

// frequency is what OpenConfig calls a band.
var frequency = map[string]string{"2.4": "FREQ_2GHZ", "5": "FREQ_5GHZ", "6": "FREQ_6GHZ"}

// bandOf is the band of a radio; known tells whether a port is one.
func (d *device) bandOf(port string) (band string, known bool) {
	r, known := d.cfg.wireless.radios[port]
	return r.band, known
}

// sends is how a radio sends: as it is told, and where it is not, as it chose itself when it was unpacked.
func (d *device) sends(port string) radioConfig {
	r := d.cfg.wireless.radios[port]
	own := radioConfig{band: r.band, channel: []int{36, 52, 100, 116}[d.index%4], width: 80, power: 19}
	if r.band == "2.4" {
		own = radioConfig{band: r.band, channel: []int{1, 6, 11}[d.index%3], width: 20, power: 18}
	}
	if r.band == "6" {
		own = radioConfig{band: r.band, channel: []int{5, 37, 69, 5}[d.index%4], width: 80, power: 22}
	}
	if r.channel != 0 {
		own.channel = r.channel
	}
	if r.width != 0 {
		own.width = r.width
	}
	if r.power != 0 {
		own.power = r.power
	}
	return own
}

// takes are the lowest and the highest frequency on which a radio sends, in MHz.
func (r radioConfig) takes() (low, high int) {
	half := r.width / 2
	if r.band == "2.4" {
		middle := 2407 + 5*r.channel
		return middle - half, middle + half
	}
	n := r.width / 20
	if r.band == "6" {
		begin := 5950 + 5*(1+(r.channel-1)/(4*n)*4*n) - 10
		return begin, begin + r.width
	}
	first := 36
	switch {
	case r.channel >= 149:
		first = 149
	case r.channel >= 100:
		first = 100
	}
	begin := 5000 + 5*(first+(r.channel-first)/(4*n)*4*n) - 10
	return begin, begin + r.width
}

// shares is the part of a radio's frequencies on which another one sends too.
func (r radioConfig) shares(o radioConfig) float64 {
	if r.band != o.band {
		return 0
	}
	a, b := r.takes()
	c, e := o.takes()
	return max(0, float64(min(b, e)-max(a, c))) / float64(b-a)
}

// neighbour is a radio that another one hears.
type neighbour struct {
	bssid, ssid    string
	channel, width int
	dBm            int
	sends          radioConfig
	at             *device // nil for one of strangers
	port           string
}

// strangers are radios that are not of the house: somebody has a kiosk at the quay.
var strangers = []struct {
	site, ssid string
	band       string
	channel    int
	dBm        int
}{
	{"tern-haven", "Gull Kiosk", "2.4", 6, -61}, {"tern-haven", "Gull Kiosk", "5", 36, -70}, {"oyster-landing", "Saltbox Rooms", "2.4", 1, -66},
	{"northgate", "Inland Park 3", "5", 100, -64}, {"northgate", "Inland Park 4", "2.4", 11, -68},
}

// faintest is what a radio still hears, in dBm.
const faintest = -86

// neighbours are the radios that one hears: those of the house at its site, and those of strangers.
func (d *device) neighbours(port string) []neighbour {
	own := d.sends(port)
	var out []neighbour
	for _, name := range d.world.pointsAt[d.spec.Site] {
		o := d.world.devices[name]
		if o == d || o == nil {
			continue
		}
		for _, p := range o.spec.Ports {
			sends := o.sends(p.Name)
			if band, known := o.bandOf(p.Name); !known || band != own.band || !o.ports[p.Name].up {
				continue
			}
			dBm := apart(d.spec.Name, o.spec.Name, own.band) + sends.power - 18
			if dBm >= faintest && len(o.cfg.wireless.networks) > 0 {
				out = append(out, neighbour{o.ports[p.Name].mac, o.cfg.wireless.networks[0].ssid, sends.channel, sends.width, dBm, sends, o, p.Name})
			}
		}
	}
	for i, s := range strangers {
		if s.site == d.spec.Site && s.band == own.band {
			width := map[string]int{"2.4": 20, "5": 80}[s.band]
			dBm := s.dBm - int(hashOf(d.spec.Name+s.ssid)%18)
			if dBm >= faintest {
				out = append(out, neighbour{fmt.Sprintf("02:0d:00:00:%02x:%02x", i, len(s.ssid)), s.ssid, s.channel, width, dBm, radioConfig{s.band, s.channel, width, 18}, nil, ""})
			}
		}
	}
	return out
}

// apart is how loud two access points of a site hear each other, in dBm, where they send with 18: the same either way.
func apart(a, b, band string) int {
	if a > b {
		a, b = b, a
	}
	f := fnv.New32a()
	_, _ = f.Write([]byte(a + " " + b))
	dBm := -52 - int(f.Sum32()%26)
	if band != "2.4" {
		dBm -= 6
	}
	return dBm
}

// joined is how many stations are at a radio.
func (d *device) joined(radio string) int {
	n := 0
	for _, h := range d.world.hostsAt[d.spec.Name] {
		if h.at.port == radio && h.joined(d.cfg) != 0 {
			n++
		}
	}
	return n
}

// air is for how much of the time a radio's channel is taken, in percent, and the noise on it in dBm. Its own stations take time, and so do those of
// others that are heard on the same frequencies: the louder they are heard, the more of their time is lost here.
func (d *device) air(radio string, now time.Time) (busy, noise int) {
	taken := d.ownAir(radio, now) + 4*d.wave(radio, now, time.Minute)
	sends := d.sends(radio)
	for _, n := range d.neighbours(radio) {
		theirs := 9.0
		if n.at != nil {
			theirs = n.at.ownAir(n.port, now)
		}
		taken += theirs * sends.shares(n.sends) * math.Min(1, float64(n.dBm-faintest)/24)
	}
	return int(max(1, min(97, taken))), -94 + int(2*d.wave(radio+"n", now, 5*time.Minute))
}

// ownAir is what a radio and its own stations take of the time, in percent. The wider its channel, the sooner it is done.
func (d *device) ownAir(radio string, now time.Time) float64 {
	faster := math.Sqrt(float64(d.sends(radio).width) / 20)
	return 6 + 4*float64(d.joined(radio))*habit("gate", now)/faster
}

// isRadio tells the radios of access points from other ports.
func isRadio(port string) bool { return strings.HasPrefix(port, "radio") }
