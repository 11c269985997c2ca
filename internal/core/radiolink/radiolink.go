// Package radiolink judges the two ends of a point-to-point radio link together: whether they fit, and what each will hear.
package radiolink

import (
	"maps"
	"math"
	"slices"

	"example.net/everypost/internal/core/microwave"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// Misfit is why what one end sends is not heard by the other.
type Misfit string

// The misfits.
const (
	Silent       Misfit = "silent"       // the sender is off
	Frequency    Misfit = "frequency"    // the other hears elsewhere
	Separation   Misfit = "separation"   // the channels are not of one width
	Polarization Misfit = "polarization" // the waves are not of one plane
)

// Misfits tells why one end is not heard by another; none where it is. What is not told fits.
func Misfits(from, to setting.Carrier) (out []Misfit) {
	differ := func(a, b float64) bool { return a > 0 && b > 0 && math.Abs(a-b) > 0.0005 }
	if !from.On {
		out = append(out, Silent)
	}
	if differ(from.TxMHz, to.RxMHz) {
		out = append(out, Frequency)
	}
	if differ(from.SeparationMHz, to.SeparationMHz) {
		out = append(out, Separation)
	}
	if from.Polarization != to.Polarization {
		out = append(out, Polarization)
	}
	return out
}

// Fits tells whether both ends hear each other.
func Fits(a, b setting.Carrier) bool { return len(Misfits(a, b)) == 0 && len(Misfits(b, a)) == 0 }

// Expected is what an end receives in clear air (ITU-R P.525), as both are told; read is what that end tells of antennas and distance.
func Expected(from, to setting.Carrier, read *network.RadioLinkRead) (dBm float64, known bool) {
	if read == nil || len(Misfits(from, to)) > 0 {
		return 0, false
	}
	power := from.PowerDbm
	at := func(p float64) (float64, bool) {
		return microwave.Expected(microwave.End{PowerDbm: p, GainDbi: read.FarGainDbi}, microwave.End{GainDbi: read.GainDbi}, from.TxMHz/1000, read.DistanceKm)
	}
	dBm, known = at(power)
	if from.Automatic && from.MostDbm < 0 { // it sends with less where that is enough
		dBm = min(dBm, from.MostDbm)
	}
	return dBm, known
}

// Foreseen is what an end will receive once both are told otherwise: what it receives now, with what clear air would change. What it does not receive now is taken
// from clear air alone.
func Foreseen(fromNow, toNow, from, to setting.Carrier, read *network.RadioLinkRead) (dBm float64, known bool) {
	dBm, known = Expected(from, to, read)
	if was, knew := Expected(fromNow, toNow, read); known && knew && read.ReceivedDbm < 0 {
		dBm += read.ReceivedDbm - was
	}
	return dBm, known
}

// Pair is a radio link. Far is empty where nothing is known of the other end.
type Pair struct{ Near, Far network.PortRef }

// Pairs are the radio links among what joins ports of devices, each once, by their first end; an end of which the other is not known stands alone.
func Pairs(configs map[string]network.Config, cables [][2]network.PortRef) (out []Pair) {
	far := map[network.PortRef]network.PortRef{}
	for _, c := range cables {
		if configs[c[0].Device].Ports[c[0].Port].Carrier && configs[c[1].Device].Ports[c[1].Port].Carrier {
			far[c[0]], far[c[1]] = c[1], c[0]
		}
	}
	for _, device := range slices.Sorted(maps.Keys(configs)) {
		for _, c := range setting.Carriers(configs[device]) {
			near := network.PortRef{Device: device, Port: c.Port}
			if other := far[near]; other.Device == "" || device < other.Device {
				out = append(out, Pair{near, other})
			}
		}
	}
	return out
}

// BothEnds are what both ends are to be told, when something is told to one: what one sends the other hears.
func BothEnds(set map[string]string) (near, far map[string]string) {
	near, far = map[string]string{}, map[string]string{}
	for name, value := range set {
		near[name] = value
		if other, both := setting.AtFarEnd(name); both {
			far[other] = value
		}
	}
	return near, far
}
