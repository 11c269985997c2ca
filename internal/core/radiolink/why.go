package radiolink

import (
	"strings"

	"example.net/everypost/internal/core/microwave"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/setting"
)

// Why is one reason why a radio link is down: what is said of it is made of code and arguments.
type Why struct {
	Code string
	Args map[string]any
}

// The reasons besides the misfits.
const (
	WhyAway    = "away"    // an end is not in hand
	WhyFaint   = "faint"   // too little is received
	WhyUnheard = "unheard" // both ends fit, and nothing is received
)

// End is one end as far as it matters here.
type End struct {
	At   network.PortRef
	Told setting.Carrier
	Read *network.RadioLinkRead // nil where nothing was read
	Away bool
	Up   bool
	// Licence is by what right it sends; nil where none is known.
	Licence *Licence
}

// WhyDown tells why a link is down: all that is found, the gravest first; none where it is up. far is nil where the other end is not known.
func WhyDown(near End, far *End) (out []Why) {
	if near.Up && (far == nil || far.Up) {
		return nil
	}
	say := func(code string, args ...any) {
		w := Why{code, map[string]any{}}
		for i := 0; i < len(args); i += 2 {
			w.Args[args[i].(string)] = args[i+1]
		}
		out = append(out, w)
	}
	ends := []End{near}
	if far != nil {
		ends = append(ends, *far)
	}
	for _, e := range ends {
		if e.Away {
			say(WhyAway, "at", e.At.Device)
		}
		if !e.Told.On {
			say(string(Silent), "at", e.At.String())
		}
	}
	if far != nil {
		for _, way := range [][2]End{{near, *far}, {*far, near}} {
			for _, m := range Misfits(way[0].Told, way[1].Told) {
				if m != Silent {
					say(string(m), "from", way[0].At.String(), "to", way[1].At.String(), "sends", way[0].Told.TxMHz, "hears", way[1].Told.RxMHz)
				}
			}
		}
	}
	for _, e := range ends {
		need, known := microwave.Threshold(e.Told.Lowest, e.Told.SeparationMHz)
		switch {
		case e.Away || e.Read == nil || !known:
		case e.Read.ReceivedDbm < 0 && e.Read.ReceivedDbm < need+1:
			say(WhyFaint, "at", e.At.String(), "dbm", e.Read.ReceivedDbm, "need", need, "modulation", strings.ToUpper(string(e.Told.Lowest)))
		case len(out) == 0 && e.Read.ReceivedDbm == 0:
			say(WhyUnheard, "at", e.At.String())
		}
	}
	return out
}
