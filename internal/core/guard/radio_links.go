package guard

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"example.net/everypost/internal/core/intent"
	"example.net/everypost/internal/core/microwave"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/radiolink"
	"example.net/everypost/internal/core/setting"
	"example.net/everypost/internal/core/topology"
)

// radioLinks finds ends of radio links that would not hear each other, or too faintly, and ports that would hold each other down.
func radioLinks(p Proposal) []Finding {
	r := carriers{p: p}
	for _, l := range p.Links {
		if r.changed(l.A) || r.changed(l.B) {
			r.link(l)
		}
	}
	for _, at := range p.changed {
		r.alone(at)
	}
	return r.out
}

type carriers struct {
	p   Proposal
	out []Finding
}

func (r *carriers) say(level Level, at network.PortRef, part, what, why, do string, fix ...intent.Edit) {
	r.out = append(r.out, Finding{ID: "radio-links:" + at.String() + ":" + part, Guard: "radio-links", Level: level, Ports: []network.PortRef{at}, What: what, Why: why, Do: do, Fix: fix})
}

func (r *carriers) changed(at network.PortRef) bool {
	was, now := r.p.Before[at.Device].Ports[at.Port], r.p.After[at.Device].Ports[at.Port]
	return now.Carrier && !now.Equal(was)
}

func (r *carriers) link(l topology.Link) {
	for _, way := range [][2]network.PortRef{{l.A, l.B}, {l.B, l.A}} {
		from, known := setting.CarrierAt(r.p.After[way[0].Device], way[0].Port)
		to, alsoKnown := setting.CarrierAt(r.p.After[way[1].Device], way[1].Port)
		if !known || !alsoKnown {
			return
		}
		fromNow, _ := setting.CarrierAt(r.p.Before[way[0].Device], way[0].Port)
		toNow, _ := setting.CarrierAt(r.p.Before[way[1].Device], way[1].Port)
		misfits := radiolink.Misfits(from, to)
		if len(misfits) > 0 {
			if !slices.Equal(misfits, radiolink.Misfits(fromNow, toNow)) {
				r.misfit(way, from, to, misfits[0])
			}
			continue
		}
		read := r.p.Insides[way[1].Device].RadioLink
		dBm, known := radiolink.Foreseen(fromNow, toNow, from, to, read)
		if known {
			r.level(way, to, dBm, fromNow, from)
		}
	}
}

const airWhy = "What is beyond it is reached over other ways only, or not at all."

func (r *carriers) misfit(way [2]network.PortRef, from, to setting.Carrier, m radiolink.Misfit) {
	edit := func(name, value string) []intent.Edit {
		if !r.p.After[way[1].Device].Has(setting.RadioCarriers) {
			return nil
		}
		e, err := intent.New(way[1], name, value)
		if err != nil {
			return nil
		}
		return []intent.Edit{e}
	}
	mhz := func(f float64) string { return strconv.FormatFloat(f, 'f', -1, 64) }
	switch m {
	case radiolink.Silent:
		r.say(Warn, way[0], string(m), fmt.Sprintf("%s would be silent: %s would hear nothing of it.", way[0], way[1]), "The radio link goes down. "+airWhy, "Leave its transmitter on, or mute it when nobody needs the link.")
	case radiolink.Frequency:
		r.say(Warn, way[0], string(m), fmt.Sprintf("%s would send on %s MHz, and %s hear on %s MHz.", way[0], mhz(from.TxMHz), way[1], mhz(to.RxMHz)), "The radio link goes down. "+airWhy,
			fmt.Sprintf("Set both ends in one draft: \"everypost radio-link set %s tx-frequency=%s\".", way[0].Device, mhz(from.TxMHz)), edit("rx-frequency", mhz(from.TxMHz))...)
	case radiolink.Separation:
		r.say(Warn, way[0], string(m), fmt.Sprintf("The channel of %s would be %s MHz wide, that of %s %s MHz.", way[0], mhz(from.SeparationMHz), way[1], mhz(to.SeparationMHz)), "The radio link goes down. "+airWhy,
			fmt.Sprintf("Set both ends in one draft: \"everypost radio-link set %s channel-separation=%s\".", way[0].Device, mhz(from.SeparationMHz)), edit("channel-separation", mhz(from.SeparationMHz))...)
	case radiolink.Polarization:
		r.say(Warn, way[0], string(m), fmt.Sprintf("%s would be polarised %sly, and %s %sly.", way[0], from.Polarization, way[1], to.Polarization), "Next to nothing of it is heard: the radio link goes down, or nearly so. "+airWhy,
			"Set both ends in one draft, and turn both antennas.", edit("polarization", from.Polarization)...)
	}
}

// level tells whether what will be received is enough.
func (r *carriers) level(way [2]network.PortRef, to setting.Carrier, dBm float64, was, is setting.Carrier) {
	need, known := microwave.Threshold(to.Lowest, to.SeparationMHz)
	switch best := microwave.Best(dBm, to.SeparationMHz, to.Lowest, to.Highest); {
	case !known:
	case dBm < need:
		r.say(Warn, way[1], "level", fmt.Sprintf("%s would receive some %.0f dBm, and %s takes some %.0f dBm in %g MHz.", way[1], dBm, strings.ToUpper(string(to.Lowest)), need, to.SeparationMHz),
			"The radio link would be down in clear air. "+airWhy, "Choose a lower lowest modulation, a narrower channel, or more power.")
	case dBm-need < leastFade:
		r.say(Warn, way[1], "margin", fmt.Sprintf("%s would have %.0f dB left for rain: it would receive some %.0f dBm, and %s takes some %.0f dBm.", way[1], dBm-need, dBm, strings.ToUpper(string(to.Lowest)), need),
			"A shower would take the radio link down.", "Let it go down to a lower modulation, or send with more power.")
	case best != to.Highest && was != is:
		r.say(Note, way[1], "best", fmt.Sprintf("%s would use %s at best: some %.0f dBm are not enough for %s.", way[1], strings.ToUpper(string(best)), dBm, strings.ToUpper(string(to.Highest))), "It carries less than it could.", "Send with more power, if the licence allows it, or leave it so.")
	}
}

// leastFade is how many dB a link must have left for rain.
const leastFade = 10

// alone finds what one end tells by itself.
func (r *carriers) alone(at network.PortRef) {
	after := r.p.After[at.Device]
	c, is := setting.CarrierAt(after, at.Port)
	r.held(at, after)
	if !is {
		return
	}
	r.licensed(at, c)
	read := r.p.Insides[at.Device].RadioLink
	if read != nil && read.HighestMHz > 0 {
		for _, f := range []struct {
			name string
			mhz  float64
		}{{"sends", c.TxMHz}, {"hears", c.RxMHz}} {
			if f.mhz > 0 && (f.mhz < read.LowestMHz || f.mhz > read.HighestMHz) {
				r.say(Stop, at, "band", fmt.Sprintf("%s cannot be told that it %s on %g MHz: its radio is made for %g to %g MHz.", at, f.name, f.mhz, read.LowestMHz, read.HighestMHz), "The device refuses it.", "Take a frequency of its band.")
				break
			}
		}
	}
	if microwave.Order(c.Lowest, c.Highest) > 0 {
		r.say(Stop, at, "modulations", fmt.Sprintf("The lowest modulation of %s, %s, would be above its highest, %s.", at, strings.ToUpper(string(c.Lowest)), strings.ToUpper(string(c.Highest))), "The device refuses it.", "Make them alike, or the lowest lower.")
	}
	if c.Automatic && c.LeastDbm < 0 && c.MostDbm < 0 && c.LeastDbm > c.MostDbm {
		r.say(Stop, at, "levels", fmt.Sprintf("%s would aim at a level of at least %g and at most %g dBm.", at, c.LeastDbm, c.MostDbm), "The device refuses it.", "Set the level at least below that at most.")
	}
}

// licensed finds an end that would send otherwise than its licence says, where one is known.
func (r *carriers) licensed(at network.PortRef, c setting.Carrier) {
	i := slices.IndexFunc(r.p.Licences, func(l radiolink.Licence) bool { return l.Device == at.Device && l.Port == at.Port })
	if i < 0 || !c.On {
		return
	}
	l := r.p.Licences[i]
	const why = "It may disturb others, and the authority may have it switched off."
	do := fmt.Sprintf("Stay within licence %s, or have it changed and say so: \"everypost radio-link licence %s --frequency %g --width %g\".", l.Number, at.Device, c.TxMHz, c.SeparationMHz)
	switch l.Outside(c) {
	case radiolink.OutsideChannel:
		r.say(Stop, at, "licence", fmt.Sprintf("%s would send on %g MHz, %g MHz wide: its licence is for %g MHz, %g MHz wide.", at, c.TxMHz, c.SeparationMHz, l.TxMHz, l.WidthMHz), why, do)
	case radiolink.OutsidePlane:
		r.say(Stop, at, "licence", fmt.Sprintf("%s would send %sly polarised: its licence is for %sly.", at, c.Polarization, l.Polarization), why, do)
	case radiolink.OutsidePower:
		r.say(Stop, at, "licence", fmt.Sprintf("%s might send with %g dBm: its licence is for %g dBm.", at, c.PowerDbm, *l.MostDbm), why, do)
	}
	if was, _ := setting.CarrierAt(r.p.Before[at.Device], at.Port); !was.On && l.Stands(r.p.Now) == radiolink.Ended {
		r.say(Stop, at, "licence-ended", fmt.Sprintf("%s would send, and its licence ended on %s.", at, l.Ends), why, do)
	}
}

// held finds a port that follows the air while the air follows it: once one is down, both stay so.
func (r *carriers) held(at network.PortRef, after network.Config) {
	for _, other := range setting.Items(after.Ports[at.Port].Settings["follow"]) {
		if slices.Contains(setting.Items(after.Ports[other].Settings["follow"]), at.Port) && (after.Ports[at.Port].Carrier || after.Ports[other].Carrier) {
			r.say(Warn, at, "follow", fmt.Sprintf("%s and %s:%s would follow each other.", at, at.Device, other), "Once one of them is down, each holds the other down for good.", "Let only one of them follow: the wire the air, or the air the wire.")
		}
	}
}
