// Package wireless adds up what access points are told and what they hear: the networks that they offer, the air at their radios, who did not get in
// and how far he came, and on which channels they would disturb each other least.
package wireless

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/radio"
	"example.net/everypost/internal/core/setting"
)

// Point is an access point as it is known.
type Point struct {
	Device, Site string
	Away         bool // it cannot be reached: what it hears is of before
	Config       network.Config
	State        network.State
	Inside       network.Inside
}

// Network is a wireless network, of all access points that offer one of the name.
type Network struct {
	Name, SSID, Purpose string
	Security            string   // the first one, where they differ
	VLANs               []string // in which stations are, the most frequent first; "" is that of the access point
	Bands               []string // in which it is offered somewhere
	Points              []string // that have it, by name
	Offered             int      // on how many of them it can be joined
	Stations            int
	UpBps, DownBps      float64
	Differs             []string // settings that are not the same on all of them
}

// Networks adds up what access points offer, by name.
func Networks(points []Point) []Network {
	byName := map[string]*Network{}
	first := map[string]network.Settings{}
	vlans := map[string]map[string]int{}
	for _, p := range points {
		radios := setting.Radios(p.Config)
		for _, w := range setting.WLANs(p.Config) {
			own := p.Config.Objects[setting.Object(setting.OnWLAN, w.Name)]
			n := byName[w.Name]
			if n == nil {
				n = &Network{Name: w.Name, SSID: w.SSID, Purpose: own["purpose"], Security: w.Security}
				byName[w.Name], first[w.Name], vlans[w.Name] = n, own, map[string]int{}
			}
			n.Points = append(n.Points, p.Device)
			if w.Offered {
				n.Offered++
			}
			vlan := ""
			if w.VLAN != 0 {
				vlan = w.VLAN.String()
			}
			vlans[w.Name][vlan]++
			for _, r := range radios {
				if w.In(string(r.Band)) && r.On && !slices.Contains(n.Bands, string(r.Band)) {
					n.Bands = append(n.Bands, string(r.Band))
				}
			}
			n.Differs = differing(n.Differs, first[w.Name], own)
			for _, s := range p.Inside.Stations {
				if s.SSID == w.SSID && !p.Away {
					n.Stations, n.UpBps, n.DownBps = n.Stations+1, n.UpBps+s.RxBps, n.DownBps+s.TxBps
				}
			}
		}
	}
	var out []Network
	for _, name := range slices.Sorted(maps.Keys(byName)) {
		n := byName[name]
		n.VLANs = slices.SortedFunc(maps.Keys(vlans[name]), func(a, b string) int {
			return cmp.Or(vlans[name][b]-vlans[name][a], cmp.Compare(a, b))
		})
		slices.SortFunc(n.Bands, byBand)
		slices.Sort(n.Points)
		slices.Sort(n.Differs)
		out = append(out, *n)
	}
	return out
}

// byBand orders bands by their frequency.
func byBand(a, b string) int { return cmp.Or(len(b)-len(a), cmp.Compare(a, b)) }

func differing(known []string, a, b network.Settings) []string {
	for _, pair := range [][2]network.Settings{{a, b}, {b, a}} {
		for name, v := range pair[0] {
			if o, ok := pair[1][name]; (!ok || o != v) && !slices.Contains(known, name) {
				known = append(known, name)
			}
		}
	}
	return known
}

// Radio is a radio of an access point: how it is told to send, and what it does.
type Radio struct {
	Device, Site, Port string
	Away               bool
	Country            string
	MAC                string // by which others hear it, "" where that is not known
	Told               setting.Radio
	Now                network.RadioState
	Stations           int
	Heard              []network.Heard // the loudest first
}

// Radios are those of access points, by device and port.
func Radios(points []Point) (out []Radio) {
	for _, p := range points {
		for _, told := range setting.Radios(p.Config) {
			r := Radio{Device: p.Device, Site: p.Site, Port: told.Port, Away: p.Away, Country: setting.Country(p.Config), MAC: p.State.Ports[told.Port].MAC, Told: told}
			for _, s := range p.Inside.Radios {
				if strings.HasSuffix(told.Port, s.ID) && bandOf(s.Band) == told.Band {
					r.Now = s
				}
			}
			for _, s := range p.Inside.Stations {
				if bandOf(s.Band) == told.Band && !p.Away {
					r.Stations++
				}
			}
			for _, h := range p.Inside.Heard {
				if h.Radio == told.Port {
					r.Heard = append(r.Heard, h)
				}
			}
			slices.SortStableFunc(r.Heard, func(a, b network.Heard) int { return b.SignalDbm - a.SignalDbm })
			out = append(out, r)
		}
	}
	slices.SortStableFunc(out, func(a, b Radio) int {
		return cmp.Or(cmp.Compare(a.Device, b.Device), network.ComparePorts(a.Port, b.Port))
	})
	return out
}

// bandOf is a band as it is set, of one as it is read: 5 GHz.
func bandOf(read string) radio.Band {
	band, _, _ := strings.Cut(read, " ")
	return radio.Band(band)
}

// Refusal is a station that tried to join a network and did not.
type Refusal struct {
	network.Refused
	Device, Site, SSID string
}

// Refusals are of all access points, the last one first. A station that tried at several stands there once for each.
func Refusals(points []Point) (out []Refusal) {
	for _, p := range points {
		if p.Away {
			continue
		}
		for _, r := range p.Inside.Refused {
			out = append(out, Refusal{r, p.Device, p.Site, p.Config.Objects[setting.Object(setting.OnWLAN, r.WLAN)]["ssid"]})
		}
	}
	slices.SortStableFunc(out, func(a, b Refusal) int {
		return cmp.Or(b.Last.Compare(a.Last), cmp.Compare(a.Device, b.Device), cmp.Compare(a.MAC, b.MAC))
	})
	return out
}

// Blocked is a station of which devices let nothing pass.
type Blocked struct {
	MAC     string
	Until   string   // a date, "" for good; the last one, where devices differ
	Purpose string   // why
	Devices []string // that block it, by name
}

// Limited is a station that devices let send and receive no more than a rate.
type Limited struct {
	MAC     string
	Rate    string   // the lowest, where devices differ
	Until   string   // a date, "" for good; the last one, where devices differ
	Purpose string   // why
	Devices []string // that limit it, by name
}

// LimitedOn adds up which stations are limited, by hardware address.
func LimitedOn(configs map[string]network.Config) (out []Limited) {
	by := map[string]int{}
	for _, device := range slices.Sorted(maps.Keys(configs)) {
		for _, l := range setting.LimitedStations(configs[device]) {
			i, known := by[l.MAC]
			if !known {
				i = len(out)
				by[l.MAC], out = i, append(out, Limited{MAC: l.MAC, Rate: l.Rate, Until: l.Until, Purpose: l.Purpose})
			}
			o := &out[i]
			o.Devices = append(o.Devices, device)
			if o.Until != "" && (l.Until == "" || l.Until > o.Until) {
				o.Until = l.Until
			}
			low, err := setting.ParseRate(l.Rate)
			if most, bad := setting.ParseRate(o.Rate); err == nil && (bad != nil || low < most) {
				o.Rate = l.Rate
			}
		}
	}
	slices.SortFunc(out, func(a, b Limited) int { return cmp.Compare(a.MAC, b.MAC) })
	return out
}

// BlockedOn adds up which stations are blocked, by hardware address.
func BlockedOn(configs map[string]network.Config) (out []Blocked) {
	by := map[string]int{}
	for _, device := range slices.Sorted(maps.Keys(configs)) {
		for _, b := range setting.BlockedStations(configs[device]) {
			i, known := by[b.MAC]
			if !known {
				i = len(out)
				by[b.MAC], out = i, append(out, Blocked{MAC: b.MAC, Until: b.Until, Purpose: b.Purpose})
			}
			o := &out[i]
			o.Devices = append(o.Devices, device)
			if o.Until != "" && (b.Until == "" || b.Until > o.Until) {
				o.Until = b.Until
			}
		}
	}
	slices.SortFunc(out, func(a, b Blocked) int { return cmp.Compare(a.MAC, b.MAC) })
	return out
}
