package wireless

import (
	"fmt"
	"slices"

	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/topology"
)

// StepState is how far a step of joining is.
type StepState string

// The states of a step.
const (
	Done    StepState = "done"
	Failed  StepState = "failed"
	Unknown StepState = "unknown" // it was not got to
)

// Step is one of those by which a station joins a wireless network.
type Step struct {
	Name  string // heard, taken, let-in, carried, addressed
	State StepState
	Says  string
	Do    string // what to do, where it failed
}

// whys say in words what is in the way of a station, and what to do about it, by what access points tell.
var whys = map[string][2]string{
	"blocked":          {"It is blocked on the access point.", "Let it in again, if it may."},
	"wrong-passphrase": {"It has another passphrase than the network.", "Have the passphrase typed anew on the station: it may be an old one."},
	"ended-passphrase": {"Its passphrase is past its last day.", "Give the passphrase a later day (until), or the station another one."},
	"security":         {"It cannot do what the network asks for, or knows the network as one that asks for more.", "Have the station forget the network and join anew; if it is too old for it, offer a security that it can."},
	"refused":          {"The RADIUS server said no.", "Look in the log of the RADIUS server: the name, the password or the certificate of the station is not taken there."},
	"no-answer":        {"No RADIUS server answered.", "Look whether the servers of the network run, and whether the access point reaches them with the right secret."},
	"too-many":         {"The radio has no room for more stations.", "Look whether another access point is near, or the other band is offered."},
}

// Why says in words what is in the way of a station, and what to do about it.
func Why(code string) (says, do string) {
	w, known := whys[code]
	if !known {
		return "The access point did not let it in: " + code + ".", ""
	}
	return w[0], w[1]
}

// Joining tells step by step how a station joins a wireless network, and where it stops. links are of the whole network, and configs what devices run.
func Joining(mac string, points []Point, links []topology.Link, configs map[string]network.Config) []Step {
	for _, p := range points {
		for _, s := range p.Inside.Stations {
			if s.MAC == mac && !p.Away {
				return joined(p, s, links, configs)
			}
		}
	}
	refused := Refusals(points)
	i := slices.IndexFunc(refused, func(r Refusal) bool { return r.MAC == mac })
	if i < 0 {
		return []Step{{"heard", Failed, "No access point has it, and none heard it try within the last hour.", "Look whether its radio is on and it is near an access point, and whether the network is offered there, in a band that it can."}, {Name: "taken", State: Unknown}, {Name: "let-in", State: Unknown}, {Name: "carried", State: Unknown}, {Name: "addressed", State: Unknown}}
	}
	r := refused[i]
	for _, o := range refused { // where it is heard best is where it wants in
		if o.MAC == mac && o.SignalDbm > r.SignalDbm {
			r = o
		}
	}
	says, do := Why(r.Why)
	out := []Step{{Name: "heard", State: Done, Says: fmt.Sprintf("%s:%s hears it with %d dBm; it tried %d times within the hour to join %s.", r.Device, r.Radio, r.SignalDbm, r.Tries, r.SSID)}}
	if r.SignalDbm < faint {
		out[0].Do = "That is faint: it may be too far away."
	}
	if r.Step == "association" {
		return append(out, Step{"taken", Failed, says, do}, Step{Name: "let-in", State: Unknown}, Step{Name: "carried", State: Unknown}, Step{Name: "addressed", State: Unknown})
	}
	return append(out, Step{Name: "taken", State: Done, Says: "The access point took it."}, Step{"let-in", Failed, says, do}, Step{Name: "carried", State: Unknown}, Step{Name: "addressed", State: Unknown})
}

// faint is what is too weak to join by, in dBm.
const faint = -78

func joined(p Point, s network.Station, links []topology.Link, configs map[string]network.Config) []Step {
	out := []Step{{Name: "heard", State: Done, Says: fmt.Sprintf("%s hears it with %d dBm, at %s.", p.Device, s.SignalDbm, s.Band)}, {Name: "taken", State: Done, Says: "It is at " + s.SSID + "."}, {Name: "let-in", State: Done, Says: fmt.Sprintf("It was let in, into VLAN %s.", s.VLAN)}}
	if s.SignalDbm < faint {
		out[0].Do = "That is faint: it may come and go."
	}
	carried := Step{Name: "carried", State: Done, Says: fmt.Sprintf("VLAN %s is carried on the uplink of %s.", s.VLAN, p.Device)}
	for _, l := range links {
		if l.A.Device != p.Device && l.B.Device != p.Device {
			continue
		}
		for _, end := range []network.PortRef{l.A, l.B} {
			c, known := configs[end.Device].Ports[end.Port]
			if lag := c.LAG; lag != "" {
				c = configs[end.Device].Bundles[lag]
			}
			if known && !c.Carries(s.VLAN) {
				carried = Step{"carried", Failed, fmt.Sprintf("%s does not carry VLAN %s.", end, s.VLAN), fmt.Sprintf("Carry VLAN %s there: it reaches nobody.", s.VLAN)}
			}
		}
	}
	out = append(out, carried)
	switch {
	case s.Address == "" && carried.State == Done:
		return append(out, Step{"addressed", Failed, "It has no address.", fmt.Sprintf("Look who gives out addresses in VLAN %s, and whether there are any left.", s.VLAN)})
	case s.Address == "":
		return append(out, Step{Name: "addressed", State: Unknown})
	}
	return append(out, Step{Name: "addressed", State: Done, Says: "It has the address " + s.Address + "."})
}

// Stops is the step at which a station stops, if it does.
func Stops(steps []Step) (Step, bool) {
	i := slices.IndexFunc(steps, func(s Step) bool { return s.State == Failed })
	if i < 0 {
		return Step{}, false
	}
	return steps[i], true
}
